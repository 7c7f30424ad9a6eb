"""What of a model repeats: planes it mirrors itself in, found on its painted cells."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from ..errors import StithyError
from ..kinds.assembly import resolve
from ..kinds.drive import DriveRow
from ..kinds.piece import made
from ..model import Model
from ..project import edits
from ..project.document import Document
from ..project.edits import Edit
from .build import build
from .occupancy import FLUID, VOID

#: part of the cells that may differ between a pattern and its mirror image; mirrored pieces that make an array
SAME, LEAST = 0.004, 5
#: of the whole's length, what two sections may differ in place
NEAR = 2e-4
#: number from which cells are counted that are like no others
MANY = 1_000_000


@dataclass(frozen=True)
class Repeat:
    """The smallest piece along an axis (m) that mirrors into the whole, how many of it there are in what repeats, and
    what lies at the ends beyond that (m)."""

    axis: int
    low: float
    high: float
    times: float
    ends: tuple[float, float] = (0.0, 0.0)

    @property
    def array(self) -> bool:
        """Whether it is a piece of an array, and not one half of the whole."""
        return self.times > 2.5


def repeats(model: Model) -> list[Repeat]:
    """The smallest piece along every axis in which the model mirrors itself, its openings and conditions with it; none
    along an axis of gravity or of what drives the flow."""
    built = build(model)
    labels = labels_of(model, built)
    out = []
    for axis in range(3):
        if not _may(model, axis):
            continue
        slabs = np.moveaxis(labels, axis, 0)
        lines = built.grid.lines[axis]
        others = [built.grid.widths[a] for a in range(3) if a != axis]
        area = np.outer(others[0], others[1])
        found = _array(model, axis, lines, slabs, area) or _half(model, axis, lines, slabs, area)
        if found is not None:
            out.append(found)
    return out


def _may(model: Model, axis: int) -> bool:
    """Whether a plane across an axis may be one of symmetry at all."""
    sides = [s.sides["xyz"[axis] + e].kind for s in model.enclosures for e in "-+"]
    weighs = abs(model.surroundings.gravity[axis]) > 1e-9 and any(k != "symmetry" for k in sides)
    if weighs or (model.drive is not None and model.drive.axis == axis):
        return False
    if any(f.axis == axis for f in (*model.fans, *model.screens)):
        return False
    if any(x.side and "xyz".index(x.side[0]) == axis for x in model.openings):
        return False
    if any(x.plated or x.direction is not None or x.swirl for x in model.openings) or model.faces:
        return False
    for s in model.enclosures:
        low, high = (s.sides["xyz"[axis] + e] for e in "-+")
        if low != high or any(c.where is not None or c.slides for c in s.sides.values()):
            return False
    return not any(p.side and "xyz".index(p.side[0]) == axis for p in model.patches)


def labels_of(model: Model, built) -> np.ndarray:
    """A number per cell that is the same where a piece may stand for another: material, what is released per volume, or
    the fluid."""
    by_name = {s.name: s for s in model.solids}
    volumes = built.grid.volumes()
    known: dict[tuple, int] = {}
    out = np.where(built.kind == VOID, -1, 0)
    fluids = [s.fluid_name for s in model.enclosures]
    for n in np.unique(built.space_of[built.kind == FLUID]):
        key = ("fluid", fluids[n] if 0 <= n < len(fluids) else n)
        out[(built.kind == FLUID) & (built.space_of == n)] = known.setdefault(key, len(known) + 1)
    for m, name in enumerate(built.parts):
        here = built.owner == m
        s = by_name.get(name)
        if not here.any():
            continue
        dense = 0.0 if s is None else s.power / float(volumes[here].sum())
        key = (
            ("walls",)
            if s is None
            else (s.k, round(dense, 3 - _digits(dense)), s.fixed, s.junction, s.network, s.starts)
        )
        out[here] = known.setdefault(key, len(known) + 1)
        if s is not None and s.stack is not None and s.stack.content:  # its copper is nowhere like elsewhere
            out[here] = MANY + np.arange(int(here.sum()))
    return out


def _digits(x: float) -> int:
    return int(np.floor(np.log10(abs(x)))) if x else 0


def _differs(lines: np.ndarray, slabs: np.ndarray, area: np.ndarray, plane: float, low: float, high: float) -> float:
    """Part of what lies between two places that is another in the mirror of a plane; what mirrors outside is left
    out."""
    a, b = max(low, 2 * plane - high), min(high, 2 * plane - low)
    wrong = wrong_between(lines, slabs, area, (a, b), lambda x: 2 * plane - x, 2 * plane - lines)
    return wrong / max((b - a) * float(area.sum()), 1e-300)


def wrong_between(
    lines: np.ndarray,
    slabs: np.ndarray,
    area: np.ndarray,
    span: tuple[float, float],
    image: Callable[[np.ndarray], np.ndarray],
    back: np.ndarray,
) -> float:
    """Volume (m3) within a span that is another where ``image`` puts it; ``back``: the lines as seen from there."""
    a, b = span
    inner = [x[(x > a) & (x < b)] for x in (lines, back)]
    cuts = np.unique(np.round(np.concatenate([[a, b], *inner]), 12))
    middles, widths = 0.5 * (cuts[1:] + cuts[:-1]), np.diff(cuts)
    keep = widths > NEAR * (b - a)
    here = np.clip(np.searchsorted(lines, middles[keep]) - 1, 0, len(slabs) - 1)
    there = np.clip(np.searchsorted(lines, image(middles[keep])) - 1, 0, len(slabs) - 1)
    wrong = 0.0
    for i, j, w in zip(here, there, widths[keep], strict=True):
        if i != j:
            wrong += w * float(area[slabs[i] != slabs[j]].sum())
    return wrong


def _half(model: Model, axis: int, lines, slabs, area) -> Repeat | None:
    """The upper half, where the whole mirrors itself in its middle, openings and patches with it."""
    low, high = float(lines[0]), float(lines[-1])
    middle = 0.5 * (low + high)
    if _differs(lines, slabs, area, middle, low, high) > SAME or not _ends_mirror(model, axis, middle):
        return None
    return Repeat(axis, middle, high, 2.0)


def _ends_mirror(model: Model, axis: int, plane: float) -> bool:
    """Whether openings and patches have their mirror images."""
    every = [(_like(x), x.side, x.rect) for x in (*model.openings, *model.patches)]
    for like, side, rect in every:
        across = [a for a in range(3) if a != "xyz".index(side[0])]
        image = tuple(
            (2 * plane - hi, 2 * plane - lo) if a == axis else (lo, hi)
            for a, (lo, hi) in zip(across, rect, strict=True)
        )
        if not any(
            (like, side) == (other[0], other[1]) and np.allclose(np.array(image), np.array(other[2]), atol=1e-7)
            for other in every
        ):
            return False
    return True


def _like(x):
    """An opening or a patch without its name and place."""
    return replace(x, name="", rect=((0.0, 0.0), (0.0, 0.0)))


def _array(model: Model, axis: int, lines, slabs, area) -> Repeat | None:
    """The smallest piece between two planes that the middle part of the model mirrors itself in."""
    edges, kinds = _merged(lines, slabs)
    if len(kinds) < LEAST:
        return None
    middles = 0.5 * (edges[1:] + edges[:-1])
    centre = int(np.argmin(np.abs(middles - 0.5 * (lines[0] + lines[-1]))))
    best = None
    for m in sorted(range(len(middles)), key=lambda i: abs(i - centre))[:6]:
        for step in (1, 2, 3, 4):
            if m + step >= len(middles):
                continue
            low, high = float(middles[m]), float(middles[m + step])
            found = _reach(lines, slabs, area, low, high)
            if found is not None and (best is None or high - low < best.high - best.low - 1e-9):
                first, last = found
                best = Repeat(axis, low, high, (last - first) / (high - low), (first - lines[0], lines[-1] - last))
        if best is not None:
            break
    return best if best is not None and _ends_span(model, axis, best) else None


def _merged(lines, slabs) -> tuple[np.ndarray, list[int]]:
    """Places where the section changes, and the first slab of each stretch."""
    first = [0] + [m for m in range(1, len(slabs)) if (slabs[m] != slabs[m - 1]).any()]
    return np.array([lines[m] for m in first] + [lines[-1]]), first


def _reach(lines, slabs, area, low: float, high: float) -> tuple[float, float] | None:
    """How far (m) to both sides the piece mirrors on and on; None where that makes fewer than :data:`LEAST` pieces."""
    wide = high - low
    ends = []
    for way in (-1, 1):
        at, plane = (low, low) if way < 0 else (high, high)
        while True:
            new = plane + way * wide
            if not lines[0] - 1e-9 <= new <= lines[-1] + 1e-9:
                break
            a, b = min(plane - way * wide, new), max(plane - way * wide, new)
            if _differs(lines, slabs, area, plane, a, b) > SAME:
                break
            at = plane = new
        ends.append(at)
    return (ends[0], ends[1]) if (ends[1] - ends[0]) / wide >= LEAST - 1e-6 else None


def _ends_span(model: Model, axis: int, found: Repeat) -> bool:
    """Whether every opening and patch spans all of what repeats, so that the piece has its part of each."""
    for x in (*model.openings, *model.patches):
        across = [a for a in range(3) if a != "xyz".index(x.side[0])]
        lo, hi = x.rect[across.index(axis)]
        if lo > found.low + 1e-9 or hi < found.high - 1e-9:
            return False
    return True


def assumed(found: list[Repeat]) -> str:
    """What is taken for granted, in words."""
    words = []
    for f in found:
        letter = "xyz"[f.axis]
        if not f.array:
            words.append(f"the flow is as symmetric across {letter} as the shape")
            continue
        left = 1e3 * (f.ends[0] + f.ends[1])
        what = f"all {f.times:.4g} pieces across {letter} carry alike"
        words.append(what + (f", {left:.3g} mm at the ends left out" if left > 1e-3 else ""))
    return "; ".join(words)


def piece_of(document: Document, layout: str, along: bool = False) -> tuple[str, Edit, str]:
    """A new layout in which only the smallest piece that repeats is solved: its name, the edit, and what is assumed;
    ``along`` the flow, too: one period of it, driven by its mean speed. Raises StithyError where there is none."""
    model = resolve(document, layout)
    found = repeats(model)
    times = float(np.prod([f.times for f in found])) if found else 1.0
    spans = {f.axis: (f.low, f.high, "symmetry") for f in found}
    words, more = assumed(found), []
    if along:
        from .periods import period

        p = period(model)
        if p is None:
            raise StithyError(
                "Nothing repeats along the flow of this layout at least twice, or fluid does not go straight through "
                "it from one opening with a given flow."
            )
        spans[p.axis] = (p.low, p.high, "periodic")
        times *= p.times
        flow = f"all {p.times:.4g} periods along {'xyz'[p.axis]} are as one of them where the flow is developed"
        words = "; ".join(filter(None, (words, flow)))
        share = 1.0  # of the flow, what goes through the piece
        for axis, (low, high, _) in spans.items():
            if axis != p.axis:
                share *= (high - low) / (model.enclosures[0].inner[axis][1] - model.enclosures[0].inner[axis][0])
        more.append(
            DriveRow(
                name=edits.free_name(document, "Drive"),
                along="xyz"[p.axis] + ("+" if p.flow > 0 else "-"),
                flow=f"{abs(p.flow) * share:.8g} m3/s",
                temperature=f"{p.entering - 273.15:.6g} degC",
            )
        )
    name, edit = made(document, layout, spans, times, words)
    return name, edits.many(edit.label, [edit, *(edits.add_row(name, row, True) for row in more)]), words
