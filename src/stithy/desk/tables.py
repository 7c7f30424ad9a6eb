"""Filling the plain tables of the shelf, and emptying what is built anew."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem

from . import look


def empty(layout) -> None:
    """Take every widget out of a layout; hidden at once, because deletion waits for the event loop."""
    while layout.count():
        widget = layout.takeAt(0).widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()


def plain_table() -> QTableWidget:
    """A table to read, without grid or row numbers."""
    table = QTableWidget()
    table.verticalHeader().hide()
    table.setShowGrid(False)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    return table


def fill(table: QTableWidget, heads, rows, words: int = 1, height: int = 22) -> None:
    """Heads and rows; each cell is a text, or (text, whether it warns). The first ``words`` columns stand left."""
    table.clear()
    table.setColumnCount(len(heads))
    table.setRowCount(len(rows))
    for c, text in enumerate(heads):
        table.setHorizontalHeaderItem(c, _item(text, c < words))
    for r, line in enumerate(rows):
        table.setRowHeight(r, height)
        for c, cell in enumerate(line):
            text, warns = cell if isinstance(cell, tuple) else (cell, False)
            item = _item(look.minus(text), c < words)
            if warns:
                item.setForeground(QBrush(QColor(look.EMBER)))
                item.setFont(look.font(14, 600))
            table.setItem(r, c, item)


def _item(text: str, left: bool) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    side = Qt.AlignmentFlag.AlignLeft if left else Qt.AlignmentFlag.AlignRight
    item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter | side)
    return item
