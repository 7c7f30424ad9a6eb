"""Aggregation multigrid for cell-centred equations on a rectilinear grid, used as a preconditioner.

Coarse levels come from joining cells in twos along the directions whose mean conductance is at least a fifth of
the largest; face conductances are summed and halved across joined directions, mass fluxes are summed, and
upwinding is rebuilt on each level. Cells with an empty diagonal (blocked) stay out. Along a periodic axis the ghost
layers repeat the far side, and are renewed after every sweep. Large levels are shared by two threads.
"""
from __future__ import annotations

import numpy as np

from ..physics.momentum import BLOCK, sweep
from ..physics.slabs import Slab, over, share, slabs
from .cycles import coarsen, defect, diagonal, one_colour, prolong, restrict, run, upwind, wrap

STRONG = 0.2
OFTEN = 32
__all__ = ["Multigrid", "wrap"]


class _Shared:
    """One level that two threads work on, slab by slab; the steps of :func:`cycles.run` on it."""

    def __init__(self, grid: Multigrid, i: int, parts):
        lo, hi, step = grid.start[i], grid.start[i + 1], grid.steps[i]
        below = slice(grid.start[i + 1], grid.start[i + 2])
        self.grid, self.s, self.n, self.step = grid, grid.all_s[i], grid.n[i], step
        self.coarse_s, self.coarse = grid.all_s[i + 1], (grid.x[below], grid.b[below])
        low, high = (tuple(x[lo:hi] for x in w) for w in ((grid.low, grid.high) if grid.convect else (grid.c, grid.c)))
        self.whole = low, high, grid.inv[lo:hi], grid.b[lo:hi], grid.x[lo:hi], grid.r[lo:hi]
        first, last = grid.mask_start[i:i + 2]
        self.mask = tuple(m[first:last] for m in grid.masks)
        self.one, self.two = self.parts = parts
        m, wide = grid.n[i + 1], int(self.coarse_s[0])
        middle = self.one.hi // int(step[0])
        coarse = Slab(0, middle, m, wide), Slab(middle, int(m[0]), m, wide)
        self.pieces = {p: (p.each(low), p.each(high), *p.each(self.whole[2:])) for p in parts}
        self.coarser = {p: q.each(self.coarse) for p, q in zip(parts, coarse, strict=True)}
        self.fresh = {p: np.zeros(max(BLOCK, int(self.s[1])), grid.dtype) for p in parts}

    def down(self) -> None:
        """Smooth, and hand the defect to the coarser level."""
        self._smooth((True, False))
        for x in self.coarse:
            x[:] = 0

        def work(p):
            low, high, inv, b, x, r = self.pieces[p]
            defect(p.n, self.s, low, high, inv, b, x, r, self.grid.convect)
            restrict(p.n, self.s, self.coarse_s, self.step, r, self.coarser[p][1])

        over(self.parts, work)

    def up(self) -> None:
        """Take over the coarser level's correction, and smooth in the opposite order."""
        over(self.parts, lambda p: prolong(p.n, self.s, self.coarse_s, self.step, self.coarser[p][0], self.pieces[p][4]))
        self._smooth((False, True))

    def _smooth(self, ways) -> None:
        for _ in range(self.grid.sweeps):
            for forward in ways:
                if self.grid.convect:
                    self._sweep(forward)
                else:
                    over(self.parts, lambda p, forward=forward: self._colour(p, 0 if forward else 1))

    def _colour(self, p, which: int) -> None:
        _, high, inv, b, x, _ = self.pieces[p]
        one_colour(p.n, self.s, *high, inv, b, x, which, self.mask, self.fresh[p])

    def _sweep(self, inward: bool) -> None:
        """A sweep from both ends to the middle or back; the two planes at the middle by themselves."""
        n, middle = self.n, self.one.hi

        def along(low, high, inv, b, x, first, last, forward):
            first, last = np.array([first, 1, 1], np.int64), np.array([last, *n[1:]], np.int64)
            sweep(last, self.s, first, x, low, high, inv, b, forward, False)

        if not inward:
            along(*self.whole[:5], middle, middle + 1, False)
        share([lambda: along(*self.pieces[self.one][:5], 1, middle - 1, inward),
               lambda: along(*self.pieces[self.two][:5], 2, self.two.n[0], not inward)])
        if inward:
            along(*self.whole[:5], middle, middle + 1, True)


