"""Reading what shapes that are no boxes share: points, radii, cells across."""

from __future__ import annotations

from typing import Any

from ..errors import ValueProblem
from ..project import units
from ..project.reader import Reader
from ..shapes.geometry import Round
from .cells import AXES
from .solids import is_passage


def cells(r: Reader, row, fallback: int) -> int:
    """Cells across a shape."""
    return r.whole(row, "cells", fallback, 2, 200) if row.text("cells") else fallback


def along(r: Reader, row, fallback: str) -> int:
    """Number of the axis a row runs along."""
    return AXES.index(r.choice(row, "along", AXES, fallback))


def radii(r: Reader, row) -> tuple[float, float]:
    """Outer and inner radius (m); a passage has no inner one."""
    diameter = r.value(row, "diameter", "length", 1e-3, above=0.0)
    bore = r.value(row, "bore", "length", 0.0, least=0.0) if hasattr(row, "bore") and not is_passage(row) else 0.0
    if bore >= diameter:
        r.note(row, "bore", f"“{row.bore}” is as wide as the whole.", "Make the bore narrower than the diameter.")
        bore = 0.0
    return diameter / 2, bore / 2


def round_bar(r: Reader, row) -> Round:
    """The round bar, tube or passage of a row along an axis."""
    axis = along(r, row, "x")
    at = r.vector(row, "at", "length", 3, 0.0)
    long = r.value(row, "length", "length", 1e-3, above=0.0)
    one, other = (a for a in range(3) if a != axis)
    return Round(axis, (at[one], at[other]), (at[axis], at[axis] + long), *radii(r, row), cells(r, row, 12))


def points(r: Reader, row, count: int) -> list[Any]:
    """The points of a cell such as "0, 0; 20, 0; 0, 20 mm"; the last unit holds for all that have none."""
    texts = [p.strip() for p in row.points.split(";") if p.strip()]
    unit = texts[-1].split()[-1] if texts and " " in texts[-1] and not texts[-1].split()[-1][-1].isdigit() else ""
    plain = _plain_points(texts, unit, count) if unit else []
    if plain:
        return plain
    out = []
    for text in texts:
        if unit and not text.endswith(unit) and text.split()[-1][-1].isdigit():
            text = f"{text} {unit}"
        try:
            out.append(units.vector(text, "length", count, r.names))
        except ValueProblem as error:
            r.note(
                row,
                "points",
                error.what,
                "Write points such as 0, 0; 20, 0; 0, 20 mm."
                if count == 2
                else "Write points such as 0, 0, 0; 40, 0, 0; 40, 30, 0 mm.",
            )
            return []
    return out


def _plain_points(texts, unit: str, count: int) -> list[Any]:
    """The points when they are plain numbers with one unit at the end, as long lists are; nothing when they are not."""
    try:
        rows = [[float(v) for v in t.removesuffix(unit).split(",")] for t in texts]
        scale = units.to_si(f"1 {unit}", "length")
    except (ValueError, ValueProblem):
        return []
    return [tuple(v * scale for v in row) for row in rows] if all(len(row) == count for row in rows) else []
