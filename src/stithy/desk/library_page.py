"""The libraries, in Load: tables that can be searched, curves of fans and pumps beside each other, and what is chosen
put into the selected rows."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QSplitter, QTableWidgetItem, QVBoxLayout

from ..errors import StithyError
from ..project import library
from ..project.kind import KINDS
from . import look
from .charts import COLOURS, plain_plot
from .page import Page
from .session import Session
from .tables import fill, plain_table

#: which library's entries a cell takes, by the name of the shelf
CELLS = {
    "materials": "materials",
    "liquids": "fluids",
    "interfaces": "interfaces",
    "packages": "packages",
    "fans": "fans",
    "pumps": "pumps",
    "plates and filters": "screens",
    "finishes": "finishes",
}
#: curves drawn at once
MOST = 8


class LibraryPage(Page):
    """Chips for the libraries, a search, a table; curves at the right."""

    stage = "Load"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.shelf = "materials"
        self.chips: dict[str, QPushButton] = {}
        top = QHBoxLayout()
        top.setSpacing(4)
        for name in library.SHELVES:
            chip = QPushButton(name, checkable=True)
            chip.setStyleSheet("padding: 1px 8px; font-size: 12px;")
            chip.clicked.connect(lambda _=False, n=name: self.show_shelf(n))
            self.chips[name] = chip
            top.addWidget(chip)
        self.wanted = QLineEdit(placeholderText="Search by name, source, sort")
        self.wanted.textChanged.connect(lambda _: self.rebuild())
        top.addWidget(self.wanted, 1)
        self.use = QPushButton("Put into selected rows")
        self.use.setStyleSheet("padding: 1px 8px; font-size: 12px;")
        self.use.setToolTip("The chosen entry becomes the cell of the selected rows that takes it")
        self.use.clicked.connect(lambda: self.put())
        top.addWidget(self.use)
        self.table = plain_table()
        head = self.table.horizontalHeader()
        if head is not None:
            head.setStretchLastSection(True)
        self.table.itemSelectionChanged.connect(self._chosen)
        self.table.itemDoubleClicked.connect(lambda _: self.put())
        self.plot = plain_plot("")
        self.plot.addLegend(offset=(-2, 2), labelTextColor=look.INK2, labelTextSize="8pt", verSpacing=-6)
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        middle = QSplitter()
        middle.addWidget(self.table)
        middle.addWidget(self.plot)
        middle.setSizes([760, 420])
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 4, 12, 4)
        box.setSpacing(4)
        box.addLayout(top)
        box.addWidget(middle, 1)
        box.addWidget(self.said)
        self._names: list[str] = []
        for event in ("stage", "selection"):
            session.on(event, self.rebuild)

    def show_shelf(self, name: str) -> None:
        """Another library."""
        self.shelf = name
        self.rebuild()

    def rebuild(self) -> None:
        """Fill the table by what is looked for."""
        if not self.seen():
            return
        for name, chip in self.chips.items():
            chip.setChecked(name == self.shelf)
        entries = library.shelf(self.shelf)
        words = self.wanted.text().lower().split()
        found = {
            n: v for n, v in entries.items() if all(w in f"{n} {' '.join(map(str, v.values()))}".lower() for w in words)
        }
        now = [self.shelf, *found]
        if now != self._names:
            self._names = now
            columns = library.SHELVES[self.shelf][1]
            rows = [[n, *(_text(v.get(key, "")) for _, key in columns), _source(v)] for n, v in found.items()]
            fill(self.table, ["name", *(head for head, _ in columns), "source"], rows)
            self.table.resizeColumnsToContents()
            head = self.table.horizontalHeaderItem(len(columns) + 1)
            if head is not None:
                head.setTextAlignment(Qt.AlignmentFlag.AlignLeft)
            last = len(columns) + 1
            for r in range(len(rows)):
                item = self.table.item(r, last)
                if item is not None:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)
                    item.setToolTip(item.text())
        curves = self.shelf in ("fans", "pumps")
        self.plot.setVisible(curves)
        self._chosen()

    def chosen(self) -> list[str]:
        """Names of the entries that are selected."""
        rows = sorted({i.row() for i in self.table.selectedIndexes()})
        items = [self.table.item(r, 0) for r in rows]
        return [i.text() for i in items if isinstance(i, QTableWidgetItem)]

    def _chosen(self) -> None:
        """Curves of what is selected, and what the selected rows can take."""
        names = self.chosen()
        into = self._into()
        self.use.setEnabled(len(names) == 1 and bool(into))
        said = f"{self.table.rowCount()} of {len(library.shelf(self.shelf))}; your own: ~/.config/stithy"
        self.said.setText(f"{said}/{library.SHELVES[self.shelf][0]}.toml")
        if self.shelf not in ("fans", "pumps"):
            return
        self.plot.clear()
        known = library.fans() if self.shelf == "fans" else library.pumps()
        flow, rise = ("m³/h", "Pa") if self.shelf == "fans" else ("l/min", "kPa")
        by, over = (3600.0, 1.0) if self.shelf == "fans" else (60e3, 1e-3)
        self.plot.setTitle(f"rise, {rise}, over flow, {flow}", color=look.INK2, size="9pt")
        for m, name in enumerate((names or self._names[1:])[:MOST]):
            fan = known[name]
            pen = look.minus(name)
            self.plot.plot(
                [q * by for q in fan.flow], [p * over for p in fan.rise], pen=_pen(COLOURS[m % len(COLOURS)]), name=pen
            )

    def _into(self) -> list[tuple[str, str]]:
        """Cells (row, key) of the selected rows that take an entry of this library."""
        wanted, out = CELLS[self.shelf], []
        for row in self.session.document.rows_of(self.session.layout):
            if row.name in self.session.selected:
                out += [(row.name, c.key) for c in KINDS[row.kind].cells.values() if c.library == wanted][:1]
        return out

    def put(self) -> None:
        """Put the chosen entry into the selected rows, as one step."""
        names, into = self.chosen(), self._into()
        if len(names) != 1 or not into:
            return
        try:
            self.session.change([(row, key, names[0]) for row, key in into], f"{names[0]} in {len(into)} rows")
            self.said.setText(f"{names[0]} in {', '.join(row for row, _ in into)}")
        except StithyError as error:
            self.said.setText(str(error))


def _pen(colour: str):
    import pyqtgraph as pg

    return pg.mkPen(colour, width=1.6)


def _text(value: object) -> str:
    return " × ".join(map(str, value)) if isinstance(value, list) else f"{value}"


def _source(entry: dict) -> str:
    return str(entry.get("source", "made up" if "flow" in entry else "textbook, rounded"))
