"""Kernels of the finest level of a multigrid cycle, on flat padded grids, and the sweeps that two threads share."""

from __future__ import annotations

import numpy as np
from numba import njit

from .rows import BLOCK
from .slabs import share
from .smoothers import sweep


@njit(cache=True, nogil=True)
def wrap(n, s, periodic, x):
    """Renew the ghost layers of ``x`` along every periodic axis (flat, padded)."""
    for a in range(3):
        if not periodic[a]:
            continue
        t, r = (1 if a == 0 else 0), (1 if a == 2 else 2)
        reach = n[a] * s[a]
        for p in range(n[t] + 2):
            for q in range(n[r] + 2):
                c = p * s[t] + q * s[r]
                x[c] = x[c + reach]
                x[c + reach + s[a]] = x[c + s[a]]


# Rows are worked as slices wherever they can be vectorised: an index that counts from zero cannot be negative and needs
# no check.


@njit(cache=True, nogil=True)
def symmetric(n, s, c0, c1, c2, extra, inverse):
    """1 / diagonal of symmetric equations."""
    s0, s1, w = s[0], s[1], n[2]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            a = i * s0 + j * s1 + 1
            e = a + w
            h0, l0, h1, l1, h2, l2 = (
                c0[a:e],
                c0[a - s0 : e - s0],
                c1[a:e],
                c1[a - s1 : e - s1],
                c2[a:e],
                c2[a - 1 : e - 1],
            )
            own, out = extra[a:e], inverse[a:e]
            for k in range(w):
                total = h0[k] + l0[k] + h1[k] + l1[k] + h2[k] + l2[k] + own[k]
                out[k] = 1.0 / total if total > 0.0 else 0.0


