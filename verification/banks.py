"""Banks of tubes across a stream of air and a plate with a winding channel, as their makers give them and on the grid
that comes by itself, against correlations of measurements."""

from __future__ import annotations

import numpy as np

from stithy import kinds as d

from .gallery import Row
from .projects import project, solve

#: of air at 20 degC as the library has it
DIAMETER, ALONG, ACROSS, LENGTH = 0.010, 0.022, 0.025, 0.060


def _solved(speed: float, rows: int, fins: int):
    """A bank of ``rows`` of three tubes at 60 degC, periodic across the stream; the job and its numbers."""
    tall = LENGTH / max(fins, 1) if fins else 0.01  # one gap between fins, or a slice
    deep = 0.06 + rows * ALONG + 0.06
    ends = {"at": "0, 0 mm", "size": f"{3e3 * ACROSS}, {1e3 * tall} mm"}
    job, q = solve(
        project(
            d.Enclosure(
                name="Duct",
                size=f"{1e3 * deep}, {3e3 * ACROSS}, {1e3 * tall} mm",
                wall="0 mm",
                outside="adiabatic",
                sides="y-: periodic; y+: periodic; z-: symmetry; z+: symmetry",
            ),
            d.TubeBank(
                name="Bank",
                at="60, 0, 0 mm",
                length=f"{1e3 * tall} mm",
                tubes=f"{rows}, 3",
                fins="1" if fins else "0",
                fin="0.3 mm",
                power="60 degC",
            ),
            d.Opening(name="In", on="Duct", side="x-", flow=f"{speed} m/s", **ends),
            d.Opening(name="Out", on="Duct", side="x+", flow="0 Pa", **ends),
            flow="wall-law",
            settled=False,
            run={"iterations": "800"},
        )
    )
    return job, q


def bank(speed: float, rows: int = 5, fins: int = 0) -> list[Row]:
    """Mean Nusselt number and pressure drop of a staggered bank."""
    from ht import Nu_Zukauskas_Bejan, dP_Zukauskas

    job, q = _solved(speed, rows, fins)
    air = job.prepared.case.fluids[0]
    ends = q.summary["ends"]
    mass, cp = ends["In"]["mass_flow"], air.cp
    heat = sum(e["heat_out"] for e in ends.values())
    entering = ends["In"]["temperature"]
    leaving = entering + heat / (mass * cp)
    hot = 273.15 + 60.0
    mean = (leaving - entering) / np.log((hot - entering) / (hot - leaving))
    area = q.wall("Bank")["area"]
    h = heat / (area * mean)
    fastest = speed * ACROSS / (ACROSS - DIAMETER)
    gap = LENGTH / max(fins, 1) - 0.3e-3 if fins else 0.0
    if fins:
        fastest *= (gap + 0.3e-3) / gap
    re, pr = air.rho * fastest * DIAMETER / air.mu, air.mu * air.cp / air.k
    drop = ends["In"]["pressure"] - ends["Out"]["pressure"]
    grid = f"{job.prepared.case.grid.cells} cells, as it comes"
    case = f"{'finned' if fins else 'plain'} tube bank, staggered, {rows} rows, Re {re:.0f}"
    if not fins:
        nu = float(Nu_Zukauskas_Bejan(Re=re, Pr=pr, tube_rows=rows, pitch_parallel=ALONG, pitch_normal=ACROSS))
        dp = float(dP_Zukauskas(Re=re, n=rows, ST=ACROSS, SL=ALONG, D=DIAMETER, rho=air.rho, Vmax=fastest))
        return [
            Row(case, "mean Nu", grid, h * DIAMETER / air.k, nu, "Zukauskas 1987, correlation"),
            Row(case, "pressure drop Pa", grid, drop, dp, "Zukauskas 1987, correlation"),
        ]
    j = 0.14 * re**-0.328 * (ACROSS / ALONG) ** -0.502 * (gap / DIAMETER) ** 0.0312
    if rows < 4:
        j *= 0.991 * (2.24 * re**-0.092 * (rows / 4) ** -0.031) ** (0.607 * (4 - rows))
    nu = j * re * pr ** (1 / 3)
    return [Row(case, "mean Nu", grid, h * DIAMETER / air.k, nu, "Gray & Webb 1986, correlation")]


def serpentine(flow: str = "8 l/min") -> list[Row]:
    """Pressure drop of water through a serpentine of five passes with round turns, against friction along its middle
    line and eight quarter bends."""
    import fluids

    wide, deep, passes, size = 0.010, 0.006, 5, (0.160, 0.100)
    job, q = solve(
        project(
            d.Enclosure(name="Plate", size="160, 100, 12 mm", wall="0 mm", fluid="water", outside="adiabatic"),
            d.ChannelPlate(name="Cold plate", passes=f"{passes}", width="10 mm", depth="6 mm"),
            d.Opening(name="In", on="Plate", side="x-", at="5, 3 mm", size="10, 6 mm", flow=flow),
            d.Opening(name="Out", on="Plate", side="x+", at="85, 3 mm", size="10, 6 mm", flow="0 Pa"),
            flow="wall-law",
            settled=False,
            run={"iterations": "800"},
        )
    )
    water = job.prepared.case.fluids[0]
    speed = q.summary["ends"]["In"]["volume_flow"] / (wide * deep)
    across = 2 * wide * deep / (wide + deep)
    pitch = size[1] / passes
    bend = 0.5 * pitch * 0.98
    turns = 2 * (passes - 1)
    straight = passes * (size[0] - 2 * max(pitch / 2, 0.75 * wide)) + 2 * max(pitch / 2, 0.75 * wide)
    straight += (passes - 1) * pitch - 2 * turns * bend  # corners are cut by arcs
    re = water.rho * speed * across / water.mu
    f = fluids.friction_factor(Re=re)
    k = fluids.bend_rounded(Di=across, angle=90.0, fd=f, rc=bend, Re=re)
    reference = (f * straight / across + turns * k) * 0.5 * water.rho * speed**2
    ends = q.summary["ends"]
    drop = ends["In"]["pressure"] - ends["Out"]["pressure"]
    case, grid = f"serpentine of a channel plate, Re {re:.0f}", f"{job.prepared.case.grid.cells} cells, as it comes"
    return [Row(case, "pressure drop Pa", grid, drop, reference, "friction and rounded bends (Rennels & Hudson 2012)")]
