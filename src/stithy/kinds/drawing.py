"""What drawn rows share: their cells, how they are read, and the rows that every project begins with."""

from __future__ import annotations

from typing import Annotated, Any

from ..errors import Problem, ValueProblem
from ..model import drawn as d
from ..model.quantities import QUANTITIES, Quantity, find
from ..project import edits, units
from ..project.document import Document
from ..project.kind import KINDS, READ, Cell, Row, Text
from ..project.reader import Reader
from ..project.references import listed

OVER = ("this layout", "all layouts", "what is drawn")
#: roles of rows that stand for a part or a fluid of a result
PARTS = ("solid", "enclosure", "fluid region")

Shown = Annotated[Text, Cell("shown", READ, "on or off", ("on", "off"))]
QuantityCell = Annotated[
    Text,
    Cell(
        "quantity",
        READ,
        "one of the list, or a formula such as = pressure + 0.5*density*speed**2",
        tuple(QUANTITIES),
        columns=("quantity",),
    ),
]
Range = Annotated[
    Text, Cell("range", READ, "20 to 85 degC; or of this layout, all layouts, what is drawn", OVER, columns=("range",))
]
Steps = Annotated[
    Text, Cell("steps", READ, "colours in so many steps, or in steps of a width such as 5 K; empty: none")
]
Lines = Annotated[Text, Cell("lines", READ, "a thin line between the steps: yes; empty: none", ("yes",))]
AsIs = Annotated[Text, Cell("values", READ, "smoothed between cells, or cells as they are", ("smoothed", "cells"))]
Opacity = Annotated[Text, Cell("opacity", READ, "100 %: not seen through")]
Against = Annotated[
    Text,
    Cell("against", READ, "what heat transfer coefficients refer to: ambient, bulk, or 30 degC", ("ambient", "bulk")),
]
ReferenceLength = Annotated[Text, Cell("length", READ, "of Nusselt numbers; empty: 1 m")]
ReferenceSpeed = Annotated[Text, Cell("speed", READ, "of skin friction coefficients; empty: 1 m/s")]
Minus = Annotated[Text, Cell("minus", READ, "the layout that the quantity “difference” is against", refers=("layout",))]
OfParts = Annotated[
    Text,
    Cell(
        "of",
        READ,
        "parts, fluids or groups of faces, with semicolons; empty: all",
        refers=(*PARTS, "faces"),
        columns=("where",),
    ),
]


def on(row: Row) -> bool:
    """Whether a row is shown."""
    return row.text("shown") != "off"


def quantity(r: Reader, row: Row, key: str = "quantity") -> Quantity:
    """The quantity in a cell."""
    try:
        return find(row.text(key) or "temperature")
    except ValueProblem as error:
        r.note(row, key, error.what, error.remedy)
        return QUANTITIES["temperature"]


def value(r: Reader, row: Row, key: str, text: str, dimension: str) -> float:
    """A value (SI) of a dimension, or of a unit that has no name of its own."""
    try:
        if dimension in units.DIMENSIONS:
            return units.to_si(text, dimension, r.names)
        return float(units.quantity(text, dimension, r.names).to_base_units().magnitude)
    except (ValueProblem, ValueError, TypeError) as error:
        what, remedy = (error.what, error.remedy) if isinstance(error, ValueProblem) else (str(error), "")
        r.note(row, key, what, remedy or "Write a number with its unit.")
        return 0.0


def references(r: Reader, row: Row) -> d.References:
    """What relative quantities refer to."""
    against: float | str | None = None
    text = row.text("against")
    if text == "bulk":
        against = "bulk"
    elif text not in ("", "ambient"):
        against = r.value(row, "against", "temperature", 293.15)
    length = r.value(row, "length", "length", 1.0, above=0.0) if row.text("length") else 1.0
    speed = r.value(row, "speed", "velocity", 1.0, above=0.0) if row.text("speed") else 1.0
    minus = row.text("minus")
    if minus and minus not in r.layouts:
        r.note(row, "minus", f"“{units.short(minus)}” is no layout.", f"Choose one of: {', '.join(r.layouts[:8])}.")
        minus = ""
    return d.References(against, length, speed, minus)


def paint(r: Reader, row: Row) -> d.Paint:
    """How a row is painted."""
    q = quantity(r, row)
    low, high, over = range_of(r, row, q)
    steps, width = _steps(r, row, q)
    solid = r.value(row, "opacity", "ratio", 1.0, least=0.02, most=1.0) if row.text("opacity") else 1.0
    smooth = row.text("values") != "cells"
    return d.Paint(q, low, high, over, steps, width, row.text("lines") == "yes", smooth, solid, references(r, row))


