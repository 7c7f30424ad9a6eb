"""A plate that closes a mouth of a solid, or a loop of points: what flows through it is said by an opening on it."""

from __future__ import annotations

from copy import copy
from typing import Annotated, Literal

import numpy as np

from ..errors import ValueProblem
from ..model import Plate
from ..project import units
from ..project.kind import KINDS, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.mouths import Mouth, mouths
from . import body

ALIKE = ("one", "all alike in its plane")
#: of a mouth's size: how far from where a plate says it may be found
NEAR = 1.0


class BlankingPlate(Row):
    """A plate that closes a mouth of a solid (or a loop of points): it always seals, insulates and takes no part in the
    heat. Put an opening, vent or wall fan on it where fluid passes."""

    kind: Literal["blanking plate"] = "blanking plate"
    of: Annotated[
        Text,
        Cell(
            "closes",
            SHAPE,
            "the solid whose mouth it closes; empty: the loop below",
            refers=("solid",),
            columns=("material",),
        ),
    ] = ""
    at: Annotated[
        Text, Cell("middle", SHAPE, "middle of the mouth, where the solid's file has it", columns=("place",))
    ] = "0, 0, 0 mm"
    faces: Annotated[Text, Cell("faces", SHAPE, "direction out of the mouth, as x, y, z")] = "0, 0, 1"
    alike: Annotated[
        Text, Cell("closes also", SHAPE, "one, or all mouths of the solid that are alike in one plane", ALIKE)
    ] = "one"
    loop: Annotated[
        Text,
        Cell(
            "loop", SHAPE, "or corners of its rim, counterclockwise seen from outside: 0, 0, 0; 10, 0, 0; 10, 8, 0 mm"
        ),
    ] = ""


def mouths_of(r: Reader, row: Row) -> list[tuple[Mouth, Mouth]]:
    """All mouths of a solid's row: where its file has them, and where they stand."""
    if isinstance(row, body.BodyRow):
        return body.mouths_of(r, row)
    read = KINDS[row.kind].read
    form = getattr(read(r, row), "form", None) if read else None
    return [(m, m) for m in mouths(form)] if form is not None else []


def alike(one: Mouth, other: Mouth) -> bool:
    """Whether two mouths have one area, and lie in one plane and face one way."""
    flat = abs(float((other.centre - one.centre) @ one.normal)) < 0.02 * one.area**0.5
    return flat and abs(one.area / other.area - 1.0) < 0.01 and float(one.normal @ other.normal) > 0.999


def read(r: Reader, row: BlankingPlate) -> Plate | None:
    """The plate of the model; None after a note where nothing is there that it could close."""
    if row.text("loop"):
        rim = _loop(r, row)
        return Plate(row.name, (rim,)) if rim is not None else None
    kinds = r.names_of("solid")
    of = r.by_name.get(r.choice(row, "of", kinds, ""))
    if of is None:
        return None
    at, faces = np.array(r.vector(row, "at", "length", 3, 0.0)), np.array(r.vector(row, "faces", "ratio", 3, 0.0))
    found = mouths_of(quiet(r), of)
    best, least = None, np.inf
    for pair in found:
        far = float(np.linalg.norm(pair[0].centre - at)) / pair[0].size[1]
        turn = 1.0 - float(pair[0].normal @ faces) / max(float(np.linalg.norm(faces)), 1e-12)
        if far + turn < least:
            best, least = pair, far + turn
    if best is None or least > NEAR:
        there = "" if best is None else ", ".join(f"{1e3 * x:.4g}" for x in best[0].centre)
        r.note(
            row,
            "at",
            f"“{of.name}” has no mouth there" + (f"; the nearest is at {there} mm." if there else ", and none at all."),
            "Find its openings again, or delete the plate.",
        )
        return None
    rims = [best[1]]
    if r.choice(row, "alike", ALIKE, "one") != "one":
        rims = [placed for raw, placed in found if alike(best[0], raw)]
    return Plate(row.name, tuple(rims))


def quiet(r: Reader) -> Reader:
    """A reader of the same rows whose problems nobody hears: they are told where the row itself is read."""
    out = copy(r)
    out.problems = []
    return out


def _loop(r: Reader, row: BlankingPlate) -> Mouth | None:
    parts = [p.strip() for p in row.text("loop").split(";") if p.strip()]
    unit = parts[-1].rsplit(" ", 1)[-1] if parts and parts[-1].rsplit(" ", 1)[-1].isalpha() else ""
    try:
        points = [
            units.vector(p if p.endswith(unit) or not unit else f"{p} {unit}", "length", 3, r.names) for p in parts
        ]
        if len(points) < 3:
            raise ValueProblem(row.loop, "names fewer than three corners.", "")
    except ValueProblem as error:
        r.note(row, "loop", error.what, "Write three corners or more: 0, 0, 0; 10, 0, 0; 10, 8, 0 mm.")
        return None
    rim = Mouth(tuple(points))
    if rim.area < 1e-12:
        r.note(row, "loop", "encloses no area.", "Give corners that do not lie on one line.")
        return None
    return rim


register(BlankingPlate, "Openings and fans", ("blanking plate",), read=read)
