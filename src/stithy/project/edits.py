"""Undoable changes: every edit is a value with a name that turns one document into the next."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from pydantic import ValidationError

from ..errors import StithyError
from .document import Document, Layout
from .kind import KINDS, Row
from .references import roles_of, with_new_name


@dataclass(frozen=True)
class Edit:
    """``label`` for the undo entry; ``apply`` gives the new document and raises StithyError to refuse."""

    label: str
    apply: Callable[[Document], Document]


class History:
    """The document now, with all that can be undone and redone."""

    def __init__(self, document: Document):
        self.document = document
        self._past: list[tuple[str, Document]] = []
        self._future: list[tuple[str, Document]] = []
        self.saved = document

    @property
    def dirty(self) -> bool:
        """Whether the document differs from the one last saved."""
        return self.document is not self.saved

    def do(self, edit: Edit) -> bool:
        """Apply ``edit``; False when it changed nothing. Raises what the edit raises, changing nothing."""
        new = edit.apply(self.document)
        if new == self.document:
            return False
        new = _as_a_file(new)
        self._past.append((edit.label, self.document))
        self._future.clear()
        self.document = new
        return True

    def undo(self) -> str:
        """Take the last edit back; its label, or "" when there is none."""
        return self._move(self._past, self._future)

    def redo(self) -> str:
        """Do the last undone edit again; its label, or "" when there is none."""
        return self._move(self._future, self._past)

    def _move(self, source: list, target: list) -> str:
        if not source:
            return ""
        label, document = source.pop()
        target.append((label, self.document))
        self.document = document
        return label


def _as_a_file(document: Document) -> Document:
    """The document, held to what a file is held to. Raises StithyError."""
    try:
        return Document.model_validate(document.model_dump())
    except ValidationError as error:
        fault = error.errors()[0]
        raise StithyError(f"{', '.join(str(x) for x in fault['loc'])}: {fault['msg']}. Nothing was changed.") from error


def _replace_layout(doc: Document, layout: Layout) -> Document:
    return doc.model_copy(update={"layouts": tuple(layout if x.name == layout.name else x for x in doc.layouts)})


def free_name(doc: Document, wanted: str, but: Collection[str] = ()) -> str:
    """``wanted``, or with a number behind it, unlike every row's name in base and layouts, and unlike those of
    ``but``."""
    taken = {r.name for r in doc.rows} | {r.name for x in doc.layouts for r in x.add}
    return _free(wanted, taken.union(but))


def _free(wanted: str, taken: Collection[str]) -> str:
    if wanted not in taken:
        return wanted
    stem, number = re.sub(r" \d+$", "", wanted)[:50].rstrip(), 2
    while f"{stem} {number}" in taken:
        number += 1
    return f"{stem} {number}"


def row_of(doc: Document, layout: str, name: str) -> Row:
    """The row as it stands in a layout; raises StithyError when there is none."""
    for row in doc.rows_of(layout):
        if row.name == name:
            return row
    raise StithyError(f"There is no row “{name}” in the layout “{layout}”.")


def set_cell(layout: str, row: str, key: str, text: str, only_here: bool = False) -> Edit:
    """Change one cell: in the base for all layouts, or ``only_here`` in this layout.

    A row that only this layout has is changed there; a cell this layout already sets apart stays apart.
    """

    def apply(doc: Document) -> Document:
        plan = doc.layout(layout)
        value = text.strip()
        if key not in type(row_of(doc, layout, row)).model_fields or key == "kind":
            raise StithyError(f"“{row}” has no cell “{key}”.")
        if key == "name":
            return _rename(doc, row, value)
        if any(r.name == row for r in plan.add):
            add = tuple(_with(r, {key: value}) if r.name == row else r for r in plan.add)
            return _replace_layout(doc, plan.model_copy(update={"add": add}))
        base = next(r for r in doc.rows if r.name == row)
        mine = dict(plan.changes.get(row, {}))
        if only_here or key in mine:
            mine[key] = getattr(_with(base, {key: value}), key)
            if getattr(base, key) == value:
                del mine[key]
            changes = {k: v for k, v in {**plan.changes, row: mine}.items() if v}
            return _replace_layout(doc, plan.model_copy(update={"changes": changes}))
        rows = tuple(_with(r, {key: value}) if r.name == row else r for r in doc.rows)
        return doc.model_copy(update={"rows": rows})

    return Edit(f"change {row}, {key}", apply)


def _with(row: Row, update: dict) -> Row:
    """The row with other cells, held to what a file is held to. Raises StithyError."""
    try:
        return type(row).model_validate(row.model_dump() | update)
    except ValidationError as error:
        fault = error.errors()[0]
        where = ", ".join(str(x) for x in fault["loc"])
        raise StithyError(f"{row.name}, {where}: {fault['msg']}. Give another.") from error


def _rename(doc: Document, old: str, new: str) -> Document:
    if old == new:
        return doc
    if not new or free_name(doc, new) != new:
        raise StithyError(f"The name “{new}” is empty or taken. Give the row another name.")
    roles, kinds = roles_of(doc, old), {r.name: r.kind for r in (*doc.rows, *(r for x in doc.layouts for r in x.add))}

    def fix(r: Row) -> Row:
        update = {
            k: t
            for k in KINDS[r.kind].cells
            if (t := with_new_name(r.kind, k, getattr(r, k), old, new, roles)) != getattr(r, k)
        }
        if r.name == old:
            update["name"] = new
        return _with(r, update) if update else r

    def cells(row: str, changes: dict[str, str]) -> dict[str, str]:
        return {k: with_new_name(kinds[row], k, t, old, new, roles) if row in kinds else t for k, t in changes.items()}

    layouts = tuple(
        x.model_copy(
            update={
                "add": tuple(map(fix, x.add)),
                "changes": {(new if k == old else k): cells(k, v) for k, v in x.changes.items()},
                "leave_out": tuple(new if n == old else n for n in x.leave_out),
            }
        )
        for x in doc.layouts
    )
    order = tuple(new if n == old else n for n in doc.order)
    return doc.model_copy(update={"rows": tuple(map(fix, doc.rows)), "layouts": layouts, "order": order})


def reorder(layout: str, names: Sequence[str], before: str = "") -> Edit:
    """List rows before another one, or at the end; the model stays as it is."""

    def apply(doc: Document) -> Document:
        listed = [r.name for r in doc.listed(layout)]
        unknown = [n for n in names if n not in listed]
        if unknown:
            raise StithyError(f"There is no row “{unknown[0]}” in the layout “{layout}”.")
        moving = [n for n in listed if n in names]
        rest = [n for n in listed if n not in names]
        at = rest.index(before) if before in rest else len(rest)
        order = [*rest[:at], *moving, *rest[at:]]
        others = [n for n in doc.order if n not in listed]
        return doc.model_copy(update={"order": (*order, *others)})

    return Edit(f"move {', '.join(names[:3])}", apply)


def many(label: str, edits: list[Edit]) -> Edit:
    """Several edits as one step."""

    def apply(doc: Document) -> Document:
        for edit in edits:
            doc = edit.apply(doc)
        return doc

    return Edit(label, apply)


def add_row(layout: str, row: Row, only_here: bool = False, after: str = "") -> Edit:
    """Add a row to the base, or ``only_here`` to one layout; ``after`` names the row it follows."""

    def apply(doc: Document) -> Document:
        if free_name(doc, row.name) != row.name and not only_here:
            raise StithyError(f"The name “{row.name}” is taken. Give the row another name.")
        if only_here:
            plan = doc.layout(layout)
            kept = tuple(r for r in plan.add if r.name != row.name)
            changes = {k: v for k, v in plan.changes.items() if k != row.name}
            return _replace_layout(doc, plan.model_copy(update={"add": (*kept, row), "changes": changes}))
        rows = list(doc.rows)
        at = next((i + 1 for i, r in enumerate(rows) if r.name == after), len(rows))
        rows.insert(at, row)
        return doc.model_copy(update={"rows": tuple(rows)})

    return Edit(f"add {row.name}", apply)


def replace_row(layout: str, name: str, kind: str) -> Edit:
    """In one layout, put a row of another kind in a row's place, keeping the cells both kinds have."""

    def apply(doc: Document) -> Document:
        old = row_of(doc, layout, name)
        row = KINDS[kind].row
        shared = {k: getattr(old, k) for k in row.model_fields if hasattr(old, k) and k != "kind"}
        return add_row(layout, row(**shared), only_here=True).apply(doc)

    return Edit(f"replace {name} by {kind}", apply)


