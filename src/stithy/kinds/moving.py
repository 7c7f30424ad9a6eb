"""Moving parts: the edit that puts rows elsewhere, and the levels of other parts that they may snap to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..errors import StithyError, ValueProblem
from ..model import Model
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import KINDS, Row
from ..project.reader import Reader

#: cells that say where a row stands, by three lengths
PLACES = ("at", "move")


def place_key(row: Row) -> str:
    """The cell of a row that says where in space it stands; "" where it has none."""
    if "box" not in KINDS[row.kind].roles and "solid" not in KINDS[row.kind].roles and row.kind != "enclosure":
        return ""
    return next((k for k in PLACES if len(units.split(row.text(k))) == 3), "")


def moved(document: Document, layout: str, names: Sequence[str], by: Sequence[float], only_here: bool = False) -> Edit:
    """The edit that moves rows by three lengths (m), each in the unit of its own cell. Raises StithyError where one has
    no place of its own, or one that is a formula."""
    reader, todo = Reader(document, layout), []
    for name in names:
        row = edits.row_of(document, layout, name)
        key = place_key(row)
        if not key:
            raise StithyError(f"“{name}” has no place that can be moved. Change its cells.")
        if "=" in row.text(key):
            raise StithyError(f"The place of “{name}” is a formula, {row.text(key)}. Change that instead.")
        try:
            place = np.array(units.vector(row.text(key), "length", 3, reader.names)) + np.asarray(by)
        except ValueProblem as error:
            raise StithyError(f"{name}: {error.what} {error.remedy}") from error
        unit = units.unit_of(units.split(row.text(key))[-1]) or "mm"
        size = units.to_si(f"1 {unit}", "length")
        text = ", ".join(f"{round(float(x) / size, 6) + 0.0:.8g}" for x in place)
        todo.append(edits.set_cell(layout, name, key, f"{text} {unit}", only_here))
    return edits.many(f"move {', '.join(names[:3])}", todo)


def bounds(model: Model, names: Sequence[str]) -> np.ndarray | None:
    """Low and high corner (2, 3) m of some parts together; None where none of them is there."""
    boxes = [np.array(s.bounds) for s in model.solids if s.name in names]
    boxes += [np.array(p.form.box) for p in model.passages if p.name in names]
    boxes += [np.array(s.outer) for s in model.enclosures if s.name in names]
    if not boxes:
        return None
    every = np.array(boxes)
    return np.stack([every[:, :, 0].min(axis=0), every[:, :, 1].max(axis=0)])


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


def snapped(
    span: tuple[float, float], by: float, found: dict[float, str], reach: float, step: float
) -> tuple[float, str]:
    """How far (m) a part of a ``span`` goes that is pulled ``by``: to the nearest of ``levels`` within ``reach`` with a
    face or its middle, else in whole steps; and what it snaps to."""
    own = (span[0], span[1], 0.5 * (span[0] + span[1]))
    best = (reach, round(by / step) * step if step else by, "")
    for level, what in found.items():
        for m, x in enumerate(own):
            if what.startswith("middle of ") != (m == 2):
                continue  # faces go to faces, middles to middles
            off = abs(level - x - by)
            if off < best[0]:
                best = off, level - x, what
    return best[1], best[2]
