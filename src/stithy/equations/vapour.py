"""Kernels for the share of vapour in a liquid: columns solved by Newton's method, sweep by sweep, and what crosses
faces.

Balance of a cell of volume V: V (a - a0) / dt + sum of q a_up + w A (1 - a_above) a_below through its faces = m, with
the volume flux q (m3/s), the slip speed w (m/s) of vapour past liquid towards the upper side, and the volume m (m3/s)
of vapour made. The slip flux D (1 - A) is linearised about its last donor D and acceptor A as (1 - A) a_d - D a_a + D A
in the rows of both cells, so that nothing is lost, the matrix keeps its sign, and any step is bounded once converged.
"""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def _unit(x):
    return min(max(x, 0.0), 1.0)


@njit(cache=True, nogil=True)
def sweep(n, s, v, up, backward, on, stored, known, q, spread, slip, leaving, a, low, mid, high, right):
    """One sweep over all columns along axis ``v``; returns the largest change of ``a``.

    ``on`` cells that take part; ``stored`` V / dt (m3/s), ``known`` what does not depend on ``a`` (m3/s), ``q`` volume
    flux (m3/s) through high faces between such cells (0 elsewhere), ``spread`` m3/s across them by a whole difference
    of shares (0 along ``v``), ``slip`` w A (m3/s) on high faces along ``v``,
    ``leaving`` m3/s of what goes out by openings; ``up`` +1 or -1 along ``v``. The last four are scratch of a column.
    """
    t0, t1 = (1, 2) if v == 0 else ((0, 2) if v == 1 else (0, 1))
    sv, s0, s1, m = s[v], s[t0], s[t1], n[v]
    worst = 0.0
    for ii in range(1, n[t0] + 1):
        i = n[t0] + 1 - ii if backward else ii
        for jj in range(1, n[t1] + 1):
            j = n[t1] + 1 - jj if backward else jj
            base = i * s0 + j * s1
            for k in range(1, m + 1):
                c = base + k * sv
                if not on[c]:
                    low[k], mid[k], high[k], right[k] = 0.0, 1.0, 0.0, a[c]
                    continue
                diagonal, rest = stored[c] + leaving[c], known[c]
                for t in range(3):
                    st = s[t]
                    ahead, behind = q[t][c], q[t][c - st]
                    diagonal += max(ahead, 0.0) + max(-behind, 0.0)
                    if t != v:
                        e, w = spread[t][c], spread[t][c - st]
                        diagonal += e + w
                        rest += (max(-ahead, 0.0) + e) * a[c + st] + (max(behind, 0.0) + w) * a[c - st]
                below, above = max(q[v][c - sv], 0.0), max(-q[v][c], 0.0)
                here = _unit(a[c])
                if up > 0:
                    w_up, w_down, over, under = slip[c], slip[c - sv], _unit(a[c + sv]), _unit(a[c - sv])
                else:
                    w_up, w_down, over, under = slip[c - sv], slip[c], _unit(a[c - sv]), _unit(a[c + sv])
                diagonal += w_up * (1.0 - over) + w_down * under
                rest += w_down * under * here - w_up * here * over
                from_under, from_over = w_down * (1.0 - here), w_up * here
                low[k] = below + (from_under if up > 0 else from_over)
                high[k] = above + (from_over if up > 0 else from_under)
                mid[k], right[k] = diagonal, rest
            for k in range(2, m + 1):
                f = low[k] / mid[k - 1]
                mid[k] -= f * high[k - 1]
                right[k] += f * right[k - 1]
            x = 0.0
            for k in range(m, 0, -1):
                x = (right[k] + high[k] * x) / mid[k] if mid[k] > 0.0 else a[base + k * sv]
                c = base + k * sv
                if on[c]:
                    worst = max(worst, abs(x - a[c]))
                    a[c] = x
    return worst


@njit(cache=True, nogil=True)
def through(n, s, v, up, q, spread, slip, a, out):
    """Volume of vapour (m3/s) through all high faces between cells into ``out``, by axis."""
    for t in range(3):
        st = s[t]
        for c in range(a.size - st):
            f = q[t][c]
            x = f * a[c] if f > 0.0 else f * a[c + st]
            if t != v:
                x += spread[t][c] * (a[c] - a[c + st])
            if t == v and slip[c] > 0.0:
                if up > 0:
                    x += slip[c] * _unit(a[c]) * (1.0 - _unit(a[c + st]))
                else:
                    x -= slip[c] * _unit(a[c + st]) * (1.0 - _unit(a[c]))
            out[t][c] = x


@njit(cache=True, nogil=True)
def gained(n, s, x, out):
    """What comes into every cell through its faces, from flows ``x`` through high faces, by axis."""
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s0 + j * s1 + k
                out[c] = x[0][c - s0] - x[0][c] + x[1][c - s1] - x[1][c] + x[2][c - 1] - x[2][c]


@njit(cache=True, nogil=True)
def blend(n, s, backward, on, stored, known, x, leaving, y):
    """One sweep of a share carried by flows ``x`` (m3/s, high faces); returns its largest change."""
    worst = 0.0
    for ii in range(1, n[0] + 1):
        i = n[0] + 1 - ii if backward else ii
        for jj in range(1, n[1] + 1):
            j = n[1] + 1 - jj if backward else jj
            for kk in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + (n[2] + 1 - kk if backward else kk)
                if not on[c]:
                    continue
                diagonal, rest = stored[c] + leaving[c], known[c]
                for t in range(3):
                    st = s[t]
                    ahead, behind = x[t][c], x[t][c - st]
                    diagonal += max(ahead, 0.0) + max(-behind, 0.0)
                    rest += max(-ahead, 0.0) * y[c + st] + max(behind, 0.0) * y[c - st]
                new = _unit(rest / diagonal) if diagonal > 1e-30 else 0.0
                worst = max(worst, abs(new - y[c]))
                y[c] = new
    return worst


def scratch(length: int) -> tuple[np.ndarray, ...]:
    """Four columns for :func:`sweep`."""
    return tuple(np.zeros(length + 2) for _ in range(4))
