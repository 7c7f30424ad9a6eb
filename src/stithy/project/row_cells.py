"""Cells of other rows inside expressions: ``Board.size.x``, ``"Main board".low_corner.z``."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from ..errors import ValueProblem
from . import units
from .kind import KINDS, Row

_AXES = "xyz"


class Names(dict):
    """What an expression may name: parameters with their values (None: not to be used yet) and cells of rows."""

    def __init__(self, rows: Mapping[str, Row] | None = None):
        super().__init__()
        self.rows = dict(rows or {})
        self._open: list[str] = []

    def cell(self, text: str, row: str, parts: list[str]) -> Any:
        """The quantity in a cell of a row: ``parts`` are the cell's key or title (with _ for spaces) and, where it
        holds several numbers, the axis. Raises ValueProblem for what is not there, or refers to itself."""
        told = ".".join([row, *parts])
        if row not in self.rows:
            raise ValueProblem(text, f"there is no row “{row}”.", "Correct its name; one with spaces stands in quotes.")
        if told in self._open:
            raise ValueProblem(text, f"“{told}” refers to itself.", "Give one of the cells on the way a number.")
        found = self.rows[row]
        key = self._key(text, found, parts[0])
        whole = units.split(found.text(key))
        at = self._at(text, found, told, len(whole), parts[1:])
        self._open.append(told)
        try:
            columns = KINDS[found.kind].cells[key].columns
            return units.quantity(whole[at], "m" if {"place", "size"} & set(columns) else "", self)
        finally:
            self._open.pop()

    @staticmethod
    def _key(text: str, row: Row, word: str) -> str:
        cells = KINDS[row.kind].cells
        for key, cell in cells.items():
            if word in (key, re.sub(r"\W+", "_", cell.title).strip("_")):
                if row.text(key):
                    return key
                raise ValueProblem(text, f"“{row.name}.{word}” is empty.", "Fill that cell, or name another.")
        offered = ", ".join(k for k in cells if units.split(row.text(k)) and row.text(k)[0].isdigit())
        raise ValueProblem(text, f"“{row.name}” has no cell “{word}”.", f"Those with numbers are {offered}.")

    @staticmethod
    def _at(text: str, row: Row, told: str, count: int, axis: list[str]) -> int:
        """Which of the numbers in a cell is meant."""
        across = (row.text("side") or row.text("blows"))[:1]
        axes = [a for a in _AXES if count == 3 or a != across]
        if not axis and count == 1:
            return 0
        if len(axis) == 1 and count in (2, 3) and axis[0] in axes[:count]:
            return axes.index(axis[0])
        if count == 1:
            raise ValueProblem(text, f"“{told}”: that cell holds one number.", "Leave the last part out.")
        raise ValueProblem(text, f"“{told}” is {count} numbers.", f"Write .{axes[0]} or .{axes[-1]} behind it.")


def standing_for(name: str) -> re.Pattern:
    """Where cells of a row stand in an expression."""
    plain = re.escape(name)
    return re.compile(rf"(?<![\w.\"“]){plain}(?=\s*\.\s*[A-Za-z_])|[\"“]{plain}[\"”](?=\s*\.)")


def written(name: str) -> str:
    """A row's name as it stands in an expression: in quotes where it would be read as something else, such as h2."""
    return name if name.isidentifier() and units.tidy(name) == name else f'"{name}"'
