"""The algebraic enclosure model: eddy viscosity from wall distance and local speed by one wall law.

Spalding's law of the wall, y+ = u+ + exp(-kB) (exp(k u+) - 1 - k u+ - (k u+)^2/2 - (k u+)^3/6), gives u+ from the local
Reynolds number u+ y+ = speed * distance / nu; its slope gives the eddy viscosity, and y+/u+ the wall friction over the
laminar one. It fades to laminar by itself near walls and in slow flow. Source: D. B. Spalding, J. Appl. Mech. 28
(1961). Heat: turbulent Prandtl number 0.9 and the sublayer resistance of C. L. V. Jayatilleke (1969).
"""
from __future__ import annotations

import numpy as np
from scipy import ndimage

from ..grid.occupancy import FLUID
from .case import Case

KAPPA, B, PR_T = 0.41, 5.2, 0.9

_U = np.concatenate([np.linspace(0.0, 1.0, 20), np.linspace(1.05, 40.0, 780)])
_KU = KAPPA * _U
_YP = _U + np.exp(-KAPPA * B) * (np.exp(_KU) - 1 - _KU - _KU**2 / 2 - _KU**3 / 6)
_EDDY = KAPPA * np.exp(-KAPPA * B) * (np.exp(_KU) - 1 - _KU - _KU**2 / 2)
_RE = _U * _YP


def wall_law(reynolds: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Eddy over molecular viscosity, wall friction over laminar (y+/u+), and u+, for speed*distance/nu."""
    root = np.sqrt(_RE)
    x = np.sqrt(reynolds)
    return np.interp(x, root, _EDDY), np.interp(x, root, np.where(_U > 0, _YP / np.maximum(_U, 1e-9), 1.0)), \
        np.interp(x, root, _U)


def wall_distance(case: Case) -> np.ndarray:
    """Distance (m) of fluid cell centres to the nearest wall, from the exact Euclidean distance on the grid lines.

    Cells of unequal size are handled by resampling each axis to half its smallest width, at most 160 samples an axis.
    """
    grid = case.grid
    samples, index = [], []
    for a in range(3):
        lines = grid.lines[a]
        length = lines[-1] - lines[0]
        n = int(np.clip(np.ceil(2 * length / grid.widths[a].min()), 2, 160))
        if grid.shape[a] == 1:
            n = 1
        centres = lines[0] + (np.arange(n) + 0.5) * length / n
        samples.append(length / n)
        index.append(np.clip(np.searchsorted(lines, centres) - 1, 0, grid.shape[a] - 1))
    fine = (case.kind == FLUID)[np.ix_(*index)]
    pad = []
    for a in range(3):
        free = lambda end, a=a: f"{'xyz'[a]}{end}" in case.symmetry  # noqa: E731 - two words of local use
        pad.append((0 if free("-") else 1, 0 if free("+") else 1))
    open_side = np.zeros(fine.shape, bool)
    padded = np.pad(fine | open_side, pad, constant_values=False)
    distance = ndimage.distance_transform_edt(padded, sampling=samples)
    distance = distance[tuple(slice(p[0], p[0] + m) for p, m in zip(pad, fine.shape, strict=True))]
    back = []
    for a in range(3):
        lines = grid.lines[a]
        n = fine.shape[a]
        at = (grid.centres[a] - lines[0]) / (lines[-1] - lines[0]) * n
        back.append(np.clip(at.astype(int), 0, n - 1))
    near = distance[np.ix_(*back)]
    # never closer than half the cell's own smallest extent, whatever the resampling says
    half = 0.5 * np.minimum.reduce(np.broadcast_arrays(
        grid.widths[0][:, None, None], grid.widths[1][None, :, None], grid.widths[2][None, None, :]))
    return np.where(case.kind == FLUID, np.maximum(near, half if min(grid.shape) > 1 else near), 0.0)


def mixing_fields(speed, distance, nu, prandtl) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Ratios to the molecular values, per cell: eddy viscosity, wall viscosity, eddy conductivity, wall conductivity.

    speed m/s, distance m, nu m2/s, prandtl dimensionless; all arrays of one shape.
    """
    eddy, wall, u_plus = wall_law(speed * distance / nu)
    eddy_k = eddy * prandtl / PR_T
    extra = 9.24 * ((prandtl / PR_T) ** 0.75 - 1) * (1 + 0.28 * np.exp(-0.007 * prandtl / PR_T))
    y_plus = wall * u_plus
    log_t = PR_T * np.maximum(u_plus + extra, 0.3 * u_plus)
    # blend from the conduction layer (T+ = Pr y+) to the log layer with y+
    weight = np.exp(-np.minimum(1e-2 * (prandtl * y_plus) ** 4 / (1 + 5 * prandtl**3 * y_plus + 1e-30), 50.0))
    t_plus = np.where(y_plus > 1e-6, weight * prandtl * y_plus + (1 - weight) * log_t, 1.0)
    wall_k = np.where(y_plus > 1e-6, np.maximum(prandtl * y_plus / np.maximum(t_plus, 1e-9), 1.0), 1.0)
    return eddy, wall, eddy_k, wall_k
