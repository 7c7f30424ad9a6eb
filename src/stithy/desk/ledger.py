"""The ledger: one table that is the model, and below it every cell of the selected row."""
from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QItemSelectionModel, QModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeySequence, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QCompleter,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QStyledItemDelegate,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ..errors import StithyError
from ..project import cells, edits, library
from ..project.document import ROW_TYPES
from ..shapes import assembly
from . import look
from .ledger_columns import COLUMNS, value_of
from .session import Session


def _own(session, kind: str) -> list[str]:
    """Names of the project's own materials or fluids."""
    return [r.name for r in session.document.rows_of(session.layout) if r.kind == kind]


CHOICES = {
    "sides": lambda s: ["x-", "x+", "y-", "y+", "z-", "z+"], "axes": lambda s: ["x", "y", "z"],
    "ways": lambda s: ["in", "out"], "flows": lambda s: ["laminar", "wall-law", "k-epsilon", "k-omega"],
    "properties": lambda s: ["constant", "varying"], "profiles": lambda s: ["uniform", "developed"],
    "limits": lambda s: ["temperature", "pressure drop"], "materials": lambda s: _own(s, "material") + list(library.materials()),
    "fills": lambda s: ["fluid", *_own(s, "material"), *library.materials()],
    "fluids": lambda s: _own(s, "fluid") + library.fluid_names(), "fans": lambda s: list(library.fans()),
    "enclosures": lambda s: [r.name for r in s.document.rows_of(s.layout) if r.kind == "enclosure"],
}


class RowsModel(QAbstractTableModel):
    """Rows of the shown layout under headings, with the columns of the stage."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session, self.filter = session, ""
        self.lines: list = []
        self.rebuild()

    def rebuild(self):
        """Take the rows and columns anew from the session."""
        self.beginResetModel()
        rows = self.session.document.rows_of(self.session.layout)
        stage = self.session.stage
        self.columns = COLUMNS[stage]
        words = self.filter.lower().split()
        self.lines = []
        for heading in dict.fromkeys(cells.GROUPS.values()):
            group = [r for r in rows if cells.GROUPS[r.kind] == heading
                     and all(w in f"{r.name} {r.kind} {getattr(r, 'material', '')}".lower() for w in words)]
            if stage in ("Run", "Read", "Weigh"):
                group = [r for r in group if r.kind not in ("limit", "parameter", "grid")]
            if group:
                self.lines.append(heading)
                self.lines.extend(group)
        plan = self.session.document.layout(self.session.layout)
        self.own = {r.name for r in plan.add} | set(plan.changes)
        self.faults = {}
        for p in self.session.problems():
            self.faults.setdefault(p.row, p)
        self.tones = {s.name: s.tone for s in getattr(self.session.standing().model, "solids", ())}
        self.extras = None
        self.endResetModel()

    def row(self, index: QModelIndex):
        """The document's row at an index, or None on a heading."""
        line = self.lines[index.row()] if index.isValid() else None
        return None if isinstance(line, str) else line

    def rowCount(self, parent=QModelIndex()):  # noqa: N802, B008 - Qt's names
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent=QModelIndex()):  # noqa: N802, B008
        return len(self.columns)

    def headerData(self, section, orientation, role=Qt.ItemDataRole.DisplayRole):  # noqa: N802
        if orientation == Qt.Orientation.Horizontal:
            if role == Qt.ItemDataRole.DisplayRole:
                return self.columns[section].title
            if role == Qt.ItemDataRole.TextAlignmentRole:
                right = self.columns[section].right
                return Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft)
        return None

    def flags(self, index):
        row = self.row(index)
        if row is None:
            return Qt.ItemFlag.ItemIsEnabled
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return flags | Qt.ItemFlag.ItemIsEditable if self.columns[index.column()].key_for(row) else flags

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):
        row, column = self.row(index), self.columns[index.column()]
        if row is None:
            if role == Qt.ItemDataRole.DisplayRole and index.column() == 0:
                return self.lines[index.row()]
            if role == Qt.ItemDataRole.FontRole:
                return look.font(12)
            if role == Qt.ItemDataRole.ForegroundRole:
                return QBrush(QColor(look.INK2))
            return None
        fault = self.faults.get(row.name)
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            key = column.key_for(row)
            if key:
                text = getattr(row, key)
                return text if role == Qt.ItemDataRole.EditRole else look.cell_text(text)
            return value_of(self.session, row, column.show)[0]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft)
        if role == Qt.ItemDataRole.ForegroundRole and (
                (index.column() == 0 and fault) or (column.show == "margin" and value_of(self.session, row, "margin")[1])):
            return QBrush(QColor(look.EMBER))
        if role == Qt.ItemDataRole.FontRole:
            own = row.name in self.own and index.column() == 0
            return look.font(14, 600 if own else 400)
        if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
            return _swatch(row, self.tones, fault)
        if role == Qt.ItemDataRole.ToolTipRole:
            if fault:
                return str(fault)
            key = column.key_for(row)
            own = " Set apart in this layout." if row.name in self.own else ""
            return (cells.cell(row.kind, key).what if key and key != "name" else row.kind) + own
        return None

    def setData(self, index, value, role=Qt.ItemDataRole.EditRole):  # noqa: N802
        row = self.row(index)
        key = self.columns[index.column()].key_for(row)
        names = self.session.selected if row.name in self.session.selected and len(self.session.selected) > 1 else (row.name,)
        return change(self.session, names, key, value, self.refused.emit)


