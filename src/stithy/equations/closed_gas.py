"""Closed gases in time: density that follows temperature and pressure makes flow, and pressure that rises does work.

In a space that nothing opens, of an ideal gas whose properties follow temperature, mass is kept: its pressure p follows
the mean of 1/T. In a run in time d(rho)/dt + div(rho u) = 0, so what warms up pushes fluid away, and the enthalpy
equation has dp/dt on its right: a closed gas takes cv, not cp, to be warmed.
"""

from __future__ import annotations

import numpy as np


class ClosedGas:
    """The closed gas spaces of one run in time. ``breath`` kg/s that each cell must take up less than it gives (flat)
    and ``work`` W that rising pressure does on it, in the present step."""

    def __init__(self, flow, heat):
        self.flow, self.heat = flow, heat
        self.spaces = [cells for cells, _, _ in flow.properties.sealed]
        self.volume = flow.geo.volume.astype(float)
        self.breath, self.work = np.zeros(flow.geo.size), np.zeros(flow.geo.size)
        self.now = self.pressures()

    def pressures(self) -> np.ndarray:
        """Absolute pressure (Pa) of every space at the present temperatures."""
        ratio = np.array(self.flow.properties.sealed_pressure(self.heat.theta))
        return ratio * self.heat.case.pressure

    def begin(self, dt: float) -> None:
        """A step of ``dt`` (s) from the present state."""
        self.dt, self.density, self.before = dt, self.flow.rho.copy(), self.pressures()
        self.now = self.before
        self.breath[:] = self.work[:] = 0.0

    def follow(self) -> float:
        """Take up the present temperatures; by how much pressures moved since the last time, over their change in the
        step."""
        found = self.pressures()
        moved = float(np.abs(found - self.now).max()) / max(float(np.abs(found - self.before).max()), 1e-9)
        self.now = found
        for cells, p, old in zip(self.spaces, found, self.before, strict=True):
            self.work[cells] = self.volume[cells] * (p - old) / self.dt
            change = (self.flow.rho[cells] - self.density[cells]) * self.volume[cells] / self.dt
            self.breath[cells] = -(change - change.mean())
        return moved

    def rest(self) -> None:
        """No step is taken: nothing breathes."""
        self.breath[:] = self.work[:] = 0.0
