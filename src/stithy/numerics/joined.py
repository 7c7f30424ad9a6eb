"""Multigrid on a flat padded grid: sweeps by cells on the grid itself, aggregates of cells (:mod:`aggregates`) below
it.

All in single precision; large grids are shared by two threads, slab by slab.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from .aggregates import cell_slots, first_level, mirrored
from .cycles import defect, hand_down, one_colour, red_first, symmetric, take_up, to_and_fro, upwind, wrap
from .ladder import Ladder
from .rows import BLOCK
from .slabs import over, slabs

# times at most that the equations are made anew for the same aggregates; at first they are chosen anew much sooner
KEPT = 100


@njit(cache=True, nogil=True)
def gather(begin, end, high, low, shift, s, slots, mirror, values):
    """Add the weights of both sides of the high faces of cells ``begin`` to ``end`` to their entries, where these lead
    anywhere."""
    for t in range(3):
        up, down, to, st = high[t], low[t], slots[t], s[t] - shift[t]
        for c in range(begin, min(end, to.size - st)):
            if to[c] < mirror.size:
                values[to[c]] += up[c]
                values[mirror[to[c]]] += down[c + st]


@njit(cache=True, nogil=True)
def give(begin, end, of, excess, coarse):
    """Add the excess of cells ``begin`` to ``end`` to that of their aggregates."""
    for c in range(begin, end):
        if of[c] >= 0:
            coarse[of[c]] += excess[c]


class Joined:
    """The coarser levels of the equations whose rows have ``low`` and ``high`` (by axis, single precision) as weights
    of neighbours.

    ``low`` is ``high`` for symmetric equations. Whoever owns the arrays fills them before each :meth:`setup`.
    """

    def __init__(self, n, s, periodic, low, high):
        self.n, self.s, self.low, self.high = np.array(n, np.int64), np.array(s, np.int64), low, high
        self.shift = self.s if low is high else np.zeros(3, np.int64)
        self.periodic = np.array(periodic, np.bool_)
        self.wraps = bool(self.periodic.any())
        self.parts, (self.whole,) = slabs(n, self.wraps), slabs(n, True)
        cuts = [0, *((p.hi + 1) * int(s[0]) for p in self.parts[:-1]), high[0].size]
        self.pieces = [slice(*x) for x in zip(cuts, cuts[1:], strict=False)]
        self.of = np.full(high[0].size, -1, np.int32)
        self.slots = tuple(np.zeros(self.of.size, np.uint32) for _ in range(3))
        self.mirror = np.zeros(0, np.uint32)
        self.inner = np.zeros(tuple(self.n + 2), bool)
        self.inner[1:-1, 1:-1, 1:-1] = True
        self.inner = self.inner.ravel()
        self.ladder: Ladder | None = None
        self.rounds, self.next = 0, 1

    def live(self, inverse) -> np.ndarray:
        """Which cells are unknowns of the coarser levels: inner ones with a diagonal, and what repeats them beyond
        periodic sides."""
        live = (inverse > 0) & self.inner
        self.renew(live)
        return live

    def setup(self, live, excess) -> None:
        """Equations of the coarser levels of the cells that are ``live``; in rounds 1, 4, 16 and so on for aggregates
        chosen anew.

        ``excess`` is what diagonals are above the sum of the weights of live neighbours. Along a periodic axis ghost
        layers must already repeat the far side.
        """
        self.rounds += 1
        if self.rounds == self.next:
            self.next += min(3 * self.next, KEPT)
            self._join(live, excess)
            return
        ladder, entries = self.ladder, self.ladder.places[1]
        ladder.values[:entries] = 0.0
        ladder.excess[: ladder.rows[0]] = 0.0
        over(self.pieces, lambda h: self._add_up(h, excess))
        ladder.refill()

    def _add_up(self, h: slice, excess) -> None:
        """What one slab's cells and their high faces add to the first level. No aggregate lies in both slabs, so none
        of its sums do."""
        ladder = self.ladder
        gather(h.start, h.stop, self.high, self.low, self.shift, self.s, self.slots, self.mirror, ladder.values)
        give(h.start, h.stop, self.of, excess, ladder.excess)

    def _join(self, live, excess) -> None:
        seam = self.parts[0].hi if len(self.parts) > 1 else -1
        level = first_level(
            self.n, self.s, self.high, self.low, self.shift, live & self.inner, self.periodic, seam, excess, self.of
        )
        self.mirror = np.empty(level.cols.size, np.uint32)
        mirrored(level.ptr, level.cols, self.mirror)
        for t in range(3):
            cell_slots(self.n, self.s, self.of, level.ptr, level.cols, t, self.slots[t])
        self.of[~self.inner] = -1
        self.ladder = Ladder(level)

    def below(self) -> np.ndarray:
        """Right-hand side of the aggregates, to be added to: zero."""
        coarse = self.ladder.b[: self.ladder.rows[0]]
        coarse[:] = 0.0
        return coarse

    def renew(self, x) -> None:
        """Ghost layers of ``x`` along periodic axes."""
        if self.wraps:
            wrap(self.n, self.s, self.periodic, x)

    def add_correction(self, x, scale: float = 1.0) -> None:
        """Solve for the aggregates, and add ``scale`` times what comes of it to the cells of ``x``."""
        up, plane, scale = self.ladder.solve(), int(self.s[0]), x.dtype.type(scale)
        over(self.parts, lambda p: take_up(plane, p.end - p.begin - plane, p.of(self.of), up, scale, p.of(x)))
        self.renew(x)


class Symmetric(Joined):
    """Preconditioner for sum_f c_f (x_c - x_n) + extra x_c = b: red and black sweeps."""

    def __init__(self, n, s, periodic=(False,) * 3):
        size = int(np.prod(np.array(n) + 2))
        c = tuple(np.zeros(size, np.float32) for _ in range(3))
        super().__init__(n, s, periodic, c, c)
        self.inverse, self.right, self.x = (np.zeros(size, np.float32) for _ in range(3))
        j, k = np.arange(n[1] + 2)[:, None], np.arange(n[2] + 2)
        inner = (j > 0) & (j <= n[1]) & (k > 0) & (k <= n[2])
        self.mask = tuple((inner & ((j + k - 1) % 2 == colour)).ravel().astype(np.float32) for colour in (0, 1))
        self.fresh = {p: np.zeros(max(BLOCK, int(s[1])), np.float32) for p in self.parts}

    def prepare(self, conductance, extra) -> None:
        """All levels from flat padded conductances on high faces and ``extra``; see :meth:`setup`."""
        for own, given in zip(self.high, conductance, strict=True):
            if own is not given:
                own[:] = given
        excess = extra.astype(np.float32)
        symmetric(self.n, self.s, *self.high, excess, self.inverse)
        self.setup(self.live(self.inverse), excess)

    def cycle(self, b: np.ndarray, scale: float = 1.0) -> np.ndarray:
        """One cycle from zero for right-hand side ``scale`` times ``b``; a view that the next cycle overwrites."""
        coarse = self.below()

        def every(work):
            over(self.parts, work)
            self.renew(self.x)

        def colour(p, which):
            one_colour(
                p.n, self.s, *p.each((*self.high, self.inverse, self.right, self.x)), which, self.mask, self.fresh[p]
            )

        every(
            lambda p: red_first(
                p.n, self.s, p.of(b), np.float32(scale), p.of(self.inverse), self.mask, p.of(self.right), p.of(self.x)
            )
        )
        every(lambda p: colour(p, 1))
        over(
            self.parts,
            lambda p: hand_down(
                p.n,
                self.s,
                *p.each((*self.high, self.inverse, self.right, self.x)),
                self.mask,
                self.fresh[p],
                p.of(self.of),
                coarse,
            ),
        )
        self.add_correction(self.x)
        every(lambda p: colour(p, 1))
        every(lambda p: colour(p, 0))
        return self.x


class Convected(Joined):
    """Preconditioner for equations with upwind convection: sweeps by rows, to and fro, before the aggregates and after
    them."""

    def __init__(self, n, s, periodic=(False,) * 3):
        size = int(np.prod(np.array(n) + 2))
        low, high = (tuple(np.zeros(size, np.float32) for _ in range(3)) for _ in range(2))
        super().__init__(n, s, periodic, low, high)
        self.inverse, self.right, self.x, self.left = (np.zeros(size, np.float32) for _ in range(4))

    def prepare(self, conductance, flux, extra) -> None:
        """All levels from flat padded conductances and fluxes on high faces (W/K) and ``extra``; see :meth:`setup`."""
        excess = extra.astype(np.float32)
        over(
            self.parts,
            lambda p: upwind(
                p.n,
                self.s,
                p.each(conductance),
                p.each(flux),
                p.of(excess),
                p.each(self.low),
                p.each(self.high),
                p.of(self.inverse),
            ),
        )
        self.setup(self.live(self.inverse), excess)

    def cycle(self, b: np.ndarray, scale: float = 1.0) -> np.ndarray:
        """One cycle from zero for right-hand side ``scale`` times ``b``; a view that the next cycle overwrites."""
        np.multiply(b, scale, out=self.right, casting="unsafe")
        self.x[:] = 0.0
        system = (self.low, self.high, self.inverse, self.right)
        to_and_fro(self, np.ones(3, np.int64), self.x, *system, 1, False)
        coarse, rest = self.below(), (self.inverse, self.right, self.x, self.left, self.of)

        def down(p):
            defect(p.n, self.s, p.each(self.low), p.each(self.high), *p.each(rest), coarse)

        over(self.parts, down)
        self.add_correction(self.x)
        to_and_fro(self, np.ones(3, np.int64), self.x, *system, 1, False)
        return self.x
