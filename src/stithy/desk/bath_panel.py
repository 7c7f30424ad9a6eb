"""The bath in the shelf: vapour, venting, level and the nearness to drying out against time, and its walls."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QHeaderView, QLabel, QVBoxLayout

from ..errors import StithyError
from ..read import bath, shown
from . import look
from .charts import COLOURS, plain_plot
from .page import Page
from .session import Session
from .tables import fill, plain_table

#: as axes show them: unit and its size in SI
UNITS = {"volume": ("ml", 1e-6), "mass flow": ("g/s", 1e-3), "length": ("mm", 1e-3), "share": ("%", 0.01)}


class BathPanel(Page):
    """Curves of the shown layout, with those of the other layouts that hold a bath behind them, and a table of its
    parts; a line of the table selects its row."""

    def __init__(self, session: Session):
        super().__init__(session)
        self.plots = {name: plain_plot("") for name in bath.IN_TIME}
        self.title, self.words, self.note = QLabel("Bath"), QLabel(wordWrap=True), QLabel(wordWrap=True)
        self.title.setStyleSheet("font-weight: 600;")
        self.words.setProperty("quiet", True)
        self.note.setProperty("quiet", True)
        self.table = plain_table()
        self.table.cellClicked.connect(self._select)
        grid = QGridLayout()
        grid.setSpacing(4)
        for k, plot in enumerate(self.plots.values()):
            plot.setMinimumHeight(60)
            grid.addWidget(plot, 0, k)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addWidget(self.words, 1)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addLayout(head)
        left.addLayout(grid, 1)
        right.addWidget(self.table, 1)
        right.addWidget(self.note)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 12, 6)
        row.setSpacing(16)
        row.addLayout(left, 3)
        row.addLayout(right, 2)
        self.rows: list[bath.Wall] = []
        for event in ("stage", "results", "layout", "document"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """Show the shown layout's bath, where it can be seen."""
        if not self.seen():
            return
        self._show(self._summary(self.session.layout))

    def _summary(self, layout: str) -> dict | None:
        """The stored summary of a layout."""
        result = self.session.result(layout)
        return None if result is None else result.summary

    def _show(self, summary: dict | None) -> None:
        told = "No result yet. Press Run to solve this layout." if summary is None else ""
        self.rows = []
        try:
            if summary is not None:
                self.rows = bath.walls(summary)
        except StithyError as error:
            told = str(error)
        for plot in self.plots.values():
            plot.setVisible(not told)
        self.table.setVisible(not told)
        self.note.setVisible(not told)
        self.words.setText(look.minus(told))
        if told or summary is None:
            return
        self._curves(summary)
        self._walls(summary)

    def _curves(self, summary: dict) -> None:
        """The shown layout's curves in ink, those of others thin behind them."""
        others = []
        for name in (x.name for x in self.session.document.layouts):
            found = None if name == self.session.layout else self._summary(name)
            if found and found.get("bath"):
                others.append((name, found))
        for key, plot in self.plots.items():
            what, dimension = bath.IN_TIME[key]
            unit, size = UNITS[dimension]
            plot.clear()
            plot.setTitle(f"{what}, {unit}", color=look.INK2, size="9pt")
            for k, (_, found) in enumerate(others):
                pen = pg.mkPen(COLOURS[(k + 1) % len(COLOURS)], width=1, style=Qt.PenStyle.DashLine)
                t, y = bath.in_time(found, key)
                plot.plot(t, y / size, pen=pen)
            t, y = bath.in_time(summary, key)
            plot.plot(t, y / size, pen=pg.mkPen(COLOURS[0], width=1.5))
            if dimension == "share":
                plot.addItem(pg.InfiniteLine(pos=100.0, angle=0, pen=pg.mkPen(look.EMBER, width=1)))
                plot.setYRange(0.0, max(100.0, float((y / size).max(initial=0.0)) * 1.05))
            else:
                plot.autoRange(padding=0.05)
        words = "against time, s"
        if others:
            words += "; dashed: " + ", ".join(name for name, _ in others)
        self.words.setText(look.minus(words))

    def _walls(self, summary: dict) -> None:
        found = bath.table(summary)
        heads = ("in the bath", "boils off", "of critical flux", "at most", "")
        lines = [
            (
                x.name,
                shown.text(x.boils, "power", 3),
                f"{100 * x.share:.0f} %",
                (f"{100 * x.highest:.0f} %", x.dry),
                ("dries out", True) if x.dry else "",
            )
            for x in self.rows
        ]
        fill(self.table, heads, lines)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        level = shown.text(found["saturation"], "temperature")
        if not found["boils"]:
            self.note.setText(look.minus(f"Boiling is left out; saturation would be at {level}."))
            return
        leaves = bath.as_latent(summary)
        out = "no vapour leaves yet"
        if leaves > 1e-3 * abs(float(summary["heat_load"])):
            gone = shown.text(found["venting"], "mass flow", 3)
            out = f"{gone} of vapour leave, with {shown.text(leaves, 'power', 3)} of latent heat"
        critical = shown.text(found["critical_flux"], "heat flux", 3)
        self.note.setText(
            look.minus(
                f"Saturation at {level}, critical flux {critical}; {out}. Volumes of vapour ±30 %, superheat of walls "
                "±30 %, shares of the critical flux ±20 %."
            )
        )

    def _select(self, row: int, _column: int) -> None:
        name = self.rows[row].name
        if name in {r.name for r in self.session.document.rows_of(self.session.layout)}:
            self.session.select((name,))
