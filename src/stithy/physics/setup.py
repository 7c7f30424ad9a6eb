"""From a resolved layout and its grid to the numerical :class:`Case`."""
from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..errors import Problem, SetupError
from ..grid.build import Built, build, decays
from ..grid.lines import SNAP
from ..grid.occupancy import FLUID, VOID, fluid_spaces
from ..project.model import Model
from .case import Case, Drive, FanCurve, FanPlane, Fluid, HeatLinks, Patch, ScreenPlane
from .contacts import contacts
from .inflow import developed

SIDES = ("x-", "x+", "y-", "y+", "z-", "z+")


@dataclass(frozen=True)
class Prepared:
    """A case with the names that its numbers stand for.

    ``parts[i]`` names part i; ``ends[i]`` names patch i; ``fans[i]`` inside fan i; ``walls[i]`` the (enclosure, side)
    of link owner i.
    """

    case: Case
    built: Built
    model: Model
    parts: tuple[str, ...]
    ends: tuple[str, ...]
    fans: tuple[str, ...]
    walls: tuple[tuple[str, str], ...]


def prepare(model: Model) -> Prepared:
    """Build grid and case. Raises SetupError for what only the grid can show (an inlet without an outlet, ...)."""
    built = build(model)
    grid, owner = built.grid, built.owner
    shape = grid.shape
    solids = {s.name: s for s in model.solids} | {s.name: s.walls for s in model.spaces if s.walls}
    k = [np.zeros(shape) for _ in range(3)]
    heat, capacity, volume = np.zeros(shape), np.zeros(shape), grid.volumes()
    fixed = np.full(shape, np.nan)
    found: list[Problem] = []
    for i, name in enumerate(built.parts):
        here, s = owner == i, solids[name]
        for a in range(3):
            # a junction, and what is held, is one temperature right to its faces
            k[a][here] = 1e5 if s.junction else (1e9 if s.fixed is not None else s.k[a])
        capacity[here] = s.rho * s.cp
        total = volume[here].sum()
        if s.power and total > 0:
            heat[here] += s.power * volume[here] / total
        if s.fixed is not None:
            fixed[here] = s.fixed
    for name, s in solids.items():
        if s.power and (name not in built.parts or not (owner == built.parts.index(name)).any()):
            found.append(Problem(name, "heat load", "is covered by other solids, so its heat has no place.",
                                 "Move it, or delete what covers it.", "Load"))
    fluids, fluid_of, start = _fluids(model, built, found)
    for i, name in enumerate(built.parts):
        if solids[name].starts is not None:
            start[owner == i] = solids[name].starts
    for m, f in enumerate(fluids):
        here = (built.kind == FLUID) & (fluid_of == m)
        for a in range(3):
            k[a][here] = f.k
    k = [k[0] if np.array_equal(x, k[0]) else x for x in k]
    case = Case(
        grid=grid, kind=built.kind, part=owner, conductivity=tuple(k), heat=heat, fluids=fluids, fluid_of=fluid_of,
        gravity=model.gravity, reference=model.ambient, symmetry=_sides(model, "symmetry"),
        moving=_moving(model), mixing=model.flow, periodic=frozenset(a[0] for a in _sides(model, "periodic")),
        capacity=capacity, contact=contacts(model, built), crossing=built.crossing,
        fixed=fixed if np.isfinite(fixed).any() else None, pressure=model.pressure, start=start if (start != model.ambient).any() else None,
        tables=[(owner == i, np.array(solids[n].table)) for i, n in enumerate(built.parts)
                if solids[n].table and not solids[n].junction and solids[n].fixed is None])
    case.patches = [_patch(model, case, end, found) for end in model.ends]
    _check_shared(case, model, found)
    case.fans = [_plane(case, fan, found) for fan in model.fans]
    case.screens = [_plane(case, x, found) for x in model.screens]
    case.drive = _drive(model, case, found)
    case.walled = _patched(model, case, found)
    walls, case.links = _links(model, case)
    case.drive = _shrinking(model, case)
    _check_spaces(model, case, found)
    if found:
        raise SetupError(found)
    return Prepared(case, built, model, built.parts, tuple(e.name for e in model.ends),
                    tuple(f.name for f in model.fans), walls)


