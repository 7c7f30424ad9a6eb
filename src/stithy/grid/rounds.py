"""Round bars, tubes and passages on a rectilinear grid: which cells they take, and where their walls cross the grid's segments."""
from __future__ import annotations

import numpy as np

from ..project.model import Round
from .lines import SNAP, Grid


def _box(grid: Grid, shape: Round) -> tuple[slice, slice, slice]:
    out = []
    for c, (lo, hi) in zip(grid.centres, shape.box, strict=True):
        out.append(slice(int(np.searchsorted(c, lo - SNAP)), int(np.searchsorted(c, hi + SNAP))))
    return tuple(out)


def _radius(grid: Grid, shape: Round, index) -> np.ndarray:
    """Distance (m) of cell centres from the axis, broadcastable over ``index``."""
    total = 0.0
    for a, centre in zip((a for a in range(3) if a != shape.axis), shape.centre, strict=True):
        form = [1, 1, 1]
        form[a] = -1
        total = total + ((grid.centres[a][index[a]] - centre) ** 2).reshape(form)
    return np.sqrt(total)


def paint_round(grid: Grid, owner: np.ndarray, shape: Round, who: int, within: int | None = None) -> None:
    """Give ``owner`` of the cells whose centres lie in the ring to ``who``, and of those in its bore to ``within``."""
    index = _box(grid, shape)
    view = owner[index]
    r = np.broadcast_to(_radius(grid, shape, index), view.shape)
    view[(r < shape.radius) & (r >= shape.bore)] = who
    if shape.bore and within is not None:
        view[r < shape.bore] = within


def crossings(grid: Grid, shapes) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
    """Share of the way from a cell's centre to the next along x, y, z at which a round wall is crossed; NaN where none is."""
    if not shapes:
        return None
    out = tuple(np.full(grid.shape, np.nan) for _ in range(3))
    for shape in shapes:
        for radius in (shape.radius, shape.bore):
            if radius:
                _cross(grid, shape, radius, out)
    return out


def _cross(grid: Grid, shape: Round, radius: float, out) -> None:
    across = [a for a in range(3) if a != shape.axis]
    along = grid.centres[shape.axis]
    span = slice(int(np.searchsorted(along, shape.span[0] - SNAP)), int(np.searchsorted(along, shape.span[1] + SNAP)))
    for t in across:
        other = 3 - shape.axis - t
        x = grid.centres[t] - shape.centre[across.index(t)]
        y = grid.centres[other] - shape.centre[across.index(other)]
        inside = x[:, None] ** 2 + y[None, :] ** 2 < radius**2  # (t, other)
        i, j = np.nonzero(inside[:-1] != inside[1:])
        reach = np.sqrt(np.maximum(radius**2 - y[j] ** 2, 0.0))
        wall = np.where(inside[i, j], reach, -reach)
        share = np.clip((wall - x[i]) / (x[i + 1] - x[i]), 0.0, 1.0)
        view = np.moveaxis(out[t], (t, other, shape.axis), (0, 1, 2))
        view[i, j, span] = share[:, None]
