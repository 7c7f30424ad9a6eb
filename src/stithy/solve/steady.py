"""The steady driver: flow and energy until the watched quantities and the balances have settled."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from ..equations.flow import STEADIER, Flow
from ..equations.heat import Heat
from ..equations.staggered import Staggered
from ..equations.wall_layer import RESTS
from ..setup.case import Case
from ..solution.solution import Fields
from ..solution.summary import OPEN_MEAN
from .settling import RIPPLE, ROUNDING, Progress, Settings, Settling

LAYER = "wall layer"  # under which its factors are stored, one for each wall face


__all__ = ["Fields", "Progress", "Settings", "Steady"]


class Steady(Settling):
    """A steady run of one :class:`Case`.

    ``watch_parts`` are the part numbers whose hottest cell is watched. Start from ``fields`` of the same grid shape
    to continue. Call :meth:`run`, or :meth:`step` for one iteration at a time.
    """

    def __init__(self, case: Case, settings: Settings | None = None, watch_parts=(), fields: Fields | None = None):
        self.case, self.settings = case, settings or Settings()
        self.geo = Staggered(case)
        self.flow = Flow(case, self.geo, self.settings.relaxation)
        self.heat = Heat(case, self.geo, self.flow)
        self.flow.warmth = self.heat.theta if case.buoyant else None
        part = np.where(self.geo.padded_index() > 0, self.geo.pad(case.part, -1, np.int64), -1)
        self.watched = [np.flatnonzero(part == m) for m in watch_parts]
        self.iteration = 0
        self.history: list[Progress] = []
        self.continued = fields is not None
        self.expected = 0  # iterations that an earlier run of this layout took from rest
        self.band: np.ndarray | None = None
        self.leaves = False
        #: whether what the user cares for is at rest; None: residual, flows and watches say so
        self.rests: Callable[[], bool] | None = None
        self.energy_in_loop = case.buoyant
        # where fans or given flows move the fluid, temperature may lag a little behind
        forced = case.fans or any(p.fan or p.kind == "velocity" for p in case.openings)
        self.energy_every = 3 if forced else 1
        # share of the limited scheme in momentum convection, the rest is upwind; with an eddy viscosity from an
        # algebraic model the sharper half only feeds slow oscillations of jets that the model cannot settle
        self.blend = 0.5 if case.mixing == "wall-law" else 1.0
        self._since = 0
        self._passing: list[float] = []  # W, what passes the model in every iteration
        self._driven: list[
            tuple[float, float]
        ] = []  # Pa/m and a measure of the flow, of a periodic model in every iteration
        self._heads: list[np.ndarray] = []  # Pa, mean pressure behind every opening in every iteration
        if fields is not None:
            self.take(fields)
        self.started = time.perf_counter()

    def start_potential(self) -> None:
        """Begin from potential flow instead of rest."""
        if self.case.has_flow:
            self.flow.potential()

    def take(self, fields: Fields) -> None:
        """Go on from ``fields``, which belong to a grid of the same shape."""
        if fields.temperature.shape != self.case.grid.shape:
            raise ValueError("the fields belong to another grid")
        self.geo.inner(self.heat.theta)[:] = fields.temperature - self.case.reference
        self.geo.inner(self.flow.p)[:] = fields.pressure
        for a, name in enumerate("uvw"):
            face = getattr(fields, name)
            whole = self.flow.u[a].reshape(self.geo.shape)
            index = [slice(1, -1)] * 3
            index[a] = slice(0, -1)
            live = (self.geo.face[a].reshape(self.geo.shape)[tuple(index)] % 2) == 1
            whole[tuple(index)] = np.where(live, face, whole[tuple(index)])
            self.geo.wrapped(self.flow.u[a])
        self.flow.p[~self.flow.fluid] = 0.0
        self.geo.wrapped(self.flow.p)
        self.geo.wrapped(self.heat.theta)
        self.flow.update_properties(self.heat.theta, 1.0)
        self.flow.mixing.take(fields.extra)
        self._take_layer(fields.extra.get(LAYER))

    def _take_layer(self, ratio) -> None:
        """Stored factors of thin layers at walls, or those that belong to the temperatures just taken over."""
        layer = self.heat.layer
        if layer is None or (ratio is not None and layer.take(ratio)):
            return
        for _ in range(12):
            layer.update(self.flow, self.heat.theta)

    def fields(self) -> Fields:
        """The present solution."""
        faces = []
        for a in range(3):
            index = [slice(1, -1)] * 3
            index[a] = slice(0, -1)
            faces.append(self.flow.u[a].reshape(self.geo.shape)[tuple(index)].copy())
        extra = {name: self.geo.inner(x).copy() for name, x in self.flow.mixing.fields().items()}
        if self.heat.layer is not None:
            extra[LAYER] = self.heat.layer.fields()
        if self.flow.bath is not None:
            extra |= self.flow.bath.fields()
        return Fields(self.heat.temperature().copy(), self.geo.inner(self.flow.p).copy(), *faces, extra)

    def state(self) -> dict[str, np.ndarray]:
        """What the run needs beyond its fields to go on from where it is: nothing, but for baths."""
        return {}

    def fits(self, _state: dict[str, np.ndarray]) -> bool:
        """Whether a :meth:`state` is one that the run can go on from."""
        return True

    def resume(self, state: dict[str, np.ndarray]) -> None:
        """Go on from a :meth:`state` that :meth:`fits`."""

    def flows(self) -> np.ndarray:
        """Inward volume flow (m3/s) through each patch, then along each inside fan's blowing direction."""
        out = [
            sum(-p.outward * float((self.flow.u[p.axis][f] * a).sum()) for p, f, a in end)
            for end in self.flow.devices.ends
        ]
        out += [f.sign * float((self.flow.u[f.axis][i] * a).sum()) for f, i, a in self.flow.planes]
        out += [b.flow_rate for b in self.flow.devices.blowers]
        return np.array(out)

    def watches(self) -> np.ndarray:
        """Hottest temperature of every watched part (K)."""
        return np.array([self.heat.theta[c].max() + self.case.reference if len(c) else np.nan for c in self.watched])

    def step(self) -> Progress:
        """One outer iteration, with energy inside the loop when buoyant, else now and then."""
        if self.case.has_flow:
            self.flow.mix()
            self._choose_blend()
            self._choose_inertia()
            self.flow.iterate(self.heat.theta if self.case.buoyant else None, self.blend)
        if not self.case.has_flow:
            self.heat.solve(1, 1e-10, 200)
        elif self.energy_in_loop:
            if self.iteration % self.energy_every == 0:
                self.heat.solve(1, 0.1, 4)
        elif self.iteration % (25 if self.rests is None else 5) == 4:  # what is shown, and what it may rest by
            self.heat.solve(1, 0.1, 4)
        self.iteration += 1
        return self._report()

    def _choose_blend(self) -> None:
        """Give up a quarter of the limited scheme where the residual has stopped falling and watches still move.

        A layout whose flow has no steady state with the sharp scheme often has one with a little more smoothing;
        what was left out is told in the trust line.
        """
        if self.case.mixing == "laminar" or self.blend == 0.0 or self.iteration - self._since < 60 or self.idles():
            return
        if self._stagnates(20) and self.history[-1].momentum > max(2 * self.settings.momentum, ROUNDING):
            self.blend, self._since = max(self.blend - 0.25, 0.0), self.iteration

    def _choose_inertia(self) -> None:
        """Smaller steps where buoyancy swings temperatures and flow against each other, so that the residual stays
        high."""
        flow, goal = self.flow, self.settings.momentum
        if not self.case.buoyant or flow.inertia >= 32.0 or self.idles():
            return
        if flow.inertia < STEADIER:
            if self._stagnates(15, 0.85) and self.history[-1].momentum > 2 * goal:
                flow.inertia = STEADIER
        elif self.iteration - self._since >= 40 and self._stagnates(20) and self.history[-1].momentum > 50 * goal:
            flow.inertia, self._since = 2.0 * flow.inertia, self.iteration

    def _report(self) -> Progress:
        load = max(abs(float(self.case.heat.sum())) or self._exchange(), 1e-12)
        self._passing.append(load)
        self._heads.append(
            np.array(
                [
                    self.flow.p[self.geo.flat(p.cells)].mean() if len(f) else 0.0
                    for p, f, _ in self.flow.openings
                    if p.blower < 0
                ]
            )
        )
        if self.case.drive is not None:
            a = "xyz".index(self.case.drive.axis)
            self._driven.append((self.flow.drive_gradient, float(np.abs(self.flow.flux[a]).sum())))
        watches = self.watches()
        window = self.history[-self.settings.window :]
        stack = np.array([h.watches for h in window] + [watches])
        drift = (
            float(np.nanmax(np.ptp(stack, axis=0))) if stack.size and len(window) >= self.settings.window else np.inf
        )
        if not len(watches):
            drift = 0.0
        progress = Progress(
            self.iteration,
            self.flow.momentum_residual if self.case.has_flow else 0.0,
            self.flow.mass_before if self.case.has_flow else 0.0,
            abs(self.heat.imbalance()) / load,
            drift,
            watches,
            self.flows(),
            time.perf_counter() - self.started,
            0.0,
            heads=self._heads[-1],
        )
        if not np.isfinite(progress.momentum + progress.heat) or self._runs_away():
            raise self._blame()
        self.history.append(progress)
        progress.remaining = self._remaining()
        return progress

    def _close_energy(self) -> None:
        """Temperatures that belong to the present flow."""
        changes = self.flow.tables or self.heat.tables or self.heat.pitch  # the equations follow the temperatures
        layered = self.heat.layer is not None and len(self.heat.layer.cell) > 0
        radiates = self.heat.radiation is not None or self.heat.link_beyond is not None
        changes = changes or (radiates and not layered)
        laps = 1 if changes else (3 if layered else 20)
        for _ in range(60 if layered else 20):
            if self.heat.solve(laps, 1e-5 if changes else 0.1, 60, 1e-4) and self.heat.layer_moved < RESTS:
                break
        self.heat.solve(1, 1e-2, 60)

    def finish(self) -> Progress:
        """Close mass to the last digit and energy with it; the final report says whether all has settled."""
        if self.case.has_flow:
            if self.flow.tables:  # let densities and temperatures agree, then hold densities while balances are closed
                for _ in range(3):
                    self.flow.project(1e-6, 100)
                    self.heat.solve(2, 1e-4, 30)
                self.flow.properties.held = True
            self.flow.close_mass()
        self._close_energy()
        self.flow.properties.held = False
        last = self._report()
        s = self.settings
        last.phase = "done"
        last.mass = self.flow.mass_imbalance() if self.case.has_flow else 0.0
        last.remaining = 0.0
        loop = not self.case.has_flow or (self._low() if self.rests is None else self.rests())
        last.settled = bool(loop and last.heat <= s.heat and last.mass <= s.mass)
        return last

    def average(self, tell, count: int = 80, ripples: bool = False) -> Progress:
        """Go on for ``count`` iterations and keep the mean of all fields; ``band`` is half the range of each watch (K).

        Where temperatures are solved after the flow, they are for its mean; the band tells how far its first and last
        instant lie off.

        The answer to a flow without a steady state, such as shed vortices or an unsteady plume, as far as a steady run
        can give it. It has settled where there were but ``ripples``, and watches, flows, mass and heat keep within
        their bounds all the while.
        """
        parts = [*self.flow.u, self.flow.p, self.heat.theta]
        instants = [self._at_this_instant()]
        self._since = self.iteration + count  # one scheme all along
        sums, seen, off = [np.zeros_like(x) for x in parts], [], []
        m = 0
        while m < count or (
            m < 4 * count and self.energy_in_loop and self._share(float(np.mean(off))) > 0.5 * OPEN_MEAN
        ):
            progress = self.step()
            m += 1
            progress.phase, progress.remaining = "averaging", progress.seconds / self.iteration * max(count - m, 0)
            for total, x in zip(sums, parts, strict=True):
                total += x
            seen.append(progress.watches)
            off.append(self.heat.imbalance())
            if tell and tell(progress) is False:
                break
        instants.append(self._at_this_instant())
        for total, x in zip(sums, parts, strict=True):
            x[:] = total / m
        if self.heat.radiation is not None:  # faces at the temperatures of the mean
            self.heat.radiation.refresh()
        self.band = 0.5 * np.ptp(np.array(seen), axis=0)
        self.flow.close_mass()
        if (
            not self.energy_in_loop
        ):  # temperatures have only now and then followed the flow: let them belong to its mean
            self._close_energy()
            self.band = np.abs(np.array(instants) - self.watches()).max(axis=0)
        last = self._report()
        if self.energy_in_loop:
            last.heat = self._share(float(np.mean(off)))
        last.phase, last.remaining = "done", 0.0
        last.mass = self.flow.mass_imbalance()
        s, steady = (
            self.settings,
            ripples and m >= count and float(self.band.max(initial=0.0)) <= 0.5 * self.settings.watch,
        )
        passes = self.exchange_drift(count) if self.energy_in_loop else self.head_drift(count)
        moves = max(self.flow_drift(), passes, self.drive_drift(count))
        last.settled = bool(steady and moves <= RIPPLE * s.flow and last.heat <= s.heat and last.mass <= s.mass)
        return last

    def _at_this_instant(self) -> np.ndarray | None:
        """Watches that belong to the present flow, where temperatures do not follow it in every iteration."""
        if self.energy_in_loop:
            return None
        self._close_energy()
        return self.watches()

    def run(self, tell: Callable[[Progress], bool] | None = None) -> Progress:
        """Iterate until settled, ``most`` iterations, or ``tell`` returns False; then :meth:`finish`, unless ``leaves``
        has been set meanwhile: then as it stands, for another run to go on from."""
        while True:
            progress = self.step()
            if tell and tell(progress) is False:
                if self.leaves:
                    return progress
                break
            if self.loop_settled() or not self.case.has_flow:
                break
            ended = self.iteration >= self.settings.most
            if ended and (progress.momentum <= 3 * self.settings.momentum or self.settings.most < 300):
                break
            idles = self.idles()
            if ended or idles or self.wanders():
                last = self.average(tell, 40 if idles else 80, idles)
                if tell:
                    tell(last)
                return last
        last = self.finish()
        if tell:
            tell(last)
        return last
