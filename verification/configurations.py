"""The same physics in other configurations: closed gas at large differences of temperature, walls that conduct,
chimneys, arrays, tubes."""

from __future__ import annotations

import numpy as np

from stithy import kinds as d
from stithy.mesh.lines import Grid
from stithy.setup.case import Fluid, join_links, side_links, simple_case
from stithy.solve.steady import Settings, Steady

from .convection import unit_fluid
from .gallery import Row, graded
from .projects import PLAIN, project, solve

SLICE = "y-: symmetry; y+: symmetry"
PITCH = 0.02  # m


def sealed_gas(cells: int = 60, share: float = 0.6) -> list[Row]:
    """Ideal gas in a closed square cavity, Ra 1e6, walls at 600 K (1 +- share), Sutherland's viscosity, Pr 0.71: heat,
    and the pressure that follows because no gas can leave."""
    level, gas, cp, prandtl = 600.0, 287.0, 1.4 * 287.0 / 0.4, 0.71

    def row(t: float):
        mu = 1.68e-5 * (t / 273.0) ** 1.5 * (273.0 + 110.5) / (t + 110.5)
        return t, 101325.0 / gas / t, mu, cp, mu * cp / prandtl

    _, rho, mu, _, k = row(level)
    size = (1e6 * level * mu**2 / (prandtl * 9.81 * rho**2 * 2 * share * level)) ** (1 / 3)
    fluid = Fluid(rho, mu, cp, k, 1 / level, tuple(row(t) for t in np.arange(200.0, 1001.0, 5.0)))
    x = size * graded(cells)
    case = simple_case(
        Grid((x, np.array([0.0, size / cells]), x)),
        fluid,
        symmetry=frozenset({"y-", "y+"}),
        gravity=(0, 0, -9.81),
        reference=level,
    )
    case.links = join_links(
        side_links(case, "x-", level * (1 + share), owner=0), side_links(case, "x+", level * (1 - share), owner=1)
    )
    run = Steady(case, Settings(momentum=1e-6, most=1500))
    assert run.run().settled
    nusselt = -run.heat.outflow()[1][case.links.owner == 0].sum() / (size / cells) / (k * 2 * share * level)
    source = "Vierendeels, Merci & Dick 2003"
    return [
        Row("closed gas, Ra 1e6, 240 to 960 K", "mean Nu", f"{cells} x {cells} graded", nusselt, 8.6866, source),
        Row(
            "closed gas, Ra 1e6, 240 to 960 K",
            "pressure over that at the start",
            f"{cells} x {cells} graded",
            run.flow.properties.sealed_pressure(run.heat.theta)[0],
            0.92449,
            source,
        ),
    ]


def warmed_gas(high: str = "20 mm", step: str = "1 s") -> list[Row]:
    """Air in a closed box, warmed for 10 s at its bottom (up to ``high``), in time: it takes cv, and its pressure rises
    by R / cv over the volume of what it is given."""
    made = d.Document(
        rows=(
            d.Enclosure(name="Box", size="100, 100, 100 mm", wall="0 mm", outside="adiabatic"),
            d.PorousBlockRow(name="Heat", at="0, 0, 0 mm", size=f"100, 100, {high}", loss="1 1/m", power="1 W"),
            d.Surroundings(
                name="Air", ambient="300 K", properties="varying", radiation="none", gravity="0, 0, -9.81 m/s2"
            ),
            d.GridRow(name="Grid", coarsest="10 mm", at_walls="10 mm"),
            d.RunRow(name="Run", time="10 s", step=step),
        )
    )
    result = solve(made)[0].result()
    gas, cp, volume, heat = 287.05, 1006.0, 1e-3, 10.0
    rise = result.summary["sealed"]["fluid space 1"] - 101325.0
    name, grid = "closed gas, warmed in time", f"{result.grid.cells} cells, {step}"
    return [Row(name, "pressure risen, Pa", grid, rise, gas / (cp - gas) * heat / volume, "first law, ideal gas")]


