"""Verification cases set up as projects: what a user would write, with the answer known from a closed form or a
publication."""

from __future__ import annotations

import numpy as np

from stithy import kinds as d
from stithy.read.quantities import Quantities
from stithy.solve.job import Job

from .gallery import Row

PLAIN = d.FluidRow(
    name="plain", density="1 kg/m3", viscosity="0.001 Pa s", heat_capacity="1000 J/kg/K", conductivity="1 W/m/K"
)


def project(
    *rows, run: dict | None = None, grid: dict | None = None, settled: bool = True, **surroundings
) -> d.Document:
    """A document of these rows with its settings; no gravity and laminar unless asked for.

    ``settled``: every cell of the grid row is set, as an expert would; else it goes by detail where ``grid`` says
    nothing.
    """
    cells = (
        {"coarsest": "6 mm", "across_gaps": "3", "across_solids": "1", "growth": "1.4", "at_walls": "0 mm"}
        if settled
        else {}
    )
    base = {"gravity": "0, 0, 0 m/s2", "flow": "laminar", "ambient": "20 degC", "radiation": "none"} | surroundings
    return d.Document(
        name="Verification",
        rows=(
            *rows,
            d.Surroundings(name="Surroundings", **base),
            d.GridRow(name="Grid", **(cells | (grid or {}))),
            d.RunRow(name="Run", **(run or {})),
        ),
    )


def solve(document: d.Document):
    """The run and what can be read off it."""
    job = Job(document, "First layout", banded=False)
    job.run()
    return job, Quantities(job.result())


def channel(cells: int = 20, pitches: int = 1) -> d.Document:
    """Laminar flow between plates, one pitch long, heated with a uniform flux."""
    return project(
        PLAIN,
        d.Enclosure(
            name="Duct",
            size=f"{10 * pitches}, 10, 5 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic; z-: symmetry; z+: symmetry; y-: 1000 W/m2; y+: 1000 W/m2",
        ),
        d.DriveRow(name="Drive", along="x+", flow="1 m/s"),
        grid={"coarsest": "10 mm", "across_gaps": f"{cells}"},
        run={"residual": "1e-8", "iterations": "1500"},
    )


def plates(cells: int = 20) -> list[Row]:
    """Friction and Nusselt number of developed flow between plates."""
    _, q = solve(channel(cells))
    w, drive = q.wall("Duct y-"), q.drive()
    bulk = q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]
    dh = 0.02
    friction = drive["pressure_gradient"] * dh / 0.5 * (dh / 1e-3)
    nusselt = w["flux"] / (w["wall_temperature"] - bulk) * dh
    source = "Shah & London 1978"
    return [
        Row("plates, periodic", "f Re", f"{cells} across", friction, 96.0, source),
        Row("plates, periodic", "Nu, uniform flux", f"{cells} across", nusselt, 8.235, source),
    ]


def pipe(cells: int = 20) -> list[Row]:
    """Developed flow in a round bore through a heated conducting block: the curved wall on the Cartesian grid."""
    doc = project(
        PLAIN,
        d.MaterialRow(name="conducting", conductivity="100000 W/m/K"),
        d.Enclosure(
            name="Case",
            size="10, 14, 14 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic",
        ),
        d.Block(name="Wall", size="10, 14, 14 mm", material="conducting", power="0.5 W"),
        d.Bore(name="Bore", at="0, 7, 7 mm", along="x", length="10 mm", diameter="10 mm", cells=f"{cells}"),
        d.DriveRow(name="Drive", along="x+", flow="0.00007853982 m3/s"),
        grid={"coarsest": "10 mm", "across_gaps": "2"},
        run={"residual": "1e-7", "iterations": "2000"},
    )
    _, q = solve(doc)
    drive = q.drive()
    dh = 0.01
    bulk = q.plane(0, 0.005)["fluid space 1"]
    friction = drive["pressure_gradient"] * dh / 0.5 * (dh / 1e-3)
    wall = q.parts()["Wall"]["mean"]
    nusselt = 0.5 / (np.pi * dh * 0.01) / (wall - bulk["bulk_temperature"]) * dh
    source = "Shah & London 1978"
    return [
        Row("round bore, periodic", "f Re", f"{cells} across", friction, 64.0, source),
        Row("round bore, periodic", "Nu, uniform flux", f"{cells} across", nusselt, 4.364, source),
    ]


