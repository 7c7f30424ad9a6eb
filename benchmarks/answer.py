"""Seconds to an answer of a stated error: the demonstration's parts on grids by detail and by the rule of the version
before.

Both with this solver and in one run, so that only the grids and the use of a coarser one differ. The truth is a grid of
seven cells across what matters (about a million cells); errors are root mean squares over the parts' rises. Written
into docs/performance.md.
"""

from __future__ import annotations

import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from stithy.mesh.gridding import settled
from stithy.model import GridSettings
from stithy.outcome import tables
from stithy.project import files
from stithy.read.band import Bands
from stithy.solve import job as jobs

ROOT = Path(__file__).parent.parent
DEMO, PAGE = ROOT / "src/stithy/data/demo/lamp-driver", ROOT / "docs/performance.md"
#: the rule before: one cell through boards, two or three along parts, three across gaps, all of 6 mm at most; and finer
# by the same rule
BEFORE = {
    "before": GridSettings(6e-3, 3, 1, 1.4, 0.0),
    "before, finer": GridSettings(4e-3, 4, 1, 1.3, 0.0),
    "before, finest": GridSettings(2.2e-3, 6, 2, 1.25, 0.0),
}
DETAIL = {"quick": 2.8, "standard": 4.0, "fine": 5.8}


def solve(layout: str, wish: GridSettings | None = None, count: float = 0.0, banded: bool = True):
    """Summary, part table and seconds of one layout of the demonstration on the wished grid."""
    document, whole = files.read(DEMO), jobs.resolve

    def wished(doc, name):
        model = whole(doc, name)
        return replace(model, grid=wish if wish is not None else replace(settled(model).grid, count=count))

    jobs.resolve = wished
    try:
        began = time.perf_counter()
        job = jobs.Job(document, layout, banded=banded)
        summary = job.run().summary
        return summary, tables.part_table(job.prepared, job.run_), time.perf_counter() - began
    finally:
        jobs.resolve = whole


def main() -> None:
    """Measure and write."""
    lines = [
        "| layout | grid | cells | seconds | error, on the grid | error, of the value told |",
        "|---|---|---|---|---|---|",
    ]
    for layout in ("Fan on wall, plates", "Fan on wall, pins")[: 1 if "--quick" in sys.argv else 2]:
        _, truth, _ = solve(layout, count=7.0, banded=False)
        cases = [(n, w, 0.0, False) for n, w in BEFORE.items()] + [(n, None, c, True) for n, c in DETAIL.items()]
        for name, wish, count, banded in cases:
            summary, parts, seconds = solve(layout, wish, count, banded)
            ambient, bands = summary["ambient"], Bands(summary)
            names = [n for n in truth if n != "Case"]

            def error(value, names=names, truth=truth, ambient=ambient) -> float:
                off = [(value(n) - truth[n]["max"]) / (truth[n]["max"] - ambient) for n in names]
                return float(np.sqrt(np.mean(np.square(off))))

            plain = error(lambda n, parts=parts: parts[n]["max"])
            told = f"{error(lambda n, bands=bands: bands.temperature(n).value):.1%}" if banded else "-"
            lines.append(f"| {layout} | {name} | {summary['cells']:,} | {seconds:.1f} | {plain:.1%} | {told} |")
            print(lines[-1], flush=True)
    start, end = "<!-- measured by benchmarks/answer.py -->", "<!-- end of answers -->"
    head, rest = PAGE.read_text().split(start)
    PAGE.write_text(head + start + "\n" + "\n".join(lines) + "\n" + end + rest.split(end)[1])


if __name__ == "__main__":
    sys.exit(main())
