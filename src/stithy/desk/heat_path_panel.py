"""The heat path in the shelf: a flow drawing from sources to the outside, and the table behind it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QLabel, QVBoxLayout, QWidget

from ..errors import StithyError
from ..read import shown
from ..read.heat_path import SOURCES, Flow, heat_path
from . import look
from .page import Page
from .session import Session
from .tables import fill, plain_table

#: flows below this part of the largest are not drawn (they stand in the table)
LEAST = 0.012
#: room (pixels) that a name takes at least, and between two
WORDS, GAP = 10, 9
#: bands of what goes by radiation
RAYS = "#94779A"


class HeatPathPanel(Page):
    """Drawing and table side by side; a line of the table selects its rows."""

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.drawing, self.table, self.note = FlowDrawing(), plain_table(), QLabel(wordWrap=True)
        self.note.setProperty("quiet", True)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.cellClicked.connect(self._select)
        self.drawing.chosen = self._only
        right = QVBoxLayout()
        right.addWidget(self.table, 1)
        right.addWidget(self.note)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 12, 6)
        row.setSpacing(16)
        row.addWidget(self.drawing, 3)
        row.addLayout(right, 2)
        self.rows: list[Flow] = []
        for event in ("stage", "results", "layout"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """Read the path anew, where it can be seen."""
        if not self.seen():
            return
        self.rows, told = [], ""
        result = self.session.result()
        try:
            self.rows = heat_path(result) if result is not None else []
            told = "" if result is not None else "No result yet. Press Run to solve this layout."
        except StithyError as error:
            told = str(error)
        load = float(result.summary["heat_load"]) if result is not None else 0.0
        if self.rows and not told:
            takers = {x.to for x in self.rows}
            total = sum(x.heat for x in self.rows if x.source not in takers)
            left = float(result.summary["heat_imbalance"]) if result is not None else 0.0
            base = max(abs(load), total, 1e-12)
            told = f"left over {shown.text(abs(left), 'power', 2)}, {100 * abs(left) / base:.2g} % of what comes in"
        self.note.setText(told)
        self._fill(self.rows)
        self.drawing.show_flows(self.rows)

    def _fill(self, rows: list[Flow]) -> None:
        self.shown = rows
        lines = [
            [
                x.source,
                x.to,
                x.by,
                shown.text(x.heat, "power", 3),
                f"{100 * x.share:.0f} %",
                f"{x.resistance:.3g}" if x.resistance else "",
            ]
            for x in rows
        ]
        fill(self.table, ("from", "to", "by", "heat", "share", "K/W"), lines, words=3)

    def _only(self, name: str) -> None:
        """Only what one gives and takes; all of it again without a name."""
        self._fill([x for x in self.rows if not name or name in (x.source, x.to)])
        known = {r.name for r in self.session.document.rows_of(self.session.layout)}
        if name in known:
            self.session.select((name,))

    def _select(self, row: int, _column: int) -> None:
        known = {r.name for r in self.session.document.rows_of(self.session.layout)}
        x = self.shown[row]
        self.session.select(tuple(n for n in (x.source, x.to) if n in known))


class FlowDrawing(QWidget):
    """Columns from what releases heat to where it leaves, with bands as wide as the heat they carry."""

    def __init__(self):
        super().__init__()
        self.rows: list[Flow] = []
        self.whole: dict[str, float] = {}
        self.boxes: dict[str, QRectF] = {}
        self.chosen = lambda name: None
        self.picked = ""
        self.setMinimumHeight(90)
        self.setToolTip("Click a name to see only what it gives and takes")

    def show_flows(self, rows: list[Flow]) -> None:
        """What is drawn."""
        most = max((x.heat for x in rows), default=0.0)
        self.rows = [x for x in rows if x.heat >= LEAST * most]
        self.whole = {x.to: sum(y.heat for y in rows if y.to == x.to) for x in rows}  # what is not drawn counts too
        self.picked = ""
        told = "; ".join(f"{x.source} to {x.to} {x.heat:.3g} W" for x in self.rows[:12])
        self.setAccessibleName(f"heat path: {told}")
        self.update()

    def mousePressEvent(self, event):  # noqa: N802
        hit = next((n for n, b in self.boxes.items() if b.adjusted(-4, -3, 90, 3).contains(event.position())), "")
        self.picked = "" if hit == self.picked else hit
        self.chosen(self.picked)
        self.update()

    def columns(self) -> dict[str, int]:
        """Which column each name stands in: one after all that gives to it, as far as heat does not go in a circle."""
        names = list(dict.fromkeys([x.source for x in self.rows] + [x.to for x in self.rows]))
        net = {n: self._given(n) - self._taken(n) for n in names}
        first = [n for n in names if n in SOURCES] or [n for n in names if net[n] > 0] or names[:1]
        gives = {n: [x for x in self.rows if x.source == n] for n in names}
        takers = {x.to for x in self.rows}
        column = {n: 0 for n in names if n in first or n not in takers}
        todo = list(column)
        while todo:
            n = todo.pop(0)
            for x in gives[n]:
                if x.to not in column or (column[x.to] <= column[n] < 5 and not self._leads(x.to, n, gives)):
                    column[x.to] = column[n] + 1
                    todo.append(x.to)
        last = max(column.values(), default=0)
        return {n: last if not gives[n] else column.get(n, 0) for n in names}

    def _given(self, name: str) -> float:
        return sum(x.heat for x in self.rows if x.source == name)

    def _taken(self, name: str) -> float:
        return sum(x.heat for x in self.rows if x.to == name)

    @staticmethod
    def _leads(start: str, goal: str, gives) -> bool:
        """Whether heat leads from one to another."""
        seen, todo = {start}, [start]
        while todo:
            for x in gives[todo.pop()]:
                if x.to == goal:
                    return True
                if x.to not in seen:
                    seen.add(x.to)
                    todo.append(x.to)
        return False

    def paintEvent(self, event):  # noqa: N802
        self.boxes = {}
        if not self.rows:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        column = self.columns()
        count = max(column.values()) + 1
        size = {n: max(self._given(n), self._taken(n)) for n in column}
        by = [sorted((n for n in column if column[n] == c), key=lambda n: -size[n]) for c in range(count)]
        room = self.height() - 8
        scale = self._scale([[size[n] for n in names] for names in by], room)
        step = (self.width() - 118) / max(count - 1, 1)
        for c, names in enumerate(by):
            heights = [max(size[n] * scale, 2.0) for n in names]
            y = 4 + 0.5 * max(room - sum(max(h, WORDS) + GAP for h in heights), 0)
            for n, h in zip(names, heights, strict=True):
                self.boxes[n] = QRectF(c * step, y, 7, h)
                y += max(h, WORDS) + GAP
        self._bands(p, scale)
        self._names(p, column, count)
        p.end()

    @staticmethod
    def _scale(columns: list[list[float]], room: float) -> float:
        """Pixels for a watt, so that the fullest column fits with its names."""
        low, high = 1e-9, room / max(max(sum(c) for c in columns if c), 1e-12)
        for _ in range(40):
            middle = 0.5 * (low + high)
            fits = all(sum(max(x * middle, WORDS) + GAP for x in c) <= room for c in columns)
            low, high = (middle, high) if fits else (low, middle)
        return low

    def _bands(self, p: QPainter, scale: float) -> None:
        out, into = dict.fromkeys(self.boxes, 0.0), dict.fromkeys(self.boxes, 0.0)
        for x in sorted(self.rows, key=lambda x: (self.boxes[x.source].y(), self.boxes[x.to].y())):
            a, b, h = self.boxes[x.source], self.boxes[x.to], max(x.heat * scale, 0.8)
            start = QPointF(a.right(), a.y() + out[x.source] + h / 2)
            end = QPointF(b.left(), b.y() + into[x.to] + h / 2)
            out[x.source] += h
            into[x.to] += h
            path = QPainterPath(start)
            bend = max(0.5 * abs(end.x() - start.x()), 24)
            path.cubicTo(QPointF(start.x() + bend, start.y()), QPointF(end.x() - bend, end.y()), end)
            lit = not self.picked or self.picked in (x.source, x.to)
            colour = QColor(look.EMBER if x.source in SOURCES else RAYS if x.by == "radiation" else look.STRAW)
            colour.setAlpha(150 if lit else 36)
            p.setPen(QPen(colour, h, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(path)

    def _names(self, p: QPainter, column: dict[str, int], count: int) -> None:
        for n, box in self.boxes.items():
            p.fillRect(box, QColor(look.INK))
            taken = self.whole.get(n, 0.0) or self._given(n)
            p.setFont(look.font(12, 600 if n == self.picked else 400))
            p.setPen(QColor(look.INK))
            words = p.fontMetrics().elidedText(n, Qt.TextElideMode.ElideRight, 104)
            words = f"{words}  {shown.text(taken, 'power', 3)}"
            at = QRectF(box.right() + 5, box.center().y() - 8, 150, 16)
            back = p.boundingRect(at, Qt.AlignmentFlag.AlignLeft, words)
            veil = QColor(look.SHELF)
            veil.setAlpha(190)
            p.fillRect(back, veil)
            p.drawText(at, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, look.minus(words))
