"""Gaps between solids that are narrower than a layout wants: closed, or layers of fluid that only conduct."""

from __future__ import annotations

import numpy as np

from .lines import SNAP, Grid


def narrow(grid: Grid, fluid: np.ndarray, owner: np.ndarray, least: float) -> tuple[np.ndarray, np.ndarray]:
    """Which ``fluid`` cells (bool) lie in a gap narrower than ``least`` (m) between two solids along some axis, and the
    solid (number of ``owner``) on the low side of it there; ``owner`` is 0 or more in solids."""
    found, beside = np.zeros(fluid.shape, bool), np.full(fluid.shape, -1, np.int32)
    for a in range(3):
        gaps, who = np.moveaxis(fluid, a, 0), np.moveaxis(owner, a, 0)
        edges, n = grid.lines[a], len(gaps)
        within, low = np.moveaxis(found, a, 0), np.moveaxis(beside, a, 0)
        index = np.arange(n)[:, None, None]
        # the last cell before each run of fluid, and the first behind it
        before = np.maximum.accumulate(np.where(gaps, -1, index), axis=0)
        behind = np.minimum.accumulate(np.where(gaps, n, index)[::-1], axis=0)[::-1]
        i, j, k = np.nonzero(gaps & (before >= 0) & (behind < n))
        first, last = before[i, j, k], behind[i, j, k]
        width = edges[last] - edges[first + 1]
        between = (width < least - SNAP) & (who[first, j, k] >= 0) & (who[last, j, k] >= 0)
        i, j, k, first = i[between], j[between], k[between], first[between]
        fresh = ~within[i, j, k]
        low[i[fresh], j[fresh], k[fresh]] = who[first[fresh], j[fresh], k[fresh]]
        within[i, j, k] = True
    return found, beside