def slab(step: str = "1 s") -> d.Document:
    """Copper and laminate with a contact resistance, heated by a flux on one side, the other side held."""
    return project(
        d.MaterialRow(name="copper plate", conductivity="401 W/m/K", density="8960 kg/m3", heat_capacity="385 J/kg/K"),
        d.MaterialRow(name="laminate", conductivity="0.3 W/m/K", density="1850 kg/m3", heat_capacity="1100 J/kg/K"),
        d.Enclosure(
            name="Box",
            size="7, 10, 10 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="x-: 5000 W/m2; x+: 20 degC; y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
        ),
        d.Block(name="A", size="2, 10, 10 mm", material="copper plate"),
        d.Block(name="B", at="2, 0, 0 mm", size="5, 10, 10 mm", material="laminate"),
        d.Contact(name="Joint", of="A", to="B", resistance="0.0002 m2 K/W"),
        grid={"across_solids": "40", "coarsest": "10 mm"},
        run={"time": "100 s", "step": step},
    )


def slab_exact(x: float, t: float) -> float:
    """Temperature rise (K) of :func:`slab` at ``x`` (m), by numerical inversion of its Laplace transform (Talbot's
    contour).

    Per layer T = a cosh(m x) + b sinh(m x), m = sqrt(s rho cp / k); flux 5000/s at x = 0, contact 2e-4 m2 K/W at 2 mm,
    T = 0 at 7 mm.
    """
    k1, c1, k2, c2, l1, l2, r = 401.0, 8960 * 385.0, 0.3, 1850 * 1100.0, 2e-3, 5e-3, 2e-4

    def transform(s):
        m1, m2 = np.sqrt(s * c1 / k1), np.sqrt(s * c2 / k2)
        # unknowns: b1 from the flux; a1, and b2 of T2 = b2 sinh(m2 (l - x))
        b1 = -5000 / s / (k1 * m1)
        # flux continuity at l1: -k1 m1 (a1 sinh + b1 cosh) = k2 m2 b2 cosh(m2 l2); jump: T1 - T2 = r q
        sh1, ch1, sh2, ch2 = np.sinh(m1 * l1), np.cosh(m1 * l1), np.sinh(m2 * l2), np.cosh(m2 * l2)
        matrix = np.array([[-k1 * m1 * sh1, -k2 * m2 * ch2], [ch1, -sh2 - r * k2 * m2 * ch2]])
        a1, b2 = np.linalg.solve(matrix, np.array([k1 * m1 * b1 * ch1, -b1 * sh1]))
        return a1 * np.cosh(m1 * x) + b1 * np.sinh(m1 * x) if x <= l1 else b2 * np.sinh(m2 * (l1 + l2 - x))

    n, total = 32, 0.0
    for j in range(n):
        theta = -np.pi + (j + 0.5) * 2 * np.pi / n
        z = n / t * (0.5017 * theta / np.tan(0.6407 * theta) - 0.6122 + 0.2645j * theta)
        dz = n / t * (0.5017 / np.tan(0.6407 * theta) - 0.5017 * 0.6407 * theta / np.sin(0.6407 * theta) ** 2 + 0.2645j)
        total += (np.exp(z * t) * transform(z) * dz / 1j).real
    return float(total / n)


def slab_in_time(step: str = "1 s") -> list[Row]:
    """Temperatures of the heated face and of the middle of the laminate after 100 s."""
    job, q = solve(slab(step))
    out = []
    for what, x in (("heated face", 0.0), ("middle of the laminate", 4.5e-3)):
        ours = q.at([(x, 5e-3, 5e-3)])[0]["temperature"] - 293.15
        out.append(
            Row(
                "slab with contact, in time",
                f"rise of the {what} K",
                f"{job.prepared.case.grid.shape[0]}, {step}",
                ours,
                slab_exact(x, 100.0),
                "Laplace transform, inverted numerically",
            )
        )
    return out


