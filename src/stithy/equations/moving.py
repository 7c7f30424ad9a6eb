"""Solids whose surfaces move along themselves, such as belts."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from .staggered import OPEN, Staggered


class Belts:
    """Speeds of walls that move, beside the velocities of the fluid."""

    def __init__(self, geo: Staggered):
        self.geo, self.speeds = geo, geo.case.belts
        self.part = geo.pad(geo.case.part, -1, np.int64) if self.speeds else np.zeros(0, np.int64)

    def beside(self, cells: np.ndarray, across: int, sign: int, own: int) -> np.ndarray:
        """Velocity (m/s) along axis ``own`` of the wall on one side of fluid ``cells`` (flat); 0 where nothing
        moves."""
        out, there = np.zeros(len(cells)), cells + sign * self.geo.s[across]
        for number, velocity in self.speeds.items():
            out[(self.part[there] == number) & (self.geo.kind[there] != FLUID)] = velocity[own]
        return out

    def pulls(self, a: int) -> list[tuple[int, np.ndarray, np.ndarray]]:
        """Entries (axis, faces, conductance factor in m times wall speed in m/s) of what moving solids give to the
        velocities along ``a``."""
        geo, out = self.geo, []
        if not self.speeds:
            return out
        faces = np.flatnonzero(geo.face[a] == OPEN)
        at = np.unravel_index(faces, geo.shape)
        for across in (t for t in range(3) if t != a):
            other = geo.width[3 - a - across][at[3 - a - across]]
            for sign in (-1, 1):
                total = np.zeros(len(faces))
                free = geo.free_side(across, sign > 0).ravel()
                gap = geo.wall_gap(across, sign > 0).ravel()
                for cells in (faces, faces + geo.s[a]):  # half of each belongs to the velocity
                    half = 0.5 * geo.width[a][np.unravel_index(cells, geo.shape)[a]]
                    speed = self.beside(cells, across, sign, a)
                    total += np.where(free[cells], 0.0, half * other / gap[cells] * speed)
                if total.any():
                    out.append((a, faces[total != 0.0], total[total != 0.0]))
        return out
