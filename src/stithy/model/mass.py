"""What a layout weighs."""

from __future__ import annotations

from ..shapes.geometry import Box
from ..shapes.solids import material_volume, volume
from .layout import Model

_EPS = 1e-9


def mass(model: Model) -> float:
    """Mass of all solids, kg: by their true volumes, each less what lies wholly inside it; of a piece that of the
    whole."""
    if model.piece is not None:
        return model.piece.mass
    walls = sum((_volume(s.outer) - _volume(s.inner)) * s.walls.rho for s in model.enclosures if s.walls)
    boxes = [(_volume(b), b, s.rho) for s in model.solids if not s.form for b in s.boxes]
    own = [v for v, _, _ in boxes]
    inside = [(volume(s.form), s.form.box) for s in model.solids if s.form] + [
        (volume(p.form), p.form.box) for p in model.passages
    ]
    inside += [(v, b) for v, b, _ in boxes]
    for v, b in inside:
        around = [m for m, (w, outer, _) in enumerate(boxes) if w > v * (1 + 1e-9) and _within(b, outer)]
        if around:  # the smallest of them holds it
            least = min(around, key=lambda m: boxes[m][0])
            own[least] = max(own[least] - v, 0.0)
    return (
        walls
        + sum(v * rho for v, (_, _, rho) in zip(own, boxes, strict=True))
        + sum(material_volume(s.form) * s.rho for s in model.solids if s.form)
    )


def _volume(b: Box) -> float:
    return (b[0][1] - b[0][0]) * (b[1][1] - b[1][0]) * (b[2][1] - b[2][0])


def _within(a: Box, b: Box) -> bool:
    return all(q[0] - _EPS <= p[0] and p[1] <= q[1] + _EPS for p, q in zip(a, b, strict=True))
