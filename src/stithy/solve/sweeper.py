"""The equations of one momentum component: sweeps by points, and coarser grids where those do not reach far enough."""
from __future__ import annotations

import numpy as np

from ..physics import momentum
from ..physics.energy import product
from ..physics.slabs import share
from .multigrid import Multigrid, wrap


class Sweeper:
    """Relaxes the assembled equations of one :class:`Flow`; ``stiff`` tells which components need coarser grids."""

    def __init__(self, flow):
        self.flow, self.age, self.stiff = flow, 0, [False] * 3
        self.coarse: Multigrid | None = None

    def relax(self, a: int, before: float) -> None:
        """Four sweeps by points; where they leave more than 0.4 of the residual ``before``, coarser grids as well."""
        u, b = self.flow.u[a], self.flow.b
        self.sweeps(a, u, b)
        self.age += 1
        if self.age % 10 < 3:  # looked at in every third round or so
            self.stiff[a] = any(self.flow.alone) or self.defect(a, u, b) > 0.4 * before  # developed flow is all diffusion
        if self.stiff[a]:
            self.by_grids(a, u, b)

    def respond(self, a: int, x, force) -> None:
        """Improve ``x`` (m/s), the answer of one component to ``force`` (N) with everything else at rest."""
        for _ in range(1 if x.any() else 8):
            self.sweeps(a, x, force)
            if self.stiff[a]:
                self.by_grids(a, x, force)

    def defect(self, a: int, x, b) -> float:
        """Residuals of one component's equations into ``carry``, and the sum of their absolute values."""
        flow = self.flow
        flow.carry.fill(0.0)
        return momentum.defect(flow.n, flow.s, flow.first[a], x, flow.low, flow.high, flow.ap, b, flow.carry)

    def by_grids(self, a: int, x, b) -> None:
        """A multigrid cycle for one component, where diffusion ties together more cells than sweeps can reach."""
        flow = self.flow
        if self.coarse is None:
            self.coarse = Multigrid(flow.n, convect=True, periodic=flow.geo.periodic)
        wraps = flow.solver.grid.wraps
        if wraps:
            wrap(flow.n, flow.s, flow.geo.periodic, flow.ap)
        level = self.coarse.finest(flow.geo.size)
        momentum.conductances(flow.n, flow.s, flow.low, flow.high, flow.ap, *level)
        self.coarse.setup(*level)
        self.defect(a, x, b)
        if wraps:
            wrap(flow.n, flow.s, flow.geo.periodic, flow.carry)
        size = np.sqrt(product(flow.carry, flow.carry))
        if size > 0.0:
            x += size * self.coarse.cycle(flow.carry, 1.0 / size)
            if wraps:
                wrap(flow.n, flow.s, flow.geo.periodic, x)

    def sweeps(self, a: int, x, b) -> None:
        """Four Gauss-Seidel sweeps, to and fro; in two slabs from the ends to the middle and back."""
        flow = self.flow
        system = (x, flow.low, flow.high, flow.ap, b)
        if len(flow.parts) == 1:
            for forward in (True, False, True, False):
                momentum.sweep(flow.n, flow.s, flow.first[a], *system, forward, True)
                if flow.solver.grid.wraps:
                    wrap(flow.n, flow.s, flow.geo.periodic, x)
            return
        one, two = flow.parts
        middle = one.hi

        def run(part, first, last, *ways):
            u, low, high, inverse, b = system
            of = part.of
            limits = np.array([last, *flow.n[1:]], np.int64), np.array([first, *flow.first[a][1:]], np.int64)
            pieces = of(u), part.each(low), part.each(high), of(inverse), of(b)
            for forward in ways:
                momentum.sweep(limits[0], flow.s, limits[1], *pieces, forward, True)

        def both(*ways):
            share([lambda: run(one, flow.first[a][0], middle - 1, *ways), lambda: run(two, 2, two.n[0], *(not w for w in ways))])

        both(True)
        run(flow.whole, middle, middle + 1, True, False)
        both(False, True)
        run(flow.whole, middle, middle + 1, True, False)
        both(False)
