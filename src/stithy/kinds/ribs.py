"""Ribs on a wall, square to the flow or slanted."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from ..shapes.geometry import Mesh
from . import solids
from .cells import SIDES, CellsAcross, Corner, Material, Order, Power, Profile, Size, Starts, SurfaceFinish
from .place import on_floor


class Ribs(Row):
    """Equal ribs that fill a box: they stand in the direction ``up`` as high as it, and follow each other along the
    first of its two other directions."""

    kind: Literal["ribs"] = "ribs"
    at: Corner = "0, 0, 0 mm"
    size: Size = "120, 30, 3 mm"
    count: Annotated[Text, Cell("ribs", SHAPE, "how many")] = "6"
    rib: Annotated[Text, Cell("rib", SHAPE, "width of one")] = "3 mm"
    angle: Annotated[Text, Cell("angle", SHAPE, "between them and their row; 90 deg: square across it")] = "60 deg"
    up: Annotated[Text, Cell("stand", SHAPE, "direction from their wall", SIDES)] = "z+"
    material: Material = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Ribs) -> Solid:
    """All ribs as one solid."""
    return solids.shaped(r, row, _form(r, row))


def _form(r: Reader, row: Ribs) -> Mesh:
    box, size = solids.placed(r, row)
    axis = "xyz".index(r.choice(row, "up", SIDES, "z+")[0])
    u, v = (a for a in range(3) if a != axis)
    count = r.whole(row, "count", 1, 1, 200)
    rib = r.value(row, "rib", "length", 1e-3, above=0.0)
    angle = r.value(row, "angle", "angle", np.pi / 2, least=np.radians(15), most=np.radians(165))
    across = rib / np.sin(angle)
    if count * across >= size[u]:
        most = max(int(size[u] / across - 1e-9), 1)
        r.note(row, "count", f"{count} ribs of “{row.rib}” leave no gap.", f"At most {most} fit.")
        count = 1
    return built.kept(("ribs", box, axis, count, rib, angle), lambda: _ribs(box, axis, u, v, count, across, angle))


def _ribs(box, axis: int, u: int, v: int, count: int, across: float, angle: float):
    from shapely.geometry import Polygon
    from shapely.geometry import box as rectangle
    from shapely.ops import unary_union

    (u0, u1), (v0, v1) = box[u], box[v]
    lean = (v1 - v0) / np.tan(angle)
    pitch = (u1 - u0) / count
    field, shapes = rectangle(u0, v0, u1, v1), []
    for m in range(-count, 2 * count):  # those that lean in from beyond the ends, too
        a = u0 + (m + 0.5) * pitch - 0.5 * across - 0.5 * lean
        one = Polygon([(a, v0), (a + across, v0), (a + across + lean, v1), (a + lean, v1)]).intersection(field)
        if one.area > 0.02 * across * (v1 - v0):
            shapes.append(one)
    return built.polygon(axis, unary_union(shapes), box[axis])


register(Ribs, "Sinks", ("solid", "box"), read=read, place=on_floor)
