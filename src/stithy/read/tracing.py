"""Streamlines from the solver's own face velocities: exact within each cell, so that they keep to the flow, never enter
a wall and tell how long the fluid takes.

Within a cell each velocity component varies linearly between its two faces, so the way through the cell and the time it
takes have a closed form (Pollock 1988).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit

from ..mesh.occupancy import FLUID
from ..solution.solution import Solution

#: points that one line may have, each way
MOST_POINTS = 4000
#: of a cell's own passing time: a line that stays longer is caught and ends
_STILL = 1e-9


@dataclass(frozen=True)
class Traced:
    """Lines: ``points`` (n, 3) m with their ``time`` (s, from the line's seed; negative upstream), and where each line
    starts in them (``starts``, one more than lines)."""

    points: np.ndarray
    time: np.ndarray
    starts: np.ndarray

    @property
    def count(self) -> int:
        """How many lines there are."""
        return len(self.starts) - 1


def trace(s: Solution, seeds, way: str = "both", most: int = MOST_POINTS) -> Traced:
    """Lines through ``seeds`` (n, 3) m: with the flow ("onward"), against it ("back") or both. Seeds that lie in no
    fluid give none; at a periodic side a line ends."""
    seeds = np.atleast_2d(np.asarray(seeds, float))
    lines = tuple(np.ascontiguousarray(x, float) for x in s.grid.lines)
    faces = tuple(np.ascontiguousarray(x, float) for x in (s.u, s.v, s.w))
    fluid = np.ascontiguousarray(s.kind == FLUID)
    walk: Any = _one
    points, times, starts = [], [], [0]
    room, when = np.empty((most, 3)), np.empty(most)
    for seed in seeds:
        pieces = []
        for sign in (-1.0, 1.0):
            if (sign < 0 and way == "onward") or (sign > 0 and way == "back"):
                continue
            n = walk(seed, sign, *lines, *faces, fluid, room, when)
            pieces.append((room[:n].copy(), sign * when[:n].copy()))
        line = [(p[::-1], t[::-1]) if m == 0 and way != "onward" else (p, t) for m, (p, t) in enumerate(pieces)]
        if len(line) == 2 and len(line[0][0]) and len(line[1][0]):
            line[1] = line[1][0][1:], line[1][1][1:]
        whole = np.concatenate([p for p, _ in line]) if line else np.zeros((0, 3))
        if len(whole) > 1:
            points.append(whole)
            times.append(np.concatenate([t for _, t in line]))
            starts.append(starts[-1] + len(whole))
    if not points:
        return Traced(np.zeros((0, 3)), np.zeros(0), np.zeros(1, int))
    return Traced(np.concatenate(points), np.concatenate(times), np.array(starts))


@njit(cache=True)
def _cell_of(seed, x, y, z, fluid, at, cell):
    """Put a seed and its cell into ``at`` and ``cell``; whether it lies in fluid."""
    for a in range(3):
        lines = x if a == 0 else y if a == 1 else z
        at[a] = seed[a]
        i = np.searchsorted(lines, seed[a]) - 1
        if seed[a] < lines[0] - 1e-12 or seed[a] > lines[-1] + 1e-12:
            return False
        cell[a] = min(max(i, 0), fluid.shape[a] - 1)
    return fluid[cell[0], cell[1], cell[2]]


@njit(cache=True)
def _leaving(sign, at, cell, x, y, z, u, v, w, speed, slope):
    """Time (s) until a cell is left, and across which axis (-1: never); ``speed`` at the place and its ``slope`` along
    each axis are filled."""
    i, j, k = cell
    best, axis = np.inf, -1
    for a in range(3):
        lines = x if a == 0 else y if a == 1 else z
        low, high = lines[cell[a]], lines[cell[a] + 1]
        if a == 0:
            q, r = sign * u[i, j, k], sign * u[i + 1, j, k]
        elif a == 1:
            q, r = sign * v[i, j, k], sign * v[i, j + 1, k]
        else:
            q, r = sign * w[i, j, k], sign * w[i, j, k + 1]
        d = high - low
        slope[a] = (r - q) / d
        c = q + slope[a] * (at[a] - low)
        speed[a] = c
        end = r if c > 0.0 else q
        if c == 0.0 or end * c <= 0.0:
            continue  # it is never reached
        if abs(slope[a]) * d < 1e-9 * max(abs(q), abs(r)):
            t = ((high - at[a]) if c > 0.0 else (low - at[a])) / c
        else:
            t = np.log(end / c) / slope[a]
        t = max(t, 0.0)
        if t < best:
            best, axis = t, a
    return best, axis


@njit(cache=True)
def _carried(at, cell, x, y, z, speed, slope, t, across, to):
    """Where a particle is after a time ``t`` (s) in its cell, put into ``to``; on the face ``across`` an axis (-1: it
    is still inside)."""
    for a in range(3):
        lines = x if a == 0 else y if a == 1 else z
        low, high = lines[cell[a]], lines[cell[a] + 1]
        if abs(slope[a] * t) < 1e-9:
            p = at[a] + speed[a] * t
        else:
            p = at[a] + speed[a] * (np.exp(slope[a] * t) - 1.0) / slope[a]
        p = min(max(p, low), high)
        if a == across:
            p = high if speed[a] > 0.0 else low
        to[a] = p


@njit(cache=True)
def _one(seed, sign, x, y, z, u, v, w, fluid, room, when):
    """One line one way; the number of points put into ``room`` and ``when``."""
    at, cell, n = np.empty(3), np.empty(3, np.int64), fluid.shape
    speed, slope = np.empty(3), np.empty(3)
    if not _cell_of(seed, x, y, z, fluid, at, cell):
        return 0
    room[0] = at
    when[0] = 0.0
    count, time = 1, 0.0
    while count + 3 <= room.shape[0]:
        best, axis = _leaving(sign, at, cell, x, y, z, u, v, w, speed, slope)
        if axis < 0 or not np.isfinite(best):
            break
        # a point in the middle of the cell's passing time, and the one where it is left
        _carried(at, cell, x, y, z, speed, slope, 0.5 * best, -1, room[count])
        _carried(at, cell, x, y, z, speed, slope, best, axis, room[count + 1])
        when[count], when[count + 1] = time + 0.5 * best, time + best
        count += 2
        time += best
        at[:] = room[count - 1]
        cell[axis] += 1 if speed[axis] > 0.0 else -1
        if cell[axis] < 0 or cell[axis] >= n[axis] or not fluid[cell[0], cell[1], cell[2]]:
            break
    return count
