"""Momentum in one direction: implicit upwind with a deferred correction to a limited second-order scheme."""
from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, inline="always")
def limited(up, centre, down, i_up, i_down, reach):
    """Correction to the upwind face value ``centre``, from van Albada's smooth mean of the two gradients.

    ``i_up`` and ``i_down`` are reciprocal distances (1/m) between the points, ``reach`` the distance from the upwind point to
    the face. Second order where the solution is smooth, upwind at an extremum, and differentiable in between, so that a
    steady residual can fall. Source: van Albada, van Leer & Roberts, Astron. Astrophys. 108 (1982).
    """
    g_up = (centre - up) * i_up
    g_down = (down - centre) * i_down
    product = g_up * g_down
    if product <= 0.0:
        return 0.0
    value = reach * product * (g_up + g_down) / (g_up * g_up + g_down * g_down)
    # never past the downwind value on a strongly graded grid
    step = down - centre
    return min(value, step) if step > 0.0 else max(value, step)


@njit(cache=True, inline="always")
def _mean(a, b, c, d):
    """Mean viscosity of the cells that hold fluid (others carry none)."""
    count = (a > 0.0) + (b > 0.0) + (c > 0.0) + (d > 0.0)
    return (a + b + c + d) / count if count > 0 else 0.0


def reciprocals(at: np.ndarray) -> np.ndarray:
    """1 / (at[m + 1] - at[m]) for m = 0, 1, ...; one longer than needed, the last repeated."""
    inverse = 1.0 / np.diff(at)
    return np.append(inverse, inverse[-1])


