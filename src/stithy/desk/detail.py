"""How fine the grid is, in three steps, each with the cells it would have."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from ..errors import StithyError
from ..kinds.grid import DETAILS
from ..mesh.build import predict
from ..mesh.lines import GridTooLarge
from .session import Session


class DetailBar(QWidget):
    """Three buttons over the bench in Grid; pressing one sets the detail of the grid row."""

    def __init__(self, session: Session):
        super().__init__()
        self.session, self._known = session, ("", {})
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 8, 8, 4)
        row.setSpacing(4)
        label = QLabel("Detail")
        label.setProperty("quiet", True)
        row.addWidget(label)
        row.addSpacing(4)
        self.buttons = {}
        for name in DETAILS:
            button = QPushButton(name, checkable=True)
            button.clicked.connect(lambda _, n=name: self._choose(n))
            self.buttons[name] = button
            row.addWidget(button)
        self.note = QLabel()
        self.note.setProperty("quiet", True)
        row.addSpacing(8)
        row.addWidget(self.note)
        row.addStretch(1)
        self.setStyleSheet("QPushButton { padding: 4px 8px; }")
        for event in ("stage", "document", "layout"):
            session.on(event, self.rebuild)
        self.rebuild()

    def _row(self):
        return next((r for r in self.session.document.rows_of(self.session.layout) if r.kind == "grid"), None)

    def rebuild(self) -> None:
        """Show which detail holds and what each would come to."""
        row, model = self._row(), self.session.standing().model
        self.setVisible(self.session.stage == "Grid" and row is not None)
        if self.isHidden() or row is None:
            return
        cells = self._cells(model)
        for name, button in self.buttons.items():
            button.setChecked(row.detail.strip() == name)
            count = cells.get(name)
            button.setText(name if count is None else f"{name}  {count / 1e3:.3g} k")
            button.setToolTip(f"{name}: {count:,} cells".replace(",", " ") if count else name)
        said = [
            k for k in ("coarsest", "across_gaps", "across_solids", "growth", "at_walls") if getattr(row, k).strip()
        ]
        self.note.setText(
            "cells; what the grid row says itself is kept" if said else "cells, set by what the model holds"
        )

    def _cells(self, model) -> dict[str, int | None]:
        if model is None:
            return {}
        key = model.key()
        if self._known[0] != key:
            self._known = (key, {name: _count(model, count) for name, count in DETAILS.items()})
        return self._known[1]

    def _choose(self, name: str) -> None:
        row = self._row()
        try:
            if row is not None and row.detail.strip() != name:
                self.session.set_cell(row.name, "detail", name)
        except StithyError:
            pass
        self.rebuild()


def _count(model, count: float) -> int | None:
    try:
        return predict(replace(model, grid=replace(model.grid, count=count)))[1]
    except GridTooLarge:
        return None
