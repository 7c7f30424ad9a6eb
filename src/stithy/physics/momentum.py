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
    return (a + b + c + d) / max(count, 1)


@njit(cache=True, inline="always")
def between(a, b):
    """Mean of two viscosities or conductivities: close to the logarithmic mean, which is exact where they grow linearly from a wall."""
    return (0.5 * (a + b) + 2.0 * np.sqrt(a * b)) / 3.0


def reciprocals(at: np.ndarray) -> np.ndarray:
    """1 / (at[m + 1] - at[m]) for m = 0, 1, ...; one longer than needed, the last repeated."""
    inverse = 1.0 / np.diff(at)
    return np.append(inverse, inverse[-1])


@njit(cache=True, fastmath={"contract", "arcp", "nsz"})
def faces(n, s, own, axis, first, last, phi, face, mf, g, mu, blend, at, inv, cut, low, high, b, carry):
    """Links of one momentum component across the faces of its control volumes along one axis.

    ``own`` is the component's axis, ``axis`` that of the faces. Face m lies on the high side of velocity m along
    ``axis``; m runs from first[axis] to last[axis], across the other axes from first to last. mf mass flux (kg/s) on high
    faces, g geometric factor (m), mu viscosity (Pa s) of cells; at, inv, cut: positions of the points, their reciprocal
    distances, positions of the control volumes' faces. Fills high[c] (weight of the value at c + s in the equation of c) and
    low[c + s]; adds the deferred part of the convection to ``b`` on both sides (N).
    """
    st, sn = s[axis], s[own]
    same = own == axis
    for i in range(first[0], last[0] + 1):
        for j in range(first[1], last[1] + 1):
            row = i * s[0] + j * s[1]
            for k in range(first[2], last[2] + 1):
                c = row + k
                m = i if axis == 0 else (j if axis == 1 else k)
                f = 0.5 * (mf[c] + mf[c + sn])
                if same:
                    d = g[c] * mu[c + sn]
                    if g[c] == 0.0:
                        f = 0.0
                else:
                    d = g[c]
                    if d > 0.0:
                        near = _mean(mu[c], mu[c + sn], 0.0, 0.0)
                        far = _mean(mu[c + st], mu[c + st + sn], 0.0, 0.0)
                        d *= between(near, far) if near > 0.0 and far > 0.0 else max(near, far)
                high[c] = d + max(-f, 0.0)
                low[c + st] = d + max(f, 0.0)
                carry[c] += max(-f, 0.0)
                carry[c + st] += max(f, 0.0)
                if blend > 0.0:
                    late = 0.0
                    if f > 0.0:
                        if m > 0 and face[c] == 1:
                            late = f * limited(phi[c - st], phi[c], phi[c + st], inv[m - 1], inv[m], cut[m] - at[m])
                    elif f < 0.0 and m < n[axis] and face[c + st] == 1:
                        late = f * limited(phi[c + 2 * st], phi[c + st], phi[c], -inv[m + 1], -inv[m], cut[m] - at[m + 1])
                    if late != 0.0:
                        b[c] -= blend * late
                        b[c + st] += blend * late


@njit(cache=True, fastmath={"contract", "arcp", "nsz"})
def close(n, s, sn, first, face, low, high, gw, wall_mu, rho, control, area, p, lift, lift_by, push, phi, memory, rate, rate_t, weight_t,
          alpha, carry, still, least, ap, b, d):
    """Diagonal, pressure, inertia, relaxation; returns the sums of |residual| and of |a_P phi| (N) before the sweeps.

    On entry ap and b hold what devices and the deferred convection put there. ``lift`` (N s2/m per cell) times -``lift_by``
    (m/s2) is the buoyancy of a cell, ``push`` a body force (Pa/m). ``rate`` (1/s) is the inverse of the inertial time scale of a
    steady run; ``rate_t`` and ``weight_t`` (1/s) the weights of the new velocity and of ``memory`` (m/s) in the time
    derivative. d = A / (a_P / alpha - sum a_nb): walls left out of the neighbour sum.
    """
    r, scale = 0.0, 0.0
    s0, s1 = s[0], s[1]
    for i in range(first[0], n[0] + 1):
        for j in range(first[1], n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + first[2], row + n[2] + 1):
                kind = face[c]
                if kind != 1 and kind != 3:
                    ap[c] = 0.0
                    d[c] = 0.0
                    continue
                x = phi[c]
                total = low[0, c] + low[1, c] + low[2, c] + high[0, c] + high[1, c] + high[2, c]
                mass = rho[c] * control[c]
                full = total + ap[c] + mass * (rate + rate_t)
                if gw[c] > 0.0:
                    full += gw[c] * _mean(wall_mu[c], wall_mu[c + sn], 0.0, 0.0)
                force = b[c] + mass * (rate * x + weight_t * memory[c]) + area[c] * (p[c] - p[c + sn]) + push * control[c]
                if lift_by != 0.0:
                    force -= 0.5 * lift_by * (lift[c] + lift[c + sn])
                near = 0.0
                if low[0, c] != 0.0:
                    near += low[0, c] * phi[c - s0]
                if low[1, c] != 0.0:
                    near += low[1, c] * phi[c - s1]
                if low[2, c] != 0.0:
                    near += low[2, c] * phi[c - 1]
                near += high[0, c] * phi[c + s0] + high[1, c] * phi[c + s1] + high[2, c] * phi[c + 1]
                r += abs(force + near - full * x)
                scale += abs(full * x)
                relaxed = full + (1.0 / alpha - 1.0) * carry[c] + still * (full - carry[c])
                b[c] = force + (relaxed - full) * x
                ap[c] = 1.0 / relaxed
                d[c] = area[c] / max(relaxed - total, least * relaxed)
    return r, scale


