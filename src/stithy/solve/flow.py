"""One outer iteration of the segregated flow solution: momentum by component, then the pressure correction."""
from __future__ import annotations

import numpy as np

from ..grid.occupancy import FLUID
from ..physics import mixing, momentum
from ..physics.case import Case
from ..physics.staggered import FIXED, OPEN, PRESSURE, Staggered
from .pressure import PressureSolver, correct, divergence


class Flow:
    """Velocities and pressure of one case, on flat padded arrays (see :class:`Staggered`).

    ``u`` list of three (m/s), ``p`` (Pa, relative to ambient, hydrostatic part of the reference density left out).
    """

    def __init__(self, case: Case, geo: Staggered, relaxation: float = 0.9):
        self.case, self.geo, self.alpha = case, geo, relaxation
        z = geo.size
        self.u = [np.zeros(z) for _ in range(3)]
        self.p = np.zeros(z)
        self.rho, self.mu, self.nu, self.beta = (np.zeros(z) for _ in range(4))
        self.prandtl = np.zeros(z)
        fluid = geo.kind == FLUID
        of = geo.pad(case.fluid_of, 0, np.int64)
        for m, f in enumerate(case.fluids):
            here = fluid & (of == m)
            self.rho[here], self.mu[here], self.beta[here] = f.rho, f.mu, f.beta
            self.nu[here], self.prandtl[here] = f.mu / f.rho, f.mu * f.cp / f.k
        self.fluid = fluid
        self.mu_eff, self.mu_wall = self.mu.copy(), self.mu.copy()
        self.k_eff, self.k_wall = np.ones(z), np.ones(z)  # ratios to the molecular conductivity
        self.distance = geo.pad(mixing.wall_distance(case)) if case.mixing == "wall-law" else None
        self.n, self.s = geo.n.astype(np.int64), momentum.strides(geo.s)
        self._face_fields()
        self._devices()
        self.solver = PressureSolver(self.n, self.s)
        self.d = [np.zeros(z) for _ in range(3)]
        self.a_low, self.a_high = np.zeros((3, z)), np.zeros((3, z))
        self.ap, self.b, self.links = np.zeros(z), np.zeros(z), np.zeros(z)
        self.scale = self._speed_scale()
        self.mass_before = self.mass_after = np.inf
        self.momentum_residual = np.inf
        self.settled_spaces = self._closed_spaces()

    def _face_fields(self):
        """Density on faces: that of whichever side is fluid."""
        self.rho_face = []
        for a in range(3):
            high = np.roll(self.rho, -self.geo.s[a])
            self.rho_face.append(np.where(self.rho > 0, self.rho, high))

    def _devices(self):
        """Faces of openings and fans, with areas; fixed velocities are set once."""
        geo = self.geo
        self.openings = []
        for patch in self.case.patches:
            faces = geo.patch_faces(patch)
            area = geo.area[patch.axis][faces]
            if patch.kind == "velocity":
                self.u[patch.axis][faces] = -patch.outward * patch.speed
            self.openings.append((patch, faces, area))
        self.planes = []
        for fan in self.case.fans:
            faces = geo.flat(fan.cells)
            faces = faces[geo.face[fan.axis][faces] == OPEN]
            self.planes.append((fan, faces, geo.area[fan.axis][faces]))
        self.moving = []
        for side, velocity in self.case.moving.items():
            axis, high = "xyz".index(side[0]), side[1] == "+"
            index = [slice(None)] * 3
            index[axis] = -2 if high else 1
            edge = np.zeros(geo.shape, bool)
            edge[tuple(index)] = True
            for a in range(3):
                if a == axis or velocity[a] == 0:
                    continue
                faces = np.flatnonzero(edge.ravel() & (geo.face[a] == OPEN))
                other = 3 - a - axis
                shape3 = np.unravel_index(faces, geo.shape)
                span = geo.points[a][shape3[a] + 1] - geo.points[a][shape3[a]]
                g = span * geo.width[other][shape3[other]] / (0.5 * geo.width[axis][shape3[axis]])
                self.moving.append((a, faces, g * velocity[a]))

    def _closed_spaces(self):
        """One flat cell index for each fluid space that no pressure opening fixes, with the space's mask."""
        label = self.geo.pad(self.case.space, -1, np.int64)
        fixed = set()
        for patch, _, _ in self.openings:
            if patch.kind == "pressure":
                fixed.update(np.unique(label[self.geo.flat(patch.cells)]))
        return [np.flatnonzero(label == m) for m in range(self.case.spaces) if m not in fixed]

    def _speed_scale(self) -> float:
        """A representative speed (m/s) for the inertial time scale."""
        speeds = [abs(p.speed) for p, _, _ in self.openings]
        speeds += [float(np.linalg.norm(v)) for v in self.case.moving.values()]
        for curve, area in [(p.fan, a.sum()) for p, _, a in self.openings if p.fan] + \
                           [(f.curve, a.sum()) for f, _, a in self.planes if len(a)]:
            speeds.append(0.5 * curve.flow[-1] / area)
        if self.case.buoyant:
            g = float(np.linalg.norm(self.case.gravity))
            axis = int(np.argmax(np.abs(self.case.gravity)))
            lines = self.case.grid.lines[axis]
            beta = max(f.beta for f in self.case.fluids)
            spread = self._expected_spread()
            speeds.append((g * beta * spread * (lines[-1] - lines[0])) ** 0.5)
        return max(speeds, default=0.0) or 1e-3

    def _expected_spread(self) -> float:
        t = [p.temperature for p, _, _ in self.openings] + list(self.case.links.temperature)
        fixed = max(t) - min(t) if t else 0.0
        return max(fixed, 20.0 if self.case.heat.any() else 0.0, 1e-3)

    def mass_flux(self, a: int) -> np.ndarray:
        """Mass flux (kg/s) through the high faces along axis ``a``."""
        return self.rho_face[a] * self.geo.area[a] * self.u[a]

    def update_mixing(self):
        """Eddy viscosity and conductivity from the present speeds (nothing when laminar)."""
        if self.distance is None:
            return
        speed2 = np.zeros_like(self.p)
        for a in range(3):
            mid = 0.5 * (self.u[a] + np.roll(self.u[a], self.geo.s[a]))
            speed2 += mid * mid
        f = self.fluid
        eddy, wall, eddy_k, wall_k = mixing.mixing_fields(
            np.sqrt(speed2[f]), self.distance[f], self.nu[f], self.prandtl[f])
        for target, value in ((self.mu_eff, self.mu[f] * (1 + eddy)), (self.mu_wall, self.mu[f] * wall),
                              (self.k_eff, 1 + eddy_k), (self.k_wall, wall_k)):
            target[f] += 0.5 * (value - target[f])

    def _body_forces(self, a: int, theta):
        """Buoyancy, openings, fans and moving walls into ``b`` and ``ap`` (N and N s/m)."""
        geo, b, ap, u = self.geo, self.b, self.ap, self.u[a]
        gravity = self.case.gravity[a]
        if gravity and theta is not None:
            lift = -self.rho * self.beta * gravity * theta * geo.volume * self.fluid
            half = 0.5 * lift
            b += (half + np.roll(half, -geo.s[a])) * (geo.face[a] != FIXED) * (geo.face[a] != 0)
        for patch, faces, area in self.openings:
            if patch.axis != a or patch.kind != "pressure":
                continue
            rho = self.rho_face[a][faces]
            inward = -patch.outward * u[faces]
            k = np.where(inward > 0, patch.loss + (1.0 if patch.head and patch.fan is None else 0.0), patch.loss)
            drag = area * rho * k * np.abs(u[faces])
            ap[faces] += drag
            b[faces] += 0.5 * drag * u[faces] - patch.outward * area * patch.pressure
            if patch.fan:
                sign = -patch.outward * patch.fan_sign
                self._fan(a, faces, area, patch.fan, sign)
                if patch.fan_sign > 0:  # what a fan blows in leaves it at one speed
                    carried = np.maximum(rho * area * inward, 0.0)
                    ap[faces] += carried
                    b[faces] += carried * float((u[faces] * area).sum() / area.sum())
        for fan, faces, area in self.planes:
            if fan.axis == a:
                self._fan(a, faces, area, fan.curve, fan.sign)
        for axis, faces, g in self.moving:
            if axis == a:
                b[faces] += g * self.mu_wall[faces]

    def _fan(self, a, faces, area, curve, sign):
        u = self.u[a]
        q = sign * float((u[faces] * area).sum())
        rise, slope = curve.at(q)
        steep = max(-slope, 0.05 * curve.rise[0] / curve.flow[-1])
        damp = area * steep * area.sum()
        self.ap[faces] += damp
        self.b[faces] += sign * area * rise + damp * u[faces]

    def iterate(self, theta, blend: float = 1.0, tolerance: float = 0.1, most: int = 3) -> None:
        """One outer iteration; ``theta`` is temperature above the reference (K), flat padded, or None."""
        geo, n, s = self.geo, self.n, self.s
        length = max(x[-1] - x[0] for x in self.case.grid.lines)
        rate = self.scale / length * (4.0 if self.case.buoyant else 1.0)
        flux = [self.mass_flux(a) for a in range(3)]
        total_r = total_s = 0.0
        for a in range(3):
            if not ((geo.face[a] == OPEN) | (geo.face[a] == PRESSURE)).any():
                continue
            at = [geo.high[t] if t == a else geo.points[t] for t in range(3)]
            cut = [np.append(geo.points[t][1:], geo.high[t][-1]) if t == a else geo.high[t] for t in range(3)]
            inertia = self.rho_face[a] * geo.control[a] * rate
            momentum.assemble(n, s, s[a], self.u[a], geo.face[a], *flux, *geo.g[a], geo.gw[a], self.mu_eff,
                              self.mu_wall, inertia, blend, *at, *(momentum.reciprocals(x) for x in at), *cut, self.a_low,
                              self.a_high, self.ap, self.b, self.links)
            self._body_forces(a, theta)
            momentum.add_pressure(n, s, s[a], geo.face[a], geo.area[a], self.p, self.b)
            r, scale = momentum.residual(n, s, geo.face[a], self.u[a], self.a_low, self.a_high, self.ap, self.b)
            total_r, total_s = total_r + r, total_s + scale
            momentum.relax(n, s, geo.face[a], self.alpha, self.u[a], self.ap, self.b, self.links, geo.area[a],
                           self.d[a])
            for forward in (True, False, True, False):
                momentum.sweep(n, s, geo.face[a], self.u[a], self.a_low, self.a_high, self.ap, self.b, forward)
        self.momentum_residual = total_r / total_s if total_s else 0.0
        self.project(tolerance, most)

    def project(self, tolerance: float, most: int) -> None:
        """Correct pressure and velocities towards zero divergence; records the mass residual before (relative)."""
        geo, n, s = self.geo, self.n, self.s
        conductance = [self.rho_face[a] * geo.area[a] * self.d[a] for a in range(3)]
        extra = np.zeros(geo.size)
        for patch, faces, _ in self.openings:
            if patch.kind == "pressure":
                cells = geo.flat(patch.cells)
                np.add.at(extra, cells, conductance[patch.axis][faces])
        inside = []
        for a in range(3):
            c = conductance[a].copy()
            c[geo.face[a] != OPEN] = 0.0
            inside.append(c)
        rhs = np.zeros(geo.size)
        flux = [self.mass_flux(a) for a in range(3)]
        total = divergence(n, s, *flux, rhs)
        self.mass_before = total / self.through_flow(flux)
        for cells in self.settled_spaces:
            rhs[cells] -= rhs[cells].mean()
        x, _, _ = self.solver.solve(inside, extra, rhs, tolerance, most)
        for cells in self.settled_spaces:
            x[cells] -= x[cells].mean()
        self.p += x
        for a in range(3):
            correct(n, s, s[a], geo.face[a], self.d[a], x, self.u[a])

    def through_flow(self, flux) -> float:
        """A scale for mass residuals (kg/s): what passes the openings, or half the sum of plane flows when closed."""
        crossing = sum(float(np.abs(flux[p.axis][f]).sum()) for p, f, _ in self.openings) / 2
        if crossing > 0:
            return crossing
        planes = [np.abs(f.reshape(self.geo.shape)).sum(axis=tuple(t for t in range(3) if t != a)).max() / 2
                  for a, f in enumerate(flux)]
        return max(max(planes), 1e-300)

    def mass_imbalance(self) -> float:
        """Sum of |net outflow| over all cells divided by the through-flow."""
        rhs = np.zeros(self.geo.size)
        flux = [self.mass_flux(a) for a in range(3)]
        return divergence(self.n, self.s, *flux, rhs) / self.through_flow(flux)
