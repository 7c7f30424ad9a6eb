"""A thermal resistance where solids touch."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import ValueProblem
from ..project import library, units
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader


class Contact(Row):
    """A thermal resistance on the faces where two solids touch, or where one solid touches anything."""

    kind: Literal["contact"] = "contact"
    of: Annotated[Text, Cell("of", LOAD, "a solid", refers=("solid", "enclosure"))] = ""
    to: Annotated[
        Text, Cell("to", LOAD, "the solid it touches; empty: all it touches", refers=("solid", "enclosure"))
    ] = ""
    resistance: Annotated[
        Text,
        Cell(
            "resistance",
            LOAD,
            "2e-5 m2 K/W, a layer such as 0.1 mm, 1.5 W/m/K, or what fills it by name, with its thickness if it is "
            "another: gap pad 1 mm",
            library="interfaces",
            columns=("flow",),
        ),
    ] = "0.00002 m2 K/W"


def read(r: Reader, row: Contact) -> model.Contact:
    """The resistance, given as such or as a layer of thickness and conductivity."""
    parts = r.names_of("solid", "enclosure")
    of = r.choice(row, "of", parts, "")
    to = r.choice(row, "to", parts, "") if row.to.strip() else ""
    return model.Contact(row.name, of, to, area_resistance(r, row, "resistance"))


def area_resistance(r: Reader, row: Row, key: str) -> float:
    """Area resistance (m2 K/W) of a cell: as such, or as a layer of thickness and conductivity."""
    text = row.text(key)
    name = max((n for n in library.interfaces() if text.startswith(n)), key=len, default="")
    if name:
        return _filled(r, row, key, name, text[len(name) :].strip())
    if "," not in text:
        return r.value(row, key, "area resistance", 0.0, least=0.0)
    thick, conductivity = (p.strip() for p in text.split(",", 1))
    try:
        return units.to_si(thick, "length", r.names) / units.to_si(conductivity, "conductivity", r.names)
    except (ValueProblem, ZeroDivisionError) as error:
        r.note(row, key, getattr(error, "what", "is no layer."), "Write 2e-5 m2 K/W, or 0.1 mm, 1.5 W/m/K.")
        return 0.0


def _filled(r: Reader, row: Row, key: str, name: str, thickness: str) -> float:
    """Area resistance (m2 K/W) of what fills a joint, at its own thickness (text) or as it comes."""
    found = library.interfaces()[name]
    try:
        thick = units.to_si(thickness, "length", r.names) if thickness else None
        if thick is not None and thick < 0.0:
            raise ValueProblem(thickness, "is no thickness.", "")
        return found.resistance(thick)
    except ValueProblem as error:
        r.note(row, key, error.what, f"Write {name}, or {name} 0.2 mm.")
        return found.resistance()


register(Contact, "Contacts", read=read)