def change(session: Session, names, key: str, value: str, refuse) -> bool:
    """Set one cell in several rows as one step; what is refused is told and nothing changes."""
    rows = {r.name: r for r in session.document.rows_of(session.layout)}
    fitting = tuple(n for n in names if n in rows and hasattr(rows[n], key))
    try:
        session.set_cells(fitting[:1] if key == "name" else fitting, key, str(value))
        refuse("")
        return True
    except StithyError as error:
        refuse(str(error))
        return False


def _swatch(row, tones, fault) -> QPixmap:
    pix = QPixmap(12, 12)
    pix.fill(Qt.GlobalColor.transparent)
    p = QPainter(pix)
    flow = row.kind in ("opening", "vent", "wall fan", "inside fan", "pump")
    colour = look.TEAL if flow else tones.get(row.name, "#D8D3C6")
    if row.kind in ("limit", "parameter", "surroundings", "grid", "run"):
        colour = look.SHEET
    p.setPen(QPen(QColor(look.EMBER if fault else look.INK), 1.6 if fault else 1))
    p.setBrush(QColor(colour))
    p.drawRect(1, 1, 9, 9)
    p.end()
    return pix


class CellDelegate(QStyledItemDelegate):
    """An editor with the choices of a closed list offered as one types."""

    def __init__(self, session, row_key):
        super().__init__()
        self.session, self.row_key = session, row_key

    def createEditor(self, parent, option, index):  # noqa: N802
        editor = QLineEdit(parent)
        editor.setFrame(False)
        editor.setStyleSheet(f"border: 1px solid {look.INK}; border-radius: 0; padding: 0 5px; background: white;")
        row, key = self.row_key(index)
        if key and key != "name":
            choices = cells.cell(row.kind, key).choices
            names = CHOICES[choices](self.session) if choices else []
            if key in ("of", "to"):
                names = [r.name for r in self.session.document.rows_of(self.session.layout) if r.kind != "limit"]
            if names:
                completer = QCompleter(names, editor)
                completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
                completer.setFilterMode(Qt.MatchFlag.MatchContains)
                completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
                editor.setCompleter(completer)
        return editor

    def paint(self, painter, option, index):
        """Headings get a heavier rule below."""
        super().paint(painter, option, index)
        row, _ = self.row_key(index)
        if row is None:
            painter.setPen(QPen(QColor(look.RULE), 1))
            painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())


