"""A board that was read as rows of the project, in place of an earlier one where there is one; tables of powers."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ...errors import StithyError
from ...kinds import board as boards
from ...kinds.board import Board
from ...kinds.component import Component, reference_of
from ...kinds.group import Group
from ...kinds.lying import Lying
from ...project import circuits, edits, units
from ...project.circuits import Circuit, Placed
from ...project.document import Document
from ...project.edits import Edit
from ...project.kind import KINDS, Row
from ...project.reader import Reader
from .tables import powers

#: m2 on the board and m of height below which a part of which nothing is known has no row of its own
SMALL, LOW = 40e-6, 3e-3
#: m that a first board stands above the floor of its enclosure
STANDOFF = 5e-3
#: cells of a component that a table of powers may fill, and those that are taken over from another project
LOADS = ("power", "limit", "profile", "junction_to_case", "junction_to_board")


@dataclass(frozen=True)
class Came:
    """What a board's import came to: the ``edit``, the row's name, names of components ``kept`` with their loads,
    ``new`` and ``gone``; how many parts are too ``small`` for rows; what was unsound in the files (``told``)."""

    edit: Edit
    board: str
    circuit: Circuit
    kept: tuple[str, ...]
    new: tuple[str, ...]
    gone: tuple[str, ...]
    small: int

    @property
    def told(self) -> str:
        """In words."""
        layers, parts = len(self.circuit.copper), len(self.kept or self.new)
        said = f"{self.board}: {layers} layer{'s' if layers != 1 else ''} of copper, {parts} part{'s' * (parts != 1)}"
        said += f" kept, {len(self.new)} new" if self.kept else ""
        if self.gone:
            said += f", {len(self.gone)} gone ({', '.join(self.gone[:6])}{' …' if len(self.gone) > 6 else ''})"
        return said + (f", {self.small} too small for a row of their own" if self.small else "")


def matters(part: Placed) -> bool:
    """Whether a part has a row of its own as it comes."""
    return bool(part.power or part.junction_to_case or part.size[0] * part.size[1] >= SMALL or part.height >= LOW)


def took(
    path: Path,
    circuit: Circuit,
    files: Sequence[Path],
    project: Path,
    document: Document,
    layout: str,
    replaces: str = "",
    only_here: bool = False,
) -> Came:
    """Keep a board in the project and make rows of it; in the place of the board row ``replaces``, or of one whose
    files had this name. Raises StithyError."""
    name = path.name if path.is_dir() else path.stem
    asset = circuits.keep(project, name, files, circuit)
    old = _before(document, layout, asset, replaces)
    return (
        _fresh(document, layout, asset, circuit)
        if old is None
        else swapped(document, layout, old.name, asset, circuit, only_here)
    )


def _before(document: Document, layout: str, asset: str, replaces: str) -> Board | None:
    """The board row that a board takes the place of."""
    rows = [r for r in document.rows_of(layout) if isinstance(r, Board)]
    if replaces:
        found = next((r for r in rows if r.name == replaces), None)
        if found is None:
            raise StithyError(f"There is no board “{replaces}” in the layout “{layout}”.")
        return found
    stem = re.escape(asset[: -len(".board") - 9])
    return next((r for r in rows if re.fullmatch(stem + r" [0-9a-f]{8}\.board", r.text("file"))), None)


def _fresh(document: Document, layout: str, asset: str, circuit: Circuit) -> Came:
    """Rows of a board that is the first of its name."""
    how = Lying(circuit.size)
    title = asset[: -len(".board") - 9].replace("-", " ").replace("_", " ").strip().capitalize()
    name = edits.free_name(document, title or "Board")
    row = Board(
        name=name,
        at=_first_place(document, layout, how, circuit),
        size="",
        material="board laminate",
        file=asset,
        layers=boards.layers_text(circuit),
    )
    parts = [p for p in circuit.placed if matters(p)]
    names: list[str] = []
    todo = [edits.add_row(layout, row)]
    for part in parts:
        names.append(edits.free_name(document, part.reference, [name, *names]))
        todo.append(edits.add_row(layout, component(names[-1], part, name)))
    if names:
        group = edits.free_name(document, f"{name[:48]} and parts", [name, *names])
        todo.append(edits.add_row(layout, Group(name=group, of="; ".join([name, *names]))))
    edit = edits.many(f"import {name}", todo)
    return Came(edit, name, circuit, (), tuple(names), (), len(circuit.placed) - len(parts))


def component(name: str, part: Placed, board: str) -> Component:
    """The row of a part: its place and size stay with the board's files."""
    return Component(
        name=name,
        at="",
        size="",
        on=board,
        reference="" if name == part.reference else part.reference,
        material="moulded package",
        case_side="",
        limit="",
        power=f"{part.power:g} W" if part.power else "0 W",
    )


