"""From a resolved layout to its grid and the owner of every cell."""

from __future__ import annotations

import os
from dataclasses import dataclass, replace

import numpy as np

from ..errors import Problem, SetupError
from ..model import Model
from ..shapes import facets
from ..shapes.geometry import Mesh, Outline, Path, Triangles
from ..shapes.solids import volume
from . import plates, wishes
from .crossings import Crossings, crossings, paint_form
from .lines import SNAP, Grid, GridTooLarge, Spacing, axis_lines, facing_gaps, lines_by, snap
from .narrow import narrow
from .occupancy import FLUID, SOLID, VOID, box_slices, fluid_spaces, paint
from .rule import Rule, bubble, plenty, rule

#: measured bytes a cell of the running solver, and of the process without any cell (see docs/performance.md)
BYTES_PER_CELL, BYTES_FIXED = 1450, 310e6
OUTSIDE, OPEN_FLUID = -2, -1
#: m by which a line of triangles may miss another line and be taken for it
NEAR = 5e-6


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


def _boxes(model: Model) -> list[tuple]:
    """(box, solid) of every solid box; of an enclosure's walls the solid is None."""
    out = [(b, None) for s in model.enclosures if s.walls for b in s.walls.boxes]
    return out + [(b, s) for s in model.solids if not s.form for b in s.boxes]


def _in_walls(model: Model) -> list:
    """Openings that are cut in a wall, not those on plates."""
    return [e for e in model.openings if not e.plated]


def _end_box(model: Model, end) -> list:
    """The box an opening cuts through its wall (no thickness where the wall has none)."""
    space = next(s for s in model.enclosures if s.name == end.enclosure)
    axis, high = "xyz".index(end.side[0]), end.side[1] == "+"
    box = [None] * 3
    for a, span in zip((a for a in range(3) if a != axis), end.rect, strict=True):
        box[a] = span
    o, i = space.outer[axis], space.inner[axis]
    box[axis] = (i[1], o[1]) if high else (o[0], i[0])
    return box


def settled(model: Model) -> Model:
    """The model with its count of cells across what matters settled: up to three times as many where the grid stays
    small."""
    wish = model.grid
    if (
        wish.exact
        or wish.lines
        or wish.sizes
        or None not in (wish.coarsest, wish.gaps, wish.solids, wish.growth, wish.walls)
    ):
        return model
    best = replace(model, grid=replace(wish, exact=True))
    if bubble(model):  # steps in time are as short as cells are small
        return best
    for times in (1.5, 2.0, 3.0):
        finer = replace(model, grid=replace(wish, count=times * wish.count, exact=True))
        if _lines(finer).cells > plenty(wish.count):
            break
        best = finer
    return best


#: the grids asked for last, with their models
_KEPT: list[tuple[Model, Grid]] = []
MOST_KEPT = 6


def grid_lines(model: Model) -> Grid:
    """The grid of a layout: lines on every face, fine across gaps and thin solids, graded between."""
    for known, grid in _KEPT:
        if known is model:
            return grid
    grid = _lines(settled(model))
    _KEPT[:] = [(model, grid), *_KEPT[: MOST_KEPT - 1]]
    return grid


