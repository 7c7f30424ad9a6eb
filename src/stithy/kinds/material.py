"""A solid material of the project's own."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import LOAD, Cell, Row, Text, register


class MaterialRow(Row):
    """A solid of the project's own; conductivity is one value, or three along x, y, z."""

    kind: Literal["material"] = "material"
    conductivity: Annotated[
        Text,
        Cell(
            "conductivity",
            LOAD,
            "one value, three along x, y, z, or by temperature: 20 degC: 200 W/m/K; 99 degC: 180 W/m/K",
        ),
    ] = "200 W/m/K"
    density: Annotated[Text, Cell("density", LOAD, "mass by volume")] = "2700 kg/m3"
    heat_capacity: Annotated[Text, Cell("heat capacity", LOAD, "specific")] = "900 J/kg/K"
    finish: Annotated[
        Text,
        Cell(
            "finish",
            LOAD,
            "how its surface radiates as it comes; empty: 0.15 where it conducts better than 10 W/m/K, else 0.9",
            refers=("finish",),
            library="finishes",
        ),
    ] = ""


register(MaterialRow, "Materials")
