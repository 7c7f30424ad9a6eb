"""A run that refines its own grid by its results, once it has settled or when somebody asks for it."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any

import numpy as np

from ..mesh.build import fits, predict
from ..model import Model
from ..outcome import tables
from ..setup.prepare import Prepared, prepare
from .refine import MOST, STEP, bends, carried, refined
from .steady import Progress, Steady

#: rounds of refinement at most
ROUNDS = 6


class Finer:
    """Part of :class:`job.Job`; see there for its attributes."""

    model: Model
    prepared: Prepared
    run_: Any
    done: int
    began: float
    earlier: list[Progress]
    numbers: Any
    coarse: Any
    watch_names: list[str]
    note: Any
    layout: str
    _iterations: Any
    _run_on: Any

    def began_finer(self, refine: float, lines: tuple | None) -> None:
        """Nothing is refined yet, but for the ``lines`` that an earlier run refined."""
        self.wished_lines = lines
        self.until = refine or self.model.grid.refine
        self.finer_rounds = 0
        self.finer_now = self.by_hand = False
        steady = lines is None and self.model.run.time is None
        self.moments = list(self.model.grid.moments) if steady else []
        self.was_refined = lines is not None
        self.seen: np.ndarray | None = None
        self.moved = np.inf
        self.scales: tuple[float, float] | None = None  # of pressures (Pa) and heat (W)
        self.first_cells = 0
        self.ended = ""

    def ask_finer(self) -> str:
        """Refine at the next step; "" or why that cannot be done."""
        if self.model.run.time is not None:
            return "A run in time keeps its grid. Refine a steady run of the same layout, and start from it."
        self.finer_now = True
        return ""

    def ceiling(self) -> int:
        """Cells that refinement may go up to."""
        return self.model.grid.most or int(MOST * (self.first_cells or self.run_.case.grid.cells))

    def due_finer(self) -> bool:
        """Whether to leave the present grid: somebody asked for it, or an iteration of the grid row has come."""
        at = self._iterations()
        if not self.finer_now and self.moments and at >= self.moments[0] and not self._room():
            self.moments = [m for m in self.moments if m > at]
            self.note("warning", f"Not refined at iteration {at}: at its most cells")
        return self.finer_now or bool(self.moments and at >= self.moments[0])

    def _room(self) -> bool:
        """Whether a step of refinement stays below the ceiling."""
        cells = self.run_.case.grid.cells
        self.first_cells = self.first_cells or cells
        return STEP**0.5 * cells <= self.ceiling()

    def refines(self, last: Progress) -> bool:
        """Whether to refine now: watches still move from grid to grid, somebody asked for it, or a moment that the
        grid row tells has come (at the latest where the run has settled)."""
        if self.model.run.time is not None or not self.run_.case.grid.cells:
            return False
        self.by_hand, self.finer_now = self.finer_now, False
        asked = self.by_hand or bool(self.moments and self._room())
        if self.moments and not self.by_hand:
            at = self._iterations()
            self.moments = [m for m in self.moments[1:] if m > at]
        if not asked and (not self.until or (self.was_refined and not self.finer_rounds)):
            return False
        now = self._watched()
        if self.seen is not None:
            self.moved = float(np.max(np.abs(now - self.seen), initial=0.0))
        self.first_cells = self.first_cells or self.run_.case.grid.cells
        if not asked:
            if self.moved <= self.until:
                self.ended = f"watches moved by {self.moved:.2g} K"
                return False
            if self.finer_rounds >= ROUNDS or not self._room():
                moved = f"watches moved by {self.moved:.2g} K" if self.finer_rounds else "there was no room to refine"
                self.ended = f"at its most cells; {moved}"
                self.note("warning", f"Refinement ended {self.ended}; {self.until:.2g} K were asked for")
                return False
        self.seen = now
        return True

    def _watched(self) -> np.ndarray:
        """Numbers (K) that tell whether a finer grid still matters: highest temperatures of parts, temperatures at
        openings, and pressures and heat through walls as the same part of the range of temperatures as they are of all
        pressure and heat."""
        found = tables.numbers(self.prepared, self.run_)
        ends = list(found["ends"].values())
        warm = [x["max"] for x in found["parts"].values()] + [x["temperature"] for x in ends]
        pressures = [x["pressure"] for x in ends] + [x["rise"] for x in found["fans"].values()]
        walls = list(found["walls"].values())
        warm_range = [*warm, self.model.ambient]
        span, head = float(np.ptp(warm_range)), float(np.ptp([0.0, *pressures]))
        heat = max((abs(x) for x in walls), default=0.0)
        head, heat = self.scales = self.scales or (head, heat)  # those of the first grid
        parts = [p / head for p in pressures if head > 0.0] + [q / heat for q in walls if heat > 0.0]
        return np.array([*warm, *(span * x for x in parts)])

    def refine(self) -> None:
        """Go on, on a grid refined by the present state."""
        began = time.perf_counter()
        old, p = self.run_, self.prepared
        if old.leaves and p.case.has_flow:
            old.finish()
        cells = p.case.grid.cells
        most = int(STEP * cells) if self.by_hand else min(int(STEP * cells), max(self.ceiling(), cells))
        model = refined(replace(p.model, grid=replace(p.model.grid, lines=())), p, bends(p, old), most)
        found = fits(model)
        if found is not None or predict(model)[1] == cells:
            self.note("warning", f"Not refined: {found or 'nothing bends enough'}")
            self.until = 0.0
            return
        self.prepared = prepare(model)
        fields = carried(p, old, self.prepared, self.model.ambient)
        new: Steady = self._run_on(self.prepared, fields)
        new.started = old.started
        at = self.earlier[-1].iteration if self.earlier else 0
        self.earlier += [replace(h, iteration=at + h.iteration) for h in old.history]
        self.done += old.iteration
        new.continued = old.continued
        self.run_ = new
        self.wished_lines = tuple(tuple(x.tolist()) for x in self.prepared.case.grid.lines)
        self.finer_rounds += 1
        self.was_refined = True
        self.numbers = self.coarse = None
        took = time.perf_counter() - began
        self.note(
            "refined",
            f"Refined by results: {cells / 1e3:.0f} k to {self.prepared.case.grid.cells / 1e3:.0f} k cells in "
            f"{took:.1f} s",
        )

    def tell_finer(self, summary: dict) -> None:
        """Put into a summary what was refined."""
        if not self.was_refined or self.wished_lines is None:
            return
        summary["refined"] = {
            "lines": [list(x) for x in self.wished_lines],
            "rounds": self.finer_rounds,
            "from": self.first_cells or summary["cells"],
            "moved": self.moved if np.isfinite(self.moved) else -1.0,
        }
        ended = f"; {self.ended}" if self.ended else ""
        summary["trust"]["notes"].append(f"Grid refined by results to {summary['cells'] / 1e3:.0f} k cells{ended}.")
