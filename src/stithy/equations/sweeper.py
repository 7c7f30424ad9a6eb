"""The equations of one momentum component: sweeps by points, and aggregates of points where those do not reach far
enough."""

from __future__ import annotations

import numpy as np

from ..numerics.cycles import give_down, to_and_fro, wrap
from ..numerics.joined import Joined
from ..numerics.krylov import product
from ..numerics.slabs import over
from ..numerics.smoothers import defect, descend
from . import momentum

ROUNDS = 2  # of aggregates in one relaxation
ENOUGH = 0.6  # of the residual may be left after the first of them


class Sweeper:
    """Relaxes the assembled equations of one :class:`Flow`; ``stiff`` tells which components need more than sweeps."""

    def __init__(self, flow):
        self.flow, self.age, self.stiff = flow, 0, [False] * 3
        self.n, self.s, self.parts, self.whole = flow.n, flow.s, flow.parts, flow.whole
        self.joined: list[Joined | None] = [None] * 3
        self.made = -1, -1
        self.excess: np.ndarray | None = None

    def renew(self, x) -> None:
        """Ghost layers of ``x`` along periodic axes."""
        if self.flow.solver.grid.wraps:
            wrap(self.n, self.s, self.flow.geo.periodic, x)

    def relax(self, a: int, before: float) -> None:
        """Four sweeps by points; where they leave more than 0.4 of the residual ``before``, aggregates as well."""
        u, b = self.flow.u[a], self.flow.b
        self.sweeps(a, u, b)
        self.age += 1
        if self.age % 10 < 3:  # looked at in every third round or so
            self.stiff[a] = (
                any(self.flow.alone) or self.defect(a, u, b) > 0.4 * before
            )  # developed flow is all diffusion
        if self.stiff[a]:
            self.by_grids(a, u, b)

    def respond(self, a: int, x, force) -> None:
        """Improve ``x`` (m/s), the answer of one component to ``force`` (N) with everything else at rest, until it is
        within a tenth."""
        size = float(np.abs(force).sum())
        for _ in range(12):
            self.sweeps(a, x, force)
            if self.stiff[a]:
                self.by_grids(a, x, force)
            if self.defect(a, x, force) < 0.1 * size:
                return

    def defect(self, a: int, x, b) -> float:
        """Residuals of one component's equations into ``carry``, and the sum of their absolute values."""
        self.flow.carry.fill(0.0)
        return self._left(a, x, b, self.flow.carry)

    def _left(self, a: int, x, b, out) -> float:
        """Residuals of the unknowns into ``out``, and the sum of their absolute values."""
        flow = self.flow

        def work(p):
            return defect(
                p.n,
                flow.s,
                flow.from_plane(p, flow.first[a]),
                p.of(x),
                p.each(flow.low),
                p.each(flow.high),
                p.of(flow.ap),
                p.of(b),
                p.of(out),
            )

        return sum(over(flow.parts, work))

    def by_grids(self, a: int, x, b, rounds: int = ROUNDS) -> None:
        """Correct one component by aggregates, where diffusion ties together more points than sweeps can reach.

        A correction is smoothed, and taken as far as leaves least of the residual: sums of cells' equations by
        themselves fall short.
        """
        flow, joined = self.flow, self._aggregates(a)
        step, left = flow.extra, flow.div  # at leisure here
        for _ in range(rounds):
            self.defect(a, x, b)
            size = np.sqrt(product(flow.carry, flow.carry))
            if size == 0.0:
                return
            coarse = joined.below()
            over(
                joined.pieces,
                lambda h, size=size, coarse=coarse: give_down(joined.of[h], flow.carry[h], 1.0 / size, coarse),
            )
            step.fill(0.0)
            joined.add_correction(step, size)
            self.sweeps(a, step, flow.carry, 1)
            left.fill(0.0)
            self._left(a, step, flow.carry, left)
            self._descend(-1.0, flow.carry, left)  # minus what the step takes away
            most, along = product(left, left), product(left, flow.carry)
            if most == 0.0:
                return
            self._descend(-along / most, step, x)
            if size * size - along * along / most < (ENOUGH * size) ** 2:
                return

    def _descend(self, share: float, step, x) -> None:
        over(self.flow.halves, lambda h: descend(share, step[h], x[h]))

    def _aggregates(self, a: int) -> Joined:
        """Coarser levels of the equations of component ``a`` as they are now."""
        flow = self.flow
        if self.joined[a] is None:
            self.joined[a] = Joined(flow.n, flow.s, flow.geo.periodic, flow.low, flow.high)
        joined = self.joined[a]
        if self.made != (a, self.age):
            self.renew(flow.ap)
            if self.excess is None:
                self.excess = np.zeros(flow.geo.size, np.float32)
            live = joined.live(flow.ap)
            over(
                flow.parts,
                lambda p: momentum.excess_of(
                    p.n, flow.s, p.each(flow.low), p.each(flow.high), p.of(flow.ap), p.of(live), p.of(self.excess)
                ),
            )
            joined.setup(live, self.excess)
            self.made = a, self.age
        return joined

    def sweeps(self, a: int, x, b, times: int = 2) -> None:
        """Gauss-Seidel sweeps forth and back, four unless told otherwise."""
        flow = self.flow
        to_and_fro(self, flow.first[a], x, flow.low, flow.high, flow.ap, b, times, True)
