"""A hollow box: the fluid's home, with walls or a mere boundary."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import makers
from . import fluids, solids, walls
from .cells import SIDES, Corner, Fluid, Material, Roughness, Starts


class Enclosure(Row):
    """A hollow box: outer size, wall thickness (0 for walls that are only a boundary), the fluid inside."""

    kind: Literal["enclosure"] = "enclosure"
    at: Corner = "0, 0, 0 mm"
    size: Annotated[Text, Cell("outer size", SHAPE, "outer lengths along x, y, z", columns=("size",))] = (
        "200, 140, 60 mm"
    )
    wall: Annotated[Text, Cell("wall", SHAPE, "wall thickness; 0 mm for a mere boundary")] = "2 mm"
    material: Material = "aluminium"
    fluid: Fluid = "air"
    outside: Annotated[
        Text, Cell("outside", LOAD, "adiabatic, or heat transfer coefficient to ambient", columns=("flow",))
    ] = "8 W/m2/K"
    sides: Annotated[
        Text,
        Cell(
            "sides",
            LOAD,
            "by side, z-: adiabatic; y+: 60 degC; x-: symmetry (also periodic, 500 W/m2, sliding 1, 0, 0 m/s)",
        ),
    ] = ""
    starts: Starts = ""
    roughness: Roughness = ""


def read(r: Reader, row: Enclosure) -> model.Enclosure:
    """The enclosure of the model."""
    outer = makers.box(r.vector(row, "at", "length", 3, 0.0), r.vector(row, "size", "length", 3, 1.0, above=0.0))
    wall = r.value(row, "wall", "length", 0.0, least=0.0)
    if 2 * wall >= min(b - a for a, b in outer):
        r.note(row, "wall", f"“{row.wall}” leaves no room inside.", "Make the wall thinner than half the least size.")
        wall = 0.0
    inner = makers.inset(outer, wall)
    shell = None
    if wall > 0:
        m, k, table = solids.material(r, row)
        shell = model.Solid(
            row.name,
            "enclosure",
            makers.slabs(outer, inner),
            k,
            m.rho,
            m.cp,
            tone=m.tone,
            table=table,
            starts=solids.starts(r, row),
        )
    return model.Enclosure(
        row.name,
        outer,
        inner,
        shell,
        *fluids.fluid(r, row),
        _sides(r, row, wall),
        solids.starts(r, row),
        roughness=solids.roughness(r, row),
    )


def _sides(r: Reader, row: Enclosure, wall: float) -> dict[str, model.WallCondition]:
    """The condition of every side."""
    sides = dict.fromkeys(SIDES, walls.condition(r, row, "outside", row.outside))
    for part in filter(None, (p.strip() for p in row.sides.split(";"))):
        side, _, text = (p.strip() for p in part.partition(":"))
        if side not in SIDES:
            r.note(row, "sides", f"“{part}” does not begin with a side.", "Write it like z-: adiabatic; y+: 60 degC.")
        else:
            sides[side] = walls.condition(r, row, "sides", text)
    for a in "xyz":
        if (sides[a + "-"].kind == "periodic") != (sides[a + "+"].kind == "periodic"):
            r.note(
                row, "sides", f"makes only one of {a}- and {a}+ periodic.", "Write periodic for both sides of an axis."
            )
    if wall > 0 and any(w.kind in ("periodic", "symmetry") or w.slides for w in sides.values()):
        r.note(
            row,
            "wall",
            "has a thickness, but a side is symmetry, periodic or sliding.",
            "Write 0 mm, and add walls as blocks.",
        )
    return sides


register(Enclosure, "Enclosure", read=read)
