"""The bench: the model in 3-D, results painted on it, a scale, the section's controls."""
from __future__ import annotations

import numpy as np
import pyvista as pv
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QSlider, QVBoxLayout, QWidget
from pyvistaqt import QtInteractor

from ..grid.build import grid_lines
from . import look, scene
from .scale import Scale
from .session import Session

#: samples a pixel when nothing is being solved; during a run there is one, so that drawing stays below a tenth of a second even
#: where the processor does it beside the solver
MULTI_SAMPLES = 4


class Bench(QWidget):
    """One 3-D view of one layout. ``layout_name`` empty means the session's."""

    picked = pyqtSignal(str)
    probed = pyqtSignal(str)

    def __init__(self, session: Session, layout_name: str = "", title: bool = False):
        super().__init__()
        self.setObjectName("bench")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.layout_name, self._stale = session, layout_name, True
        self.view = QtInteractor(self, auto_update=False, multi_samples=MULTI_SAMPLES)
        self.view.set_background(look.PAPER)
        self.view.enable_lightkit()
        self.view.ren_win.SetLineSmoothing(True)
        self.scale = Scale()
        self.message = QLabel(wordWrap=True)
        self.message.setProperty("quiet", True)
        self.heading = QLabel()
        self.heading.setStyleSheet("font-weight: 600; padding: 8px 12px 0 12px;")
        self.heading.setVisible(title)
        self.field, self.axis, self.place = "temperature", 1, 0.5
        self.parts_on = {"section": True, "surfaces": True, "streamlines": False, "vectors": False}
        self.range: tuple[float, float] | None = None
        self._actors: dict[str, str] = {}
        self._first = True
        self._cache: dict = {}
        self._painted: list = []
        self._lay_out()
        if title:  # as tall as the bench beside it, so that one camera shows both at one size
            policy = self.bar.sizePolicy()
            policy.setRetainSizeWhenHidden(True)
            self.bar.setSizePolicy(policy)
        self._pieces = self.partner = None
        self._timer = QTimer(self, singleShot=True, interval=15)
        self._timer.timeout.connect(self._begin)
        self._smooth = QTimer(self, singleShot=True, interval=800)
        self._smooth.timeout.connect(self._draw_smoothly)
        self.view.iren.add_observer("LeftButtonPressEvent", self._pressed)
        self.view.iren.add_observer("LeftButtonReleaseEvent", self._released)

    def _lay_out(self):
        self.bar = QWidget()
        row = QHBoxLayout(self.bar)
        row.setContentsMargins(12, 8, 8, 4)
        row.setSpacing(4)
        self.field_box = QComboBox()
        self.field_box.addItems(["temperature", "speed", "pressure"])
        self.field_box.currentTextChanged.connect(lambda t: self._set(field=t))
        self.axis_box = QComboBox()
        self.axis_box.addItems(["across x", "across y", "across z"])
        self.axis_box.setCurrentIndex(1)
        self.axis_box.currentIndexChanged.connect(lambda a: self._set(axis=a))
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 200)
        self.slider.setValue(100)
        self.slider.setFixedWidth(60)
        self.field_box.setFixedWidth(100)
        self.axis_box.setFixedWidth(74)
        self.bar.setStyleSheet("QPushButton { padding: 4px 8px; } QComboBox { padding: 3px 6px; }")
        self.slider.setAccessibleName("place of the section")
        self.slider.valueChanged.connect(lambda v: self._set(place=v / 200))
        self.where = QLabel()
        self.where.setFixedWidth(58)
        self.chips = {}
        for key, text in (("section", "Section"), ("surfaces", "Surfaces"), ("vectors", "Vectors"), ("streamlines", "Streamlines")):
            chip = QPushButton(text, checkable=True, checked=self.parts_on[key])
            chip.toggled.connect(lambda on, k=key: self._toggle(k, on))
            self.chips[key] = chip
        row.addWidget(self.field_box)
        row.addWidget(self.chips["section"])
        row.addWidget(self.axis_box)
        row.addWidget(self.slider)
        row.addWidget(self.where)
        for key in ("surfaces", "vectors", "streamlines"):
            row.addWidget(self.chips[key])
        row.addStretch(1)
        self.bar.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.heading)
        whole.addWidget(self.bar)
        whole.addWidget(self.view.interactor if hasattr(self.view, "interactor") else self.view, 1)
        foot = QHBoxLayout()
        foot.setContentsMargins(14, 0, 14, 6)
        foot.addWidget(self.scale, 3)
        foot.addWidget(self.message, 2)
        whole.addLayout(foot)

    def _set(self, **values):
        for k, v in values.items():
            setattr(self, k, v)
        self.refresh()

    def _toggle(self, key, on):
        self.parts_on[key] = on
        self.refresh()

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
        live = state.get("snapshot") if self.session.run and state.get("layout") == self.name() else None
        if result is not None and live is not None and live.shape == result.temperature.shape:
            from dataclasses import replace

            return replace(result, temperature=live)
        return result

    def during_run(self, running: bool):
        """Draw plainly while a run is on, smoothly again when its result has been shown."""
        if running:
            self._smooth.stop()
            self.view.ren_win.SetMultiSamples(0)
        elif self.view.ren_win.GetMultiSamples() == 0:
            self._smooth.start()

    def _draw_smoothly(self):
        if self.busy():
            self._smooth.start()
            return
        self.view.ren_win.SetMultiSamples(MULTI_SAMPLES)
        self.view.ren_win.Render()

    def show_snapshot(self):
        """Put the temperatures of a run into the picture, without building the scene anew."""
        result = self.result() if self.showing_results() else None
        if result is None or not self._painted or self.field != "temperature":
            return
        values = result.temperature - 273.15
        for mesh, index in self._painted:
            mesh.cell_data["value"] = values[index]
        self.view.ren_win.Render()

    def busy(self) -> bool:
        """Whether a drawing is still to come or under way."""
        return self._timer.isActive() or self._pieces is not None

    def _begin(self):
        self._pieces = self._scene()
        self.view.setUpdatesEnabled(False)  # the old picture stands until the new one is whole
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
        self._painted = []
        standing = self.session.standing(self.name())
        model, result = standing.model, self.result() if self.showing_results() else None
        self.bar.setVisible(result is not None and self.layout_name == "")
        for key in ("vectors", "streamlines", "surfaces"):  # two benches beside each other leave less room
            self.chips[key].setVisible(self.session.stage != "Weigh")
        self.scale.setVisible(result is not None)
        self.heading.setText(f"{self.name()}" + ("" if standing.state == "current" else f", {standing.state}"))
        self._say(standing, result)
        yield
        self.view.renderer.clear_actors()
        self._actors = {}
        if model is not None:
            yield from self._draw_model(model, result, standing.summary)
            if result is not None:
                yield from self._draw_result(model, result, standing)
            elif self.session.stage == "Grid":
                self._draw_grid(model)
            state = self.session.run_state
            if state.get("place") and state.get("layout") == self.name() and self.session.stage == "Run":
                self._add(scene.cross(state["place"], model), color=look.EMBER, line_width=4.0, pickable=False)
            if self._first:
                self.reset_camera()
            yield
        self.view.setUpdatesEnabled(True)
        self.view.render()
        if self.partner is not None and self.partner.isVisible():  # one camera: what one sees has changed for both
            self.partner.view.render()

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

    def _add(self, mesh, **how):
        return self.view.add_mesh(mesh, render=False, reset_camera=False, **how)

    def _draw_model(self, model, result, summary):
        add = self._add
        painted = result is not None and self.parts_on["surfaces"]
        for space in model.spaces:
            add(scene.box_edges([space.outer]), color=look.INK, line_width=1.4, pickable=False)
            if space.walls and not painted:
                add(scene.floor(space), color="#D8D3C6", lighting=False, pickable=False)
        for m, solid in enumerate(model.solids):
            if m % 8 == 7:
                yield
            chosen = solid.name in self.session.selected
            if not painted:
                mesh = scene.solid_mesh(solid)
                actor = add(mesh, color=look.CHOSEN if chosen else solid.tone, ambient=0.45, diffuse=0.55, specular=0,
                            opacity=self._opacity(solid, model, result is not None and not chosen))
                self._actors[actor.GetAddressAsString("")] = solid.name
            add(scene.solid_edges(solid), color=look.INK,
                line_width=3.2 if chosen else 1.2, pickable=False)
        yield
        for name, shape in zip(model.bore_names, model.bores, strict=True):
            chosen = name in self.session.selected
            if result is None or (chosen and not painted):
                actor = add(scene.form_mesh(shape), color=look.CHOSEN if chosen else look.TEAL, ambient=0.5, diffuse=0.5, specular=0)
                self._actors[actor.GetAddressAsString("")] = name
            add(scene.form_edges(shape), color=look.INK, line_width=3.2 if chosen else 1.4, pickable=False)
        for name, outlines, arrow in scene.end_meshes(model, summary):
            chosen = name in self.session.selected
            for mesh in outlines:
                actor = add(mesh, color=look.INK if chosen else look.TEAL, line_width=4.5 if chosen else 3.0)
                self._actors[actor.GetAddressAsString("")] = name
            if arrow is not None:
                actor = add(arrow, color=look.TEAL, lighting=False)
                self._actors[actor.GetAddressAsString("")] = name

    @staticmethod
    def _opacity(solid, model, faint: bool) -> float:
        """Solids that hold passages are seen through; all are faint beside a result."""
        holds = any(all(p[0] < q[1] and q[0] < p[1] for p, q in zip(solid.bounds, b.box, strict=True)) for b in model.bores)
        return 0.25 if faint else 0.4 if holds else 1.0

    def _draw_grid(self, model):
        grid = grid_lines(model)
        self._add(scene.ruler(model, grid.lines), color=look.INK, line_width=1.0, pickable=False)
        at = grid.lines[1][0] + 0.5 * (grid.lines[1][-1] - grid.lines[1][0])
        at = float(grid.lines[1][np.argmin(np.abs(grid.lines[1] - at))])
        self._add(scene.grid_plane(model, grid.lines, 1, at), color=look.SLATE, line_width=0.8, opacity=0.7, pickable=False)
        z = model.spaces[0].inner[2][0]
        self._add(scene.grid_plane(model, grid.lines, 2, z), color=look.SLATE, line_width=0.6, opacity=0.35, pickable=False)

    def clim(self) -> tuple[float, float]:
        """The range of the field in this result."""
        result = self.result()
        key = (id(result), self.field)
        if self._cache.get("clim", (None,))[0] != key:
            values = scene.field(result, self.field)
            live = result.kind != 2 if self.field == "temperature" else result.kind == 0
            low, high = float(values[live].min()), float(values[live].max())
            if self.field == "temperature":
                low, high = np.floor(low / 5) * 5, np.ceil(high / 5) * 5
            self._cache["clim"] = (key, (low, high if high > low else low + 1))
        return self._cache["clim"][1]

    def _draw_result(self, model, result, standing):
        low, high = self.range or self.clim()
        worst = next((m for m in standing.margins if m.bound.quantity == "temperature"), None)
        limit = worst.bound.most - 273.15 if worst and self.field == "temperature" else None
        self.scale.show_range(self.field, low, high, limit)
        values = scene.field(result, self.field)
        table = pv.LookupTable(values=look.scale_table(self.field), scalar_range=(low, high))
        paint = {"scalars": "value", "cmap": table, "show_scalar_bar": False}
        lines = result.grid.lines
        at = lines[self.axis][0] + self.place * (lines[self.axis][-1] - lines[self.axis][0])
        self.where.setText(f"{'xyz'[self.axis]} {at * 1e3:.1f} mm")
        if self.parts_on["section"]:
            mesh, index = scene.section(result, values, self.axis, at,
                                        self.field == "temperature" and not self.parts_on["surfaces"])
            self._painted.append((mesh, index))
            self._add(mesh, lighting=False, **paint)
        yield
        if self.parts_on["surfaces"]:
            yield from self._draw_surfaces(result, paint, model)
        if self.parts_on["vectors"]:
            mesh = scene.vectors(result, self.axis, at)
            if mesh is not None:
                self._add(mesh, color=look.INK, lighting=False, pickable=False)
        if self.parts_on["streamlines"]:
            yield
            self._draw_streamlines(result, model)

    def _draw_surfaces(self, result, paint, model):
        if self.field != "temperature":
            for solid in model.solids:
                self._add(scene.solid_mesh(solid), color=solid.tone, ambient=0.45, diffuse=0.55, pickable=False)
            return
        values = result.temperature - 273.15
        shells = {s.name for s in model.spaces}
        for i, name in enumerate(result.parts):
            if name in shells or not (result.part == i).any():
                continue
            mesh, index = self._surface(result, values, i)
            self._painted.append((mesh, index))
            actor = self._add(mesh, ambient=0.75, diffuse=0.25, specular=0, **paint)
            self._actors[actor.GetAddressAsString("")] = name
            if i % 4 == 3:
                yield

    def _surface(self, result, values, part):
        key = (result.summary["key"], self.name(), part)
        if key not in self._cache.setdefault("surfaces", {}):
            if len(self._cache["surfaces"]) > 60:
                self._cache["surfaces"].clear()
            self._cache["surfaces"][key] = scene.surface(result, values, part)
        mesh, index = self._cache["surfaces"][key]
        mesh.cell_data["value"] = values[index]
        return mesh, index

    def _draw_streamlines(self, result, model):
        key = (id(result), model.key())
        if self._cache.get("streamlines", (None,))[0] != key:
            self._cache["streamlines"] = (key, scene.streamlines(result, model))
        lines = self._cache["streamlines"][1]
        if lines is not None:
            table = pv.LookupTable(values=look.scale_table("speed"), scalar_range=(0.0, float(lines["speed"].max()) or 1.0))
            self._add(lines, scalars="speed", cmap=table, line_width=1.6, show_scalar_bar=False, lighting=False, pickable=False)

    def reset_camera(self):
        """The usual look: from front, right and above, the whole model in view."""
        model = self.session.standing(self.name()).model
        if model is None or not model.spaces:
            return
        b = [(min(s.outer[a][0] for s in model.spaces) * 1e3, max(s.outer[a][1] for s in model.spaces) * 1e3)
             for a in range(3)]
        centre = [0.5 * sum(x) for x in b]
        size = max(x[1] - x[0] for x in b)
        camera = self.view.camera
        camera.focal_point = centre
        camera.position = [centre[0] - 0.85 * size, centre[1] - 1.7 * size, centre[2] + 1.15 * size]
        camera.up = (0, 0, 1)
        camera.view_angle = 24
        self.view.reset_camera(bounds=[v for x in b for v in x])
        camera.zoom(1.02 * min(1.0, self.view.width() / max(self.view.height(), 1) / 1.3))
        self._first = False
        self.view.render()

    def fly(self, margin):
        """Cut a section through the hottest place of a limit's part."""
        if margin.spot is None:
            return
        result = self.result()
        if result is None:
            return
        lines = result.grid.lines[self.axis]
        place = (margin.spot[self.axis] - lines[0]) / (lines[-1] - lines[0])
        self.field_box.setCurrentText("temperature")
        self.chips["section"].setChecked(True)
        self.slider.setValue(round(place * 200))
        self.view.camera.focal_point = [x * 1e3 for x in margin.spot]
        self.refresh()

    def _pressed(self, *_):
        self._press_at = self.view.iren.get_event_position()

    def _released(self, *_):
        at = self.view.iren.get_event_position()
        if getattr(self, "_press_at", None) is None or max(abs(a - b) for a, b in zip(at, self._press_at, strict=True)) > 3:
            return
        from vtkmodules.vtkRenderingCore import vtkCellPicker

        picker = vtkCellPicker()
        picker.SetTolerance(0.002)
        picker.Pick(at[0], at[1], 0, self.view.renderer)
        actor = picker.GetActor()
        name = self._actors.get(actor.GetAddressAsString(""), "") if actor else ""
        if self.showing_results() and actor is not None:
            self.probe(picker.GetPickPosition())
        self.picked.emit(name)

    def probe(self, point):
        """Tell the values at a point (mm)."""
        values = self.result().at([x / 1e3 for x in point]) if self.result() else None
        if values:
            speed = float(np.linalg.norm(values["velocity"]))
            self.probed.emit(look.minus(
                f"{values['part']}: {values['temperature'] - 273.15:.1f} °C, {speed:.2f} m/s, {values['pressure']:.2f} Pa "
                f"at {point[0]:.1f}, {point[1]:.1f}, {point[2]:.1f} mm"))

    def picture(self) -> QImage:
        """What the bench shows, scale and all."""
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
        self._pieces = None
        self.view.close()
