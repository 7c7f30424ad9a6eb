"""A volume filled with compound around all that stands in it: potting, or a bundle of cables."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import solids
from .cells import CellsAcross, Corner, Material, Power, Profile, Size, Starts, SurfaceFinish
from .place import on_floor

#: it gives way to every other solid
LAST = -99


class Potting(Row):
    """A box filled with compound, or with a bundle of cables, around all that stands in it, which keeps its place.
    Along its bundle it may conduct better than across."""

    kind: Literal["potting"] = "potting"
    at: Corner = "0, 0, 0 mm"
    size: Size = "60, 40, 15 mm"
    material: Material = "potting compound"
    along: Annotated[
        Text,
        Cell("conductivity", SHAPE, "along x, y, z where it is a bundle: 40, 0.3, 0.3 W/m/K; empty: the material's"),
    ] = ""
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Potting) -> Solid:
    """The box, behind all others in order."""
    made = solids.boxed(r, row)
    k = r.vector(row, "along", "conductivity", 3, 1.0, above=0.0) if row.text("along") else made.k
    return replace(made, k=tuple(k), rank=LAST)


register(Potting, "Blocks", ("solid", "box"), read=read, place=on_floor)
