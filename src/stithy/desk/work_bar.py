"""Over the bench while a model is made: measuring, a cut through it, steps that parts snap to, its scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QSizePolicy, QSlider, QVBoxLayout, QWidget

from ..errors import StithyError, ValueProblem
from ..project import units
from ..project.kind import KINDS
from ..read import shown
from . import camera, look
from .measuring import told

if TYPE_CHECKING:
    from .bench import Bench

#: steps of the slider; lengths that parts may snap to
STEPS = 200
SNAPS = ("0.1 mm", "0.5 mm", "1 mm", "2 mm", "5 mm", "10 mm", "nothing")
STAGES = ("Shape", "Load", "Grid")
#: measured lengths that are offered to go into cells
MOST_OFFERED = 3


class WorkBar(QWidget):
    """Chips in Shape, Load and Grid, and below them what was measured."""

    def __init__(self, bench: Bench):
        super().__init__()
        self.bench, self.session = bench, bench.session
        self.setStyleSheet("QPushButton { padding: 3px 8px; }")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.measure = QPushButton("Measure", checkable=True)
        self.measure.setToolTip("Click two places: distance, gap, angle (M). Corners are taken where one is near.")
        self.measure.toggled.connect(self._measuring)
        self.cut = QPushButton("Cut")
        self.cut.setToolTip("Leave out what stands before a plane, to work inside (X, Y, Z; again: the other half)")
        self.cut.setMenu(QMenu(self.cut))
        for words, axis in (("across x", 0), ("across y", 1), ("across z", 2)):
            self.cut.menu().addAction(words, lambda a=axis: self.cut_across(a))
        self.cut.menu().addAction("the other half", self.turn_cut)
        self.cut.menu().addAction("no cut", lambda: self.cut_across(None))
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.slider.setFixedWidth(110)
        self.slider.setAccessibleName("place of the cut")
        self.slider.valueChanged.connect(self._slid)
        self.place = QLabel()
        self.snap = QPushButton()
        self.snap.setToolTip("Steps that parts go in where nothing is near to snap to")
        self.snap.setMenu(QMenu(self.snap))
        for text in SNAPS:
            self.snap.menu().addAction(text, lambda t=text: self.set_snap(t))
        self.scale = QPushButton("Scale", checkable=True)
        self.scale.setToolTip("A coin, a hand or a person beside the model, whichever is of its size")
        self.scale.toggled.connect(self._scaled)
        self.fit = QPushButton("Fit   F")
        self.fit.setToolTip("The whole model in view")
        self.fit.clicked.connect(bench.reset_camera)
        self.said = QLabel(wordWrap=True)
        self.said.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.said.setContentsMargins(12, 0, 8, 2)
        self.take = QPushButton("into a cell")
        self.take.setToolTip("Put what was measured into a cell of the selected row, or of the grid")
        self.take.setMenu(QMenu(self.take))
        self.take.menu().aboutToShow.connect(self._offer)
        row = QHBoxLayout()
        row.setContentsMargins(12, 6, 8, 2)
        row.setSpacing(4)
        for widget in (self.measure, self.cut, self.slider, self.place, self.snap, self.scale):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.fit)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(row)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 8, 0)
        below.addWidget(self.said, 1)
        below.addWidget(self.take)
        whole.addLayout(below)
        self._quiet = False
        kept = QSettings("stithy", "window")
        self.set_snap(str(kept.value("snap", "0.5 mm")))
        self.scale.setChecked(kept.value("scale", "no") == "yes")
        for event in ("stage", "measured", "layout", "document"):
            self.session.on(event, self.rebuild)
        self.rebuild()

    def rebuild(self) -> None:
        """Show what holds."""
        on = self.session.stage in STAGES
        self.setVisible(on)
        if not on:
            self.measure.setChecked(False)
            return
        self.snap.setVisible(self.session.stage == "Shape")
        cut = self.session.cut
        self.slider.setVisible(cut is not None)
        self.place.setVisible(cut is not None)
        self.cut.setText(f"Cut  {'xyz'[cut[0]]}" if cut else "Cut")
        if cut is not None:
            self.place.setText(shown.text(round(cut[1], 7), "length"))
        self.said.setVisible(bool(self.session.measured) or self.measure.isChecked())
        self.take.setVisible(any(m.dimension == "length" for m in self.session.measured))
        waiting = "Click a place on a part, then another." if self.measure.isChecked() else ""
        self.said.setText(look.minus(told(self.session.measured)) or waiting)

    def offers(self) -> list[tuple[str, str, str, str]]:
        """What was measured and where it could go: words, row, cell and text; lengths into cells of the selected row
        that hold one length or none, and of the grid."""
        rows = {r.name: r for r in self.session.document.rows_of(self.session.layout)}
        wanted = [rows[n] for n in self.session.selected if n in rows][:1]
        wanted += [r for r in rows.values() if r.kind == "grid"] if self.session.stage == "Grid" else []
        found = [m for m in self.session.measured if m.dimension == "length"][:MOST_OFFERED]
        out = []
        for row in wanted:
            for key in self._lengths(row):
                title = KINDS[row.kind].cells[key].title
                for m in found:
                    text = shown.text(m.value, "length", 6)
                    out.append((f"{m.what} {text}  into  {row.name}, {title}", row.name, key, text))
        return out

    @staticmethod
    def _lengths(row) -> list[str]:
        """Cells of a row that hold one length, or wish for one."""
        if row.kind in ("grid", "wish"):
            return [k for k in ("coarsest", "at_walls", "longest", "first", "inside") if k in KINDS[row.kind].cells]
        out = []
        for key in KINDS[row.kind].cells:
            try:
                units.to_si(row.text(key), "length")
                out.append(key)
            except ValueProblem:
                continue
        return out

    def _offer(self) -> None:
        """The menu of places for what was measured."""
        menu = self.take.menu()
        assert menu is not None
        menu.clear()
        offers = self.offers()
        for words, *cell in offers:
            menu.addAction(words, lambda c=tuple(cell): self._put(*c))
        if not offers:
            nothing = menu.addAction("Select a row with a length first")
            if nothing is not None:
                nothing.setEnabled(False)

    def _put(self, row: str, key: str, text: str) -> None:
        try:
            self.session.set_cell(row, key, text)
        except StithyError as error:
            self.bench.refused.emit(str(error))

    def _measuring(self, on: bool) -> None:
        self.session.measuring = on
        self.bench.measuring.clear()
        self.bench.refresh()

    def _span(self, axis: int) -> tuple[float, float] | None:
        model = self.session.standing().model
        if model is None or not (model.enclosures or model.solids):
            return None
        return camera.bounds(model)[axis]

    def cut_across(self, axis: int | None) -> None:
        """Cut the model in its middle, the viewer's half left out; None: whole again."""
        span = self._span(axis) if axis is not None else None
        if axis is None or span is None:
            self.session.cut = None
        elif self.session.cut is not None and self.session.cut[0] == axis:
            self.turn_cut()
            return
        else:
            keep = -1.0 if camera.toward(self.bench.view)[axis] > 0 else 1.0
            self.session.cut = axis, 0.5 * (span[0] + span[1]), keep
            self._quiet = True
            self.slider.setValue(STEPS // 2)
            self._quiet = False
        self._changed()

    def turn_cut(self) -> None:
        """Leave out the other half."""
        if self.session.cut is not None:
            axis, at, keep = self.session.cut
            self.session.cut = axis, at, -keep
            self._changed()

    def _slid(self, step: int) -> None:
        cut = self.session.cut
        span = self._span(cut[0]) if cut is not None else None
        if self._quiet or cut is None or span is None:
            return
        self.session.cut = cut[0], span[0] + (span[1] - span[0]) * step / STEPS, cut[2]
        self._changed()

    def _changed(self) -> None:
        self.rebuild()
        self.session.tell("sight")

    def set_snap(self, text: str) -> None:
        """The step that parts go in."""
        try:
            self.session.snap = 0.0 if text == "nothing" else units.to_si(text, "length")
        except ValueProblem:
            return
        self.snap.setText(f"Snap  {text}")
        QSettings("stithy", "window").setValue("snap", text)

    def _scaled(self, on: bool) -> None:
        self.session.scaled = on
        QSettings("stithy", "window").setValue("scale", "yes" if on else "no")
        self.bench.fit_again()
        self.session.tell("sight")
