"""The scale of things on a bench: rulers along the model's edges, and a coin, a hand or a person beside it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv
from shapely.geometry import LineString, Point, Polygon
from shapely.ops import unary_union

from ..read import shown
from . import camera, look, scene
from .painter import Painter
from .viewing import Look

#: marks with a number on a ruler at most; a tick's length over the model's size
MOST, TICK = 6, 0.012
#: edges shorter than this part of the longest have none: their numbers would run into each other
SHORT = 0.15
#: what a model is set beside, by the largest of its lengths (m) up to which it is
SHADOWS = ((0.12, "coin"), (0.7, "hand"), (np.inf, "person"))
#: real lengths (m): the coin's diameter and thickness, the hand from wrist to tip, the person's height
COIN, HAND, PERSON = (0.0243, 0.0019), 0.19, 1.75


def step_for(length: float) -> float:
    """A round step (m) of a ruler of a length: at most :data:`MOST` of them fit, in the unit that is shown."""
    size = shown.back(1.0, "length") - shown.back(0.0, "length")
    least = length / size / MOST
    ten = 10.0 ** np.floor(np.log10(least))
    return float(next(m for m in (1, 2, 5, 10) if m * ten >= least * (1 - 1e-9)) * ten * size)


def edges(bounds, toward) -> list[tuple[int, np.ndarray, np.ndarray]]:
    """Where rulers lie: axis, the edge's low end (m), and the direction in which its numbers stand off; those edges
    that the viewer has in front."""
    b = np.array(bounds, float)
    front = [int(t > 0) for t in toward]
    corner = np.array([b[a][front[a]] for a in range(3)])
    out_of = np.array([1.0 if f else -1.0 for f in front])
    low = b[:, 0]
    x, y, z = corner.copy(), corner.copy(), corner.copy()
    x[0], x[2], y[1], y[2] = low[0], low[2], low[1], low[2]
    z[2], z[0] = low[2], b[0][1 - front[0]]
    return [
        (0, x, np.array([0.0, out_of[1], 0.0])),
        (1, y, np.array([out_of[0], 0.0, 0.0])),
        (2, z, np.array([-out_of[0], 0.0, 0.0])),
    ]


def ruler(axis: int, start: np.ndarray, away: np.ndarray, length: float, size: float) -> tuple[list, list]:
    """Ends of its lines (m), and its numbers with their places (m)."""
    way, step = np.eye(3)[axis], step_for(length)
    lines, numbers = [], []
    first = np.ceil((start[axis] - 1e-9) / step) * step
    marks = np.arange(first, start[axis] + length + 1e-9, step)
    for at in marks:
        foot = start + way * (at - start[axis])
        lines.append((foot, foot + away * TICK * size))
        numbers.append((foot + away * 2.4 * TICK * size, shown.text(round(at, 9) + 0.0, "length", 6, False)))
    for at in np.arange(start[axis], start[axis] + length, step / 5):
        foot = start + way * (at - start[axis])
        lines.append((foot, foot + away * 0.4 * TICK * size))
    end = start + way * (length + 3.0 * TICK * size) + away * 2.4 * TICK * size
    numbers.append((end, f"{'xyz'[axis]}, {shown.symbol('length')}"))
    return lines, numbers


class RulersItem:
    """Rulers along three edges."""

    key = "rulers"

    def wanted(self, look_: Look) -> bool:
        """While a model is made."""
        return (
            look_.rulers and look_.result is None and look_.stage in ("Shape", "Load") and bool(look_.model.enclosures)
        )

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        bounds = camera.bounds(look_.model)
        size = max(hi - lo for lo, hi in bounds)
        ends, numbers = [], []
        for axis, start, away in edges(bounds, look_.toward):
            if bounds[axis][1] - bounds[axis][0] < SHORT * size:
                continue
            lines, told = ruler(axis, start, away, bounds[axis][1] - bounds[axis][0], size)
            ends += lines
            numbers += told
        points = np.array(ends).reshape(-1, 3) * scene.MM
        pairs = np.column_stack([np.full(len(ends), 2), np.arange(len(points)).reshape(-1, 2)]).ravel()
        painter.add(pv.PolyData(points, lines=pairs), color=look.INK2, line_width=1.0, pickable=False, lighting=False)
        painter.words([p for p, _ in numbers], [t for _, t in numbers])
        yield


def shadow_for(bounds) -> str:
    """What a model is set beside."""
    longest = max(hi - lo for lo, hi in bounds)
    return next(what for most, what in SHADOWS if longest <= most)


def _round(line, wide: float):
    return LineString(line).buffer(wide / 2)


def person(height: float = PERSON) -> Polygon:
    """Somebody standing, seen from in front: feet at 0, arms a little away; as high as is said."""
    parts = [
        Point(0.0, 0.93).buffer(0.068),
        Polygon([(-0.115, 0.83), (0.115, 0.83), (0.085, 0.5), (-0.085, 0.5)]).buffer(0.02),
        _round([(0.0, 0.82), (0.0, 0.9)], 0.06),
    ]
    for s in (-1, 1):
        parts.append(_round([(0.125 * s, 0.81), (0.175 * s, 0.62), (0.185 * s, 0.45)], 0.055))
        parts.append(_round([(0.055 * s, 0.52), (0.065 * s, 0.27), (0.07 * s, 0.04)], 0.085))
        parts.append(_round([(0.07 * s, 0.02), (0.1 * s, 0.02)], 0.04))
    return _scaled(unary_union(parts), height)


def hand(height: float = HAND) -> Polygon:
    """An open hand: wrist at 0, the middle finger's tip as high as is said."""
    parts = [
        Polygon([(-0.2, 0.05), (0.2, 0.05), (0.23, 0.5), (-0.23, 0.5)]).buffer(0.03),
        _round([(0.0, 0.0), (0.0, 0.1)], 0.34),
        _round([(-0.2, 0.25), (-0.4, 0.45), (-0.43, 0.55)], 0.12),
    ]
    for x, top in ((-0.18, 0.86), (-0.06, 0.95), (0.07, 0.9), (0.19, 0.75)):
        parts.append(_round([(x * 0.9, 0.45), (x * 1.1, top)], 0.1))
    return _scaled(unary_union(parts), height)


