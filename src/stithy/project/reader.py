"""Reading cells into SI numbers, gathering every problem with its row and cell instead of stopping at the first."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ..errors import Problem, StithyError, ValueProblem
from . import units
from .document import Document
from .kind import KINDS, SHAPE, Row, with_role
from .row_cells import Names


class Reader:
    """Reads the cells of one layout's rows; ``problems`` grows as it goes.

    Every reading method returns the value, or ``fallback`` after noting the problem. ``surroundings`` (ambient
    temperature, pressure, ...) are there once their row has been read.
    """

    def __init__(self, document: Document, layout: str):
        self.rows = document.rows_of(layout)
        self.by_name = {r.name: r for r in self.rows}
        self.layout, self.layouts = layout, [x.name for x in document.layouts]
        self.problems: list[Problem] = []
        self.names = Names(self.by_name)
        self.surroundings: Any = None
        self._parameters()
        self._changes(document, layout)
        for kind in (k for k in KINDS.values() if k.single):
            for row in self.of(kind.name)[1:]:
                self.problems.append(
                    Problem(
                        row.name, "", f"is a second row of {kind.name}, and only one can hold.", "Delete one of them."
                    )
                )

    def _changes(self, document: Document, layout: str) -> None:
        """Note what a layout changes that is not there."""
        plan = document.layout(layout)
        known = {r.name for r in document.rows} | {r.name for r in plan.add}
        for name in [*plan.changes, *plan.leave_out]:
            if name not in known:
                self.problems.append(
                    Problem(
                        name,
                        "",
                        f"the layout “{layout}” changes a row that is not there.",
                        "Add the row again, or undo its deletion.",
                    )
                )
        for name, changes in plan.changes.items():
            row = self.by_name.get(name)
            for key in changes:
                if row is not None and key not in KINDS[row.kind].cells:
                    self.problems.append(
                        Problem(
                            name,
                            "",
                            f"the layout “{layout}” changes a cell “{units.short(key)}” that it has not.",
                            "Correct the cell's name in the file, or take the change out.",
                        )
                    )

    def _parameters(self):
        self.names |= {row.name: None for row in self.of("parameter")}  # None: not to be used yet
        for row in self.of("parameter"):
            if not row.name.isidentifier():
                self.note(row, "name", "cannot stand in an expression.", "Use letters, digits and _ only.")
                continue
            if units.tidy(row.name) != row.name:
                self.note(row, "name", f"is read as {units.tidy(row.name)} in an expression.", "Give it another name.")
                continue
            try:
                self.names[row.name] = units.quantity(row.text("value"), "", self.names)
            except StithyError as error:
                told = (error.what, error.remedy) if isinstance(error, ValueProblem) else (str(error), "Correct it.")
                self.note(row, "value", *told)

    def of(self, *roles: str) -> list[Row]:
        """Rows that have one of these roles (or are of these kinds), in the order of the document."""
        kinds = with_role(*roles)
        return [r for r in self.rows if r.kind in kinds]

    def names_of(self, *roles: str) -> list[str]:
        """Names of :meth:`of`."""
        return [r.name for r in self.of(*roles)]

    def note(self, row: Row, key: str, what: str, remedy: str) -> None:
        """Note a problem at one cell."""
        cell = KINDS[row.kind].cells.get(key)
        self.problems.append(
            Problem(row.name, cell.title if cell else key, what, remedy, cell.about if cell else SHAPE, key)
        )

    def value(
        self,
        row: Row,
        key: str,
        dimension: str,
        fallback: float = 1.0,
        least: float | None = None,
        above: float | None = None,
        most: float | None = None,
    ) -> float:
        """An SI value; ``least`` or ``above`` bound it from below, ``most`` from above."""
        text = getattr(row, key)
        try:
            x = units.to_si(text, dimension, self.names)
        except ValueProblem as error:
            self.note(row, key, error.what, error.remedy)
            return fallback
        if (least is not None and x < least) or (above is not None and x <= above):
            bound = f"at least {least:g}" if above is None else f"more than {above:g}"
            self.note(
                row,
                key,
                f"“{units.short(text)}” is too small.",
                f"Give {bound} {units.DIMENSIONS[dimension][0]}.".replace(" .", "."),
            )
            return fallback
        if most is not None and x > most:
            self.note(
                row,
                key,
                f"“{units.short(text)}” is too large.",
                f"Give at most {most:g} {units.DIMENSIONS[dimension][0]}.",
            )
            return fallback
        return x

    def maybe(self, row: Row, key: str, dimension: str, default: float, **bounds: Any) -> float:
        """Like :meth:`value`, but an empty cell means ``default``."""
        return self.value(row, key, dimension, default, **bounds) if getattr(row, key).strip() else default

    def whole(self, row: Row, key: str, fallback: int = 1, least: int = 1, most: int = 10_000) -> int:
        """A whole number."""
        value = self.value(row, key, "ratio", fallback, least=least, most=most)
        if abs(value - round(value)) > 1e-9:
            self.note(row, key, f"“{units.short(getattr(row, key))}” is no whole number.", "Give a whole number.")
            return fallback
        return int(round(value))

    def vector(
        self, row: Row, key: str, dimension: str, count: int, fallback: float = 1.0, above: float | None = None
    ) -> Any:
        """``count`` SI values."""
        text = getattr(row, key)
        try:
            v = units.vector(text, dimension, count, self.names)
        except ValueProblem as error:
            self.note(row, key, error.what, error.remedy)
            return (fallback,) * count
        if above is not None and min(v) <= above:
            self.note(
                row, key, f"“{units.short(text)}” holds a length that is not positive.", "Give lengths above 0 mm."
            )
            return (fallback,) * count
        return v

    def choice(self, row: Row, key: str, allowed: Iterable[str], fallback: str) -> str:
        """One of a closed list."""
        text = getattr(row, key).strip()
        if text in allowed:
            return text
        if not text:
            self.note(row, key, "is empty.", f"Choose one of: {_list(allowed)}.")
        else:
            self.note(row, key, f"“{units.short(text)}” is not known.", f"Choose one of: {_list(allowed)}.")
        return fallback


def _list(items: Iterable[str]) -> str:
    items = list(items)
    return ", ".join(items[:12]) + (" …" if len(items) > 12 else "")
