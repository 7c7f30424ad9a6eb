"""The bench: the model in 3-D, results painted on it, a scale, the section's controls."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget
from pyvistaqt import QtInteractor

from ..model import drawn
from ..weigh.compare import changed_since
from . import camera, look, scene
from .choosing import Choosing
from .course_bar import CourseBar
from .detail import DetailBar
from .dial_bar import DialBar
from .differing import told_difference
from .face_bar import FaceBar
from .handles import Handles
from .load_bar import LoadBar
from .looking import Looking
from .measuring import Measuring
from .movers import Movers
from .painter import Painter
from .picking import Picking
from .scale import Scales
from .session import Session
from .sight import Sight
from .smoothing import Smoothing
from .stand_in import StandIn
from .time_bar import TimeBar
from .view_bar import ViewBar
from .view_items import ITEMS, DrawnItem
from .viewing import Look
from .work_bar import STAGES as WORKED
from .work_bar import WorkBar


class Bench(Looking, Sight, QWidget):
    """One 3-D view of one layout. ``layout_name`` empty means the session's."""

    picked = pyqtSignal(str)
    asked = pyqtSignal(object)
    refused = pyqtSignal(str)
    probed = pyqtSignal(object, str)

    def __init__(self, session: Session, layout_name: str = "", title: bool = False):
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.layout_name, self._stale = session, layout_name, True
        self.view = QtInteractor(self, auto_update=False, multi_samples=1)
        self.view.set_background(look.PAPER)
        self.view.enable_lightkit()
        self.view.ren_win.SetLineSmoothing(True)
        self.scales = Scales()
        self.scales.dragged.connect(lambda of, text: self._range(of, text, False))
        self.scales.settled.connect(lambda of, text: self._range(of, text, True))
        self.message = QLabel(wordWrap=True)
        self.message.setProperty("quiet", True)
        self.heading = QLabel()
        self.heading.setStyleSheet("font-weight: 600; padding: 8px 12px 0 12px;")
        self.heading.setVisible(title)
        self._first, self.is_shut = True, False
        self._fits: tuple[int, int] | None = None  # the view's size when the whole model was put in view
        self._look: Look | None = None
        #: the place (m) that was clicked last
        self.clicked: tuple[float, float, float] | None = None
        self.shown_scales: list = []
        self._before: tuple | None = None
        self._drawn_result = None
        self.painter = Painter(self.view)
        self.handles = Handles(self)
        self.movers = Movers(self)
        self.choosing = Choosing(self)
        self.measuring = Measuring(self)
        self._lay_out()
        self._pieces = None
        #: benches that look with the same camera
        self.partners: list[Bench] = []
        #: a layout whose result is taken from this one's: differences are shown
        self.minus = ""
        self._timer = QTimer(self, singleShot=True, interval=15)
        self._timer.timeout.connect(self._begin)
        self.smoothing = Smoothing(self.view, self.busy)
        self.stand_in = StandIn(self.view)
        style = self.view.iren.interactor.GetInteractorStyle()
        style.AddObserver("StartInteractionEvent", self._moved)
        style.AddObserver("EndInteractionEvent", self._turned)
        self.picking = Picking(self)
        self._marks = QTimer(self, interval=66)
        self._marks.timeout.connect(self._move_marks)
        self._clock = 0.0

    def _lay_out(self):
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.heading)
        if not self.layout_name:
            self.bar, self.work = ViewBar(self), WorkBar(self)
            whole.addWidget(self.bar)
            whole.addWidget(self.work)
            self.loads = LoadBar(self)
            whole.addWidget(self.loads)
            whole.addWidget(DetailBar(self.session))
            self.faces = FaceBar(self.session)
            whole.addWidget(self.faces)
        whole.addWidget(self.view.interactor if hasattr(self.view, "interactor") else self.view, 1)
        if not self.layout_name:
            self.times, self.dials = TimeBar(self.session), DialBar(self.session)
            self.dials.refused.connect(self.refused.emit)
            whole.addWidget(self.times)
            whole.addWidget(self.dials)
            self.course = CourseBar(self.session)
            self.course.refused.connect(self.refused.emit)
            whole.addWidget(self.course)
        foot = QVBoxLayout()
        foot.setContentsMargins(14, 0, 14, 6)
        foot.setSpacing(0)
        foot.addWidget(self.message)
        foot.addWidget(self.scales)
        whole.addLayout(foot)

    def show_above(self, strip: QWidget) -> None:
        """Put a strip over the picture."""
        box = self.layout()
        assert isinstance(box, QVBoxLayout)
        box.insertWidget(1, strip)

    def _moved(self, *_):
        self._fits = None  # from now on the look is the user's

    def _turned(self, *_):
        """What is cut away before a section follows the viewer, and so do rulers."""
        if self._look is not None and self._look.result is None and self.session.stage in WORKED:
            if np.any(np.sign(self._look.toward) != np.sign(camera.toward(self.view))):
                self.refresh()
            return
        if self._look is not None and self._look.result is not None:
            now = self._look.planes()
            self._look.toward = camera.toward(self.view)
            if [tuple(k) for _, k in self._look.planes()] != [tuple(k) for _, k in now]:
                self.refresh()

    def _range(self, of, text: str, settled: bool) -> None:
        """A scale's ends, while they are dragged or for good."""
        cells = [(row, "range", text) for row in of.rows]
        if settled:
            self.session.picture.settle(cells, "range of " + ", ".join(of.rows))
        else:
            self.session.picture.try_out(cells)

    def resizeEvent(self, event):  # noqa: N802
        """The whole model stays in view until somebody has chosen a look of his own."""
        super().resizeEvent(event)
        if self._fits:
            self.refresh()

    def _room(self) -> tuple[int, int]:
        return self.view.width(), self.view.height()

    def refresh(self):
        """Draw again soon; many calls make one drawing."""
        if not self.is_shut:
            self._timer.start()

    def name(self) -> str:
        """The layout shown."""
        return self.layout_name or self.session.layout

    def showing_results(self) -> bool:
        """Whether this stage paints results."""
        return self.session.stage in ("Read", "Weigh", "Run") and self.result() is not None

    def result(self):
        """The stored result shown, with the snapshot of a run put in while one is on."""
        result = self.session.result(self.name())
        state, picture = self.session.run_state, self.session.picture
        if self.session.run and state.layout == self.name():
            if state.solution is not None:
                return state.solution
            live = state.snapshot
            if result is not None and live is not None and live.shape == result.temperature.shape:
                return replace(result, temperature=live)
        if result is not None and picture.time is not None and len(result.instants) > 1:
            return picture.at_instant(result)
        return result

    def show_snapshot(self):
        """Put the temperatures of a run into the picture, without building the scene anew."""
        result = self.result() if self.showing_results() else None
        if result is None or self.busy():
            return
        if self.session.run_state.solution is not None and result is not self._drawn_result:
            self.refresh()  # a whole solution: everything is drawn of it
            return
        if not self.painter.painted:
            return
        values = result.temperature.ravel()
        for _, mesh, cells, quantity in self.painter.painted:
            if quantity == "temperature":
                mesh.cell_data["value"] = values[cells]
                if "smooth" in mesh.point_data:
                    mesh.point_data["smooth"] = np.repeat(values[cells], 4)[: mesh.n_points]
        self.view.ren_win.Render()

    def show_point(self):
        """The place on a plotted line that its cursor stands at."""
        place = self.session.picture.pointed
        self.painter.forget("cursor")
        if place is not None and self._look is not None and self._look.result is not None and not self.busy():
            self.painter.row("cursor")
            self.painter.dot(place)
            self.painter.row("")
            self.view.ren_win.Render()

    def point_at(self, place, words: str) -> None:
        """Show a place (m) with words, as soon as nothing is being drawn any more."""
        if self.busy():
            QTimer.singleShot(40, lambda: self.point_at(place, words))
            return
        self.painter.forget("finding")
        self.painter.row("finding")
        self.painter.label(place, words)
        self.painter.row("")
        self.view.ren_win.Render()

    def _move_marks(self):
        """Marks along streamlines, a step on."""
        if not self.isVisible() or self.busy() or not self.painter.marks:
            self._marks.stop()
            return
        self._clock += 0.066
        for marks in self.painter.marks.values():
            marks.move(self._clock)
        self.view.ren_win.Render()

    def busy(self) -> bool:
        """Whether a drawing is still to come or under way."""
        return self._timer.isActive() or self._pieces is not None

    def hold(self):
        """Let the old picture stand until the next is whole."""
        self.smoothing.plainly()
        self.view.setUpdatesEnabled(False)

    def _begin(self):
        self._pieces = self._scene()
        self.hold()
        self._go_on()

    def _go_on(self):
        """Draw one piece now and the next in an event of its own, so that the window answers in between."""
        if self._pieces is None:
            return
        pieces, self._pieces = self._pieces, None  # what fails is not gone on with
        try:
            next(pieces)
            self._pieces = pieces
            QTimer.singleShot(0, self._go_on)
        except StopIteration:
            pass
        finally:
            if self._pieces is None:
                self.view.setUpdatesEnabled(True)

    def _scene(self):
        """Build the scene for the stage, piece by piece."""
        standing = self.session.standing(self.name())
        model, result = standing.model, self.result() if self.showing_results() else None
        if not self.layout_name:
            self.bar.rebuild(result is not None)
        state = "" if standing.state == "current" else f", {standing.state}"
        self.heading.setText(f"{self.name()}{state}" if not self.minus else f"{self.name()}  less  {self.minus}")
        self._say(standing, result)
        yield
        self.painter.clear()
        self._look = None
        if model is not None:
            if self._first or (self._fits and self._fits != self._room()):
                self._look_at_all()
            self._look = look_ = self.looking(standing, result)
            self._drawn_result = result
            self.painter.planes = look_.planes()
            for item in ITEMS:
                if item.wanted(look_):
                    for _ in item.draw(self.painter, look_):
                        yield
                        if isinstance(item, DrawnItem):
                            self.smoothing.unseen()
                            yield
            self.handles.draw(look_)
            self.movers.draw(look_)
            self._after_drawing(standing)
            yield
            if self._fits and self._fits != self._room():  # bars and scales have come or gone meanwhile
                self._look_at_all()
        self.view.renderer.ResetCameraClippingRange()  # what was drawn before may have stood elsewhere
        self.view.setUpdatesEnabled(True)  # which draws it
        self.smoothing.soon()
        self.stand_in.later.start()
        for partner in (b for b in self.partners if b.isVisible()):  # one camera: what one sees has changed for all
            partner.view.render()

    def redraw(self, names) -> None:
        """Draw some drawn rows anew, and nothing else: while one is dragged."""
        if self._look is None or self.busy() or self._look.result is None:
            self.refresh()
            return
        look_ = self._look
        look_.rows, look_.grows = self._rows(look_.result), False
        look_.scales.clear()
        self.smoothing.plainly()
        planes, self.painter.planes = self.painter.planes, look_.planes()
        if len(planes) == len(self.painter.planes):
            self._move_planes()
        for spec in look_.on:
            if spec.name in names or self._hangs_on(spec, names):
                self.painter.forget(spec.name)
                self.painter.row(spec.name)
                for _ in DrawnItem.one(self.painter, look_, spec):
                    pass
                self.painter.row("")
            else:
                look_.scales += [x for x in self.shown_scales if spec.name in x.rows and x not in look_.scales]
        self.handles.draw(look_)
        self._after_drawing(self.session.standing(self.name()))
        self.view.ren_win.Render()
        self.smoothing.soon()

    @staticmethod
    def _hangs_on(spec, names) -> bool:
        """Whether a row is drawn in, or from, another."""
        if isinstance(spec, drawn.Vectors):
            return not spec.section or spec.section in names
        return isinstance(spec, drawn.Streamlines) and bool(set(spec.source) & set(names))

    def _move_planes(self) -> None:
        """Cut everything at where sections are now."""
        for actor in self.view.renderer.actors.values():
            found = actor.GetMapper() if hasattr(actor, "GetMapper") else None
            planes = found.GetClippingPlanes() if hasattr(found, "GetClippingPlanes") else None
            for m in range(planes.GetNumberOfItems() if planes else 0):
                point, keep = self.painter.planes[min(m, len(self.painter.planes) - 1)]
                plane = planes.GetItem(m)
                plane.SetOrigin(*(point * scene.MM))
                plane.SetNormal(*keep)

    def _after_drawing(self, standing) -> None:
        """Scales, and what could not be drawn."""
        look_ = self._look
        assert look_ is not None
        self.shown_scales = list(look_.scales)
        worst = next((m for m in standing.margins if m.bound.quantity == "temperature"), None)
        limits = {"temperature": worst.bound.most} if worst is not None else {}
        self.scales.show_scales(look_.scales if look_.result is not None else [], limits)
        self.scales.setVisible(look_.result is not None)
        if self.minus and look_.result is not None:
            self._tell(told_difference(look_), warn=False)
        if look_.told and not standing.problems and look_.result is not None:
            self._tell(next(iter(look_.told.values())))
        if self.painter.marks and not self._marks.isActive():
            self._marks.start()

    def _tell(self, text: str, warn: bool = True) -> None:
        self.message.setText(look.minus(text))
        self.message.setVisible(bool(text))
        self.message.setProperty("warn", bool(text) and warn)
        self.message.style().polish(self.message)

    def _say(self, standing, result):
        text = ""
        if standing.problems:
            text = f"{len(standing.problems)} to settle. First: {standing.problems[0]}"
        elif standing.doubts and self.session.stage in WORKED:
            text = f"Is this meant? {standing.doubts[0]}"
        elif self.session.stage in ("Read", "Weigh") and result is None:
            text = "No result yet. Press Run to solve this layout."
        elif self.session.run is not None and self.session.run_state.layout == self.name():
            text = ""
        elif standing.state == "out of date" and result is not None:
            since = changed_since(self.session.document, self.session.folder, standing)
            told = f"{'; '.join(since[:2])}{f'; and {len(since) - 2} more' if len(since) > 2 else ''}" if since else ""
            text = f"Out of date: {told or 'the layout was changed since this result'}. Press Run."
        elif result is not None:
            studies = {r.name for r in self.session.document.rows if r.kind in ("sweep", "search")}
            faults = {n: p for n, p in self.session.picture.drawn(self.name())[1].items() if n not in studies}
            text = str(next(iter(faults.values()))) if faults else ""
        self._tell(text)

    def probe(self, point) -> None:
        """Tell the values at a point (mm)."""
        self.picking.probe(point)

    def picture(self) -> QImage:
        """What the bench shows, scale and all."""
        self.smoothing.finish()
        shot = self.view.screenshot(return_img=True)
        h, w, _ = shot.shape
        scene_image = QImage(np.ascontiguousarray(shot).tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).copy()
        image = QImage(w, h + 50, QImage.Format.Format_RGB32)
        image.fill(QColor(look.PAPER))
        p = QPainter(image)
        p.drawImage(0, 0, scene_image)
        if self.scales.isVisible():
            p.translate(14, h)
            self.scales.render(p)
        p.end()
        return image

    def shut(self):
        """Let go of the 3-D window before the widget dies; from now on nothing is drawn."""
        if self.is_shut:
            return
        self.is_shut = True
        self._timer.stop()
        self._marks.stop()
        self.smoothing.end()
        self.stand_in.shut()
        self._pieces = None
        self.view.close()
