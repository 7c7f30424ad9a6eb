"""A radial blower: it draws in on one side of its housing and blows out of another."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings, solids
from .cells import SIDES, CellsAcross, Corner, Curve, Material, Power, Size, Speed, SurfaceFinish
from .place import on_floor

#: of a side, each way, that a mouth takes where nothing is said of its size
INLET, OUTLET = 0.6, 0.8


class BlowerRow(Row):
    """A radial blower in its housing: it draws in on one side and blows out of another, which lies across or opposite,
    by its curve of static pressure between the two mouths."""

    kind: Literal["blower"] = "blower"
    at: Corner = "0, 0, 0 mm"
    size: Size = "50, 50, 15 mm"
    material: Material = "ABS plastic"
    draws_in: Annotated[Text, Cell("draws in", LOAD, "the side it draws in on, x- to z+", SIDES)] = "z+"
    blows: Annotated[Text, Cell("blows", LOAD, "the side it blows out of, x- to z+", SIDES)] = "x+"
    inlet: Annotated[
        Text, Cell("inlet", SHAPE, "the inlet's two lengths, in the middle of its side; empty: 60 % of the side")
    ] = ""
    outlet: Annotated[
        Text, Cell("outlet", SHAPE, "the outlet's two lengths, in the middle of its side; empty: 80 % of the side")
    ] = ""
    curve: Curve = "Skerry 40"
    speed: Speed = "100 %"
    power: Power = "0 W"
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: BlowerRow) -> list:
    """Its housing, and what it moves."""
    housing = solids.boxed(r, row)
    sides = [r.choice(row, key, SIDES, usual) for key, usual in (("draws_in", "z+"), ("blows", "x+"))]
    if sides[0] == sides[1]:
        r.note(row, "blows", "is the side it draws in on.", "Choose another side, such as x+ with z+.")
    box = housing.boxes[0]
    inlet, outlet = _port(r, row, "inlet", sides[0], box, INLET), _port(r, row, "outlet", sides[1], box, OUTLET)
    return [housing, model.Blower(row.name, inlet, outlet, openings.fan(r, row))]


def _port(r: Reader, row: BlowerRow, key: str, side: str, box, share: float) -> model.Port:
    """A mouth in the middle of a side."""
    axis, up = "xyz".index(side[0]), side[1] == "+"
    spans = [box[a] for a in range(3) if a != axis]
    lengths = [share * (b - a) for a, b in spans]
    if row.text(key):
        lengths = list(r.vector(row, key, "length", 2, 0.01, above=0.0))
        if any(x > (b - a) * (1 + 1e-9) for x, (a, b) in zip(lengths, spans, strict=True)):
            r.note(row, key, "is larger than the side it lies in.", "Make it smaller, or the blower larger.")
    (first, second) = ((0.5 * (a + b - x), 0.5 * (a + b + x)) for x, (a, b) in zip(lengths, spans, strict=True))
    return model.Port(axis, 1 if up else -1, box[axis][int(up)], (first, second))


register(BlowerRow, "Openings and fans", ("solid", "fan", "flow device"), read=read, place=on_floor)
