"""Conditions that differ from place to place, on the grid as it comes, against closed forms."""

from __future__ import annotations

import numpy as np

from stithy import api
from stithy import kinds as d
from stithy.project import edits

from .gallery import Row

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
