"""One number of a result that is followed everywhere: while it runs, in Read, as a column in Weigh, against a bound."""

from __future__ import annotations

from typing import Annotated, Literal

from ..errors import ValueProblem
from ..model import drawn
from ..model.quantities import MEASURES, QUANTITIES, WATCHED, find
from ..project import units
from ..project.kind import READ, Cell, Row, Text, register
from ..project.reader import Reader
from ..project.references import listed
from . import drawing as d

_ENDS = ("opening", "flow device", "fan")


class WatchRow(Row):
    """A number of a result: a quantity of parts, fluids, openings, fans, sections, lines or points by a measure, or a
    formula of other watches; with a bound it counts among the limits."""

    kind: Literal["watch"] = "watch"
    quantity: Annotated[
        Text,
        Cell(
            "quantity",
            READ,
            "one of the list, or = and a formula of other watches (low lines for blanks)",
            (*QUANTITIES, *WATCHED),
            columns=("quantity",),
        ),
    ] = "temperature"
    of: Annotated[
        Text,
        Cell(
            "of",
            READ,
            "parts, fluids, openings, fans, sections or lines, with semicolons; or points x, y, z mm; empty: the whole "
            "model",
            refers=(*d.PARTS, *_ENDS, "section", "line", "faces"),
            columns=("where", "flow"),
        ),
    ] = ""
    measure: Annotated[
        Text, Cell("measure", READ, "max, mean, ...; empty: the usual one; difference: first less second", MEASURES)
    ] = ""
    least: Annotated[Text, Cell("at least", READ, "a bound from below; empty: none")] = ""
    most: Annotated[Text, Cell("at most", READ, "a bound from above; empty: none", columns=("limit",))] = ""
    against: d.Against = ""
    length: d.ReferenceLength = ""
    speed: d.ReferenceSpeed = ""


def read(r: Reader, row: WatchRow) -> drawn.Watch | None:
    """The watch."""
    text = row.text("quantity") or "temperature"
    dimension = _dimension(r, row, text)
    if dimension is None:
        return None
    known = r.names_of(*d.PARTS, *_ENDS, "section", "line", "faces")
    first = listed(row.text("of"))[0]
    points: tuple[drawn.Point, ...] = ()
    of: tuple[str, ...] = ()
    if first and first not in known and len(units.split(first)) == 3:
        points = d.points(r, row, "of")
    else:
        of = d.names(r, row, "of", *d.PARTS, *_ENDS, "section", "line", "faces")
    measure = r.choice(row, "measure", MEASURES, "") if row.text("measure") else ""
    if measure == "difference" and len(of) + len(points) != 2:
        r.note(row, "of", "needs two for a difference.", "Name two, with a semicolon between.")
    told = "temperature difference" if measure in ("difference", "spread") and dimension == "temperature" else dimension
    least, most = (_bound(r, row, key, told) for key in ("least", "most"))
    return drawn.Watch(row.name, text, told, of, points, measure, least, most, d.references(r, row))


def _dimension(r: Reader, row: WatchRow, text: str) -> str | None:
    """The quantity's dimension; of a formula of watches it shows only with their values."""
    if text in WATCHED:
        return WATCHED[text][0]
    if text.startswith("=") and _of_watches(r, text):
        return "="
    try:
        return find(text).dimension
    except ValueProblem as error:
        watches = ", ".join(n.replace(" ", "_") for n in _watches(r) if n != row.name)
        more = f" The watches are: {watches[:120]}." if watches else ""
        r.note(row, "quantity", error.what, error.remedy + more)
        return None


def _of_watches(r: Reader, text: str) -> bool:
    return any(n.replace(" ", "_") in text for n in _watches(r))


def _watches(r: Reader) -> list[str]:
    """Names of all watches of a layout, components with a limit among them."""
    return [*r.names_of("watch"), *(n for n in r.names_of("component") if r.by_name[n].text("limit"))]


def _bound(r: Reader, row: WatchRow, key: str, dimension: str) -> float | None:
    text = row.text(key)
    if not text:
        return None
    if dimension == "=":
        try:
            return float(units.quantity(text, "", r.names).to_base_units().magnitude)
        except (ValueProblem, ValueError) as error:
            r.note(row, key, str(error), "Write a number with its unit.")
            return None
    return d.value(r, row, key, text, dimension)


register(WatchRow, "Watches", ("watch",), draws=read)
