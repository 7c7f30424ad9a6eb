"""Values pinned to the picture."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import drawn
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from . import drawing as d

PLACES = ("hottest", "coldest")


class Flag(Row):
    """A value pinned to a point, or to the hottest or coldest place of a part."""

    kind: Literal["flag"] = "flag"
    shown: d.Shown = "on"
    quantity: d.QuantityCell = "temperature"
    at: Annotated[Text, Cell("at", READ, "x, y, z; empty: a place of the part", columns=("where",))] = ""
    of: Annotated[Text, Cell("of", READ, "the part whose place it marks", refers=d.PARTS)] = ""
    place: Annotated[Text, Cell("place", READ, "which place of the part", PLACES)] = "hottest"
    label: Annotated[Text, Cell("label", READ, "x, y, z where its words stand; empty: beside the place")] = ""


def read(r: Reader, row: Flag) -> drawn.Flag | None:
    """The flag."""
    points = d.points(r, row, "at")
    of = d.names(r, row, "of", *d.PARTS)
    if not points and not of:
        if not any(p.row == row.name for p in r.problems):
            r.note(row, "at", "is empty.", "Give a point x, y, z, or the part whose hottest place is marked.")
        return None
    place = r.choice(row, "place", PLACES, "hottest")
    point = points[0] if points else None
    words = d.points(r, row, "label")
    of_one = of[0] if of else ""
    return drawn.Flag(row.name, d.on(row), d.paint(r, row), point, of_one, place, words[0] if words else None)


register(Flag, "Drawn", ("drawn",), draws=read)
