"""Kept instants of a run in time: a slider under the bench, and playing."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSlider, QWidget

from ..read import shown
from .session import Session

#: milliseconds between two instants while playing
PACE = 160


class TimeBar(QWidget):
    """Shown in Read where the result has kept instants."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.play = QPushButton("Play", checkable=True)
        self.play.setToolTip("Go through the kept instants, again and again")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("instant")
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
