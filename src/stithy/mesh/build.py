"""From a resolved layout to its grid and the owner of every cell."""

from __future__ import annotations

import os
from dataclasses import dataclass, replace

import numpy as np

from ..errors import Problem, SetupError
from ..model import Model
from ..shapes.solids import volume
from . import plates
from .crossings import Crossings, crossings, paint_form
from .gridding import end_box, forms, grid_lines, in_walls
from .lines import SNAP, Grid, GridTooLarge
from .narrow import narrow
from .occupancy import FLUID, SOLID, VOID, box_slices, fluid_spaces, paint

#: measured bytes a cell of the running solver, and of the process without any cell (see docs/performance.md)
BYTES_PER_CELL, BYTES_FIXED = 1450, 310e6
OUTSIDE, OPEN_FLUID = -2, -1


@dataclass(frozen=True)
class Built:
    """A grid with ``owner`` per cell: index into ``parts``, -1 fluid, -2 outside every enclosure, in a plate or left
    out.

    ``plates``: which of the model's blanking plates a cell belongs to, ``left_out``: to which of its spaces that are
    left out; -1: to none (None: there are none). ``filled``: how many cells of narrow gaps are no fluid.
    """

    grid: Grid
    owner: np.ndarray
    parts: tuple[str, ...]
    kind: np.ndarray
    space_of: np.ndarray
    crossing: Crossings | None = None
    plates: np.ndarray | None = None
    left_out: np.ndarray | None = None
    filled: int = 0

    @property
    def shut(self) -> tuple[np.ndarray, ...] | None:
        """Faces that sheets thinner than a cell close, as of :class:`Crossings`."""
        return self.crossing.shut if self.crossing else None


def predict(model: Model) -> tuple[tuple[int, int, int], int, float]:
    """Cells along x, y, z, their number, and the memory (bytes) a run will take, without building anything."""
    shape = grid_lines(model).shape
    n = int(np.prod(shape))
    return shape, n, BYTES_FIXED + BYTES_PER_CELL * n


def memory() -> float:
    """Bytes that a run may take: most of what this machine has."""
    return 0.85 * os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")


def fits(model: Model) -> Problem | None:
    """None where a run of ``model`` fits into this machine, else what to say of it, with the nearest grid that does.

    Nothing is allocated for it.
    """
    try:
        _, cells, needs = predict(model)
        if needs <= memory():
            return None
        size = f"{cells / 1e6:,.0f} million cells need {needs / 1e9:,.0f} GB".replace(",", " ")
    except GridTooLarge:
        size = "lines by the ten thousand would be needed along one axis"
    row = model.grid.row or "Grid"
    for times in (1.5, 2, 3, 5, 10, 30, 100, 1000):
        coarser = replace(model, grid=_coarsened(model.grid, times))
        try:
            _, cells, needs = predict(coarser)
        except GridTooLarge:
            continue
        if needs <= memory():
            return Problem(
                row,
                "coarsest",
                f"is too fine for this machine: {size}, and {memory() / 1e9:.0f} GB can be used.",
                f"Cells {times:g} times as long would do ({cells / 1e6:.2g} million): detail quick, {times:g} times "
                "the sizes "
                f"given here, and 1/{times:g} of the cells across.",
                "grid",
            )
    return Problem(
        row,
        "coarsest",
        f"is too fine for this machine: {size}.",
        "Look for a part that is far too small or an enclosure that "
        "is far too large: one of their sizes may be in the wrong unit.",
        "grid",
    )


def _coarsened(wish, times: float):
    def size(x):
        return None if x is None else times * x

    def count(n):
        return None if n is None else max(int(n / times), 1)

    return replace(
        wish,
        coarsest=size(wish.coarsest),
        walls=size(wish.walls),
        gaps=count(wish.gaps),
        solids=count(wish.solids),
        count=max(wish.count / times, 1.0),
        exact=True,
    )


def build(model: Model) -> Built:
    """The grid and owner of every cell; solids of higher rank are painted over others, and of equals
    the smaller over the larger.

    Raises SetupError for a grid that does not fit into this machine.
    """
    found = fits(model)
    if found is not None:
        raise SetupError([found], model)
    grid, parts = grid_lines(model), _Parts()
    owner = _enclosed(model, grid, parts)
    _paint_solids(model, grid, owner, parts)
    _paint_bores(model, grid, owner, parts)
    space_of = np.where(owner <= -10, -10 - owner, -1).astype(np.int32)
    filled = _close_narrow(model, grid, owner, space_of, parts) if model.grid.least_gap else 0
    owner[owner <= -10] = OPEN_FLUID
    kind = np.where(owner >= 0, SOLID, np.where(owner == OPEN_FLUID, FLUID, VOID)).astype(np.uint8)
    who = [parts.index(s.name) for s in model.solids if s.form] + [-1] * len(model.passages)
    crossing = crossings(grid, forms(model), kind == FLUID, who)
    closed, left = _close(model, grid, owner, kind, crossing.shut if crossing else None)
    return Built(grid, owner, tuple(parts), kind, space_of, crossing, closed, left, filled)


