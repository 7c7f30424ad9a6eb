"""How fine the grid is."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from .. import model
from ..project import units
from ..project.kind import GRID, Cell, Row, Text, register
from ..project.reader import Reader

DETAILS = {
    "quick": 2.8,
    "standard": 4.0,
    "fine": 6.0,
    "exact": 9.0,
}  # cells across what matters: three times the cells from one to the next
#: moments of refinement at most
MOMENTS = 6
NARROWER = ("closed", "thin layer")


class GridRow(Row):
    """How fine the grid is."""

    kind: Literal["grid"] = "grid"
    detail: Annotated[
        Text,
        Cell(
            "detail",
            GRID,
            "quick, standard, fine or exact: about three times the cells from one to the next; or cells across what "
            "matters as a number: 5",
            tuple(DETAILS),
        ),
    ] = "standard"
    coarsest: Annotated[
        Text, Cell("coarsest", GRID, "no cell is longer than this; empty: by detail", columns=("finest",))
    ] = ""
    across_gaps: Annotated[
        Text,
        Cell("cells across gaps", GRID, "number of cells between facing solids; empty: by detail", columns=("cells",)),
    ] = ""
    across_solids: Annotated[
        Text,
        Cell(
            "cells across solids",
            GRID,
            "least number of cells across any solid; empty: by detail, more through"
            " boards and along parts that release heat",
        ),
    ] = ""
    growth: Annotated[
        Text, Cell("growth", GRID, "how much longer a cell may be than its neighbour; empty: by detail")
    ] = ""
    at_walls: Annotated[
        Text,
        Cell("at walls", GRID, "cell size at every solid face and enclosure side, 0 mm for no wish; empty: by detail"),
    ] = ""
    least_gap: Annotated[
        Text, Cell("least gap", GRID, "narrower gaps between solids do not stay open; empty: all stay open")
    ] = ""
    narrower: Annotated[
        Text,
        Cell("narrower ones", GRID, "closed: solids touch there; thin layer: the fluid conducts and stands", NARROWER),
    ] = "closed"
    refine: Annotated[
        Text,
        Cell("refine by results", GRID, "0.5 K: until watched temperatures move by less from grid to grid; empty: not"),
    ] = ""
    refine_at: Annotated[
        Text,
        Cell("refine at", GRID, "iterations of a steady run at which it refines, settled or not: 40; 80; empty: none"),
    ] = ""
    most: Annotated[
        Text, Cell("most cells", GRID, "of a grid refined by results; empty: about three times those it begins with")
    ] = ""


def read(r: Reader, row: GridRow) -> model.GridSettings:
    """What the row says; None where it leaves it to the rule."""

    def given(key, reader, *args, **bounds):
        return reader(row, key, *args, **bounds) if row.text(key) else None

    return model.GridSettings(
        given("coarsest", r.value, "length", 6e-3, above=0.0),
        given("across_gaps", r.whole, 3, 1, 400),
        given("across_solids", r.whole, 1, 1, 400),
        given("growth", r.value, "ratio", 1.4, least=1.02, most=4),
        given("at_walls", r.value, "length", 0.0, least=0.0),
        _count(r, row),
        row=row.name,
        least_gap=given("least_gap", r.value, "length", 0.0, above=0.0) or 0.0,
        layers=r.choice(row, "narrower", NARROWER, "closed") == "thin layer",
        refine=given("refine", r.value, "temperature difference", 0.0, above=0.0) or 0.0,
        most=given("most", r.whole, 0, 10, 1_000_000_000) or 0,
        moments=_moments(r, row),
    )


def _moments(r: Reader, row: GridRow) -> tuple[int, ...]:
    """Iterations at which the grid is refined, the earliest first."""
    texts = [x.strip() for x in re.split("[;,]", row.text("refine_at")) if x.strip()]
    found = [int(x) for x in texts if x.isdecimal() and 1 <= int(x) <= 100_000]
    if len(found) != len(texts) or len(found) > MOMENTS:
        what = f"“{units.short(row.refine_at)}” is no list of iterations."
        r.note(row, "refine_at", what, f"Write up to {MOMENTS} whole numbers from 1: 40; 80.")
        return ()
    return tuple(sorted(set(found)))


def _count(r: Reader, row: GridRow) -> float:
    """Cells across what matters, by word or number."""
    text = row.text("detail")
    if text[:1].isdigit() or text.startswith("="):
        return r.value(row, "detail", "ratio", DETAILS["standard"], least=1.5, most=20.0)
    return DETAILS[r.choice(row, "detail", DETAILS, "standard")]


register(GridRow, "Settings", ("setting",), read=read, single=True)
