"""Roughness of walls on the grid: on which sides of fluid cells it stands, and how much."""

from __future__ import annotations

import numpy as np

from ..mesh.build import Built
from ..mesh.groups import group_faces
from ..mesh.occupancy import FLUID
from ..model import Model


def roughness(model: Model, built: Built) -> np.ndarray | None:
    """Sand-grain roughness (m) of the wall on the low and high side of every cell along x, y, z: (6, nx, ny, nz), low
    sides at even numbers; None where all walls are smooth."""
    solids = {s.name: s.roughness for s in model.solids} | {s.name: s.roughness for s in model.enclosures if s.walls}
    given = any(solids.values()) or any(x.roughness for x in (*model.enclosures, *model.patches, *model.faces))
    if not given:
        return None
    grid, fluid = built.grid, built.kind == FLUID
    out = np.zeros((6, *grid.shape), np.float32)
    of_part = np.array([solids.get(n, 0.0) for n in built.parts] + [0.0], np.float32)
    rough = of_part[np.where(built.owner >= 0, built.owner, len(built.parts))]
    for a in range(3):
        for up in (0, 1):
            out[2 * a + up] = np.where(fluid, _beside(rough, a, up), 0.0)
            _sides(model, built, a, up, out[2 * a + up])
    for group in (g for g in model.faces if g.roughness):
        for faces in group_faces(model, built, group):
            cells = faces.others()[faces.beyond]
            out[2 * faces.axis + (1 - faces.up)][tuple(cells.T)] = group.roughness
    return out


def _beside(values: np.ndarray, axis: int, up: int) -> np.ndarray:
    """The value of each cell's neighbour on one side; 0 beyond the model."""
    out = np.roll(values, -1 if up else 1, axis)
    np.moveaxis(out, axis, 0)[-1 if up else 0] = 0.0
    return out


def _sides(model: Model, built: Built, axis: int, up: int, out: np.ndarray) -> None:
    """Put the roughness of enclosures' sides without thickness, and of patches on them, where the model ends."""
    grid, edge = built.grid, -1 if up else 0
    layer, space = np.moveaxis(out, axis, 0)[edge], np.moveaxis(built.space_of, axis, 0)[edge]
    for m, s in enumerate(model.enclosures):
        if s.roughness and s.walls is None:
            layer[space == m] = s.roughness
    for patch in model.patches:
        if not patch.roughness or patch.side != "xyz"[axis] + "-+"[up]:
            continue
        within = np.ones(layer.shape, bool)
        for t, (a, (low, high)) in enumerate(zip((x for x in range(3) if x != axis), patch.rect, strict=True)):
            c = grid.centres[a]
            on = (c > low) & (c < high)
            within &= on[:, None] if t == 0 else on[None, :]
        layer[within] = patch.roughness
