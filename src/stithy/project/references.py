"""Which cells name a row: what renaming follows, and what deleting leaves behind."""

from __future__ import annotations

import re
from collections.abc import Iterator

from . import row_cells
from .document import Document
from .expressions import outside_quotes
from .kind import KINDS, Row


def names(kind: str, key: str, roles: frozenset[str]) -> bool:
    """Whether a cell of a kind may name rows that have one of these roles."""
    cell = KINDS[kind].cells.get(key)
    return cell is not None and bool(roles.intersection(cell.refers))


def listed(text: str) -> list[str]:
    """The names in a cell that may hold several, with semicolons between."""
    return [part.strip() for part in text.split(";")]


def stands_in(kind: str, key: str, part: str, name: str) -> bool:
    """Whether one part of a cell's text is a name, or begins with it where something may follow: "Chip 1 K",
    "Fan, speed: 50 %"."""
    return part == name or (KINDS[kind].cells[key].leads and part.startswith((f"{name} ", f"{name},", f"{name}:")))


def roles_of(document: Document, name: str) -> frozenset[str]:
    """The roles of all rows of that name, in base and layouts."""
    every = (*document.rows, *(r for x in document.layouts for r in x.add))
    return frozenset().union(*(KINDS[r.kind].roles for r in every if r.name == name))


def parameter(name: str) -> re.Pattern:
    """Where a parameter stands in an expression."""
    return re.compile(rf"(?<![\w.]){re.escape(name)}(?!\w)")


def with_new_name(kind: str, key: str, text: str, old: str, new: str, roles: frozenset[str]) -> str:
    """The text of a cell after the row ``old``, which has these roles, was given the name ``new``."""
    if names(kind, key, roles) and any(stands_in(kind, key, part, old) for part in listed(text)):
        parts = (new + p[len(old) :] if stands_in(kind, key, p, old) else p for p in listed(text))
        return "; ".join(parts)
    if "=" not in text:
        return text
    if "parameter" in roles:
        text = outside_quotes(text, lambda part: parameter(old).sub(lambda _: new, part))
    return row_cells.standing_for(old).sub(lambda _: row_cells.written(new), text)


def referring(document: Document, name: str) -> list[tuple[str, str, str]]:
    """(layout, row, cell) of all that names a row; the layout is empty for what stands in the base."""
    roles = roles_of(document, name)
    word, cell = (parameter(name) if "parameter" in roles else None), row_cells.standing_for(name)
    out = []
    for layout, row, key, text in _cells(document):
        if row.name != name and (
            (names(row.kind, key, roles) and any(stands_in(row.kind, key, p, name) for p in listed(text)))
            or ("=" in text and ((word and word.search(text)) or cell.search(text)))
        ):
            out.append((layout, row.name, key))
    return out


def _cells(document: Document) -> Iterator[tuple[str, Row, str, str]]:
    """Layout, row, key and text of every cell."""
    rows = {r.name: r for r in document.rows}
    for row in document.rows:
        for key in KINDS[row.kind].cells:
            yield "", row, key, getattr(row, key)
    for layout in document.layouts:
        for row in layout.add:
            for key in KINDS[row.kind].cells:
                yield layout.name, row, key, getattr(row, key)
        for name, changes in layout.changes.items():
            for key, text in changes.items():
                if name in rows:
                    yield layout.name, rows[name], key, text