def _first_place(document: Document, layout: str, how: Lying, circuit: Circuit) -> str:
    """A low corner in the middle of the first enclosure, a little above its floor."""
    from ...kinds.assembly import read_all

    spaces = read_all(Reader(document, layout), layout).enclosures
    if not spaces:
        return "0, 0, 0 mm"
    inner, size = spaces[0].inner, (*how.spread, circuit.thickness)
    at = [0.5 * (sum(inner[a]) - size[a]) for a in range(2)] + [inner[2][0] + STANDOFF]
    return ", ".join(f"{1e3 * x:.4g}" for x in at) + " mm"


def swapped(document: Document, layout: str, name: str, asset: str, circuit: Circuit, only_here: bool = False) -> Came:
    """Another board in the place of one: components of the same reference keep all their cells and stand where the new
    files have them, new ones are added, those that are gone leave. Raises StithyError."""
    row = edits.row_of(document, layout, name)
    if not isinstance(row, Board):
        raise StithyError(f"“{name}” is no board. Name the board that is replaced.")
    had = {reference_of(r): r for r in document.rows_of(layout) if isinstance(r, Component) and r.text("on") == name}
    there = {p.reference: p for p in circuit.placed}
    todo = [
        edits.set_cell(layout, name, "file", asset, only_here),
        edits.set_cell(layout, name, "layers", boards.layers_text(circuit), only_here),
    ]
    gone = [r.name for ref, r in had.items() if ref not in there and not r.text("at")]
    todo += [edits.delete_row(layout, n, only_here) for n in gone]
    new: list[str] = []
    added = [p for p in circuit.placed if p.reference not in had and matters(p)]
    for part in added:
        left = _left_out(document, layout, part, name) if only_here else ""
        if left:  # a part that this layout had left out is back
            todo.append(_back(layout, left))
            new.append(left)
            continue
        new.append(_name(document, layout, part.reference, new, only_here))
        todo.append(edits.add_row(layout, component(new[-1], part, name), only_here))
    groups = [r for r in document.rows if isinstance(r, Group) and name in r.text("of").split("; ")]
    if groups and new and not only_here:
        of = [n for n in groups[0].text("of").split("; ") if n not in gone] + new
        todo.append(edits.set_cell(layout, groups[0].name, "of", "; ".join(of)))
    kept = [r.name for ref, r in had.items() if ref in there]
    small = len(circuit.placed) - len(kept) - len(new)
    edit = edits.many(f"{name}: another revision", todo)
    return Came(edit, name, circuit, tuple(kept), tuple(new), tuple(gone), max(small, 0))


def _name(document: Document, layout: str, wanted: str, new: list[str], only_here: bool) -> str:
    """A free name; what another layout alone calls so may be called so here, too."""
    if only_here and wanted not in new and wanted not in {r.name for r in (*document.rows, *document.rows_of(layout))}:
        return wanted
    return edits.free_name(document, wanted, new)


def _left_out(document: Document, layout: str, part: Placed, board: str) -> str:
    """Name of a row for a part that the base has and the layout left out; "" where there is none."""
    plan = document.layout(layout)
    return next(
        (
            r.name
            for r in document.rows
            if isinstance(r, Component)
            and r.name in plan.leave_out
            and r.text("on") == board
            and reference_of(r) == part.reference
        ),
        "",
    )


