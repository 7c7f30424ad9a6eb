"""Where the walls are: the distance to the nearest one, and the gap between two that face each other."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..mesh.occupancy import FLUID
from ..setup.case import Case

NO_WALL = 1e3  # m


def _wall_faces(case: Case, repeats) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cells (m, 3), and axis and side (m, 2) of all faces between fluid and a wall, of the case ``repeats`` (3,) times
    over; openings, symmetry and periodic sides are no walls. Last the fluid cells themselves, bool."""
    fluid = np.pad(case.kind == FLUID, 1)
    cells, sides = [], []
    for axis in range(3):
        for outward in (-1, 1):
            wall = (fluid & ~np.roll(fluid, -outward, axis))[1:-1, 1:-1, 1:-1]
            wall |= _shut(case, axis, outward > 0) & (case.kind == FLUID)
            for patch in case.openings:
                if (patch.axis, patch.outward) == (axis, outward) and len(patch.cells):
                    wall[tuple(patch.cells.T)] = False
            mirror, edge = case.mirror(axis, outward > 0), np.moveaxis(wall, axis, 0)[-1 if outward > 0 else 0]
            if "xyz"[axis] in case.periodic:
                edge[:] = False
            elif mirror is not None:
                edge[mirror] = False
            index = np.argwhere(np.tile(wall, repeats))
            cells.append(index)
            sides.append(np.tile([axis, outward], (len(index), 1)))
    return np.concatenate(cells), np.concatenate(sides), np.tile(case.kind == FLUID, repeats)


def _shut(case: Case, axis: int, up: bool) -> np.ndarray:
    """Fluid cells with a sheet thinner than a cell on one side of them."""
    shut = case.crossing.shut if case.crossing is not None else None
    if shut is None:
        return np.zeros(case.kind.shape, bool)
    if up:
        return shut[axis]
    out = np.roll(shut[axis], 1, axis)
    np.moveaxis(out, axis, 0)[0] = False
    return out


def wall_distance(case: Case) -> np.ndarray:
    """Distance (m) of fluid cell centres to the nearest wall face; 0 in other cells, NO_WALL where there is none.

    The distance to a face is that to its rectangle; where a curved or oblique wall crosses, to a piece of the plane
    that touches it there (:func:`_planes`). Which face is nearest is handed on from cell to cell, to and fro through
    the fluid, until nothing gets nearer; beyond periodic sides stand the walls of the next pitch. Source of the method:
    P.-E. Danielsson, Comput. Graph. Image Process. 14 (1980).
    """
    return _nearest(case)[0]


def wall_roughness(case: Case) -> np.ndarray | None:
    """Sand-grain roughness (m) of the wall nearest to each fluid cell; None where all are smooth."""
    if case.rough is None:
        return None
    _, near, cells, sides = _nearest(case)
    own = cells % np.array(case.grid.shape)
    of_face = case.rough[2 * sides[:, 0] + (sides[:, 1] > 0), own[:, 0], own[:, 1], own[:, 2]]
    return np.where(near >= 0, np.append(of_face, 0.0)[near], 0.0)


def _nearest(case: Case) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """As of :func:`wall_distance`, and the number of the nearest wall face of every cell (-1: none), with the cells and
    sides of all faces as of :func:`_wall_faces`."""
    repeats = [3 if a in case.periodic else 1 for a in "xyz"]
    cells, sides, fluid = _wall_faces(case, repeats)
    if not len(cells):
        return np.where(case.kind == FLUID, NO_WALL, 0.0), np.full(case.kind.shape, -1), cells, sides
    at, half = [], []
    for w, lines, m in zip(case.grid.widths, case.grid.lines, repeats, strict=True):
        ends = np.cumsum(np.tile(w, m))
        at.append(ends - 0.5 * np.tile(w, m) + lines[0])
        half.append(0.5 * np.tile(w, m))
    centre = np.stack([at[a][cells[:, a]] for a in range(3)], -1)
    reach = np.stack([half[a][cells[:, a]] for a in range(3)], -1)
    rows = np.arange(len(cells))
    ahead, normal = _planes(case, cells % np.array(case.grid.shape), sides)
    centre[rows, sides[:, 0]] += sides[:, 1] * np.where(np.isfinite(ahead), ahead, reach[rows, sides[:, 0]])
    reach[rows, sides[:, 0]] = 0.0
    # where a wall is steeper than the diagonal, crossings along another axis tell more of it
    reach *= np.where(np.isfinite(ahead), np.minimum(1.0, 1.4 * normal[rows, sides[:, 0]]), 1.0)[:, None]
    best = np.full((*fluid.shape, 2), np.inf)
    near = np.full(best.shape, -1, np.int32)
    _spread(fluid, *at, cells, centre, reach, normal, near, best)
    out = best[..., 0]
    middle = tuple(slice(n, 2 * n) if m == 3 else slice(None) for n, m in zip(case.grid.shape, repeats, strict=True))
    out = out[middle]
    distance = np.where(case.kind == FLUID, np.where(np.isfinite(out), np.sqrt(out), NO_WALL), 0.0)
    return distance, near[..., 0][middle], cells, sides


