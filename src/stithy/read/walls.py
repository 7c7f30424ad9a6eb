"""The walls of a solution as a table that reading works on."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from ..solution.solution import Solution


class WallTable:
    """Every wall face of a solution, as arrays of one length; empty where the result has kept none.

    As of :class:`solution.solution.Walls`, with ``names`` (object) of the walls, ``centre`` (m, 3) and ``space``: the
    number of the fluid space, -1 of outer faces of solids.
    """

    def __init__(self, solution: Solution):
        self.solution = s = solution
        w = s.walls
        if w is None:
            whole, real = np.zeros(0, np.int64), np.zeros(0)
            self.cell = self.axis = self.outward = self.space = whole
            self.area = self.heat = self.temperature = self.push = self.pressure = self.gap = real
            self.radiated = self.falls = self.sun = real
            self.shear = self.centre = np.zeros((0, 3))
            self.outer, self.names = whole.astype(bool), np.zeros(0, object)
            return
        self.cell, self.axis, self.outward, self.gap = w.cell, w.axis, w.outward, w.gap
        self.area, self.heat, self.temperature = w.area, w.heat, w.temperature
        self.shear, self.push, self.pressure = w.shear, w.push, w.pressure
        self.radiated, self.falls, self.sun = w.radiated, w.falls, w.sun
        at = np.unravel_index(w.cell, s.grid.shape)
        self.centre = np.stack([s.grid.centres[a][at[a]] for a in range(3)], -1)
        self.centre[np.arange(len(w.cell)), w.axis] += w.outward * w.gap
        self.outer = w.outer != 0
        self.names = np.array(w.names, object)[w.name]
        self.space = np.where(self.outer, -1, s.spaces.ravel()[w.cell])

    def corners(self, here: np.ndarray | None = None) -> np.ndarray:
        """Four corners (n, 4, 3) m of wall faces as the grid has them, of all or of those numbered ``here``."""
        at = np.arange(len(self.cell)) if here is None else here
        lines = self.solution.grid.lines
        index = np.stack(np.unravel_index(self.cell[at], self.solution.grid.shape), -1)
        out = np.empty((len(at), 4, 3))
        for axis in range(3):
            on = self.axis[at] == axis
            a, b = (t for t in range(3) if t != axis)
            out[on, :, axis] = lines[axis][index[on, axis] + (self.outward[at][on] > 0)][:, None]
            for c, (p, q) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
                out[on, c, a], out[on, c, b] = lines[a][index[on, a] + p], lines[b][index[on, b] + q]
        return out

    @cached_property
    def bulk(self) -> np.ndarray:
        """Bulk temperature (K) of the fluid that each face touches, in the plane across the axis along which most of
        that fluid space's mass flows; NaN of outer faces."""
        s, out = self.solution, np.full(len(self.cell), np.nan)
        flows = [np.abs(s.mass_flow(a)) for a in range(3)]
        at = np.unravel_index(self.cell, s.grid.shape)
        for space in np.unique(self.space[self.space >= 0]):
            here = s.spaces == space
            axis = int(np.argmax([_between(flows[a], a)[here].sum() for a in range(3)]))
            mass = _between(s.mass_flow(axis), axis) * here
            across = tuple(a for a in range(3) if a != axis)
            total, carried = mass.sum(across), (mass * s.temperature).sum(across)
            plain = np.where(here, s.temperature, 0.0).sum(across) / np.maximum(here.sum(across), 1)
            strong = np.abs(total) > 1e-6 * np.abs(mass).sum(across)
            level = np.where(strong, carried / np.where(strong, total, 1.0), plain)
            on = self.space == space
            out[on] = level[at[axis][on]]
        return out


def _between(faces: np.ndarray, axis: int) -> np.ndarray:
    """Mean of the two faces of every cell along an axis."""
    x = np.moveaxis(faces, axis, 0)
    return np.moveaxis(0.5 * (x[:-1] + x[1:]), 0, axis)
