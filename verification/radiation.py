"""Radiation between surfaces, on the grid as it comes, against closed forms and crossed strings."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq

from stithy import api
from stithy import kinds as d

from .gallery import Row

SIGMA = 5.670374419e-8


def vacuum(*rows, **surroundings) -> d.Document:
    """Rows in a box of next to nothing, without gravity."""
    given = {"ambient": "300 K", "gravity": "0, 0, 0 m/s2", "radiation": "surfaces", **surroundings}
    return d.Document(
        rows=(
            d.FluidRow(name="nothing", density="1e-6 kg/m3", viscosity="1e-6 Pa s", conductivity="1e-9 W/m/K"),
            d.MaterialRow(name="plain", conductivity="400 W/m/K"),
            *rows,
            d.Surroundings(name="Surroundings", **given),
            d.GridRow(name="Grid"),
        )
    )


def solve(document: d.Document):
    """The solution of a document's only layout."""
    return api.Project(document, None).solve()


def slabs() -> list[Row]:
    """Two slabs of poor conductors with a gap of still air between them: conduction and radiation in series."""
    made = d.Document(
        rows=(
            d.FluidRow(name="still", conductivity="0.026 W/m/K"),
            d.MaterialRow(name="first", conductivity="0.2 W/m/K"),
            d.MaterialRow(name="second", conductivity="0.5 W/m/K"),
            d.Enclosure(
                name="Box",
                size="40, 20, 20 mm",
                wall="0 mm",
                fluid="still",
                outside="adiabatic",
                sides="x-: 400 K; x+: 300 K; y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            d.Block(name="Hot", at="0, 0, 0 mm", size="10, 20, 20 mm", material="first", finish="0.9"),
            d.Block(name="Cold", at="30, 0, 0 mm", size="10, 20, 20 mm", material="second", finish="0.6"),
            d.Surroundings(name="Surroundings", ambient="300 K", radiation="surfaces"),
            d.GridRow(name="Grid"),
        )
    )
    result = solve(made)
    flux = result.summary["walls"]["Box x+"] / 4e-4

    def off(q: float) -> float:
        a, b = 400 - q * 0.01 / 0.2, 300 + q * 0.01 / 0.5
        return 0.026 * (a - b) / 0.02 + SIGMA * (a**4 - b**4) / (1 / 0.9 + 1 / 0.6 - 1) - q

    exact = brentq(off, 1.0, 5000.0)
    return [
        Row("slabs with a gap", "heat flux, W/m2", f"{result.grid.cells} cells, as it comes", flux, exact, "series")
    ]


def shields(count: int, emissivity: float) -> list[Row]:
    """Thin shields between two plates in vacuum."""
    gap = 10
    plates = [
        d.Block(
            name=f"Shield {m + 1}",
            at=f"{gap * (m + 1) + m}, 0, 0 mm",
            size="1, 20, 20 mm",
            material="plain",
            finish=f"{emissivity}",
        )
        for m in range(count)
    ]
    long = gap * (count + 1) + count
    result = solve(
        vacuum(
            d.Enclosure(
                name="Box",
                size=f"{long}, 20, 20 mm",
                wall="0 mm",
                fluid="nothing",
                outside="adiabatic",
                finish="0.8",
                sides="x-: 500 K; x+: 300 K; y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            *plates,
        )
    )
    flux = result.summary["walls"]["Box x+"] / 4e-4
    exact = SIGMA * (500.0**4 - 300.0**4) / (2 / 0.8 - 1 + count * (2 / emissivity - 1))
    grid = f"{result.grid.cells} cells, as it comes"
    name = f"{count} shield{'s' if count > 1 else ''} of emissivity {emissivity:g}"
    return [Row(name, "heat flux, W/m2", grid, flux, exact, "closed form")]


def block(walls: float, exact: float) -> list[Row]:
    """A block of 10 W in the middle of a box in vacuum."""
    result = solve(
        vacuum(
            d.Enclosure(
                name="Box", size="200, 200, 200 mm", wall="0 mm", fluid="nothing", outside="300 K", finish=f"{walls}"
            ),
            d.Block(
                name="Block", at="60, 60, 60 mm", size="80, 80, 80 mm", material="plain", finish="0.8", power="10 W"
            ),
        )
    )
    ours = result.summary["parts"]["Block"]["mean"] - 300.0
    grid = f"{result.grid.cells} cells, as it comes"
    return [Row(f"block in a box, walls {walls:g}", "rise, K", grid, ours, exact - 300.0, "closed form")]


def cylinders(inner: float, outer: float) -> list[Row]:
    """Concentric cylinders in vacuum, the outer twice as wide, along the grid's axis: heat per length."""
    result = solve(
        vacuum(
            d.Enclosure(
                name="Box",
                size="60, 60, 10 mm",
                wall="0 mm",
                fluid="nothing",
                outside="adiabatic",
                sides="z-: symmetry; z+: symmetry",
            ),
            d.Block(name="Shell", size="60, 60, 10 mm", material="plain", power="300 K", finish=f"{outer}"),
            d.Bore(name="Bore", at="31, 29.5, 0 mm", along="z", length="10 mm", diameter="40 mm"),
            d.Cylinder(
                name="Rod",
                at="31, 29.5, 0 mm",
                along="z",
                length="10 mm",
                diameter="20 mm",
                material="plain",
                power="400 K",
                finish=f"{inner}",
            ),
        )
    )
    heat = result.summary["parts"]["Rod"]["held_heat"] / 0.01
    exact = SIGMA * np.pi * 0.02 * (400.0**4 - 300.0**4) / (1 / inner + 0.5 * (1 / outer - 1))
    grid = f"{result.grid.cells} cells, as it comes"
    return [Row(f"cylinders, {inner:g} in {outer:g}", "heat, W/m", grid, heat, exact, "closed form")]


#: apparent emissivity of an isothermal trough open above, by its height over width and the emissivity of its walls:
#: crossed strings, 400 strips on each side
TROUGHS = {
    (1.0, 0.9): 0.961325,
    (1.0, 0.5): 0.741240,
    (1.0, 0.1): 0.248231,
    (5.0, 0.9): 0.976391,
    (5.0, 0.5): 0.844583,
    (5.0, 0.1): 0.479390,
}


def trough(tall: float, emissivity: float) -> list[Row]:
    """A trough between mirrors, of one temperature, open above."""
    high = 20.0 * tall
    result = solve(
        vacuum(
            d.Enclosure(
                name="Trough",
                size=f"20, 40, {high:g} mm",
                wall="0 mm",
                fluid="nothing",
                outside="adiabatic",
                sides="x-: 400 K; x+: 400 K; z-: 400 K; y-: symmetry; y+: symmetry",
                finish=f"{emissivity}",
            ),
            d.Opening(name="Mouth", on="Trough", side="z+", at="0, 0 mm", size="20, 40 mm", flow="static 0 Pa"),
        )
    )
    heat = sum(result.summary["radiation"]["surfaces"][f"Trough {s}"]["net"] for s in ("x-", "x+", "z-"))
    ours = heat / (SIGMA * (400.0**4 - 300.0**4) * 8e-4)
    grid = f"{result.grid.cells} cells, as it comes"
    name = f"trough {tall:g} times as tall as wide, walls {emissivity:g}"
    return [Row(name, "apparent emissivity", grid, ours, TROUGHS[tall, emissivity], "crossed strings")]
