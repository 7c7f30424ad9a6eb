"""A plate with holes, where they are wanted in detail: round in rows, or the slanted slats of a louvre."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from ..model import Solid
from ..project import units
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from ..shapes.geometry import Mesh
from . import solids
from .cells import CellsAcross, Corner, Material, Order, Power, Profile, Size, Starts, SurfaceFinish
from .place import on_floor

SORTS = ("holes", "louvre")


class PerforatedPlate(Row):
    """A flat box with round holes through its least thickness, or made of slanted slats (a louvre)."""

    kind: Literal["perforated plate"] = "perforated plate"
    at: Corner = "0, 0, 0 mm"
    size: Size = "2, 60, 40 mm"
    sort: Annotated[Text, Cell("sort", SHAPE, "round holes, or a louvre", SORTS)] = "holes"
    holes: Annotated[Text, Cell("holes", SHAPE, "in both directions of the plate; of a louvre how many slats")] = "6, 4"
    diameter: Annotated[Text, Cell("diameter", SHAPE, "of a hole; of a slat its thickness")] = "6 mm"
    angle: Annotated[Text, Cell("angle", SHAPE, "of a louvre's slats from the way through; 0 deg: open")] = "45 deg"
    material: Material = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    cells: CellsAcross = ""


def read(r: Reader, row: PerforatedPlate) -> Solid:
    """The plate."""
    return solids.shaped(r, row, _form(r, row))


def _form(r: Reader, row: PerforatedPlate) -> Mesh:
    box, size = solids.placed(r, row)
    axis = int(np.argmin(size))
    u, v = (a for a in range(3) if a != axis)
    sort = r.choice(row, "sort", SORTS, "holes")
    wide = r.value(row, "diameter", "length", 1e-3, above=0.0)
    counts = units.split(row.holes)
    if not 0 < len(counts) < 3 or not all(c.isascii() and c.isdigit() and 0 < int(c) <= 100 for c in counts):
        r.note(row, "holes", f"“{row.holes}” is no count.", "Write it like 6, 4.")
        counts = ["1", "1"]
    n, m = int(counts[0]), int(counts[-1])
    if sort == "holes":
        least = min(size[u] / n, size[v] / m)
        if wide >= least:
            r.note(row, "diameter", f"holes of “{row.diameter}” run together.", f"Less than {1e3 * least:.3g} mm fits.")
            wide = 0.5 * least
        return built.kept(("holes", box, axis, n, m, wide), lambda: _holes(box, axis, u, v, n, m, wide))
    angle = r.value(row, "angle", "angle", 0.8, least=0.0, most=np.radians(70))
    if n * wide >= np.cos(angle) * size[v]:
        most = max(int(np.cos(angle) * size[v] / wide - 1e-9), 1)
        r.note(row, "holes", f"{n} slats of “{row.diameter}” leave no gap.", f"At most {most} fit.")
        n = 1
    return built.kept(("louvre", box, axis, n, wide, angle), lambda: _louvre(box, axis, u, v, n, wide, angle))


def _holes(box, axis: int, u: int, v: int, n: int, m: int, wide: float):
    (u0, u1), (v0, v1), (low, high) = box[u], box[v], box[axis]
    thick = high - low
    through = [
        built.bar(
            axis,
            (u0 + (i + 0.5) * (u1 - u0) / n, v0 + (j + 0.5) * (v1 - v0) / m),
            (low - thick, high + thick),
            wide / 2,
            24,
        )
        for i in range(n)
        for j in range(m)
    ]
    return built.block(box) - built.joined(through)


def _louvre(box, axis: int, u: int, v: int, n: int, wide: float, angle: float):
    """Slats along the plate's first direction, one above the other along its second, leaning as they go through."""
    thick, (v0, v1) = box[axis][1] - box[axis][0], box[v]
    rise, tall = thick * np.tan(angle), wide / np.cos(angle)
    parts = []
    for k in range(n):
        at = v0 + (k + 0.5) * (v1 - v0) / n - 0.5 * (tall + rise)
        low, high = box[axis]
        ring = np.array([(low, at), (high, at + rise), (high, at + rise + tall), (low, at + tall)])
        parts.append(built.prism(u, [ring if axis < v else ring[:, ::-1]], box[u]))
    return built.joined(parts) ^ built.block(box)


register(PerforatedPlate, "Blocks", ("solid", "box"), read=read, place=on_floor)
