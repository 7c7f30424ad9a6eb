"""A whole run of one layout: prepare, solve, store. The same for Python, command line, and worker process."""

from __future__ import annotations

import csv
import io
import logging
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from ..equations.staggered import Staggered
from ..errors import FileProblem, Problem, SetupError
from ..kinds.assembly import resolve
from ..mesh.gridding import scaled
from ..model import Model
from ..numerics.interpolate import resample
from ..outcome.extract import instant, solution
from ..project import assets
from ..project.document import Document
from ..project.kind import KINDS
from ..project.lock import solving
from ..setup.prepare import Prepared, prepare
from ..solution import packing, store
from ..solution.solution import Solution
from . import pace
from .boiling import BoilingRun
from .coarse import Rungs
from .finer import Finer
from .heeding import Heeding
from .steady import Fields, Progress, Steady
from .transfer import between_sheets, transfer
from .transient import Transient
from .turning import Turning, settings_of


def start_fields(p: Prepared, old: Solution | None) -> Fields | None:
    """Fields to continue from: the stored ones, if they are on the same grid with the same solids."""
    if old is None or old.grid.shape != p.case.grid.shape or not np.array_equal(old.kind, p.case.kind):
        return None
    if any(not np.allclose(a, b, atol=1e-9) for a, b in zip(old.grid.lines, p.case.grid.lines, strict=True)):
        return None
    return old.fields


LOG = logging.getLogger(__name__)
CHECKPOINT = 15.0  # s, between instants of a run that are kept to go on from after a crash
#: cells below which a coarser grid says nothing
LEAST = 60
Tell = Callable[[Progress], bool | None]


