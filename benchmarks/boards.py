"""What boards and estimates cost: a crowded board from its files, its map on a large grid, estimates beside what was
solved.

Writes docs/performance.md (part of make bench).
"""

from __future__ import annotations

import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from stithy import api  # noqa: E402
from stithy import kinds as d  # noqa: E402
from stithy.estimate.estimate import Estimating  # noqa: E402
from stithy.jobs import DATA  # noqa: E402
from stithy.kinds.assembly import resolve  # noqa: E402
from stithy.mesh.build import build  # noqa: E402
from stithy.project import files  # noqa: E402
from stithy.setup import boards as cells  # noqa: E402
from verification import boards  # noqa: E402

PAGE = ROOT / "docs/performance.md"


def imported() -> tuple[int, int, float, int, float]:
    """Parts and copper objects of a crowded board, seconds to take it in (its own process and its start included),
    cells of a grid, and seconds to put its map on them."""
    place = Path(tempfile.mkdtemp())
    made = boards.crowded()
    path = made.write(place / "files")
    document = d.Document(
        rows=(
            d.Enclosure(name="Box", size="160, 130, 40 mm"),
            d.Surroundings(name="Surroundings"),
            d.GridRow(name="Grid", coarsest="0.9 mm", across_gaps="1", across_solids="1", at_walls="0 mm"),
            d.RunRow(name="Run"),
        )
    )
    files.save(document, place / "project")
    project = api.open_project(place / "project")
    began = time.perf_counter()
    project.take_board(path)
    took = time.perf_counter() - began
    rows = tuple(r for r in project.document.rows if r.kind not in ("component", "group"))
    model = resolve(project.document.model_copy(update={"rows": rows}), "First layout")
    built = build(model)
    k, capacity = [np.zeros(built.grid.shape) for _ in range(3)], np.zeros(built.grid.shape)
    cells.lay(model, built, k, capacity)
    began = time.perf_counter()
    cells.lay(model, built, k, capacity)
    cells.joins(model, built)
    mapped = time.perf_counter() - began
    things = sum(len(p.lines) for p in made.plots.values())
    return len(made.parts), things, took, built.grid.cells, mapped


def estimates() -> list[tuple[str, float, float, float, float, float]]:
    """Of every layout of the demonstration: seconds, and those after an edit of a heat load; median and largest error
    (part of the rise), share in the band."""
    project, out = api.open_project(DATA / "demo/lamp-driver"), []
    for layout in project.document.layouts:
        model, estimating = resolve(project.document, layout.name), Estimating()
        estimating.of(replace(model, solids=model.solids[::-1]))  # kernels are there then
        found, solved = estimating.of(model), project.summary(layout.name)
        more = replace(model, solids=tuple(replace(s, power=1.2 * s.power) for s in model.solids))
        again, ambient = estimating.of(more).seconds, model.ambient
        errors = {n: (p.temperature - solved["parts"][n]["max"]) for n, p in found.parts.items()}
        parts = [abs(e) / (solved["parts"][n]["max"] - ambient) for n, e in errors.items()]
        held = float(np.mean([abs(e) <= found.parts[n].band for n, e in errors.items()]))
        out.append((layout.name, found.seconds, again, float(np.median(parts)), max(parts), held))
    return out


def main() -> None:
    """Measure, print, and write the page's part."""
    parts, things, took, count, mapped = imported()
    rows = estimates()
    text = (
        "## Boards and estimates\n"
        f"Written by `benchmarks/boards.py`. A board of four layers, 150 x 120 mm, with {parts} components and "
        f"{things} copper objects is taken in within {took:.1f} s, the start of the importer's process included (15 s "
        f"were asked for); its map is put on a grid of {count / 1e3:.0f} thousand cells in {mapped:.2f} s (2 s).\n\n"
        "Estimates before any solve, beside what was solved (median error below 20 % of the rise and nine in ten "
        "within the band were asked for; 50 ms as well, which a network of this many cells does not reach):\n\n"
        "| layout | s, anew | s, other heat loads | median error | largest | within the band |\n"
        "|---|---|---|---|---|---|\n"
        + "".join(f"| {n} | {s:.2f} | {a:.2f} | {m:.0%} | {w:.0%} | {h:.0%} |\n" for n, s, a, m, w, h in rows)
    )
    print(text)
    page = PAGE.read_text(encoding="utf-8")
    start, end = "<!-- boards -->\n", "<!-- end of boards -->\n"
    before, _, rest = page.partition(start)
    after = rest.partition(end)[2] if rest else ""
    PAGE.write_text(before.rstrip() + "\n\n" + start + text + end + after, encoding="utf-8")


if __name__ == "__main__":
    main()
