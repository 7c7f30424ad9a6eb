"""Which fluid fills a fluid space, where it is not the enclosure's own."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import fluids, solids
from .cells import Starts
from .place import on_floor


class FluidRegion(Row):
    """Which fluid fills the fluid space that holds a point, where it is not the enclosure's own."""

    kind: Literal["fluid region"] = "fluid region"
    at: Annotated[Text, Cell("point", SHAPE, "any point of the fluid space", columns=("place",))] = "0, 0, 0 mm"
    fluid: Annotated[
        Text, Cell("fluid", LOAD, "what fills it", refers=("fluid",), library="fluids", columns=("flow",))
    ] = "water"
    starts: Starts = ""


def read(r: Reader, row: FluidRegion) -> model.FluidRegion:
    """The region of the model."""
    return model.FluidRegion(
        row.name, r.vector(row, "at", "length", 3, 0.0), *fluids.fluid(r, row), solids.starts(r, row)
    )


register(FluidRegion, "Enclosure", read=read, place=on_floor)
