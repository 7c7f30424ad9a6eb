"""A run in time: second-order implicit steps, loads that change, and flow that may be held while temperatures go on."""

from __future__ import annotations

import time as clocks

import numpy as np

from ..equations.closed_gas import ClosedGas
from ..model import TimePlan
from ..solution.solution import Instant
from .steady import Progress, Steady


def share_at(profile, t: float) -> float:
    """Share of a load at time ``t`` (s): linear between points, or a duty cycle (see ``kinds.solids.profile``)."""
    if not profile:
        return 1.0
    if profile[0][0] < 0:
        on, off = -profile[0][0], -profile[1][0]
        return 1.0 if t % (on + off) < on else 0.0
    return float(np.interp(t, [p[0] for p in profile], [p[1] for p in profile]))


def next_switch(profile, t: float) -> float:
    """The next time (s) after ``t`` at which a profile bends or switches; inf when it does not any more."""
    if not profile:
        return np.inf
    if profile[0][0] < 0:
        on, off = -profile[0][0], -profile[1][0]
        phase = t % (on + off)
        return t + (on - phase if phase < on - 1e-9 * on else on + off - phase)
    return min((p[0] for p in profile if p[0] > t * (1 + 1e-9) + 1e-12), default=np.inf)


#: part of a step: what is to happen less than that after its end happens at its end, for no step is worth so little
SOON = 0.01


def soon(time: float, step: float) -> float:
    """The time (s) by which what is due happens at ``time``, the end of a ``step``."""
    return time * (1 + 1e-9) + SOON * step


#: part of a step's change of pressure within which temperatures and closed gases agree
AGREES = 1e-3


