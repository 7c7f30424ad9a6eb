"""What only the grid can show: fluid that comes in and cannot leave, heat that has no way out."""

from __future__ import annotations

from ..errors import Problem
from ..mesh.build import Built
from ..model import Model
from ..project.kind import LOAD, SHAPE
from .case import Case


def check_left_out(model: Model, built: Built, found: list[Problem]) -> None:
    """What is left out must be fluid."""
    for number, space in enumerate(model.left_out):
        assert built.left_out is not None
        if not (built.left_out == number).any():
            found.append(
                Problem(
                    space.name,
                    "point",
                    "lies in no fluid, or in one that is left out already.",
                    "Move the point into the fluid space that should be left out, or delete the row.",
                    SHAPE,
                    "at",
                )
            )


def check_ways_out(model: Model, case: Case, found: list[Problem]) -> None:
    """Every fluid space with an inlet needs somewhere to leave; every model needs its heat to leave somewhere."""
    for space in range(case.spaces):
        here = [
            (model.openings[p.end], p) for p in case.openings if len(p.cells) and case.space[tuple(p.cells[0])] == space
        ]
        given = [e for e, p in here if p.kind == "velocity" and p.speed != 0]
        if given and not any(p.kind == "pressure" for _, p in here):
            found.append(
                Problem(
                    given[0].name,
                    "flow",
                    "has a given flow, but its fluid space has no outlet.",
                    "Add an outlet (static pressure), a vent or an ambient opening that this fluid can reach.",
                    LOAD,
                    "flow",
                )
            )
    if (
        case.drive is None
        and case.periodic
        and not case.openings
        and not case.fans
        and not case.buoyant
        and not case.moving
    ):
        found.append(
            Problem(
                model.enclosures[0].name,
                "sides",
                "are periodic, but nothing drives the flow.",
                "Add a drive row with a mean speed or a pressure gradient.",
                LOAD,
                "sides",
            )
        )
    held = case.fixed is not None or (case.drive is not None and case.fixed is None and not len(case.links.cells))
    if case.heat.sum() > 0 and not len(case.links.cells) and not case.openings and not held and model.run.time is None:
        first = next((s.name for s in model.solids if s.power), model.enclosures[0].name)
        found.append(
            Problem(
                first,
                "heat load",
                "has no way out: all walls are adiabatic and nothing is open.",
                "Give a wall a heat transfer coefficient, or add openings.",
                LOAD,
                "power",
            )
        )
