"""A piece of a model that repeats: everything cropped to it, with loads and flows in proportion."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, TypeVar

import numpy as np

from ..shapes import built, solids
from ..shapes.geometry import Box, Form, Outline, Path, Round
from .flow import FanPlane, Opening, PorousBlock, ScreenPlane
from .layout import Model
from .mass import mass
from .parts import Enclosure, Solid, WallCondition, WallPatch
from .plan import Piece, Span

T = TypeVar("T")
EPS = 1e-9
#: points along each axis that a bent tube's part within a piece is counted on
COUNTED = 80


def cropped(model: Model, piece: Piece) -> Model:
    """The model of the piece alone. Temperatures and speeds are those of the whole; powers, given volume and mass flows
    and fan curves are in proportion to what of them lies in the piece."""
    made = _each(_solid, model.solids, piece)
    kept = {s.name for s in made}
    return replace(
        model,
        enclosures=tuple(_enclosure(s, piece) for s in model.enclosures),
        solids=made,
        passages=tuple(p for p in model.passages if _clip(p.form.box, piece) is not None),
        patches=_each(_patch, model.patches, piece),
        contacts=tuple(c for c in model.contacts if c.of in kept and (not c.to or c.to in kept)),
        openings=_each(_opening, model.openings, piece),
        fans=_each(_fan, model.fans, piece),
        screens=_each(_plane, model.screens, piece),
        porous=_each(_porous, model.porous, piece),
        regions=tuple(replace(g, point=_folded(g.point, piece)) for g in model.regions),
        left_out=tuple(replace(g, point=_folded(g.point, piece)) for g in model.left_out),
        piece=replace(piece, mass=mass(model)),
    )


def _each(crop: Callable[[T, Piece], T | None], things: tuple[T, ...], piece: Piece) -> tuple[T, ...]:
    """What is left of some things."""
    return tuple(m for x in things if (m := crop(x, piece)) is not None)


def _clip(box: Box | Sequence[Span], piece: Piece) -> Box | None:
    """What of a box lies in the piece; None where nothing does."""
    out = [
        span if cut is None else (max(span[0], cut[0]), min(span[1], cut[1]))
        for span, cut in zip(box, piece.spans, strict=True)
    ]
    return None if any(b - a <= EPS for a, b in out) else tuple((float(a), float(b)) for a, b in out)


def _porous(block: PorousBlock, piece: Piece) -> PorousBlock | None:
    """A porous block's part in the piece, with its share of what is released."""
    box = _clip(block.box, piece)
    if box is None:
        return None
    share = float(np.prod([b - a for a, b in box]) / np.prod([b - a for a, b in block.box]))
    return replace(block, box=box, power=share * block.power)


def _folded(point: Sequence[float], piece: Piece) -> tuple[float, float, float]:
    """A point where its mirror images, or its like a period on, lie in the piece."""
    out = []
    for x, cut, sort in zip(point, piece.spans, piece.sides, strict=True):
        if cut is not None:
            low, wide = cut[0], cut[1] - cut[0]
            turns, rest = divmod(x - low, wide)
            x = low + (rest if sort == "periodic" or int(turns) % 2 == 0 else wide - rest)
        out.append(float(x))
    return out[0], out[1], out[2]


def _volume(boxes: Sequence[Box]) -> float:
    return float(sum(np.prod([b - a for a, b in box]) for box in boxes))


def _solid(s: Solid, piece: Piece) -> Solid | None:
    boxes = tuple(b for box in s.boxes if (b := _clip(box, piece)) is not None)
    if not boxes:
        return None
    share = _share(s.form, piece) if s.form is not None else _volume(boxes) / _volume(s.boxes)
    if share <= 0.0:
        return None
    junction = s.junction
    if junction is not None:
        junction = junction[0] / share, junction[1] / share, junction[2]
    network = tuple((a, b, resistance / share) for a, b, resistance in s.network)
    return replace(s, boxes=boxes, power=s.power * share, junction=junction, network=network)


def _share(form: Form, piece: Piece) -> float:
    """Part of a shape's volume that lies in the piece."""
    if all(
        cut is None or (cut[0] <= low + EPS and high <= cut[1] + EPS)
        for (low, high), cut in zip(form.box, piece.spans, strict=True)
    ):
        return 1.0
    if isinstance(form, Path):
        return _share_of_path(form, piece)
    whole = _manifold(form)
    low, high = (
        [b[e] if cut is None else cut[e] for b, cut in zip(form.box, piece.spans, strict=True)] for e in (0, 1)
    )
    inside = whole ^ built.block(tuple(zip(low, high, strict=True)))
    return float(inside.volume() / whole.volume())


