"""The staggered arrangement: padded flat arrays, face types, geometric factors.

Every array has one ghost layer and is flat with z fastest; ``c`` is a cell's index, ``c + s[a]`` its neighbour
along axis ``a``. The velocity ``u[a][c]`` sits on the *high* face of cell ``c`` along ``a``.
"""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID, VOID
from ..setup.case import Case

BLOCKED, OPEN, FIXED, PRESSURE = 0, 1, 2, 3


class Staggered:
    """Geometry of one case on the staggered grid.

    Attributes (flat, padded, length ``size``): ``kind``; ``face[a]`` face types; ``area[a]`` m2 of high faces;
    ``volume``; ``points[a]``, 1-D padded centre positions and ``high[a]`` high-face positions of axis ``a``;
    ``g[a][t]`` conductance factor (m) between velocity ``a`` at c and at c + s[t]; ``gw[a]`` to walls;
    ``control[a]`` control volumes (m3) of the velocities.
    """

    def __init__(self, case: Case):
        self.case = case
        n = case.grid.shape
        self.n = np.array(n)
        self.shape = tuple(m + 2 for m in n)
        self.size = int(np.prod(self.shape))
        self.s = (self.shape[1] * self.shape[2], self.shape[2], 1)
        self.periodic = np.array([a in case.periodic for a in "xyz"], np.bool_)
        self.kind = self.pad(case.kind, VOID, np.uint8)
        self.width = [
            np.concatenate([w[-1:], w, w[:1]]) if cyclic else np.concatenate([w[:1], w, w[-1:]])
            for w, cyclic in zip(case.grid.widths, self.periodic, strict=True)
        ]
        self.high = []
        for lines, w in zip(case.grid.lines, self.width, strict=True):
            self.high.append(np.concatenate([lines, [lines[-1] + w[-1]]]))
        self.points = [h - 0.5 * w for h, w in zip(self.high, self.width, strict=True)]
        shut = case.crossing.shut if case.crossing is not None else None
        self.shut = shut and [self.pad(x, False, bool).reshape(self.shape) for x in shut]
        self._faces()
        self._factors()

    def along(self, values: np.ndarray, axis: int) -> np.ndarray:
        """A 1-D array of axis ``axis`` shaped to broadcast over padded 3-D arrays."""
        shape = [1, 1, 1]
        shape[axis] = -1
        return np.asarray(values).reshape(shape)

    def pad(self, values: np.ndarray, fill=0.0, dtype=np.float64) -> np.ndarray:
        """A (nx, ny, nz) array as a flat padded one."""
        out = np.full(self.shape, fill, dtype)
        out[1:-1, 1:-1, 1:-1] = values
        return self.wrapped(out).ravel()

    def padded_index(self) -> np.ndarray:
        """1 + its number for every cell of the grid, 0 in the ghost layers (flat; not repeated along periodic axes)."""
        out = np.zeros(self.shape, np.int64)
        out[1:-1, 1:-1, 1:-1] = np.arange(1, int(np.prod(self.n)) + 1).reshape(self.n)
        return out.ravel()

    def wrapped(self, x: np.ndarray) -> np.ndarray:
        """``x`` (flat or padded 3-D) with its ghost layers along periodic axes repeating the far side; changed in
        place."""
        for a in np.flatnonzero(self.periodic):
            y = np.moveaxis(x.reshape(self.shape), a, 0)
            y[0], y[-1] = y[-2], y[1]
        return x

    def inner(self, flat: np.ndarray) -> np.ndarray:
        """The (nx, ny, nz) part of a flat padded array (a view)."""
        return flat.reshape(self.shape)[1:-1, 1:-1, 1:-1]

    def flat(self, cells: np.ndarray) -> np.ndarray:
        """Flat padded indices of (m, 3) cell indices."""
        cells = np.asarray(cells)
        return ((cells[:, 0] + 1) * self.s[0] + (cells[:, 1] + 1) * self.s[1] + cells[:, 2] + 1).astype(np.int64)

    def patch_faces(self, patch) -> np.ndarray:
        """Flat index of the velocity on each face of ``patch``."""
        c = self.flat(patch.cells)
        return c if patch.outward > 0 else c - self.s[patch.axis]

    def _faces(self):
        fluid = (self.kind == FLUID).reshape(self.shape)
        self.face, self.area = [], []
        for a in range(3):
            face = np.zeros(self.shape, np.uint8)
            face[(fluid & np.roll(fluid, -1, a))] = OPEN
            if self.shut is not None:
                face[self.shut[a]] = BLOCKED
            self.face.append(face.ravel())
            t1, t2 = (t for t in range(3) if t != a)
            area = self.along(self.width[t1], t1) * self.along(self.width[t2], t2)
            self.area.append(np.broadcast_to(area, self.shape).ravel().copy())
            self.wrapped(self.face[a])
        for fan in self.case.fans:
            if fan.hub is not None and len(fan.hub):
                self.face[fan.axis][self.flat(fan.hub)] = BLOCKED
        for patch in self.case.openings:
            self.face[patch.axis][self.patch_faces(patch)] = FIXED if patch.kind == "velocity" else PRESSURE
        w = self.width
        self.volume = (self.along(w[0], 0) * self.along(w[1], 1) * self.along(w[2], 2)).astype(np.float32).ravel()

    def free_side(self, axis: int, up: bool) -> np.ndarray:
        """True where the given face of a cell is no wall: another fluid cell, an opening, or a symmetry side."""
        face = self.face[axis].reshape(self.shape) != BLOCKED
        if not up:
            face = np.roll(face, 1, axis)
        return face | self.mirrored(axis, up)

    def fold(self, x, t: int) -> None:
        """What went into ghost layers of ``x`` (flat) along a periodic axis belongs to the far side."""
        y = np.moveaxis(x.reshape(self.shape), t, 0)
        y[-2] += y[0]
        y[1] += y[-1]
        y[0] = y[-1] = 0.0

    def mirrored(self, axis: int, up: bool) -> np.ndarray:
        """Cells (padded, 3-D) whose given face lies on a symmetry side."""
        out, mirror = np.zeros(self.shape, bool), self.case.mirror(axis, up)
        if mirror is not None:
            np.moveaxis(out, axis, 0)[-2 if up else 1] = np.pad(mirror, 1, "edge")
        return out

    def wall_gap(self, axis: int, up: bool) -> np.ndarray:
        """Distance (m) from each cell's centre to the wall on its given side: half a cell, or where a curved wall
        crosses.

        The crossing is kept at 0.05 half cells at least. Source: Shortley & Weller, J. Appl. Phys. 9 (1938).
        """
        half = np.broadcast_to(0.5 * self.along(self.width[axis], axis), self.shape)
        cross = self.case.crossing
        if cross is None:
            return half
        share = self.pad(cross.share[axis], np.nan).reshape(self.shape)
        ahead = np.roll(self.along(self.points[axis], axis), -1, axis) - self.along(self.points[axis], axis)
        if not up and cross.back is not None:
            back = self.pad(cross.back[axis], np.nan).reshape(self.shape)
            share = np.where(np.isfinite(back), back, share)
        gap = share * ahead if up else np.roll((1 - share) * ahead, 1, axis)
        return np.where(np.isfinite(gap), np.maximum(gap, 0.05 * half), half)

    def cut_cells(self) -> np.ndarray:
        """Whether a curved or oblique wall cuts a face of each fluid cell (flat)."""
        out = np.zeros(self.shape, bool)
        if self.case.crossing is not None:
            for a in range(3):
                half = 0.5 * self.along(self.width[a], a)
                for up in (True, False):
                    out |= (self.wall_gap(a, up) != half) & ~self.free_side(a, up)
        return out.ravel() & (self.kind == FLUID)

    def beside(self, cells: np.ndarray) -> np.ndarray:
        """Whether a cell has one of ``cells`` (bool, flat) for a neighbour along an axis, or is one."""
        out = cells.copy()
        for st in self.s:
            out |= np.roll(cells, st) | np.roll(cells, -st)
        return out

    def _factors(self):
        fluid = (self.kind == FLUID).reshape(self.shape)
        self.g, self.gw, self.control = [], [], []
        for a in range(3):
            own = (self.face[a].reshape(self.shape) == OPEN) | (self.face[a].reshape(self.shape) == PRESSURE)
            half = 0.5 * self.along(self.width[a], a) * fluid
            low, upp = half, np.roll(half, -1, a)  # half widths of the cells either side of the velocity
            wall = np.zeros(self.shape)
            factors = []
            for t in range(3):
                if t == a:
                    g = self.area[a].reshape(self.shape) / np.roll(self.along(self.width[a], a), -1, a)
                    g = g * np.roll(fluid, -1, a)
                else:
                    other = self.along(self.width[3 - a - t], 3 - a - t)
                    both = fluid & np.roll(fluid, -1, t)
                    if self.shut is not None:
                        both &= ~self.shut[t]
                    pair = low * both + upp * np.roll(both, -1, a)
                    gap = np.roll(self.along(self.points[t], t), -1, t) - self.along(self.points[t], t)
                    gap[tuple(-1 if i == t else slice(None) for i in range(3))] = 1.0
                    g = pair * other / gap
                    for up in (True, False):
                        reach = (fluid & ~self.free_side(t, up)) / self.wall_gap(t, up)
                        wall += (low * reach + upp * np.roll(reach, -1, a)) * other
                factors.append(self.wrapped(g.astype(np.float32).ravel()))
            self.g.append(factors)
            self.gw.append(self.wrapped((wall * own).astype(np.float32).ravel()))
            self.control.append(
                self.wrapped((self.area[a].reshape(self.shape) * (low + upp) * own).astype(np.float32).ravel())
            )
