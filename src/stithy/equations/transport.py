"""A transported scalar: convection by the flow, diffusion, sinks and sources, on the fluid cells of one grid."""

from __future__ import annotations

import numpy as np

from ..numerics.limiter import cell_spacings
from . import energy, scalars

RELAXED, STILL = 0.8, 0.1  # relaxation of convection and sinks, and of diffusion


class Transport:
    """Steps scalars of one :class:`Flow` (kg/s times the scalar); arrays are flat and padded."""

    def __init__(self, flow, fluid: np.ndarray):
        self.flow, self.geo, self.fluid = flow, flow.geo, fluid
        z = flow.geo.size
        self.more, self.gamma = np.zeros(z), np.ones(z)
        self.spacing = cell_spacings(flow.geo)

    def step(self, flux, x, gamma, sink, source, held, value, inflow, least: float, diffuse=None) -> float:
        """One relaxed step of the scalar ``x`` in place; the relative residual before it.

        flux : mass flux (kg/s) on high faces along x, y, z. gamma : diffusivity times density (kg/m/s) of the fluid
        cells. sink (kg/s), source (kg/s times the scalar; inflow is added to it). held, value : cells with a given
        value. inflow : the scalar at each opening.
        least : it never falls below. diffuse : called (axis, low, high) for each axis, to put a better diffusion into
        the weights.
        """
        flow, geo = self.flow, self.geo
        self.gamma[np.flatnonzero(self.fluid)] = gamma
        geo.wrapped(self.gamma)
        geo.wrapped(x)
        with flow.work.lease("a transported scalar") as work:
            for a in range(3):
                scalars.links(
                    flow.n, flow.s, a, geo.face[a], flux[a], *geo.width, self.gamma, work.low[a], work.high[a]
                )
                if diffuse is not None:
                    diffuse(a, work.low[a], work.high[a])
            b = work.source
            b.fill(0.0)
            for a in range(3):
                energy.deferred(flow.n, flow.s, a, geo.face[a], flux[a], self.spacing[a], x, b)
                if geo.periodic[a]:
                    geo.fold(b, a)
            self.more.fill(0.0)
            for (opening, faces, _), v in zip(flow.openings, inflow, strict=True):
                enters = np.maximum(-opening.outward * flux[opening.axis][faces], 0.0)
                cells = geo.flat(opening.cells)
                np.add.at(self.more, cells, enters)
                np.add.at(source, cells, enters * v)
            r = scalars.solve(
                flow.n,
                flow.s,
                self.fluid,
                work.low,
                work.high,
                *flux,
                self.more,
                sink,
                source,
                held,
                value,
                RELAXED,
                STILL,
                least,
                x,
                work.diagonal,
                b,
                4,
            )
            for weights in (*work.low, *work.high):
                weights.fill(0.0)
        geo.wrapped(x)
        return r
