"""What the ledger's tables show and how their cells are edited."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QCompleter, QLineEdit, QStyledItemDelegate

from ..errors import StithyError
from ..kinds import arranging
from ..project import edits, library
from ..project.kind import KINDS, with_role
from ..project.references import listed
from ..read import finding
from . import look, sparks
from .ledger_columns import COLUMNS, GROUPED, SPARK, columns_of, groups_of, value_of, watch_told
from .session import Session


def offered(session: Session, row, key: str) -> list[str]:
    """What may stand in a cell, as far as it is a list: its own choices, names of rows it may refer to, entries of its
    library."""
    cell = KINDS[row.kind].cells[key]
    kinds = with_role(*cell.refers)
    rows = [r.name for r in session.document.rows_of(session.layout) if r.kind in kinds and r.name != row.name]
    layouts = [x.name for x in session.document.layouts] if "layout" in cell.refers else []
    return list(dict.fromkeys([*cell.choices, *rows, *layouts, *(LIBRARIES[cell.library]() if cell.library else ())]))


#: cells of a row that still stand in one column
SHORT = 7
#: what dragged rows are called
ROWS = "application/x-stithy-rows"
LIBRARIES = {
    "materials": lambda: list(library.materials()),
    "fluids": library.fluid_names,
    "fans": lambda: list(library.fans()),
    "finishes": lambda: list(library.finishes()),
    "packages": lambda: list(library.packages()),
    "interfaces": lambda: list(library.interfaces()),
    "screens": lambda: list(library.screens()),
    "pumps": lambda: list(library.pumps()),
}


class Heading(str):
    """A heading of rows: how many, whether they are folded away, the ``group`` row it stands for ("": a kind's)."""

    count: int
    folded: bool
    group: str

    def __new__(cls, text: str, count: int, folded: bool, group: str = ""):
        """A text with what is known of its rows."""
        out = super().__new__(cls, text)
        out.count, out.folded, out.group = count, folded, group
        return out


class RowsModel(QAbstractTableModel):
    """Rows of the shown layout under headings, with the columns of the stage."""

    refused = pyqtSignal(str)

    def __init__(self, session: Session):
        super().__init__()
        self.session, self.filter = session, ""
        #: why the filter cannot be read
        self.unread = ""
        self.lines: list = []
        #: headings that are folded away; and the group of each row that is in one
        self.folded: set[str] = set()
        self.group_of: dict[str, str] = {}
        self.rebuild()

    def rebuild(self):
        """Take the rows and columns anew from the session."""
        self.beginResetModel()
        rows = self._found(self.session.document.listed(self.session.layout))
        stage = self.session.stage
        self.columns = COLUMNS[stage]
        self._heads: dict[int, list] = {}
        self.drawn, faults = self.session.picture.drawn()
        self.shown = {x.name: x.on for x in self.drawn if hasattr(x, "on")}
        self.lines, self.group_of = [], {}
        self._last: list | None = None
        seen = set(groups_of(stage))
        if stage in ("Run", "Read", "Weigh"):
            rows = [r for r in rows if r.kind not in ("parameter", "grid")]
        by_name = {r.name: r for r in rows if KINDS[r.kind].group in seen and r.kind != "group"}
        every = self.session.document.listed(self.session.layout)
        for group in (r for r in every if r.kind == "group"):
            members = [by_name.pop(n) for n in listed(group.text("of")) if n in by_name]
            self.group_of |= {r.name: group.name for r in members}
            if members or not self.filter:
                self._put(Heading(group.name, len(members), group.name in self.folded, group.name), members)
        for heading in groups_of(stage):
            group = [r for r in by_name.values() if KINDS[r.kind].group == heading]
            if group:
                self._put(Heading(heading, len(group), heading in self.folded), group)
        plan = self.session.document.layout(self.session.layout)
        self.own = {r.name for r in plan.add} | set(plan.changes)
        self.faults = {}
        for p in (*self.session.problems(), *faults.values()):
            self.faults.setdefault(p.row, p)
        self.tones = {s.name: s.tone for s in getattr(self.session.standing().model, "solids", ())}
        self.extras = None
        self.endResetModel()

    def _found(self, rows) -> list:
        """The rows that the filter lets through; all while it cannot be read."""
        self.unread = ""
        if not self.filter.strip():
            return list(rows)
        summary = self.session.standing().summary or {"parts": {}}
        hottest = {n: p["max"] for n, p in summary["parts"].items()}
        try:
            return finding.found(rows, self.filter, hottest)
        except StithyError as error:
            self.unread = str(error)
            return list(rows)

    def _put(self, heading: Heading, rows: list) -> None:
        """A heading, and its rows unless it is folded."""
        if self.captions and rows:
            columns = columns_of(self.session.stage, KINDS[rows[0].kind].group)
            if columns is not self._last:
                self._heads[len(self.lines)] = columns
            self._last = columns
        self.lines.append(heading)
        self.lines.extend([] if heading.folded else rows)

    @property
    def captions(self) -> bool:
        """Whether groups carry captions of their own, and there is no common head."""
        return any(stage == self.session.stage for stage, _ in GROUPED)

    def heads(self, line: int) -> list:
        """Columns of the group under a heading."""
        return self._heads.get(line, self.columns)

    def column(self, index: QModelIndex):
        """The column at an index: that of the row's group."""
        line = self.lines[index.row()]
        if isinstance(line, str):
            return self.columns[index.column()]
        return columns_of(self.session.stage, KINDS[line.kind].group)[index.column()]

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
                return Qt.AlignmentFlag.AlignVCenter | (
                    Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
                )
        return None

    def flags(self, index):
        row = self.row(index)
        if row is None:
            return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsDropEnabled
        flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled
        return flags | Qt.ItemFlag.ItemIsEditable if self.column(index).key_for(row) else flags

    def supportedDropActions(self):  # noqa: N802
        return Qt.DropAction.MoveAction

    def mimeTypes(self):  # noqa: N802
        return [ROWS]

    def mimeData(self, indexes):  # noqa: N802
        data = QMimeData()
        names = [r.name for i in indexes if i.column() == 0 and (r := self.row(i)) is not None]
        data.setData(ROWS, "\n".join(names).encode())
        return data

    def dropMimeData(self, data, action, row, column, parent):  # noqa: N802
        """Rows dropped between others go there, into the group they stand in; on a group's heading into it."""
        names = bytes(data.data(ROWS)).decode().split("\n")
        onto = self.lines[parent.row()] if parent.isValid() else None
        if isinstance(onto, Heading):
            self.put(names, self._first_below(parent.row() + 1), onto.group)
        else:
            at = row if row >= 0 else len(self.lines)
            above = self.lines[at - 1] if 0 < at <= len(self.lines) else None
            group = above.group if isinstance(above, Heading) else self.group_of.get(getattr(above, "name", ""), "")
            self.put(names, self._first_below(at), group)
        return False  # the view must not take rows away: they are all drawn anew

    def _first_below(self, at: int) -> str:
        return next((x.name for x in self.lines[at:] if not isinstance(x, str)), "")

    def put(self, names: list[str], before: str, group: str) -> None:
        """List rows before another one, in a group or in none."""
        session = self.session
        names = [n for n in names if n]
        before = before if before not in names else ""
        try:
            todo = [edits.reorder(session.layout, names, before)]
            moved = [n for n in names if self.group_of.get(n, "") != group]
            if moved:
                todo.append(arranging.regrouped(session.document, session.layout, moved, group))
            session.do(edits.many(f"move {', '.join(names[:3])}", todo))
        except StithyError as error:
            self.refused.emit(str(error))

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):
        row, column = self.row(index), self.column(index)
        if row is None:
            heads = self._heads.get(index.row())
            line = self.lines[index.row()]
            if role == Qt.ItemDataRole.DisplayRole and index.column() == 0:
                return f"{line}   {line.count}" if line.folded or line.group else str(line)
            if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
                return _fold(line.folded)
            if role == Qt.ItemDataRole.ToolTipRole:
                return "Unfold" if line.folded else "Click: choose them all. The mark folds." if line.group else "Fold"
            if role == Qt.ItemDataRole.DisplayRole and heads:
                return heads[index.column()].title
            if role == Qt.ItemDataRole.TextAlignmentRole and heads and heads[index.column()].right:
                return Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            if role == Qt.ItemDataRole.FontRole:
                return look.font(12, 600 if index.column() == 0 and (self.captions or line.group) else 400)
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
            return Qt.AlignmentFlag.AlignVCenter | (
                Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft
            )
        if role == Qt.ItemDataRole.ForegroundRole and (
            (index.column() == 0 and fault) or (column.show == "margin" and value_of(self.session, row, "margin")[1])
        ):
            return QBrush(QColor(look.EMBER))
        if role == Qt.ItemDataRole.FontRole:
            own = row.name in self.own and index.column() == 0
            return look.font(14, 600 if own else 400)
        if role == Qt.ItemDataRole.DecorationRole and index.column() == 0:
            if row.name in self.shown:
                return _disc(self.shown[row.name], fault)
            seen = self.session.picture.sight.get(row.name, "")
            return _swatch(row, self.tones, fault, seen)
        if role == Qt.ItemDataRole.ToolTipRole:
            if fault:
                return str(fault)
            if row.kind == "watch" and column.show:
                return watch_told(self.session, row)
            key = column.key_for(row)
            own = " Set apart in this layout." if row.name in self.own else ""
            return (KINDS[row.kind].cells[key].what if key and key != "name" else row.kind) + own
        return None

    def setData(self, index, value, role=Qt.ItemDataRole.EditRole):  # noqa: N802
        row = self.row(index)
        key = self.column(index).key_for(row)
        names = (
            self.session.selected
            if row.name in self.session.selected and len(self.session.selected) > 1
            else (row.name,)
        )
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


