"""What of a model repeats along its flow: one period of it, between periodic sides."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import Model
from ..shapes.geometry import Mesh
from .build import build
from .repeats import labels_of, wrong_between

#: part of the solids' volume that may lie elsewhere a period on, of shapes with steps on the grid and of boxes; fewest
#: periods from the first solid to the last; features along the flow that are looked at
SAME, EXACT, LEAST, MOST = 0.6, 0.02, 1.6, 80


@dataclass(frozen=True)
class Period:
    """One period along the flow (m), how many there are, the volume flow (m3/s, with its sign) through the whole
    section, and the temperature (K) it enters with."""

    axis: int
    low: float
    high: float
    times: float
    flow: float
    entering: float


def period(model: Model) -> Period | None:
    """The shortest piece along the flow that repeats at least :data:`LEAST` times; None where fluid does not go
    straight through from side to side, or nothing repeats."""
    flow = _straight(model)
    if flow is None or len(model.enclosures) != 1:
        return None
    axis, volume, entering = flow
    built = build(model)
    slabs = np.moveaxis(labels_of(model, built), axis, 0)
    lines = built.grid.lines[axis]
    others = [built.grid.widths[a] for a in range(3) if a != axis]
    area = np.outer(*others)
    solid = np.array([float(area[s != slabs[0]].sum()) for s in slabs]) * np.diff(lines)
    if not solid.any():
        return None
    low, high = float(lines[:-1][solid > 0].min()), float(lines[1:][solid > 0].max())
    at = _features(model, axis)
    at = at[(at >= low - 1e-6) & (at <= high)]  # what goes on over all of it begins before
    if len(at) < 2:
        return None
    steps = np.unique(np.round(np.abs(at[:, None] - at[None]), 7))
    worth = {
        float(x): _misfit(lines, slabs, area, solid, (low, high), float(x))
        for x in steps[(steps > 1e-6) & (steps <= (high - low) / LEAST + 1e-6)]
    }
    most = SAME if any(s.form is not None for s in model.solids) else EXACT
    good = [x for x, wrong in worth.items() if wrong <= most and _goes_on(at, x)]
    if not good:
        return None
    step = min((x for x in good if x < 1.05 * good[0]), key=lambda x: worth[x])  # shapes cut at their ends begin later
    first = _open_place(lines, slabs, area, low, high, step)
    begin = at[1] - 0.05 * step  # the first may be cut at the end of its box
    own = max(int(((at >= begin) & (at < begin + step)).sum()), 1)
    return Period(axis, first, first + step, len(at) / own, volume, entering)


def _goes_on(at: np.ndarray, step: float) -> bool:
    """Whether there is a feature a step on from every one but those of the last step."""
    wanted = at[at + step <= at[-1] + 0.05 * step] + step
    return bool(len(wanted)) and all(np.abs(at - x).min() <= 0.05 * step for x in wanted)


def _misfit(lines, slabs, area, solid: np.ndarray, span: tuple[float, float], step: float) -> float:
    """What lies elsewhere a step on, over the volume of solids that there is to repeat."""
    low, high = span
    wrong = wrong_between(lines, slabs, area, (low, high - step), lambda x: x + step, lines - step)
    there = float(solid[(lines[:-1] >= low) & (lines[1:] <= high - step + 1e-9)].sum())
    return wrong / there if there > 0.0 else np.inf


def _straight(model: Model) -> tuple[int, float, float] | None:
    """Axis, volume flow (m3/s) and temperature of what goes straight through."""
    axes = {x.side[:1] for x in model.openings}
    given = [x for x in model.openings if x.kind in ("velocity", "volume", "mass") and x.value]
    if len(axes) != 1 or "" in axes or len(given) != 1 or model.drive is not None or model.fans:
        return None
    x, space = given[0], model.enclosures[0]
    axis = "xyz".index(x.side[0])
    area = float(np.prod([b - a for a, b in x.rect]))
    volume = x.value * {"velocity": area, "volume": 1.0, "mass": 1.0 / space.fluid.rho}[x.kind]
    return axis, (1.0 if x.side[1] == "-" else -1.0) * volume, x.temperature


def _features(model: Model, axis: int) -> np.ndarray:
    """Places (m) along an axis where boxes begin, and the middles of round pieces."""
    found = [b[axis][0] for s in model.solids if s.form is None for b in s.boxes]
    for s in model.solids:
        if isinstance(s.form, Mesh):
            middles = [0.5 * (box[axis][0] + box[axis][1]) for box, _ in s.form.rounds]
            found += middles or _pieces(s.form, axis)
        elif s.form is not None:
            found.append(0.5 * sum(s.form.box[axis]))
    return np.unique(np.round(found, 7))[:MOST]


def _pieces(form: Mesh, axis: int) -> list[float]:
    """Where the bodies that a shape is made of begin (m)."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    a, b = np.asarray(form.triangles)[:, :2].T, np.asarray(form.triangles)[:, 1:].T
    n = len(form.points)
    joined = coo_matrix((np.ones(a.size), (a.ravel(), b.ravel())), shape=(n, n))
    count, which = connected_components(joined, directed=False)
    x = np.asarray(form.points, float)[:, axis]
    return [float(x[which == m].min()) for m in range(min(count, MOST))]


def _open_place(lines, slabs, area, low: float, high: float, step: float) -> float:
    """Where in the middle of what repeats a period may be cut: through as little solid as can be."""
    middle = 0.5 * (low + high)
    inside = (lines >= middle - step) & (lines <= middle) & (lines >= low - 1e-9)
    places = lines[inside] if inside.any() else np.array([middle - step])
    fluid = slabs[0]

    def cut(x: float) -> float:
        sides = (np.clip(np.searchsorted(lines, x) + k, 0, len(slabs) - 1) for k in (-1, 0))
        return sum(float(area[slabs[i] != fluid].sum()) for i in sides)

    return float(min(places, key=lambda x: (round(cut(x), 12), abs(x - middle + 0.5 * step))))
