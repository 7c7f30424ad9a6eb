"""Thermal conditions on the outside: exchange with given temperatures, given fluxes, patches on sides of symmetry."""

from __future__ import annotations

import numpy as np

from ..errors import Problem
from ..mesh.surfaces import Surface, covered
from ..model import BLACKENED, Finish, Model
from ..project.kind import LOAD
from . import outside
from .case import Case, HeatLinks


def conditions(case: Case, surfaces: tuple[Surface, ...], model: Model) -> HeatLinks:
    """Heat exchange of the surfaces with given temperatures; given fluxes go straight into ``case.heat`` and
    ``case.given``."""
    pieces: list[tuple] = []
    finishes = of_sides(model, surfaces)
    for number, surface in enumerate(surfaces):
        _condition(case, number, surface, model, finishes[number].absorptivity, pieces)
    if not pieces:
        return HeatLinks.none()
    aired = any(np.isfinite(p[10]).any() for p in pieces)
    emits = any(p[7].any() for p in pieces) or model.sun is not None or aired
    columns = 11 if aired else 10 if emits else 6
    return HeatLinks(*(np.concatenate([p[i] for p in pieces]) for i in range(columns)))


def of_sides(model: Model, surfaces: tuple[Surface, ...]) -> list[Finish]:
    """The finish of every surface of the outside: that of its patch, or of its enclosure."""
    homes = {s.name: s.finish for s in model.enclosures}
    patches = {p.name: p.finish for p in model.patches}
    return [(patches.get(s.name) if s.patch else None) or homes.get(s.enclosure) or BLACKENED for s in surfaces]


def _condition(case: Case, number: int, surface: Surface, model: Model, absorptivity: float, pieces) -> None:
    """The condition of one surface."""
    wall, cells, axis = surface.condition, surface.cells, surface.axis
    if wall.kind in ("adiabatic", "symmetry", "periodic") or not len(cells):
        return
    area, index, values = surface.area(case.grid), tuple(cells.T), surface.values(case.grid)
    if wall.kind == "flux":
        np.add.at(case.heat, index, values * area)
        case.given.setdefault(surface.side, []).append((cells, values))
        return
    reach = 0.5 * case.grid.widths[axis][cells[:, axis]] if surface.gap is None else surface.gap
    half = reach / case.conductivity[axis][index]
    fixed = wall.kind == "temperature"
    g = area / (half + surface.layer + (0.0 if fixed else 1.0 / np.maximum(values, 1e-12)))
    ambient = model.ambient
    air = outside.known(model, surface, len(g))
    beyond = values if fixed else np.full(len(g), ambient if wall.ambient is None else wall.ambient)
    face = np.full(len(g), 2 * axis + surface.up)
    radiant = ambient if model.surroundings.radiant is None else model.surroundings.radiant
    film = np.full(len(g), np.inf) if fixed else np.maximum(values, 1e-12) * area
    emits = (0.0 if fixed else wall.emissivity) * area
    sky = np.full(len(g), radiant if wall.sky is None else wall.sky)
    takes = (absorptivity if surface.enclosure and not fixed else 0.0) * area
    air = np.column_stack([air, np.broadcast_to(area, len(g))])
    pieces.append((cells, g, beyond, np.full(len(g), number), half / area, face, film, emits, sky, takes, air))


def walled(model: Model, case: Case, found: list[Problem]) -> dict[str, np.ndarray]:
    """Where wall patches lie on sides of symmetry; a periodic side takes none."""
    out: dict[str, np.ndarray] = {}
    for patch in model.patches:
        kind = next(s for s in model.enclosures if s.name == patch.enclosure).sides[patch.side].kind
        if kind == "periodic":
            found.append(
                Problem(
                    patch.name,
                    "side",
                    f"{patch.side} is periodic, so there is no wall.",
                    "Choose another side.",
                    LOAD,
                    "side",
                )
            )
        if patch.side in case.symmetry:
            axis = "xyz".index(patch.side[0])
            shape = [n for a, n in enumerate(case.grid.shape) if a != axis]
            index = np.indices(shape).reshape(2, -1).T
            cells = np.insert(index, axis, case.grid.shape[axis] - 1 if patch.side[1] == "+" else 0, axis=1)
            wall = out.setdefault(patch.side, np.zeros(shape, bool))
            wall |= covered(case.grid, patch.side, patch.rect, cells).reshape(shape)
    return out
