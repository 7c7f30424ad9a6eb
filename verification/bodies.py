"""Bodies in a stream, plates, sinks, devices: set up as projects, against publications and closed forms."""

from __future__ import annotations

import numpy as np

from stithy import kinds as d
from stithy.project import library
from stithy.setup.case import FanCurve
from stithy.solve.job import Job

from .gallery import Row
from .projects import PLAIN, project, solve


def stream(reynolds: float, cells: int, span: float = 0.4, run: dict | None = None, growth: str = "1.1") -> d.Document:
    """A round bar of 10 mm across a stream of 1 m/s, slip far away; ``span`` (m) is the width of the domain."""
    at = 0.4 * span
    return project(
        d.FluidRow(name="plain", density="1 kg/m3", viscosity=f"{0.01 / reynolds} Pa s", conductivity="1 W/m/K"),
        d.Enclosure(
            name="Stream",
            size=f"{span * 1e3}, {span * 1e3}, 5 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
        ),
        d.Cylinder(
            name="Bar",
            at=f"{at * 1e3}, {span * 500}, 0 mm",
            along="z",
            length="5 mm",
            diameter="10 mm",
            cells=f"{cells}",
        ),
        d.Opening(name="In", on="Stream", side="x-", at="0, 0 mm", size=f"{span * 1e3}, 5 mm", flow="1 m/s"),
        d.Opening(name="Out", on="Stream", side="x+", at="0, 0 mm", size=f"{span * 1e3}, 5 mm", flow="static 0 Pa"),
        grid={"coarsest": f"{span * 25} mm", "across_gaps": "2", "growth": growth},
        run=run or {"residual": "1e-6", "iterations": "3000"},
    )


def drag(q, speed: float = 1.0) -> float:
    """Drag coefficient of the bar of :func:`stream`."""
    return q.wall("Bar")["force"][0] / (0.5 * speed**2 * 0.01 * 0.005)


def bar_40(cells: int = 24) -> list[Row]:
    """Steady flow past a round bar at Re 40: drag and length of the eddies behind it."""
    job, q = solve(stream(40.0, cells))
    y = 0.2
    back = q.line((0.165 + 1e-4, y, 0.0025), (0.24, y, 0.0025), 400)
    u = np.array([p["u"] for p in back])
    x = np.array([p["x"] for p in back])
    turn = int(np.flatnonzero((u[:-1] < 0) & (u[1:] >= 0))[-1])
    end = x[turn] - u[turn] * (x[turn + 1] - x[turn]) / (u[turn + 1] - u[turn])
    source = "Dennis & Chang 1970"
    return [
        Row("round bar, Re 40", "drag coefficient", f"{cells} across", drag(q), 1.522, source),
        Row("round bar, Re 40", "eddy length over diameter", f"{cells} across", (end - 0.165) / 0.01, 2.345, source),
    ]


def bar_100(cells: int = 16) -> list[Row]:
    """Vortices shed from a round bar at Re 100: their frequency, as Strouhal number. The wake needs fine cells as the
    bar does."""
    document = stream(100.0, cells, 0.3, {"time": "1.6 s", "step": "Courant 1.5", "residual": "1e-4"}, "1.04")
    # a nudge across the stream, so that the symmetric flow leaves its unstable balance within reasonable time
    rows = tuple(r.model_copy(update={"at": "120, 150.6, 0 mm"}) if r.name == "Bar" else r for r in document.rows)
    job = Job(document.model_copy(update={"rows": rows}), "First layout")
    index = job.prepared.case.grid.find((0.145, 0.15, 0.0025))
    seen = []

    def hear(progress):
        face = job.run_.flow.u[1].reshape(job.run_.geo.shape)
        seen.append((progress.time, face[index[0] + 1, index[1] + 1, index[2] + 1]))

    job.run(hear)
    t, v = np.array(seen).T
    late = t > 1.0
    t, v = t[late], v[late] - v[late].mean()
    up = np.flatnonzero((v[:-1] < 0) & (v[1:] >= 0))
    crossing = t[up] - v[up] * (t[up + 1] - t[up]) / (v[up + 1] - v[up])
    strouhal = 0.01 / np.diff(crossing).mean()
    return [
        Row(
            "round bar, Re 100",
            "shedding frequency, Strouhal number",
            f"{cells} across, growth 1.04",
            float(strouhal),
            0.1643,
            "Williamson 1989",
        )
    ]


