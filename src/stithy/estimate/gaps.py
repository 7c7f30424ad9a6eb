"""How far fluid reaches from every cell along each axis: gaps between walls, and passages across a flow."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..equations.staggered import FIXED, OPEN, PRESSURE, Staggered


def reaches(geo: Staggered, axis: int) -> tuple[np.ndarray, np.ndarray]:
    """Of every fluid cell (flat): length (m) of the straight run of fluid through it along ``axis``, and how many walls
    end it (0 to 2). A run that ends at a mirror goes on behind it."""
    case = geo.case
    mirrors = np.array([f"{'xyz'[axis]}{e}" in case.symmetry for e in "-+"])
    run, walls = np.zeros(geo.size), np.zeros(geo.size, np.int8)
    others = [a for a in range(3) if a != axis]
    _runs(
        geo.n[axis],
        geo.n[others[0]],
        geo.n[others[1]],
        geo.s[axis],
        geo.s[others[0]],
        geo.s[others[1]],
        geo.kind,
        geo.face[axis],
        geo.width[axis],
        mirrors,
        run,
        walls,
    )
    return run, walls


@njit(cache=True)
def _runs(n, n1, n2, s, s1, s2, kind, face, width, mirrors, run, walls):
    for i1 in range(1, n1 + 1):
        for i2 in range(1, n2 + 1):
            base = i1 * s1 + i2 * s2
            i = 1
            while i <= n:
                c = base + i * s
                if kind[c] != 0:
                    i += 1
                    continue
                first, total = i, width[i]
                while i < n and face[base + i * s] == OPEN:
                    i += 1
                    total += width[i]
                before, after = face[base + (first - 1) * s], face[base + i * s]
                low = 0 if before == PRESSURE or before == FIXED else 1
                high = 0 if after == PRESSURE or after == FIXED else 1
                if first == 1 and mirrors[0]:
                    low, total = high, 2.0 * total
                elif i == n and mirrors[1]:
                    high, total = low, 2.0 * total
                for m in range(first, i + 1):
                    run[base + m * s] = total
                    walls[base + m * s] = low + high
                i += 1
