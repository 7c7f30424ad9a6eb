"""When a steady run may stop: what it reports, how far watches, flows and balances have come to rest, and what it says
when it runs away."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..equations.flow import Flow
from ..equations.heat import Heat
from ..equations.staggered import Staggered
from ..errors import SolveFailed
from ..setup.case import Case
from .drift import moved
from .foretell import BRIEF, CLOSING, iterations_left, told

ROUNDING = 1e-6  # momentum residual below which single-precision weights leave nothing more to fall
COLDEST, HOTTEST, FASTEST = 500.0, 1e5, 1e5  # K below absolute zero, K, m/s: bounds that only a runaway passes
RIPPLE = 5.0  # how much more flows may change than in a settled run where their mean over ripples is kept


@dataclass(frozen=True)
class Settings:
    """How long to go on: a run has settled when all of these hold.

    momentum : relative momentum residual. watch : change of any watched temperature (K) over the last ``window``
    iterations. flow : change of any opening's or fan's flow over the largest of them, likewise.
    heat : heat imbalance over the heat load. mass : imbalance of any space over its through-flow.
    """

    most: int = 600
    momentum: float = 1e-4
    watch: float = 0.1
    flow: float = 1e-3
    window: int = 20
    heat: float = 1e-3
    mass: float = 1e-6
    relaxation: float = 0.9


@dataclass
class Progress:
    """What one iteration reports: ``watches`` temperatures (K), ``flows`` inward (m3/s), ``heads`` pressures at
    openings (Pa)."""

    iteration: int
    momentum: float
    mass: float
    heat: float
    drift: float
    watches: np.ndarray
    flows: np.ndarray
    seconds: float
    remaining: float
    settled: bool = False
    phase: str = "flow"
    time: float = 0.0
    step: float = 0.0
    heads: np.ndarray | None = None

    @property
    def left(self) -> str:
        """What is said of the time remaining: a range where it is a guess."""
        return told(self.remaining, self.phase in ("flow", "coarse grid") and not self.time)


class Settling:
    """The part of a steady run that judges it; what it judges by is set up and reported by :class:`Steady`."""

    case: Case
    settings: Settings
    geo: Staggered
    flow: Flow
    heat: Heat
    history: list[Progress]
    iteration: int
    expected: int
    blend: float
    energy_in_loop: bool
    rests: Callable[[], bool] | None
    _since: int
    _passing: list[float]
    _driven: list[tuple[float, float]]
    _heads: list[np.ndarray]

    def _stagnates(self, window: int, share: float = 0.75) -> bool:
        """Whether the residual has stopped falling: its mean over ``window`` iterations is above ``share`` of that of
        the window before."""
        recent = [h.momentum for h in self.history[-2 * window :]]
        return len(recent) == 2 * window and bool(np.mean(recent[window:]) > share * np.mean(recent[:window]))

    def _low(self) -> bool:
        """Whether the momentum residual is as low as asked for, or as low as single-precision weights let it fall."""
        last = self.history[-1].momentum
        return last <= self.settings.momentum or (last < ROUNDING and self._stagnates(40, 0.95))

    def idles(self) -> bool:
        """Whether the residual has stopped falling while watches and flows stay within their bounds: a steady state but
        for ripples.

        Where temperatures are solved only after the flow, pressures behind the openings are looked at in the place of
        watches.
        """
        s = self.settings
        if self.iteration - self._since < 60 or not self._stagnates(20):
            return False
        if not self.energy_in_loop:
            near = (
                self.case.mixing != "laminar"
                and self.history[-1].momentum < 5 * s.momentum
                and self._stagnates(20, 0.9)
            )
            return bool(
                near and max(self.flow_drift(), self.head_drift(40), RIPPLE * self.drive_drift(40)) <= RIPPLE * s.flow
            )
        seen = np.array([h.watches for h in self.history[-40:]])
        moves = max(self.flow_drift(), self.exchange_drift(40), RIPPLE * self.drive_drift(40))
        return bool(moves <= RIPPLE * s.flow and (not seen.size or np.ptp(seen, axis=0).max() <= s.watch))

    def wanders(self) -> bool:
        """Whether the run no longer approaches anything: the residual has not fallen over sixty iterations, its lowest
        value not in the second half of the run, and watches still move."""
        last = [h.momentum for h in self.history[-120:]]
        if self.iteration - self._since < 200 or len(last) < 120 or self.blend > 0 and self.case.mixing != "laminar":
            return False
        path = [h.momentum for h in self.history[10:]]
        falls = min(path[len(path) // 2 :]) < 0.9 * min(path[: len(path) // 2])  # slowly, and in ripples, but it falls
        return bool(
            not falls and np.mean(last[90:]) > 0.9 * np.mean(last[60:90]) and last[-1] > 3 * self.settings.momentum
        )

    def _mixing_moves(self) -> bool:
        """Whether the two equations of turbulence are still far from balance."""
        return getattr(self.flow.mixing, "residual", 0.0) > max(10 * self.settings.momentum, 5e-3)

    def flow_drift(self) -> float:
        """Change of any net flow through an opening or fan over the last iterations, relative to the largest that
        passes one both ways."""
        seen = np.array([h.flows for h in self.history[-min(self.settings.window, len(self.history)) :]])
        passing = [*self.flow.openings, *self.flow.planes]
        most = max((float(np.abs(self.flow.u[p.axis][f] * a).sum()) for p, f, a in passing), default=0.0)
        return float(np.ptp(seen, axis=0).max() / most) if most and seen.size else 0.0

    def head_drift(self, window: int) -> float:
        """Change of the pressure behind any opening over the last ``window`` iterations or still to come, over the
        largest there is."""
        seen = np.array(self._heads[-2 * window :])
        across = max(float(np.ptp(seen[-1])), float(np.abs(seen[-1]).max())) if seen.size else 0.0
        return float(moved(seen, window).max() / across) if across else 0.0

    def drive_drift(self, window: int) -> float:
        """Change of what drives a periodic flow, or of the flow it drives, over the last ``window`` iterations or still
        to come, over the last of it."""
        seen = np.array(self._driven[-2 * window :])
        return float((moved(seen, window) / np.maximum(np.abs(seen[-1]), 1e-300)).max()) if seen.size else 0.0

    def exchange_drift(self, window: int) -> float:
        """Change of the heat that passes walls and openings over the last ``window`` iterations, over its mean; 0 where
        loads give it."""
        seen = self._passing[-window:]
        return float(np.ptp(seen) / max(np.mean(seen), 1e-12)) if seen else 0.0

    def loop_settled(self) -> bool:
        """Whether the flow loop may stop: residual, flows, watches and mass."""
        if not self.case.has_flow:
            return True
        if self.rests is not None:
            return self.iteration >= 15 and self.rests()
        last, s = self.history[-1], self.settings
        if not self._low() or self.iteration < 15 or self._mixing_moves():
            return False
        if (
            self.flow_drift() > s.flow
            or self.head_drift(s.window) > RIPPLE * s.flow
            or self.drive_drift(s.window) > s.flow
        ):
            return False
        if self.energy_in_loop and (
            last.drift > s.watch or last.heat > 10 * s.heat or self.exchange_drift(s.window) > s.flow
        ):
            return False
        return True

    def _exchange(self) -> float:
        """Gross heat passing the links, held cells and openings (W): the scale when nothing generates heat."""
        patches, links = self.heat.outflow()
        return (float(np.abs(links).sum()) + float(np.abs(self.heat.held()).sum()) + float(np.abs(patches).sum())) / 2

    def _share(self, heat: float) -> float:
        """Heat (W) over the heat load, or over what passes where nothing gives heat."""
        return abs(heat) / max(abs(float(self.case.heat.sum())) or self._exchange(), 1e-12)

    def _remaining(self) -> float:
        """Seconds left, at the pace of the last iterations."""
        h = self.history
        closing = BRIEF if self.energy_in_loop else CLOSING
        left = iterations_left([x.momentum for x in h], self.settings.momentum, self.expected, closing)
        back = min(len(h) - 1, 20)
        per = (h[-1].seconds - h[-1 - back].seconds) / max(back, 1)
        return per * min(left, self.settings.most - self.iteration + closing)

    def _runs_away(self) -> bool:
        """Whether temperatures or speeds have left all bounds: far below absolute zero, or hotter or faster than
        anything this is for."""
        if self.iteration % 5:
            return False
        theta, zero = self.heat.theta[self.heat.active], -self.case.reference
        fastest = max(float(np.abs(u).max()) for u in self.flow.u)
        coldest, hottest = (float(theta.min()), float(theta.max())) if theta.size else (0.0, 0.0)
        return not (coldest > zero - COLDEST and hottest < HOTTEST and fastest < FASTEST)

    def _blame(self) -> SolveFailed:
        worst, at = 0.0, 0
        for u in self.flow.u:
            size = np.where(np.isfinite(u), np.abs(u), 1e300)
            if size.max() > worst:
                worst, at = float(size.max()), int(np.argmax(size))
        if worst < FASTEST:  # temperatures went astray before speeds did
            theta = np.where(
                self.heat.active, np.nan_to_num(self.heat.theta, nan=1e300, posinf=1e300, neginf=1e300), 0.0
            )
            at = int(np.argmax(np.abs(theta)))
            index = np.unravel_index(at, self.geo.shape)
            place = self._place(index)
            where = ", ".join(f"{x * 1e3:.4g}" for x in place)
            return SolveFailed(
                f"The solution diverged at iteration {self.iteration}: temperatures left all bounds near {where} mm. "
                "Look "
                "at what is there: a heat load out of proportion, or heat that has no way out.",
                place,
            )
        index = np.unravel_index(at, self.geo.shape)
        place = self._place(index)
        where = ", ".join(f"{x * 1e3:.4g}" for x in place)
        return SolveFailed(
            f"The solution diverged at iteration {self.iteration}: fastest near {where} mm ({worst:.3g} m/s). Look at "
            "what is there: an opening's flow or a fan curve out of proportion, or a passage one cell wide.",
            place,
        )

    def _place(self, index) -> tuple[float, float, float]:
        """The middle (m) of a cell of the padded grid."""
        lines = self.case.grid.lines
        return tuple(float(np.clip(self.geo.points[a][index[a]], lines[a][0], lines[a][-1])) for a in range(3))
