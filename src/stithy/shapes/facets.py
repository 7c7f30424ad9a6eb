"""Solids bounded by triangles: where lines along the axes pass their surface, and so what lies inside."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numba import njit

from .geometry import Box, Facets, Mesh, Triangles

#: of a solid's surface: less of it in one plane is not looked at; and how many such planes are
LIGHT, MOST_LEVELS = 0.002, 80


def corners(form: Triangles) -> np.ndarray:
    """Corners of all triangles (m, 3 corners, 3), m."""
    return np.array(form.points, float)[np.array(form.triangles, np.int64)]


def fault(points, triangles) -> str:
    """What keeps triangles from bounding a solid, in words; "" when nothing does."""
    if len(triangles) < 4:
        return "are fewer than four, which bound nothing."
    t = np.array(triangles)
    if t.min() < 0 or t.max() >= len(points):
        return f"name corner {t.max() + 1 if t.max() >= len(points) else t.min() + 1}, but there are {len(points)}."
    edges: dict[tuple[int, int], int] = {}
    for a, b in zip(t.ravel(), np.roll(t, -1, 1).ravel(), strict=True):
        edges[int(a), int(b)] = edges.get((int(a), int(b)), 0) + 1
    for (a, b), times in edges.items():
        if times > 1:
            edge = f"the edge from corner {a + 1} to {b + 1}"
            return f"run along {edge} {times} times the same way; two that touch run opposite ways."
        if (b, a) not in edges:
            return f"leave a gap along the edge between corners {a + 1} and {b + 1}."
    if volume(Facets(tuple(map(tuple, points)), tuple(map(tuple, t)))) == 0.0:
        return "bound no volume."
    return ""


def volume(form: Triangles) -> float:
    """Volume, m3."""
    a, b, c = np.moveaxis(corners(form), 1, 0)
    return abs(float((a * np.cross(b, c)).sum())) / 6


def area(form: Triangles) -> float:
    """Area of the surface, m2."""
    return area_of(form, slice(None))


def area_of(form: Triangles, which) -> float:
    """Area (m2) of some triangles."""
    a, b, c = np.moveaxis(corners(form)[which], 1, 0)
    return 0.5 * float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum())


def flats(form: Triangles, axis: int) -> set[float]:
    """Places along ``axis`` (m) of triangles that stand square to it."""
    x = corners(form)[:, :, axis]
    return {round(float(v), 9) for v in x[np.ptp(x, axis=1) < 1e-9, 0]}


@lru_cache(maxsize=4096)
def levels(form: Mesh, axis: int) -> tuple[tuple[float, float, float], ...]:
    """Places along ``axis`` (m) where much of the surface stands square to it, rising, with the areas (m2) that face up
    and down there; both ends of the box are among them."""
    x = corners(form)
    normal = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    across = 0.5 * np.linalg.norm(normal, axis=1)
    here = np.ptp(x[:, :, axis], axis=1) < 1e-9
    place = np.round(x[here, 0, axis], 9)
    found, of = np.unique(place, return_inverse=True)
    up = np.bincount(of, np.maximum(0.5 * normal[here, axis], 0.0), len(found))
    down = np.bincount(of, np.maximum(-0.5 * normal[here, axis], 0.0), len(found))
    heavy = up + down > LIGHT * across.sum()
    least = np.sort((up + down)[heavy])[-MOST_LEVELS:].min() if heavy.any() else 0.0
    keep = heavy & (up + down >= least)
    out = {float(p): (float(u), float(d)) for p, u, d in zip(found[keep], up[keep], down[keep], strict=True)}
    for end in form.box[axis]:
        if all(abs(end - p) > 1e-9 for p in out):
            out[end] = (0.0, 0.0)
    return tuple((p, *out[p]) for p in sorted(out))


@lru_cache(maxsize=1024)
def rounds(form: Mesh) -> tuple[tuple[Box, float], ...]:
    """Curved faces: the box around each and its diameter (m), from its area and how much it turns; not those that are
    small beside the solid, such as rounded edges."""
    x, of = corners(form), np.asarray(form.faces)
    normal = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    size = np.linalg.norm(normal, axis=1)
    unit = normal / np.maximum(size, 1e-300)[:, None]
    t = np.asarray(form.triangles)
    run = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    key = run[:, 0].astype(np.int64) * (int(t.max()) + 1) + run[:, 1]
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(key[order][1:] == key[order][:-1])
    one, other = order[same] % len(t), order[same + 1] % len(t)
    inside = of[one] == of[other]
    one, other = one[inside], other[inside]
    edge = run[order[same]][inside]
    length = np.linalg.norm(np.diff(np.asarray(form.points, float)[edge], axis=1)[:, 0], axis=1)
    turn = np.arccos(np.clip((unit[one] * unit[other]).sum(axis=1), -1.0, 1.0))
    n = int(of.max()) + 1
    bent, area = np.bincount(of[one], turn * length, n), np.bincount(of, 0.5 * size, n)
    whole, out = max(hi - lo for lo, hi in form.box), []
    for face in np.flatnonzero(bent > 0.1 * np.sqrt(area)):
        diameter = 2.0 * float(area[face] / bent[face])
        if diameter > 0.03 * whole:
            y = x[of == face].reshape(-1, 3)
            out.append((tuple(zip(map(float, y.min(axis=0)), map(float, y.max(axis=0)), strict=True)), diameter))
    return tuple(out)


def contains(form: Triangles, points: np.ndarray) -> np.ndarray:
    """Whether points (n, 3), m, lie inside."""
    points, x = np.ascontiguousarray(points, float), corners(form)
    low, high = points.min(axis=0), points.max(axis=0)
    near = (x[:, :, :2].max(axis=1) >= low[:2]) & (x[:, :, :2].min(axis=1) <= high[:2])
    return _contains(x[near.all(axis=1) & (x[:, :, 2].max(axis=1) >= low[2])], points)


def pierced(form: Triangles, start, end) -> list[tuple[float, int]]:
    """Triangles that a straight line from ``start`` to ``end`` (m) passes: how far along it (0 to 1), and their
    numbers.

    Source: T. Moller & B. Trumbore, J. Graphics Tools 2 (1997).
    """
    start, way = np.asarray(start, float), np.subtract(end, start)
    a, b, c = np.moveaxis(corners(form), 1, 0)
    e, f = b - a, c - a
    p = np.cross(way, f)
    size = (e * p).sum(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        inverse = np.where(np.abs(size) > 0.0, 1.0 / size, np.nan)
        from_a = start - a
        u = (from_a * p).sum(axis=1) * inverse
        q = np.cross(from_a, e)
        v = (q @ way) * inverse
        far = (q * f).sum(axis=1) * inverse
        met = (u >= 0.0) & (v >= 0.0) & (u + v <= 1.0) & (far > 0.0) & (far < 1.0)
    return [(float(far[m]), int(m)) for m in np.flatnonzero(met)]


@njit(cache=True)
def _contains(triangles, points):
    """By the crossings of a line upwards from each point."""
    out = np.zeros(len(points), np.bool_)
    for m in range(len(triangles)):
        t = triangles[m]
        e, f = t[1] - t[0], t[2] - t[0]
        up = e[0] * f[1] - e[1] * f[0]
        if up == 0.0:
            continue
        lowest, highest = min(t[0, 1], t[1, 1], t[2, 1]), max(t[0, 1], t[1, 1], t[2, 1])
        for k in range(len(points)):
            a, b, c = points[k, 0], points[k, 1], points[k, 2]
            if b < lowest or b >= highest:
                continue
            inside = False
            for g in range(3):
                h = (g + 1) % 3
                y0, y1 = t[g, 1], t[h, 1]
                if (y0 <= b < y1 or y1 <= b < y0) and a < t[g, 0] + (b - y0) / (y1 - y0) * (t[h, 0] - t[g, 0]):
                    inside = not inside
            if inside:
                n0, n1 = e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2]
                if t[0, 2] - (n0 * (a - t[0, 0]) + n1 * (b - t[0, 1])) / up > c:
                    out[k] = not out[k]
    return out


def passages(
    form: Triangles, axis: int, p: np.ndarray, q: np.ndarray
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Where lines along ``axis`` at the positions ``p``, ``q`` (m, rising) of the two other axes pass the surface.

    Returns the lines' numbers in ``p`` and ``q``, the places along the axis (m), in rising order for each line, and the
    part of the surface's normal along the axis. A line through an edge meets just one of its two triangles.
    """
    i, j, at, tilt, _ = hits(form, axis, p, q)
    order = np.lexsort((at, j, i))
    return i[order], j[order], at[order], np.abs(tilt[order])


