"""What a chart of a run shows, against what, and on which scale: chosen by the user and remembered."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QSettings, pyqtSignal
from PyQt6.QtGui import QActionGroup
from PyQt6.QtWidgets import QMenu, QPushButton

from ..read import shown

#: columns of a history that are no temperatures
NO_WATCH = ("iteration", "seconds", "momentum", "mass", "heat", "time")
FLOW, PRESSURE = " flow m3/s", " pressure Pa"
GROUPS = ("residuals", "temperatures", "flows", "pressures", "balances")
AGAINST = ("iteration", "time", "clock")
SCALES = ("log", "linear")


def curves(group: str, columns: Mapping[str, np.ndarray]) -> dict[str, np.ndarray]:
    """The curves of a group, by name, in the units that are shown."""
    if group == "residuals":
        return {n: np.asarray(columns[n], float) for n in ("momentum", "mass", "heat") if n in columns}
    if group == "balances":
        return {f"{n}, %": 100.0 * np.asarray(columns[n], float) for n in ("mass", "heat") if n in columns}
    if group == "flows":
        return {n[: -len(FLOW)]: shown.convert(y, "volume flow") for n, y in columns.items() if n.endswith(FLOW)}
    if group == "pressures":
        return {n[: -len(PRESSURE)]: shown.convert(y, "pressure") for n, y in columns.items() if n.endswith(PRESSURE)}
    parts = {n: y for n, y in columns.items() if n not in NO_WATCH and not n.endswith((FLOW, PRESSURE))}
    return {n: shown.convert(np.asarray(y, float), "temperature") for n, y in parts.items()}


def title(group: str, against: str) -> str:
    """What is drawn, in words."""
    words = {
        "residuals": "residuals",
        "temperatures": f"hottest place of each part, {shown.symbol('temperature')}",
        "flows": f"flow in, {shown.symbol('volume flow')}",
        "pressures": f"pressure inside openings, {shown.symbol('pressure')}",
        "balances": "what does not close, % of the whole",
    }[group]
    return words + {"iteration": "", "time": " against time, s", "clock": " against the clock, s"}[against]


def axis(against: str, columns: Mapping[str, np.ndarray]) -> tuple[np.ndarray, str]:
    """The places along a chart, and what they are: time only where it goes on."""
    time = np.asarray(columns.get("time", ()), float)
    if against == "time" and len(time) > 1 and time[-1] > time[0]:
        return time, "time"
    if against == "clock" and "seconds" in columns:
        return np.asarray(columns["seconds"], float), "clock"
    return np.asarray(columns["iteration"], float), "iteration"


class ChartChoice(QPushButton):
    """A small button over one chart whose menu holds its three choices."""

    chosen = pyqtSignal()

    def __init__(self, key: str, group: str, against: str, scale: str):
        super().__init__("shows")
        self.key = key
        self.setToolTip("What this chart shows, against what, and on which scale")
        self.setStyleSheet("padding: 0 8px; font-size: 12px;")
        kept = QSettings("stithy", "window")
        found = str(kept.value(f"chart {key}", "")).split(", ")
        offered = (GROUPS, AGAINST, SCALES)
        good = len(found) == 3 and all(x in y for x, y in zip(found, offered, strict=True))
        self.group, self.against, self.scale_ = found if good else (group, against, scale)
        menu = QMenu(self)
        for name, choices in (("group", GROUPS), ("against", AGAINST), ("scale_", SCALES)):
            together = QActionGroup(self)
            for words in choices:
                action = menu.addAction(f"against {words}" if name == "against" else words)
                if action is not None:
                    action.setCheckable(True)
                    action.setChecked(getattr(self, name) == words)
                    action.triggered.connect(lambda _, n=name, w=words: self.take(n, w))
                    together.addAction(action)
            menu.addSeparator()
        self.setMenu(menu)

    def take(self, name: str, words: str) -> None:
        """One of the choices."""
        setattr(self, name, words)
        if name == "group":
            self.scale_ = "log" if words in ("residuals", "balances") else "linear"
        for action in self.menu().actions() if self.menu() is not None else ():
            text = action.text().removeprefix("against ")
            action.setChecked(text in (self.group, self.against, self.scale_))
        QSettings("stithy", "window").setValue(f"chart {self.key}", f"{self.group}, {self.against}, {self.scale_}")
        self.chosen.emit()
