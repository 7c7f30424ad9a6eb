"""When a run has settled, and whether it follows time."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import ValueProblem
from ..project import units
from ..project.kind import RUN, Cell, Row, Text, register
from ..project.reader import Reader

#: what a run may start from beside layouts
STARTS = ("potential flow", "steady state")


class RunRow(Row):
    """When a run has settled."""

    kind: Literal["run"] = "run"
    iterations: Annotated[Text, Cell("iterations", RUN, "stop after this many at the latest")] = "500"
    residual: Annotated[Text, Cell("residual", RUN, "momentum residual to reach")] = "0.0001"
    drift: Annotated[Text, Cell("drift", RUN, "watched temperatures must stay within this")] = "0.2 K"
    time: Annotated[Text, Cell("time", RUN, "steady, or how long to follow in time: 600 s")] = "steady"
    step: Annotated[Text, Cell("time step", RUN, "a time, Courant 2, or auto")] = "auto"
    hold_flow: Annotated[
        Text,
        Cell(
            "hold flow",
            RUN,
            "solve the flow anew only this often, or when temperatures moved by this: 30 s; 2 K; empty: every step",
        ),
    ] = ""
    save_every: Annotated[
        Text,
        Cell(
            "save every",
            RUN,
            "instants whose fields are kept: by time, or when a watch moved: 15 s; 2 K; empty: the last one",
        ),
    ] = ""
    start: Annotated[
        Text,
        Cell(
            "start from",
            RUN,
            "a layout whose result is the start, on whatever grid; potential flow; steady state, for a run in time; "
            "empty: rest",
            STARTS,
            ("layout",),
        ),
    ] = ""
    start_at: Annotated[
        Text, Cell("at instant", RUN, "of a layout in time that it starts from, the nearest one kept; empty: its end")
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
        r.choice(row, "start", [*STARTS, *r.layouts], "") if row.text("start") else "",
        r.maybe(row, "relaxation", "ratio", 0.9, least=0.3, most=0.97),
        r.value(row, "start_at", "time", 0.0, least=0.0) if row.text("start_at") else None,
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
    (hold, hold_moved), (save, save_moved) = (_often(r, row, key) for key in ("hold_flow", "save_every"))
    return model.TimePlan(length, step, hold, save, hold_moved, save_moved)


def _often(r: Reader, row: RunRow, key: str) -> tuple[float, float]:
    """How often, in s, and by how many K, of a cell such as "30 s; 2 K"; 0 where it says nothing of one."""
    found = [0.0, 0.0]
    for part in (p.strip() for p in row.text(key).split(";") if p.strip()):
        try:
            is_change = part.endswith("K")
            value = units.to_si(part, "temperature difference" if is_change else "time", r.names)
            if value <= 0.0:
                raise ValueProblem(part, f"“{units.short(part)}” is not above 0.", "")
            found[is_change] = value
        except ValueProblem as error:
            r.note(row, key, error.what, "Write 30 s, 2 K, or both with a semicolon: 30 s; 2 K.")
    return found[0], found[1]


register(RunRow, "Settings", ("setting",), read=read, single=True)