def _fluids(model: Model, built: Built, found):
    """All fluids, which of them fills each cell (a region's own, else its enclosure's), and temperatures (K) at the start."""
    data = [s.fluid for s in model.spaces]
    of = np.maximum(built.space_of, 0)
    start = np.full(built.grid.shape, model.ambient)
    for m, s in enumerate(model.spaces):
        if s.starts is not None:
            start[(built.kind == FLUID) & (built.space_of == m)] = s.starts
    if model.regions:
        periodic = tuple("xyz".index(a[0]) for a in _sides(model, "periodic"))
        label, _ = fluid_spaces(built.kind, periodic)
        for region in model.regions:
            at = built.grid.find(region.point)
            if at is None or built.kind[at] != FLUID:
                found.append(Problem(region.name, "point", "lies in no fluid.", "Move the point into the fluid space it stands for.",
                                     "Shape"))
                continue
            data.append(region.fluid)
            of = np.where(label == label[at], len(data) - 1, of)
            if region.starts is not None:
                start[label == label[at]] = region.starts
    return [Fluid(f.rho, f.mu, f.cp, f.k, f.beta, f.table) for f in data], of.astype(np.int32), start


def _sides(model: Model, kind: str) -> frozenset[str]:
    """Sides of the whole model that are ``kind``; only one enclosure can have them."""
    if len(model.spaces) != 1:
        return frozenset()
    return frozenset(side for side, w in model.spaces[0].sides.items() if w.kind == kind)


def _moving(model: Model) -> dict:
    if len(model.spaces) != 1:
        return {}
    return {side: w.slides for side, w in model.spaces[0].sides.items() if w.slides}


def _drive(model: Model, case: Case, found) -> Drive | None:
    push = model.push
    if push is None:
        return None
    axis = "xyz"[push.axis]
    if axis not in case.periodic:
        found.append(Problem(push.name, "along", f"the sides {axis}- and {axis}+ are not periodic.",
                             "Write periodic for both in the sides of the enclosure.", "Load"))
        return None
    if push.kind == "gradient":
        return Drive(axis, gradient=push.value, sign=push.sign)
    index = [slice(None)] * 3
    open_ = case.kind == FLUID
    area = np.prod(np.meshgrid(*[case.grid.widths[a] if a != push.axis else np.ones(case.grid.shape[a]) for a in range(3)],
                               indexing="ij"), axis=0) * open_
    index[push.axis] = int(np.argmax(area.sum(axis=tuple(a for a in range(3) if a != push.axis))))
    cells = tuple(index)
    rho = np.array([f.rho for f in case.fluids])[case.fluid_of[cells]]
    per = {"velocity": (rho * area[cells]).sum(), "volume": (rho * area[cells]).sum() / area[cells].sum(), "mass": 1.0}
    return Drive(axis, mass_flow=push.value * float(per[push.kind]), sign=push.sign)


def _shrinking(model: Model, case: Case) -> Drive | None:
    """The drive, told that all walls have one temperature and nothing else gives heat, where that is so."""
    outside = case.links.temperature
    if case.fixed is not None:
        outside = np.concatenate([outside, case.fixed[np.isfinite(case.fixed)]])
    if case.drive is None or not len(outside) or not decays(model) or model.clock is not None:
        return case.drive
    level = float(outside[0])
    if abs(level - model.push.entering) < 1e-6:
        return case.drive  # all is at one temperature
    return replace(case.drive, wall="given temperature", level=level, entering=model.push.entering)


def _span(lines: np.ndarray, low: float, high: float) -> np.ndarray:
    centres = 0.5 * (lines[1:] + lines[:-1])
    return np.flatnonzero((centres > low - SNAP) & (centres < high + SNAP))


