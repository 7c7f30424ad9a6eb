"""A solution carried to another grid: where a run starts from a coarser grid's or another layout's field."""

from __future__ import annotations

import numpy as np

from ..mesh.lines import Grid
from ..mesh.occupancy import FLUID
from ..numerics.interpolate import resample
from .steady import Fields


def transfer(
    grid: Grid, kind: np.ndarray, fields: Fields, target: Grid, target_kind: np.ndarray, ambient: float
) -> Fields:
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
        if values.shape != grid.shape:  # kept by wall face, which the other grid has not
            continue
        x = resample(values, grid.centres, target.centres, kind == FLUID)
        extra[name] = np.where(
            np.isfinite(x), x, float(np.nanmean(values[kind == FLUID])) if (kind == FLUID).any() else 0.0
        )
    return Fields(**out, extra=extra)
