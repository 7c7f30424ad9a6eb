"""Which fluid a row names."""

from __future__ import annotations

from ..project import library
from ..project.library import FluidData
from ..project.reader import Reader


def fluid(r: Reader, row) -> tuple[FluidData, str]:
    """Properties and name of the fluid a row names: one of the project's own, or of the library."""
    own = {x.name: x for x in r.of("fluid")}
    name = r.choice(row, "fluid", [*own, *library.fluid_names()], "air")
    ambient = r.surroundings.ambient
    if name not in own:
        data = library.fluid(name, ambient, r.surroundings.pressure, r.surroundings.varying)
        if data.table is not None and not data.table[0][0] <= ambient <= data.table[-1][0]:
            low, high = (data.table[m][0] - 273.15 for m in (0, -1))
            r.note(
                row,
                "fluid",
                f"“{name}” is known from {low:.0f} to {high:.0f} degC only, and the ambient temperature lies outside.",
                "Choose another ambient temperature or fluid, or constant properties.",
            )
        return data, name
    f = own[name]
    return FluidData(
        r.value(f, "conductivity", "conductivity", 1.0, above=0.0),
        r.value(f, "density", "density", 1.0, above=0.0),
        r.value(f, "heat_capacity", "specific heat", 1.0, above=0.0),
        r.value(f, "viscosity", "viscosity", 1.0, above=0.0),
        r.value(f, "expansion", "expansion", 0.0),
    ), name
