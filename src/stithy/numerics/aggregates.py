"""How cells are joined into aggregates along their strongest links, and the equations of the aggregates.

Every cell is paired with the free neighbour that it is tied to most, then pairs with pairs in the same way (those of a
grid's cells a third time), so that a level has a quarter or less of the unknowns of the finer one, whichever way cells
are stretched and whatever lies between them. The equations of an
aggregate are the sums of those of its members (Galerkin's with constant values). Source: Y. Notay, Electron. Trans.
Numer. Anal. 37 (2010).

The finest level is a flat padded grid whose rows have ``low[t]`` and ``high[t]`` as weights of their neighbours along
axis t; where ``low`` is ``high`` (symmetric equations) a cell's low weight is its low neighbour's high one. Coarser
levels are rows of entries: those of row i are ``ptr[i]`` to ``ptr[i + 1]``, the first ``mid[i] - ptr[i]`` of them with
columns below i.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from .cycles import wrap

WEAK = 0.25  # of a cell's strongest link: what is weaker does not make a pair
MOST = 512  # entries a row may have


@njit(cache=True, nogil=True, inline="always")
def weights_of(c, h0, h1, h2, l0, l1, l2, shift, out):
    """Weights of a cell's six neighbours, at ``c`` plus those of :func:`ways`."""
    out[0], out[1] = h0[c], l0[c - shift[0]]
    out[2], out[3] = h1[c], l1[c - shift[1]]
    out[4], out[5] = h2[c], l2[c - shift[2]]


@njit(cache=True, nogil=True)
def ways(s):
    """How far off a cell's neighbours are in storage."""
    return np.array([s[0], -s[0], s[1], -s[1], s[2], -s[2]])


@njit(cache=True, nogil=True)
def pair_cells(n, s, high, low, shift, live, seam, mate):
    """First pairing: ``mate`` becomes the index of each live cell's partner, its own where it has none, and -1 where
    none is live.

    ``shift`` is s for symmetric equations, else zero. No pair lies across the planes ``seam`` and ``seam`` + 1, or a
    periodic side.
    """
    mate[:] = -1
    h0, h1, h2, l0, l1, l2 = high[0], high[1], high[2], low[0], low[1], low[2]
    w, to = np.zeros(6), ways(s)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s[0] + j * s[1]
            for c in range(row + 1, row + n[2] + 1):
                if not live[c] or mate[c] >= 0:
                    continue
                weights_of(c, h0, h1, h2, l0, l1, l2, shift, w)
                most, best, chosen = 0.0, 0.0, c
                for m in range(6):
                    most = max(most, w[m])
                    if (
                        w[m] > best
                        and not (m == 0 and (i == seam or i == n[0]))
                        and not (m == 1 and (i == seam + 1 or i == 1))
                    ):
                        e = c + to[m]
                        if live[e] and mate[e] < 0:
                            best, chosen = w[m], e
                if best < WEAK * most:
                    chosen = c
                mate[c] = chosen
                mate[chosen] = c


@njit(cache=True, nogil=True)
def add(own, count, end, weight, ends, weights):
    """Add a weight to a short list of ends, unless it leads back to ``own``; the new length."""
    if end == own:
        return count
    for m in range(count):
        if ends[m] == end:
            weights[m] += weight
            return count
    ends[count], weights[count] = end, weight
    return count + 1


@njit(cache=True, nogil=True)
def join_cells(s, high, low, shift, mate, head, seam, of):
    """Second pairing, of the pairs that ``mate`` tells: ``of`` becomes the number of each cell's aggregate, in order of
    storage, or -1.

    ``head`` is the lower cell of every pair, in ghost layers of periodic sides too. Returns how many aggregates there
    are and how many of them lie below the plane ``seam``.
    """
    h0, h1, h2, l0, l1, l2 = high[0], high[1], high[2], low[0], low[1], low[2]
    w, to = np.zeros(6), ways(s)
    ends, weights = np.zeros(MOST, np.int64), np.zeros(MOST)
    of[:] = -1
    count, below = 0, 0
    border = (seam + 1) * s[0]
    for c in range(of.size):
        if mate[c] < 0 or of[c] >= 0:
            continue
        found = 0
        for side in range(1 if mate[c] == c else 2):
            member = mate[c] if side else c
            weights_of(member, h0, h1, h2, l0, l1, l2, shift, w)
            for m in range(6):
                if w[m] > 0.0 and head[member + to[m]] >= 0:
                    found = add(c, found, head[member + to[m]], w[m], ends, weights)
        most, best, chosen = 0.0, 0.0, -1
        for q in range(found):
            e = ends[q]
            most = max(most, weights[q])
            if weights[q] > best and of[e] < 0 and (c < border) == (e < border):
                best, chosen = weights[q], e
        of[c] = of[mate[c]] = count
        if chosen >= 0 and best >= WEAK * most:
            of[chosen] = of[mate[chosen]] = count
        count += 1
        if c < border:
            below = count
    return count, below