def hits(form: Triangles, axis: int, p: np.ndarray, q: np.ndarray) -> tuple[np.ndarray, ...]:
    """As :func:`passages` in no order, the normal's part with its sign, and the number of the triangle passed."""
    return _pass(corners(form), axis, np.ascontiguousarray(p), np.ascontiguousarray(q))


@njit(cache=True)
def _pass(triangles, axis, p, q):
    a, b = (1 if axis == 0 else 0), (1 if axis == 2 else 2)
    lines_p, lines_q, places, tilts, numbers = [0], [0], [0.0], [0.0], [0]
    for m in range(len(triangles)):
        t = triangles[m]
        e, f = t[1] - t[0], t[2] - t[0]
        normal = np.array([e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]])
        size = np.sqrt((normal * normal).sum())
        if size == 0.0 or abs(normal[axis]) < 1e-12 * size:
            continue
        x, y = t[:, a], t[:, b]
        for i in range(np.searchsorted(p, x.min()), np.searchsorted(p, x.max(), side="right")):
            for j in range(np.searchsorted(q, y.min()), np.searchsorted(q, y.max(), side="right")):
                inside = False
                for c in range(
                    3
                ):  # crossings of the edges by a ray, each edge taken the same way round whichever triangle asks
                    g, h = c, (c + 1) % 3
                    if y[g] > y[h] or (y[g] == y[h] and x[g] > x[h]):
                        g, h = h, g
                    if y[g] <= q[j] < y[h] and p[i] < x[g] + (q[j] - y[g]) / (y[h] - y[g]) * (x[h] - x[g]):
                        inside = not inside
                if inside:
                    lines_p.append(i)
                    lines_q.append(j)
                    places.append(t[0, axis] - (normal[a] * (p[i] - x[0]) + normal[b] * (q[j] - y[0])) / normal[axis])
                    tilts.append(normal[axis] / size)
                    numbers.append(m)
    return (
        np.array(lines_p)[1:],
        np.array(lines_q)[1:],
        np.array(places)[1:],
        np.array(tilts)[1:],
        np.array(numbers)[1:],
    )


def inside(form: Triangles, x) -> np.ndarray:
    """Whether the points of a grid (three 1-D arrays, m) lie inside; shape of the grid."""
    x = [np.ravel(v) for v in x]
    out = np.zeros([len(v) for v in x], bool)
    i, j, at, _ = passages(form, 2, x[0], x[1])
    _fill(out, i, j, np.searchsorted(x[2], at))
    return out


@njit(cache=True)
def _fill(out, i, j, first):
    """Turn every line over from each of its crossings on."""
    for m in range(i.size):
        for k in range(first[m], out.shape[2]):
            out[i[m], j[m], k] = not out[i[m], j[m], k]