class Job(Finer, Turning, Heeding):
    """One run of one layout of a document kept in folder ``project`` (None: nothing is stored).

    ``fresh`` starts from rest even when a field to continue from is there; ``banded``: a grid of half the counts is
    solved first, to tell how far the numbers go with the grid; ``refine`` (K): the grid is refined by results until
    watches move by less, as the grid row may say too; ``begin_from`` a layout whose newest result is the start, on
    whatever grid, in the place of what the run row says; ``given``: fields of whatever grid to start from; ``finer``:
    times the cells along every stretch. Raises SetupError for a faulty layout.
    """

    def __init__(
        self,
        document: Document,
        layout: str,
        project: Path | None = None,
        fresh: bool = False,
        banded: bool = True,
        refine: float = 0.0,
        begin_from: str = "",
        given: packing.Given | None = None,
        finer: float = 1.0,
    ):
        self.document, self.layout, self.project = document, layout, Path(project) if project else None
        if self.project is not None:
            assets.know(self.project)
        self.model = resolve(document, layout)
        if finer != 1.0:
            self.model = scaled(self.model, finer)
        self.key = self.model.key()
        self.settings = settings_of(self.model)
        self.log: list[tuple[float, int, float, str, str]] = []
        self.earlier: list[Progress] = []  # of the grids before
        self.kept_history: list[str] = []  # of a run that this one continues
        self.saved_told = False
        #: who hears what is noted in the log while the run is on
        self.listeners: list[Callable[[tuple], None]] = []
        self.began_finer(refine, None if fresh else self._stored_lines())
        self.prepared = prepare(self._model_at(0.0))
        self.began_turning()
        self.began_heeding()
        self.start = self.numbers = self.coarse = None
        if given is None and not fresh and project is not None and not store.summary_of(self.project, self.key):
            given = packing.unpacked(packing.of_point(self.project, self.key))  # it was a point of a study before
        if given is not None and self.model.run.time is None:  # in time the start is part of the answer
            case = self.prepared.case
            self.start = transfer(given.grid, given.kind, given.fields, case.grid, case.kind, self.model.ambient)
        potential = self.model.run.start == "potential flow"
        self._find_start(fresh, begin_from or self.model.run.start)
        self.shown_grid = self.prepared.case.grid  # what snapshots are on
        self.watch_names = [n for n in self.prepared.parts if self._role(n) != "enclosure"]
        self.run_ = self._run_on(self.prepared, self.start)
        self._take_up(fresh)
        if self.start is None and project is not None:
            self.run_.expected = self._expected(store.summary(self.project, layout, self.key))
        # ends inside the model stand far from most of it: from rest, mass would be long in coming to them
        plated = any(p.whole for p in self.prepared.case.openings)
        if (potential or plated) and self.start is None:
            self.run_.start_potential()
        self.banded = banded and self.model.run.time is None and not potential and self.run_.case.grid.cells > LEAST
        self.rungs: Rungs | None = None

    def _stored_lines(self) -> tuple | None:
        """Lines of a grid that an earlier run of the very same model refined (its checkpoint first), or None."""
        if self.project is None or self.model.run.time is not None:
            return None
        found = (store.summary_of(self.project, self.key, spare) for spare in (True, False))
        info = next((x for x in found if x is not None), None)  # of a run that crashed first
        refined = (info or {}).get("refined")
        return tuple(tuple(x) for x in refined["lines"]) if refined else None

    def _find_start(self, fresh: bool, start: str) -> None:
        """What the run starts from: another layout's result, or what is stored of this one."""
        if start and start not in ("potential flow", "steady state") and self.project is not None:
            self.start = self._other_start(start)
        elif not fresh and self.project is not None and self.model.run.time is None:
            for spare in (True, False):
                old = None if self.start else store.load(self.project, self.layout, self.key, spare)
                self.start = self.start or start_fields(self.prepared, old)
                if old is not None and old.summary["key"] == self.key:
                    self.numbers, self.coarse = old.summary.get("coarse"), old.coarse

    def _run_on(self, p: Prepared, fields: Fields | None) -> Steady:
        """A run of a case, from some fields or from rest."""
        watched, time_ = self._watched_parts(p), p.model.run.time
        if time_ is None:
            steady = Steady(p.case, self.settings, watched, fields)
            self.heed(steady)
            return steady
        kind = Transient if p.case.bath is None else BoilingRun
        run = kind(p.case, self.settings, watched, fields, time_, self._loads(p))
        run.keep = lambda moment: instant(self.prepared, self.run_, moment)
        run.stops = [e.time for e in self.model.events if e.time > self.passed]
        return run

    def _watched_parts(self, p: Prepared) -> list[int]:
        return [p.parts.index(n) for n in self.watch_names if n in p.parts]

    def _expected(self, old: dict | None) -> int:
        """Iterations that the run of a stored summary took, if it began from rest on about as many cells; else 0."""
        if old is None or not old.get("from_rest") or not 0.7 < old["cells"] / self.prepared.case.grid.cells < 1.4:
            return 0
        return int(old["iterations"])

    def _other_start(self, name: str) -> Fields | None:
        """The stored field of another layout (or of this one), carried to this grid."""
        old, p = store.load(self.project, name), self.prepared
        if old is None:
            raise SetupError(
                [Problem("Run", "start from", f"“{name}” has no result yet.", "Solve that layout first.", "Run")]
            )
        if self.model.run.start_at is not None:
            if not old.instants:
                raise SetupError(
                    [Problem("Run", "at instant", f"“{name}” has kept no instants.", "Leave the cell empty.", "Run")]
                )
            old = old.at_instant(self.model.run.start_at)
        return start_fields(p, old) or transfer(
            old.grid, old.kind, old.fields, p.case.grid, p.case.kind, self.model.ambient
        )

    def _loads(self, p: Prepared):
        """Cells, watts and profile of every solid whose load changes in time."""
        out = []
        geo_flat = Staggered(p.case).flat
        for s in p.model.solids:
            if s.profile and s.name in p.parts:
                cells = np.argwhere(p.case.part == p.parts.index(s.name))
                if len(cells):
                    out.append((geo_flat(cells), p.case.heat[tuple(cells.T)].copy(), s.profile))
        return out

    def note(self, kind: str, text: str) -> None:
        """Write something in the run's log, which stays with the result: "refined", "turned", "kept", "warning" or
        "began"."""
        h = self.run_.history[-1] if self.run_.history else None
        seconds = time.perf_counter() - self.run_.started
        line = (round(seconds, 2), self._iterations(), h.time if h else 0.0, kind, text)
        self.log.append(line)
        LOG.info("%s: %s", self.layout, text)
        for hear in self.listeners:
            hear(line)

    def _iterations(self) -> int:
        """Iterations on this layout's own grids up to now."""
        return (self.earlier[-1].iteration if self.earlier else 0) + self.run_.iteration

    def checkpoint(self, last: Progress) -> None:
        """Store the present fields beside the result, to continue from after a crash. A run goes on without, where that
        cannot be done."""
        if self.project is None:
            return
        try:
            store.save(self.project, self.layout, self.result(last, walls=False), self.history(), spare=True)
            self.saved_told = False
        except FileProblem as error:
            if not self.saved_told:
                self.note("warning", f"No checkpoint could be written: {error}")
            self.saved_told = True

    def _role(self, name: str) -> str:
        return next((s.role for s in self.model.solids if s.name == name), "enclosure")

    def run(self, tell: Tell | None = None) -> Solution:
        """Solve, store, and return the result; ``tell`` is called every iteration and stops the run by False.

        Iterations on coarser grids come first in what ``tell`` hears; its iterations and seconds count from their
        start.
        """
        if self.project is None:
            return self._run(tell)
        with solving(self.project, self.key):
            store.ready(self.project, self.prepared.case.grid.cells)
            return self._run(tell)

    def _run(self, tell: Tell | None) -> Solution:
        self.run_.started = self.began = saved = time.perf_counter()
        self.done, self.stopped = 0, False

        def hear(progress: Progress) -> bool:
            nonlocal saved
            if progress.phase == "flow" and time.perf_counter() - saved > CHECKPOINT:
                saved = time.perf_counter()
                self.checkpoint(progress)
            go = not tell or tell(replace(progress, iteration=self.done + progress.iteration)) is not False
            self.stopped = self.stopped or not go
            if go and self.ends_early(progress):
                self.stopped = True
                return False
            return go and not self.wants_to_leave(progress)

        LOG.info("solving %s of %s: %d cells", self.layout, self.project or "a document", self.run_.case.grid.cells)
        if self.model.run.start == "steady state" and self.model.run.time is not None and not self.kept_history:
            if not self._steady_first(hear):
                return self.keep(self.run_.finish())
        if self.banded and self.numbers is None and not self._bands(hear, self.start):
            self.run_.step()
            return self.keep(self.run_.finish())
        while True:
            last = self.run_.run(hear)
            if self.turn(last):
                continue
            if self.stopped or not self.refines(last):
                break
            self.refine()
        if self.banded and self.numbers is None and not self.stopped:
            self.done += self.run_.iteration
            self._bands(hear, self.run_.fields())  # of the grid or the dials as they are now
            last.seconds = time.perf_counter() - self.run_.started
        return self.keep(last)

    def _steady_first(self, hear) -> bool:
        """A steady state of the same layout at its beginning, from which time goes on; whether to go on at all."""
        first = Steady(self.prepared.case, self.settings, self._watched_parts(self.prepared), self.start)
        go = True

        def told(progress: Progress) -> bool:
            nonlocal go
            go = hear(replace(progress, phase="steady state", time=0.0))
            return go

        first.started = self.began
        first.run(told)
        self.done = first.iteration
        self.run_.take(first.fields())
        self.note("began", f"Began from a steady state after {first.iteration} iterations")
        return go

    def _bands(self, hear, start: Fields | None) -> bool:
        """The coarser grids first, each the start of the next finer one; whether to go on."""
        own = self.run_.case
        self.rungs = Rungs(self.prepared.model, self.settings, self.watch_names)
        given = None if start is None else (start, own.grid, own.kind)
        climb = self.rungs.climb(hear, self.run_.started, given)
        self.rungs = None
        self.numbers, self.coarse = climb.numbers, climb.solution
        if start is None and climb.fields is not None:
            at = climb.prepared.case
            parted = between_sheets(at, own)
            self.run_.take(transfer(at.grid, at.kind, climb.fields, own.grid, own.kind, self.model.ambient, parted))
        self.done += climb.iterations
        return not climb.stopped

    def snapshot(self) -> np.ndarray:
        """Present temperatures (K) on the grid the run began with, also while another grid is being solved."""
        coarse = self.rungs.now if self.rungs is not None else None
        now = coarse or self.run_
        if now.case.grid is self.shown_grid:
            return now.heat.temperature()
        return resample(now.heat.temperature(), now.case.grid.centres, self.shown_grid.centres)

    def result(self, last: Progress | None = None, walls: bool = True) -> Solution:
        """The present solution; ``last`` is the run's last report."""
        last, coarse = last or self.run_.history[-1], self.coarse if walls else None
        found = solution(self.prepared, self.run_, last, self.watch_names, coarse, walls, self.numbers)
        found.summary["key"] = self.key
        if self.model.run.time is not None:
            found.summary["course"] = course(self.model)
        found.summary["log"] = [list(x) for x in self.log]
        self.tell_finer(found.summary)
        return found

    def keep(self, last: Progress) -> Solution:
        """Store the present solution, if there is a project folder."""
        result = self.result(last)
        LOG.info(
            "%s: %s after %d iterations, %.0f s",
            self.layout,
            "settled" if last.settled else "not settled",
            self.run_.iteration,
            last.seconds,
        )
        if self.project is not None:
            store.save(self.project, self.layout, result, self.history())
            store.remove(self.project, self.key, spare=True)
            said = {r.name: {k: r.text(k) for k in KINDS[r.kind].cells} for r in self.document.rows_of(self.layout)}
            store.keep_rows(self.project, self.key, said)
            if last.settled and self.start is None and not self.finer_rounds:
                pace.note(self.model, result.grid.cells, last.seconds, self.project)
        return result

    def _take_up(self, fresh: bool) -> None:
        """Where a run in time goes on from: a checkpoint of the same model, or a shorter run of the same course, one
        that was stopped too."""
        run = self.run_
        if fresh or self.project is None or not isinstance(run, Transient):
            return
        old = store.load(self.project, self.layout, self.key, True)
        if old is None:
            old = store.load(self.project, self.layout)
            if old is None or old.summary.get("course") != course(self.model):
                return
        fields, moment = start_fields(self.prepared, old), float(old.summary["time"])
        if fields is None or not run.fits(old.state) or not 0.0 < moment < run.clock.length * (1.0 - 1e-9):
            return
        lines = store.history_lines(self.project, old.summary["key"], bool(old.summary["key"] == self.key))
        self.kept_history = lines[1:]
        self.start = fields
        self.begin_at(moment)
        run = self.run_
        run.take(fields)
        run.resume(old.state)
        run.time, run.instants = moment, list(old.instants)
        run.iteration = len(self.kept_history)
        if run.clock.save:
            run.next_save = run.clock.save * (np.floor(moment / run.clock.save + 1e-9) + 1.0)
        self.log = [tuple(x) for x in old.summary.get("log", [])]  # type: ignore[misc]
        self.log.append((0.0, run.iteration, moment, "began", f"Went on from {moment:.6g} s"))

    def history(self) -> list[str]:
        """The run's history as CSV lines."""
        ends = self.prepared.ends
        names = [*self.watch_names, *(f"{n} flow m3/s" for n in ends), *(f"{n} pressure Pa" for n in ends)]
        out = io.StringIO()
        rows = csv.writer(out, lineterminator="\n")
        rows.writerow(["iteration", "seconds", "momentum", "mass", "heat", "time", *names])
        at = self.earlier[-1].iteration if self.earlier else 0
        numbered = [(h.iteration, h) for h in self.earlier] + [(at + h.iteration, h) for h in self.run_.history]
        for iteration, h in numbered:
            numbers = h.seconds, h.momentum, h.mass, h.heat, h.time, *h.watches, *h.flows[: len(ends)], *h.heads
            rows.writerow([iteration, *(f"{x:.8g}" for x in numbers)])
        head, *lines = out.getvalue().splitlines()
        return [head, *self.kept_history, *lines]


def course(model: Model) -> str:
    """The key of a run in time whatever its length: a longer one of the same goes on from its end."""
    plan = model.run.time
    assert plan is not None
    return replace(model, run=replace(model.run, time=replace(plan, length=0.0))).key()
