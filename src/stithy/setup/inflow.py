"""Velocity profiles of openings: developed ones for any outline, and those given as a table."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from .case import Case

#: Reynolds number (mean speed, hydraulic diameter) at which a passage begins to leave its laminar state, and over how
# much more it does
LAMINAR, RANGE = 2100.0, 2900.0


def exponent(reynolds: float, mixing: str) -> float:
    """The power of the laminar profile that a developed one is: 1 where flow is laminar, by its Reynolds number or
    because it is said to be; 1/7 where it is turbulent; between these as passages go from one to the other."""
    if mixing == "laminar":
        return 1.0
    return 1.0 - min(max((reynolds - LAMINAR) / RANGE, 0.0), 1.0) * 6.0 / 7.0


def wide(mean: float) -> float:
    """Hydraulic diameter (m) of a duct from the ``mean`` (m2) of w, of div grad w = -1: exact for round ones (D^2/32),
    6 % more for square ones, 18 % less between plates."""
    return float(np.sqrt(32.0 * mean))


def developed(case: Case, axis: int, cells: np.ndarray, kind: str, speed: float, viscosity: float) -> np.ndarray | None:
    """Speed of each cell of an opening over the mean: laminar from the duct equation, turbulent by the one-seventh
    power of it; which of them by the Reynolds number of the mean ``speed`` (m/s) and kinematic ``viscosity`` (m2/s).

    Laminar: div grad w = const with w = 0 on the rim, except on symmetry sides; what lies beyond the opening in its
    plane counts as wall. Turbulent: w_laminar^(1/7), which is the power law in the wall distance near walls.
    """
    from scipy.sparse import csr_matrix
    from scipy.sparse.linalg import spsolve

    across = [a for a in range(3) if a != axis]
    number = {tuple(c): m for m, c in enumerate(cells[:, across])}
    grid, rows, cols, values = case.grid, [], [], []
    sizes = [grid.widths[a][cells[:, a]] for a in across]
    b = sizes[0] * sizes[1]
    diagonal = np.zeros(len(cells))
    for m, cell in enumerate(cells[:, across]):
        for t in range(2):
            for step, end in ((-1, "-"), (1, "+")):
                next_ = list(cell)
                next_[t] += step
                width, other = sizes[t][m], sizes[1 - t][m]
                n = grid.shape[across[t]]
                if tuple(next_) not in number and case.grid.shape[across[t]] and "xyz"[across[t]] in case.periodic:
                    next_[t] %= n
                j = number.get(tuple(next_))
                if j is not None and j != m:
                    g = other / (0.5 * (width + sizes[t][j]))
                    rows.append(m)
                    cols.append(j)
                    values.append(-g)
                    diagonal[m] += g
                elif j is None and not ("xyz"[across[t]] + end in case.symmetry and not 0 <= next_[t] < n):
                    diagonal[m] += other / (0.5 * width)
    if diagonal.max() == 0 or not (case.kind[tuple(cells.T)] == FLUID).any():
        return None
    rows += range(len(cells))
    cols += range(len(cells))
    values += list(np.where(diagonal > 0, diagonal, 1.0))
    w = np.maximum(spsolve(csr_matrix((values, (rows, cols)), (len(cells),) * 2), b), 0.0)
    reynolds = abs(speed) * wide(float((w * b).sum()) / float(b.sum())) / viscosity
    w **= exponent(reynolds, case.mixing)
    return w / (float((w * b).sum()) / float(b.sum()))


def by_table(table, x: np.ndarray) -> np.ndarray:
    """Relative speed at places ``x`` (n, 3), m, from a table of (axis, place m, relative speed); beyond its ends as
    at them."""
    points = np.array(table)
    return np.interp(x[:, int(points[0, 0])], points[:, 1], points[:, 2])