def delete_row(layout: str, name: str, only_here: bool = False) -> Edit:
    """Delete a row everywhere, or ``only_here`` leave it out of one layout."""

    def apply(doc: Document) -> Document:
        plan = doc.layout(layout)
        in_base = any(r.name == name for r in doc.rows)
        if only_here or not in_base:
            update = {
                "add": tuple(r for r in plan.add if r.name != name),
                "changes": {k: v for k, v in plan.changes.items() if k != name},
            }
            if in_base:
                update["leave_out"] = tuple(dict.fromkeys((*plan.leave_out, name)))
            return _replace_layout(doc, plan.model_copy(update=update))
        layouts = tuple(
            x.model_copy(
                update={
                    "add": tuple(r for r in x.add if r.name != name),
                    "changes": {k: v for k, v in x.changes.items() if k != name},
                    "leave_out": tuple(n for n in x.leave_out if n != name),
                }
            )
            for x in doc.layouts
        )
        return doc.model_copy(update={"rows": tuple(r for r in doc.rows if r.name != name), "layouts": layouts})

    return Edit(f"delete {name}", apply)


def duplicate_row(layout: str, name: str, only_here: bool = False) -> Edit:
    """Copy a row under a new name, behind it."""

    def apply(doc: Document) -> Document:
        row = row_of(doc, layout, name)
        copy = row.model_copy(update={"name": free_name(doc, row.name)})
        here = only_here or all(r.name != name for r in doc.rows)
        return add_row(layout, copy, here, after=name).apply(doc)

    return Edit(f"duplicate {name}", apply)


