"""Two numbers of all layouts and points against each other, with bands, limits and the front of best compromises; and
all columns side by side with ranges to drag."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from ..read import shown
from ..weigh.chart import headed
from ..weigh.limits import CLOSE, FAILS, MEETS
from ..weigh.overview import Line, Overview
from . import look
from .charts import plain_plot
from .map_view import MapView
from .page import Page
from .session import Session

TONES = {MEETS: look.SLATE, CLOSE: look.STRAW, FAILS: look.EMBER, "": look.INK2}
MARKS = {MEETS: "o", CLOSE: "d", FAILS: "x", "": "t"}


def scaled(line: Line, name: str, table: Overview) -> tuple[float, float]:
    """A number and its band in the units shown; nan where a line has none."""
    x = line.numbers.get(name)
    if x is None:
        return table.value(line, name), 0.0
    kind = "temperature difference" if x.dimension == "temperature" else x.dimension
    return float(shown.convert(x.value, x.dimension)), float(shown.span(x.band, kind)) if x.band else 0.0


class AllColumns(QWidget):
    """Every line drawn across all columns, each with its own scale; a drag along one narrows to a range, a double click
    there takes it away."""

    narrowed = pyqtSignal()

    def __init__(self):
        super().__init__()
        self.setMinimumHeight(120)
        self.setAccessibleName("all columns")
        self.names: list[str] = []
        self.values = np.zeros((0, 0))
        self.lines: list[Line] = []
        self.ends = np.zeros((0, 2))
        self.ranges: dict[int, tuple[float, float]] = {}
        self._from: tuple[int, float] | None = None

    def put(self, table: Overview, lines: list[Line]) -> None:
        """Show lines in all columns of which two values at least are known."""
        names = [*table.columns, *table.numbers]
        every = np.array([[scaled(n, c, table)[0] for c in names] for n in lines]).reshape(len(lines), len(names))
        with np.errstate(all="ignore"):
            kept = [m for m in range(len(names)) if len(np.unique(every[np.isfinite(every[:, m]), m])) > 1]
        heads = [headed(table, names[m]) for m in kept]
        if heads != self.names:
            self.ranges = {}
        self.names, self.lines, self.values = heads, lines, every[:, kept]
        self.ends = np.array([[np.nanmin(c), np.nanmax(c)] for c in self.values.T]).reshape(-1, 2)
        self.update()

    def inside(self) -> np.ndarray:
        """Which lines lie within all ranges."""
        good = np.ones(len(self.lines), bool)
        for m, (low, high) in self.ranges.items():
            with np.errstate(invalid="ignore"):
                good &= (self.values[:, m] >= low) & (self.values[:, m] <= high)
        return good

    def _x(self, m: int) -> float:
        return 60.0 + (self.width() - 120.0) * m / max(len(self.names) - 1, 1)

    def _y(self, m: int, value: float) -> float:
        low, high = self.ends[m]
        return self.height() - 22.0 - (self.height() - 64.0) * (value - low) / max(high - low, 1e-300)

    def _value(self, m: int, y: float) -> float:
        low, high = self.ends[m]
        return float(low + (high - low) * (self.height() - 22.0 - y) / max(self.height() - 64.0, 1.0))

    def _column(self, x: float) -> int:
        return min(range(len(self.names)), key=lambda m: abs(self._x(m) - x)) if self.names else -1

    def mousePressEvent(self, event):  # noqa: N802
        m = self._column(event.position().x())
        if m >= 0:
            self._from = m, self._value(m, event.position().y())

    def mouseMoveEvent(self, event):  # noqa: N802
        if self._from is not None:
            m, start = self._from
            now = self._value(m, event.position().y())
            self.ranges[m] = min(start, now), max(start, now)
            self.update()

    def mouseReleaseEvent(self, event):  # noqa: N802
        if self._from is not None and self._from[0] in self.ranges:
            self.narrowed.emit()
        self._from = None

    def mouseDoubleClickEvent(self, event):  # noqa: N802
        self.ranges.pop(self._column(event.position().x()), None)
        self.update()
        self.narrowed.emit()

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(look.SHEET))
        good = self.inside()
        for n in np.argsort(good):
            tone = QColor(TONES[self.lines[n].verdict]) if good[n] else QColor(look.RULE)
            p.setPen(QPen(tone, 1.4 if good[n] else 0.8))
            row = self.values[n]
            for m in range(len(self.names) - 1):
                if np.isfinite(row[m : m + 2]).all():
                    one, two = self._y(m, row[m]), self._y(m + 1, row[m + 1])
                    p.drawLine(QPointF(self._x(m), one), QPointF(self._x(m + 1), two))
        p.setFont(look.font(12, 400))
        for m, name in enumerate(self.names):
            x = self._x(m)
            p.setPen(QPen(QColor(look.INK), 1.0))
            p.drawLine(QPointF(x, 42.0), QPointF(x, self.height() - 22.0))
            words, _, unit = name.rpartition(", ") if ", " in name else (name, "", "")
            for at, text in ((4.0, words), (20.0, unit)):
                p.drawText(QRectF(x - 62, at, 124, 16), Qt.AlignmentFlag.AlignCenter, text)
            low, high = self.ends[m]
            p.setPen(QColor(look.INK2))
            p.drawText(QRectF(x + 4, 38, 70, 16), Qt.AlignmentFlag.AlignLeft, look.minus(shown.number(high)))
            p.drawText(
                QRectF(x + 4, self.height() - 30, 70, 16), Qt.AlignmentFlag.AlignLeft, look.minus(shown.number(low))
            )
            if m in self.ranges:
                a, b = (self._y(m, v) for v in self.ranges[m])
                p.fillRect(QRectF(x - 4, b, 8, max(a - b, 2.0)), QColor(look.INK))
        p.end()


class ChartPage(Page):
    """The chart of Weigh."""

    stage = "Weigh"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.x, self.y = QComboBox(), QComboBox()
        self.better = [QPushButton("least is best", checkable=True), QPushButton("least is best", checkable=True)]
        self.plot = plain_plot("")
        self.plot.setTitle(None)
        self.columns = AllColumns()
        self.columns.narrowed.connect(self._count)
        self.every = QPushButton("All columns", checkable=True)
        self.every.setToolTip(
            "Every line across all columns; drag along a column to narrow, double click to take it away"
        )
        self.map = QPushButton("Map", checkable=True)
        self.map.setToolTip("One number over two of what is varied, as cells")
        self.over = MapView()
        self.over.picked.connect(self._pick)
        for button in (self.every, self.map):
            button.toggled.connect(lambda on, b=button: self._switch(on, b))
        self.said = QLabel(wordWrap=True)
        self.said.setProperty("quiet", True)
        self.make = QPushButton("Make it a layout")
        self.make.clicked.connect(self._make)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.plot)
        self.stack.addWidget(self.columns)
        self.stack.addWidget(self.over)
        self.axes = QWidget()
        top = QHBoxLayout(self.axes)
        top.setContentsMargins(0, 0, 0, 0)
        for words, box, button in (("across", self.x, self.better[0]), ("up", self.y, self.better[1])):
            box.setAccessibleName(words)
            box.activated.connect(lambda *_: self._draw())
            button.setStyleSheet("padding: 2px 8px;")
            button.toggled.connect(
                lambda on, b=button: (b.setText("most is best" if on else "least is best"), self._draw())
            )
            top.addWidget(QLabel(words))
            top.addWidget(box, 1)
            top.addWidget(button)
            top.addSpacing(12)
        head = QHBoxLayout()
        head.addWidget(self.axes, 1)
        head.addWidget(self.over.fields, 1)
        self.over.fields.hide()
        for button in (self.every, self.map, self.make):
            head.addWidget(button)
        row = QVBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 6)
        row.setSpacing(4)
        row.addLayout(head)
        row.addWidget(self.stack, 1)
        row.addWidget(self.said)
        self.over.said.connect(lambda text: self.said.setText(look.minus(text)))
        self.table: Overview | None = None
        self.chosen: Line | None = None
        self._known: list[Line] = []
        for side in ("bottom", "left"):
            self.plot.getAxis(side).enableAutoSIPrefix(False)
        self.dots = pg.ScatterPlotItem(hoverable=True, tip=None)
        self.dots.sigClicked.connect(self._clicked)
        for event in ("stage", "table", "studies", "results", "document", "standings"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """Take the table as it is known now."""
        if not self.seen():
            return
        found = self.session.want_table()
        if found is None or found is self.table:
            return
        self.table = found
        names = [*found.numbers, *found.columns]
        for box, wanted in ((self.x, ("fan power", "mass")), (self.y, ("worst margin",))):
            now = box.currentText()
            box.clear()
            box.addItems(names)
            first = next((n for n in (now, *wanted) if n in names), "")
            box.setCurrentIndex(max(names.index(first), 0) if first else 0)
        self.better[1].setChecked(self.y.currentText() == "worst margin")
        self._draw()

    def _draw(self) -> None:
        table = self.table
        if table is None:
            return
        x, y = self.x.currentText(), self.y.currentText()
        self.plot.clear()
        known = [n for n in table.lines if np.isfinite([scaled(n, c, table)[0] for c in (x, y)]).all()]
        self._known = known
        self.columns.put(table, table.lines)
        self.over.put(table)
        self.make.setEnabled(False)
        if not known:
            self.said.setText("No layout has both numbers yet. Solve some, or choose others.")
            return
        at = np.array([[scaled(n, c, table) for c in (x, y)] for n in known])
        value, band = at[:, :, 0], at[:, :, 1]
        if band.any():
            bars = pg.ErrorBarItem(
                x=value[:, 0],
                y=value[:, 1],
                width=2 * band[:, 0],
                height=2 * band[:, 1],
                pen=pg.mkPen(look.INK2, width=0.8),
            )
            self.plot.addItem(bars)
        self._curves(table, known, x, y)
        front = table.front(x, y, self.better[0].isChecked(), self.better[1].isChecked(), known)
        if len(front) > 1:
            path = np.array([[scaled(n, c, table)[0] for c in (x, y)] for n in front])
            self.plot.plot(path[:, 0], path[:, 1], pen=pg.mkPen(look.INK, width=1.6))
        self._limits(table, known)
        self.dots.setData(
            pos=value,
            size=[13 if not n.of else 10 for n in known],
            symbol=[("s" if not n.of and n.verdict == MEETS else MARKS[n.verdict]) for n in known],
            brush=[pg.mkBrush(TONES[n.verdict]) for n in known],
            pen=[pg.mkPen(look.INK if not n.of else TONES[n.verdict], width=1.2) for n in known],
        )
        self.plot.addItem(self.dots)
        self.plot.setLabel("bottom", look.minus(headed(table, x)))
        self.plot.setLabel("left", look.minus(headed(table, y)))
        self.plot.autoRange()
        self._count()

    def _curves(self, table: Overview, known: list[Line], x: str, y: str) -> None:
        """Thin lines through points of a study that differ only in what is drawn across."""
        if x not in table.columns:
            return
        groups: dict[tuple, list[Line]] = {}
        for n in known:
            if x in n.values:
                rest = tuple(sorted((k, v) for k, v in n.values.items() if k != x))
                groups.setdefault((n.of, rest), []).append(n)
        for lines in groups.values():
            at = np.array([[scaled(n, c, table)[0] for c in (x, y)] for n in lines])
            at = at[np.argsort(at[:, 0])]
            self.plot.plot(at[:, 0], at[:, 1], pen=pg.mkPen(look.RULE, width=1.2))

    def _limits(self, table: Overview, known: list[Line]) -> None:
        """Bounds that all lines share as lines; of margins the limit itself."""
        for name, angle in ((self.x.currentText(), 90), (self.y.currentText(), 0)):
            if name == "worst margin":
                at = {0.0}
            else:
                found = [n.numbers[name] for n in known if name in n.numbers]
                at = {float(shown.convert(b, x.dimension)) for x in found for b in (x.most, x.least) if b is not None}
            if len(at) == 1:
                pen = pg.mkPen(look.EMBER, width=1.4, style=Qt.PenStyle.DashLine)
                options = {"color": look.EMBER, "position": 0.94}
                self.plot.addItem(pg.InfiniteLine(pos=at.pop(), angle=angle, pen=pen, label="limit", labelOpts=options))

    def _switch(self, on: bool, button: QPushButton) -> None:
        """One of the chart, all columns and the map."""
        if on:
            (self.every if button is self.map else self.map).setChecked(False)
        self.stack.setCurrentIndex(1 if self.every.isChecked() else 2 if self.map.isChecked() else 0)
        self.axes.setVisible(self.stack.currentIndex() < 2)
        self.over.fields.setVisible(self.stack.currentIndex() == 2)
        if self.map.isChecked():
            self.over.draw()
        else:
            self._count()

    def _count(self) -> None:
        if self.stack.currentIndex() == 2:
            return
        layouts = sum(1 for n in self._known if not n.of)
        words = f"{layouts} layouts, {len(self._known) - layouts} points. "
        words += "Disc meets, diamond too close to call, cross fails"
        if self.columns.ranges:
            words = f"{int(self.columns.inside().sum())} of {len(self.columns.lines)} lie within the ranges. {words}"
        self.said.setText(f"{words}; the line joins the best compromises. Click a mark.")

    def _clicked(self, _item, points, *_more) -> None:
        """A mark is clicked: its line, in words; a second click on it shows its layout."""
        self._pick(self._known[points[0].index()])

    def _pick(self, line: Line | None) -> None:
        """Tell of a line; once more, of a layout, shows it."""
        if line is None:
            self.said.setText("Nothing is known there.")
            self.make.setEnabled(False)
            return
        again, self.chosen = line is self.chosen, line
        values = "; ".join(f"{k} {v}" for k, v in line.values.items())
        self.said.setText(look.minus(f"{line.of or 'Layout'}: {line.name}. {values}. {line.verdict or 'not known'}."))
        self.make.setEnabled(bool(line.of))
        if again and not line.of:
            self.session.choose_layout(line.name)

    def _make(self) -> None:
        if self.chosen is not None and self.chosen.of:
            name = self.session.take_line(self.chosen)
            self.said.setText(f"“{name}” is a layout now: press Run, it starts from the point's fields.")
