"""The pressure correction: conjugate gradients preconditioned by one multigrid W-cycle."""
from __future__ import annotations

import numpy as np
from numba import njit

from .multigrid import Multigrid, wrap


@njit(cache=True)
def mass_flux(u, rho, area, out):
    """Mass flux (kg/s) through high faces."""
    for c in range(u.size):
        out[c] = rho[c] * area[c] * u[c]


@njit(cache=True)
def conductance(rho, area, d, face, out):
    """rho A d of the faces between two fluid cells (kg/s/Pa)."""
    for c in range(d.size):
        out[c] = rho[c] * area[c] * d[c] if face[c] == 1 else 0.0


@njit(cache=True)
def divergence(n, s, m0, m1, m2, out):
    """Minus the net mass outflow of every cell (kg/s); returns the sum of its absolute values."""
    total = 0.0
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                x = m0[c - s0] - m0[c] + m1[c - s1] - m1[c] + m2[c - 1] - m2[c]
                out[c] = x
                total += abs(x)
    return total


@njit(cache=True, fastmath={"contract", "reassoc", "nsz"})
def laplace(n, s, c0, c1, c2, extra, x, y):
    """y = A x of the pressure equation; returns x . y."""
    dot = 0.0
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                z = x[c]
                v = extra[c] * z
                v += c0[c] * (z - x[c + s0]) + c0[c - s0] * (z - x[c - s0])
                v += c1[c] * (z - x[c + s1]) + c1[c - s1] * (z - x[c - s1])
                v += c2[c] * (z - x[c + 1]) + c2[c - 1] * (z - x[c - 1])
                y[c] = v
                dot += z * v
    return dot


@njit(cache=True)
def correct(n, s, sn, first, d, x, u):
    """u += d (p'_c - p'_high) on every velocity that is solved for (d is zero on others)."""
    for i in range(first[0], n[0] + 1):
        for j in range(first[1], n[1] + 1):
            row = i * s[0] + j * s[1]
            for c in range(row + first[2], row + n[2] + 1):
                u[c] += d[c] * (x[c] - x[c + sn])


@njit(cache=True, fastmath={"contract", "reassoc", "nsz"})
def dot(a, b):
    """a . b"""
    total = 0.0
    for c in range(a.size):
        total += a[c] * b[c]
    return total


@njit(cache=True, fastmath={"contract", "reassoc", "nsz"})
def advance(alpha, p, y, x, r):
    """x += alpha p, r -= alpha y; returns r . r."""
    total = 0.0
    for c in range(x.size):
        x[c] += alpha * p[c]
        e = r[c] - alpha * y[c]
        r[c] = e
        total += e * e
    return total


@njit(cache=True)
def turn(z, scale, beta, p):
    """p = scale z + beta p."""
    for c in range(p.size):
        p[c] = scale * z[c] + beta * p[c]


class PressureSolver:
    """Solves sum_f c_f (p'_c - p'_n) + extra p'_c = b on the flat padded arrays of one grid size."""

    def __init__(self, n, s, periodic=(False,) * 3):
        self.n, self.s = np.array(n, np.int64), np.array(s, np.int64)
        self.grid = Multigrid(n, periodic=periodic)
        self.r = self.p = self.y = None

    def solve(self, conductance, extra, b, tolerance: float, most: int) -> tuple[np.ndarray, int, float]:
        """Correction (Pa), iterations and the residual left over that of ``b`` (2-norm)."""
        if self.r is None:
            self.r, self.p, self.y = (np.zeros(b.size) for _ in range(3))
        self.grid.setup(conductance, None, extra)
        x, r, p, y = np.zeros_like(b), self.r, self.p, self.y
        r[:] = b
        start = np.sqrt(dot(b, b))
        if start == 0.0:
            return x, 0, 0.0
        old, level, it = 1.0, 1.0, 0
        while it < most:
            # scaled so that single precision never under- or overflows
            z = self.grid.cycle(r, 1.0 / start)
            rho = dot(r, z) * start
            turn(z, start, rho / old if it else 0.0, p)
            it += 1
            old = rho
            if self.grid.wraps:
                wrap(self.n, self.s, self.grid.periodic, p)
            curve = laplace(self.n, self.s, *conductance, extra, p, y)
            if curve <= 0.0:
                break
            level = np.sqrt(advance(rho / curve, p, y, x, r)) / start
            if level <= tolerance:
                break
        return x, it, level
