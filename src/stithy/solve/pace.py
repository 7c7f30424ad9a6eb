"""How long a run will take, before it begins: by its cells, by what moves the fluid, and by what runs took here before.

Seconds go with the cells to the power :data:`POWER`; what they are at 100 000 cells depends on the kind of run, in time
on the steps too. They begin at values measured on the machine this was written on and follow the runs of this machine,
of which the last ones are kept in the user's state folder; runs of the same project count most.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from ..mesh.build import predict
from ..mesh.findings import Finding, findings, yplus
from ..mesh.gridding import grid_lines
from ..mesh.wishes import speed
from ..model import Model
from ..project.files import state_folder, write_atomic

#: runs kept, and of one kind looked at
KEPT, LATEST = 300, 40
POWER = 1.1
#: s at 100 000 cells by kind of run, on two cores (docs/performance.md); of one in time for a step
SECONDS = {
    "conduction": 3.0,
    "given flow": 12.0,
    "given flow, two equations": 20.0,
    "forced": 19.0,
    "forced, two equations": 30.0,
    "buoyant": 27.0,
    "buoyant, two equations": 45.0,
    "in time": 5.0,
    "boiling": 400.0,
}
#: openings whose flow is given
GIVEN = ("velocity", "volume", "mass")
#: steps of a run in time that chooses them itself; what a step with its flow held is of one without
STEPS, HELD = 150, 0.5
#: runs that the first value counts as, and what a run of the same project counts as
FIRST, OWN = 2.0, 20.0
#: ends of the range over its middle
RANGE = 1.8


@dataclass(frozen=True)
class Past:
    """A run that came to its end: its kind, cells, seconds (in time: of a step), and the project folder it was of."""

    kind: str
    cells: int
    seconds: float
    project: str = ""
    steps: float = 1.0


@dataclass(frozen=True)
class GridTold:
    """What a layout's grid comes to before anything is solved: cells along x, y, z and in all, ``bytes`` and
    ``seconds`` (low and high end) of a run on it here, ``yplus`` of its walls and ``findings`` as of
    :mod:`mesh.findings`."""

    shape: tuple[int, int, int]
    cells: int
    bytes: float
    seconds: tuple[float, float]
    yplus: list[tuple[str, float, float]]
    findings: list[Finding]


def grid_told(model: Model, project: Path | None = None) -> GridTold:
    """All of it for one model."""
    shape, cells, needs = predict(model)
    return GridTold(shape, cells, needs, foretold(model, cells, project), yplus(model), findings(model))


def kind_of(model: Model) -> str:
    """What a run of a model is like, one of :data:`SECONDS`."""
    if any(s.pool is not None for s in model.enclosures):
        return "boiling"
    if model.run.time is not None:
        return "in time"
    lifts = any(model.surroundings.gravity) and any(s.fluid.beta or s.fluid.table for s in model.enclosures)
    fans = [*model.fans, *model.blowers, *(o for o in model.openings if o.fan is not None)]
    given = [o for o in model.openings if o.kind in GIVEN]
    driven = fans or given or model.drive or any(o.kind == "pressure" and o.value for o in model.openings)
    if not driven and not lifts:
        return "conduction"
    kind = "given flow" if given and not fans else "forced" if driven else "buoyant"
    return kind + (", two equations" if model.surroundings.mixing.startswith("k-") else "")


def foretold(model: Model, cells: int, project: Path | None = None) -> tuple[float, float]:
    """Low and high end (s) of the time that a run of ``model`` on so many cells is likely to take here."""
    middle = steps_of(model, cells) * seconds_of(kind_of(model), cells, _past(), str(project or ""))
    return middle / RANGE, middle * RANGE


def steps_of(model: Model, cells: int) -> float:
    """About how many steps a run in time takes, those with a held flow for less; 1 of a steady one and a bath that
    boils. A Courant number is met in the smallest cells, by what flows in."""
    plan = model.run.time
    if plan is None or kind_of(model) != "in time":
        return 1.0
    kind, value = plan.step
    fast = max((speed(model, s)[0] for s in model.enclosures), default=0.0)
    steps = float(STEPS)
    if kind == "fixed":
        steps = plan.length / value
    elif kind == "courant" and fast > 0.0:
        grid = grid_lines(model)
        least = min(float(w.min()) for w in grid.widths if len(w) > 1) * (grid.cells / max(cells, 1)) ** (1.0 / 3.0)
        steps = plan.length * fast / (value * least)
    return max(steps, 1.0) * (HELD if plan.holds else 1.0)


def seconds_of(kind: str, cells: int, past: Iterable[Past], project: str = "") -> float:
    """The likely time (s), from runs before."""
    logs, weights = [np.log(SECONDS[kind])], [FIRST]
    for run in [x for x in past if x.kind == kind][-LATEST:]:
        logs.append(np.log(max(run.seconds, 0.1) / run.steps) - POWER * np.log(max(run.cells, 100) / 1e5))
        weights.append(OWN if project and run.project == project else 1.0)
    order = np.argsort(logs)
    passed = np.cumsum(np.array(weights)[order])
    middle = np.interp(0.5 * passed[-1], passed - 0.5 * np.array(weights)[order], np.array(logs)[order])
    return float(np.exp(middle) * (max(cells, 100) / 1e5) ** POWER)


def words(low: float, high: float) -> str:
    """A range of seconds as it is told: "20 to 60 s", "2 to 6 min"."""
    unit, per = ("h", 3600.0) if high > 5400.0 else ("min", 60.0) if high > 150.0 else ("s", 1.0)
    ends = [max(round(x / per) if x / per < 30 else 5 * round(x / per / 5), 1) for x in (low, high)]
    return f"{ends[0]} {unit}" if ends[0] == ends[1] else f"{ends[0]} to {ends[1]} {unit}"


def note(model: Model, cells: int, seconds: float, project: Path | None) -> None:
    """Keep how long a run took. Where that cannot be written, nothing is."""
    steps = steps_of(model, cells)
    runs = [*_past(), Past(kind_of(model), cells, round(seconds, 2), str(project or ""), steps)][-KEPT:]
    with suppress(OSError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_file(), json.dumps([asdict(r) for r in runs]).encode())


def _file() -> Path:
    return state_folder() / "pace.json"


def _past() -> list[Past]:
    """The runs that are kept; none where they cannot be read."""
    try:
        found = [Past(**x) for x in json.loads(_file().read_text(encoding="utf-8"))]
        return [x for x in found if x.kind in SECONDS and x.cells > 0 and x.seconds > 0.0 and x.steps > 0.0]
    except (OSError, ValueError, TypeError, RecursionError):
        return []
