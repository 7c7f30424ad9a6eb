"""A solution carried to another grid: where a run starts from a coarser grid's or another layout's field."""

from __future__ import annotations

import numpy as np

from ..mesh.lines import Grid
from ..mesh.occupancy import FLUID
from ..numerics.interpolate import resample
from .steady import Fields


def transfer(
    grid: Grid,
    kind: np.ndarray,
    fields: Fields,
    target: Grid,
    target_kind: np.ndarray,
    ambient: float,
    spaces: tuple[np.ndarray, np.ndarray] | None = None,
) -> Fields:
    """``fields`` of ``grid`` as a first guess on ``target``; fluid is taken from fluid, solid from solid.

    ``spaces``: numbers of the fluid space of every cell of both grids, where sheets part fluids that lie side by side:
    then each space is taken from its own.
    """
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
    if spaces is not None:
        _by_space(grid, fields, target, spaces, out)
    extra = {}
    for name, values in fields.extra.items():
        if values.shape != grid.shape:  # kept by wall face, which the other grid has not
            continue
        x = resample(values, grid.centres, target.centres, kind == FLUID)
        extra[name] = np.where(
            np.isfinite(x), x, float(np.nanmean(values[kind == FLUID])) if (kind == FLUID).any() else 0.0
        )
    return Fields(**out, extra=extra)


def between_sheets(case, target) -> tuple[np.ndarray, np.ndarray] | None:
    """Spaces of two cases for :func:`transfer`, where sheets part the fluids of one of them; else None."""
    parted = any(c.crossing is not None and c.crossing.back is not None for c in (case, target))
    return (case.space, target.space) if parted else None


def _by_space(grid: Grid, fields: Fields, target: Grid, spaces, out: dict) -> None:
    """Put into ``out``, for every fluid space of the target, what its own space had; what had none stands still."""
    old, new = spaces
    cuts = zip(grid.lines, target.centres, strict=True)
    nearest = old[np.ix_(*(np.clip(np.searchsorted(x[1:-1], c), 0, len(x) - 2) for x, c in cuts))]
    for space in range(int(new.max()) + 1):
        here = new == space
        met = nearest[here & (nearest >= 0)]
        own = old == (np.bincount(met).argmax() if len(met) else -2)
        for name in ("temperature", "pressure"):
            values = resample(getattr(fields, name), grid.centres, target.centres, own)
            out[name] = np.where(here & np.isfinite(values), values, out[name])
        for a, name in enumerate("uvw"):
            points, places = list(grid.centres), list(target.centres)
            points[a], places[a] = grid.lines[a], target.lines[a]
            values = resample(getattr(fields, name), points, places, _faces_of(own, a))
            out[name] = np.where(_faces_of(here, a), np.nan_to_num(values), out[name])


def _faces_of(cells: np.ndarray, a: int) -> np.ndarray:
    """Faces along an axis that touch cells, one longer along it."""
    wide = np.moveaxis(np.pad(cells, [(1, 1) if t == a else (0, 0) for t in range(3)]), a, 0)
    return np.moveaxis(wide[1:] | wide[:-1], 0, a)
