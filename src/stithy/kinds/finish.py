"""A finish of the project's own: how a surface radiates."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import LOAD, Cell, Row, Text, register


class FinishRow(Row):
    """A finish of the project's own; its name can be chosen wherever a finish is asked for."""

    kind: Literal["finish"] = "finish"
    emissivity: Annotated[Text, Cell("emissivity", LOAD, "of heat, 0 to 1")] = "0.9"
    absorptivity: Annotated[Text, Cell("absorptivity", LOAD, "of sunlight, 0 to 1; empty: as the emissivity")] = ""


register(FinishRow, "Materials")
