"""A fluid of the project's own."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import LOAD, Cell, Row, Text, register


class FluidRow(Row):
    """A fluid of the project's own, with constant properties; its name can be chosen wherever a fluid is asked for."""

    kind: Literal["fluid"] = "fluid"
    density: Annotated[Text, Cell("density", LOAD, "mass by volume")] = "1.2 kg/m3"
    viscosity: Annotated[Text, Cell("viscosity", LOAD, "dynamic viscosity")] = "1.8e-5 Pa s"
    heat_capacity: Annotated[Text, Cell("heat capacity", LOAD, "specific, at constant pressure")] = "1006 J/kg/K"
    conductivity: Annotated[Text, Cell("conductivity", LOAD, "thermal conductivity")] = "0.026 W/m/K"
    expansion: Annotated[Text, Cell("expansion", LOAD, "thermal expansion coefficient; 0 1/K leaves buoyancy out")] = (
        "0 1/K"
    )


register(FluidRow, "Materials")
