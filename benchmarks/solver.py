"""Cost of the solver against this machine's memory bandwidth; writes docs/performance.md (make bench; --quick leaves
out 1 000 000 cells).

Ratios are taken within one run, so that what else the machine does weighs on both sides.
"""

from __future__ import annotations

import gc
import resource
import sys
import time
from pathlib import Path

import numpy as np
from numba import njit

from stithy import kinds as d
from stithy.solve.compile import warm
from stithy.solve.job import Job

ROOT = Path(__file__).parent.parent
PAGE = ROOT / "docs/performance.md"


@njit(cache=True)
def _triad(a, b, c):
    for i in range(a.size):
        a[i] = b[i] + 0.5 * c[i]


def bandwidth() -> float:
    """Measured triad bandwidth of one core, GB/s (three streams of 8 bytes)."""
    a, b, c = (np.ones(8_000_000) for _ in range(3))
    _triad(a, b, c)
    best = min(_timed(lambda: _triad(a, b, c)) for _ in range(5))
    return 3 * 8 * a.size / best / 1e9


def _timed(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def _document(*rows, coarsest: str, gaps: str, **surroundings) -> d.Document:
    return d.Document(
        name="Bench",
        rows=(
            *rows,
            d.Surroundings(name="Air", **surroundings),
            d.GridRow(
                name="Grid", coarsest=coarsest, across_gaps=gaps, across_solids="1", growth="1.3", at_walls="0 mm"
            ),
            d.RunRow(name="Run", residual="0.0001", iterations="400"),
        ),
    )


def enclosure(coarsest: str, gaps: str) -> d.Document:
    """A board, five blocks, a twelve-fin sink; a given flow through, mixed by the wall law, no gravity."""
    blocks = [
        d.Component(name=f"Block {m}", at=f"{x}, {y}, 11.6 mm", size="20, 20, 6 mm", power="4 W")
        for m, (x, y) in enumerate(((25, 20), (25, 90), (150, 20), (150, 90), (160, 55)))
    ]
    return _document(
        d.Enclosure(name="Case", size="200, 140, 50 mm", wall="2 mm", outside="8 W/m2/K"),
        d.Board(name="Board", at="10, 10, 10 mm", size="180, 120, 1.6 mm"),
        *blocks,
        d.Component(name="Hot", at="85, 55, 11.6 mm", size="30, 30, 3 mm", power="12 W"),
        d.PlateFinSink(name="Sink", at="75, 45, 14.6 mm", size="50, 50, 25 mm", base="4 mm", fins="12", fin="1 mm"),
        d.Opening(name="In", on="Case", side="x-", at="40, 12 mm", size="60, 30 mm", flow="2 m/s"),
        d.Opening(name="Out", on="Case", side="x+", at="40, 12 mm", size="60, 30 mm", flow="0 Pa"),
        coarsest=coarsest,
        gaps=gaps,
        gravity="0, 0, 0 m/s2",
        flow="wall-law",
    )


def warm_sink() -> d.Document:
    """A plate-fin sink in still air in a vented box: natural convection."""
    return _document(
        d.Enclosure(name="Case", size="160, 160, 140 mm", wall="0 mm", outside="8 W/m2/K"),
        d.Component(name="Chip", at="65, 65, 30 mm", size="30, 30, 4 mm", power="10 W"),
        d.PlateFinSink(name="Sink", at="50, 50, 34 mm", size="60, 60, 40 mm", base="5 mm", fins="8", fin="1.5 mm"),
        d.Opening(name="Below", on="Case", side="z-", at="30, 30 mm", size="100, 100 mm"),
        d.Opening(name="Above", on="Case", side="z+", at="30, 30 mm", size="100, 100 mm"),
        coarsest="6 mm",
        gaps="4",
        flow="laminar",
    )


def cold_plate() -> d.Document:
    """Water through parallel channels in an aluminium plate under two heat sources."""
    walls = [d.Block(name=f"Rib {m}", at=f"0, {2 + 4 * m}, 2 mm", size="100, 2, 4 mm") for m in range(10)]
    return _document(
        d.Enclosure(name="Case", size="100, 42, 11 mm", wall="0 mm", fluid="water", outside="adiabatic"),
        d.Block(name="Bottom", size="100, 42, 2 mm"),
        d.Block(name="Lid", at="0, 0, 6 mm", size="100, 42, 2 mm"),
        *walls,
        d.Component(name="Source A", at="20, 11, 8 mm", size="20, 20, 3 mm", power="60 W", material="copper"),
        d.Component(name="Source B", at="60, 11, 8 mm", size="20, 20, 3 mm", power="60 W", material="copper"),
        d.Block(name="Cover", at="0, 0, 8 mm", size="20, 42, 3 mm", material="FR4 laminate"),
        d.Opening(name="In", on="Case", side="x-", at="0, 2 mm", size="42, 4 mm", flow="0.2 m/s"),
        d.Opening(name="Out", on="Case", side="x+", at="0, 2 mm", size="42, 4 mm", flow="0 Pa"),
        coarsest="2 mm",
        gaps="5",
        gravity="0, 0, 0 m/s2",
        flow="laminar",
    )


def phases(job, iterations: int = 6, times: int = 3) -> dict[str, float]:
    """Seconds an iteration by phase: momentum and mixing, pressure, energy; the fastest of a few goes, for others use
    this machine too."""
    run = job.run_
    spent: dict[str, float] = {}
    for _ in range(5):
        run.step()
    project, solve = run.flow.project, run.heat.solve

    def timed(name, work):
        def call(*a):
            start = time.perf_counter()
            work(*a)
            spent[name] += time.perf_counter() - start

        return call

    run.flow.project, run.heat.solve = timed("pressure", project), timed("energy", solve)
    best: dict[str, float] = {}
    for _ in range(times):
        spent.update(pressure=0.0, energy=0.0)
        whole = _timed(lambda: [run.step() for _ in range(iterations)])
        if not best or whole < best["whole"]:
            best = spent | {"whole": whole}
    run.flow.project, run.heat.solve = project, solve
    spent = {k: v / iterations for k, v in best.items()}
    spent["momentum"] = spent["whole"] - spent["pressure"] - spent["energy"]
    return spent


def settle(document: d.Document) -> dict:
    """From rest to settled: seconds, of them on the asked-for grid, iterations there, cells, whether it settled."""
    job = Job(document, "First layout", fresh=True)
    coarse = [0.0]

    def tell(p):
        if p.phase == "coarse grid":
            coarse[0] = p.seconds
        return True

    seconds = _timed(lambda: job.run(tell))
    return {
        "cells": job.prepared.case.grid.cells,
        "seconds": seconds,
        "coarse": coarse[0],
        "iterations": job.run_.iteration,
        "settled": job.run_.history[-1].settled,
    }


def pressure_solvers() -> list[str]:
    """The same pressure system solved to 1e-6 by ours, by algebraic multigrid, and by a sparse factorisation."""
    import scipy.sparse as sp
    from scipy.sparse.linalg import splu

    job = Job(enclosure("8 mm", "3"), "First layout", fresh=True)
    for _ in range(12):
        job.run_.step()
    flow, geo = job.run_.flow, job.run_.geo
    flow.project(0.1, 3)
    rhs = np.random.default_rng(0).standard_normal(geo.size) * (flow.fluid & (geo.padded_index() > 0))
    setup = _timed(lambda: flow.solver.grid.prepare(flow.inside, flow.extra))
    ours, its = _best(lambda: flow.solver.solve(flow.inside, flow.extra, rhs, 1e-6, 60))
    cells = np.flatnonzero(flow.fluid & (geo.padded_index() > 0))
    number = np.full(geo.size, -1)
    number[cells] = np.arange(len(cells))
    rows, cols, values, diagonal = [], [], [], flow.extra[cells].copy()
    for a in range(3):
        c = cells[flow.inside[a][cells] > 0]
        g, other = flow.inside[a][c], c + geo.s[a]
        i, j = number[c], number[other]
        rows += [i, j]
        cols += [j, i]
        values += [-g, -g]
        np.add.at(diagonal, i, g)
        np.add.at(diagonal, j, g)
    n = len(cells)
    matrix = sp.csr_matrix(
        (
            np.concatenate([*values, diagonal]),
            (np.concatenate([*rows, np.arange(n)]), np.concatenate([*cols, np.arange(n)])),
        ),
        (n, n),
    )
    b = rhs[cells]
    lines = [
        f"Pressure system of {n:,} unknowns to 1e-6: ours {ours:.2f} s ({its[1]} iterations, set-up {setup:.3f} s "
        "included)."
    ]
    try:
        import pyamg

        amg = min(
            _timed(lambda f=f: f(matrix).solve(b, tol=1e-6, accel="cg", maxiter=100))
            for f in (pyamg.ruge_stuben_solver, pyamg.smoothed_aggregation_solver)
        )
        lines.append(
            "Algebraic multigrid (the faster of two kinds of PyAMG, with conjugate gradients): "
            f"{amg:.2f} s, {amg / ours:.1f} times ours."
        )
    except ImportError:
        lines.append("PyAMG is not installed (pip install pyamg), so it was left out.")
    direct = _timed(lambda: splu(matrix.tocsc()).solve(b))
    lines.append(f"Sparse factorisation (SciPy): {direct:.2f} s, {direct / ours:.1f} times ours.")
    return lines


def _best(work, times: int = 3):
    best, out = np.inf, None
    for _ in range(times):
        start = time.perf_counter()
        out = work()
        best = min(best, time.perf_counter() - start)
    return best, out


def main() -> None:
    """Measure and write."""
    cold = _timed(warm)
    again = _timed(warm)
    band = bandwidth()
    text = [
        f"Triad bandwidth of one core: {band:.1f} GB/s. Grids above 100 000 cells are shared by two threads. Kernels "
        "loaded in "
        f"{cold:.1f} s; a start when they are loaded takes {again:.2f} s.",
        "",
        "| case | cells | momentum ns | pressure ns | energy ns | whole ns | whole over triad time of 100 bytes | "
        "seconds to settled | "
        "of them on coarser grids | iterations | settled |",
        "|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    sizes = [("8 mm", "3"), ("4.4 mm", "6")] + ([] if "--quick" in sys.argv else [("2 mm", "10")])
    cases = [("enclosure", enclosure(*s)) for s in sizes] + [
        ("sink in still air", warm_sink()),
        ("cold plate", cold_plate()),
    ]
    rows, memory = [], []
    for name, document in cases:
        gc.collect()  # what the case before left must not count as memory of this one
        done = settle(document)
        memory.append((done["cells"], resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024))
        gc.collect()
        done = min(done, settle(document), key=lambda x: x["seconds"])
        cost = phases(Job(document, "First layout", fresh=True))
        ns = {k: v / done["cells"] * 1e9 for k, v in cost.items()}
        rows.append((name, done, ns))
        parts = " | ".join(f"{ns[k]:.0f}" for k in ("momentum", "pressure", "energy", "whole"))
        text.append(
            f"| {name} | {done['cells']:,} | {parts} | {ns['whole'] * band / 100:.1f} | {done['seconds']:.1f} | "
            f"{done['coarse']:.1f} | {done['iterations']} | {'yes' if done['settled'] else 'no'} |"
        )
        print(text[-1], flush=True)
    series = [r for r in rows if r[0] == "enclosure"]
    exponent = np.log(series[-1][1]["seconds"] / series[0][1]["seconds"]) / np.log(
        series[-1][1]["cells"] / series[0][1]["cells"]
    )
    (n0, m0), (n1, m1) = memory[0], memory[len(series) - 1]
    each = (m1 - m0) / (n1 - n0)
    text += [
        "",
        "ns are per cell and outer iteration on the asked-for grid, in the fastest of three goes of six. "
        "Seconds are from rest to settled, "
        "momentum residual 1e-4, the faster of two runs.",
        f"Seconds to settled grow as cells to the power {exponent:.2f}. Memory: {each:.0f} bytes a cell and "
        f"{(m0 - each * n0) / 1e6:.0f} MB for the process.",
        "",
        *pressure_solvers(),
    ]
    start, end = "<!-- measured by benchmarks/solver.py -->", "<!-- end -->"
    head, rest = PAGE.read_text().split(start)
    PAGE.write_text(head + start + "\n" + "\n".join(text) + "\n" + end + rest.split(end)[1])
    print("\n".join(text))


if __name__ == "__main__":
    main()
