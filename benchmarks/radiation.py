"""What radiation costs: patches and exchange of a large sealed box, and whole runs with it beside without.

Writes docs/performance.md (part of make bench).
"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from stithy import api
from stithy import kinds as d
from stithy.equations import patches
from stithy.jobs import DATA
from stithy.numerics.exchange import balanced, pooled
from stithy.project import edits, files
from stithy.solve.job import Job

PAGE = Path(__file__).parent.parent / "docs/performance.md"
RUNS = (("lamp-driver", "Fan on wall, plates"), ("relay-box", "A, still air"), ("lamp-sink", "12 plates, painted"))


def box() -> d.Document:
    """A sealed box with a sink and parts on a board, about a million cells."""
    parts = [
        d.Component(name=f"U{i}-{j}", at=f"{20 + 40 * i}, {20 + 45 * j}, 12 mm", size="20, 20, 6 mm", power="1 W")
        for i in range(4)
        for j in range(3)
    ]
    return d.Document(
        rows=(
            d.Enclosure(name="Box", size="240, 200, 100 mm"),
            d.Board(name="Board", at="10, 10, 10 mm", size="220, 180, 2 mm"),
            *parts,
            d.PlateFinSink(name="Sink", at="185, 40, 12 mm", size="36, 120, 40 mm", fins="12", along="y"),
            d.Surroundings(name="Surroundings"),
            d.GridRow(name="Grid", coarsest="2.2 mm", at_walls="1.2 mm", growth="1.4"),
        )
    )


def worked_out() -> tuple[int, int, int, list[float]]:
    """Cells, faces, patches, and seconds for gathering, scene, casting and balancing of the box."""
    job = Job(box(), "First layout", None, banded=False)
    geo, f = job.run_.geo, job.prepared.case.radiating
    assert f is not None
    patches.cast(patches.Scene(geo, f), f.area, np.zeros(len(f), np.int32))  # kernels are there then
    times = [time.perf_counter()]
    patch = patches.gather(geo, f, patches.MOST)
    times.append(time.perf_counter())
    scene = patches.Scene(geo, f)
    times.append(time.perf_counter())
    halves, _, _ = patches.cast(scene, f.area, patch)
    times.append(time.perf_counter())
    size = np.bincount(patch, f.area)
    balanced(*pooled(halves[0][0] + halves[1][0], halves[0][1] + halves[1][1], size), size)
    times.append(time.perf_counter())
    return job.prepared.case.grid.cells, len(f), int(patch.max()) + 1, list(np.diff(times))


def ratio(name: str, layout: str) -> tuple[int, float, float]:
    """Cells, and seconds of a layout's run without radiation and with it, the better of two in turns."""
    folder = DATA / ("demo" if name == "lamp-driver" else "jobs") / name
    document = files.read(folder)
    row = next(r.name for r in document.rows if r.kind == "surroundings")
    best = {"none": np.inf, "surfaces": np.inf}
    cells = 0
    for _ in range(2):
        for choice in best:
            changed = edits.set_cell(layout, row, "radiation", choice).apply(document)
            began = time.perf_counter()
            result = api.Project(changed, None).solve(layout)
            best[choice] = min(best[choice], time.perf_counter() - began)
            cells = result.grid.cells
    return cells, best["none"], best["surfaces"]


def main() -> None:
    """Measure, and write the page."""
    cells, faces, count, times = worked_out()
    size = f"{cells / 1e6:.2f} million cells, {faces / 1e3:.0f} thousand radiating faces, {count} patches"
    steps = f"gathered in {times[0]:.1f} s, the way cleared for rays in {times[1]:.1f} s, half a million rays cast in"
    lines = [
        "## Radiation",
        f"Written by `benchmarks/radiation.py`. A sealed box of {size}: {steps}",
        f"{times[2]:.1f} s, balanced in {times[3]:.1f} s: {sum(times):.1f} s in all, once for each geometry.",
        "",
        "| run | cells | without, s | with, s | ratio |",
        "| --- | --- | --- | --- | --- |",
    ]
    for name, layout in RUNS:
        n, without, with_ = ratio(name, layout)
        lines.append(f"| {name}, {layout} | {n} | {without:.1f} | {with_:.1f} | {with_ / without:.2f} |")
    text = PAGE.read_text(encoding="utf-8")
    mark, end = "<!-- radiation -->", "<!-- end of radiation -->"
    body = "\n".join([mark, *lines, end])
    if mark in text:
        text = text[: text.index(mark)] + body + text[text.index(end) + len(end) :]
    else:
        text = text.rstrip() + "\n\n" + body + "\n"
    PAGE.write_text(text, encoding="utf-8")
    print("\n".join(lines))


if __name__ == "__main__":
    main()
