"""Energy over solids and fluids together: conduction, convection, heat sources, exchange with the outside."""
from __future__ import annotations

import numpy as np
from numba import njit

from ..grid.occupancy import FLUID, VOID
from .momentum import limited
from .staggered import Staggered


def conductances(geo: Staggered, k, k_wall) -> list[np.ndarray]:
    """Conductance (W/K) of every high face: the two half cells in series.

    k : three flat arrays W/m/K. k_wall : flat array, the fluid's conductivity seen by a wall (equals the molecular
    one where the flow is laminar); used for the fluid half of a face between fluid and solid.
    """
    kind = geo.kind.reshape(geo.shape)
    fluid, void = kind == FLUID, kind == VOID
    out = []
    for a in range(3):
        half = 0.5 * geo.along(geo.width[a], a)
        ka = np.where(k[a] > 0, k[a], 1.0).reshape(geo.shape)
        kw = np.where(fluid, np.where(k_wall > 0, k_wall, 1.0).reshape(geo.shape), ka)
        wall = fluid ^ np.roll(fluid, -1, a)
        low = half / np.where(wall, kw, ka)
        high = np.roll(half / ka, -1, a)
        high_wall = np.roll(half / kw, -1, a)
        g = geo.area[a].reshape(geo.shape) / (low + np.where(wall, high_wall, high))
        g[void | np.roll(void, -1, a)] = 0.0
        out.append(np.ascontiguousarray(g.ravel()))
    return out


@njit(cache=True)
def apply(n, s, g0, g1, g2, f0, f1, f2, extra, x, y):
    """y = A x for the upwind energy operator (W for x in K)."""
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                total = extra[c] * x[c]
                for t in range(3):
                    st = s[t]
                    g = g0 if t == 0 else (g1 if t == 1 else g2)
                    f = f0 if t == 0 else (f1 if t == 1 else f2)
                    total += (g[c] + max(-f[c], 0.0)) * (x[c] - x[c + st])
                    total += (g[c - st] + max(f[c - st], 0.0)) * (x[c] - x[c - st])
                y[c] = total


@njit(cache=True)
def deferred(n, s, face0, face1, face2, f0, f1, f2, at0, at1, at2, inv0, inv1, inv2, cut0, cut1, cut2, x, b):
    """Add to ``b`` (W) what the limited scheme carries beyond upwind, face by face."""
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                for t in range(3):
                    if t == 0:
                        face, f, at, inv, cut, m = face0, f0, at0, inv0, cut0, i
                    elif t == 1:
                        face, f, at, inv, cut, m = face1, f1, at1, inv1, cut1, j
                    else:
                        face, f, at, inv, cut, m = face2, f2, at2, inv2, cut2, k
                    st = s[t]
                    if face[c] != 1:
                        continue
                    if f[c] > 0.0 and face[c - st] == 1:
                        x_f = limited(x[c - st], x[c], x[c + st], inv[m - 1], inv[m], cut[m] - at[m])
                    elif f[c] < 0.0 and face[c + st] == 1:
                        x_f = limited(x[c + 2 * st], x[c + st], x[c], -inv[m + 1], -inv[m], cut[m] - at[m + 1])
                    else:
                        continue
                    b[c] -= f[c] * x_f
                    b[c + st] += f[c] * x_f


def bicgstab(matvec, precondition, b, x, tolerance: float, floor: float, most: int) -> tuple[int, float]:
    """BiCGSTAB in place on ``x``; returns iterations and the residual over that of ``b`` (2-norms).

    Stops when the residual has fallen by ``tolerance`` from where it started, or is below ``floor`` times ``b``.

    Source: van der Vorst, SIAM J. Sci. Stat. Comput. 13 (1992).
    """
    ax = np.zeros_like(x)
    matvec(x, ax)
    r = b - ax
    scale = np.linalg.norm(b) or 1.0
    level = np.linalg.norm(r) / scale
    tolerance = max(tolerance * level, floor)
    if level <= tolerance:
        return 0, level
    r0, rho, alpha, omega = r.copy(), 1.0, 1.0, 1.0
    v, p = np.zeros_like(r), np.zeros_like(r)
    t = np.zeros_like(r)
    for it in range(1, most + 1):
        rho_new = float(r0 @ r)
        if rho_new == 0.0:
            return it, level
        p = r + (rho_new / rho) * (alpha / omega) * (p - omega * v)
        rho = rho_new
        y = precondition(p)
        matvec(y, v)
        curve = float(r0 @ v)
        if curve == 0.0:
            return it, level
        alpha = rho / curve
        x += alpha * y
        r -= alpha * v
        level = np.linalg.norm(r) / scale
        if level <= tolerance:
            return it, level
        z = precondition(r)
        matvec(z, t)
        turn = float(t @ t)
        if turn == 0.0:
            return it, level
        omega = float(t @ r) / turn
        x += omega * z
        r -= omega * t
        level = np.linalg.norm(r) / scale
        if level <= tolerance or not np.isfinite(level):
            return it, level
    return most, level
