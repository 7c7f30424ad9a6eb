"""Straight fins on a base plate."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import makers
from . import solids
from .cells import AXES, SIDES, Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts
from .place import on_floor


class PlateFinSink(Row):
    """Straight fins on a base plate; ``size`` is the whole, ``along`` the direction of the channels."""

    kind: Literal["plate-fin sink"] = "plate-fin sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "40, 40, 20 mm"
    base: Base = "3 mm"
    fins: Annotated[Text, Cell("fins", SHAPE, "number of fins")] = "8"
    fin: Annotated[Text, Cell("fin", SHAPE, "fin thickness")] = "1 mm"
    along: Annotated[Text, Cell("channels", SHAPE, "direction of the channels", AXES)] = "x"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    cells: CellsAcross = ""


def base_of(r: Reader, row, size) -> tuple[str, float] | None:
    """Direction of the fins and thickness (m) of the base, or None after a note where it leaves no room for fins."""
    up = r.choice(row, "up", SIDES, "z+")
    base = r.value(row, "base", "length", 1e-3, above=0.0)
    if base >= size["xyz".index(up[0])]:
        r.note(
            row,
            "base",
            f"“{row.base}” is as thick as the whole sink.",
            "Make the base thinner than the size along its fins.",
        )
        return None
    return up, base


def read(r: Reader, row: PlateFinSink) -> Solid:
    """The sink as base and fins."""
    return solids.boxed(r, row, _boxes(r, row))


def _boxes(r: Reader, row: PlateFinSink):
    whole, size = solids.placed(r, row)
    found = base_of(r, row, size)
    if found is None:
        return ()
    up, base = found
    along = r.choice(row, "along", [a for a in AXES if a != up[0]], "y" if up[0] == "x" else "x")
    fins, thick = r.whole(row, "fins", 2, 1, 200), r.value(row, "fin", "length", 1e-4, above=0.0)
    across = 3 - AXES.index(up[0]) - AXES.index(along)
    if along != up[0] and fins * thick >= size[across]:
        r.note(row, "fin", f"{fins} fins of “{row.fin}” leave no channel.", "Use fewer or thinner fins.")
        return ()
    return makers.plate_fins([low for low, _ in whole], size, base, fins, thick, along, up)


register(PlateFinSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
