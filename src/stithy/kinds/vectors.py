"""Velocities in a section as arrows."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import drawn
from ..project import units
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from . import drawing as d


class Vectors(Row):
    """Velocities within a section as arrows, thinned to an even raster."""

    kind: Literal["vectors"] = "vectors"
    shown: d.Shown = "on"
    section: Annotated[
        Text, Cell("in", READ, "the section; empty: the first one", refers=("section",), columns=("where",))
    ] = ""
    quantity: Annotated[
        Text,
        Cell(
            "painted by",
            READ,
            "a quantity or formula; empty: all in ink",
            ("speed", "temperature"),
            columns=("quantity",),
        ),
    ] = ""
    apart: Annotated[Text, Cell("apart", READ, "distance between arrows; empty: by the model's size")] = ""
    arrows: Annotated[
        Text, Cell("arrows", READ, "as long as they are fast, or of one length", ("by speed", "one length"))
    ] = "by speed"
    longer: Annotated[Text, Cell("longer", READ, "times the usual length")] = "1"
    range: d.Range = "this layout"
    steps: d.Steps = ""


def read(r: Reader, row: Vectors) -> drawn.Vectors:
    """The vectors."""
    section = row.text("section")
    if section and section not in r.names_of("section"):
        r.note(
            row,
            "section",
            f"“{units.short(section)}” is no section.",
            f"Name one of: {', '.join(r.names_of('section'))}.",
        )
    apart = r.value(row, "apart", "length", 0.0, above=0.0) if row.text("apart") else 0.0
    longer = r.value(row, "longer", "ratio", 1.0, above=0.0, most=100.0) if row.text("longer") else 1.0
    one = r.choice(row, "arrows", ("by speed", "one length"), "by speed") == "one length"
    ink = not row.text("quantity")
    painted = row.model_copy(update={"quantity": "speed"}) if ink else row
    return drawn.Vectors(row.name, d.on(row), d.paint(r, painted), section, apart, one, longer, ink)


register(Vectors, "Drawn", ("drawn",), draws=read)
