"""The level of an enclosure's liquid: an open bath, which may boil."""

from __future__ import annotations

import numpy as np

from .. import model
from ..project import library, units
from ..project.kind import Row
from ..project.library import FluidData
from ..project.reader import Reader
from ..shapes.geometry import Box


def upwards(gravity) -> tuple[int, int] | None:
    """Axis and sign of the way up; None where gravity is none, or along no axis."""
    pull = np.abs(gravity)
    a = int(np.argmax(pull))
    if pull[a] == 0.0 or pull.sum() - pull[a] > 1e-6 * pull[a]:
        return None
    return a, -1 if gravity[a] > 0 else 1


def pool(r: Reader, row: Row, inner: Box, fluid: tuple[FluidData, str], starts: float | None) -> model.Pool | None:
    """The bath that an enclosure is by its level; None where it has none, or something is wrong with it."""
    if not row.text("level"):
        return None
    kept, where = len(r.problems), r.surroundings
    tall = r.value(row, "level", "length", 0.05, above=0.0)
    way, (data, name) = upwards(where.gravity), fluid
    if way is None:
        r.note(
            row,
            "level",
            "needs gravity along x, y or z.",
            "Turn the model so that gravity has one part only, such as 0, 0, -9.81 m/s2.",
        )
        return None
    known = [n for n in library.fluid_names() if library.fluid(n, where.ambient, where.pressure).boiling]
    if where.varying:
        r.note(
            row,
            "level",
            "does not go with varying properties: a bath has constant properties.",
            "Write constant in the properties of the surroundings, or empty the level.",
        )
        return None
    if data.boiling is None:
        r.note(
            row,
            "fluid",
            f"“{name}” has no known saturation, so it can be no bath with a level.",
            f"Choose {', '.join(known)}, or a fluid of the project's own that says what it boils at.",
        )
        return None
    low, high = inner[way[0]]
    if tall >= (high - low) * (1 - 1e-9):
        r.note(
            row,
            "level",
            f"“{row.text('level')}” leaves no room for vapour: inside it is {units.show(high - low, 'length')} high.",
            "Lower the level, or make the enclosure taller.",
        )
    begins = where.ambient if starts is None else starts
    if where.boiling and begins >= data.boiling.temperature:
        r.note(
            row,
            "starts",
            f"is {units.show(begins, 'temperature')}, and “{name}” boils at "
            f"{units.show(data.boiling.temperature, 'temperature')}: it would all be vapour.",
            "Begin below that, or choose a fluid that boils later.",
        )
    level = low + tall if way[1] > 0 else high - tall
    return model.Pool(level, data.boiling, where.boiling) if len(r.problems) == kept else None
