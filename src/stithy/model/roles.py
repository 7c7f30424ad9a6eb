"""What holds on every face of a model, in words: where fluid comes in, what meets the outside, what mirrors, what has
no load yet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..shapes.geometry import Box
from .layout import Model
from .parts import Solid, WallCondition

INLET, OUTLET, OPEN, FAN = "inlet", "outlet", "opening to ambient", "fan"
OUTSIDE, SHUT, HELD, GIVEN = "wall to outside", "nothing passes", "temperature held", "heat given"
MIRROR, REPEATS, JOINT, MISSING = "symmetry", "repeats", "contact", "nothing yet"
#: all of them, in the order of a legend
ROLES = (INLET, OUTLET, OPEN, FAN, OUTSIDE, HELD, GIVEN, SHUT, MIRROR, REPEATS, JOINT, MISSING)
_OF_CONDITION = {
    "coefficient": OUTSIDE,
    "adiabatic": SHUT,
    "temperature": HELD,
    "flux": GIVEN,
    "symmetry": MIRROR,
    "periodic": REPEATS,
}


@dataclass(frozen=True)
class Face:
    """A face with its ``role``: of the row ``name``, a rectangle as a ``box`` without thickness (m), or a part's."""

    role: str
    name: str
    box: Box


def faces(model: Model) -> tuple[Face, ...]:
    """Every face that something holds on, and parts that lack their load."""
    out: list[Face] = []
    for space in model.enclosures:
        for side, condition in space.sides.items():
            axis, high = "xyz".index(side[0]), side[1] == "+"
            box = list(space.outer)
            box[axis] = (space.outer[axis][high],) * 2
            out.append(Face(_OF_CONDITION.get(condition.kind, OUTSIDE), f"{space.name} {side}", tuple(box)))
    homes = {s.name: s for s in model.enclosures}
    for patch in model.patches:
        space = homes[patch.enclosure]
        axis, high = "xyz".index(patch.side[0]), patch.side[1] == "+"
        flat = _flat(axis, space.outer[axis][high], patch.rect)
        out.append(Face(_OF_CONDITION.get(patch.condition.kind, OUTSIDE), patch.name, flat))
    for x in model.openings:
        if x.plated:
            continue
        space, axis = homes[x.enclosure], "xyz".index(x.side[0])
        flat = _flat(axis, space.outer[axis][x.side[1] == "+"], x.rect)
        out.append(Face(_way(x.kind, x.value, x.fan is not None), x.name, flat))
    out += [Face(FAN, f.name, _flat(f.axis, f.position, f.rect)) for f in model.fans]
    parts = {s.name: s for s in model.solids}
    for contact in model.contacts:
        a, b = parts.get(contact.of), parts.get(contact.to)
        if a is not None and b is not None:
            out.append(Face(JOINT, contact.name, _between(a.bounds, b.bounds)))
        elif a is not None:
            out.append(Face(JOINT, contact.name, a.bounds))
    for group in model.faces:
        if group.condition is not None and group.of in parts:
            out.append(Face(_said(group.condition), group.name, parts[group.of].bounds))
    out += [Face(MISSING, s.name, s.bounds) for s in model.solids if lacks(s)]
    return tuple(out)


def lacks(solid: Solid) -> bool:
    """Whether a component releases nothing and is held at nothing."""
    return solid.role == "component" and not solid.power and solid.fixed is None


def counted(found: tuple[Face, ...]) -> dict[str, tuple[str, ...]]:
    """Names by role, in the order of :data:`ROLES`."""
    return {r: names for r in ROLES if (names := tuple(f.name for f in found if f.role == r))}


def _said(condition: WallCondition) -> str:
    return _OF_CONDITION.get(condition.kind, OUTSIDE)


def _way(kind: str, value: float, fan: bool) -> str:
    if fan:
        return FAN
    if kind == "pressure":
        return OPEN if value == 0 else INLET if value > 0 else OUTLET
    return INLET if value >= 0 else OUTLET


def _flat(axis: int, at: float, rect: tuple[tuple[float, float], ...]) -> Box:
    out = [(at, at)] * 3
    for a, span in zip((a for a in range(3) if a != axis), rect, strict=True):
        out[a] = (span[0], span[1])
    return tuple(out)


def _between(one: Box, other: Box) -> Box:
    """Where two boxes meet: what they share, made a face; the first where they do not."""
    shared = [(max(a[0], b[0]), min(a[1], b[1])) for a, b in zip(one, other, strict=True)]
    thin = int(np.argmin([hi - lo for lo, hi in shared]))
    if any(hi - lo < -1e-4 for lo, hi in shared):
        return one
    middle = 0.5 * sum(shared[thin])
    shared[thin] = (middle, middle)
    return tuple((min(a, b), max(a, b)) for a, b in shared)
