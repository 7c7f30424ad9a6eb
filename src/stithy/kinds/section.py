"""A quantity on a plane."""

from __future__ import annotations

from typing import Annotated, Literal

from ..errors import ValueProblem
from ..model import drawn
from ..project import units
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from . import drawing as d
from .cells import AXES

#: what the cell "clips" may say, and what it means
CLIPS = {"as needed": "auto", "nearer half": "near", "low side": "low", "high side": "high", "nothing": ""}


class Section(Row):
    """A quantity on a plane across an axis or any direction; what lies before it may be taken away."""

    kind: Literal["section"] = "section"
    shown: d.Shown = "on"
    quantity: d.QuantityCell = "temperature"
    across: Annotated[Text, Cell("across", READ, "x, y, z, or a direction such as 1, 1, 0", AXES)] = "y"
    at: Annotated[
        Text,
        Cell("place", READ, "along the axis, or a point x, y, z; empty: the middle of what flows", columns=("where",)),
    ] = ""
    clips: Annotated[Text, Cell("clips", READ, "what is taken away before it", tuple(CLIPS))] = "as needed"
    of: Annotated[
        Text, Cell("of", READ, "parts and fluids that it shows, with semicolons; empty: all", refers=d.PARTS)
    ] = ""
    range: d.Range = "this layout"
    steps: d.Steps = ""
    lines: d.Lines = ""
    values: d.AsIs = "smoothed"
    opacity: d.Opacity = ""
    minus: d.Minus = ""


def read(r: Reader, row: Section) -> drawn.Section:
    """The section."""
    paint = d.paint(r, row)
    if paint.quantity.place != "cells":
        r.note(row, "quantity", f"“{row.quantity}” lives on walls.", "Draw it on a surface, or choose another.")
    axis: int | None = None
    normal: drawn.Point = (0.0, 1.0, 0.0)
    across = row.text("across")
    if across in AXES:
        axis = AXES.index(across)
        normal = float(axis == 0), float(axis == 1), float(axis == 2)
    else:
        try:
            x, y, z = units.vector(across, "ratio", 3, r.names)
        except ValueProblem:
            x = y = z = 0.0
        size = (x * x + y * y + z * z) ** 0.5
        normal = (x / size, y / size, z / size) if size else normal
        if not size:
            r.note(row, "across", f"“{units.short(across)}” is no direction.", "Write x, y, z, or one such as 1, 1, 0.")
    point, place = _place(r, row, axis)
    clips = CLIPS[r.choice(row, "clips", CLIPS, "as needed")] if row.text("clips") else "auto"
    of = d.names(r, row, "of", *d.PARTS)
    return drawn.Section(row.name, d.on(row), paint, normal, axis, point, place, clips, of)


def _place(r: Reader, row: Section, axis: int | None) -> tuple[drawn.Point | None, float | None]:
    """A point of the plane, or its place along the axis."""
    text = row.text("at")
    if not text:
        return None, None
    if axis is not None and len(units.split(text)) == 1:
        return None, r.value(row, "at", "length", 0.0)
    try:
        x, y, z = units.vector(text, "length", 3, r.names)
        return (x, y, z), None if axis is None else (x, y, z)[axis]
    except ValueProblem as error:
        r.note(row, "at", error.what, "Write 30 mm along the axis, or a point x, y, z.")
        return None, None


register(Section, "Drawn", ("drawn", "plane"), draws=read)
