"""The way fluid takes out of a space that should be closed: the widest path to the outside, and its narrowest place.

Clearance is the distance to the nearest wall, by the exact places where surfaces cross the grid's segments. Of all
paths the one is taken whose narrowest place is widest; among those, one that keeps to the middle.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit

from ..model import Model
from .build import Built
from .occupancy import FLUID, SOLID, fluid_spaces


@dataclass(frozen=True)
class Leak:
    """``path`` (n, 3) m from the point to the outside; ``width`` (m) of its narrowest place and where that is
    (``place``, m); names of the parts on both sides of it (``beside``); ``below_grid``: it is narrower than the cells
    there, so its size is a bound."""

    path: np.ndarray
    width: float
    place: tuple[float, ...]
    beside: tuple[str, ...]
    below_grid: bool


def leak(built: Built, point, past: Sequence[Leak] = ()) -> Leak | None:
    """The leak from a point (m) in the fluid to the sides of the model; None where the fluid there is closed in. Ways
    through the narrowest places of ``past`` ones do not count.

    Raises ValueError where the point lies in no fluid.
    """
    start = built.grid.find(point)
    if start is None or built.kind[start] != FLUID:
        raise ValueError("the point lies in no fluid")
    walls = _walls(built)
    if walls is None:
        return None
    centres = np.stack(np.meshgrid(*built.grid.centres, indexing="ij"), -1)
    fluid = built.kind == FLUID
    clear = np.zeros(fluid.shape)
    clear[fluid] = np.minimum(walls.tree.query(centres[fluid], workers=2)[0], _span(built))
    for known in past:
        fluid &= ~_stopped(built, walls, centres, clear, known)
    clear[~fluid] = 0.0
    if not fluid[start]:
        return None
    goal = _outside(built)
    shut = tuple(map(np.ascontiguousarray, built.shut or [np.zeros(fluid.shape, bool)] * 3))
    first, _ = _widest(clear, fluid, shut, goal, *start)
    if first < 0.0:
        return None
    steps = _shortest(clear, 0.97 * first, shut, goal, *built.grid.centres, *start)
    path = centres[tuple(steps[::-1].T)]
    along = clear[tuple(steps[::-1].T)]
    narrow = np.flatnonzero(along <= 1.02 * along.min())
    at = int(narrow[len(narrow) // 2])  # in the middle of a stretch that is narrow all along
    place, width = _middle(walls, path, at, built)
    return Leak(
        path, 2.0 * width, tuple(map(float, place)), _beside(built, walls, place), 2.0 * width < _cell(built, place)
    )


def _stopped(built: Built, walls: _Walls, centres: np.ndarray, clear: np.ndarray, known: Leak) -> np.ndarray:
    """Cells (bool) that close a leak at its narrowest place: those about it, and where two parts leave the gap all
    cells between the two that are about as narrow."""
    cell = _cell(built, known.place)
    out = np.linalg.norm(centres - np.array(known.place), axis=-1) < max(0.75 * known.width, 1.5 * cell)
    if len(known.beside) == 2:
        narrow = (clear > 0.0) & (clear < 0.75 * known.width + 1e-9)
        near = walls.tree.query(centres[narrow], k=min(12, len(walls.owners)), workers=2)[1]
        owners = walls.owners[near]
        one, other = (built.parts.index(n) for n in known.beside)
        out[narrow] |= (owners == one).any(axis=1) & (owners == other).any(axis=1)
    return out


def behind(model: Model, built: Built) -> list[np.ndarray]:
    """Points (m) in the fluid behind blanking plates, half the rim's width in, where that fluid reaches the sides."""
    label, _ = fluid_spaces(built.kind, (), built.shut)
    open_ = set(np.unique(label[_outside(built)]).tolist())
    out = []
    for rim in (r for plate in model.plates for r in plate.rims):
        for share in (0.5, 0.25, 0.1):
            point = rim.centre - share * rim.size[1] * rim.normal
            at = built.grid.find(point)
            if at is not None and label[at] >= 0:
                if int(label[at]) in open_:
                    out.append(point)
                break
    return out


def _span(built: Built) -> float:
    return float(max(x[-1] - x[0] for x in built.grid.lines))


def _cell(built: Built, place) -> float:
    """Smallest width (m) of the cell at a place."""
    index = built.grid.find(place)
    return float(min(built.grid.widths[a][index[a]] for a in range(3))) if index else 0.0


@dataclass(frozen=True)
class _Walls:
    """Points on walls (m) as a ``tree``, the part each belongs to, and half the size of the flat piece of wall around
    each (n, 3; zeros where the wall is curved or oblique)."""

    tree: object
    owners: np.ndarray
    half: np.ndarray

    def distance(self, x: np.ndarray) -> np.ndarray:
        """Distance (m) of points (n, 3) to the nearest wall, flat pieces as they are and not only their middles."""
        near = min(40, len(self.owners))
        at = self.tree.query(x, k=near)[1].reshape(len(x), near)
        off = np.abs(self.tree.data[at] - x[:, None])
        return np.linalg.norm(np.maximum(off - self.half[at], 0.0), axis=-1).min(axis=1)


