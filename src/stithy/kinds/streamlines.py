"""Lines along the flow."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import drawn
from ..model.quantities import QUANTITIES
from ..project import units
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from . import drawing as d

WAYS = ("both", "onward", "back")


class Streamlines(Row):
    """Lines along the flow from openings, fans, sections, lines or points, painted by a quantity; marks may move along
    them."""

    kind: Literal["streamlines"] = "streamlines"
    shown: d.Shown = "on"
    quantity: Annotated[
        Text, Cell("painted by", READ, "a quantity or formula", tuple(QUANTITIES), columns=("quantity",))
    ] = "speed"
    source: Annotated[
        Text,
        Cell(
            "from",
            READ,
            "openings, fans, sections or lines by name, with semicolons, or points x, y, z mm; empty: all openings "
            "and fans",
            refers=("opening", "flow device", "fan", "section", "line"),
            columns=("where",),
        ),
    ] = ""
    count: Annotated[Text, Cell("count", READ, "lines in all; empty: as many as are quick to have")] = ""
    way: Annotated[Text, Cell("way", READ, "with the flow, against it, or both", WAYS)] = "both"
    marks: Annotated[Text, Cell("marks", READ, "moving along the lines as fast as the fluid", ("moving",))] = ""
    range: d.Range = "this layout"
    steps: d.Steps = ""


def read(r: Reader, row: Streamlines) -> drawn.Streamlines:
    """The streamlines."""
    text = row.text("source")
    points: tuple[drawn.Point, ...] = ()
    source: tuple[str, ...] = ()
    known = r.names_of("opening", "flow device", "fan", "section", "line")
    first = text.split(";")[0].strip()
    if first and first not in known and len(units.split(first)) == 3:
        points = d.points(r, row, "source")
    else:
        source = d.names(r, row, "source", "opening", "flow device", "fan", "section", "line")
    count = r.whole(row, "count", 0, 1, 20_000) if row.text("count") else 0
    way = r.choice(row, "way", WAYS, "both")
    return drawn.Streamlines(
        row.name, d.on(row), d.paint(r, row), source, points, count, way, row.text("marks") == "moving"
    )


register(Streamlines, "Drawn", ("drawn",), draws=read)
