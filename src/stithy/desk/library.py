"""Worked-out quantities of results, kept while the results are; free of Qt."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ..model import drawn
from ..model.quantities import CELLS
from ..read.selection import hides
from ..read.values import Values
from ..solution.solution import Solution

#: instants of a run in time that a range is taken from
MOMENTS = 7


class Library:
    """Worked-out quantities of results, kept while the results are; shared by all benches of a window."""

    def __init__(self, result_of: Callable[[str], Solution | None]):
        self.result_of = result_of
        self._kept: dict[tuple, Values] = {}
        self._spans: dict[tuple, tuple[Any, float, float]] = {}

    def values(self, result: Solution, references: drawn.References) -> Values:
        """The quantities of a result."""
        key = id(result), references
        if key not in self._kept or self._kept[key].solution is not result:
            while len(self._kept) > 8:
                self._kept.pop(next(iter(self._kept)))
            other = self.result_of(references.minus) if references.minus else None
            self._kept[key] = Values(result, references, other)
        return self._kept[key]

    def range(self, result: Solution, spec: Any) -> tuple[float, float]:
        """Range of a row's quantity in a result: without the outermost half per cent where a few wall faces or dead
        corners would make it useless; of a run in time over its kept instants, so that all are painted alike."""
        own = self._range(result, spec)
        if not result.instants or spec.paint.references.minus:
            return own
        key = id(result.instants), spec.paint.quantity.name, spec.paint.references
        if key not in self._spans or self._spans[key][0] is not result.instants:
            some = np.unique(np.linspace(0, len(result.instants) - 1, MOMENTS).astype(int))
            moments = [self._range(result.at_instant(result.instants[m].time), spec) for m in some]
            low, high = (f(x[end] for x in moments) for end, f in enumerate((min, max)))
            self._spans[key] = result.instants, low, high
        _, low, high = self._spans[key]
        return min(own[0], low), max(own[1], high)

    def _range(self, result: Solution, spec: Any) -> tuple[float, float]:
        """Range in one moment."""
        q, v = spec.paint.quantity, self.values(result, spec.paint.references)
        if q.name not in v.cache:
            values = v.of(q.name)
            good = values[np.isfinite(values)]
            ends: tuple = (0.0, 1.0)
            if good.size and q.place != CELLS and not q.dimension.startswith("temperature"):
                ends = tuple(np.percentile(good, (0.5, 99.5)))
            elif good.size:
                ends = good.min(), np.percentile(good, 97) if q.dimension == "time" else good.max()
            v.cache[q.name] = float(ends[0]), float(ends[1])
        return v.cache[q.name]

    def hides(self, result: Solution) -> bool:
        """Whether a part of a result has to be cut open to be seen into."""
        v = self.values(result, drawn.References())
        if "hides" not in v.cache:
            v.cache["hides"] = hides(result)
        return v.cache["hides"]
