"""Mouths of a solid: the closed rims at which a passage through it, or a cavity in it, ends.

A rim runs along sharp convex edges, or where a passage runs smoothly into a rounded edge. Faces that meet in other
edges belong together; where such a set has a rim whose surface goes inwards from it, fluid can pass there.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .geometry import Form, Path, Round, Triangles

#: radians between two faces from which on their common edge is sharp
SHARP = 0.4
#: part of a rim's direction that its surface must follow inwards (1: all)
INWARD = 0.3
#: radians between two triangles up to which they lie in one plane
FLAT = 0.02
#: root of a solid's surface over the radius of its roundings, at least
ROUNDED = 5.0
#: corners of a rim of a body that is round by itself
CORNERS = 48


@dataclass(frozen=True)
class Mouth:
    """A closed rim: ``points`` (n, 3) m, counterclockwise seen from outside; ``blind``: no other mouth leads into what
    lies behind it."""

    points: tuple[tuple[float, float, float], ...]
    blind: bool = False

    @property
    def vector(self) -> np.ndarray:
        """Area vector (m2), pointing out."""
        p = np.array(self.points)
        return 0.5 * np.cross(p, np.roll(p, -1, 0)).sum(axis=0)

    @property
    def area(self) -> float:
        """Area, m2, of its shadow along its direction."""
        return float(np.linalg.norm(self.vector))

    @property
    def normal(self) -> np.ndarray:
        """Unit vector out of the solid."""
        v = self.vector
        return v / np.linalg.norm(v)

    @property
    def centre(self) -> np.ndarray:
        """Its middle (m): that of the rim's length."""
        p = np.array(self.points)
        q = np.roll(p, -1, 0)
        length = np.linalg.norm(q - p, axis=1)
        return (0.5 * (p + q) * length[:, None]).sum(axis=0) / length.sum()

    @property
    def size(self) -> tuple[float, float]:
        """Longest and shortest width (m) across its direction; equal where it is round."""
        one, two = basis(self.normal)
        p = np.array(self.points) - self.centre
        x, y = p @ one, p @ two
        far = np.hypot(x, y)
        if np.ptp(far) < 0.02 * far.max() and len(p) > 6:
            return 2 * float(far.max()), 2 * float(far.max())
        best = (np.inf, 0.0, 0.0)
        for turn in np.linspace(0.0, np.pi / 2, 91):
            c, s = np.cos(turn), np.sin(turn)
            w, h = np.ptp(c * x + s * y), np.ptp(c * y - s * x)
            best = min(best, (w * h, max(w, h), min(w, h)))
        return float(best[1]), float(best[2])

    @property
    def round(self) -> bool:
        """Whether its rim is a circle."""
        return self.size[0] == self.size[1] and len(self.points) > 6


