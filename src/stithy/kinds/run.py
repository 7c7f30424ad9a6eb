"""When a run has settled, and whether it follows time."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import ValueProblem
from ..project import units
from ..project.kind import RUN, Cell, Row, Text, register
from ..project.reader import Reader


class RunRow(Row):
    """When a run has settled."""

    kind: Literal["run"] = "run"
    iterations: Annotated[Text, Cell("iterations", RUN, "stop after this many at the latest")] = "500"
    residual: Annotated[Text, Cell("residual", RUN, "momentum residual to reach")] = "0.0001"
    drift: Annotated[Text, Cell("drift", RUN, "watched temperatures must stay within this")] = "0.2 K"
    time: Annotated[Text, Cell("time", RUN, "steady, or how long to follow in time: 600 s")] = "steady"
    step: Annotated[Text, Cell("time step", RUN, "a time, Courant 2, or auto")] = "auto"
    hold_flow: Annotated[Text, Cell("hold flow", RUN, "solve the flow anew only this often; empty: every step")] = ""
    save_every: Annotated[Text, Cell("save every", RUN, "instants whose fields are kept; empty: the last one")] = ""
    start: Annotated[
        Text,
        Cell(
            "start from",
            RUN,
            "a layout whose result is the start, on whatever grid; potential flow; empty: rest",
            ("potential flow",),
            ("layout",),
        ),
    ] = ""
    relaxation: Annotated[
        Text, Cell("relaxation", RUN, "of convection, 0.3 to 0.97; the result does not depend on it; empty: 0.9")
    ] = ""


def read(r: Reader, row: RunRow) -> model.RunSettings:
    """The settings of the model."""
    return model.RunSettings(
        r.whole(row, "iterations", 500, 1, 100_000),
        r.value(row, "residual", "ratio", 2e-4, above=0.0),
        r.value(row, "drift", "temperature difference", 0.1, above=0.0),
        _time(r, row),
        r.choice(row, "start", ["potential flow", *r.layouts], "") if row.text("start") else "",
        r.maybe(row, "relaxation", "ratio", 0.9, least=0.3, most=0.97),
    )


def _time(r: Reader, row: RunRow) -> model.TimePlan | None:
    """How the run follows time, or None when it is steady."""
    if row.text("time") in ("steady", ""):
        return None
    length = r.value(row, "time", "time", 1.0, above=0.0)
    text, step = row.text("step"), ("auto", 0.0)
    if text.lower().startswith("courant"):
        try:
            step = ("courant", units.to_si(text[7:], "ratio", r.names))
        except ValueProblem as error:
            r.note(row, "step", error.what, "Write 0.5 s, Courant 2 or auto.")
    elif text != "auto":
        step = ("fixed", r.value(row, "step", "time", 1.0, above=0.0))
    return model.TimePlan(
        length,
        step,
        r.maybe(row, "hold_flow", "time", 0.0, above=0.0),
        r.maybe(row, "save_every", "time", 0.0, above=0.0),
    )


register(RunRow, "Settings", ("setting",), read=read, single=True)
