"""How much of an opening in a side is open, where curved solids stand behind it: the grid's cells have it in steps."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from ..mesh.surfaces import span
from ..model import Model, Opening
from ..shapes import facets
from ..shapes.geometry import Triangles
from ..shapes.solids import distance, surfaces
from .case import Case

#: samples along either direction
SAMPLES = 96


def open_area(model: Model, case: Case, end: Opening, axis: int, cells: np.ndarray, area: float) -> float:
    """Area (m2) through which an opening reaches the fluid of its ``cells``: their own ``area`` where no curved solid
    is near, else that of what no solid covers, by samples behind the side. A mouth that reaches two fluids keeps that
    of its cells."""
    across = [a for a in range(3) if a != axis]
    at = case.grid.centres[axis][cells[0, axis]]
    box = [(at, at) if a == axis else end.rect[across.index(a)] for a in range(3)]
    near = [x for x in (*model.solids, *model.passages) if x.form is not None and _meets(x.form.box, box)]
    if not near or getattr(end, "hub", 0.0) or len(_fluids(case, end, axis, cells)) > 1:
        return area
    x = [np.array([at])] * 3
    for a in across:
        low, high = box[a]
        x[a] = low + (high - low) * (np.arange(SAMPLES) + 0.5) / SAMPLES
    shut = np.zeros([len(v) for v in x], bool)
    for s in model.solids:
        if s.form is None:
            for b in s.boxes:
                shut |= _in_box(b, x)
        elif _meets(s.form.box, box):
            shut |= _inside(s.form, x)
    for passage in model.passages:
        shut &= ~_inside(passage.form, x)
    rect = float(np.prod([high - low for low, high in end.rect]))
    share = 1.0 - float(shut.mean())
    return share * rect if share > 0.0 else area


def _fluids(case: Case, end: Opening, axis: int, cells: np.ndarray) -> set[int]:
    """Numbers of the fluids behind a whole opening."""
    index: list = [None] * 3
    for a, reach in zip((a for a in range(3) if a != axis), end.rect, strict=True):
        index[a] = span(case.grid.lines[a], *reach)
    index[axis] = np.array([cells[0, axis]])
    behind = np.ix_(*index)
    return set(np.unique(case.fluid_of[behind][case.kind[behind] == FLUID]).tolist())


def _meets(one, other) -> bool:
    return all(p[0] <= q[1] and q[0] <= p[1] for p, q in zip(one, other, strict=True))


def _in_box(box, x) -> np.ndarray:
    a, b, c = ((v >= lo) & (v <= hi) for v, (lo, hi) in zip(x, box, strict=True))
    return a[:, None, None] & b[None, :, None] & c[None, None, :]


def _inside(form, x) -> np.ndarray:
    """Whether samples lie in the solid of a form, which its bore is not part of."""
    if isinstance(form, Triangles):
        return facets.inside(form, x)
    grid = [v.reshape([-1 if m == a else 1 for m in range(3)]) for a, v in enumerate(x)]
    shape = [len(v) for v in x]
    out = np.broadcast_to(distance(form, "outer", grid) < 0, shape).copy()
    if "bore" in surfaces(form):
        out &= ~np.broadcast_to(distance(form, "bore", grid) < 0, shape)
    return out