def plate_set_in_motion(step: str = "0.01 s") -> list[Row]:
    """Oil between two plates, at rest until one begins to slide: velocities when friction has come half way through."""
    gap, speed, nu, t = 0.01, 0.1, 1e-4, 0.2
    _, q = solve(
        project(
            d.FluidRow(name="oil", density="1000 kg/m3", viscosity="0.1 Pa s"),
            d.Enclosure(
                name="Gap",
                size="10, 5, 10 mm",
                wall="0 mm",
                fluid="oil",
                outside="adiabatic",
                sides="x-: periodic; x+: periodic; y-: symmetry; y+: symmetry; z+: sliding 0.1, 0, 0 m/s",
            ),
            d.DriveRow(name="Drive", flow="0 Pa/m"),
            grid={"coarsest": "10 mm", "across_gaps": "20"},
            run={"time": f"{t} s", "step": step},
        )
    )
    out = []
    for z in (0.25, 0.75):
        m = np.arange(1, 60)
        exact = speed * (
            z
            + (2 * (-1.0) ** m / (m * np.pi) * np.exp(-((m * np.pi / gap) ** 2) * nu * t) * np.sin(m * np.pi * z)).sum()
        )
        ours = q.at([(5e-3, 2.5e-3, z * gap)])[0]["u"]
        out.append(
            Row(
                "plate set in motion",
                f"velocity at {z:g} of the gap m/s",
                f"20, {step}",
                ours,
                float(exact),
                "Fourier series",
            )
        )
    return out


def fin() -> list[Row]:
    """A straight fin with convecting sides and tip: heat it takes from its held base."""
    k, h, t, length, width = 180.0, 50.0, 2e-3, 0.05, 0.01
    doc = project(
        d.MaterialRow(name="fin metal", conductivity=f"{k} W/m/K"),
        d.Enclosure(
            name="Box",
            size="50, 2, 10 mm",
            wall="0 mm",
            outside=f"{h} W/m2/K",
            sides="x-: 80 degC; z-: symmetry; z+: symmetry",
        ),
        d.Block(name="Fin", size="50, 2, 10 mm", material="fin metal"),
        grid={"across_solids": "60", "coarsest": "2 mm"},
    )
    job, _ = solve(doc)
    ours = -job.run_.heat.outflow()[1][job.prepared.case.links.owner == 0].sum()
    m = np.sqrt(2 * h / (k * t))
    tip = h / (m * k)
    exact = (
        np.sqrt(h * 2 * width * k * width * t)
        * 60
        * (np.sinh(m * length) + tip * np.cosh(m * length))
        / (np.cosh(m * length) + tip * np.sinh(m * length))
    )
    return [Row("straight fin", "heat W", "60 x 60", ours, exact, "Incropera, one-dimensional fin (Bi 0.0003)")]


def two_resistor() -> list[Row]:
    """Junction temperature of a two-resistor component between two held plates."""
    doc = project(
        d.MaterialRow(name="plate", conductivity="400 W/m/K"),
        d.Enclosure(name="Box", size="10, 10, 6 mm", wall="0 mm", outside="adiabatic"),
        d.Block(name="Board plate", size="10, 10, 2 mm", material="plate", power="30 degC"),
        d.Component(
            name="Chip",
            at="0, 0, 2 mm",
            size="10, 10, 2 mm",
            power="2 W",
            junction_to_case="8 K/W",
            junction_to_board="12 K/W",
        ),
        d.Block(name="Case plate", at="0, 0, 4 mm", size="10, 10, 2 mm", material="plate", power="20 degC"),
    )
    _, q = solve(doc)
    exact = (2 + 20 / 8 + 30 / 12) / (1 / 8 + 1 / 12)
    return [
        Row(
            "two-resistor component",
            "junction degC",
            "",
            q.parts()["Chip"]["highest"] - 273.15,
            exact,
            "closed-form network",
        )
    ]


