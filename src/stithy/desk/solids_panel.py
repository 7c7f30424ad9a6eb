"""What a layout's solids come to, in Shape: fluid spaces, faults of imported solids, touching pairs; worked out beside
the window."""

from __future__ import annotations

from threading import Thread

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QHeaderView, QLabel, QVBoxLayout, QWidget

from ..api import Project
from ..errors import StithyError
from .session import Session
from .tables import fill, plain_table

_HEADS = {
    "spaces": ("Fluid space", "Openings", "Volume cm³"),
    "faults": ("Fault of", "What", ""),
    "pairs": ("Part", "touches", "Area mm²"),
}
_EMPTY = {"spaces": "no fluid", "faults": "nothing wrong with imported solids", "pairs": "no parts touch"}


class SolidsPanel(QWidget):
    """Three tables beside each other; a click selects the rows that a line is about."""

    def __init__(self, session: Session, _compare=None):
        super().__init__()
        self.session, self._done, self._of, self._asked = session, None, None, None
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 2, 12, 6)
        box.setSpacing(2)
        box.addWidget(self.said)
        row = QHBoxLayout()
        row.setSpacing(18)
        box.addLayout(row, 1)
        self.tables, self._names = {}, {name: [] for name in _HEADS}
        for name, share in (("spaces", 5), ("faults", 7), ("pairs", 5)):
            table = plain_table()
            table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
            table.horizontalHeader().setStretchLastSection(False)
            table.cellClicked.connect(lambda r, _, n=name: self._chosen(n, r))
            self.tables[name] = table
            row.addWidget(table, share)
        self.timer = QTimer(self)
        self.timer.setInterval(120)
        self.timer.timeout.connect(self._poll)
        for event in ("document", "layout", "stage"):
            session.on(event, self.rebuild)

    def showEvent(self, event):  # noqa: N802
        """What is not seen is not worked out."""
        super().showEvent(event)
        self.rebuild()

    def rebuild(self) -> None:
        """Work the lists out anew, where they can be seen and something has changed."""
        now = self.session.document, self.session.layout
        if not self.isVisible() or now == self._of:
            return
        self._of, self._done = now, None
        standing = self.session.standing()
        if standing.problems:
            self.said.setText("Settle what is marked first; then fluid spaces and touching pairs are found.")
            self._show({"spaces": [], "faults": [], "pairs": []})
            return
        self.said.setText("Looking for fluid spaces, faults and touching pairs")
        Thread(target=self._look, args=now, daemon=True).start()
        self.timer.start()

    def _look(self, document, layout: str) -> None:
        project, found = Project(document, self.session.folder), {}
        try:
            found = {
                "spaces": project.spaces(layout),
                "faults": project.faults(layout),
                "pairs": project.contacts(layout),
            }
        except (StithyError, MemoryError) as error:
            found = {"error": str(error)}
        self._done = (document, layout), found

    def _poll(self) -> None:
        if self._done is None:
            return
        of, found = self._done
        self._done = None
        if of != self._of:
            return
        self.timer.stop()
        if "error" in found:
            self.said.setText(found["error"].splitlines()[0])
            return
        closed = sum(not s.openings for s in found["spaces"])
        matters = sum(f.matters for f in found["faults"])
        self.said.setText(
            f"{len(found['spaces'])} fluid space{'s' if len(found['spaces']) != 1 else ''}, {closed} closed; "
            f"{matters} to settle, {len(found['faults']) - matters} harmless; {len(found['pairs'])} touching pairs. "
            "On the grid as it is: gaps thinner than a cell are closed."
        )
        self._show(found)

    def _show(self, found: dict) -> None:
        lines = {
            "spaces": [
                ((f"fluid space {s.number + 1}", ", ".join(s.openings) or "closed", f"{1e6 * s.volume:.4g}"), s.parts)
                for s in found["spaces"]
            ],
            "faults": [
                (((" and ".join(f.bodies), f.matters), f.what, "settle" if f.matters else "harmless"), f.bodies)
                for f in found["faults"]
            ],
            "pairs": [((p.one, p.other, f"{1e6 * p.area:.4g}"), (p.one, p.other)) for p in found["pairs"]],
        }
        for name, table in self.tables.items():
            rows = [cells for cells, _ in lines[name]] or [(_EMPTY[name], "", "")]
            self._names[name] = [names for _, names in lines[name]]
            fill(table, _HEADS[name], rows, words=2)
            header = table.horizontalHeader()
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)

    def _chosen(self, name: str, row: int) -> None:
        if row < len(self._names[name]):
            known = {r.name for r in self.session.document.rows_of(self.session.layout)}
            self.session.select(tuple(n for n in self._names[name][row] if n in known))
