"""Distances from curved and oblique surfaces: all that the grid needs to know of a shape that is no box.

Distances are in m, negative inside, and their gradient is of length one near the surface. Coordinates may be any arrays
that broadcast together; a shape that is the same all along one axis ignores that coordinate.
"""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon

from . import facets
from .geometry import Form, Outline, Path, Round, Triangles


def surfaces(form) -> tuple[str, ...]:
    """Names of a form's surfaces, the outer one first."""
    return ("outer", "bore") if getattr(form, "bore", 0.0) else ("outer",)


def distance(form, surface: str, x) -> np.ndarray:
    """Distance of the points ``x`` (three arrays) from one surface of a form, without the flat ends of what runs along
    an axis."""
    if isinstance(form, Outline):
        a, b = (t for t in range(3) if t != form.axis)
        return _polygon(np.array(form.points), x[a], x[b])
    radius = form.bore if surface == "bore" else form.radius
    if isinstance(form, Round):
        a, b = (t for t in range(3) if t != form.axis)
        return np.hypot(x[a] - form.centre[0], x[b] - form.centre[1]) - radius
    return _along_path(form, x, radius)


def _polygon(points: np.ndarray, x, y) -> np.ndarray:
    """Distance from a closed polygon, by its nearest edge; inside by the even-odd rule."""
    x, y = np.broadcast_arrays(x, y)
    nearest, inside = np.full(x.shape, np.inf), np.zeros(x.shape, bool)
    for (ax, ay), (bx, by) in zip(points, np.roll(points, -1, 0), strict=True):
        ex, ey = bx - ax, by - ay
        t = np.clip(((x - ax) * ex + (y - ay) * ey) / (ex * ex + ey * ey), 0.0, 1.0)
        nearest = np.minimum(nearest, (x - ax - t * ex) ** 2 + (y - ay - t * ey) ** 2)
        if ay != by:
            between = (y >= min(ay, by)) & (y < max(ay, by))
            inside ^= between & (x < ax + (y - ay) / (by - ay) * ex)
    return np.where(inside, -1.0, 1.0) * np.sqrt(nearest)


def pieces(form: Path) -> list[tuple]:
    """The centre line as ("straight", start, end) and ("bend", centre, from, to) pieces, all arrays (m).

    ``from`` and ``to`` are where a bend begins and ends. Bends are rounded with ``form.bend``, which :func:`fits` has
    checked.
    """
    points = np.array(form.points)
    out, start = [], points[0]
    for before, corner, after in zip(points[:-2], points[1:-1], points[2:], strict=True):
        one, two = _unit(before - corner), _unit(after - corner)
        half = 0.5 * np.arccos(np.clip(one @ two, -1.0, 1.0))
        if np.pi / 2 - half < 1e-6:  # straight on
            continue
        cut = form.bend / np.tan(half)
        first, last = corner + cut * one, corner + cut * two
        centre = corner + form.bend / np.sin(half) * _unit(one + two)
        out += [("straight", start, first), ("bend", centre, first, last)]
        start = last
    return [*out, ("straight", start, points[-1])]


def centre_line(form: Path, steps: int = 12, turn: float = np.inf) -> tuple[np.ndarray, np.ndarray]:
    """Points (n, 3) of the centre line, m, and the unit direction at each: a bend in ``steps``, or in as many of at
    most ``turn`` radians as it takes (two at least)."""
    points, ways = [], []
    for kind, *data in pieces(form):
        if kind == "straight":
            if np.linalg.norm(data[1] - data[0]) < 1e-9:  # between two bends that follow at once
                continue
            way = _unit(data[1] - data[0])
            points += [data[0], data[1]]
            ways += [way, way]
            continue
        centre, first, last = data
        e1 = _unit(first - centre)
        e2 = np.cross(_unit(np.cross(e1, last - centre)), e1)
        sweep = float(np.arctan2((last - centre) @ e2, (last - centre) @ e1))
        count = steps if np.isinf(turn) else max(int(np.ceil(sweep / turn)), 2)
        for t in np.linspace(0.0, sweep, count + 1):
            points.append(centre + form.bend * (np.cos(t) * e1 + np.sin(t) * e2))
            ways.append(-np.sin(t) * e1 + np.cos(t) * e2)
    kept = [m for m, p in enumerate(points) if m == 0 or np.linalg.norm(p - points[m - 1]) > 1e-9]
    return np.array([points[m] for m in kept]), np.array([ways[m] for m in kept])


