"""What fills the cells: conductivity, heat, heat capacity, held temperatures, fluids."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import Problem
from ..mesh.build import Built, layers_in
from ..mesh.occupancy import FLUID, fluid_spaces
from ..model import Model, Solid
from ..project.kind import LOAD, SHAPE
from . import boards, layers
from .case import Fluid

JUNCTION, HELD = 1e5, 1e9  # W/m/K: of what is one temperature right to its faces


@dataclass(frozen=True)
class Filling:
    """Arrays over the cells: ``conductivity`` along x, y, z (W/m/K), ``heat`` W, ``capacity`` J/m3/K, ``fixed`` K (NaN:
    free), ``start`` K; fluids and which of them fills a cell; tables of conductivity by temperature."""

    conductivity: tuple[np.ndarray, np.ndarray, np.ndarray]
    heat: np.ndarray
    capacity: np.ndarray
    fixed: np.ndarray
    start: np.ndarray
    fluids: list[Fluid]
    fluid_of: np.ndarray
    tables: list[tuple[np.ndarray, np.ndarray]]


def solids_of(model: Model) -> dict[str, Solid]:
    """Every solid by name, walls of enclosures and fluid that stands in narrow gaps included."""
    layers = {
        layers_in(s): Solid(layers_in(s), "layer", (), (s.fluid.k,) * 3, s.fluid.rho, s.fluid.cp)
        for s in model.enclosures
        if model.grid.least_gap and model.grid.layers
    }
    return {s.name: s for s in model.solids} | {s.name: s.walls for s in model.enclosures if s.walls} | layers


def conductivity(solid: Solid, axis: int) -> float:
    """Conductivity (W/m/K) of a solid's cells along an axis; a junction, and what is held, is one temperature right to
    its faces."""
    return JUNCTION if solid.junction or solid.network else HELD if solid.fixed is not None else solid.k[axis]


def fill(model: Model, built: Built, periodic: frozenset[str], found: list[Problem]) -> Filling:
    """What fills the cells of a painted grid; notes what is covered, or lies in no fluid."""
    owner, shape, solids = built.owner, built.grid.shape, solids_of(model)
    k = [np.zeros(shape) for _ in range(3)]
    heat, capacity, volume = np.zeros(shape), np.zeros(shape), built.grid.volumes()
    fixed = np.full(shape, np.nan)
    for i, name in enumerate(built.parts):
        here, s = owner == i, solids[name]
        for a in range(3):
            k[a][here] = conductivity(s, a)
        capacity[here] = s.rho * s.cp
        if s.network and here.any():
            cells = boards.nodes(built, i, s)[boards.JUNCTION_NODE]
            here = np.zeros(shape, bool)
            here[tuple(cells.T)] = True
        total = volume[here].sum()
        if s.power and total > 0:
            heat[here] += s.power * volume[here] / total
        here = owner == i
        if s.fixed is not None:
            fixed[here] = s.fixed
    boards.lay(model, built, k, capacity)
    for name, s in solids.items():
        if s.power and (name not in built.parts or not (owner == built.parts.index(name)).any()):
            found.append(
                Problem(
                    name,
                    "heat load",
                    "is covered by other solids, so its heat has no place.",
                    "Move it, or delete what covers it.",
                    LOAD,
                    "power",
                )
            )
    fluids, fluid_of, start = _fluids(model, built, periodic, found)
    for i, name in enumerate(built.parts):
        if solids[name].starts is not None:
            start[owner == i] = solids[name].starts
    for m, f in enumerate(fluids):
        here = (built.kind == FLUID) & (fluid_of == m)
        for a in range(3):
            k[a][here] = f.k
    layers.radiate(model, built, solids, k)
    tables = [
        (owner == i, np.array(solids[n].table))
        for i, n in enumerate(built.parts)
        if solids[n].table and not (solids[n].junction or solids[n].network) and solids[n].fixed is None
    ]
    return Filling(
        tuple(k[0] if np.array_equal(x, k[0]) else x for x in k), heat, capacity, fixed, start, fluids, fluid_of, tables
    )


def _fluids(model: Model, built: Built, periodic: frozenset[str], found):
    """All fluids, which of them fills each cell (a region's own, else its enclosure's), and temperatures (K) at the
    start."""
    data = [s.fluid for s in model.enclosures]
    of = np.maximum(built.space_of, 0)
    start = np.full(built.grid.shape, model.ambient)
    for m, s in enumerate(model.enclosures):
        if s.starts is not None:
            start[(built.kind == FLUID) & (built.space_of == m)] = s.starts
    if model.regions:
        label, _ = fluid_spaces(built.kind, tuple(map("xyz".index, sorted(periodic))), built.shut)
        for region in model.regions:
            at = built.grid.find(region.point)
            if at is None or built.kind[at] != FLUID:
                found.append(
                    Problem(
                        region.name,
                        "point",
                        "lies in no fluid.",
                        "Move the point into the fluid space it stands for.",
                        SHAPE,
                        "at",
                    )
                )
                continue
            data.append(region.fluid)
            of = np.where(label == label[at], len(data) - 1, of)
            if region.starts is not None:
                start[label == label[at]] = region.starts
    return [Fluid(f.rho, f.mu, f.cp, f.k, f.beta, f.table) for f in data], of.astype(np.int32), start
