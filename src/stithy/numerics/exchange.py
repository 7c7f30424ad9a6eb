"""Exchange between patches of surface that see each other: from counts of rays to a symmetric matrix whose rows are
exact, and the solution of what all of them send and throw back.

``G`` (N, N, sparse, m2) is area times share seen, ``g`` (N, E, m2) the same towards ends, beyond which nothing comes
back; every row of both adds up to the patch's area.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import csr_matrix, diags

#: self-exchange, as part of the area, that is put in first: patterns without a solution then have one
SLACK = 1e-6


@dataclass(frozen=True)
class Exchange:
    """``matrix`` G (N, N), ``ends`` g (N, E), ``area`` (N), all m2. ``slack``: the largest self-exchange, as part of a
    patch's area, that balancing added; ``moved``: the most that it changed a row by."""

    matrix: csr_matrix
    ends: np.ndarray
    area: np.ndarray
    slack: float = 0.0
    moved: float = 0.0

    @cached_property
    def own(self) -> np.ndarray:
        """What every patch sends to itself (N), m2."""
        return np.asarray(self.matrix.diagonal())


def pooled(counts: csr_matrix, gone: np.ndarray, area: np.ndarray) -> tuple[csr_matrix, np.ndarray]:
    """Matrix and ends (m2) of the most likely exchange by both directions' rays: ``counts`` (N, N), ``gone`` (N, E).

    Symmetric; rows are off by what the rays scatter.
    """
    total = np.asarray(counts.sum(axis=1)).ravel() + gone.sum(axis=1)
    each = np.where(total > 0, total, 1.0) / area  # rays by area
    both = (counts + counts.T).tocoo()
    both.data = both.data / (each[both.row] + each[both.col])
    return csr_matrix(both), gone / each[:, None]


def balanced(matrix: csr_matrix, ends: np.ndarray, area: np.ndarray) -> Exchange:
    """Scale both sides by one factor a patch so that every row adds up to its area: symmetric, and nothing below 0.

    Newton's method in the logarithms of the factors, with conjugate gradients. Rows that see nothing keep all to
    themselves. Raises nothing: what cannot be balanced becomes self-exchange, told as ``slack``.
    """
    n = len(area)
    own = SLACK * area + np.where(np.asarray(matrix.sum(axis=1)).ravel() + ends.sum(axis=1) > 0, 0.0, area)
    given = (matrix + diags(own)).tocsr()
    out = ends.sum(axis=1)
    d = np.ones(n)
    for _ in range(60):
        row = given @ d + out
        rest = d * row - area
        error = float(np.abs(rest / area).max())
        if error < 1e-13:
            break
        diagonal = d * row + d * d * given.diagonal()
        du = _conjugate(
            lambda x, d=d, row=row: d * row * x + d * (given @ (d * x)), -rest, 1.0 / diagonal, min(0.1, error), 200
        )
        d = d * np.exp(du / max(1.0, float(np.abs(du).max())))
    for _ in range(4000):  # where Newton's method gave up: slower, and sure
        row = given @ d + out
        if float(np.abs(d * row / area - 1.0).max()) < 1e-12:
            break
        d = np.sqrt(d * area / row)
    scale = diags(d)
    result = (scale @ given @ scale).tocsr()
    # the last digits, and what could not be balanced, stay with the patch itself
    left = area - np.asarray(result.sum(axis=1)).ravel() - d * out
    result = (result + diags(np.maximum(left, -result.diagonal()))).tocsr()
    gained = (result.diagonal() - matrix.diagonal()) / area
    return Exchange(result, ends * d[:, None], area, float(gained.max(initial=0.0)), float(np.abs(d * d - 1).max()))


def incoming(
    e: Exchange,
    sent: np.ndarray,
    rho: np.ndarray,
    beyond: np.ndarray,
    goal: float = 1e-9,
    guess: np.ndarray | None = None,
) -> np.ndarray:
    """Flux (W/m2) that falls on every patch when each sends ``sent`` (W/m2) of its own and throws back the part ``rho``
    of what falls on it; ``beyond`` (E) W/m2 comes in from the ends; ``guess`` is about what will be found.

    Conjugate gradients for the square root of rho times it, which makes the system symmetric.
    """
    root = np.sqrt(np.maximum(rho, 1e-12))
    given = e.matrix @ sent + e.ends @ beyond
    diagonal = e.area - root * root * e.own

    def system(y):
        return e.area * y - root * (e.matrix @ (root * y))

    first = None if guess is None else root * guess
    y = _conjugate(system, root * given, 1.0 / np.maximum(diagonal, 1e-300), goal, 400, first)
    return (e.matrix @ (root * y) + given) / e.area


def _conjugate(matvec, b: np.ndarray, inverse: np.ndarray, goal: float, most: int, first=None) -> np.ndarray:
    """Conjugate gradients with a diagonal preconditioner, until the residual is ``goal`` times that of zero; from
    ``first``, or zero.

    Source: Hestenes & Stiefel, J. Res. Nat. Bur. Stand. 49 (1952).
    """
    x, r = np.zeros_like(b), b.copy()
    limit = goal * goal * float(b @ (inverse * b))
    if first is not None:
        x = first.copy()
        r -= matvec(x)
    z = inverse * r
    p, rz = z.copy(), float(r @ z)
    for _ in range(most):
        if rz <= limit or rz == 0.0:
            break
        q = matvec(p)
        curve = float(p @ q)
        if curve <= 0.0:
            break
        alpha = rz / curve
        x += alpha * p
        r -= alpha * q
        z = inverse * r
        rz, before = float(r @ z), rz
        p = z + (rz / before) * p
    return x
