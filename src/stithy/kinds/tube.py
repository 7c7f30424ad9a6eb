"""A round tube, bar or passage along a line of points."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Enclosure, Passage, Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.geometry import Path
from ..shapes.solids import fits
from . import outlines, solids
from .cells import CellsAcross, Diameter, Fill, Order, Power, Profile, Roughness, Starts, SurfaceFinish
from .place import middle_of


class Tube(Row):
    """A round tube, bar or passage along a line of points with rounded corners."""

    kind: Literal["tube"] = "tube"
    points: Annotated[
        Text,
        Cell("centre line", SHAPE, "points of its centre line: 0, 0, 0; 40, 0, 0; 40, 30, 0 mm", columns=("place",)),
    ] = "0, 0, 0; 40, 0, 0; 40, 30, 0 mm"
    bend: Annotated[Text, Cell("bend radius", SHAPE, "radius of the centre line at its corners")] = "10 mm"
    diameter: Diameter = "6 mm"
    bore: Annotated[Text, Cell("bore", SHAPE, "inner diameter; 0 mm: solid")] = "4 mm"
    material: Fill = "copper"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = "8"


def read(r: Reader, row: Tube) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    return solids.formed(r, row, _form(r, row))


def _form(r: Reader, row: Tube) -> Path:
    points = outlines.points(r, row, 3)
    radius, bore = outlines.radii(r, row)
    bend = r.value(row, "bend", "length", 1e-3, above=0.0)
    shape = Path(tuple(points), bend, radius, bore, outlines.cells(r, row, 8))
    if len(points) >= 2 and bend >= radius and fits(shape):
        return shape
    if len(points) == 1:
        r.note(row, "points", "is only one point.", "Give at least two points of the centre line.")
    elif points and bend < radius:
        r.note(row, "bend", f"“{row.bend}” is less than half the diameter.", "Bend it more gently.")
    elif points:
        r.note(
            row,
            "bend",
            f"“{row.bend}” leaves nothing straight between two corners.",
            "Bend it more sharply, or move the corners apart.",
        )
    return Path(((0.0, 0.0, 0.0), (4 * radius, 0.0, 0.0)), bend, radius, bore)


def place(enclosure: Enclosure) -> dict[str, str]:
    """A bent bar in the middle."""
    (x, y, z), reach = middle_of(enclosure)
    line = [(x - reach, y, z), (x + reach, y, z), (x + reach, y + reach, z)]
    return {
        "points": "; ".join(", ".join(f"{v:.4g}" for v in p) for p in line) + " mm",
        "bend": f"{reach / 2:.4g} mm",
        "diameter": f"{reach / 2:.4g} mm",
        "bore": "0 mm",
    }


register(Tube, "Blocks", ("solid",), read=read, place=place)
