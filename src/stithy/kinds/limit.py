"""A bound on a result."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..model import drawn
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader

QUANTITIES = ("temperature", "pressure drop")


class Limit(Row):
    """A bound on a result: a part's temperature, or a pressure drop between two openings or across a fan."""

    kind: Literal["limit"] = "limit"
    quantity: Annotated[Text, Cell("limit on", LOAD, "temperature or pressure drop", QUANTITIES)] = "pressure drop"
    of: Annotated[
        Text,
        Cell(
            "of",
            LOAD,
            "a part, an opening or a fan",
            refers=("solid", "enclosure", "opening", "fan"),
            columns=("size", "flow"),
        ),
    ] = ""
    to: Annotated[Text, Cell("to", LOAD, "the second opening; empty across a fan", refers=("opening",))] = ""
    most: Annotated[Text, Cell("at most", LOAD, "the bound", columns=("limit",))] = "20 Pa"


def read(r: Reader, row: Limit) -> model.Limit:
    """The limit of the model."""
    quantity = r.choice(row, "quantity", QUANTITIES, "temperature")
    if quantity == "temperature":
        of = r.choice(row, "of", r.names_of("solid", "enclosure"), "")
        return model.Limit(row.name, quantity, of, "", r.value(row, "most", "temperature", 400.0, above=50.0))
    most = r.value(row, "most", "pressure", 1.0, above=0.0)
    ends, fans = r.names_of("opening"), r.names_of("fan")
    if not row.to.strip() and row.of.strip() in fans:
        return model.Limit(row.name, quantity, row.of.strip(), "", most)
    return model.Limit(row.name, quantity, r.choice(row, "of", [*ends, *fans], ""), r.choice(row, "to", ends, ""), most)


def watched(r: Reader, row: Limit) -> drawn.Watch | None:
    """The same number as a watch, so that it is followed, plotted and used in formulas like any other; its bound counts
    once, as the limit's."""
    of = tuple(n for n in (row.text("of"), row.text("to")) if n)
    if not of or any(n not in r.by_name for n in of):
        return None
    dimension = "temperature" if row.text("quantity") == "temperature" else "pressure"
    return drawn.Watch(row.name, row.text("quantity"), dimension, of)


register(Limit, "Limits", ("watch",), read=read, draws=watched)
