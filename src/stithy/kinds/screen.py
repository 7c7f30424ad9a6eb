"""A perforated plate or filter as a plane inside the fluid."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import ScreenPlane
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import openings
from .cells import AXES, Corner, FreeArea, Loss, WallSize
from .place import on_floor


class Screen(Row):
    """A perforated plate or filter as a plane inside the fluid: a loss on the approach speed."""

    kind: Literal["screen"] = "screen"
    at: Corner = "0, 0, 0 mm"
    size: WallSize = "40, 40 mm"
    across: Annotated[Text, Cell("across", SHAPE, "direction of the flow it stands across", AXES)] = "x"
    free: FreeArea = "50 %"
    loss: Loss = ""


def read(r: Reader, row: Screen) -> ScreenPlane:
    """The screen's plane."""
    axis = AXES.index(r.choice(row, "across", AXES, "x"))
    position, rect = openings.plane(r, row, axis)
    return ScreenPlane(row.name, axis, position, rect, openings.loss(r, row))


register(Screen, "Openings and fans", read=read, place=on_floor)
