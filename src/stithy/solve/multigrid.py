"""Aggregation multigrid for cell-centred equations on a rectilinear grid, used as a preconditioner.

Coarse levels come from joining cells in twos along the directions whose mean conductance is at least a fifth of
the largest; face conductances are summed and halved across joined directions, mass fluxes are summed, and
upwinding is rebuilt on each level. Cells with an empty diagonal (blocked) stay out. Along a periodic axis the ghost
layers repeat the far side, and are renewed after every sweep.
"""
from __future__ import annotations

import numpy as np
from numba import njit

STRONG = 0.2


@njit(cache=True)
def wrap(n, s, periodic, x):
    """Renew the ghost layers of ``x`` along every periodic axis (flat, padded)."""
    for a in range(3):
        if not periodic[a]:
            continue
        t, r = (1 if a == 0 else 0), (1 if a == 2 else 2)
        reach = n[a] * s[a]
        for p in range(n[t] + 2):
            for q in range(n[r] + 2):
                c = p * s[t] + q * s[r]
                x[c] = x[c + reach]
                x[c + reach + s[a]] = x[c + s[a]]


@njit(cache=True)
def _diagonal(n, s, c0, c1, c2, extra, inv):
    """1 / diagonal of a symmetric level."""
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                total = c0[c] + c0[c - s0] + c1[c] + c1[c - s1] + c2[c] + c2[c - 1] + extra[c]
                inv[c] = 1.0 / total if total > 0.0 else 0.0


@njit(cache=True)
def _upwind(n, s, c0, c1, c2, f0, f1, f2, extra, low, high, inv):
    """Matrix of a convective level: high[t] multiplies the high neighbour, low[t] the low one."""
    s0, s1 = s[0], s[1]
    zero = c0[0] * 0
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                h0, l0 = c0[c] + max(-f0[c], zero), c0[c - s0] + max(f0[c - s0], zero)
                h1, l1 = c1[c] + max(-f1[c], zero), c1[c - s1] + max(f1[c - s1], zero)
                h2, l2 = c2[c] + max(-f2[c], zero), c2[c - 1] + max(f2[c - 1], zero)
                high[0, c], high[1, c], high[2, c] = h0, h1, h2
                low[0, c], low[1, c], low[2, c] = l0, l1, l2
                total = h0 + l0 + h1 + l1 + h2 + l2 + extra[c]
                inv[c] = 1.0 / total if total > 0.0 else 0.0


