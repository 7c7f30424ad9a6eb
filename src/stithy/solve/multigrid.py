"""Aggregation multigrid for cell-centred equations on a rectilinear grid, used as a preconditioner.

Coarse levels come from joining cells in twos along the directions whose mean conductance is at least a fifth of
the largest; face conductances are summed and halved across joined directions, mass fluxes are summed, and
upwinding is rebuilt on each level. Cells with an empty diagonal (blocked) stay out.
"""
from __future__ import annotations

import numpy as np
from numba import njit

STRONG = 0.2


@njit(cache=True)
def _build(n, s, c0, c1, c2, f0, f1, f2, extra, convect, a_low, a_high, inv):
    """Matrix of one level: a_high[t] multiplies the high neighbour, a_low[t] the low one."""
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                total = 0.0
                for t in range(3):
                    st = s[t]
                    g = c0 if t == 0 else (c1 if t == 1 else c2)
                    hi, lo = g[c], g[c - st]
                    if convect:
                        f = f0 if t == 0 else (f1 if t == 1 else f2)
                        hi += max(-f[c], 0.0)
                        lo += max(f[c - st], 0.0)
                    a_high[t, c] = hi
                    a_low[t, c] = lo
                    total += hi + lo
                total += extra[c]
                inv[c] = 1.0 / total if total > 0.0 else 0.0


@njit(cache=True)
def _coarsen(n, s, m, cs, step, g, f, out_g, out_f, t, convect):
    """Sum fine face values of axis t that lie on coarse faces; conduction halved across a joined axis."""
    weight = 0.5 if step[t] == 2 else 1.0
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            cj = (j - 1) // step[1] + 1
            for k in range(1, n[2] + 1):
                ck = (k - 1) // step[2] + 1
                x = i if t == 0 else (j if t == 1 else k)
                if x == n[t] or (step[t] == 2 and x % 2 == 1):
                    continue
                c = i * s[0] + j * s[1] + k
                cc = ci * cs[0] + cj * cs[1] + ck
                out_g[cc] += weight * g[c]
                if convect:
                    out_f[cc] += f[c]


@njit(cache=True)
def _restrict(n, s, cs, step, fine, coarse):
    coarse[:] = 0
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            cj = (j - 1) // step[1] + 1
            for k in range(1, n[2] + 1):
                ck = (k - 1) // step[2] + 1
                coarse[ci * cs[0] + cj * cs[1] + ck] += fine[i * s[0] + j * s[1] + k]


@njit(cache=True)
def _prolong(n, s, cs, step, coarse, fine):
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            cj = (j - 1) // step[1] + 1
            for k in range(1, n[2] + 1):
                ck = (k - 1) // step[2] + 1
                fine[i * s[0] + j * s[1] + k] += coarse[ci * cs[0] + cj * cs[1] + ck]


@njit(cache=True)
def _colour(n, s, a_low, a_high, inv, b, x, colour):
    """Gauss-Seidel over the cells of one colour of the chequerboard."""
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1 + ((i + j + colour) & 1), n[2] + 1, 2):
                c = i * s[0] + j * s[1] + k
                if inv[c] != 0.0:
                    y = b[c]
                    for t in range(3):
                        y += a_high[t, c] * x[c + s[t]] + a_low[t, c] * x[c - s[t]]
                    x[c] = y * inv[c]


@njit(cache=True)
def _lexical(n, s, a_low, a_high, inv, b, x, forward):
    """Gauss-Seidel in the order of storage or against it; suits convection."""
    for ii in range(n[0]):
        i = ii + 1 if forward else n[0] - ii
        for jj in range(n[1]):
            j = jj + 1 if forward else n[1] - jj
            for kk in range(n[2]):
                k = kk + 1 if forward else n[2] - kk
                c = i * s[0] + j * s[1] + k
                if inv[c] != 0.0:
                    y = b[c]
                    for t in range(3):
                        y += a_high[t, c] * x[c + s[t]] + a_low[t, c] * x[c - s[t]]
                    x[c] = y * inv[c]


@njit(cache=True)
def _defect(n, s, a_low, a_high, inv, b, x, r):
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            for k in range(1, n[2] + 1):
                c = i * s[0] + j * s[1] + k
                if inv[c] != 0.0:
                    y = b[c] - x[c] / inv[c]
                    for t in range(3):
                        y += a_high[t, c] * x[c + s[t]] + a_low[t, c] * x[c - s[t]]
                    r[c] = y
                else:
                    r[c] = 0.0


