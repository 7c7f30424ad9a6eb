"""Developed temperatures between walls of one temperature: differences shrink by one factor from pitch to pitch.

With x along the flow and L the pitch, T - T_wall = phi(x, y, z) ratio^(x / L), phi periodic. The factor is the slowest
of the eigenvalues of the energy equation and found by inverse iteration. Source: Patankar, Liu & Sparrow, J. Heat
Transfer 99 (1977).
"""

from __future__ import annotations

import numpy as np


class Pitch:
    """The periodic part of the temperatures of one :class:`Heat`; ``ratio`` is the factor in the direction of the
    flow."""

    def __init__(self, heat):
        self.heat, self.geo, self.drive = heat, heat.geo, heat.case.drive
        self.axis = "xyz".index(self.drive.axis)
        lines = heat.case.grid.lines[self.axis]
        self.length = float(lines[-1] - lines[0])
        self.at = (self.geo.points[self.axis] - lines[0]) / self.length
        self.level = self.drive.level - heat.case.reference
        self.ratio = 0.5
        self.late = 0.0
        self.ends = None

    def _layers(self, x) -> np.ndarray:
        """Padded layers of ``x`` along the axis: [0] ghosts, [1] first, [-2] last cells, [-1] ghosts (a view)."""
        return np.moveaxis(x.reshape(self.geo.shape), self.axis, 0)

    @property
    def along(self) -> float:
        """Factor from one pitch to the next towards the axis' high end."""
        return self.ratio if self.drive.sign > 0 else 1.0 / self.ratio

    def _decay(self) -> np.ndarray:
        return np.broadcast_to(self.geo.along(self.along**self.at, self.axis), self.geo.shape).ravel()

    def wrap(self, theta) -> None:
        """Ghosts of ``theta`` that repeat the far side, brought to the level they have one pitch on."""
        x, level = self._layers(theta), self.level
        x[0] = level + (x[0] - level) / self.along
        x[-1] = level + (x[-1] - level) * self.along

    def fold(self, y) -> float:
        """Factor for what deferred convection left in the ghost layers ``y``; what it does to the balance is kept."""
        self.late = float(((self.along - 1.0) * y[0] + (1.0 / self.along - 1.0) * y[-1])[1:-1, 1:-1].sum())
        return self.along

    def solve(self, g, f, extra, laps: int, tolerance: float, most: int) -> None:
        """``laps`` inverse iterations with conductances ``g``, heat capacity flows ``f`` and exchange ``extra``
        (W/K)."""
        heat, a, geo = self.heat, self.axis, self.geo
        idle = ~(heat.active & heat.inner)
        if not np.abs((heat.theta - self.level)[~idle]).max():
            heat.theta[heat.active] += self.drive.entering - self.drive.level
        plain = g[a].copy(), f[a].copy()
        self.ends = tuple(
            self._layers(x)[-2].copy()
            for x in (plain[0] + np.maximum(plain[1], 0), plain[0] + np.maximum(-plain[1], 0))
        )
        gap = np.append(np.diff(self.at), 0.0)
        passing = self._layers(plain[1])[-2]
        for _ in range(laps):
            b = np.zeros(geo.size)
            heat.deferred([plain[1] if t == a else f[t] for t in range(3)], b)
            step = np.broadcast_to(geo.along(self.along**-gap, a), geo.shape).ravel()
            low, high = (plain[0] + np.maximum(plain[1], 0)) * step, (plain[0] + np.maximum(-plain[1], 0)) / step
            g[a], f[a] = np.minimum(low, high).astype(np.float32), low - high
            heat.assemble(g, f, extra)
            decay = self._decay()
            phi = (heat.theta - self.level) / decay
            before = self._passing(phi, passing)
            behind = np.roll(step, geo.s[a])
            b = b / decay + (heat.low[a] * (1.0 - 1.0 / behind) + heat.high[a] * (1.0 - step)) * phi
            b[idle] = 0.0
            phi[~heat.active] = 0.0
            heat.invert(extra, b, phi, tolerance, most)
            growth = min(max(self._passing(phi, passing) / before, 0.05), 20.0)
            self.ratio = min(max(self.ratio ** (1.0 / growth), 1e-30), 1.0 - 1e-12)
            bulk = self._passing(phi, passing) * (1.0 if self.drive.sign > 0 else self.along)
            phi *= (self.drive.entering - self.drive.level) / bulk
            heat.theta[heat.active] = (self.level + phi * self._decay())[heat.active]
        g[a], f[a] = plain

    @staticmethod
    def _inner(x) -> np.ndarray:
        return x[1:-1, 1:-1]

    def _passing(self, phi, passing) -> float:
        """Mean of ``phi`` over the layer that leaves the pitch at the axis' high end, weighted by the flow."""
        return float(self._inner(passing * self._layers(phi)[-2]).sum() / self._inner(passing).sum())

    def brought(self) -> float:
        """Heat (W) that enters through the pitch's ends, beyond what leaves."""
        if self.ends is None:
            return 0.0
        x, along = self._layers(self.heat.theta - self.level), self.along
        ahead, back = self.ends
        start, end = ahead * x[-2] * (1.0 / along - 1.0), back * x[1] * (along - 1.0)
        return float(self._inner(start + end).sum()) + self.late
