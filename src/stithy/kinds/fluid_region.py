"""Which fluid fills a fluid space, where it is not the enclosure's own; or that it is left out."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import enclosure, fluids, solids, walls
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
        condition = walls.condition(r, row, "outside", row.outside, _around(r, row))
        if condition.kind in ("symmetry", "periodic") or condition.slides:
            r.note(row, "outside", f"“{row.outside}” is for whole sides.", "Write adiabatic, or 8 W/m2/K.")
        return model.LeftOut(row.name, r.vector(row, "at", "length", 3, 0.0), condition)
    return model.FluidRegion(
        row.name, r.vector(row, "at", "length", 3, 0.0), *fluids.fluid(r, row), solids.starts(r, row)
    )


def _around(r: Reader, row: FluidRegion):
    """Low and high corner (m) of the enclosure that holds its point, whose middle angles go about."""
    kept = len(r.problems)
    point = r.vector(row, "at", "length", 3, 0.0)
    del r.problems[kept:]
    for name in r.names_of("enclosure"):
        outer = enclosure.outer_of(r, name)
        if outer is not None and all(low <= x <= high for x, (low, high) in zip(point, outer, strict=True)):
            return [[span[end] for span in outer] for end in (0, 1)]
    return None


register(FluidRegion, "Enclosure", read=read, place=on_floor)