def _back(layout: str, name: str) -> Edit:
    def apply(doc: Document) -> Document:
        plan = doc.layout(layout)
        back = plan.model_copy(update={"leave_out": tuple(n for n in plan.leave_out if n != name)})
        return doc.model_copy(update={"layouts": tuple(back if x.name == layout else x for x in doc.layouts)})

    return Edit(f"{name} back", apply)


@dataclass(frozen=True)
class Filled:
    """What a table of loads came to: the ``edit``, rows that it ``filled``, rows it ``added``, references that nothing
    has (``unmatched``), and lines that were ``wrong``."""

    edit: Edit
    filled: tuple[str, ...]
    added: tuple[str, ...]
    unmatched: tuple[str, ...]
    wrong: tuple[str, ...]
    without: tuple[str, ...]

    @property
    def told(self) -> str:
        """In words."""
        said = f"{len(self.filled)} filled"
        for names, what in (
            (self.added, "new"),
            (self.unmatched, "that no part has"),
            (self.wrong, "that cannot be read"),
            (self.without, "components without a load yet"),
        ):
            if names:
                shown = f": {', '.join(names[:6])}{' …' if len(names) > 6 else ''}"
                said += f"; {len(names)} {what}{shown}"
        return said


def _solid(row: Row) -> bool:
    return "power" in KINDS[row.kind].cells


def fill(document: Document, layout: str, text: str, name: str, only_here: bool = False) -> Filled:
    """Loads, limits and resistances of a table with a heading (reference, power, ...) into the rows it names, by
    reference or name; parts of a board that have no row yet get one. Raises FileProblem."""
    found, wrong = powers(text, name)
    rows = [r for r in document.rows_of(layout) if _solid(r)]
    return _filled(document, layout, [(ref, cells) for _, ref, cells in found], rows, wrong, only_here)


def take_over(document: Document, layout: str, other: Document, source: str = "") -> Filled:
    """Loads, limits and resistances of another project's rows (of its layout ``source``; the first) into those of the
    same name or reference."""
    rows = other.rows_of(source or other.layouts[0].name)
    found = [
        (r.name, {k: r.text(k) for k in LOADS if k in KINDS[r.kind].cells and r.text(k)}) for r in rows if _solid(r)
    ]
    loaded = [(n, c) for n, c in found if c.get("power", "0 W") not in ("0 W", "") or c.get("limit")]
    here = [r for r in document.rows_of(layout) if _solid(r)]
    return _filled(document, layout, loaded, here, [], False)


def _filled(document: Document, layout: str, found, rows: list[Row], wrong: list[str], only_here: bool) -> Filled:
    by_name = {r.name: r for r in rows}
    by_reference = {reference_of(r): r for r in rows if isinstance(r, Component)}
    boards_ = [
        (r.name, c) for r in rows if isinstance(r, Board) and (c := circuits.circuit(r.text("file"))) is not None
    ]
    todo: list[Edit] = []
    filled: list[str] = []
    added: list[str] = []
    unmatched: list[str] = []
    loaded: set[str] = set()
    for reference, cells in found:
        row = by_name.get(reference) or by_reference.get(reference)
        if row is None:
            home = next(((b, p) for b, c in boards_ if (p := c.part(reference)) is not None), None)
            if home is None:
                unmatched.append(reference)
                continue
            made = component(edits.free_name(document, reference, added), home[1], home[0])
            added.append(made.name)
            loaded.add(made.name)
            known = {k: v for k, v in cells.items() if k in type(made).model_fields}
            todo.append(edits.add_row(layout, made.model_copy(update=known), only_here))
            continue
        filled.append(row.name)
        loaded.add(row.name)
        todo += [
            edits.set_cell(layout, row.name, key, text, only_here)
            for key, text in cells.items()
            if key in KINDS[row.kind].cells
        ]
    without = [r.name for r in rows if isinstance(r, Component) and r.name not in loaded and no_load(r)]
    return Filled(
        edits.many("table of loads", todo), tuple(filled), tuple(added), tuple(unmatched), tuple(wrong), tuple(without)
    )


def no_load(row: Row) -> bool:
    """Whether a component releases nothing."""
    text = row.text("power")
    if "=" in text:
        return False
    try:
        return units.to_si(text, "power") == 0.0 if text else True
    except StithyError:
        return False
