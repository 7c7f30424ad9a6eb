"""Convection about bodies and through solids, set up as projects: still fluid around a tube, a conducting block in a
cavity, a hot bar."""

from __future__ import annotations

import numpy as np

from stithy import kinds as d

from .bodies import stream
from .gallery import Row
from .projects import project, solve


def unit_fluid(rayleigh: float, size: float, prandtl: float = 0.71) -> d.FluidRow:
    """A fluid of 1 kg/m3 and 1 J/kg/K that has this Rayleigh number over ``size`` (m), 10 K and 1 m/s2, expanding by
    0.001 1/K."""
    alpha = np.sqrt(0.001 * 10.0 * size**3 / (rayleigh * prandtl))
    return d.FluidRow(
        name="unit fluid",
        density="1 kg/m3",
        viscosity=f"{alpha * prandtl} Pa s",
        heat_capacity="1 J/kg/K",
        conductivity=f"{alpha} W/m/K",
        expansion="0.001 1/K",
    )


def annulus(cells: int = 80) -> list[Row]:
    """A hot rod in the middle of a cold bore 2.6 times as wide, Ra 1e4 over the gap: heat over that of conduction
    alone, which must be the closed form's where nothing flows. The flow follows two curved walls."""
    inner, outer = 0.05, 0.13
    fluid = unit_fluid(1e4, 0.5 * (outer - inner), 0.7)
    still = 2 * np.pi * float(fluid.conductivity.split()[0]) * 10.0 * 0.005 / np.log(outer / inner)
    heats = []
    for gravity in ("0, 0, 0 m/s2", "0, 0, -1 m/s2"):
        _, q = solve(
            project(
                fluid,
                d.Enclosure(
                    name="Case",
                    size="140, 5, 140 mm",
                    wall="0 mm",
                    fluid="unit fluid",
                    outside="adiabatic",
                    sides="y-: symmetry; y+: symmetry",
                ),
                d.Block(name="Shell", size="140, 5, 140 mm", power="20 degC"),
                d.Bore(name="Hole", at="70, 0, 70 mm", along="y", length="5 mm", diameter="130 mm", cells=f"{cells}"),
                d.Cylinder(name="Rod", at="70, 0, 70 mm", along="y", length="5 mm", diameter="50 mm", power="30 degC"),
                grid={"coarsest": f"{140 / cells} mm"},
                gravity=gravity,
                ambient="25 degC",
                run={"residual": "1e-6", "iterations": "2000"},
            )
        )
        heats.append(q.wall("Rod")["heat"])
    return [
        Row("rod in a bore, at rest", "heat W", f"{cells} across", heats[0], still, "2 pi k dT / ln(D / d)"),
        Row(
            "rod in a bore, Ra 1e4",
            "heat over conduction",
            f"{cells} across",
            heats[1] / still,
            1.979,
            "Shu 1999; Kuehn & Goldstein 1976 have 2.010",
        ),
    ]


def block_in_cavity(ratio: float, cells: int = 60) -> list[Row]:
    """A heated cavity, Ra 1e5, with a conducting block of half its width in the middle, ``ratio`` times as conductive
    as the fluid."""
    size = 0.1
    fluid = unit_fluid(1e5, size)
    k = float(fluid.conductivity.split()[0])
    _, q = solve(
        project(
            fluid,
            d.MaterialRow(name="core", conductivity=f"{ratio * k} W/m/K"),
            d.Enclosure(
                name="Cavity",
                size="100, 5, 100 mm",
                wall="0 mm",
                fluid="unit fluid",
                outside="adiabatic",
                sides="y-: symmetry; y+: symmetry; x-: 30 degC; x+: 20 degC",
            ),
            d.Block(name="Core", at="25, 0, 25 mm", size="50, 5, 50 mm", material="core"),
            grid={
                "coarsest": f"{size * 1e3 / cells * 1.6} mm",
                "across_gaps": f"{cells * 3 // 10}",
                "growth": "1.15",
                "at_walls": "0.4 mm",
            },
            gravity="0, 0, -1 m/s2",
            ambient="25 degC",
            run={"residual": "1e-6", "iterations": "1500"},
        )
    )
    known = {0.2: 4.624, 5.0: 4.324}[ratio]
    ours = q.wall("Cavity x-")["flux"] * size / (k * 10.0)
    return [
        Row(
            f"conducting block in a cavity, Ra 1e5, k ratio {ratio:g}",
            "mean Nu",
            f"{q.grid.cells} cells",
            ours,
            known,
            "House, Beckermann & Smith 1990",
        )
    ]


def hot_bar(cells: int = 16) -> list[Row]:
    """A bar of one temperature in a stream at Re 40, Pr 0.7: its mean Nusselt number."""
    base = stream(40.0, cells)
    rows = [
        r.model_copy(update={"heat_capacity": "1000 J/kg/K", "conductivity": f"{0.01 / 40 * 1000 / 0.7} W/m/K"})
        if r.name == "plain"
        else r.model_copy(update={"power": "30 degC"})
        if r.name == "Bar"
        else r
        for r in base.rows
    ]
    _, q = solve(base.model_copy(update={"rows": tuple(rows)}))
    conductivity = 0.01 / 40 * 1000 / 0.7
    nusselt = q.wall("Bar")["heat"] / (np.pi * 0.01 * 0.005) / 10.0 * 0.01 / conductivity
    return [
        Row("hot round bar, Re 40", "mean Nu", f"{cells} across", nusselt, 3.2825, "Bharti, Chhabra & Eswaran 2007")
    ]
