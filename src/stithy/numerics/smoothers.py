"""Gauss-Seidel sweeps and residuals of seven-point equations."""

from __future__ import annotations

import numpy as np
from numba import njit

from .rows import BLOCK


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def sweep(n, s, first, phi, low, high, inverse, b, forward, keep):
    """One Gauss-Seidel sweep by rows, in the order of storage or against it; a row's odd and even points in turn.

    ``low[t]`` and ``high[t]`` are the weights of the neighbours along axis t, ``inverse`` 1 / diagonal; where it is 0,
    the value stays (``keep``) or becomes zero.
    """
    s0, s1, k0 = s[0], s[1], first[2]
    h0, h1, h2, l0, l1, l2 = high[0], high[1], high[2], low[0], low[1], low[2]
    per, rows, w = max(BLOCK // s1, 1), n[1] + 1 - first[1], n[2] + 1 - k0
    known = np.zeros(per * s1, phi.dtype)
    # of a row's neighbours in the plane, one comes before it in the order of work and is new, the other is still the
    # old one
    old, new, there = (h1, l1, s1) if forward else (l1, h1, -s1)
    for ii in range(n[0] + 1 - first[0]):
        i = first[0] + ii if forward else n[0] - ii
        for done in range(0, rows, per):
            many = min(per, rows - done)
            a = i * s0 + (first[1] + done if forward else n[1] + 1 - done - many) * s1
            e = a + many * s1
            far, given, far_of, old_of = h0[a:e], b[a:e], phi[a + s0 : e + s0], phi[a + there : e + there]
            near = old[a:e]
            for k in range(many * s1):
                known[k] = given[k] + far[k] * far_of[k] + near[k] * old_of[k]
            if i > 0:
                back, back_of = l0[a:e], phi[a - s0 : e - s0]
                for k in range(many * s1):
                    known[k] += back[k] * back_of[k]
            for m in range(many):
                r = m if forward else many - 1 - m
                c = a + r * s1 + k0
                x, before, weight, sum_of = (
                    phi[c - 1 : c + w + 1],
                    phi[c - there : c - there + w],
                    new[c : c + w],
                    known[r * s1 + k0 :],
                )
                for k in range(w):
                    sum_of[k] += weight[k] * before[k]
                up, down, own = h2[c : c + w], l2[c : c + w], inverse[c : c + w]
                for half in range(2):
                    for k in range(half if forward else 1 - half, w, 2):
                        y = own[k] * (sum_of[k] + up[k] * x[k + 2] + down[k] * x[k])
                        x[k + 1] = x[k + 1] if keep and own[k] == 0 else y


@njit(cache=True, nogil=True, fastmath={"contract", "nsz", "reassoc"})
def defect(n, s, first, phi, low, high, inverse, b, out):
    """Residuals of the linear equations (N) into ``out``; the sum of their absolute values."""
    r = 0.0
    s0, s1, k0 = s[0], s[1], first[2]
    w = n[2] + 1 - k0
    left = np.zeros(w)
    for i in range(first[0], n[0] + 1):
        for j in range(first[1], n[1] + 1):
            a = i * s0 + j * s1 + k0
            e = a + w
            x, own, given = phi[a:e], inverse[a:e], b[a:e]
            h0, h1, l1, h2, l2 = high[0][a:e], high[1][a:e], low[1][a:e], high[2][a:e], low[2][a:e]
            u0, u1, u2, d1, d2 = (
                phi[a + s0 : e + s0],
                phi[a + s1 : e + s1],
                phi[a + 1 : e + 1],
                phi[a - s1 : e - s1],
                phi[a - 1 : e - 1],
            )
            for k in range(w):
                left[k] = given[k] + h0[k] * u0[k] + h1[k] * u1[k] + l1[k] * d1[k] + h2[k] * u2[k] + l2[k] * d2[k]
            if i > 0:
                l0, d0 = low[0][a:e], phi[a - s0 : e - s0]
                for k in range(w):
                    left[k] += l0[k] * d0[k]
            left_over = out[a:e]
            for k in range(w):
                left_over[k] = left[k] - x[k] / own[k] if own[k] != 0.0 else 0.0
            for k in range(w):
                r += abs(left_over[k])
    return r


@njit(cache=True, nogil=True)
def descend(share, step, x):
    """x += share step."""
    for c in range(x.size):
        x[c] += share * step[c]


def strides(s) -> np.ndarray:
    """Strides as the array the kernels take."""
    return np.array(s, np.int64)
