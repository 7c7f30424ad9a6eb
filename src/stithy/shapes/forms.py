"""Rows of shapes that are no box: bars, tubes, outlines, passages."""
from __future__ import annotations

from math import pi

from ..errors import ValueProblem
from ..project import units
from ..project.model import Facets, Form, Outline, Path, Round
from ..project.resolve import Reader
from .facets import fault
from .solids import fits, length, volume

#: kinds that are no box, and kinds that are passages when their material is "fluid"
FORMED = ("cylinder", "outline", "tube", "triangulated")
FILLED = (*FORMED, "block")


def form(r: Reader, row) -> Form:
    """The shape of a row of one of these kinds, or of a bore or block that is a passage."""
    return {"outline": _outline, "tube": _tube, "triangulated": _triangulated, "block": _box}.get(row.kind, _round)(r, row)


def material_volume(shape: Form) -> float:
    """Volume of the solid, its bore left out, m3."""
    bore = getattr(shape, "bore", 0.0)
    if not bore:
        return volume(shape)
    long = length(shape) if isinstance(shape, Path) else shape.span[1] - shape.span[0]
    return pi * (shape.radius**2 - bore**2) * long


def _cells(r: Reader, row, fallback: int) -> int:
    return r.whole(row, "cells", fallback, 2, 200) if row.cells.strip() else fallback


def _round(r: Reader, row) -> Round:
    axis = "xyz".index(r.choice(row, "along", ("x", "y", "z"), "x"))
    at = r.vector(row, "at", "length", 3, 0.0)
    long = r.value(row, "length", "length", 1e-3, above=0.0)
    return Round(axis, tuple(at[a] for a in range(3) if a != axis), (at[axis], at[axis] + long), *_radii(r, row), _cells(r, row, 12))


def _radii(r: Reader, row) -> tuple[float, float]:
    diameter = r.value(row, "diameter", "length", 1e-3, above=0.0)
    bore = r.value(row, "bore", "length", 0.0, least=0.0) if row.kind != "bore" and row.material.strip() != "fluid" else 0.0
    if bore >= diameter:
        r.note(row, "bore", f"“{row.bore}” is as wide as the whole.", "Make the bore narrower than the diameter.")
        bore = 0.0
    return diameter / 2, bore / 2


def _points(r: Reader, row, count: int) -> list[tuple[float, ...]]:
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
            r.note(row, "points", error.what, "Write points such as 0, 0; 20, 0; 0, 20 mm." if count == 2
                   else "Write points such as 0, 0, 0; 40, 0, 0; 40, 30, 0 mm.")
            return []
    return out


def _plain_points(texts, unit: str, count: int) -> list[tuple[float, ...]]:
    """The points when they are plain numbers with one unit at the end, as long lists are; nothing when they are not."""
    try:
        rows = [[float(v) for v in t.removesuffix(unit).split(",")] for t in texts]
        scale = units.to_si(f"1 {unit}", "length")
    except (ValueError, ValueProblem):
        return []
    return [tuple(v * scale for v in row) for row in rows] if all(len(row) == count for row in rows) else []


def _triangulated(r: Reader, row) -> Facets:
    points, before = _points(r, row, 3), len(r.problems)
    plain = Facets(((0.0, 0.0, 0.0), (1e-3, 0.0, 0.0), (0.0, 1e-3, 0.0), (0.0, 0.0, 1e-3)), ((0, 2, 1), (0, 1, 3), (1, 2, 3), (0, 3, 1)))
    triples = [t.replace(",", " ").split() for t in row.triangles.split(";") if t.strip()]
    wrong = next((" ".join(t) for t in triples if len(t) != 3 or not all(n.isdigit() for n in t)), None)
    if wrong is not None:
        r.note(row, "triangles", f"“{wrong}” is not three whole numbers.", "Write triangles such as 1, 3, 2; 1, 2, 4.")
        return plain
    triangles = tuple(tuple(int(n) - 1 for n in t) for t in triples)
    what = fault(points, triangles) if points else ""
    if what:
        r.note(row, "triangles", what, "Give every edge two triangles, each counterclockwise seen from outside.")
    return plain if what or not points or len(r.problems) > before else Facets(tuple(map(tuple, points)), triangles, _cells(r, row, 8))


def _outline(r: Reader, row) -> Outline:
    axis = "xyz".index(r.choice(row, "along", ("x", "y", "z"), "z"))
    at, long = r.value(row, "at", "length", 0.0), r.value(row, "length", "length", 1e-3, above=0.0)
    points, before = _points(r, row, 2), len(r.problems)
    plain = Outline(axis, ((0.0, 0.0), (1e-3, 0.0), (0.0, 1e-3)), (at, at + long))
    shape = Outline(axis, tuple(points), (at, at + long), _cells(r, row, 8))
    if len(points) < 3 or _crosses(points) or volume(shape) <= 0:
        if len(points) and len(r.problems) == before:
            r.note(row, "points", "make no area: there are fewer than three, or edges cross.",
                   "Give the corners in order round the outline.")
        return plain
    return shape


def _crosses(points) -> bool:
    """Whether two edges of the polygon cross."""
    def side(a, b, c) -> float:
        return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])

    n = len(points)
    edges = [(points[i], points[(i + 1) % n]) for i in range(n)]
    return any(side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0
               for i, (a, b) in enumerate(edges) for c, d in edges[i + 1:])


def _tube(r: Reader, row) -> Path:
    points = _points(r, row, 3)
    radius, bore = _radii(r, row)
    bend = r.value(row, "bend", "length", 1e-3, above=0.0)
    shape = Path(tuple(points), bend, radius, bore, _cells(r, row, 8))
    if len(points) >= 2 and bend >= radius and fits(shape):
        return shape
    if len(points) == 1:
        r.note(row, "points", "is only one point.", "Give at least two points of the centre line.")
    elif points and bend < radius:
        r.note(row, "bend", f"“{row.bend}” is less than half the diameter.", "Bend it more gently.")
    elif points:
        r.note(row, "bend", f"“{row.bend}” leaves nothing straight between two corners.",
               "Bend it more sharply, or move the corners apart.")
    return Path(((0.0, 0.0, 0.0), (4 * radius, 0.0, 0.0)), bend, radius, bore)


def _box(r: Reader, row) -> Outline:
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 3, 1e-3, above=0.0)
    (x0, y0), (x1, y1) = at[:2], [a + s for a, s in zip(at[:2], size[:2], strict=True)]
    return Outline(2, ((x0, y0), (x1, y0), (x1, y1), (x0, y1)), (at[2], at[2] + size[2]), _cells(r, row, 3))
