"""A solid or passage bounded by triangles."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from ..model import Enclosure, Passage, Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.facets import fault
from ..shapes.geometry import Facets
from . import outlines, solids
from .cells import CellsAcross, Fill, Power, Profile, Starts, SurfaceFinish
from .place import middle_of

_PLAIN = Facets(
    ((0.0, 0.0, 0.0), (1e-3, 0.0, 0.0), (0.0, 1e-3, 0.0), (0.0, 0.0, 1e-3)),
    ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 1)),
)


class Triangulated(Row):
    """A solid or passage bounded by triangles; ``points`` are its corners, ``triangles`` their numbers from 1,
    counterclockwise seen from outside."""

    kind: Literal["triangulated"] = "triangulated"
    points: Annotated[Text, Cell("corners", SHAPE, "0, 0, 0; 20, 0, 0; 0, 20, 0; 0, 0, 20 mm", columns=("place",))] = (
        "0, 0, 0; 20, 0, 0; 0, 20, 0; 0, 0, 20 mm"
    )
    triangles: Annotated[
        Text,
        Cell(
            "triangles",
            SHAPE,
            "their corners by number, counterclockwise seen from outside: 1, 3, 2; 1, 2, 4",
            columns=("size",),
        ),
    ] = "1, 3, 2; 1, 2, 4; 2, 3, 4; 1, 4, 3"
    material: Fill = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = "8"


def read(r: Reader, row: Triangulated) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    return solids.formed(r, row, _form(r, row))


def _form(r: Reader, row: Triangulated) -> Facets:
    points, before = outlines.points(r, row, 3), len(r.problems)
    triples = [t.replace(",", " ").split() for t in row.triangles.split(";") if t.strip()]
    wrong = next((" ".join(t) for t in triples if len(t) != 3 or not all(n.isdigit() for n in t)), None)
    if wrong is not None:
        r.note(row, "triangles", f"“{wrong}” is not three whole numbers.", "Write triangles such as 1, 3, 2; 1, 2, 4.")
        return _PLAIN
    triangles: Any = tuple(tuple(int(n) - 1 for n in t) for t in triples)
    what = fault(points, triangles) if points else ""
    if what:
        r.note(row, "triangles", what, "Give every edge two triangles, each counterclockwise seen from outside.")
    if what or not points or len(r.problems) > before:
        return _PLAIN
    return Facets(tuple(points), triangles, outlines.cells(r, row, 8))


def place(enclosure: Enclosure) -> dict[str, str]:
    """A corner of a box on the floor."""
    (x, y, _), reach = middle_of(enclosure)
    z = enclosure.inner[2][0] * 1e3
    tip = ((0, 0, 0), (reach, 0, 0), (0, reach, 0), (0, 0, reach))
    return {"points": "; ".join(f"{x + p:.4g}, {y + q:.4g}, {z + s:.4g}" for p, q, s in tip) + " mm"}


register(Triangulated, "Blocks", ("solid",), read=read, place=place)
