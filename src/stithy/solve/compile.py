"""Compiling the kernels once: a tiny case that touches every kernel, with a progress line when it has work to do."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..mesh.lines import Grid
from ..model import Sun, TimePlan
from ..read.tracing import trace
from ..setup.case import Fluid, side_links, side_opening, simple_case
from ..setup.radiating import LOOSE, RadiatingFaces
from ..solution.solution import Solution
from .steady import Settings, Steady

#: not empty once the kernels of all runs have been loaded in this process
_loaded: list[bool] = []


def _still(case) -> Solution:
    """A solution of that case with nothing in it, to read from."""
    n, faces = case.grid.shape, []
    for a in range(3):
        faces.append(np.zeros([m + (t == a) for t, m in enumerate(n)]))
    return Solution(case.grid, np.zeros(n), np.zeros(n), *faces, case.kind, case.part, (), {})


def _radiate(case) -> None:
    """Run a box whose walls radiate to each other."""
    n, grid = case.grid.shape, case.grid
    pieces = []
    for a in range(3):
        for up in (0, 1):
            at = np.argwhere(np.ones([m for t, m in enumerate(n) if t != a], bool))
            cell = np.insert(at, a, n[a] - 1 if up else 0, axis=1)
            centre = np.stack([grid.centres[t][cell[:, t]] for t in range(3)], -1)
            centre[:, a] = grid.lines[a][-1 if up else 0]
            normal = np.zeros((len(cell), 3))
            normal[:, a] = -1.0 if up else 1.0
            pieces.append((cell, np.full(len(cell), a, np.int8), np.full(len(cell), up, np.int8), centre, normal))
    cell, axis, up, centre, normal = (np.concatenate(x) for x in zip(*pieces, strict=True))
    m = len(axis)
    nothing, number = np.zeros(m), np.full(m, -1)
    faces = RadiatingFaces(
        cell=cell,
        axis=axis,
        up=up,
        area=np.full(m, 1.0 / 64.0),
        centre=centre,
        normal=normal,
        straight=np.ones(m, bool),
        skip=nothing,
        owner=(-10 - 2 * axis - up).astype(np.int32),
        emissivity=np.full(m, 0.5),
        absorptivity=np.full(m, 0.5),
        behind=np.full(m, LOOSE, np.int8),
        link=number,
        given=nothing,
        beyond=np.zeros(0),
    )
    sealed = replace(case, openings=[], radiating=faces, mixing="laminar", sun=Sun("Sun", (0, 0, 1), (0, 0, 1)))
    Steady(sealed, Settings(most=2)).run()


def _boil(case) -> None:
    """A step of a bath that boils."""
    from ..project import library
    from ..setup.bath import Bath
    from .boiling import BoilingRun

    n, f = case.grid.shape, library.fluid("water", 298.15, 101325.0)
    assert f.boiling is not None
    share = np.zeros(n)
    share[..., n[2] // 2 :] = 1.0
    bath = Bath(np.ones(n, bool), share, 2, 1, 9.81, np.zeros(n), f.rho, f.cp, f.k, f.mu, f.boiling)
    made = replace(case, fluids=[Fluid(f.rho, f.mu, f.cp, f.k, f.beta)], reference=f.boiling.temperature, bath=bath)
    made.openings = [side_opening(made, "z+", kind="pressure", temperature=f.boiling.temperature)]
    made.links = side_links(made, "z-", f.boiling.temperature + 10.0)
    BoilingRun(made, Settings(), (), None, TimePlan(0.004, ("fixed", 0.002))).run()


def _take_in(case) -> None:
    """Copper of a board on pixels and as a map; how far fluid reaches, for estimates."""
    from ..equations.staggered import Staggered
    from ..estimate.gaps import reaches
    from ..imports.circuit import copper, raster

    square = np.array([(0.2, 0.2), (1.8, 0.2), (1.8, 1.6), (0.2, 1.6)])
    pixels = raster.inside([square], raster.Frame(0.0, 0.0, copper.PIXEL, (copper.BLOCK, copper.BLOCK)))
    copper.conductivity(pixels, np.ones_like(pixels), 35e-6, True)
    reaches(Staggered(case), 0)


def warm(tell: Callable[[str], object] | None = None, every: bool = False) -> float:
    """Compile or load the kernels of all runs, or ``every`` one, those of radiation, boiling and boards too; seconds
    taken.
    ``tell`` hears a line before and after."""
    began = time.perf_counter()
    if _loaded and not every:
        return 0.0
    if tell:
        tell("Loading the solver's kernels (the first time they are compiled, about a minute)")
    x = np.linspace(0.0, 1.0, 9)
    case = simple_case(Grid((x, x, x)), Fluid(1.0, 0.01, 1.0, 0.01, 1.0), gravity=(0.0, 0.0, -1.0), reference=300.0)
    case.openings = [
        side_opening(case, "x-", kind="velocity", speed=1.0, temperature=300.0),
        side_opening(case, "x+", kind="pressure", temperature=300.0),
    ]
    case.links = side_links(case, "z-", 301.0)
    for mixing in ("laminar", "wall-law", "k-omega"):
        run = Steady(replace(case, mixing=mixing), Settings(most=2))
        run.flow.sweeper.stiff = [True] * 3  # so that their coarser grids are met too
        run.run()
    if every:
        _radiate(case)
        _boil(case)
        _take_in(case)
    trace(_still(case), [(0.5, 0.5, 0.5)])
    _loaded.append(True)
    taken = time.perf_counter() - began
    if tell:
        tell(f"Kernels ready after {taken:.1f} s")
    return taken