def _walls(built: Built) -> _Walls | None:
    """All walls; None where there are none."""
    from scipy.spatial import cKDTree  # only a leak needs it

    points, owners, halves = [], [], []
    for a in range(3):
        low, high = (np.moveaxis(built.kind, a, 0)[cut] for cut in (slice(None, -1), slice(1, None)))
        at = np.argwhere((low == SOLID) != (high == SOLID))
        if not len(at):
            continue
        cell = np.insert(at[:, 1:], a, at[:, 0], axis=1)
        ahead = cell.copy()
        ahead[:, a] += 1
        one, other = tuple(cell.T), tuple(ahead.T)
        place = np.stack([built.grid.centres[t][cell[:, t]] for t in range(3)], -1)
        place[:, a] = built.grid.lines[a][cell[:, a] + 1]
        half = np.stack([0.5 * built.grid.widths[t][cell[:, t]] for t in range(3)], -1)
        half[:, a] = 0.0
        if built.crossing is not None:
            share = built.crossing.share[a][one]
            start, end = built.grid.centres[a][cell[:, a]], built.grid.centres[a][ahead[:, a]]
            place[:, a] = np.where(np.isfinite(share), start + np.nan_to_num(share) * (end - start), place[:, a])
        level = np.full(built.grid.shape, np.nan)
        level[one] = place[:, a]
        for t in (m for m in range(3) if m != a):  # flat only where it goes on at the same level
            along = np.moveaxis(level, t, 0)
            same = np.zeros(along.shape, bool)
            level_on = np.abs(along[1:] - along[:-1]) < 1e-9
            same[1:-1] = level_on[1:] & level_on[:-1]
            half[~np.moveaxis(same, 0, t)[one], t] = 0.0
        points.append(place)
        owners.append(np.where(built.kind[one] == SOLID, built.owner[one], built.owner[other]))
        halves.append(half)
    if built.shut is not None:
        for a in range(3):
            cell = np.argwhere(built.shut[a])
            one = tuple(cell.T)
            start, span = built.grid.centres[a][cell[:, a]], np.diff(built.grid.centres[a])[cell[:, a]]
            for share in (built.crossing.share[a][one], built.crossing.back[a][one]):
                place = np.stack([built.grid.centres[t][cell[:, t]] for t in range(3)], -1)
                place[:, a] = start + share * span
                points.append(place)
                owners.append(built.crossing.sheet[a][one])
                halves.append(np.zeros_like(place))
    if not points:
        return None
    return _Walls(cKDTree(np.concatenate(points)), np.concatenate(owners), np.concatenate(halves))


def _outside(built: Built) -> np.ndarray:
    """Fluid cells at the sides of the model."""
    out = np.zeros(built.kind.shape, bool)
    for a in range(3):
        if built.kind.shape[a] > 1:
            side = np.moveaxis(out, a, 0)
            side[0] = side[-1] = True
    return out & (built.kind == FLUID)


@njit(cache=True)
def _push(heap, keys, size, key, cell):
    """Put a cell into a heap whose largest key comes first."""
    i = size
    while i > 0:
        up = (i - 1) // 2
        if keys[up] >= key:
            break
        heap[i], keys[i] = heap[up], keys[up]
        i = up
    heap[i], keys[i] = cell, key


@njit(cache=True)
def _pop(heap, keys, size):
    """Take the first of a heap of ``size``; what is left is a heap again."""
    cell, key = heap[0], keys[0]
    last, last_key = heap[size - 1], keys[size - 1]
    n, i = size - 1, 0
    while True:
        down = 2 * i + 1
        if down >= n:
            break
        if down + 1 < n and keys[down + 1] > keys[down]:
            down += 1
        if last_key >= keys[down]:
            break
        heap[i], keys[i] = heap[down], keys[down]
        i = down
    heap[i], keys[i] = last, last_key
    return cell, key


@njit(cache=True)
def _beside_of(x, y, z, t):
    """The cell on one of the six sides of a cell."""
    step = 1 - 2 * (t % 2)
    return x + (step if t < 2 else 0), y + (step if 2 <= t < 4 else 0), z + (step if t >= 4 else 0)


@njit(cache=True)
def _closed(shut, x, y, z, t):
    """Whether a sheet closes one of the six sides of a cell."""
    back = t % 2
    if t < 2:
        return shut[0][x - back, y, z]
    if t < 4:
        return shut[1][x, y - back, z]
    return shut[2][x, y, z - back]


