"""Cycles over the coarser levels of an aggregation multigrid (:mod:`aggregates`), all in one compiled go."""

from __future__ import annotations

import numpy as np
from numba import njit

from .aggregates import Level, next_level

FEW = 4  # unknowns that are left to sweeps alone: weak links between them must not be among what those cannot reach


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def ahead(lo, hi, ptr, mid, cols, values, inverse, b, x):
    """A Gauss-Seidel sweep upwards, from zero: entries above a row have nothing to say yet."""
    for i in range(lo, hi):
        y = b[i]
        for q in range(ptr[i], mid[i]):
            y += values[q] * x[cols[q]]
        x[i] = inverse[i] * y


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def hand_down(lo, hi, ptr, mid, cols, values, of, x, b):
    """The defect that :func:`ahead` leaves, which is what the entries above each row say, to the level below."""
    for i in range(lo, hi):
        y = values.dtype.type(0)
        for q in range(mid[i], ptr[i + 1]):
            y += values[q] * x[cols[q]]
        b[of[i]] += y


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def sweep(lo, hi, ptr, cols, values, inverse, b, x, forward):
    """A Gauss-Seidel sweep."""
    for m in range(hi - lo):
        i = lo + m if forward else hi - 1 - m
        y = b[i]
        for q in range(ptr[i], ptr[i + 1]):
            y += values[q] * x[cols[q]]
        x[i] = inverse[i] * y


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def remain(lo, hi, ptr, cols, values, inverse, b, x, keep):
    """b becomes what is left of it, ``keep`` takes x over."""
    for i in range(lo, hi):
        y = b[i] - x[i] / inverse[i] if inverse[i] > 0 else b[i] * 0
        for q in range(ptr[i], ptr[i + 1]):
            y += values[q] * x[cols[q]]
        b[i] = y
        keep[i] = x[i]


@njit(cache=True, nogil=True)
def climb(orders, start, ptr, mid, cols, values, inverse, of, b, x, keep):
    """Work through a cycle: op 0 down from a level, 1 up to it, 2 the last level, 3 once more from what is left, 4 the
    sum of both."""
    for m in range(orders.shape[0]):
        op, level = orders[m, 0], orders[m, 1]
        lo, hi = start[level], start[level + 1]
        if op == 0:
            ahead(lo, hi, ptr, mid, cols, values, inverse, b, x)
            b[hi : start[level + 2]] = 0
            hand_down(lo, hi, ptr, mid, cols, values, of, x, b)
        elif op == 1:
            for i in range(lo, hi):
                x[i] += x[of[i]]
            sweep(lo, hi, ptr, cols, values, inverse, b, x, False)
        elif op == 2:
            ahead(lo, hi, ptr, mid, cols, values, inverse, b, x)
            for _ in range(8):
                sweep(lo, hi, ptr, cols, values, inverse, b, x, False)
                sweep(lo, hi, ptr, cols, values, inverse, b, x, True)
        elif op == 3:
            remain(lo, hi, ptr, cols, values, inverse, b, x, keep)
        else:
            for i in range(lo, hi):
                x[i] += keep[i]


@njit(cache=True, nogil=True)
def refill(start, places, ptr, of, slots, values, excess, inverse):
    """Equations of every level from the first one's ``values`` and ``excess``, and the inverse diagonals of all."""
    for m in range(start.size - 1):
        lo, hi = start[m], start[m + 1]
        if m + 2 < start.size:
            values[places[m + 1] : places[m + 2]] = 0
            excess[hi : start[m + 2]] = 0
            for q in range(places[m], places[m + 1]):
                values[slots[q]] += values[q]
            for i in range(lo, hi):
                excess[of[i]] += excess[i]
        for i in range(lo, hi):
            total = excess[i]
            for q in range(ptr[i], ptr[i + 1]):
                total += values[q]
            inverse[i] = 1 / total if total > 0 else total * 0


class Ladder:
    """All levels below the finest one, one after the other in flat arrays; :meth:`solve` applies a W-cycle to ``b`` of
    the first of them.

    ``values`` and ``excess`` of the first level may be set anew, and :meth:`refill` then does so for all the others.
    """

    def __init__(self, first: Level):
        levels = [first]
        while levels[-1].rows > FEW:
            level = next_level(levels[-1])
            if level is None:
                break
            levels.append(level)
        self.rows = [level.rows for level in levels]
        self.start = np.cumsum([0, *self.rows])
        self.places = np.cumsum([0, *(level.cols.size for level in levels)])
        both = list(zip(levels, self.start, self.places, strict=False))
        self.ptr = np.concatenate([*(level.ptr[:-1] + place for level, _, place in both), self.places[-1:]]).astype(
            np.uint32
        )
        self.mid = np.concatenate([level.mid + place for level, _, place in both]).astype(np.uint32)
        self.cols = np.concatenate([level.cols + row for level, row, _ in both]).astype(np.uint32)
        self.values = np.concatenate(
            [*(level.values for level in levels), np.zeros(1, np.float32)]
        )  # the last takes what is lost
        self.inverse = np.concatenate([level.inverse for level in levels])
        self.excess = np.concatenate([level.excess for level in levels])
        self.of = np.concatenate(
            [
                *(level.of + row for level, row in zip(levels[:-1], self.start[1:], strict=False)),
                np.zeros(self.rows[-1]),
            ]
        ).astype(np.uint32)
        self.slots = np.concatenate(
            [self._slots(*pair, self.places[m + 1]) for m, pair in enumerate(zip(levels, levels[1:], strict=False))]
            or [np.zeros(0, np.uint32)]
        )
        self.b, self.x, self.keep = (np.zeros(self.start[-1], np.float32) for _ in range(3))
        orders = self._visit(0)
        self.orders = np.array(orders, np.int64)

    def _slots(self, level: Level, below: Level, place: int) -> np.ndarray:
        """Places in all levels' entries of what the entries of one level add to; beyond the last where that is none."""
        return np.where(level.slots < below.cols.size, level.slots + place, self.places[-1]).astype(np.uint32)

    def _visit(self, level: int) -> list[tuple[int, int]]:
        """One cycle from a level down."""
        if level == len(self.rows) - 1:
            return [(2, level)]
        below = self._visit(level + 1)
        if level + 2 < len(self.rows):
            below = [*below, (3, level + 1), *below, (4, level + 1)]
        return [(0, level), *below, (1, level)]

    def refill(self) -> None:
        """Equations of all levels from the first one's ``values`` and ``excess``."""
        refill(self.start, self.places, self.ptr, self.of, self.slots, self.values, self.excess, self.inverse)

    def solve(self) -> np.ndarray:
        """A cycle for ``b[:rows[0]]``, which is used up: a view of the correction that the next call overwrites."""
        climb(
            self.orders,
            self.start,
            self.ptr,
            self.mid,
            self.cols,
            self.values,
            self.inverse,
            self.of,
            self.b,
            self.x,
            self.keep,
        )
        return self.x[: self.rows[0]]
