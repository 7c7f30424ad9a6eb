"""A solution carried to another grid: where a run starts from a coarser grid's or another layout's field."""
from __future__ import annotations

import numpy as np

from ..grid.lines import Grid
from ..grid.occupancy import FLUID
from .steady import Fields


def _weights(old: np.ndarray, new: np.ndarray):
    """Low neighbour and weight of the high one for linear interpolation of points ``new`` between points ``old``."""
    if len(old) == 1:
        return np.zeros(len(new), int), np.zeros(len(new))
    i = np.clip(np.searchsorted(old, new) - 1, 0, len(old) - 2)
    return i, np.clip((new - old[i]) / (old[i + 1] - old[i]), 0.0, 1.0)


def resample(values: np.ndarray, old, new, good: np.ndarray | None = None) -> np.ndarray:
    """Trilinear interpolation of ``values`` at the points ``old`` (three arrays) to the points ``new``.

    Points where ``good`` is False take no part; where none of the eight is good the result is NaN.
    """
    mask = np.ones(values.shape) if good is None else good.astype(float)
    x, w = np.where(mask > 0, values, 0.0), mask
    for a in range(3):
        i, f = _weights(old[a], new[a])
        shape = [1, 1, 1]
        shape[a] = -1
        f = f.reshape(shape)
        j = np.minimum(i + 1, len(old[a]) - 1)
        x = np.take(x, i, a) * (1 - f) + np.take(x, j, a) * f
        w = np.take(w, i, a) * (1 - f) + np.take(w, j, a) * f
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(w > 1e-6, x / w, np.nan)


def transfer(grid: Grid, kind: np.ndarray, fields: Fields, target: Grid, target_kind: np.ndarray, ambient: float) -> Fields:
    """``fields`` of ``grid`` as a first guess on ``target``; fluid is taken from fluid, solid from solid."""
    out = {}
    for name in ("temperature", "pressure"):
        values = getattr(fields, name)
        fluid = resample(values, grid.centres, target.centres, kind == FLUID)
        solid = resample(values, grid.centres, target.centres, kind != FLUID)
        any_ = resample(values, grid.centres, target.centres)
        first, second = np.where(target_kind == FLUID, fluid, solid), np.where(np.isfinite(any_), any_, ambient)
        out[name] = np.where(np.isfinite(first), first, second)
    for a, name in enumerate("uvw"):
        old, new = list(grid.centres), list(target.centres)
        old[a], new[a] = grid.lines[a], target.lines[a]
        out[name] = resample(getattr(fields, name), old, new)
    extra = {}
    for name, values in fields.extra.items():
        x = resample(values, grid.centres, target.centres, kind == FLUID)
        extra[name] = np.where(np.isfinite(x), x, float(np.nanmean(values[kind == FLUID])) if (kind == FLUID).any() else 0.0)
    return Fields(**out, extra=extra)
