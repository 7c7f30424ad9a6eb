"""Coarser grids first: a start for the grid of a layout, and beside its numbers the same numbers on a grid of half the
cells every way.

The ladder halves every count: through boards, along parts, across gaps, at walls and in the open. Its upper rung is
solved to the end, so that the difference to the layout's own grid tells how far numbers still go with the grid
(:mod:`read.band`); lower rungs only lead up to it.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from ..errors import SetupError, SolveFailed
from ..mesh.build import predict
from ..mesh.gridding import coarser
from ..model import Model
from ..outcome import tables
from ..outcome.extract import solution
from ..setup.prepare import Prepared, prepare
from ..solution.solution import Solution
from .steady import Fields, Progress, Settings, Steady
from .transfer import between_sheets, transfer

#: cells from which a still coarser grid comes before the upper rung
SEQUENCE = 30_000


@dataclass
class Climb:
    """What the coarser grids gave: ``fields`` of the last one on its grid (``prepared``), its ``numbers`` where it came
    to its end and its whole ``solution``, how many ``iterations`` they took in all, and whether the run was ``stopped``
    meanwhile."""

    fields: Fields | None = None
    prepared: Prepared | None = None
    numbers: dict | None = None
    solution: Solution | None = None
    iterations: int = 0
    stopped: bool = False


class Rungs:
    """The coarser grids of one layout, lowest first; :attr:`now` is the run on the one being solved (None: none is)."""

    def __init__(self, model: Model, settings: Settings, watch_names):
        self.settings, self.watch_names, self.ambient = settings, watch_names, model.ambient
        self.now: Steady | None = None
        self.counts = predict(model)[0]  # of the layout's own grid
        self.ratio = 1.0  # its cells over those of the upper rung
        self.models: list[Model] = []
        while len(self.models) < 3 and (rough := coarser(self.models[-1] if self.models else model)) is not None:
            if self.models and predict(self.models[-1])[1] < SEQUENCE:
                break
            self.models.append(rough)
        if self.models:
            self.ratio = predict(model)[1] / predict(self.models[0])[1]

    def _longer(self, counts) -> float:
        """How many times longer the cells of a grid of so many counts are than the layout's own."""
        along = [n / m for n, m in zip(self.counts, counts, strict=True) if n > 1]
        return float(np.prod(along) ** (1.0 / max(len(along), 1)))

    def climb(self, hear: Callable[[Progress], bool | None], began: float, start=None) -> Climb:
        """Solve them in turn. ``start`` (fields, grid, kind): what the upper rung begins from, which then is the only
        one solved."""
        done = Climb()
        models = self.models[:1] if start else self.models
        for model in reversed(models):
            last = model is self.models[0]
            try:
                p = prepare(model)
                self._one(p, done, hear, began, last, start)
            except (
                SetupError,
                SolveFailed,
            ):  # a fan or an opening may vanish on a rough grid, or its flow diverge: then do without it
                done.fields = done.prepared = None
            if done.stopped:
                break
        self.now = None
        return done

    def _one(self, p: Prepared, done: Climb, hear, began: float, last: bool, start) -> None:
        s = self.settings
        if not last:
            s = replace(
                s, momentum=max(10 * s.momentum, 3e-3), watch=max(5 * s.watch, 1.0), flow=1e-2, most=80, window=10
            )
        if done.fields is not None:
            first = transfer(
                done.prepared.case.grid,
                done.prepared.case.kind,
                done.fields,
                p.case.grid,
                p.case.kind,
                self.ambient,
                between_sheets(done.prepared.case, p.case),
            )
        else:
            first = start and transfer(start[1], start[2], start[0], p.case.grid, p.case.kind, self.ambient)
        watched = [p.parts.index(n) for n in self.watch_names if n in p.parts]
        run = self.now = Steady(p.case, s, watched, first)
        if first is None and any(x.whole for x in p.case.openings):
            run.start_potential()
        run.started = began
        before, since = done.iterations, time.perf_counter() - began

        def tell(progress: Progress) -> bool:
            own = progress.seconds - since  # the next grid is likely to take as many iterations, each by its cells
            left = progress.remaining + self.ratio * (own + progress.remaining) if last else float("nan")
            told = replace(
                progress, iteration=before + progress.iteration, phase="coarse grid", remaining=left, settled=False
            )
            done.stopped = done.stopped or hear(told) is False
            return not done.stopped

        if last:
            end = run.run(tell)
            if not done.stopped:
                done.numbers = tables.numbers(p, run) | {
                    "cells": p.case.grid.cells,
                    "settled": bool(end.settled),
                    "longer": self._longer(p.case.grid.shape),
                }
                done.solution = solution(p, run, end, self.watch_names)
        else:
            while tell(run.step()) and not run.loop_settled() and run.iteration < s.most:
                pass
        done.iterations += run.iteration
        done.fields, done.prepared = run.fields(), p