def spreading(k: str = "20, 5, 2", cells: int = 60) -> list[Row]:
    """A heated square in the middle of an orthotropic plate, cooled from behind: mean temperature of the source, by
    Fourier series."""
    a, c, t, h, q = 0.1, 0.02, 0.004, 200.0, 10.0
    kx, ky, kz = (float(x) for x in k.split(","))
    doc = project(
        d.MaterialRow(name="plate", conductivity=f"{k} W/m/K"),
        d.Enclosure(
            name="Box", size="100, 100, 4 mm", wall="0 mm", fluid="air", outside="adiabatic", sides=f"z-: {h} W/m2/K"
        ),
        d.Block(name="Plate", size="100, 100, 4 mm", material="plate"),
        d.WallPatch(name="Source", on="Box", side="z+", at="40, 40 mm", size="20, 20 mm", condition=f"{q / c**2} W/m2"),
        grid={"coarsest": f"{100 / cells / 1.5} mm", "across_solids": f"{cells // 4}"},
    )
    _, quantities = solve(doc)
    top = quantities.solution.temperature[:, :, -1] - 293.15
    x = quantities.grid.centres
    here = np.ix_(np.abs(x[0] - 0.05) < c / 2, np.abs(x[1] - 0.05) < c / 2)
    weight = np.outer(*(np.diff(quantities.grid.lines[m])[np.abs(x[m] - 0.05) < c / 2] for m in (0, 1)))
    half = 0.5 * np.diff(quantities.grid.lines[2])[-1]
    ours = float((top[here] * weight).sum() / weight.sum() + q / c**2 * half / kz)
    assert quantities.summary["settled"]

    def mode(m, n):
        lx, ly = m * np.pi / a, n * np.pi / a
        beta = np.sqrt((kx * lx**2 + ky * ly**2) / kz)
        bt, bi = np.tanh(beta * t), h / (kz * beta)
        return (1 + bi * bt) / (kz * beta * (bt + bi))

    def mean(m):
        """Mean over the source of cos(m pi x / a), centred."""
        z = m * np.pi * c / (2 * a)
        return np.cos(m * np.pi / 2) * (np.sin(z) / z if m else 1.0)

    total = q / a**2 * (t / kz + 1 / h)
    for m in range(0, 200, 2):
        for n in range(0, 200, 2):
            if m or n:
                total += (2 if m else 1) * (2 if n else 1) * q / a**2 * mean(m) ** 2 * mean(n) ** 2 * mode(m, n)
    return [
        Row(
            "orthotropic plate, centred source",
            "mean source temperature K",
            f"{cells} across",
            ours,
            total,
            "Fourier series (Muzychka et al. 2003)",
        )
    ]


def varying_conductivity() -> list[Row]:
    """A slab whose conductivity doubles over 100 K, both sides held: temperature in the middle, by Kirchhoff's
    transform."""
    _, q = solve(
        project(
            d.MaterialRow(name="m", conductivity="20 degC: 1 W/m/K; 120 degC: 2 W/m/K"),
            d.Enclosure(
                name="Box", size="10, 10, 10 mm", wall="0 mm", outside="adiabatic", sides="x-: 20 degC; x+: 80 degC"
            ),
            d.Block(name="A", size="10, 10, 10 mm", material="m"),
            grid={"across_solids": "20", "coarsest": "10 mm"},
        )
    )
    flow = sum(abs(x) for x in q.summary["walls"].values()) / 2
    middle = q.at([(0.005, 0.005, 0.005)])[0]["temperature"] - 293.15
    source = "Kirchhoff transform"
    return [
        Row("conductivity by temperature", "heat flow W", "20", flow, 78 / 0.01 * 1e-4, source),
        Row(
            "conductivity by temperature",
            "temperature in the middle K",
            "20",
            middle,
            (np.sqrt(1 + 0.02 * 39) - 1) / 0.01,
            source,
        ),
    ]