class Transient(Steady):
    """A run of one case over ``clock``; ``loads`` holds (flat cells, W per cell, profile) of loads that change in time.

    Time derivative: (c0 x - c1 x_n + c2 x_n-1) / dt with c0 = (1 + 2r)/(1 + r), c1 = 1 + r, c2 = r^2/(1 + r), r the
    ratio of this step to the one before (the two-step backward formula for changing steps); backward Euler for the
    first step and after a switch.
    """

    TARGET, COURANT, MOST_INNER = (
        1.0,
        5.0,
        12,
    )  # K a step, largest Courant number of automatic steps, flow iterations a step

    def __init__(self, case, settings=None, watch_parts=(), fields=None, clock: TimePlan | None = None, loads=()):
        super().__init__(case, settings, watch_parts, fields)
        self.clock, self.loads = clock, list(loads)
        self.time, self.dt, self.dt_old = 0.0, self._first_step(), 0.0
        self.instants: list[Instant] = []
        self.keep = lambda time: Instant(time, self.fields())
        self.next_save = clock.save or np.inf
        self.flow_at, self.flow_of = -np.inf, self.heat.theta
        self.kept_watches: np.ndarray | None = None
        #: moments (s) at which a step has to end, because something changes then
        self.stops: list[float] = []
        self.steps_closed = True
        self.constant = self.heat.source.copy()
        for cells, watts, _ in self.loads:
            self.constant[cells] -= watts
        self.older = None
        self._start_temperatures()
        self.gas = ClosedGas(self.flow, self.heat) if self.flow.properties.sealed else None
        if self.gas is not None:
            self.flow.breath, self.heat.work = self.gas.breath, self.gas.work

    def _start_temperatures(self) -> None:
        """Held cells start at their temperature; all else is where the start fields, or the ambient, put it."""
        held = np.isfinite(self.heat.held_at)
        self.heat.theta[held] = self.heat.held_at[held] - self.case.reference

    def _first_step(self) -> float:
        kind, value = self.clock.step
        return value if kind == "fixed" else self.clock.length / 1000

    def _load(self, dt: float) -> None:
        """Loads of a step of ``dt``: those at its end, and of duty cycles, which may switch there, those in its
        middle."""
        self.heat.source[:] = self.constant
        for cells, watts, profile in self.loads:
            cycle = bool(profile) and profile[0][0] < 0
            self.heat.source[cells] += watts * share_at(profile, self.time + (0.5 if cycle else 1.0) * dt)

    def _begin(self, dt: float):
        """Set the weights of the time derivative for a step of ``dt``; the state at its start."""
        now = [u.copy() for u in self.flow.u], self.heat.theta.copy()
        if self.older is None:
            c0, c1, c2 = 1.0, 1.0, 0.0
            before = now
        else:
            r = dt / self.dt_old
            c0, c1, c2 = (1 + 2 * r) / (1 + r), 1 + r, r * r / (1 + r)
            before = self.older
        for part in (self.flow, self.heat):
            part.rate_t, part.weight_t = c0 / dt, 1.0 / dt
        self.flow.memory = [c1 * a - c2 * b for a, b in zip(now[0], before[0], strict=True)]
        self.heat.memory = c1 * now[1] - c2 * before[1]
        return now

    def _length(self) -> float:
        """The step to take now: it ends at switches of loads, at saved instants, and at the end."""
        ends = [self.clock.length, self.next_save, *(next_switch(p, self.time) for _, _, p in self.loads)]
        ends += [t for t in self.stops if t > soon(self.time, self.dt_old) + 1e-12]
        left = min(ends) - self.time
        whole = max(1, int(np.ceil(left / self.dt - 1e-6)))
        return left / whole if whole < 4 else self.dt

    def step(self) -> Progress:
        """One time step."""
        dt = self._length()
        now = self._begin(dt)
        self._load(dt)
        self.heat.time = self.time + dt
        held = self.clock.holds
        if self.gas is not None:
            self.gas.begin(dt)
        if self.case.has_flow and held:
            if self._flow_is_old():
                self._refresh()
            self.heat.solve(2, 1e-7, 60)
        elif self.case.has_flow:
            self._together()
        else:
            self.heat.solve(2, 1e-9, 100)
        if self.gas is not None:
            self._close_gas(held)
        self.older = None if self._switches_at(self.time + dt) else now
        self.dt_old = dt
        self.time += dt
        self.iteration += 1
        moved = float(np.abs(self.heat.theta - now[1])[self.heat.inner].max())
        self._choose_step(dt, moved)
        if self._keeps():
            self._keep_instant()
        return self._report()

    def _flow_is_old(self) -> bool:
        """Whether the held flow no longer belongs to the temperatures: by time, or by how far they moved."""
        clock = self.clock
        if self.flow_at == -np.inf or (clock.hold and self.time - self.flow_at >= clock.hold - 1e-9):
            return True
        if not clock.hold_moved:
            return False
        moved = np.abs(self.heat.theta - self.flow_of)[self.heat.inner]
        return bool(moved.max(initial=0.0) >= clock.hold_moved)

    def _keeps(self) -> bool:
        """Whether this moment is one to be kept: by time, or by how far a watch has moved since the last."""
        clock = self.clock
        if self.time >= self.next_save - 1e-9 * clock.length:
            return True
        if not clock.save_moved or not len(self.watched):
            return False
        now = self.watches()
        if self.kept_watches is None:
            self.kept_watches = now
        return bool(np.nanmax(np.abs(now - self.kept_watches)) >= clock.save_moved)

    def _keep_instant(self) -> None:
        self.instants.append(self.keep(self.time))
        self.kept_watches = self.watches()
        if self.time >= self.next_save - 1e-9 * self.clock.length:
            self.next_save += self.clock.save

    def go_on_from(self, other: Transient) -> None:
        """Take up the clock of a run that something changed in: time, instants, history; the state is its own."""
        self.time, self.iteration, self.history = other.time, other.iteration, other.history
        self.instants, self.started, self.kept_watches = other.instants, other.started, other.kept_watches
        self.dt = min(self.dt, other.dt) if self.clock.step[0] != "fixed" else self.dt
        if self.clock.save:
            self.next_save = self.clock.save * (np.floor(self.time / self.clock.save + 1e-9) + 1.0)

    def _switches_at(self, t: float) -> bool:
        near = 1e-6 * self.clock.length
        return any(p and p[0][0] < 0 and abs(next_switch(p, t - near) - t) < 2 * near for _, _, p in self.loads)

    def _close_gas(self, held: bool) -> None:
        """Let the pressure of closed gases and temperatures agree, then what expands flow away."""
        for _ in range(self.MOST_INNER):
            if self.gas.follow() < AGREES:
                break
            self.heat.solve(1, 1e-7, 60)
        if self.case.has_flow and not held:
            self.flow.project(1e-6, 30)

    def _together(self) -> None:
        """Flow and temperatures of one step, iterated until neither changes."""
        first = None
        for m in range(self.MOST_INNER):
            self.flow.mix()
            self.flow.iterate(self.heat.theta if self.case.buoyant else None, self.blend)
            first = first or self.flow.momentum_residual
            if m == 0 or self.case.buoyant or m == self.MOST_INNER - 1:
                self.heat.solve(1, 1e-3, 20)
                if self.gas is not None:
                    self.gas.follow()
            if m > 1 and self.flow.momentum_residual < max(0.01 * first, 0.2 * self.settings.momentum):
                break
        self.flow.project(1e-6, 30)
        self.heat.solve(2, 1e-7, 60)

    def _refresh(self) -> None:
        """A steady flow for the present temperatures, which wait meanwhile."""
        flow, kept = self.flow, (self.flow.rate_t, self.flow.weight_t)
        flow.rate_t = flow.weight_t = 0.0
        most = self.settings.most if self.flow_at < 0 else 60
        if self.gas is not None:
            self.gas.rest()
        for m in range(most):
            flow.mix()
            flow.iterate(self.heat.theta if self.case.buoyant else None, self.blend)
            if m > 5 and flow.momentum_residual < self.settings.momentum:
                break
        flow.project(1e-8, 60)
        flow.rate_t, flow.weight_t = kept
        self.flow_at, self.flow_of = self.time, self.heat.theta.copy()

    def _choose_step(self, dt: float, moved: float) -> None:
        kind, value = self.clock.step
        if kind == "fixed":
            self.dt = value
            return
        courant = self.courant(1.0)
        limit = (
            (value if kind == "courant" else self.COURANT) / courant if courant > 0 and not self.clock.holds else np.inf
        )
        if kind == "courant":
            self.dt = min(limit, self.clock.length / 10)
            return
        good = dt * self.TARGET / max(moved, 1e-9)
        longest = 1.5 * max(dt, self.dt)  # a step that was cut short to end in time tells nothing against longer ones
        self.dt = min(max(min(good, longest), 0.4 * dt), limit, self.clock.length / 20)

    def courant(self, dt: float) -> float:
        """The largest speed times ``dt`` over cell width."""
        worst = 0.0
        for a in range(3):
            u = np.abs(self.flow.u[a].reshape(self.geo.shape)) / self.geo.along(self.geo.width[a], a)
            worst = max(worst, float(u[1:-1, 1:-1, 1:-1].max()))
        return worst * dt

    def _report(self) -> Progress:
        progress = super()._report()
        progress.time, progress.step = self.time, self.dt_old
        progress.drift = 0.0
        if self.history and len(self.history) > 1 and self.time > 0:
            spent = progress.seconds - self.history[0].seconds
            covered = self.time - self.history[0].time
            progress.remaining = spent / covered * (self.clock.length - self.time) if covered > 0 else float("nan")
        return progress

    def loop_settled(self) -> bool:
        """Whether the end of the run has come."""
        return self.time >= self.clock.length * (1 - 1e-9)

    def run(self, tell=None) -> Progress:
        """All steps, or until ``tell`` returns False; as of :meth:`Steady.run` where ``leaves`` has been set."""
        while True:
            progress = self.step()
            stop = tell and tell(progress) is False
            if stop and self.leaves:
                return progress
            if self.loop_settled() or stop:
                break
        return self.finish(tell)

    def finish(self, tell=None) -> Progress:
        """The last report; the run has settled when it came to its end with its balances closed."""
        last = self._report() if not self.history else self.history[-1]
        last.phase, last.remaining = "done", 0.0
        last.mass = self.flow.mass_imbalance() if self.case.has_flow else 0.0
        last.settled = bool(self.loop_settled() and last.heat <= 10 * self.settings.heat)
        last.seconds = clocks.perf_counter() - self.started
        if tell:
            tell(last)
        return last
