"""A finding about solids, or a leak beside them, that is left as it is, with the reason."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import SHAPE, Cell, Row, Text, register


class Accepted(Row):
    """A fault of imported solids, or a leak beside them, that is left as it is: which solids it is about, and why. It
    no longer counts as one to settle."""

    kind: Literal["accepted"] = "accepted"
    of: Annotated[
        Text, Cell("of", SHAPE, "a solid that the fault is about", refers=("solid", "enclosure"), columns=("material",))
    ] = ""
    to: Annotated[Text, Cell("and", SHAPE, "the other solid, where it is about two", refers=("solid", "enclosure"))] = (
        ""
    )
    reason: Annotated[Text, Cell("reason", SHAPE, "why it is left", columns=("place",))] = ""


register(Accepted, "Settings")
