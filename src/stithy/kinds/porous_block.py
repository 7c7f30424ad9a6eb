"""A block of fins, wires or foam that are not resolved: resistance to flow by direction, and conductivity."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import PorousBlock
from ..project import units
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import makers
from .cells import Corner, Power, Size
from .place import on_floor


class PorousBlockRow(Row):
    """A block of fins, wires or foam that are not resolved, in the fluid around it: loss of pressure by direction,
    conductivity of both together, heat released in it."""

    kind: Literal["porous block"] = "porous block"
    at: Corner = "0, 0, 0 mm"
    size: Size = "40, 40, 40 mm"
    loss: Annotated[
        Text,
        Cell(
            "loss",
            LOAD,
            "coefficient per length on the speed before it, one value or three along x, y, z: 100 1/m; empty: none",
            columns=("flow",),
        ),
    ] = "100 1/m"
    viscous: Annotated[
        Text, Cell("viscous loss", LOAD, "one over the permeability, one value or three: 1e8 1/m2; empty: none")
    ] = ""
    conductivity: Annotated[
        Text, Cell("conductivity", LOAD, "of fluid and solid together, one value or three; empty: the fluid's")
    ] = ""
    power: Power = "0 W"


def read(r: Reader, row: PorousBlockRow) -> PorousBlock:
    """The porous block of the model."""
    at, size = r.vector(row, "at", "length", 3, 0.0), r.vector(row, "size", "length", 3, 1e-3, above=0.0)
    loss, viscous = (_three(r, row, k, d) for k, d in (("loss", "loss per length"), ("viscous", "resistance to flow")))
    k = _three(r, row, "conductivity", "conductivity") if row.text("conductivity") else None
    if not any(loss) and not any(viscous) and k is None:
        r.note(row, "loss", "is empty, so the block does nothing.", "Write a loss such as 100 1/m, or a conductivity.")
    if k is not None and min(k) <= 0.0:
        r.note(row, "conductivity", "is not above 0.", "Give a conductivity above 0 W/m/K.")
        k = None
    return PorousBlock(row.name, makers.box(at, size), loss, viscous, k, r.value(row, "power", "power", 0.0))


def _three(r: Reader, row: PorousBlockRow, key: str, dimension: str) -> tuple[float, float, float]:
    """One value for all directions, or three; none below 0."""
    text = row.text(key)
    if not text:
        return (0.0, 0.0, 0.0)
    if len(units.split(text)) == 3:
        x, y, z = r.vector(row, key, dimension, 3, 0.0)
    else:
        x = y = z = r.value(row, key, dimension, 0.0)
    if min(x, y, z) < 0.0:
        r.note(row, key, "is below 0 somewhere.", "Give values from 0 on.")
        return (0.0, 0.0, 0.0)
    return (x, y, z)


register(PorousBlockRow, "Openings and fans", ("box",), read=read, place=on_floor)
