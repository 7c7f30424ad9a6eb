"""Plate fins with slots across them."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import makers
from ..shapes.geometry import Box
from . import solids
from .cells import AXES, Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts, SurfaceFinish
from .fins import Channels, Fins, FinThickness, fin_count, stand
from .place import on_floor


class SlottedSink(Row):
    """Plate fins on a base, cut through by slots across the channels, so that the air begins anew behind each slot."""

    kind: Literal["slotted sink"] = "slotted sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "60, 40, 20 mm"
    base: Base = "3 mm"
    fins: Fins = "8"
    fin: FinThickness = "1 mm"
    slots: Annotated[Text, Cell("slots", SHAPE, "how many, evenly along the channels")] = "3"
    slot: Annotated[Text, Cell("slot", SHAPE, "width of a slot along the channels")] = "3 mm"
    along: Channels = "x"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: SlottedSink) -> Solid:
    """The sink as base and pieces of fins."""
    return solids.boxed(r, row, _boxes(r, row))


def _boxes(r: Reader, row: SlottedSink) -> tuple[Box, ...]:
    s = stand(r, row)
    count = fin_count(r, row, s.size[s.across], s.thick)
    slots, wide = r.whole(row, "slots", 1, 0, 100), r.value(row, "slot", "length", 1e-3, above=0.0)
    if slots * wide >= s.size[s.runs]:
        r.note(
            row, "slots", f"{slots} of “{row.slot}” leave no fin.", f"At most {int(s.size[s.runs] / wide - 1e-9)} fit."
        )
        slots = 0
    plate, *fins = makers.plate_fins([low for low, _ in s.box], s.size, s.base, count, s.thick, AXES[s.runs], s.up)
    piece = (s.size[s.runs] - slots * wide) / (slots + 1)
    out = [plate]
    for fin in fins:
        for m in range(slots + 1):
            part = list(fin)
            start = fin[s.runs][0] + m * (piece + wide)
            part[s.runs] = (start, start + piece)
            out.append(tuple(part))
    return tuple(out)


register(SlottedSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
