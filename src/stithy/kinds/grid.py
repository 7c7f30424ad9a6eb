"""How fine the grid is."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project.kind import GRID, Cell, Row, Text, register
from ..project.reader import Reader

DETAILS = {
    "quick": 2.8,
    "standard": 4.0,
    "fine": 6.0,
}  # cells across what matters: three times the cells from one to the next
NARROWER = ("closed", "thin layer")


class GridRow(Row):
    """How fine the grid is."""

    kind: Literal["grid"] = "grid"
    detail: Annotated[
        Text,
        Cell(
            "detail", GRID, "quick, standard or fine: about three times the cells from one to the next", tuple(DETAILS)
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
        DETAILS[r.choice(row, "detail", DETAILS, "standard")],
        row=row.name,
        least_gap=given("least_gap", r.value, "length", 0.0, above=0.0) or 0.0,
        layers=r.choice(row, "narrower", NARROWER, "closed") == "thin layer",
    )


register(GridRow, "Settings", ("setting",), read=read, single=True)
