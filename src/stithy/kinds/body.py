"""A solid from an imported file."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np

from ..errors import ValueProblem
from ..model import Passage, Solid
from ..project import assets, units
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.geometry import Facets, Mesh
from ..shapes.mouths import Mouth, filled, mouths
from . import outlines, solids
from .cells import CellsAcross, Fill, Order, Power, Profile, Roughness, Starts, SurfaceFinish

_PLAIN = Facets(
    ((0.0, 0.0, 0.0), (1e-3, 0.0, 0.0), (0.0, 1e-3, 0.0), (0.0, 0.0, 1e-3)),
    ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 1)),
)


class BodyRow(Row):
    """A solid from an imported file (or a passage of its shape), where the file has it, moved and turned as its cells
    say."""

    kind: Literal["body"] = "body"
    file: Annotated[Text, Cell("file", SHAPE, "the file in the project's assets folder")] = ""
    solid: Annotated[Text, Cell("solid", SHAPE, "which of the file's solids")] = ""
    move: Annotated[
        Text, Cell("moved by", SHAPE, "x, y, z from where the file has it, after turning", columns=("place",))
    ] = "0, 0, 0 mm"
    turn: Annotated[Text, Cell("turned by", SHAPE, "about x, then y, then z through the file's origin")] = "0, 0, 0 deg"
    scale: Annotated[Text, Cell("scale", SHAPE, "times the file's sizes: 25.4 where inches were taken for mm")] = "1"
    mirror: Annotated[
        Text, Cell("mirrored", SHAPE, "across the plane of x, y or z = 0 of the file; empty: not", ("x", "y", "z"))
    ] = ""
    shell: Annotated[
        Text,
        Cell(
            "open shell",
            SHAPE,
            "where faces are missing: fill, or sheet 1 mm to keep what is there as a thin sheet; empty: filled, "
            "and told",
            ("fill", "sheet 1 mm"),
        ),
    ] = ""
    material: Fill = "aluminium"
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = ""


def read(r: Reader, row: BodyRow) -> Solid | Passage:
    """The solid, or the passage when it is filled with fluid."""
    out = solids.formed(r, row, placed_form(r, row))
    body = (assets.bodies(row.text("file")) or {}).get(_solid(row))
    return replace(out, tone=body.tone) if isinstance(out, Solid) and body is not None and body.tone else out


def mouths_of(r: Reader, row: BodyRow) -> list[tuple[Mouth, Mouth]]:
    """Its mouths where the file has them, and where the row's cells put them."""
    place = _place(r, row)
    form = raw_form(row)
    out = []
    for m in mouths(form) if form is not None else ():
        rim = _moved(np.array(m.points), *place)
        rim = rim[::-1] if place[-1] else rim
        out.append((m, Mouth(tuple(map(tuple, rim)), m.blind)))
    return out


def raw_form(row: BodyRow, whole: bool = True) -> Mesh | None:
    """The solid where its file has it, open rims filled if it is to be ``whole``; None where it is not there."""
    if _solid(row) not in (assets.bodies(row.text("file")) or {}):
        return None
    still = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 1.0, ""
    content, points, triangles, faces = _placed(row.text("file"), _solid(row), *still)
    sheet = 1e-3 if row.text("shell").startswith("sheet") else 0.0
    if whole and not sheet:
        points, triangles, faces = _closed(content, points, triangles, faces)
    return Mesh(content, 0, points, triangles, faces, sheet)


def _solid(row: BodyRow) -> str:
    """Which of the file's solids: of a file with one it is that, so that another file may take its place."""
    found = assets.bodies(row.text("file")) or {}
    return next(iter(found)) if len(found) == 1 else row.text("solid")


def _place(r: Reader, row: BodyRow) -> tuple:
    """Move (m), turn (radians), scale and mirror of a row."""
    move, turn = r.vector(row, "move", "length", 3, 0.0), r.vector(row, "turn", "angle", 3, 0.0)
    scale = r.value(row, "scale", "ratio", 1.0, above=0.0, most=1e4)
    mirror = r.choice(row, "mirror", ("x", "y", "z"), "") if row.text("mirror") else ""
    return tuple(move), tuple(turn), scale, mirror


def placed_form(r: Reader, row: BodyRow) -> Facets | Mesh:
    """The solid where its row's cells put it; a plain one after a note where it is not there."""
    cells = outlines.cells(r, row, 4) if row.text("cells") else 0
    place = _place(r, row)
    found = assets.bodies(row.text("file"))
    if found is None:
        r.note(
            row,
            "file",
            f"“{row.text('file')}” is not among this project's assets, or cannot be read.",
            "Import the file again.",
        )
        return _PLAIN
    if _solid(row) not in found:
        r.note(
            row,
            "solid",
            f"“{row.text('solid')}” is no solid of that file.",
            f"Choose one of: {', '.join(list(found)[:12])}.",
        )
        return _PLAIN
    content, points, triangles, faces = _placed(row.text("file"), _solid(row), *place)
    thick = 0.0
    if row.text("shell").startswith("sheet"):
        thick = _thickness(r, row)
    elif row.text("shell"):
        r.choice(row, "shell", ("fill", "sheet 1 mm"), "fill")
    if not thick:
        points, triangles, faces = _closed(content, points, triangles, faces)
    return Mesh(content, cells, points, triangles, faces, thick)


_FILLED: dict[str, tuple] = {}


def _closed(content: str, points, triangles, faces) -> tuple:
    """A shell with its open rims filled, kept by its content."""
    if content not in _FILLED:
        while len(_FILLED) > 512:
            _FILLED.pop(next(iter(_FILLED)))
        _FILLED[content] = filled(points, triangles, faces)
    return _FILLED[content]


def _thickness(r: Reader, row: BodyRow) -> float:
    """Thickness (m) of a sheet, from the words sheet 1 mm."""
    try:
        thick = units.to_si(row.text("shell")[5:], "length", r.names)
        if thick <= 0.0:
            raise ValueProblem(row.shell, "is a sheet without thickness.", "")
        return thick
    except ValueProblem as error:
        r.note(row, "shell", error.what, "Write fill, or sheet 1 mm.")
        return 0.0


@lru_cache(maxsize=2048)
def _placed(file: str, solid: str, move, turn, scale: float, mirror: str):
    """Content, corners (m), triangles and faces of a solid, mirrored, turned and moved."""
    found = assets.bodies(file)
    assert found is not None
    body = found[solid]
    points, triangles = _moved(body.points, move, turn, scale, mirror), body.triangles.astype(np.int64)
    if mirror:
        triangles = triangles[:, ::-1]
    content = hashlib.sha256(points.tobytes() + triangles.tobytes()).hexdigest()[:16]
    return content, points, triangles, body.faces


def _moved(points: np.ndarray, move, turn, scale: float, mirror: str) -> np.ndarray:
    """Points (n, 3), scaled, mirrored, turned and moved."""
    points = points * scale
    if mirror:
        points = points * np.where(np.arange(3) == "xyz".index(mirror), -1.0, 1.0)
    for axis, angle in enumerate(turn):
        if angle:
            points = points @ _rotation(axis, angle).T
    return np.round(points + np.array(move), 12)


def _rotation(axis: int, angle: float) -> np.ndarray:
    a, b = (m for m in range(3) if m != axis)
    out = np.eye(3)
    sign = -1.0 if axis == 1 else 1.0
    out[a, a] = out[b, b] = np.cos(angle)
    out[a, b], out[b, a] = -sign * np.sin(angle), sign * np.sin(angle)
    return out


register(BodyRow, "Bodies", ("solid", "imported"), read=read)
