"""Plate fins that fan out from their base."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from shapely.geometry import Polygon
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


class FlaredSink(Row):
    """Plate fins on a base that lean apart towards their tips: the outermost by an angle, those between in proportion.
    Its size is that at the tips; the base is as much narrower as the angle asks."""

    kind: Literal["flared sink"] = "flared sink"
    at: Corner = "0, 0, 0 mm"
    size: Size = "50, 60, 30 mm"
    base: Base = "4 mm"
    fins: Fins = "9"
    fin: FinThickness = "1 mm"
    flare: Annotated[Text, Cell("flare", SHAPE, "angle by which the outermost fins lean outwards")] = "20 deg"
    along: Channels = "x"
    up: FinsPoint = "z+"
    material: Material = "aluminium"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: FlaredSink) -> Solid:
    """The sink as one solid."""
    return solids.shaped(r, row, _form(r, row))


def _form(r: Reader, row: FlaredSink) -> Mesh:
    s = stand(r, row)
    box, size, up, base, runs, across, stands = s.box, s.size, s.up, s.base, s.runs, s.across, s.stands
    thick = s.thick
    angle = r.value(row, "flare", "angle", 0.3, least=0.0, most=np.radians(60))
    tall = size[stands] - base
    foot = size[across] - 2 * tall * np.tan(angle)
    if foot <= 2 * thick:
        most = np.degrees(np.arctan(max(size[across] - 4 * thick, 0.0) / (2 * tall)))
        r.note(row, "flare", f"“{row.flare}” leaves no base.", f"At most {most:.3g} deg fits.")
        angle, foot = 0.0, size[across]
    count = fin_count(r, row, foot, thick)
    key = ("flared", box, up, runs, base, count, thick, angle)
    return built.kept(key, lambda: _section(box, up, runs, across, stands, base, count, thick, angle))


def _section(box, up: str, runs: int, across: int, stands: int, base: float, count: int, thick: float, angle: float):
    (low, high), (foot, top) = box[across], box[stands]
    tall, middle = top - foot - base, 0.5 * (low + high)
    half = 0.5 * (high - low) - tall * np.tan(angle)
    parts = [Polygon([(middle - half, 0.0), (middle + half, 0.0), (middle + half, base), (middle - half, base)])]
    for m in range(count):
        share = 2 * m / (count - 1) - 1 if count > 1 else 0.0
        at = middle + share * (half - thick / 2)
        deep, lean = 0.1 * base, share * np.tan(angle)  # a little into the base, along its own line
        x = np.array([at - thick / 2, at + thick / 2, at + thick / 2, at - thick / 2])
        y = np.array([-deep, -deep, tall, tall])
        parts.append(Polygon(np.column_stack([x + lean * y, base + y])))
    whole = unary_union(parts).intersection(Polygon([(low, 0.0), (high, 0.0), (high, base + tall), (low, base + tall)]))
    points = np.array(whole.exterior.coords)[:-1]
    points[:, 1] = foot + points[:, 1] if up[1] == "+" else top - points[:, 1]
    return built.prism(runs, [ring(runs, across, points)], box[runs])


register(FlaredSink, "Sinks", ("solid", "box", "sink"), read=read, place=on_floor)
