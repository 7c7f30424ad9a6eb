"""Moving parts: the edit that puts rows elsewhere or gives them other sizes, and the levels that they may snap to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ..errors import StithyError, ValueProblem
from ..model import Model
from ..model.places import bounds, boxes
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import KINDS, Row
from ..project.reader import Reader
from .cells import SIDES

#: cells that say where a row stands, by three lengths, or by two in a wall
PLACES = ("at", "move")
#: groups whose rows stand nowhere in the model
_NOWHERE = ("Drawn", "Watches", "Views", "Groups", "Grid wishes", "Events", "Studies", "Settings")


def wall_of(row: Row) -> int | None:
    """Axis across the wall that a row lies in; None for what does not lie in one."""
    lies = row.text("side") in SIDES and "on" in KINDS[row.kind].cells
    return "xyz".index(row.text("side")[0]) if lies and len(units.split(row.text("at"))) == 2 else None


def place_key(row: Row) -> str:
    """The cell of a row that says where in space it stands; "" where it has none."""
    if KINDS[row.kind].group in _NOWHERE:
        return ""
    if wall_of(row) is not None:
        return "at"
    return next((k for k in PLACES if len(units.split(row.text(k))) == 3), "")


def ways(row: Row) -> tuple[int, ...]:
    """Axes along which a row can go."""
    wall = wall_of(row)
    return tuple(a for a in range(3) if a != wall) if place_key(row) else ()


def _with_lengths(reader: Reader, row: Row, key: str, change: np.ndarray) -> str:
    """The text of a cell of lengths after a change (m), in its own unit; a formula that need not change stays. Raises
    StithyError."""
    parts = units.split(row.text(key))
    if any("=" in p and c for p, c in zip(parts, change, strict=True)):
        raise StithyError(f"A length of “{row.name}” is a formula, {row.text(key)}. Change that instead.")
    unit = next((u for p in reversed(parts) if (u := units.unit_of(p))), "mm")
    try:
        size = units.to_si(f"1 {unit}", "length")
        out = [
            p if "=" in p else f"{round((units.to_si(p, 'length') + float(c)) / size, 6) + 0.0:.8g}"
            for p, c in zip(parts, change, strict=True)
        ]
    except ValueProblem as error:
        raise StithyError(f"{row.name}: {error.what} {error.remedy}") from error
    if any("=" in p for p in out):
        return ", ".join(p if "=" in p else f"{p} {unit}" for p in out)
    return f"{', '.join(out)} {unit}"


def shifted(
    document: Document, layout: str, by: Mapping[str, Sequence[float]], label: str, only_here: bool = False
) -> Edit:
    """The edit that moves each row by three lengths (m) of its own, in the unit of its own cell; what lies in a wall
    stays in it. Raises StithyError where one has no place of its own, or one that is a formula."""
    reader, todo = Reader(document, layout), []
    for name, step in by.items():
        row = edits.row_of(document, layout, name)
        key = place_key(row)
        if not key:
            raise StithyError(f"“{name}” has no place that can be moved. Change its cells.")
        text = _with_lengths(reader, row, key, np.asarray(step, float)[list(ways(row))])
        todo.append(edits.set_cell(layout, name, key, text, only_here))
    return edits.many(label, todo)


def moved(document: Document, layout: str, names: Sequence[str], by: Sequence[float], only_here: bool = False) -> Edit:
    """As :func:`shifted`, all rows by the same."""
    return shifted(document, layout, dict.fromkeys(names, by), f"move {', '.join(names[:3])}", only_here)


def sized(document: Document, layout: str, name: str, axis: int, end: int, by: float, only_here: bool = False) -> Edit:
    """The edit that moves one face of a box by a length (m): its low (``end`` 0) or high one (1) across an axis; the
    other stays. Raises StithyError where there is no such size, or none would be left."""
    row = edits.row_of(document, layout, name)
    ways_ = ways(row)
    if axis not in ways_ or len(units.split(row.text("size"))) != len(ways_) or not place_key(row):
        raise StithyError(f"“{name}” has no size along {'xyz'[axis]} to be pulled. Change its cells.")
    reader, grown, went = Reader(document, layout), np.zeros(len(ways_)), np.zeros(3)
    here = ways_.index(axis)
    grown[here] = by if end else -by
    now = units.vector(row.text("size"), "length", len(ways_), reader.names)[here]
    if now + grown[here] <= 0.0:
        raise StithyError(f"“{name}” would have no size left along {'xyz'[axis]}; it is {1e3 * now:.5g} mm now.")
    todo = [edits.set_cell(layout, name, "size", _with_lengths(reader, row, "size", grown), only_here)]
    if not end:
        went[axis] = by
        todo.append(shifted(document, layout, {name: went.tolist()}, "", only_here))
    return edits.many(f"size of {name}", todo)


def can_be_sized(row: Row) -> bool:
    """Whether a row's faces can be pulled."""
    return bool(ways(row)) and place_key(row) == "at" and len(units.split(row.text("size"))) == len(ways(row))


def levels(model: Model, axis: int, without: Sequence[str]) -> dict[float, str]:
    """Levels (m) along an axis that parts may snap to: faces and middles of all other parts, and of enclosures inside;
    whose each is."""
    found: dict[float, str] = {}
    spans = [(s.name, s.bounds[axis]) for s in model.solids if s.name not in without]
    spans += [(s.name, s.inner[axis]) for s in model.enclosures if s.name not in without]
    for name, (low, high) in spans:
        for level, what in ((low, name), (high, name), (0.5 * (low + high), f"middle of {name}")):
            found.setdefault(round(level, 9), what)
    return found


def equal_gaps(model: Model, axis: int, names: Sequence[str]) -> dict[float, str]:
    """Levels (m) for the middle of some parts at which gaps are equal along an axis: between its two neighbours, or
    going on as two of them begin; only what lies beside it counts."""
    own = bounds(model, names)
    if own is None:
        return {}
    others = [a for a in range(3) if a != axis]
    rows = sorted(
        (float(b[0][axis]), float(b[1][axis]), name)
        for name, b in boxes(model).items()
        if name not in names
        and all(b[0][a] < own[1][a] and own[0][a] < b[1][a] for a in others)
        and not any(s.name == name for s in model.enclosures)
    )
    half = 0.5 * float(own[1][axis] - own[0][axis])
    found: dict[float, str] = {}
    for (_, before, one), (after, _, other) in zip(rows, rows[1:], strict=False):
        if after - before > 2 * half:
            found[round(0.5 * (before + after), 9)] = f"equal gaps, {one} and {other}"
        if after > before:
            gap = after - before
            last, first = rows[-1], rows[0]
            found.setdefault(round(last[1] + gap + half, 9), f"equal gaps after {last[2]}")
            found.setdefault(round(first[0] - gap - half, 9), f"equal gaps before {first[2]}")
    return found


def snapped(
    span: tuple[float, float], by: float, found: dict[float, str], reach: float, step: float
) -> tuple[float, str]:
    """How far (m) a part of a ``span`` goes that is pulled ``by``: to the nearest of ``levels`` within ``reach`` with a
    face or its middle, else in whole steps; and what it snaps to."""
    own = (span[0], span[1], 0.5 * (span[0] + span[1]))
    best = (reach, round(by / step) * step if step else by, "")
    for level, what in found.items():
        for m, x in enumerate(own):
            if what.startswith(("middle of ", "equal gaps")) != (m == 2):
                continue  # faces go to faces, middles to middles
            off = abs(level - x - by)
            if off < best[0]:
                best = off, level - x, what
    return best[1], best[2]
