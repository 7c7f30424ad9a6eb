"""Rules of the user's own for when a run has settled, and when it ends early: by watches, as they come to while it is
on."""

from __future__ import annotations

import time
from typing import Any

from ..kinds import drawing
from ..model import Model, Rule
from ..model.drawn import Watch
from ..outcome import tables
from ..project.document import Document
from ..read.watches import watched
from .steady import Progress, Steady

#: iterations between two looks at least, and seconds between them over those that one takes
LOOKS, COST = 5, 6.0
#: iterations over which watches have to rest: where temperatures are solved with the flow, and where they follow it
REST, REST_BEHIND = 20, 60


class Heeding:
    """Part of :class:`job.Job`; see there for its attributes."""

    document: Document
    layout: str
    model: Model
    run_: Any
    prepared: Any
    note: Any
    result: Any

    def began_heeding(self) -> None:
        """Nothing has been looked at yet."""
        self.looked: list[tuple[int, dict[str, float]]] = []
        self._next_look = 0.0
        self._looked_on: Any = None

    def heed(self, run: Steady) -> None:
        """Let a run settle by the rules of its model, where there are any."""
        run.rests = self._rests if self.model.run.settled_by else None

    def ends_early(self, progress: Progress) -> bool:
        """Look at the watches that rules name, now and then; whether the run ends because one of them says so."""
        plan = self.model.run
        rules = (*plan.settled_by, *plan.stop_when)
        if not rules or progress.phase != "flow":
            return False
        if self._looked_on is not self.run_.case.grid:  # another grid has other numbers
            self.looked, self._looked_on = [], self.run_.case.grid
        last = self.looked[-1][0] if self.looked else 0
        now = time.perf_counter()
        if self.run_.iteration - last < (LOOKS if plan.time is None else 1) or now < self._next_look:
            return False
        found = self._found(rules)
        self.looked.append((self.run_.iteration, found))
        self._next_look = time.perf_counter() + COST * (time.perf_counter() - now)
        if self.run_.iteration < 15 and plan.time is None:
            return False  # nothing is known of it yet
        for rule in plan.stop_when:
            value = found.get(rule.watch)
            if value is not None and (value > rule.bound if rule.sign == ">" else value < rule.bound):
                told = f"{rule.watch} is {value:.5g} and {rule.sign} {rule.bound:.5g}"
                self.note("warning", f"Ended early, as the run's row asks: {told} (in SI units)")
                return True
        return False

    def _found(self, rules: tuple[Rule, ...]) -> dict[str, float]:
        """Watches that rules name, as they are now."""
        names, parts = {r.watch for r in rules}, tables.part_table(self.prepared, self.run_)
        if names <= set(parts):
            return {n: float(parts[n]["max"]) for n in names}
        rows, _ = drawing.drawn(self.document, self.layout)
        watches = {x.name for x in rows if isinstance(x, Watch)}
        rows += [Watch(n, "temperature", "temperature", (n,), measure="max") for n in names if n not in watches]
        told = watched(self.result(self.run_.history[-1]), rows, hands=False)
        return {x.watch.name: x.banded.on_grid for x in told if x.watch.name in names and x.banded is not None}

    def _rests(self) -> bool:
        """Whether every watch that has to rest has moved within its bound over the last iterations."""
        if not self.looked:
            return False
        last = self.looked[-1][0]
        long = REST if self.run_.energy_in_loop else REST_BEHIND
        before = [m for m, (at, _) in enumerate(self.looked) if at <= last - long]
        if not before:
            return False
        seen = [found for _, found in self.looked[before[-1] :]]
        for rule in self.model.run.settled_by:
            values = [x[rule.watch] for x in seen if rule.watch in x]
            if len(values) < 2 or max(values) - min(values) > rule.bound:
                return False
        return True