@njit(cache=True)
def _spread(fluid, x, y, z, cells, centre, reach, normal, near, best):
    """Fill ``best`` (..., 2; m2) with the squared distances to the two nearest wall faces, ``near`` with their numbers.

    Cells keep two, because the nearest to a cell need not be the nearest to any of its neighbours.
    """
    for m in range(len(cells)):
        i, j, k = cells[m]
        _keep(_squared(x[i], y[j], z[k], centre[m], reach[m], normal[m]), m, near[i, j, k], best[i, j, k])
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
                                    moved |= _keep(
                                        _squared(x[i], y[j], z[k], centre[m], reach[m], normal[m]), m, mine, known
                                    )
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
def _squared(x, y, z, centre, reach, normal):
    """Squared distance to a rectangle along the grid (``normal`` zero), or to a piece of a plane that reaches as far
    along the grid."""
    a, b, c = x - centre[0], y - centre[1], z - centre[2]
    s = a * normal[0] + b * normal[1] + c * normal[2]
    if s == 0.0:
        a, b, c = max(abs(a) - reach[0], 0.0), max(abs(b) - reach[1], 0.0), max(abs(c) - reach[2], 0.0)
        return a * a + b * b + c * c
    # from the foot of the perpendicular back to the piece, within the plane: its third direction (no reach) follows
    # from the other two
    total, third, n_third = s * s, 0.0, 1.0
    for d, n, r in ((a, normal[0], reach[0]), (b, normal[1], reach[1]), (c, normal[2], reach[2])):
        if r > 0.0:
            beside = d - s * n
            beside = max(beside - r, 0.0) + min(beside + r, 0.0)
            total += beside * beside
            third += beside * n
        else:
            n_third = n
    return total + (third / n_third) ** 2


def _planes(case: Case, cells, sides) -> tuple[np.ndarray, np.ndarray]:
    """Distance (m) from cell centres along the grid to the curved wall that crosses there (NaN where none does), and
    the wall's normal (m, 3; zero where none does).

    How far it tilts is known from the geometry; which way, from the crossings of the same cell along other axes, or
    else of the columns of cells beside it.
    """
    n = np.array(case.grid.shape)
    ahead, normal = np.full(len(cells), np.nan), np.zeros((len(cells), 3))
    if case.crossing is None:
        return ahead, normal
    x = case.grid.centres
    reach, tilt = (
        {},
        {},
    )  # by axis and side: distance to the wall of every cell, inf where no curved wall crosses; the normal's part
    for a in range(3):
        share = np.asarray(case.crossing.share[a], float)
        step = np.diff(x[a], append=np.nan).reshape([-1 if t == a else 1 for t in range(3)])
        reach[a, 1] = np.where(np.isfinite(share), share * step, np.inf)
        if case.crossing.back is not None:
            share = np.where(np.isfinite(case.crossing.back[a]), case.crossing.back[a], share)
        reach[a, -1] = np.roll(np.where(np.isfinite(share), (1 - share) * step, np.inf), 1, a)
        np.moveaxis(reach[a, -1], a, 0)[0] = np.inf
        tilt[a, 1] = np.asarray(case.crossing.tilt[a], float)
        tilt[a, -1] = np.roll(tilt[a, 1], 1, a)
    for (a, side), table in reach.items():
        rows = np.flatnonzero((sides[:, 0] == a) & (sides[:, 1] == side))
        c = cells[rows]
        own = table[tuple(c.T)]
        rows, c, own = rows[np.isfinite(own)], c[np.isfinite(own)], own[np.isfinite(own)]
        ahead[rows], normal[rows, a] = own, 1.0
        for b in (t for t in range(3) if t != a and n[t] > 1):
            down, up = reach[b, -1][tuple(c.T)], reach[b, 1][tuple(c.T)]
            clear = np.isfinite(
                np.minimum(down, up)
            )  # the wall crosses along b as well: how much it faces that way is known there
            faces = np.where(up < down, tilt[b, 1][tuple(c.T)], -tilt[b, -1][tuple(c.T)])
            along = -side * faces / np.maximum(tilt[a, side][tuple(c.T)], 0.01)
            normal[rows, b] = -np.where(clear, along, _slope(x, table, a, side, b, c, own, n))
        part = np.clip(np.nan_to_num(tilt[a, side][tuple(c.T)], nan=1.0), 0.01, 1.0)
        others = np.arange(3) != a
        aside = np.linalg.norm(normal[rows][:, others], axis=1)
        wanted = np.sqrt(1 - part**2) / part
        normal[np.ix_(rows, others)] *= np.divide(wanted, aside, out=np.zeros(len(rows)), where=aside > 1e-9)[:, None]
    length = np.linalg.norm(normal, axis=1, keepdims=True)
    return ahead, np.divide(normal, length, out=normal, where=length > 0)