def basis(normal: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two unit vectors square to a direction and to each other."""
    first = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    first /= np.linalg.norm(first)
    return first, np.cross(normal, first)


@lru_cache(maxsize=512)
def mouths(form: Form) -> tuple[Mouth, ...]:
    """All mouths of a solid, the largest first; none of shapes without passages."""
    if isinstance(form, Triangles):
        out = _of_triangles(form)
    elif isinstance(form, Path | Round) and form.bore:
        out = _of_tube(form)
    else:
        out = []
    return tuple(sorted(out, key=lambda m: (m.blind, -round(m.area, 12), *np.round(m.centre, 9))))


def open_edges(triangles) -> np.ndarray:
    """Edges (n, 2) that have no triangle on their other side, run as in the one they have."""
    t = np.asarray(triangles)
    edges = np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]])
    _, first, count = np.unique(np.sort(edges, axis=1), axis=0, return_index=True, return_counts=True)
    return edges[first[count == 1]]


def filled(points: np.ndarray, triangles: np.ndarray, faces: np.ndarray):
    """Corners, triangles and faces of a shell whose open rims are closed, each by a face of its own: triangles to the
    middle of the rim."""
    edges = open_edges(triangles)
    number = int(faces.max(initial=-1))
    for loop in _loops(edges[:, ::-1]):
        rim = edges[loop][:, 1]
        middle, number = len(points), number + 1
        points = np.concatenate([points, points[rim].mean(axis=0, keepdims=True)])
        cap = np.stack([rim, np.roll(rim, -1), np.full(len(rim), middle)], -1)
        triangles = np.concatenate([triangles, cap])
        faces = np.concatenate([faces, np.full(len(cap), number)])
    return points, triangles, faces


def _of_tube(form: Path | Round) -> list[Mouth]:
    """Both ends of a tube of ours."""
    if isinstance(form, Path):
        p = np.array(form.points)
        ends = [(p[0], p[0] - p[1]), (p[-1], p[-1] - p[-2])]
    else:
        ends = []
        for at, sign in zip(form.span, (-1.0, 1.0), strict=True):
            point, out = np.zeros(3), np.zeros(3)
            point[[a for a in range(3) if a != form.axis]] = form.centre
            point[form.axis], out[form.axis] = at, sign
            ends.append((point, out))
    turn = 2 * np.pi * np.arange(CORNERS) / CORNERS
    found = []
    for point, out in ends:
        one, two = basis(out / np.linalg.norm(out))
        rim = point + form.bore * (np.cos(turn)[:, None] * one + np.sin(turn)[:, None] * two)
        found.append(Mouth(tuple(map(tuple, np.round(rim, 9)))))
    return found


@dataclass(frozen=True)
class Edges:
    """Edges that two triangles share: corners (n, 2) run as in the ``first`` of the two, the ``second``, the ``angle``
    between them (radians, positive where convex), ``length`` (m)."""

    corners: np.ndarray
    first: np.ndarray
    second: np.ndarray
    angle: np.ndarray
    length: np.ndarray


@lru_cache(maxsize=64)
def edges_of(form: Triangles) -> Edges:
    """All edges of a solid that two triangles share."""
    return Edges(*_edges(np.asarray(form.points, float), np.asarray(form.triangles, np.int64)))


def _of_triangles(form: Triangles) -> list[Mouth]:
    if getattr(form, "sheet", 0.0):  # a shell that is open stays open where its faces end
        ends, corners = open_edges(form.triangles)[:, ::-1], np.asarray(form.points, float)
        return [Mouth(tuple(map(tuple, np.round(corners[ends[loop][:, 0]], 9)))) for loop in _loops(ends)]
    points, triangles = np.asarray(form.points, float), np.asarray(form.triangles, np.int64)
    edges = edges_of(form)
    edge, first, second, angle, length = edges.corners, edges.first, edges.second, edges.angle, edges.length
    face = _faces(form, len(triangles), first, second, angle)
    bulges = _bulging(face, first, second, angle, length)
    if int(face.max(initial=0)) == int(_smooth(len(triangles), first, second, angle).max(initial=0)):
        # faces end at sharp edges only: its file may have had none
        face, bulges = _parted(face, bulges, edges, 0.5 * np.linalg.norm(_across(points, triangles), axis=1))
    apart = face[first] != face[second]
    soft = apart & (bulges[face[first]] != bulges[face[second]]) & (angle > -SHARP)
    rim = (apart & (angle > SHARP)) | soft
    of = _joined(len(triangles), first[~rim], second[~rim])
    normal = _across(points, triangles)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    here = np.flatnonzero(rim)
    owner = np.concatenate([first[here], second[here]])
    along = np.concatenate([edge[here], edge[here][:, ::-1]])
    skip = bulges[face[owner]]
    owner, along = owner[~skip], along[~skip]
    out = []
    for component in np.unique(of[owner]):
        mine = np.flatnonzero(of[owner] == component)
        loops = _loops(along[mine])
        for loop in loops:
            p = points[along[mine[loop], 0]]
            vector = 0.5 * np.cross(p, np.roll(p, -1, 0)).sum(axis=0)
            size = np.linalg.norm(vector)
            if size < 1e-12:
                continue
            step = points[along[mine[loop], 1]] - p
            inward = np.cross(normal[owner[mine[loop]]], step).sum(axis=0) / np.linalg.norm(step, axis=1).sum()
            if inward @ vector < -INWARD * size:
                out.append(Mouth(tuple(map(tuple, np.round(p, 9))), len(loops) < 2))
    return out


def _edges(points, triangles):
    """Edges (n, 2) that two triangles share, run as in the first; the two; the angle between them (radians, positive
    where convex); length (m)."""
    n = len(triangles)
    run = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    of = np.tile(np.arange(n), 3)
    low, high = run.min(axis=1), run.max(axis=1)
    order = np.lexsort((high, low))
    key = low[order] * (len(points) + 1) + high[order]
    start = np.flatnonzero(np.r_[True, key[1:] != key[:-1]])
    pair = start[np.diff(np.r_[start, len(key)]) == 2]
    one, other = order[pair], order[pair + 1]
    first, second, edge = of[one], of[other], run[one]
    a, b, c = points[triangles].transpose(1, 0, 2)
    normal = np.cross(b - a, c - a)
    normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
    way = points[edge[:, 1]] - points[edge[:, 0]]
    length = np.linalg.norm(way, axis=1)
    turn = (np.cross(normal[first], normal[second]) * way).sum(axis=1) / np.maximum(length, 1e-300)
    return edge, first, second, np.arctan2(turn, (normal[first] * normal[second]).sum(axis=1)), length


def _faces(form, count: int, first, second, angle) -> np.ndarray:
    """A number for the face of every triangle: the file's, else what runs on smoothly."""
    told = np.asarray(getattr(form, "faces", ()))
    return told.astype(np.int64) if len(told) == count else _smooth(count, first, second, angle)


def _smooth(count: int, first, second, angle) -> np.ndarray:
    """The connected set of triangles without sharp edges that each of ``count`` belongs to."""
    return _joined(count, *(x[np.abs(angle) < SHARP] for x in (first, second)))


def _across(points: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Normals (n, 3) of triangles, twice their area (m2) long."""
    a, b, c = points[triangles].transpose(1, 0, 2)
    return np.cross(b - a, c - a)


def _parted(face, bulges, edges: Edges, area) -> tuple[np.ndarray, np.ndarray]:
    """Faces, and whether they are curved outwards, where a face holds flats, roundings and bores all in one (a file
    without faces, whose edges are all rounded) is parted into these.

    Cut along all edges that are convex, a rounding falls into strips, what it runs into stays whole. A strip bends more
    outwards, by the angles along its rim, than inwards, and with a radius that is small beside the solid.
    """
    first, second, angle, length = edges.first, edges.second, edges.angle, edges.length
    inside = face[first] == face[second]
    n = int(face.max(initial=0)) + 1
    turns = [
        np.bincount(face[first][on], np.abs(angle)[on], n) for on in (inside & (angle > FLAT), inside & (angle < -FLAT))
    ]
    flat = np.ones(
        len(area), bool
    )  # triangles beside which nothing bends inwards: they lie in a plane, or on a rounding
    for side in (first, second):
        flat[side[inside & (angle < -FLAT)]] = False
    plain = np.bincount(face, area * flat, n) > 0.02 * np.bincount(face, area, n)
    mixed = (turns[0] > 1.0) & (turns[1] > 1.0) & plain
    if not mixed.any():
        return face, bulges
    on = inside & mixed[face[first]]
    held = on & (angle <= FLAT)
    piece = _joined(len(area), first[held], second[held])
    m = int(piece.max()) + 1
    whole = np.bincount(piece, area, m)
    inward = np.bincount(piece[first][held], (np.maximum(-angle, 0.0) * length)[held], m)
    convex = on & (angle > FLAT)
    outward = 0.5 * sum(np.bincount(piece[side][convex], (angle * length)[convex], m) for side in (first, second))
    strip = (outward > inward) & (outward * np.sqrt(area.sum()) > ROUNDED * whole)
    new = np.where(mixed[face], n + piece, face)
    names, number = np.unique(new, return_inverse=True)
    return number, np.where(names >= n, strip[np.maximum(names - n, 0)], bulges[np.minimum(names, n - 1)])


def faces_by_edges(points: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """A number for every triangle: of the face it belongs to, which ends at sharp edges."""
    _, first, second, angle, _ = _edges(points, triangles)
    return _smooth(len(triangles), first, second, angle)


def _bulging(face, first, second, angle, length) -> np.ndarray:
    """By face: whether it is curved outwards, as a rounded edge or the skin of a bar."""
    inside, n = face[first] == face[second], int(face.max(initial=0)) + 1
    turn = np.bincount(face[first][inside], (angle * length)[inside], n)
    whole = np.bincount(face[first][inside], np.abs(angle * length)[inside], n)
    return (turn > 0.2 * whole) & (whole > 0.0) & (np.bincount(face[first][inside], np.abs(angle)[inside], n) > 0.1)


def _joined(count: int, first, second) -> np.ndarray:
    """Number of the connected set of each of ``count`` things, by pairs that hold together."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(first), np.int8), (first, second)), (count, count))
    return connected_components(graph, directed=False)[1]


def _loops(run: np.ndarray) -> list[list[int]]:
    """Closed loops of edges (n, 2) that each run on from the end of another: numbers of the edges, in order."""
    after: dict[int, list[int]] = {}
    for number, (start, _) in enumerate(run.tolist()):
        after.setdefault(start, []).append(number)
    left, out = set(range(len(run))), []
    while left:
        m: int | None = min(left)
        chain: list[int] = []
        seen: dict[int, int] = {}
        while m is not None and m in left:
            seen[int(run[m, 0])] = len(chain)
            chain.append(m)
            left.discard(m)
            end = int(run[m, 1])
            if end in seen:
                out.append(chain[seen[end] :])
                break
            m = next((k for k in after.get(end, ()) if k in left), None)
    return [loop for loop in out if len(loop) > 2]
