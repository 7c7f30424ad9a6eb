"""The thermal condition of a wall from its words."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pint import DimensionalityError

from ..errors import StithyError, ValueProblem
from ..model import OuterAir, WallCondition, by_place
from ..model.by_place import ByPlace
from ..project import units
from ..project.reader import Reader
from . import finishes

#: W/m2/K that a film by correlation begins with
FIRST_FILM = 6.0
_KINDS = {"heat transfer coefficient": "coefficient", "temperature": "temperature", "heat flux": "flux"}


def condition(r: Reader, row, key: str, text: str, box=None) -> WallCondition:
    """A wall's condition; the cell ``key`` is noted where it cannot be read. ``box``: low and high corner (m) of the
    surface, where its value may differ from place to place."""
    text = text.strip()
    if ", radiating" in text:
        film, _, rest = text.partition(", radiating")
        return _radiating(r, row, key, film, rest, box)
    if by_place.asks(text):
        return _by_place(r, row, key, text, box)
    if text.startswith(("still air", "wind")):
        return _air(r, row, key, text)
    if text in ("adiabatic", "symmetry", "periodic"):
        return WallCondition(text)
    try:
        if text.startswith("sliding"):
            u, v, w = units.vector(text[7:], "velocity", 3, r.names)
            return WallCondition("adiabatic", slides=(u, v, w))
        first, _, to = text.partition(" to ")
        dimension = units.dimension_of(first, tuple(_KINDS), r.names)
        value = units.to_si(first, dimension, r.names)
        ambient = units.to_si(to, "temperature", r.names) if to else None
    except (ValueProblem, StithyError) as error:
        r.note(
            row,
            key,
            getattr(error, "what", str(error)),
            "Write adiabatic, symmetry, periodic, 8 W/m2/K, 8 W/m2/K to 40 degC, still air, wind 4 m/s along z, "
            "5 W/m2/K, radiating, 60 degC, 500 W/m2 or sliding 1, 0, 0 m/s; by place = 500 W/m2 * x / 100 mm.",
        )
        return WallCondition("adiabatic")
    if dimension == "heat transfer coefficient" and value < 0:
        r.note(row, key, "is negative.", "Give a positive heat transfer coefficient.")
    return WallCondition(_KINDS[dimension], value, ambient)


def _air(r: Reader, row, key: str, text: str) -> WallCondition:
    """Still air or wind outside: "still air", "still air to 40 degC", "wind 4 m/s along z"."""
    remedy = "Write still air, still air to 40 degC, or wind 4 m/s along z."
    first, _, to = text.partition(" to ")
    words, _, along = first.partition(" along ")
    try:
        ambient = units.to_si(to, "temperature", r.names) if to else None
        if words.strip() == "still air":
            return WallCondition("coefficient", FIRST_FILM, ambient, air=OuterAir())
        speed = units.to_si(words[len("wind") :], "velocity", r.names)
        axis = along.strip().rstrip("+-")
        if speed <= 0 or axis not in ("x", "y", "z"):
            raise ValueProblem(text, "names no speed and axis of a wind.", "")
        return WallCondition("coefficient", FIRST_FILM, ambient, air=OuterAir(speed, "xyz".index(axis)))
    except (ValueProblem, StithyError) as error:
        r.note(row, key, getattr(error, "what", str(error)), remedy)
        return WallCondition("adiabatic")


def _radiating(r: Reader, row, key: str, film: str, rest: str, box) -> WallCondition:
    """A coefficient beside which the outside radiates: "5 W/m2/K, radiating", with an emissivity (else the row's
    finish) and what it faces: "radiating 0.8 to -10 degC"."""
    found = condition(r, row, key, film, box)
    if found.kind != "coefficient":
        r.note(row, key, "radiates, but has no coefficient.", "Write it like 5 W/m2/K, radiating 0.9 to 10 degC.")
        return found
    share, _, to = rest.partition("to ")
    try:
        sky = units.to_si(to, "temperature", r.names) if to.strip() else r.surroundings.radiant
        emissivity = units.to_si(share, "ratio", r.names) if share.strip() else finishes.outside(r, row).emissivity
    except (ValueProblem, StithyError) as error:
        r.note(row, key, getattr(error, "what", str(error)), "Write it like 5 W/m2/K, radiating 0.9 to 10 degC.")
        return found
    if not 0.0 <= emissivity <= 1.0 or (sky is not None and sky < 0.0):
        r.note(row, key, "radiates by no emissivity from 0 to 1.", "Write it like 5 W/m2/K, radiating 0.9 to 10 degC.")
        return found
    return replace(found, emissivity=emissivity, sky=sky)


def _by_place(r: Reader, row, key: str, text: str, box) -> WallCondition:
    """A condition whose value is an expression of the place, or a table along it."""
    remedy = (
        "Write it like = 500 W/m2 * (1 + x / 100 mm), or x 0 mm: 100 W/m2; 10 mm: 300 W/m2; the place is one of "
        f"{', '.join(by_place.PLACES)}."
    )
    first, _, to = text.partition(" to ")
    try:
        if box is None:
            raise ValueProblem(text, "cannot differ from place to place here.", "")
        ambient = units.to_si(to, "temperature", r.names) if to else None
        corners = tuple(box[0]), tuple(box[1])
        found = by_place.table(first, tuple(_KINDS), r.names)
        if found is not None:
            where = ByPlace(found[0], found[1], corners, found[2])
        else:
            where = _expression(by_place.frozen(first.strip().lstrip("="), r.names), corners)
        values = where.at(_probes(corners))
    except (ValueProblem, StithyError) as error:
        r.note(row, key, getattr(error, "what", str(error)), remedy)
        return WallCondition("adiabatic")
    kind = _KINDS[where.dimension]
    if (kind == "coefficient" and values.min() < 0) or (kind == "temperature" and values.min() <= 0):
        r.note(row, key, f"comes to {values.min():.4g} somewhere.", "Let it be above 0 everywhere.")
        return WallCondition("adiabatic")
    return WallCondition(kind, float(values.mean()), ambient, where=where)


def _expression(text: str, corners) -> ByPlace:
    """The expression with the dimension that it turns out to have."""
    for dimension in _KINDS:
        made = ByPlace(text, dimension, corners)
        try:
            made.at(np.array(corners))
            return made
        except DimensionalityError:
            continue
    raise ValueProblem(text, "is no heat flux, temperature or heat transfer coefficient.", "")


def _probes(corners) -> np.ndarray:
    """Points all over a box."""
    axes = [np.linspace(a, b, 9) for a, b in zip(*corners, strict=True)]
    return np.stack(np.meshgrid(*axes, indexing="ij"), -1).reshape(-1, 3)
