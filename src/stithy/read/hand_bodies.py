"""Hand calculations of bodies in a stream or in still air: plates, and sinks of parallel fins.

A plate in a stream: Pohlhausen's laminar solution, Schlichting's turbulent one; upright in still air: Churchill and Chu
(1975); level: McAdams; the last three from the package ``ht``. A sink of parallel fins in a stream: Teertstra,
Yovanovich and Culham (2000) between the fins, upright in still air: Bar-Cohen and Rohsenow (1984), both with the
efficiency of a straight fin. Geometry and speeds are read from the result: the grid's cells, walls and face velocities.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..mesh.occupancy import FLUID
from ..model.drawn import Watch
from .hand import Hand, ranged
from .selection import cells_of, spaces_of
from .values import Values

STANDARD_GRAVITY = 9.80665
#: buoyancy over inertia (Richardson number) up to which a stream counts as forced, and from which on as free
FORCED, FREE = 0.3, 2.0
#: part by which these correlations are known to be off: plates in a stream, in still air, sinks
STREAM, STILL, FINS = 0.15, 0.25, 0.25
#: thickness of a boundary layer over its length times the root of Re, or over that times the fourth root of Gr
BLASIUS, OSTRACH = 5.0, 4.9
TURBULENT_PLATE = 5e5
FEWEST_FINS = 3


@dataclass(frozen=True)
class Medium:
    """The fluid about a body at its mean state: density, viscosity, conductivity, heat capacity, expansion (SI), and
    gravity (m/s2) along three axes."""

    rho: float
    mu: float
    k: float
    cp: float
    beta: float
    gravity: np.ndarray

    @property
    def prandtl(self) -> float:
        """Prandtl number."""
        return self.mu * self.cp / self.k

    def reynolds(self, speed: float, length: float) -> float:
        """Reynolds number."""
        return self.rho * speed * length / self.mu

    def grashof(self, warmer: float, length: float) -> float:
        """Grashof number of a difference of temperature (K)."""
        pull = float(np.linalg.norm(self.gravity))
        return pull * self.beta * abs(warmer) * length**3 * (self.rho / self.mu) ** 2


@dataclass(frozen=True)
class Body:
    """A part, or a wall patch, that gives heat to one fluid: faces of the wall table, ``heat`` (W) it gives,
    ``wet`` (m2), mean temperature (K) of its wall, low and high corner (m)."""

    name: str
    faces: np.ndarray
    space: int
    heat: float
    wet: float
    temperature: float
    low: np.ndarray
    high: np.ndarray
    medium: Medium


@dataclass(frozen=True)
class Film:
    """What a correlation gives of a body: coefficient (W/m2/K) over ``area`` (m2, fins by their efficiency) against
    ``reference`` (K); ``mean``: mean rise of the whole body over that of its base; ``what`` says by which formula."""

    coefficient: float
    area: float
    reference: float
    spread: float
    what: str
    mean: float = 1.0


def of_body(w: Watch, v: Values) -> Hand:
    """What a hand calculation says of a body's coefficient or temperature. Raises StithyError where none fits."""
    body = body_of(v, w.of[0])
    film = fins(v, body) or plate(v, body)
    if w.quantity == "temperature":
        if w.measure not in ("", "max", "mean", "volume mean"):
            raise StithyError("no correlation for this measure")
        rise = body.heat / (film.coefficient * film.area) * (1.0 if w.measure in ("", "max") else film.mean)
        found = ranged(film.reference + rise, 0.0, film.what)
        ends = sorted(film.reference + rise / (1 + x) for x in (-film.spread, film.spread))
        return Hand(found.value, ends[0], ends[1], film.what)
    against = w.references.against
    level = against if isinstance(against, float) else v.ambient
    if abs(body.temperature - level) < 0.1 * abs(body.temperature - film.reference):
        raise StithyError("it is as warm as what “against” names: no coefficient can be had against that")
    value = film.coefficient * (body.temperature - film.reference) / (body.temperature - level)
    if w.quantity == "Nusselt number":
        value *= w.references.length / body.medium.k
    return ranged(value, film.spread, film.what)


