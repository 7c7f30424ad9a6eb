"""The colour scales under the bench: drag an end, or double click to type both."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QWidget

from ..read import shown
from . import look
from .viewing import ScaleOf

#: scales beside each other at most
MOST = 2


class Scale(QWidget):
    """One colour scale with its numbers, and a limit marked on it."""

    dragged = pyqtSignal(object, str)
    settled = pyqtSignal(object, str)

    def __init__(self, grips: bool = True):
        super().__init__()
        self.grips = grips
        self.of: ScaleOf | None = None
        self.limit: float | None = None
        self._held: int | None = None
        self._ends: list[float] = [0.0, 1.0]
        self.setFixedHeight(46)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip("Drag an end of the scale, or double click to type both; right click: its own range again")

    def show_scale(self, of: ScaleOf, limit: float | None = None) -> None:
        """What the scale stands for; ``limit`` (SI) is marked on it."""
        self.of, self.limit = of, limit
        q = of.quantity
        if self._held is None:
            self._ends = [float(shown.convert(x, q.dimension)) for x in (of.low, of.high)]
        unit = shown.symbol(q.dimension)
        self.setAccessibleName(f"scale of {q.name}: {self._ends[0]:.4g} to {self._ends[1]:.4g} {unit}".rstrip())
        self.update()

    def range_text(self) -> str:
        """Both ends as they stand in a cell."""
        unit = shown.unit(self.of.quantity.dimension) if self.of else ""
        low, high = (float(f"{x:.4g}") for x in self._ends)
        return f"{low:g} to {high:g} {unit}".strip()

    def _bar(self) -> QRectF:
        return QRectF(6, 7, max(min(340, self.width() - 150), 70), 12)

    def paintEvent(self, event):  # noqa: N802
        if self.of is None:
            return
        p = QPainter(self)
        bar, n = self._bar(), self.of.steps or 128
        table = look.scale_table(look.family(self.of.quantity), n)
        for m in range(n):
            x0, x1 = (bar.left() + bar.width() * k / n for k in (m, m + 1))
            p.fillRect(QRectF(x0, bar.top(), x1 - x0 + 0.6, bar.height()), QColor(*map(int, table[m][:3])))
        p.setPen(QPen(QColor(look.INK), 1))
        p.drawRect(bar)
        if self.of.steps:
            p.setPen(QPen(QColor(look.INK), 0.5))
            for m in range(1, n):
                x = bar.left() + bar.width() * m / n
                p.drawLine(int(x), int(bar.top()), int(x), int(bar.bottom()))
        for x in (bar.left(), bar.right()) if self.grips else ():
            p.setPen(QPen(QColor(look.INK), 1))
            p.setBrush(QColor(look.SHEET))
            p.drawRoundedRect(QRectF(x - 3.5, bar.top() - 3, 7, bar.height() + 6), 2, 2)
            p.drawLine(int(x), int(bar.top() + 2), int(x), int(bar.bottom() - 2))
        self._numbers(p, bar)
        q = self.of.quantity
        x = bar.right() + 14
        p.setPen(QColor(look.INK))
        p.setFont(look.font(13))
        unit = shown.symbol(q.dimension)
        title = p.fontMetrics().elidedText(
            f"{q.name}, {unit}".rstrip(", "), Qt.TextElideMode.ElideRight, int(self.width() - x)
        )
        p.drawText(QRectF(x, 2, self.width() - x, 18), Qt.AlignmentFlag.AlignLeft, title)
        p.setPen(QColor(look.INK2))
        p.setFont(look.font(11))
        p.drawText(QRectF(x, 21, self.width() - x, 16), Qt.AlignmentFlag.AlignLeft, self._second())
        if self.limit is not None and self.of.low < self.limit < self.of.high:
            at = bar.left() + bar.width() * (self.limit - self.of.low) / (self.of.high - self.of.low)
            p.setPen(QPen(QColor(look.EMBER), 2))
            p.drawLine(int(at), 2, int(at), 23)
        p.end()

    def _second(self) -> str:
        """Steps in words, and which rows it is of."""
        assert self.of is not None
        rows = ", ".join(self.of.rows[:2]) + (f" and {len(self.of.rows) - 2} more" if len(self.of.rows) > 2 else "")
        if not self.of.steps:
            return rows
        d = self.of.quantity.dimension
        width = shown.span((self.of.high - self.of.low) / self.of.steps, d)
        unit = shown.symbol("temperature difference" if d == "temperature" else d)
        return f"{self.of.steps} steps of {shown.number(width, 3)} {unit}; {rows}"

    def _numbers(self, p: QPainter, bar: QRectF) -> None:
        p.setFont(look.font(12))
        p.setPen(QColor(look.INK))
        last = 4 if bar.width() > 220 else 2
        if self.of is not None and 0 < self.of.steps <= bar.width() / 42:
            last = self.of.steps
        for i in range(last + 1):
            value = self._ends[0] + i / last * (self._ends[1] - self._ends[0])
            x = bar.left() + bar.width() * i / last
            flag = Qt.AlignmentFlag.AlignLeft if i == 0 else Qt.AlignmentFlag.AlignHCenter
            left = x - 5 if i == 0 else x - 40
            p.drawText(QRectF(left, 25, 80, 16), flag, look.minus(shown.number(value, 3)))

    def _grip(self, x: float) -> int | None:
        bar = self._bar()
        near = [abs(x - bar.left()), abs(x - bar.right())]
        best = 0 if near[0] < near[1] else 1
        return best if near[best] < 9 else None

    def mousePressEvent(self, event):  # noqa: N802
        if event.button() == Qt.MouseButton.RightButton and self.of is not None:
            self.settled.emit(self.of, "this layout")
        elif event.button() == Qt.MouseButton.LeftButton:
            self._held = self._grip(event.position().x())
            self._from = event.position().x(), list(self._ends)

    def mouseMoveEvent(self, event):  # noqa: N802
        if self._held is None or self.of is None:
            self.setCursor(
                Qt.CursorShape.SizeHorCursor
                if self._grip(event.position().x()) is not None
                else Qt.CursorShape.ArrowCursor
            )
            return
        x, ends = self._from
        span = ends[1] - ends[0]
        moved = (event.position().x() - x) / self._bar().width() * span
        self._ends[self._held] = ends[self._held] + moved
        if self._ends[1] - self._ends[0] < 0.02 * span:
            self._ends[self._held] = self._ends[1 - self._held] + (0.02 * span if self._held else -0.02 * span)
        self.update()
        self.dragged.emit(self.of, self.range_text())

    def mouseReleaseEvent(self, event):  # noqa: N802
        if self._held is not None and self.of is not None:
            self._held = None
            if self._ends != self._from[1]:
                self.settled.emit(self.of, self.range_text())

    def mouseDoubleClickEvent(self, event):  # noqa: N802
        if self.of is None:
            return
        text, ok = QInputDialog.getText(self, "Scale", f"Range of {self.of.quantity.name}:", text=self.range_text())
        if ok and text.strip():
            self.settled.emit(self.of, text.strip())


class Scales(QWidget):
    """The scales of all that is drawn, the first ones beside each other."""

    dragged = pyqtSignal(object, str)
    settled = pyqtSignal(object, str)

    def __init__(self, grips: bool = True):
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        self.scales = [Scale(grips) for _ in range(MOST)]
        for scale in self.scales:
            scale.dragged.connect(self.dragged)
            scale.settled.connect(self.settled)
            row.addWidget(scale, 1)
        self.setFixedHeight(46)

    def show_scales(self, found: list[ScaleOf], limits: dict[str, float]) -> None:
        """Show scales; ``limits`` by the dimension they are marked on."""
        first: dict[tuple, ScaleOf] = {}
        for x in sorted(found, key=lambda x: not x.steps):  # rows that differ in their steps only share one
            first.setdefault((x.quantity.name, x.low, x.high), x)
        found = [x for x in found if x in first.values()]
        for scale, of in zip(self.scales, [*found[:MOST], *[None] * MOST], strict=False):
            scale.setVisible(of is not None)
            if of is not None:
                scale.show_scale(of, limits.get(of.quantity.name))
