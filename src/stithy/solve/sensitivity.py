"""What a small change of a layout would do to the temperatures of its parts, with the flow of its result held: the
energy equation is set up anew for the changed model on the same grid, and solved from the present temperatures.

What moves the flow (fans, openings, the shape) is not seen here; a run of its own tells.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from ..errors import StithyError
from ..model import Model
from ..outcome.faces import FaceTemperatures
from ..project.document import Document
from ..setup.prepare import Prepared, prepare
from .influence import _doubt
from .job import Job
from .steady import Steady

#: what is changed, and by what part
LOAD, CONDUCTS, CONTACT, FILM = -0.1, 0.2, -0.2, 0.1
#: laps at most, how far each is solved, and part of the range of temperatures below which they rest
LAPS, LOOSE, STILL = 120, 0.01, 3e-5
#: changes looked at of each sort, those of the largest first
MOST = 6


@dataclass(frozen=True)
class Change:
    """A changed model: the ``row`` it is of, and ``what`` changed, in words."""

    row: str
    what: str
    model: Model


@dataclass(frozen=True)
class Effect:
    """What a change does to highest temperatures (K) by part, and the part of it that it may be off by."""

    row: str
    what: str
    moves: dict[str, float]
    doubt: float


def changes(model: Model) -> list[Change]:
    """Small changes worth looking at: loads, what conducts, contacts, films outside."""
    out: list[Change] = []
    loads = sorted((s for s in model.solids if s.power > 0.0), key=lambda s: -s.power)[:MOST]
    for s in loads:
        made = _solids(model, lambda x, n=s.name: replace(x, power=(1.0 + LOAD) * x.power) if x.name == n else x)
        out.append(Change(s.name, f"heat load {LOAD:+.0%}", made))
    plain = [s for s in model.solids if not s.power and s.fixed is None and s.role != "fan"]
    for s in sorted(plain, key=lambda s: -_extent(s))[:MOST]:
        made = _solids(model, lambda x, n=s.name: _conducts(x) if x.name == n else x)
        out.append(Change(s.name, f"conductivity {CONDUCTS:+.0%}", made))
    if loads:
        made = _solids(model, lambda x: _conducts(x) if x.power > 0.0 else x)
        out.append(Change("Parts that give heat", f"conductivity {CONDUCTS:+.0%}", made))
    for c in model.contacts[:MOST]:
        kept = tuple(replace(x, resistance=(1.0 + CONTACT) * x.resistance) if x is c else x for x in model.contacts)
        out.append(Change(c.name, f"resistance {CONTACT:+.0%}", replace(model, contacts=kept)))
    for e in model.enclosures:
        if any(c.kind == "coefficient" for c in e.sides.values()):
            sides = {
                n: replace(c, value=(1.0 + FILM) * c.value) if c.kind == "coefficient" else c
                for n, c in e.sides.items()
            }
            kept_ = tuple(replace(x, sides=sides) if x.name == e.name else x for x in model.enclosures)
            out.append(Change(e.name, f"film outside {FILM:+.0%}", replace(model, enclosures=kept_)))
    return out


def effects(
    document: Document, project: Path, layout: str, tell: Callable[[int, int], bool | None] | None = None
) -> Iterator[Effect]:
    """What each of :func:`changes` does, one after the other; ``tell(done, all)`` ends it by False. Raises StithyError
    where the layout has no steady result that belongs to it."""
    job = Job(document, layout, project, banded=False)
    if job.start is None or job.model.run.time is not None:
        raise StithyError(f"The layout “{layout}” has no steady result that belongs to it. Solve it first.")
    p, run = job.prepared, job.run_
    if p.case.has_flow:
        run.flow.mix()
    _rest(run.heat)
    fields, before = run.fields(), hottest(p, run)
    _, doubt = _doubt(p, run)
    lines = tuple(tuple(x.tolist()) for x in p.case.grid.lines)
    found = changes(job.model)
    for m, change in enumerate(found):
        if tell and tell(m, len(found)) is False:
            return
        lined = replace(change.model, grid=replace(change.model.grid, lines=lines))
        made = prepare(lined)
        other = Steady(made.case, job.settings, [], fields)
        if made.case.has_flow:
            other.flow.mix()
        _rest(other.heat)
        after = hottest(made, other)
        yield Effect(change.row, change.what, {n: after[n] - t for n, t in before.items() if n in after}, doubt)


def hottest(p: Prepared, run: Steady) -> dict[str, float]:
    """Highest temperature (K) of every part, in its cells and at its faces."""
    cells, faces = run.heat.temperature(), FaceTemperatures(p, run).at.values()
    out = {}
    for m, name in enumerate(p.parts):
        here = p.case.part == m
        if here.any():
            values = [cells[here], *(x[here] for x in faces)]
            out[name] = float(max(np.nanmax(v) for v in values))
    return out


def _rest(heat) -> None:
    """Solve the energy equation until temperatures rest, with what happens in layers at walls as it was: it follows the
    flow, which is held."""
    heat.holds_layer = True
    heat.solve(LAPS, LOOSE, 60, STILL)


def _solids(model: Model, made: Callable) -> Model:
    return replace(model, solids=tuple(map(made, model.solids)))


def _conducts(s):
    """A solid that conducts better; of a board all its layers do."""
    x, y, z = ((1.0 + CONDUCTS) * k for k in s.k)
    stack = s.stack
    if stack is not None:
        stack = stack.scaled(1.0 + CONDUCTS)
    return replace(s, k=(x, y, z), stack=stack)


def _extent(s) -> float:
    """The largest side (m2) of a solid's bounds."""
    a, b, c = sorted(hi - lo for lo, hi in s.bounds)
    return float(b * c)
