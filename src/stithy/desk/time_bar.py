"""Kept instants of a run in time: a slider under the bench with a dot for each and a mark where something changed, and
playing."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSlider, QStyle, QWidget

from ..read import shown
from . import look
from .session import Session

#: milliseconds between two instants while playing
PACE = 160


class Instants(QSlider):
    """A slider over instants, with what changed between them."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setAccessibleName("instant")
        self.setMinimumHeight(30)
        #: instants (s), and when (s) something changed
        self.times: list[float] = []
        self.changes: list[float] = []

    def x_of(self, time: float) -> float:
        """Where (px) a time stands."""
        at = float(np.interp(time, self.times, range(len(self.times))))
        half = self.style().pixelMetric(QStyle.PixelMetric.PM_SliderLength) / 2.0
        return half + (self.width() - 2.0 * half) * at / max(len(self.times) - 1, 1)

    def paintEvent(self, event):  # noqa: N802
        super().paintEvent(event)
        if len(self.times) < 2:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        low = self.height() - 3.0
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(look.INK2))
        for time in self.times:
            p.drawEllipse(QPointF(self.x_of(time), low), 1.6, 1.6)
        p.setPen(QPen(QColor(look.TEAL), 2.0))
        for time in self.changes:
            x = self.x_of(time)
            p.drawLine(QPointF(x, 1.0), QPointF(x, low - 3.0))
        p.end()


class TimeBar(QWidget):
    """Shown in Read where the result has kept instants."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.play = QPushButton("Play", checkable=True)
        self.play.setToolTip("Go through the kept instants, again and again")
        self.slider = Instants()
        self.where = QLabel()
        self.where.setFixedWidth(150)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 2, 14, 2)
        row.addWidget(self.play)
        row.addWidget(self.slider, 1)
        row.addWidget(self.where)
        self.timer = QTimer(self, interval=PACE)
        self.timer.timeout.connect(self._step)
        self.play.toggled.connect(lambda on: self.timer.start() if on else self.timer.stop())
        self.slider.valueChanged.connect(self._moved)
        self.times: list[float] = []
        for event in ("stage", "layout", "results"):
            session.on(event, self.rebuild)
        session.on("sight", self._follow)
        self.rebuild()

    def rebuild(self) -> None:
        """Take the instants of the shown layout's result."""
        result = self.session.result() if self.session.stage == "Read" else None
        times = [x.time for x in result.instants] if result is not None else []
        self.setVisible(len(times) > 1)
        if result is not None and len(times) > 1:
            noted = [x for x in result.summary.get("log", ()) if x[3] == "turned" and x[2] <= times[-1]]
            self.slider.changes = [float(x[2]) for x in noted]
            told = "\n".join(f"{shown.text(x[2], 'time')}: {x[4]}" for x in noted)
            self.slider.setToolTip(told or "A dot for each kept instant")
        self.slider.times = times
        if times == self.times:
            return
        self.times = times
        self.play.setChecked(False)
        self.session.picture.time = None
        if len(times) > 1:
            self.slider.blockSignals(True)
            self.slider.setRange(0, len(times) - 1)
            self.slider.setValue(len(times) - 1)
            self.slider.blockSignals(False)
            self._tell(len(times) - 1)

    def _tell(self, at: int) -> None:
        last = shown.text(self.times[-1], "time")
        self.where.setText(f"{shown.text(self.times[at], 'time')} of {last}")

    def _moved(self, at: int) -> None:
        if at < len(self.times):
            self._tell(at)
            if self.session.picture.time != self.times[at]:
                self.session.picture.time = self.times[at]
                self.session.tell("sight")

    def _follow(self) -> None:
        """Stand where another place has put the instant."""
        time = self.session.picture.time
        if time is not None and self.times:
            self.slider.setValue(min(range(len(self.times)), key=lambda k: abs(self.times[k] - time)))

    def _step(self) -> None:
        if not self.isVisible() or len(self.times) < 2:
            self.play.setChecked(False)
            return
        self.slider.setValue((self.slider.value() + 1) % len(self.times))
