"""What is doubtful about the grid, in Grid: worst first, each one press from its place; cells of every part."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QLabel, QTableWidget, QVBoxLayout

from ..mesh.findings import Finding, findings, yplus
from .page import Page
from .session import Session
from .tables import fill, plain_table


class FindingsPage(Page):
    """A table of findings; a press shows the place on the bench and chooses the rows it is about."""

    stage = "Grid"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        self.table: QTableWidget = plain_table()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.itemSelectionChanged.connect(self._chosen)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 4, 12, 6)
        box.addWidget(self.said)
        box.addWidget(self.table, 1)
        self.found: list[Finding] = []
        self._of: object = None
        for event in ("document", "layout", "stage"):
            session.on(event, self.rebuild)

    def rebuild(self) -> None:
        """Look at the grid anew, where it has changed."""
        if not self.seen():
            return
        standing = self.session.standing()
        if standing.model is None or standing.problems:
            self.found = []
            self.said.setText("Settle what is marked first.")
            self.table.setRowCount(0)
            return
        if standing.model is self._of:
            return
        self._of = standing.model
        self.found = findings(standing.model)
        _, cells, needs = standing.size
        count = len(self.found)
        told = f"{count} finding{'s' if count != 1 else ''}" if count else "nothing doubtful"
        walls = "; ".join(f"y+ about {low:.2g} to {high:.2g} at walls in {n}" for n, low, high in yplus(standing.model))
        size = f"{cells:,} cells".replace(",", " ") + f", about {needs / 1e6:.0f} MB"
        self.said.setText("; ".join(x for x in (told, size, walls) if x))
        rows = [[f.what, "; ".join(f.rows), f"{f.weight:.1f}", f.remedy] for f in self.found]
        fill(self.table, ["finding, worst first", "of", "weight", "what to do"], rows, words=2)
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        for r in range(count):
            item = self.table.item(r, 3)
            if item is not None:
                item.setTextAlignment(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft)

    def _chosen(self) -> None:
        """The place of the chosen finding, and its rows."""
        rows = {i.row() for i in self.table.selectedIndexes()}
        if len(rows) != 1 or min(rows) >= len(self.found):
            return
        found = self.found[min(rows)]
        if found.rows:
            self.session.select(found.rows)
        window = self.window()
        if window is not None and hasattr(window, "bench"):
            window.bench.point_at(found.place, found.what)
