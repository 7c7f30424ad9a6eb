"""Openings, fans and moving walls: what they put into the momentum equations."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from .bath import HOLDS
from .blown import Blown
from .moving import Belts
from .staggered import BLOCKED, FIXED, OPEN

#: of a plate's direction along an axis, in what steps across it lose
LEAST = 0.3


class Devices:
    """Faces of openings and fans of one :class:`Flow`. ``openings`` holds (patch, faces, areas), ``planes`` likewise
    for fans."""

    def __init__(self, flow):
        self.flow, geo = flow, flow.geo
        self.openings, self.planes, self.moving = [], [], []
        for patch in flow.case.openings:
            faces = geo.patch_faces(patch)
            self.openings.append((patch, faces, geo.area[patch.axis][faces]))
            if patch.kind == "velocity":
                profile = 1.0 if patch.profile is None else patch.profile
                flow.u[patch.axis][faces] = -patch.outward * patch.speed * profile
            if patch.held is not None and patch.kind == "velocity":
                self._hold(*patch.held)
        self.ends = [[self.openings[m] for m in end] for end in flow.case.ends()]
        for fan in flow.case.fans:
            faces = geo.flat(fan.cells)
            faces = faces[geo.face[fan.axis][faces] == OPEN]
            self.planes.append((fan, faces, geo.area[fan.axis][faces]))
        mouths = [x for x in self.openings if x[0].blower >= 0]
        self.blowers = [Blown(flow, *mouths[2 * m : 2 * m + 2], curve) for m, curve in enumerate(flow.case.blown)]
        self.screens = []
        for screen in flow.case.screens:
            faces = geo.flat(screen.cells)
            faces = faces[geo.face[screen.axis][faces] == OPEN]
            self.screens.append((screen, faces, geo.area[screen.axis][faces]))
        self.porous = [self._porous(a, flow.case.porous) for a in range(3)]
        within = [geo.flat(x.cells) for x in flow.case.porous if len(x.cells)]
        #: fluid cells of porous blocks
        self.within = np.unique(np.concatenate(within)) if within else np.zeros(0, np.int64)
        for side, velocity in flow.case.moving.items():
            self._moving_wall(side, velocity)
        for a in range(3):
            self.moving += Belts(geo).pulls(a)

    def _porous(self, a: int, blocks) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Faces across ``a`` of porous blocks, and by each face the volume (m3) in them times the inertial (1/m) and
        the viscous (1/m2) coefficient."""
        geo = self.flow.geo
        inertial, viscous = np.zeros(geo.size), np.zeros(geo.size)
        half = 0.5 * geo.volume.astype(float)
        for x in blocks:
            cells = geo.flat(x.cells)
            for face in (cells, cells - geo.s[a]):  # half of every cell belongs to either face
                np.add.at(inertial, face, half[cells] * x.inertial[a])
                np.add.at(viscous, face, half[cells] * x.viscous[a])
        faces = np.flatnonzero(((inertial > 0) | (viscous > 0)) & (geo.face[a] != BLOCKED) & (geo.face[a] != FIXED))
        return faces, inertial[faces], viscous[faces]

    def calm(self) -> None:
        """Within porous blocks the flow has no eddies but those that the loss stands for."""
        flow, c = self.flow, self.within
        if len(c):
            flow.mu_eff[c] = flow.mu_wall[c] = flow.mu[c]
            own = np.ones(len(c)) if flow.k_molecular is None else flow.k_molecular[c]
            flow.k_eff[c] = flow.k_wall[c] = own

    def _hold(self, cells, velocity) -> None:
        """Give the closed faces between cells without fluid a velocity, which what enters beside them carries in."""
        geo, u = self.flow.geo, self.flow.u
        for a in range(3):
            for face in (geo.flat(cells), geo.flat(cells) - geo.s[a]):
                beyond = (geo.kind[face] != FLUID) & (geo.kind[face + geo.s[a]] != FLUID)
                u[a][face[beyond]] = velocity[beyond, a]

    def keep_mass(self) -> None:
        """Given flows keep their mass flow when densities change: what enters has the density of its own
        temperature."""
        flow = self.flow
        for blower in self.blowers:
            blower.keep_mass()
        for patch, faces, _ in self.openings:
            if patch.blower >= 0:
                continue
            cells = flow.geo.flat(patch.cells)
            density = flow.rho[cells]
            for owned, table, _ in flow.tables:
                if len(cells) and np.isin(cells[0], owned):
                    density = np.full(len(cells), np.interp(patch.temperature, table[0], table[1]))
            if patch.kind == "velocity" and patch.speed > 0:
                flow.rho_face[patch.axis][faces] = density

    def _moving_wall(self, side: str, velocity) -> None:
        geo = self.flow.geo
        axis, high = "xyz".index(side[0]), side[1] == "+"
        index = [slice(1, -1)] * 3
        index[axis] = -2 if high else 1
        edge = np.zeros(geo.shape, bool)
        edge[tuple(index)] = True
        for a in range(3):
            if a == axis or velocity[a] == 0:
                continue
            faces = np.flatnonzero(edge.ravel() & (geo.face[a] == OPEN))
            other = 3 - a - axis
            at = np.unravel_index(faces, geo.shape)
            span = geo.points[a][at[a] + 1] - geo.points[a][at[a]]
            g = span * geo.width[other][at[other]] / (0.5 * geo.width[axis][at[axis]])
            self.moving.append((a, faces, g * velocity[a]))

    def speed_scale(self) -> float:
        """A representative speed (m/s) for the inertial time scale."""
        case = self.flow.case
        speeds = [max(abs(p.speed), p.fast) if not p.whole else p.fast for p, _, _ in self.openings]
        speeds += [float(np.linalg.norm(v)) for v in case.moving.values()]
        speeds += [float(np.linalg.norm(v)) for v in case.belts.values()]
        for curve, area in [(p.fan, p.whole or a.sum()) for p, _, a in self.openings if p.fan] + [
            (f.curve, a.sum()) for f, _, a in self.planes if len(a)
        ]:
            speeds.append(0.5 * curve.flow[-1] / area)
        if case.buoyant:
            g = float(np.linalg.norm(case.gravity))
            lines = case.grid.lines[int(np.argmax(np.abs(case.gravity)))]
            beta = max(f.beta for f in case.fluids)
            speeds.append((g * beta * self._expected_spread() * (lines[-1] - lines[0])) ** 0.5)
        return max(speeds, default=0.0) or 1e-3

    def _expected_spread(self) -> float:
        case = self.flow.case
        t = [p.temperature for p, _, _ in self.openings] + list(case.links.temperature)
        if case.fixed is not None:
            t += list(case.fixed[np.isfinite(case.fixed)])
        fixed = max(t) - min(t) if t else 0.0
        return max(fixed, 20.0 if case.heat.any() else 0.0, 1e-3)

    def load(self, a: int) -> None:
        """Add openings, fans and moving walls to the right-hand side ``b`` (N) and diagonal ``ap`` (N s/m) of component
        ``a``."""
        flow = self.flow
        b, ap, u = flow.b, flow.ap, flow.u[a]
        for end in self.ends:
            for patch, faces, area in end:
                if patch.axis == a and patch.kind == "pressure":
                    self._pressure(a, patch, faces, area, end)
        for fan, faces, area in self.planes:
            if fan.axis == a:
                self._fan(a, faces, area, fan.curve, fan.sign)
            elif fan.swirl:
                self._swirl(a, fan, faces)
        for screen, faces, area in self.screens:
            if screen.axis == a:
                drag = area * flow.rho_face[a][faces] * screen.loss * np.abs(u[faces])
                ap[faces] += drag
                b[faces] += 0.5 * drag * u[faces]
        faces, inertial, viscous = self.porous[a]
        if len(faces):
            drag = flow.rho_face[a][faces] * inertial * np.abs(u[faces])
            mu = np.maximum(flow.mu[faces], flow.mu[faces + flow.geo.s[a]])  # nothing is beyond an opening
            ap[faces] += drag + viscous * mu
            b[faces] += 0.5 * drag * u[faces]
        if flow.bath is not None and flow.bath.calm and flow.bath.axis == a:
            level = flow.bath.level
            ap[level] += HOLDS * flow.rho_face[a][level] * flow.geo.area[a][level]
        for axis, faces, g in self.moving:
            if axis == a:
                b[faces] += g * flow.mu_wall[faces]

    def _pressure(self, a: int, patch, faces, area, end) -> None:
        """An opening to a given pressure; ``end`` are all the faces of it."""
        flow = self.flow
        b, ap, u = flow.b, flow.ap, flow.u[a]
        b[faces] -= patch.outward * area * patch.pressure
        rho = flow.rho_face[a][faces]
        inward = -patch.outward * u[faces]
        k = np.where(inward > 0, patch.loss + (1.0 if patch.head and patch.fan is None else 0.0), patch.loss)
        net = sum(float((-p.outward * flow.u[p.axis][f] * s).sum()) for p, f, s in end)
        if patch.held is not None:  # what enters brings the whole vector with it
            self._hold(patch.held[0], patch.held[1] * max(net / patch.whole, 0.0))
        if patch.inward is not None:
            self._steps(a, patch, faces, area, k, inward, net / patch.whole)
        else:
            drag = area * rho * k * np.abs(u[faces])
            ap[faces] += drag
            b[faces] += 0.5 * drag * u[faces]
        if patch.fan:
            sign = -patch.outward * patch.fan_sign
            self._fan(a, faces, area, patch.fan, sign, net * patch.fan_sign, sum(s.sum() for _, _, s in end))
            if patch.fan_sign > 0:  # what a fan blows in leaves it at one speed
                carried = np.maximum(rho * area * inward, 0.0)
                one = float((u[faces] * area).sum() / area.sum())
                if patch.inward is not None:
                    one = patch.inward[a] * net / patch.whole
                ap[faces] += carried
                b[faces] += carried * one

    def _steps(self, a: int, patch, faces, area, k, inward, speed: float) -> None:
        """What steps of a plate lose at the mean ``speed`` inwards (m/s): as much as flow through its true area, those
        that are faster than the rest the more; what goes the other way than all loses its head."""
        flow = self.flow
        b, ap, u = flow.b, flow.ap, flow.u[a]
        rho, slant = flow.rho_face[a][faces], max(abs(patch.inward[a]), LEAST)
        against = inward * speed < 0.0
        drag = area * rho * np.where(against, 0.0, k) * abs(speed) / slant
        back = area * rho * np.where(against, np.maximum(k, 1.0), 0.0) * np.abs(u[faces]) / slant**2
        damp = area * rho * np.maximum(np.abs(u[faces]), abs(speed))  # no trace of it is left once the flow is steady
        ap[faces] += drag + back + damp
        b[faces] += (0.5 * back + damp) * u[faces] - patch.outward * 0.5 * drag * slant * speed

    def _fan(self, a, faces, area, curve, sign, q=None, whole=None):
        """A fan's rise on faces that blow towards ``sign``; ``q`` (m3/s) and ``whole`` (m2) of all its faces where
        these are some."""
        u = self.flow.u[a]
        if q is None:
            q, whole = sign * float((u[faces] * area).sum()), area.sum()
        rise, slope = curve.at(q)
        steep = max(
            -slope, curve.rise[0] / curve.flow[-1]
        )  # damping only: no trace of it is left once the flow is steady
        damp = area * steep * whole
        self.flow.ap[faces] += damp
        self.flow.b[faces] += sign * area * rise + damp * u[faces]

    def _swirl(self, a: int, fan, faces) -> None:
        """Angular momentum of what leaves the fan: its tangential speed is ``swirl`` times the axial speed at the rim.

        Solid rotation over the fan's face, added as a momentum source of mass flow times tangential speed in the cells
        behind.
        """
        geo, flow = self.flow.geo, self.flow
        other = 3 - fan.axis - a
        cells = faces + (geo.s[fan.axis] if fan.sign > 0 else 0)
        at = np.unravel_index(cells, geo.shape)
        y, z = geo.points[a][at[a]], geo.points[other][at[other]]
        ry, rz = y - y.mean(), z - z.mean()
        rim = max(min(np.abs(ry).max(), np.abs(rz).max()), 1e-12)
        turn = 1.0 if (other - a) % 3 == 1 else -1.0
        axial = np.maximum(fan.sign * flow.u[fan.axis][faces], 0.0)
        tangential = -turn * fan.sign * fan.swirl * axial * rz / rim
        mass = flow.rho_face[fan.axis][faces] * geo.area[fan.axis][faces] * axial
        for side in (0, -geo.s[a]):  # the two velocities that share each cell
            velocity = cells + side
            open_ = geo.face[a][velocity] == OPEN
            np.add.at(flow.b, velocity[open_], 0.5 * (mass * tangential)[open_])
            np.add.at(flow.ap, velocity[open_], 0.5 * mass[open_])
