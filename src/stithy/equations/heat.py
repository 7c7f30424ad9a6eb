"""The energy solution of one case: matrix, multigrid, deferred convection, balances."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID, VOID
from ..numerics.cycles import wrap
from ..numerics.joined import Convected
from ..numerics.krylov import bicgstab, product
from ..numerics.limiter import cell_spacings
from ..numerics.slabs import over
from ..setup.case import Case
from . import energy, outer
from .bath_walls import BathWalls
from .flow import Flow
from .heat_terms import HeatTerm, Held, Joined, Links, Openings, Storage
from .pitch import Pitch
from .radiation import Radiation
from .staggered import OPEN, Staggered
from .wall_layer import WallLayer

#: tolerance above which a solution is but a step on the way
LOOSE = 0.05


class Heat:
    """Temperatures of one case; ``theta`` (K above ``case.reference``) is flat and padded."""

    def __init__(self, case: Case, geo: Staggered, flow: Flow):
        self.case, self.geo, self.flow = case, geo, flow
        z = geo.size
        self.theta = np.zeros(z) if case.start is None else geo.pad(case.start - case.reference)
        self.k_solid = np.ones(
            z, np.float32
        )  # ratio to the reference conductivity, of solids whose conductivity follows temperature
        self.tables = [(np.flatnonzero(geo.pad(here, False, bool)), rows) for here, rows in case.tables]
        self.conduction = energy.Conduction(geo, [geo.pad(k) for k in case.conductivity], case.contact)
        self.source = geo.pad(case.heat) * (geo.padded_index() > 0)
        self.cp = np.zeros(z)
        of = geo.pad(case.fluid_of, 0, np.int64)
        for m, f in enumerate(case.fluids):
            self.cp[flow.fluid & (of == m)] = f.cp
        self.cp_face = [
            np.where(self.cp > 0, self.cp, np.roll(self.cp, -geo.s[a])).astype(np.float32) for a in range(3)
        ]
        self.links, self.link_beyond = case.links, None  # as they are now; W/K beyond the outer face
        self.time = 0.0
        self.work: np.ndarray | None = None  # W that rising pressure of closed gases does on cells (flat)
        self.link_cells = geo.flat(case.links.cells) if len(case.links.cells) else np.zeros(0, np.int64)
        self.layer = WallLayer(case, geo, self.conduction, self.link_cells) if case.has_flow else None
        self.layer_moved = 0.0
        #: whether factors of layers at walls stay as they are
        self.holds_layer = False
        self.bath = flow.bath
        if self.bath is not None:
            self.bath.walls = BathWalls(self.bath, self.conduction, case, geo, self.link_cells)
        self.grid = Convected(geo.n, flow.s, geo.periodic)
        self._hold()
        # heat that leaves a held cell to the outside comes from what holds it, not from the cells beside it
        self.link_free = ~np.isfinite(self.held_at[self.link_cells])
        self.active = geo.wrapped((geo.kind != VOID) & ~np.isfinite(self.held_at))
        self.frozen = not len(self.link_cells) and not case.outlets and not len(self.held_cells)
        self.inner = geo.padded_index() > 0
        self.pin = int(np.flatnonzero(self.active & self.inner)[0]) if (self.active & self.inner).any() else 0
        self.spacing = cell_spacings(geo)
        self.rate_t = self.weight_t = 0.0
        self.memory = self.theta
        self.jump = 0.0
        self.blown: list = []  # outlets of blowers: cells, W/K that enter there, the blower
        self.pitch = Pitch(self) if case.drive is not None and case.drive.wall == "given temperature" else None
        self.residual = np.inf
        self.laps = 0
        radiates = case.radiating is not None and self.pitch is None
        self.radiation = Radiation(self, case.radiating) if radiates and case.radiating is not None else None
        #: what adds to the equations beside conduction and convection; radiation or boiling is one more
        self.terms: list[HeatTerm] = [Links(self), Held(self), Openings(self), Storage(self)]
        self.joined = Joined(self, case.joins) if case.joins is not None else None
        if self.joined is not None:
            self.terms.append(self.joined)
        if self.radiation is not None:
            self.terms.append(self.radiation)

    def _hold(self) -> None:
        """Faces between held and free cells: their conductance becomes an exchange with a given temperature."""
        geo = self.geo
        fixed = self.case.fixed
        self.held_at = geo.pad(np.full(geo.n, np.nan) if fixed is None else fixed, np.nan)
        held = np.isfinite(self.held_at)
        self.theta[held] = self.held_at[held] - self.case.reference
        self.held_faces, cells, temperatures, owners = [], [], [], []
        inner = geo.padded_index() > 0
        for a in range(3):
            ahead, st = np.roll(held, -geo.s[a]), geo.s[a]
            either = (
                np.flatnonzero((held | ahead) & (self.conduction.g[a] > 0)) if held.any() else np.zeros(0, np.int64)
            )
            self.held_faces.append(either)
            for faces, free, side in (
                (either[held[either] & ~ahead[either]], st, 0),
                (either[~held[either] & ahead[either]], 0, st),
            ):
                keep = inner[faces + free]
                cells.append((a, faces[keep], faces[keep] + free))
                temperatures.append(self.held_at[faces[keep] + side])
                owners.append(geo.pad(self.case.part, -1, np.int64)[faces[keep] + side])
        self.held_pieces = cells
        self.held_cells = np.concatenate([c for _, _, c in cells])
        self.held_temperature = np.concatenate(temperatures)
        self.held_owner = np.concatenate(owners)
        self.held_g = np.zeros(len(self.held_cells))
        self.held_solid = [self.conduction.g[a][f].copy() for a, f, _ in cells]

    def _hold_conductance(self, g) -> None:
        """Take the conductance of held faces out of the matrix."""
        if not len(self.held_cells):
            return
        parts = []
        for (a, faces, _), first in zip(self.held_pieces, self.held_solid, strict=True):
            now = g[a][faces]
            parts.append(np.where(now > 0, now, first))
        self.held_g = np.concatenate(parts)
        for a in range(3):
            g[a][self.held_faces[a]] = 0.0

    def _solid_conductivity(self) -> None:
        """Conductances anew where solids' conductivity follows temperature."""
        if not self.tables:
            return
        for cells, rows in self.tables:
            self.k_solid[cells] = np.interp(self.theta[cells] + self.case.reference, rows[:, 0], rows[:, 1])
        k = [self.geo.pad(k) * self.k_solid for k in self.case.conductivity]
        self.conduction = energy.Conduction(self.geo, k, self.case.contact)
        if self.layer is not None:
            self.layer.conduction = self.conduction
            self.layer.lay()

    def link_conductance(self) -> np.ndarray:
        """Conductance of each link now (W/K); fluid cells follow the wall law."""
        g = self.links.conductance
        if not len(g):
            return g
        cells, halves = self.link_cells, self.links.half
        ratio = self._link_ratio()
        if self.bath is not None and self.bath.walls is not None:
            ratio = self.bath.walls.of_links(ratio)
        if halves is None:
            return np.where(self.flow.fluid[cells], g * ratio, g)
        return 1.0 / np.maximum(1.0 / g + halves * (1.0 / ratio - 1.0), 1e-30)

    def _link_ratio(self) -> np.ndarray:
        """Conductivity of the cell of each link over that at rest, by mixing and thin layers."""
        cells = self.link_cells
        ratio = np.where(self.flow.fluid[cells], self.flow.k_wall[cells], self.k_solid[cells])
        return ratio if self.layer is None else self.layer.of_links(ratio)

    def entering(self, patch) -> float:
        """Temperature (K) of what enters by an opening; of a blower's outlet, that of what it draws in."""
        if patch.blower < 0:
            return float(patch.temperature)
        return self.flow.devices.blowers[patch.blower].drawn(self.theta) + self.case.reference

    def wall_ratio(self, a: int, sign: int, cells, ratio) -> np.ndarray:
        """``ratio`` (conductivity over that at rest) of fluid ``cells`` towards their wall on one side, with what thin
        layers, boiling and condensing make of it."""
        if self.layer is not None:
            ratio = self.layer.of_cells(a, sign, cells, ratio)
        if self.bath is not None and self.bath.walls is not None:
            ratio = self.bath.walls.raised(a, sign, cells, ratio, self.theta)
        return ratio

    def settle(self) -> None:
        """Make ready for reading: what boils at walls as conductances."""
        if self.bath is not None and self.bath.walls is not None:
            self.bath.walls.settle(self)

    def carried(self, a: int, faces) -> np.ndarray:
        """Heat capacity flow (W/K) through some high faces along axis ``a``, by their flat indices; those of openings
        too."""
        plain = self.flow.passing(a, faces) * self.cp_face[a][faces]
        if self.bath is None:
            return plain
        return np.where(self.bath.on[faces] | self.bath.on[faces + self.geo.s[a]], self.bath.phi[a][faces], plain)

    def fluxes(self) -> list[np.ndarray]:
        """Heat capacity flow (W/K) through high faces between cells."""
        flux = self.flow.fluxes()
        work = self.flow.work
        out = [work.diagonal, work.source, work.carried]
        phi = None if self.bath is None else self.bath.heat_flows(self.flow)
        for a in range(3):
            np.multiply(flux[a], self.cp_face[a], out=out[a])
            if phi is not None:
                np.copyto(out[a], phi[a], where=self.bath.between[a])
            out[a] *= self.geo.face[a] == OPEN
        return out

    def solve(self, laps: int = 1, tolerance: float = 1e-4, most: int = 30, still: float = 0.0) -> bool:
        """Advance the temperatures with the present flow: ``laps`` deferred corrections, each solved anew.

        With ``still`` the laps end, and True is returned, when no temperature moves by more than that part of their
        range.
        """
        with self.flow.work.lease("energy"):
            return self._solve(laps, tolerance, most, still)

    def _solve(self, laps: int, tolerance: float, most: int, still: float) -> bool:
        geo, flow = self.geo, self.flow
        self._solid_conductivity()
        outer.renew(self)
        if self.radiation is not None:
            self.radiation.shine()
        if self.layer is not None and not self.holds_layer:
            self.layer_moved = self.layer.update(flow, self.theta, 0.5 if laps else 0.0)
        if self.bath is not None and self.bath.walls is not None:
            self.bath.walls.update(flow, self.theta, self._link_ratio())
        g = self.conduction.update(flow.k_eff, flow.k_wall)
        if self.radiation is not None:
            self.radiation.linearise(g, tolerance > LOOSE)
        self._hold_conductance(g)
        f = self.fluxes()
        extra, base = np.zeros(geo.size), self.source.copy()
        for term in self.terms:
            term.add(extra, base)
        if self.bath is not None:
            self.bath.add(extra, base, self.theta)
            if self.bath.walls is not None:
                self.bath.walls.add(base, self.active)
        if self.frozen and not self.rate_t:
            pin = max(float(g[0].max()), 1e-6)
            extra[self.pin] += pin
            if self.radiation is None:
                self.theta[self.active] -= self.theta[self.pin]
            else:  # which depends on the level
                base[self.pin] += pin * self.theta[self.pin]
        if self.pitch is not None:
            before = self.theta.copy()
            self.pitch.solve(g, f, extra, 3 * laps, tolerance, most)
            flow.update_properties(self.theta)
            return self._rests(before, still)
        self.assemble(g, f, extra)
        self._jump(base)
        if self.radiation is not None:
            self.radiation.multiply(self.theta, base)  # the operator is about the present temperatures
        idle, rests = ~(self.active & self.inner), False
        for _ in range(laps):
            b = base.copy()
            self.deferred(f, b)
            b[idle] = 0.0
            before = self.theta.copy() if still else self.theta
            self.invert(extra, b, self.theta, tolerance, most)
            rests = self._rests(before, still)
            if rests:
                break
        if self.frozen and not self.rate_t and laps:  # nothing fixes the level: let the mean be the ambient temperature
            self.theta[self.active] -= self.theta[self.active & self.inner].mean()
        if self.radiation is not None:
            self.radiation.refresh(False, *(self.radiation.LOOSE if tolerance > LOOSE else ()))
        flow.update_properties(self.theta)
        return rests

    def _rests(self, before, still: float) -> bool:
        if not still:
            return False
        moved, low, high = energy.motion(self.active, self.inner, before, self.theta)
        return moved < still * max(high - low, 1e-6)

    def assemble(self, g, f, extra) -> None:
        """Hierarchy and fine weights of conductances ``g`` and heat capacity flows ``f`` (W/K)."""
        self.grid.prepare(g, f, extra)
        self.low, self.high = self.grid.low, self.grid.high

    def invert(self, extra, b, x, tolerance: float, most: int) -> None:
        """Solve the assembled system for ``x`` in place."""
        n, s, geo = self.flow.n, self.flow.s, self.geo
        full = np.zeros(geo.size)

        def matvec(y, out):
            if self.grid.wraps:
                wrap(n, s, geo.periodic, y)
            over(
                self.grid.parts,
                lambda p: energy.apply(p.n, s, p.each(self.low), p.each(self.high), *p.each((extra, y, out))),
            )
            for cells, passing, blower in self.blown:
                out[cells] -= passing * blower.drawn(y)
            if self.joined is not None:
                self.joined.multiply(y, out)
            if self.radiation is not None:
                self.radiation.multiply(y, out, 1e-6 if tolerance <= LOOSE else 1e-2)

        def precondition(r):
            # scaled, so that single precision neither under- nor overflows
            size = np.sqrt(product(r, r)) or 1.0
            return np.multiply(self.grid.cycle(r, 1.0 / size), size, out=full)

        self.laps, self.residual = bicgstab(matvec, precondition, b, x, tolerance, 1e-11, most)

    def exchange(self, extra, base, cells, g, temperature) -> None:
        """Add exchange of ``cells`` (flat) by conductances ``g`` (W/K) with a ``temperature`` (K) to the diagonal and
        the right-hand side."""
        if len(cells):
            np.add.at(extra, cells, g)
            np.add.at(base, cells, g * (temperature - self.case.reference))

    def _jump(self, base) -> None:
        """Along a driven periodic axis temperatures rise from pitch to pitch by heat given over heat capacity flow."""
        drive = self.case.drive
        if drive is None:
            return
        a = "xyz".index(drive.axis)
        flow = (self.flow.flux[a] * self.cp_face[a]).reshape(self.geo.shape)
        index = [slice(1, -1)] * 3
        index[a] = -2
        passing = float(flow[tuple(index)].sum())
        self.jump = float(self.case.heat.sum()) / passing if abs(passing) > 1e-12 and self.frozen else 0.0
        for at, weights, sign in ((-2, self.high[a], 1.0), (1, self.low[a], -1.0)):
            index[a] = at
            base.reshape(self.geo.shape)[tuple(index)] += (
                sign * weights.reshape(self.geo.shape)[tuple(index)] * self.jump
            )

    def deferred(self, f, b) -> None:
        geo, x = self.geo, self.theta
        if self.grid.wraps:
            wrap(self.flow.n, self.flow.s, geo.periodic, x)
        if self.jump:
            ends = np.moveaxis(x.reshape(geo.shape), "xyz".index(self.case.drive.axis), 0)
            ends[0] -= self.jump
            ends[-1] += self.jump
        if self.pitch is not None:
            self.pitch.wrap(x)
        if self.layer is not None:
            self.layer.carry(f, x, b)
        for a in range(3):
            energy.deferred(self.flow.n, self.flow.s, a, geo.face[a], f[a], self.spacing[a], x, b)
            if geo.periodic[a]:
                y = np.moveaxis(b.reshape(geo.shape), a, 0)
                scale = self.pitch.fold(y) if self.pitch is not None and a == self.pitch.axis else 1.0
                y[-2] += scale * y[0]
                y[1] += y[-1] / scale
                y[0] = y[-1] = 0.0
        if self.flow.tables:
            self._enthalpy(b)

    def excess(self) -> np.ndarray:
        """Enthalpy beyond cp times temperature (J/kg, flat) of fluids whose properties follow temperature."""
        out = np.zeros(self.geo.size)
        for cells, table, f in self.flow.tables:
            t, cp = table[0], table[3]
            h = np.concatenate([[0.0], np.cumsum(0.5 * (cp[1:] + cp[:-1]) * np.diff(t))])
            h0 = np.interp(self.case.reference, t, h)
            out[cells] = np.interp(self.theta[cells] + self.case.reference, t, h) - h0 - f.cp * self.theta[cells]
        return out

    def _enthalpy(self, b) -> None:
        e, geo = self.excess(), self.geo
        for a in range(3):
            flux = self.flow.flux[a] * (geo.face[a] == OPEN)
            carried = np.where(flux > 0, flux * e, flux * np.roll(e, -geo.s[a]))
            b -= carried
            b += np.roll(carried, geo.s[a])
        for patch, faces, _ in self.flow.openings:
            out = np.maximum(patch.outward * self.flow.flux[patch.axis][faces], 0.0)
            cells = geo.flat(patch.cells)
            np.add.at(b, cells, -out * e[cells])

    def capacity(self) -> np.ndarray:
        """Heat capacity of every cell, J/K (flat)."""
        solid = self.geo.pad(self.case.capacity if self.case.capacity is not None else np.zeros(self.geo.n))
        whole = np.where(self.flow.fluid, self.flow.rho * self.cp, solid) * self.geo.volume
        if self.bath is not None:
            whole = np.where(self.bath.on, self.bath.capacity, whole)
        return whole * self.active

    def temperature(self) -> np.ndarray:
        """Cell temperatures, K, shape of the grid."""
        return self.geo.inner(self.theta) + self.case.reference

    def outflow(self) -> tuple[np.ndarray, np.ndarray]:
        """Heat (W) leaving through each patch (convected, above the reference) and through each link."""
        patches = []
        e = self.excess() if self.flow.tables else None
        for patch, faces, _ in self.flow.openings:
            cells = self.geo.flat(patch.cells)
            out = patch.outward * self.flow.passing(patch.axis, faces)
            t = np.where(out > 0, self.theta[cells], self.entering(patch) - self.case.reference)
            h = patch.outward * self.carried(patch.axis, faces) * t
            if e is not None:
                h = h + np.where(out > 0, out * e[cells], 0.0)
            if self.bath is not None:
                h = h + self.bath.latent_out(patch, faces)
            patches.append(float(h.sum()))
        theta = self.theta[self.link_cells]
        links = self.link_conductance() * (theta - (self.links.temperature - self.case.reference))
        if self.radiation is not None:
            links = self.radiation.links(links)
        if self.bath is not None and self.bath.walls is not None:
            links = links + self.bath.walls.link_lag()
        return np.array(patches), links

    def held(self) -> np.ndarray:
        """Heat (W) flowing into each held face; see ``held_owner``."""
        out = self.held_g * (self.theta[self.held_cells] - (self.held_temperature - self.case.reference))
        if self.bath is not None and self.bath.walls is not None:
            out = out - self.bath.walls.held_lag(self.held_pieces)
        return out if self.radiation is None else self.radiation.holds(out)

    def imbalance(self) -> float:
        """(heat generated - heat leaving) in W; what a driven periodic model carries off counts as leaving. Of a bath
        that boils, the mean since it began to."""
        if self.bath is not None and not self.bath.calm:
            return self.bath.open
        given = self.source[self.inner & ~np.isfinite(self.held_at)].sum()
        left = float(given) - sum(term.leaves() for term in self.terms)
        if self.case.drive is not None and self.frozen:
            a = "xyz".index(self.case.drive.axis)
            index = [slice(1, -1)] * 3
            index[a] = -2
            carried = (self.flow.mass_flux(a) * self.cp_face[a]).reshape(self.geo.shape)[tuple(index)].sum() * self.jump
            left -= float(carried)
        if self.pitch is not None:
            left += self.pitch.brought()
        return left

    def stored(self) -> float:
        """Heat (W) that goes into what gets warmer, of a run in time; 0 in steady ones."""
        if not self.rate_t:
            return 0.0
        if self.bath is not None and not self.bath.calm:
            return self.bath.stores
        taken = self.capacity() * (self.rate_t * self.theta - self.weight_t * self.memory)
        if self.work is not None:
            taken -= self.work
        return float(taken[self._inner()].sum())

    def _inner(self) -> np.ndarray:
        return np.flatnonzero(self.inner)

    def solids(self) -> np.ndarray:
        """Whether each cell (flat) is solid."""
        return (self.geo.kind != VOID) & (self.geo.kind != FLUID)
