"""Wishes about cells in one place, as lines and spacings of an axis."""

from __future__ import annotations

import numpy as np

from ..model import Enclosure, GridWish, Model
from ..shapes import facets
from ..shapes.geometry import Mesh
from .lines import SNAP, Spacing

#: of the free flow of a fan: about where it works
WORKS = 0.6


def boxes_of(model: Model, name: str) -> list:
    """Boxes (m) of a part, an enclosure's fluid, a group of faces (without thickness where it is flat) or an
    opening."""
    for s in model.solids:
        if s.name == name:
            return [s.form.box] if s.form else list(s.boxes)
    for e in model.enclosures:
        if e.name == name:
            return [e.inner]
    for g in model.faces:
        form = next((s.form for s in model.solids if s.name == g.of), None)
        if g.name == name and isinstance(form, Mesh):
            points = facets.corners(form)[np.isin(np.asarray(form.faces), g.faces)].reshape(-1, 3)
            return [list(zip(points.min(0).tolist(), points.max(0).tolist(), strict=True))]
    for o in model.openings:
        space = next((e for e in model.enclosures if e.name == o.enclosure), None)
        if o.name == name and space is not None and not o.plated:
            axis, end = "xyz".index(o.side[0]), o.side[1] == "+"
            rect = iter(o.rect)
            return [[(space.inner[a][end],) * 2 if a == axis else next(rect) for a in range(3)]]
    return []


def gap_between(one: list, other: list) -> tuple[int, float, float] | None:
    """Axis, low and high end (m) of the gap between two sets of boxes: the narrowest along an axis."""
    found = []
    for p in one:
        for q in other:
            for a in range(3):
                low, high = min(p[a][1], q[a][1]), max(p[a][0], q[a][0])
                beside = all(min(p[t][1], q[t][1]) > max(p[t][0], q[t][0]) - SNAP for t in range(3) if t != a)
                if high > low + SNAP and beside:
                    found.append((high - low, a, low, high))
    return min(found)[1:] if found else None


def spacings(model: Model, a: int) -> tuple[set[float], list[Spacing]]:
    """Lines and spacings along axis ``a`` that wishes ask for."""
    faces: set[float] = set()
    out: list[Spacing] = []
    for wish in model.wishes:
        if wish.to:
            out += _gap(model, wish, a)
            continue
        names = wish.of or (() if wish.box is not None else tuple(e.name for e in model.enclosures))
        if not names and wish.box is not None:
            names = ("",)
        for name in names:
            for box in [wish.box] if not name else boxes_of(model, name):
                faces.update(box[a] if not name else ())
                out += _in_box(model, wish, name, box, a)
    low, high = min(s.outer[a][0] for s in model.enclosures), max(s.outer[a][1] for s in model.enclosures)
    kept = [Spacing(max(x.low, low), min(x.high, high), x.size, x.growth, x.reach, x.close) for x in out]
    return {x for x in faces if low <= x <= high}, [x for x in kept if x.low <= x.high]


def _gap(model: Model, wish: GridWish, a: int) -> list[Spacing]:
    found = gap_between(boxes_of(model, wish.of[0]), boxes_of(model, wish.to))
    if found is None or found[0] != a:
        return []
    _, low, high = found
    sizes = [(high - low) / wish.across] if wish.across else []
    sizes += [wish.longest] if wish.longest else []
    return [Spacing(low, high, min(sizes))]


def _in_box(model: Model, wish: GridWish, name: str, box, a: int) -> list[Spacing]:
    """Spacings of one box: through it, and from its faces."""
    (low, high), out = box[a], []
    spans = [hi - lo for lo, hi in box]
    thin = int(np.argmin([x if x > SNAP else np.inf for x in spans]))
    if wish.across and a == thin:
        out.append(Spacing(low, high, spans[a] / wish.across))
    if wish.longest and high > low + SNAP:
        out.append(Spacing(low, high, wish.longest))
    space = next((e for e in model.enclosures if e.name == name), None)
    size = wish.first if wish.yplus == 0.0 else first_cell(model, wish.yplus)
    for end, at in zip("-+", (low, high), strict=True):
        if wish.sides and "xyz"[a] + end not in wish.sides:
            continue
        if max(spans) > SNAP and min(spans) <= SNAP < spans[a]:
            continue  # a flat face, seen along itself
        outward = 1.0 if (end == "+") != (space is not None) else -1.0
        for first, way in ((size, outward), (wish.inside, -outward)):
            if first:
                out += _grown(wish, first, at, way)
    return out


