"""Square pins on a base plate."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid
from ..project import units
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import makers
from . import solids
from .cells import Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts
from .place import on_floor
from .plate_fin_sink import base_of


class PinFinSink(Row):
    """Square pins on a base plate; ``pins`` along the first and second direction of the base."""

    kind: Literal["pin-fin sink"] = "pin-fin sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "40, 40, 20 mm"
    base: Base = "3 mm"
    pins: Annotated[Text, Cell("pins", SHAPE, "number along the base's two directions")] = "6, 6"
    pin: Annotated[Text, Cell("pin", SHAPE, "side of the square pins")] = "2 mm"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    cells: CellsAcross = ""


def read(r: Reader, row: PinFinSink) -> Solid:
    """The sink as base and pins."""
    return solids.boxed(r, row, _boxes(r, row))


def _boxes(r: Reader, row: PinFinSink):
    whole, size = solids.placed(r, row)
    found = base_of(r, row, size)
    if found is None:
        return ()
    up, base = found
    parts = units.split(row.pins)
    if len(parts) != 2 or not all(p.isascii() and p.isdigit() and len(p) < 4 and 0 < int(p) <= 100 for p in parts):
        r.note(row, "pins", f"“{row.pins}” is not two whole numbers.", "Write it like 6, 6.")
        return ()
    pins = int(parts[0]), int(parts[1])
    side = r.value(row, "pin", "length", 1e-4, above=0.0)
    across = [a for a in range(3) if a != "xyz".index(up[0])]
    if any(n * side >= size[a] for n, a in zip(pins, across, strict=True)):
        r.note(row, "pin", f"{row.pins} pins of “{row.pin}” leave no gap.", "Use fewer or thinner pins.")
        return ()
    return makers.pin_fins([low for low, _ in whole], size, base, pins, side, up)


register(PinFinSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