def _lines(model: Model) -> Grid:
    if model.grid.lines:
        return Grid(tuple(np.array(x, float) for x in model.grid.lines))
    wish, boxes = rule(model), _boxes(model)
    lines, single = [], _single_layers(model, boxes)
    for a in range(3):
        faces = {v for s in model.enclosures for box in (s.outer, s.inner) for v in box[a]}
        rounded: set[float] = set()
        spacings = []
        for box, solid in boxes:
            faces.update(box[a])
            spacings.append(Spacing(*box[a], (box[a][1] - box[a][0]) / wish.through(solid, box, a)))
        for s in model.enclosures:
            if s.sides["xyz"[a] + "-"].kind != "periodic":  # no walls face each other along a periodic axis
                spacings.append(Spacing(*s.inner[a], (s.inner[a][1] - s.inner[a][0]) / wish.gaps))
        of = {id(s.form): s for s in model.solids}
        for form in _forms(model):
            by_rule = isinstance(form, Mesh) and not form.cells
            more = _mesh_spacings(form, of.get(id(form)), a, wish) if by_rule else _form_spacings(form, a, wish)
            low, high = min(s.outer[a][0] for s in model.enclosures), max(s.outer[a][1] for s in model.enclosures)
            mine = {x for x in more[0] if low <= x <= high}  # a shape may be cut by the model's edge
            (rounded if isinstance(form, Mesh) else faces).update(mine)
            spacings += [
                Spacing(max(x.low, low), min(x.high, high), x.size) for x in more[1] if x.low < high and x.high > low
            ]
        plain = [s.form.box for s in model.solids if isinstance(s.form, Mesh) and _cuboid(s.form)]
        least = wish.along_boards(model, a)
        crowd = {s.name for s in model.solids if s.role == "component"} if least else set()
        alone = [(b, s) for b, s in boxes if s is None or s.name not in crowd]
        for some, floor in ((alone, 0.0), (boxes, least)) if crowd else ((boxes, 0.0),):
            array = np.array([*(b for b, _ in some), *plain]).reshape(-1, 3, 2)
            open_ = [(lo, hi) for lo, hi in facing_gaps(array, a) if hi - lo >= wish.given.least_gap - SNAP]
            spacings += [Spacing(lo, hi, max((hi - lo) / wish.gaps, floor)) for lo, hi in open_]
        if wish.walls:
            spacings += [Spacing(x, x, wish.walls) for x in _wall_faces(model, alone, a)]
            spacings += [Spacing(x, x, max(wish.walls, least)) for x in _wall_faces(model, boxes, a)] if crowd else []
        for more in (_of_devices(model, a, wish), wishes.spacings(model, a)):
            faces |= more[0]
            spacings += more[1]
        for s in (s for s in model.solids if s.stack is not None):
            if s.stack.normal == a:
                faces.update(s.stack.edges)
            elif s.form:  # one with a notch has no box that asks for cells in its plane
                spacings.append(Spacing(*s.bounds[a], (s.bounds[a][1] - s.bounds[a][0]) / wish.through(s, s.bounds, a)))
        if a in single:
            lines.append(np.array(model.enclosures[0].inner[a]))
            continue
        if model.drive and model.drive.axis == a and decays(model):
            spacings += [Spacing(*s.inner[a], (s.inner[a][1] - s.inner[a][0]) / 24) for s in model.enclosures]
        for x in sorted(rounded):  # triangles lie a little off round faces: no cell of that little
            if min((abs(x - y) for y in faces), default=1.0) > NEAR:
                faces.add(x)
        if model.grid.sizes:
            at, size = np.array(model.grid.sizes[a]).T
            lines.append(lines_by(snap(faces), lambda x, at=at, size=size: np.interp(x, at, size)))
        else:
            lines.append(axis_lines(faces, spacings, wish.coarsest, wish.growth))
    return Grid(tuple(lines))


def _of_devices(model: Model, a: int, wish: Rule) -> tuple[set[float], list[Spacing]]:
    """Lines and spacings along axis ``a`` of openings, fans, blowers, porous blocks, plates and patches."""
    faces: set[float] = set()
    spacings: list[Spacing] = []
    for end in _in_walls(model):
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
    pull = np.abs(model.surroundings.gravity)
    faces |= {s.pool.level for s in model.enclosures if s.pool is not None and int(np.argmax(pull)) == a}
    for blower in model.blowers:
        for port in (blower.inlet, blower.outlet):
            if a != port.axis:
                reach = port.rect[[x for x in range(3) if x != port.axis].index(a)]
                faces.update(reach)
                spacings.append(Spacing(*reach, (reach[1] - reach[0]) / max(4, wish.gaps)))
    for foam in model.porous:
        faces.update(foam.box[a])
        spacings.append(Spacing(*foam.box[a], (foam.box[a][1] - foam.box[a][0]) / max(4, wish.gaps)))
    more = plates.spacings(model.plates, a, wish.gaps)
    low, high = min(s.outer[a][0] for s in model.enclosures), max(s.outer[a][1] for s in model.enclosures)
    faces |= {x for x in more[0] if low <= x <= high}
    spacings += [x for x in more[1] if low <= x.low and x.high <= high]
    for part in model.patches:
        if a != "xyz".index(part.side[0]):
            faces.update(part.rect[[x for x in range(3) if x != "xyz".index(part.side[0])].index(a)])
    return faces, spacings