def fits(form: Path) -> bool:
    """Whether its bends leave something of every straight piece."""
    points, at = np.array(form.points), 0.0
    if (np.linalg.norm(np.diff(points, axis=0), axis=1) <= 0).any():
        return False
    for m in range(len(points) - 1):
        length, cut = float(np.linalg.norm(points[m + 1] - points[m])), 0.0
        if m + 2 < len(points):
            one, two = _unit(points[m] - points[m + 1]), _unit(points[m + 2] - points[m + 1])
            half = 0.5 * np.arccos(np.clip(one @ two, -1.0, 1.0))
            if half < 0.05:
                return False
            cut = form.bend / np.tan(half)
        if at + cut > length * (1 + 1e-9):
            return False
        at = cut
    return True


def _unit(v: np.ndarray) -> np.ndarray:
    return v / np.linalg.norm(v)


def _along_path(form: Path, x, radius: float) -> np.ndarray:
    """Distance from a tube round the centre line; its two ends are cut square."""
    x = np.broadcast_arrays(*x)
    best = np.full(x[0].shape, np.inf)
    parts = pieces(form)
    for m, (kind, *data) in enumerate(parts):
        if kind == "straight":
            start, end = data
            way, length = _unit(end - start), float(np.linalg.norm(end - start))
            r = [xi - si for xi, si in zip(x, start, strict=True)]
            t = sum(ri * wi for ri, wi in zip(r, way, strict=True))
            off = np.sqrt(np.maximum(sum(ri * ri for ri in r) - t * t, 0.0)) - radius
            d = np.maximum(off, np.maximum(-t, t - length))
            if 0 < m:  # a bend comes before: no cut there
                d = np.where(t < 0, np.inf, d)
            if m < len(parts) - 1:
                d = np.where(t > length, np.inf, d)
        else:
            centre, first, last = data
            d = _bend(x, centre, first, last, radius)
        best = np.minimum(best, d)
    return best


def _bend(x, centre, first, last, radius: float) -> np.ndarray:
    """Distance from the tube round an arc, infinite beside its sector."""
    e1, bend = _unit(first - centre), float(np.linalg.norm(first - centre))
    normal = _unit(np.cross(e1, last - centre))
    e2 = np.cross(normal, e1)
    r = [xi - ci for xi, ci in zip(x, centre, strict=True)]
    p, q, h = (sum(ri * vi for ri, vi in zip(r, v, strict=True)) for v in (e1, e2, normal))
    sweep = np.arctan2((last - centre) @ e2, (last - centre) @ e1)
    angle = np.arctan2(q, p)
    d = np.sqrt((np.hypot(p, q) - bend) ** 2 + h**2) - radius
    return np.where((angle >= -1e-9) & (angle <= sweep + 1e-9), d, np.inf)


def volume(form) -> float:
    """Volume within the outer surface, m3 (bore included)."""
    if isinstance(form, Triangles):
        return facets.volume(form)
    if isinstance(form, Round):
        return np.pi * form.radius**2 * (form.span[1] - form.span[0])
    if isinstance(form, Outline):
        p, q = np.array(form.points), np.roll(np.array(form.points), -1, 0)
        return 0.5 * abs(float((p[:, 0] * q[:, 1] - q[:, 0] * p[:, 1]).sum())) * (form.span[1] - form.span[0])
    return np.pi * form.radius**2 * length(form)


def material_volume(form: Form) -> float:
    """Volume of the solid, its bore left out, m3."""
    if not isinstance(form, Round | Path) or not form.bore:
        return volume(form)
    long = length(form) if isinstance(form, Path) else form.span[1] - form.span[0]
    return np.pi * (form.radius**2 - form.bore**2) * long


def encloses(points) -> bool:
    """Whether the corners of a polygon, in order, enclose an area without its edges crossing."""
    if len(points) < 3:
        return False
    polygon = Polygon(points)
    return polygon.is_valid and polygon.area > 0.0


def surface_area(form) -> float:
    """Area of all its surfaces, ends and bore included, m2."""
    if isinstance(form, Triangles):
        return facets.area(form)
    if isinstance(form, Outline):
        p = np.array(form.points)
        span = form.span[1] - form.span[0]
        return float(np.linalg.norm(p - np.roll(p, -1, 0), axis=1).sum()) * span + 2 * volume(form) / span
    long = form.span[1] - form.span[0] if isinstance(form, Round) else length(form)
    return 2 * np.pi * (form.radius + form.bore) * long + 2 * np.pi * (form.radius**2 - form.bore**2)


def length(form: Path) -> float:
    """Length of the centre line, m."""
    total = 0.0
    for kind, *data in pieces(form):
        if kind == "straight":
            total += float(np.linalg.norm(data[1] - data[0]))
        else:
            a, b = data[1] - data[0], data[2] - data[0]
            total += form.bend * float(np.arccos(np.clip(_unit(a) @ _unit(b), -1, 1)))
    return total
