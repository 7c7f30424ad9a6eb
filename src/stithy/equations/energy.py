"""Energy over solids and fluids together: conduction, convection, heat sources, exchange with the outside."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..mesh.occupancy import FLUID, VOID
from ..numerics.limiter import limited_flux
from ..numerics.means import between
from ..numerics.rows import BLOCK, clear_ends
from .staggered import Staggered


class Conduction:
    """Conductances (W/K) of all high faces: two half cells (or the parts up to a curved wall) and a contact resistance
    in series.

    Faces of solids alone are worked out once; those that touch fluid anew whenever the effective conductivity changes.
    """

    def __init__(self, geo: Staggered, k, contact=None):
        kind = geo.kind.reshape(geo.shape)
        fluid, void = kind == FLUID, kind == VOID
        self.g, self.low, self.high, self.base, self.cells, self.over, self.wall, self.thin = ([] for _ in range(8))
        for a in range(3):
            half = np.broadcast_to(0.5 * geo.along(geo.width[a], a), geo.shape)
            near, far = half, np.roll(half, -1, a)
            if geo.case.crossing is not None:
                gap = geo.along(geo.points[a], a)
                gap = np.roll(gap, -1, a) - gap
                share = geo.pad(geo.case.crossing.share[a], np.nan).reshape(geo.shape)
                cut = np.isfinite(share)
                near = np.where(cut, np.maximum(share * gap, 0.05 * half), near)
                if geo.case.crossing.back is not None:
                    back = geo.pad(geo.case.crossing.back[a], np.nan).reshape(geo.shape)
                    share = np.where(np.isfinite(back), back, share)
                far = np.where(cut, np.maximum((1 - share) * gap, 0.05 * np.roll(half, -1, a)), far)
            ka = k[a].reshape(geo.shape)
            ka = np.where(ka > 0, ka, 1.0)
            low, high = near / ka, far / np.roll(ka, -1, a)
            rest = np.zeros(geo.shape)
            if contact is not None:
                rest = geo.pad(contact[a]).reshape(geo.shape)
            dead = void | np.roll(void, -1, a)
            np.moveaxis(dead, a, 0)[-1] = True  # nothing lies beyond the last ghost layer
            area = np.where(dead, 0.0, geo.area[a].reshape(geo.shape))
            g = (area / (low + high + rest)).astype(np.float32).ravel()
            touch = np.flatnonzero((fluid | np.roll(fluid, -1, a)).ravel() & (area.ravel() > 0)).astype(np.int32)
            self.g.append(geo.wrapped(g))
            self.cells.append(touch)
            both = (fluid & np.roll(fluid, -1, a)).ravel()[touch]
            if geo.shut is not None:
                both &= ~geo.shut[a].ravel()[touch]
            self.wall.append(~both)
            self.low.append(np.where(fluid.ravel()[touch], low.ravel()[touch], 0.0).astype(np.float32))
            ahead = np.roll(fluid, -1, a).ravel()[touch]
            self.high.append(np.where(ahead, high.ravel()[touch], 0.0).astype(np.float32))
            solid = np.where(fluid.ravel()[touch], 0.0, low.ravel()[touch]) + np.where(ahead, 0.0, high.ravel()[touch])
            self.base.append((solid + rest.ravel()[touch]).astype(np.float32))
            self.over.append(area.ravel()[touch].astype(np.float32))
            self.thin.append(
                np.zeros(len(touch), np.float32)
            )  # least conductivity ratio of the fluid's half: see wall_layer
        self.geo = geo

    def update(self, k_eff, k_wall) -> list[np.ndarray]:
        """Conductances now; ``k_eff`` and ``k_wall`` are ratios to the reference conductivity (flat)."""
        for a in range(3):
            c, st = self.cells[a], self.geo.s[a]
            if len(c):
                series(
                    c,
                    st,
                    self.wall[a],
                    self.low[a],
                    self.high[a],
                    self.base[a],
                    self.over[a],
                    self.thin[a],
                    k_eff,
                    k_wall,
                    self.g[a],
                )
                self.geo.wrapped(self.g[a])
        return self.g


@njit(cache=True, nogil=True)
def series(cells, st, wall, low, high, base, area, thin, k_eff, k_wall, out):
    """Conductance of the faces that touch fluid."""
    for m in range(cells.size):
        c = cells[m]
        r = float(base[m])
        if wall[m]:
            near, far = max(k_wall[c], thin[m]), max(k_wall[c + st], thin[m])
        else:
            near = between(k_eff[c], k_eff[c + st])
            far = near
        if low[m] > 0.0:
            r += low[m] / near
        if high[m] > 0.0:
            r += high[m] / far
        out[c] = area[m] / r


@njit(cache=True, nogil=True, fastmath={"contract", "nsz"})
def apply(n, s, low, high, extra, x, y):
    """y = A x for the upwind energy operator (W for x in K); row sums of the neighbours plus ``extra`` are the
    diagonal."""
    s0, s1 = s[0], s[1]
    per = max(BLOCK // s1, 1)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1, per):
            rows = min(per, n[1] + 1 - j)
            a, w = i * s0 + j * s1, rows * s1
            e = a + w
            z, out, own = x[a:e], y[a:e], extra[a:e]
            h0, l0, h1, l1, h2, l2 = high[0][a:e], low[0][a:e], high[1][a:e], low[1][a:e], high[2][a:e], low[2][a:e]
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


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def deferred(n, s, axis, face, f, spacing, x, b):
    """Add to ``b`` (W) what the limited scheme carries beyond upwind through the faces along ``axis``.

    ``f`` what passes the high faces (W/K), ``spacing`` as from :func:`limiter.tiled`.
    """
    st, s1 = s[axis], s[1]
    per = max(BLOCK // s1, 1)
    late = np.zeros(per * s1)
    for i in range(0 if axis == 0 else 1, n[0] + 1):
        for j in range(0 if axis == 1 else 1, n[1] + 1, per):
            rows = min(per, n[1] + 1 - j)
            c, w = i * s[0] + j * s1, rows * s1
            _late_block(axis, st, i, j * s1, c, w, face, f, spacing, x, late)
            clear_ends(late, s1, rows, 0 if axis == 2 else 1, n[2])
            ba, bb = b[c : c + w], b[c + st : c + st + w]
            for k in range(w):
                ba[k] -= late[k]
            for k in range(w):
                bb[k] += late[k]


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def _late_block(axis, st, i, r, c, w, face, f, spacing, x, late):
    """The deferred part of one block of faces."""
    before, beyond = (
        max(c - st, 0),
        min(c + 2 * st, x.size - w),
    )  # nothing is read beyond the ghosts but to be thrown away
    x0, x1, x2, x3 = x[before : before + w], x[c : c + w], x[c + st : c + st + w], x[beyond : beyond + w]
    e0, e1, e2, flux = face[before : before + w], face[c : c + w], face[c + st : c + st + w], f[c : c + w]
    if axis == 0:
        q0, q1, q2, q3, q4 = spacing[0, i], spacing[1, i], spacing[2, i], spacing[3, i], spacing[4, i]
        for k in range(w):
            y = limited_flux(flux[k], e0[k] == 1, e2[k] == 1, x0[k], x1[k], x2[k], x3[k], q0, q1, q2, q3, q4)
            late[k] = y if e1[k] == 1 else 0.0
    else:
        q0, q1, q2, q3, q4 = (
            spacing[0, r : r + w],
            spacing[1, r : r + w],
            spacing[2, r : r + w],
            spacing[3, r : r + w],
            spacing[4, r : r + w],
        )
        for k in range(w):
            y = limited_flux(
                flux[k], e0[k] == 1, e2[k] == 1, x0[k], x1[k], x2[k], x3[k], q0[k], q1[k], q2[k], q3[k], q4[k]
            )
            late[k] = y if e1[k] == 1 else 0.0


@njit(cache=True, nogil=True)
def motion(active, inner, before, now):
    """Largest change from ``before`` to ``now``, and the least and largest value now, of the cells that are ``active``
    and ``inner``."""
    moved, low, high = 0.0, np.inf, -np.inf
    for c in range(now.size):
        if active[c] and inner[c]:
            moved, low, high = max(moved, abs(now[c] - before[c])), min(low, now[c]), max(high, now[c])
    return moved, low, high
