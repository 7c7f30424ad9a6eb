"""Studies: points two at once against one at a time, what a point costs beyond its solve, the table of a thousand
points, a difference of two large results, a report. Ratios of one run; written into docs/performance.md."""

from __future__ import annotations

import shutil
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from stithy import api
from stithy import kinds as d
from stithy.model.drawn import References
from stithy.project import edits, files
from stithy.read.values import Values
from stithy.weigh import record
from stithy.weigh.overview import Overview

ROOT = Path(__file__).parent.parent
DEMO, PAGE = ROOT / "src/stithy/data/demo/lamp-driver", ROOT / "docs/performance.md"
START, END = "<!-- studies -->", "<!-- end of studies -->"
WAYS = {
    "first": "East fan, speed: 50; 60; 70; 80; 90; 100; 110; 120 %",
    "second": "Surge stage, heat load: 2.6; 3; 3.4 W",
    "third": "Grid, detail: 1.6",
}


def sweep(at_once: int) -> tuple[float, float, int]:
    """Seconds of the whole sweep, those spent in its points, and how many there are."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "p"
        shutil.copytree(DEMO, folder, ignore=shutil.ignore_patterns("results"))
        project = api.open_project(folder)
        first = project.document.layouts[0].name
        project.document = edits.add_row(first, d.SweepRow(name="S", of=first, **WAYS)).apply(project.document)
        files.save(project.document, folder)
        began = time.perf_counter()
        course = project.sweep("S", at_once=at_once)
        took = time.perf_counter() - began
        points = project.points("S")[1]
        inside = sum(x.seconds for p in points if (x := record.kept(folder, p.key)) is not None)
        return took, inside, course.done


def thousand() -> tuple[float, float]:
    """Seconds to put a table of a thousand points in order, and to narrow it."""
    table = api.open_project(DEMO).overview()
    lines = [replace_line(table.lines[m % len(table.lines)], m) for m in range(1000)]
    whole = Overview(lines, table.columns, table.numbers)
    began = time.perf_counter()
    whole.ordered("mass")
    between = time.perf_counter()
    whole.narrowed("meets, mass < 900 g, Surge stage < 100 degC")
    return between - began, time.perf_counter() - between


def replace_line(line, m: int):
    """The line under another number, as of a point."""
    return replace(line, name=f"{line.name} {m}")


def difference() -> tuple[float, int]:
    """Seconds until a difference of two results is worked out, both in memory; cells."""
    project = api.open_project(DEMO)
    one, other = (project.result(x.name) for x in project.document.layouts[:2])
    began = time.perf_counter()
    for name in ("temperature", "speed"):
        Values(other, References(minus="one"), one).of(f"difference of {name}")
    return (time.perf_counter() - began) / 2, int(np.prod(other.grid.shape))


def report() -> float:
    """Seconds of a report of the five layouts, with views, as PDF."""
    from stithy.desk.still import of_layout

    with tempfile.TemporaryDirectory() as place:
        project = api.open_project(DEMO)
        began = time.perf_counter()
        project.report(Path(place) / "r.pdf", of_layout(project))
        return time.perf_counter() - began


def main() -> None:
    """Measure, and write the section."""
    two, inside, count = sweep(2)
    one, alone, _ = sweep(1)
    order, narrow = thousand()
    apart, cells = difference()
    lines = [
        "## Studies",
        f"Written by `benchmarks/studies.py`. {count} points of the lamp driver on a coarse grid: two at once take "
        f"{two:.0f} s, one at a time {one:.0f} s, {one / two:.2f} times as long (1.7 was asked for). Beyond its "
        f"solve a point costs {(one - alone) / count:.2f} s, workers' start included (1 s).",
        "",
        f"A table of 1000 points is put in order in {1e3 * order:.0f} ms and narrowed in {1e3 * narrow:.0f} ms (100 ms "
        f"together); a difference of two results of {cells / 1e3:.0f} thousand cells is worked out in {apart:.2f} s "
        f"(1 s); a report of five layouts with views, as PDF, takes {report():.0f} s (30 s).",
    ]
    text = PAGE.read_text()
    if START not in text:
        text += f"\n{START}\n{END}\n"
    head, rest = text.split(START)
    PAGE.write_text(head + START + "\n" + "\n".join(lines) + "\n" + END + rest.split(END)[1])
    print("\n".join(lines))


if __name__ == "__main__":
    main()