def _grown(wish: GridWish, first: float, at: float, way: float) -> list[Spacing]:
    """The first cell at a face, and how cells grow from there."""
    end = at + way * first
    grow = wish.growth
    reach = first * (grow**wish.count - 1.0) / (grow - 1.0) if grow and wish.count else np.inf if grow else 0.0
    return [Spacing(min(at, end), max(at, end), first, grow, reach, True)]


def without(model: Model, a: int) -> set[float]:
    """Where no finer cells stand at walls across axis ``a``, however the rule wishes."""
    out = set()
    for wish in model.wishes:
        if wish.first != 0.0 or wish.yplus:
            continue
        for name in wish.of:
            for box in boxes_of(model, name):
                ends = zip("-+", box[a], strict=True)
                flat = box[a][1] - box[a][0] <= SNAP
                out |= {at for end, at in ends if flat or not wish.sides or "xyz"[a] + end in wish.sides}
    return out


def speed(model: Model, space: Enclosure) -> tuple[float, float]:
    """About how fast (m/s) fluid goes along the walls of an enclosure by what drives it, and the hydraulic diameter (m)
    of its section; the speed is 0 where nothing but buoyancy does."""
    spans = [hi - lo for lo, hi in space.inner]

    def section(axis: int) -> float:
        return float(np.prod([x for t, x in enumerate(spans) if t != axis]))

    speeds, axes = [0.0], [int(np.argmax(spans))]
    for o in (o for o in model.openings if o.enclosure == space.name and o.side):
        axis = "xyz".index(o.side[0])
        area = float(np.prod([b - x for x, b in o.rect]))
        flow = {"velocity": o.value * area, "volume": o.value, "mass": o.value / space.fluid.rho}.get(o.kind, 0.0)
        flow = WORKS * max(o.fan.flow) if o.fan is not None else flow
        speeds.append(abs(flow) / section(axis))
        axes.append(axis)
    for f in model.fans:
        if space.inner[f.axis][0] <= f.position <= space.inner[f.axis][1]:
            speeds.append(WORKS * max(f.fan.flow) / section(f.axis))
            axes.append(f.axis)
    if model.drive is not None and model.drive.kind in ("velocity", "volume", "mass"):
        axis, d = "xyz".index("xyz"[model.drive.axis]), model.drive
        by = {"velocity": 1.0, "volume": section(axis), "mass": section(axis) * space.fluid.rho}[d.kind]
        speeds.append(abs(d.value) / by)
        axes.append(axis)
    m = int(np.argmax(speeds))
    wide = [x for t, x in enumerate(spans) if t != axes[m]]
    return speeds[m], 2.0 * wide[0] * wide[1] / (wide[0] + wide[1])


def friction_speed(model: Model, space: Enclosure) -> float:
    """About the friction velocity (m/s) at the walls of an enclosure: that of a duct of its section (Blasius)."""
    u, wide = speed(model, space)
    reynolds = u * wide * space.fluid.rho / space.fluid.mu
    return u * float(np.sqrt(0.316 / max(reynolds, 1.0) ** 0.25 / 8.0)) if u > 0.0 else 0.0


def first_cell(model: Model, yplus: float) -> float | None:
    """Size (m) of first cells whose centres stand at about ``yplus``: in the fastest of the enclosures; None where
    nothing drives the flow."""
    sizes = []
    for space in model.enclosures:
        fast = friction_speed(model, space)
        if fast > 0.0:
            sizes.append(2.0 * yplus * space.fluid.mu / space.fluid.rho / fast)
    return min(sizes, default=None)
