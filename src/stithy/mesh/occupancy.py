"""Which cell belongs to what: solids painted over the grid, fluid spaces found between them."""

from __future__ import annotations

import numpy as np
from numba import njit

from .lines import SNAP, Grid

FLUID, SOLID, VOID = 0, 1, 2


def box_slices(grid: Grid, box) -> tuple[slice, slice, slice]:
    """Slices of the cells whose centres lie in ``box`` (3 pairs, m)."""
    return tuple(
        slice(int(np.searchsorted(c, lo - SNAP)), int(np.searchsorted(c, hi + SNAP)))
        for c, (lo, hi) in zip(grid.centres, box, strict=True)
    )


def paint(grid: Grid, boxes, owners, background: int = -1) -> np.ndarray:
    """Owner of every cell, int32: later boxes are painted over earlier ones; ``background`` where there is none."""
    owner = np.full(grid.shape, background, np.int32)
    for box, who in zip(boxes, owners, strict=True):
        owner[box_slices(grid, box)] = who
    return owner


def fluid_spaces(kind: np.ndarray, periodic=(), shut=None) -> tuple[np.ndarray, int]:
    """Connected fluid volumes: labels 0..n-1 per cell (-1 where not fluid) and their number.

    Cells connect through faces only: fluid does not pass an edge. Along the axes in ``periodic`` the ends join too.
    ``shut``: per axis, high faces of cells that a sheet closes (bool); None: none.
    """
    if shut is not None:
        wraps = np.array([a in periodic for a in range(3)])
        return _flood(kind == FLUID, *(np.ascontiguousarray(x) for x in shut), wraps)
    from scipy import ndimage  # half a second to import, and only a run needs it: the window starts sooner

    label, n = ndimage.label(kind == FLUID)
    if n > 1 and periodic:
        from scipy.sparse import coo_matrix, csgraph

        pairs = [np.stack([np.take(label, 0, a).ravel(), np.take(label, -1, a).ravel()]) for a in periodic]
        joined = np.concatenate(pairs, axis=1)
        joined = joined[:, (joined > 0).all(0)] - 1
        graph = coo_matrix((np.ones(joined.shape[1]), joined), (n, n))
        n, same = csgraph.connected_components(graph, directed=False)
        label = np.where(label > 0, same[label - 1] + 1, 0)
    return label.astype(np.int32) - 1, int(n)


@njit(cache=True)
def _flood(fluid, shut0, shut1, shut2, wraps):
    """As :func:`fluid_spaces`, cell by cell."""
    n0, n1, n2 = fluid.shape
    label, count = np.full(fluid.shape, -1, np.int32), 0
    heap = np.zeros(fluid.size, np.int64)
    for start in range(fluid.size):
        i, j, k = start // (n1 * n2), (start // n2) % n1, start % n2
        if not fluid[i, j, k] or label[i, j, k] >= 0:
            continue
        label[i, j, k] = count
        heap[0], size = start, 1
        while size > 0:
            size -= 1
            c = heap[size]
            at = (c // (n1 * n2), (c // n2) % n1, c % n2)
            for t in range(6):
                a, step = t // 2, 1 - 2 * (t % 2)
                x, y, z = (
                    at[0] + (step if a == 0 else 0),
                    at[1] + (step if a == 1 else 0),
                    at[2] + (step if a == 2 else 0),
                )
                if wraps[a]:
                    x, y, z = x % n0, y % n1, z % n2
                if not (0 <= x < n0 and 0 <= y < n1 and 0 <= z < n2) or not fluid[x, y, z] or label[x, y, z] >= 0:
                    continue
                low = at if step > 0 else (x, y, z)
                closed = shut0[low] if a == 0 else (shut1[low] if a == 1 else shut2[low])
                if not closed:
                    label[x, y, z] = count
                    heap[size] = (x * n1 + y) * n2 + z
                    size += 1
        count += 1
    return label, count
