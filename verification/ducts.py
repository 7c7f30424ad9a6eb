"""Ducts: developed, developing, with conducting walls. Set up as projects."""

from __future__ import annotations

import numpy as np

from stithy import kinds as d

from .gallery import Row
from .projects import project, solve

#: Prandtl number 10, so that conduction along the flow is small
FLUID = d.FluidRow(
    name="plain", density="1 kg/m3", viscosity="0.001 Pa s", heat_capacity="1000 J/kg/K", conductivity="0.1 W/m/K"
)
SHAH = "Shah & London 1978"


def at_one_temperature(shape: str, cells: int = 20) -> list[Row]:
    """Nusselt number of one pitch of developed flow between walls of one temperature."""
    sides, rows, dh, flow = "x-: periodic; x+: periodic; y-: 40 degC; y+: 40 degC; ", (), 0.01, "1 m/s"
    size, across = "10, 10, 10 mm", str(cells)
    if shape == "plates":
        size, sides, dh, reference = "10, 10, 5 mm", sides + "z-: symmetry; z+: symmetry", 0.02, 7.541
    elif shape == "square":
        sides, reference = sides + "z-: 40 degC; z+: 40 degC", 2.977
    else:
        size, sides, across, flow, reference = (
            "10, 14, 14 mm",
            "x-: periodic; x+: periodic",
            "2",
            "0.00007853982 m3/s",
            3.657,
        )
        rows = (
            d.Block(name="Wall", size="10, 14, 14 mm", power="40 degC"),
            d.Bore(name="Bore", at="0, 7, 7 mm", along="x", length="10 mm", diameter="10 mm", cells=f"{cells}"),
        )
    doc = project(
        FLUID,
        d.Enclosure(name="Duct", size=size, wall="0 mm", fluid="plain", outside="adiabatic", sides=sides),
        *rows,
        d.DriveRow(name="Drive", along="x+", flow=flow),
        grid={"coarsest": "10 mm", "across_gaps": across},
        run={"residual": "1e-7", "iterations": "1500"},
    )
    _, q = solve(doc)
    bulk, w = q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"], q.wall("Wall" if rows else "")
    return [
        Row(
            f"{shape}, periodic",
            "Nu, walls at one temperature",
            f"{cells} across",
            w["flux"] / (313.15 - bulk) * dh / 0.1,
            reference,
            SHAH,
        )
    ]


def triangle(cells: int = 40) -> list[Row]:
    """Developed flow in a passage with an equilateral triangle's outline through a heated, conducting block: oblique
    walls."""
    height, side = 0.01 * np.sqrt(3) / 2, 0.01
    doc = project(
        FLUID,
        d.MaterialRow(name="conducting", conductivity="100000 W/m/K"),
        d.Enclosure(
            name="Case",
            size="10, 14, 12 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic",
        ),
        d.Block(name="Wall", size="10, 14, 12 mm", material="conducting", power="0.5 W"),
        d.OutlineRow(
            name="Duct",
            along="x",
            at="0 mm",
            length="10 mm",
            points=f"2, 1; 12, 1; 7, {1 + height * 1e3:.6f} mm",
            material="fluid",
            cells=f"{cells}",
        ),
        d.DriveRow(name="Drive", along="x+", flow=f"{0.5 * side * height} m3/s"),
        grid={"coarsest": "10 mm", "across_gaps": "2"},
        run={"residual": "1e-7", "iterations": "2000"},
    )
    _, q = solve(doc)
    dh = 2 * side * height / (3 * side)
    bulk, wall = q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"], q.parts()["Wall"]["mean"]
    friction = q.drive()["pressure_gradient"] * dh / 0.5 * (dh / 1e-3)
    nusselt = 0.5 / (3 * side * 0.01) / (wall - bulk) * dh / 0.1
    return [
        Row("triangular passage, periodic", "f Re", f"{cells} across", friction, 160 / 3, SHAH),
        Row("triangular passage, periodic", "Nu, uniform flux", f"{cells} across", nusselt, 3.111, SHAH),
    ]


def developing_plates(cells: int = 24) -> list[Row]:
    """Pressure lost in the entrance of a plane channel beyond developed friction, in dynamic heads, at Re_Dh 4000."""
    length, gap, speed, nu = 2.0, 0.01, 0.05, 2.5e-7
    doc = project(
        d.FluidRow(name="plain", density="1 kg/m3", viscosity=f"{nu} Pa s", conductivity="1 W/m/K"),
        d.Enclosure(
            name="Duct",
            size=f"{length * 1e3}, {gap * 1e3}, 5 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="z-: symmetry; z+: symmetry",
        ),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="10, 5 mm", flow=f"{speed} m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="10, 5 mm", flow="static 0 Pa"),
        grid={"coarsest": "3.5 mm", "across_gaps": f"{cells}", "at_walls": "0.1 mm", "growth": "1.2"},
        run={"residual": "1e-6", "iterations": "2000"},
    )
    _, q = solve(doc)
    start, *far = (q.plane(0, x)["fluid space 1"]["mean_pressure"] for x in (0.0, 1.3, 1.8))
    head, gradient = 0.5 * speed**2, (far[0] - far[1]) / 0.5
    excess = (start - far[0] - gradient * 1.3) / head
    friction = gradient * 2 * gap / head * speed * 2 * gap / nu
    return [
        Row("developing plates", "f Re far downstream", f"{cells} across", friction, 96.0, SHAH),
        Row(
            "developing plates",
            "incremental pressure drop K",
            f"{cells} across",
            excess,
            0.686,
            "Lundgren et al. 1964, for high Re",
        ),
    ]


