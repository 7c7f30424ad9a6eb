"""The pressure correction: conjugate gradients preconditioned by one multigrid cycle."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..numerics.cycles import wrap
from ..numerics.joined import Symmetric
from ..numerics.krylov import product, together
from ..numerics.rows import BLOCK, clear_ends
from ..numerics.slabs import halves, over


@njit(cache=True, nogil=True)
def mass_flux(u, rho, area, out):
    """Mass flux (kg/s) through high faces."""
    for c in range(u.size):
        out[c] = rho[c] * area[c] * u[c]


@njit(cache=True, nogil=True)
def conductance(rho, area, d, face, out):
    """rho A d of the faces between two fluid cells (kg/s/Pa)."""
    for c in range(d.size):
        out[c] = rho[c] * area[c] * d[c] if face[c] == 1 else 0.0


@njit(cache=True, nogil=True, fastmath={"contract", "reassoc", "nsz"})
def divergence(n, s, m0, m1, m2, out):
    """Minus the net mass outflow of every cell (kg/s); returns the sum of its absolute values."""
    total = 0.0
    s0, s1 = s[0], s[1]
    per = max(BLOCK // s1, 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            rows = min(per, n[1] + 1 - j)
            a, w = i * s0 + j * s1, rows * s1
            e = a + w
            y, h0, l0, h1, l1, h2, l2 = (
                out[a:e],
                m0[a:e],
                m0[a - s0 : e - s0],
                m1[a:e],
                m1[a - s1 : e - s1],
                m2[a:e],
                m2[a - 1 : e - 1],
            )
            for k in range(w):
                y[k] = l0[k] - h0[k] + l1[k] - h1[k] + l2[k] - h2[k]
            clear_ends(y, s1, rows, 1, n[2])
            for k in range(w):
                total += abs(y[k])
    return total


@njit(cache=True, nogil=True, fastmath={"contract", "reassoc", "nsz"})
def laplace(n, s, c0, c1, c2, extra, x, y):
    """y = A x of the pressure equation; returns x . y."""
    dot = 0.0
    s0, s1 = s[0], s[1]
    per = max(BLOCK // s1, 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            rows = min(per, n[1] + 1 - j)
            a, w = i * s0 + j * s1, rows * s1
            e = a + w
            z, out, own = x[a:e], y[a:e], extra[a:e]
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
            for k in range(w):
                q = z[k]
                out[k] = (
                    own[k] * q
                    + h0[k] * (q - u0[k])
                    + l0[k] * (q - d0[k])
                    + h1[k] * (q - u1[k])
                    + l1[k] * (q - d1[k])
                    + h2[k] * (q - u2[k])
                    + l2[k] * (q - d2[k])
                )
            clear_ends(out, s1, rows, 1, n[2])
            for k in range(w):
                dot += z[k] * out[k]
    return dot


@njit(cache=True, nogil=True)
def correct(n, s, sn, first, d, x, u):
    """u += d (p'_c - p'_high) on every velocity that is solved for (d is zero on others)."""
    w = n[2] + 1 - first[2]
    for i in range(first[0], n[0] + 1):
        for j in range(first[1], n[1] + 1):
            a = i * s[0] + j * s[1] + first[2]
            speed, gain, here, there = u[a : a + w], d[a : a + w], x[a : a + w], x[a + sn : a + sn + w]
            for k in range(w):
                speed[k] += gain[k] * (here[k] - there[k])


@njit(cache=True, nogil=True)
def viscous(p, mu, div, rho, volume):
    """p -= mu div(u) in every fluid cell; ``div`` is minus the net mass outflow (kg/s)."""
    for c in range(p.size):
        p[c] += mu[c] * div[c] / (rho[c] * volume[c]) if rho[c] > 0.0 else 0.0


@njit(cache=True, nogil=True)
def turn(z, scale, beta, p):
    """p = scale z + beta p."""
    for c in range(p.size):
        p[c] = scale * z[c] + beta * p[c]


class PressureSolver:
    """Solves sum_f c_f (p'_c - p'_n) + extra p'_c = b on the flat padded arrays of one grid size."""

    def __init__(self, n, s, periodic=(False,) * 3, spare=None):
        """``spare``: three flat padded arrays that mean nothing to others while :meth:`solve` works (its own where
        there are none)."""
        self.n, self.s = np.array(n, np.int64), np.array(s, np.int64)
        self.grid = Symmetric(n, s, periodic)
        self.parts = self.grid.parts
        self.r, self.p, self.y = spare or (None,) * 3

    def solve(
        self, conductance, extra, b, tolerance: float, most: int, soon: int = 10**6
    ) -> tuple[np.ndarray, int, float]:
        """Correction (Pa), iterations and the residual left over that of ``b`` (2-norm).

        Half the residual will do from ``soon`` iterations on; where the system is as hard as to leave more, it goes on.
        """
        if self.r is None:
            self.r, self.p, self.y = (np.zeros(b.size) for _ in range(3))
        self.p[:] = self.y[:] = 0.0
        self.grid.prepare(conductance, extra)
        x, r, p, y = np.zeros_like(b), self.r, self.p, self.y
        r[:] = b
        start = np.sqrt(product(b, b))
        if start == 0.0:
            return x, 0, 0.0
        old, level, it = 1.0, 1.0, 0
        while it < most:
            # scaled so that single precision never under- or overflows
            z = self.grid.cycle(r, 1.0 / start)
            rho = product(r, z) * start
            if not rho > 0.0:  # nothing is left, down to the last digit
                break
            beta = rho / old if it else 0.0
            over(halves(p.size), lambda h, z=z, beta=beta: turn(z[h], start, beta, p[h]))
            it += 1
            old = rho
            if self.grid.wraps:
                wrap(self.n, self.s, self.grid.periodic, p)
            curve = sum(
                over(self.parts, lambda part: laplace(part.n, self.s, *part.each((*self.grid.high, extra, p, y))))
            )
            if not curve > 0.0:
                break
            level = np.sqrt(together(rho / curve, p, y, x, r)) / start
            if level <= tolerance:
                break
        return x, it, level