def body_of(v: Values, name: str) -> Body:
    """A part or wall patch by name. Raises StithyError where it is no body of one fluid."""
    s, walls = v.solution, v.walls
    faces = np.flatnonzero((walls.names == name) & (walls.space >= 0))
    if spaces_of(s, name) or not len(faces):
        raise StithyError("no correlation for what is no part or wall in a fluid")
    area = walls.area[faces]
    spaces = walls.space[faces]
    space = int(np.bincount(spaces, weights=area).argmax())
    if area[spaces == space].sum() < 0.9 * area.sum():
        raise StithyError("it touches more than one fluid: no correlation holds")
    corners = walls.corners(faces).reshape(-1, 3)
    low, high = corners.min(axis=0), corners.max(axis=0)
    heat = float(walls.heat[faces].sum())
    mean = float(np.average(walls.temperature[faces], weights=area))
    if abs(heat) <= 0.0:
        raise StithyError("it gives no heat to the fluid")
    return Body(name, faces, space, heat, float(area.sum()), mean, low, high, _medium(v, space))


def _medium(v: Values, space: int) -> Medium:
    s = v.solution
    here = s.spaces == space
    told = s.summary.get("media", [])
    if s.density is None or space >= len(told):
        raise StithyError("this result does not tell its fluids: solve it anew")
    rho, mu, k = (float(np.mean(x[here])) for x in (s.density, v.property("viscosity"), v.property("conductivity x")))
    cp, beta = told[space]["heat_capacity"], told[space]["expansion"]
    return Medium(rho, mu, k, cp, beta, np.array(s.summary["gravity"], float))


def plate(v: Values, body: Body) -> Film:
    """A flat body. Raises StithyError where it is none, or no correlation fits how it stands in the flow."""
    walls, m = v.walls, body.medium
    share = [walls.area[body.faces][walls.axis[body.faces] == a].sum() / body.wet for a in range(3)]
    n = int(np.argmax(share))
    size = body.high - body.low
    if share[n] < 0.8:
        raise StithyError("it is no plate, no sink of parallel fins and no duct: no correlation is known here")
    free = _clear(v, body, n)
    approach = _approach(v, body, n)
    along = int(np.argmax(np.where(np.arange(3) == n, -1.0, np.abs(approach))))
    speed, length = abs(float(approach[along])), float(size[along])
    entering = _entering(v, body.space)
    warmer = body.temperature - entering
    ratio = m.grashof(warmer, length) / max(m.reynolds(speed, length), 1e-9) ** 2
    if ratio < FORCED:
        return _in_stream(m, speed, length, free, entering, body.wet)
    if ratio > FREE:
        return _in_still(v, body, n, size, free, entering)
    raise StithyError(f"stream and buoyancy share in it (Richardson number {ratio:.2g}): no correlation holds")


def _in_stream(m: Medium, speed: float, length: float, free: float, entering: float, wet: float) -> Film:
    from ht import Nu_horizontal_plate_turbulent_Schlichting

    re = m.reynolds(speed, length)
    if free < BLASIUS * length / np.sqrt(re):
        raise StithyError("its boundary layer fills what is free before it: no correlation of a plate holds")
    if re > TURBULENT_PLATE:
        nu, how = float(Nu_horizontal_plate_turbulent_Schlichting(re, m.prandtl)), "turbulent, Schlichting"
    else:
        nu, how = 0.664 * re**0.5 * m.prandtl ** (1 / 3), "laminar, Pohlhausen"
    return Film(nu * m.k / length, wet, entering, STREAM, f"plate in a stream, {how}; Re {re:.3g}")


def _in_still(v: Values, body: Body, n: int, size: np.ndarray, free: float, entering: float) -> Film:
    from ht import Nu_horizontal_plate_McAdams, Nu_vertical_plate_Churchill

    m, warmer = body.medium, body.temperature - entering
    up = int(np.argmax(np.abs(m.gravity)))
    if abs(m.gravity[up]) < 0.95 * np.linalg.norm(m.gravity):
        raise StithyError("it stands neither upright nor level: no correlation is built in")
    if up != n:
        height = float(size[up])
        gr = m.grashof(warmer, height)
        if free < OSTRACH * height / gr**0.25:
            raise StithyError("its boundary layer fills what is free before it: no correlation of a plate holds")
        nu = float(Nu_vertical_plate_Churchill(m.prandtl, gr))
        what = f"upright plate, Churchill and Chu; Ra {gr * m.prandtl:.3g}"
        return Film(nu * m.k / height, body.wet, entering, STILL, what)
    rest = [size[a] for a in range(3) if a != n]
    length = rest[0] * rest[1] / (2 * (rest[0] + rest[1]))  # area over perimeter
    gr = m.grashof(warmer, length)
    walls, faces = v.walls, body.faces
    level = walls.axis[faces] == n
    looks_up = -walls.outward[faces] * np.sign(m.gravity[n]) < 0  # the fluid lies against gravity
    total, words = 0.0, []
    for above in (True, False):
        area = float(walls.area[faces][level & (looks_up == above)].sum())
        if area > 0.05 * body.wet:
            helped = above == (warmer > 0)
            total += area * float(Nu_horizontal_plate_McAdams(m.prandtl, gr, buoyancy=helped))
            words.append("above" if above else "below")
    nu = total / float(walls.area[faces][level].sum())
    what = f"level plate, McAdams, {' and '.join(words)}; Ra {gr * m.prandtl:.3g}"
    return Film(nu * m.k / length, body.wet, entering, STILL, what)


