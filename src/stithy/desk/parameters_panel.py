"""Named values as sliders, in Shape: pulled, let go, and everything that goes by them follows."""

from __future__ import annotations

import re

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QScrollArea, QSlider, QVBoxLayout, QWidget

from ..errors import StithyError
from . import look
from .page import Page
from .session import Session

#: steps of a slider, which goes from half to twice the value it stood at when it was shown
STEPS = 200
_NUMBER = re.compile(r"^\s*([-+]?\d+\.?\d*(?:[eE][-+]?\d+)?)(.*)$")


class ParametersPanel(Page):
    """A slider for each parameter that is a plain number, with what uses it beside."""

    stage = "Shape"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.sliders: dict[str, QSlider] = {}
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(14)
        self.grid.setColumnStretch(3, 1)
        inner = QWidget()
        box = QVBoxLayout(inner)
        box.setContentsMargins(12, 6, 12, 6)
        box.addWidget(self.said)
        box.addLayout(self.grid)
        box.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        area.setWidget(inner)
        inner.setStyleSheet(f"background: {look.SHELF};")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area)
        self._shown: tuple | None = None
        for event in ("document", "layout", "stage"):
            session.on(event, self.rebuild)

    def _plain(self) -> dict[str, tuple[float, str]]:
        """Number and unit of every parameter that is a plain number."""
        found = {}
        for row in self.session.document.rows_of(self.session.layout):
            match = _NUMBER.match(row.text("value")) if row.kind == "parameter" else None
            if match:
                found[row.name] = float(match[1]), match[2].strip()
        return found

    def rebuild(self) -> None:
        """Take the parameters anew; sliders stay while only their values change."""
        if not self.seen():
            return
        plain = self._plain()
        if not plain:
            self.said.setText("No named values yet. Add, Parameter; then write its name in any cell: = 2*gap.")
        else:
            self.said.setText("Pull a value: all cells that go by it follow when it is let go.")
        now = self.session.layout, tuple(plain)
        if now != self._shown:
            self._shown = now
            self._lay(plain)
        for name, (value, unit) in plain.items():
            self._label(name, value, unit)

    def _lay(self, plain: dict[str, tuple[float, str]]) -> None:
        while self.grid.count():
            item = self.grid.takeAt(0)
            if item is not None and item.widget() is not None:
                item.widget().deleteLater()
        self.sliders, self.labels = {}, {}
        for m, (name, (value, unit)) in enumerate(plain.items()):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(0, STEPS)
            slider.setFixedWidth(240)
            slider.setAccessibleName(f"value of {name}")
            slider.setValue(STEPS // 3)
            at = dict(zip("nvu", (name, value, unit), strict=True))
            slider.valueChanged.connect(lambda x, a=at: self._label(a["n"], _on(a["v"], x), a["u"]))
            slider.sliderReleased.connect(lambda a=at, s=slider: self._set(a["n"], _on(a["v"], s.value()), a["u"]))
            label = QLabel()
            label.setFixedWidth(110)
            used = [
                r.name
                for r in self.session.document.rows
                if any(
                    re.search(rf"\b{re.escape(name)}\b", r.text(k)) for k in type(r).model_fields if "=" in r.text(k)
                )
            ]
            users = QLabel(
                ", ".join(used[:5]) + (" ..." if len(used) > 5 else "") if used else "nothing goes by it yet"
            )
            users.setProperty("quiet", True)
            for column, widget in enumerate((QLabel(name), slider, label, users)):
                self.grid.addWidget(widget, m, column)
            self.sliders[name], self.labels[name] = slider, label

    def _label(self, name: str, value: float, unit: str) -> None:
        if name in self.labels:
            self.labels[name].setText(look.cell_text(f"{value:.4g} {unit}".rstrip()))

    def _set(self, name: str, value: float, unit: str) -> None:
        """Make what a slider says the document's, as one step."""
        try:
            self.session.set_cell(name, "value", f"{value:.4g} {unit}".rstrip())
        except StithyError as error:
            self.said.setText(str(error).splitlines()[0])


def _on(value: float, step: int) -> float:
    """The value at a slider's step: from half to twice what it was."""
    return value * (0.5 + 1.5 * step / STEPS)
