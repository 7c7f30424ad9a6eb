"""Pins on a base plate, square or round, in line or staggered."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid
from ..project import units
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built, makers
from ..shapes.geometry import Mesh
from . import solids
from .cells import SIDES, Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts, SurfaceFinish
from .fins import base_of
from .place import on_floor

#: of a pin, what the cells across it go by
ASKS = 1.0
SHAPES, PATTERNS = ("square", "round"), ("in line", "staggered")


class PinFinSink(Row):
    """Pins on a base plate; ``pins`` along the first and second direction of the base. Staggered, every other row has
    its pins, one fewer, between those of its neighbours."""

    kind: Literal["pin-fin sink"] = "pin-fin sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "40, 40, 20 mm"
    base: Base = "3 mm"
    pins: Annotated[Text, Cell("pins", SHAPE, "number along the base's two directions")] = "6, 6"
    pin: Annotated[Text, Cell("pin", SHAPE, "side or diameter of a pin")] = "2 mm"
    shape: Annotated[Text, Cell("pins' shape", SHAPE, "square or round", SHAPES)] = "square"
    pattern: Annotated[Text, Cell("pattern", SHAPE, "in line or staggered", PATTERNS)] = "in line"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: PinFinSink) -> Solid:
    """The sink as base and pins."""
    boxes = _boxes(r, row)
    shape, pattern = r.choice(row, "shape", SHAPES, "square"), r.choice(row, "pattern", PATTERNS, "in line")
    if not boxes or (shape, pattern) == ("square", "in line"):
        return solids.boxed(r, row, boxes)
    rows = int(units.split(row.pins)[0])
    axis = "xyz".index(r.choice(row, "up", SIDES, "z+")[0])
    return solids.shaped(r, row, _form(boxes, axis, shape == "round", pattern == "staggered", rows))


def _form(boxes, up: int, round_: bool, staggered: bool, rows: int) -> Mesh:
    """Base and pins as one solid, from the boxes of square pins in line: the base first, then the pins row by row."""
    base, pins = boxes[0], boxes[1:]
    each = len(pins) // rows
    u, v = (a for a in range(3) if a != up)
    pitch = pins[1][v][0] - pins[0][v][0] if each > 1 else 0.0
    places = []
    for m, pin in enumerate(pins):
        i, j = divmod(m, each)
        shifted = staggered and i % 2 == 1 and each > 1
        if not (shifted and j == each - 1):
            places.append((0.5 * sum(pin[u]), 0.5 * sum(pin[v]) + (0.5 * pitch if shifted else 0.0)))
    side, reach = pins[0][u][1] - pins[0][u][0], pins[0][up]
    asks = [(built.around(up, c, reach, side), side * ASKS) for c in places]
    key = ("pins", base, pins[0], rows, each, round_, staggered)
    return built.kept(key, lambda: _pins(base, up, reach, side, places, round_), asks)


def _pins(base, up: int, reach, side: float, places, round_: bool):
    def pin(centre):
        return (
            built.bar(up, centre, reach, side / 2, 24) if round_ else built.block(built.around(up, centre, reach, side))
        )

    return built.joined([built.block(base), *map(pin, places)])


def _boxes(r: Reader, row: PinFinSink):
    whole, size = solids.placed(r, row)
    found = base_of(r, row, size)
    if found is None:
        return ()
    up, base = found
    pins = solids.counts(r, row, "pins", "6, 6", 100)
    if pins is None:
        return ()
    side = r.value(row, "pin", "length", 1e-4, above=0.0)
    across = [a for a in range(3) if a != "xyz".index(up[0])]
    if any(n * side >= size[a] for n, a in zip(pins, across, strict=True)):
        r.note(row, "pin", f"{row.pins} pins of “{row.pin}” leave no gap.", "Use fewer or thinner pins.")
        return ()
    return makers.pin_fins([low for low, _ in whole], size, base, pins, side, up)


register(PinFinSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
