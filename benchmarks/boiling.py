"""What a bath that boils costs: a minute of it on a hundred thousand cells, and how its answer goes with the step.

Writes docs/performance.md (part of make bench).
"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

import stithy.solve.boiling as rules
from stithy import kinds as d
from stithy.solve.compile import warm
from stithy.solve.job import Job

PAGE = Path(__file__).parent.parent / "docs/performance.md"
FIRST = "First layout"
#: s that are followed once the bath boils
FOLLOWED = 3.0


def bath(coarsest: str = "5.2 mm", length: str = "10 s", boards: int = 3) -> d.Document:
    """Boards of 200 W each in an open tank of a dielectric liquid, half a kelvin below saturation."""
    rows = [
        d.Block(
            name=f"Board {m + 1}",
            at=f"{50 + 70 * m}, 40, 40 mm",
            size="10, 100, 60 mm",
            material="aluminium",
            power="200 W",
            starts="55 degC",
        )
        for m in range(boards)
    ]
    return d.Document(
        rows=(
            d.Enclosure(
                name="Tank",
                size="240, 180, 170 mm",
                wall="0 mm",
                fluid="fluoroketone",
                outside="adiabatic",
                level="130 mm",
                starts="48.6 degC",
            ),
            *rows,
            d.Opening(name="Top", on="Tank", side="z+", at="0, 0 mm", size="240, 180 mm", flow="ambient"),
            d.Surroundings(name="Surroundings"),
            d.GridRow(name="Grid", coarsest=coarsest, at_walls="2.6 mm", growth="1.2"),
            d.RunRow(name="Run", time=length),
        )
    )


def minute() -> tuple[int, float, float, float]:
    """Cells, seconds of wall time for a minute of the boiling bath, s of a step, what its mass does not close by."""
    job = Job(bath(), FIRST)
    run = job.run_
    began = [0.0, 0.0, 0]

    def tell(progress) -> bool:
        if run.bath.calm or run.time < run.began + 0.3:
            began[:] = time.perf_counter(), run.time, run.iteration
            return True
        return run.time < began[1] + FOLLOWED

    run.run(tell)
    wall, passed = time.perf_counter() - began[0], run.time - began[1]
    return run.case.grid.cells, 60.0 * wall / passed, passed / (run.iteration - began[2]), run.mass_error


def steps() -> list[tuple[float, float, float, float]]:
    """Of a small bath by the length of steps: their rule, s a step, hottest board (K above saturation), vapour (ml)."""
    out = []
    usual = rules.COURANT, rules.RISE, rules.LONGEST
    for times in (1.0 / 3.0, 1.0, 2.0):
        rules.COURANT, rules.RISE, rules.LONGEST = (times * x for x in usual)
        job = Job(bath("14 mm", "6 s", 1), FIRST)
        run = job.run_
        run.run()
        rows = np.array(run.series)
        late = rows[rows[:, 0] > 3.0]
        hot = float(run.watches().max() - run.bath.data.boiling.temperature)
        vapour = float(np.average(late[:, 1], weights=np.gradient(late[:, 0])))
        out.append((times, 6.0 / run.iteration, hot, vapour * 1e6))
    rules.COURANT, rules.RISE, rules.LONGEST = usual
    return out


def main() -> None:
    """Measure, print, and write the page's part."""
    warm(every=True)
    cells, seconds, step, mass = minute()
    rows = steps()
    text = (
        "## Boiling\n"
        f"Written by `benchmarks/boiling.py`. Three boards of 200 W in a bath on {cells / 1e3:.0f} thousand cells: a "
        f"minute of boiling takes {seconds / 60:.1f} min, in steps of {1e3 * step:.0f} ms (10 min were asked for); "
        f"mass closes to {mass:.0e}. A small bath with steps of other lengths:\n\n"
        "| steps, of the usual ones | s a step | board, K above saturation | vapour, ml |\n|---|---|---|---|\n"
        + "".join(f"| {a:.2g} | {b:.3f} | {c:.2f} | {v:.1f} |\n" for a, b, c, v in rows)
    )
    print(text)
    page = PAGE.read_text(encoding="utf-8")
    start, end = "<!-- boiling -->\n", "<!-- end of boiling -->\n"
    before, _, rest = page.partition(start)
    after = rest.partition(end)[2] if rest else ""
    PAGE.write_text(before.rstrip() + "\n\n" + start + text + end + after, encoding="utf-8")


if __name__ == "__main__":
    main()
