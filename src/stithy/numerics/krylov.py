"""BiCGSTAB and the sums of flat arrays that Krylov methods need, shared by two threads."""

from __future__ import annotations

import numpy as np
from numba import njit

from .slabs import halves, over

LOST = 1e3  # times the residual at the start: the iteration has broken down
MORE = 10  # times the iterations asked for, while the residual is still above that of the start


def bicgstab(matvec, precondition, b, x, tolerance: float, floor: float, most: int) -> tuple[int, float]:
    """BiCGSTAB in place on ``x``; returns iterations and the residual over that of ``b`` (2-norms).

    Stops when the residual has fallen by ``tolerance`` from where it started, or is below ``floor`` times ``b``, or
    after ``most`` iterations, which are up to :data:`MORE` times as many where it has risen at first, as it may: else
    few iterations from a poor start would be for nothing every time. Where it breaks down, which it does at times where
    little is left to be done, ``x`` is not left worse than it was, and a second try has another shadow.

    Source: van der Vorst, SIAM J. Sci. Stat. Comput. 13 (1992).
    """
    r = np.zeros_like(x)
    matvec(x, r)
    np.subtract(b, r, out=r)
    scale = np.sqrt(product(b, b)) or 1.0
    start = np.sqrt(product(r, r)) / scale
    tolerance = max(tolerance * start, floor)
    if start <= tolerance:
        return 0, start
    given, shadow = x.copy(), r.copy()
    done, level = _descend(matvec, precondition, shadow, r, x, scale, tolerance, start, most)
    if not level <= start:
        x[:] = given
        matvec(x, r)
        np.subtract(b, r, out=r)
        shadow[:] = precondition(r)
        more, level = _descend(matvec, precondition, shadow, r, x, scale, tolerance, start, most)
        done += more
    if not level <= start:
        x[:], level = given, start
    return done, level


def _descend(matvec, precondition, shadow, r, x, scale, tolerance, start, most) -> tuple[int, float]:
    """Iterations of :func:`bicgstab` from residual ``r`` until its norm over ``scale`` is below ``tolerance``, or far
    above ``start``."""
    rho, alpha, omega, level = 1.0, 1.0, 1.0, np.inf
    v, p, t = np.zeros_like(r), np.zeros_like(r), np.zeros_like(r)
    for it in range(1, MORE * most + 1):
        rho_new = product(shadow, r)
        if rho_new == 0.0:
            return it, level
        beta = (rho_new / rho) * (alpha / omega)
        over(halves(x.size), lambda h, beta=beta, omega=omega: blend3(r[h], beta, omega, v[h], p[h]))
        rho = rho_new
        y = precondition(p)
        matvec(y, v)
        curve = product(shadow, v)
        if curve == 0.0:
            return it, level
        alpha = rho / curve
        level = np.sqrt(together(alpha, y, v, x, r)) / scale
        if level <= tolerance:
            return it, level
        z = precondition(r)
        matvec(z, t)
        turn = product(t, t)
        if turn == 0.0:
            return it, level
        omega = product(t, r) / turn
        level = np.sqrt(together(omega, z, t, x, r)) / scale
        if level <= tolerance or not level <= LOST * start or (it >= most and level <= start):
            return it, level
    return MORE * most, level


def product(a, b) -> float:
    """a . b of two flat arrays."""
    return sum(over(halves(a.size), lambda h: dot(a[h], b[h])))


def together(alpha: float, y, v, x, r) -> float:
    """x += alpha y, r -= alpha v; returns r . r."""
    return sum(over(halves(x.size), lambda h: step(alpha, y[h], v[h], x[h], r[h])))


@njit(cache=True, nogil=True, fastmath={"contract", "reassoc", "nsz"})
def dot(a, b):
    """a . b, by one thread: a library that shares so short a sum among threads waits for them when the machine is
    busy."""
    total = 0.0
    for c in range(a.size):
        total += a[c] * b[c]
    return total


@njit(cache=True, nogil=True)
def blend3(r, beta, omega, v, p):
    """p = r + beta (p - omega v)."""
    for c in range(p.size):
        p[c] = r[c] + beta * (p[c] - omega * v[c])


@njit(cache=True, nogil=True, fastmath={"contract", "reassoc", "nsz"})
def step(alpha, y, v, x, r):
    """x += alpha y, r -= alpha v; returns r . r."""
    total = 0.0
    for c in range(x.size):
        x[c] += alpha * y[c]
        e = r[c] - alpha * v[c]
        r[c] = e
        total += e * e
    return total
