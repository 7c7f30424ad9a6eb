"""The pressure correction: conjugate gradients preconditioned by one multigrid W-cycle."""
from __future__ import annotations

import numpy as np
from numba import njit

from .multigrid import Multigrid


@njit(cache=True)
def divergence(n, s, m0, m1, m2, out):
    """Minus the net mass outflow of every cell (kg/s); returns the sum of its absolute values."""
    total = 0.0
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                x = m0[c - s[0]] - m0[c] + m1[c - s[1]] - m1[c] + m2[c - s[2]] - m2[c]
                out[c] = x
                total += abs(x)
    return total


@njit(cache=True)
def laplace(n, s, c0, c1, c2, extra, x, y):
    """y = A x of the pressure equation; returns x . y."""
    dot = 0.0
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                v = extra[c] * x[c]
                v += c0[c] * (x[c] - x[c + s[0]]) + c0[c - s[0]] * (x[c] - x[c - s[0]])
                v += c1[c] * (x[c] - x[c + s[1]]) + c1[c - s[1]] * (x[c] - x[c - s[1]])
                v += c2[c] * (x[c] - x[c + s[2]]) + c2[c - s[2]] * (x[c] - x[c - s[2]])
                y[c] = v
                dot += x[c] * v
    return dot


@njit(cache=True)
def correct(n, s, sn, face, d, x, u):
    """u += d (p'_c - p'_high) on every velocity that is solved for."""
    for i in range(0, n[0] + 1):
        for j in range(0, n[1] + 1):
            for k in range(0, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if face[c] == 1 or face[c] == 3:
                    u[c] += d[c] * (x[c] - x[c + sn])


class PressureSolver:
    """Solves sum_f c_f (p'_c - p'_n) + extra p'_c = b on the flat padded arrays of one grid size."""

    def __init__(self, n, s):
        self.n, self.s = np.array(n, np.int64), np.array(s, np.int64)
        self.grid = Multigrid(n)

    def solve(self, conductance, extra, b, tolerance: float, most: int) -> tuple[np.ndarray, int, float]:
        """Correction (Pa), iterations and the residual left over that of ``b`` (2-norm)."""
        self.grid.setup(conductance, None, extra)
        x, y = np.zeros_like(b), np.zeros_like(b)
        r = b.copy()
        start = np.linalg.norm(r)
        if start == 0.0:
            return x, 0, 0.0
        p, old, level, it = None, 1.0, 1.0, 0
        while it < most:
            it += 1
            # scaled so that single precision never under- or overflows
            z = self.grid.cycle(r / start).astype(np.float64) * start
            rho = float(r @ z)
            p = z if p is None else z + (rho / old) * p
            old = rho
            curve = laplace(self.n, self.s, *conductance, extra, p, y)
            if curve <= 0.0:
                break
            alpha = rho / curve
            x += alpha * p
            r -= alpha * y
            level = np.linalg.norm(r) / start
            if level <= tolerance:
                break
        return x, it, level
