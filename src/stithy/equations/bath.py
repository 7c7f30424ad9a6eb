"""The liquid of a bath and its vapour: one volume flux, the share of vapour with its slip, latent heat.

The volume flux j (the flow's velocities) obeys div j = G (1/rv - 1/rl) with the mass G (kg/m3/s) that evaporates, the
share of vapour d a/dt + div(a j + slip) = G/rv, and the heat capacity flow carries both phases:
d(C T)/dt + div(Phi T) = div k grad T + q - G hfg with C and Phi of the masses just moved. Evaporation follows the
superheat of the liquid, G = K (T - Ts), with K hfg on the diagonal, so that no step is limited by it. What has
evaporated is owed per cell and moved in the next step, so that mass and heat close to rounding whatever the steps.
Momentum has the liquid's inertia everywhere; the slip speed is that of churning flow, 1.53 (sigma g (rl - rv) / rl^2)^
(1/4), of N. Zuber & J. A. Findlay, J. Heat Transfer 87 (1965).
"""

from __future__ import annotations

import numpy as np

from . import vapour
from .bath_walls import BathWalls
from .boiling_wall import critical_flux
from .staggered import OPEN, Staggered

#: names of its fields in a result
SHARE, AIR, SATURATION = "vapour share", "air share", "saturation"
#: of its cells, what it goes on from
CELLS = ("share", "air", "owed", "defect")
#: change of the share at which its equations rest, and sweeps at most
RESTS, MOST = 1e-7, 200
#: m/s times density that holds the level while nothing boils
HOLDS = 1e3


