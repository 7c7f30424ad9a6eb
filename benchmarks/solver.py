"""Cost of the solver against this machine's memory bandwidth; writes docs/performance.md (make bench).

Ratios are taken within one run, so that what else the machine does weighs on both sides.
"""
from __future__ import annotations

import resource
import sys
import time
from pathlib import Path

import numpy as np
from numba import njit

from stithy.project import edits, files
from stithy.solve.compile import warm
from stithy.solve.job import Job

ROOT = Path(__file__).parent.parent
DEMO = ROOT / "src/stithy/data/demo/lamp-driver"


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


def phases(job, iterations: int = 8) -> dict[str, float]:
    """Seconds an iteration by phase: momentum, pressure, energy."""
    run = job.run_
    spent = dict.fromkeys(("pressure", "energy", "whole"), 0.0)
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
    spent["whole"] = _timed(lambda: [run.step() for _ in range(iterations)])
    run.flow.project, run.heat.solve = project, solve
    spent = {k: v / iterations for k, v in spent.items()}
    spent["momentum"] = spent["whole"] - spent["pressure"] - spent["energy"]
    return spent


def main() -> None:
    """Measure and write."""
    warm()
    document = files.read(DEMO)
    name, rows, last = document.layouts[0].name, [], None
    band = bandwidth()
    for coarsest in ("12 mm", "6 mm", "3 mm"):
        gaps = {"12 mm": "2", "6 mm": "3", "3 mm": "4"}[coarsest]
        doc = edits.set_cell(name, "Grid", "coarsest", coarsest).apply(document)
        job = Job(edits.set_cell(name, "Grid", "across_gaps", gaps).apply(doc), name, fresh=True)
        n = job.prepared.case.grid.cells
        cost = phases(job)
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
        ns = {k: v / n * 1e9 for k, v in cost.items()}
        settle = ""
        if coarsest == "6 mm" and "--no-settle" not in sys.argv:
            fresh = Job(document, name, fresh=True)
            seconds = _timed(fresh.run)
            settle = f"{seconds:.0f} s, {fresh.run_.iteration} iterations"
        rows.append((n, ns, memory, settle))
        last = rows
    text = [f"Triad bandwidth of one core: {band:.1f} GB/s. The solver runs on one core; the other is the window's.", "",
            "| cells | momentum ns | pressure ns | energy ns | whole ns | bytes a cell that memory could move | rest to settled |",
            "|---|---|---|---|---|---|---|"]
    for n, ns, _, settle in last:
        moved = ns["whole"] * band
        parts = " | ".join(f"{ns[k]:.0f}" for k in ("momentum", "pressure", "energy", "whole"))
        text.append(f"| {n:,} | {parts} | {moved:,.0f} | {settle} |")
    (n0, a0, m0, _), (n1, a1, m1, _) = rows[0], rows[-1]
    exponent = np.log(a1["whole"] * n1 / (a0["whole"] * n0)) / np.log(n1 / n0)
    text += ["", f"ns are per cell and outer iteration. An iteration's cost grows as cells to the power {exponent:.2f}.",
             f"Memory: {(m1 - m0) / (n1 - n0):.0f} bytes a cell and {(m0 - (m1 - m0) / (n1 - n0) * n0) / 1e6:.0f} MB for the process."]
    page = ROOT / "docs/performance.md"
    start, end = "<!-- measured by benchmarks/solver.py -->", "<!-- end -->"
    head, rest = page.read_text().split(start)
    page.write_text(head + start + "\n" + "\n".join(text) + "\n" + end + rest.split(end)[1])
    print("\n".join(text))


if __name__ == "__main__":
    main()
