"""An opening behind a perforated plate."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings
from .cells import Entering, Inflow, Loss, OnWallOrPlate, Side, WallCorner, WallSize
from .place import in_wall


class Vent(Row):
    """An opening behind a perforated plate."""

    kind: Literal["vent"] = "vent"
    on: OnWallOrPlate = ""
    side: Side = "x-"
    at: WallCorner = "10, 10 mm"
    size: WallSize = "40, 30 mm"
    free: Annotated[Text, Cell("free area", LOAD, "open part of the plate's area", columns=("flow",))] = "50 %"
    loss: Loss = ""
    temperature: Entering = ""
    turbulence: Inflow = ""


def read(r: Reader, row: Vent) -> model.Opening:
    """The opening of the model."""
    place = openings.in_wall_or_plate(r, row)
    temperature = openings.entering(r, row)
    return model.Opening(
        row.name,
        row.kind,
        *place,
        "pressure",
        0.0,
        temperature,
        loss=openings.loss(r, row),
        turbulence=openings.turbulence(r, row),
    )


register(Vent, "Openings and fans", ("opening", "flow device"), read=read, place=in_wall)
