"""The full comparison of Weigh: every layout against every limit, best first."""

from __future__ import annotations

from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QLabel, QVBoxLayout, QWidget

from ..model.mass import mass
from ..weigh.limits import FAILS, MEETS
from ..weigh.table import equals, watch_text, with_band
from . import look
from .session import Session
from .tables import fill, plain_table

_HEADS = (
    "Layout",
    "Verdict",
    "Worst margin",
    "Drop\nPa",
    "Flow\nm³/h",
    "Air power\nW",
    "Fan draw\nW",
    "Mass\ng",
    "Result",
)


class Comparison(QWidget):
    """A table with a row per layout; double-click shows a layout, one click compares it beside the shown one."""

    def __init__(self, session: Session, compare):
        super().__init__()
        self.session, self.compare = session, compare
        self.table = plain_table()
        self.table.setStyleSheet("QTableView::item { padding: 0 3px; } QHeaderView::section { padding: 4px 3px; }")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.table.cellClicked.connect(lambda r, c: compare(self.names[r]))
        self.table.cellDoubleClicked.connect(lambda r, c: session.choose_layout(self.names[r]))
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 4, 12, 8)
        box.addWidget(self.table)
        self.equals = QLabel()
        self.equals.setProperty("quiet", True)
        self.equals.setWordWrap(True)
        box.addWidget(self.equals)
        self.names: list[str] = []
        for event in ("stage", "results", "document", "layout", "standings"):
            session.on(event, self.rebuild)

    def rebuild(self):
        """Fill the table anew, when it can be seen."""
        if self.session.stage != "Weigh":
            return
        ranking = self.session.ranking()
        self.names = [s.layout for s in ranking]
        limits = self._limits(ranking)
        heads = [f"{name}\n{most}" if most else name for name, most in limits.items()]
        watches = list(dict.fromkeys(x.watch.name for s in ranking for x in s.watches if x.watch.name not in limits))
        rows = [list(self._cells(s, limits, watches)) for s in ranking]
        fill(self.table, (*_HEADS, *heads, *watches), rows, words=3, height=25)
        said = equals(ranking)
        self.equals.setText(" ".join(said))
        self.equals.setVisible(bool(said))
        shown = self.names.index(self.session.layout)
        self.table.item(shown, 0).setFont(look.font(14, 600))

    @staticmethod
    def _limits(ranking) -> dict[str, str]:
        """Every limit's name and what the head of its column says of it: nothing where layouts differ."""
        out: dict[str, str] = {}
        for m in (m for s in ranking for m in s.margins):
            text = f"{'≥' if m.bound.least else '≤'} {m.bound_text()}"
            out[m.bound.name] = text if out.get(m.bound.name, text) == text else ""
        return out

    @staticmethod
    def _cells(s, limits, watches):
        worst, drop, known = s.worst, s.pressure_drop, s.summary is not None
        verdict = {MEETS: "meets all", "": "not known"}.get(s.verdict, s.verdict)
        if s.state == "faulty":
            verdict = f"{len(s.problems)} to settle"
        yield s.layout, False
        yield verdict, s.verdict == FAILS or s.state == "faulty"
        yield ((f"{with_band(worst)}, {worst.bound.name}", worst.verdict == FAILS) if worst else ("", False))
        yield (f"{drop:.1f}" if drop is not None else "–"), False
        yield (f"{s.through_flow * 3600:.1f}" if known else ""), False
        yield (f"{s.fan_power:.3f}" if known else ""), False
        yield (f"{s.fan_draw:.2f}" if known else ""), False
        yield (f"{mass(s.model) * 1e3:.0f}" if s.model else ""), False
        yield s.says, s.state in ("out of date", "faulty")
        by_name = {m.bound.name: m for m in s.margins}
        for name, head in limits.items():
            m = by_name.get(name)
            if m is None or m.value is None:
                yield "–", False
                continue
            told = f"{m.value_text()}{m.band_words()}"
            yield told if head else f"{told} / {m.bound_text()}", m.verdict == FAILS
        for name in watches:
            yield watch_text(s, name), False
