"""A search for the best layout."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import studies
from ..project.kind import WEIGH, Cell, Text, register
from ..project.reader import Reader
from . import varied as v

#: numbers that every layout has beside its watches
NUMBERS = ("mass", "fan power", "worst margin")


class SearchRow(v.Varying):
    """Look for the best layout: cells that may change within ranges, and what shall be least or most with all limits
    met. Every proposal is solved."""

    kind: Literal["search"] = "search"
    goal: Annotated[
        Text,
        Cell(
            "goal",
            WEIGH,
            "mass, fan power, worst margin or a watch, and whether the least or most of it: mass: least; or of two: "
            "mass: least; Drop: least",
            refers=("watch",),
            leads=True,
            columns=("quantity",),
        ),
    ] = "mass: least"
    runs: Annotated[Text, Cell("runs", WEIGH, "at most so many are solved", columns=("size",))] = "30"


def read(r: Reader, row: SearchRow) -> studies.Search | None:
    """The search; None after a note."""
    if not v.at_home(r, row):
        return None
    told = len(r.problems)
    found = v.variables(r, row, True)
    of = r.choice(row, "of", r.layouts, r.layouts[0]) if row.text("of") else r.layouts[0]
    goals = [_goal(r, row, x.strip()) for x in row.text("goal").split(";") if x.strip()]
    if not 1 <= len(goals) <= 2:
        r.note(row, "goal", "needs one number, or two.", "Write mass: least, or mass: least; Drop: least.")
    runs = r.whole(row, "runs", 30, 3, 10_000)
    if not found or len(r.problems) > told:
        return None
    (goal, most), *second = goals
    return studies.Search(row.name, of, found, goal, most, *(second[0] if second else ("", False)), runs)


def _goal(r: Reader, row: SearchRow, text: str) -> tuple[str, bool]:
    """The number, and whether the most of it is looked for."""
    name, _, word = (x.strip() for x in text.rpartition(":"))
    known = [*NUMBERS, *r.names_of("watch")]
    if word not in ("least", "most") or name not in known:
        example = f"Write one of {', '.join(known)[:160]}, a colon, and least or most."
        r.note(row, "goal", f"“{text[:40]}” is no goal.", example)
    return name, word == "most"


register(SearchRow, "Studies", ("study",), draws=read)
