"""Two-equation turbulence: shear-stress transport k-omega, and k-epsilon in two layers; one near-wall treatment for
both.

Walls: friction and wall conductivity from Spalding's law of the wall (see :mod:`mixing`), which holds from y+ 1 to 100;
in cells at walls the production is that of the same law, nu_t (du/dy)^2 = u_tau^4 / nu * e / (1 + e)^2 with e = nu_t /
nu of the law.
Sources: F. Menter, M. Kuntz, R. Langtry, Turbulence, Heat and Mass Transfer 4 (2003); B. Launder & D. Spalding, Comput.
Methods Appl. Mech. Eng. 3 (1974); two layers: H. Chen & V. Patel, AIAA J. 26 (1988), M. Wolfshtein, Int. J. Heat Mass
Transfer 12 (1969); bound on the time scale: P. Durbin, Int. J. Heat Fluid Flow 17 (1996). Buoyancy: see
:mod:`lift`.
"""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np

from . import mixing, scalars, walls
from .lift import Lift
from .roughness import Rough
from .strain import Strain
from .sublayer import Sublayer
from .transport import Transport

C_MU, KAPPA = 0.09, mixing.KAPPA


class TwoEquation(ABC):
    """What both models share: k and a second scalar on flat padded arrays, walls, inflow, effective properties."""

    name2 = ""

    def __init__(self, flow):
        self.flow, self.geo = flow, flow.geo
        z = flow.geo.size
        self.distance = flow.geo.pad(walls.wall_distance(flow.case))
        self.laminar = np.zeros(flow.geo.size, np.float32)  # the law of the wall holds everywhere
        inner = flow.geo.padded_index() > 0
        self.fluid = flow.fluid & inner
        self.cells = np.flatnonzero(self.fluid)
        self.k, self.second, self.nu_t = np.zeros(z), np.zeros(z), np.zeros(z)
        self.sink, self.source, self.value = (np.zeros(z) for _ in range(3))
        self.cross = np.zeros(z)
        self.held = np.zeros(z, np.bool_)
        self.free = np.zeros(z, np.bool_)
        self.strain = Strain(flow, self.distance)
        self.at_wall, self.s2 = self.strain.at_wall, self.strain.s2
        self.sublayer = Sublayer(flow.geo, self.fluid, self.distance, self.at_wall)
        of = flow.geo.pad(flow.case.fluid_of, 0, np.int64)
        self.tables = [
            (np.flatnonzero(self.fluid & (of == m)), mixing.Tables(f.mu * f.cp / f.k))
            for m, f in enumerate(flow.case.fluids)
        ]
        prandtl = np.array([f.mu * f.cp / f.k for f in flow.case.fluids])
        self.between = mixing.Between(prandtl[of[self.sublayer.near]])
        self.law = mixing.Tables(0.9).rows
        self.transported = Transport(flow, self.fluid)
        self.one, self.none = np.ones(z), np.zeros(z)
        self.speed = None
        self.residual = 1.0
        self.rough = Rough(flow, self.distance)
        self.lift = Lift(flow, self.fluid)
        self._begin()

    def _begin(self) -> None:
        flow, c = self.flow, self.cells
        speed = max(flow.scale, 1e-6)
        drive = flow.case.drive
        if drive is not None and drive.gradient is None:
            area = float(
                np.prod([x[-1] - x[0] for a, x in zip("xyz", flow.case.grid.lines, strict=True) if a != drive.axis])
            )
            speed = max(speed, drive.mass_flow / (area * max(f.rho for f in flow.case.fluids)))
        self.k[c] = 1.5 * (0.05 * speed) ** 2
        self.second[c] = self.second_from(self.k[c], self.k[c] / (20 * flow.nu[c]))
        self.nu_t[c] = 20 * flow.nu[c]

    @abstractmethod
    def second_from(self, k, omega):
        """The second scalar for given k (m2/s2) and omega (1/s)."""

    def fields(self) -> dict:
        """k (m2/s2) and the second scalar, to store with a result."""
        return {"k": self.k, self.name2: self.second}

    def take(self, fields: dict) -> None:
        """Continue from stored fields."""
        if "k" in fields and self.name2 in fields:
            self.geo.inner(self.k)[:] = np.maximum(fields["k"], 1e-12)
            self.geo.inner(self.second)[:] = np.maximum(fields[self.name2], 1e-12)
        for _ in range(4):
            self.speed = self.flow.speed()
            self.strain.update(self.speed)
            self.eddy()
            self.u_tau, self.e = self.friction()
            self.nu_t[self.at_wall] = self.e * self.flow.nu[self.at_wall]
            self._effective(1.0)

    def friction(self):
        """Friction velocity (m/s) and eddy ratio e of the wall law in the cells at walls."""
        flow, c = self.flow, self.at_wall
        self.rough.update(self.speed)
        law = self.rough.nu
        x = (
            np.log2(np.maximum(self.speed[c] * self.distance[c] / law[c], 1e-30)) - mixing.Tables.LOW
        ) * mixing.Tables.STEPS
        x = np.clip(x, 0, self.law.shape[1] - 1.001)
        i = x.astype(int)
        w = x - i
        e, ratio = ((1 - w) * self.law[m, i] + w * self.law[m, i + 1] for m in (0, 1))
        if law is not flow.nu:
            more = law[c] / flow.nu[c]
            carried, rough = mixing.rough_law(self.speed[c] * self.distance[c] / law[c], 1.0 - 1.0 / more)
            e = np.where(more > 1.0, more * carried - 1.0, e)
            ratio = np.where(more > 1.0, rough, ratio)
        return np.sqrt(ratio * law[c] * self.speed[c] / self.distance[c]), e

    def update(self) -> None:
        """One relaxed step of both equations with the present flow, then the effective properties."""
        flow = self.flow
        self.speed = flow.speed()
        flux = flow.fluxes()
        self.strain.update(self.speed)
        self.u_tau, self.e = self.friction()
        self.step(flux)
        self.eddy()
        self.nu_t[self.at_wall] = self.e * flow.nu[self.at_wall]
        self._effective(0.7)

    def transport(self, flux, x, gamma, sink, source, held, value, inflow, least, steep: bool = False) -> float:
        """One relaxed step of one scalar; ``inflow`` its value at each opening; ``steep``: it falls steeply from
        walls."""

        def diffuse(a, low, high):
            self.sublayer.diffuse(a, self.flow.nu, self.k, x, flux[a], low, high)

        return self.transported.step(
            flux, x, gamma, sink, source, held, value, inflow, least, diffuse if steep else None
        )

    def inflow(self):
        """k (m2/s2) and omega (1/s) of what enters at every opening."""
        flow, ks, omegas = self.flow, [], []
        for patch, faces, _ in flow.openings:
            speed = patch.fast or (np.abs(flow.u[patch.axis][faces]).mean() if len(faces) else 0.0)
            k = max(1.5 * (patch.intensity * speed) ** 2, 1e-10)
            spans = [
                np.ptp(flow.case.grid.lines[a][np.concatenate([patch.cells[:, a], patch.cells[:, a] + 1])])
                for a in range(3)
                if a != patch.axis
            ]
            length = patch.length or 0.07 * 2 * spans[0] * spans[1] / (spans[0] + spans[1])
            ks.append(k)
            omegas.append(k**0.5 / (C_MU**0.25 * length))
        return ks, omegas

    def _effective(self, share: float) -> None:
        flow = self.flow
        speed = flow.speed()
        k = self.one if flow.k_molecular is None else flow.k_molecular
        keep = [x[self.cells].copy() for x in (flow.mu_eff, flow.k_eff)]
        for cells, table in self.tables:
            none, one, law = self.none, self.one, self.rough.nu
            mixing.approach(flow, cells, table, share, speed, self.distance, one, none, one, k, law)
        c, first = self.cells, self.sublayer.leading
        ratio = self.transported.more  # at leisure between steps
        ratio.fill(0.0)
        ratio[c] = self.nu_t[c] / flow.nu[c]
        for own, molecular, scale, was, law in (
            (flow.mu_eff, flow.mu, self.one, keep[0], None),
            (flow.k_eff, k, flow.prandtl / mixing.PR_T, keep[1], self._law_of_heat()),
        ):
            own[c] = molecular[c] * (1 + ratio[c] * scale[c])
            own[first] = molecular[first] * self.sublayer.bridge(ratio, scale, flow.nu, self.k, law)
            own[c] = was + share * (own[c] - was)
        for x in (flow.mu_eff, flow.mu_wall, flow.k_eff, flow.k_wall):
            self.geo.wrapped(x)

    def _law_of_heat(self):
        """What the law of the wall for temperature says of the means between cells at walls and the next (see
        :class:`mixing.Between`)."""
        speed, near, far = np.zeros(self.geo.size), self.sublayer.near, self.sublayer.far
        speed[self.at_wall] = self.u_tau
        at = speed[near] / self.flow.nu[near]
        return self.between.share(at * self.distance[near], at * self.distance[far])

    def wall_production(self, production) -> None:
        """Put the law's production (m2/s3) into the cells at walls."""
        c = self.at_wall
        production[c] = self.u_tau**4 / self.flow.nu[c] * self.e / (1 + self.e) ** 2