def _manifold(form: Form) -> Any:
    import manifold3d

    if isinstance(form, Round):
        bar = built.bar(form.axis, form.centre, form.span, form.radius)
        return bar - built.bar(form.axis, form.centre, form.span, form.bore) if form.bore else bar
    if isinstance(form, Outline):
        return built.prism(form.axis, [np.array(form.points)], form.span)
    assert not isinstance(form, Path)
    points = np.asarray(form.points, float) * built.MM
    mesh = manifold3d.Mesh64(points, np.asarray(form.triangles, np.uint64))
    mesh.merge()
    return manifold3d.Manifold(mesh)


def _share_of_path(form: Path, piece: Piece) -> float:
    """By counting points of the box around it."""
    lines = [np.linspace(a, b, COUNTED + 1)[:-1] + (b - a) / COUNTED / 2 for a, b in form.box]
    x = np.stack(np.meshgrid(*lines, indexing="ij"))
    inside = solids.distance(form, "outer", list(x)) < 0
    if form.bore:
        inside &= solids.distance(form, "bore", list(x)) > 0
    here = np.ones_like(inside)
    for a, cut in enumerate(piece.spans):
        if cut is not None:
            here &= (x[a] >= cut[0]) & (x[a] <= cut[1])
    return float((inside & here).sum() / max(inside.sum(), 1))


def _enclosure(space: Enclosure, piece: Piece) -> Enclosure:
    outer, inner = _clip(space.outer, piece), _clip(space.inner, piece)
    assert outer is not None
    sides = dict(space.sides)
    for a, cut in enumerate(piece.spans):
        for end in (0, 1) if cut is not None else ():
            beyond = abs(outer[a][end] - space.outer[a][end]) > EPS  # else it ends at its own wall there
            if beyond or piece.sides[a] == "periodic":
                sides["xyz"[a] + "-+"[end]] = WallCondition(piece.sides[a])
    walls = space.walls
    if walls is not None:
        boxes = tuple(b for box in walls.boxes if (b := _clip(box, piece)) is not None)
        walls = replace(walls, boxes=boxes) if boxes else None
    return replace(space, outer=outer, inner=inner if inner is not None else outer, sides=sides, walls=walls)


def _rect(axis: int, rect: Sequence[Span], piece: Piece) -> tuple[tuple[Span, Span], float] | None:
    """A rectangle across an axis clipped, and the part of its area that is left."""
    across = [a for a in range(3) if a != axis]
    out, share = [], 1.0
    for (low, high), a in zip(rect, across, strict=True):
        cut = piece.spans[a]
        span = (low, high) if cut is None else (max(low, cut[0]), min(high, cut[1]))
        if span[1] - span[0] <= EPS:
            return None
        out.append(span)
        share *= (span[1] - span[0]) / (high - low)
    return (out[0], out[1]), share


def _opening(x: Opening, piece: Piece) -> Opening | None:
    if x.plated:
        return x
    axis = "xyz".index(x.side[0])
    found = _rect(axis, x.rect, piece) if piece.spans[axis] is None else None  # a side that is cut has no openings
    if found is None:
        return None
    rect, share = found
    value = x.value * share if x.kind in ("volume", "mass") else x.value
    fan = None if x.fan is None else replace(x.fan, flow=tuple(q * share for q in x.fan.flow))
    return replace(x, rect=rect, value=value, fan=fan)


def _patch(x: WallPatch, piece: Piece) -> WallPatch | None:
    axis = "xyz".index(x.side[0])
    found = _rect(axis, x.rect, piece) if piece.spans[axis] is None else None
    return None if found is None else replace(x, rect=found[0])


def _fan(x: FanPlane, piece: Piece) -> FanPlane | None:
    cut = piece.spans[x.axis]
    found = _rect(x.axis, x.rect, piece)
    if found is None or (cut is not None and not cut[0] < x.position < cut[1]):
        return None
    rect, share = found
    return replace(x, rect=rect, fan=replace(x.fan, flow=tuple(q * share for q in x.fan.flow)))


def _plane(x: ScreenPlane, piece: Piece) -> ScreenPlane | None:
    cut = piece.spans[x.axis]
    found = _rect(x.axis, x.rect, piece)
    if found is None or (cut is not None and not cut[0] < x.position < cut[1]):
        return None
    return replace(x, rect=found[0])
