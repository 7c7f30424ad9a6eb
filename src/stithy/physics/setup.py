"""From a resolved layout and its grid to the numerical :class:`Case`."""
from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import Problem, SetupError
from ..grid.build import Built, build
from ..grid.lines import SNAP
from ..grid.occupancy import FLUID, VOID
from ..project.model import Model
from .case import Case, FanCurve, FanPlane, Fluid, HeatLinks, Patch

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
    heat, volume = np.zeros(shape), grid.volumes()
    found: list[Problem] = []
    for i, name in enumerate(built.parts):
        here = owner == i
        for a in range(3):
            k[a][here] = solids[name].k[a]
        total = volume[here].sum()
        if solids[name].power and total > 0:
            heat[here] += solids[name].power * volume[here] / total
    for name, s in solids.items():
        if s.power and (name not in built.parts or not (owner == built.parts.index(name)).any()):
            found.append(Problem(name, "heat load", "is covered by other solids, so its heat has no place.",
                                 "Move it, or delete what covers it.", "Load"))
    for m, s in enumerate(model.spaces):
        here = (built.kind == FLUID) & (built.space_of == m)
        for a in range(3):
            k[a][here] = s.fluid.k
    case = Case(
        grid=grid, kind=built.kind, part=owner, conductivity=tuple(k), heat=heat,
        fluids=[Fluid(s.fluid.rho, s.fluid.mu, s.fluid.cp, s.fluid.k, s.fluid.beta) for s in model.spaces],
        fluid_of=np.maximum(built.space_of, 0), gravity=model.gravity, reference=model.ambient,
        symmetry=_symmetry(model), mixing=model.flow)
    case.patches = [_patch(model, case, end, found) for end in model.ends]
    case.fans = [_plane(case, fan, found) for fan in model.fans]
    walls, case.links = _links(model, case)
    _check_spaces(model, case, found)
    if found:
        raise SetupError(found)
    return Prepared(case, built, model, built.parts, tuple(e.name for e in model.ends),
                    tuple(f.name for f in model.fans), walls)


def _symmetry(model: Model) -> frozenset[str]:
    if len(model.spaces) != 1:
        return frozenset()
    return frozenset(side for side, w in model.spaces[0].sides.items() if w.kind == "symmetry")


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
    open_cells = cells[case.kind[tuple(cells.T)] == FLUID]
    area = np.prod([case.grid.widths[a][open_cells[:, a]] for a in range(3) if a != axis], axis=0).sum() \
        if len(open_cells) else 0.0
    if area <= 0:
        found.append(Problem(end.name, "low corner", "is blocked: solids stand right behind it.",
                             "Move the opening or what stands in it.", "Shape"))
        return Patch(axis, 1 if high else -1, cells[:0], "pressure", end.temperature)
    kind, speed, pressure = "velocity", 0.0, 0.0
    if end.kind == "velocity":
        speed = end.value
    elif end.kind == "volume":
        speed = end.value / area
    elif end.kind == "mass":
        speed = end.value / (area * space.fluid.rho)
    else:
        kind, pressure = "pressure", end.value
    curve = FanCurve(end.fan.flow, end.fan.rise) if end.fan else None
    return Patch(axis, 1 if high else -1, open_cells, kind, end.temperature, speed, pressure, end.loss, True, curve,
                 end.fan_sign)


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
    return FanPlane(fan.axis, cells[live], fan.sign, FanCurve(fan.fan.flow, fan.fan.rise))


def _links(model: Model, case: Case):
    """Heat exchange of every enclosure's outer faces; fluxes go straight into ``case.heat``."""
    names, pieces = [], []
    taken = {(p.axis, p.outward, *map(int, c)) for p in case.patches for c in p.cells}
    for space in model.spaces:
        for side in SIDES:
            wall = space.sides[side]
            names.append((space.name, side))
            if wall.kind in ("adiabatic", "symmetry"):
                continue
            cells = _outer_layer(case, space, side, taken)
            axis = "xyz".index(side[0])
            area = np.prod([case.grid.widths[a][cells[:, a]] for a in range(3) if a != axis], axis=0)
            index = tuple(cells.T)
            if wall.kind == "flux":
                np.add.at(case.heat, index, wall.value * area)
                continue
            half = 0.5 * case.grid.widths[axis][cells[:, axis]] / case.conductivity[axis][index]
            fixed = wall.kind == "temperature"
            g = area / (half + (0.0 if fixed else 1.0 / max(wall.value, 1e-12)))
            t = np.full(len(g), wall.value if fixed else model.ambient)
            inside = np.where(case.kind[index] == FLUID, half / area, 0.0)
            pieces.append((cells, g, t, np.full(len(g), len(names) - 1), inside))
    if not pieces:
        return tuple(names), HeatLinks.none()
    return tuple(names), HeatLinks(*(np.concatenate([p[i] for p in pieces]) for i in range(5)))


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
    if case.heat.sum() > 0 and not len(case.links.cells) and not case.patches:
        first = next((s.name for s in model.solids if s.power), model.spaces[0].name)
        found.append(Problem(first, "heat load", "has no way out: all walls are adiabatic and nothing is open.",
                             "Give a wall a heat transfer coefficient, or add openings.", "Load"))
