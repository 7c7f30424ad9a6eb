"""Where to look next: a Gaussian process for every number that a search is about, and what its improvement is likely to
be worth where all limits hold.

Sources: Jones, Schonlau & Welch, J. Glob. Optim. 13 (1998) 455 (expected improvement); Gardner et al., ICML 2014
(improvement times the probability that constraints hold); Knowles, IEEE Trans. Evol. Comput. 10 (2006) 50 (two goals by
scalars of random weights).
"""

from __future__ import annotations

import warnings
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from scipy.stats import norm, qmc

from ..model.studies import Varied

#: proposals looked at in each round, and those around the best
SPREAD, AROUND = 2048, 512
#: improvement over the range of the goal below which nothing better is likely, so many rounds one after the other
SMALL, PATIENT = 0.005, 3
#: constraints that get a process of their own; the others count as their worst
OWN = 8


@dataclass
class Seen:
    """Points solved so far: ``shares`` of the ways of all variables, ``goals`` (each the less the better; nan where a
    point failed) and ``margins`` (at least 0 where its limit holds)."""

    shares: list[np.ndarray] = field(default_factory=list)
    goals: list[np.ndarray] = field(default_factory=list)
    margins: list[np.ndarray] = field(default_factory=list)


class Seeker:
    """Proposes values for variables, learning from what they came to. The same history gives the same proposals."""

    def __init__(self, variables: Sequence[Varied], seed: int = 1):
        self.variables, self.seed = tuple(variables), seed
        self.seen = Seen()
        self.tried: list[tuple[str, ...]] = []
        self.idle = 0
        self.expected = np.inf

    @property
    def begins(self) -> int:
        """Points before anything is learnt."""
        return 2 * len(self.variables) + 2

    def tell(self, values: Sequence[str], goals: Sequence[float] | None, margins: Sequence[float]) -> None:
        """What a point came to; ``goals`` None where it failed."""
        shares = np.array([v.share(t) for v, t in zip(self.variables, values, strict=True)])
        self.seen.shares.append(shares)
        self.seen.goals.append(np.array(goals if goals is not None else [np.nan]))
        self.seen.margins.append(np.array(margins, float))

    def propose(self, many: int = 1) -> list[tuple[str, ...]]:
        """The next points, none of them tried before; fewer, or none, where there are no others."""
        out: list[tuple[str, ...]] = []
        for _ in range(many):
            found = self._begin() if len(self.tried) < self.begins else self._learnt()
            if found is None:
                break
            out.append(found)
            self.tried.append(found)
        return out

    @property
    def over(self) -> bool:
        """Whether nothing better is likely any more."""
        return self.idle >= PATIENT

    def _text(self, shares: np.ndarray) -> tuple[str, ...]:
        return tuple(v.text(float(x)) for v, x in zip(self.variables, shares, strict=True))

    def _begin(self) -> tuple[str, ...] | None:
        """A point of a spread design."""
        d = len(self.variables)
        points = qmc.Sobol(d, rng=np.random.default_rng(self.seed)).random_base2(8)
        points = np.vstack([np.full((1, d), 0.5), points])
        return next((t for x in points if (t := self._text(x)) not in self.tried), None)

    def _learnt(self) -> tuple[str, ...] | None:
        x, goals, margins = self._known()
        if len(goals) < 3:
            return self._fresh(np.random.default_rng(self.seed + len(self.tried)))
        rng = np.random.default_rng(self.seed + len(self.tried))
        goal, scale = self._scalar(goals, rng)
        models = [_process(x, goal)]
        limits = [_process(x, m) for m in margins.T if np.ptp(m) > 0.0]
        fixed = [m for m in margins.T if np.ptp(m) == 0.0]
        holds = np.asarray((margins >= 0.0).all(axis=1) if margins.size else np.ones(len(goal), bool))
        candidates = self._candidates(goal, holds, rng)
        if not len(candidates):
            return None
        mean, spread = models[0](_encoded(self.variables, candidates))
        likely = np.ones(len(candidates))
        for model in limits:
            m, s = model(_encoded(self.variables, candidates))
            likely *= norm.cdf(m / np.maximum(s, 1e-12))
        if any(m[0] < 0.0 for m in fixed):
            likely[:] = 0.0
        if holds.any():
            best = goal[holds].min()
            z = (best - mean) / np.maximum(spread, 1e-12)
            gain = (best - mean) * norm.cdf(z) + spread * norm.pdf(z)
            worth = gain * likely
            self.expected = float(worth.max())
            self.idle = self.idle + 1 if self.expected < SMALL * scale else 0
        else:
            worth = likely + 1e-6 * norm.cdf((np.median(goal) - mean) / np.maximum(spread, 1e-12))
        return self._text(candidates[int(np.argmax(worth))])

    def _known(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Shares (encoded), goals and margins of points that did not fail; those still being solved as they are
        foretold."""
        good = [m for m, g in enumerate(self.seen.goals) if np.isfinite(g).all()]
        if not good:
            return np.zeros((0, 0)), np.zeros((0, 1)), np.zeros((0, 0))
        x = _encoded(self.variables, np.array([self.seen.shares[m] for m in good]))
        goals = np.array([self.seen.goals[m] for m in good])
        margins = np.array([self.seen.margins[m] for m in good])
        if margins.shape[1] > OWN:
            order = np.argsort(margins.min(axis=0))
            worst = margins[:, order[OWN - 1 :]].min(axis=1, keepdims=True)
            margins = np.hstack([margins[:, order[: OWN - 1]], worst])
        return x, goals, margins

    def _scalar(self, goals: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, float]:
        """One number for the goals, and its range: of two the augmented Tchebycheff norm of random weights."""
        if goals.shape[1] == 1:
            return goals[:, 0], max(float(np.ptp(goals[:, 0])), 1e-12)
        low, span = goals.min(axis=0), np.maximum(np.ptp(goals, axis=0), 1e-12)
        weight = rng.dirichlet(np.ones(goals.shape[1]))
        part = weight * (goals - low) / span
        scalar = part.max(axis=1) + 0.05 * part.sum(axis=1)
        return scalar, max(float(np.ptp(scalar)), 1e-12)

    def _candidates(self, goal: np.ndarray, holds: np.ndarray, rng: np.random.Generator) -> np.ndarray:
        """Points that have not been tried: all over, and around the best."""
        d = len(self.variables)
        shares = np.array([s for s, g in zip(self.seen.shares, self.seen.goals, strict=True) if np.isfinite(g).all()])
        best = shares[np.argsort(np.where(holds, goal, goal + 1e3 * np.ptp(goal) + 1.0))[:3]]
        near = best[rng.integers(len(best), size=AROUND)] + rng.normal(0.0, 0.08, (AROUND, d))
        points = np.vstack([rng.random((SPREAD, d)), np.clip(near, 0.0, 1.0 - 1e-12)])
        known, kept, tried = set(), [], set(self.tried)
        for m, point in enumerate(points):
            text = self._text(point)
            if text not in tried and text not in known:
                known.add(text)
                kept.append(m)
        snapped = [[v.share(t) for v, t in zip(self.variables, self._text(points[m]), strict=True)] for m in kept]
        return np.array(snapped).reshape(-1, d)

    def _fresh(self, rng: np.random.Generator) -> tuple[str, ...] | None:
        for _ in range(SPREAD):
            text = self._text(rng.random(len(self.variables)))
            if text not in self.tried:
                return text
        return None

    def matters(self) -> dict[str, float]:
        """Part of the goal's variation that each variable brings by itself, over the whole of its way (first-order
        indices of the process; Saltelli et al., Comput. Phys. Commun. 181 (2010) 259)."""
        x, goals, _ = self._known()
        if len(goals) < 4:
            return {}
        model = _process(x, goals[:, 0])
        rng = np.random.default_rng(self.seed)
        d, n = len(self.variables), 1024
        a, b = rng.random((n, d)), rng.random((n, d))
        of_a, of_b = (model(_encoded(self.variables, y))[0] for y in (a, b))
        middle = float(np.mean(of_a) + np.mean(of_b)) / 2.0
        of_a, of_b = of_a - middle, of_b - middle
        whole = float(np.var(np.concatenate([of_a, of_b])))
        out = {}
        for m, v in enumerate(self.variables):
            mixed = a.copy()
            mixed[:, m] = b[:, m]
            of_mixed = model(_encoded(self.variables, mixed))[0] - middle
            out[v.title] = float(np.clip(np.mean(of_b * (of_mixed - of_a)) / max(whole, 1e-300), 0.0, 1.0))
        return out


def _encoded(variables: Sequence[Varied], shares: np.ndarray) -> np.ndarray:
    """Shares, with a column of its own for each word of a choice."""
    columns = []
    for v, x in zip(variables, shares.T, strict=True):
        if v.values and not _numbers(v.values):
            at = np.minimum((x * len(v.values)).astype(int), len(v.values) - 1)
            columns += [np.where(at == m, 1.0, 0.0) for m in range(len(v.values))]
        else:
            columns.append(x)
    return np.stack(columns, -1)


def _numbers(values: tuple[str, ...]) -> bool:
    try:
        return all(np.isfinite(float(v.split()[0])) for v in values)
    except (ValueError, IndexError):
        return False


def _process(x: np.ndarray, y: np.ndarray) -> Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]:
    """Mean and spread of a number anywhere, by a Gaussian process with a length of its own along every variable."""
    from sklearn.gaussian_process import GaussianProcessRegressor
    from sklearn.gaussian_process.kernels import ConstantKernel, Matern, WhiteKernel

    mean, scale = float(y.mean()), max(float(y.std()), 1e-12)
    kernel = ConstantKernel(1.0, (1e-2, 1e3)) * Matern(np.full(x.shape[1], 0.5), (0.05, 20.0), nu=2.5)
    model = GaussianProcessRegressor(kernel + WhiteKernel(1e-4, (1e-7, 1e-1)), n_restarts_optimizer=2, random_state=1)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # lengths at their ends, which is an answer
        model.fit(x, (y - mean) / scale)

    def at(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        m, s = model.predict(points, return_std=True)
        return mean + scale * m, scale * s

    return at
