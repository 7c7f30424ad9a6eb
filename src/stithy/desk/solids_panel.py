"""What a layout's solids come to, in Shape: fluid spaces, faults of imported solids, touching pairs; worked out beside
the window."""

from __future__ import annotations

from queue import SimpleQueue
from threading import Thread

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from ..api import Project
from ..errors import StithyError
from ..project import units
from . import look
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
        self.session, self._done, self._of, self._asked = session, SimpleQueue(), (None, ""), 0
        self.said = QLabel()
        self.said.setProperty("quiet", True)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 2, 12, 6)
        box.setSpacing(2)
        head = QHBoxLayout()
        head.addWidget(self.said, 1)
        self.point = QLineEdit()
        self.point.setPlaceholderText("x, y, z mm inside what should be closed")
        self.point.setFixedWidth(250)
        self.point.returnPressed.connect(self.find_leak)
        self.leak = QPushButton("Show leak")
        self.leak.setStyleSheet("padding: 1px 10px; font-size: 12px;")
        self.leak.setToolTip("Draw the way fluid takes from that point to the outside, with its narrowest place")
        self.leak.clicked.connect(self.find_leak)
        head.addWidget(self.point)
        head.addWidget(self.leak)
        box.addLayout(head)
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
        self._of = now
        self._draw(None)
        standing = self.session.standing()
        if standing.problems:
            self.said.setText("Settle what is marked first; then fluid spaces and touching pairs are found.")
            self._show({"spaces": [], "faults": [], "pairs": []})
            return
        self.said.setText("Looking for fluid spaces, faults and touching pairs")
        self._begin(self._look, *now)

    def _begin(self, work, *args) -> None:
        """Work something out beside the window."""
        self._asked += 1
        Thread(target=work, args=args, daemon=True).start()
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
        self._done.put(((document, layout), found))

    def _poll(self) -> None:
        while not self._done.empty():
            of, found = self._done.get()
            self._asked -= 1
            if of == self._of:
                self._take(found)
        if not self._asked:
            self.timer.stop()

    def _take(self, found: dict) -> None:
        """Show what has been worked out."""
        if "error" in found:
            self.said.setText(found["error"].splitlines()[0])
            return
        if "leak" in found:
            self._tell_leak(found["leak"])
            return
        closed = sum(not s.openings for s in found["spaces"])
        matters = sum(f.matters for f in found["faults"])
        spaces, pairs = len(found["spaces"]), len(found["pairs"])
        self.said.setText(
            f"{spaces} fluid space{'' if spaces == 1 else 's'}, {closed} closed; "
            f"{matters} to settle, {len(found['faults']) - matters} harmless; "
            f"{pairs} touching pair{'' if pairs == 1 else 's'}. "
            "On the grid as it is: gaps thinner than a cell are closed."
        )
        self._show(found)

    def find_leak(self) -> None:
        """Look for the way from the point in the field to the outside, and draw it."""
        try:
            point = units.vector(self.point.text(), "length", 3)
        except StithyError as error:
            self.said.setText(f"{error} Give a point inside what should be closed.")
            return
        self.said.setText("Looking for the way out")
        self._begin(self._find, *self._of, point)

    def _find(self, document, layout: str, point) -> None:
        try:
            found = {"leak": Project(document, self.session.folder).leak(point, layout)}
        except (StithyError, MemoryError) as error:
            found = {"error": str(error)}
        self._done.put(((document, layout), found))

    def _tell_leak(self, leak) -> None:
        self._draw(leak)
        if leak is None:
            self.said.setText("No leak: the fluid there is closed in.")
            return
        where = look.minus(", ".join(f"{1e3 * x:.4g}" for x in leak.place))
        size = f"{1e3 * leak.width:.3g} mm" + (", narrower than the cells there" if leak.below_grid else "")
        self.said.setText(f"Leaks at {where} mm: {size}, beside {' and '.join(leak.beside) or 'the sides'}.")

    def _draw(self, leak) -> None:
        if leak is not self.session.leak:
            self.session.leak = leak
            self.session.tell("selection")

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
