"""A plate with channels inside: one that winds, many side by side between headers, or a field of pins."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from ..shapes.geometry import Mesh
from . import solids
from .cells import CellsAcross, Corner, Material, Order, Power, Profile, Roughness, Size, Starts, SurfaceFinish
from .place import on_floor

WAYS = ("serpentine", "parallel", "pins")
TURNS = ("round", "square")
#: of a channel's width, what its cells go by where it turns or passes pins; parallel channels are left to the rule
ACROSS = {("serpentine", "round"): 0.35, ("serpentine", "square"): 0.5, ("pins", "round"): 0.8, ("pins", "square"): 0.8}


class ChannelPlate(Row):
    """A plate with channels along x: a serpentine that begins at the x- face, parallel channels between two headers, or
    a field of round pins; both of these are entered in the middle of the x- face and left in the middle of x+."""

    kind: Literal["channel plate"] = "channel plate"
    at: Corner = "0, 0, 0 mm"
    size: Size = "160, 100, 12 mm"
    channels: Annotated[Text, Cell("channels", SHAPE, "how they run", WAYS)] = "serpentine"
    passes: Annotated[Text, Cell("passes", SHAPE, "how many passes, channels, or pins across")] = "4"
    width: Annotated[Text, Cell("width", SHAPE, "of a channel; between pins")] = "10 mm"
    depth: Annotated[Text, Cell("depth", SHAPE, "of the channels")] = "6 mm"
    floor: Annotated[Text, Cell("floor", SHAPE, "metal below the channels")] = "3 mm"
    turns: Annotated[Text, Cell("turns", SHAPE, "of a serpentine", TURNS)] = "round"
    material: Material = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = ""


def read(r: Reader, row: ChannelPlate) -> Solid:
    """The plate, hollow."""
    return solids.shaped(r, row, _form(r, row))


def _form(r: Reader, row: ChannelPlate) -> Mesh:
    box, size = solids.placed(r, row)
    way = r.choice(row, "channels", WAYS, "serpentine")
    passes = r.whole(row, "passes", 4, 1, 100)
    width, depth = (r.value(row, key, "length", 1e-3, above=0.0) for key in ("width", "depth"))
    floor = r.value(row, "floor", "length", 1e-3, above=0.0)
    round_ = r.choice(row, "turns", TURNS, "round") == "round"
    pitch = size[1] / passes
    if floor + depth >= size[2]:
        most = 1e3 * (size[2] - floor)
        r.note(row, "depth", f"“{row.depth}” leaves no lid.", f"At most {0.9 * most:.3g} mm fit above that floor.")
    elif width >= pitch:
        most = max(int(size[1] / width - 1e-9), 1)
        most -= most * width >= size[1]
        told = f"At most {most} of that width fit, or {passes} of less than {1e3 * pitch:.3g} mm."
        r.note(row, "passes", f"{passes} passes of “{row.width}” leave no wall between them.", told)
    else:
        key = ("channel plate", box, way, passes, width, depth, floor, round_)
        whole = key[1:]
        part = ACROSS.get((way, row.turns), 0.0)
        fine = _fine(box, size, way, width, depth, floor, pitch, part) if part else []
        return built.kept(key, lambda: _plate(box, size, *whole[1:]), fine)
    return built.kept(("block", box), lambda: built.block(box))


def _fine(box, size, way: str, width: float, depth: float, floor: float, pitch: float, part: float) -> list:
    """Where cells go by the channel's width: across all passes and where they turn, or all about pins."""
    (x, _), y, (z, _) = box
    reach = max(0.5 * pitch, 0.75 * width) + 0.5 * width
    levels = (z + floor, z + floor + depth)
    ends = ((x, x + reach), (x + size[0] - reach, x + size[0])) if way == "serpentine" else ((x, x + size[0]),)
    return [((along, y, levels), part * width) for along in ends]


