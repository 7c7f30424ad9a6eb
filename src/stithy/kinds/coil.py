"""A tube in straight passes with bends between them: a coil, or with two passes a U."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Passage, Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.geometry import Path
from . import outlines, solids
from .cells import CellsAcross, Corner, Diameter, Fill, Order, Power, Profile, Roughness, Starts, SurfaceFinish
from .place import on_floor


class Coil(Row):
    """A round tube, or a passage, that goes to and fro along x and steps along y; ``at`` is where it begins."""

    kind: Literal["coil"] = "coil"
    at: Corner = "0, 0, 0 mm"
    length: Annotated[Text, Cell("length", SHAPE, "of a pass, bend included", columns=("size",))] = "80 mm"
    passes: Annotated[Text, Cell("passes", SHAPE, "how many; 2: a U")] = "2"
    pitch: Annotated[Text, Cell("pitch", SHAPE, "from pass to pass")] = "20 mm"
    diameter: Diameter = "8 mm"
    bore: Annotated[Text, Cell("bore", SHAPE, "inner diameter; 0 mm: solid")] = "6 mm"
    material: Fill = "copper"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = "8"


def read(r: Reader, row: Coil) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    return solids.formed(r, row, _form(r, row))


def _form(r: Reader, row: Coil) -> Path:
    x, y, z = r.vector(row, "at", "length", 3, 0.0)
    length = r.value(row, "length", "length", 0.05, above=0.0)
    passes, pitch = r.whole(row, "passes", 2, 1, 60), r.value(row, "pitch", "length", 0.01, above=0.0)
    wide, bore = r.value(row, "diameter", "length", 1e-3, above=0.0), r.value(row, "bore", "length", 0.0, least=0.0)
    if pitch <= wide and passes > 1:
        r.note(row, "pitch", f"“{row.pitch}” is tighter than the tube.", f"More than {1.05e3 * wide:.3g} mm does.")
        pitch = 1.05 * wide
    if bore >= wide:
        r.note(row, "bore", f"“{row.bore}” leaves no wall.", f"Less than {1e3 * wide:.3g} mm.")
        bore = 0.0
    if length <= pitch and passes > 1:
        r.note(row, "length", f"“{row.length}” is all bend.", f"More than {1.1e3 * pitch:.3g} mm does.")
        length = 1.1 * pitch
    points = []
    for m in range(passes):
        ends = (x, x + length) if m % 2 == 0 else (x + length, x)
        points += [(e, y + m * pitch, z) for e in ends]
    return Path(tuple(points), 0.5 * pitch, 0.5 * wide, 0.5 * bore, outlines.cells(r, row, 8))


register(Coil, "Blocks", ("solid",), read=read, place=on_floor)