class Bath:
    """State of the bath of one case on flat padded arrays.

    ``share`` of vapour, ``air`` the part of it that is no vapour of the liquid, ``owed`` kg that has evaporated and is
    not yet moved, ``span`` s that it took to, ``saturation`` K above the reference, ``capacity`` J/K of its cells
    before the last step, ``phi`` W/K through high faces, ``calm`` while nothing boils and the level stands still.
    """

    def __init__(self, case, geo: Staggered):
        self.case, self.geo, self.data = case, geo, case.bath
        d, b = case.bath, case.bath.boiling
        self.on = geo.pad(d.cells, False, bool) & (geo.padded_index() > 0)
        self.axis, self.up, self.n = d.axis, d.up, geo.n.astype(np.int64)
        self.s = np.array(geo.s, np.int64)
        self.volume = geo.volume.astype(float) * self.on
        self.share = geo.pad(d.share) * self.on
        self.air = (self.share > 0.5).astype(float) if d.air else np.zeros(geo.size)
        self.owed, self.capacity = np.zeros(geo.size), np.zeros(geo.size)
        self.held = b.temperature - case.reference + b.by_pressure * d.rho * d.gravity * geo.pad(d.depth)
        self.saturation = np.where(self.on, self.held, 1e30)
        self.zero = b.temperature - case.reference  # where latent heat is what it is told to be, K above the reference
        self.v = 1.53 * (b.surface_tension * d.gravity * (d.rho - b.density) / d.rho**2) ** 0.25 if d.slips else 0.0
        self.critical = critical_flux(b.latent, b.density, d.rho, b.surface_tension, d.gravity)
        self.between = [(geo.face[a] == OPEN) & self.on & np.roll(self.on, -geo.s[a]) for a in range(3)]
        # speeds across the faces at the level: what holds it while nothing boils
        a, ahead = self.axis, np.roll(self.share, -geo.s[self.axis])
        self.level = np.flatnonzero(self.between[a] & ((self.share > 0.5) != (ahead > 0.5)))
        self.size = 2.0 * (b.surface_tension / (d.gravity * (d.rho - b.density))) ** 0.5  # m, of bubbles
        gaps = [np.roll(geo.along(p, t), -1, t) - geo.along(p, t) for t, p in enumerate(geo.points)]
        self.over = [
            geo.area[t] / np.abs(np.broadcast_to(np.where(g == 0.0, 1.0, g), geo.shape)).ravel()
            for t, g in enumerate(gaps)
        ]
        self.slip = np.where(self.between[a], self.v * geo.area[a], 0.0)
        self.calm = True
        self.flux = [np.zeros(geo.size) for _ in range(3)]  # m3/s of volume
        self.passing = [np.zeros(geo.size) for _ in range(3)]  # m3/s of vapour
        self.phi = [np.zeros(geo.size) for _ in range(3)]
        self.defect, self.made = np.zeros(geo.size), np.zeros(geo.size)
        self.column = vapour.scratch(int(self.n[a]))
        self.walls: BathWalls | None = None
        self.k_of, self.dt, self.span, self.sweeps = np.zeros(geo.size), 0.0, 0.0, 0
        self.stores = 0.0  # W that solids and bath take up, latent heat included
        self.open = 0.0  # W that the heat balance is open by, as a mean since boiling began
        self.rate = d.rate if d.rate is not None else 0.0
        self.condensing = self._condensing()

    def _condensing(self) -> float:
        """K (kg/m3/s/K) of bubbles in colder liquid: their size is that of capillarity, their heat by W. E. Ranz & W.
        R. Marshall, Chem. Eng. Prog. 48 (1952)."""
        d, b, size = self.data, self.data.boiling, self.size
        nusselt = 2.0 + 0.6 * (d.rho * self.v * size / d.mu) ** 0.5 * (d.mu * d.cp / d.k) ** (1.0 / 3.0)
        return float(6.0 * nusselt * d.k / size**2 / b.latent)

    def content(self) -> np.ndarray:
        """Heat capacity of every cell of the bath, J/K (flat)."""
        d, b = self.data, self.data.boiling
        return ((1.0 - self.share) * d.rho * d.cp + self.share * b.density * b.cp) * self.volume

    def mass(self) -> float:
        """Liquid and vapour in the model, kg."""
        d, b = self.data, self.data.boiling
        return float((((1.0 - self.share) * d.rho + self.share * b.density) * self.volume).sum())

    def lift(self, plain: np.ndarray) -> np.ndarray:
        """What gravity multiplies in each cell (N s2/m), from that of the liquid's temperature (``plain``)."""
        d, b = self.data, self.data.boiling
        return (1.0 - self.share) * plain + self.share * (d.rho - b.density) * self.volume

    def thin_out(self, flow) -> None:
        """Conductivity of what is vapour."""
        d = self.data
        less = 1.0 - np.clip(self.share, 0.0, 1.0) * (1.0 - d.boiling.k / d.k)
        flow.k_eff *= less
        flow.k_wall *= less

    def swelling(self) -> np.ndarray:
        """kg/s of liquid, by volume, that what evaporates needs more than it leaves, of the step to come."""
        return self.made * self.data.rho

    def begin(self, dt: float) -> None:
        """Take what is owed, as far as it is there, into a step of ``dt``; in one that is cut short, no faster than it
        came."""
        d, b = self.data, self.data.boiling
        self.dt, part = dt, min(1.0, dt / self.span) if self.span > 0.0 else 1.0
        self.span = max(dt, self.span - dt)
        liquid = np.maximum(1.0 - self.share, 0.0) * d.rho * self.volume
        gas = 0.9 * np.maximum(self.share * (1.0 - self.air), 0.0) * b.density * self.volume
        self.taken = np.clip(part * self.owed, -gas, liquid)
        self.made = (self.taken * (1.0 / b.density - 1.0 / d.rho) + self.defect) / dt

    def _fluxes(self, flow) -> None:
        for a in range(3):
            np.multiply(flow.u[a], self.geo.area[a], out=self.flux[a])

    def _ends(self, flow):
        """Openings of the bath: (patch, its faces, cells before them, outward volume flux m3/s, share of gas in what
        enters)."""
        for patch, faces, _ in flow.openings:
            cells = self.geo.flat(patch.cells)
            on = self.on[cells]
            if on.any():
                out = patch.outward * self.flux[patch.axis][faces]
                yield patch, faces[on], cells[on], out[on], float(patch.kind == "pressure")

    def move(self, flow) -> None:
        """Move the vapour with the present flow through a step that :meth:`begin` began; then the heat capacity
        flows."""
        d, b, dt = self.data, self.data.boiling, self.dt
        self._fluxes(flow)
        leaving, known = np.zeros(self.geo.size), self.taken / b.density / dt
        for _, _, cells, out, gas in self._ends(flow):
            np.add.at(leaving, cells, np.maximum(out, 0.0))
            np.add.at(known, cells, np.maximum(-out, 0.0) * gas)
        stored, before = self.volume / dt, self.share.copy()
        self.capacity = self.content()
        inside = tuple(np.where(x, f, 0.0) for x, f in zip(self.between, self.flux, strict=True))
        right, a, spread = known + stored * before, self.share, self._spread()
        for self.sweeps in range(MOST):
            moved = vapour.sweep(
                self.n,
                self.s,
                self.axis,
                self.up,
                self.sweeps % 2 == 1,
                self.on,
                stored,
                right,
                inside,
                spread,
                self.slip,
                leaving,
                a,
                *self.column,
            )
            if moved < RESTS:
                break
        vapour.through(self.n, self.s, self.axis, self.up, inside, spread, self.slip, a, tuple(self.passing))
        gained = np.zeros(self.geo.size)
        vapour.gained(self.n, self.s, tuple(self.passing), gained)
        out_of = known - leaving * a + gained
        self.share = np.where(self.on, before + dt * out_of / np.where(self.on, self.volume, 1.0), 0.0)
        self._at_ends(flow, a)
        self._mix_air(before, stored, flow)
        # what the volumes of both phases lack is asked of the next step
        total = np.zeros(self.geo.size)
        vapour.gained(self.n, self.s, inside, total)
        for _, _, cells, out, _ in self._ends(flow):
            np.add.at(total, cells, -out)
        self.defect = (self.defect + self.taken * (1.0 / b.density - 1.0 / d.rho) + dt * total) * self.on
        self.owed -= self.taken
        self._carry()

    def _spread(self) -> tuple[np.ndarray, ...]:
        """m3/s of vapour that bubbles' wakes carry across each high face to the sides by a whole difference of shares:
        diffusion by 0.6 a d w of Y. Sato & K. Sekoguchi, Int. J. Multiphase Flow 2 (1975)."""
        out, a = [], np.clip(self.share, 0.0, 1.0)
        for t in range(3):
            mean = 0.5 * (a + np.roll(a, -self.geo.s[t]))
            on = self.between[t] & (t != self.axis)
            out.append(np.where(on, 0.6 * self.size * self.v * mean * self.over[t], 0.0))
        return tuple(out)

    def _at_ends(self, flow, a) -> None:
        """Vapour through the faces of openings."""
        for patch, faces, cells, out, gas in self._ends(flow):
            self.passing[patch.axis][faces] = patch.outward * np.where(out > 0.0, a[cells], gas) * out

    def _mix_air(self, before, stored, flow) -> None:
        """The part of the vapour that is air."""
        if not self.data.air:
            return
        inside = tuple(np.where(x, f, 0.0) for x, f in zip(self.between, self.passing, strict=True))
        known, out_of = stored * before * self.air, np.zeros(self.geo.size)
        for patch, faces, cells, *_ in self._ends(flow):
            x = patch.outward * self.passing[patch.axis][faces]
            np.add.at(out_of, cells, np.maximum(x, 0.0))
            np.add.at(known, cells, np.maximum(-x, 0.0))
        for m in range(30):
            gas = stored * np.maximum(self.share, 0.0)
            if vapour.blend(self.n, self.s, m % 2 == 1, self.on, gas, known, inside, out_of, self.air) < 1e-4:
                break

    def _carry(self) -> None:
        """Heat capacity flows (W/K) through all high faces, of both phases."""
        d, b = self.data, self.data.boiling
        liquid, gas = d.rho * d.cp, b.density * b.cp
        for a in range(3):
            self.phi[a] = liquid * (self.flux[a] - self.passing[a]) + gas * self.passing[a]

    def stand(self, flow) -> None:
        """Heat capacity flows while nothing boils: of what lies upstream."""
        self._fluxes(flow)
        for a in range(3):
            q, ahead = self.flux[a], np.roll(self.share, -self.geo.s[a])
            self.passing[a] = np.where(self.between[a], q * np.where(q > 0.0, self.share, ahead), 0.0)
        self._at_ends(flow, self.share)
        self._carry()
        self.capacity = self.content()

    def heat_flows(self, flow) -> list[np.ndarray]:
        """Heat capacity flows (W/K) through high faces, openings included."""
        if self.calm:
            self.stand(flow)
        return self.phi

    def add(self, extra, base, theta) -> None:
        """Latent heat, and what masses just moved took with them from phase to phase, into the energy equations."""
        if self.calm or not self.dt:
            return
        d, b = self.data, self.data.boiling
        total = np.zeros(self.geo.size)
        vapour.gained(self.n, self.s, tuple(self.phi), total)
        s = ((self.content() - self.capacity) / self.dt - total) * self.on
        extra += s
        base += s * self.zero
        if not d.boils:
            self.k_of[:] = 0.0
            return
        over = np.where(self.on, theta - self.saturation, 0.0)
        liquid = np.maximum(1.0 - self.share, 0.0) * d.rho
        gas = np.clip(self.share, 0.0, 1.0) * np.clip(1.0 - self.air, 0.0, 1.0)
        kelvin = b.temperature
        up = np.minimum(self.rate * liquid / kelvin, liquid / (self.dt * np.maximum(over, 1e-9)))
        down = np.minimum(self.condensing * gas, 0.9 * gas * b.density / (self.dt * np.maximum(-over, 1e-9)))
        self.k_of = np.where(over > 0.0, up, down) * self.volume
        latent = self.k_of * b.latent
        extra += latent
        base += latent * np.where(self.on, self.saturation, 0.0)

    def owe(self, theta) -> None:
        """After the energy equations: what has evaporated (kg) is owed to the next step."""
        if not self.calm and self.dt:
            self.owed += np.where(self.on, self.k_of * (theta - self.saturation), 0.0) * self.dt

    def leaves(self, flow, theta) -> tuple[float, float, float]:
        """Liquid and vapour (kg/s) and heat (W, above that of the liquid at saturation) leaving by openings now."""
        d, b, out = self.data, self.data.boiling, np.zeros(3)
        for patch, faces, cells, q, _ in self._ends(flow):
            gas = patch.outward * self.passing[patch.axis][faces]
            phi = patch.outward * self.phi[patch.axis][faces]
            t = np.where(phi > 0.0, theta[cells], patch.temperature - self.case.reference)
            out += [
                d.rho * float((q - gas).sum()),
                b.density * float(gas.sum()),
                float((phi * (t - self.zero)).sum()) + b.latent * b.density * float(gas.sum()),
            ]
        return float(out[0]), float(out[1]), float(out[2])

    def latent_out(self, patch, faces) -> np.ndarray:
        """Heat (W) that vapour of the liquid carries out by the faces of an opening beyond that of its temperature: so
        that all of it is above the liquid at the reference."""
        cells = self.geo.flat(patch.cells)
        gas = np.maximum(patch.outward * self.passing[patch.axis][faces], 0.0) * (1.0 - self.air[cells])
        d, b = self.data, self.data.boiling
        each = b.latent + (d.cp - b.cp) * self.zero  # the rest of it is carried as heat of the vapour's temperature
        return np.where(self.on[cells], gas, 0.0) * b.density * each

    def density_through(self, patch, faces, plain) -> np.ndarray:
        """Density (kg/m3) of what crosses the faces of an opening: of liquid and vapour; ``plain`` where no bath is."""
        d, b, a = self.data, self.data.boiling, patch.axis
        q = self.flux[a][faces]
        gas = np.divide(self.passing[a][faces], q, out=np.zeros(len(faces)), where=q != 0.0)
        return np.where(
            self.on[self.geo.flat(patch.cells)], d.rho + np.clip(gas, 0.0, 1.0) * (b.density - d.rho), plain
        )

    def vented(self, flow) -> float:
        """Vapour of the liquid (kg/s) that leaves by openings; air does not count."""
        total = 0.0
        for patch, faces, cells, _, _ in self._ends(flow):
            gas = patch.outward * self.passing[patch.axis][faces]
            total += float((np.maximum(gas, 0.0) * (1.0 - self.air[cells])).sum())
        return total * self.data.boiling.density

    def fields(self) -> dict[str, np.ndarray]:
        """What is stored of it with a result (nx, ny, nz): shares of vapour, and of air in that, and saturation (K; 0
        elsewhere)."""
        inner = self.geo.inner
        level = np.where(self.on, self.held + self.case.reference, 0.0)
        return {SHARE: inner(self.share).copy(), AIR: inner(self.air).copy(), SATURATION: inner(level).copy()}

    def take(self, extra: dict[str, np.ndarray]) -> bool:
        """Go on from stored fields; whether there were any that fit."""
        if any(n not in extra or extra[n].shape != tuple(self.n) for n in (SHARE, AIR)):
            return False
        self.share = self.geo.pad(extra[SHARE]) * self.on
        self.air = self.geo.pad(extra[AIR]) * self.on
        return True

    def state(self) -> dict[str, np.ndarray]:
        """What it goes on from as if nothing had happened: :data:`CELLS` (nx, ny, nz), and that of its walls."""
        out = {n: self.geo.inner(getattr(self, n)).copy() for n in CELLS}
        return out | (self.walls.state() if self.walls is not None else {})

    def resume(self, state: dict[str, np.ndarray]) -> None:
        """Go on from a :meth:`state` of a bath of the same cells."""
        for n in CELLS:
            setattr(self, n, self.geo.pad(state[n]) * self.on)
        if self.walls is not None:
            self.walls.resume(state)

    def heat(self, theta) -> float:
        """Heat in the bath above that of the liquid at saturation, with the latent heat of vapour and of what is
        owed, J."""
        b = self.data.boiling
        held = float((self.content() * (theta - self.zero))[self.on].sum())
        return held + b.latent * (b.density * float((self.share * self.volume).sum()) + float(self.owed.sum()))
