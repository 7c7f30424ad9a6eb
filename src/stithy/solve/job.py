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
from ..errors import Problem, SetupError
from ..kinds.assembly import resolve
from ..numerics.interpolate import resample
from ..outcome.extract import instant, solution
from ..project import assets
from ..project.document import Document
from ..project.lock import solving
from ..setup.prepare import Prepared, prepare
from ..solution import store
from ..solution.solution import Solution
from .boiling import BoilingRun
from .coarse import Rungs
from .steady import Fields, Progress, Settings, Steady
from .transfer import between_sheets, transfer
from .transient import Transient


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


class Job:
    """One run of one layout of a document kept in folder ``project`` (None: nothing is stored).

    ``fresh`` starts from rest even when a field to continue from is there; ``banded``: a grid of half the counts is
    solved first, to tell how far the numbers go with the grid. Raises SetupError for a faulty layout.
    """

    def __init__(
        self, document: Document, layout: str, project: Path | None = None, fresh: bool = False, banded: bool = True
    ):
        self.document, self.layout, self.project = document, layout, Path(project) if project else None
        if self.project is not None:
            assets.know(self.project)
        self.model = resolve(document, layout)
        self.key = self.model.key()
        self.prepared = prepare(self.model)
        self.start = self.numbers = self.coarse = None
        potential = self.model.run.start == "potential flow"
        if self.model.run.start and not potential and self.project is not None:
            self.start = self._other_start(self.model.run.start)
        elif not fresh and project is not None and self.model.run.time is None:
            for spare in (True, False):
                old = None if self.start else store.load(self.project, layout, self.key, spare)
                self.start = self.start or start_fields(self.prepared, old)
                if old is not None and old.summary["key"] == self.key:
                    self.numbers, self.coarse = old.summary.get("coarse"), old.coarse
        settings = Settings(
            most=self.model.run.iterations,
            momentum=self.model.run.residual,
            watch=self.model.run.drift,
            relaxation=self.model.run.relaxation,
        )
        self.settings = settings
        self.watch_names = [n for n in self.prepared.parts if self._role(n) != "enclosure"]
        watched = [self.prepared.parts.index(n) for n in self.watch_names]
        if self.model.run.time is None:
            self.run_ = Steady(self.prepared.case, settings, watched, self.start)
        else:
            case = self.prepared.case
            kind = Transient if case.bath is None else BoilingRun
            self.run_ = kind(case, settings, watched, self.start, self.model.run.time, self._loads())
            self.run_.keep = lambda time: instant(self.prepared, self.run_, time)
        if self.start is None and project is not None:
            self.run_.expected = self._expected(store.summary(self.project, layout, self.key))
        # ends inside the model stand far from most of it: from rest, mass would be long in coming to them
        plated = any(p.whole for p in self.prepared.case.openings)
        if (potential or plated) and self.start is None:
            self.run_.start_potential()
        self.banded = banded and self.model.run.time is None and not potential and self.run_.case.grid.cells > LEAST
        self.rungs: Rungs | None = None

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
        return start_fields(p, old) or transfer(
            old.grid, old.kind, old.fields, p.case.grid, p.case.kind, self.model.ambient
        )

    def _loads(self):
        """Cells, watts and profile of every solid whose load changes in time."""
        p, out = self.prepared, []
        geo_flat = Staggered(p.case).flat
        for s in self.model.solids:
            if s.profile and s.name in p.parts:
                cells = np.argwhere(p.case.part == p.parts.index(s.name))
                if len(cells):
                    out.append((geo_flat(cells), p.case.heat[tuple(cells.T)].copy(), s.profile))
        return out

    def checkpoint(self, last: Progress) -> None:
        """Store the present fields beside the result, to continue from after a crash."""
        if self.project is not None:
            store.save(self.project, self.layout, self.result(last, walls=False), spare=True)

    def _role(self, name: str) -> str:
        return next((s.role for s in self.model.solids if s.name == name), "enclosure")

    def run(self, tell: Callable[[Progress], bool | None] | None = None) -> Solution:
        """Solve, store, and return the result; ``tell`` is called every iteration and stops the run by False.

        Iterations on coarser grids come first in what ``tell`` hears; its iterations and seconds count from their
        start.
        """
        if self.project is None:
            return self._run(tell)
        with solving(self.project):
            store.ready(self.project, self.prepared.case.grid.cells)
            return self._run(tell)

    def _run(self, tell) -> Solution:
        self.run_.started = began = saved = time.perf_counter()
        done, stopped = 0, False

        def hear(progress: Progress) -> bool:
            nonlocal saved
            if progress.phase == "flow" and time.perf_counter() - saved > CHECKPOINT:
                saved = time.perf_counter()
                self.checkpoint(progress)
            return not tell or tell(replace(progress, iteration=done + progress.iteration)) is not False

        LOG.info("solving %s of %s: %d cells", self.layout, self.project or "a document", self.run_.case.grid.cells)
        if self.banded and self.numbers is None:
            self.rungs = Rungs(self.model, self.settings, self.watch_names)
            done, stopped = self._from_coarse(hear, began)
            self.rungs = None
        if stopped:
            self.run_.step()
            return self.keep(self.run_.finish())
        return self.keep(self.run_.run(hear))

    def _from_coarse(self, hear, began: float) -> tuple[int, bool]:
        """The coarser grids first, each the start of the next finer one; iterations done, and whether to stop."""
        own = self.run_.case
        start = None if self.start is None else (self.start, own.grid, own.kind)
        climb = self.rungs.climb(hear, began, start)
        self.numbers, self.coarse = climb.numbers, climb.solution
        if start is None and climb.fields is not None:
            at = climb.prepared.case
            parted = between_sheets(at, own)
            self.run_.take(transfer(at.grid, at.kind, climb.fields, own.grid, own.kind, self.model.ambient, parted))
        return climb.iterations, climb.stopped

    def snapshot(self) -> np.ndarray:
        """Present temperatures (K) on the grid of the layout, also while a coarser grid is being solved."""
        coarse = self.rungs.now if self.rungs is not None else None
        if coarse is None:
            return self.run_.heat.temperature()
        return resample(coarse.heat.temperature(), coarse.case.grid.centres, self.run_.case.grid.centres)

    def result(self, last: Progress | None = None, walls: bool = True) -> Solution:
        """The present solution; ``last`` is the run's last report."""
        last, coarse = last or self.run_.history[-1], self.coarse if walls else None
        return solution(self.prepared, self.run_, last, self.watch_names, coarse, walls, self.numbers)

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
        return result

    def history(self) -> list[str]:
        """The run's history as CSV lines."""
        ends = self.prepared.ends
        names = [*self.watch_names, *(f"{n} flow m3/s" for n in ends), *(f"{n} pressure Pa" for n in ends)]
        out = io.StringIO()
        rows = csv.writer(out, lineterminator="\n")
        rows.writerow(["iteration", "seconds", "momentum", "mass", "heat", "time", *names])
        for h in self.run_.history:
            rows.writerow(
                [
                    h.iteration,
                    *(
                        f"{x:.8g}"
                        for x in (
                            h.seconds,
                            h.momentum,
                            h.mass,
                            h.heat,
                            h.time,
                            *h.watches,
                            *h.flows[: len(ends)],
                            *h.heads,
                        )
                    ),
                ]
            )
        return out.getvalue().splitlines()
