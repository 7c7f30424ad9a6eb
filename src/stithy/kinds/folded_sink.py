"""A sheet folded to and fro on a base plate."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from shapely.geometry import LineString
from shapely.geometry import box as rectangle
from shapely.ops import unary_union

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from ..shapes.geometry import Mesh
from . import solids
from .cells import Base, CellsAcross, Corner, FinsPoint, Material, Size, Starts, SurfaceFinish
from .fins import Channels, Fins, FinThickness, fin_count, ring, stand
from .place import on_floor


class FoldedSink(Row):
    """A sheet folded to and fro that stands on a base plate: its folds lie on the base and above in turn, so that
    channels open to the base and to the top in turn."""

    kind: Literal["folded sink"] = "folded sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "50, 50, 15 mm"
    base: Base = "2 mm"
    fins: Fins = "14"
    fin: FinThickness = "0.5 mm"
    closed: Annotated[
        Text, Cell("on top", SHAPE, "open, or a second plate on the folds, as thick as the base", ("open", "plate"))
    ] = "open"
    along: Channels = "x"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: FoldedSink) -> Solid:
    """The sink as one solid."""
    return solids.shaped(r, row, _form(r, row))


def _form(r: Reader, row: FoldedSink) -> Mesh:
    s = stand(r, row)
    box, size, up, base, runs, across, stands = s.box, s.size, s.up, s.base, s.runs, s.across, s.stands
    thick = s.thick
    plate = r.choice(row, "closed", ("open", "plate"), "open") == "plate"
    tall = size[stands] - base * (2 if plate else 1)
    if tall <= 3 * thick:
        r.note(row, "fin", f"“{row.fin}” leaves no room for folds.", f"Less than {1e3 * max(tall, 0) / 3:.3g} mm fits.")
        thick = 0.1 * size[stands]
        base, plate, tall = min(base, 0.3 * size[stands]), False, 0.7 * size[stands]
    count = fin_count(r, row, size[across], thick)
    key = ("folded", box, up, runs, base, count, thick, plate)
    return built.kept(key, lambda: _section(box, up, runs, across, stands, base, count, thick, plate))


def _section(box, up: str, runs: int, across: int, stands: int, base: float, count: int, thick: float, plate: bool):
    (low, high), (foot, top) = box[across], box[stands]
    whole = top - foot
    reach = base + thick / 2, whole - (base if plate else 0.0) - thick / 2
    places = np.linspace(low + thick / 2, high - thick / 2, count)
    line = [(x, y) for m, x in enumerate(places) for y in (reach if m % 2 == 0 else reach[::-1])]
    fold = LineString(line).buffer(thick / 2, cap_style="square", join_style="mitre")
    parts = [rectangle(low, 0.0, high, base), fold.intersection(rectangle(low, 0.5 * base, high, whole))]
    if plate:
        parts.append(rectangle(low, whole - base, high, whole))
    shape = unary_union(parts)
    rings = [np.array(x.coords)[:-1] for p in getattr(shape, "geoms", [shape]) for x in (p.exterior, *p.interiors)]
    for points in rings:
        points[:, 1] = foot + points[:, 1] if up[1] == "+" else top - points[:, 1]
    return built.prism(runs, [ring(runs, across, x) for x in rings], box[runs])


register(FoldedSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