class ShearStress(TwoEquation):
    """k-omega with shear-stress transport."""

    name2 = "omega"

    def second_from(self, k, omega):
        """omega itself."""
        return omega

    def _blend1(self, c, cross):
        k, w, y, nu = self.k[c], self.second[c], self.distance[c], self.flow.nu[c]
        cd = np.maximum(2 * 0.856 / w * cross, 1e-10)
        arg = np.minimum(np.maximum(np.sqrt(k) / (0.09 * w * y), 500 * nu / (y * y * w)), 4 * 0.856 * k / (cd * y * y))
        return np.tanh(np.minimum(arg, 10.0) ** 4)

    def eddy(self) -> None:
        """nu_t = a1 k / max(a1 omega, S F2)."""
        c = self.cells
        k, w, y, nu = self.k[c], self.second[c], self.distance[c], self.flow.nu[c]
        arg = np.maximum(2 * np.sqrt(k) / (0.09 * w * y), 500 * nu / (y * y * w))
        f2 = np.tanh(np.minimum(arg, 10.0) ** 2)
        self.nu_t[c] = np.minimum(0.31 * k / np.maximum(0.31 * w, np.sqrt(self.s2[c]) * f2), 1e5 * nu)

    def step(self, flux) -> None:
        """omega first, then k."""
        flow, c = self.flow, self.cells
        rho, nu, volume = flow.rho[c], flow.nu[c], self.geo.volume[c]
        scalars.product(flow.n, flow.s, self.fluid, *self.geo.face, self.k, self.second, *self.geo.width, self.cross)
        cross = self.cross[c]
        f1 = self._blend1(c, cross)
        mass = rho * volume
        production = np.zeros(self.geo.size)
        production[c] = self.nu_t[c] * self.s2[c]
        self.wall_production(production)
        k, w = self.k[c], self.second[c]
        p = np.minimum(production[c], 10 * 0.09 * k * w)
        beta, gamma = f1 * 0.075 + (1 - f1) * 0.0828, f1 * 5 / 9 + (1 - f1) * 0.44
        grow = gamma * np.minimum(self.s2[c], 10 * 0.09 * k * w / np.maximum(self.nu_t[c], 1e-12))
        extra = 2 * (1 - f1) * 0.856 * cross / w
        self.source.fill(0.0)
        self.sink.fill(0.0)
        time = np.zeros(self.geo.size)
        time[c] = 1.0 / (0.09 * w)
        given, taken = self.lift.split(flow.warmth, self.k, self.nu_t, time, c)
        if self.lift.acts:
            grow = grow + (f1 * 5 / 9 + (1 - f1) * 0.44) * w / np.maximum(k, 1e-14) * self.lift.upright(c) * given
        self.source[c] = mass * (grow + np.maximum(extra, 0.0))
        self.sink[c] = mass * beta * w
        self.sublayer.look(self.second)
        self.sublayer.mean_square(flow.nu, self.k, self.sink)
        self.sink[c] += mass * np.maximum(-extra, 0.0) / w
        wall = self.at_wall
        y = self.distance[wall]
        self.held[wall] = True
        viscous = 6 * flow.nu[wall] / (0.075 * y * y)
        log = np.sqrt(np.maximum(self.k[wall], 1e-14)) / (C_MU**0.25 * KAPPA * y)
        self.value[wall] = np.hypot(viscous, log)
        ks, omegas = self.inflow()
        mu_t = rho * self.nu_t[c]
        r = self.transport(
            flux,
            self.second,
            rho * nu + mu_t * (f1 * 0.5 + (1 - f1) * 0.856),
            self.sink,
            self.source,
            self.held,
            self.value,
            omegas,
            1e-6,
            True,
        )
        self.source.fill(0.0)
        self.sink.fill(0.0)
        self.source[c] = mass * (p + given)
        self.sink[c] = mass * (0.09 * self.second[c] + taken)
        self.residual = max(
            r,
            self.transport(
                flux,
                self.k,
                rho * nu + mu_t * (f1 * 0.85 + (1 - f1)),
                self.sink,
                self.source,
                self.free,
                self.value,
                ks,
                1e-14,
            ),
        )


