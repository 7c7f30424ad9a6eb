"""A slider for the chosen drawn row: the place of a section, the value of an isosurface; what is drawn follows at
once."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSlider, QWidget

from ..errors import StithyError
from ..model import drawn
from ..read import shown
from .session import Session

#: steps of the slider
STEPS = 400


class DragBar(QWidget):
    """Shown in Read while one section across an axis, or one isosurface of a single value, is selected."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.words = QLabel()
        self.words.setFixedWidth(72)
        self.words.setProperty("quiet", True)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, STEPS)
        self.said = QLabel()
        self.said.setFixedWidth(84)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (self.words, self.slider, self.said):
            row.addWidget(widget)
        self.slider.valueChanged.connect(self._moved)
        self.slider.sliderReleased.connect(self._settle)
        self._of: tuple | None = None
        self._quiet = False
        for event in ("selection", "stage", "document", "layout", "results"):
            session.on(event, self.rebuild)
        self.rebuild()

    def rebuild(self) -> None:
        """Take the chosen row's place or value, and its range."""
        self._of = self._found()
        self.setVisible(self._of is not None)
        if self._of is None:
            return
        name, key, dimension, low, high, now = self._of
        self.words.setText("place" if key == "at" and dimension == "length" else "value")
        self.slider.setAccessibleName(f"{self.words.text()} of {name}")
        self._quiet = True
        self.slider.setValue(round(STEPS * (now - low) / max(high - low, 1e-30)))
        self._quiet = False
        self.said.setText(shown.text(now, dimension))

    def _found(self) -> tuple | None:
        session = self.session
        result = session.result() if session.stage == "Read" and len(session.selected) == 1 else None
        if result is None:
            return None
        rows = {x.name: x for x in session.picture.drawn()[0]}
        spec = rows.get(session.selected[0])
        if isinstance(spec, drawn.Section) and spec.axis is not None:
            lines = result.grid.lines[spec.axis]
            low, high = float(lines[0]), float(lines[-1])
            now = result.middle[spec.axis] if spec.place is None else spec.place
            return spec.name, "at", "length", low, high, now
        if isinstance(spec, drawn.Isosurface) and len(spec.values) < 2:
            try:
                values = session.picture.library.values(result, spec.paint.references)
                low, high = values.range(spec.quantity.name)
            except StithyError:
                return None
            now = spec.values[0] if spec.values else 0.5 * (low + high)
            return spec.name, "at", spec.quantity.dimension, low, high, now
        return None

    def _moved(self, step: int) -> None:
        if self._quiet or self._of is None:
            return
        name, key, dimension, low, high, _ = self._of
        value = low + (high - low) * step / STEPS
        self.said.setText(shown.text(value, dimension))
        unit = shown.unit(dimension)
        text = f"{float(shown.convert(value, dimension)):.5g} {unit}".strip()
        self.session.picture.try_out([(name, key, text)])
        if not self.slider.isSliderDown():  # by the keyboard, or a click beside
            self._settle()

    def _settle(self) -> None:
        if self._of is not None and self.session.picture.tried:
            self.session.picture.settle_tried(f"move {self._of[0]}")
