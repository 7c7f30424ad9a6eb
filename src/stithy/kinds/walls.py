"""The thermal condition of a wall from its words."""

from __future__ import annotations

from ..errors import StithyError, ValueProblem
from ..model import WallCondition
from ..project import units
from ..project.reader import Reader

_KINDS = {"heat transfer coefficient": "coefficient", "temperature": "temperature", "heat flux": "flux"}


def condition(r: Reader, row, key: str, text: str) -> WallCondition:
    """A wall's condition; the cell ``key`` is noted where it cannot be read."""
    text = text.strip()
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
            "Write adiabatic, symmetry, periodic, 8 W/m2/K, 8 W/m2/K to 40 degC, 60 degC, 500 W/m2 or sliding 1, 0, 0 "
            "m/s.",
        )
        return WallCondition("adiabatic")
    if dimension == "heat transfer coefficient" and value < 0:
        r.note(row, key, "is negative.", "Give a positive heat transfer coefficient.")
    return WallCondition(_KINDS[dimension], value, ambient)
