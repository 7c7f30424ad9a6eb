"""Straight fins on a base plate."""

from __future__ import annotations

from typing import Literal

from ..model import Solid
from ..project.kind import Row, register
from ..project.reader import Reader
from ..shapes import makers
from ..shapes.geometry import Box
from . import solids
from .cells import AXES, Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts, SurfaceFinish
from .fins import Channels, Fins, FinThickness, fin_count, stand
from .place import on_floor


class PlateFinSink(Row):
    """Straight fins on a base plate; ``size`` is the whole, ``along`` the direction of the channels."""

    kind: Literal["plate-fin sink"] = "plate-fin sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "40, 40, 20 mm"
    base: Base = "3 mm"
    fins: Fins = "8"
    fin: FinThickness = "1 mm"
    along: Channels = "x"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: PlateFinSink) -> Solid:
    """The sink as base and fins."""
    return solids.boxed(r, row, _boxes(r, row))


def _boxes(r: Reader, row: PlateFinSink) -> tuple[Box, ...]:
    s = stand(r, row)
    fins = fin_count(r, row, s.size[s.across], s.thick)
    return makers.plate_fins([low for low, _ in s.box], s.size, s.base, fins, s.thick, AXES[s.runs], s.up)


register(PlateFinSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
