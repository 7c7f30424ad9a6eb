"""Rows and cells to the clipboard and back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pydantic import ValidationError
from PyQt6.QtWidgets import QApplication

from ..errors import StithyError
from ..imports.circuit.tables import HEADS
from ..project import edits
from ..project.kind import KINDS
from .ledger_columns import columns_of

if TYPE_CHECKING:
    from .ledger import Ledger


def copy(ledger: Ledger) -> None:
    """Put the selected rows on the clipboard as lines of tab-separated cells."""
    session = ledger.session
    rows = [r for r in session.document.rows_of(session.layout) if r.name in session.selected]
    lines = [
        "\t".join([r.kind, r.name, *(f"{c.key}={getattr(r, c.key)}" for c in KINDS[r.kind].cells.values())])
        for r in rows
    ]
    QApplication.clipboard().setText("\n".join(lines))


def paste(ledger: Ledger) -> None:
    """Rows copied here become new rows; other text goes into the current column, one line a row, downwards."""
    lines = [x for x in QApplication.clipboard().text().splitlines() if x.strip()]
    if lines and all("\t" in x and x.split("\t")[0] in KINDS for x in lines):
        _paste_rows(ledger, lines)
        return
    if lines and _is_loads(lines[0]) and hasattr(ledger.window(), "importing"):
        ledger.window().importing.take_loads("\n".join(lines), "clipboard")
        return
    sets = _cells(ledger, lines)
    if sets:
        try:
            ledger.session.change(sets, f"paste {len(sets)} cells")
        except StithyError as error:
            ledger.model.refused.emit(str(error))


def _is_loads(head: str) -> bool:
    """Whether a line is the heading of a table of loads."""
    words = [w.strip().lower() for w in head.replace(";", "\t").replace(",", "\t").split("\t")]
    return len(words) > 1 and any(w in HEADS["reference"] for w in words) and any(w.startswith("power") for w in words)


def _cells(ledger: Ledger, lines: list[str]) -> list[tuple[str, str, str]]:
    """Rows, keys and texts of cells from the current one on, a line a row."""
    model, index = ledger.model, ledger.table.currentIndex()
    at, sets = index.row(), []
    for line in lines:
        while at < len(model.lines) and isinstance(model.lines[at], str):
            at += 1
        for c, text in enumerate(line.split("\t")):
            if at < len(model.lines) and index.column() + c < len(model.columns):
                row = model.lines[at]
                key = columns_of(ledger.session.stage, KINDS[row.kind].group)[index.column() + c].key_for(row)
                if key:
                    sets.append((row.name, key, text))
        at += 1
    return sets


def _paste_rows(ledger: Ledger, lines: list[str]) -> None:
    session = ledger.session
    adds, taken = [], set()
    for line in lines:
        kind, name, *rest = line.split("\t")
        new = edits.free_name(session.document, name, taken)
        taken.add(new)
        known = dict(part.partition("=")[::2] for part in rest)
        fields = {k: v for k, v in known.items() if k in KINDS[kind].cells}
        try:
            row = KINDS[kind].row(name=new, **fields)
        except ValidationError as error:
            ledger.model.refused.emit(f"“{new[:60]}” cannot be pasted: {error.errors()[0]['msg']}.")
            return
        adds.append(edits.add_row(session.layout, row, session.only_here))
    if ledger.try_(edits.many(f"paste {len(adds)} rows", adds)):
        session.select(tuple(taken))
