"""The energy solution of one case: matrix, multigrid, deferred convection, balances."""
from __future__ import annotations

import numpy as np

from ..grid.occupancy import VOID
from ..physics import energy, momentum
from ..physics.case import Case
from ..physics.staggered import OPEN, Staggered
from .flow import Flow
from .multigrid import Multigrid


class Heat:
    """Temperatures of one case; ``theta`` (K above ``case.reference``) is flat and padded."""

    def __init__(self, case: Case, geo: Staggered, flow: Flow):
        self.case, self.geo, self.flow = case, geo, flow
        self.theta = np.zeros(geo.size)
        self.k = [geo.pad(k) for k in case.conductivity]
        self.source = geo.pad(case.heat)
        self.cp = np.zeros(geo.size)
        of = geo.pad(case.fluid_of, 0, np.int64)
        for m, f in enumerate(case.fluids):
            self.cp[flow.fluid & (of == m)] = f.cp
        self.cp_face = [np.where(self.cp > 0, self.cp, np.roll(self.cp, -geo.s[a])) for a in range(3)]
        self.link_cells = geo.flat(case.links.cells) if len(case.links.cells) else np.zeros(0, np.int64)
        self.grid = Multigrid(geo.n, convect=True, sweeps=1)
        self.active = geo.kind != VOID
        self.frozen = self._floating()
        self.residual = np.inf
        self.laps = 0

    def _floating(self) -> bool:
        """True when nothing fixes the temperature level (no link and no opening)."""
        return not len(self.link_cells) and not self.case.patches

    def link_conductance(self) -> np.ndarray:
        """Conductance of each link now (W/K); fluid cells follow the wall law."""
        g = self.case.links.conductance
        return g * self.flow.k_wall[self.link_cells] if len(g) else g

    def fluxes(self) -> list[np.ndarray]:
        """Heat capacity flow (W/K) through high faces between cells."""
        return [self.flow.mass_flux(a) * self.cp_face[a] * (self.geo.face[a] == OPEN) for a in range(3)]

    def solve(self, laps: int = 1, tolerance: float = 1e-4, most: int = 30) -> None:
        """Advance the temperatures with the present flow: ``laps`` deferred corrections, each solved anew."""
        geo, flow = self.geo, self.flow
        k = [np.where(flow.fluid, k * flow.k_eff, k) for k in self.k]
        g = energy.conductances(geo, k, self.k[0] * flow.k_wall)
        f = self.fluxes()
        extra, base = np.zeros(geo.size), self.source.copy()
        link_g = self.link_conductance()
        np.add.at(extra, self.link_cells, link_g)
        np.add.at(base, self.link_cells, link_g * (self.case.links.temperature - self.case.reference))
        for patch, faces, _ in flow.openings:
            cells = geo.flat(patch.cells)
            inward = np.maximum(-patch.outward * flow.mass_flux(patch.axis)[faces] * self.cp_face[patch.axis][faces], 0)
            np.add.at(extra, cells, inward)
            np.add.at(base, cells, inward * (patch.temperature - self.case.reference))
        if self.frozen:
            extra[np.flatnonzero(self.active)[0]] += max(float(g[0].max()), 1e-6)
        self.grid.setup(g, f, extra)
        at, cut = geo.points, geo.high
        inverse = [momentum.reciprocals(x) for x in at]
        n, s = flow.n, flow.s
        self.g_face = g

        def matvec(x, y):
            energy.apply(n, s, *g, *f, extra, x, y)

        def precondition(r):
            # scaled, so that single precision neither under- nor overflows
            size = float(np.linalg.norm(r)) or 1.0
            return self.grid.cycle(r / size).astype(np.float64) * size

        idle = ~self.active
        for _ in range(laps):
            b = base.copy()
            energy.deferred(n, s, *geo.face, *f, *at, *inverse, *cut, self.theta, b)
            b[idle] = 0.0
            self.laps, self.residual = energy.bicgstab(
                matvec, precondition, b, self.theta, tolerance, 1e-11, most)

    def temperature(self) -> np.ndarray:
        """Cell temperatures, K, shape of the grid."""
        return self.geo.inner(self.theta) + self.case.reference

    def outflow(self) -> tuple[np.ndarray, np.ndarray]:
        """Heat (W) leaving through each patch (convected, above the reference) and through each link."""
        patches = []
        for patch, faces, _ in self.flow.openings:
            cells = self.geo.flat(patch.cells)
            out = patch.outward * self.flow.mass_flux(patch.axis)[faces] * self.cp_face[patch.axis][faces]
            t = np.where(out > 0, self.theta[cells], patch.temperature - self.case.reference)
            patches.append(float((out * t).sum()))
        theta = self.theta[self.link_cells]
        links = self.link_conductance() * (theta - (self.case.links.temperature - self.case.reference))
        return np.array(patches), links

    def imbalance(self) -> float:
        """(heat generated - heat leaving) in W."""
        patches, links = self.outflow()
        return float(self.case.heat.sum() - patches.sum() - links.sum())
