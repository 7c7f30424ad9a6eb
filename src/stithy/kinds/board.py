"""A circuit board: a thin box whose conductivity differs in its plane and through it."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid
from ..project.kind import LOAD, Cell, Row, Text, register
from ..project.reader import Reader
from . import solids
from .cells import CellsAcross, Corner, Material, Power, Profile, Size, Starts, SurfaceFinish
from .place import on_floor


class Board(Row):
    """A circuit board: a thin box whose conductivity differs in its plane and through it."""

    kind: Literal["board"] = "board"
    at: Corner = "0, 0, 0 mm"
    size: Size = "100, 80, 1.6 mm"
    material: Material = "FR4 laminate"
    in_plane: Annotated[Text, Cell("k in plane", LOAD, "conductivity in its plane; empty: the material's")] = ""
    through: Annotated[Text, Cell("k through", LOAD, "conductivity through it; empty: the material's")] = ""
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Board) -> Solid:
    """The board's solid."""
    _, size = solids.placed(r, row)
    thin = size.index(min(size))

    def conductivity(m, _):
        plane = r.maybe(row, "in_plane", "conductivity", m.k, above=0.0)
        through = r.maybe(row, "through", "conductivity", m.k_through, above=0.0)
        return tuple(through if a == thin else plane for a in range(3))

    return solids.boxed(r, row, conductivity=conductivity)


register(Board, "Boards", ("solid", "box"), read=read, place=on_floor)
