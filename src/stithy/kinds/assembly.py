"""Document and layout to a :class:`Model`: every row read by its kind, every contradiction found."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from typing import Any

from ..errors import Problem, SetupError, StithyError
from ..model import (
    Blower,
    Contact,
    Enclosure,
    Event,
    FaceGroup,
    FanPlane,
    FluidRegion,
    GridWish,
    LeftOut,
    Model,
    Opening,
    Passage,
    PeriodicDrive,
    Plate,
    PorousBlock,
    ScreenPlane,
    Solid,
    Sun,
    WallPatch,
)
from ..project.document import Document
from ..project.kind import KINDS, Row
from ..project.reader import Reader
from . import drawing, piece
from .checks import check_places
from .event import at_time
from .grid import GridRow
from .run import RunRow
from .surroundings import Surroundings

#: which list of the model the objects of each class go into
_LISTS = {
    Enclosure: "enclosures",
    Solid: "solids",
    Passage: "passages",
    Plate: "plates",
    FluidRegion: "regions",
    LeftOut: "left_out",
    WallPatch: "patches",
    Contact: "contacts",
    FaceGroup: "faces",
    Opening: "openings",
    FanPlane: "fans",
    Blower: "blowers",
    ScreenPlane: "screens",
    PorousBlock: "porous",
    PeriodicDrive: "drives",
    Sun: "suns",
    GridWish: "wishes",
    Event: "events",
}
#: models kept, and how many
_KEPT: dict[tuple, Model | SetupError] = {}
MOST_KEPT = 256
#: kinds that are read before all others
_FIRST = ("surroundings", "grid", "run")


def resolve(document: Document, layout: str) -> Model:
    """The model of one layout; the same object as long as nothing that makes it has changed.

    Raises SetupError with every problem found, each with row, cell and remedy.
    """
    key = _makes(document, layout)
    found = _KEPT.pop(key, None) or _resolved(document, layout)
    _KEPT[key] = found  # the latest used last
    while len(_KEPT) > MOST_KEPT:
        _KEPT.pop(next(iter(_KEPT)), None)
    if isinstance(found, SetupError):
        raise SetupError(found.problems, found.model)
    return found


def _makes(document: Document, layout: str) -> tuple:
    """All that the model of a layout is made from."""
    rows, plan = document.rows_of(layout), document.layout(layout)
    starts = any(r.kind == "run" and r.text("start") for r in rows)
    # what is drawn of a result makes no other model
    aside = {r.name for r in rows if KINDS[r.kind].draws and not KINDS[r.kind].read}
    if any(r.text("settled_by") or r.text("stop_when") for r in rows if r.kind == "run"):
        aside -= {r.name for r in rows if r.kind == "watch"}  # its rules name them
    rows = tuple(r for r in rows if r.name not in aside)
    changed = tuple((name, *cells) for name, cells in plan.changes.items() if name not in aside)
    return layout, rows, changed, plan.leave_out, tuple(x.name for x in document.layouts) if starts else ()


def _resolved(document: Document, layout: str) -> Model | SetupError:
    reader = Reader(document, layout)
    model = read_all(reader, layout)
    drawable = not reader.problems
    if drawable:
        check_places(reader, model)
    if model.events and not reader.problems:
        _check_events(reader, document, model)
    if reader.problems:
        return SetupError(reader.problems, model if drawable else None)
    return model


def _check_events(r: Reader, document: Document, model: Model) -> None:
    """Note events after which the layout could not be read."""
    for event in sorted(model.events, key=lambda e: e.time):
        try:
            resolve(at_time(document, model.layout, model.events, event.time), model.layout)
        except StithyError as error:
            told = error.problems[0] if isinstance(error, SetupError) else error
            r.problems.append(
                Problem(event.name, "to", f"cannot hold from then on: {told}", "Correct what it says.", "run", "to")
            )
            return


def problems(document: Document, layout: str) -> list[Problem]:
    """All problems of one layout; empty when it can be solved as far as can be told without a grid."""
    try:
        resolve(document, layout)
    except SetupError as error:
        return error.problems
    return []


def read_all(r: Reader, layout: str) -> Model:
    """Every row read by its kind; problems are noted in the reader."""
    where, wish, run = (
        _settings(r, kind, default)
        for kind, default in zip(
            _FIRST, (Surroundings(name="Surroundings"), GridRow(name="Grid"), RunRow(name="Run")), strict=True
        )
    )
    lists: dict[str, list] = {name: [] for name in _LISTS.values()}
    for row in r.rows:
        kind = KINDS[row.kind]
        if kind.read is None or row.kind in _FIRST:
            continue
        for thing in _several(kind.read(r, row)):
            lists[_LISTS[type(thing)]].append(thing)
    drives, suns = lists.pop("drives"), lists.pop("suns")
    rows = {row.name: row.kind for row in r.rows}
    lists["passages"].sort(key=lambda x: rows[x.name] != "bore")  # before passages of other shapes
    model = Model(
        layout=layout,
        surroundings=where,
        grid=wish,
        run=run,
        drive=drives[0] if drives else None,
        names=r.names,
        sun=suns[0] if suns else None,
    )
    every: dict[str, Any] = {name: tuple(things) for name, things in lists.items()}
    return piece.applied(r, replace(model, **every))


def _settings(r: Reader, kind: str, default: Row):
    """What the row of a kind of settings says, or a new one of it."""
    found = _reads(kind)(r, next(iter(r.of(kind)), default))
    if kind == "surroundings":
        r.surroundings = found
    return found


def _reads(kind: str) -> Callable:
    read = KINDS[kind].read
    assert read is not None
    return read


def _several(found) -> Iterable:
    """What a kind's reader gave, as a list: it may give one object, several, or none."""
    return found if isinstance(found, list) else [] if found is None else [found]


def place_for(document: Document, layout: str, kind: str) -> dict[str, str]:
    """Cells that put a new row of ``kind`` somewhere sensible: on the floor of the first enclosure, or in its wall."""
    place = KINDS[kind].place
    enclosures = read_all(Reader(document, layout), layout).enclosures if place else ()
    return place(enclosures[0]) if place and enclosures else {}


#: document and layout whose cells were read last, and what was found
_READ: list = [None, "", {}]


def cell_faults(document: Document, layout: str) -> dict[tuple[str, str], Problem]:
    """The first problem in reading each cell by itself (not where things stand), by row and key."""
    if _READ[0] is document and _READ[1] == layout:
        return _READ[2]
    _READ[:] = document, layout, _cell_faults(document, layout)
    return _READ[2]


def _cell_faults(document: Document, layout: str) -> dict[tuple[str, str], Problem]:
    reader = Reader(document, layout)
    out: dict[tuple[str, str], Problem] = {}
    read_all(reader, layout)
    drawing.read_drawn(reader)
    for p in reader.problems:
        out.setdefault((p.row, p.key), p)
    return out
