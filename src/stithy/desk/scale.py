"""The colour scale under the bench."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from . import look


class Scale(QWidget):
    """The colour scale with its numbers and the limit marked on it."""

    def __init__(self):
        super().__init__()
        self.name, self.low, self.high, self.limit = "temperature", 0.0, 1.0, None
        self.setFixedHeight(44)

    def show_range(self, name, low, high, limit=None):
        """What the scale stands for."""
        self.name, self.low, self.high, self.limit = name, low, high, limit
        self.update()

    def paintEvent(self, event):  # noqa: N802
        p = QPainter(self)
        width = min(360, self.width() - 150)
        bar = QRectF(0, 6, width, 11)
        gradient = QLinearGradient(bar.left(), 0, bar.right(), 0)
        stops = look.SCALES[self.name]
        for i, c in enumerate(stops):
            gradient.setColorAt(i / (len(stops) - 1), QColor(c))
        p.fillRect(bar, gradient)
        p.setPen(QPen(QColor(look.INK), 1))
        p.drawRect(bar)
        p.setFont(look.font(12))
        last = 4 if width > 220 else 2
        for i in range(last + 1):
            value = self.low + i / last * (self.high - self.low)
            flag = Qt.AlignmentFlag.AlignLeft if i == 0 else Qt.AlignmentFlag.AlignHCenter
            if i == last:
                flag = Qt.AlignmentFlag.AlignRight
            x = width * i / last
            box = QRectF(x if i == 0 else x - 80 if i == last else x - 40, 21, 80, 16)
            p.drawText(box, flag, look.minus(f"{value:.3g}"))
        p.drawText(QRectF(width + 8, 2, 140, 18), Qt.AlignmentFlag.AlignLeft, f"{self.name}, {look.UNITS[self.name]}")
        if self.limit is not None and self.low < self.limit < self.high:
            x = int(width * (self.limit - self.low) / (self.high - self.low))
            p.setPen(QPen(QColor(look.EMBER), 2))
            p.drawLine(x, 2, x, 22)
        p.end()
