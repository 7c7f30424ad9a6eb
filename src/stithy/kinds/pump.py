"""A pump as a plane across a liquid's passage."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import FanPlane
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings
from .cells import SIDES, Corner, Speed, WallSize
from .place import on_floor


class Pump(Row):
    """A pump as a plane across a liquid's passage: a pressure rise that falls with the flow."""

    kind: Literal["pump"] = "pump"
    at: Corner = "0, 0, 0 mm"
    size: WallSize = "10, 10 mm"
    blows: Annotated[Text, Cell("pumps", LOAD, "direction, x- to z+", SIDES)] = "x+"
    curve: Annotated[
        Text,
        Cell(
            "pump curve",
            LOAD,
            "one of the library, or points: 0 l/min: 12 kPa; 4 l/min: 0 kPa",
            library="pumps",
            columns=("flow",),
        ),
    ] = "0 l/min: 12 kPa; 2 l/min: 8 kPa; 4 l/min: 0 kPa"
    speed: Speed = "100 %"


def read(r: Reader, row: Pump) -> FanPlane:
    """The pump's plane."""
    axis, sign = openings.direction(r, row)
    position, rect = openings.plane(r, row, axis)
    return FanPlane(row.name, axis, position, rect, sign, openings.fan(r, row))


register(Pump, "Openings and fans", ("fan", "flow device"), read=read, place=on_floor)
