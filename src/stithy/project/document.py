"""A project's document: its rows and layouts, all frozen."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, GetCoreSchemaHandler, model_validator

from .kind import KINDS, Name, Row, Text

FORMAT: Literal["stithy project"] = "stithy project"
VERSION: Literal[1] = 1


class _OfAnyKind:
    """Marks a row of any registered kind; the schema is built when it is first needed, after all kinds are there."""

    @classmethod
    def __get_pydantic_core_schema__(cls, source: Any, handler: GetCoreSchemaHandler) -> Any:
        """The union of all kinds of rows, told apart by ``kind``."""
        union = reduce(or_, (kind.row for kind in KINDS.values()))
        return handler.generate_schema(Annotated[union, Field(discriminator="kind")])


AnyRow = Annotated[Row, _OfAnyKind]


class Layout(BaseModel):
    """One alternative: cell changes by row name, rows added (one of a base row's name replaces it), rows left out; a
    ``note`` (words that begin with # are tags), the layout it was copied from (``of``), and whether it is out of
    sight (``archived``)."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    name: Name
    changes: dict[str, dict[str, Text]] = {}
    add: tuple[AnyRow, ...] = ()
    leave_out: tuple[str, ...] = ()
    note: Text = ""
    of: Text = ""
    archived: bool = False


def _first() -> tuple[Layout, ...]:
    return (Layout(name="First layout"),)


class Document(BaseModel):
    """A project: base rows and layouts; ``order``: names of rows as the ledger lists them, where it is not as they
    stand (it makes no other model)."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    format: Literal["stithy project"] = FORMAT
    version: Literal[1] = VERSION
    name: str = "Untitled"
    rows: tuple[AnyRow, ...] = ()
    layouts: tuple[Layout, ...] = Field(default_factory=_first)
    order: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _distinct(self):
        for what, names in (("rows", [r.name for r in self.rows]), ("layouts", [x.name for x in self.layouts])):
            twice = sorted({n for n in names if names.count(n) > 1})
            if twice:
                raise ValueError(f"two {what} are named “{twice[0]}”; give each a name of its own")
        if not self.layouts:
            raise ValueError("a project needs at least one layout")
        return self

    def layout(self, name: str) -> Layout:
        """The layout of that name; KeyError when there is none."""
        for layout in self.layouts:
            if layout.name == name:
                return layout
        raise KeyError(name)

    def rows_of(self, layout: str) -> tuple[Row, ...]:
        """The rows a layout is made of: base rows with its changes, left-outs and replacements, then its additions."""
        plan = self.layout(layout)
        added = {r.name: r for r in plan.add}
        out = []
        for row in self.rows:
            if row.name in added:
                out.append(added.pop(row.name))
            elif row.name not in plan.leave_out:
                out.append(row)
        out.extend(added.values())
        return tuple(_changed(row, plan.changes.get(row.name, {})) for row in out)

    def listed(self, layout: str) -> tuple[Row, ...]:
        """The rows of a layout as the ledger lists them: by :attr:`order`, others after the one they stand behind."""
        place = {name: m for m, name in enumerate(self.order)}
        keyed, last = [], (-1, 0)
        for row in self.rows_of(layout):
            last = (place[row.name], 0) if row.name in place else (last[0], last[1] + 1)
            keyed.append((last, row))
        return tuple(row for _, row in sorted(keyed, key=lambda x: x[0]))


def _changed(row: Row, changes: dict[str, str]) -> Row:
    known = {k: v for k, v in changes.items() if k in type(row).model_fields and k not in ("kind", "name")}
    return row.model_copy(update=known) if known else row