def _patch(model: Model, case: Case, end, found) -> Patch:
    space = next(s for s in model.spaces if s.name == end.space)
    axis, high = "xyz".index(end.side[0]), end.side[1] == "+"
    lines = case.grid.lines
    index = [None] * 3
    for a, span in zip((a for a in range(3) if a != axis), end.rect, strict=True):
        index[a] = _span(lines[a], *span)
    edge = space.outer[axis][1 if high else 0]
    at = int(np.argmin(np.abs(lines[axis] - edge)))
    index[axis] = np.array([at - 1 if high else at])
    cells = np.stack(np.meshgrid(*index, indexing="ij"), -1).reshape(-1, 3)
    open_cells = _served(model, case, end, cells[case.kind[tuple(cells.T)] == FLUID], found)
    if end.hub:
        open_cells = _without_hub(case, end, axis, open_cells)
    area = np.prod([case.grid.widths[a][open_cells[:, a]] for a in range(3) if a != axis], axis=0).sum() \
        if len(open_cells) else 0.0
    if area <= 0:
        found.append(Problem(end.name, "low corner", "is blocked: solids stand right behind it.",
                             "Move the opening or what stands in it.", "Shape"))
        return Patch(axis, 1 if high else -1, cells[:0], "pressure", end.temperature)
    fluid = case.fluids[case.fluid_of[tuple(open_cells[0])]]
    kind, speed, pressure = "velocity", 0.0, 0.0
    if end.kind == "velocity":
        speed = end.value
    elif end.kind == "volume":
        speed = end.value / area
    elif end.kind == "mass":
        speed = end.value / (area * _density(fluid, end.temperature))
    else:
        kind, pressure = "pressure", end.value
    curve = FanCurve(end.fan.flow, end.fan.rise) if end.fan else None
    intensity, length = end.turbulence
    shape = developed(case, axis, open_cells, kind, case.mixing) if end.developed and kind == "velocity" else None
    return Patch(axis, 1 if high else -1, open_cells, kind, end.temperature, speed, pressure, end.loss, end.head, curve,
                 end.fan_sign, shape, intensity, length)


def _served(model: Model, case: Case, end, cells, found) -> np.ndarray:
    """Of the fluid cells behind an opening, those of the fluid it serves: a round tube and what flows about it meet one rectangle."""
    of = case.fluid_of[tuple(cells.T)]
    if all(case.fluids[m] == case.fluids[of[0]] for m in np.unique(of)):
        return cells
    if end.serves:
        names = [(s.name, s.fluid_name) for s in model.spaces] + [(g.name, g.fluid_name) for g in model.regions]
        if not any(end.serves in n for n in names):
            found.append(Problem(end.name, "opens to", f"“{end.serves}” is no fluid of this model.",
                                 f"Choose one of {', '.join(dict.fromkeys(f for _, f in names))}, or a fluid region.", "Load"))
        return cells[[end.serves in names[m] for m in of]]
    across = [a for a in range(3) if a != "xyz".index(end.side[0])]
    far = sum((case.grid.centres[a][cells[:, a]] - 0.5 * sum(span)) ** 2 for a, span in zip(across, end.rect, strict=True))
    middle = case.fluids[of[int(np.argmin(far))]]
    return cells[[case.fluids[m] == middle for m in of]]


def _check_shared(case: Case, model: Model, found) -> None:
    """Openings that overlap must serve different fluids."""
    taken: dict = {}
    for end, patch in zip(model.ends, case.patches, strict=True):
        other = next((taken[key] for c in patch.cells if (key := (patch.axis, patch.outward, *map(int, c))) in taken), None)
        if other:
            found.append(Problem(end.name, "opens to", f"overlaps “{other}” and serves the same fluid.",
                                 "Move or shrink one of the two, or name another fluid.", "Load"))
        taken |= {(patch.axis, patch.outward, *map(int, c)): end.name for c in patch.cells}


def _density(fluid: Fluid, temperature: float) -> float:
    if fluid.table is None:
        return fluid.rho
    table = np.array(fluid.table).T
    return float(np.interp(temperature, table[0], table[1]))