class _Parts(list):
    """Names of parts in the order they were met."""

    def number(self, name: str) -> int:
        """The number of a part, a new one where it was not met before."""
        if name not in self:
            self.append(name)
        return self.index(name)


def _enclosed(model: Model, grid: Grid, parts: _Parts) -> np.ndarray:
    """Owners with enclosures alone: their walls, the holes of openings in them, and -10 - m where enclosure m has its
    fluid."""
    boxes, owners = [], []
    for m, s in enumerate(model.enclosures):
        if s.walls:
            boxes.append(s.outer)
            owners.append(parts.number(s.name))
        boxes.append(s.inner)
        owners.append(-10 - m)
    for end in in_walls(model):
        box = end_box(model, end)
        a = "xyz".index(end.side[0])
        if box[a][1] > box[a][0]:
            boxes.append(box)
            owners.append(-10 - [s.name for s in model.enclosures].index(end.enclosure))
    return paint(grid, boxes, owners, OUTSIDE)


def _paint_solids(model: Model, grid: Grid, owner: np.ndarray, parts: _Parts) -> None:
    """Solids and passages, those of higher rank and smaller volume last."""
    pairs = [(np.prod([hi - lo for lo, hi in b]), b, s) for s in model.solids if not s.form for b in s.boxes]
    pairs += [(volume(s.form), s.form, s) for s in model.solids if s.form]
    pairs += [(volume(x.form), x.form, None) for x in model.passages]
    for _, shape, s in sorted(pairs, key=lambda p: (p[2].rank if p[2] is not None else 0, -p[0])):
        if s is None:
            paint_form(grid, owner, shape, _fluid_of(model, shape.box))
        elif getattr(s.form, "sheet", 0.0):
            parts.number(s.name)  # thinner than any cell
        elif s.form:
            paint_form(grid, owner, shape, parts.number(s.name), _fluid_of(model, shape.box))
        else:
            owner[box_slices(grid, shape)] = parts.number(s.name)


def _paint_bores(model: Model, grid: Grid, owner: np.ndarray, parts: _Parts) -> None:
    """Passages through boxes that would close them whole."""
    for bore in (x.form for x in model.passages):
        for s in model.solids:
            for b in () if s.form else s.boxes:
                if _bored(bore, b):
                    through = owner.copy()
                    paint_form(grid, through, bore, _fluid_of(model, bore.box))
                    np.copyto(owner, through, where=owner == parts.number(s.name))


def _close_narrow(model: Model, grid: Grid, owner: np.ndarray, space_of: np.ndarray, parts: _Parts) -> int:
    """Fill gaps narrower than the least one, with what is beside them or as layers; how many cells that were."""
    tight, beside = narrow(grid, owner <= -10, owner, model.grid.least_gap)
    if model.grid.layers:
        for m in np.unique(space_of[tight]):
            beside[tight & (space_of == m)] = parts.number(layers_in(model.enclosures[int(m)]))
    owner[tight], space_of[tight] = beside[tight], -1
    return int(tight.sum())


def layers_in(space) -> str:
    """What the fluid of an enclosure that stands in narrow gaps is called as a part."""
    return f"{space.name}, thin layers"


def _close(model: Model, grid: Grid, owner, kind, shut) -> tuple[np.ndarray | None, np.ndarray | None]:
    """Paint plates, then take out what is left out: ``owner`` and ``kind`` are changed. As of :class:`Built`."""
    closed = plates.paint_plates(grid, kind, model.plates) if model.plates else None
    if closed is not None:
        kind[closed >= 0], owner[closed >= 0] = VOID, OUTSIDE
    if not model.left_out:
        return closed, None
    left, (label, _) = np.full(kind.shape, -1, np.int32), fluid_spaces(kind, (), shut)
    for number, space in enumerate(model.left_out):
        at = grid.find(space.point)
        if at is not None and label[at] >= 0:
            left[label == label[at]] = number
    kind[left >= 0], owner[left >= 0] = VOID, OUTSIDE
    return closed, left


def _bored(bore, box) -> bool:
    """Whether a straight bore passes a box right through: a box that would close it whole is cut, however small it
    is."""
    axis = getattr(bore, "axis", -1)
    if axis < 0:
        return False
    inside = all(p[0] <= q[0] + SNAP and q[1] <= p[1] + SNAP for p, q in zip(bore.box, box, strict=True))
    across = all(
        box[t][0] <= bore.box[t][0] + SNAP and box[t][1] >= bore.box[t][1] - SNAP for t in range(3) if t != axis
    )
    meets = box[axis][0] < bore.box[axis][1] - SNAP and box[axis][1] > bore.box[axis][0] + SNAP
    return across and meets and not inside


def _fluid_of(model: Model, box) -> int:
    """The owner number of the fluid of the enclosure that holds most of ``box``."""

    def shared(space) -> float:
        return float(
            np.prod([max(min(p[1], q[1]) - max(p[0], q[0]), 0.0) for p, q in zip(box, space.outer, strict=True)])
        )

    return -10 - int(np.argmax([shared(s) for s in model.enclosures]))
