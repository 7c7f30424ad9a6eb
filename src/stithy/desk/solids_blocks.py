"""One list of the panel of solids: a heading with its buttons over a table whose lines can be chosen."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QHeaderView, QMenu, QPushButton, QVBoxLayout, QWidget

from .tables import fill, plain_table

_SMALL = "padding: 1px 8px; font-size: 12px;"


class MenuButton(QPushButton):
    """A button that opens a list of words and hands the chosen one on."""

    def __init__(self, text: str, do: Callable[[str], None]):
        super().__init__(text)
        self.words = QMenu(self)
        self.words.triggered.connect(lambda action: do(action.text()))
        self.setMenu(self.words)

    def fill(self, words: list[str]) -> None:
        """The words of its list."""
        if [a.text() for a in self.words.actions()] != words:
            self.words.clear()
            for word in words:
                self.words.addAction(word)


class Block(QWidget):
    """A table with small buttons under it; :attr:`row` is the chosen line, -1 where none is."""

    chosen = pyqtSignal()

    def __init__(self, title: str, heads: tuple[str, ...]):
        super().__init__()
        self.heads, self._names = (title, *heads), []
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        self.table = plain_table()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.horizontalHeader().setStretchLastSection(False)
        self.table.itemSelectionChanged.connect(self._changed)
        self.table.setAccessibleName(title)
        box.addWidget(self.table, 1)
        self.row_of_buttons = QHBoxLayout()
        self.row_of_buttons.setSpacing(4)
        self.row_of_buttons.addStretch(1)
        box.addLayout(self.row_of_buttons)

    def several(self) -> None:
        """Let several lines be chosen at once."""
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)

    @property
    def rows(self) -> list[int]:
        """All chosen lines."""
        model = self.table.selectionModel()
        found = model.selectedRows() if model else []
        return sorted(i.row() for i in found if i.row() < len(self._names))

    def button(self, text: str, do: Callable[[], None], tip: str) -> QPushButton:
        """A button under the table."""
        out = QPushButton(text)
        out.clicked.connect(lambda _=False: do())
        return self._add(out, tip)

    def menu(self, text: str, do: Callable[[str], None], tip: str) -> MenuButton:
        """A button with a list under the table."""
        return self._add(MenuButton(text, do), tip)

    def _add(self, button, tip: str):
        button.setStyleSheet(_SMALL)
        button.setToolTip(tip)
        button.setEnabled(False)
        self.row_of_buttons.insertWidget(self.row_of_buttons.count() - 1, button)
        return button

    def show_lines(self, lines: list[tuple[tuple, tuple[str, ...]]], empty: str) -> None:
        """Cells and the names of rows of every line; ``empty`` is said where there is none. The chosen line stays."""
        row = self.row
        self._names = [names for _, names in lines]
        self.table.blockSignals(True)
        fill(self.table, self.heads, [c for c, _ in lines] or [(empty, *[""] * (len(self.heads) - 1))], words=3)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setMinimumSectionSize(44)
        self.table.blockSignals(False)
        self.row = row if row < len(lines) else -1

    @property
    def row(self) -> int:
        """The chosen line."""
        rows = self.table.selectionModel().selectedRows() if self.table.selectionModel() else []
        return rows[0].row() if rows and rows[0].row() < len(self._names) else -1

    @row.setter
    def row(self, row: int) -> None:
        self.table.blockSignals(True)
        if row < 0:
            self.table.clearSelection()
        else:
            self.table.selectRow(row)
        self.table.blockSignals(False)

    @property
    def names(self) -> tuple[str, ...]:
        """Names of the rows that the chosen line is about."""
        return self._names[self.row] if self.row >= 0 else ()

    def step(self) -> None:
        """Choose the next line, the first after the last."""
        if self._names:
            self.row = (self.row + 1) % len(self._names)
            self.chosen.emit()

    def _changed(self) -> None:
        if self.row >= 0:
            self.chosen.emit()
