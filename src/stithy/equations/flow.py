"""One outer iteration of the segregated flow solution: momentum by component, then the pressure correction."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from ..numerics.cycles import wrap
from ..numerics.limiter import spacings, tiled
from ..numerics.slabs import halves, over, slabs
from ..numerics.smoothers import strides
from ..numerics.workspace import Workspace
from ..setup.case import Case
from . import mixing, momentum, pressure
from .bath import Bath
from .devices import Devices
from .properties import Properties
from .staggered import FIXED, OPEN, PRESSURE, Staggered
from .sweeper import Sweeper
from .turbulence import model_for
from .wall_layer import Beside
from .walls import chords

MISSING = 1e-10  # of the through-flow, in the sum over all cells
STEADIER = 4.0  # pseudo-time steps to a passage of the model, where temperatures and flow swing against each other


class Flow:
    """Velocities and pressure of one case, on flat padded arrays (see :class:`Staggered`).

    ``u`` list of three (m/s), ``p`` (Pa, relative to ambient, hydrostatic part of the reference density left out);
    ``rho``, ``mu`` properties per cell; ``mu_eff``, ``mu_wall`` (Pa s) and ``k_eff``, ``k_wall`` (ratios to the
    molecular conductivity) what the mixing model makes of them in the open and at walls.
    """

    def __init__(self, case: Case, geo: Staggered, relaxation: float = 0.9):
        self.case, self.geo, self.alpha = case, geo, relaxation
        z = geo.size
        self.u = [np.zeros(z) for _ in range(3)]
        self.p, self.div, self.extra = np.zeros(z), np.zeros(z), np.zeros(z)
        self.fluid = geo.kind == FLUID
        self.properties, self.work = Properties(case, geo, self.fluid), Workspace(z)
        self.mu_eff, self.mu_wall = self.mu.copy(), self.mu.copy()
        self.k_eff, self.k_wall = np.ones(z, np.float32), np.ones(z, np.float32)
        self.n, self.s = geo.n.astype(np.int64), strides(geo.s)
        self.first = [self._first(a) for a in range(3)]
        self.points = [self._points(a) for a in range(3)]
        self.parts, (self.whole,) = slabs(self.n, bool(geo.periodic.any())), slabs(self.n, True)
        self.halves = halves(z)
        self.flux = [np.zeros(z) for _ in range(3)]
        self.bath = Bath(case, geo) if case.bath is not None else None
        self.breath: np.ndarray | None = None  # kg/s that cells of closed gases take up less than they give (flat)
        self.devices = Devices(self)
        self.openings, self.planes = self.devices.openings, self.devices.planes
        self.beyond = self._beyond()
        self.solver = pressure.PressureSolver(self.n, self.s, geo.periodic, (self.ap, self.b, self.carry))
        self.inside = self.solver.grid.high  # kg/s/Pa, conductances between fluid cells
        self.d = [np.zeros(z, np.float32) for _ in range(3)]
        # relaxation of what diffusion ties together: next to none, since grids solve it and pressure takes its viscous
        # part; none at all where one cell along a periodic axis stands for all of it
        developed = case.drive is not None and geo.n["xyz".index(case.drive.axis)] == 1
        self.still, self.least = (0.001 if developed else 0.01), 1e-3
        self.alone = [
            bool(geo.periodic[t]) and geo.n[t] == 1 for t in range(3)
        ]  # a cell that is its own neighbour: nothing comes of it
        self.live = [bool(((geo.face[a] == OPEN) | (geo.face[a] == PRESSURE)).any()) for a in range(3)]
        self.scale = self.devices.speed_scale()
        # of pseudo-time: one is quickest where openings lead the flow, and fans inside stir it about
        self.inertia = STEADIER if case.fans or case.blown else 1.0
        self.rate_t = self.weight_t = 0.0
        self.memory = self.u
        self.answer: np.ndarray | None = None
        self.sweeper = Sweeper(self)
        across = [geo.pad(x) for x in chords(case)]
        self.beside = [
            [(t, Beside(geo, a, t, across[t])) for t in range(3) if t != a] if self.live[a] else [] for a in range(3)
        ]
        self.drive_gradient = (case.drive.gradient or 0.0) if case.drive else 0.0
        self.mass_before = np.inf
        self.momentum_residual = np.inf
        self.settled_spaces = self._closed_spaces()
        self.properties.seal(self.settled_spaces)
        self.warmth: np.ndarray | None = None  # K above the reference (flat), where temperatures push the flow
        self.mixing = model_for(self)

    rho = property(lambda self: self.properties.rho)
    mu = property(lambda self: self.properties.mu)
    nu = property(lambda self: self.properties.nu)
    prandtl = property(lambda self: self.properties.prandtl)
    rho_face = property(lambda self: self.properties.rho_face)
    k_molecular = property(lambda self: self.properties.k_molecular)
    tables = property(lambda self: self.properties.tables)
    ap = property(lambda self: self.work.diagonal)
    b = property(lambda self: self.work.source)
    carry = property(lambda self: self.work.carried)
    low = property(lambda self: self.work.low)
    high = property(lambda self: self.work.high)

    def mix(self) -> None:
        """Effective viscosity and conductivity of the present flow."""
        if self.bath is not None:
            self.k_eff[self.bath.on] = self.k_wall[self.bath.on] = 1.0
        self.mixing.update()
        self.devices.calm()
        if self.bath is not None:
            self.bath.thin_out(self)

    def update_properties(self, theta, share: float = 0.7) -> None:
        """Properties at the present temperatures, for fluids that have a table; density moves there by ``share``."""
        if self.properties.update(theta, share):
            self.devices.keep_mass()

    def _first(self, own: int) -> np.ndarray:
        """First index of the unknowns of one component along each axis."""
        first = np.ones(3, np.int64)
        first[own] = 1 if self.geo.periodic[own] else 0
        return first

    def _points(self, own: int):
        """Per axis: first index of faces, and their spacings."""
        geo, out = self.geo, []
        for t in range(3):
            at = geo.high[t] if t == own else geo.points[t]
            cut = np.append(geo.points[t][1:], geo.high[t][-1]) if t == own else geo.high[t]
            first = self.first[own].copy()
            first[t] = 0
            out.append((first, tiled(spacings(at, cut, int(self.n[t])), t, geo.shape)))
        return out

    def _beyond(self) -> np.ndarray:
        """Cells of the grid (flat) right outside openings."""
        found = [np.zeros(0, np.int64)]
        for patch, _, _ in self.openings:
            cells = self.geo.flat(patch.cells) + patch.outward * self.geo.s[patch.axis]
            found.append(cells[self.geo.padded_index()[cells] > 0])
        return np.unique(np.concatenate(found))

    def _closed_spaces(self):
        """Flat cell indices of each fluid space that no pressure opening fixes."""
        label = self.geo.pad(self.case.space, -1, np.int64)
        fixed = set()
        for patch, _, _ in self.openings:
            if patch.kind == "pressure":
                fixed.update(np.unique(label[self.geo.flat(patch.cells)]))
        inner = np.zeros(self.geo.shape, bool)
        inner[1:-1, 1:-1, 1:-1] = True
        inner = inner.ravel()
        return [np.flatnonzero((label == m) & inner) for m in range(self.case.spaces) if m not in fixed]

    def mass_flux(self, a: int) -> np.ndarray:
        """Mass flux (kg/s) through the high faces along axis ``a``."""
        return self.rho_face[a] * self.geo.area[a] * self.u[a]

    def passing(self, a: int, faces) -> np.ndarray:
        """Mass flux (kg/s) through some high faces along axis ``a``, by their flat indices."""
        return self.rho_face[a][faces] * self.geo.area[a][faces] * self.u[a][faces]

    def fluxes(self) -> list[np.ndarray]:
        """Mass fluxes (kg/s) through all high faces; arrays that the next call overwrites."""

        def work(h):
            for a in range(3):
                pressure.mass_flux(self.u[a][h], self.rho_face[a][h], self.geo.area[a][h], self.flux[a][h])

        over(self.halves, work)
        return self.flux

    def pull(self, a: int, across: int, sign: int) -> np.ndarray:
        """Velocities (m/s, flat) along ``a`` that a straight profile would need for the friction on walls on one side
        of them."""
        out = self.u[a].copy()
        for t, beside in self.beside[a]:
            if t == across:
                beside.pulled(sign, self.u[a], self.mixing.laminar, out)
        return self.geo.wrapped(out)

    def reaction(self, a: int, blend: float) -> np.ndarray:
        """Force (N, flat) along ``a`` that holds the velocities of closed faces at zero, with the convection scheme of
        ``blend``."""
        with self.work.lease("the reaction of walls"):
            for x in (self.b, self.carry, *self.low, *self.high):
                x.fill(0.0)
            self._links(a, self.fluxes(), blend)
            total = self.b.copy()
            for t, st in enumerate(self.geo.s):
                total += self.high[t] * np.roll(self.u[a], -st) + self.low[t] * np.roll(self.u[a], st)
            return total

    def speed(self) -> np.ndarray:
        """Speed at cell centres, m/s (flat)."""
        over(self.parts, lambda part: mixing.cell_speed(part.n, self.s, *part.each(self.u), part.of(self.div)))
        return self.geo.wrapped(self.div.copy())

    def iterate(self, theta, blend: float = 1.0, tolerance: float = 0.2, most: int = 12) -> None:
        """One outer iteration; ``theta`` is temperature above the reference (K), flat padded, or None."""
        length = max(x[-1] - x[0] for x in self.case.grid.lines)
        rate = self.scale / length * self.inertia if self.case.buoyant and not self.rate_t else 0.0
        for blower in self.devices.blowers:
            blower.blow()
        flux = self.fluxes()
        lift = self.properties.lift(theta, self.fluid) if theta is not None else self.p
        if self.bath is not None and theta is not None:
            lift = self.bath.lift(lift)
        total_r = total_s = 0.0
        with self.work.lease("momentum"):
            for a in (a for a in range(3) if self.live[a]):
                r, scale = self._component(a, flux, lift, theta is not None, blend, rate)
                total_r, total_s = total_r + r, total_s + scale
        self.momentum_residual = total_r / total_s if total_s else 0.0
        self.project(tolerance, most, 3)
        self._viscous_pressure()
        self._hold_mass_flow()

    def _component(self, a: int, flux, lift, buoyant: bool, blend: float, rate: float) -> tuple[float, float]:
        """Assemble and relax the equations of one component; the sums of residuals before and of their scale."""
        self.ap.fill(0.0)
        self.b.fill(0.0)
        self.carry.fill(0.0)
        self.devices.load(a)
        self._links(a, flux, blend)
        for t, beside in self.beside[a]:
            beside.carry(self.u[a], flux[t], blend, self.b)
            beside.drag(self.u[a], self.mu_wall, self.mixing.laminar, self.ap, self.b)
        drive = self.case.drive
        push = self.drive_gradient * drive.sign if drive and "xyz"[a] == drive.axis else 0.0
        given = (a, lift, buoyant, push, rate)
        sums = over(self.parts, lambda part, given=given: self._close(part, *given))
        r, scale = sum(x[0] for x in sums), sum(x[1] for x in sums)
        self.sweeper.relax(a, r)
        if drive and drive.gradient is None and "xyz"[a] == drive.axis:
            self._keep_to_mass_flow(a)
        if self.solver.grid.wraps:
            wrap(self.n, self.s, self.geo.periodic, self.d[a])
        return r, scale

    def from_plane(self, part, first) -> np.ndarray:
        """``first`` for a slab: all but the first begin with their first plane of cells."""
        return first if part.lo == 0 else np.array([1, *first[1:]], np.int64)

    def _links(self, a: int, flux, blend: float) -> None:
        """Weights of the neighbours and deferred convection of one component, every slab by itself, then the faces
        between the slabs."""

        def along(t, part, first, last):
            _, spacing = self.points[a][t]
            if t == 0 and part.lo:
                spacing = np.ascontiguousarray(spacing[:, part.lo :])
            of, geo = part.of, self.geo
            momentum.faces(
                self.s,
                a,
                t,
                first,
                last,
                of(self.u[a]),
                of(geo.face[a]),
                of(flux[t]),
                of(geo.g[a][t]),
                of(self.mu_eff),
                blend,
                spacing,
                of(self.low[t]),
                of(self.high[t]),
                of(self.b),
                of(self.carry),
            )

        def work(part):
            for t in range(3):
                if self.alone[t]:
                    continue
                last = part.n.copy()
                last[0] -= t == 0 and part is not self.parts[-1]
                along(t, part, self.from_plane(part, self.points[a][t][0]), last)
                if self.geo.periodic[t]:
                    self.geo.fold(self.b, t)

        over(self.parts, work)
        for part in self.parts[:-1]:
            seam = part.n.copy()
            first = self.points[a][0][0].copy()
            first[0] = seam[0]
            along(0, self.whole, first, seam)

    def _close(self, part, a: int, lift, buoyant: bool, push: float, rate: float) -> tuple[float, float]:
        """Finish the equations of one component in one slab; its sums of residuals and of their scale."""
        of, geo = part.of, self.geo
        return momentum.close(
            part.n,
            self.s,
            self.s[a],
            self.from_plane(part, self.first[a]),
            of(geo.face[a]),
            part.each(self.low),
            part.each(self.high),
            of(geo.gw[a]),
            of(self.mu_wall),
            of(self.rho_face[a]),
            of(geo.control[a]),
            of(geo.area[a]),
            of(self.p),
            of(lift),
            self.case.gravity[a] if buoyant else 0.0,
            push,
            of(self.u[a]),
            of(self.memory[a]),
            rate,
            self.rate_t,
            self.weight_t,
            self.alpha,
            of(self.carry),
            self.still,
            self.least,
            of(self.ap),
            of(self.b),
            of(self.d[a]),
        )

    def _keep_to_mass_flow(self, a: int) -> None:
        """As :meth:`_hold_mass_flow`, by what the momentum equations just solved answer to a gradient of 1 Pa/m."""
        if self.answer is None:
            self.answer = np.zeros(self.geo.size)
        self.sweeper.respond(a, self.answer, self.geo.control[a] * (self.ap > 0.0))
        self._push(a, self.answer)

    def _hold_mass_flow(self) -> None:
        """Change the driving pressure gradient of a periodic model so that its mass flow is the given one."""
        drive = self.case.drive
        if drive is None or drive.gradient is not None:
            return
        a = "xyz".index(drive.axis)
        ahead = np.roll(self.geo.along(self.geo.points[a], a), -1, a) - self.geo.along(self.geo.points[a], a)
        self._push(a, (self.d[a].reshape(self.geo.shape) * ahead).ravel())

    def _push(self, a: int, gain) -> None:
        """Change the driving gradient and, by ``gain`` (m/s for 1 Pa/m), the velocities so that the mass flow is the
        given one."""
        drive = self.case.drive
        index = (slice(1, -1),) * 3
        weight = (self.rho_face[a] * self.geo.area[a] * gain).reshape(self.geo.shape)[index].sum() / self.geo.n[a]
        if weight <= 0.0:
            return
        flow = self.mass_flux(a).reshape(self.geo.shape)[index].sum() / self.geo.n[a]
        step = (drive.mass_flow * drive.sign - flow) / weight
        self.drive_gradient += step * drive.sign
        self.u[a] += gain * step * (self.geo.face[a] == OPEN)
        self.geo.wrapped(self.u[a])

    def close_mass(self) -> None:
        """Correct velocities until next to nothing of the through-flow is missing anywhere."""
        self.project(1e-9, 300, enough=MISSING)

    def project(self, tolerance: float, most: int, soon: int = 10**6, enough: float = 0.0) -> None:
        """Correct pressure and velocities towards zero divergence; records the mass residual before (relative).

        Goes on until ``tolerance`` of the residual is left, or ``enough`` of the through-flow.
        """
        geo, n, s = self.geo, self.n, self.s
        extra = self.extra
        extra.fill(0.0)
        for patch, faces, _ in self.openings:
            if patch.kind == "pressure":
                a = patch.axis
                np.add.at(extra, geo.flat(patch.cells), self.rho_face[a][faces] * geo.area[a][faces] * self.d[a][faces])

        def conductances(h):
            for a in range(3):
                pressure.conductance(
                    self.rho_face[a][h], geo.area[a][h], self.d[a][h], geo.face[a][h], self.inside[a][h]
                )

        over(self.halves, conductances)
        flux = self.fluxes()
        total = self.divergence(flux)
        self.mass_before = total / self.through_flow(flux)
        for cells in self.settled_spaces:
            self.div[cells] -= self.div[cells].mean()
        tolerance = max(tolerance, min(enough / max(self.mass_before, 1e-300), 0.1))
        with self.work.lease("the pressure correction"):
            x, _, _ = self.solver.solve(self.inside, extra, self.div, tolerance, most, soon)
        for cells in self.settled_spaces:
            x[cells] -= x[cells].mean()
        if self.solver.grid.wraps:
            wrap(n, s, geo.periodic, x)
        self.p += x

        def corrections(part):
            for a in range(3):
                if self.live[a]:
                    pressure.correct(
                        part.n,
                        s,
                        s[a],
                        self.from_plane(part, self.first[a]),
                        part.of(self.d[a]),
                        part.of(x),
                        part.of(self.u[a]),
                    )

        over(self.parts, corrections)
        if self.solver.grid.wraps:
            for a in range(3):
                if self.live[a]:
                    wrap(n, s, geo.periodic, self.u[a])

    def _viscous_pressure(self) -> None:
        """Pressure that goes with the divergence just taken away by way of viscosity, beyond that by way of inertia and
        relaxation.

        With it steps may be as long as one likes where viscosity rules. Source: Cahouet & Chabard, Int. J. Numer.
        Methods Fluids 8 (1988).
        """
        over(
            self.halves,
            lambda h: pressure.viscous(self.p[h], self.mu_eff[h], self.div[h], self.rho[h], self.geo.volume[h]),
        )
        for cells in self.settled_spaces:
            self.p[cells] -= self.p[cells].mean()
        if self.solver.grid.wraps:
            wrap(self.n, self.s, self.geo.periodic, self.p)

    def divergence(self, flux) -> float:
        """Fill ``div`` with minus the net outflow of every fluid cell (kg/s); the sum of its absolute values."""
        total = sum(
            over(self.parts, lambda part: pressure.divergence(part.n, self.s, *part.each(flux), part.of(self.div)))
        )
        if len(self.beyond):
            total -= float(np.abs(self.div[self.beyond]).sum())
            self.div[self.beyond] = 0.0
        if self.breath is not None:
            self.div += self.breath
        if self.bath is not None and not self.bath.calm:
            self.div += self.bath.swelling()
        if self.breath is not None or (self.bath is not None and not self.bath.calm):
            total = float(np.abs(self.div).sum())
        return total

    def potential(self) -> None:
        """Velocities of potential flow through the openings: a start that keeps mass everywhere. Pressure stays at
        zero."""
        for a in range(3):
            self.d[a].fill(0.0)
            np.divide(self.geo.area[a], self.geo.control[a], out=self.d[a], where=self.geo.control[a] > 0)
            self.geo.wrapped(self.d[a])
        self.project(1e-8, 200)
        self.p.fill(0.0)

    def through_flow(self, flux) -> float:
        """A scale for mass residuals (kg/s): what passes the openings, or half the sum of plane flows when closed."""
        crossing = sum(float(np.abs(flux[p.axis][f]).sum()) for p, f, _ in self.openings) / 2
        if crossing > 0:
            return crossing
        planes = [
            np.abs(f.reshape(self.geo.shape)).sum(axis=tuple(t for t in range(3) if t != a)).max() / 2
            for a, f in enumerate(flux)
        ]
        return max(max(planes), 1e-300)

    def mass_imbalance(self) -> float:
        """Sum of |net outflow| over all cells divided by the through-flow."""
        flux = self.fluxes()
        return self.divergence(flux) / self.through_flow(flux)


__all__ = ["FIXED", "STEADIER", "Flow"]