@njit(cache=True, nogil=True)
def upwind(n, s, c, f, extra, low, high, inverse):
    """Weights of conductances ``c`` and fluxes ``f``, and 1 / diagonal: high[t] multiplies the high neighbour, low[t]
    the low one."""
    zero = extra[0] * 0
    per = max(BLOCK // s[1], 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s[1]
            a = i * s[0] + j * s[1]
            e = a + w
            out, given = inverse[a:e], extra[a:e]
            for k in range(w):
                out[k] = given[k]
            for t in range(3):
                st = s[t]
                ch, cl, fh, fl, hh, ll = (
                    c[t][a:e],
                    c[t][a - st : e - st],
                    f[t][a:e],
                    f[t][a - st : e - st],
                    high[t][a:e],
                    low[t][a:e],
                )
                for k in range(w):
                    up, down = ch[k] + max(-fh[k], 0.0), cl[k] + max(fl[k], 0.0)
                    hh[k] = up
                    ll[k] = down
                    out[k] += up + down
            for k in range(w):
                out[k] = 1 / out[k] if out[k] > 0 else zero
            for r in range(0, w, s[1]):  # ghosts are no unknowns
                out[r] = out[r + n[2] + 1] = 0


@njit(cache=True, nogil=True)
def red_first(n, s, b, scale, inverse, mask, right, x):
    """Take over ``scale`` times ``b``, and a first sweep over the red cells from zero; black ones become zero."""
    for i in range(1, n[0] + 1):
        own = mask[1] if i & 1 else mask[0]
        a, w = i * s[0], s[0]
        given, out, z, v = b[a : a + w], right[a : a + w], x[a : a + w], inverse[a : a + w]
        for k in range(w):
            out[k] = scale * given[k]
            z[k] = out[k] * v[k] * own[k]


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def one_colour(n, s, c0, c1, c2, inverse, b, x, colour, mask, fresh):
    """Gauss-Seidel over the cells of one colour of the chequerboard (symmetric equations).

    ``mask`` (two arrays of the cells of a plane) is 1 for the cells of each colour, 0 for others and ghosts. Blocks of
    rows are worked whole into ``fresh``, of which the colour's half is kept: twice the sums, but in vector
    instructions.
    """
    s0, s1 = s[0], s[1]
    per = max(fresh.size // s1, 1)
    for i in range(1, n[0] + 1):
        own = mask[1] if (i + colour) & 1 else mask[0]
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s1
            a = i * s0 + j * s1
            e = a + w
            h0, l0, h1, l1, h2, l2 = (
                c0[a:e],
                c0[a - s0 : e - s0],
                c1[a:e],
                c1[a - s1 : e - s1],
                c2[a:e],
                c2[a - 1 : e - 1],
            )
            u0, d0, u1, d1, u2, d2 = (
                x[a + s0 : e + s0],
                x[a - s0 : e - s0],
                x[a + s1 : e + s1],
                x[a - s1 : e - s1],
                x[a + 1 : e + 1],
                x[a - 1 : e - 1],
            )
            g, z, v, q = b[a:e], x[a:e], inverse[a:e], own[j * s1 : j * s1 + w]
            for k in range(w):
                fresh[k] = v[k] * (
                    g[k] + h0[k] * u0[k] + l0[k] * d0[k] + h1[k] * u1[k] + l1[k] * d1[k] + h2[k] * u2[k] + l2[k] * d2[k]
                )
            for k in range(w):
                z[k] = fresh[k] if q[k] > 0 else z[k]


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def hand_down(n, s, c0, c1, c2, inverse, b, x, mask, fresh, of, coarse):
    """Defects of the red cells after a black sweep, which leaves none in black ones, to the aggregates."""
    s0, s1 = s[0], s[1]
    per = max(fresh.size // s1, 1)
    for i in range(1, n[0] + 1):
        own = mask[1] if i & 1 else mask[0]
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s1
            a = i * s0 + j * s1
            e = a + w
            h0, l0, h1, l1, h2, l2 = (
                c0[a:e],
                c0[a - s0 : e - s0],
                c1[a:e],
                c1[a - s1 : e - s1],
                c2[a:e],
                c2[a - 1 : e - 1],
            )
            u0, d0, u1, d1, u2, d2 = (
                x[a + s0 : e + s0],
                x[a - s0 : e - s0],
                x[a + s1 : e + s1],
                x[a - s1 : e - s1],
                x[a + 1 : e + 1],
                x[a - 1 : e - 1],
            )
            g, z, v, q, to = b[a:e], x[a:e], inverse[a:e], own[j * s1 : j * s1 + w], of[a:e]
            for k in range(w):
                fresh[k] = (
                    g[k]
                    + h0[k] * u0[k]
                    + l0[k] * d0[k]
                    + h1[k] * u1[k]
                    + l1[k] * d1[k]
                    + h2[k] * u2[k]
                    + l2[k] * d2[k]
                    - (z[k] / v[k] if v[k] > 0 else g[k])
                )
            for k in range(w):
                if q[k] > 0 and to[k] >= 0:
                    coarse[to[k]] += fresh[k]


@njit(cache=True, nogil=True)
def defect(n, s, low, high, inverse, b, x, left, of, coarse):
    """What is left of ``b`` after ``x``, into ``left`` and added up for the aggregates."""
    s0, s1 = s[0], s[1]
    per = max(BLOCK // s1, 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s1
            a = i * s0 + j * s1
            e = a + w
            h0, l0, h1, l1, h2, l2 = high[0][a:e], low[0][a:e], high[1][a:e], low[1][a:e], high[2][a:e], low[2][a:e]
            d, bb, z, out, to = inverse[a:e], b[a:e], x[a:e], left[a:e], of[a:e]
            u0, d0, u1, d1, u2, d2 = (
                x[a + s0 : e + s0],
                x[a - s0 : e - s0],
                x[a + s1 : e + s1],
                x[a - s1 : e - s1],
                x[a + 1 : e + 1],
                x[a - 1 : e - 1],
            )
            for k in range(w):
                y = (
                    bb[k]
                    + h0[k] * u0[k]
                    + l0[k] * d0[k]
                    + h1[k] * u1[k]
                    + l1[k] * d1[k]
                    + h2[k] * u2[k]
                    + l2[k] * d2[k]
                )
                out[k] = y - z[k] / d[k] if d[k] > 0 else 0.0
            for k in range(w):
                if to[k] >= 0:
                    coarse[to[k]] += out[k]


@njit(cache=True, nogil=True)
def give_down(of, left, scale, coarse):
    """Add ``scale`` times every cell's defect to that of its aggregate."""
    for c in range(of.size):
        if of[c] >= 0:
            coarse[of[c]] += scale * left[c]


@njit(cache=True, nogil=True)
def take_up(lo, hi, of, coarse, scale, x):
    """Add ``scale`` times every aggregate's value to its cells."""
    for c in range(lo, hi):
        if of[c] >= 0:
            x[c] += scale * coarse[of[c]]


def to_and_fro(grid, first, x, low, high, inverse, b, times: int, keep: bool) -> None:
    """``times`` Gauss-Seidel sweeps forth and back; in two slabs from the ends to the middle and back.

    ``grid`` has ``n``, ``s``, ``parts``, ``whole`` and ``renew``; ``first`` is the first unknown along each axis.
    """
    if len(grid.parts) == 1:
        for forward in (True, False) * times:
            sweep(grid.n, grid.s, first, x, low, high, inverse, b, forward, keep)
            grid.renew(x)
        return
    one, two = grid.parts
    middle = one.hi

    def run(part, begin, last, *ways):
        limits = np.array([last, *grid.n[1:]], np.int64), np.array([begin, *first[1:]], np.int64)
        pieces = part.of(x), part.each(low), part.each(high), part.of(inverse), part.of(b)
        for forward in ways:
            sweep(limits[0], grid.s, limits[1], *pieces, forward, keep)

    def both(*ways):
        share([lambda: run(one, first[0], middle - 1, *ways), lambda: run(two, 2, two.n[0], *(not w for w in ways))])

    both(True)
    for m in range(times):
        run(grid.whole, middle, middle + 1, True, False)
        both(*((False, True) if m + 1 < times else (False,)))