def _fold(folded: bool) -> QPixmap:
    """A small mark beside a heading: to the right when folded, else down."""
    pix = QPixmap(10, 12)
    pix.fill(Qt.GlobalColor.transparent)
    p = QPainter(pix)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(QColor(look.INK2), 1.3))
    points = [(3, 2), (7, 6), (3, 10)] if folded else [(1, 4), (5, 8), (9, 4)]
    p.drawPolyline([QPointF(*x) for x in points])
    p.end()
    return pix


def _disc(on: bool, fault) -> QPixmap:
    """A disc for a drawn row that is on, a ring for one that is off."""
    pix = QPixmap(12, 12)
    pix.fill(Qt.GlobalColor.transparent)
    p = QPainter(pix)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    colour = QColor(look.EMBER if fault else look.INK if on else look.INK2)
    p.setPen(QPen(colour, 1.4))
    if on:
        p.setBrush(colour)
    p.drawEllipse(2, 2, 8, 8)
    p.end()
    return pix


def _swatch(row, tones, fault, seen: str = "") -> QPixmap:
    pix = QPixmap(12, 12)
    pix.fill(Qt.GlobalColor.transparent)
    p = QPainter(pix)
    roles = KINDS[row.kind].roles
    flow = "flow device" in roles
    colour = look.TEAL if flow else tones.get(row.name, "#D8D3C6")
    if roles & {"parameter", "setting"}:
        colour = look.SHEET
    p.setPen(QPen(QColor(look.EMBER if fault else look.INK), 1.6 if fault else 1))
    if not seen:  # what is hidden is crossed, what is seen through is empty
        p.setBrush(QColor(colour))
    p.drawRect(1, 1, 9, 9)
    if seen == "hidden":
        p.drawLine(1, 1, 10, 10)
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
            names = offered(self.session, row, key)
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
        model = index.model()
        if row is not None and isinstance(model, RowsModel) and model.column(index).show == SPARK:
            values = sparks.course(self.session, row)
            if values is not None:
                sparks.draw(painter, QRectF(option.rect), values, *sparks.limit_of(self.session, row))
        if row is None:
            painter.setPen(QPen(QColor(look.RULE), 1))
            painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())
