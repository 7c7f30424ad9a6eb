"""The liquid and vapour of a bath against closed forms: growth of a film, a heated stream, a batch, separation,
decay."""

from __future__ import annotations

from dataclasses import replace

import ht
import numpy as np
from scipy.optimize import brentq
from scipy.special import erf

from stithy import api
from stithy import kinds as d
from stithy.mesh.lines import Grid
from stithy.mesh.occupancy import FLUID
from stithy.model import TimePlan
from stithy.project import library
from stithy.setup.bath import Bath
from stithy.setup.case import Case, Fluid, side_links, side_opening
from stithy.solve.boiling import BoilingRun

from .gallery import Row

ACROSS = 0.01  # m, of columns one cell wide


def column(fluid: str, length: float, cells: int, axis: int, share=0.0, **bath) -> Case:
    """Cells in a row along ``axis`` at the fluid's saturation, gravity along z; mirrors across."""
    data = library.fluid(fluid, 298.15, 101325.0)
    b = data.boiling
    shape, sizes = [1, 1, 1], [ACROSS] * 3
    shape[axis], sizes[axis] = cells, length
    grid = Grid(tuple(np.linspace(0.0, s, m + 1) for s, m in zip(sizes, shape, strict=True)))
    whole, n = np.ones(shape, bool), tuple(shape)
    given = Bath(
        whole,
        np.broadcast_to(share, n).astype(float).copy(),
        *(2, 1, 9.81, np.zeros(n), data.rho, data.cp, data.k, data.mu, b),
        **({"air": False} | bath),
    )
    k = np.full(n, data.k)
    return Case(
        grid,
        np.full(n, FLUID, np.uint8),
        np.full(n, -1, np.int32),
        (k, k, k),
        np.zeros(n),
        [Fluid(data.rho, data.mu, data.cp, data.k, 0.0)],
        np.zeros(n, np.int32),
        gravity=(0.0, 0.0, -9.81),
        reference=b.temperature,
        symmetry=frozenset(f"{c}{e}" for t, c in enumerate("xyz") if t != axis for e in "-+"),
        bath=given,
    )


def run(case: Case, length: float, step: float, start=None, free: bool = True) -> BoilingRun:
    """A run of ``length`` s from temperatures ``start`` (K above saturation), its vapour let go at once."""
    if start is not None:
        case.start = case.reference + np.broadcast_to(start, case.grid.shape)
    made = BoilingRun(case, None, (), None, TimePlan(length, ("fixed", step)))
    if free:
        made._let_go()
    return made


def film(fluid: str = "water", cells: int = 100) -> Row:
    """A film of vapour that grows on a wall 10 K above saturation, from 0.1 to 0.5 mm (Stefan)."""
    data = library.fluid(fluid, 298.15, 101325.0)
    b = data.boiling
    hot, length, first, last = 10.0, 1e-3, 1e-4, 5e-4
    ja = b.cp * hot / (b.latent * np.pi**0.5)
    lam = brentq(lambda x: x * np.exp(x * x) * erf(x) - ja, 1e-6, 2.0)
    spread = b.k / (b.density * b.cp)
    began, ends = ((s / (2 * lam)) ** 2 / spread for s in (first, last))
    case = column(fluid, length, cells, 0, 0.0, rate=1e4)
    # the wall on top: slip keeps the front between the film and the liquid below it sharp
    case.gravity, case.bath = (9.81, 0.0, 0.0), replace(case.bath, axis=0, up=-1)
    x = case.grid.centres[0][:, None, None]
    case.bath.share[:] = np.clip((first - (x - 0.5 * length / cells)) / (length / cells), 0.0, 1.0)
    case.links = side_links(case, "x-", case.reference + hot)
    case.openings = [side_opening(case, "x+", kind="pressure", temperature=case.reference)]
    profile = np.maximum(hot * (1.0 - erf(lam * x / first) / erf(lam)), 0.0)
    made = run(case, ends - began, (ends - began) / 1000, profile)
    before = float(made.bath.share.sum())
    made.run()
    grown = (float(made.bath.share.sum()) - before) * length / cells
    return Row(
        f"film of {fluid} vapour on a wall",
        "growth, mm",
        f"{cells}",
        grown * 1e3,
        (last - first) * 1e3,
        "J. Stefan (1891)",
    )


def stream(cells: int = 100) -> Row:
    """Water that enters 5 K below saturation at 0.2 m/s, rises and boils by 25 MW/m3: share of vapour at the top."""
    data = library.fluid("water", 298.15, 101325.0)
    b, u, below, q, length = data.boiling, 0.2, 5.0, 2.5e7, 0.5
    case = column("water", length, cells, 2, rate=1e3)
    case.heat[:] = q * case.grid.volumes()
    case.openings = [
        side_opening(case, "z-", kind="velocity", speed=u, temperature=case.reference - below),
        side_opening(case, "z+", kind="pressure", temperature=case.reference),
    ]
    z0 = data.rho * u * data.cp * below / q
    made = run(case, 4.0, 0.002, -below)
    made.run()
    z = case.grid.centres[2]
    evaporated = q * np.maximum(z - z0, 0.0) / b.latent  # kg/s/m2 above z0
    j = u + evaporated * (1.0 / b.density - 1.0 / data.rho)
    v = made.bath.v
    # v a2 - (j + v) a + j v = 0 where the vapour flux a j + v a (1 - a) carries what has evaporated
    jv = evaporated / b.density
    exact = ((j + v) - np.sqrt((j + v) ** 2 - 4.0 * v * jv)) / (2.0 * v)
    share = made.geo.inner(made.bath.share)[0, 0]
    return Row(
        "stream that boils", "vapour share at the top", f"{cells}", float(share[-1]), float(exact[-1]), "closed form"
    )