def _without_hub(case: Case, device, axis: int, cells: np.ndarray) -> np.ndarray:
    """The cells of a fan that its hub leaves open."""
    across = [a for a in range(3) if a != axis]
    far = sum((case.grid.centres[a][cells[:, a]] - 0.5 * sum(span)) ** 2 for a, span in zip(across, device.rect, strict=True))
    return cells[far > (0.5 * device.hub) ** 2]


def _plane(case: Case, fan, found) -> FanPlane:
    lines = case.grid.lines
    index = [None] * 3
    for a, span in zip((a for a in range(3) if a != fan.axis), fan.rect, strict=True):
        index[a] = _span(lines[a], *span)
    index[fan.axis] = np.array([int(np.argmin(np.abs(lines[fan.axis] - fan.position))) - 1])
    cells = np.stack(np.meshgrid(*index, indexing="ij"), -1).reshape(-1, 3)
    ahead = cells.copy()
    ahead[:, fan.axis] += 1
    live = np.zeros(len(cells), bool)
    if cells[0, fan.axis] >= 0 and ahead[0, fan.axis] < case.grid.shape[fan.axis]:
        live = (case.kind[tuple(cells.T)] == FLUID) & (case.kind[tuple(ahead.T)] == FLUID)
    if live.mean() < 0.5:
        found.append(Problem(fan.name, "low corner", "has solid right before or behind most of it.",
                             "Move the fan's plane into open fluid.", "Shape"))
    cells = cells[live]
    if not hasattr(fan, "fan"):
        return ScreenPlane(fan.axis, cells, fan.loss)
    hub = cells[:0]
    if fan.hub:
        open_ = _without_hub(case, fan, fan.axis, cells)
        hub = cells[~(cells[:, None] == open_[None]).all(-1).any(1)] if len(open_) < len(cells) else cells[:0]
        cells = open_
    return FanPlane(fan.axis, cells, fan.sign, FanCurve(fan.fan.flow, fan.fan.rise), fan.swirl, hub)


def _links(model: Model, case: Case):
    """Heat exchange of every enclosure's outer faces; fluxes go straight into ``case.heat``."""
    names, pieces = [], []
    taken = {(p.axis, p.outward, *map(int, c)) for p in case.patches for c in p.cells}
    for space in model.spaces:
        for side in SIDES:
            names.append((space.name, side))
            cells = _outer_layer(case, space, side, taken)
            parts, rest = [], np.ones(len(cells), bool)
            for area in model.areas:
                if (area.space, area.side) == (space.name, side):
                    here = rest & _covered(case, side, area.rect, cells)
                    parts.append((len(names), area.wall, cells[here]))
                    names.append((area.name, ""))
                    rest &= ~here
            first = len(names) - 1 - len(parts)
            for who, wall, where in [(first, space.sides[side], cells[rest]), *parts]:
                _link(model, case, who, side, wall, where, pieces)
    if not pieces:
        return tuple(names), HeatLinks.none()
    return tuple(names), HeatLinks(*(np.concatenate([p[i] for p in pieces]) for i in range(6)))


def _patched(model: Model, case: Case, found) -> dict[str, np.ndarray]:
    """Where wall patches lie on sides of symmetry; a periodic side takes none."""
    out = {}
    for area in model.areas:
        kind = next(s for s in model.spaces if s.name == area.space).sides[area.side].kind
        if kind == "periodic":
            found.append(Problem(area.name, "side", f"{area.side} is periodic, so there is no wall.", "Choose another side.", "Load"))
        if area.side in case.symmetry:
            axis = "xyz".index(area.side[0])
            shape = [n for a, n in enumerate(case.grid.shape) if a != axis]
            index = np.indices(shape).reshape(2, -1).T
            cells = np.insert(index, axis, case.grid.shape[axis] - 1 if area.side[1] == "+" else 0, axis=1)
            wall = out.setdefault(area.side, np.zeros(shape, bool))
            wall |= _covered(case, area.side, area.rect, cells).reshape(shape)
    return out


