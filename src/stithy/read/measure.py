"""Measuring a model: sizes, areas and volumes of parts, gaps and angles between what was picked. Lengths in m."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..model import Model, Solid
from ..model.places import boxes
from ..shapes import built, facets, solids
from ..shapes.faces import faces
from ..shapes.geometry import Facets, Form, Mesh, Outline, Path, Round
from ..shapes.touching import as_mesh

#: points on each surface that a gap is looked for from, and how often a pair of triangles is gone to and fro
SAMPLES, TURNS, PAIRS, RING = 4000, 60, 60, 48


@dataclass(frozen=True)
class Measured:
    """One measured number (SI), and what it is."""

    what: str
    value: float
    dimension: str


@dataclass(frozen=True)
class Picked:
    """A place (m) on a part, with the outward normal there and the triangle's number, where they are known."""

    name: str
    point: tuple[float, float, float]
    normal: tuple[float, float, float] | None = None
    triangle: int = -1


def part(model: Model, name: str) -> list[Measured]:
    """Lengths along the axes, volume and surface of a part; the diameter of a round one. Raises StithyError."""
    found = boxes(model, [name])
    if name not in found:
        raise StithyError(f"“{name}” stands nowhere in the model, so it cannot be measured.")
    sizes = np.ptp(found[name], axis=0)
    out = [Measured(f"along {'xyz'[a]}", float(sizes[a]), "length") for a in range(3) if sizes[a] > 0.0]
    form = _form(model, name)
    if form is None:
        flat = sizes[sizes > 0.0]
        return [*out, Measured("area", float(np.prod(flat)), "area")] if len(flat) == 2 else out
    if isinstance(form, Round | Path):
        out.append(Measured("diameter", 2 * form.radius, "length"))
    if isinstance(form, Path):
        out.append(Measured("length along it", solids.length(form), "length"))
    out += [Measured("volume", solids.material_volume(form), "volume"), Measured("surface", _surface(form), "area")]
    if _folded(form):  # fins see each other: only what a tight wrapping has faces the outside
        out.append(Measured("surface seen from outside", _hull(form), "area"))
    return out


def _folded(form: Form) -> bool:
    """Whether a shape hides much of its surface from the outside."""
    return isinstance(form, Mesh) and _surface(form) > 1.3 * _hull(form)


def _hull(form: Form) -> float:
    """Area (m2) of the convex hull."""
    from scipy.spatial import ConvexHull

    return float(ConvexHull(np.asarray(form.points, float)).area)  # type: ignore[union-attr]


def _surface(form: Form) -> float:
    return facets.area(form) if isinstance(form, Mesh | Facets) else solids.surface_area(form)


def _form(model: Model, name: str) -> Form | None:
    """Shape of a solid or passage; boxes put together as triangles."""
    for s in (*model.solids, *(e.walls for e in model.enclosures if e.walls is not None)):
        if s.name == name:
            return s.form if s.form is not None else _joined(s)
    return next((p.form for p in model.passages if p.name == name), None)


def _joined(solid: Solid) -> Mesh:
    """The boxes of a solid as one skin."""
    if len(solid.boxes) == 1:
        return as_mesh(solid.boxes)
    key = ("measured", tuple(solid.boxes))
    return built.kept(key, lambda: built.joined(built.block(b) for b in solid.boxes))


def face(model: Model, pick: Picked) -> list[Measured]:
    """Area of the picked face, its diameter where it is round."""
    form = _form(model, pick.name)
    if not isinstance(form, Mesh) or not 0 <= pick.triangle < len(form.faces):
        return []
    number = int(form.faces[pick.triangle])
    found = next((f for f in faces(form) if f.number == number), None)
    if found is None:
        return []
    out = [Measured("area of the face", found.area, "area")]
    return [*out, Measured("diameter of the face", 2 * found.radius, "length")] if found.radius else out


def between(model: Model, one: Picked, other: Picked) -> list[Measured]:
    """Distance between two picked places, along the axes too, the angle between their faces, the gap of their
    parts."""
    step = np.subtract(other.point, one.point)
    out = [Measured("distance", float(np.linalg.norm(step)), "length")]
    out += [Measured(f"along {'xyz'[a]}", float(step[a]), "length") for a in range(3) if abs(step[a]) > 1e-9]
    if one.normal is not None and other.normal is not None:
        cosine = float(np.clip(np.dot(one.normal, other.normal), -1.0, 1.0))
        out.append(Measured("angle between the faces", float(np.arccos(cosine)), "angle"))
    if one.name and other.name and one.name != other.name:
        found = gap(model, one.name, other.name)
        if found is not None:
            out.append(Measured("gap between the parts", found[0], "length"))
    return out