def exchanger(counter: bool = True) -> list[Row]:
    """Two streams on either side of a plate, in one enclosure with two fluids: effectiveness from the measured U A."""
    cold = "x+" if counter else "x-"
    out = "x-" if counter else "x+"
    doc = project(
        PLAIN.model_copy(update={"conductivity": "0.01 W/m/K"}),
        d.FluidRow(
            name="other",
            density="2 kg/m3",
            viscosity="0.002 Pa s",
            heat_capacity="800 J/kg/K",
            conductivity="0.02 W/m/K",
        ),
        d.MaterialRow(name="plate metal", conductivity="0.5 W/m/K"),
        d.Enclosure(
            name="Case",
            size="200, 5, 9 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="y-: symmetry; y+: symmetry",
        ),
        d.Block(name="Plate", at="0, 0, 4 mm", size="200, 5, 1 mm", material="plate metal"),
        d.FluidRegion(name="Upper", at="100, 2.5, 7 mm", fluid="other"),
        d.Opening(
            name="Hot in", on="Case", side="x-", at="0, 0 mm", size="5, 4 mm", flow="0.1 m/s", temperature="60 degC"
        ),
        d.Opening(name="Hot out", on="Case", side="x+", at="0, 0 mm", size="5, 4 mm", flow="0 Pa"),
        d.Opening(
            name="Cold in", on="Case", side=cold, at="0, 5 mm", size="5, 4 mm", flow="0.1 m/s", temperature="20 degC"
        ),
        d.Opening(name="Cold out", on="Case", side=out, at="0, 5 mm", size="5, 4 mm", flow="0 Pa"),
        grid={"across_gaps": "12", "across_solids": "2", "coarsest": "2 mm"},
        run={"residual": "1e-6", "iterations": "800"},
    )
    job, q = solve(doc)
    s = job.result(job.run_.history[-1]).summary["ends"]
    c_hot, c_cold = (abs(s[n]["mass_flow"]) * cp for n, cp in (("Hot in", 1000.0), ("Cold in", 800.0)))
    heat = s["Cold out"]["heat_out"] + s["Cold in"]["heat_out"]
    # overall coefficient layer by layer: local flux over the local difference of bulk temperatures
    total = 0.0
    for row in q.wall_along("Plate", 0):
        beside = q.plane(0, row["position"])
        t = [b["bulk_temperature"] for b in beside.values()]
        total += _across(q, row["position"]) / abs(t[0] - t[1])
    ntu, ratio = total / min(c_hot, c_cold), min(c_hot, c_cold) / max(c_hot, c_cold)
    if counter:
        e = np.exp(-ntu * (1 - ratio))
        exact = (1 - e) / (1 - ratio * e)
    else:
        exact = (1 - np.exp(-ntu * (1 + ratio))) / (1 + ratio)
    name = "counter-flow plates" if counter else "parallel-flow plates"
    return [
        Row(
            name,
            "effectiveness",
            "100 x 26",
            heat / (min(c_hot, c_cold) * 40),
            exact,
            "effectiveness-NTU with the measured U A",
        )
    ]


def _across(q: Quantities, position: float) -> float:
    """Heat (W) passing the plate at one position, from the wall faces of the colder fluid."""
    w = q.walls()
    layer = np.searchsorted(q.grid.lines[0], w["centre"][:, 0], side="right") - 1
    here = (layer == np.searchsorted(q.grid.lines[0], position) - 1) & (w["name"] == "Plate") & (w["heat"] > 0)
    return float(w["heat"][here].sum())


