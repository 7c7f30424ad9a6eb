"""Faces of an imported solid: what each is, and which belong together by what an engineer would say of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from . import facets, mouths
from .geometry import Mesh

#: radians between two faces that run on smoothly
SMOOTH = 0.3
#: part of a face's area that its mean normal must be for it to be flat
FLAT = 0.999


@dataclass(frozen=True)
class Face:
    """One face: its ``number`` in the solid, ``area`` m2, ``middle`` (m) of its area, mean ``normal`` (its length
    tells how flat it is: 1 is flat), ``radius`` of what is round (m; 0: flat)."""

    number: int
    area: float
    middle: tuple[float, float, float]
    normal: tuple[float, float, float]
    radius: float

    @property
    def flat(self) -> bool:
        """Whether it lies in one plane."""
        return float(np.linalg.norm(self.normal)) > FLAT

    @property
    def what(self) -> str:
        """What it is, in words."""
        if self.flat:
            axis = int(np.argmax(np.abs(self.normal)))
            if abs(self.normal[axis]) > 0.9999:
                return f"flat, looks {'xyz'[axis]}{'+' if self.normal[axis] > 0 else '-'}"
            return "flat, oblique"
        return f"round, radius {1e3 * self.radius:.4g} mm" if self.radius else "curved"


@lru_cache(maxsize=512)
def faces(form: Mesh) -> tuple[Face, ...]:
    """All faces of a solid."""
    x, of = facets.corners(form), np.asarray(form.faces, np.int64)
    normal = 0.5 * np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    size = np.linalg.norm(normal, axis=1)
    n = int(of.max(initial=-1)) + 1
    area: np.ndarray = np.bincount(of, size, n)
    middle: np.ndarray = np.stack([np.bincount(of, size * x[:, :, a].mean(axis=1), n) for a in range(3)], -1)
    mean: np.ndarray = np.stack([np.bincount(of, normal[:, a], n) for a in range(3)], -1)
    with np.errstate(invalid="ignore", divide="ignore"):
        middle, mean = middle / area[:, None], mean / area[:, None]
    bent = _bends(form)
    out = []
    for m in np.flatnonzero(area > 0.0):
        flat = float(np.linalg.norm(mean[m])) > FLAT
        radius = 0.0 if flat or not bent[m] else float(area[m] / bent[m])
        (x0, y0, z0), (u, v, w) = middle[m].tolist(), mean[m].tolist()
        out.append(Face(int(m), float(area[m]), (x0, y0, z0), (u, v, w), radius))
    return tuple(out)


def _bends(form: Mesh) -> np.ndarray:
    """By face: the sum of length times angle (m) of the edges inside it."""
    edges = mouths.edges_of(form)
    of = np.asarray(form.faces, np.int64)
    inside = of[edges.first] == of[edges.second]
    turn = np.abs(edges.angle * edges.length)[inside]
    return np.bincount(of[edges.first][inside], turn, int(of.max()) + 1)


def nearest(form: Mesh, point) -> int:
    """Number of the face nearest to a point (m)."""
    import trimesh

    mesh = trimesh.Trimesh(np.asarray(form.points, float), np.asarray(form.triangles), process=False)
    _, _, triangle = trimesh.proximity.closest_point_naive(mesh, np.array([point], float))
    return int(form.faces[int(triangle[0])])


def same_plane(form: Mesh, face: int) -> set[int]:
    """Flat faces in one plane with a face, facing as it does."""
    table = {f.number: f for f in faces(form)}
    one = table[face]
    if not one.flat:
        return {face}
    whole = max(hi - lo for lo, hi in form.box)
    return {
        f.number
        for f in table.values()
        if f.flat
        and float(np.dot(f.normal, one.normal)) > 0.9998
        and abs(float(np.dot(np.subtract(f.middle, one.middle), one.normal))) < 1e-5 * whole
    }


def same_radius(form: Mesh, face: int) -> set[int]:
    """Round faces whose radius is that of a face within 2 %."""
    table = {f.number: f for f in faces(form)}
    one = table[face].radius
    return {f.number for f in table.values() if one and abs(f.radius / one - 1.0) < 0.02} | {face}


def runs_on(form: Mesh, face: int) -> set[int]:
    """A face and all that run on smoothly from it, and from those."""
    edges, of = mouths.edges_of(form), np.asarray(form.faces, np.int64)
    soft = (np.abs(edges.angle) < SMOOTH) & (of[edges.first] != of[edges.second])
    pairs = set(zip(of[edges.first][soft].tolist(), of[edges.second][soft].tolist(), strict=True))
    found, more = {face}, True
    while more:
        near = {b for a, b in pairs if a in found} | {a for a, b in pairs if b in found}
        more = not near <= found
        found |= near
    return found


def onto(form: Mesh, face: int, other: Mesh, there: int) -> tuple[float, float, float] | None:
    """The step (m) that brings a flat face into the plane of another that faces it; None where they are not flat, or do
    not face each other."""
    mine, theirs = (next(f for f in faces(x) if f.number == n) for x, n in ((form, face), (other, there)))
    if not (mine.flat and theirs.flat) or float(np.dot(mine.normal, theirs.normal)) > -0.999:
        return None
    normal = np.array(theirs.normal) / np.linalg.norm(theirs.normal)
    x, y, z = (normal * float(np.dot(np.subtract(theirs.middle, mine.middle), normal))).tolist()
    return x, y, z


def looking(form: Mesh, axis: int, sign: int) -> set[int]:
    """Faces that look along an axis within 10 degrees."""
    return {f.number for f in faces(form) if sign * f.normal[axis] > 0.985}


def in_box(form: Mesh, low, high) -> set[int]:
    """Faces that lie in a box (m) with all their corners."""
    x, of = facets.corners(form), np.asarray(form.faces, np.int64)
    out = ((x < np.subtract(low, 1e-6)) | (x > np.add(high, 1e-6))).any(axis=(1, 2))
    return set(np.unique(of).tolist()) - set(np.unique(of[out]).tolist())