def batch(step: float = 0.005) -> Row:
    """Water heated throughout by 2 MW/m3 from 2 K below saturation for 8 s: vapour that is left in it."""
    data = library.fluid("water", 298.15, 101325.0)
    b, q, below, length = data.boiling, 2e6, 2.0, 8.0
    case = column("water", 0.01, 1, 2, rate=1e3)
    case.heat[:] = q * case.grid.volumes()
    case.openings = [side_opening(case, "z+", kind="pressure", temperature=case.reference)]
    made = run(case, length, step, -below)
    made.run()
    rest = length - data.rho * data.cp * below / q
    g = q / b.latent
    exact = (1.0 - np.exp(-g * rest * (1.0 / b.density - 1.0 / data.rho))) / (1.0 - b.density / data.rho)
    return Row(
        "batch that boils",
        "vapour share",
        f"{step} s",
        float(made.geo.inner(made.bath.share).max()),
        exact,
        "closed form",
    )


def separation(cells: int = 200, courant: float = 0.5) -> list[Row]:
    """A fifth of vapour throughout a closed column: where its lower and upper fronts stand after 0.6 of the time."""
    tall = 0.5
    case = column("water", tall, cells, 2, 0.2, boils=False)
    made = run(case, 1.0, 1.0, 0.0)
    v = made.bath.v
    ends = 0.6 * tall / v
    made = run(replace(case), ends, courant * tall / cells / v, 0.0)
    made.run()
    share = made.geo.inner(made.bath.share)[0, 0]
    dz = tall / cells
    z = case.grid.centres[2]
    m, n = int(np.argmax(share > 0.1)), int(np.argmax(share > 0.6))
    low, high = (float(z[i - 1] + dz * (x - share[i - 1]) / (share[i] - share[i - 1])) for i, x in ((m, 0.1), (n, 0.6)))
    return [
        Row("vapour that rises", "lower front", f"{cells}", low / tall, 0.480, "kinematic waves"),
        Row("vapour that rises", "upper front", f"{cells}", high / tall, 0.880, "kinematic waves"),
    ]


def decay(step: float = 0.02) -> Row:
    """Superheated water left alone for a time constant cp Ts / (r hfg)."""
    data = library.fluid("water", 298.15, 101325.0)
    rate, over = 17.0, 0.1
    tau = data.cp * data.boiling.temperature / (rate * data.boiling.latent)
    case = column("water", 0.01, 1, 2, rate=rate)
    case.openings = [side_opening(case, "z+", kind="pressure", temperature=case.reference)]
    made = run(case, tau, step * tau, over)
    made.run()
    left = float(made.geo.inner(made.heat.theta).max()) / over
    return Row("superheat left", "after a time constant", f"{step} of it", left, float(np.exp(-1.0)), "closed form")


def heater(power: str = "40 W", fluid: str = "fluoroketone") -> list[Row]:
    """A heater in an open bath at saturation, on the grid as it comes: its superheat, and what leaves as vapour."""
    level = library.fluid(fluid, 298.15, 101325.0).boiling.temperature - 273.25
    made = d.Document(
        rows=(
            d.Enclosure(
                name="Tank",
                size="60, 60, 90 mm",
                wall="0 mm",
                fluid=fluid,
                outside="adiabatic",
                level="60 mm",
                starts=f"{level:.2f} degC",
            ),
            d.Block(
                name="Heater",
                at="20, 20, 15 mm",
                size="20, 20, 10 mm",
                material="copper",
                power=power,
                starts=f"{level + 8:.2f} degC",
            ),
            d.Opening(name="Top", on="Tank", side="z+", at="0, 0 mm", size="60, 60 mm", flow="ambient"),
            d.Surroundings(name="Surroundings", ambient=f"{level:.2f} degC"),
            d.GridRow(name="Grid"),
            d.RunRow(name="Run", time="30 s"),
        )
    )
    result = api.Project(made, None).solve()
    table, walls = result.summary["bath"], result.walls
    own = walls.name == walls.names.index("Heater")
    wall = float(np.average(walls.temperature[own], weights=walls.area[own])) - table["saturation"]
    watts = result.summary["heat_load"]
    known = ht.Cooper(
        P=101325.0,
        Pc=library.fluid(fluid, 298.15, 101325.0).boiling.critical_pressure,
        MW=library.fluid(fluid, 298.15, 101325.0).boiling.molar_mass * 1e3,
        q=watts / walls.area[own].sum(),
    )
    grid = f"{result.grid.cells} cells, as it comes"
    series = table["series"]
    late = np.array(series["time"]) > 20.0
    gone = float(np.array(series["venting"])[late].mean()) * table["latent"]
    name = f"heater in boiling {fluid}"
    return [
        Row(name, "mean superheat, K", grid, wall, watts / walls.area[own].sum() / known, "Cooper (1984), ht"),
        Row(name, "latent heat that leaves, W", grid, gone, watts, "heat balance"),
    ]


def gallery() -> list[Row]:
    """All of them."""
    return [
        film(),
        film("fluoroketone"),
        stream(),
        batch(),
        *separation(),
        decay(),
        *heater(),
        *heater("250 W", "water"),
    ]
