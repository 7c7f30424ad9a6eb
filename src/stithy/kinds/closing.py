"""Rows for what was found on solids: blanking plates over openings, what lies on them, what fills a fluid space."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import StithyError, ValueProblem
from ..model import Model
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import KINDS, Row
from ..project.reader import Reader
from ..shapes.mouths import Mouth
from .accepted import Accepted
from .blanking_plate import ALIKE, BlankingPlate, alike, mouths_of, quiet
from .contact import Contact
from .fluid_region import FluidRegion
from .grid import GridRow


def _mm(point) -> str:
    """A place (m) as it stands in a cell."""
    return ", ".join(f"{round(1e3 * x, 4) + 0.0:g}" for x in point) + " mm"


def mouths_of_all(document: Document, layout: str) -> list[tuple[str, Mouth, Mouth]]:
    """Solid, mouth as its file has it and as it stands, of all solids of a layout."""
    r = quiet(Reader(document, layout))
    return [(row.name, raw, rim) for row in r.of("solid") for raw, rim in mouths_of(r, row)]


def grouped(mouths: list[tuple[str, Mouth, Mouth]]) -> list[list[tuple[str, Mouth, Mouth]]]:
    """Mouths of one solid that are alike in one plane, together."""
    out: list[list[tuple[str, Mouth, Mouth]]] = []
    for m in mouths:
        group = next((g for g in out if g[0][0] == m[0] and alike(g[0][1], m[1])), None)
        if group is None:
            out.append([m])
        else:
            group.append(m)
    return out


def plate_over(model: Model, rim: Mouth) -> str:
    """Name of the blanking plate that closes a rim, or ""."""
    near = 0.05 * rim.area**0.5
    for plate in model.plates:
        for r in plate.rims:
            if (
                sum((a - b) ** 2 for a, b in zip(r.centre, rim.centre, strict=True)) < near**2
                and r.normal @ rim.normal > 0.9
            ):
                return plate.name
    return ""


def close(document: Document, layout: str, found: Sequence[tuple[str, Mouth, int]]) -> Edit:
    """Add a blanking plate for each: the solid, a mouth as its file has it, and how many are alike in its plane."""
    steps: list[Edit] = []
    after = document
    for of, raw, count in found:
        row = BlankingPlate(
            name=edits.free_name(after, f"{of[:40]} plate"),
            of=of,
            at=_mm(raw.centre),
            faces=", ".join(f"{round(x, 4) + 0.0:g}" for x in raw.normal),
            alike=ALIKE[count > 1],
        )
        steps.append(edits.add_row(layout, row))
        after = steps[-1].apply(after)
    what = "close an opening" if len(steps) == 1 else f"close {len(steps)} openings"
    return edits.many(what, steps)


def put_on(document: Document, layout: str, plate: str, kind: str, **cells: str) -> tuple[str, Edit]:
    """Put an opening, vent or wall fan on a blanking plate: the new row's name, and the edit."""
    name = edits.free_name(document, cells.pop("name", kind.capitalize()))
    cells = {"side": "", "at": "", "size": ""} | cells
    return name, edits.add_row(
        layout, KINDS[kind].row.model_validate({"name": name, "kind": kind, "on": plate} | cells)
    )


def put_face_on(document: Document, layout: str, name: str, move, only_here: bool = False) -> Edit:
    """Move an imported solid by a step (m), on top of where its cells put it."""
    r = quiet(Reader(document, layout))
    before = r.vector(r.by_name[name], "move", "length", 3, 0.0)
    text = ", ".join(f"{round(1e3 * (a + b), 6) + 0.0:g}" for a, b in zip(before, move, strict=True)) + " mm"
    return edits.set_cell(layout, name, "move", text, only_here)


def repeated(document: Document, layout: str, names: Sequence[str], count: int, step, only_here: bool = False) -> Edit:
    """More of the rows named, each one step (x, y, z, m) on from the last, ``count`` in all.

    Raises StithyError where a row has no place, or for a count below 2 or above 200.
    """
    if not 2 <= count <= 200 or not any(step):
        raise StithyError("Give a count from 2 to 200 and a step: 4 x 20, 0, 0 mm.")
    r, edits_ = quiet(Reader(document, layout)), []
    taken = {x.name for x in document.rows} | {x.name for p in document.layouts for x in p.add}
    for name in names:
        row = r.by_name[name]
        key = next((k for k in ("move", "at") if k in KINDS[row.kind].cells), "")
        here = r.vector(row, key, "length", 3, 0.0) if key else None
        if here is None or len(here) != 3 or r.problems:
            raise StithyError(f"“{name}” has no place x, y, z of its own, so it cannot be repeated. Duplicate it.")
        _apart(r, row, step)
        last = name
        for m in range(1, count):
            new = next(n for k in range(m + 1, m + 1000) if (n := f"{name[:54]} {k}") not in taken)
            taken.add(new)
            place = ", ".join(f"{round(1e3 * (a + m * b), 6) + 0.0:g}" for a, b in zip(here, step, strict=True)) + " mm"
            copy = row.model_copy(update={"name": new, key: place})
            edits_.append(edits.add_row(layout, copy, only_here, after=last))
            last = new
    return edits.many(f"repeat {', '.join(names)}", edits_)


