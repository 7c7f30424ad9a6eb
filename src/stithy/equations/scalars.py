"""Kernels for transported scalars on cells: links, strain rate, gradients, one relaxed sweep set."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..numerics.means import between
from ..numerics.slabs import over


@njit(cache=True, nogil=True)
def links(n, s, axis, face, flux, w0, w1, w2, gamma, low, high):
    """Weights of the neighbours (kg/s) along one axis: upwind convection plus diffusion, through faces between fluid
    cells.

    flux mass flux (kg/s) on high faces, w* padded widths (m), gamma (Pa s) of cells, taken at faces as near-logarithmic
    mean. Fills high[c] and low[c + s] of the axis; nothing passes other faces.
    """
    st = s[axis]
    for i in range(0 if axis == 0 else 1, n[0] + 1):
        for j in range(0 if axis == 1 else 1, n[1] + 1):
            for k in range(0 if axis == 2 else 1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if face[c] != 1:
                    high[c] = 0.0
                    low[c + st] = 0.0
                    continue
                if axis == 0:
                    size = w1[j] * w2[k] / (w0[i] + w0[i + 1])
                elif axis == 1:
                    size = w0[i] * w2[k] / (w1[j] + w1[j + 1])
                else:
                    size = w0[i] * w1[j] / (w2[k] + w2[k + 1])
                d = 2.0 * size * between(gamma[c], gamma[c + st])
                high[c] = d + max(-flux[c], 0.0)
                low[c + st] = d + max(flux[c], 0.0)


@njit(cache=True, nogil=True)
def solve(n, s, fluid, low, high, m0, m1, m2, more, sink, source, held, value, alpha, still, least, x, ap, b, sweeps):
    """Relaxed Gauss-Seidel on the fluid cells; returns the relative residual before.

    ``more`` weight of what openings bring in (its value times weight is in ``source``), ``sink`` >= 0 (kg/s),
    ``source`` (kg/s times the scalar); cells with ``held`` take ``value``. The scalar never falls below ``least``. What
    mass fluxes ``m*`` bring and sinks are relaxed by ``alpha``, diffusion by no more than the part ``still``.
    """
    r, scale = 0.0, 0.0
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                if not fluid[c]:
                    ap[c] = 0.0
                    continue
                if held[c]:
                    x[c] = value[c]
                    ap[c] = 0.0
                    continue
                total = low[0][c] + low[1][c] + low[2][c] + high[0][c] + high[1][c] + high[2][c] + more[c] + sink[c]
                near = (
                    low[0][c] * x[c - s0]
                    + low[1][c] * x[c - s1]
                    + low[2][c] * x[c - 1]
                    + high[0][c] * x[c + s0]
                    + high[1][c] * x[c + s1]
                    + high[2][c] * x[c + 1]
                )
                force = b[c] + source[c]
                r += abs(force + near - total * x[c])
                scale += abs(total * x[c])
                total = max(total, 1e-300)
                passing = 0.5 * (
                    abs(m0[c]) + abs(m0[c - s0]) + abs(m1[c]) + abs(m1[c - s1]) + abs(m2[c]) + abs(m2[c - 1])
                )
                slow = min(passing + sink[c], total) * (1.0 / alpha - 1.0) + still * total
                b[c] = force + slow * x[c]
                ap[c] = 1.0 / (total + slow)
    for turn in range(sweeps):
        forward = turn % 2 == 0
        for ii in range(n[0]):
            i = ii + 1 if forward else n[0] - ii
            for jj in range(n[1]):
                j = jj + 1 if forward else n[1] - jj
                row = i * s0 + j * s1
                for half in range(2):
                    for c in range(row + 1 + half, row + n[2] + 1, 2):
                        if ap[c] != 0.0:
                            y = ap[c] * (
                                b[c]
                                + low[0][c] * x[c - s0]
                                + low[1][c] * x[c - s1]
                                + low[2][c] * x[c - 1]
                                + high[0][c] * x[c + s0]
                                + high[1][c] * x[c + s1]
                                + high[2][c] * x[c + 1]
                            )
                            x[c] = max(y, least)
    return r / scale if scale > 0.0 else 0.0


def strain(flow, fluid, law, out) -> None:
    """:func:`strain2` of the velocities of ``flow``, slab by slab."""
    geo = flow.geo
    over(flow.parts, lambda p: strain2(p.lo + 1, p.hi, flow.n, flow.s, fluid, *geo.face, *flow.u, *geo.width, law, out))


@njit(cache=True, nogil=True)
def strain2(first, last, n, s, fluid, face0, face1, face2, u, v, w, w0, w1, w2, law, out):
    """S^2 = 2 S_ij S_ij (1/s2) at cell centres; a blocked face stands still, other faces without a neighbour repeat the
    cell.

    For planes ``first`` to ``last``. The face towards a cell that has a wall behind it has that cell's velocity times
    its ``law`` where that is positive, or the own one times minus the own ``law`` where that is negative; else the
    linear mean.
    """
    g = np.zeros((3, 3))
    q = np.zeros(3)
    z = np.zeros(3)
    for i in range(first, last + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if not fluid[c]:
                    out[c] = 0.0
                    continue
                q[0], q[1], q[2] = 0.5 * (u[c] + u[c - s[0]]), 0.5 * (v[c] + v[c - s[1]]), 0.5 * (w[c] + w[c - 1])
                for t in range(3):
                    st = s[t]
                    face = face0 if t == 0 else (face1 if t == 1 else face2)
                    wt = w0 if t == 0 else (w1 if t == 1 else w2)
                    m = i if t == 0 else (j if t == 1 else k)
                    for a in range(3):
                        g[a, t] = 0.0
                    for side in range(2):
                        d = c + st if side else c - st
                        kind = face[c] if side else face[c - st]
                        sign = 1.0 if side else -1.0
                        if kind == 1:
                            z[0], z[1], z[2] = (
                                0.5 * (u[d] + u[d - s[0]]),
                                0.5 * (v[d] + v[d - s[1]]),
                                0.5 * (w[d] + w[d - 1]),
                            )
                            other = wt[m + 1] if side else wt[m - 1]
                            f = wt[m] / (wt[m] + other)
                            behind = face[d] if side else face[d - st]
                            outer, inner = (law[d], -law[c]) if behind == 0 and law[c] <= 0.0 else (0.0, 0.0)
                            for a in range(3):
                                value = q[a] + f * (z[a] - q[a])
                                if a != t and outer > 0.0:
                                    value = z[a] * outer
                                elif a != t and inner > 0.0:
                                    value = q[a] * inner
                                g[a, t] += sign * value
                        elif kind != 0:
                            for a in range(3):
                                g[a, t] += sign * q[a]
                    for a in range(3):
                        g[a, t] /= wt[m]
                g[0, 0] = (u[c] - u[c - s[0]]) / w0[i]
                g[1, 1] = (v[c] - v[c - s[1]]) / w1[j]
                g[2, 2] = (w[c] - w[c - 1]) / w2[k]
                total = 0.0
                for a in range(3):
                    for t in range(3):
                        total += 0.5 * (g[a, t] + g[t, a]) ** 2
                out[c] = total


@njit(cache=True, nogil=True)
def product(n, s, fluid, face0, face1, face2, x, y, w0, w1, w2, out):
    """grad x . grad y at cell centres; no gradient across faces without a fluid neighbour."""
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                out[c] = 0.0
                if not fluid[c]:
                    continue
                for t in range(3):
                    st = s[t]
                    face = face0 if t == 0 else (face1 if t == 1 else face2)
                    wt = w0 if t == 0 else (w1 if t == 1 else w2)
                    m = i if t == 0 else (j if t == 1 else k)
                    gx, gy, span = 0.0, 0.0, 0.0
                    if face[c] == 1:
                        gx += x[c + st] - x[c]
                        gy += y[c + st] - y[c]
                        span += 0.5 * (wt[m] + wt[m + 1])
                    if face[c - st] == 1:
                        gx += x[c] - x[c - st]
                        gy += y[c] - y[c - st]
                        span += 0.5 * (wt[m] + wt[m - 1])
                    if span > 0.0:
                        out[c] += gx * gy / (span * span)
