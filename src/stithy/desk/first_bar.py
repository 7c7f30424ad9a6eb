"""The strip over the bench that says, of a model just started from, which cells are to be filled in first."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from ..project.kind import KINDS
from . import look
from .session import Session


class FirstBar(QWidget):
    """A chip for each cell that matters most: a press goes there, and is done with it; the strip hides when all are."""

    def __init__(self, session: Session, edit):
        super().__init__()
        self.session, self._edit = session, edit
        self.setFixedHeight(38)
        self.setStyleSheet("QPushButton { padding: 3px 8px; }")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 8, 2)
        row.setSpacing(4)
        row.addWidget(QLabel("Fill in first"))
        row.addSpacing(6)
        self.chips: dict[tuple[str, str], QPushButton] = {}
        for name, key in session.first:
            found = next((r for r in session.document.rows if r.name == name), None)
            if found is None:
                continue
            title = KINDS[found.kind].cells[key].title
            chip = QPushButton(f"{name}: {title}")
            chip.setToolTip(KINDS[found.kind].cells[key].what)
            chip.clicked.connect(lambda _=False, n=name, k=key: self.go(n, k))
            self.chips[name, key] = chip
            row.addWidget(chip)
        self.done = QPushButton("Done")
        self.done.setToolTip("Leave all as it is; the model can be run as it stands")
        self.done.clicked.connect(lambda: self.hide())
        row.addSpacing(6)
        row.addWidget(self.done)
        row.addStretch(1)
        self._was = {at: self._text(*at) for at in self.chips}
        session.on("document", self.rebuild)
        self.setVisible(bool(self.chips))

    def _text(self, name: str, key: str) -> str:
        row = next((r for r in self.session.document.rows if r.name == name), None)
        return row.text(key) if row is not None else ""

    def rebuild(self) -> None:
        """Mark what has been changed."""
        for at, chip in self.chips.items():
            if self._text(*at) != self._was[at]:
                chip.setStyleSheet(f"color: {look.INK2};")
                chip.setText(f"✓ {at[0]}: {look.cell_text(self._text(*at))}")
        if self.chips and all(self._text(*at) != self._was[at] for at in self.chips):
            self.hide()

    def go(self, name: str, key: str) -> None:
        """Select the row and begin to edit the cell."""
        self.session.select((name,))
        self._edit(key)
