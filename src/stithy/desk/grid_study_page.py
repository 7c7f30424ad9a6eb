"""The grid study of the shown layout, in Weigh: every number on three grids, and what it tends to."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QLabel, QPushButton, QVBoxLayout

from ..errors import StithyError
from ..read import shown
from ..weigh.grid_study import GridStudy, grid_study
from ..weigh.report import grid_table
from . import look
from .charts import plain_plot
from .page import Page
from .session import Session
from .study_work import GRIDS
from .tables import fill, plain_table


class GridStudyPage(Page):
    """A table of all numbers, and a chart of the chosen one against the cell size."""

    stage = "Weigh"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.said = QLabel(wordWrap=True)
        self.said.setProperty("quiet", True)
        self.ask = QPushButton("Solve on three grids")
        self.ask.clicked.connect(self._begin)
        self.table = plain_table()
        self.table.setSelectionBehavior(self.table.SelectionBehavior.SelectRows)
        self.table.itemSelectionChanged.connect(self._draw)
        self.plot = plain_plot("")
        self.plot.setTitle(None)
        top = QHBoxLayout()
        top.addWidget(self.said, 1)
        top.addWidget(self.ask)
        row = QHBoxLayout()
        row.addWidget(self.table, 3)
        row.addWidget(self.plot, 2)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 4, 12, 8)
        box.addLayout(top)
        box.addLayout(row, 1)
        self.found: GridStudy | None = None
        for event in ("stage", "layout", "results", "document", "studies"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """What is known of the shown layout."""
        if not self.seen():
            return
        s, words, self.found = self.session, "", None
        if s.folder is not None and not s.problems():
            try:
                self.found = grid_study(s.document, s.layout, s.folder)
            except StithyError as error:
                words = str(error)
        busy = s.work is not None
        self.ask.setEnabled(not busy and s.run is None and not s.problems() and self.found is None)
        if busy and s.work.what == GRIDS:
            words = s.told.words
        elif self.found is not None:
            cells = ", ".join(f"{n / 1e3:.0f} k" for n in self.found.cells)
            held = [x.held for x in self.found.lines if x.held is not None]
            words = f"{cells} cells. The band of the own grid's run held for {sum(held)} of {len(held)} numbers."
        elif not words:
            words = "The shown layout on a coarser grid, its own and a finer one: how far its numbers go with the grid."
        self.said.setText(words)
        table = grid_table(self.found) if self.found is not None else None
        self.table.setVisible(table is not None)
        self.plot.setVisible(table is not None)
        if table is None:
            return
        rows = [
            [(x, table.marks.get((r, c)) == "fails") for c, x in enumerate(line)] for r, line in enumerate(table.rows)
        ]
        fill(self.table, table.head, rows)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        if rows:
            self.table.selectRow(0)
        self._draw()

    def _draw(self) -> None:
        """The chosen number against the cell size, with what it tends to at none."""
        self.plot.clear()
        chosen = sorted({i.row() for i in self.table.selectedIndexes()})
        if self.found is None or not chosen or chosen[0] >= len(self.found.lines):
            return
        x = self.found.lines[chosen[0]]
        sizes = np.array(self.found.cells, float) ** (-1.0 / 3.0)
        sizes /= sizes[1]
        values = shown.convert(np.array(x.values), x.dimension)
        self.plot.plot(
            sizes, values, pen=pg.mkPen(look.INK, width=1.2), symbol="o", symbolBrush=look.SLATE, symbolPen=None
        )
        limit = float(shown.convert(x.tends.value, x.dimension))
        kind = "temperature difference" if x.dimension == "temperature" else x.dimension
        bar = pg.ErrorBarItem(
            x=np.array([0.0]),
            y=np.array([limit]),
            height=2.0 * np.array([shown.span(x.tends.band, kind)]),
            pen=pg.mkPen(look.INK2),
        )
        self.plot.addItem(bar)
        self.plot.plot([0.0], [limit], pen=None, symbol="o", symbolBrush=look.SHEET, symbolPen=pg.mkPen(look.INK))
        self.plot.setLabel("bottom", "cell size over that of the own grid")
        self.plot.setLabel("left", f"{x.name}, {shown.symbol(x.dimension)}")

    def _begin(self) -> None:
        window = self.window()
        window.pages["Studies"].begin(GRIDS, self.session.layout)
        self.rebuild()
