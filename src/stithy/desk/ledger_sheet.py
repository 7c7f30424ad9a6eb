"""Every cell of one row, as a table: what the ledger shows below its rows."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor

from ..project.kind import KINDS
from . import look
from .ledger_models import SHORT, change
from .session import Session


class SheetModel(QAbstractTableModel):
    """Every cell of the one selected row: heading, text, what it means."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        #: whether there is room for two cells side by side
        self.wide = True
        self.rebuild()

    def rebuild(self):
        """Take the selected row anew."""
        self.beginResetModel()
        rows = {r.name: r for r in self.session.document.rows_of(self.session.layout)}
        self.row = rows.get(self.session.selected[-1]) if self.session.selected else None
        self.cells = list(KINDS[self.row.kind].cells.values()) if self.row else []
        self.pairs = 2 if len(self.cells) > SHORT and self.wide else 1
        self.endResetModel()

    def cell(self, index):
        """The cell at an index, or None where there is none."""
        at = index.row() + (index.column() // 2) * self.rowCount()
        return self.cells[at] if at < len(self.cells) else None

    def index_of(self, key: str) -> QModelIndex:
        """Where a cell's text stands."""
        at = [c.key for c in self.cells].index(key)
        return self.index(at % self.rowCount(), 2 * (at // self.rowCount()) + 1)

    def rowCount(self, parent=QModelIndex()):  # noqa: N802, B008
        return -(-len(self.cells) // self.pairs)

    def columnCount(self, parent=QModelIndex()):  # noqa: N802, B008
        return 2 * self.pairs

    def flags(self, index):
        f = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return f | Qt.ItemFlag.ItemIsEditable if index.column() % 2 and self.cell(index) else f

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):
        c, head = self.cell(index), index.column() % 2 == 0
        if c is None:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return c.title if head else look.cell_text(getattr(self.row, c.key))
        if role == Qt.ItemDataRole.EditRole:
            return getattr(self.row, c.key)
        if role == Qt.ItemDataRole.ForegroundRole and head:
            return QBrush(QColor(look.INK2))
        if role == Qt.ItemDataRole.ToolTipRole:
            return c.what
        return None

    def setData(self, index, value, role=Qt.ItemDataRole.EditRole):  # noqa: N802
        return change(self.session, (self.row.name,), self.cell(index).key, value, self.refused.emit)