@njit(cache=True, nogil=True)
def members_of(of, count):
    """First place of every aggregate in a list of members, and that list."""
    first = np.zeros(count + 1, np.int32)
    for c in range(of.size):
        if of[c] >= 0:
            first[of[c] + 1] += 1
    for m in range(count):
        first[m + 1] += first[m]
    members, at = np.zeros(first[count], np.int32), first[:-1].copy()
    for c in range(of.size):
        if of[c] >= 0:
            members[at[of[c]]] = c
            at[of[c]] += 1
    return first, members


@njit(cache=True, nogil=True)
def emit(row, found, ends, weights, own, place, ptr, mid, cols, values, inverse, excess):
    """Write one row with the excess ``own``: entries with columns below it first; the place after it."""
    total = own
    for q in range(found):
        total += weights[q]
    for q in range(found):
        if ends[q] < row:
            cols[place], values[place] = ends[q], weights[q]
            place += 1
    mid[row] = place
    for q in range(found):
        if ends[q] > row:
            cols[place], values[place] = ends[q], weights[q]
            place += 1
    ptr[row + 1] = place
    inverse[row] = 1.0 / total if total > 0.0 else 0.0
    excess[row] = own
    return place


@njit(cache=True, nogil=True)
def sum_cells(s, high, low, shift, excess, of, first, members, ptr, mid, cols, values, inverse, extra):
    """Equations of the aggregates of the finest level; ``excess`` is what a diagonal is above the sum of the live
    neighbours' weights."""
    h0, h1, h2, l0, l1, l2 = high[0], high[1], high[2], low[0], low[1], low[2]
    w, to = np.zeros(6), ways(s)
    ends, weights = np.zeros(MOST, np.int64), np.zeros(MOST)
    place = 0
    for row in range(first.size - 1):
        found, own = 0, 0.0
        for m in range(first[row], first[row + 1]):
            c = members[m]
            own += excess[c]
            weights_of(c, h0, h1, h2, l0, l1, l2, shift, w)
            for q in range(6):
                if w[q] > 0.0:
                    if of[c + to[q]] >= 0:
                        found = add(row, found, of[c + to[q]], w[q], ends, weights)
        place = emit(row, found, ends, weights, own, place, ptr, mid, cols, values, inverse, extra)
    return place


@njit(cache=True, nogil=True)
def join_rows(ptr, cols, values, of, twice, border):
    """Both pairings of a coarser level, or one: ``of`` becomes the number of each row's aggregate; how many there are.

    None has rows on both sides of row ``border``.
    """
    size = of.size
    mate = np.full(size, -1, np.int64)
    for c in range(size):
        if mate[c] >= 0:
            continue
        most, best, chosen = 0.0, 0.0, c
        for q in range(ptr[c], ptr[c + 1]):
            most = max(most, values[q])
            if values[q] > best and mate[cols[q]] < 0 and (c < border) == (cols[q] < border):
                best, chosen = values[q], cols[q]
        if best < WEAK * most:
            chosen = c
        mate[c] = chosen
        mate[chosen] = c
    if not twice:
        count = 0
        of[:] = -1
        for c in range(size):
            if of[c] < 0:
                of[c] = of[mate[c]] = count
                count += 1
        return count
    ends, weights = np.zeros(MOST, np.int64), np.zeros(MOST)
    of[:] = -1
    count = 0
    for c in range(size):
        if of[c] >= 0:
            continue
        found = 0
        for m in range(1 if mate[c] == c else 2):
            member = c if m == 0 else mate[c]
            for q in range(ptr[member], ptr[member + 1]):
                e = cols[q]
                if found < MOST:
                    found = add(c, found, min(e, mate[e]), values[q], ends, weights)
        most, best, chosen, tied = 0.0, 0.0, -1, -1
        for q in range(found):
            if weights[q] > most:
                most, tied = weights[q], ends[q]
            if weights[q] > best and of[ends[q]] < 0:
                best, chosen = weights[q], ends[q]
        if (
            best < WEAK * most and mate[c] == c and of[tied] >= 0
        ):  # all its strong neighbours are taken: with the strongest of them
            of[c] = of[tied]
            continue
        of[c] = of[mate[c]] = count
        if chosen >= 0 and best >= WEAK * most:
            of[chosen] = of[mate[chosen]] = count
        count += 1
    return count


@njit(cache=True, nogil=True)
def sum_rows(ptr, cols, values, excess, of, first, members, new_ptr, mid, new_cols, new_values, inverse, extra):
    """Equations of the aggregates of a coarser level."""
    ends, weights = np.zeros(MOST, np.int64), np.zeros(MOST)
    place = 0
    for row in range(first.size - 1):
        found, own = 0, 0.0
        for m in range(first[row], first[row + 1]):
            c = members[m]
            own += excess[c]
            for q in range(ptr[c], ptr[c + 1]):
                if found < MOST:
                    found = add(row, found, of[cols[q]], values[q], ends, weights)
        place = emit(row, found, ends, weights, own, place, new_ptr, mid, new_cols, new_values, inverse, extra)
    return place


