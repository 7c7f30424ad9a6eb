"""Rows that are kept together under a heading of their own, and chosen at once."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import KINDS, SHAPE, Cell, Row, Text, register


class Group(Row):
    """Rows that are kept together: they stand under the group's name in the ledger, fold away with it, and a press on
    it chooses them all. It is no part of the model."""

    kind: Literal["group"] = "group"
    of: Annotated[
        Text, Cell("of", SHAPE, "the rows, with semicolons between", refers=tuple(KINDS), columns=("material",))
    ] = ""


register(Group, "Groups", draws=lambda reader, row: None)
