"""Many runs of a layout with some of its cells varied."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import studies
from ..project.kind import WEIGH, Cell, Text, register
from ..project.reader import Reader
from . import varied as v


class SweepRow(v.Varying):
    """Many runs of one layout with up to four of its cells varied; each is a point of the table in Weigh."""

    kind: Literal["sweep"] = "sweep"
    points: Annotated[
        Text,
        Cell(
            "points",
            WEIGH,
            "every combination; in step: the first values of all, the second ones ...; or so many points spread over "
            "ranges: Latin hypercube 24, Sobol 16",
            studies.PLANS,
            columns=("quantity",),
        ),
    ] = studies.EVERY


def read(r: Reader, row: SweepRow) -> studies.Sweep | None:
    """The sweep; None after a note."""
    if not v.at_home(r, row):
        return None
    told = len(r.problems)
    plan, count = _plan(r, row)
    found = v.variables(r, row, count > 0)
    of = r.choice(row, "of", r.layouts, r.layouts[0]) if row.text("of") else r.layouts[0]
    if plan == studies.IN_STEP and len({len(x.values) for x in found}) > 1:
        counts = ", ".join(f"{x.title} {len(x.values)}" for x in found)
        r.note(
            row, "points", f"go in step, but there are not as many values of each: {counts}.", "Name as many of each."
        )
    return studies.Sweep(row.name, of, found, plan, count) if found and len(r.problems) == told else None


def _plan(r: Reader, row: SweepRow) -> tuple[str, int]:
    text = row.text("points") or studies.EVERY
    for plan in (studies.HYPERCUBE, studies.SOBOL):
        if text.startswith(plan):
            rest = text[len(plan) :].strip()
            if rest.isdigit() and 2 <= int(rest) <= 10_000:
                return plan, int(rest)
            r.note(row, "points", f"“{text[:40]}” says not how many.", f"Write {plan} 24: from 2 to 10000 points.")
            return studies.EVERY, 0
    return r.choice(row, "points", (studies.EVERY, studies.IN_STEP), studies.EVERY), 0


register(SweepRow, "Studies", ("study",), draws=read)
