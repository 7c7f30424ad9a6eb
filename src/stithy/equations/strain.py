"""The strain rate of a flow on the grid, with the law of the wall where a linear profile would not do."""

from __future__ import annotations

import numpy as np

from . import mixing, scalars
from .staggered import BLOCKED


class Strain:
    """S^2 = 2 S_ij S_ij (1/s2) at cell centres of one :class:`Flow`: :attr:`s2`, flat.

    ``at_wall`` are the cells at walls, ``beside`` the fluid cells next to those that a curved wall cuts. ``distance``
    (m) as from :func:`walls.wall_distance`, padded. The velocity of the face between a cell at a wall and the next
    follows from the law: a linear mean would make the strain rate up to three times too large.
    """

    def __init__(self, flow, distance):
        self.flow, self.distance = flow, distance
        geo = flow.geo
        self.fluid = flow.fluid & (geo.padded_index() > 0)
        self.at_wall = self._wall_cells()
        cut, at = geo.cut_cells(), np.zeros(geo.size, bool)
        at[self.at_wall] = True
        self.cut, self.beside = cut[self.at_wall], np.flatnonzero(geo.beside(cut) & ~at & self.fluid)
        self.law_at, self.s2 = np.zeros(geo.size, np.float32), np.zeros(geo.size, np.float32)

    def _wall_cells(self) -> np.ndarray:
        geo = self.flow.geo
        touch = np.zeros(geo.shape, bool)
        for a in range(3):
            face = geo.face[a].reshape(geo.shape)
            for up in (True, False):
                touch |= ((face if up else np.roll(face, 1, a)) == BLOCKED) & ~geo.mirrored(a, up)
        return np.flatnonzero(touch.ravel() & self.fluid)

    def update(self, speed) -> np.ndarray:
        """:attr:`s2` of the present flow, whose ``speed`` (m/s) at cell centres is given (None: linear everywhere)."""
        flow = self.flow
        if speed is not None:
            c = (
                self.at_wall
            )  # how much faster, by the law, the flow is at the far side of a cell at a wall than in its middle
            self.law_at[c] = np.where(self.cut, 0.0, mixing.faster_at(speed[c] * self.distance[c] / flow.nu[c], 2.0))
            c = self.beside  # where walls cut cells anyhow: how much slower two thirds of the way out
            self.law_at[c] = -mixing.faster_at(speed[c] * self.distance[c] / flow.nu[c], 2 / 3)
        scalars.strain(flow, self.fluid, self.law_at, self.s2)
        return self.s2
