"""Layers of standing gas in gaps too thin for cells of their own: they conduct, and their sides radiate to each
other."""

from __future__ import annotations

import numpy as np

from ..mesh.build import Built, layers_in
from ..mesh.occupancy import SOLID
from ..model import Model, Solid
from .case import LIQUID

SIGMA = 5.670374419e-8  # W/m2/K4


def radiate(model: Model, built: Built, solids: dict[str, Solid], k: list[np.ndarray]) -> None:
    """Add to the conductivities ``k`` (W/m/K, along x, y, z; in place) of layers of a gas what passes by radiation
    between the solids on both sides: 4 sigma T^3 / (1/e1 + 1/e2 - 1) over the gap, at the temperature of the
    surroundings."""
    if not (model.surroundings.radiation and model.grid.least_gap and model.grid.layers):
        return
    each = 4.0 * SIGMA * model.ambient**3
    emissivity = np.array([solids[n].finish.emissivity for n in built.parts] + [0.0])
    for space in model.enclosures:
        name = layers_in(space)
        if name not in built.parts or space.fluid.rho >= LIQUID:
            continue
        mine = built.owner == built.parts.index(name)
        for a in range(3):
            gap, one, other = _across(built, mine, a)
            e1, e2 = emissivity[one], emissivity[other]
            both = (one >= 0) & (other >= 0) & (e1 > 0) & (e2 > 0) & (gap < model.grid.least_gap)
            passes = each / (1.0 / np.where(both, e1, 1.0) + 1.0 / np.where(both, e2, 1.0) - 1.0)
            k[a] += np.where(both & mine, passes * gap, 0.0)


def _across(built: Built, mine: np.ndarray, a: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """For every cell of a layer: its width (m) along an axis, and the solids (-1: none) on both sides of it."""
    here, owner = np.moveaxis(mine, a, 0), np.moveaxis(np.where(built.kind == SOLID, built.owner, -1), a, 0)
    lines, n = built.grid.lines[a], here.shape[0]
    index = np.arange(n)[:, None, None]
    before = np.maximum.accumulate(np.where(here, -1, index), axis=0)
    behind = np.minimum.accumulate(np.where(here, n, index)[::-1], axis=0)[::-1]
    gap = lines[behind] - lines[before + 1]
    low = np.take_along_axis(owner, np.maximum(before, 0), 0)
    high = np.take_along_axis(owner, np.minimum(behind, n - 1), 0)
    low, high = np.where(before >= 0, low, -1), np.where(behind < n, high, -1)
    return np.moveaxis(gap, 0, a), np.moveaxis(low, 0, a), np.moveaxis(high, 0, a)
