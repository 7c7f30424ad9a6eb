"""From a resolved layout to its grid and the owner of every cell."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..project.model import Model, Round
from .lines import SNAP, Grid, Spacing, axis_lines, facing_gaps
from .occupancy import FLUID, SOLID, VOID, box_slices, paint
from .rounds import crossings, paint_round

#: measured bytes a cell of the running solver, and of the process without any cell (see docs/performance.md)
BYTES_PER_CELL, BYTES_FIXED = 1550, 360e6
OUTSIDE, OPEN_FLUID = -2, -1


@dataclass(frozen=True)
class Built:
    """A grid with ``owner`` per cell: index into ``parts``, -1 fluid, -2 outside every enclosure."""

    grid: Grid
    owner: np.ndarray
    parts: tuple[str, ...]
    kind: np.ndarray
    space_of: np.ndarray
    crossing: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None


def _boxes(model: Model) -> list[tuple]:
    """(box, cells across) of every solid box, enclosure walls included."""
    out = [(b, 0) for s in model.spaces if s.walls for b in s.walls.boxes]
    return out + [(b, s.cells) for s in model.solids if not s.round for b in s.boxes]


def _end_box(model: Model, end) -> list:
    """The box an opening cuts through its wall (no thickness where the wall has none)."""
    space = next(s for s in model.spaces if s.name == end.space)
    axis, high = "xyz".index(end.side[0]), end.side[1] == "+"
    box = [None] * 3
    for a, span in zip((a for a in range(3) if a != axis), end.rect, strict=True):
        box[a] = span
    o, i = space.outer[axis], space.inner[axis]
    box[axis] = (i[1], o[1]) if high else (o[0], i[0])
    return box


def grid_lines(model: Model) -> Grid:
    """The grid of a layout: lines on every face, fine across gaps and thin solids, graded between."""
    wish, boxes = model.grid, _boxes(model)
    lines = []
    for a in range(3):
        faces = {v for s in model.spaces for box in (s.outer, s.inner) for v in box[a]}
        spacings = []
        for box, cells in boxes:
            faces.update(box[a])
            n = max(wish.solids, cells) if _thinnest(box) == a else wish.solids
            spacings.append(Spacing(*box[a], (box[a][1] - box[a][0]) / n))
        for s in model.spaces:
            spacings.append(Spacing(*s.inner[a], (s.inner[a][1] - s.inner[a][0]) / wish.gaps))
        for shape in [s.round for s in model.solids if s.round] + list(model.bores):
            faces.update(shape.span if a == shape.axis else ())
            if a != shape.axis:
                c = shape.centre[[x for x in range(3) if x != shape.axis].index(a)]
                for radius in filter(None, (shape.radius, shape.bore)):
                    faces.update((c - radius, c + radius))
                    spacings.append(Spacing(c - radius, c + radius, 2 * radius / shape.cells))
                if shape.bore:
                    wall = shape.radius - shape.bore
                    spacings += [Spacing(c - shape.radius, c - shape.bore, wall / wish.solids),
                                 Spacing(c + shape.bore, c + shape.radius, wall / wish.solids)]
        array = np.array([b for b, _ in boxes]).reshape(-1, 3, 2)
        spacings += [Spacing(lo, hi, (hi - lo) / wish.gaps) for lo, hi in facing_gaps(array, a)]
        if wish.walls:
            spacings += [Spacing(x, x, wish.walls) for x in _wall_faces(model, boxes, a)]
        for end in model.ends:
            span = _end_box(model, end)[a]
            faces.update(span)
            if span[1] > span[0] and a != "xyz".index(end.side[0]):
                spacings.append(Spacing(*span, (span[1] - span[0]) / max(4, wish.gaps)))
        for fan in (*model.fans, *model.screens):
            if fan.axis == a:
                faces.add(fan.position)
            else:
                span = fan.rect[[x for x in range(3) if x != fan.axis].index(a)]
                faces.update(span)
                spacings.append(Spacing(*span, (span[1] - span[0]) / max(4, wish.gaps)))
        for part in model.areas:
            if a != "xyz".index(part.side[0]):
                faces.update(part.rect[[x for x in range(3) if x != "xyz".index(part.side[0])].index(a)])
        flat = [s for s in model.spaces if all(s.sides["xyz"[a] + e].kind in ("symmetry", "periodic") for e in "-+")]
        ends = any(a != "xyz".index(e.side[0]) and _partial(_end_box(model, e), flat[0].inner, a) for e in model.ends) if flat else False
        rounds = [s.round.box for s in model.solids if s.round] + [b.box for b in model.bores]
        if model.push and model.push.axis == a and _decays(model):
            spacings += [Spacing(*s.inner[a], (s.inner[a][1] - s.inner[a][0]) / 24) for s in model.spaces]
        elif flat and len(model.spaces) == 1 and not ends and not any(
                _partial(b, flat[0].inner, a) for b in [b for b, _ in boxes] + rounds):
            lines.append(np.array(flat[0].inner[a]))  # nothing varies between two symmetry sides
            continue
        lines.append(axis_lines(faces, spacings, wish.coarsest, wish.growth))
    return Grid(tuple(lines))


def _decays(model: Model) -> bool:
    """Whether all walls have one temperature and nothing gives heat, so that temperatures change along a driven flow."""
    walls = [w for s in model.spaces for w in s.sides.values()] + [x.wall for x in model.areas]
    outside = [w.value for w in walls if w.kind == "temperature"]
    outside += [model.ambient if w.ambient is None else w.ambient for w in walls if w.kind == "coefficient"]
    outside += [s.fixed for s in model.solids if s.fixed is not None]
    heated = any(w.kind == "flux" and w.value for w in walls) or any(s.power for s in model.solids)
    return bool(outside) and not heated and max(outside) - min(outside) < 1e-6


def _wall_faces(model: Model, boxes, a: int) -> set[float]:
    """Where fluid may meet a wall across axis ``a``: faces of solids, and sides that are no symmetry, periodic or all opening."""
    faces = {v for b, _ in boxes for v in b[a]}
    for s in model.spaces:
        for end, at in zip("-+", s.inner[a], strict=True):
            side = "xyz"[a] + end
            others = [s.inner[t] for t in range(3) if t != a]
            whole = any(e.space == s.name and e.side == side and all(
                p[0] <= q[0] + SNAP and p[1] >= q[1] - SNAP for p, q in zip(e.rect, others, strict=True)) for e in model.ends)
            if s.sides[side].kind not in ("symmetry", "periodic") and not whole:
                faces.add(at)
    return faces


def _partial(box, inner, axis: int) -> bool:
    return box[axis][0] > inner[axis][0] + 1e-9 or box[axis][1] < inner[axis][1] - 1e-9


def _thinnest(box) -> int:
    return int(np.argmin([hi - lo for lo, hi in box]))


def predict(model: Model) -> tuple[tuple[int, int, int], int, float]:
    """Cells along x, y, z, their number, and the memory (bytes) a run will take, without building anything."""
    shape = grid_lines(model).shape
    n = int(np.prod(shape))
    return shape, n, BYTES_FIXED + BYTES_PER_CELL * n


def build(model: Model) -> Built:
    """The grid and owner of every cell; smaller solids are painted over the larger ones that hold them."""
    grid = grid_lines(model)
    parts, boxes, owners = [], [], []

    def part(name: str) -> int:
        if name not in parts:
            parts.append(name)
        return parts.index(name)

    for m, s in enumerate(model.spaces):
        if s.walls:
            boxes.append(s.outer)
            owners.append(part(s.name))
        boxes.append(s.inner)
        owners.append(-10 - m)
    for end in model.ends:
        box = _end_box(model, end)
        a = "xyz".index(end.side[0])
        if box[a][1] > box[a][0]:
            boxes.append(box)
            owners.append(-10 - [s.name for s in model.spaces].index(end.space))
    owner = paint(grid, boxes, owners, OUTSIDE)
    pairs = [(b, s) for s in model.solids for b in s.boxes] + [(shape.box, shape) for shape in model.bores]
    for b, s in sorted(pairs, key=lambda p: -np.prod([hi - lo for lo, hi in p[0]])):
        if isinstance(s, Round):
            paint_round(grid, owner, s, _fluid_of(model, b))
        elif s.round:
            paint_round(grid, owner, s.round, part(s.name), _fluid_of(model, s.round.box))
        else:
            owner[box_slices(grid, b)] = part(s.name)
    space_of = np.where(owner <= -10, -10 - owner, -1).astype(np.int32)
    owner[owner <= -10] = OPEN_FLUID
    kind = np.where(owner >= 0, SOLID, np.where(owner == OPEN_FLUID, FLUID, VOID)).astype(np.uint8)
    rounds = [s.round for s in model.solids if s.round] + list(model.bores)
    return Built(grid, owner, tuple(parts), kind, space_of, crossings(grid, rounds))


def _fluid_of(model: Model, box) -> int:
    """The owner number of the fluid of the enclosure that holds most of ``box``."""
    def shared(space) -> float:
        return float(np.prod([max(min(p[1], q[1]) - max(p[0], q[0]), 0.0) for p, q in zip(box, space.outer, strict=True)]))

    return -10 - int(np.argmax([shared(s) for s in model.spaces]))