@njit(cache=True, fastmath={"contract", "arcp", "nsz"})
def assemble(n, s, sn, phi, face, mf0, mf1, mf2, g0, g1, g2, gw, mu, wall_mu, inertia, blend,
             at0, at1, at2, inv0, inv1, inv2, cut0, cut1, cut2, a_low, a_high, ap, b, links):
    """Coefficients of one momentum component.

    n (3,) inner cells, s strides, sn the stride of this component's axis; phi the velocity; mf* mass fluxes
    (kg/s) on high faces; g* and gw geometric factors (m); mu, wall_mu viscosities (Pa s) per cell; inertia
    (kg/s) per velocity; blend 0 (upwind) to 1 (limited); at*, inv*, cut* positions of the points, their reciprocal
    distances, and positions of the control volumes' high faces. Fills a_low, a_high (3, size), ap (net flux
    dropped), b (deferred part only) and links, the sum of the neighbour coefficients.
    """
    for i in range(0, n[0] + 1):
        for j in range(0, n[1] + 1):
            for k in range(0, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                kind = face[c]
                if kind != 1 and kind != 3:
                    ap[c] = 0.0
                    continue
                total = 0.0
                late = 0.0
                for t in range(3):
                    if t == 0:
                        st, mf, g, at, inv, cut, m = s[0], mf0, g0, at0, inv0, cut0, i
                    elif t == 1:
                        st, mf, g, at, inv, cut, m = s[1], mf1, g1, at1, inv1, cut1, j
                    else:
                        st, mf, g, at, inv, cut, m = s[2], mf2, g2, at2, inv2, cut2, k
                    if kind == 3 and st == sn:
                        # an opening's half volume: nothing but upwind, nothing from beyond
                        f_hi = 0.5 * (mf[c] + mf[c + sn]) if g[c] > 0.0 else 0.0
                        hi = g[c] * mu[c + sn] + max(-f_hi, 0.0) if g[c] > 0.0 else 0.0
                        lo = 0.0
                        if m > 0 and g[c - st] > 0.0:
                            f_lo = 0.5 * (mf[c - st] + mf[c])
                            lo = g[c - st] * mu[c] + max(f_lo, 0.0)
                    else:
                        f_hi = 0.5 * (mf[c] + mf[c + sn])
                        f_lo = 0.5 * (mf[c - st] + mf[c - st + sn])
                        if st == sn:
                            mu_hi, mu_lo = mu[c + sn], mu[c]
                        else:
                            mu_hi = _mean(mu[c], mu[c + sn], mu[c + st], mu[c + st + sn])
                            mu_lo = _mean(mu[c], mu[c + sn], mu[c - st], mu[c - st + sn])
                        hi = g[c] * mu_hi + max(-f_hi, 0.0)
                        lo = g[c - st] * mu_lo + max(f_lo, 0.0)
                        if blend > 0.0:
                            if f_hi > 0.0:
                                if kind == 1:
                                    late -= f_hi * limited(phi[c - st], phi[c], phi[c + st], inv[m - 1], inv[m],
                                                           cut[m] - at[m])
                            elif f_hi < 0.0 and face[c + st] == 1:
                                late -= f_hi * limited(phi[c + 2 * st], phi[c + st], phi[c], -inv[m + 1], -inv[m],
                                                       cut[m] - at[m + 1])
                            if f_lo > 0.0:
                                if face[c - st] == 1:
                                    late += f_lo * limited(phi[c - 2 * st], phi[c - st], phi[c], inv[m - 2], inv[m - 1],
                                                           cut[m - 1] - at[m - 1])
                            elif f_lo < 0.0 and kind == 1:
                                late += f_lo * limited(phi[c + st], phi[c], phi[c - st], -inv[m], -inv[m - 1],
                                                       cut[m - 1] - at[m])
                    a_hi_t = hi
                    a_lo_t = lo
                    a_high[t, c] = a_hi_t
                    a_low[t, c] = a_lo_t
                    total += a_hi_t + a_lo_t
                links[c] = total
                ap[c] = total + gw[c] * _mean(wall_mu[c], wall_mu[c + sn], 0.0, 0.0) + inertia[c]
                b[c] = blend * late + inertia[c] * phi[c]


@njit(cache=True)
def add_pressure(n, s, sn, face, area, p, b):
    """Add the pressure force of the two cells beside each velocity to ``b`` (N)."""
    for i in range(0, n[0] + 1):
        for j in range(0, n[1] + 1):
            for k in range(0, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if face[c] == 1 or face[c] == 3:
                    b[c] += area[c] * (p[c] - p[c + sn])


@njit(cache=True)
def relax(n, s, face, alpha, phi, ap, b, links, area, d):
    """Under-relax by ``alpha`` and set d = A / (a_P / alpha - sum a_nb), walls left out of the neighbour sum.
    """
    for i in range(0, n[0] + 1):
        for j in range(0, n[1] + 1):
            for k in range(0, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if face[c] == 1 or face[c] == 3:
                    full = ap[c] / alpha
                    b[c] += (full - ap[c]) * phi[c]
                    ap[c] = full
                    d[c] = area[c] / max(full - links[c], 1e-3 * full)
                else:
                    d[c] = 0.0


@njit(cache=True)
def residual(n, s, face, phi, a_low, a_high, ap, b):
    """Sum of |residual| and of |ap phi| over all velocities of a component (N), before the sweeps."""
    r, scale = 0.0, 0.0
    for i in range(0, n[0] + 1):
        for j in range(0, n[1] + 1):
            for k in range(0, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if face[c] == 1 or face[c] == 3:
                    x = b[c] - ap[c] * phi[c]
                    for t in range(3):
                        x += a_high[t, c] * phi[c + s[t]]
                        if a_low[t, c] != 0.0:
                            x += a_low[t, c] * phi[c - s[t]]
                    r += abs(x)
                    scale += abs(ap[c] * phi[c])
    return r, scale


@njit(cache=True)
def sweep(n, s, face, phi, a_low, a_high, ap, b, forward):
    """One Gauss-Seidel sweep over the planes of x, in the given direction."""
    for step in range(0, n[0] + 1):
        i = step if forward else n[0] - step
        for jj in range(0, n[1] + 1):
            j = jj if forward else n[1] - jj
            for kk in range(0, n[2] + 1):
                k = kk if forward else n[2] - kk
                c = i * s[0] + j * s[1] + k
                if face[c] == 1 or face[c] == 3:
                    x = b[c]
                    for t in range(3):
                        x += a_high[t, c] * phi[c + s[t]]
                        if a_low[t, c] != 0.0:
                            x += a_low[t, c] * phi[c - s[t]]
                    phi[c] = x / ap[c]


def strides(s) -> np.ndarray:
    """Strides as the array the kernels take."""
    return np.array(s, np.int64)
