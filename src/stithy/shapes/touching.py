"""Where two solids touch: areas by lines along the axes, exact in planes and independent of any grid."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from . import facets
from .geometry import Box, Form, Mesh

#: m: faces no farther apart than this, or as deep in each other, touch
WITHIN = 1e-4
#: lines along each axis through the common box of two faces, in both directions
LINES = 64
_CORNERS = [(i, j, k) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
_QUADS = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))


@dataclass(frozen=True)
class Touch:
    """A face of one solid that touches a face of another: their numbers, the true ``area`` (m2) and the mean ``gap``
    (m, below zero where they overlap)."""

    face: int
    other: int
    area: float
    gap: float


def as_mesh(boxes: Iterable[Box]) -> Mesh:
    """Boxes as a solid of triangles; faces 0 to 5 look x-, x+, y-, y+, z-, z+."""
    points, triangles, faces = [], [], []
    for m, box in enumerate(boxes):
        points += [[box[a][c[a]] for a in range(3)] for c in _CORNERS]
        for f, (a, b, c, d) in enumerate(_QUADS):
            triangles += [[8 * m + a, 8 * m + b, 8 * m + c], [8 * m + a, 8 * m + c, 8 * m + d]]
            faces += [f, f]
    return Mesh(f"{tuple(boxes)}", 0, np.array(points, float), np.array(triangles), np.array(faces))


def meshed(form: Form | None, boxes: tuple[Box, ...]) -> Mesh | None:
    """A solid as triangles where it is bounded by flats or was imported; None for bars, tubes and outlines."""
    if form is None:
        return as_mesh(boxes)
    return form if isinstance(form, Mesh) else None


@lru_cache(maxsize=8192)
def touching(one: Mesh, other: Mesh, within: float = WITHIN) -> tuple[Touch, ...]:
    """All pairs of faces of two solids that touch."""
    if any(p[1] < q[0] - within or q[1] < p[0] - within for p, q in zip(one.box, other.box, strict=True)):
        return ()
    mine, theirs = _pieces(one), _pieces(other)
    out = []
    for f, (low, high) in zip(mine[0], mine[1], strict=True):
        near = (np.minimum(high, theirs[1][:, 1]) - np.maximum(low, theirs[1][:, 0]) >= -within).all(axis=1)
        for m in np.flatnonzero(near):
            area, apart = _common(mine[2][f], theirs[2][theirs[0][m]], within)
            if area > 0.0:
                out.append(Touch(int(f), int(theirs[0][m]), area, apart / area))
    return tuple(out)


@lru_cache(maxsize=512)
def _pieces(form: Mesh) -> tuple[np.ndarray, np.ndarray, dict[int, Mesh]]:
    """Numbers of all faces, the boxes around them (n, 2, 3; m), and each as triangles of its own."""
    of, triangles = np.asarray(form.faces), np.asarray(form.triangles)
    numbers, boxes, pieces = np.unique(of), [], {}
    for m in numbers:
        used, again = np.unique(triangles[of == m], return_inverse=True)
        points = np.asarray(form.points, float)[used]
        pieces[int(m)] = Mesh("", 0, points, again.reshape(-1, 3), np.zeros(len(again) // 3, int))
        boxes.append([points.min(axis=0), points.max(axis=0)])
    return numbers, np.array(boxes), pieces


def _common(one: Mesh, other: Mesh, within: float) -> tuple[float, float]:
    """Area (m2) on which two faces touch, and area times gap (m3): of two planes what their outlines have in common,
    else by lines."""
    plane, facing = _plane(one), _plane(other)
    if plane is not None and facing is not None:
        return _in_plane(one, other, plane, facing, within)
    low = np.maximum([s[0] for s in one.box], [s[0] for s in other.box])
    high = np.minimum([s[1] for s in one.box], [s[1] for s in other.box])
    area = apart = 0.0
    for axis in range(3):
        a, b = (t for t in range(3) if t != axis)
        if min(high[a] - low[a], high[b] - low[b]) <= 1e-7:
            continue
        p, q = (low[t] + (high[t] - low[t]) * (np.arange(LINES) + 0.5) / LINES for t in (a, b))
        cell = (high[a] - low[a]) * (high[b] - low[b]) / LINES**2
        tilt, gap = _match(facets.hits(one, axis, p, q), facets.hits(other, axis, p, q), within)
        area, apart = area + float(tilt.sum()) * cell, apart + float((tilt * gap).sum()) * cell
    return area, apart


def _plane(form: Mesh) -> np.ndarray | None:
    """Unit normal of a flat face, or None."""
    x = facets.corners(form)
    normal = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    mean = normal.sum(axis=0)
    size = float(np.linalg.norm(mean))
    return mean / size if size > 0.99999 * float(np.linalg.norm(normal, axis=1).sum()) else None


def _in_plane(one: Mesh, other: Mesh, plane, facing, within: float) -> tuple[float, float]:
    import shapely

    from .mouths import basis

    gap = float((facets.corners(other).mean(axis=(0, 1)) - facets.corners(one).mean(axis=(0, 1))) @ plane)
    if plane @ facing > -0.9999 or abs(gap) > within:
        return 0.0, 0.0
    across = np.stack(basis(plane), -1)
    outlines = [shapely.union_all(shapely.polygons(facets.corners(f) @ across)) for f in (one, other)]
    area = float(shapely.intersection(*outlines).area)
    return area, area * gap


def _match(mine, theirs, within: float) -> tuple[np.ndarray, np.ndarray]:
    """Of lines that leave one face and enter another near by (or the other way round): the part of the normal along the
    lines, and the gap (m) along it."""
    tilts, gaps = [np.zeros(0)], [np.zeros(0)]
    for sign in (1.0, -1.0):
        i, j, at, tilt = (x[mine[3] * sign > 0] for x in mine[:4])
        k, m, place, slant = (x[theirs[3] * sign < 0] for x in theirs[:4])
        if not len(i) or not len(k):
            continue
        start = min(at.min(), place.min())
        span = 4.0 * max(at.max() - start, place.max() - start, within)
        here, there = (i * LINES + j) * span + at - start, (k * LINES + m) * span + place - start
        order = np.argsort(there)
        there = there[order]
        best = np.minimum(np.searchsorted(there, here), len(there) - 1)
        before = np.maximum(best - 1, 0)
        best = np.where(np.abs(there[before] - here) < np.abs(there[best] - here), before, best)
        gap = sign * (there[best] - here) * np.abs(tilt)
        near = (np.abs(gap) <= within) & (np.abs(slant[order][best]) > 0.5 * np.abs(tilt))
        tilts.append(np.abs(tilt[near]))
        gaps.append(gap[near])
    return np.concatenate(tilts), np.concatenate(gaps)
