"""Studies in Weigh: sweeps and searches of the project with how far they are, and what else can be asked of the shown
layout."""

from __future__ import annotations

import contextlib
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
)

from ..errors import StithyError
from ..kinds import SearchRow, SweepRow
from ..mesh.build import predict
from ..model.studies import Search, Sweep
from ..project import edits
from ..solve import pace
from ..weigh.points import studies, values_of
from ..weigh.pool import at_once
from . import look
from .page import Page
from .session import Session
from .study_work import GRIDS, HELPS, REPORT, SEARCH, SWEEP


class StudiesPage(Page):
    """A list of studies, the buttons for what can be done, and a line that says how far it is."""

    stage = "Weigh"

    def __init__(self, session: Session, _compare=None):
        super().__init__(session)
        self.list = QListWidget()
        self.list.setAccessibleName("studies")
        self.list.currentRowChanged.connect(self._chosen)
        self.what = QLabel(wordWrap=True)
        self.said = QLabel(wordWrap=True)
        self.bar = QProgressBar(textVisible=False)
        self.go, self.halt = QPushButton("Start"), QPushButton("Stop and keep")
        self.go.clicked.connect(self.start)
        self.halt.clicked.connect(session.stop_work)
        self.sweep, self.search = QPushButton("Add a sweep"), QPushButton("Add a search")
        self.sweep.clicked.connect(lambda: self._add(SweepRow, "Sweep"))
        self.search.clicked.connect(lambda: self._add(SearchRow, "Search"))
        self.grids, self.helps, self.report = (QPushButton(x) for x in ("Grid study", "What would help", "Report ..."))
        self.grids.setToolTip("The shown layout on three grids: order, band, what its numbers tend to")
        self.helps.setToolTip("What small changes of loads, materials, films and fans do to its limits")
        self.report.setToolTip("HTML, PDF or a spreadsheet: decision first, then what it stands on (Ctrl+R)")
        self.grids.clicked.connect(lambda: self.begin(GRIDS, session.layout))
        self.helps.clicked.connect(lambda: self.begin(HELPS, session.layout))
        self.report.clicked.connect(lambda: self.write_report())
        self._lay_out()
        self._poll = QTimer(self, interval=200)
        self._poll.timeout.connect(session.poll_work)
        self._poll.start()
        for event in ("stage", "document", "layout", "results", "studies", "table"):
            session.on(event, self.rebuild)

    def _lay_out(self) -> None:
        left, right, grid = QVBoxLayout(), QVBoxLayout(), QGridLayout()
        left.addWidget(self.list, 1)
        adds = QHBoxLayout()
        adds.addWidget(self.sweep)
        adds.addWidget(self.search)
        left.addLayout(adds)
        right.addWidget(self.what)
        starts = QHBoxLayout()
        starts.addWidget(self.go)
        starts.addWidget(self.halt)
        starts.addStretch(1)
        right.addLayout(starts)
        right.addWidget(self.bar)
        right.addWidget(self.said, 1)
        head = QLabel("Of the shown layout, and of all:")
        head.setProperty("quiet", True)
        grid.addWidget(head, 0, 0, 1, 3)
        for m, button in enumerate((self.grids, self.helps, self.report)):
            grid.addWidget(button, 1, m)
        right.addLayout(grid)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 12, 8)
        row.setSpacing(14)
        row.addLayout(left, 2)
        row.addLayout(right, 3)

    def rows(self) -> list:
        """Rows of studies, as the ledger lists them."""
        return [r for r in self.session.document.rows if r.kind in ("sweep", "search")]

    def chosen(self):
        """The chosen row, or None."""
        rows = self.rows()
        at = self.list.currentRow()
        return rows[at] if 0 <= at < len(rows) else None

    def rebuild(self) -> None:
        """Show studies and buttons as they are."""
        s = self.session
        if not self.seen():
            return
        known = {x.name: x for x in studies(s.document)}
        table = s.want_table()
        texts = []
        for row in self.rows():
            solved = sum(1 for n in table.lines if n.of == row.name) if table is not None else 0
            texts.append(f"{row.name}   {self._count(known.get(row.name), solved)}")
        at = self.list.currentRow()
        if texts != [self.list.item(m).text() for m in range(self.list.count())]:
            self.list.blockSignals(True)
            self.list.clear()
            self.list.addItems(texts)
            self.list.setCurrentRow(min(max(at, 0), len(texts) - 1))
            self.list.blockSignals(False)
        self._buttons(known)

    @staticmethod
    def _count(study, solved: int) -> str:
        if study is None:
            return "to settle: its row says what"
        if isinstance(study, Search):
            return f"search, {solved} of at most {study.runs} runs"
        with contextlib.suppress(StithyError):
            return f"sweep, {solved} of {len(values_of(study))} points"
        return "sweep of too many points"

    def _buttons(self, known: dict) -> None:
        s, row = self.session, self.chosen()
        study, busy = known.get(row.name) if row is not None else None, s.work is not None
        if row is None:
            self.what.setText(
                "No study yet. A sweep runs a layout with some of its cells varied; a search looks for the best."
            )
        elif study is None:
            self.what.setText("Its row in the ledger says what is to settle.")
        else:
            varied = "; ".join(v.title for v in study.variables)
            goal = f", for the {'most' if study.most else 'least'} {study.goal}" if isinstance(study, Search) else ""
            self.what.setText(f"Varies {varied}, about “{study.of}”{goal}.{self._cost(study)}")
        self.go.setText("Sweep" if isinstance(study, Sweep) else "Search" if isinstance(study, Search) else "Start")
        self.go.setEnabled(study is not None and not busy)
        self.halt.setEnabled(busy)
        free = not busy and s.run is None
        solved = s.standing().state == "current"
        self.grids.setEnabled(free and not s.problems())
        self.helps.setEnabled(free and solved)
        self.report.setEnabled(free)
        self.bar.setVisible(busy)
        if busy:
            self.bar.setRange(0, max(s.told.all, 1))
            self.bar.setValue(s.told.done)
            self.said.setText(look.minus(f"{s.work.what.capitalize()}: {s.told.words}"))
        elif s.ended is not None:
            self.said.setText(look.minus(s.ended.words))
            self.said.setProperty("warn", s.ended.failed)
            self.said.style().polish(self.said)

    def _cost(self, study) -> str:
        """How long what is left of a study will take, as it is foretold."""
        s, table = self.session, self.session.table
        model = s.peek(study.of).model
        solved = sum(1 for n in table.lines if n.of == study.name) if table is not None else 0
        with contextlib.suppress(StithyError):
            left = (study.runs if isinstance(study, Search) else len(values_of(study))) - solved
            if model is None or left <= 0:
                return ""
            _, cells, needs = predict(model)
            low, high = (x * left / min(at_once(needs), left) for x in pace.foretold(model, cells, s.folder))
            return f" About {pace.words(low, high)} for {left} more, {at_once(needs)} at once."
        return ""

    def _chosen(self, *_) -> None:
        row = self.chosen()
        if row is not None:
            self.session.select((row.name,))
        self.rebuild()

    def _add(self, kind, name: str) -> None:
        s = self.session
        row = kind(name=edits.free_name(s.document, name), **self._first())
        try:
            s.do(edits.add_row(s.layout, row))
        except StithyError as error:
            self.said.setText(str(error))
            return
        self.rebuild()
        self.list.setCurrentRow(len(self.rows()) - 1)
        self._chosen()

    def _first(self) -> dict[str, str]:
        """What a new study varies: the first fan's speed or the largest load, so that it can be run as it comes."""
        s = self.session
        from ..kinds.dials import dials

        found = next((d for d in dials(s.document, s.layout, most=8) if d.key in ("speed", "power", "flow")), None)
        if found is None:
            return {"of": s.layout}
        texts = "; ".join(f"{f * found.value:.4g}" for f in (0.6, 0.8, 1.0, 1.2))
        return {"of": s.layout, "first": f"{found.row}, {found.title}: {texts} {found.unit}".strip()}

    def start(self) -> None:
        """Begin the chosen study, or go on with it."""
        row = self.chosen()
        if row is not None:
            self.begin(SWEEP if row.kind == "sweep" else SEARCH, row.name)

    def begin(self, what: str, of: str, **more) -> None:
        """Begin something; what is refused is told."""
        s = self.session
        try:
            if s.folder is None or s.history.dirty:
                s.save()
            s.start_work(what, of, **more)
        except StithyError as error:
            self.said.setText(str(error))

    def write_report(self, path: str = "") -> None:
        """Ask where, and write a report."""
        s = self.session
        if not path:
            start = str((s.folder or Path.home()) / "report.html")
            kinds = "Report (*.html);;Report (*.pdf);;Spreadsheet (*.xlsx)"
            path, kind = QFileDialog.getSaveFileName(self, "Write a report", start, kinds)
            end = kind.partition("*")[2].rstrip(")")
            path = path if not path or Path(path).suffix else path + end
        if path:
            self.begin(REPORT, s.layout, path=path)
