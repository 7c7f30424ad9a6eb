"""Passages: the hydraulic diameter each fluid cell belongs to, and how far its flow has left the laminar state.

The law of the wall alone mixes laminar channel flow as well (at a Reynolds number of 1000 by a quarter in friction,
half again in heat transfer), because it knows one wall only. Here every cell knows the passage it lies in: the ridge of
the wall distance that it climbs to, and the chords from wall to wall there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..mesh.occupancy import FLUID
from ..setup.case import Case
from ..setup.inflow import LAMINAR, RANGE
from . import walls

#: peak over mean speed: of developed turbulent flow; of laminar flow between plates it is 1.5, in tubes and square
# ducts 2
PEAK_TURBULENT = 1.25
#: a passage is at least this many hydraulic diameters long, a room at most that many; jets and wakes stir a room at any
# Reynolds number
PASSAGE, ROOM, LEAST = 10.0, 5.0, 0.02
# half a chord over the wall distance on a ridge is 1.41 at most, where the passage runs at 45 degrees to the grid
OBLIQUE = 1.55
STEEPEST_SIDE = (
    0.5  # slope of the wall distance that still leads towards a ridge: 1 towards a wall, 0.71 along a square's diagonal
)


@dataclass(frozen=True)
class Passages:
    """Per cell (nx, ny, nz), zero outside fluids: ``half`` width and ``diameter`` (hydraulic) in m, ``peak`` over mean
    speed in laminar flow, ``room`` (1: a passage, :data:`LEAST`: a room), and ``ridge``, the flat number of the cell in
    its middle."""

    half: np.ndarray
    diameter: np.ndarray
    peak: np.ndarray
    room: np.ndarray
    ridge: np.ndarray


def passages(case: Case, distance: np.ndarray) -> Passages:
    """Passages of all fluid cells; ``distance`` (m) as from :func:`walls.wall_distance`.

    Half width: half the least chord at the ridge, held within 1 to 1.25 of the wall distance there; where a climb ended
    early, in a corner, the chord is much longer than that, and right. Hydraulic diameter from it and the two shorter
    chords of three, as of a rectangle.
    """
    fluid = (case.kind == FLUID) & (distance < walls.NO_WALL)
    steps = []
    for a, x in enumerate(case.grid.centres):
        ahead = np.diff(x)
        wrap = (
            0.5 * (case.grid.widths[a][0] + case.grid.widths[a][-1])
            if "xyz"[a] in case.periodic and len(x) > 1
            else 0.0
        )
        steps.append(np.append(ahead, wrap))
    periodic = np.array([a in case.periodic for a in "xyz"])
    ridge = _climb(fluid, np.where(fluid, distance, 0.0), *steps, periodic)
    order = np.argsort(-distance.ravel(), kind="stable")
    ridge = _hand_down(order, ridge.ravel())
    chords = np.sort(np.stack([c.ravel() for c in walls.chords(case)]), axis=0)
    longest = np.max(np.stack([c.ravel() for c in walls.chords(case, openings=True)]), axis=0)
    y = distance.ravel()
    half = 0.5 * chords[0]
    half = np.where(half <= OBLIQUE * y * (1 + 1e-6), np.clip(half, y, 1.25 * y), half)
    first, second = np.maximum(chords[0], 1e-12), np.maximum(chords[1], 1e-12)
    diameter = 4.0 * half * second / (first + second)
    peak = 2.5 - diameter / np.maximum(4.0 * half, 1e-12)
    length = longest / np.maximum(diameter, 1e-12)
    room = LEAST + (1.0 - LEAST) * np.clip((length - ROOM) / (PASSAGE - ROOM), 0.0, 1.0)

    def there(values):
        return np.where(fluid, values[ridge].reshape(fluid.shape), 0.0)

    return Passages(there(half), there(diameter), there(peak), there(room), ridge.reshape(fluid.shape))


@njit(cache=True)
def _climb(fluid, distance, sx, sy, sz, periodic):
    """The neighbour (flat number) of each fluid cell towards which the wall distance rises most, or itself on a
    ridge."""
    nx, ny, nz = fluid.shape
    out = np.arange(nx * ny * nz).reshape(fluid.shape)
    for i in range(nx):
        for j in range(ny):
            for k in range(nz):
                if not fluid[i, j, k]:
                    continue
                best, at = STEEPEST_SIDE, out[i, j, k]
                for di in range(-1, 2):
                    for dj in range(-1, 2):
                        for dk in range(-1, 2):
                            p, q, r = i + di, j + dj, k + dk
                            if periodic[0]:
                                p %= nx
                            if periodic[1]:
                                q %= ny
                            if periodic[2]:
                                r %= nz
                            if p < 0 or q < 0 or r < 0 or p >= nx or q >= ny or r >= nz or not fluid[p, q, r]:
                                continue
                            rise = distance[p, q, r] - distance[i, j, k]
                            if rise <= 0.0:
                                continue
                            far = 0.0
                            if di != 0:
                                far += sx[i if di > 0 else p] ** 2
                            if dj != 0:
                                far += sy[j if dj > 0 else q] ** 2
                            if dk != 0:
                                far += sz[k if dk > 0 else r] ** 2
                            slope = rise / np.sqrt(far) if far > 0.0 else 0.0
                            if slope > best:
                                best, at = slope, (p * ny + q) * nz + r
                out[i, j, k] = at
    return out


@njit(cache=True)
def _hand_down(order, towards):
    """The end of every cell's climb; ``order``: cells by falling wall distance, so that the next one is always
    known."""
    out = towards.copy()
    for c in order:
        out[c] = out[towards[c]]
    return out


@njit(cache=True, nogil=True)
def fade(cells, speed, s2, distance, half, diameter, peak, room, nu, share, out):
    """Move ``out`` (per cell 0 laminar, 1 the law of the wall) of ``cells`` by ``share`` towards what their passages'
    Reynolds numbers ask.

    The speed in the middle is the local one plus S (h - y) / 2, which it is for a parabola from any of its points; over
    ``peak`` (laminar) or :data:`PEAK_TURBULENT` it is the mean speed. A smooth step over :data:`RANGE` from
    :data:`LAMINAR` on, both times ``room``. Returns the mean absolute change.
    """
    moved = 0.0
    for m in range(cells.size):
        c = cells[m]
        if diameter[c] <= 0.0:
            continue
        middle = speed[c] + 0.5 * np.sqrt(s2[c]) * max(half[c] - distance[c], 0.0)
        mean = middle / (peak[c] + out[c] * (PEAK_TURBULENT - peak[c]))
        t = min(max((mean * diameter[c] / (nu[c] * room[c]) - LAMINAR) / RANGE, 0.0), 1.0)
        step = share * (t * t * (3.0 - 2.0 * t) - out[c])
        out[c] += step
        moved += abs(step)
    return moved / max(cells.size, 1)