@njit(cache=True)
def _widest(clear, fluid, shut, goal, i, j, k):
    """Largest clearance that some path to a goal has everywhere, and the goal; -1 where there is no path."""
    n0, n1, n2 = clear.shape
    best = np.full(clear.size, -1.0)
    heap, keys, size = np.zeros(7 * clear.size + 8, np.int64), np.zeros(7 * clear.size + 8), 0
    start = (i * n1 + j) * n2 + k
    best[start] = clear[i, j, k]
    _push(heap, keys, size, best[start], start)
    size += 1
    while size > 0:
        cell, key = _pop(heap, keys, size)
        size -= 1
        if key < best[cell]:
            continue
        x, y, z = cell // (n1 * n2), (cell // n2) % n1, cell % n2
        if goal[x, y, z]:
            return key, cell
        for t in range(6):
            p, q, r = _beside_of(x, y, z, t)
            if 0 <= p < n0 and 0 <= q < n1 and 0 <= r < n2 and fluid[p, q, r] and not _closed(shut, x, y, z, t):
                to = (p * n1 + q) * n2 + r
                wide = min(key, clear[p, q, r])
                if wide > best[to]:
                    best[to] = wide
                    _push(heap, keys, size, wide, to)
                    size += 1
    return -1.0, -1


@njit(cache=True)
def _shortest(clear, least, shut, goal, cx, cy, cz, i, j, k):
    """Cells (n, 3) of the path to a goal, the goal first, that is shortest where narrow places count as longer."""
    n0, n1, n2 = clear.shape
    cost, before = np.full(clear.size, np.inf), np.full(clear.size, -1)
    heap, keys, size = np.zeros(7 * clear.size + 8, np.int64), np.zeros(7 * clear.size + 8), 0
    start = (i * n1 + j) * n2 + k
    cost[start] = 0.0
    _push(heap, keys, size, 0.0, start)
    size += 1
    end = -1
    while size > 0:
        cell, key = _pop(heap, keys, size)
        size -= 1
        if -key > cost[cell]:
            continue
        x, y, z = cell // (n1 * n2), (cell // n2) % n1, cell % n2
        if goal[x, y, z]:
            end = cell
            break
        for t in range(6):
            p, q, r = _beside_of(x, y, z, t)
            inside = 0 <= p < n0 and 0 <= q < n1 and 0 <= r < n2
            if inside and clear[p, q, r] >= least and not _closed(shut, x, y, z, t):
                to = (p * n1 + q) * n2 + r
                step = abs(cx[p] - cx[x]) + abs(cy[q] - cy[y]) + abs(cz[r] - cz[z])
                new = cost[cell] + step * (1.0 + (4.0 * step / clear[p, q, r]) ** 2)
                if new < cost[to]:
                    cost[to], before[to] = new, cell
                    _push(heap, keys, size, -new, to)
                    size += 1
    count, cell = 0, end
    while cell >= 0:
        count, cell = count + 1, before[cell]
    out = np.zeros((count, 3), np.int64)
    cell = end
    for m in range(count):
        out[m, 0], out[m, 1], out[m, 2] = cell // (n1 * n2), (cell // n2) % n1, cell % n2
        cell = before[cell]
    return out


def _middle(walls: _Walls, path: np.ndarray, at: int, built: Built) -> tuple[np.ndarray, float]:
    """The middle of the passage at one place of a path, and the clearance there: climbed to across the path."""
    ends = path[max(at - 3, 0)], path[min(at + 3, len(path) - 1)]
    way = ends[1] - ends[0]
    way = way / max(float(np.linalg.norm(way)), 1e-12)
    across = np.linalg.svd(way[None])[2][1:]
    here, wide = path[at], float(walls.distance(path[at][None])[0])
    index = built.grid.find(here)
    # no farther than a cell
    reach = max(float(built.grid.widths[a][index[a]]) for a in range(3)) if index else wide
    step = 0.5 * min(reach, wide)
    while step > 1e-3 * max(wide, 1e-9):
        tries = here + step * np.array([u * across[0] + v * across[1] for u, v in ((1, 0), (-1, 0), (0, 1), (0, -1))])
        found = walls.distance(tries)
        best = int(np.argmax(found))
        if found[best] > wide * (1 + 1e-6) and np.linalg.norm(tries[best] - path[at]) <= reach:
            here, wide = tries[best], float(found[best])
        else:
            step *= 0.5
    return here, wide


def _beside(built: Built, walls: _Walls, place) -> tuple[str, ...]:
    """The parts on the two sides of a place."""
    tree, owners = walls.tree, walls.owners
    near, at = tree.query(place, k=min(200, len(owners)))
    toward = tree.data[at] - place
    first = toward[0] / max(float(np.linalg.norm(toward[0])), 1e-12)
    other = next((m for m in range(len(at)) if toward[m] @ first < -0.5 * near[m]), 0)
    names = [built.parts[int(owners[at[m]])] for m in (0, other) if owners[at[m]] >= 0]
    return tuple(dict.fromkeys(names))
