"""Properties of the fluids in every cell: constant ones, and those that follow temperature."""

from __future__ import annotations

import numpy as np

from ..setup.case import Case
from .staggered import Staggered


class Properties:
    """Properties on flat padded arrays.

    ``rho`` kg/m3, ``mu`` Pa s, ``nu`` m2/s, ``beta`` 1/K, ``prandtl`` per cell; ``rho_face`` on high faces;
    ``rho_reference`` at the reference temperature; ``k_molecular`` ratio to the reference conductivity (None while none
    follows temperature); ``tables`` of fluids whose properties do: (cells, rows of the table by property, fluid).
    ``held``: they stay as they are.
    """

    def __init__(self, case: Case, geo: Staggered, fluid: np.ndarray):
        self.case, self.geo, z = case, geo, geo.size
        self.rho = np.zeros(z)
        self.mu, self.nu, self.beta, self.prandtl = (np.zeros(z, np.float32) for _ in range(4))
        of = geo.pad(case.fluid_of, 0, np.int64)
        self.tables: list[tuple] = []
        self.held = False
        for m, f in enumerate(case.fluids):
            here = fluid & (of == m)
            self.rho[here], self.mu[here], self.beta[here] = f.rho, f.mu, f.beta
            self.nu[here], self.prandtl[here] = f.mu / f.rho, f.mu * f.cp / f.k
            if f.table is not None and here.any():
                self.tables.append((np.flatnonzero(here), np.array(f.table).T, f))
        self.rho_reference = self.rho.copy() if self.tables else self.rho
        self.k_molecular: np.ndarray | None = None
        self.sealed: list[tuple[np.ndarray, np.ndarray, float]] = []
        self.rho_face: list[np.ndarray] = []
        self.on_faces()

    def on_faces(self) -> None:
        """Density on faces: mean of two fluid cells, or that of whichever side is fluid."""
        self.rho_face = []
        for a in range(3):
            high = np.roll(self.rho, -self.geo.s[a])
            both = (self.rho > 0) & (high > 0)
            self.rho_face.append(np.where(both, 0.5 * (self.rho + high), self.rho + high).astype(np.float32))

    def seal(self, spaces) -> None:
        """Remember every closed space (flat cells) full of a gas whose density follows temperature: its cells, the gas'
        table, its mass (kg).

        The mass is what it held at the start's temperatures and the pressure of the surroundings. A gas is known by rho
        T being the same all along its table.
        """
        if self.case.drive is not None:
            return
        start = self.case.start if self.case.start is not None else np.full(self.case.grid.shape, self.case.reference)
        start = self.geo.pad(start)
        for own, table, _ in self.tables:
            if np.ptp(table[0] * table[1]) > 1e-3 * (table[0] * table[1]).max():
                continue
            for space in spaces:
                if len(space) and np.isin(space[0], own):
                    density = np.interp(start[space], table[0], table[1])
                    self.sealed.append((space, table, float((density * self.geo.volume[space]).sum())))

    def sealed_pressure(self, theta) -> list[float]:
        """Absolute over surrounding pressure of the closed gas spaces, which keep their mass at the present
        temperatures (K, flat)."""
        out = []
        for cells, table, mass in self.sealed:
            density = np.interp(theta[cells] + self.case.reference, table[0], table[1])
            out.append(mass / float((density * self.geo.volume[cells]).sum()))
        return out

    def update(self, theta, share: float = 0.7) -> bool:
        """Take them at the present temperatures (K above the reference, flat); density moves there by ``share``.
        Whether any changed."""
        if self.held or not self.tables:
            return False
        before = self.rho.copy()
        for cells, table, _ in self.tables:
            t = np.clip(theta[cells] + self.case.reference, table[0, 0], table[0, -1])
            self.rho[cells] = np.interp(t, table[0], table[1])
        for (cells, _, _), ratio in zip(self.sealed, self.sealed_pressure(theta), strict=True):
            self.rho[cells] *= ratio
        for cells, table, f in self.tables:
            self.rho[cells] = before[cells] + share * (self.rho[cells] - before[cells])
            t = np.clip(theta[cells] + self.case.reference, table[0, 0], table[0, -1])
            self.mu[cells] = np.interp(t, table[0], table[2])
            self.nu[cells] = self.mu[cells] / self.rho[cells]
            if self.k_molecular is None:
                self.k_molecular = np.ones(self.geo.size, np.float32)
            k = np.interp(t, table[0], table[4])
            self.k_molecular[cells] = k / f.k
            self.prandtl[cells] = self.mu[cells] * np.interp(t, table[0], table[3]) / k
        self.geo.wrapped(self.rho)
        self.on_faces()
        return True

    def lift(self, theta, fluid: np.ndarray) -> np.ndarray:
        """What gravity multiplies in each cell, N s2/m: beta times temperature, or the loss of density, times
        volume."""
        if self.tables:
            plain = self.rho_reference * self.beta * theta
            for cells, _, _ in self.tables:
                plain[cells] = self.rho_reference[cells] - self.rho[cells]
        else:
            plain = self.rho * self.beta * theta
        return plain * self.geo.volume * fluid
