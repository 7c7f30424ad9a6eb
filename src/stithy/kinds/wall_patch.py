"""A rectangle of an enclosure's outer side with a thermal condition of its own."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import enclosure, finishes, openings, solids, walls
from .cells import InWallOf, Roughness, Side, SurfaceFinish, WallCorner, WallSize
from .place import in_wall


class WallPatch(Row):
    """A rectangle of an enclosure's outer side with a thermal condition of its own."""

    kind: Literal["wall patch"] = "wall patch"
    on: InWallOf = ""
    side: Side = "z-"
    at: WallCorner = "10, 10 mm"
    size: WallSize = "40, 30 mm"
    condition: Annotated[
        Text,
        Cell("condition", LOAD, "adiabatic, 60 degC, 500 W/m2, 8 W/m2/K, or 8 W/m2/K to 40 degC", columns=("flow",)),
    ] = "adiabatic"
    roughness: Roughness = ""
    finish: SurfaceFinish = ""


def read(r: Reader, row: WallPatch) -> model.WallPatch:
    """The patch of the model."""
    place = openings.in_wall(r, row, "z-")
    condition = walls.condition(r, row, "condition", row.condition, _box(r, *place))
    if condition.kind in ("symmetry", "periodic") or condition.slides:
        r.note(row, "condition", f"“{row.condition}” is for whole sides.", "Write it in the sides of the enclosure.")
    return model.WallPatch(row.name, *place, condition, solids.roughness(r, row), finishes.own(r, row))


def _box(r: Reader, on: str, side: str, rect) -> list[list[float]]:
    """Low and high corner (m) of the patch."""
    axis = "xyz".index(side[0])
    low, high = [span[0] for span in rect], [span[1] for span in rect]
    outer = enclosure.outer_of(r, on)
    level = outer[axis][side[1] == "+"] if outer is not None else 0.0
    return [[*x[:axis], level, *x[axis:]] for x in (low, high)]


register(WallPatch, "Wall patches", read=read, place=in_wall)
