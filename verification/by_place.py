"""Conditions that differ from place to place, on the grid as it comes, against closed forms."""

from __future__ import annotations

import numpy as np

from stithy import api
from stithy import kinds as d
from stithy.project import edits

from .gallery import Row
from .projects import project, solve

LONG, TALL, K, FLUX, RISE = 0.1, 0.06, 15.0, 5000.0, 30.0


def _slab(top: str) -> Row:
    """Steel, 100 x 60 mm, cold below, with a cosine of flux or of temperature on its top: the amplitude in the top
    cells, over that of separation of variables there."""
    flux = "W/m2" in top
    rows = (
        d.Enclosure(
            name="Case",
            size="100, 10, 60 mm",
            wall="0 mm",
            outside="adiabatic",
            sides=f"z-: 20 degC; z+: {top}; y-: symmetry; y+: symmetry",
        ),
        d.Block(name="Slab", size="100, 10, 60 mm", material="stainless steel"),
        d.Surroundings(name="Surroundings", ambient="20 degC"),
        d.GridRow(name="Grid"),
    )
    result = api.Project(d.Document(rows=rows), None).solve()
    x, z = result.grid.centres[0], result.grid.centres[2][-1]
    wave, width = np.cos(np.pi * x / LONG), result.grid.widths[0]
    ours = float((result.temperature[:, 0, -1] * wave * width).sum() / (wave**2 * width).sum())
    if flux:
        exact = FLUX * LONG / (np.pi * K) * np.sinh(np.pi * z / LONG) / np.cosh(np.pi * TALL / LONG)
    else:
        exact = RISE * np.sinh(np.pi * z / LONG) / np.sinh(np.pi * TALL / LONG)
    what = "flux" if flux else "temperature"
    grid = f"{result.temperature.size} cells, as it comes"
    return Row(
        f"by place, {what} as a cosine", "amplitude in the top cells, K", grid, ours, exact, "separation of variables"
    )


def in_open_air() -> list[Row]:
    """A box of one temperature whose sides give their heat to still air, or to wind along one axis, by their films."""
    import ht
    from scipy.optimize import brentq

    size, power, ambient = (0.10, 0.08, 0.06), 8.0, 293.15
    areas = {a: np.prod([s for b, s in enumerate(size) if b != a]) for a in range(3)}

    def loss(wall: float, speed: float) -> float:
        t = 0.5 * (wall + ambient)
        mu = 1.716e-5 * (t / 273.15) ** 1.5 * (273.15 + 110.4) / (t + 110.4)
        k = 0.0241 * (t / 273.15) ** 1.5 * (273.15 + 194.0) / (t + 194.0)
        rho, out = 101325.0 / (287.05 * t), 0.0
        prandtl = mu * 1006.0 / k
        for a in range(3):
            one, other = (s for b, s in enumerate(size) if b != a)
            for up in (True, False):
                scale = size[2] if a != 2 else one * other / (2 * (one + other))
                grashof = 9.81 / t * (wall - ambient) * scale**3 * (rho / mu) ** 2
                if a != 2:
                    nu = ht.Nu_vertical_plate_Churchill(prandtl, grashof)
                else:
                    nu = ht.Nu_horizontal_plate_McAdams(prandtl, grashof, up)
                still = nu * k / scale
                along = size[0] if a != 0 else min(size[1:])
                re = rho * speed * along / mu
                wind = (0.102 * re**0.675 if a == 0 else 0.664 * re**0.5) * prandtl ** (1 / 3) * k / along
                out += (still**3 + wind**3) ** (1 / 3) * areas[a] * (wall - ambient)
        return out

    rows = []
    for outside, speed in (("still air", 0.0), ("wind 3 m/s along x", 3.0)):
        doc = project(
            d.MaterialRow(name="metal", conductivity="5000 W/m/K"),
            d.Enclosure(name="Box", size="100, 80, 60 mm", wall="0 mm", outside=outside),
            d.Block(name="Block", size="100, 80, 60 mm", material="metal", power=f"{power} W"),
            gravity="0, 0, -9.81 m/s2",
        )
        _, q = solve(doc)
        exact = brentq(lambda wall, u=speed: loss(wall, u) - power, ambient + 0.1, ambient + 200) - ambient
        rise = q.parts()["Block"]["mean"] - ambient
        rows.append(Row(f"box in {outside}", "rise K", "", rise, exact, "same correlations by a library"))
    return rows


def slabs() -> list[Row]:
    """Both."""
    return [_slab(f"= {FLUX:g} W/m2 * cos(pi * x / 100 mm)"), _slab(f"= 293.15 K + {RISE:g} K * cos(pi * x / 100 mm)")]


def pipe() -> list[Row]:
    """Half a pipe heated by a sine over the angle on its lower outside: its heat is the profile's integral."""
    from stithy import jobs

    project = api.open_project(jobs.DATA / "jobs/deck-pipe")
    name = project.document.layouts[0].name
    project = api.Project(edits.set_cell(name, "Grid", "detail", "quick").apply(project.document), None)
    result = project.solve(name)
    heat = sum(e["heat_out"] for e in result.summary["ends"].values())
    grid = f"{result.temperature.size} cells, quick"
    return [Row("by place, flux over a pipe's angle", "heat, W", grid, heat, 0.5 * 24e3 * 0.026 * 0.3, "its integral")]