@njit(cache=True, fastmath={"contract", "nsz"})
def sweep(n, s, first, face, phi, low, high, inverse, b, forward):
    """One Gauss-Seidel sweep by rows, in the order of storage or against it; a row's odd and even points in turn."""
    s0, s1 = s[0], s[1]
    wide, deep = n[0] + 1 - first[0], n[1] + 1 - first[1]
    for ii in range(wide):
        i = first[0] + ii if forward else n[0] - ii
        for jj in range(deep):
            j = first[1] + jj if forward else n[1] - jj
            row = i * s0 + j * s1
            for half in range(2):
                for c in range(row + first[2] + (half if forward else 1 - half), row + n[2] + 1, 2):
                    a = inverse[c]
                    if a != 0.0:
                        x = b[c] + high[0, c] * phi[c + s0] + high[1, c] * phi[c + s1] + high[2, c] * phi[c + 1]
                        x += low[1, c] * phi[c - s1] + low[2, c] * phi[c - 1]
                        if i > 0:
                            x += low[0, c] * phi[c - s0]
                        phi[c] = a * x


@njit(cache=True)
def lines(n, s, first, axis, phi, low, high, inverse, b, gain, value):
    """Gauss-Seidel by whole lines along ``axis``, each solved at once (Thomas' algorithm); ``gain``, ``value`` are work space.

    For flow that diffusion rules across many cells, where points by themselves would take hundreds of sweeps.
    """
    t, r = (1 if axis == 0 else 0), (1 if axis == 2 else 2)
    st = s[axis]
    for p in range(first[t], n[t] + 1):
        for q in range(first[r], n[r] + 1):
            base = p * s[t] + q * s[r]
            previous = -1
            for m in range(first[axis], n[axis] + 1):
                c = base + m * st
                a = inverse[c]
                if a == 0.0:
                    previous = -1
                    gain[m] = 0.0
                    value[m] = phi[c]
                    continue
                x = b[c]
                for d in range(3):
                    if d != axis:
                        x += high[d, c] * phi[c + s[d]]
                        if low[d, c] != 0.0:
                            x += low[d, c] * phi[c - s[d]]
                lo, hi = low[axis, c], high[axis, c]
                end = m == n[axis] or inverse[c + st] == 0.0
                if end and hi != 0.0:
                    x += hi * phi[c + st]
                if previous < 0:
                    if lo != 0.0:
                        x += lo * phi[c - st]
                    pivot = 1.0 / a
                else:
                    pivot = 1.0 / a - lo * gain[m - 1]
                    x += lo * value[m - 1]
                gain[m] = 0.0 if end else hi / pivot
                value[m] = x / pivot
                previous = m
            for m in range(n[axis], first[axis] - 1, -1):
                c = base + m * st
                if inverse[c] != 0.0:
                    ahead = phi[c + st] if gain[m] != 0.0 else 0.0
                    phi[c] = value[m] + gain[m] * ahead


@njit(cache=True)
def defect(n, s, first, phi, low, high, inverse, b):
    """Sum of |residual| of the linear equations (in units of force)."""
    r = 0.0
    for i in range(first[0], n[0] + 1):
        for j in range(first[1], n[1] + 1):
            for k in range(first[2], n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if inverse[c] != 0.0:
                    x = b[c] - phi[c] / inverse[c]
                    for d in range(3):
                        x += high[d, c] * phi[c + s[d]]
                        if low[d, c] != 0.0:
                            x += low[d, c] * phi[c - s[d]]
                    r += abs(x)
    return r


def strides(s) -> np.ndarray:
    """Strides as the array the kernels take."""
    return np.array(s, np.int64)
