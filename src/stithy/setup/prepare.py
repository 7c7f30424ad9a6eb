"""From a resolved layout and its grid to the numerical :class:`Case`, concern by concern."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import Problem, SetupError
from ..mesh.build import Built, build
from ..mesh.surfaces import Surface, outer_surfaces
from ..model import Model
from .bath import bath
from .blowers import mouths
from .boards import joins
from .case import Case
from .checks import check_left_out, check_ways_out
from .contacts import contacts
from .drive import drive, shrinking
from .materials import fill
from .openings import openings
from .planes import fan_faces, screen_faces
from .porous import porous_cells
from .radiating import radiating
from .rough import roughness
from .walls import conditions, walled


@dataclass(frozen=True)
class Prepared:
    """A case with the names that its numbers stand for.

    ``parts[i]`` names part i; ``ends[i]`` opening i; ``fans[i]`` inside fan i; ``surfaces[i]`` is the outside that link
    owner i is.
    """

    case: Case
    built: Built
    model: Model
    parts: tuple[str, ...]
    ends: tuple[str, ...]
    fans: tuple[str, ...]
    surfaces: tuple[Surface, ...]


def prepare(model: Model) -> Prepared:
    """Build grid and case. Raises SetupError for what only the grid can show (an inlet without an outlet, ...)."""
    prepared, found = assemble(model)
    if found:
        raise SetupError(found)
    return prepared


def assemble(model: Model) -> tuple[Prepared, list[Problem]]:
    """Grid and case, and what only the grid can show of what is wrong. Raises SetupError for a grid that does not
    fit."""
    built = build(model)
    found: list[Problem] = []
    periodic = frozenset(a[0] for a in _sides(model, "periodic"))
    filling = fill(model, built, periodic, found)
    case = Case(
        grid=built.grid,
        kind=built.kind,
        part=built.owner,
        conductivity=filling.conductivity,
        heat=filling.heat,
        fluids=filling.fluids,
        fluid_of=filling.fluid_of,
        gravity=model.surroundings.gravity,
        reference=model.ambient,
        symmetry=_sides(model, "symmetry"),
        moving=_moving(model),
        mixing=model.surroundings.mixing,
        periodic=periodic,
        capacity=filling.capacity,
        contact=contacts(model, built),
        crossing=built.crossing,
        fixed=filling.fixed if np.isfinite(filling.fixed).any() else None,
        pressure=model.surroundings.pressure,
        start=filling.start if (filling.start != model.ambient).any() else None,
        tables=filling.tables,
        rough=roughness(model, built),
        sun=model.sun,
        belts={built.parts.index(s.name): s.moves for s in model.solids if s.moves and s.name in built.parts},
        radiant=model.surroundings.radiant,
        joins=joins(model, built),
    )
    case.openings = openings(model, case, built, found)
    case.fans = [fan_faces(case, fan, found) for fan in model.fans]
    case.screens = [screen_faces(case, x, found) for x in model.screens]
    case.porous = [porous_cells(case, x, found) for x in model.porous]
    case.drive = drive(model, case, found)
    case.walled = walled(model, case, found)
    surfaces = outer_surfaces(model, built, case.openings)
    case.links = conditions(case, surfaces, model)
    case.drive = shrinking(model, case)
    case.radiating = radiating(model, case, built, surfaces)
    case.bath = bath(model, case, built, found)
    check_ways_out(model, case, found)
    case.openings += [x for m, b in enumerate(model.blowers) for x in mouths(case, b, m, found)]
    check_left_out(model, built, found)
    prepared = Prepared(
        case,
        built,
        model,
        built.parts,
        tuple(e.name for e in model.openings),
        tuple(f.name for f in (*model.fans, *model.blowers)),
        surfaces,
    )
    return prepared, found


def _sides(model: Model, kind: str) -> frozenset[str]:
    """Sides of the whole model that are ``kind``; only one enclosure can have them."""
    if len(model.enclosures) != 1:
        return frozenset()
    return frozenset(side for side, w in model.enclosures[0].sides.items() if w.kind == kind)


def _moving(model: Model) -> dict:
    if len(model.enclosures) != 1:
        return {}
    return {side: w.slides for side, w in model.enclosures[0].sides.items() if w.slides}