def thick_wall(ratio: float, cells: int = 40) -> list[Row]:
    """A heated cavity, Gr 1e5, Pr 0.7, whose hot side is a wall a fifth as thick as the cavity is wide, ``ratio`` times
    as conductive."""
    fluid = unit_fluid(7e4, 0.1, 0.7)
    k = float(fluid.conductivity.split()[0])
    _, q = solve(
        project(
            fluid,
            d.MaterialRow(name="wall", conductivity=f"{ratio * k} W/m/K"),
            d.Enclosure(
                name="Cavity",
                size="120, 5, 100 mm",
                wall="0 mm",
                fluid="unit fluid",
                outside="adiabatic",
                sides=f"{SLICE}; x-: 30 degC; x+: 20 degC",
            ),
            d.Block(name="Wall", size="20, 5, 100 mm", material="wall"),
            grid={
                "coarsest": "2.5 mm",
                "across_gaps": f"{cells}",
                "across_solids": "6",
                "growth": "1.15",
                "at_walls": "0.6 mm",
            },
            gravity="0, 0, -1 m/s2",
            ambient="25 degC",
            run={"residual": "1e-6", "iterations": "1500"},
        )
    )
    ours = -q.wall("Cavity x+")["flux"] * 0.1 / (k * 10.0)
    return [
        Row(
            f"cavity behind a thick wall, Gr 1e5, k ratio {ratio:g}",
            "mean Nu",
            f"{q.grid.cells} cells",
            ours,
            {1.0: 2.08, 5.0: 3.42, 10.0: 3.72}[ratio],
            "Kaminski & Prakash 1986, two decimals printed",
        )
    ]


def chimney(gap: float = 8.0) -> list[Row]:
    """Air rising between two plates of one temperature, 100 mm tall, open below and above."""
    conductivity, viscosity, density = 0.026, 1.888e-5, 1.18
    _, q = solve(
        project(
            d.FluidRow(
                name="warm air",
                density=f"{density} kg/m3",
                viscosity=f"{viscosity} Pa s",
                conductivity=f"{conductivity} W/m/K",
                heat_capacity="1006 J/kg/K",
                expansion="0.0033333 1/K",
            ),
            d.Enclosure(
                name="Gap", size=f"{gap}, 5, 100 mm", wall="0 mm", fluid="warm air", outside="50 degC", sides=SLICE
            ),
            d.Opening(name="Below", on="Gap", side="z-", at="0, 0 mm", size=f"{gap}, 5 mm"),
            d.Opening(name="Above", on="Gap", side="z+", at="0, 0 mm", size=f"{gap}, 5 mm"),
            grid={"coarsest": "2 mm", "across_gaps": "20"},
            gravity="0, 0, -9.81 m/s2",
            run={"residual": "1e-6", "iterations": "1500"},
        )
    )
    b, alpha = gap / 1e3, conductivity / density / 1006.0
    rayleigh = 9.81 / 300 * 30 * b**4 / (viscosity / density * alpha * 0.1)
    ours = q.wall()["flux"] / 30 * b / conductivity
    return [
        Row(
            f"warm channel, {gap:g} mm, Ra b/L {rayleigh:.0f}",
            "mean Nu",
            "20 across",
            ours,
            (576 / rayleigh**2 + 2.873 / rayleigh**0.5) ** -0.5,
            "Bar-Cohen & Rohsenow 1984, correlation of Elenbaas' data",
        )
    ]


def array(solid: float, cells: int) -> d.Document:
    """Creeping flow across a square array of round bars that fill the part ``solid`` of it: one pitch."""
    diameter = 2 * PITCH * np.sqrt(solid / np.pi)
    return project(
        PLAIN.model_copy(update={"viscosity": "1 Pa s"}),
        d.Enclosure(
            name="Pitch",
            size="20, 5, 20 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides=f"x-: periodic; x+: periodic; z-: periodic; z+: periodic; {SLICE}",
        ),
        d.Cylinder(
            name="Bar", along="y", at="10, 0, 10 mm", length="5 mm", diameter=f"{diameter * 1e3} mm", cells=f"{cells}"
        ),
        d.DriveRow(name="Drive", flow="0.001 m/s"),
        grid={"coarsest": f"{diameter * 1e3 / cells} mm", "across_gaps": "4"},
        run={"residual": "1e-7", "iterations": "2000"},
    )


def bar_array(solid: float, cells: int = 24) -> list[Row]:
    """Force on one bar of :func:`array`."""
    _, q = solve(array(solid, cells))
    known = {0.1: 24.83, 0.2: 51.53, 0.3: 102.9}[solid]
    speed, source = q.drive()["mass_flow"] / (0.005 * PITCH), "Sangani & Acrivos 1982"
    force = q.wall("Bar")["force"][0] / 0.005 / speed
    return [
        Row(f"array of round bars, {solid:.0%} solid", "force over mu U L", f"{cells} across", force, known, source)
    ]


