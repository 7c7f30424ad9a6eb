"""Compiling the kernels once: a tiny case that touches every kernel, with a progress line when it has work to do."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..mesh.lines import Grid
from ..read.tracing import trace
from ..setup.case import Fluid, side_links, side_opening, simple_case
from ..solution.solution import Solution
from .steady import Settings, Steady


def _still(case) -> Solution:
    """A solution of that case with nothing in it, to read from."""
    n, faces = case.grid.shape, []
    for a in range(3):
        faces.append(np.zeros([m + (t == a) for t, m in enumerate(n)]))
    return Solution(case.grid, np.zeros(n), np.zeros(n), *faces, case.kind, case.part, (), {})


def warm(tell: Callable[[str], object] | None = None) -> float:
    """Compile or load every kernel; seconds taken. ``tell`` hears a line before and after."""
    began = time.perf_counter()
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
    trace(_still(case), [(0.5, 0.5, 0.5)])
    taken = time.perf_counter() - began
    if tell:
        tell(f"Kernels ready after {taken:.1f} s")
    return taken
