"""What changes in the course of a run in time."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..project import edits, units
from ..project.document import Document
from ..project.kind import KINDS, RUN, Cell, Row, Text, register
from ..project.reader import Reader

#: kinds whose rows an event may not change: they say where things stand, or what is drawn
FIXED = ("event", "parameter", "group", "view", "grid", "wish", "watch", "piece")


class EventRow(Row):
    """A change in the course of a run in time: from then on a cell says something else. A fan fails, a load rises."""

    kind: Literal["event"] = "event"
    at: Annotated[Text, Cell("at", RUN, "when, in a run in time: 60 s", columns=("now",))] = "60 s"
    of: Annotated[
        Text,
        Cell(
            "of",
            RUN,
            "the row that changes",
            refers=("solid", "enclosure", "opening", "fan", "flow device", "surroundings", "run", "contact", "faces"),
            columns=("max",),
        ),
    ] = ""
    cell: Annotated[Text, Cell("cell", RUN, "which of its cells, by its title: speed, heat load, ambient")] = ""
    to: Annotated[Text, Cell("to", RUN, "what it says from then on: 0 %", columns=("limit",))] = ""


def key_of(row: Row, title: str) -> str:
    """The key of a row's cell by its title or key; "" where it has none of that name."""
    cells = KINDS[row.kind].cells
    return next((k for k, c in cells.items() if title in (k, c.title)), "")


def read(r: Reader, row: EventRow) -> model.Event | None:
    """The event; None after a note."""
    time = r.value(row, "at", "time", 0.0, least=0.0)
    of = r.by_name.get(row.text("of"))
    if of is None or of.kind in FIXED:
        what = "is empty." if not row.text("of") else f"“{units.short(row.of)}” is no row that can change in time."
        r.note(row, "of", what, "Name a part, a fan, an opening, the surroundings or the run.")
        return None
    key = key_of(of, row.text("cell"))
    if not key:
        offered = ", ".join(c.title for c in KINDS[of.kind].cells.values())
        r.note(row, "cell", f"“{of.name}” has no cell “{units.short(row.cell)}”.", f"It has {offered}.")
        return None
    if next((x for x in r.of("run")), None) is None or next(iter(r.of("run"))).text("time") in ("steady", ""):
        r.note(row, "at", "needs a run in time, and this one is steady.", "Give the run row a time, such as 600 s.")
        return None
    return model.Event(row.name, time, of.name, key, row.text("to"))


def at_time(document: Document, layout: str, events: tuple[model.Event, ...], time: float) -> Document:
    """The document with all that events have changed in a layout up to a time (s), and without events."""
    for event in sorted((e for e in events if e.time <= time * (1.0 + 1e-12)), key=lambda e: e.time):
        document = edits.set_cell(layout, event.row, event.key, event.text, True).apply(document)
    for name in [r.name for r in document.rows_of(layout) if r.kind == "event"]:
        document = edits.delete_row(layout, name, True).apply(document)
    return document


register(EventRow, "Events", read=read)