class SheetModel(QAbstractTableModel):
    """Every cell of the one selected row: heading, text, what it means."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.rebuild()

    def rebuild(self):
        """Take the selected row anew."""
        self.beginResetModel()
        rows = {r.name: r for r in self.session.document.rows_of(self.session.layout)}
        self.row = rows.get(self.session.selected[-1]) if self.session.selected else None
        self.cells = cells.CELLS[self.row.kind] if self.row else ()
        self.endResetModel()

    def rowCount(self, parent=QModelIndex()):  # noqa: N802, B008
        return len(self.cells)

    def columnCount(self, parent=QModelIndex()):  # noqa: N802, B008
        return 2

    def flags(self, index):
        f = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return f | Qt.ItemFlag.ItemIsEditable if index.column() == 1 else f

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):
        c = self.cells[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return c.title if index.column() == 0 else look.cell_text(getattr(self.row, c.key))
        if role == Qt.ItemDataRole.EditRole:
            return getattr(self.row, c.key)
        if role == Qt.ItemDataRole.ForegroundRole and index.column() == 0:
            return QBrush(QColor(look.INK2))
        if role == Qt.ItemDataRole.ToolTipRole:
            return c.what
        return None

    def setData(self, index, value, role=Qt.ItemDataRole.EditRole):  # noqa: N802
        return change(self.session, (self.row.name,), self.cells[index.row()].key, value, self.refused.emit)


class Ledger(QWidget):
    """Filter box, table, the selected row's sheet, and what was refused."""

    def __init__(self, session: Session):
        super().__init__()
        self.session, self._quiet = session, False
        self.model, self.sheet_model = RowsModel(session), SheetModel(session)
        self.filter = QLineEdit(placeholderText="Filter by name, kind or material")
        self.filter.textChanged.connect(self._filtered)
        self.table = _table(self.model)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setItemDelegate(CellDelegate(session, self._row_key))
        self.table.selectionModel().selectionChanged.connect(self._chosen)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(lambda at: self.row_menu().exec(self.table.viewport().mapToGlobal(at)))
        self.sheet = _table(self.sheet_model)
        self.sheet.horizontalHeader().hide()
        self.sheet.setItemDelegate(CellDelegate(session, self._sheet_key))
        self.title = QLabel()
        self.title.setStyleSheet("font-weight: 600;")
        self.note = QLabel(wordWrap=True)
        self.note.setProperty("warn", True)
        self.hint = QLabel(wordWrap=True)
        self.hint.setProperty("quiet", True)
        self.only = QCheckBox("change this layout only")
        self.only.setToolTip("Off: a change counts for all layouts that do not set the cell apart.")
        self.only.toggled.connect(self._set_only)
        self.add = QPushButton("Add")
        self.add.setMenu(self._add_menu())
        self._lay_out()
        self.model.refused.connect(self.refuse)
        self.sheet_model.refused.connect(self.refuse)
        for event in ("document", "stage", "layout", "results"):
            session.on(event, self.rebuild)
        session.on("selection", self._show_selection)
        self.rebuild()

    def _lay_out(self):
        top = QHBoxLayout()
        top.addWidget(self.filter, 1)
        top.addWidget(self.add)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(self.only)
        below = QWidget()
        box = QVBoxLayout(below)
        box.setContentsMargins(12, 6, 12, 6)
        box.setSpacing(4)
        for item in (head, self.note, self.hint):
            box.addLayout(item) if isinstance(item, QHBoxLayout) else box.addWidget(item)
        box.addWidget(self.sheet, 1)
        self.below = below
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 8, 0, 0)
        whole.setSpacing(4)
        top.setContentsMargins(10, 0, 10, 0)
        whole.addLayout(top)
        whole.addWidget(self.table, 1)
        line = QWidget()
        line.setFixedHeight(1)
        line.setStyleSheet(f"background: {look.RULE};")
        whole.addWidget(line)
        whole.addWidget(below)

    def _add_menu(self) -> QMenu:
        menu = QMenu(self)
        for kind in ROW_TYPES:
            if kind not in ("surroundings", "grid", "run"):
                menu.addAction(kind[0].upper() + kind[1:], lambda k=kind: self.add_row(k))
        return menu

    def row_menu(self) -> QMenu:
        """What can be done with the selected rows."""
        menu = QMenu(self)
        menu.addAction("Duplicate", QKeySequence("Ctrl+D"), self.duplicate)
        menu.addAction("Copy rows", QKeySequence.StandardKey.Copy, self.copy)
        menu.addAction("Paste", QKeySequence.StandardKey.Paste, self.paste)
        swap = menu.addMenu("Replace in this layout by")
        row = self._current()
        for kind in ("plate-fin sink", "pin-fin sink", "block", "component", "board", "vent", "opening", "wall fan"):
            if row is not None and kind != row.kind:
                swap.addAction(kind, lambda k=kind: self._try(edits.replace_row(self.session.layout, row.name, k)))
        menu.addSeparator()
        menu.addAction("Leave out of this layout", lambda: self.delete(True))
        menu.addAction("Delete from all layouts", QKeySequence.StandardKey.Delete, self.delete)
        return menu

    def _current(self):
        names = self.session.selected
        return next((r for r in self.session.document.rows_of(self.session.layout) if names and r.name == names[-1]), None)

    def _row_key(self, index):
        row = self.model.row(index)
        return row, self.model.columns[index.column()].key_for(row) if row else None

    def _sheet_key(self, index):
        return self.sheet_model.row, self.sheet_model.cells[index.row()].key

    def _set_only(self, on):
        self.session.only_here = on

    def _filtered(self, text):
        self.model.filter = text
        self.rebuild()

    def rebuild(self):
        """Show the session's rows anew, keeping selection and scroll place."""
        place = self.table.verticalScrollBar().value()
        self._quiet = True
        self.table.clearSpans()
        self.model.rebuild()
        for i, line in enumerate(self.model.lines):
            self.table.setRowHeight(i, 26)
            if isinstance(line, str):
                self.table.setSpan(i, 0, 1, len(self.model.columns))
        for c, column in enumerate(self.model.columns):
            self.table.setColumnWidth(c, column.width)
        self._quiet = False
        self._show_selection()
        self.table.verticalScrollBar().setValue(place)

    def _show_selection(self):
        self._quiet = True
        selection = self.table.selectionModel()
        selection.clearSelection()
        for i, line in enumerate(self.model.lines):
            if not isinstance(line, str) and line.name in self.session.selected:
                selection.select(self.model.index(i, 0), QItemSelectionModel.SelectionFlag.Select
                                 | QItemSelectionModel.SelectionFlag.Rows)
                if line.name == self.session.selected[-1]:
                    self.table.scrollTo(self.model.index(i, 0))
        self._quiet = False
        self.sheet_model.rebuild()
        row = self.sheet_model.row
        self.title.setText(f"{row.name}" if row else "No row selected")
        self.hint.setVisible(row is None)
        self.hint.setText("Select a row here or a part on the bench to see and change all its cells. "
                          "Several rows selected: a change goes to all of them.")
        self.sheet.setVisible(row is not None)
        self.only.setVisible(row is not None)
        self.below.setFixedHeight(216 if row else 84)
        for i in range(self.sheet_model.rowCount()):
            self.sheet.setRowHeight(i, 24)
        self.sheet.setColumnWidth(0, 110)
        self.sheet.setColumnWidth(1, 262)
        fault = self.model.faults.get(row.name) if row else None
        self.refuse(str(fault) if fault else "")

    def _chosen(self, *_):
        if self._quiet:
            return
        names = [self.model.row(i).name for i in self.table.selectionModel().selectedRows(0) if self.model.row(i)]
        current = self.model.row(self.table.currentIndex())
        if current is not None and current.name in names:
            names.append(names.pop(names.index(current.name)))
        self.session.select(tuple(names))

    def refuse(self, text: str):
        """Show why something was refused, or clear it."""
        self.note.setText(look.minus(text))
        self.note.setVisible(bool(text))

    def _try(self, edit) -> bool:
        try:
            self.session.do(edit)
            self.refuse("")
            return True
        except StithyError as error:
            self.refuse(str(error))
            return False

    def add_row(self, kind: str):
        """Add a row of a kind with sensible cells, and select it."""
        doc = self.session.document
        name = edits.free_name(doc, kind[0].upper() + kind[1:] if kind != "parameter" else "value")
        update = assembly.place_for(doc, self.session.layout, kind)
        if self._try(edits.add_row(self.session.layout, ROW_TYPES[kind](name=name, **update), self.session.only_here)):
            self.session.select((name,))

    def duplicate(self):
        """Copy the selected rows."""
        names = self.session.selected
        if names:
            self._try(edits.many(f"duplicate {', '.join(names)}", [
                edits.duplicate_row(self.session.layout, n, self.session.only_here) for n in names]))

    def delete(self, only_here: bool | None = None):
        """Delete the selected rows, or leave them out of this layout."""
        here = self.session.only_here if only_here is None else only_here
        names = self.session.selected
        if names:
            self._try(edits.many(f"delete {', '.join(names)}", [
                edits.delete_row(self.session.layout, n, here) for n in names]))

    def copy(self):
        """Put the selected rows on the clipboard as lines of tab-separated cells."""
        rows = [r for r in self.session.document.rows_of(self.session.layout) if r.name in self.session.selected]
        lines = ["\t".join([r.kind, r.name, *(f"{c.key}={getattr(r, c.key)}" for c in cells.CELLS[r.kind])]) for r in rows]
        QApplication.clipboard().setText("\n".join(lines))

    def paste(self):
        """Rows copied here become new rows; other text goes into the current column, one line a row, downwards."""
        lines = [x for x in QApplication.clipboard().text().splitlines() if x.strip()]
        if lines and lines[0].split("\t")[0] in ROW_TYPES:
            self._paste_rows(lines)
            return
        index = self.table.currentIndex()
        at, sets = index.row(), []
        for line in lines:
            while at < len(self.model.lines) and isinstance(self.model.lines[at], str):
                at += 1
            for c, text in enumerate(line.split("\t")):
                if at < len(self.model.lines) and index.column() + c < len(self.model.columns):
                    row = self.model.lines[at]
                    key = self.model.columns[index.column() + c].key_for(row)
                    if key:
                        sets.append(edits.set_cell(self.session.layout, row.name, key, text, self.session.only_here))
            at += 1
        if sets:
            self._try(edits.many(f"paste {len(sets)} cells", sets))

    def _paste_rows(self, lines):
        adds, taken = [], set()
        for line in lines:
            kind, name, *rest = line.split("\t")
            new = edits.free_name(self.session.document, name)
            while new in taken:
                new += " copy"
            taken.add(new)
            known = dict(part.partition("=")[::2] for part in rest)
            fields = {k: v for k, v in known.items() if k in ROW_TYPES[kind].model_fields}
            adds.append(edits.add_row(self.session.layout, ROW_TYPES[kind](name=new, **fields), self.session.only_here))
        if self._try(edits.many(f"paste {len(adds)} rows", adds)):
            self.session.select(tuple(taken))


def _table(model) -> QTableView:
    table = QTableView()
    table.setModel(model)
    table.setShowGrid(False)
    table.verticalHeader().hide()
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
    table.horizontalHeader().setHighlightSections(False)
    table.horizontalHeader().setStretchLastSection(True)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
                          | QAbstractItemView.EditTrigger.AnyKeyPressed)
    table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    table.setWordWrap(False)
    return table

