"""The lines of a layout's grid: on every face, fine where the rule and the wishes ask for it, graded between; and grids
of more or fewer cells of the same layout."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..model import Model
from ..shapes import facets
from ..shapes.geometry import Mesh, Outline, Path, Triangles
from . import plates, wishes
from .lines import SNAP, Grid, Spacing, axis_lines, facing_gaps, lines_by, snap
from .rule import Rule, bubble, plenty, rule, scaled_settings, scaled_wish

#: m by which a line of triangles may miss another line and be taken for it
NEAR = 5e-6
#: part of a grid's cells that a coarser one may have to tell what the grid does; times what is plenty that a grid may
#: have so that there is such a one
SAVES, BANDED = 0.67, 3.0
#: times its thickness that a plate is long
PLATE = 4.0


def _boxes(model: Model) -> list[tuple]:
    """(box, solid) of every solid box; of an enclosure's walls the solid is None."""
    out = [(b, None) for s in model.enclosures if s.walls for b in s.walls.boxes]
    return out + [(b, s) for s in model.solids if not s.form for b in s.boxes]


def in_walls(model: Model) -> list:
    """Openings that are cut in a wall, not those on plates."""
    return [e for e in model.openings if not e.plated]


def end_box(model: Model, end) -> list:
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
    return best if model.run.time is not None else _with_a_coarser(best, BANDED * plenty(wish.count))


def _with_a_coarser(model: Model, most: float) -> Model:
    """The model, or where a grid of half its counts would be nearly as large, so that nothing could be told of what the
    grid does, the first finer one with such a grid, of ``most`` cells."""
    if coarser(model) is not None:
        return model
    for times in (1.5, 2.0):
        finer = replace(model, grid=replace(model.grid, count=times * model.grid.count))
        if _lines(finer).cells > most:
            break
        if coarser(finer) is not None:
            return finer
    return model


def scaled(model: Model, by: float) -> Model:
    """The same layout with ``by`` times the cells along every stretch."""

    def part(shape):
        many = int(np.ceil(by * shape.cells - 1e-9)) if shape is not None else 0
        return replace(shape, cells=many) if many else shape

    return replace(
        model,
        grid=scaled_settings(settled(model).grid, by),
        wishes=tuple(scaled_wish(w, by) for w in model.wishes),
        passages=tuple(replace(x, form=part(x.form)) for x in model.passages),
        solids=tuple(part(replace(s, form=part(s.form))) for s in model.solids),
    )


def coarser(model: Model) -> Model | None:
    """The same layout with every count halved, or None where that saves less than a third of the cells."""
    rough = scaled(model, 0.5)
    return rough if grid_lines(rough).cells < SAVES * grid_lines(model).cells else None


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
        for form in forms(model):
            by_rule = isinstance(form, Mesh) and (not form.cells or _along_a_plate(form, a))
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
    for end in in_walls(model):
        span = end_box(model, end)[a]
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
    solids = [b for b, _ in boxes] + [f.box for f in forms(model)] + _device_boxes(model)
    for a, axis in enumerate("xyz"):
        if not all(space.sides[axis + e].kind in ("symmetry", "periodic") for e in "-+"):
            continue
        if model.drive and model.drive.axis == a and decays(model):
            continue
        ends = [end_box(model, e) for e in in_walls(model) if a != "xyz".index(e.side[0])]
        patched = any(x.side[0] == axis for x in model.patches) or any(_varies(f, a) for f in forms(model))
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


def forms(model: Model) -> list:
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


def _along_a_plate(form: Mesh, axis: int) -> bool:
    """Whether an axis lies in the plane of a plate: a solid of one section through its thickness, whatever is cut into
    it. Cells across a plate are wished for through it."""
    long = [hi - lo for lo, hi in form.box]
    thin = int(np.argmin(long))
    return axis != thin and long[axis] > PLATE * long[thin] and not _varies(form, thin)


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
