"""A fluid of the project's own."""

from __future__ import annotations

from typing import Annotated, Literal

from ..project.kind import LOAD, Cell, Row, Text, register


class FluidRow(Row):
    """A fluid of the project's own, with constant properties, and what it does when it boils; its name can be chosen
    wherever a fluid is asked for."""

    kind: Literal["fluid"] = "fluid"
    density: Annotated[Text, Cell("density", LOAD, "mass by volume")] = "1.2 kg/m3"
    viscosity: Annotated[Text, Cell("viscosity", LOAD, "dynamic viscosity")] = "1.8e-5 Pa s"
    heat_capacity: Annotated[Text, Cell("heat capacity", LOAD, "specific, at constant pressure")] = "1006 J/kg/K"
    conductivity: Annotated[Text, Cell("conductivity", LOAD, "thermal conductivity")] = "0.026 W/m/K"
    expansion: Annotated[Text, Cell("expansion", LOAD, "thermal expansion coefficient; 0 1/K leaves buoyancy out")] = (
        "0 1/K"
    )
    boils_at: Annotated[
        Text,
        Cell(
            "boils at",
            LOAD,
            "saturation temperature at the pressure of the surroundings, of a bath that may boil; then the cells below "
            "say the rest; empty: it does not",
        ),
    ] = ""
    latent: Annotated[Text, Cell("latent heat", LOAD, "of evaporation: 88 kJ/kg")] = ""
    vapour_density: Annotated[Text, Cell("vapour density", LOAD, "at saturation: 12.8 kg/m3")] = ""
    vapour_heat_capacity: Annotated[Text, Cell("vapour heat capacity", LOAD, "empty: 1000 J/kg/K")] = ""
    vapour_conductivity: Annotated[Text, Cell("vapour conductivity", LOAD, "empty: 0.012 W/m/K")] = ""
    surface_tension: Annotated[Text, Cell("surface tension", LOAD, "at saturation: 9 mN/m")] = ""
    critical_pressure: Annotated[Text, Cell("critical pressure", LOAD, "of the substance: 18.7 bar")] = ""
    molar_mass: Annotated[Text, Cell("molar mass", LOAD, "of the substance: 316 g/mol")] = ""


register(FluidRow, "Materials")
