"""A powered block with a temperature limit, perhaps known by two thermal resistances."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid, drawn
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import solids
from .cells import SIDES, CellsAcross, Corner, Material, Power, Profile, Size, Starts, SurfaceFinish
from .place import on_floor

_RESISTANCE = "resistance in K/W; both given: a two-resistor component"


class Component(Row):
    """A powered block with a temperature limit."""

    kind: Literal["component"] = "component"
    at: Corner = "0, 0, 0 mm"
    size: Size = "10, 10, 3 mm"
    material: Material = "moulded package"
    power: Power = "1 W"
    profile: Profile = ""
    limit: Annotated[Text, Cell("limit", LOAD, "highest temperature allowed; empty: none", columns=("limit",))] = (
        "85 degC"
    )
    junction_to_case: Annotated[Text, Cell("junction to case", LOAD, _RESISTANCE)] = ""
    junction_to_board: Annotated[Text, Cell("junction to board", LOAD, _RESISTANCE)] = ""
    case_side: Annotated[Text, Cell("case side", LOAD, "which side is its case; the board is opposite", SIDES)] = "z+"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Component) -> Solid:
    """The solid."""
    watched(r, row)  # so that what its limit lacks is told before anything is solved
    return solids.boxed(r, row, junction=_junction(r, row))


def watched(r: Reader, row: Component) -> drawn.Watch | None:
    """Its highest temperature as a watch with a bound, when it has a limit."""
    if not row.text("limit"):
        return None
    most = r.value(row, "limit", "temperature", 400.0, above=50.0)
    return drawn.Watch(row.name, "temperature", "temperature", (row.name,), (), "max", None, most)


def _junction(r: Reader, row: Component) -> tuple[float, float, str] | None:
    """The two resistances, when both are given."""
    case, board = row.text("junction_to_case"), row.text("junction_to_board")
    if not case and not board:
        return None
    if not (case and board):
        r.note(
            row,
            "junction_to_board" if case else "junction_to_case",
            "is empty, but the other resistance is given.",
            "Give both resistances, or neither.",
        )
        return None
    return (
        r.value(row, "junction_to_case", "thermal resistance", 1.0, above=0.0),
        r.value(row, "junction_to_board", "thermal resistance", 1.0, above=0.0),
        r.choice(row, "case_side", SIDES, "z+"),
    )


register(Component, "Components", ("solid", "box"), read=read, draws=watched, place=on_floor)