def fins(v: Values, body: Body) -> Film | None:
    """A sink of parallel fins; None where it is none. Raises StithyError where no correlation fits its flow."""
    found = _geometry(v, body)
    if found is None:
        return None
    s, m = v.solution, body.medium
    grid = s.grid
    inside = [slice(*np.searchsorted(grid.centres[a], (body.low[a], body.high[a]))) for a in range(3)]
    gap_cells = np.zeros(grid.shape, bool)
    gap_cells[tuple(inside)] = True
    level = grid.centres[found.up]
    shape = [1, 1, 1]
    shape[found.up] = -1
    gap_cells &= (s.kind == FLUID) & ((level > found.levels[0]) & (level < found.levels[1])).reshape(shape)
    volume = grid.volumes()[gap_cells]
    speed = abs(float(np.average(s.velocity()[..., found.along][gap_cells], weights=volume)))
    entering = _reaching(v, body, found, gap_cells)
    warmer, b, length = body.temperature - entering, found.gap, found.length
    ratio = m.grashof(warmer, length) / max(m.reynolds(speed, length), 1e-9) ** 2
    upright = abs(m.gravity[found.along]) > 0.95 * np.linalg.norm(m.gravity) > 0
    if ratio < FORCED:
        star = m.reynolds(speed, b) * b / length
        nu = (
            (star * m.prandtl / 2) ** -3
            + (0.664 * np.sqrt(star) * m.prandtl ** (1 / 3) * np.sqrt(1 + 3.65 / np.sqrt(star))) ** -3
        ) ** (-1 / 3)
        how = f"Teertstra, Yovanovich and Culham; {speed:.2g} m/s between {found.count} fins"
        if m.reynolds(speed, 2 * b) > 2300:
            raise StithyError("the flow between its fins is not laminar: no correlation of fins holds")
    elif ratio > FREE / 2 and upright:
        elenbaas = m.grashof(warmer, b) * m.prandtl * b / length
        nu = (576 / elenbaas**2 + 2.873 / elenbaas**0.5) ** -0.5
        how = f"Bar-Cohen and Rohsenow; {found.count} upright fins, Ra b/L {elenbaas:.3g}"
    else:
        raise StithyError("its fins stand neither in a stream nor upright in still air: no correlation holds")
    h = float(nu) * m.k / b
    solid = cells_of(s, (body.name,))
    metal = float(np.mean(v.property("conductivity x")[solid]))
    reach = np.sqrt(2 * h / (metal * found.fin)) * found.height
    efficiency = float(np.tanh(reach) / reach)
    ground = (found.count - 1) * b * length
    area = ground + max(body.wet - ground, 0.0) * efficiency
    whole = float(grid.volumes()[solid].sum())
    in_fins = min(found.count * found.fin * found.height * length / whole, 1.0)
    return Film(h, area, entering, FINS, f"{how}, fin efficiency {efficiency:.2f}", 1 - in_fins * (1 - efficiency))


@dataclass(frozen=True)
class _Fins:
    along: int
    up: int
    count: int
    gap: float
    fin: float
    height: float
    length: float
    levels: tuple[float, float]


