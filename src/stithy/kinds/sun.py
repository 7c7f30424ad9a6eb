"""The sun: direct and diffuse light that surfaces take up."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from .. import model
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from .cells import SIDES


class SunRow(Row):
    """The sun: what it sends through openings and on outer sides that have a film coefficient, with shadows."""

    kind: Literal["sun"] = "sun"
    direction: Annotated[
        Text, Cell("direction", LOAD, "x, y, z towards it; empty: by latitude, day and hour", columns=("place",))
    ] = ""
    latitude: Annotated[Text, Cell("latitude", LOAD, "of the place, north of the equator; south of it below 0")] = (
        "58 deg"
    )
    day: Annotated[Text, Cell("day", LOAD, "of the year, 1 to 365")] = "172"
    hour: Annotated[
        Text, Cell("hour", LOAD, "of solar time (12: it stands highest), at the start of a run in time: it moves on")
    ] = "12"
    north: Annotated[Text, Cell("north", LOAD, "which way is north", SIDES)] = "y+"
    intensity: Annotated[
        Text, Cell("intensity", LOAD, "square to it, such as 800 W/m2; empty: of a clear sky", columns=("flow",))
    ] = ""
    diffuse: Annotated[
        Text, Cell("diffuse", LOAD, "from the sky on level ground; empty: a tenth of the direct light there")
    ] = ""


def read(r: Reader, row: SunRow) -> model.Sun | None:
    """The sun of the model; none where surfaces do not radiate."""
    if r.surroundings is None:
        return None
    gravity = np.array(r.surroundings.gravity)
    up = -gravity / np.linalg.norm(gravity) if gravity.any() else np.array([0.0, 0.0, 1.0])
    side = r.choice(row, "north", SIDES, "y+")
    north = np.zeros(3)
    north["xyz".index(side[0])] = 1.0 if side[1] == "+" else -1.0
    if abs(float(north @ up)) > 0.99:
        r.note(row, "north", f"“{side}” is upright.", "North lies level: choose a side square to gravity.")
    direction = r.vector(row, "direction", "ratio", 3, 0.0) if row.text("direction") else None
    if direction is not None and not any(direction):
        r.note(row, "direction", "has no length.", "Write where the sun stands, such as 1, 0, 2.")
        direction = (0.0, 0.0, 1.0)
    if not r.surroundings.radiation:
        r.note(
            row,
            "",
            "shines on a model whose surfaces do not radiate.",
            "Write surfaces in the cell radiation of the surroundings, or delete the sun.",
        )
        return None
    latitude = r.value(row, "latitude", "angle", 0.0)
    if abs(latitude) > np.pi / 2 + 1e-9:
        r.note(row, "latitude", "is beyond the pole.", "Give -90 to 90 deg.")
    return model.Sun(
        row.name,
        (float(up[0]), float(up[1]), float(up[2])),
        direction,
        latitude,
        r.value(row, "day", "ratio", 172.0, least=1.0, most=366.0),
        r.value(row, "hour", "ratio", 12.0, least=0.0, most=24.0),
        (float(north[0]), float(north[1]), float(north[2])),
        r.value(row, "intensity", "heat flux", 0.0, least=0.0, most=1500.0) if row.text("intensity") else None,
        r.value(row, "diffuse", "heat flux", 0.0, least=0.0, most=1500.0) if row.text("diffuse") else None,
    )


register(SunRow, "Settings", read=read, single=True)
