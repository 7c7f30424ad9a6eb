"""Kernels of the aggregation multigrid of :mod:`multigrid`, on flat padded levels."""
from __future__ import annotations

import numpy as np
from numba import njit

from ..physics.momentum import BLOCK, sweep


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


# Rows are worked as slices wherever they can be vectorised: an index that counts from zero cannot be negative and needs no check.


@njit(cache=True, nogil=True)
def diagonal(n, s, c0, c1, c2, extra, inv):
    """1 / diagonal of a symmetric level."""
    s0, s1, w = s[0], s[1], n[2]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            a = i * s0 + j * s1 + 1
            e = a + w
            h0, l0, h1, l1, h2, l2 = c0[a:e], c0[a - s0:e - s0], c1[a:e], c1[a - s1:e - s1], c2[a:e], c2[a - 1:e - 1]
            own, out = extra[a:e], inv[a:e]
            for k in range(w):
                total = h0[k] + l0[k] + h1[k] + l1[k] + h2[k] + l2[k] + own[k]
                out[k] = 1.0 / total if total > 0.0 else 0.0


@njit(cache=True, nogil=True)
def upwind(n, s, c, f, extra, low, high, inv):
    """Matrix of a convective level: high[t] multiplies the high neighbour, low[t] the low one; 1 / diagonal. Tuples by axis."""
    zero = extra[0] * 0
    per = max(BLOCK // s[1], 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s[1]
            a = i * s[0] + j * s[1]
            e = a + w
            out, given = inv[a:e], extra[a:e]
            for k in range(w):
                out[k] = given[k]
            for t in range(3):
                st = s[t]
                ch, cl, fh, fl, hh, ll = c[t][a:e], c[t][a - st:e - st], f[t][a:e], f[t][a - st:e - st], high[t][a:e], low[t][a:e]
                for k in range(w):
                    up, down = ch[k] + max(-fh[k], zero), cl[k] + max(fl[k], zero)
                    hh[k] = up
                    ll[k] = down
                    out[k] += up + down
            for k in range(w):
                out[k] = 1 / out[k] if out[k] > 0 else zero
            for r in range(0, w, s[1]):  # ghosts are no unknowns
                out[r] = out[r + n[2] + 1] = 0


@njit(cache=True, nogil=True)
def coarsen(n, s, cs, step, g, out, t, weight, periodic):
    """Sum fine face values of axis t that lie on coarse faces, times ``weight``; odd ends stand alone."""
    out[:] = 0
    first = 0 if periodic else 1
    last = n[t] if periodic else n[t] - 1
    for i in range(first if t == 0 else 1, (last if t == 0 else n[0]) + 1):
        if t == 0 and step[0] == 2 and (i & 1) == 1 and i != n[0]:
            continue
        ci = (i + step[0] - 1) // step[0]
        for j in range(first if t == 1 else 1, (last if t == 1 else n[1]) + 1):
            if t == 1 and step[1] == 2 and (j & 1) == 1 and j != n[1]:
                continue
            cj = (j + step[1] - 1) // step[1]
            row, crow = i * s[0] + j * s[1], ci * cs[0] + cj * cs[1]
            for k in range(first if t == 2 else 1, (last if t == 2 else n[2]) + 1):
                if t == 2 and step[2] == 2 and (k & 1) == 1 and k != n[2]:
                    continue
                out[crow + (k + step[2] - 1) // step[2]] += weight * g[row + k]


@njit(cache=True, nogil=True)
def restrict(n, s, cs, step, fine, coarse):
    """Add the cells of a level to those they are part of on the coarser one."""
    two = step[2] == 2
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            row, crow = i * s[0] + j * s[1], ci * cs[0] + ((j - 1) // step[1] + 1) * cs[1]
            if two:
                for m in range(1, n[2] // 2 + 1):
                    coarse[crow + m] += fine[row + 2 * m - 1] + fine[row + 2 * m]
                if n[2] & 1:
                    coarse[crow + n[2] // 2 + 1] += fine[row + n[2]]
            else:
                for k in range(1, n[2] + 1):
                    coarse[crow + k] += fine[row + k]


@njit(cache=True, nogil=True)
def prolong(n, s, cs, step, coarse, fine):
    """Add what each cell of the coarser level holds to the cells it is made of."""
    two = step[2] == 2
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            row, crow = i * s[0] + j * s[1], ci * cs[0] + ((j - 1) // step[1] + 1) * cs[1]
            if two:
                for m in range(1, n[2] // 2 + 1):
                    x = coarse[crow + m]
                    fine[row + 2 * m - 1] += x
                    fine[row + 2 * m] += x
                if n[2] & 1:
                    fine[row + n[2]] += coarse[crow + n[2] // 2 + 1]
            else:
                for k in range(1, n[2] + 1):
                    fine[row + k] += coarse[crow + k]


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def one_colour(n, s, c0, c1, c2, inv, b, x, colour, mask, fresh):
    """Gauss-Seidel over the cells of one colour of the chequerboard (symmetric level).

    ``mask`` (two arrays of the cells of a plane) is 1 for the cells of each colour, 0 for others and ghosts. Blocks of rows are worked
    whole into ``fresh``, of which the colour's half is kept: twice the sums, but in vector instructions.
    """
    s0, s1 = s[0], s[1]
    per = max(fresh.size // s1, 1)
    for i in range(1, n[0] + 1):
        own = mask[1] if (i + colour) & 1 else mask[0]
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s1
            a = i * s0 + j * s1
            e = a + w
            h0, l0, h1, l1, h2, l2 = c0[a:e], c0[a - s0:e - s0], c1[a:e], c1[a - s1:e - s1], c2[a:e], c2[a - 1:e - 1]
            u0, d0, u1, d1, u2, d2 = x[a + s0:e + s0], x[a - s0:e - s0], x[a + s1:e + s1], x[a - s1:e - s1], x[a + 1:e + 1], x[a - 1:e - 1]
            g, z, v, q = b[a:e], x[a:e], inv[a:e], own[j * s1:j * s1 + w]
            for k in range(w):
                fresh[k] = v[k] * (g[k] + h0[k] * u0[k] + l0[k] * d0[k] + h1[k] * u1[k] + l1[k] * d1[k] + h2[k] * u2[k] + l2[k] * d2[k])
            for k in range(w):
                z[k] = fresh[k] if q[k] > 0 else z[k]


@njit(cache=True, nogil=True)
def defect(n, s, low, high, inv, b, x, r, convect):
    """r = b - A x. Without convection ``low`` is ``high``, and a cell's low weight is its low neighbour's high one."""
    s0, s1 = s[0], s[1]
    q0, q1, q2 = (0, 0, 0) if convect else (s0, s1, 1)
    per = max(BLOCK // s1, 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            w = min(per, n[1] + 1 - j) * s1
            a = i * s0 + j * s1
            e = a + w
            h0, l0, h1, l1 = high[0][a:e], low[0][a - q0:e - q0], high[1][a:e], low[1][a - q1:e - q1]
            h2, l2, d, bb, z, out = high[2][a:e], low[2][a - q2:e - q2], inv[a:e], b[a:e], x[a:e], r[a:e]
            u0, d0, u1, d1, u2, d2 = x[a + s0:e + s0], x[a - s0:e - s0], x[a + s1:e + s1], x[a - s1:e - s1], x[a + 1:e + 1], x[a - 1:e - 1]
            for k in range(w):
                y = bb[k] + h0[k] * u0[k] + l0[k] * d0[k] + h1[k] * u1[k] + l1[k] * d1[k] + h2[k] * u2[k] + l2[k] * d2[k]
                out[k] = y - z[k] / d[k] if d[k] > 0 else 0.0


@njit(cache=True, nogil=True)
def run(schedule, n, s, step, start, convect, low, high, inv, b, x, r, sweeps, periodic, wraps, masks, mask_start):
    """Work through a cycle: op 0 down from a level, 1 up to it, 2 the coarsest. Where nothing convects ``low`` is ``high``."""
    fresh, ones = np.zeros(max(BLOCK, s[0, 1]), x.dtype), np.ones(3, np.int64)
    for m in range(schedule.shape[0]):
        op, i = schedule[m, 0], schedule[m, 1]
        lo, hi = start[i], start[i + 1]
        nn, ss = n[i], s[i]
        wl, wh = (low[0][lo:hi], low[1][lo:hi], low[2][lo:hi]), (high[0][lo:hi], high[1][lo:hi], high[2][lo:hi])
        v, bb, xx, rr = inv[lo:hi], b[lo:hi], x[lo:hi], r[lo:hi]
        mask = (masks[0][mask_start[i]:mask_start[i + 1]], masks[1][mask_start[i]:mask_start[i + 1]])
        if op == 1:
            prolong(nn, ss, s[i + 1], step[i], x[start[i + 1]:start[i + 2]], xx)
            if wraps:
                wrap(nn, ss, periodic, xx)
        times = sweeps if op < 2 else 8 * sweeps
        for half in range(2 if op == 2 else 1):
            first = 0 if (op == 0 or (op == 2 and half == 0)) else 1
            for _ in range(times):
                for turn in range(2):
                    if convect:
                        sweep(nn, ss, ones, xx, wl, wh, v, bb, first == turn, False)
                    else:
                        one_colour(nn, ss, wh[0], wh[1], wh[2], v, bb, xx, (first + turn) & 1, mask, fresh)
                    if wraps:
                        wrap(nn, ss, periodic, xx)
        if op == 0:
            below = slice(start[i + 1], start[i + 2])
            defect(nn, ss, wl, wh, v, bb, xx, rr, convect)
            b[below] = 0
            x[below] = 0
            restrict(nn, ss, s[i + 1], step[i], rr, b[below])