def _plate(box, size, way: str, passes: int, width: float, depth: float, floor: float, round_: bool):
    (x, _), (y, _), (z, _) = box
    span = z + floor, z + floor + depth
    area = {"serpentine": _serpentine, "parallel": _parallel, "pins": _pins}[way](size, passes, width, round_)
    from shapely.affinity import translate

    return built.block(box) - built.polygon(2, translate(area, x, y), span)


def _serpentine(size, passes: int, width: float, round_: bool):
    """A line that winds through the plate, as wide as a channel, from the x- face."""
    from shapely.geometry import LineString

    pitch, edge = size[1] / passes, max(size[1] / passes / 2, 0.75 * width)
    points, ahead = [(-width, 0.5 * pitch)], True
    for m in range(passes):
        y = (m + 0.5) * pitch
        start, end = (edge, size[0] - edge) if ahead else (size[0] - edge, edge)
        if m:
            points.append((start, y))
        last = m == passes - 1
        points.append(((size[0] + width if ahead else -width) if last else end, y))
        ahead = not ahead
    line = LineString(points)
    if round_:  # the middle line's corners are arcs as well
        reach = min(0.5 * pitch, edge) * 0.98
        line = _rounded(points, reach)
    return line.buffer(0.5 * width, cap_style="flat", join_style="round" if round_ else "mitre", quad_segs=12)


def _rounded(points, reach: float):
    """A line whose corners are arcs that begin ``reach`` before them."""
    from shapely.geometry import LineString

    p, out = np.array(points), [points[0]]
    for before, at, after in zip(p, p[1:], p[2:], strict=False):
        into, on = (at - before) / np.linalg.norm(at - before), (after - at) / np.linalg.norm(after - at)
        turn = np.linspace(0.0, np.pi / 2, 13)[:, None]
        centre = at - reach * into + reach * on
        out += [tuple(c) for c in centre + reach * (np.sin(turn) * into - np.cos(turn) * on)]
    return LineString([*out, points[-1]])


def _parallel(size, passes: int, width: float, _round: bool):
    """Channels between two headers as wide as two of them, each with a port in the middle of its face."""
    from shapely.geometry import box as rectangle
    from shapely.ops import unary_union

    pitch, head = size[1] / passes, 2 * width
    rim = 0.5 * (pitch - width)
    rows = [
        rectangle(rim, (m + 0.5) * pitch - width / 2, size[0] - rim, (m + 0.5) * pitch + width / 2)
        for m in range(passes)
    ]
    ends = [rectangle(a, rim, a + head, size[1] - rim) for a in (rim, size[0] - rim - head)]
    port = rectangle(-width, 0.5 * size[1] - width, size[0] + width, 0.5 * size[1] + width)
    ports = [
        port.intersection(rectangle(*x))
        for x in ((-width, 0, rim + head, size[1]), (size[0] - rim - head, 0, size[0] + width, size[1]))
    ]
    return unary_union([*rows, *ends, *ports])


def _pins(size, passes: int, width: float, _round: bool):
    """One wide channel full of round pins, with a port in the middle of both faces."""
    from shapely.geometry import Point
    from shapely.geometry import box as rectangle
    from shapely.ops import unary_union

    pitch = size[1] / passes
    pin, rim = pitch - width, 0.25 * (pitch - width)
    hall = rectangle(rim, rim, size[0] - rim, size[1] - rim)
    port = rectangle(-width, 0.5 * size[1] - width, size[0] + width, 0.5 * size[1] + width)
    along = max(int((size[0] - 2 * rim - 2 * width) / pitch), 1)
    first = 0.5 * (size[0] - (along - 1) * pitch)
    pins = [
        Point(first + i * pitch, (j + 0.5) * pitch).buffer(0.5 * pin, quad_segs=8)
        for i in range(along)
        for j in range(passes)
    ]
    ends = [
        port.intersection(rectangle(*x))
        for x in ((-width, 0, rim, size[1]), (size[0] - rim, 0, size[0] + width, size[1]))
    ]
    return unary_union([hall, *ends]).difference(unary_union(pins))


register(ChannelPlate, "Sinks", ("solid", "box"), read=read, place=on_floor)
