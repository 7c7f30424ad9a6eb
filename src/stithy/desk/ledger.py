"""The ledger: one table that is the model, and below it every cell of the selected row."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QItemSelectionModel, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ..errors import StithyError
from ..kinds import assembly
from ..project import edits
from ..project.kind import GROUPS, KINDS
from ..project.references import listed, referring
from . import clipboard, look
from .add_panel import AddPanel
from .drag_bar import DragBar
from .ledger_columns import columns_of, spacing_of
from .ledger_models import CellDelegate, Heading, RowsModel
from .ledger_sheet import SheetModel
from .row_menu import RowMenu
from .session import Session

#: groups that Add offers, where a stage has few of its own
ADDED = {
    "Shape": tuple(g for g in GROUPS if g not in ("Drawn", "Watches", "Views", "Grid wishes", "Events", "Studies")),
    "Load": (
        "Components",
        "Openings and fans",
        "Faces",
        "Contacts",
        "Wall patches",
        "Watches",
        "Materials",
        "Parameters",
    ),
    "Grid": ("Grid wishes", "Parameters"),
    "Run": ("Watches", "Events"),
    "Read": ("Drawn", "Watches"),
    "Weigh": ("Studies", "Watches", "Parameters"),
}


#: pixels from which a row's cells stand in two columns
WIDE = 400


class Ledger(QWidget):
    """Filter box, table, the selected row's sheet, and what was refused."""

    def __init__(self, session: Session):
        super().__init__()
        self.session, self._quiet = session, False
        self.model, self.sheet_model = RowsModel(session), SheetModel(session)
        self.rows_menu = RowMenu(self)
        self.filter = QLineEdit(placeholderText="Filter: copper, fan, > 80 degC, heat load > 2 W")
        self.filter.textChanged.connect(self._filtered)
        self.table = _table(self.model)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.table.setItemDelegate(CellDelegate(session, self._row_key))
        self.table.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.table.setDragDropOverwriteMode(False)
        self.table.selectionModel().selectionChanged.connect(self._chosen)
        self._pressed = 0
        self.table.viewport().installEventFilter(self)
        self.table.clicked.connect(self._clicked)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(
            lambda at: self.row_menu().exec(self.table.viewport().mapToGlobal(at))
        )
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
        self.add.setToolTip("What belongs in this stage (Ctrl+Shift+A)")
        self.add.clicked.connect(self.offer)
        self._lay_out()
        self.model.refused.connect(self.refuse)
        self.sheet_model.refused.connect(self.refuse)
        for event in ("document", "stage", "layout", "results", "sight"):
            session.on(event, self.rebuild)
        session.on("selection", self._show_selection)
        self.rebuild()

    def resizeEvent(self, event):  # noqa: N802
        """A row's cells stand in one column or in two, by the room there is."""
        super().resizeEvent(event)
        if self.sheet_model.wide != (self.width() >= WIDE):
            self._show_selection()

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
        self.drag = DragBar(self.session)
        for item in (head, self.note, self.hint, self.drag):
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

    def offered(self) -> dict[str, list[str]]:
        """Kinds that can be added in this stage, by group."""
        kinds = {}
        for group in ADDED.get(self.session.stage, GROUPS):
            found = [k for k in KINDS if KINDS[k].group == group and not KINDS[k].roles & {"setting", "imported"}]
            if found and group != "Groups":
                kinds[group] = found
        return kinds

    def offer(self) -> None:
        """Show what can be added in this stage."""
        self.adding = AddPanel(self, self.offered())
        self.adding.chosen.connect(self.add_row)
        self.adding.open_beside(self.add)

    def row_menu(self) -> QMenu:
        """What can be done with the selected rows."""
        return self.rows_menu.build()

    def current(self):
        """The row chosen last."""
        names = self.session.selected
        return next(
            (r for r in self.session.document.rows_of(self.session.layout) if names and r.name == names[-1]), None
        )

    def _row_key(self, index):
        row = self.model.row(index)
        return row, self.model.column(index).key_for(row) if row else None

    def edit_cell(self, key: str) -> None:
        """Begin to edit a cell of the selected row in the sheet."""
        if self.sheet_model.row is not None and any(c.key == key for c in self.sheet_model.cells):
            index = self.sheet_model.index_of(key)
            self.sheet.scrollTo(index)
            self.sheet.setCurrentIndex(index)
            self.sheet.edit(index)

    def _sheet_key(self, index):
        cell = self.sheet_model.cell(index)
        return self.sheet_model.row, cell.key if cell else None

    def _clicked(self, index) -> None:
        """A click on its disc turns a drawn row on or off."""
        row, line = self.model.row(index), self.model.lines[index.row()]
        at = self._pressed - self.table.visualRect(index).x()
        if row is None:
            self.press_heading(line, at)
        if row is not None and index.column() == 0 and at < 24:
            self.switch((row.name,))

    def press_heading(self, line: Heading, at: int = 0) -> None:
        """Fold what stands under a heading, or unfold it; beside a group's mark: choose all that are in it."""
        if line.group and at > 20:
            rows = {r.name: r for r in self.session.document.rows_of(self.session.layout)}
            inside = [n for n in listed(rows[line.group].text("of")) if n in rows]
            self.session.select((*inside, line.group))
            return
        self.model.folded ^= {str(line)}
        self.rebuild()

    def move_rows(self, step: int) -> None:
        """Take the selected rows one line up (-1) or down (1) within what is listed."""
        lines = [x for x in self.model.lines if not isinstance(x, str)]
        names = [x.name for x in lines]
        mine = [n for n in names if n in self.session.selected]
        if not mine:
            return
        at = names.index(mine[0]) - 1 if step < 0 else names.index(mine[-1]) + 2
        if 0 <= at <= len(names):
            before = names[at] if at < len(names) else ""
            self.try_(edits.reorder(self.session.layout, mine, before))

    def switch(self, names: tuple[str, ...]) -> None:
        """Turn drawn rows on or off."""
        shown = self.model.shown
        cells = [(n, "shown", "off" if shown[n] else "on") for n in names if n in shown]
        if cells:
            self.session.change(cells, f"show {', '.join(n for n, _, _ in cells)}")

    def eventFilter(self, watched, event):  # noqa: N802
        if event.type() == QEvent.Type.MouseButtonPress:
            self._pressed = int(event.position().x())
        return super().eventFilter(watched, event)

    def _set_only(self, on):
        self.session.only_here = on

    def _filtered(self, text):
        self.model.filter = text
        self.rebuild()
        self.refuse(self.model.unread)

    def rebuild(self):
        """Show the session's rows anew, keeping selection and scroll place."""
        place = self.table.verticalScrollBar().value()
        self._quiet = True
        self.table.clearSpans()
        self.model.rebuild()
        for i, line in enumerate(self.model.lines):
            self.table.setRowHeight(i, 26)
            if isinstance(line, str) and not self.model.captions:
                self.table.setSpan(i, 0, 1, len(self.model.columns))
            self._span(i, line)
        last = len(self.model.columns) - 1
        self.table.setColumnWidth(last, 56)  # and what is left
        for c, column in enumerate(self.model.columns[:last]):
            self.table.setColumnWidth(c, column.width)
        self.table.horizontalHeader().setVisible(not self.model.captions)
        self._quiet = False
        self._show_selection()
        self.table.verticalScrollBar().setValue(place)

    def _span(self, i: int, line) -> None:
        """A column without a title gives its room to the next one's text."""
        if not self.model.captions:
            return
        columns = (
            self.model.heads(i) if isinstance(line, str) else columns_of(self.session.stage, KINDS[line.kind].group)
        )
        for c in range(1, len(columns) - 1):
            if columns[c].title and not columns[c + 1].title:
                self.table.setSpan(i, c, 1, 2)

    def _show_selection(self):
        self._quiet = True
        selection = self.table.selectionModel()
        selection.clearSelection()
        for i, line in enumerate(self.model.lines):
            if not isinstance(line, str) and line.name in self.session.selected:
                selection.select(
                    self.model.index(i, 0),
                    QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows,
                )
                if line.name == self.session.selected[-1]:
                    self.table.scrollTo(self.model.index(i, 0))
        self._quiet = False
        self.sheet_model.wide = self.width() >= WIDE
        self.sheet_model.rebuild()
        row = self.sheet_model.row
        self.title.setText(self._titled(row) if row else "No row selected")
        self.hint.setVisible(row is None)
        self.hint.setText(
            "Select a row here or a part on the bench to see and change all its cells. "
            "Several rows selected: a change goes to all of them."
        )
        self.sheet.setVisible(row is not None)
        self.only.setVisible(row is not None)
        rows = self.sheet_model.rowCount() if row else 0
        self.below.setFixedHeight(min(max(128, 24 * rows + 76), max(236, self.height() // 2)) if row else 84)
        for i in range(self.sheet_model.rowCount()):
            self.sheet.setRowHeight(i, 24)
        if self.sheet_model.pairs == 2:
            names = [min(max(self.sheet.sizeHintForColumn(c), 60), 112) for c in (0, 2)]
            widths = (names[0], 204 - names[0], names[1], 204 - names[1])
        else:
            widths = (110, max(self.width() - 146, 120))
        for c, width in enumerate(widths):
            self.sheet.setColumnWidth(c, width)
        fault = self.model.faults.get(row.name) if row else None
        self.refuse(str(fault) if fault else "")

    def _titled(self, row) -> str:
        """Name of the selected row, and in Shape what it costs in cells."""
        found = spacing_of(self.session, row.name) if self.session.stage == "Shape" else None
        name = row.name.replace("<", "&lt;")
        if found is None:
            return name
        cost = f"{found[1] / 1e3:.3g} k cells" if found[1] >= 1000 else f"{found[1]} cells"
        return f"{name} &nbsp; <span style='color:{look.INK2}; font-weight:400'>{cost}</span>"

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

    def try_(self, edit) -> bool:
        """Do an edit, or tell why not."""
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
        if self.try_(edits.add_row(self.session.layout, KINDS[kind].row(name=name, **update), self.session.only_here)):
            self.session.select((name,))

    def duplicate(self):
        """Copy the selected rows."""
        names = self.session.selected
        if names:
            self.try_(
                edits.many(
                    f"duplicate {', '.join(names)}",
                    [edits.duplicate_row(self.session.layout, n, self.session.only_here) for n in names],
                )
            )

    def delete(self, only_here: bool | None = None):
        """Delete the selected rows, or leave them out of this layout."""
        here = self.session.only_here if only_here is None else only_here
        names = self.session.selected
        if not names:
            return
        left = {(r, k) for n in names for _, r, k in referring(self.session.document, n) if r not in names}
        if (
            self.try_(
                edits.many(
                    f"delete {', '.join(names)}", [edits.delete_row(self.session.layout, n, here) for n in names]
                )
            )
            and left
        ):
            rows = sorted({r for r, _ in left})
            told = f"“{rows[0]}” refers" if len(rows) == 1 else f"{len(rows)} rows refer"
            self.refuse(
                f"{told} to what was deleted: {', '.join(rows[:4])}{' …' if len(rows) > 4 else ''}. Undo (Ctrl+Z), or "
                "change "
                "what is marked."
            )

    def copy(self):
        """Put the selected rows on the clipboard as lines of tab-separated cells."""
        clipboard.copy(self)

    def paste(self):
        """Rows copied here become new rows; other text goes into the current column, one line a row, downwards."""
        clipboard.paste(self)


def _table(model) -> QTableView:
    table = QTableView()
    table.setModel(model)
    table.setShowGrid(False)
    table.verticalHeader().hide()
    table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
    table.horizontalHeader().setHighlightSections(False)
    table.horizontalHeader().setStretchLastSection(True)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setEditTriggers(
        QAbstractItemView.EditTrigger.DoubleClicked
        | QAbstractItemView.EditTrigger.EditKeyPressed
        | QAbstractItemView.EditTrigger.AnyKeyPressed
    )
    table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    table.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    table.setWordWrap(False)
    return table
