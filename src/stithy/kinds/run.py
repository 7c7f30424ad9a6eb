"""When a run has settled, and whether it follows time."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import ValueProblem
from ..project import units
from ..project.kind import KINDS, RUN, Cell, Row, Text, register
from ..project.reader import Reader

#: what a run may start from beside layouts
STARTS = ("potential flow", "steady state")
#: roles of what rules about a run may name
WATCHED = ("watch", "solid", "enclosure")


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
    settled_by: Annotated[
        Text,
        Cell(
            "settled by",
            RUN,
            "watches or parts, and what they may still move by: Drop 0.2 Pa; Chip 0.1 K; empty: residual and drift",
            refers=WATCHED,
            leads=True,
        ),
    ] = ""
    stop_when: Annotated[
        Text,
        Cell(
            "stop when",
            RUN,
            "ends early as soon as one holds: Chip > 90 degC; Drop > 40 Pa; empty: it does not",
            refers=WATCHED,
            leads=True,
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
        r.choice(row, "start", [*STARTS, *r.layouts], "") if row.text("start") else "",
        r.maybe(row, "relaxation", "ratio", 0.9, least=0.3, most=0.97),
        r.value(row, "start_at", "time", 0.0, least=0.0) if row.text("start_at") else None,
        _rules(r, row, "settled_by"),
        _rules(r, row, "stop_when"),
    )


def _rules(r: Reader, row: RunRow, key: str) -> tuple[model.Rule, ...]:
    """The rules of a cell; those that cannot be read are noted."""
    out = []
    for text in (t.strip() for t in row.text(key).split(";") if t.strip()):
        try:
            out.append(_rule(r, text, key == "settled_by"))
        except ValueProblem as error:
            r.note(row, key, error.what, error.remedy)
    if out and key == "settled_by" and row.text("time") not in ("steady", ""):
        r.note(row, key, "is for steady runs, and this one follows time.", "Write it under “stop when”.")
    return tuple(out)


def _rule(r: Reader, text: str, within: bool) -> model.Rule:
    """One rule: a name, a sign unless ``within``, and a bound. Raises ValueProblem."""
    known = r.names_of(*WATCHED)
    name = max((n for n in known if text.startswith(n)), key=len, default="")
    rest = text[len(name) :].strip()
    example = "Write Chip 0.1 K." if within else "Write Chip > 90 degC."
    if not name:
        offered = ", ".join(known[:6])
        raise ValueProblem(text, f"“{units.short(text)}” begins with no watch or part.", f"There are {offered}.")
    sign = "within" if within else rest[:1]
    if not within and sign not in (">", "<"):
        raise ValueProblem(text, f"“{units.short(text)}” has no sign > or <.", example)
    dimension = _dimension_of(r, name)
    if within and dimension == "temperature":
        dimension = "temperature difference"
    bound = (rest if within else rest[1:]).strip()
    if dimension == "=":
        value = float(units.quantity(bound, "", r.names).to_base_units().magnitude)
    else:
        value = units.to_si(bound, dimension, r.names)
    if within and value <= 0.0:
        raise ValueProblem(text, f"“{units.short(bound)}” is not above 0.", example)
    return model.Rule(name, sign, value)


def _dimension_of(r: Reader, name: str) -> str:
    """The dimension of a watch; of a part that of its temperature."""
    row = r.by_name[name]
    if row.kind != "watch":
        return "temperature"
    told = len(r.problems)
    found = KINDS["watch"].draws(r, row)  # type: ignore[misc]
    del r.problems[told:]  # the watch's own row tells them
    return found.dimension if found is not None else "="


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