class Multigrid:
    """A hierarchy for one grid size; :meth:`setup` fills it, :meth:`cycle` applies one W-cycle.

    Parameters: ``n`` inner cells (3,); ``convect`` whether mass fluxes take part (the matrix is then not
    symmetric and sweeps by rows replace the red and black ones); ``sweeps`` before and after; ``periodic`` (3,) bool.
    All levels lie one after the other in flat arrays; level i from ``start[i]``.
    """

    def __init__(self, n, convect: bool = False, sweeps: int = 1, dtype=np.float32, periodic=(False,) * 3):
        self.convect, self.sweeps, self.dtype = convect, sweeps, dtype
        self.periodic = np.array(periodic, np.bool_)
        self.wraps = bool(self.periodic.any())
        self.parts = slabs(n, self.wraps)
        self.n = [np.array(n, np.int64)]
        self.steps: list[np.ndarray] = []
        self.size = 0

    def _room(self, upto: int) -> None:
        """Make the flat arrays at least ``upto`` long, keeping what they hold."""
        if upto <= self.size:
            return
        wide = max(upto, int(1.2 * int(np.prod(self.n[0] + 2))))
        names = ["inv", "x", "b", "r", "extra", "c0", "c1", "c2"]
        if self.convect:
            names += ["f0", "f1", "f2", "l0", "l1", "l2", "h0", "h1", "h2"]
        for name in names:
            fresh = np.zeros(wide, self.dtype)
            if self.size:
                fresh[:self.size] = getattr(self, name)
            setattr(self, name, fresh)
        self.c = (self.c0, self.c1, self.c2)
        if self.convect:
            self.f = (self.f0, self.f1, self.f2)
            self.low, self.high = ((self.l0, self.l1, self.l2), (self.h0, self.h1, self.h2))
        self.size = wide

    def finest(self, size: int):
        """Room for what :meth:`setup` takes on ``size`` cells: conductances, fluxes and exchange (views, to be filled in place)."""
        self._room(size)
        return tuple(x[:size] for x in self.c), tuple(x[:size] for x in self.f), self.extra[:size]

    @staticmethod
    def _strides(n) -> np.ndarray:
        return np.array([(n[1] + 2) * (n[2] + 2), n[2] + 2, 1], np.int64)

    def setup(self, conductance, flux, extra):
        """Fill all levels from flat padded arrays on high faces (W/K or any conductance; flux may be None).

        Along a periodic axis ghost layers must already repeat the far side.
        """
        size = len(extra)
        self._room(size)
        for t in range(3):
            self.c[t][:size] = conductance[t]
            if self.convect:
                self.f[t][:size] = flux[t]
        self.extra[:size] = extra
        ns, steps, start = self.n[:1], [], [0, size]

        def level(arrays):
            return tuple(x[start[-2]:start[-1]] for x in arrays)

        while True:
            n, hi = ns[-1], start[-1]
            s, (own, inv) = self._strides(n), level((self.extra, self.inv))
            if self.convect:
                upwind(n, s, level(self.c), level(self.f), own, level(self.low), level(self.high), inv)
            else:
                diagonal(n, s, *level(self.c), own, inv)
            step = self._step(n, level(self.c))
            if n.prod() <= 32 or step.max() == 1:
                break
            m = (n + step - 1) // step
            self._room(hi + int(np.prod(m + 2)))
            fine = level(self.c), level(self.f) if self.convect else None, level((self.extra,))[0]
            start.append(hi + int(np.prod(m + 2)))
            ms = self._strides(m)
            for t in range(3):
                weight = self.dtype(0.5 if step[t] == 2 else 1.0)
                alone = self.periodic[t] and m[t] == 1  # a cell is no neighbour of itself
                coarsen(n, s, ms, step, fine[0][t], level(self.c)[t], t, self.dtype(0) if alone else weight, self.periodic[t])
                if self.convect:
                    coarsen(n, s, ms, step, fine[1][t], level(self.f)[t], t, self.dtype(0 if alone else 1), self.periodic[t])
            below = level((self.extra,))[0]
            below[:] = 0
            restrict(n, s, ms, step, fine[2], below)
            ns.append(m)
            steps.append(step)
        self._plan(ns, steps, start)

    def _plan(self, ns, steps, start):
        """Strides and the order of work of one cycle; kept while the levels stay the same."""
        same = len(steps) == len(self.steps) and all((a == b).all() for a, b in zip(steps, self.steps, strict=True))
        if same and hasattr(self, "order") and self.size == self.planned:
            return
        self.planned = self.size
        self.n, self.steps = ns, steps
        self.all_n, self.all_s = np.array(ns), np.array([self._strides(n) for n in ns])
        self.all_steps = np.array([*steps, np.ones(3, np.int64)])
        self.start = np.array(start, np.int64)
        masks = [self._masks(n) for n in ns]
        self.masks, self.mask_start = tuple(np.concatenate(masks, 1)), np.cumsum([0, *(m.shape[1] for m in masks)])

        self.shared = []
        for i, n in enumerate(ns[:-1]):
            parts = slabs(n, self.wraps)
            if len(parts) == 1:
                break
            self.shared.append(_Shared(self, i, parts))

        def visit(i):
            if i == len(ns) - 1:
                return [(2, i)]
            return [(0, i), *visit(i + 1) * self._times(i), (1, i)]

        self.order = np.array(visit(len(self.shared)), np.int64)

    def _times(self, i: int) -> int:
        """Visits of level i + 1 in one of level i: two, but one of the coarsest, and one where it is visited often enough (grids that are
        coarsened along one axis at a time have many small levels)."""
        return 1 if i + 2 == len(self.n) or 2**i >= OFTEN else 2

    def _visit(self, i: int) -> None:
        """One cycle from level i down: large levels by two threads, the others in one compiled go."""
        if i == len(self.shared):
            low, high = (self.low, self.high) if self.convect else (self.c, self.c)
            run(self.order, self.all_n, self.all_s, self.all_steps, self.start, self.convect, low, high, self.inv, self.b, self.x, self.r,
                self.sweeps, self.periodic, self.wraps, self.masks, self.mask_start)
            return
        self.shared[i].down()
        for _ in range(self._times(i)):
            self._visit(i + 1)
        self.shared[i].up()

    def _masks(self, n) -> np.ndarray:
        """1 for the cells of each colour in a plane, 0 for the others and for ghosts (2, cells)."""
        j, k = np.arange(n[1] + 2)[:, None], np.arange(n[2] + 2)
        inner = (j > 0) & (j <= n[1]) & (k > 0) & (k <= n[2])
        return np.stack([(inner & ((j + k - 1) % 2 == colour)).ravel() for colour in (0, 1)]).astype(self.dtype)

    @staticmethod
    def _step(n, c) -> np.ndarray:
        strength = np.zeros(3)
        for t in range(3):
            count = np.count_nonzero(c[t])
            if n[t] > 1 and count:
                strength[t] = float(c[t].sum(dtype=np.float64)) / count
        if strength.max() == 0:
            return np.ones(3, np.int64)
        return np.where((strength >= STRONG * strength.max()) & (n > 1), 2, 1).astype(np.int64)

    def cycle(self, b: np.ndarray, scale: float = 1.0) -> np.ndarray:
        """One W-cycle from zero for right-hand side ``scale`` times ``b``; returns a view that the next cycle overwrites."""
        size = len(b)
        np.multiply(b, scale, out=self.b[:size], casting="unsafe")
        self.x[:size] = 0
        self._visit(0)
        return self.x[:size]

    def fine(self) -> tuple[tuple[np.ndarray, ...], tuple[np.ndarray, ...]]:
        """Weights of the finest level's low and high neighbours, by axis (convective hierarchies)."""
        size = self.start[1]
        return tuple(x[:size] for x in self.low), tuple(x[:size] for x in self.high)
