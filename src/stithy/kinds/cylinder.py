"""A round bar or tube along an axis, or a passage of its shape."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Passage, Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from . import solids
from .cells import (
    AxisAlong,
    CellsAcross,
    Diameter,
    EndCentre,
    Fill,
    Length,
    Order,
    Power,
    Profile,
    Starts,
    SurfaceFinish,
)
from .outlines import round_bar
from .place import on_floor


class Cylinder(Row):
    """A round bar, or a tube when ``bore`` is above zero; ``at`` is the centre of its end nearest the origin."""

    kind: Literal["cylinder"] = "cylinder"
    at: EndCentre = "0, 0, 0 mm"
    along: AxisAlong = "x"
    length: Length = "50 mm"
    diameter: Diameter = "10 mm"
    bore: Annotated[Text, Cell("bore", SHAPE, "diameter of its passage; 0 mm: solid")] = "0 mm"
    material: Fill = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    cells: CellsAcross = "12"


def read(r: Reader, row: Cylinder) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    return solids.formed(r, row, round_bar(r, row))


register(Cylinder, "Blocks", ("solid",), read=read, place=on_floor)