@njit(cache=True)
def _coarsen(n, s, cs, step, g, out, t, weight, periodic):
    """Sum fine face values of axis t that lie on coarse faces, times ``weight``; odd ends stand alone."""
    out[:] = 0
    first = 0 if periodic else 1
    last = n[t] if periodic else n[t] - 1
    for i in range(first if t == 0 else 1, (last if t == 0 else n[0]) + 1):
        if t == 0 and step[0] == 2 and (i & 1) == 1 and i != n[0]:
            continue
        ci = (i + step[0] - 1) // step[0]
        for j in range(first if t == 1 else 1, (last if t == 1 else n[1]) + 1):
            if t == 1 and step[1] == 2 and (j & 1) == 1 and j != n[1]:
                continue
            cj = (j + step[1] - 1) // step[1]
            row, crow = i * s[0] + j * s[1], ci * cs[0] + cj * cs[1]
            for k in range(first if t == 2 else 1, (last if t == 2 else n[2]) + 1):
                if t == 2 and step[2] == 2 and (k & 1) == 1 and k != n[2]:
                    continue
                out[crow + (k + step[2] - 1) // step[2]] += weight * g[row + k]


@njit(cache=True)
def _restrict(n, s, cs, step, fine, coarse):
    coarse[:] = 0
    two = step[2] == 2
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            row, crow = i * s[0] + j * s[1], ci * cs[0] + ((j - 1) // step[1] + 1) * cs[1]
            if two:
                for m in range(1, n[2] // 2 + 1):
                    coarse[crow + m] += fine[row + 2 * m - 1] + fine[row + 2 * m]
                if n[2] & 1:
                    coarse[crow + n[2] // 2 + 1] += fine[row + n[2]]
            else:
                for k in range(1, n[2] + 1):
                    coarse[crow + k] += fine[row + k]


@njit(cache=True)
def _prolong(n, s, cs, step, coarse, fine):
    two = step[2] == 2
    for i in range(1, n[0] + 1):
        ci = (i - 1) // step[0] + 1
        for j in range(1, n[1] + 1):
            row, crow = i * s[0] + j * s[1], ci * cs[0] + ((j - 1) // step[1] + 1) * cs[1]
            if two:
                for m in range(1, n[2] // 2 + 1):
                    x = coarse[crow + m]
                    fine[row + 2 * m - 1] += x
                    fine[row + 2 * m] += x
                if n[2] & 1:
                    fine[row + n[2]] += coarse[crow + n[2] // 2 + 1]
            else:
                for k in range(1, n[2] + 1):
                    fine[row + k] += coarse[crow + k]


@njit(cache=True)
def _colour(n, s, c0, c1, c2, inv, b, x, colour):
    """Gauss-Seidel over the cells of one colour of the chequerboard (symmetric level)."""
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1 + ((i + j + colour) & 1), row + n[2] + 1, 2):
                x[c] = inv[c] * (b[c] + c0[c] * x[c + s0] + c0[c - s0] * x[c - s0] + c1[c] * x[c + s1]
                                 + c1[c - s1] * x[c - s1] + c2[c] * x[c + 1] + c2[c - 1] * x[c - 1])


@njit(cache=True)
def _rows(n, s, low, high, inv, b, x, forward):
    """Gauss-Seidel by rows in the order of storage or against it, odd and even cells of a row in turn (convective level)."""
    s0, s1 = s[0], s[1]
    for ii in range(n[0]):
        i = ii + 1 if forward else n[0] - ii
        for jj in range(n[1]):
            j = jj + 1 if forward else n[1] - jj
            row = i * s0 + j * s1
            for half in range(2):
                for c in range(row + 1 + (half if forward else 1 - half), row + n[2] + 1, 2):
                    x[c] = inv[c] * (b[c] + high[0, c] * x[c + s0] + low[0, c] * x[c - s0] + high[1, c] * x[c + s1]
                                     + low[1, c] * x[c - s1] + high[2, c] * x[c + 1] + low[2, c] * x[c - 1])


@njit(cache=True)
def _defect(n, s, c0, c1, c2, inv, b, x, r):
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                d = inv[c]
                y = (b[c] + c0[c] * x[c + s0] + c0[c - s0] * x[c - s0] + c1[c] * x[c + s1] + c1[c - s1] * x[c - s1]
                     + c2[c] * x[c + 1] + c2[c - 1] * x[c - 1])
                r[c] = y - x[c] / d if d > 0 else 0.0


@njit(cache=True)
def _defect_upwind(n, s, low, high, inv, b, x, r):
    s0, s1 = s[0], s[1]
    for i in range(1, n[0] + 1):
        for j in range(1, n[1] + 1):
            row = i * s0 + j * s1
            for c in range(row + 1, row + n[2] + 1):
                d = inv[c]
                y = (b[c] + high[0, c] * x[c + s0] + low[0, c] * x[c - s0] + high[1, c] * x[c + s1] + low[1, c] * x[c - s1]
                     + high[2, c] * x[c + 1] + low[2, c] * x[c - 1])
                r[c] = y - x[c] / d if d > 0 else 0.0


class _Level:
    def __init__(self, n, dtype, convect: bool):
        self.n = np.array(n, np.int64)
        shape = self.n + 2
        self.s = np.array([shape[1] * shape[2], shape[2], 1], np.int64)
        self.size = size = int(np.prod(shape))
        self.c = [np.zeros(size, dtype) for _ in range(3)]
        self.f = [np.zeros(size, dtype) for _ in range(3)] if convect else None
        self.extra, self.inv, self.x, self.b, self.r = (np.zeros(size, dtype) for _ in range(5))
        self.low, self.high = (np.zeros((3, size), dtype), np.zeros((3, size), dtype)) if convect else (None, None)
        self.step = None


class Multigrid:
    """A hierarchy for one grid size; :meth:`setup` fills it, :meth:`cycle` applies one W-cycle.

    Parameters: ``n`` inner cells (3,); ``convect`` whether mass fluxes take part (the matrix is then not
    symmetric and sweeps by rows replace the red and black ones); ``sweeps`` before and after; ``periodic`` (3,) bool.
    """

    def __init__(self, n, convect: bool = False, sweeps: int = 1, dtype=np.float32, periodic=(False,) * 3):
        self.convect, self.sweeps, self.dtype = convect, sweeps, dtype
        self.periodic = np.array(periodic, np.bool_)
        self.wraps = bool(self.periodic.any())
        self.levels: list[_Level] = [_Level(n, dtype, convect)]

    def setup(self, conductance, flux, extra):
        """Fill all levels from flat padded arrays on high faces (W/K or any conductance; flux may be None).

        Along a periodic axis ghost layers must already repeat the far side.
        """
        top = self.levels[0]
        for t in range(3):
            top.c[t][:] = conductance[t]
            if self.convect:
                top.f[t][:] = flux[t]
        top.extra[:] = extra
        i = 0
        while True:
            level = self.levels[i]
            if self.convect:
                _upwind(level.n, level.s, *level.c, *level.f, level.extra, level.low, level.high, level.inv)
            else:
                _diagonal(level.n, level.s, *level.c, level.extra, level.inv)
            if level.n.prod() <= 32 or i > 20:
                break
            step = self._step(level)
            if step.max() == 1:
                break
            m = (level.n + step - 1) // step
            if i + 1 == len(self.levels) or (self.levels[i + 1].n != m).any() or (level.step != step).any():
                del self.levels[i + 1:]
                self.levels.append(_Level(m, self.dtype, self.convect))
            level.step = step
            below = self.levels[i + 1]
            for t in range(3):
                weight = self.dtype(0.5 if step[t] == 2 else 1.0)
                _coarsen(level.n, level.s, below.s, step, level.c[t], below.c[t], t, weight, self.periodic[t])
                if self.convect:
                    _coarsen(level.n, level.s, below.s, step, level.f[t], below.f[t], t, self.dtype(1), self.periodic[t])
                if self.periodic[t] and m[t] == 1:  # a cell is no neighbour of itself
                    below.c[t][:] = 0
                    if self.convect:
                        below.f[t][:] = 0
            _restrict(level.n, level.s, below.s, step, level.extra, below.extra)
            i += 1
        del self.levels[i + 1:]

    def _step(self, level) -> np.ndarray:
        strength = np.zeros(3)
        for t in range(3):
            count = np.count_nonzero(level.c[t])
            if level.n[t] > 1 and count:
                strength[t] = float(level.c[t].sum(dtype=np.float64)) / count
        if strength.max() == 0:
            return np.ones(3, np.int64)
        return np.where((strength >= STRONG * strength.max()) & (level.n > 1), 2, 1).astype(np.int64)

    def cycle(self, b: np.ndarray, scale: float = 1.0) -> np.ndarray:
        """One W-cycle from zero for right-hand side ``scale`` times ``b``; returns a view that the next cycle overwrites."""
        np.multiply(b, scale, out=self.levels[0].b, casting="unsafe")
        self.levels[0].x[:] = 0
        self._cycle(0)
        return self.levels[0].x

    def _smooth(self, v, forward: bool, times: int = 1):
        for _ in range(self.sweeps * times):
            for way in ((True, False) if forward else (False, True)):
                if self.convect:
                    _rows(v.n, v.s, v.low, v.high, v.inv, v.b, v.x, way)
                else:
                    _colour(v.n, v.s, *v.c, v.inv, v.b, v.x, 0 if way else 1)
                if self.wraps:
                    wrap(v.n, v.s, self.periodic, v.x)

    def _cycle(self, i: int):
        level = self.levels[i]
        if i == len(self.levels) - 1:
            self._smooth(level, True, 8)
            self._smooth(level, False, 8)
            return
        below = self.levels[i + 1]
        self._smooth(level, True)
        if self.convect:
            _defect_upwind(level.n, level.s, level.low, level.high, level.inv, level.b, level.x, level.r)
        else:
            _defect(level.n, level.s, *level.c, level.inv, level.b, level.x, level.r)
        _restrict(level.n, level.s, below.s, level.step, level.r, below.b)
        below.x[:] = 0
        for _ in range(1 if i + 2 == len(self.levels) else 2):
            self._cycle(i + 1)
        _prolong(level.n, level.s, below.s, level.step, below.x, level.x)
        if self.wraps:
            wrap(level.n, level.s, self.periodic, level.x)
        self._smooth(level, False)
