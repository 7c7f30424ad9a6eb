"""A hollow box: the fluid's home, with walls or a mere boundary."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from .. import model
from ..model import by_place
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import makers
from . import bath, finishes, fluids, solids, walls
from .cells import SIDES, Corner, Fluid, Level, Material, Roughness, Starts, SurfaceFinish


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
    level: Level = ""
    roughness: Roughness = ""
    finish: SurfaceFinish = ""


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
            finish=finishes.finish(r, row, m),
        )
    fluid, starts = fluids.fluid(r, row), solids.starts(r, row)
    return model.Enclosure(
        row.name,
        outer,
        inner,
        shell,
        *fluid,
        _sides(r, row, wall, outer),
        starts,
        roughness=solids.roughness(r, row),
        finish=shell.finish if shell else finishes.finish(r, row),
        pool=bath.pool(r, row, inner, fluid, starts),
    )


def outer_of(r: Reader, name: str):
    """Outer box (m) of an enclosure; None where there is none of that name. Its own faults are told by itself."""
    row = r.by_name.get(name)
    if row is None or row.kind != "enclosure":
        return None
    kept = len(r.problems)
    outer = makers.box(r.vector(row, "at", "length", 3, 0.0), r.vector(row, "size", "length", 3, 1.0, above=0.0))
    del r.problems[kept:]
    return outer


def side_box(outer, side: str) -> list[list[float]]:
    """Low and high corner (m) of one side of a box."""
    axis, level = "xyz".index(side[0]), outer["xyz".index(side[0])][side[1] == "+"]
    return [[level if a == axis else outer[a][end] for a in range(3)] for end in (0, 1)]


def _sides(r: Reader, row: Enclosure, wall: float, outer) -> dict[str, model.WallCondition]:
    """The condition of every side."""
    sides = dict.fromkeys(SIDES, walls.condition(r, row, "outside", row.outside, np.array(outer).T.tolist()))
    for part in _parts(row.sides):
        side, _, text = (p.strip() for p in part.partition(":"))
        if side not in SIDES:
            r.note(row, "sides", f"“{part}” does not begin with a side.", "Write it like z-: adiabatic; y+: 60 degC.")
        else:
            sides[side] = walls.condition(r, row, "sides", text, side_box(outer, side))
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


def _parts(text: str) -> list[str]:
    """The sides' parts of a cell: a table by place goes on over semicolons until the next side."""
    out: list[str] = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        if out and part.partition(":")[0].strip() not in SIDES and by_place.asks(out[-1].partition(":")[2].strip()):
            out[-1] += f"; {part}"
        else:
            out.append(part)
    return out


register(Enclosure, "Enclosure", read=read)
