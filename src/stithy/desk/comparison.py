"""The table of Weigh: every layout and every solved point of a study, best first, narrowed by words."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableView,
    QVBoxLayout,
)

from ..errors import StithyError
from ..read import shown
from ..weigh.limits import CLOSE, FAILS, MEETS
from ..weigh.overview import OWN, USUAL, Line, Overview
from ..weigh.table import equals, with_band
from . import look
from .page import Page
from .session import Session

#: marks of verdicts, so that they are told not by colour alone
SIGNS = {MEETS: "✓ meets", CLOSE: "~ too close to call", FAILS: "✗ fails", "": "not known"}


class Lines(QAbstractTableModel):
    """Lines of the table as a model: name, what is varied, verdict, worst margin, numbers, result."""

    def __init__(self):
        super().__init__()
        self.lines: list[Line] = []
        self.heads: list[str] = []
        self.keys: list[str] = []
        self.bounds: dict[str, str] = {}
        self.shown = ""
        self.varied: tuple[str, ...] = ()
        self._text: dict[tuple[int, int], str] = {}

    def put(self, table: Overview, lines: list[Line], shown_layout: str) -> None:
        """Show these lines."""
        self.beginResetModel()
        self.lines, self.shown, self._text = lines, shown_layout, {}
        self.bounds, self.varied = _bounds(table), table.columns
        self.keys = [
            "name",
            *table.columns,
            "verdict",
            "worst",
            *(n for n in table.numbers if n != "worst margin"),
            "says",
        ]
        self.heads = [self._head(k, table) for k in self.keys]
        self.endResetModel()

    def _head(self, key: str, table: Overview) -> str:
        plain = {"name": "Layout or point", "verdict": "Verdict", "worst": "Worst margin", "says": "Result"}
        if key in plain:
            return plain[key]
        if key in table.columns:
            return key.replace(", ", "\n", 1)
        unit = shown.symbol(table.numbers[key])
        if key in OWN:
            return f"{key}\n{unit}"
        bound = self.bounds.get(key)
        return f"{key}\n{bound or unit}"

    def rowCount(self, parent=None) -> int:  # noqa: N802
        """Lines."""
        return 0 if parent is not None and parent.isValid() else len(self.lines)

    def columnCount(self, parent=None) -> int:  # noqa: N802
        """Columns."""
        return len(self.keys)

    def text(self, row: int, column: int) -> str:
        """What a cell says."""
        at = row, column
        if at not in self._text:
            self._text[at] = look.minus(self._cell(self.lines[row], self.keys[column]))
        return self._text[at]

    def _cell(self, n: Line, key: str) -> str:
        s = n.standing
        if key == "name":
            return n.label
        if key in n.values:
            return n.values[key]
        if key == "verdict":
            if s.state == "faulty":
                return f"{len(s.problems)} to settle" if not n.of else "not solved"
            return SIGNS[s.verdict]
        if key == "worst":
            return f"{with_band(s.worst)}, {s.worst.bound.name}" if s.worst is not None else ""
        if key == "says":
            return str(s.problems[0].what) if n.of and s.problems else s.says
        x = n.numbers.get(key)
        if x is None:
            return "–"
        told = f"{x.text} ± {x.band_text}" if x.band is not None else x.text
        if key not in self.bounds or self.bounds[key] or (x.most is None and x.least is None):
            return told
        bound = x.most if x.most is not None else x.least
        return f"{told} / {_bound_text(float(bound or 0.0), x.dimension)}"

    def data(self, index: QModelIndex, role: int = 0):
        """A cell for the view."""
        if not index.isValid():
            return None
        n, key = self.lines[index.row()], self.keys[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignVCenter | self._side(key))
        warns = self._warns(n, key)
        if role == Qt.ItemDataRole.ForegroundRole and warns:
            return QColor(look.EMBER)
        if role == Qt.ItemDataRole.FontRole and (warns or (key == "name" and not n.of and n.name == self.shown)):
            return look.font(14, 600)
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{n.name}" + (f", of {n.of}: double click makes it a layout" if n.of else "")
        return None

    @staticmethod
    def _warns(n: Line, key: str) -> bool:
        if key == "verdict":
            return n.verdict == FAILS or n.standing.state == "faulty"
        if key == "worst":
            return n.standing.worst is not None and n.standing.worst.verdict == FAILS
        if key == "says":
            return n.standing.state in ("out of date", "faulty")
        return key in n.numbers and n.numbers[key].breaks

    def headerData(self, section: int, orientation, role: int = 0):  # noqa: N802
        """A head for the view."""
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.heads[section]
        if role == Qt.ItemDataRole.TextAlignmentRole and orientation == Qt.Orientation.Horizontal:
            return int(Qt.AlignmentFlag.AlignBottom | self._side(self.keys[section]))
        return None

    def _side(self, key: str):
        """Words stand left, numbers right."""
        words = key in ("name", "verdict", "worst", "says") or key in self.varied
        return Qt.AlignmentFlag.AlignLeft if words else Qt.AlignmentFlag.AlignRight


def _bound_text(bound: float, dimension: str) -> str:
    """A bound in the unit shown, with no more digits than it has."""
    return f"{shown.number(float(shown.convert(bound, dimension)))} {shown.symbol(dimension)}".rstrip()


def _bounds(table: Overview) -> dict[str, str]:
    """What the head of every limited number says of its limit: nothing where lines differ."""
    out: dict[str, str] = {}
    for n in table.lines:
        for name, x in n.numbers.items():
            for bound, sign in ((x.most, "≤"), (x.least, "≥")):
                if bound is not None:
                    text = f"{sign} {_bound_text(bound, x.dimension)}"
                    out[name] = text if out.get(name, text) == text else ""
    return out


class Comparison(Page):
    """The table with words that narrow it and a rule that orders it: a click compares a layout with the shown one, a
    double click shows it, or makes a point a layout."""

    stage = "Weigh"

    def __init__(self, session: Session, compare):
        super().__init__(session)
        self.compare = compare
        self.words = QLineEdit(placeholderText="Narrow: meets, drop < 20 Pa, plate = pins", clearButtonEnabled=True)
        self.words.setAccessibleName("narrow the table")
        self.words.textChanged.connect(lambda *_: self._put())
        self.rule = QComboBox()
        self.rule.setAccessibleName("order")
        self.rule.activated.connect(lambda *_: self._put())
        self.make = QPushButton("Make it a layout")
        self.make.setToolTip("The chosen point as a layout of its own, solved from its fields")
        self.make.clicked.connect(self._make)
        self.differ = QPushButton("Difference", checkable=True)
        self.differ.setToolTip(
            "A bench with what the compared layout has more or less than the shown one (Ctrl+Shift+B)"
        )
        self.differ.clicked.connect(lambda: self.window().switch_difference())
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        self.model = Lines()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(25)
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setStyleSheet("QTableView::item { padding: 0 3px; } QHeaderView::section { padding: 4px 3px; }")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        self.table.horizontalHeader().sectionClicked.connect(self._by)
        self.table.horizontalHeader().setSectionsClickable(True)
        self.table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.table.clicked.connect(lambda i: self._clicked(i.row()))
        self.table.doubleClicked.connect(lambda i: self._twice(i.row()))
        self.equals = QLabel(wordWrap=True)
        self.equals.setProperty("quiet", True)
        top = QHBoxLayout()
        top.addWidget(self.words, 2)
        top.addWidget(QLabel("best first:"))
        top.addWidget(self.rule, 1)
        top.addWidget(self.said, 1)
        top.addWidget(self.differ)
        top.addWidget(self.make)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 4, 12, 8)
        box.setSpacing(4)
        box.addLayout(top)
        box.addWidget(self.table)
        box.addWidget(self.equals)
        self.all: Overview | None = None
        for event in ("stage", "results", "document", "layout", "standings", "table", "studies"):
            session.on(event, self.rebuild)

    @property
    def names(self) -> list[str]:
        """Names of the lines as they are shown."""
        return [n.name for n in self.model.lines]

    def cell(self, name: str, head: str) -> str:
        """What the table says of a line in a column."""
        return self.model.text(self.names.index(name), self.model.heads.index(head))

    def rebuild(self):
        """Take the table as it is known now."""
        if not self.seen():
            return
        found = self.session.want_table()
        if found is None or (found is self.all and self.model.shown == self.session.layout):
            return
        new = found is not self.all
        self.all = found
        if new:
            self._rules(found)
        self._put()

    def _rules(self, table: Overview) -> None:
        """What the table may be ordered by."""
        now = self.rule.currentData() or ("", False)
        self.rule.clear()
        self.rule.addItem(USUAL, ("", False))
        for name in (*(n for n in table.numbers if n != "worst margin"), *table.columns):
            for most in (False, True):
                self.rule.addItem(f"all limits met, then {'most' if most else 'least'} {name}", (name, most))
        at = next((m for m in range(self.rule.count()) if self.rule.itemData(m) == now), 0)
        self.rule.setCurrentIndex(at)

    def _put(self) -> None:
        """The lines that words leave, in the order of the rule."""
        if self.all is None:
            return
        by, most = self.rule.currentData() or ("", False)
        try:
            kept = {id(n) for n in self.all.narrowed(self.words.text())}
            told = ""
        except StithyError as error:
            kept, told = {id(n) for n in self.all.lines}, str(error)
        lines = [n for n in self.all.ordered(by, most) if id(n) in kept]
        self.model.put(self.all, lines, self.session.layout)
        self._widths()
        meets = sum(1 for n in lines if n.verdict == MEETS)
        self.said.setText(told or f"{len(lines)} of {len(self.all.lines)}, {meets} meet all limits")
        self.said.setProperty("warn", bool(told))
        self.said.style().polish(self.said)
        points = [n for n in lines if n.of]
        said = [self.all.equal_first(lines)] if points else equals([n.standing for n in lines])
        said = [x for x in said if x]
        self.equals.setText(" ".join(said))
        self.equals.setVisible(bool(said))
        self.make.setEnabled(False)

    def _widths(self) -> None:
        """Columns as wide as their first lines need."""
        header = self.table.horizontalHeader()
        measure = self.table.fontMetrics()
        for c, head in enumerate(self.model.heads):
            texts = [*head.split("\n"), *(self.model.text(r, c) for r in range(min(len(self.model.lines), 40)))]
            most = max(measure.horizontalAdvance(t) for t in texts)
            header.resizeSection(c, min(most + 16, 260))

    def _by(self, column: int) -> None:
        """Order by a column: least first, once more for most first."""
        key = self.model.keys[column]
        now = self.rule.currentData()
        wanted = (key, now == (key, False))
        at = next((m for m in range(self.rule.count()) if self.rule.itemData(m) == wanted), 0)
        self.rule.setCurrentIndex(at)
        self._put()

    def choose(self, line: Line) -> None:
        """Put the mark on a line."""
        if line in self.model.lines:
            self.table.selectRow(self.model.lines.index(line))
            self.make.setEnabled(bool(line.of))

    def chosen(self) -> Line | None:
        """The line with the mark."""
        rows = self.table.selectionModel().selectedRows()
        return self.model.lines[rows[0].row()] if rows else None

    def _clicked(self, row: int) -> None:
        line = self.model.lines[row]
        self.make.setEnabled(bool(line.of))
        if not line.of:
            self.compare(line.name)

    def _twice(self, row: int) -> None:
        line = self.model.lines[row]
        if line.of:
            self._make()
        else:
            self.session.choose_layout(line.name)

    def _make(self) -> None:
        line = self.chosen()
        if line is None or not line.of:
            return
        try:
            name = self.session.take_line(line)
        except StithyError as error:
            self.said.setText(str(error))
            return
        self.said.setText(f"“{name}” is a layout now: press Run, it starts from the point's fields")
