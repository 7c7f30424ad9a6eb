"""Over the bench in Load: faces by material or by role with a legend of words and counts, and the layers of a board's
copper; what an import came to."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMessageBox, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ..kinds.board import Board
from ..model import roles
from ..project import circuits
from . import look
from .load_items import TONES
from .tables import empty

#: names of a role that its tooltip tells
MOST = 12


class LoadBar(QWidget):
    """Chips for what is drawn, the legend of roles below; a strip about the last import."""

    def __init__(self, bench):
        super().__init__()
        self.bench, self.session = bench, bench.session
        self.setStyleSheet("QPushButton { padding: 3px 8px; }")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.materials, self.roles = QPushButton("Materials", checkable=True), QPushButton("Roles", checkable=True)
        self.roles.setToolTip("What holds on every face: where fluid enters, what meets the outside, what lacks a load")
        self.materials.clicked.connect(lambda: self.show_roles(False))
        self.roles.clicked.connect(lambda: self.show_roles(True))
        self.chips = QHBoxLayout()
        self.chips.setContentsMargins(12, 0, 8, 2)
        self.chips.setSpacing(4)
        self.legend = QLabel(wordWrap=True)
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setContentsMargins(12, 0, 8, 2)
        self.came, self._lines = QLabel(), []
        self.show_ = QPushButton("show")
        self.show_.clicked.connect(self._show_lines)
        shut = QPushButton("×")
        shut.setToolTip("Hide this line")
        shut.clicked.connect(lambda: self.strip.hide())
        self.strip = QWidget()
        self.strip.setStyleSheet(f"QWidget {{ background: {look.SHELF}; }} QPushButton {{ padding: 1px 8px; }}")
        line = QHBoxLayout(self.strip)
        line.setContentsMargins(12, 2, 8, 2)
        self.came.setWordWrap(True)
        line.addWidget(self.came, 1)
        line.addWidget(self.show_)
        line.addWidget(shut)
        self.strip.hide()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(2)
        whole.addWidget(self.strip)
        whole.addLayout(self.chips)
        whole.addWidget(self.legend)
        self._of: object = None
        for event in ("stage", "document", "layout", "selection"):
            self.session.on(event, self.rebuild)
        self.rebuild()

    def tell(self, title: str, told: str, lines: list[str]) -> None:
        """Say what came, with what is to be looked at behind a button."""
        self.came.setText(f"<b>{title}</b> · {told}")
        self._lines = lines
        self.show_.setVisible(bool(lines))
        self.show_.setText(f"show {len(lines)}" if len(lines) > 1 else "show")
        self.strip.show()

    def _show_lines(self) -> None:
        box = QMessageBox(self)
        box.setWindowTitle("What was unsound")
        box.setText("\n".join(self._lines))
        box.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.open()

    def boards(self) -> list[Board]:
        """Boards from files of the shown layout."""
        rows = self.session.document.rows_of(self.session.layout)
        return [r for r in rows if isinstance(r, Board) and r.text("file")]

    def rebuild(self) -> None:
        """Show the chips that the model has."""
        self.setVisible(self.session.stage == "Load")
        if self.session.stage != "Load":
            return
        boards = self.boards()
        kept = self.session.copper
        if kept is not None and kept[0] not in {b.name for b in boards}:
            self.session.copper = None
        now = (self.session.document, self.session.layout, self.session.copper, self.session.roles, boards[:1])
        if now == self._of:
            return
        self._of = now
        for widget in (self.materials, self.roles):
            widget.setParent(None)
        empty(self.chips)
        self.chips.addWidget(self.materials)
        self.chips.addWidget(self.roles)
        self.materials.setChecked(not self.session.roles)
        self.roles.setChecked(self.session.roles)
        home = next((b for b in boards if b.name in self.session.selected), boards[0] if boards else None)
        known = circuits.circuit(home.text("file")) if home is not None else None
        if home is not None and known is not None and known.copper:
            label = QLabel(f"{home.name}")
            label.setProperty("quiet", True)
            self.chips.addSpacing(10)
            self.chips.addWidget(label)
            for m, layer in enumerate(known.copper):
                chip = QPushButton(layer.name, checkable=True)
                chip.setChecked(self.session.copper == (home.name, m))
                chip.setToolTip(
                    f"{1e6 * layer.thickness:.3g} µm, copper on {100 * layer.share:.0f} % of the board, "
                    f"{layer.k:.3g} W/m/K in its plane"
                )
                chip.clicked.connect(lambda on, n=home.name, k=m: self.show_copper((n, k) if on else None))
                self.chips.addWidget(chip)
        self.chips.addStretch(1)
        self.legend.setVisible(self.session.roles)
        if self.session.roles:
            self._tell_roles()

    def _tell_roles(self) -> None:
        model = self.session.standing().model
        found = roles.counted(roles.faces(model)) if model is not None else {}
        words = [
            f'<span style="color: {TONES[r]};">■</span> {"<b>" if r == roles.MISSING else ""}{r}'
            f"{'</b>' if r == roles.MISSING else ''} {len(names)}"
            for r, names in found.items()
        ]
        self.legend.setText("&nbsp;&nbsp; ".join(words))
        told = [f"{r}: {', '.join(n[:MOST])}{' …' if len(n) > MOST else ''}" for r, n in found.items()]
        self.legend.setToolTip("\n".join(told))

    def show_roles(self, on: bool) -> None:
        """Faces by role, or by material."""
        self.session.roles = on
        self.rebuild()
        self.bench.refresh()

    def show_copper(self, which: tuple[str, int] | None) -> None:
        """A layer of a board's copper, or none."""
        self.session.copper = which
        self.rebuild()
        self.bench.refresh()
