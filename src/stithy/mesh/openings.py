"""Openings of the solids of a model: the mouths through which fluid inside them meets the outside, and rows that close
them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..model import Model, Plate
from ..shapes import facets
from ..shapes.geometry import Triangles
from ..shapes.mouths import Mouth
from ..shapes.solids import distance, surfaces
from .build import Built, build
from .occupancy import FLUID, SOLID, fluid_spaces
from .plates import cells_of, inner_faces

#: of a rim's surface: more of it taken by solids, and it is no opening
FREE = 0.06
#: m: gaps narrower than this are no openings
SLIT = 2e-4


@dataclass(frozen=True)
class Found:
    """Mouths of one solid that are alike and lie in one plane: the first as its file has it (``raw``) and all as they
    stand (``rims``); the blanking ``plate`` that closes them ("": none), what lies on that (``flow``, "": nothing)."""

    of: str
    raw: Mouth
    rims: tuple[Mouth, ...]
    plate: str = ""
    flow: str = ""

    @property
    def area(self) -> float:
        """Area (m2) of all of them."""
        return sum(r.area for r in self.rims)

    @property
    def size(self) -> str:
        """Its size in words, mm."""
        long, short = (1e3 * x for x in self.rims[0].size)
        one = f"⌀{long:.4g}" if self.rims[0].round else f"{long:.4g} × {short:.4g}"
        return one if len(self.rims) == 1 else f"{len(self.rims)} × {one}"


def at_outside(model: Model, rims: list[Mouth]) -> list[bool]:
    """Which of the rims are free of solids, have the outside before them, and something else behind them once all are
    closed.

    The grid decides: every free rim gets a plate of its own, and the fluid on its two sides is looked at.
    """
    bounds = np.array([s.bounds for s in model.solids]).reshape(-1, 3, 2)
    free = [_free(model, bounds, r) for r in rims]
    found = iter(_at_outside(model, [r for r, f in zip(rims, free, strict=True) if f]))
    return [f and next(found) for f in free]


def _free(model: Model, bounds: np.ndarray, rim: Mouth) -> bool:
    """Whether next to no solid lies in a rim: places over its surface, a little before and behind it, are looked at."""
    p = np.array(rim.points)
    shares = np.sqrt((np.arange(12) + 0.5) / 12)
    turn = p[np.linspace(0, len(p), 16, endpoint=False).astype(int)]
    flat = (rim.centre + shares[:, None, None] * (turn - rim.centre)).reshape(-1, 3)
    off = 0.02 * rim.size[1] * rim.normal
    taken = np.zeros(len(flat), bool)
    for x in (flat + off, flat - off):
        met = (bounds[:, :, 0] <= x.max(axis=0)) & (bounds[:, :, 1] >= x.min(axis=0))
        for m in np.flatnonzero(met.all(axis=1)):
            near = ((x >= bounds[m, :, 0]) & (x <= bounds[m, :, 1])).all(axis=1)
            if near.any():
                taken[near] |= _within(model.solids[m], x[near])
    return float(taken.mean()) < FREE


def _within(solid, x: np.ndarray) -> np.ndarray:
    if solid.form is None:
        return np.array(
            [any(all(lo <= v <= hi for v, (lo, hi) in zip(p, b, strict=True)) for b in solid.boxes) for p in x]
        )
    if isinstance(solid.form, Triangles):
        return facets.contains(solid.form, x)
    out = distance(solid.form, "outer", list(x.T)) < 0
    return out & ~(distance(solid.form, "bore", list(x.T)) < 0) if "bore" in surfaces(solid.form) else out


def _at_outside(model: Model, rims: list[Mouth]) -> list[bool]:
    if not rims:
        return []
    closed = replace(
        model, plates=tuple(Plate(f"{m}", (r,)) for m, r in enumerate(rims)), left_out=(), openings=(), regions=()
    )
    built = build(closed)
    label, _ = fluid_spaces(_without_slits(built), (), built.shut)
    outside = _at_sides(label)
    out = []
    for rim, cells in zip(rims, cells_of(built.plates, len(rims)), strict=True):
        inner = inner_faces(built.grid, label, cells, (rim,), built.shut)[1]
        back = Mouth(tuple(reversed(rim.points)))
        outer = inner_faces(built.grid, label, cells, (back,), built.shut)[1]
        out.append(outer in outside and inner >= 0 and inner not in outside)
    return out


def _without_slits(built: Built) -> np.ndarray:
    """Kind of every cell, slits between solids taken for solid: parts that should touch leave no way out."""
    kind = built.kind.copy()
    for a in range(3):
        x = np.moveaxis(kind, a, 0)
        slit = np.zeros(x.shape, bool)
        slit[1:-1] = (x[1:-1] == FLUID) & (x[:-2] == SOLID) & (x[2:] == SOLID)
        slit &= (built.grid.widths[a] < SLIT)[:, None, None]
        x[slit] = SOLID
    return kind


def _at_sides(label: np.ndarray) -> set[int]:
    """Numbers of the fluid at the sides of the model."""
    out: set[int] = set()
    for a in range(3):
        ends = np.moveaxis(label, a, 0)
        out |= set(np.unique(ends[[0, -1]]).tolist())
    return out - {-1}
