"""Which cell belongs to what: solids painted over the grid, fluid spaces found between them."""

from __future__ import annotations

import numpy as np

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


def fluid_spaces(kind: np.ndarray, periodic=()) -> tuple[np.ndarray, int]:
    """Connected fluid volumes: labels 0..n-1 per cell (-1 where not fluid) and their number.

    Cells connect through faces only: fluid does not pass an edge. Along the axes in ``periodic`` the ends join too.
    """
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
