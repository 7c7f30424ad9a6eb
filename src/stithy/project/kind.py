"""What a kind of row is: its cells, what others may call it, how it is read; and the register of all kinds.

Everything that depends on kinds (file schema, ledger, manual page, checks, renaming, deleting, completion) is derived
from this register. The kinds themselves stand in ``stithy.kinds``, a file each.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

#: what a cell or a problem is about
SHAPE, LOAD, GRID, RUN, READ, WEIGH = "shape", "load", "grid", "run", "read", "weigh"
#: headings of the ledger, in their order
GROUPS = (
    "Drawn",
    "Watches",
    "Enclosure",
    "Boards",
    "Components",
    "Sinks",
    "Blocks",
    "Bodies",
    "Faces",
    "Contacts",
    "Openings and fans",
    "Wall patches",
    "Materials",
    "Parameters",
    "Views",
    "Groups",
    "Grid wishes",
    "Events",
    "Studies",
    "Settings",
)


def _text(value: object) -> object:
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError("must be a text or a number")
    text = value if isinstance(value, str) else f"{value}"
    return _printable(" ".join(text.splitlines()) if "\n" in text else text.replace("\t", " "))


def _printable(text: object) -> object:
    """Text that can be stored and shown: no control characters, no halves of characters."""
    if isinstance(text, str) and any(unicodedata.category(c) in ("Cc", "Cs") for c in text):
        raise ValueError("holds a character that cannot be shown")
    return text


Text = Annotated[str, BeforeValidator(_text)]
Name = Annotated[str, BeforeValidator(_printable), Field(min_length=1, max_length=60, pattern=r"^\S(.*\S)?$")]


@dataclass(frozen=True)
class Cell:
    """One cell of a kind of row.

    title : heading. about : :data:`SHAPE`, :data:`LOAD`, :data:`GRID`, :data:`RUN`, :data:`READ` or :data:`WEIGH`.
    what : explains it in a line.
    choices : texts offered (a closed list where ``refers`` and ``library`` are empty and nothing else can be read).
    refers : roles of the rows that its text may name. library : which library its text may name an entry of.
    columns : columns of the ledger's tables that it stands in. leads : something may follow a name, as in
    "Chip > 90 degC". key : its name in the file.
    """

    title: str
    about: str
    what: str
    choices: tuple[str, ...] = ()
    refers: tuple[str, ...] = ()
    library: str = ""
    columns: tuple[str, ...] = ()
    key: str = ""
    leads: bool = False


class Row(BaseModel):
    """What every row has: a kind and a name unlike all others; every other cell is the text the user wrote."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: Name
    kind: str

    def text(self, key: str) -> str:
        """The text of a cell, without spaces about it; empty when the row has no such cell."""
        return str(getattr(self, key, "")).strip()


@dataclass(frozen=True)
class Kind:
    """One kind of row.

    row : its class, whose fields carry a :class:`Cell` each. group : its heading (one of :data:`GROUPS`).
    roles : what cells of other rows may refer to it as, such as "solid"; its own name is one of them.
    read : gives the objects of the resolved model, from a reader and a row. draws : gives what is drawn or watched of a
    result, which is no part of the model. place : cells that put a new row somewhere
    sensible, from the enclosures there are. single : only one row of it can hold.
    """

    row: type[Row]
    group: str
    roles: frozenset[str] = frozenset()
    read: Callable[[Any, Any], Any] | None = None
    draws: Callable[[Any, Any], Any] | None = None
    place: Callable[[Any], dict[str, str]] | None = None
    single: bool = False
    cells: dict[str, Cell] = field(default_factory=dict)

    @property
    def name(self) -> str:
        """What stands in the file as the row's kind."""
        return str(self.row.model_fields["kind"].default)

    @property
    def what(self) -> str:
        """What it is, in the words of its class."""
        return " ".join((self.row.__doc__ or "").split())


#: all kinds by name, in the order of the ledger
KINDS: dict[str, Kind] = {}


def register(row: type[Row], group: str, roles: Iterable[str] = (), **more: Any) -> Kind:
    """Add a kind to the register; a field of ``row`` without a :class:`Cell` is a mistake. Raises ValueError."""
    cells = {}
    for key, info in row.model_fields.items():
        if key in ("kind", "name"):
            continue
        cell = next((m for m in info.metadata if isinstance(m, Cell)), None)
        if cell is None or group not in GROUPS:
            raise ValueError(f"{row.__name__}.{key} has no cell, or its group {group} no place")
        cells[key] = replace(cell, key=key)
    name = str(row.model_fields["kind"].default)
    kind = Kind(row, group, frozenset({name, *roles}), cells=cells, **more)
    KINDS[name] = kind
    return kind


def with_role(*roles: str) -> list[str]:
    """Names of the kinds that have one of these roles."""
    return [name for name, kind in KINDS.items() if kind.roles.intersection(roles)]