class TwoLayer(TwoEquation):
    """k-epsilon away from walls; within Re_y 200 of them epsilon and nu_t follow from k and the wall distance."""

    name2 = "epsilon"
    C1, C2 = 1.44, 1.92
    LENGTH = KAPPA * C_MU**-0.75

    def second_from(self, k, omega):
        """epsilon = C_mu k omega."""
        return C_MU * k * omega

    def _near(self):
        """Share of the outer layer, and the inner layer's epsilon and nu_t."""
        c = self.cells
        y, nu, k = self.distance[c], self.flow.nu[c], np.maximum(self.k[c], 1e-14)
        re = np.sqrt(k) * y / nu
        outer = 0.5 * (1 + np.tanh((re - 200) / (20 / np.arctanh(0.98))))
        inner_eps = k**1.5 / (self.LENGTH * y * np.maximum(1 - np.exp(-re / (2 * self.LENGTH)), 1e-6))
        inner_nu = C_MU * np.sqrt(k) * self.LENGTH * y * (1 - np.exp(-re / 70))
        return outer, inner_eps, inner_nu

    def eddy(self) -> None:
        """nu_t = C_mu k T with a bounded time scale, blended with the inner layer's."""
        c = self.cells
        outer, _, inner_nu = self._near()
        # the bound is on sqrt(S_ij S_ij), and s2 is 2 S_ij S_ij
        t = np.minimum(self.k[c] / self.second[c], 0.6 / (3**0.5 * C_MU * np.sqrt(np.maximum(self.s2[c], 1e-20))))
        self.nu_t[c] = np.minimum(outer * C_MU * self.k[c] * t + (1 - outer) * inner_nu, 1e5 * self.flow.nu[c])

    def step(self, flux) -> None:
        """epsilon first, then k."""
        flow, c = self.flow, self.cells
        rho, nu, mass = flow.rho[c], flow.nu[c], flow.rho[c] * self.geo.volume[c]
        production = np.zeros(self.geo.size)
        production[c] = self.nu_t[c] * self.s2[c]
        self.wall_production(production)
        outer, inner_eps, _ = self._near()
        k, eps = self.k[c], self.second[c]
        p = np.minimum(production[c], 10 * eps)
        self.source.fill(0.0)
        self.sink.fill(0.0)
        time = np.zeros(self.geo.size)
        time[c] = k / np.maximum(eps, 1e-14)
        given, taken = self.lift.split(flow.warmth, self.k, self.nu_t, time, c)
        lifts = self.lift.upright(c) * given if self.lift.acts else 0.0
        self.source[c] = mass * self.C1 * (p + lifts) * eps / k
        self.sink[c] = mass * self.C2 * eps / k
        self.held[c] = outer < 0.5
        self.value[c] = inner_eps
        wall = self.at_wall
        y, kw = self.distance[wall], np.maximum(self.k[wall], 1e-14)
        re = np.sqrt(kw) * y / flow.nu[wall]
        self.held[wall] = True
        self.value[wall] = kw**1.5 / (self.LENGTH * y * np.maximum(1 - np.exp(-re / (2 * self.LENGTH)), 1e-6))
        ks, omegas = self.inflow()
        mu_t = rho * self.nu_t[c]
        r = self.transport(
            flux,
            self.second,
            rho * nu + mu_t / 1.3,
            self.sink,
            self.source,
            self.held,
            self.value,
            [C_MU * a * b for a, b in zip(ks, omegas, strict=True)],
            1e-14,
        )
        self.source.fill(0.0)
        self.sink.fill(0.0)
        self.source[c] = mass * (p + given)
        self.sink[c] = mass * (self.second[c] / np.maximum(k, 1e-14) + taken)
        self.residual = max(
            r, self.transport(flux, self.k, rho * nu + mu_t, self.sink, self.source, self.free, self.value, ks, 1e-14)
        )
