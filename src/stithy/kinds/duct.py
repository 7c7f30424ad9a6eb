"""A duct along a line of points, with rounded bends and a section that may change on the way."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from ..errors import ValueProblem
from ..model import Enclosure, Passage, Solid
from ..project import units
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from ..shapes.geometry import Mesh, Path
from ..shapes.solids import centre_line, fits
from . import outlines, solids
from .cells import CellsAcross, Fill, Order, Power, Profile, Roughness, Starts, SurfaceFinish
from .place import middle_of

#: angle (radians) between sections in a bend; sides of a round section
TURN, SIDES = np.radians(7.5), 48
SECTIONS = ("rectangular", "round")


class Duct(Row):
    """A duct along a line of points: rectangular or round, with rounded bends; from one section to another along its
    way where two are given. Of a solid it has walls; filled with fluid it is a passage."""

    kind: Literal["duct"] = "duct"
    points: Annotated[
        Text, Cell("centre line", SHAPE, "points of it: 0, 0, 0; 60, 0, 0; 60, 40, 0 mm", columns=("place",))
    ] = "0, 0, 0; 60, 0, 0; 60, 50, 0 mm"
    bend: Annotated[Text, Cell("bend radius", SHAPE, "of the centre line at its corners")] = "15 mm"
    section: Annotated[Text, Cell("section", SHAPE, "rectangular or round", SECTIONS)] = "rectangular"
    size: Annotated[
        Text,
        Cell(
            "inner size",
            SHAPE,
            "width and height inside, or a diameter; with a second one behind a semicolon it changes along its way: "
            "20, 12; 30, 12 mm",
            columns=("size",),
        ),
    ] = "20, 12 mm"
    wall: Annotated[Text, Cell("wall", SHAPE, "thickness of its walls")] = "1 mm"
    material: Fill = "ABS plastic"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Duct) -> Solid | Passage:
    """Its walls, or the passage when it is filled with fluid."""
    return solids.formed(r, row, _form(r, row))


def _form(r: Reader, row: Duct) -> Mesh:
    points = outlines.points(r, row, 3)
    round_ = r.choice(row, "section", SECTIONS, "rectangular") == "round"
    first, last = _sizes(r, row, round_)
    wall = 0.0 if solids.is_passage(row) else r.value(row, "wall", "length", 1e-3, above=0.0)
    bend = r.value(row, "bend", "length", 1e-2, above=0.0)
    widest = max(first[0], last[0], first[1], last[1]) / 2 + wall
    path = Path(tuple(points), bend, widest)
    if len(points) > 2 and bend < widest:
        r.note(row, "bend", f"“{row.bend}” is tighter than the duct.", f"At least {1e3 * widest:.4g} mm fits.")
        points = []
    elif len(points) == 1:
        r.note(row, "points", "is only one point.", "Give at least two points of the centre line.")
    elif points and not fits(path):
        told = "leaves nothing straight between two corners."
        r.note(row, "bend", f"“{row.bend}” {told}", "Bend it more sharply, or move the corners apart.")
        points = []
    if len(points) < 2:
        path = Path(((0.0, 0.0, 0.0), (4 * widest, 0.0, 0.0)), bend, widest)
    key = ("duct", path.points, bend, round_, first, last, wall)
    return built.kept(key, lambda: _walls(path, round_, first, last, wall))


def _sizes(r: Reader, row: Duct, round_: bool) -> tuple[tuple[float, float], tuple[float, float]]:
    """Width and height (m) inside at both ends."""
    count = 1 if round_ else 2
    parts = [p.strip() for p in row.size.split(";") if p.strip()]
    unit = units.unit_of(units.split(parts[-1])[-1]) if parts else ""
    try:
        found = []
        for p in parts:
            text = p if not unit or p.endswith(unit) or "=" in p else f"{p} {unit}"
            found.append(units.vector(text, "length", count, r.names))
        if not 1 <= len(found) <= 2 or min(min(x) for x in found) <= 0.0:
            raise ValueProblem(row.size, f"“{units.short(row.size)}” is no size of a duct.", "")
    except ValueProblem as error:
        example = "20 mm, or 20; 30 mm" if round_ else "20, 12 mm, or 20, 12; 30, 12 mm"
        r.note(row, "size", error.what, f"Write it like {example}.")
        found = [(1e-2,) * count]
    ends = [(x[0], x[-1]) for x in (found[0], found[-1])]
    return ends[0], ends[1]


def _stations(path: Path) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Points of the centre line (m), the direction there, and how far along each is (0 to 1)."""
    line, ways = centre_line(path, turn=TURN)
    far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    return line, ways, far / far[-1]


def _walls(path: Path, round_: bool, first, last, wall: float):
    """The walls: what is outside less what is inside; without walls what is inside."""
    inner = _sweep(path, round_, first, last, 0.0, 1e-6 if wall else 0.0)
    return _sweep(path, round_, first, last, wall, 0.0) - inner if wall else inner


def _sweep(path: Path, round_: bool, first, last, more: float, beyond: float):
    """The section carried along the line, wider all round by ``more`` and longer at both ends by ``beyond`` (m)."""
    import manifold3d

    line, ways, share = _stations(path)
    line = line.copy()
    line[0] -= beyond * ways[0]
    line[-1] += beyond * ways[-1]
    up = _upright(ways)
    rings, parts = [], []
    for p, w, s in zip(line, ways, share, strict=True):
        up = up - (up @ w) * w
        up = up / np.linalg.norm(up)
        side = np.cross(up, w)
        wide, tall = ((1 - s) * a + s * b + 2 * more for a, b in zip(first, last, strict=True))
        rings.append(p + _ring(round_, wide, tall) @ np.array([side, up]))
    for a, b in zip(rings, rings[1:], strict=False):
        parts.append(manifold3d.Manifold.hull_points(np.concatenate([a, b]) * built.MM))
    return built.joined(parts)


def _upright(ways: np.ndarray) -> np.ndarray:
    """The direction its height is measured in: z, or y where it runs upright all the way or begins so."""
    return np.array([0.0, 0.0, 1.0]) if abs(ways[0][2]) < 0.9 else np.array([0.0, 1.0, 0.0])


def _ring(round_: bool, wide: float, tall: float) -> np.ndarray:
    """Corners (n, 2) of the section about its middle, a round one of the true area."""
    if not round_:
        return np.array([(-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)]) * [wide, tall]
    turn = 2 * np.pi * (np.arange(SIDES) + 0.5) / SIDES
    true = np.sqrt(2 * np.pi / SIDES / np.sin(2 * np.pi / SIDES))
    return 0.5 * wide * true * np.stack([np.cos(turn), np.sin(turn)], -1)


def place(enclosure: Enclosure) -> dict[str, str]:
    """A bend in the middle."""
    (x, y, z), reach = middle_of(enclosure)
    line = [(x - reach, y, z), (x + reach, y, z), (x + reach, y + reach, z)]
    return {
        "points": "; ".join(", ".join(f"{v:.4g}" for v in p) for p in line) + " mm",
        "bend": f"{reach / 2:.4g} mm",
        "size": f"{reach / 2:.4g}, {reach / 3:.4g} mm",
        "wall": f"{max(reach / 30, 0.2):.3g} mm",
    }


register(Duct, "Blocks", ("solid",), read=read, place=place)