def gap(model: Model, one: str, other: str) -> tuple[float, np.ndarray, np.ndarray] | None:
    """Least distance between two parts, and its two ends (m); 0 where they touch or overlap. None where one of them has
    no shape. Parts of boxes exactly; others by their triangles."""
    forms = [_form(model, n) for n in (one, other)]
    if forms[0] is None or forms[1] is None:
        return None
    inner = {s.name: s for s in model.enclosures}
    skins = [_skin(f) for f in forms if f is not None]
    if one not in inner and other not in inner and _boxes_share(model, one, other):
        middle = np.mean([boxes(model, [n])[n].mean(axis=0) for n in (one, other)], axis=0)
        return 0.0, middle, middle
    return _least(*skins)


def _boxes_share(model: Model, one: str, other: str) -> bool:
    """Whether two parts of boxes share a volume."""
    found = {s.name: s for s in model.solids if s.form is None}
    if one not in found or other not in found:
        return False
    return any(
        all(p[0] < q[1] and q[0] < p[1] for p, q in zip(a, b, strict=True))
        for a in found[one].boxes
        for b in found[other].boxes
    )


def _skin(form: Form) -> np.ndarray:
    """Corners (n, 3, 3) of the triangles of a shape's surface."""
    if isinstance(form, Round):
        return facets.corners(built.solid_of(built.bar(form.axis, form.centre, form.span, form.radius, 2 * RING)))
    if isinstance(form, Outline):
        return facets.corners(built.solid_of(built.prism(form.axis, [np.array(form.points)], form.span)))
    return _tube(form) if isinstance(form, Path) else facets.corners(form)


def _tube(form: Path) -> np.ndarray:
    """Triangles round a line of points."""
    (points, way), rings = solids.centre_line(form), []
    turn = np.linspace(0.0, 2 * np.pi, RING, endpoint=False)
    side = np.cross(way[0], np.eye(3)[int(np.argmin(np.abs(way[0])))])
    for p, w in zip(points, way, strict=True):
        side = side - (side @ w) * w
        side = side / np.linalg.norm(side)
        rings.append(p + form.radius * (np.outer(np.cos(turn), side) + np.outer(np.sin(turn), np.cross(w, side))))
    out = []
    for a, b in zip(rings, rings[1:], strict=False):
        c, d = np.roll(a, -1, 0), np.roll(b, -1, 0)
        out += [np.stack([a, c, b], 1), np.stack([c, d, b], 1)]
    return np.concatenate(out)


def _least(one: np.ndarray, other: np.ndarray) -> tuple[float, np.ndarray, np.ndarray]:
    """Least distance between two skins: nearest samples first, then from triangle to triangle and
    back until it stays."""
    from scipy.spatial import cKDTree
    from trimesh.triangles import closest_point

    rng = np.random.default_rng(1)
    samples = [_sampled(x, rng) for x in (one, other)]
    far, at = cKDTree(samples[1][0]).query(samples[0][0])
    first = np.argsort(far)[:PAIRS]
    a, b = one[samples[0][1][first]], other[samples[1][1][at[first]]]
    q = samples[1][0][at[first]]
    for _ in range(TURNS):
        p = closest_point(a, q)
        q = closest_point(b, p)
    off = np.linalg.norm(p - q, axis=1)
    best = int(np.argmin(off))
    return float(off[best]), p[best], q[best]


def _sampled(skin: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Points on a skin, by area and at all corners, and the triangle of each."""
    area = np.linalg.norm(np.cross(skin[:, 1] - skin[:, 0], skin[:, 2] - skin[:, 0]), axis=1)
    which = rng.choice(len(skin), SAMPLES, p=area / area.sum())
    u, v = np.sqrt(rng.random((SAMPLES, 1))), rng.random((SAMPLES, 1))
    a, b, c = np.moveaxis(skin[which], 1, 0)
    inside = (1 - u) * a + u * (1 - v) * b + u * v * c
    corners = skin.reshape(-1, 3)
    return np.concatenate([inside, corners]), np.concatenate([which, np.repeat(np.arange(len(skin)), 3)])


def by_names(model: Model, names: Sequence[str]) -> list[Measured]:
    """What can be told of one part, or between two. Raises StithyError."""
    if len(names) == 1:
        return part(model, names[0])
    if len(names) != 2:
        raise StithyError("Choose one part, or two to measure between.")
    found = boxes(model, names)
    missing = [n for n in names if n not in found]
    if missing:
        raise StithyError(f"“{missing[0]}” stands nowhere in the model, so it cannot be measured.")
    middles = [tuple(float(x) for x in found[n].mean(axis=0)) for n in names]
    told = between(model, *(Picked(n, m) for n, m in zip(names, middles, strict=True)))  # type: ignore[arg-type]
    return [Measured(f"middle to middle, {m.what}", m.value, m.dimension) if "gap" not in m.what else m for m in told]
