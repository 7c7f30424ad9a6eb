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
    axis).

    ``back`` (None: there are no sheets) is the share at which a sheet between two fluid cells ends (NaN: no sheet),
    ``thick`` its true thickness (m, 0: none), ``sheet`` the number of the part it belongs to.
    """

    share: tuple[np.ndarray, np.ndarray, np.ndarray]
    tilt: tuple[np.ndarray, np.ndarray, np.ndarray]
    back: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None
    thick: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None
    sheet: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None

    @property
    def shut(self) -> tuple[np.ndarray, ...] | None:
        """Per axis, the high faces of cells that a sheet closes (bool); None where there are no sheets."""
        return None if self.back is None else tuple(np.isfinite(x) for x in self.back)


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


def crossings(grid: Grid, forms, fluid: np.ndarray | None = None, parts=()) -> Crossings | None:
    """Where the surfaces of all ``forms`` cross the segments between cell centres; None when there are no forms.

    With the ``fluid`` cells (bool) and the number of the part of each form (-1: a passage), sheets of triangles thinner
    than a cell are found as well.
    """
    if not forms:
        return None
    out = Crossings(tuple(np.full(grid.shape, np.nan) for _ in range(3)), tuple(np.ones(grid.shape) for _ in range(3)))
    for form in forms:
        for t in range(3):
            if isinstance(form, Triangles):
                if not getattr(form, "sheet", 0.0):
                    _cross_facets(grid, form, t, out)
                continue
            for surface in surfaces(form):
                _cross(grid, form, surface, t, out)
    return out if fluid is None else _with_sheets(grid, forms, fluid, parts, out)


def _with_sheets(grid: Grid, forms, fluid, parts, out: Crossings) -> Crossings:
    """Sheets of all forms of triangles between two fluid cells; where several stand in one gap, their solid adds up."""
    back, thick = (tuple(np.full(grid.shape, x) for _ in range(3)) for x in (np.nan, 0.0))
    sheet = tuple(np.full(grid.shape, -1, np.int32) for _ in range(3))
    some = False
    for form, part in zip(forms, parts, strict=True):
        if part < 0 or not isinstance(form, Triangles):
            continue
        for t in range(3):
            i, j, at, tilt, segment, first, times = _segments(grid, form, t)
            a, b = (m for m in range(3) if m != t)
            sheet_of = getattr(form, "sheet", 0.0)
            keep = (segment[first] >= 0) & (segment[first] < grid.shape[t] - 1) & ((times % 2 == 0) | (sheet_of > 0.0))
            begin, end = first[keep], first[keep] + times[keep] - 1
            cell = np.zeros((len(begin), 3), int)
            cell[:, a], cell[:, b], cell[:, t] = i[begin], j[begin], segment[begin]
            ahead = cell + np.eye(3, dtype=int)[t]
            between = fluid[tuple(cell.T)] & fluid[tuple(ahead.T)]
            cell, begin, end = cell[between], begin[between], end[between]
            if not len(cell):
                continue
            some, c = True, tuple(cell.T)
            low = grid.centres[t][cell[:, t]]
            span = grid.centres[t][cell[:, t] + 1] - low
            one, two = (at[begin] - low) / span, (at[end] - low) / span
            here = back[t][c]
            out.share[t][c] = np.where(np.isfinite(here), np.fmin(out.share[t][c], one), one)
            back[t][c] = np.fmax(here, two)
            out.tilt[t][c], sheet[t][c] = 0.5 * (tilt[begin] + tilt[end]), part
            thick[t][c] += sheet_of or (two - one) * span * out.tilt[t][c]
    return Crossings(out.share, out.tilt, back, thick, sheet) if some else out


def _segments(grid: Grid, form: Triangles, t: int):
    """Where lines along axis ``t`` through cell centres pass a surface, as of :func:`facets.passages`, the segment each
    passage lies in, and of all segments the number of their first passage and of passages."""
    a, b = (m for m in range(3) if m != t)
    q, along = grid.centres[b], grid.centres[t]
    i, j, at, tilt = facets.passages(form, t, grid.centres[a], q)
    segment = np.searchsorted(along, at) - 1
    key = (i * len(q) + j) * (len(along) + 1) + segment + 1
    return (i, j, at, tilt, segment, *np.unique(key, return_index=True, return_counts=True)[1:])


def _cross_facets(grid: Grid, form: Triangles, t: int, out: Crossings) -> None:
    """Crossings of triangles along axis ``t``: of segments whose ends lie on different sides, the first."""
    a, b = (m for m in range(3) if m != t)
    along = grid.centres[t]
    i, j, at, tilt, segment, first, times = _segments(grid, form, t)
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