def _scaled(shape, height: float) -> Polygon:
    from shapely.affinity import scale, translate

    low, high = shape.bounds[1], shape.bounds[3]
    factor = height / (high - low)
    return translate(scale(shape, factor, factor, origin=(0, low)), 0.0, -low)


def shadow(bounds) -> tuple[pv.PolyData, np.ndarray, str]:
    """The thing beside a model: its mesh (mm), where its words stand (m), what it is."""
    what = shadow_for(bounds)
    (x0, x1), (y0, _), (z0, _) = bounds
    gap = 0.1 * max(x1 - x0, 0.02)
    if what == "coin":
        wide, thick = COIN
        centre = np.array([x1 + gap + wide / 2, y0 + wide / 2, z0 + thick / 2])
        disc = pv.Cylinder(
            center=centre * scene.MM,
            direction=(0, 0, 1),
            radius=wide / 2 * scene.MM,
            height=thick * scene.MM,
            resolution=64,
        )
        return disc, centre + [0, 0, thick], f"coin, {shown.text(wide, 'length', 3)}"
    outline = hand() if what == "hand" else person()
    ring = np.array(outline.exterior.coords)[:-1]
    wide = float(np.ptp(ring[:, 0]))
    at = x1 + gap + wide / 2
    points = np.column_stack([ring[:, 0] + at, np.full(len(ring), y0), ring[:, 1] + z0])
    face = pv.PolyData(points * scene.MM, np.array([len(points), *range(len(points))])).triangulate()
    top = HAND if what == "hand" else PERSON
    return face, np.array([at, y0, z0 + top]), f"{what}, {shown.text(top, 'length', 3)}"


class ShadowItem:
    """A coin, a hand or a person beside the model."""

    key = "shadow"

    def wanted(self, look_: Look) -> bool:
        """While a model is made, where it is asked for."""
        return look_.result is None and look_.scaled and bool(look_.model.enclosures)

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        mesh, place, words = shadow(camera.bounds(look_.model))
        painter.add(mesh, color=look.INK2, opacity=0.35, lighting=False, pickable=False)
        painter.words([place], [words])
        yield