def _single_layers(model: Model, boxes) -> list[int]:
    """Axes along which nothing varies between two symmetry or periodic sides, so that one layer of cells stands for all
    of it.

    Where buoyancy moves the fluid, plumes and rolls may stand between sides on which nothing differs: then the shortest
    such axis alone.
    """
    if len(model.enclosures) != 1:
        return []
    space, out = model.enclosures[0], []
    solids = [b for b, _ in boxes] + [f.box for f in _forms(model)] + _device_boxes(model)
    for a, axis in enumerate("xyz"):
        if not all(space.sides[axis + e].kind in ("symmetry", "periodic") for e in "-+"):
            continue
        if model.drive and model.drive.axis == a and decays(model):
            continue
        ends = [_end_box(model, e) for e in _in_walls(model) if a != "xyz".index(e.side[0])]
        patched = any(x.side[0] == axis for x in model.patches) or any(_varies(f, a) for f in _forms(model))
        if not patched and not any(_partial(b, space.inner, a) for b in ends + solids):
            out.append(a)
    if any(model.surroundings.gravity) and (space.fluid.beta or space.fluid.table) and len(out) > 1:
        out = [min(out, key=lambda a: space.inner[a][1] - space.inner[a][0])]
    return out


def _varies(form, axis: int) -> bool:
    """Whether a shape's section across an axis is not the same all along it."""
    if isinstance(form, Triangles):
        x = facets.corners(form)
        normal = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
        leans = np.abs(normal[:, axis]) > 1e-6 * np.linalg.norm(normal, axis=1)
        ends = np.isin(np.round(x[leans, :, axis], 9), np.round(form.box[axis], 9))
        return not bool(ends.all())
    return getattr(form, "axis", -1) != axis


def _forms(model: Model) -> list:
    """Every shape that is no box: solids and passages."""
    return [s.form for s in model.solids if s.form] + [x.form for x in model.passages]


def _form_spacings(form, a: int, wish) -> tuple[set[float], list[Spacing]]:
    """Lines and spacings that a form asks for along axis ``a``."""
    lo, hi = form.box[a]
    if a == getattr(form, "axis", -1):
        return set(form.span), []
    if isinstance(form, Outline):
        corners = sorted({round(p[[t for t in range(3) if t != form.axis].index(a)], 9) for p in form.points})
        return set(corners), [Spacing(lo, hi, (hi - lo) / form.cells)]
    if isinstance(form, Triangles):
        flat = facets.flats(form, a)
        return {lo, hi, *(flat if len(flat) <= 2 * form.cells else ())}, [
            Spacing(lo, hi, min(y - x for x, y in form.box) / form.cells)
        ]
    if isinstance(form, Path):
        return {lo, hi}, [Spacing(lo, hi, 2 * form.radius / form.cells)]
    c, wall = 0.5 * (lo + hi), form.radius - form.bore
    faces, spacings = {lo, hi}, [Spacing(lo, hi, 2 * form.radius / form.cells)]
    if form.bore:
        faces |= {c - form.bore, c + form.bore}
        spacings += [
            Spacing(c - form.bore, c + form.bore, 2 * form.bore / form.cells),
            Spacing(lo, c - form.bore, wall / wish.wall),
            Spacing(c + form.bore, hi, wall / wish.wall),
        ]
    return faces, spacings


