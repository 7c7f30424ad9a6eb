"""Which fluid fills a fluid space, where it is not the enclosure's own; or that it is left out."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import fluids, solids, walls
from .cells import Starts
from .place import on_floor

LEFT_OUT = "left out"


class FluidRegion(Row):
    """Which fluid fills the fluid space that holds a point, where it is not the enclosure's own; a space that is left
    out is not solved, and its walls exchange heat as its cell says."""

    kind: Literal["fluid region"] = "fluid region"
    at: Annotated[Text, Cell("point", SHAPE, "any point of the fluid space", columns=("place",))] = "0, 0, 0 mm"
    fluid: Annotated[
        Text, Cell("fluid", LOAD, "what fills it, or left out", (LEFT_OUT,), ("fluid",), "fluids", ("flow",))
    ] = "water"
    outside: Annotated[
        Text,
        Cell("its walls", LOAD, "where it is left out: adiabatic, or 8 W/m2/K, 8 W/m2/K to 40 degC, 60 degC, 500 W/m2"),
    ] = "8 W/m2/K"
    starts: Starts = ""


def read(r: Reader, row: FluidRegion) -> model.FluidRegion | model.LeftOut:
    """The region of the model, or what is left out of it."""
    if row.text("fluid") == LEFT_OUT:
        condition = walls.condition(r, row, "outside", row.outside)
        if condition.kind in ("symmetry", "periodic") or condition.slides:
            r.note(row, "outside", f"“{row.outside}” is for whole sides.", "Write adiabatic, or 8 W/m2/K.")
        return model.LeftOut(row.name, r.vector(row, "at", "length", 3, 0.0), condition)
    return model.FluidRegion(
        row.name, r.vector(row, "at", "length", 3, 0.0), *fluids.fluid(r, row), solids.starts(r, row)
    )


register(FluidRegion, "Enclosure", read=read, place=on_floor)
