"""The bench: the model in 3-D, results painted on it, a scale, the section's controls."""

from __future__ import annotations

from itertools import product

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QSlider, QVBoxLayout, QWidget
from pyvistaqt import QtInteractor

from ..shapes.facets import pierced
from ..shapes.geometry import Mesh
from . import look
from .detail import DetailBar
from .face_bar import FaceBar
from .painter import Painter
from .scale import Scale
from .session import Session
from .smoothing import Smoothing
from .view_items import ITEMS, Look
from .view_settings import FIELDS, ViewSettings


class Bench(QWidget):
    """One 3-D view of one layout. ``layout_name`` empty means the session's."""

    picked = pyqtSignal(str)
    probed = pyqtSignal(str)

    def __init__(
        self, session: Session, layout_name: str = "", title: bool = False, settings: ViewSettings | None = None
    ):
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.layout_name, self._stale = session, layout_name, True
        self.view = QtInteractor(self, auto_update=False, multi_samples=1)
        self.view.set_background(look.PAPER)
        self.view.enable_lightkit()
        self.view.ren_win.SetLineSmoothing(True)
        self.scale = Scale()
        self.message = QLabel(wordWrap=True)
        self.message.setProperty("quiet", True)
        self.heading = QLabel()
        self.heading.setStyleSheet("font-weight: 600; padding: 8px 12px 0 12px;")
        self.heading.setVisible(title)
        self.settings = settings or ViewSettings()
        self.settings.events.connect(lambda *_: self.refresh())
        self._first = True
        self._clicks: tuple | None = None
        self._fits: tuple[int, int] | None = None  # the view's size when the whole model was put in view
        self.painter = Painter(self.view)
        self._lay_out()
        if title:  # as tall as the bench beside it, so that one camera shows both at one size
            policy = self.bar.sizePolicy()
            policy.setRetainSizeWhenHidden(True)
            self.bar.setSizePolicy(policy)
        self._pieces = self.partner = None
        self._timer = QTimer(self, singleShot=True, interval=15)
        self._timer.timeout.connect(self._begin)
        self.smoothing = Smoothing(self.view, self.busy)
        self.view.iren.interactor.GetInteractorStyle().AddObserver("StartInteractionEvent", self._moved)
        self.view.iren.add_observer("LeftButtonPressEvent", self._pressed)
        self.view.iren.add_observer("LeftButtonReleaseEvent", self._released)

    def _lay_out(self):
        self.bar = QWidget()
        row = QHBoxLayout(self.bar)
        row.setContentsMargins(12, 8, 8, 4)
        row.setSpacing(4)
        self.field_box = QComboBox()
        self.field_box.addItems(FIELDS)
        self.field_box.currentTextChanged.connect(lambda t: setattr(self.settings, "field", t))
        self.axis_box = QComboBox()
        self.axis_box.addItems(["across x", "across y", "across z"])
        self.axis_box.setCurrentIndex(1)
        self.axis_box.currentIndexChanged.connect(lambda a: setattr(self.settings, "axis", a))
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 200)
        self.slider.setValue(100)
        self.slider.setFixedWidth(60)
        self.field_box.setFixedWidth(100)
        self.axis_box.setFixedWidth(74)
        self.bar.setStyleSheet("QPushButton { padding: 4px 8px; } QComboBox { padding: 3px 6px; }")
        self.slider.setAccessibleName("place of the section")
        self.slider.valueChanged.connect(lambda v: setattr(self.settings, "place", v / 200))
        self.where = QLabel()
        self.where.setFixedWidth(58)
        self.chips = {}
        for item in (x for x in ITEMS if x.title):
            chip = QPushButton(item.title, checkable=True, checked=item.key in self.settings.shown)
            chip.toggled.connect(lambda on, k=item.key: self.settings.switch(k, on))
            self.chips[item.key] = chip
        row.addWidget(self.field_box)
        row.addWidget(self.chips["section"])
        row.addWidget(self.axis_box)
        row.addWidget(self.slider)
        row.addWidget(self.where)
        for key in (k for k in self.chips if k != "section"):
            row.addWidget(self.chips[key])
        row.addStretch(1)
        self.bar.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.heading)
        whole.addWidget(self.bar)
        if not self.layout_name:
            whole.addWidget(DetailBar(self.session))
            self.faces = FaceBar(self.session)
            whole.addWidget(self.faces)
        whole.addWidget(self.view.interactor if hasattr(self.view, "interactor") else self.view, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(14, 0, 14, 6)
        foot.addWidget(self.scale, 3)
        foot.addWidget(self.message, 2)
        whole.addLayout(foot)

    def _moved(self, *_):
        self._fits = None  # from now on the look is the user's

    def resizeEvent(self, event):  # noqa: N802
        """The whole model stays in view until somebody has chosen a look of his own."""
        super().resizeEvent(event)
        if self._fits:
            self.refresh()

    def _room(self) -> tuple[int, int]:
        return self.view.width(), self.view.height()

    def refresh(self):
        """Draw again soon; many calls make one drawing."""
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
        state = self.session.run_state
        live = state.snapshot if self.session.run and state.layout == self.name() else None
        if result is not None and live is not None and live.shape == result.temperature.shape:
            from dataclasses import replace

            return replace(result, temperature=live)
        return result

    def show_snapshot(self):
        """Put the temperatures of a run into the picture, without building the scene anew."""
        result = self.result() if self.showing_results() else None
        if result is None or self.busy() or not self.painter.painted or self.settings.field != "temperature":
            return
        values = result.temperature - 273.15
        for mesh, index in self.painter.painted:
            mesh.cell_data["value"] = values[index]
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
        self.bar.setVisible(result is not None and self.layout_name == "")
        for key in (k for k in self.chips if k != "section"):  # two benches beside each other leave less room
            self.chips[key].setVisible(self.session.stage != "Weigh")
        self.scale.setVisible(result is not None)
        self.heading.setText(f"{self.name()}" + ("" if standing.state == "current" else f", {standing.state}"))
        self._say(standing, result)
        yield
        self.painter.clear()
        if model is not None:
            state = self.session.run_state
            fault = state.place if state.layout == self.name() else None
            ends = self._show_scale(result, standing) if result is not None else (0.0, 1.0)
            look_ = Look(
                self.name(),
                model,
                result,
                standing.summary,
                self.session.selected,
                self.session.stage,
                bool(standing.problems),
                fault,
                self.settings,
                self.session.leak if self.name() == self.session.layout else None,
                ends,
                self.session.mouths if self.name() == self.session.layout else (),
                self.session.space if self.name() == self.session.layout else None,
                self.session.shown_faces() if self.name() == self.session.layout else (),
                self.session.face_hidden,
            )
            for item in ITEMS:
                if item.wanted(look_):
                    for _ in item.draw(self.painter, look_):
                        yield
                        if result is not None and item.title:
                            self.smoothing.unseen()
                            yield
            if self._first or (self._fits and self._fits != self._room()):
                self._look_at_all()
            yield
        self.view.renderer.ResetCameraClippingRange()  # what was drawn before may have stood elsewhere
        self.view.setUpdatesEnabled(True)  # which draws it
        self.smoothing.soon()
        if self.partner is not None and self.partner.isVisible():  # one camera: what one sees has changed for both
            self.partner.view.render()

    def clim(self) -> tuple[float, float]:
        """The range of the field in the result shown."""
        return self.painter.limits(self.result(), self.settings.field)

    def _show_scale(self, result, standing) -> tuple[float, float]:
        """Show the scale and the section's place in words; the scale's ends."""
        s = self.settings
        ends = s.range or self.clim()
        worst = next((m for m in standing.margins if m.bound.quantity == "temperature"), None)
        limit = worst.bound.most - 273.15 if worst and s.field == "temperature" else None
        self.scale.show_range(s.field, *ends, limit)
        lines = result.grid.lines[s.axis]
        at = lines[0] + s.place * (lines[-1] - lines[0])
        self.where.setText(f"{'xyz'[s.axis]} {at * 1e3:.1f} mm")
        return ends

    def _say(self, standing, result):
        text = ""
        if standing.problems:
            text = f"{len(standing.problems)} to settle. First: {standing.problems[0]}"
        elif self.session.stage in ("Read", "Weigh") and result is None:
            text = "No result yet. Press Run to solve this layout."
        elif standing.state == "out of date" and result is not None:
            text = "Out of date: the layout was changed since this result. Press Run."
        self.message.setText(text)
        self.message.setVisible(bool(text))
        self.message.setProperty("warn", bool(text))
        self.message.style().polish(self.message)

    def reset_camera(self):
        """The usual look: from front, right and above, the whole model in view."""
        self._look_at_all()
        self.view.render()

    def _look_at_all(self):
        model = self.session.standing(self.name()).model
        if model is None or not model.enclosures:
            return
        b = [
            (min(s.outer[a][0] for s in model.enclosures) * 1e3, max(s.outer[a][1] for s in model.enclosures) * 1e3)
            for a in range(3)
        ]
        centre = [0.5 * sum(x) for x in b]
        size = max(x[1] - x[0] for x in b)
        camera = self.view.camera
        camera.focal_point = centre
        camera.position = [centre[0] - 0.85 * size, centre[1] - 1.7 * size, centre[2] + 1.15 * size]
        camera.up = (0, 0, 1)
        camera.view_angle = 24
        renderer = self.view.renderer
        renderer.reset_camera(bounds=[v for x in b for v in x], render=False)
        reach = []
        for corner in product(*b):  # how far out of the middle the model's corners lie, in halves of the view
            renderer.SetWorldPoint(*corner, 1.0)
            renderer.WorldToView()
            reach += [abs(v) for v in renderer.GetViewPoint()[:2]]
        camera.zoom(0.86 / max(max(reach), 1e-3))
        self._first, self._fits = False, self._room()

    def fly(self, margin):
        """Cut a section through the hottest place of a limit's part."""
        if margin.spot is None:
            return
        result = self.result()
        if result is None:
            return
        axis = self.settings.axis
        lines = result.grid.lines[axis]
        place = (margin.spot[axis] - lines[0]) / (lines[-1] - lines[0])
        self.field_box.setCurrentText("temperature")
        self.chips["section"].setChecked(True)
        self.slider.setValue(round(place * 200))
        self.view.camera.focal_point = [x * 1e3 for x in margin.spot]
        self._fits = None
        self.refresh()

    def _pressed(self, *_):
        self._press_at = self.view.iren.get_event_position()

    def _released(self, *_):
        at = self.view.iren.get_event_position()
        if (
            getattr(self, "_press_at", None) is None
            or max(abs(a - b) for a, b in zip(at, self._press_at, strict=True)) > 3
        ):
            return
        from vtkmodules.vtkRenderingCore import vtkCellPicker

        picker = vtkCellPicker()
        picker.SetTolerance(0.002)
        picker.Pick(at[0], at[1], 0, self.view.renderer)
        actor = picker.GetActor()
        name, triangle = self.painter.name_of(actor), picker.GetCellId()
        if self.session.stage in ("Shape", "Load") and self.name() == self.session.layout:
            name = self._pick_face(at, name, triangle)
        if self.showing_results() and actor is not None:
            self.probe(picker.GetPickPosition())
        self.picked.emit(name)

    def _pick_face(self, at, name: str, triangle: int) -> str:
        """Take the face of an imported solid that was clicked; again at the same place, the one behind it. The solid's
        name."""
        model = self.session.standing(self.name()).model
        forms = {s.name: s.form for s in model.solids if isinstance(s.form, Mesh)} if model else {}
        behind = self._clicks
        if behind and max(abs(a - b) for a, b in zip(at, behind[0], strict=True)) <= 3 and len(behind[1]) > 1:
            order, first = behind[1][1:] + behind[1][:1], behind[2]
        else:
            order = self._along(at, forms) or [(name, triangle)]
            if name in forms and (name, triangle) in order:
                order = order[order.index((name, triangle)) :] + order[: order.index((name, triangle))]
            elif name not in forms:
                order = [(name, triangle)]
            first = order[0]
        self._clicks = at, order, first
        of, number = order[0]
        picked = (of, int(forms[of].faces[number])) if of in forms and 0 <= number < len(forms[of].faces) else None
        self.session.pick_face(picked, order[0] != first)
        return of

    def _along(self, at, forms) -> list[tuple[str, int]]:
        """Solids and their triangles under a place of the view, the nearest first."""
        renderer, ends = self.view.renderer, []
        for depth in (0.0, 1.0):
            renderer.SetDisplayPoint(at[0], at[1], depth)
            renderer.DisplayToWorld()
            point = np.array(renderer.GetWorldPoint())
            ends.append(point[:3] / point[3] * 1e-3)
        found = [(far, name, m) for name, form in forms.items() for far, m in pierced(form, *ends)]
        return [(name, m) for _, name, m in sorted(found)]

    def probe(self, point):
        """Tell the values at a point (mm)."""
        values = self.result().at([x / 1e3 for x in point]) if self.result() else None
        if values:
            speed = float(np.linalg.norm(values["velocity"]))
            self.probed.emit(
                look.minus(
                    f"{values['part']}: {values['temperature'] - 273.15:.1f} °C, {speed:.2f} m/s, "
                    f"{values['pressure']:.2f} Pa "
                    f"at {point[0]:.1f}, {point[1]:.1f}, {point[2]:.1f} mm"
                )
            )

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
        if self.scale.isVisible():
            p.translate(14, h)
            self.scale.render(p)
        p.end()
        return image

    def shut(self):
        """Let go of the 3-D window before the widget dies."""
        self._timer.stop()
        self.smoothing.end()
        self._pieces = None
        self.view.close()
