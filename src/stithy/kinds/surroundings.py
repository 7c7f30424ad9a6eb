"""Ambient state, gravity, and how mixing by turbulence is modelled."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import StithyError, ValueProblem
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import LOAD, RUN, Cell, Row, Text, register
from ..project.reader import Reader
from . import finishes

BOILING = ("where a bath has a level", "none")
MIXING, PROPERTIES = ("laminar", "wall-law", "k-epsilon", "k-omega"), ("constant", "varying")


class Surroundings(Row):
    """Ambient state, gravity and how mixing by turbulence is modelled."""

    kind: Literal["surroundings"] = "surroundings"
    ambient: Annotated[Text, Cell("ambient", LOAD, "temperature outside", columns=("size", "limit"))] = "25 degC"
    pressure: Annotated[
        Text,
        Cell(
            "air pressure",
            LOAD,
            "absolute pressure outside, or the altitude of the place, such as 1500 m: air is thinner there, and fans "
            "give less pressure",
        ),
    ] = "101325 Pa"
    gravity: Annotated[Text, Cell("gravity", LOAD, "its x, y, z; 0, 0, 0 m/s2 leaves buoyancy out")] = (
        "0, 0, -9.81 m/s2"
    )
    flow: Annotated[
        Text,
        Cell(
            "mixing",
            RUN,
            "laminar, wall-law (wall distance and speed), k-epsilon or k-omega",
            MIXING,
            columns=("flow",),
        ),
    ] = "wall-law"
    properties: Annotated[
        Text, Cell("properties", LOAD, "constant, or varying with temperature (density too)", PROPERTIES)
    ] = "constant"
    radiation: Annotated[
        Text,
        Cell(
            "radiation",
            LOAD,
            "between surfaces that face a gas: where a gas rises (air or another gas, and gravity), surfaces (always), "
            "or none",
            finishes.RADIATION,
        ),
    ] = finishes.RISING
    radiant: Annotated[
        Text,
        Cell("radiant outside", LOAD, "what openings and radiating sides face, such as a cold sky; empty: ambient"),
    ] = ""
    boiling: Annotated[
        Text,
        Cell(
            "boiling",
            LOAD,
            "where a bath has a level (an enclosure's cell: it boils once it comes to saturation), or none (the same "
            "bath stays liquid)",
            BOILING,
        ),
    ] = BOILING[0]


#: Pa at sea level; of the standard atmosphere (ISO 2533) by altitude up to the tropopause
SEA_LEVEL, FALL, POWER, HIGHEST = 101325.0, 2.25577e-5, 5.25588, 11000.0


def _pressure(r: Reader, row: Surroundings) -> float:
    """Absolute pressure (Pa), as such or by the altitude."""
    try:
        high = units.dimension_of(row.pressure, ("pressure", "altitude"), r.names) == "altitude"
    except (ValueProblem, StithyError):
        high = False  # told by what follows
    if not high:
        return r.value(row, "pressure", "pressure", SEA_LEVEL, above=1.0)
    altitude = r.value(row, "pressure", "altitude", 0.0, least=-500.0, most=HIGHEST)
    return float(SEA_LEVEL * (1.0 - FALL * altitude) ** POWER)


def read(r: Reader, row: Surroundings) -> model.Surroundings:
    """The surroundings of the model."""
    ambient = r.value(row, "ambient", "temperature", 298.15, above=50.0)
    pressure = _pressure(r, row)
    varying = r.choice(row, "properties", PROPERTIES, "constant") == "varying"
    gravity = r.vector(row, "gravity", "acceleration", 3, 0.0)
    return model.Surroundings(
        ambient,
        pressure,
        gravity,
        r.choice(row, "flow", MIXING, "laminar"),
        varying,
        radiates := finishes.radiates(r, row, gravity),
        r.value(row, "radiant", "temperature", ambient, above=1.0) if row.text("radiant") and radiates else None,
        r.choice(row, "boiling", BOILING, BOILING[0]) == BOILING[0],
    )


def of_ambients(document: Document, layout: str, text: str) -> tuple[list[str], Edit]:
    """A layout for each of several ambient temperatures ("20, 40, 55 degC"), each a copy of one; their names. Raises
    StithyError where the text is no list of temperatures."""
    parts = units.split(text)
    unit = next((u for p in reversed(parts) if (u := units.unit_of(p))), "degC")
    row = next((r for r in document.rows_of(layout) if r.kind == "surroundings"), None)
    if row is None or not parts:
        raise StithyError("Write ambient temperatures such as 20, 40, 55 degC.")
    names, todo, taken = [], [], {x.name for x in document.layouts}
    for part in parts:
        value = part if units.unit_of(part) else f"{part} {unit}"
        units.to_si(value, "temperature")  # refused before anything is changed
        name = f"{layout[:40].rstrip()}, {value}"
        if name in taken:
            raise StithyError(f"There is a layout “{name}” already.")
        taken.add(name)
        names.append(name)
        todo += [edits.duplicate_layout(layout, name), edits.set_cell(name, row.name, "ambient", value, True)]
    return names, edits.many(f"layouts for {len(names)} ambients", todo)


register(Surroundings, "Settings", ("setting",), read=read, single=True)
