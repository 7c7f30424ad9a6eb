"""Momentum in one direction: implicit upwind with a deferred correction to a limited second-order scheme."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..numerics.limiter import limited_flux
from ..numerics.means import between
from ..numerics.rows import BLOCK, clear_ends


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def _across(same, c, wide, st, sn, mf, g, mu, flux, drag):
    """Mass flux (kg/s) and drag (N s/m) of ``wide`` faces from cell ``c`` on."""
    f0, f1, gg = mf[c : c + wide], mf[c + sn : c + sn + wide], g[c : c + wide]
    m0, m1 = mu[c : c + wide], mu[c + sn : c + sn + wide]
    m2, m3 = mu[c + st : c + st + wide], mu[c + st + sn : c + st + sn + wide]
    if same:
        for k in range(wide):
            drag[k] = gg[k] * m1[k]
            flux[k] = 0.5 * (f0[k] + f1[k]) if gg[k] != 0.0 else 0.0
        return
    for k in range(wide):
        flux[k] = 0.5 * (f0[k] + f1[k])
        near = (m0[k] + m1[k]) * (0.5 if m0[k] > 0.0 and m1[k] > 0.0 else 1.0)
        far = (m2[k] + m3[k]) * (0.5 if m2[k] > 0.0 and m3[k] > 0.0 else 1.0)
        drag[k] = gg[k] * (between(near, far) if near > 0.0 and far > 0.0 else max(near, far))


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def _late_by_layers(c, wide, st, i, blend, phi, face, spacing, flux, late):
    """Deferred convection (N) where all faces of a stretch have one spacing, that of layer ``i``."""
    lo = max(c - st, 0)  # beyond the first ghost layer nothing is read but to be thrown away
    hi = min(c + 2 * st, phi.size - wide)
    x0, x1, x2, x3 = phi[lo : lo + wide], phi[c : c + wide], phi[c + st : c + st + wide], phi[hi : hi + wide]
    e1, e2 = face[c : c + wide], face[c + st : c + st + wide]
    before, mid, after, up, down = spacing[0, i], spacing[1, i], spacing[2, i], spacing[3, i], spacing[4, i]
    for k in range(wide):
        late[k] = blend * limited_flux(
            flux[k], e1[k] == 1, e2[k] == 1, x0[k], x1[k], x2[k], x3[k], before, mid, after, up, down
        )


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def _late_by_rows(c, wide, st, r, blend, phi, face, spacing, flux, late):
    """Deferred convection (N) where the spacing runs along with the cells, from ``r`` on."""
    lo = max(c - st, 0)  # beyond the first ghost layer nothing is read but to be thrown away
    hi = min(c + 2 * st, phi.size - wide)
    x0, x1, x2, x3 = phi[lo : lo + wide], phi[c : c + wide], phi[c + st : c + st + wide], phi[hi : hi + wide]
    e1, e2 = face[c : c + wide], face[c + st : c + st + wide]
    q0, q1, q2 = spacing[0, r : r + wide], spacing[1, r : r + wide], spacing[2, r : r + wide]
    q3, q4 = spacing[3, r : r + wide], spacing[4, r : r + wide]
    for k in range(wide):
        late[k] = blend * limited_flux(
            flux[k], e1[k] == 1, e2[k] == 1, x0[k], x1[k], x2[k], x3[k], q0[k], q1[k], q2[k], q3[k], q4[k]
        )


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def faces(s, own, axis, first, last, phi, face, mf, g, mu, blend, spacing, low, high, b, carry):
    """Links of one momentum component across the faces of its control volumes along one axis.

    ``own`` is the component's axis, ``axis`` that of the faces. Face m lies on the high side of velocity m along
    ``axis``; m runs from first[axis] to last[axis], across the other axes from first to last. mf mass flux (kg/s) on
    high faces, g geometric factor (m), mu viscosity (Pa s) of cells; spacing as from :func:`tiled`. Fills high[c]
    (weight of the value at c + s in the equation of c) and low[c + s]; adds the deferred part of the convection to
    ``b`` on both sides (N).
    """
    st, sn, s1 = s[axis], s[own], s[1]
    same = own == axis
    per = max(BLOCK // s1, 1)
    flux, late, drag = np.zeros(per * s1), np.zeros(per * s1), np.zeros(per * s1)
    for i in range(first[0], last[0] + 1):
        j = first[1]
        while j <= last[1]:
            rows = 1 if j == 0 else min(per, last[1] + 1 - j)  # before the first row of all nothing can be read
            c, wide = i * s[0] + j * s1, rows * s1
            _across(same, c, wide, st, sn, mf, g, mu, flux, drag)
            clear_ends(flux, s1, rows, first[2], last[2])
            clear_ends(drag, s1, rows, first[2], last[2])
            hh, ll = high[c : c + wide], low[c + st : c + st + wide]
            ca, cb = carry[c : c + wide], carry[c + st : c + st + wide]
            for k in range(wide):
                back = max(-flux[k], 0.0)
                hh[k] = drag[k] + back
                ca[k] += back
            for k in range(wide):
                on = max(flux[k], 0.0)
                ll[k] = drag[k] + on
                cb[k] += on
            if blend > 0.0:
                if axis == 0:
                    _late_by_layers(c, wide, st, i, blend, phi, face, spacing, flux, late)
                else:
                    _late_by_rows(c, wide, st, j * s1, blend, phi, face, spacing, flux, late)
                ba, bb = b[c : c + wide], b[c + st : c + st + wide]
                for k in range(wide):
                    ba[k] -= late[k]
                for k in range(wide):
                    bb[k] += late[k]
            j += rows


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz", "reassoc"})
def _forces(a, e, sn, source, dens, vol, wet, x, memory, p, lift, lift_by, push, rate, weight_t, force):
    """All that acts on a stretch of velocities (N): sources, inertia, pressure, body force, buoyancy."""
    w = e - a
    before, p0, p1 = memory[a:e], p[a:e], p[a + sn : e + sn]
    for k in range(w):
        force[k] = (
            source[k]
            + dens[k] * vol[k] * (rate * x[k] + weight_t * before[k])
            + wet[k] * (p0[k] - p1[k])
            + push * vol[k]
        )
    if lift_by != 0.0:
        t0, t1 = lift[a:e], lift[a + sn : e + sn]
        for k in range(w):
            force[k] -= 0.5 * lift_by * (t0[k] + t1[k])


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz", "reassoc"})
def _neighbours(i, a, e, s0, s1, low, high, phi, near):
    """Sum of the neighbours' values times their weights (N) over a stretch; in the ghost layer ``i`` = 0 nothing lies
    before it."""
    h0, h1, l1, h2, l2 = high[0][a:e], high[1][a:e], low[1][a:e], high[2][a:e], low[2][a:e]
    u0, u1, u2 = phi[a + s0 : e + s0], phi[a + s1 : e + s1], phi[a + 1 : e + 1]
    d1, d2 = phi[a - s1 : e - s1], phi[a - 1 : e - 1]
    for k in range(e - a):
        near[k] = l1[k] * d1[k] + l2[k] * d2[k] + h0[k] * u0[k] + h1[k] * u1[k] + h2[k] * u2[k]
    if i > 0:
        l0, d0 = low[0][a:e], phi[a - s0 : e - s0]
        for k in range(e - a):
            near[k] += l0[k] * d0[k]


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz", "reassoc"})
def close(
    n,
    s,
    sn,
    first,
    face,
    low,
    high,
    gw,
    wall_mu,
    rho,
    control,
    area,
    p,
    lift,
    lift_by,
    push,
    phi,
    memory,
    rate,
    rate_t,
    weight_t,
    alpha,
    carry,
    still,
    least,
    ap,
    b,
    d,
):
    """Diagonal, pressure, inertia, relaxation; returns the sums of |residual| and of |a_P phi| (N) before the sweeps.

    On entry ap and b hold what devices and the deferred convection put there. ``lift`` (N s2/m per cell) times
    -``lift_by`` (m/s2) is the buoyancy of a cell, ``push`` a body force (Pa/m). ``rate`` (1/s) is the inverse of the
    inertial time scale of a steady run; ``rate_t`` and ``weight_t`` (1/s) the weights of the new velocity and of
    ``memory`` (m/s) in the time derivative. d = A / (a_P / alpha - sum a_nb): walls left out of the neighbour sum.
    """
    r, scale = 0.0, 0.0
    s0, s1 = s[0], s[1]
    per = max(BLOCK // s1, 1)
    force, near, on = np.zeros(per * s1), np.zeros(per * s1), np.zeros(per * s1)
    for i in range(first[0], n[0] + 1):
        for j in range(first[1], n[1] + 1, per):
            rows = min(per, n[1] + 1 - j)
            w = rows * s1
            a = i * s0 + j * s1
            e = a + w
            x, source, vol, dens, wet, mass_of = phi[a:e], b[a:e], control[a:e], rho[a:e], area[a:e], carry[a:e]
            _forces(a, e, sn, source, dens, vol, wet, x, memory, p, lift, lift_by, push, rate, weight_t, force)
            _neighbours(i, a, e, s0, s1, low, high, phi, near)
            h0, l0, h1, l1, h2, l2 = high[0][a:e], low[0][a:e], high[1][a:e], low[1][a:e], high[2][a:e], low[2][a:e]
            kind, held, gain, wall = face[a:e], ap[a:e], d[a:e], gw[a:e]
            w0, w1 = wall_mu[a:e], wall_mu[a + sn : e + sn]
            for k in range(w):
                on[k] = 1.0 if kind[k] == 1 or kind[k] == 3 else 0.0
            clear_ends(on, s1, rows, first[2], n[2])
            for k in range(w):
                live = on[k] > 0.0
                total = l0[k] + l1[k] + l2[k] + h0[k] + h1[k] + h2[k]
                drag = wall[k] * (w0[k] + w1[k]) * (0.5 if w0[k] > 0.0 and w1[k] > 0.0 else 1.0)
                full = total + held[k] + dens[k] * vol[k] * (rate + rate_t) + drag
                r += abs(force[k] + near[k] - full * x[k]) if live else 0.0
                scale += abs(full * x[k]) if live else 0.0
                relaxed = full + (1.0 / alpha - 1.0) * mass_of[k] + still * (full - mass_of[k])
                source[k] = force[k] + (relaxed - full) * x[k]
                held[k] = 1.0 / relaxed if live else 0.0
                gain[k] = wet[k] / max(relaxed - total, least * relaxed) if live else 0.0
    return r, scale


@njit(cache=True, nogil=True)
def excess_of(n, s, low, high, inverse, live, excess):
    """What each diagonal (1 / ``inverse``) is above the weights of live neighbours (N s/m): walls, inertia,
    relaxation."""
    s0, s1, w = s[0], s[1], n[2]
    total = np.zeros(w)
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            a = i * s0 + j * s1 + 1
            e = a + w
            own, on, out = inverse[a:e], live[a:e], excess[a:e]
            for k in range(w):
                total[k] = 1.0 / own[k] if on[k] else 0.0
            for t in range(3):
                st = s[t]
                up, down, ahead, behind = high[t][a:e], low[t][a:e], live[a + st : e + st], live[a - st : e - st]
                for k in range(w):
                    total[k] -= (up[k] if ahead[k] else 0.0) + (down[k] if behind[k] else 0.0)
            for k in range(w):
                out[k] = max(total[k], 0.0) if on[k] else 0.0
