"""How fine the grid is: a slider from quick to exact, with the cells, memory and time that each place would take."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSlider, QWidget

from ..errors import StithyError
from ..kinds.grid import DETAILS
from ..mesh.build import memory, predict
from ..mesh.lines import GridTooLarge
from ..solve import pace
from . import look
from .session import Session

#: places of the slider: what stands in the cell, and the cells across what matters
PLACES = (
    ("quick", DETAILS["quick"]),
    ("3.4", 3.4),
    ("standard", DETAILS["standard"]),
    ("5", 5.0),
    ("fine", DETAILS["fine"]),
    ("7.5", 7.5),
    ("exact", DETAILS["exact"]),
)


class DetailBar(QWidget):
    """Over the bench in Grid; letting the slider go sets the detail of the grid row."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self._known: tuple[str, dict[int, tuple[int, float] | None]] = ("", {})
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, len(PLACES) - 1)
        self.slider.setPageStep(1)
        self.slider.setFixedWidth(190)
        self.slider.setTickPosition(QSlider.TickPosition.TicksBelow)
        self.slider.setAccessibleName("detail of the grid")
        self.slider.setToolTip(
            "How fine the grid is where nothing else is wished; each named step has three times the cells"
        )
        self.slider.valueChanged.connect(self._moved)
        self.told = QLabel()
        self.told.setTextFormat(Qt.TextFormat.RichText)
        self._later = QTimer(self, singleShot=True, interval=250)  # keys and wheel: settle once it rests
        self._later.timeout.connect(self._settle)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 8, 4)
        row.setSpacing(6)
        for widget in (_quiet("Detail"), _quiet("quick"), self.slider, _quiet("exact"), self.told):
            row.addWidget(widget)
        row.addStretch(1)
        self._quietly = False
        for event in ("stage", "document", "layout", "results"):
            session.on(event, self.rebuild)
        self.rebuild()

    def _row(self):
        return next((r for r in self.session.document.rows_of(self.session.layout) if r.kind == "grid"), None)

    def rebuild(self) -> None:
        """Show which detail holds and what it comes to."""
        row, model = self._row(), self.session.standing().model
        self.setVisible(self.session.stage == "Grid" and row is not None)
        if self.isHidden() or row is None or model is None:
            return
        self._quietly = True
        self.slider.setValue(min(range(len(PLACES)), key=lambda m: abs(PLACES[m][1] - model.grid.count)))
        self._quietly = False
        self._tell()

    def foretold(self, place: int) -> tuple[int, float] | None:
        """Cells and bytes that a place of the slider comes to; None where no grid can have so many."""
        model = self.session.standing().model
        assert model is not None
        key = model.key()
        if self._known[0] != key:
            self._known = (key, {})
        if place not in self._known[1]:
            self._known[1][place] = _size(model, PLACES[place][1])
        return self._known[1][place]

    def _tell(self) -> None:
        """What the place of the slider comes to."""
        model, row = self.session.standing().model, self._row()
        if model is None or row is None:
            return
        place = self.slider.value()
        own = PLACES[place][1] != model.grid.count and not self._later.isActive() and not self.slider.isSliderDown()
        size = predict(model)[1:] if own else self.foretold(place)
        name = row.text("detail") if own else PLACES[place][0]
        if size is None or size[1] > memory():
            self.told.setText(f'<span style="color: {look.EMBER};"><b>{name}</b>: more than this machine holds</span>')
            return
        cells, needs = size
        low, high = pace.foretold(model, cells, self.session.folder)
        self.told.setText(
            f"<b>{name}</b>: {cells / 1e3:,.0f} k cells, {needs / 1e9:.1f} GB, {pace.words(low, high)} here".replace(
                ",", " ", 1 if cells >= 1e6 else 0
            )
        )
        said = [k for k in ("coarsest", "across_gaps", "across_solids", "growth", "at_walls") if row.text(k)]
        self.told.setToolTip("What the grid row says itself is kept." if said else "Set by what the model holds.")

    def _moved(self) -> None:
        if not self._quietly:
            self._later.start()
            self._tell()

    def _settle(self) -> None:
        """The cell says what the slider shows; not while it is held."""
        if self.slider.isSliderDown():
            self._later.start()
            return
        row, size = self._row(), self.foretold(self.slider.value())
        name = PLACES[self.slider.value()][0]
        if size is not None and size[1] <= memory():
            try:
                if row is not None and row.text("detail") != name:
                    self.session.set_cell(row.name, "detail", name)
            except StithyError:
                pass
        self.rebuild()


def _quiet(text: str) -> QLabel:
    label = QLabel(text)
    label.setProperty("quiet", True)
    return label


def _size(model, count: float) -> tuple[int, float] | None:
    try:
        return predict(replace(model, grid=replace(model.grid, count=count)))[1:]
    except GridTooLarge:
        return None