def step(cells: int = 20, reynolds: float = 100.0) -> list[Row]:
    """Flow over a backward-facing step, expansion 1 : 2, developed inlet; Re with the mean speed and twice the inlet
    height."""
    speed = reynolds * 1e-3 / (2 * 0.01)
    doc = project(
        PLAIN,
        d.Enclosure(
            name="Duct",
            size="240, 5, 20 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="y-: symmetry; y+: symmetry",
        ),
        d.Block(name="Step", size="20, 5, 10 mm"),
        d.Opening(
            name="In", on="Duct", side="x-", at="0, 10 mm", size="5, 10 mm", flow=f"{speed} m/s", profile="developed"
        ),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="5, 20 mm", flow="0 Pa"),
        grid={"coarsest": "1 mm", "across_gaps": f"{cells}", "growth": "1.1"},
        run={"residual": "1e-6", "iterations": "1500"},
    )
    job, q = solve(doc)
    grid = job.prepared.case.grid
    along = [(r["position"], r["shear_force"][0]) for r in q.wall_along("Duct z-", 0) if r["position"] > 0.021]
    i = next(m for m, (_, pull) in enumerate(along) if pull > 0)  # where friction on the floor changes its direction
    (x0, u0), (x1, u1) = along[i - 1 : i + 1]
    length = (x0 - u0 * (x1 - x0) / (u1 - u0) - 0.02) / 0.01
    return [
        Row(
            f"backward-facing step Re {reynolds:.0f}",
            "reattachment over step height",
            f"{grid.shape[0]} x {grid.shape[2]}",
            length,
            {100.0: 2.922, 200.0: 4.982}[reynolds],
            "Erturk 2008",
        )
    ]


def turbulent(model: str, reynolds: float, across: str, at_walls: str = "") -> tuple[list[Row], float]:
    """Developed turbulent channel flow: friction and Nusselt number; and y+ of the first cells. Re with the full
    height."""
    nu, height = 1e-5, 0.02
    speed = reynolds * nu / height
    conductivity = nu * 1000 / 0.71
    doc = project(
        d.FluidRow(
            name="gas",
            density="1 kg/m3",
            viscosity=f"{nu} Pa s",
            heat_capacity="1000 J/kg/K",
            conductivity=f"{conductivity} W/m/K",
        ),
        d.Enclosure(
            name="Duct",
            size="5, 20, 5 mm",
            wall="0 mm",
            fluid="gas",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic; z-: symmetry; z+: symmetry; y-: 100 W/m2; y+: 100 W/m2",
        ),
        d.DriveRow(name="Drive", along="x+", flow=f"{speed} m/s"),
        flow=model,
        grid={"coarsest": "5 mm", "across_gaps": across, "growth": "1.15", "at_walls": at_walls or "0 mm"},
        run={"residual": "1e-6", "iterations": "1500"},
    )
    job, q = solve(doc)
    w = q.wall("Duct y-")
    bulk = q.plane(0, 2.5e-3)["fluid space 1"]["bulk_temperature"]
    friction = w["shear_stress"] / (0.5 * speed**2)
    dean = 0.073 * reynolds**-0.25
    nusselt = 100 / (w["wall_temperature"] - bulk) * 2 * height / conductivity
    f, re = 4 * dean, 2 * reynolds
    gnielinski = f / 8 * (re - 1000) * 0.71 / (1 + 12.7 * np.sqrt(f / 8) * (0.71 ** (2 / 3) - 1))
    y_plus = np.sqrt(w["shear_stress"]) * job.prepared.case.grid.centres[1][0] / nu
    name, n = f"turbulent channel, {model}, Re {reynolds:.0f}", f"{job.prepared.case.grid.shape[1]}, y+ {y_plus:.1f}"
    return [
        Row(name, "friction Cf", n, friction, dean, "Dean 1978"),
        Row(name, "Nu", n, nusselt, gnielinski, "Gnielinski with a plane-channel f"),
    ], y_plus


