"""A block: a solid box, or a passage of its shape."""

from __future__ import annotations

from typing import Literal

from ..model import Passage, Solid
from ..project.kind import Row, register
from ..project.reader import Reader
from ..shapes.geometry import Outline
from . import solids
from .cells import CellsAcross, Corner, Fill, Moves, Order, Power, Profile, Roughness, Size, Starts, SurfaceFinish
from .outlines import cells
from .place import on_floor


class Block(Row):
    """A solid box."""

    kind: Literal["block"] = "block"
    at: Corner = "0, 0, 0 mm"
    size: Size = "10, 10, 10 mm"
    material: Fill = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    moves: Moves = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Block) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    if not solids.is_passage(row):
        return solids.boxed(r, row)
    ((x0, x1), (y0, y1), z), _ = solids.placed(r, row)
    return Passage(row.name, Outline(2, ((x0, y0), (x1, y0), (x1, y1), (x0, y1)), z, cells(r, row, 3)))


register(Block, "Blocks", ("solid", "box"), read=read, place=on_floor)