def _mesh_spacings(form: Mesh, solid, a: int, wish) -> tuple[set[float], list[Spacing]]:
    """As of :func:`_form_spacings` for an imported solid that asks for no cells of its own: lines on its flats, cells
    across gaps and metal between them and across what is round."""
    levels = facets.levels(form, a)
    out = []
    for (low, up, _), (high, _, down) in zip(levels, levels[1:], strict=False):
        box = [(low, high) if t == a else s for t, s in enumerate(form.box)]
        count = wish.gaps if up and down else wish.through(solid, box, a)
        count = 1 if up and down and high - low < wish.given.least_gap - SNAP else count
        out.append(Spacing(low, high, (high - low) / count))
    for box, diameter in form.rounds or facets.rounds(form):
        out.append(Spacing(*box[a], diameter / max(wish.gaps, 4)))
    return {p for p, _, _ in levels}, out


def _cuboid(form: Mesh) -> bool:
    """Whether an imported solid is a box along the axes."""
    return len(form.triangles) == 12 and all(len(facets.levels(form, a)) == 2 for a in range(3))


def _device_boxes(model: Model) -> list:
    """Boxes of planes inside the fluid and of wall patches; unbounded where they say nothing."""
    planes = [(x.axis, (x.position, x.position), x.rect) for x in (*model.fans, *model.screens)]
    planes += [("xyz".index(x.side[0]), (-np.inf, np.inf), x.rect) for x in model.patches]
    out = []
    for axis, along, rect in planes:
        box = [along if a == axis else None for a in range(3)]
        for a, span in zip((a for a in range(3) if a != axis), rect, strict=True):
            box[a] = span
        out.append(box)
    return [*out, *(list(x.box) for x in model.porous)]


def decays(model: Model) -> bool:
    """Whether all walls have one temperature and nothing gives heat, so that temperatures change along a driven
    flow."""
    walls = [w for s in model.enclosures for w in s.sides.values()] + [x.condition for x in model.patches]
    outside = [w.value for w in walls if w.kind == "temperature"]
    outside += [model.ambient if w.ambient is None else w.ambient for w in walls if w.kind == "coefficient"]
    outside += [s.fixed for s in model.solids if s.fixed is not None]
    heated = any(w.kind == "flux" and w.value for w in walls) or any(s.power for s in model.solids)
    return bool(outside) and not heated and max(outside) - min(outside) < 1e-6


def _wall_faces(model: Model, boxes, a: int) -> set[float]:
    """Where fluid may meet a wall across axis ``a``: faces of solids, and sides that are no symmetry, periodic or all
    opening."""
    faces = {v for b, _ in boxes for v in b[a]}
    for s in model.enclosures:
        for end, at in zip("-+", s.inner[a], strict=True):
            side = "xyz"[a] + end
            others = [s.inner[t] for t in range(3) if t != a]
            whole = any(
                e.enclosure == s.name
                and e.side == side
                and all(p[0] <= q[0] + SNAP and p[1] >= q[1] - SNAP for p, q in zip(e.rect, others, strict=True))
                for e in model.openings
            )
            patched = any((x.enclosure, x.side) == (s.name, side) for x in model.patches)
            if (s.sides[side].kind not in ("symmetry", "periodic") or patched) and not whole:
                faces.add(at)
    bare = wishes.without(model, a)
    return {x for x in faces if all(abs(x - y) > SNAP for y in bare)} if bare else faces


def _partial(box, inner, axis: int) -> bool:
    return box[axis][0] > inner[axis][0] + 1e-9 or box[axis][1] < inner[axis][1] - 1e-9


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
    crossing = crossings(grid, _forms(model), kind == FLUID, who)
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
    for end in _in_walls(model):
        box = _end_box(model, end)
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
