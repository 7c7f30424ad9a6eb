"""Rows put in order: aligned, spread evenly, put on another, mirrored, repeated in a circle, grouped."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..errors import StithyError, ValueProblem
from ..model import Model
from ..model.places import boxes
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import KINDS, Row
from ..project.reader import Reader
from ..project.references import listed
from .cells import SIDES
from .group import Group
from .moving import place_key, shifted, wall_of

#: where rows are aligned: their low faces, middles or high faces
ENDS = {"low": 0.0, "middle": 0.5, "high": 1.0}
MOST = 200
_SAME = 1e-9


def _boxes(model: Model, names: Sequence[str], least: int) -> dict[str, np.ndarray]:
    found = boxes(model, names)
    missing = [n for n in names if n not in found]
    if missing:
        raise StithyError(f"“{missing[0]}” stands nowhere in the model. Choose parts.")
    if len(found) < least:
        raise StithyError(f"Choose {least} parts or more for that; {len(found)} are chosen.")
    return found


def aligned(document: Document, layout: str, model: Model, names: Sequence[str], axis: int, end: str, **how) -> Edit:
    """All rows with the last one along an axis: at their ``end`` of :data:`ENDS`. Raises StithyError."""
    found, share = _boxes(model, names, 2), ENDS[end]
    place = {n: float((1 - share) * b[0][axis] + share * b[1][axis]) for n, b in found.items()}
    goal = place[names[-1]]
    by = {n: np.eye(3)[axis] * (goal - x) for n, x in place.items() if abs(goal - x) > _SAME}
    return shifted(document, layout, by, f"align {len(names)} parts", **how)


def spread(document: Document, layout: str, model: Model, names: Sequence[str], axis: int, **how) -> Edit:
    """Equal gaps between rows along an axis; the first and the last stay. Raises StithyError where they do not fit."""
    found = _boxes(model, names, 3)
    order = sorted(found, key=lambda n: float(found[n][:, axis].mean()))
    sizes = [float(np.ptp(found[n][:, axis])) for n in order]
    low, high = float(found[order[0]][0][axis]), float(found[order[-1]][1][axis])
    gap = (high - low - sum(sizes)) / (len(order) - 1)
    if gap < -_SAME:
        need = 1e3 * (sum(sizes) - high + low)
        raise StithyError(f"They are {need:.4g} mm longer together than their room. Pull the last one further away.")
    by, at = {}, low
    for name, size in zip(order, sizes, strict=True):
        step = at - float(found[name][0][axis])
        if abs(step) > _SAME:
            by[name] = np.eye(3)[axis] * step
        at += size + gap
    return shifted(document, layout, by, f"spread {len(names)} parts", **how)


def put_on(document: Document, layout: str, model: Model, names: Sequence[str], target: str, side: str, **how) -> Edit:
    """Rows moved together until they touch a side of another: the outside of a part, the inside of an enclosure's
    wall. Raises StithyError."""
    found = _boxes(model, names, 1)
    if side not in SIDES or target in names:
        raise StithyError(f"“{target}” or its side “{side}” is not another part's. Write a side such as z+.")
    axis, high = "xyz".index(side[0]), side[1] == "+"
    inside = next((s for s in model.enclosures if s.name == target), None)
    if inside is not None:  # what is put on a wall stands before it
        level, own = float(inside.inner[axis][high]), high
    else:
        level, own = float(_boxes(model, [target], 1)[target][int(high)][axis]), not high
    every = [b[int(own)][axis] for b in found.values()]
    by = level - float(max(every) if own else min(every))
    if abs(by) < _SAME:
        raise StithyError(f"{', '.join(names[:3])}: already on the {side} side of “{target}”.")
    return shifted(document, layout, dict.fromkeys(names, np.eye(3)[axis] * by), f"put on {target}", **how)


def _copies(document: Document, layout: str, rows: Sequence[Row], count: int) -> list[list[Row]]:
    """``count`` copies of each row, under names that are free, which refer to each other where the rows do."""
    taken = {r.name for r in document.rows} | {r.name for x in document.layouts for r in x.add}
    out = []
    for row in rows:
        mine = []
        for m in range(2, count + 2):
            name = next(n for k in range(m, m + 5000) if (n := f"{row.name[:54]} {k}") not in taken)
            taken.add(name)
            mine.append(row.model_copy(update={"name": name}))
        out.append(mine)
    return out


def _placed_rows(document: Document, layout: str, names: Sequence[str]) -> list[Row]:
    rows = [edits.row_of(document, layout, n) for n in names]
    for row in rows:
        if not place_key(row):
            raise StithyError(f"“{row.name}” has no place of its own. Choose parts.")
    return rows


def mirrored(
    document: Document, layout: str, model: Model, names: Sequence[str], axis: int, at: float, only_here: bool = False
) -> Edit:
    """Copies of rows on the other side of a plane at a place (m) along an axis; cells that name a side name the other
    one. Raises StithyError for imported solids that are turned, and shapes along lines."""
    found, adds, by = _boxes(model, names, 1), [], {}
    rows = _placed_rows(document, layout, names)
    for row, (copy,) in zip(rows, _copies(document, layout, rows, 1), strict=True):
        centre = float(found[row.name][:, axis].mean())
        update: dict[str, str] = {}
        letter = "xyz"[axis]
        for key in KINDS[row.kind].cells:
            text = row.text(key)
            if text in (f"{letter}-", f"{letter}+"):
                update[key] = letter + {"-": "+", "+": "-"}[text[1]]
        if {"points", "triangles"} & set(KINDS[row.kind].cells):
            raise StithyError(f"“{row.name}” is a line of points, which cannot be mirrored so. Write its points anew.")
        if "mirror" in KINDS[row.kind].cells:  # across its file's own plane: its move takes the rest
            update |= _other_hand(row, letter)
            centre = units.vector(row.text("move"), "length", 3, Reader(document, layout).names)[axis]
        if wall_of(row) != axis:
            by[copy.name] = np.eye(3)[axis] * 2 * (at - centre)
        adds.append(edits.add_row(layout, copy.model_copy(update=update), only_here, after=row.name))
    return _added_and_moved(f"mirror {', '.join(names[:3])}", layout, adds, by, only_here)


def _other_hand(row: Row, letter: str) -> dict[str, str]:
    """Cells of an imported solid that make its mirror image across the middle of its box."""
    if row.text("mirror") or row.text("turn").strip("0, deg"):
        raise StithyError(f"“{row.name}” is turned or mirrored already. Write its cells “mirrored” and “turned by”.")
    return {"mirror": letter}


def _added_and_moved(label: str, layout: str, adds: list[Edit], by: dict, only_here: bool) -> Edit:
    """Rows added, then each moved by its own step once it is there."""

    def apply(document: Document) -> Document:
        for edit in adds:
            document = edit.apply(document)
        return shifted(document, layout, by, label, only_here).apply(document)

    return Edit(label, apply)


def in_circle(
    document: Document,
    layout: str,
    model: Model,
    names: Sequence[str],
    count: int,
    axis: int,
    centre: Sequence[float] | np.ndarray,
    angle: float = 360.0,
    only_here: bool = False,
) -> Edit:
    """Copies with their middles on a circle about an axis through a point (m), ``count`` in all over an angle (deg);
    what is a box is not turned. Raises StithyError."""
    if not 2 <= count <= MOST or not 0.0 < abs(angle) <= 360.0:
        raise StithyError(f"Give a count from 2 to {MOST} and an angle up to 360 degrees.")
    found, rows = _boxes(model, names, 1), _placed_rows(document, layout, names)
    across = [a for a in range(3) if a != axis]
    steps = count if abs(angle) == 360.0 else count - 1
    adds, by = [], {}
    for row, copies in zip(rows, _copies(document, layout, rows, count - 1), strict=True):
        arm = (found[row.name].mean(axis=0) - np.asarray(centre, float))[across]
        if float(np.hypot(*arm)) < _SAME:
            raise StithyError(f"“{row.name}” stands on the axis of the circle. Give another point.")
        last = row.name
        for m, copy in enumerate(copies, 1):
            turn = np.radians(angle * m / steps) * (-1.0 if axis == 1 else 1.0)
            there = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) @ arm
            by[copy.name] = np.zeros(3)
            by[copy.name][across] = there - arm
            adds.append(edits.add_row(layout, copy, only_here, after=last))
            last = copy.name
    return _added_and_moved(f"repeat {', '.join(names[:3])}", layout, adds, by, only_here)


def grouped(document: Document, layout: str, names: Sequence[str], name: str = "Group") -> tuple[str, Edit]:
    """Rows kept together under a name of their own: it, and the edit. Raises StithyError for none."""
    if not names:
        raise StithyError("Choose the rows that shall be together.")
    name = edits.free_name(document, name)
    return name, edits.add_row(layout, Group(name=name, of="; ".join(names)))


def regrouped(document: Document, layout: str, names: Sequence[str], group: str) -> Edit:
    """Rows put into a group ("": into none) and taken out of all others."""
    todo = []
    for row in document.rows_of(layout):
        if row.kind == "group":
            kept = [n for n in listed(row.text("of")) if n and n not in names]
            now = "; ".join([*kept, *(names if row.name == group else ())])
            if now != row.text("of"):
                todo.append(edits.set_cell(layout, row.name, "of", now))
    return edits.many(f"group {', '.join(names[:3])}", todo)


#: what :func:`by_words` understands
HOW = (
    "align x low, spread x, on Board z+, mirror x at 50 mm, circle 6 z about 10, 20, 0 mm over 180 deg, "
    "repeat 4 x 20, 0, 0 mm"
)


def by_words(
    document: Document, layout: str, model: Model, names: Sequence[str], words: str, only_here: bool = False
) -> Edit:
    """The edit that some words ask for, such as those of :data:`HOW`; mirror and circle go by the middle of the first
    enclosure where no place is given. Raises StithyError."""
    what, _, rest = words.strip().partition(" ")
    rest, how = rest.strip(), {"only_here": only_here}
    refused = StithyError(f"“{units.short(words)}” cannot be done. Write it like: {HOW}.")
    middle = np.array(model.enclosures[0].outer).mean(axis=1) if model.enclosures else np.zeros(3)
    parts = rest.split()
    try:
        if what == "repeat":
            from .closing import repeated, step_of

            return repeated(document, layout, names, *step_of(rest, document, layout), only_here)
        if what == "on":
            target, _, side = rest.rpartition(" ")
            return put_on(document, layout, model, names, target, side, **how)
        if what == "circle":
            head, over = rest.partition(" over ")[::2]
            head, about = head.partition(" about ")[::2]
            count, letter = head.split()
            centre = units.vector(about, "length", 3) if about else middle
            angle = np.degrees(units.to_si(over, "angle")) if over else 360.0
            return in_circle(document, layout, model, names, int(count), "xyz".index(letter), centre, angle, only_here)
        axis = "xyz".index(parts[0])
        if what == "align" and parts[1] in ENDS:
            return aligned(document, layout, model, names, axis, parts[1], **how)
        if what == "spread":
            return spread(document, layout, model, names, axis, **how)
        if what == "mirror":
            place = rest.partition(" at ")[2]
            at = units.to_si(place, "length") if place else float(middle[axis])
            return mirrored(document, layout, model, names, axis, at, only_here)
    except (ValueError, IndexError, ValueProblem):
        raise refused from None
    raise refused
