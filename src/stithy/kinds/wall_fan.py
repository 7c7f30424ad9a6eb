"""A fan on an opening in a wall."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings
from .cells import Curve, Entering, Hub, Inflow, OnWallOrPlate, Side, Speed, WallCorner, WallSize
from .place import in_wall


class WallFan(Row):
    """A fan on an opening in a wall."""

    kind: Literal["wall fan"] = "wall fan"
    on: OnWallOrPlate = ""
    side: Side = "x+"
    at: WallCorner = "10, 10 mm"
    size: WallSize = "40, 40 mm"
    blows: Annotated[Text, Cell("blows", LOAD, "in or out", ("in", "out"))] = "out"
    curve: Curve = "Skerry 40"
    speed: Speed = "100 %"
    hub: Hub = ""
    temperature: Entering = ""
    turbulence: Inflow = ""


def read(r: Reader, row: WallFan) -> model.Opening:
    """The opening of the model, with the fan on it."""
    place = openings.in_wall_or_plate(r, row)
    temperature, turbulence = openings.entering(r, row), openings.turbulence(r, row)
    sign = 1 if r.choice(row, "blows", ("in", "out"), "in") == "in" else -1
    return model.Opening(
        row.name,
        row.kind,
        *place,
        "pressure",
        0.0,
        temperature,
        fan=openings.fan(r, row),
        fan_sign=sign,
        turbulence=turbulence,
        hub=r.maybe(row, "hub", "length", 0.0, least=0.0),
    )


register(WallFan, "Openings and fans", ("opening", "fan", "flow device"), read=read, place=in_wall)