def turbulent_pipe(model: str, reynolds: float, cells: int = 24, rough: float = 0.0) -> list[Row]:
    """Developed turbulent flow of air in a round bore through a heated block: friction and Nusselt number; ``rough``:
    of its wall, over the bore."""
    nu, prandtl, wide = 1.5e-5, 0.71, 0.02
    speed, k = reynolds * nu / wide, 1.8e-5 * 1006 / prandtl
    _, q = solve(
        project(
            d.FluidRow(
                name="gas",
                density="1.2 kg/m3",
                viscosity="1.8e-5 Pa s",
                heat_capacity="1006 J/kg/K",
                conductivity=f"{k} W/m/K",
            ),
            d.MaterialRow(name="conducting", conductivity="100000 W/m/K"),
            d.Enclosure(
                name="Case",
                size="10, 28, 28 mm",
                wall="0 mm",
                fluid="gas",
                outside="adiabatic",
                sides="x-: periodic; x+: periodic",
            ),
            d.Block(
                name="Wall", size="10, 28, 28 mm", material="conducting", power="1 W", roughness=f"{20 * rough} mm"
            ),
            d.Bore(name="Bore", at="0, 14, 14 mm", along="x", length="10 mm", diameter="20 mm", cells=f"{cells}"),
            d.DriveRow(name="Drive", along="x+", flow=f"{np.pi / 4 * wide**2 * speed} m3/s"),
            flow=model,
            grid={"coarsest": "10 mm", "across_gaps": "2"},
            run={"residual": "1e-6", "iterations": "3000"},
        )
    )
    friction = q.drive()["pressure_gradient"] * wide / (0.5 * 1.2 * speed**2)
    bulk = q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]
    nusselt = 1.0 / (np.pi * wide * 0.01) / (q.parts()["Wall"]["mean"] - bulk) * wide / k
    f = (0.79 * np.log(reynolds) - 1.64) ** -2
    known = f / 8 * (reynolds - 1000) * prandtl / (1 + 12.7 * np.sqrt(f / 8) * (prandtl ** (2 / 3) - 1))
    case, grid = f"turbulent pipe, {model}, Re {reynolds:.0f}", f"{cells} across"
    if rough:
        from fluids import friction_factor

        wanted = float(friction_factor(Re=reynolds, eD=rough, Method="Colebrook"))
        case = f"rough pipe, {model}, Re {reynolds:.0f}, ks/D {rough:g}"
        known *= (wanted / f) ** (0.68 * prandtl**0.215)
        return [
            Row(case, "friction f", grid, friction, wanted, "Colebrook 1939"),
            Row(case, "Nu", grid, nusselt, known, "Gnielinski 1976 times Norris 1970"),
        ]
    return [
        Row(case, "friction f", grid, friction, f, "Petukhov 1970"),
        Row(case, "Nu", grid, nusselt, known, "Gnielinski 1976"),
    ]


def refined_fin(length: str) -> list[Row]:
    """Heat into a fin of plastic on a grid refined by results, which has cells of very different length side by side.

    ``length`` is that of the even grid's cells before. Closed form in the plane (separation of variables): q = 2 k w T
    sum C sin(b) tanh(2 b L / t), C = 4 sin(b) / (2 b + sin 2b), b tan b = h t / 2 k.
    """
    sides = "x-: 100 degC; y-: 40 W/m2/K; y+: 40 W/m2/K; z-: symmetry; z+: symmetry"
    document = project(
        d.Enclosure(name="Fin", size="80, 2, 2 mm", wall="0 mm", outside="adiabatic", sides=sides),
        d.MaterialRow(name="plastic", conductivity="1 W/m/K", density="1000 kg/m3", heat_capacity="1000 J/kg/K"),
        d.Block(name="Rod", at="0, 0, 0 mm", size="80, 2, 2 mm", material="plastic"),
        grid={"coarsest": length, "growth": "2"},
        ambient="0 degC",
    )
    job = Job(document, "First layout", banded=False)
    job.ask_finer()
    summary = job.run().summary
    t, k, h = 2e-3, 1.0, 40.0
    biot, n = 0.5 * h * t / k, np.arange(2000)
    b = n * np.pi + np.where(n == 0, np.sqrt(biot), biot / np.maximum(n * np.pi, 1.0))
    for _ in range(50):  # Newton's method
        b -= (b * np.sin(b) - biot * np.cos(b)) / (np.sin(b) * (1.0 + biot) + b * np.cos(b))
    of = 4.0 * np.sin(b) / (2.0 * b + np.sin(2.0 * b))
    heat = 2.0 * k * t * 100.0 * float(np.sum(of * np.sin(b) * np.tanh(2.0 * b * 0.08 / t)))
    grid = f"{length}, refined to {summary['cells']}"
    return [Row("fin of plastic, refined by results", "heat W", grid, -summary["walls"]["Fin x-"], heat, "closed form")]
