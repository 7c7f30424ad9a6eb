"""A fan as a plane inside the fluid."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import FanPlane
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings
from .cells import SIDES, Corner, Curve, Hub, Speed, WallSize
from .place import on_floor


class InsideFan(Row):
    """A fan as a plane inside the fluid; ``size`` is the plane's two sides, ``blows`` its direction."""

    kind: Literal["inside fan"] = "inside fan"
    at: Corner = "0, 0, 0 mm"
    size: WallSize = "40, 40 mm"
    blows: Annotated[Text, Cell("blows", LOAD, "direction, x- to z+", SIDES)] = "x+"
    curve: Curve = "Skerry 40"
    speed: Speed = "100 %"
    hub: Hub = ""
    swirl: Annotated[Text, Cell("swirl", LOAD, "tangential speed at the rim over axial speed; empty: none")] = ""


def read(r: Reader, row: InsideFan) -> FanPlane:
    """The fan's plane."""
    axis, sign = openings.direction(r, row)
    position, rect = openings.plane(r, row, axis)
    hub, swirl = r.maybe(row, "hub", "length", 0.0, least=0.0), r.maybe(row, "swirl", "ratio", 0.0)
    return FanPlane(row.name, axis, position, rect, sign, openings.fan(r, row), hub, swirl)


register(InsideFan, "Openings and fans", ("fan", "flow device"), read=read, place=on_floor)
