"""A rectangular opening in a wall: inlet, outlet, or free to the surroundings."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import ValueProblem
from ..project import units
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings
from .cells import Entering, Inflow, OnWallOrPlate, Side, WallCorner, WallSize
from .place import in_wall

_AS_TABLE = "Write it like y 0 mm: 0.2; 10 mm: 1; 20 mm: 0.5: places along an axis and relative speeds there."
_KINDS = {"velocity": "velocity", "volume flow": "volume", "mass flow": "mass", "pressure": "pressure"}


class Opening(Row):
    """A rectangular opening in a wall: inlet (flow), outlet (static pressure) or "ambient"."""

    kind: Literal["opening"] = "opening"
    on: OnWallOrPlate = ""
    side: Side = "x-"
    at: WallCorner = "10, 10 mm"
    size: WallSize = "40, 30 mm"
    flow: Annotated[
        Text,
        Cell("flow", LOAD, "inlet: 0.5 m/s, 12 cfm or 3 g/s; outlet: 0 Pa; total 5 Pa; or ambient", columns=("flow",)),
    ] = "ambient"
    temperature: Entering = ""
    profile: Annotated[
        Text,
        Cell(
            "profile",
            LOAD,
            "of a given flow: uniform, developed, or a table of relative speeds along one axis: "
            "y 0 mm: 0.2; 10 mm: 1; 20 mm: 0.5",
            ("uniform", "developed"),
        ),
    ] = "uniform"
    direction: Annotated[
        Text, Cell("direction", LOAD, "where a given flow heads, as x, y, z; empty: square to the opening")
    ] = ""
    swirl: Annotated[Text, Cell("swirl", LOAD, "speed around its axis at the rim over that along it; empty: none")] = ""
    turbulence: Inflow = ""
    serves: Annotated[
        Text,
        Cell(
            "opens to",
            LOAD,
            "where it reaches several fluids: a fluid's or a fluid region's name; empty: what is behind its middle",
            refers=("fluid", "fluid region", "enclosure"),
            library="fluids",
        ),
    ] = ""


def read(r: Reader, row: Opening) -> model.Opening:
    """The opening of the model."""
    place = openings.in_wall_or_plate(r, row)
    temperature = openings.entering(r, row)
    kind, value, head = _flow(r, row)
    table = _table(r, row)
    developed = not table and r.choice(row, "profile", ("uniform", "developed"), "uniform") == "developed"
    return model.Opening(
        row.name,
        row.kind,
        *place,
        kind,
        value,
        temperature,
        head=head,
        developed=developed,
        table=table,
        turbulence=openings.turbulence(r, row),
        serves=row.serves.strip(),
        direction=_direction(r, row),
        swirl=r.maybe(row, "swirl", "ratio", 0.0, least=-10.0, most=10.0),
    )


def _table(r: Reader, row: Opening) -> tuple[tuple[float, float, float], ...]:
    """A profile given as a table: axis number, place (m) along it, relative speed; empty: none is given."""
    axis, _, rest = row.text("profile").partition(" ")
    if axis not in ("x", "y", "z"):
        return ()
    try:
        pairs = [p.split(":") for p in rest.split(";")]
        points = tuple(
            (float("xyz".index(axis)), units.to_si(at, "length", r.names), units.to_si(x, "ratio", r.names))
            for at, x in pairs
        )
    except (ValueError, ValueProblem) as error:
        r.note(row, "profile", f"“{units.short(row.profile)}” cannot be read ({error}).", _AS_TABLE)
        return ()
    rising = all(b[1] > a[1] for a, b in zip(points, points[1:], strict=False))
    if len(points) < 2 or not rising or min(p[2] for p in points) < 0.0 or max(p[2] for p in points) <= 0.0:
        r.note(row, "profile", "needs two places or more that rise, and speeds of 0 or more.", _AS_TABLE)
        return ()
    return points


def _direction(r: Reader, row: Opening) -> tuple[float, float, float] | None:
    """Unit vector of the direction cell."""
    if not row.text("direction"):
        return None
    x, y, z = r.vector(row, "direction", "ratio", 3, 0.0)
    size = (x * x + y * y + z * z) ** 0.5
    if size == 0.0:
        if not any(p.row == row.name and p.key == "direction" for p in r.problems):
            r.note(row, "direction", "points nowhere.", "Write it like 1, 0.5, 0.")
        return None
    return x / size, y / size, z / size


def _flow(r: Reader, row: Opening) -> tuple[str, float, bool]:
    """Kind, SI value, and whether what enters has lost its dynamic head from rest."""
    text = row.flow.strip()
    if text == "ambient":
        return "pressure", 0.0, True
    head = True
    for word, rest in (("total ", True), ("static ", False)):
        if text.startswith(word):
            text, head = text[len(word) :], rest
    try:
        dimension = units.dimension_of(text, tuple(_KINDS), r.names)
        return _KINDS[dimension], units.to_si(text, dimension, r.names), head
    except ValueProblem as error:
        r.note(row, "flow", error.what, "Write ambient, 0.5 m/s, 12 cfm, 3 g/s, 0 Pa, total 5 Pa or static 5 Pa.")
        return "pressure", 0.0, True


register(Opening, "Openings and fans", ("opening", "flow device"), read=read, place=in_wall)