def range_of(r: Reader, row: Row, q: Quantity) -> tuple[float | None, float | None, str]:
    """Ends of a scale (SI), or what they are taken from."""
    text = row.text("range")
    if text in OVER or not text:
        return None, None, text or OVER[0]
    low, _, high = text.partition(" to ")
    if not high:
        r.note(
            row, "range", f"“{units.short(text)}” is no range.", f"Write 20 to 85 with the unit, or {', '.join(OVER)}."
        )
        return None, None, OVER[0]
    unit = units.unit_of(high)
    ends = [value(r, row, "range", x, q.dimension) for x in (low if units.unit_of(low) else f"{low} {unit}", high)]
    if ends[1] <= ends[0]:
        r.note(row, "range", f"“{units.short(text)}” does not rise.", "Write the lower end first.")
        return None, None, OVER[0]
    return ends[0], ends[1], OVER[0]


def _steps(r: Reader, row: Row, q: Quantity) -> tuple[int, float]:
    text = row.text("steps")
    if not text:
        return 0, 0.0
    if text.isdigit():
        return r.whole(row, "steps", 12, 2, 64), 0.0
    dimension = "temperature difference" if q.dimension == "temperature" else q.dimension
    width = value(r, row, "steps", text, dimension)
    if width <= 0.0:
        r.note(row, "steps", f"“{units.short(text)}” is no width.", "Write a count such as 12, or a width such as 5 K.")
    return 0, max(width, 0.0)


def names(r: Reader, row: Row, key: str, *roles: str) -> tuple[str, ...]:
    """Names with semicolons between, of rows that have one of these roles."""
    found, known = [], r.names_of(*roles)
    for part in (p for p in listed(row.text(key)) if p):
        if part not in known:
            some = ", ".join(known[:10]) or "nothing"
            r.note(row, key, f"“{units.short(part)}” is not in this layout.", f"Name one of: {some}.")
        else:
            found.append(part)
    return tuple(found)


def points(r: Reader, row: Row, key: str, text: str | None = None) -> tuple[d.Point, ...]:
    """Points with semicolons between; the unit of the last serves those that have none."""
    parts = [p for p in listed(row.text(key) if text is None else text) if p]
    unit = units.unit_of(parts[-1].rsplit(",", 1)[-1]) if parts else ""
    out = []
    for part in parts:
        whole = part if units.unit_of(part.rsplit(",", 1)[-1]) else f"{part} {unit}"
        try:
            x, y, z = units.vector(whole, "length", 3, r.names)
            out.append((x, y, z))
        except ValueProblem as error:
            r.note(row, key, error.what, "Write points like 0, 5, 2; 100, 5, 2 mm.")
            return ()
    return tuple(out)


def read_drawn(r: Reader) -> list[Any]:
    """Everything that is drawn or watched in a layout; what is wrong is noted in the reader."""
    out = []
    for row in r.rows:
        draws = KINDS[row.kind].draws
        if draws is not None:
            found = draws(r, row)
            if found is not None:
                out.append(found)
    return out


def drawn(document: Document, layout: str) -> tuple[list[Any], dict[str, Problem]]:
    """What is drawn or watched in a layout, and the first problem of every row that has one."""
    r = Reader(document, layout)
    before = len(r.problems)
    found = read_drawn(r)
    faults: dict[str, Problem] = {}
    for p in r.problems[before:]:
        faults.setdefault(p.row, p)
    return found, faults


def begun(document: Document) -> Document:
    """The document with the drawn rows that every project begins with, where it has none."""
    every = (*document.rows, *(r for x in document.layouts for r in x.add))
    if any(KINDS[r.kind].group == "Drawn" for r in every):
        return document
    from .section import Section
    from .streamlines import Streamlines
    from .surface import Surface
    from .vectors import Vectors

    def name(wanted: str) -> str:
        return edits.free_name(document, wanted)

    rows: list[Row] = [
        Section(name=name("Section")),
        Surface(name=name("Surfaces")),
        Vectors(name=name("Vectors"), shown="off"),
        Streamlines(name=name("Streamlines"), shown="off"),
    ]
    return document.model_copy(update={"rows": (*document.rows, *rows)})