def duplicate_layout(layout: str, name: str) -> Edit:
    """Copy a layout under a new name, behind it."""

    def apply(doc: Document) -> Document:
        if not name.strip() or any(x.name == name for x in doc.layouts):
            raise StithyError(f"The layout name “{name}” is empty or taken. Choose another.")
        at = next(i for i, x in enumerate(doc.layouts) if x.name == layout)
        new = _named(doc.layouts[at], name.strip()).model_copy(update={"of": layout, "note": "", "archived": False})
        return doc.model_copy(update={"layouts": (*doc.layouts[: at + 1], new, *doc.layouts[at + 1 :])})

    return Edit(f"copy layout {layout}", apply)


def _named(layout: Layout, name: str) -> Layout:
    """The layout under another name, held to what a file is held to. Raises StithyError."""
    try:
        return Layout.model_validate(layout.model_dump() | {"name": name})
    except ValidationError as error:
        raise StithyError(
            f"The layout's name “{name[:60]}” cannot be: {error.errors()[0]['msg']}. Choose another."
        ) from error


def note_layout(layout: str, note: str) -> Edit:
    """Write a note on a layout; words that begin with # are its tags."""

    def apply(doc: Document) -> Document:
        return _replace_layout(doc, doc.layout(layout).model_copy(update={"note": note.strip()}))

    return Edit(f"note on {layout}", apply)


def archive_layout(layout: str, on: bool = True) -> Edit:
    """Put a layout out of sight, or back; the last in sight stays."""

    def apply(doc: Document) -> Document:
        if on and not any(x.name != layout and not x.archived for x in doc.layouts):
            raise StithyError("One layout at least stays in sight.")
        return _replace_layout(doc, doc.layout(layout).model_copy(update={"archived": on}))

    return Edit(f"{'archive' if on else 'bring back'} {layout}", apply)


def delete_layout(name: str) -> Edit:
    """Delete a layout; the last one stays, and so does the last in sight."""

    def apply(doc: Document) -> Document:
        left = tuple(x for x in doc.layouts if x.name != name)
        if not left:
            raise StithyError("A project keeps at least one layout. Make another first.")
        if all(x.archived for x in left):
            raise StithyError("One layout at least stays in sight. Bring another back first.")
        return doc.model_copy(update={"layouts": left})

    return Edit(f"delete layout {name}", apply)


def rename_layout(old: str, new: str) -> Edit:
    """Give a layout another name."""

    def apply(doc: Document) -> Document:
        if not new.strip() or any(x.name == new.strip() for x in doc.layouts if x.name != old):
            raise StithyError(f"The layout name “{new}” is empty or taken. Choose another.")
        name, roles = new.strip(), frozenset({"layout"})
        kinds = {r.name: r.kind for r in doc.rows}

        def fix(r: Row) -> Row:
            update = {
                k: name
                for k in KINDS[r.kind].cells
                if with_new_name(r.kind, k, getattr(r, k), old, name, roles) != getattr(r, k)
            }
            return _with(r, update) if update else r

        def follow(x: Layout) -> Layout:
            """The layout, with what names the renamed one."""
            changes = {
                row: {
                    c: with_new_name(kinds[row], c, t, old, name, roles) if row in kinds else t
                    for c, t in cells.items()
                }
                for row, cells in x.changes.items()
            }
            of = name if x.of == old else x.of
            x = x.model_copy(update={"changes": changes, "add": tuple(map(fix, x.add)), "of": of})
            return _named(x, name) if x.name == old else x

        return doc.model_copy(update={"rows": tuple(map(fix, doc.rows)), "layouts": tuple(map(follow, doc.layouts))})

    return Edit(f"rename layout {old}", apply)
