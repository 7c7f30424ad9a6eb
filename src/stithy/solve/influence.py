"""Influence: what every heat load does to every part, with the flow held; so powers can be changed with the answer at
once.

With the flow held temperatures are linear in the loads (as far as properties are constant): the energy equation is
solved once more for each load, and the difference over the load is its response (K/W) everywhere.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..errors import StithyError
from ..outcome.faces import FaceTemperatures
from ..project.document import Document
from .job import Job

#: part of the range of temperatures below which a solution rests, deferred corrections at most, and how far each of
#: them is solved: most of the work is in correcting, not in solving each to its end
STILL, LAPS, LOOSE = 1e-5, 120, 0.01
#: rounds at most, and how little factors of layers at walls may move in the last
ROUNDS, MOVED = 25, 0.01


@dataclass(frozen=True)
class Influence:
    """Responses of one layout. ``loads``: parts that release heat, with their ``powers`` (W); ``cells``: temperatures
    (K) of the cells and faces of every part as they are, ``responses``: (loads, cells) K/W; ``note``: how far it may be
    off, empty where it is exact; ``doubt``: part of a change that it may be off by."""

    layout: str
    loads: tuple[str, ...]
    powers: np.ndarray
    cells: dict[str, np.ndarray]
    responses: dict[str, np.ndarray]
    note: str
    doubt: float

    def hottest(self, powers: Mapping[str, float]) -> dict[str, float]:
        """Highest temperature (K) of every part with other powers (W) of some loads."""
        change = self._change(powers)
        return {n: float((t + change @ self.responses[n]).max()) for n, t in self.cells.items()}

    def _change(self, powers: Mapping[str, float]) -> np.ndarray:
        change = np.array([powers.get(n, p) - p for n, p in zip(self.loads, self.powers, strict=True)])
        return change

    def matrix(self) -> tuple[tuple[str, ...], np.ndarray]:
        """Names of parts, and (parts, loads) K/W at the hottest place of each."""
        names = tuple(self.cells)
        rows = [self.responses[n][:, int(np.argmax(self.cells[n]))] for n in names]
        return names, np.array(rows).reshape(len(names), len(self.loads))

    def most(self, part: str, limit: float, load: str = "", powers: Mapping[str, float] | None = None) -> float:
        """The power (W) that ``load`` (the part itself where not named) may take until a part reaches a temperature
        (K), all other powers as given; infinite where it does nothing to the part."""
        number = self.loads.index(load or part)
        base = self.cells[part] + self._change(powers or {}) @ self.responses[part]
        each = self.responses[part][number]
        own = (powers or {}).get(self.loads[number], float(self.powers[number]))
        with np.errstate(divide="ignore"):
            room = np.where(each > 1e-12, (limit - base) / np.maximum(each, 1e-12), np.inf)
        return own + float(room.min())


def influence(
    document: Document, project: Path, layout: str, tell: Callable[[int, int], bool | None] | None = None
) -> Influence:
    """The influence of all loads of a solved layout; ``tell(done, all)`` ends it by False.

    Raises StithyError where the layout has no result that belongs to it, or nothing releases heat.
    """
    job = Job(document, layout, project, banded=False)
    if job.start is None or job.model.run.time is not None:
        raise StithyError(f"The layout “{layout}” has no steady result that belongs to it. Solve it first.")
    p, run = job.prepared, job.run_
    heat, geo = run.heat, run.geo
    loads = [m for m, name in enumerate(p.parts) if float(p.case.heat[p.case.part == m].sum()) > 0.0]
    if not loads:
        raise StithyError(f"In the layout “{layout}” no part releases heat, so there is no power to change.")
    if p.case.has_flow:
        run.flow.mix()
    _rest(heat)
    base, source = heat.theta.copy(), heat.source.copy()
    places = _Places(p, run)
    before = places.now()
    responses: dict[str, list[np.ndarray]] = {name: [] for name in before}
    powers = []
    for done, m in enumerate(loads):
        if tell and tell(done, len(loads)) is False:
            raise StithyError("Stopped.")
        own = geo.pad(np.where(p.case.part == m, p.case.heat, 0.0)) * (geo.padded_index() > 0)
        power = float(own.sum())
        heat.source = source + own
        heat.theta[:] = base
        _rest(heat)
        for name, values in places.now().items():
            responses[name].append((values - before[name]) / power)
        powers.append(power)
    note, doubt = _doubt(p, run)
    return Influence(
        layout,
        tuple(p.parts[m] for m in loads),
        np.array(powers),
        before,
        {n: np.array(rows) for n, rows in responses.items()},
        note,
        doubt,
    )


class _Places:
    """Temperatures (K) of every part: of its cells, and of its faces towards others."""

    def __init__(self, p, run):
        self.p, self.run = p, run
        self.here = {n: p.case.part == m for m, n in enumerate(p.parts) if (p.case.part == m).any()}

    def now(self) -> dict[str, np.ndarray]:
        """As they are."""
        cells, faces = self.run.heat.temperature(), FaceTemperatures(self.p, self.run).at.values()
        out = {}
        for name, here in self.here.items():
            own = [cells[here], *(np.where(np.isfinite(x[here]), x[here], cells[here]) for x in faces)]
            out[name] = np.concatenate(own)
        return out


def _rest(heat) -> None:
    """Solve the energy equation until temperatures rest, and the layers at walls with them."""
    for m in range(ROUNDS):
        heat.solve(LAPS, LOOSE, 60, STILL)
        # the first round moves them before temperatures have
        if heat.layer is None or (m > 1 and heat.layer_moved < MOVED):
            return


def _doubt(p, run) -> tuple[str, float]:
    """What is not linear in a model, in words, and the part of a change it may come to."""
    if p.case.buoyant:
        return "the flow is held: where it is driven by heat, a change may come out up to a fifth smaller", 0.2
    if run.heat.radiation is not None and not (run.flow.tables or run.heat.tables):
        return "radiation grows faster than temperature: a change may be off by a few per cent", 0.05
    if run.flow.tables or run.heat.tables:
        return "properties follow temperature: a change may be off by a few per cent", 0.05
    return "", 0.0
