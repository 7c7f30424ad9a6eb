"""Trilinear interpolation between rectilinear points, leaving out what does not count."""

from __future__ import annotations

import numpy as np


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
