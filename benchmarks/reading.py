"""How long a picture takes to answer: switches, dragged sections and isosurfaces, streamlines, opening a result.

Writes docs/performance.md (part of make bench).

The demonstration's result is carried to grids of more cells by dividing them, so that nothing has to be solved. Drawn
by the processor, off the screen, at 960 x 600; medians.
"""

from __future__ import annotations

import resource
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from stithy import api
from stithy.desk import still
from stithy.desk.view_items import DrawnItem
from stithy.mesh.lines import Grid
from stithy.read.tracing import trace
from stithy.solution import store
from stithy.solution.solution import Solution

ROOT = Path(__file__).parent.parent
PAGE, DEMO = ROOT / "docs/performance.md", ROOT / "src/stithy/data/demo/lamp-driver"


def divided(s: Solution, times: tuple[int, int, int]) -> Solution:
    """The same fields on cells divided by whole numbers."""

    def cells(x: np.ndarray) -> np.ndarray:
        for a, n in enumerate(times):
            x = np.repeat(x, n, a)
        return x

    def faces(x: np.ndarray, axis: int) -> np.ndarray:
        for a, n in enumerate(times):
            if a != axis:
                x = np.repeat(x, n, a)
            elif n > 1:
                y = np.moveaxis(x, a, 0)
                share = (np.arange(n) / n).reshape(1, n, *[1] * (y.ndim - 1))
                inner = (y[:-1, None] * (1 - share) + y[1:, None] * share).reshape(-1, *y.shape[1:])
                x = np.moveaxis(np.concatenate([inner, y[-1:]]), 0, a)
        return x

    lines = tuple(
        np.concatenate([*(x[:-1, None] + np.diff(x)[:, None] * np.arange(n) / n), x[-1:]])
        for x, n in zip(s.grid.lines, times, strict=True)
    )
    grid = Grid(lines)
    return replace(
        s,
        grid=grid,
        temperature=cells(s.temperature),
        pressure=cells(s.pressure),
        u=faces(s.u, 0),
        v=faces(s.v, 1),
        w=faces(s.w, 2),
        kind=cells(s.kind),
        part=cells(s.part),
        density=cells(s.density),
        properties={n: cells(x) for n, x in s.properties.items()},
        faces={},
        walls=None,
        ends={},
        extra={},
        coarse=None,
        summary=s.summary | {"cells": grid.cells, "coarse": None},
    )


def median(work, count: int = 7) -> float:
    """Seconds, the median of some goes."""
    out = []
    for m in range(count):
        began = time.perf_counter()
        work(m)
        out.append(time.perf_counter() - began)
    return statistics.median(out)


def measured(s: Solution) -> list[str]:
    """A row of the table."""
    look, _ = still.looking(api.open_project(DEMO))
    look.result = s
    rows = {x.name: replace(x, on=x.name in ("Section", "Surfaces")) for x in look.rows if hasattr(x, "on")}
    section = replace(rows["Section"], paint=replace(rows["Section"].paint, low=308.0, high=368.0))
    surfaces = rows["Surfaces"]
    iso = replace(rows["Warm air"], on=True, values=(320.0,))
    look.rows = (section, surfaces)
    made = still.Still(look, (960, 600))
    made.view.ren_win.SetMultiSamples(0)
    made.draw()
    made.view.render()
    low, high = s.grid.lines[1][0], s.grid.lines[1][-1]

    def draw(spec) -> None:
        made.painter.forget(spec.name)
        if spec.on:
            made.painter.row(spec.name)
            for _ in DrawnItem.one(made.painter, look, spec):
                pass
            made.painter.row("")
        made.view.ren_win.Render()

    def slide(m: int) -> None:
        draw(replace(section, place=float(low + (0.2 + 0.08 * m) * (high - low))))

    def swell(m: int) -> None:
        draw(replace(iso, values=(316.0 + m,)))

    slide(0)
    switch = median(lambda m: draw(replace(surfaces, on=m % 2 == 1)))
    drag = median(slide)
    swell(0)
    value = median(swell)
    rng = np.random.default_rng(1)
    reach = np.array([[x[0], x[-1]] for x in s.grid.lines])
    seeds = rng.uniform(reach[:, 0], reach[:, 1], (1000, 3))
    trace(s, seeds[:2])
    lines = median(lambda _: trace(s, seeds), 3)
    made.close()
    opened, memory = opening(s)
    told = (
        f"{1e3 * switch:.0f}",
        f"{1 / drag:.0f}",
        f"{1 / value:.0f}",
        f"{lines:.2f}",
        f"{opened:.2f}",
        f"{memory:.0f}",
    )
    return [f"{s.grid.cells:,}", *told]


def opening(s: Solution) -> tuple[float, float]:
    """Seconds to open it from disk, and MB of a process that has; in a process of its own."""
    with tempfile.TemporaryDirectory() as place:
        store.save(Path(place), "x", s)
        code = (
            "import sys, time\nfrom pathlib import Path\nfrom stithy.solution import store\n"
            "t = time.perf_counter()\nx = store.load(Path(sys.argv[1]), 'x')\nassert x is not None\n"
            "t = time.perf_counter() - t\n"
            "rows = dict(x.split(':', 1) for x in open('/proc/self/status') if ':' in x)\n"
            "print(t, int(rows['VmHWM'].split()[0]) / 1e3)"
        )
        out = subprocess.run([sys.executable, "-c", code, place], capture_output=True, text=True, check=True)
    seconds, memory = map(float, out.stdout.split())
    return seconds, memory


def main() -> None:
    """Measure, and put the table into the page."""
    still.quiet_screen()
    whole = api.open_project(DEMO).result()
    assert whole is not None
    rows = [measured(divided(whole, t)) for t in ((1, 1, 1), (1, 2, 1), (2, 2, 1))]
    heads = (
        "cells",
        "surfaces on or off, ms",
        "section dragged, pictures/s",
        "isosurface dragged, pictures/s",
        "1000 streamlines, s",
        "opened from disk, s",
        "process that holds it, MB",
    )
    table = ["| " + " | ".join(heads) + " |", "|---" * len(heads) + "|"]
    table += ["| " + " | ".join(r) + " |" for r in rows]
    text = PAGE.read_text()
    before, rest = text.split("<!-- measured by benchmarks/reading.py -->\n")
    _, after = rest.split("<!-- end of reading -->")
    PAGE.write_text(
        before + "<!-- measured by benchmarks/reading.py -->\n" + "\n".join(table) + "\n<!-- end of reading -->" + after
    )
    print("\n".join(table))
    print(f"memory of this process {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3:.0f} MB")


if __name__ == "__main__":
    main()