def cooling_block() -> list[Row]:
    """A hot block of aluminium (Biot number 0.001) left to cool: its excess temperature after 600 s."""
    _, q = solve(
        project(
            d.Enclosure(name="Box", size="30, 30, 30 mm", wall="0 mm", outside="50 W/m2/K"),
            d.Block(name="Hot", size="30, 30, 30 mm", starts="120 degC"),
            run={"time": "600 s", "step": "5 s"},
            grid={"across_solids": "6"},
        )
    )
    m = library.materials()["aluminium"]
    biot = 50 * 0.015 / m.k
    zeta = np.sqrt(biot * (1 - biot / 3))  # zeta tan(zeta) = Bi, for small Bi
    exact = 100 * np.exp(-3 * zeta**2 * m.k / (m.rho * m.cp) * 600 / 0.015**2)
    ours = q.parts()["Hot"]["mean"] - 293.15
    return [Row("cooling block", "mean excess after 600 s K", "6", ours, exact, "first mode of the cube, Bi 0.004")]


def _meeting(curve: FanCurve, needs, low: float, high: float) -> float:
    """The flow (m3/s) at which the curve gives what the system needs."""
    for _ in range(80):
        mid = 0.5 * (low + high)
        low, high = (mid, high) if curve.at(mid)[0] > needs(mid) else (low, mid)
    return low


def pump_loop() -> list[Row]:
    """A pump in a closed loop of one plane channel: flow where its curve meets the loop's friction."""
    _, q = solve(
        project(
            PLAIN,
            d.Enclosure(
                name="Loop",
                size="40, 10, 5 mm",
                wall="0 mm",
                fluid="plain",
                outside="adiabatic",
                sides="x-: periodic; x+: periodic; z-: symmetry; z+: symmetry",
            ),
            d.Pump(
                name="Pump", at="20, 0, 0 mm", size="10, 5 mm", curve="0 l/min: 2 Pa; 3 l/min: 1.5 Pa; 6 l/min: 0 Pa"
            ),
            grid={"coarsest": "2 mm", "across_gaps": "20"},
            run={"residual": "1e-7", "iterations": "3000"},
        )
    )
    curve = FanCurve((0.0, 3 / 6e4, 6 / 6e4), (2.0, 1.5, 0.0))
    exact = _meeting(curve, lambda flow: 12 * 1e-3 * 0.04 / 0.01**2 * flow / 5e-5, 0.0, 6 / 6e4)
    return [
        Row(
            "pump in a closed loop",
            "volume flow m3/s",
            "20 across",
            q.summary["fans"]["Pump"]["volume_flow"],
            exact,
            "12 mu L u / h2",
        )
    ]


def stalled_fan(loss: float) -> list[Row]:
    """A fan whose curve has a dip drives air through a plate in a frictionless duct: on the falling or the rising part
    of the curve."""
    job, q = solve(
        project(
            d.Enclosure(
                name="Box",
                size="100, 40, 40 mm",
                wall="0 mm",
                outside="adiabatic",
                sides="y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            d.WallFan(
                name="Fan",
                on="Box",
                side="x-",
                at="0, 0 mm",
                size="40, 40 mm",
                blows="in",
                curve="0 m3/h: 30 Pa; 2 m3/h: 20 Pa; 4 m3/h: 26 Pa; 6 m3/h: 0 Pa",
            ),
            d.Screen(name="Plate", at="50, 0, 0 mm", size="40, 40 mm", across="x", loss=f"{loss}"),
            d.Opening(name="Out", on="Box", side="x+", at="0, 0 mm", size="40, 40 mm", flow="static 0 Pa"),
            flow="wall-law",
        )
    )
    case = job.prepared.case
    rho = case.fluids[0].rho
    assert job.run_.history[-1].settled
    exact = _meeting(case.openings[0].fan, lambda flow: loss * 0.5 * rho * (flow / 0.0016) ** 2, 0.0, 6 / 3600)
    return [
        Row(
            f"fan with a stalled curve, plate of K {loss:.0f}",
            "volume flow m3/s",
            "18",
            q.summary["ends"]["Fan"]["volume_flow"],
            exact,
            "curve and K rho v2 / 2",
        )
    ]


