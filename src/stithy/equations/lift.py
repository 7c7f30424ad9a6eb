"""What buoyancy gives to the energy of turbulence, and takes from it.

G = beta C tau g_i <u_i u_j> dT/dx_j: the turbulent heat flux by the generalised gradient hypothesis, which sees the
stress that a shear makes along gravity; across level gradients a plain gradient would give nothing. Sources: B. Daly &
F. Harlow, Phys. Fluids 13 (1970); N. Ince & B. Launder, Int. J. Heat Fluid Flow 10 (1989).
"""

from __future__ import annotations

import numpy as np

from . import scalars

C_THETA = 0.3
#: times the dissipation, at most
MOST = 10.0


class Lift:
    """G of one flow on the cells of a two-equation model; nothing where temperatures do not push the flow."""

    def __init__(self, flow, fluid: np.ndarray):
        self.flow, self.fluid = flow, fluid
        self.gravity = np.array(flow.case.gravity, float)
        self.acts = bool(flow.case.buoyant)
        z = flow.geo.size if self.acts else 0
        self.one, self.other, self.out = np.zeros(z), np.zeros(z), np.zeros(z)
        self.places = [np.zeros(z) for _ in range(3)] if self.acts else []
        for a, place in enumerate(self.places):
            place[:] = np.broadcast_to(flow.geo.along(flow.geo.points[a], a), flow.geo.shape).ravel()

    def production(self, theta: np.ndarray, k: np.ndarray, nu_t: np.ndarray, time: np.ndarray) -> np.ndarray:
        """G (m2/s3, flat) by temperatures ``theta`` (K, flat), k (m2/s2), nu_t (m2/s) and the time scale k over epsilon
        (s)."""
        flow, g = self.flow, self.gravity
        along = sum(g[a] * self.places[a] for a in range(3) if g[a])
        centred = [0.5 * (flow.u[a] + np.roll(flow.u[a], flow.geo.s[a])) for a in range(3)]
        sheared = self._product(sum(g[a] * centred[a] for a in range(3) if g[a]), theta).copy()
        for j in range(3):
            if flow.geo.n[j] > 1:
                sheared += self._product(along, centred[j]).copy() * self._product(self.places[j], theta)
        self.out[:] = (2.0 / 3.0) * k * self._product(along, theta) - nu_t * sheared
        self.out *= C_THETA * time * flow.properties.beta
        return self.out

    def _product(self, x, y) -> np.ndarray:
        """grad x . grad y at cell centres."""
        flow = self.flow
        scalars.product(flow.n, flow.s, self.fluid, *flow.geo.face, x, y, *flow.geo.width, self.one)
        return self.one

    def split(self, theta, k, nu_t, time, c) -> tuple[np.ndarray, np.ndarray]:
        """G of the cells ``c`` as what is given, bounded by the dissipation, and what is taken, over k (1/s); and
        zeros."""
        if not self.acts or theta is None:
            return np.zeros(len(c)), np.zeros(len(c))
        g = self.production(theta, k, nu_t, time)[c]
        most = MOST * k[c] / np.maximum(time[c], 1e-12)
        return np.clip(g, 0.0, most), np.minimum(np.maximum(-g, 0.0), most) / np.maximum(k[c], 1e-14)

    def upright(self, c) -> np.ndarray:
        """tanh |v| / |u| of the cells ``c``: how much of the flow is along gravity (Henkes, van der Vlugt & Hoogendoorn
        1991)."""
        flow = self.flow
        unit = self.gravity / max(np.linalg.norm(self.gravity), 1e-30)
        u = np.stack([0.5 * (flow.u[a][c] + flow.u[a][c - flow.geo.s[a]]) for a in range(3)], -1)
        v = u @ unit
        rest = np.linalg.norm(u - v[:, None] * unit, axis=1)
        return np.tanh(np.abs(v) / np.maximum(rest, 1e-9))
