"""Solids put together from bars, blocks and outlines, as triangles: what the makers of sinks, plates, banks and shells
give. Lengths in m."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from .geometry import Box, Mesh
from .mouths import faces_by_edges

#: sides of a round bar; solids are put together in mm
SIDES, MM = 48, 1e3
_KEPT: dict[tuple, Mesh] = {}
MOST_KEPT = 256


def kept(key: tuple, make, rounds: Sequence[tuple[Box, float]] = ()) -> Mesh:
    """The solid of a key, made once; ``rounds``: boxes around its round pieces and their diameters."""
    if key not in _KEPT:
        while len(_KEPT) >= MOST_KEPT:
            _KEPT.pop(next(iter(_KEPT)))
        _KEPT[key] = replace(solid_of(make()), rounds=tuple(rounds))
    return _KEPT[key]


def block(box: Box) -> Any:
    """A box."""
    import manifold3d

    low, high = np.array(box, float).T * MM
    return manifold3d.Manifold.cube(tuple(high - low)).translate(tuple(low))


def bar(axis: int, centre: Sequence[float], span: Sequence[float], radius: float, sides: int = SIDES) -> Any:
    """A round bar along an axis whose section has the area of the circle; ``centre`` in the two other directions."""
    true = radius * np.sqrt(2 * np.pi / sides / np.sin(2 * np.pi / sides))
    turn = 2 * np.pi * (np.arange(sides) + 0.5) / sides
    return prism(axis, [np.array(centre) + true * np.stack([np.cos(turn), np.sin(turn)], -1)], span)


def around(axis: int, centre: Sequence[float], span: Sequence[float], wide: float) -> Box:
    """The box around a bar of a width along an axis."""
    box: list = [None] * 3
    box[axis] = tuple(span)
    for a, c in zip((a for a in range(3) if a != axis), centre, strict=True):
        box[a] = c - wide / 2, c + wide / 2
    return tuple(box)


def prism(axis: int, rings: Iterable, span: Sequence[float]) -> Any:
    """Rings (each (n, 2), in the two other directions; holes run the other way round or lie inside) drawn out along an
    axis."""
    import manifold3d

    area = manifold3d.CrossSection([np.asarray(r, float) * MM for r in rings], manifold3d.FillRule.EvenOdd)
    out = area.extrude((span[1] - span[0]) * MM).translate((0.0, 0.0, span[0] * MM))
    if axis == 2:
        return out
    # (u, v, w) to (w, u, v) along x, to (u, w, v) along y; the last mirrors, which the matrix takes care of
    rows = {0: [[0, 0, 1, 0], [1, 0, 0, 0], [0, 1, 0, 0]], 1: [[1, 0, 0, 0], [0, 0, 1, 0], [0, 1, 0, 0]]}[axis]
    return out.transform(np.array(rows, float))


def polygon(axis: int, shape: Any, span: Sequence[float]) -> Any:
    """A polygon (or several) of shapely drawn out along an axis."""
    pieces = getattr(shape, "geoms", [shape])
    rings = []
    for p in pieces:
        rings += [np.array(ring.coords)[:-1, :2] for ring in (p.exterior, *p.interiors)]
    return prism(axis, rings, span)


def joined(parts: Iterable[Any]) -> Any:
    """All of some solids as one."""
    import manifold3d

    return manifold3d.Manifold.batch_boolean(list(parts), manifold3d.OpType.Add)


def solid_of(whole: Any) -> Mesh:
    """What was put together, with a face wherever edges are sharp."""
    mesh = whole.to_mesh64()
    points = np.round(np.asarray(mesh.vert_properties, float)[:, :3] / MM, 12)
    triangles = np.asarray(mesh.tri_verts, np.int64)
    content = hashlib.sha256(points.tobytes() + triangles.tobytes()).hexdigest()[:16]
    return Mesh(content, 0, points, triangles, faces_by_edges(points, triangles))
