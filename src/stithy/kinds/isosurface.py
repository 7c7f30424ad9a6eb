"""Surfaces on which a quantity has given values."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import drawn
from ..model.quantities import QUANTITIES
from ..project import units
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from ..project.references import listed
from . import drawing as d


class Isosurface(Row):
    """Where a quantity has one or several given values, painted by another and seen through."""

    kind: Literal["isosurface"] = "isosurface"
    shown: d.Shown = "on"
    where: Annotated[
        Text, Cell("of", READ, "the quantity whose values it follows", tuple(QUANTITIES), columns=("quantity",))
    ] = "temperature"
    at: Annotated[
        Text, Cell("values", READ, "60 degC, or several: 40; 60; 80 degC; empty: half way", columns=("where",))
    ] = ""
    quantity: Annotated[
        Text, Cell("painted by", READ, "a quantity or formula; empty: its own value", tuple(QUANTITIES))
    ] = ""
    range: d.Range = "this layout"
    steps: d.Steps = ""
    opacity: d.Opacity = "60 %"


def read(r: Reader, row: Isosurface) -> drawn.Isosurface:
    """The isosurfaces."""
    of = d.quantity(r, row, "where")
    if of.place != "cells":
        r.note(row, "where", f"“{row.where}” lives on walls.", "Choose a quantity of cells.")
    painted = row if row.text("quantity") else row.model_copy(update={"quantity": of.name})
    parts = [p for p in listed(row.text("at")) if p]
    unit = units.unit_of(parts[-1]) if parts else ""
    values = tuple(d.value(r, row, "at", p if units.unit_of(p) else f"{p} {unit}".strip(), of.dimension) for p in parts)
    return drawn.Isosurface(row.name, d.on(row), d.paint(r, painted), of, values)


register(Isosurface, "Drawn", ("drawn",), draws=read)