def graetz_exact(x_star: np.ndarray, n: int = 600) -> np.ndarray:
    """Bulk temperature (wall 0, inlet 1) between plates at x / (Dh Pe), by an eigenvalue solution across half the gap.

    u dT/dx = a d2T/dy2 with u = 1.5 (1 - y^2), y from 0 to 1: in units of the half gap b, x* = x / (Dh Pe) = x a / (16
    b^2 u_mean).
    """
    y = (np.arange(n) + 0.5) / n
    u = 1.5 * (1 - y**2)
    matrix = np.diag(np.full(n, -2.0)) + np.diag(np.ones(n - 1), 1) + np.diag(np.ones(n - 1), -1)
    matrix[0, 0], matrix[-1, -1] = -1.0, -3.0
    matrix *= n**2
    root = np.sqrt(u)
    values, vectors = np.linalg.eigh(matrix / root[:, None] / root[None, :])
    weights = vectors.T @ root
    return np.array([(weights**2 * np.exp(values * 16 * x)).sum() / u.sum() for x in x_star])


def graetz(cells: int = 24) -> list[Row]:
    """Developed flow enters a channel whose walls have another temperature: bulk temperature along it."""
    gap, speed, length = 0.01, 1.0, 1.0  # Pe_Dh = 200 with FLUID: x* = x / 4
    doc = project(
        FLUID,
        d.Enclosure(
            name="Duct",
            size=f"{length * 1e3}, {gap * 1e3}, 5 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="z-: symmetry; z+: symmetry; y-: 30 degC; y+: 30 degC",
        ),
        d.Opening(
            name="In", on="Duct", side="x-", at="0, 0 mm", size="10, 5 mm", flow=f"{speed} m/s", profile="developed"
        ),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="10, 5 mm", flow="0 Pa"),
        grid={"coarsest": "8 mm", "across_gaps": f"{cells}", "at_walls": "0.15 mm", "growth": "1.2"},
        run={"residual": "1e-7", "iterations": "1500"},
    )
    _, q = solve(doc)
    at = np.array([0.08, 0.2, 0.4])
    exact = graetz_exact(at / 4)
    return [
        Row(
            "Graetz problem, plates",
            f"bulk temperature at x* {x / 4:.2f}",
            f"{cells} across",
            (303.15 - q.plane(0, x)["fluid space 1"]["bulk_temperature"]) / 10,
            e,
            "eigenvalue solution in the test",
        )
        for x, e in zip(at, exact, strict=True)
    ]


def heated_tube(cells: int = 20) -> list[Row]:
    """Heat from a block through a tube's wall into developed flow: resistance per length, both sides of a curved wall
    in series."""
    k_wall, k_fluid, inner, outer = 0.5, 0.1, 0.004, 0.006
    doc = project(
        FLUID,
        d.MaterialRow(name="conducting", conductivity="100000 W/m/K"),
        d.MaterialRow(name="wall", conductivity=f"{k_wall} W/m/K"),
        d.Enclosure(
            name="Case",
            size="10, 16, 16 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic",
        ),
        d.Block(name="Block", size="10, 16, 16 mm", material="conducting", power="0.5 W"),
        d.Cylinder(
            name="Tube",
            at="0, 8, 8 mm",
            along="x",
            length="10 mm",
            diameter=f"{2e3 * outer} mm",
            bore=f"{2e3 * inner} mm",
            material="wall",
            cells=f"{cells}",
        ),
        d.DriveRow(name="Drive", along="x+", flow=f"{np.pi * inner**2} m3/s"),
        grid={"coarsest": "10 mm", "across_gaps": "2", "across_solids": "2"},
        run={"residual": "1e-7", "iterations": "1500"},
    )
    _, q = solve(doc)
    bulk = q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]
    ours = (q.parts()["Block"]["mean"] - bulk) / 50.0
    exact = np.log(outer / inner) / (2 * np.pi * k_wall) + 1 / (np.pi * k_fluid * 48 / 11)
    return [
        Row("heated tube wall", "resistance K m/W", f"{cells} across", ours, exact, "ring and Nu = 48/11 in series")
    ]


def conducting_duct(cells: int) -> float:
    """Hottest wall temperature over the bulk (K) of developed flow in a square duct of conducting walls, heated from
    below."""
    doc = project(
        FLUID,
        d.MaterialRow(name="wall", conductivity="1 W/m/K"),
        d.Enclosure(
            name="Duct",
            size="10, 14, 14 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic; z-: 2000 W/m2",
        ),
        d.Block(name="Walls", size="10, 14, 14 mm", material="wall"),
        d.Block(name="Hollow", at="0, 2, 2 mm", size="10, 10, 10 mm", material="fluid", cells=f"{cells}"),
        d.DriveRow(name="Drive", along="x+", flow="1 m/s"),
        grid={"coarsest": "10 mm", "across_gaps": f"{cells}", "across_solids": f"{cells // 4}", "growth": "2"},
        run={"residual": "1e-8", "iterations": "2000"},
    )
    _, q = solve(doc)
    return q.parts()["Walls"]["mean"] - q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]


def richardson(function=conducting_duct, cells: int = 8) -> tuple[list[Row], float]:
    """A conjugate case against the limit of its own grids (each twice as fine): error of the middle grid, and the
    observed order."""
    a, b, c = (function(cells * m) for m in (1, 2, 4))
    order = np.log2((b - a) / (c - b))
    limit = c + (c - b) / (2**order - 1)
    return [
        Row(
            "square duct, conducting walls",
            "wall over bulk K",
            f"{2 * cells} across",
            b,
            limit,
            f"own limit from three grids, order {order:.2f}",
        )
    ], order
