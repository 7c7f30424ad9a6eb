"""Where the walls are: the distance to the nearest one, and the gap between two that face each other."""
from __future__ import annotations

import numpy as np
from numba import njit

from ..grid.occupancy import FLUID
from .case import Case

NO_WALL = 1e3  # m


def _wall_faces(case: Case, repeats) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cells (m, 3), and axis and side (m, 2) of all faces between fluid and a wall, of the case ``repeats`` (3,) times over;
    openings, symmetry and periodic sides are no walls. Last the fluid cells themselves, bool."""
    fluid = np.pad(case.kind == FLUID, 1)
    cells, sides = [], []
    for axis in range(3):
        for outward in (-1, 1):
            wall = (fluid & ~np.roll(fluid, -outward, axis))[1:-1, 1:-1, 1:-1]
            for patch in case.patches:
                if (patch.axis, patch.outward) == (axis, outward) and len(patch.cells):
                    wall[tuple(patch.cells.T)] = False
            if "xyz"[axis] in case.periodic or f"{'xyz'[axis]}{'+' if outward > 0 else '-'}" in case.symmetry:
                edge = [slice(None)] * 3
                edge[axis] = -1 if outward > 0 else 0
                wall[tuple(edge)] = False
            index = np.argwhere(np.tile(wall, repeats))
            cells.append(index)
            sides.append(np.tile([axis, outward], (len(index), 1)))
    return np.concatenate(cells), np.concatenate(sides), np.tile(case.kind == FLUID, repeats)


def wall_distance(case: Case) -> np.ndarray:
    """Distance (m) of fluid cell centres to the nearest wall face; 0 in other cells, NO_WALL where there is none.

    The distance to a face is that to its rectangle. Which face is nearest is handed on from cell to cell, to and fro through the
    fluid, until nothing gets nearer; beyond periodic sides stand the walls of the next pitch. Source of the method: P.-E.
    Danielsson, Comput. Graph. Image Process. 14 (1980).
    """
    repeats = [3 if a in case.periodic else 1 for a in "xyz"]
    cells, sides, fluid = _wall_faces(case, repeats)
    if not len(cells):
        return np.where(case.kind == FLUID, NO_WALL, 0.0)
    at, half = [], []
    for w, lines, m in zip(case.grid.widths, case.grid.lines, repeats, strict=True):
        ends = np.cumsum(np.tile(w, m))
        at.append(ends - 0.5 * np.tile(w, m) + lines[0])
        half.append(0.5 * np.tile(w, m))
    centre = np.stack([at[a][cells[:, a]] for a in range(3)], -1)
    reach = np.stack([half[a][cells[:, a]] for a in range(3)], -1)
    rows = np.arange(len(cells))
    centre[rows, sides[:, 0]] += sides[:, 1] * reach[rows, sides[:, 0]]
    reach[rows, sides[:, 0]] = 0.0
    best = np.full((*fluid.shape, 2), np.inf)
    _spread(fluid, *at, cells, centre, reach, np.full(best.shape, -1, np.int32), best)
    out = best[..., 0]
    middle = tuple(slice(n, 2 * n) if m == 3 else slice(None) for n, m in zip(case.grid.shape, repeats, strict=True))
    out = out[middle]
    return np.where(case.kind == FLUID, np.where(np.isfinite(out), np.sqrt(out), NO_WALL), 0.0)


@njit(cache=True)
def _spread(fluid, x, y, z, cells, centre, reach, near, best):
    """Fill ``best`` (..., 2; m2) with the squared distances to the two nearest wall faces, ``near`` with their numbers.

    Cells keep two, because the nearest to a cell need not be the nearest to any of its neighbours.
    """
    for m in range(len(cells)):
        i, j, k = cells[m]
        _keep(_squared(x[i], y[j], z[k], centre[m], reach[m]), m, near[i, j, k], best[i, j, k])
    nx, ny, nz = fluid.shape
    quiet, forward = 0, True
    while quiet < 2:
        moved = False
        for ii in range(nx):
            i = ii if forward else nx - 1 - ii
            for jj in range(ny):
                j = jj if forward else ny - 1 - jj
                for kk in range(nz):
                    k = kk if forward else nz - 1 - kk
                    if not fluid[i, j, k]:
                        continue
                    mine, known = near[i, j, k], best[i, j, k]
                    for p in range(max(i - 1, 0), min(i + 2, nx)):
                        for q in range(max(j - 1, 0), min(j + 2, ny)):
                            for r in range(max(k - 1, 0), min(k + 2, nz)):
                                for m in near[p, q, r]:
                                    if m < 0 or m == mine[0] or m == mine[1]:
                                        continue
                                    moved |= _keep(_squared(x[i], y[j], z[k], centre[m], reach[m]), m, mine, known)
        forward = not forward
        quiet = 0 if moved else quiet + 1


@njit(cache=True, inline="always")
def _keep(d, m, numbers, distances):
    """Put face ``m`` at distance ``d`` among the two nearest; whether it has a place there."""
    if d >= distances[1] * (1 - 1e-12):
        return False
    if d < distances[0]:
        distances[1], numbers[1] = distances[0], numbers[0]
        distances[0], numbers[0] = d, m
    else:
        distances[1], numbers[1] = d, m
    return True


@njit(cache=True, inline="always")
def _squared(x, y, z, centre, reach):
    a, b, c = max(abs(x - centre[0]) - reach[0], 0.0), max(abs(y - centre[1]) - reach[1], 0.0), max(abs(z - centre[2]) - reach[2], 0.0)
    return a * a + b * b + c * c


def gap(case: Case) -> np.ndarray:
    """Least distance (m) between the walls that face each other across a fluid cell, looking along x, y and z; NO_WALL where none do.

    A symmetry side stands for the mirror image of what lies before it.
    """
    fluid, least = case.kind == FLUID, np.full(case.grid.shape, NO_WALL)
    for a in range(3):
        whole = np.zeros(case.grid.shape)
        for up in (False, True):
            reach = _look(case, fluid, a, up)
            whole = whole + reach
        mirrored = any(f"{'xyz'[a]}{e}" in case.symmetry for e in "-+")
        if mirrored:
            whole = np.where(_sees_mirror(case, fluid, a), 2 * whole, whole)
        least = np.minimum(least, whole)
    return np.where(fluid, np.minimum(least, NO_WALL), 0.0)


def _look(case: Case, fluid, a: int, up: bool) -> np.ndarray:
    """Distance from each fluid cell's centre to the first wall (or mirror) along one direction; NO_WALL through openings."""
    lines = case.grid.widths[a]
    x, open_end = np.moveaxis(fluid, a, 0), np.zeros(np.moveaxis(fluid, a, 0).shape[1:], bool)
    for patch in case.patches:
        if patch.axis == a and (patch.outward > 0) == up and len(patch.cells):
            at = np.zeros(case.grid.shape, bool)
            at[tuple(patch.cells.T)] = True
            open_end |= at.take(-1 if up else 0, a)
    n = x.shape[0]
    order = range(n - 1, -1, -1) if up else range(n)
    if "xyz"[a] in case.periodic:
        open_end[:] = True
        order = [*order, *order]
    out = np.zeros(x.shape)
    ahead = np.where(open_end, NO_WALL, 0.0)  # from the near face of the cell looked at before
    for i in order:
        out[i] = np.where(x[i], ahead + 0.5 * lines[i], 0.0)
        ahead = np.where(x[i], ahead + lines[i], 0.0)
    return np.moveaxis(out, 0, a)


def _sees_mirror(case: Case, fluid, a: int) -> np.ndarray:
    """Whether a cell's column of fluid along an axis ends at a symmetry side."""
    x, seen = np.moveaxis(fluid, a, 0), np.zeros(np.moveaxis(fluid, a, 0).shape, bool)
    for up in (False, True):
        if f"{'xyz'[a]}{'+' if up else '-'}" in case.symmetry:
            run = np.logical_and.accumulate(x[::-1], 0)[::-1] if up else np.logical_and.accumulate(x, 0)
            seen |= run
    return np.moveaxis(seen, 0, a)
