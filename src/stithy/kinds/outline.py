"""A closed outline drawn out along an axis."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Enclosure, Passage, Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.geometry import Outline
from ..shapes.solids import encloses
from . import outlines, solids
from .cells import AXES, CellsAcross, Fill, Order, Power, Profile, Starts, SurfaceFinish
from .place import middle_of


class OutlineRow(Row):
    """A closed outline drawn out along an axis; ``at`` is its place along that axis, ``points`` its corners in the
    other two."""

    kind: Literal["outline"] = "outline"
    at: Annotated[Text, Cell("from", SHAPE, "where it begins along its axis", columns=("place",))] = "0 mm"
    along: Annotated[Text, Cell("along", SHAPE, "axis it is drawn out along", AXES)] = "z"
    length: Annotated[Text, Cell("length", SHAPE, "length along its axis", columns=("size",))] = "10 mm"
    points: Annotated[Text, Cell("corners", SHAPE, "in the other two directions, in order: 0, 0; 20, 0; 0, 20 mm")] = (
        "0, 0; 20, 0; 0, 20 mm"
    )
    material: Fill = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    cells: CellsAcross = "8"


def read(r: Reader, row: OutlineRow) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    return solids.formed(r, row, _form(r, row))


def _form(r: Reader, row: OutlineRow) -> Outline:
    axis = outlines.along(r, row, "z")
    at, long = r.value(row, "at", "length", 0.0), r.value(row, "length", "length", 1e-3, above=0.0)
    points, before = outlines.points(r, row, 2), len(r.problems)
    shape = Outline(axis, tuple(points), (at, at + long), outlines.cells(r, row, 8))
    if encloses(points):
        return shape
    if len(points) and len(r.problems) == before:
        r.note(
            row,
            "points",
            "make no area: there are fewer than three, or edges cross.",
            "Give the corners in order round the outline.",
        )
    return Outline(axis, ((0.0, 0.0), (1e-3, 0.0), (0.0, 1e-3)), (at, at + long))


def place(enclosure: Enclosure) -> dict[str, str]:
    """A triangle on the floor."""
    (x, y, _), reach = middle_of(enclosure)
    return {
        "at": f"{enclosure.inner[2][0] * 1e3:.4g} mm",
        "length": f"{reach:.4g} mm",
        "points": f"{x:.4g}, {y:.4g}; {x + reach:.4g}, {y:.4g}; {x:.4g}, {y + reach:.4g} mm",
    }


register(OutlineRow, "Blocks", ("solid",), read=read, place=place)