def _covered(case: Case, side: str, rect, cells) -> np.ndarray:
    across = [a for a in range(3) if a != "xyz".index(side[0])]
    inside = np.ones(len(cells), bool)
    for a, (low, high) in zip(across, rect, strict=True):
        at = case.grid.centres[a][cells[:, a]]
        inside &= (at > low - SNAP) & (at < high + SNAP)
    return inside


def _link(model: Model, case: Case, who: int, side: str, wall, cells, pieces) -> None:
    """One wall condition on the outer faces of ``cells``."""
    if wall.kind in ("adiabatic", "symmetry", "periodic") or not len(cells):
        return
    axis = "xyz".index(side[0])
    area = np.prod([case.grid.widths[a][cells[:, a]] for a in range(3) if a != axis], axis=0)
    index = tuple(cells.T)
    if wall.kind == "flux":
        np.add.at(case.heat, index, wall.value * area)
        case.given.setdefault(side, []).append((cells, wall.value))
        return
    half = 0.5 * case.grid.widths[axis][cells[:, axis]] / case.conductivity[axis][index]
    fixed = wall.kind == "temperature"
    g = area / (half + (0.0 if fixed else 1.0 / max(wall.value, 1e-12)))
    outside = wall.value if fixed else (model.ambient if wall.ambient is None else wall.ambient)
    face = np.full(len(g), 2 * axis + (side[1] == "+"))
    pieces.append((cells, g, np.full(len(g), outside), np.full(len(g), who), half / area, face))


def _outer_layer(case: Case, space, side: str, taken) -> np.ndarray:
    axis, high = "xyz".index(side[0]), side[1] == "+"
    lines, n = case.grid.lines, case.grid.shape
    index = [_span(lines[a], *space.outer[a]) for a in range(3)]
    at = int(np.argmin(np.abs(lines[axis] - space.outer[axis][1 if high else 0])))
    index[axis] = np.array([at - 1 if high else at])
    cells = np.stack(np.meshgrid(*index, indexing="ij"), -1).reshape(-1, 3)
    beyond = at if high else at - 1
    if 0 <= beyond < n[axis]:
        outer = cells.copy()
        outer[:, axis] = beyond
        cells = cells[case.kind[tuple(outer.T)] == VOID]
    out = 1 if high else -1
    return np.array([c for c in cells if (axis, out, *map(int, c)) not in taken and case.kind[tuple(c)] != VOID],
                    int).reshape(-1, 3)


def _check_spaces(model: Model, case: Case, found) -> None:
    """Every fluid space with an inlet needs somewhere to leave; every model needs its heat to leave somewhere."""
    for space in range(case.spaces):
        here = [(e, p) for e, p in zip(model.ends, case.patches, strict=True)
                if len(p.cells) and case.space[tuple(p.cells[0])] == space]
        given = [e for e, p in here if p.kind == "velocity" and p.speed != 0]
        if given and not any(p.kind == "pressure" for _, p in here):
            found.append(Problem(given[0].name, "flow", "has a given flow, but its fluid space has no outlet.",
                                 "Add an outlet (static pressure), a vent or an ambient opening that this fluid can reach.",
                                 "Load"))
    if case.drive is None and case.periodic and not case.patches and not case.fans and not case.buoyant and not case.moving:
        found.append(Problem(model.spaces[0].name, "sides", "are periodic, but nothing drives the flow.",
                             "Add a drive row with a mean speed or a pressure gradient.", "Load"))
    held = case.fixed is not None or (case.drive is not None and case.fixed is None and not len(case.links.cells))
    if case.heat.sum() > 0 and not len(case.links.cells) and not case.patches and not held and model.clock is None:
        first = next((s.name for s in model.solids if s.power), model.spaces[0].name)
        found.append(Problem(first, "heat load", "has no way out: all walls are adiabatic and nothing is open.",
                             "Give a wall a heat transfer coefficient, or add openings.", "Load"))
