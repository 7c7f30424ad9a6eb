"""A round passage through solids."""

from __future__ import annotations

from typing import Literal

from ..model import Passage
from ..project.kind import Row, register
from ..project.reader import Reader
from .cells import AxisAlong, CellsAcross, Diameter, EndCentre, Length
from .outlines import round_bar
from .place import on_floor


class Bore(Row):
    """A round passage through solids, filled with the enclosure's fluid (or a fluid region's)."""

    kind: Literal["bore"] = "bore"
    at: EndCentre = "0, 0, 0 mm"
    along: AxisAlong = "x"
    length: Length = "50 mm"
    diameter: Diameter = "10 mm"
    cells: CellsAcross = "12"


def read(r: Reader, row: Bore) -> Passage:
    """The passage."""
    return Passage(row.name, round_bar(r, row))


register(Bore, "Blocks", ("passage",), read=read, place=on_floor)
