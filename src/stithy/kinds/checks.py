"""Contradictions between shapes: overlaps, solids outside every enclosure, openings on no wall."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..errors import Problem
from ..model import Enclosure, Model, Solid
from ..project.reader import Reader
from ..shapes.geometry import Box

EPS = 1e-6
#: solids, and boxes that they are made of, that a layout may have
MOST_SOLIDS, MOST_BOXES = 1500, 4000


def overlap(a: Box, b: Box) -> bool:
    """Whether two boxes share a volume."""
    return all(p[0] < q[1] - EPS and q[0] < p[1] - EPS for p, q in zip(a, b, strict=True))


def within(a: Box, b: Box) -> bool:
    """Whether box ``a`` lies in box ``b``."""
    return all(q[0] - EPS <= p[0] and p[1] <= q[1] + EPS for p, q in zip(a, b, strict=True))


def check_places(r: Reader, model: Model) -> None:
    """Note every contradiction of places in ``r``."""
    if not model.enclosures:
        r.problems.append(Problem("Enclosure", "", "there is none.", "Add an enclosure: it holds the fluid."))
        return
    for i, space in enumerate(model.enclosures):
        for before in model.enclosures[:i]:
            if overlap(space.outer, before.outer):
                r.note(r.by_name[space.name], "at", f"the enclosure overlaps “{before.name}”.", "Move one of them.")
    for solid in model.solids:
        _check_solid(r, model, solid)
    if len(model.solids) > MOST_SOLIDS or sum(len(s.boxes) for s in model.solids) > MOST_BOXES:
        r.problems.append(
            Problem(
                model.solids[-1].name,
                "",
                f"is one of {len(model.solids)} solids with "
                f"{sum(len(s.boxes) for s in model.solids)} boxes in all; {MOST_SOLIDS} and {MOST_BOXES} can be "
                "handled.",
                "Model fewer pins or parts, or one block with the conductivity of many.",
            )
        )
        return
    for i, j in _overlapping(model.solids):
        _check_pair(r, model.solids[i], model.solids[j])
    spaces = {s.name: s for s in model.enclosures}
    for end in model.openings:
        if not end.plated:
            _check_end(r, spaces[end.enclosure], end)
    _check_ends(r, model, spaces)
    for contact in model.contacts:
        _check_contact(r, model, contact)
    _check_bath(r, model)
    fluids = (
        {s.fluid_name for s in model.enclosures}
        | {s.name for s in model.enclosures}
        | {n for g in model.regions for n in (g.name, g.fluid_name)}
    )
    for end in model.openings:
        if end.serves and end.serves not in fluids:
            r.note(
                r.by_name[end.name],
                "serves",
                f"“{end.serves}” is no fluid of this model.",
                f"Choose one of {', '.join(sorted(fluids))}, or leave it empty.",
            )


def _place(row) -> str:
    """The cell that says where a solid is."""
    return "points" if hasattr(row, "points") else "at"


def _check_solid(r: Reader, model: Model, solid: Solid) -> None:
    row = r.by_name[solid.name]
    cut = solid.form and any(
        (s.walls is None or model.piece is not None) and overlap(solid.bounds, s.outer) for s in model.enclosures
    )  # at the model's edge
    if not cut and not any(within(solid.bounds, s.outer) for s in model.enclosures):
        r.note(
            row,
            _place(row),
            "lies in no enclosure, so no fluid reaches it.",
            "Move it into an enclosure, or make the enclosure larger.",
        )
        return
    for space in model.enclosures:
        if space.walls and any(overlap(b, w) for b in solid.boxes for w in space.walls.boxes):
            inside_wall = any(within(b, w) for b in solid.boxes for w in space.walls.boxes)
            if not inside_wall:
                r.note(
                    row,
                    _place(row),
                    f"reaches into the wall of “{space.name}”.",
                    "Move it so that it touches the wall, or lies wholly inside.",
                )


def _check_ends(r: Reader, model: Model, spaces: dict[str, Enclosure]) -> None:
    """Openings, fans and patches: on their walls, and none over another."""
    for i, end in enumerate(model.openings):
        for other in model.openings[:i]:
            if end.plated and end.enclosure == other.enclosure:
                r.note(
                    r.by_name[end.name],
                    "on",
                    f"lies on the same plate as “{other.name}”.",
                    "Choose another plate for one.",
                )
            elif (
                not end.plated
                and (end.enclosure, end.side, end.serves) == (other.enclosure, other.side, other.serves)
                and all(p[0] < q[1] - EPS and q[0] < p[1] - EPS for p, q in zip(end.rect, other.rect, strict=True))
            ):
                r.note(r.by_name[end.name], "at", f"overlaps “{other.name}”.", "Move or shrink one of the two.")
    for fan in model.fans:
        _check_fan(r, model, fan)
    for area in model.patches:
        _check_end(r, spaces[area.enclosure], area)
    for i, area in enumerate(model.patches):
        for patch in model.patches[:i]:
            if (area.enclosure, area.side) == (patch.enclosure, patch.side) and all(
                p[0] < q[1] - EPS and q[0] < p[1] - EPS for p, q in zip(area.rect, patch.rect, strict=True)
            ):
                r.note(
                    r.by_name[area.name],
                    "at",
                    f"overlaps “{patch.name}”, so it is not clear which condition holds.",
                    "Move or shrink one of the two.",
                )


def _overlapping(solids: Sequence[Solid]) -> list[tuple[int, int]]:
    """Numbers of solids, the later first, whose boxes share a volume."""
    if len(solids) < 2:
        return []
    boxes = np.array([s.bounds for s in solids])
    shared = np.ones((len(solids), len(solids)), bool)
    for a in range(3):
        low, high = boxes[:, a, 0], boxes[:, a, 1]
        shared &= (low[:, None] < high[None] - EPS) & (low[None] < high[:, None] - EPS)
    return [(int(i), int(j)) for i, j in np.argwhere(np.tril(shared, -1))]


def _check_pair(r: Reader, a: Solid, b: Solid) -> None:
    if a.form or b.form or a.rank != b.rank or not overlap(a.bounds, b.bounds):
        return  # of curved and oblique solids the smaller is laid over the larger: a tube through fins
    for p in a.boxes:
        for q in b.boxes:
            if overlap(p, q) and not within(p, q) and not within(q, p):
                r.note(
                    r.by_name[a.name],
                    "at",
                    f"overlaps “{b.name}” in part, so it is not clear which of them is there.",
                    "Move one so that they touch, or give the one that is to be there a higher order.",
                )
                return
            if p == q or (overlap(p, q) and within(p, q) and within(q, p)):
                r.note(r.by_name[a.name], "at", f"fills the same place as “{b.name}”.", "Delete or move one of them.")
                return


def _check_bath(r: Reader, model: Model) -> None:
    """A bath is followed in time where it may boil; there is one at most."""
    baths = [s for s in model.enclosures if s.pool is not None]
    if not baths:
        return
    pool = baths[0].pool
    if pool is not None and pool.boils and model.run.time is None:
        row = next(iter(r.of("run")), r.by_name[baths[0].name])
        r.note(
            row,
            "time" if row.kind == "run" else "level",
            f"is steady, but “{baths[0].name}” is a bath that may boil, which is followed in time.",
            "Give the run a time, such as 60 s, or write none in the boiling of the surroundings.",
        )
    for other in baths[1:]:
        r.note(
            r.by_name[other.name],
            "level",
            f"makes a second bath beside “{baths[0].name}”.",
            "A model can have one bath: empty the level of the others.",
        )
    if any(w.kind == "periodic" for w in baths[0].sides.values()):
        r.note(
            r.by_name[baths[0].name],
            "level",
            "does not go with periodic sides.",
            "Empty the level, or write symmetry in place of periodic.",
        )
    for blower in model.blowers:
        r.note(
            r.by_name[blower.name],
            "curve",
            "is a blower in a model with a bath, which it cannot serve.",
            "Use an inside fan or a pump in the liquid, or openings with given flows.",
        )


def _check_contact(r: Reader, model: Model, contact) -> None:
    """Solids that have a contact resistance between them must touch; of curved ones the boxes around them are looked
    at."""
    solids = {s.name: s for s in model.solids}
    one, other = solids.get(contact.of), solids.get(contact.to)
    if contact.of and contact.of == contact.to:
        r.note(
            r.by_name[contact.name],
            "to",
            "names the same solid twice.",
            "Name the solid that it touches, or leave it empty.",
        )
    elif one and other and not any(_touch(p, q) for p in one.boxes for q in other.boxes):
        r.note(
            r.by_name[contact.name],
            "to",
            f"“{other.name}” does not touch “{one.name}”, so the resistance would stand nowhere.",
            "Move one of the two, or name what it touches.",
        )


def _touch(a: Box, b: Box) -> bool:
    """Whether two boxes share a volume or a piece of a face."""
    spans = [min(p[1], q[1]) - max(p[0], q[0]) for p, q in zip(a, b, strict=True)]
    return min(spans) > -EPS and sum(s > EPS for s in spans) >= 2


def _check_end(r: Reader, space: Enclosure, end) -> None:
    row = r.by_name[end.name]
    axis = "xyz".index(end.side[0])
    reach = space.outer if hasattr(end, "condition") else space.inner  # a condition may hold right to the outer edge
    sides = [reach[a] for a in range(3) if a != axis]
    if not all(s[0] - EPS <= p[0] and p[1] <= s[1] + EPS for p, s in zip(end.rect, sides, strict=True)):
        span = " and ".join(f"{a * 1e3:.4g} to {b * 1e3:.4g} mm" for a, b in sides)
        r.note(
            row,
            "at",
            f"lies on no wall: side {end.side} of “{space.name}” spans {span}.",
            "Move or shrink it so that it lies in that wall.",
        )


def _check_fan(r: Reader, model: Model, fan) -> None:
    across = [a for a in range(3) if a != fan.axis]
    box: list = [None] * 3
    box[fan.axis] = (fan.position, fan.position)
    for a, span in zip(across, fan.rect, strict=True):
        box[a] = span
    row = r.by_name[fan.name]
    if not any(within(tuple(box), s.inner) for s in model.enclosures):
        r.note(row, "at", "lies in no enclosure.", "Move the fan's plane into the fluid of an enclosure.")