def _apart(r: Reader, row: Row, step: Sequence[float]) -> None:
    """Raises StithyError where boxes repeated by a step would overlap, with the least step that keeps them apart."""
    if len(units.split(row.text("size"))) != 3:
        return
    size = r.vector(row, "size", "length", 3, 0.0)
    if all(abs(s) < b - 1e-9 for s, b in zip(step, size, strict=True)):
        axis = max(range(3), key=lambda a: abs(step[a]) / size[a])
        least = f"{1e3 * size[axis]:.6g} mm along {'xyz'[axis]}"
        raise StithyError(f"“{row.name}” would overlap its copies. Step by at least {least}.")


def step_of(text: str, document: Document, layout: str) -> tuple[int, tuple[float, float, float]]:
    """Count and step (m) of words like 4 x 20, 0, 0 mm. Raises StithyError."""
    count, _, step = text.replace("×", "x").partition("x")
    try:
        x, y, z = units.vector(step.strip(), "length", 3, Reader(document, layout).names)
        return int(count), (x, y, z)
    except (ValueError, ValueProblem):
        raise StithyError(f"“{units.short(text)}” is no count and step. Write it like 4 x 20, 0, 0 mm.") from None


def scaled(document: Document, layout: str, names: Sequence[str], times: float) -> Edit:
    """Make imported solids larger or smaller, where a file was taken in in the wrong unit: those named and all others
    of their files."""
    r = quiet(Reader(document, layout))
    rows = [row for row in r.of("body") if not names or row.name in names]
    files = {row.text("file") for row in rows}
    steps = [
        edits.set_cell(layout, row.name, "scale", f"{r.value(row, 'scale', 'ratio', 1.0) * times:.10g}")
        for row in r.of("body")
        if row.text("file") in files
    ]
    return edits.many(f"scale imported solids by {times:g}", steps)


def accepted_row(name: str, bodies: Sequence[str], reason: str) -> Accepted:
    """A fault of one or two bodies that is left as it is."""
    return Accepted(name=name, of=bodies[0], to=bodies[1] if len(bodies) > 1 else "", reason=reason)


def accepted(document: Document, layout: str) -> dict[frozenset[str], str]:
    """Why what is about some solids is left as it is, by their names."""
    return {
        frozenset(filter(None, (r.text("of"), r.text("to")))): r.text("reason")
        for r in document.rows_of(layout)
        if r.kind == "accepted"
    }


def fillings(document: Document, layout: str) -> dict[frozenset[str], Contact]:
    """Contacts of a layout by the pair of parts that they are between."""
    rows = [r for r in document.rows_of(layout) if isinstance(r, Contact) and r.text("to")]
    return {frozenset((r.text("of"), r.text("to"))): r for r in rows}


def joined(
    document: Document, layout: str, pairs: Sequence[tuple[str, str]], filled: str, only_here: bool = False
) -> Edit:
    """What fills the joints of several pairs of parts, as one step: contacts that are there are changed, others added.
    ``filled`` is what a contact's resistance may be. Raises StithyError."""
    known, todo, taken = fillings(document, layout), [], set[str]()
    for one, other in pairs:
        row = known.get(frozenset((one, other)))
        if row is not None:
            todo.append(edits.set_cell(layout, row.name, "resistance", filled, only_here))
            continue
        name = edits.free_name(document, f"{one[:25]} to {other[:25]}", taken)
        taken.add(name)
        todo.append(edits.add_row(layout, Contact(name=name, of=one, to=other, resistance=filled), only_here))
    return edits.many(f"{filled[:40]} in {len(todo)} joint{'s' if len(todo) != 1 else ''}", todo)


def fill_space(document: Document, layout: str, point, fluid: str, name: str) -> tuple[str, Edit]:
    """Say what fills the fluid space that holds a point (m), or that it is left out: the new row's name, and the
    edit."""
    name = edits.free_name(document, name)
    at = _mm(point)
    return name, edits.add_row(layout, FluidRegion(name=name, at=at, fluid=fluid))


def mend_gaps(document: Document, layout: str, size: str) -> Edit:
    """The edit that closes every gap between solids narrower than ``size``, by the grid row. Raises StithyError."""
    try:
        if units.to_si(size, "length") <= 0.0:
            raise StithyError(f"“{units.short(size)}” is no size of a gap. Write a length such as 0.2 mm.")
    except ValueProblem as error:
        raise StithyError(f"{error.what} Write a length such as 0.2 mm.") from error
    rows = [r for r in document.rows_of(layout) if r.kind == "grid"]
    label = f"close gaps below {size}"
    if not rows:
        row = GridRow(name=edits.free_name(document, "Grid"), least_gap=size)
        return edits.many(label, [edits.add_row(layout, row)])
    return edits.many(label, [edits.set_cell(layout, rows[0].name, "least_gap", size)])
