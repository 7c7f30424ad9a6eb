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


class Library:
    """Worked-out quantities of results, kept while the results are; shared by all benches of a window."""

    def __init__(self, result_of: Callable[[str], Solution | None]):
        self.result_of = result_of
        self._kept: dict[tuple, Values] = {}

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
        corners would make it useless."""
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
