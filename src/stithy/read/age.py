"""Residence time: the mean time since the fluid at a place entered the model."""

from __future__ import annotations

import numpy as np

from ..errors import StithyError
from ..mesh.occupancy import FLUID
from ..solution.solution import Solution

#: part of a space's through-flow below which it counts as closed
CLOSED = 1e-9


def residence_time(s: Solution) -> np.ndarray:
    """Mean age (s) of the fluid in every cell, NaN in fluid spaces that nothing enters.

    Solves div(m tau) = rho V with upwind differences and tau = 0 in what enters (Sandberg 1981, carried by the flow
    alone); m are the mass flows through faces that the solution closes.
    """
    from scipy.sparse import csr_matrix
    from scipy.sparse.linalg import LinearOperator, bicgstab, spilu, spsolve

    if s.density is None:
        raise StithyError("This result has not kept its density. Solve the layout again.")
    fluid = s.kind == FLUID
    number = np.full(s.kind.shape, -1, np.int64)
    cells = np.flatnonzero(fluid.ravel())
    number.ravel()[cells] = np.arange(len(cells))
    n = len(cells)
    rows, cols, values = [], [], []
    diagonal, enters = np.zeros(n), np.zeros(n)
    periodic = s.summary.get("periodic", ())
    for a in range(3):
        m, at = np.moveaxis(s.mass_flow(a), a, 0), np.moveaxis(number, a, 0)
        wrap = "xyz"[a] in periodic
        edge = at[-1:] if wrap else np.full_like(at[:1], -1)
        low = np.concatenate([edge, at])
        high = np.concatenate([at, at[:1] if wrap else np.full_like(at[:1], -1)])
        if wrap:  # the last face is the first
            low, high, m = low[:-1], high[:-1], m[:-1]
        for from_, to, flow in ((low, high, m), (high, low, -m)):
            on = (flow > 0) & (to >= 0)
            out = (flow > 0) & (from_ >= 0)
            diagonal += np.bincount(from_[out], flow[out], n)
            inner = on & (from_ >= 0)
            rows.append(to[inner])
            cols.append(from_[inner])
            values.append(-flow[inner])
            entry = on & (from_ < 0)
            enters += np.bincount(to[entry], flow[entry], n)
    # cells through which next to nothing passes take the age of what is beside them
    mass = (s.density * s.grid.volumes()).ravel()[cells]
    least = 1e-9 * max(float(diagonal.max(initial=0.0)), 1e-300)
    matrix = csr_matrix(
        (
            np.concatenate([*values, np.maximum(diagonal, least)]),
            (np.concatenate([*rows, np.arange(n)]), np.concatenate([*cols, np.arange(n)])),
        ),
        (n, n),
    )
    space = s.spaces.ravel()[cells]
    through: np.ndarray = np.bincount(space, enters, int(space.max(initial=0)) + 1)
    passing: np.ndarray = np.bincount(space, diagonal, len(through))
    open_ = through > CLOSED * np.maximum(passing, 1e-300)
    keep = np.flatnonzero(open_[space])
    out = np.full(s.kind.shape, np.nan)
    if len(keep):
        part, b = matrix[keep][:, keep].tocsc(), mass[keep]
        if len(keep) < 20_000:
            x = spsolve(part, b)
        else:
            factors = spilu(part, drop_tol=1e-3, fill_factor=6.0)
            x, _ = bicgstab(part, b, rtol=1e-6, maxiter=200, M=LinearOperator(part.shape, factors.solve))
        x = x - 0.5 * b / np.maximum(diagonal, least)[keep]  # what leaves a cell is as old as its end, not its middle
        out.ravel()[cells[keep]] = np.maximum(x, 0.0)
    return out
