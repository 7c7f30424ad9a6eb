"""A run in time of a bath that may boil: single-phase steps while nothing does, then steps by the rules of its vapour.

While nothing boils the level stands still and steps are those of any run in time. Where the liquid comes near to its
saturation, or a wall of the bath above it, the level is set free, and a step is: velocities with what evaporated in the
last one, the share of vapour with them, temperatures and what evaporates next.
"""

from __future__ import annotations

import numpy as np

from ..equations.bath import CELLS, SHARE
from .transient import Transient

#: K below saturation of the hottest liquid at which vapour is let go
NEAR = 1.0
#: of a step: cells that the fastest flow crosses, and of the time in which a cell of vapour rises by its width
COURANT, RISE, GROWS = 2.0, 1.4, 1.3
#: s of a step at most: bubbles in liquid below saturation live no longer than a few of these
LONGEST = 0.05
#: part of all liquid that tells where the level is, whatever drops fly above
MOST_OF_IT = 0.95
#: steps after which mixing is worked out anew
MIX_EVERY = 2
#: of the flow that a step may leave open in its volumes; the next one makes up for it
CLOSES = 2e-5


class BoilingRun(Transient):
    """:class:`Transient` of a case with a bath. ``series`` rows of what is watched in time: s, m3 of vapour below the
    level, kg/s vented, m of level above that of the start, the highest share of the critical flux."""

    def __init__(self, *given, **more):
        self.goes_on = False
        super().__init__(*given, **more)
        self.bath = self.flow.bath
        self.began = np.inf  # s at which vapour was let go
        self.mass_error = 0.0
        self.series: list[tuple[float, ...]] = []
        self.least = float(np.min(self.case.grid.widths[self.bath.axis]))
        filled = self.geo.pad(self.bath.data.share)
        self.below = self.bath.on & (filled < 0.5)
        self.stood = self._level(filled)
        # kg and J when vapour was let go, and what has come and gone since
        self.kept_mass = self.heat_before = self.whole = self.given = self.gone = 0.0
        self._hydrostatic()

    def _hydrostatic(self) -> None:
        """Pressures that hold the room above the level, before anything moves."""
        bath, geo = self.bath, self.geo
        lift = bath.lift(np.zeros(geo.size)) / np.maximum(geo.volume, 1e-30)
        a, pull = bath.axis, bath.data.gravity
        p = np.moveaxis(self.flow.p.reshape(geo.shape), a, 0)
        f = np.moveaxis(lift.reshape(geo.shape), a, 0)
        w = geo.width[a]
        order = range(geo.shape[a] - 2, 0, -1) if bath.up > 0 else range(1, geo.shape[a] - 1)
        before = None
        for k in order:
            if before is not None:
                p[k] = p[before] - 0.5 * pull * (f[k] * w[k] + f[before] * w[before])
            else:
                p[k] = -0.5 * pull * f[k] * w[k]
            before = k
        self.flow.p[~self.flow.fluid] = 0.0

    def take(self, fields) -> None:
        """As of :class:`Steady`; vapour that was there goes on."""
        super().take(fields)
        bath = self.flow.bath
        share = fields.extra.get(SHARE, np.zeros(1))
        boiled = bool(((share > 1e-9) & (share < 0.5)).any())
        self.goes_on = bath.take(fields.extra) and boiled

    def state(self) -> dict[str, np.ndarray]:
        """What :meth:`resume` takes to go on as if nothing had happened: ``share``, ``air``, ``owed``, ``defect`` (nx,
        ny, nz), ``walls`` (4, faces) and ``fluxes`` (2, parts and outsides) of them, ``series`` (n, 5), ``run``."""
        out = self.bath.state()
        out["series"] = np.array(self.series, float).reshape(-1, 5)
        began = self.began if np.isfinite(self.began) else -1.0
        missing = self.bath.mass() + self.gone - self.kept_mass
        gained = self.whole - self.heat_before
        out["run"] = np.array(
            [float(self.bath.calm), began, self.dt, missing, self.gone, gained, self.given, self.bath.span]
        )
        return out

    def fits(self, state: dict[str, np.ndarray]) -> bool:
        """Whether a :meth:`state` belongs to a bath of the same cells."""
        shapes = dict.fromkeys(CELLS, self.case.grid.shape) | {"run": (8,)}
        whole = all(n in state and state[n].shape == tuple(shape) for n, shape in shapes.items())
        return whole and state.get("series", np.zeros(0)).shape[1:] == (5,)

    def resume(self, state: dict[str, np.ndarray]) -> None:
        """Go on from a :meth:`state` that :meth:`fits`, of the very moment whose fields were taken before."""
        self.bath.resume(state)
        self.series = [tuple(float(x) for x in row) for row in state["series"]]
        calm, began, dt, missing, self.gone, gained, self.given, self.bath.span = (float(x) for x in state["run"])
        self.bath.calm, self.began = bool(calm), began if began >= 0.0 else np.inf
        self.dt = min(dt, self.dt) if self.clock.step[0] == "fixed" else dt
        # as the model counts now: another reference or density tells of no heat or mass that came or went
        self.kept_mass = self.bath.mass() + self.gone - missing
        self.whole = self._whole()
        self.heat_before = self.whole - gained

    def go_on_from(self, other: Transient) -> None:
        """As of :class:`Transient`, with vapour and balances."""
        super().go_on_from(other)
        if isinstance(other, BoilingRun):
            self.take(other.fields())  # pressures at rest have been put in their place
            self.resume(other.state())

    def _near(self) -> bool:
        """Whether the liquid comes near to boiling."""
        bath = self.bath
        if not bath.data.boils:
            return False
        if self.goes_on:
            return True
        liquid = bath.on & (bath.share < 0.5)
        return bool((self.heat.theta[liquid] > bath.saturation[liquid] - NEAR).any())

    def step(self):
        """One time step."""
        bath = self.bath
        if bath.calm and not self._near():
            progress = super().step()
            bath.walls.watch(self.dt_old)
            self._keep()
            return progress
        if bath.calm:
            self._let_go()
        return self._boil()

    def _let_go(self) -> None:
        """Set the level free: from now on vapour is followed."""
        self.bath.calm, self.began = False, self.time
        self.dt, self.dt_old, self.older = min(self.dt, 0.2 * self._limit()), 0.0, None
        self.heat_before = self.whole = self._whole()
        self.kept_mass = self.bath.mass()
        self.given = self.gone = 0.0

    def _whole(self) -> float:
        """Heat above the reference in solids and bath, J."""
        solid = self.heat.capacity() * self.heat.theta
        return float(solid[self.heat.inner & ~self.bath.on].sum()) + self.bath.heat(self.heat.theta)

    def _limit(self) -> float:
        """The longest step that the flow of vapour allows, s."""
        geo, bath = self.geo, self.bath
        fast = 0.0
        for a in range(3):
            u = np.abs(self.flow.u[a].reshape(geo.shape)) / geo.along(geo.width[a], a)
            fast = max(fast, float((u * self.flow.fluid.reshape(geo.shape))[1:-1, 1:-1, 1:-1].max()))
        most = max(float(bath.share[self.below].max(initial=0.0)), 0.02)
        rise = RISE * (self.least / (bath.data.gravity * most)) ** 0.5
        return min(COURANT / fast if fast > 0 else np.inf, rise, LONGEST, self.clock.length / 20)

    def _boil(self):
        """One step with vapour."""
        bath, flow, heat = self.bath, self.flow, self.heat
        kind, value = self.clock.step
        self.dt = min(self._limit(), GROWS * self.dt, value if kind == "fixed" else np.inf)
        dt = self._length()
        for part in (flow, heat):
            part.rate_t = part.weight_t = 1.0 / dt
        flow.memory = [u.copy() for u in flow.u]
        heat.memory = heat.theta.copy()
        self._load(dt)
        heat.time = self.time + dt
        if self.iteration % MIX_EVERY == 0:
            flow.mix()
        bath.begin(dt)
        flow.iterate(heat.theta, self.blend, CLOSES, 40)
        bath.move(flow)
        heat.solve(1, 1e-5, 40)
        bath.owe(heat.theta)
        bath.walls.watch(dt)
        self._account(dt)
        self.dt_old = dt
        self.time += dt
        self.iteration += 1
        self._keep()
        if self._keeps():
            self._keep_instant()
        return self._report()

    def _account(self, dt: float) -> None:
        """Carry the balances of mass and heat on."""
        bath, heat = self.bath, self.heat
        liquid, gas, power = bath.leaves(self.flow, heat.theta)
        self.gone += (liquid + gas) * dt
        ends, links = heat.outflow()
        walls = float(links[heat.link_free].sum()) + float(heat.held().sum())
        if heat.radiation is not None:
            walls += heat.radiation.leaves()
        given = float(heat.source[heat.inner & ~np.isfinite(heat.held_at)].sum())
        self.given += (given - power - walls) * dt
        before, self.whole = self.whole, self._whole()
        left = given - power - walls - (self.whole - before) / dt
        # what is stored goes with what is told of openings, where air takes no latent heat along
        bath.stores = given - float(ends.sum()) - walls - left
        bath.open = (self.given - (self.whole - self.heat_before)) / (self.time + dt - self.began)
        self.mass_error = abs(bath.mass() + self.gone - self.kept_mass) / self.kept_mass

    def _keep(self) -> None:
        """A row of the series."""
        bath = self.bath
        vapour = float((bath.share * bath.volume)[self.below].sum())
        share = float(bath.walls.share.max(initial=0.0)) if bath.walls else 0.0
        self.series.append((self.time, vapour, bath.vented(self.flow), self._level(bath.share) - self.stood, share))

    def _level(self, share) -> float:
        """How high (m) the bath stands: below it all liquid would be, were it spread as that below its
        :data:`MOST_OF_IT`."""
        bath, geo, a = self.bath, self.geo, self.bath.axis
        liquid = ((1.0 - np.clip(share, 0.0, 1.0)) * bath.volume).reshape(geo.shape)
        layers = liquid.sum(axis=tuple(t for t in range(3) if t != a))[1:-1]
        heights = self.case.grid.widths[a]
        if bath.up < 0:
            layers, heights = layers[::-1], heights[::-1]
        at = np.concatenate([[0.0], np.cumsum(layers)])
        tall = np.concatenate([[0.0], np.cumsum(heights)])
        return float(np.interp(MOST_OF_IT * at[-1], at, tall)) / MOST_OF_IT