def tube_in_tube() -> list[Row]:
    """Oil in a tube, counter to the water about it: effectiveness from the measured U A. Both meet the same rectangle
    of an end wall."""
    _, q = solve(
        project(
            PLAIN.model_copy(update={"conductivity": "0.05 W/m/K", "viscosity": "0.02 Pa s"}),
            d.FluidRow(
                name="other",
                density="2 kg/m3",
                viscosity="0.02 Pa s",
                heat_capacity="800 J/kg/K",
                conductivity="0.08 W/m/K",
            ),
            d.MaterialRow(name="none", conductivity="0.000001 W/m/K"),
            d.MaterialRow(name="metal", conductivity="2 W/m/K"),
            d.Enclosure(name="Case", size="300, 20, 20 mm", wall="0 mm", fluid="plain", outside="adiabatic"),
            d.Block(name="Shell", size="300, 20, 20 mm", material="none"),
            d.Bore(name="Outer bore", at="0, 10, 10 mm", length="300 mm", diameter="18 mm", cells="20"),
            d.Cylinder(
                name="Tube", at="0, 10, 10 mm", length="300 mm", diameter="10 mm", bore="8 mm", material="metal"
            ),
            d.FluidRegion(name="Outside", at="150, 10, 17 mm", fluid="other"),
            d.Opening(
                name="Hot in",
                on="Case",
                side="x-",
                at="1, 1 mm",
                size="18, 18 mm",
                flow="0.03 g/s",
                temperature="60 degC",
            ),
            d.Opening(name="Hot out", on="Case", side="x+", at="1, 1 mm", size="18, 18 mm", flow="0 Pa"),
            d.Opening(
                name="Cold in", on="Case", side="x+", at="1, 1 mm", size="18, 18 mm", flow="0.06 g/s", serves="other"
            ),
            d.Opening(
                name="Cold out", on="Case", side="x-", at="1, 1 mm", size="18, 18 mm", flow="0 Pa", serves="Outside"
            ),
            grid={"across_gaps": "5", "coarsest": "4 mm"},
            run={"residual": "1e-5", "iterations": "800"},
        )
    )
    heat = _given(q, "Hot in", "Hot out")
    walls, centres = q.walls(), q.grid.centres[0]
    layer = np.searchsorted(q.grid.lines[0], walls["centre"][:, 0], side="right") - 1
    conductance = 0.0
    cold = walls["space"] == q.solution.spaces[tuple(q.grid.find((0.15, 0.01, 0.017)))]
    for i, x in enumerate(centres):
        t = [b["bulk_temperature"] for b in q.plane(0, x).values()]
        conductance += walls["heat"][(walls["name"] == "Tube") & cold & (layer == i)].sum() / abs(t[0] - t[1])
    hot, other = 0.03e-3 * 1000.0, 0.06e-3 * 800.0
    ntu, ratio = conductance / hot, hot / other
    e = np.exp(-ntu * (1 - ratio))
    return [
        Row(
            "tube in tube, counter-flow",
            "effectiveness",
            f"{q.grid.cells} cells",
            heat / (hot * 40),
            (1 - e) / (1 - ratio * e),
            "effectiveness-NTU with the measured U A",
        )
    ]


def turbulent_step(model: str) -> list[Row]:
    """Air over a step of a ninth of the duct's height, Re 37 400 over the step: where the flow comes to the floor
    again."""
    height, before = 0.0127, 1.2
    _, q = solve(
        project(
            d.FluidRow(name="tunnel air", density="1.2 kg/m3", viscosity="1.8e-5 Pa s"),
            d.Enclosure(
                name="Duct", size="1700, 5, 114.3 mm", wall="0 mm", fluid="tunnel air", outside="adiabatic", sides=SLICE
            ),
            d.Block(name="Step", size="1200, 5, 12.7 mm"),
            d.Opening(
                name="In",
                on="Duct",
                side="x-",
                at="0, 12.7 mm",
                size="5, 101.6 mm",
                flow="44.2 m/s",
                profile="developed",
                turbulence="2 %, 5 mm",
            ),
            d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="5, 114.3 mm", flow="0 Pa"),
            grid={"coarsest": "12 mm", "across_gaps": "20", "growth": "1.12", "at_walls": "0.3 mm"},
            flow=model,
            run={"iterations": "1500"},
        )
    )
    floor = [(r["position"], r["shear_force"][0]) for r in q.wall_along("Duct z-", 0)]
    ahead = max(0.5 * (a[0] + b[0]) for a, b in zip(floor, floor[1:], strict=False) if a[1] < 0 <= b[1])
    return [
        Row(
            f"turbulent step, {model}, Re 37400",
            "reattachment over step height",
            f"{q.grid.cells} cells",
            (ahead - before) / height,
            6.26,
            "Driver & Seegmiller 1985, measured, parallel walls",
        )
    ]


