"""Which fluid a row names."""

from __future__ import annotations

from ..project import library
from ..project.kind import Row
from ..project.library import Boiling, FluidData
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
        None,
        _boiling(r, f),
    ), name


def _boiling(r: Reader, f: Row) -> Boiling | None:
    """What a fluid of the project's own does at saturation; None where its cells leave that open."""
    if not f.text("boils_at"):
        return None
    kept = len(r.problems)
    found = Boiling(
        r.surroundings.pressure,
        r.value(f, "boils_at", "temperature", 350.0, above=1.0),
        r.value(f, "latent", "specific latent heat", 1e5, above=0.0),
        r.value(f, "vapour_density", "density", 10.0, above=0.0),
        r.maybe(f, "vapour_heat_capacity", "specific heat", 1000.0, above=0.0),
        r.maybe(f, "vapour_conductivity", "conductivity", 0.012, above=0.0),
        r.value(f, "surface_tension", "surface tension", 0.01, above=0.0),
        r.value(f, "critical_pressure", "pressure", 2e6, above=0.0),
        r.value(f, "molar_mass", "molar mass", 0.2, above=0.0),
    )
    if len(r.problems) == kept and r.surroundings.pressure >= 0.9 * found.critical_pressure:
        r.note(
            f,
            "critical_pressure",
            "is no more than the pressure of the surroundings: nothing boils there.",
            "Give the critical pressure of the substance, such as 18.7 bar.",
        )
    return found