class _Level:
    def __init__(self, n, dtype):
        self.n = np.array(n, np.int64)
        shape = self.n + 2
        self.s = np.array([shape[1] * shape[2], shape[2], 1], np.int64)
        self.size = int(np.prod(shape))
        self.c = [np.zeros(self.size, dtype) for _ in range(3)]
        self.f = [np.zeros(self.size, dtype) for _ in range(3)]
        self.extra = np.zeros(self.size, dtype)
        self.a_low = np.zeros((3, self.size), dtype)
        self.a_high = np.zeros((3, self.size), dtype)
        self.inv = np.zeros(self.size, dtype)
        self.x = np.zeros(self.size, dtype)
        self.b = np.zeros(self.size, dtype)
        self.r = np.zeros(self.size, dtype)
        self.step = None


class Multigrid:
    """A hierarchy for one grid size; :meth:`setup` fills it, :meth:`cycle` applies one W-cycle.

    Parameters: ``n`` inner cells (3,); ``convect`` whether mass fluxes take part (the matrix is then not
    symmetric and lexicographic sweeps replace the red and black ones); ``sweeps`` before and after.
    """

    def __init__(self, n, convect: bool = False, sweeps: int = 1, dtype=np.float32):
        self.convect, self.sweeps, self.dtype = convect, sweeps, dtype
        self.top = np.array(n, np.int64)
        self.levels: list[_Level] = [_Level(n, dtype)]

    def setup(self, conductance, flux, extra):
        """Fill all levels from flat padded arrays on high faces (W/K or any conductance; flux may be None)."""
        top = self.levels[0]
        for t in range(3):
            top.c[t][:] = conductance[t]
            if self.convect:
                top.f[t][:] = flux[t]
        top.extra[:] = extra
        i = 0
        while True:
            level = self.levels[i]
            _build(level.n, level.s, *level.c, *level.f, level.extra, self.convect,
                   level.a_low, level.a_high, level.inv)
            if level.n.prod() <= 32 or i > 20:
                break
            step = self._step(level)
            if step.max() == 1:
                break
            m = (level.n + step - 1) // step
            if i + 1 == len(self.levels) or (self.levels[i + 1].n != m).any() or (level.step != step).any():
                del self.levels[i + 1:]
                self.levels.append(_Level(m, self.dtype))
            level.step = step
            below = self.levels[i + 1]
            for t in range(3):
                below.c[t][:] = 0
                below.f[t][:] = 0
                _coarsen(level.n, level.s, below.n, below.s, step, level.c[t], level.f[t], below.c[t], below.f[t],
                         t, self.convect)
            _restrict(level.n, level.s, below.s, step, level.extra, below.extra)
            i += 1
        del self.levels[i + 1:]

    @staticmethod
    def _step(level) -> np.ndarray:
        strength = np.zeros(3)
        for t in range(3):
            faces = level.c[t]
            used = faces > 0
            if level.n[t] > 1 and used.any():
                strength[t] = float(faces[used].mean(dtype=np.float64))
        if strength.max() == 0:
            return np.ones(3, np.int64)
        return np.where((strength >= STRONG * strength.max()) & (level.n > 1), 2, 1).astype(np.int64)

    def cycle(self, b: np.ndarray) -> np.ndarray:
        """One W-cycle from zero for right-hand side ``b``; returns a view that the next cycle overwrites."""
        self.levels[0].b[:] = b
        self.levels[0].x[:] = 0
        self._cycle(0)
        return self.levels[0].x

    def _smooth(self, level, forward: bool, times: int = 1):
        for _ in range(self.sweeps * times):
            if self.convect:
                for way in (True, False):
                    _lexical(level.n, level.s, level.a_low, level.a_high, level.inv, level.b, level.x, way)
            else:
                for colour in ((0, 1) if forward else (1, 0)):
                    _colour(level.n, level.s, level.a_low, level.a_high, level.inv, level.b, level.x, colour)

    def _cycle(self, i: int):
        level = self.levels[i]
        if i == len(self.levels) - 1:
            self._smooth(level, True, 8)
            self._smooth(level, False, 8)
            return
        below = self.levels[i + 1]
        self._smooth(level, True)
        _defect(level.n, level.s, level.a_low, level.a_high, level.inv, level.b, level.x, level.r)
        _restrict(level.n, level.s, below.s, level.step, level.r, below.b)
        below.x[:] = 0
        for _ in range(1 if i + 2 == len(self.levels) else 2):
            self._cycle(i + 1)
        _prolong(level.n, level.s, below.s, level.step, below.x, level.x)
        self._smooth(level, False)