def _given(q, first: str, last: str) -> float:
    """Heat (W) a stream gives between two of its openings."""
    return -sum(q.summary["ends"][name]["heat_out"] for name in (first, last))


def plate_in_stream(reynolds: float = 1e5) -> list[Row]:
    """A warm plate of 100 mm that begins 30 mm behind the inlet, in a side that is one of symmetry before it: friction
    on its later half, and its heat."""
    length, prandtl, cp = 0.1, 0.7, 1000.0
    nu = length / reynolds
    _, q = solve(
        project(
            d.FluidRow(
                name="thin",
                density="1 kg/m3",
                viscosity=f"{nu} Pa s",
                heat_capacity=f"{cp} J/kg/K",
                conductivity=f"{cp * nu / prandtl} W/m/K",
            ),
            d.Enclosure(
                name="Stream",
                size="130, 240, 5 mm",
                wall="0 mm",
                fluid="thin",
                outside="adiabatic",
                sides="y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            d.WallPatch(name="Plate", on="Stream", side="y-", at="30, 0 mm", size="100, 5 mm", condition="30 degC"),
            d.Opening(name="In", on="Stream", side="x-", at="0, 0 mm", size="240, 5 mm", flow="1 m/s"),
            d.Opening(name="Out", on="Stream", side="x+", at="0, 0 mm", size="240, 5 mm", flow="static 0 Pa"),
            grid={"coarsest": "2 mm", "across_gaps": "2", "growth": "1.08", "at_walls": "0.05 mm"},
            run={"residual": "1e-6", "iterations": "1500"},
        )
    )
    later = [r for r in q.wall_along("Plate", 0) if 0.08 < r["position"] < 0.12]
    ours = sum(r["shear_force"][0] for r in later) / sum(r["area"] for r in later) / 0.5
    x = np.array([r["position"] for r in later]) - 0.03
    nusselt = q.wall("Plate")["flux"] / 10.0 * length * prandtl / (cp * nu)
    case, grid = f"plate in a stream, Re {reynolds:g}", f"{q.grid.cells} cells"
    return [
        Row(case, "friction Cf, later half", grid, ours, float(np.mean(0.664 / np.sqrt(x / nu))), "Blasius 1908"),
        Row(case, "mean Nu", grid, nusselt, 0.664 * reynolds**0.5 * prandtl ** (1 / 3), "Pohlhausen 1921"),
    ]


def rolls(rayleigh: float) -> list[Row]:
    """One roll of air between a warm floor and a cold lid, 2.016 heights from roll to roll: heat over conduction."""
    fluid = unit_fluid(rayleigh, 0.01, 0.71)
    _, q = solve(
        project(
            fluid,
            d.Enclosure(
                name="Layer",
                size="10.08, 5, 10 mm",
                wall="0 mm",
                fluid="unit fluid",
                outside="adiabatic",
                sides=f"{SLICE}; x-: symmetry; x+: symmetry; z-: 30 degC; z+: 20 degC",
            ),
            grid={"coarsest": "0.25 mm", "across_gaps": "40"},
            gravity="0, 0, -1 m/s2",
            ambient="25 degC",
            run={"residual": "1e-6", "iterations": "3000"},
        )
    )
    ours = q.wall("Layer z-")["flux"] * 0.01 / (float(fluid.conductivity.split()[0]) * 10.0)
    return [
        Row(
            f"rolls over a warm floor, Ra {rayleigh:g}",
            "heat over conduction",
            "40 x 40",
            ours,
            {5e3: 2.116, 1e4: 2.661}[rayleigh],
            "Clever & Busse 1974",
        )
    ]


def quick() -> list[Row]:
    """All of them on the grids of the tests."""
    return [
        *sealed_gas(),
        *warmed_gas(),
        *(r for k in (1.0, 10.0) for r in thick_wall(k)),
        *chimney(),
        *(r for c in (0.1, 0.3) for r in bar_array(c)),
        *tube_in_tube(),
        *plate_in_stream(),
        *(r for ra in (5e3, 1e4) for r in rolls(ra)),
    ]
