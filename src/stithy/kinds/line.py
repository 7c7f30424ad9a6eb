"""Quantities along a line."""

from __future__ import annotations

from typing import Annotated, Literal

from ..errors import ValueProblem
from ..model import drawn
from ..model.quantities import QUANTITIES, find
from ..project import units
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from ..project.references import listed
from . import drawing as d


class LineRow(Row):
    """Quantities along a straight line, through several points, or along the surface of a part where a section cuts it;
    plotted in the shelf and drawn on the bench."""

    kind: Literal["line"] = "line"
    shown: d.Shown = "on"
    quantity: Annotated[
        Text,
        Cell(
            "quantities",
            READ,
            "one of the list or several, with semicolons; or a formula",
            tuple(QUANTITIES),
            columns=("quantity",),
        ),
    ] = "temperature"
    through: Annotated[
        Text, Cell("through", READ, "points: 0, 5, 2; 100, 5, 2 mm; empty: through the middle", columns=("where",))
    ] = ""
    section: Annotated[
        Text, Cell("cut by", READ, "a section that cuts the surface of a part; else empty", refers=("section",))
    ] = ""
    part: Annotated[
        Text, Cell("surface of", READ, "the part along whose surface it runs, or several", refers=d.PARTS)
    ] = ""
    count: Annotated[Text, Cell("points", READ, "places along it; empty: 200")] = ""
    layouts: Annotated[
        Text,
        Cell(
            "layouts",
            READ,
            "this layout, all layouts, or their names with semicolons",
            ("this layout", "all layouts"),
            ("layout",),
        ),
    ] = "this layout"
    measured: Annotated[
        Text, Cell("measured", READ, "a CSV file in the project's assets folder: distance and value; empty: none")
    ] = ""
    against: d.Against = ""
    length: d.ReferenceLength = ""
    speed: d.ReferenceSpeed = ""


def read(r: Reader, row: LineRow) -> drawn.Line:
    """The line."""
    found = []
    for part in (p for p in listed(row.text("quantity")) if p):
        try:
            found.append(find(part))
        except ValueProblem as error:
            r.note(row, "quantity", error.what, error.remedy)
    section, part = row.text("section"), row.text("part")
    if bool(section) != bool(part):
        key = "part" if section else "section"
        r.note(row, key, "is empty.", "A line along a surface needs a section and the part that it cuts.")
    if section and section not in r.names_of("section"):
        r.note(row, "section", f"“{units.short(section)}” is no section.", "Name a section of this project.")
    parts = d.names(r, row, "part", *d.PARTS)
    if not section and any(q.place != "cells" for q in found):
        r.note(row, "quantity", "holds one that lives on walls.", "Name a section and a part whose surface it cuts.")
    points = d.points(r, row, "through")
    if len(points) == 1:
        r.note(row, "through", "is one point only.", "Write two points or more, with semicolons between.")
    count = r.whole(row, "count", 200, 2, 20_000) if row.text("count") else 200
    layouts = _layouts(r, row)
    paint = drawn.Paint(found[0] if found else QUANTITIES["temperature"], references=d.references(r, row))
    return drawn.Line(
        row.name, d.on(row), paint, tuple(found), points, section, parts, count, layouts, row.text("measured")
    )


def _layouts(r: Reader, row: LineRow) -> tuple[str, ...]:
    text = row.text("layouts")
    if text in ("", "this layout"):
        return ()
    if text == "all layouts":
        return tuple(r.layouts)
    found = [p for p in listed(text) if p in r.layouts]
    for part in listed(text):
        if part not in r.layouts:
            r.note(row, "layouts", f"“{units.short(part)}” is no layout.", f"Name some of: {', '.join(r.layouts[:8])}.")
    return tuple(found)


register(LineRow, "Drawn", ("drawn",), draws=read)