def sink_channel(speed: float = 2.0) -> list[Row]:
    """One channel of a plate-fin sink that air enters at one speed, laminar: pressure drop and thermal resistance
    against correlations.

    Pressure: apparent friction of Muzychka & Yovanovich; heat: composite Nusselt number of Teertstra et al. with the
    fin efficiency.
    """
    gap, fin, height, base, length, heat = 2e-3, 1e-3, 20e-3, 4e-3, 60e-3, 0.4
    wide = 0.5e3 * (gap + fin)
    place = {"at": f"{fin * 500}, {base * 1e3} mm", "size": f"{gap * 500}, {height * 1e3} mm", "on": "Duct"}
    job, q = solve(
        project(
            d.Enclosure(
                name="Duct",
                size=f"{length * 1e3}, {wide}, {1e3 * (height + base)} mm",
                wall="0 mm",
                outside="adiabatic",
                sides="y-: symmetry; y+: symmetry",
            ),
            d.Block(name="Base", size=f"{length * 1e3}, {wide}, {base * 1e3} mm", power=f"{heat / 2} W"),
            d.Block(name="Fin", at=f"0, 0, {base * 1e3} mm", size=f"{length * 1e3}, {fin * 500}, {height * 1e3} mm"),
            d.Opening(name="In", side="x-", flow=f"{speed} m/s", **place),
            d.Opening(name="Out", side="x+", flow="static 0 Pa", **place),
            grid={
                "coarsest": "1.2 mm",
                "across_gaps": "10",
                "across_solids": "2",
                "growth": "1.25",
                "at_walls": "0.1 mm",
            },
            run={"residual": "1e-5", "iterations": "800"},
        )
    )
    air = job.prepared.case.fluids[0]
    drop_ours = q.plane(0, 0.0)["fluid space 1"]["mean_pressure"] - q.plane(0, length)["fluid space 1"]["mean_pressure"]
    nu, pr = air.mu / air.rho, air.mu * air.cp / air.k
    dh, eps = 2 * gap * height / (gap + height), gap / height
    re = speed * dh / nu
    f_re = 24 / ((1 + eps) ** 2 * (1 - 192 * eps / np.pi**5 * np.tanh(np.pi / (2 * eps))))
    apparent = np.sqrt((3.44 / np.sqrt(length / (dh * re))) ** 2 + f_re**2) / re
    drop = 4 * apparent * length / dh * 0.5 * air.rho * speed**2
    star = speed * gap / nu * gap / length
    nusselt = (
        (star * pr / 2) ** -3 + (0.664 * np.sqrt(star) * pr ** (1 / 3) * np.sqrt(1 + 3.65 / np.sqrt(star))) ** -3
    ) ** (-1 / 3)
    h, k = nusselt * air.k / gap, library.materials()["aluminium"].k
    m = np.sqrt(2 * h / (k * fin))
    area = gap * length + 2 * height * length * np.tanh(m * height) / (m * height)
    ours = (q.parts()["Base"]["mean"] - 293.15) / heat
    grid = f"{job.prepared.case.grid.cells} cells"
    return [
        Row(
            "plate-fin sink's channel",
            "pressure drop Pa",
            grid,
            drop_ours,
            drop,
            "Muzychka & Yovanovich 2009, correlation",
        ),
        Row(
            "plate-fin sink's channel",
            "resistance to inlet K/W",
            grid,
            ours,
            1 / (h * area),
            "Teertstra et al. 2000, correlation",
        ),
    ]
