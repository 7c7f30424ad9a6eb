"""Straight fins on a base plate."""

from __future__ import annotations

from typing import Literal

from ..model import Solid
from ..project.kind import Row, register
from ..project.reader import Reader
from ..shapes import makers
from . import solids
from .cells import AXES, SIDES, Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts
from .fins import Channels, Fins, FinThickness, axes_of, fin_count
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
    runs, across, _ = axes_of(r, row, up)
    thick = r.value(row, "fin", "length", 1e-4, above=0.0)
    fins = fin_count(r, row, size[across], thick)
    return makers.plate_fins([low for low, _ in whole], size, base, fins, thick, AXES[runs], up)


register(PlateFinSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