def _slope(x, table, a: int, side: int, b: int, c, own, n) -> np.ndarray:
    """How far the wall at distance ``own`` from cells ``c`` along ``a`` moves along it, per step along ``b``: mean over
    both neighbours."""
    total, count = np.zeros(len(c)), np.zeros(len(c))
    here = x[a][c[:, a]] + side * own
    for step in (-1, 1):
        found = np.full(len(c), np.nan)
        for shift in (-1, 1, 0):
            d = c.copy()
            d[:, a] += shift
            d[:, b] += step
            inside = ((d >= 0) & (d < n)).all(1)
            d = np.where(inside[:, None], d, c)
            there = np.where(inside, table[tuple(d.T)], np.inf)
            rise = (x[a][d[:, a]] + side * there - here) / np.where(inside, x[b][d[:, b]] - x[b][c[:, b]], 1.0)
            found = np.where(np.isfinite(there), rise, found)
        total += np.nan_to_num(found)
        count += np.isfinite(found)
    return total / np.maximum(count, 1.0)


def chords(case: Case, openings: bool = False) -> list[np.ndarray]:
    """Distance (m) from wall to wall through every fluid cell along x, y and z; NO_WALL at least where there is none, 0
    outside fluids.

    A symmetry side stands for the mirror image of what lies before it; ``openings``: whether they end a chord as walls
    do.
    """
    fluid, out = case.kind == FLUID, []
    for a in range(3):
        whole = _look(case, fluid, a, False, openings) + _look(case, fluid, a, True, openings)
        if any(f"{'xyz'[a]}{e}" in case.symmetry for e in "-+"):
            seen = _mirrors(case, fluid, a)
            whole = np.where(seen == 2, NO_WALL, np.where(seen == 1, 2 * whole, whole))
        out.append(np.where(fluid, whole, 0.0))
    return out


def gap(case: Case) -> np.ndarray:
    """Least distance (m) between the walls that face each other across a fluid cell, looking along x, y and z; NO_WALL
    where none do."""
    return np.minimum(np.minimum.reduce(chords(case)), NO_WALL)


def _look(case: Case, fluid, a: int, up: bool, openings: bool = False) -> np.ndarray:
    """Distance from each fluid cell's centre to the first wall (or mirror) along one direction; NO_WALL through
    openings unless they count as walls (``openings``)."""
    lines = case.grid.widths[a]
    x, open_end = np.moveaxis(fluid, a, 0), np.zeros(case.grid.shape, bool)
    for patch in () if openings else case.openings:
        if patch.axis == a and (patch.outward > 0) == up and len(patch.cells):
            open_end[tuple(patch.cells.T)] = True
    open_end = np.moveaxis(open_end, a, 0)
    n = x.shape[0]
    order = range(n - 1, -1, -1) if up else range(n)
    ahead = np.zeros(x.shape[1:])  # from the near face of the cell looked at before
    if "xyz"[a] in case.periodic:
        ahead[:] = NO_WALL
        order = [*order, *order]
    out, shut = np.zeros(x.shape), np.moveaxis(_shut(case, a, up), a, 0)
    for i in order:
        ahead = np.where(open_end[i], NO_WALL, np.where(shut[i], 0.0, ahead))
        out[i] = np.where(x[i], ahead + 0.5 * lines[i], 0.0)
        ahead = np.where(x[i], ahead + lines[i], 0.0)
    return np.moveaxis(out, 0, a)


def _mirrors(case: Case, fluid, a: int) -> np.ndarray:
    """At how many of its ends a cell's column of fluid along an axis meets a symmetry side; between two there is no
    wall at all."""
    x, seen = np.moveaxis(fluid, a, 0), np.zeros(np.moveaxis(fluid, a, 0).shape, int)
    for up in (False, True):
        mirror = case.mirror(a, up)
        if mirror is not None:
            seen += mirror & (np.logical_and.accumulate(x[::-1], 0)[::-1] if up else np.logical_and.accumulate(x, 0))
    return np.moveaxis(seen, 0, a)