@njit(cache=True, nogil=True)
def entry(ptr, cols, row, col):
    """Place of a row's entry in a column, or one beyond all entries where there is none."""
    for q in range(ptr[row], ptr[row + 1]):
        if cols[q] == col:
            return q
    return cols.size


@njit(cache=True, nogil=True)
def cell_slots(n, s, of, ptr, cols, t, slots):
    """Entry to which each high face along axis ``t`` adds, in the row of the lower cell's aggregate."""
    slots[:] = cols.size
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s[0] + j * s[1]
            for c in range(row + 1, row + n[2] + 1):
                if of[c] >= 0 and of[c + s[t]] >= 0 and of[c] != of[c + s[t]]:
                    slots[c] = entry(ptr, cols, of[c], of[c + s[t]])


@njit(cache=True, nogil=True)
def row_slots(ptr, cols, of, new_ptr, new_cols, slots):
    """Entry of the next level to which each entry adds."""
    for c in range(of.size):
        for q in range(ptr[c], ptr[c + 1]):
            slots[q] = new_cols.size if of[cols[q]] == of[c] else entry(new_ptr, new_cols, of[c], of[cols[q]])


@njit(cache=True, nogil=True)
def mirrored(ptr, cols, mirror):
    """For every entry the one of the opposite direction."""
    for c in range(ptr.size - 1):
        for q in range(ptr[c], ptr[c + 1]):
            mirror[q] = entry(ptr, cols, cols[q], c)


class Level:
    """Rows of one coarser level: ``ptr``, ``mid``, ``cols``, ``values``, ``inverse`` of the diagonal and its ``excess``
    over the row's sum.

    ``of`` and ``slots``: row and entry of the next level to which each row and entry belong.
    """

    def __init__(self, rows: int, entries: int):
        self.ptr, self.mid = np.zeros(rows + 1, np.uint32), np.zeros(rows, np.uint32)
        self.cols, self.values = np.zeros(entries, np.uint32), np.zeros(entries, np.float32)
        self.inverse, self.excess = np.zeros(rows, np.float32), np.zeros(rows, np.float32)
        self.of, self.slots = np.zeros(0, np.int32), np.zeros(0, np.uint32)

    def close(self, entries: int) -> Level:
        """Give back the room that the entries did not need."""
        self.cols, self.values = self.cols[:entries].copy(), self.values[:entries].copy()
        return self

    @property
    def rows(self) -> int:
        """How many there are."""
        return self.mid.size


def first_level(n, s, high, low, shift, live, periodic, seam, excess, of) -> Level:
    """Aggregates of a grid's cells into ``of``, and their equations; no aggregate lies across the planes ``seam`` and
    ``seam`` + 1."""
    mate = np.empty(live.size, np.int32)
    pair_cells(n, s, high, low, shift, live, seam, mate)
    head = np.minimum(mate, np.arange(live.size, dtype=np.int32))
    wrap(n, s, periodic, head)
    count, below = join_cells(s, high, low, shift, mate, head, seam, of)
    del mate, head
    first, members = members_of(of, count)
    wrap(n, s, periodic, of)
    level = Level(count, 6 * len(members) + 16)
    level.close(
        sum_cells(
            s,
            high,
            low,
            shift,
            excess,
            of,
            first,
            members,
            level.ptr,
            level.mid,
            level.cols,
            level.values,
            level.inverse,
            level.excess,
        )
    )
    joined = np.empty(count, np.int32)
    count = join_rows(level.ptr, level.cols, level.values, joined, False, below)
    combine(of, joined)
    first, members = members_of(joined, count)
    new = Level(count, level.cols.size)
    return new.close(
        sum_rows(
            level.ptr,
            level.cols,
            level.values,
            level.excess,
            joined,
            first,
            members,
            new.ptr,
            new.mid,
            new.cols,
            new.values,
            new.inverse,
            new.excess,
        )
    )


@njit(cache=True, nogil=True)
def combine(of, joined):
    """Hand every cell on from its aggregate to the one that this has been joined to."""
    for c in range(of.size):
        if of[c] >= 0:
            of[c] = joined[of[c]]


def next_level(level: Level) -> Level | None:
    """The aggregates of a level, whose ``of`` and ``slots`` are filled; None where joining hardly gets any further."""
    of = np.zeros(level.rows, np.int32)
    count = join_rows(level.ptr, level.cols, level.values, of, True, 0)
    if count > 0.8 * level.rows:
        return None
    first, members = members_of(of, count)
    level.of, new = of, Level(count, level.cols.size)
    new.close(
        sum_rows(
            level.ptr,
            level.cols,
            level.values,
            level.excess,
            of,
            first,
            members,
            new.ptr,
            new.mid,
            new.cols,
            new.values,
            new.inverse,
            new.excess,
        )
    )
    level.slots = np.empty(level.cols.size, np.uint32)
    row_slots(level.ptr, level.cols, of, new.ptr, new.cols, level.slots)
    return new
