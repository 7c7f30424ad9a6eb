"""What keeps the fluid going along an axis whose two sides are periodic."""

from __future__ import annotations

from typing import Annotated, Literal

from ..errors import ValueProblem
from ..model import PeriodicDrive
from ..project import units
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from .cells import SIDES

_KINDS = {"velocity": "velocity", "volume flow": "volume", "mass flow": "mass", "pressure gradient": "gradient"}


class DriveRow(Row):
    """What keeps the fluid going along an axis whose two sides are periodic."""

    kind: Literal["drive"] = "drive"
    along: Annotated[Text, Cell("along", LOAD, "direction of the mean flow", SIDES)] = "x+"
    flow: Annotated[
        Text,
        Cell("flow", LOAD, "mean speed 0.5 m/s, volume or mass flow, or pressure gradient 12 Pa/m", columns=("flow",)),
    ] = "0.5 m/s"
    temperature: Annotated[
        Text,
        Cell(
            "bulk in",
            LOAD,
            "bulk temperature of what enters the pitch, where all walls have one temperature; empty: ambient",
        ),
    ] = ""


def read(r: Reader, row: DriveRow) -> PeriodicDrive | None:
    """The drive, or None after a note where its flow cannot be read."""
    along = r.choice(row, "along", SIDES, "x+")
    try:
        dimension = units.dimension_of(row.flow, tuple(_KINDS), r.names)
        value = units.to_si(row.flow, dimension, r.names)
    except ValueProblem as error:
        r.note(row, "flow", error.what, "Write 0.5 m/s, 12 cfm, 3 g/s or 12 Pa/m.")
        return None
    return PeriodicDrive(
        row.name,
        "xyz".index(along[0]),
        1 if along[1] == "+" else -1,
        _KINDS[dimension],
        value,
        r.maybe(row, "temperature", "temperature", r.surroundings.ambient, above=50.0),
    )


register(DriveRow, "Openings and fans", read=read, single=True)
