"""Curved and oblique shapes on a rectilinear grid: which cells they take, and where their surfaces cross the grid's
segments."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..shapes import facets
from ..shapes.geometry import Triangles
from ..shapes.solids import distance, surfaces
from .lines import SNAP, Grid


@dataclass(frozen=True)
class Crossings:
    """Per axis, for the segment from each cell's centre to the next: ``share`` of the way at which a surface is crossed
    (NaN: none) and ``tilt``, the part of the grid face's area that is surface (the surface normal's part along the
    axis)."""

    share: tuple[np.ndarray, np.ndarray, np.ndarray]
    tilt: tuple[np.ndarray, np.ndarray, np.ndarray]


def _region(grid: Grid, form, more: int = 0) -> tuple[slice, slice, slice]:
    """Cells whose centres lie in the form's box, and ``more`` on either side (not along the axis of what has flat
    ends)."""
    out = []
    for a, (c, (lo, hi)) in enumerate(zip(grid.centres, form.box, strict=True)):
        extra = 0 if a == getattr(form, "axis", -1) else more
        out.append(
            slice(max(int(np.searchsorted(c, lo - SNAP)) - extra, 0), int(np.searchsorted(c, hi + SNAP)) + extra)
        )
    return tuple(out)


def _points(grid: Grid, index) -> list[np.ndarray]:
    out = []
    for a in range(3):
        shape = [1, 1, 1]
        shape[a] = -1
        out.append(grid.centres[a][index[a]].reshape(shape))
    return out


def paint_form(grid: Grid, owner: np.ndarray, form, who: int, within: int | None = None) -> None:
    """Give ``owner`` of the cells whose centres lie in the form to ``who``, and of those in its bore to ``within``."""
    index = _region(grid, form)
    view, x = owner[index], _points(grid, index)
    if isinstance(form, Triangles):
        view[facets.inside(form, x)] = who
        return
    bored = "bore" in surfaces(form)
    bore = np.broadcast_to(distance(form, "bore", x) < 0, view.shape) if bored else np.zeros(view.shape, bool)
    view[np.broadcast_to(distance(form, "outer", x) < 0, view.shape) & ~bore] = who
    if bored and within is not None:
        view[bore] = within


def crossings(grid: Grid, forms) -> Crossings | None:
    """Where the surfaces of all ``forms`` cross the segments between cell centres; None when there are no forms."""
    if not forms:
        return None
    out = Crossings(tuple(np.full(grid.shape, np.nan) for _ in range(3)), tuple(np.ones(grid.shape) for _ in range(3)))
    for form in forms:
        for t in range(3):
            if isinstance(form, Triangles):
                _cross_facets(grid, form, t, out)
                continue
            for surface in surfaces(form):
                _cross(grid, form, surface, t, out)
    return out


def _cross_facets(grid: Grid, form: Triangles, t: int, out: Crossings) -> None:
    """Crossings of triangles along axis ``t``: of segments whose ends lie on different sides, the first."""
    a, b = (m for m in range(3) if m != t)
    p, q, along = grid.centres[a], grid.centres[b], grid.centres[t]
    i, j, at, tilt = facets.passages(form, t, p, q)
    segment = np.searchsorted(along, at) - 1
    key = (i * len(q) + j) * (len(along) + 1) + segment + 1
    first, times = np.unique(key, return_index=True, return_counts=True)[1:]
    keep = first[(times % 2 == 1) & (segment[first] >= 0) & (segment[first] < len(along) - 1)]
    cell = [None] * 3
    cell[a], cell[b], cell[t] = i[keep], j[keep], segment[keep]
    low = along[segment[keep]]
    out.share[t][tuple(cell)] = (at[keep] - low) / (along[segment[keep] + 1] - low)
    out.tilt[t][tuple(cell)] = tilt[keep]


def _cross(grid: Grid, form, surface: str, t: int, out: Crossings) -> None:
    """Crossings along axis ``t``, by bisection between centres on opposite sides."""
    index = _region(grid, form, 1)
    x = _points(grid, index)
    f = distance(form, surface, x)  # one layer stands for all along an axis where the form is alike
    n = f.shape[t]
    inside = f < 0
    at = np.nonzero(inside.take(range(n - 1), t) != inside.take(range(1, n), t)) if n > 1 else ((),)
    if not len(at[0]):
        return
    low = [x[m].ravel()[at[m]] if f.shape[m] > 1 else x[m].ravel()[:1] for m in range(3)]
    ahead = x[t].ravel()[at[t] + 1] - low[t]

    def there(share) -> np.ndarray:
        return distance(form, surface, [p + share * ahead if m == t else p for m, p in enumerate(low)])

    began, a, b = inside[at], np.zeros(len(ahead)), np.ones(len(ahead))
    for _ in range(45):
        mid = 0.5 * (a + b)
        same = (there(mid) < 0) == began
        a, b = np.where(same, mid, a), np.where(same, b, mid)
    share = 0.5 * (a + b)
    tilt = np.abs(there(share + 1e-4) - there(share - 1e-4)) / (2e-4 * ahead)
    for target, values in ((out.share[t], share), (out.tilt[t], np.clip(tilt, 0.0, 1.0))):
        some = np.full(np.add(f.shape, [-1 if m == t else 0 for m in range(3)]), np.nan)
        some[at] = values
        view = target[index][tuple(slice(0, n - 1) if m == t else slice(None) for m in range(3))]
        some = np.broadcast_to(some, view.shape)
        np.copyto(view, some, where=np.isfinite(some))
