"""The flow: velocities in a section as arrows, and lines along it with marks that move."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pyvista as pv

from ...errors import StithyError
from ...model import Port
from ...model import drawn as d
from ...read.along import place_of, spread, through_the_middle
from ...read.tracing import Traced, trace
from ...read.values import Values
from .. import look as colours
from ..scene import MM

#: arrows along the longer side of a section
ARROWS = 30
#: where no number is given: lines from one source at first, in all at most, and s that tracing may take while they grow
EACH, MOST, QUICK = 9, 64, 0.2


def vectors(painter, look, spec: d.Vectors) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    v = look.values(spec)
    section = look.section(spec.section)
    points, step, axes = raster(v, section, spec.apart, look.middle)
    u = np.stack([v.at(f"velocity {a}", points) for a in "xyz"], -1)
    good = np.isfinite(u).all(axis=1)
    points, u = points[good], u[good]
    flat = u - (u @ axes[2])[:, None] * axes[2]
    size = np.linalg.norm(flat, axis=1)
    if not len(points) or size.max(initial=0.0) <= 0.0:
        return
    top = float(np.percentile(size, 98)) or 1.0
    length = np.full(len(size), 0.9) if spec.one_length else np.minimum(size / top, 1.0) * 1.6
    cloud = pv.PolyData((points + 0.004 * step * look.side(section) * axes[2]) * MM)
    unit = flat / np.maximum(size, 1e-300)[:, None]
    cloud["way"] = unit
    cloud["length"] = length * step * spec.longer * MM * (size > 1e-3 * top)
    cloud["value"] = v.at(spec.paint.quantity.name, points)
    arrows = cloud.glyph(
        orient="way",
        scale="length",
        factor=1.0,
        geom=pv.Arrow(tip_length=0.35, tip_radius=0.12, shaft_radius=0.035, tip_resolution=6, shaft_resolution=4),
    )
    how = (
        {"color": colours.INK}
        if spec.ink
        else look.paint(spec, *look.ends(spec, cloud["value"])) | {"scalars": "value"}
    )
    painter.add(arrows, lighting=False, pickable=False, **how)
    yield


def raster(v: Values, section: d.Section, apart: float, middle):
    """Places of an even raster in a section, their distance (m), and the directions along, across and out of it."""
    normal = np.array(section.normal)
    one = np.eye(3)[int(np.argmin(np.abs(normal)))]
    first = np.cross(normal, one)
    first /= np.linalg.norm(first)
    second = np.cross(normal, first)
    origin = np.array(section.point if section.point is not None else middle, float)
    if section.axis is not None:
        origin[section.axis] = place_of(v, section)
    box = np.array([[x[0], x[-1]] for x in v.grid.lines])
    corners = np.array([[box[a, c[a]] for a in range(3)] for c in np.ndindex(2, 2, 2)])
    reach = [((corners - origin) @ way) for way in (first, second)]
    span = [float(np.ptp(r)) for r in reach]
    step = apart or max(span) / ARROWS
    counts = [max(int(s / step), 1) for s in span]
    if counts[0] * counts[1] > 40_000:
        raise StithyError("Arrows would stand too close: more than 40 000 of them. Give a larger distance in “apart”.")
    at = [r.min() + (np.arange(n) + 0.5) * s / n for r, n, s in zip(reach, counts, span, strict=True)]
    p, q = np.meshgrid(*at, indexing="ij")
    points = origin + p.reshape(-1, 1) * first + q.reshape(-1, 1) * second
    inside = ((points >= box[:, 0]) & (points <= box[:, 1])).all(axis=1)
    return points[inside], step, (first, second, normal)


def streamlines(painter, look, spec: d.Streamlines) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    v = look.values(spec)
    plain = replace(spec, on=True, paint=d.Paint(), name="", marks=False)
    key = ("lines", v.serial, plain, look.sources(spec), look.grows)
    grown: _Grown = painter.kept(key, _Grown)
    while grown.wants(look.grows and not spec.count):
        grown.grow(look.result, spec, lambda each: seeds(v, look, spec, each))
        yield
    traced, key = grown.traced, (*key, grown.each)
    if not traced.count:
        raise StithyError(f"{spec.name}: no line begins there. Name openings, fans, a section or points in a fluid.")
    values = painter.kept((*key, spec.paint.quantity.name, "values"), lambda: along_lines(v, spec, traced))
    mesh = as_lines(traced)
    mesh["smooth"] = values
    ends = look.ends(spec, values)
    painter.add(mesh.copy(), color=colours.INK, line_width=3.0, lighting=False, pickable=False)  # the casing
    painter.add(mesh, scalars="smooth", line_width=1.8, lighting=False, pickable=False, **look.paint(spec, *ends))
    if spec.marks:
        painter.moving(spec.name, traced)
    yield


class _Grown:
    """Lines that become more as long as that is quick: ``each`` of one source."""

    def __init__(self):
        self.each, self.traced, self._took = 0, Traced(np.zeros((0, 3)), np.zeros(0), np.zeros(1, int)), 0.0

    def wants(self, more: bool) -> bool:
        """Whether there are none yet, or (with ``more``) twice as many would be quick to have."""
        return not self.each or (more and 0 < 2 * self.traced.count <= MOST and 2 * self._took < QUICK)

    def grow(self, result, spec: d.Streamlines, seeded) -> None:
        """The first lines, or twice as many."""
        self.each = 2 * self.each or EACH
        places = seeded(self.each)
        trace(result, places[:1], spec.way)  # the first of a session waits for its kernel, which says nothing of speed
        began = time.perf_counter()
        self.traced = trace(result, places, spec.way)
        self._took = time.perf_counter() - began


def along_lines(v: Values, spec: d.Streamlines, traced: Traced) -> np.ndarray:
    """The quantity along the lines; residence time is that of the line itself, from where it begins."""
    if spec.paint.quantity.name == "residence time":
        return traced.time - np.repeat(traced.time[traced.starts[:-1]], np.diff(traced.starts))
    return v.at(spec.paint.quantity.name, traced.points)


def as_lines(traced: Traced) -> pv.PolyData:
    """Traced lines as a mesh, mm."""
    cells = np.concatenate(
        [np.concatenate([[b - a], np.arange(a, b)]) for a, b in zip(traced.starts, traced.starts[1:], strict=False)]
    )
    return pv.PolyData(traced.points * MM, lines=cells)


def seeds(v: Values, look, spec: d.Streamlines, each: int = EACH) -> np.ndarray:
    """Where lines begin (n, 3), m; ``each`` from a source where no number is given."""
    if spec.points:
        own = np.array(spec.points)
        if spec.count > len(own) and len(own) > 1:
            return spread(spec.points, spec.count)[1]
        return own if spec.count <= len(own) else _cloud(own[0], spec.count, v)
    model, out = look.model, []
    ends = {e.name: e for e in model.openings} | {f.name: f for f in model.fans}
    ends |= {x.name: x.outlet for x in model.blowers}
    names = spec.source or tuple(ends)
    each = max(int(round(spec.count / max(len(names), 1))), 1) if spec.count else each
    for name in names:
        if name in ends:
            out.append(_at_end(model, ends[name], each))
        elif (section := look.section(name, strict=True)) is not None:
            points, _, _ = raster(v, section, 0.0, look.middle)
            wet = np.isfinite(v.at("speed", points))
            points = points[wet]
            out.append(points[np.linspace(0, len(points) - 1, min(each * 4, len(points))).astype(int)])
        elif (line := look.line(name)) is not None:
            out.append(spread(line.points or through_the_middle(v), each)[1])
    if not out:  # a closed space: lines from all over its middle
        lines = v.grid.lines
        rng, many = np.random.default_rng(7), spec.count or 60 * each // EACH
        box = np.array([[x[0], x[-1]] for x in lines])
        points = rng.uniform(box[:, 0], box[:, 1], (4 * many, 3))
        speed = v.at("speed", points)
        good = points[np.isfinite(speed)]
        out.append(good[:many])
    return np.concatenate(out)


def _cloud(middle, count: int, v: Values) -> np.ndarray:
    """Places all about a point, close to it."""
    size = 0.02 * max(x[-1] - x[0] for x in v.grid.lines)
    rng = np.random.default_rng(7)
    return np.concatenate([[middle], middle + size * rng.normal(size=(count - 1, 3))])


def _at_end(model, end, count: int) -> np.ndarray:
    """Places right inside an opening or fan, evenly over it."""
    if getattr(end, "plated", False):
        plate = next(p for p in model.plates if p.name == end.enclosure)
        per = max(count // len(plate.rims), 1)
        return np.concatenate([_in_rim(r, per) for r in plate.rims])
    if hasattr(end, "side"):
        space = next(s for s in model.enclosures if s.name == end.enclosure)
        axis, high = "xyz".index(end.side[0]), end.side[1] == "+"
        inset = 1e-3 * (space.outer[axis][1] - space.outer[axis][0])
        at = space.inner[axis][1] - inset if high else space.inner[axis][0] + inset
    else:
        axis, at = end.axis, end.position
        if isinstance(end, Port):  # right before the housing
            at += end.sign * 1e-5
    a, b = (t for t in range(3) if t != axis)
    (lo, hi), (low, top) = end.rect
    ratio = max((hi - lo) / max(top - low, 1e-12), 1e-3)
    m = max(int(round((count * ratio) ** 0.5)), 1)
    n = max(int(round(count / m)), 1)
    u, w = np.meshgrid(
        lo + (np.arange(m) + 0.5) / m * (hi - lo), low + (np.arange(n) + 0.5) / n * (top - low), indexing="ij"
    )
    points = np.zeros((u.size, 3))
    points[:, axis], points[:, a], points[:, b] = at, u.ravel(), w.ravel()
    return points


def _in_rim(rim, count: int) -> np.ndarray:
    """Places (m) right inside a rim, evenly over its surface."""
    p = np.array(rim.points)
    turns = np.arange(count) * 2.399963  # the golden angle
    shares = np.sqrt((np.arange(count) + 0.5) / count)
    at = (turns / (2 * np.pi) % 1.0 * len(p)).astype(int) % len(p)
    inward = -0.08 * rim.size[1] * rim.normal
    return rim.centre + 0.92 * shares[:, None] * (p[at] - rim.centre) + inward