def _geometry(v: Values, body: Body) -> _Fins | None:
    """Parallel fins of a part, from its cells: the same section all along, with a row of gaps that a base closes on one
    side."""
    s = v.solution
    if body.name not in s.parts:
        return None
    mask = s.part == s.parts.index(body.name)
    grid = s.grid
    span = [slice(at.min(), at.max() + 1) for at in np.nonzero(mask)]
    box = mask[tuple(span)]
    for along in range(3):
        across_up = [a for a in range(3) if a != along]
        section = np.moveaxis(box, along, 0)
        if section.shape[0] < 2 or not (section == section[0]).all():
            continue
        for swap in (False, True):
            across, up = across_up[::-1] if swap else across_up
            plan = section[0].T if swap else section[0]  # (across, up)
            wide, tall = grid.widths[across][span[across]], grid.widths[up][span[up]]
            runs = [_runs(plan[:, j], wide) for j in range(plan.shape[1])]
            finned = np.array([len(r[0]) >= FEWEST_FINS for r in runs])
            closed = np.array([len(r[0]) == 1 and r[0][0] > 0.8 * wide.sum() for r in runs])
            if not finned.any() or not closed.any() or not (finned | closed).all():
                continue
            first = runs[int(np.flatnonzero(finned)[0])]
            lines = grid.lines[up][span[up].start : span[up].stop + 1]
            on = np.flatnonzero(finned)
            levels = float(lines[on[0]]), float(lines[on[-1] + 1])
            length = float(grid.widths[along][span[along]].sum())
            fin, gap = float(np.mean(first[0])), float(np.mean(first[1]))
            return _Fins(along, up, len(first[0]), gap, fin, float(tall[finned].sum()), length, levels)
    return None


def _runs(row: np.ndarray, wide: np.ndarray) -> tuple[list[float], list[float]]:
    """Widths (m) of the solid runs of a row of cells, and of the gaps between them."""
    solid: list[float] = []
    gaps: list[float] = []
    for m, (here, w) in enumerate(zip(row, wide, strict=True)):
        held = solid if here else gaps
        if not solid and not here:
            continue  # before the first
        if m and row[m - 1] == here and held:
            held[-1] += w
        else:
            held.append(w)
    return solid, gaps[: len(solid) - 1]


def _reaching(v: Values, body: Body, found: _Fins, gap_cells: np.ndarray) -> float:
    """Mean temperature (K) of what flows into the gaps between fins."""
    s, a = v.solution, found.along
    flow = np.moveaxis(s.mass_flow(a), a, 0)
    cells = np.moveaxis(gap_cells, a, 0)
    temperature = np.moveaxis(s.temperature, a, 0)
    on = np.flatnonzero(cells.any(axis=(1, 2)))
    onward = float((flow[on[0]] * cells[on[0]]).sum()) > 0
    first = on[0] if onward else on[-1]
    before = first - 1 if onward else first + 1
    mass = np.maximum((flow[first] if onward else -flow[first + 1]) * cells[first], 0.0)
    if not 0 <= before < len(temperature) or mass.sum() <= 0.0:
        return _entering(v, body.space)
    return float((mass * temperature[before]).sum() / mass.sum())


def _entering(v: Values, space: int) -> float:
    """Temperature (K) of what enters a fluid space by its openings; ambient where nothing does."""
    from .streams import streams

    return next((x.entering for x in streams(v.solution) if x.space == space), v.ambient)


def _approach(v: Values, body: Body, n: int) -> np.ndarray:
    """Mean velocity (m/s) of the fluid before a flat body across ``n``, all through its space."""
    s = v.solution
    here = s.spaces == body.space
    for a in (x for x in range(3) if x != n):
        shape = [1, 1, 1]
        shape[a] = -1
        c = s.grid.centres[a]
        here = here & ((c >= body.low[a]) & (c <= body.high[a])).reshape(shape)
    if not here.any():
        return np.zeros(3)
    return np.average(s.velocity()[here], axis=0, weights=s.grid.volumes()[here])


def _clear(v: Values, body: Body, n: int) -> float:
    """How far (m) the fluid goes on before the middle of a flat body, the nearer side."""
    s, walls = v.solution, v.walls
    faces = body.faces[walls.axis[body.faces] == n]
    middle = 0.5 * (body.low + body.high)
    out = np.inf
    for outward in (-1, 1):
        side = faces[walls.outward[faces] == outward]
        if not len(side):
            continue
        near = side[np.argmin(np.linalg.norm(walls.centre[side] - middle, axis=1))]
        at = list(np.unravel_index(walls.cell[near], s.grid.shape))
        column = np.moveaxis(s.kind == FLUID, n, 0)[(slice(None), *(x for a, x in enumerate(at) if a != n))]
        step, m, far = -outward, at[n], 0.0
        while 0 <= m < len(column) and column[m]:
            far, m = far + s.grid.widths[n][m], m + step
        out = min(out, far)  # at a side of symmetry the layer of the mirrored plate begins
    return float(out)
