"""Temperatures of a coarse grid's cells with films in place of boundary layers: conduction as the solver has it, air by
the flow of :mod:`draught`, or as one node where only buoyancy moves it; radiation by a node for each space."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..equations import energy
from ..equations.radiation import SIGMA
from ..equations.staggered import Staggered
from ..mesh.occupancy import FLUID, SOLID, VOID
from ..numerics.joined import Convected
from ..numerics.krylov import bicgstab, product
from ..setup.boards import JUNCTION_NODE, nodes
from ..setup.prepare import Prepared
from ..setup.radiating import LINK_BEHIND, SOLID_BEHIND
from . import films
from .draught import Draught

#: part of the outside of a space that is open, from which on it is the ambient air itself
OPEN_AIR = 0.25
#: rounds between films and temperatures, and the change (K) that ends them
ROUNDS, STILL = 8, 0.2
#: power of a film's factor that goes to radiation: hulls are rough, too
HULLS = 0.75
#: part by which a residual falls in a round
SOLVED = 0.02
#: eddy conductivity over density, heat capacity, speed and width, in flows that are no longer laminar
MIXES, STIRRED = 0.2, 1000.0
#: W/K that hold what is given
HELD = 1e9


@dataclass(frozen=True)
class Wall:
    """Faces (flat high faces along ``axis``) between fluid ``cells`` and what is solid: ``area`` m2, ``behind`` K/W up
    to the surface, ``solid`` cells, ``up``: the wall lies at the high side."""

    axis: int
    up: bool
    faces: np.ndarray
    cells: np.ndarray
    solid: np.ndarray
    area: np.ndarray
    behind: np.ndarray


class Network:
    """One case as a network; :meth:`solve` gives temperatures (K, flat)."""

    def __init__(self, prepared: Prepared, draught: Draught, geo: Staggered):
        self.prepared, self.draught, self.geo = prepared, draught, geo
        case = self.case = prepared.case
        self.conduction = energy.Conduction(geo, [geo.pad(k) for k in case.conductivity], case.contact)
        ones = np.ones(geo.size)
        self.still = [g.copy() for g in self.conduction.update(ones, ones)]
        self.inner = geo.padded_index() > 0
        self.source = geo.pad(case.heat) * self.inner
        #: W in the cells of parts, without what is given on faces
        self.of_parts = loads(prepared)
        self.held = geo.pad(np.full(geo.n, np.nan) if case.fixed is None else case.fixed, np.nan)
        self.part = geo.pad(case.part, -1, np.int64)
        self.space = draught.space
        self.grid = Convected(geo.n, geo.s, geo.periodic)
        self.walls = [w for a in range(3) for w in self._walls(a)]
        self.theta = np.full(geo.size, 0.0)
        still = [s for s in range(case.spaces) if not draught.moves[self.space == s].any()]
        gases = [s for s in range(case.spaces) if self._gas(s)] if case.radiating is not None else []
        room = int(geo.n[2]) + 2
        #: where nodes of spaces stand among the ghost cells that no cell sees
        self.air = {s: m for m, s in enumerate(still[: room // 2])}
        self.glow = {s: len(self.air) + m for m, s in enumerate(gases[: room - len(self.air)])}
        self.stars: list[tuple[int, np.ndarray, np.ndarray]] = []
        self.notes: list[str] = []
        self.open_air = {s for s in self.air if self._is_open(s)}
        self._sizes()

    def _gas(self, space: int) -> bool:
        cells = np.flatnonzero(self.space == space)
        return bool(len(cells)) and self.draught.medium(cells).rho < 50.0

    def _walls(self, a: int) -> list[Wall]:
        """Faces along an axis where fluid meets what is solid."""
        con, st = self.conduction, self.geo.s[a]
        faces, wall = con.cells[a], con.wall[a]
        tilt = None
        if self.case.crossing is not None:
            tilt = self.geo.pad(self.case.crossing.tilt[a], 1.0)[faces]
        out = []
        for up, half in ((True, con.low[a]), (False, con.high[a])):
            cells = faces if up else faces + st
            here = wall & (half > 0) & self.inner[cells]
            area = con.over[a][here].astype(float)
            if tilt is not None:
                area *= np.clip(np.nan_to_num(tilt[here], nan=1.0), 0.3, 1.0)
            solid = cells[here] + (st if up else -st)
            behind = con.base[a][here] / np.maximum(con.over[a][here], 1e-30)
            out.append(Wall(a, up, faces[here], cells[here], solid, area, behind.astype(float)))
        return out

    def _is_open(self, space: int) -> bool:
        """Whether a space is mostly open: then its air is the ambient air."""
        area = sum(
            float(self.geo.area[p.axis][self.geo.flat(p.cells)].sum())
            for p in self.case.openings
            if p.kind == "pressure" and len(p.cells) and self.space[self.geo.flat(p.cells)][0] == space
        )
        cells = np.argwhere(self.case.space == space)
        if not len(cells):
            return False
        low, high = cells.min(axis=0), cells.max(axis=0) + 1
        long = [float(self.geo.case.grid.lines[a][high[a]] - self.geo.case.grid.lines[a][low[a]]) for a in range(3)]
        whole = 2 * (long[0] * long[1] + long[1] * long[2] + long[2] * long[0])
        return area > OPEN_AIR * whole / 2

    def _sizes(self) -> None:
        """Lengths (m) of every part along the axes, by number; of the outside last."""
        grid, count = self.case.grid, len(self.prepared.parts)
        self.long = np.zeros((count + 1, 3))
        for m in range(count):
            cells = np.argwhere(self.case.part == m)
            if len(cells):
                low, high = cells.min(axis=0), cells.max(axis=0) + 1
                self.long[m] = [grid.lines[a][high[a]] - grid.lines[a][low[a]] for a in range(3)]
        self.long[-1] = [line[-1] - line[0] for line in grid.lines]
        self.long = np.maximum(self.long, 1e-5)

    def _film(self, w: Wall, warm: np.ndarray, scale: float) -> np.ndarray:
        """W/m2/K of the faces of a wall, whose surfaces are ``warm`` (K above the reference)."""
        d, h = self.draught, np.zeros(len(w.cells))
        pull = np.abs(np.array(self.case.gravity))
        down = int(np.argmax(pull)) if pull.any() else -1
        owner = np.where(self.part[w.solid] >= 0, self.part[w.solid], len(self.long) - 1)
        for number, m in enumerate(d.media):
            here = d.of[w.cells] == number
            if not here.any():
                continue
            cells, own = w.cells[here], owner[here]
            moving = d.moves[cells]
            along = d.along[cells]
            high = self.long[own, down] if down >= 0 else self.long[own].max(axis=1)
            bulk = self.bulk(cells)
            free = self._free(m, w, cells, own, warm[here] - bulk, high, down) if down >= 0 else np.zeros(len(cells))
            speed = np.maximum(d.speed[cells], d.stirred[cells])
            long = np.maximum(self.long[own, along], 1e-4)
            forced = np.where(
                moving,
                np.maximum(
                    films.channel(m, speed, d.wide[cells], long), films.stream(m, np.maximum(speed, 1e-6), long)
                ),
                0.0,
            )
            forced = np.where(speed > 1e-9, forced, 0.0)
            h[here] = (free**3 + forced**3) ** (1 / 3)
            still = ~moving & (down < 0)
            h[here] = np.where(still, m.k / np.maximum(0.5 * d.runs[w.axis][cells], 1e-5), h[here])
        return np.maximum(h * scale, 1e-3)

    def _free(self, m: films.Medium, w: Wall, cells, own, warmer, high, down: int) -> np.ndarray:
        """Films that buoyancy makes."""
        gap = np.where(self.draught.walls[w.axis][cells] > 1, self.draught.runs[w.axis][cells], np.inf)
        if w.axis != down:
            plate = films.upright(m, warmer, high)
            narrow = films.between(m, warmer, np.where(np.isfinite(gap), gap, 1.0), high)
            return np.where(np.isfinite(gap), np.minimum(narrow, plate), plate)
        sides = [a for a in range(3) if a != down]
        one, other = self.long[own, sides[0]], self.long[own, sides[1]]
        size = one * other / (2 * (one + other))
        toward = -1.0 if self.case.gravity[down] < 0 else 1.0
        below = (1.0 if w.up else -1.0) == -toward  # the wall lies above its fluid
        up = np.where(warmer > 0, not below, below)
        return films.level(m, warmer, size, up)

    def bulk(self, cells) -> np.ndarray:
        """Temperature (K above the reference) that the films of cells are referred to."""
        out = self.theta[cells]
        for s, node in self.air.items():
            out = np.where(self.space[cells] == s, self.theta[node], out)
        return out

    def solve(self, films_by: float = 1.0, flow_by: float = 1.0, rounds: int = ROUNDS) -> np.ndarray:
        """Temperatures above the reference (flat), with all films and flows times a factor."""
        for turn in range(rounds):
            before = self.theta.copy()
            self._round(films_by, flow_by)
            moved = np.abs(self.theta - before)[self.inner].max(initial=0.0)
            if turn > 0 and moved < STILL:
                break
        return self.theta

    def _round(self, films_by: float, flow_by: float) -> None:
        geo = self.geo
        g = [x.copy() for x in self.still]
        f = [np.zeros(geo.size) for _ in range(3)]
        extra, b = np.zeros(geo.size), self.source.copy()
        self.stars = []
        self._mix(g, flow_by)
        for w in self.walls:
            if not len(w.cells):
                continue
            h = self._film(w, self.theta[w.solid], films_by)
            through = w.area / (w.behind * w.area + 1.0 / h)
            moving = self.draught.moves[w.cells]
            g[w.axis][w.faces[moving]] = through[moving]
            for s, node in self.air.items():
                mine = self.space[w.cells] == s
                self._star(extra, node, w.solid[mine], through[mine])
        self._carry(f, extra, b, flow_by)
        self._vents(extra, b, flow_by)
        self._outside(extra, b, films_by)
        self._radiate(extra, b, films_by**HULLS)
        self._hold(extra, b)
        self._invert(g, f, extra, b)

    def _star(self, extra, node: int, cells, g) -> None:
        np.add.at(extra, cells, g)
        extra[node] += g.sum()
        self.stars.append((node, cells, g))

    def _mix(self, g, flow_by: float) -> None:
        """Eddies across what flows."""
        d = self.draught
        speed = np.maximum(d.speed, d.stirred)
        for number, m in enumerate(d.media):
            here = d.moves & (d.of == number)
            stirred = here & (m.rho * speed * d.wide / m.mu > STIRRED)
            ratio = np.ones(self.geo.size)
            ratio[stirred] += MIXES * flow_by * m.rho * m.cp / m.k * (speed * np.minimum(d.wide, 0.2))[stirred]
            for a in range(3):
                both = here & np.roll(here, -self.geo.s[a])
                mean = np.sqrt(ratio * np.roll(ratio, -self.geo.s[a]))
                g[a][both] *= mean[both]

    def _carry(self, f, extra, b, flow_by: float) -> None:
        """What the flow carries, and what enters by openings."""
        d, geo = self.draught, self.geo
        rho_cp = d.by_fluid("rho") * d.by_fluid("cp")
        for a in range(3):
            f[a][:] = flow_by * d.flux[a] * rho_cp
        for p in self.case.openings:
            cells = geo.flat(p.cells)
            face = cells if p.outward > 0 else cells - geo.s[p.axis]
            into = np.maximum(-p.outward * d.flux[p.axis][face], 0.0) * rho_cp[cells] * flow_by
            np.add.at(extra, cells, into)
            np.add.at(b, cells, into * (p.temperature - self.case.reference))
            f[p.axis][face] = 0.0

    def _vents(self, extra, b, flow_by: float) -> None:
        """Air that buoyancy draws through the openings of a space: by levels, or both ways through one."""
        pull = float(np.linalg.norm(self.case.gravity))
        for s, node in self.air.items():
            if s in self.open_air:
                extra[node] += HELD
                continue
            vents = [
                p
                for p in self.case.openings
                if p.kind == "pressure" and len(p.cells) and self.space[self.geo.flat(p.cells)][0] == s
            ]
            if not vents or not pull:
                continue
            m = self.draught.medium(np.flatnonzero(self.space == s))
            q = self._exchange(vents, abs(float(self.theta[node])), m, pull)
            carried = flow_by * m.rho * m.cp * q
            extra[node] += carried
            b[node] += carried * float(np.mean([p.temperature for p in vents]) - self.case.reference)

    def _exchange(self, vents, warmer: float, m: films.Medium, pull: float) -> float:
        """Volume flow (m3/s): Brown and Solvason (1962) for one upright opening, by the stack's height for several."""
        down = int(np.argmax(np.abs(self.case.gravity)))
        drive = pull * m.beta * max(warmer, 1.0)
        rows = []
        for p in vents:
            cells = self.geo.flat(p.cells)
            area = float(self.geo.area[p.axis][cells].sum())
            at = self.case.grid.centres[down][p.cells[:, down]]
            rows.append((float(at.mean()), area, float(np.ptp(at)), p.loss))
        heights = [z for z, *_ in rows]
        apart = max(heights) - min(heights)
        total = 0.0
        for _, area, high, loss in rows:
            total += area / 3.0 * (drive * max(high, 0.1 * area**0.5)) ** 0.5 / (1.0 + loss) ** 0.5
        if apart > 0.2 * max(high for *_, high, _ in rows) and apart > 0:
            middle = 0.5 * (max(heights) + min(heights))
            lower = [(a, z) for at, a, _, z in rows if at <= middle]
            upper = [(a, z) for at, a, _, z in rows if at > middle]
            rest = sum(1.0 / sum(a / (1.0 + z) ** 0.5 for a, z in group) ** 2 for group in (lower, upper) if group)
            total = max(total, (2.0 * drive * apart / rest) ** 0.5)
        return total

    def _outside(self, extra, b, films_by: float) -> None:
        """Exchange of walls with the outside; those without thickness by way of a film inside."""
        links = self.case.links
        if not len(links.cells):
            return
        cells = self.geo.flat(links.cells)
        fluid = self.geo.kind[cells] == FLUID
        g, given = links.conductance.astype(float).copy(), links.temperature - self.case.reference
        halves = np.zeros(len(g)) if links.half is None else links.half
        rest = np.maximum(1.0 / np.maximum(g, 1e-30) - halves, 0.0)
        axis = np.zeros(len(g), int) if links.side is None else links.side // 2
        area = np.choose(axis, [self.geo.area[a][cells] for a in range(3)])
        for node_of, s in [(n, s) for s, n in self.air.items()] + [(-1, -1)]:
            mine = fluid & ((self.space[cells] == s) if node_of >= 0 else self.draught.moves[cells])
            for a in range(3):
                here = np.flatnonzero(mine & (axis == a))
                if not len(here):
                    continue
                up = bool(links.side[here[0]] % 2) if links.side is not None else True
                none = np.full(len(here), 0)
                w = Wall(a, up, none, cells[here], none, area[here], np.zeros(len(here)))
                h = self._film(w, given[here], films_by)
                through = 1.0 / (rest[here] + 1.0 / (h * area[here]))
                to = np.full(len(here), node_of) if node_of >= 0 else cells[here]
                np.add.at(extra, to, through)
                np.add.at(b, to, through * given[here])
                g[here] = 0.0
        np.add.at(extra, cells, g)
        np.add.at(b, cells, g * given)

    def _radiate(self, extra, b, by: float) -> None:
        """Every face with the node of its space, by its emissivity; parts radiate from their hull."""
        faces, case, geo = self.case.radiating, self.case, self.geo
        if faces is None or not self.glow:
            return
        cell = geo.flat(faces.cell)
        step = np.array(geo.s)[faces.axis]
        wall = np.where(faces.up == 1, cell + step, cell - step)
        spaces = self.space[cell]
        hull = np.ones(len(faces))
        for m in np.unique(faces.owner[faces.owner >= 0]):
            x, y, z = self.long[m]
            for s in self.glow:
                mine = (faces.owner == m) & (spaces == s)
                wet = float(faces.area[mine].sum())
                if wet > 0:
                    hull[mine] = min(1.0, 2 * (x * y + y * z + z * x) / wet)
        temperature = self.theta[np.where(geo.kind[wall] == SOLID, wall, cell)] + case.reference
        shown = case.reference if case.radiant is None else case.radiant
        for s, node in self.glow.items():
            mean = 0.5 * (temperature + self.theta[node] + case.reference)
            emit = 4 * SIGMA * np.clip(mean, 200.0, 900.0) ** 3 * faces.area * faces.emissivity * hull * by
            mine = (spaces == s) & (faces.behind == SOLID_BEHIND) & (geo.kind[wall] == SOLID)
            self._star(extra, node, wall[mine], emit[mine])
            linked = np.flatnonzero((spaces == s) & (faces.behind == LINK_BEHIND) & (faces.link >= 0))
            if len(linked):
                at = faces.link[linked]
                outside = np.maximum(1.0 / np.maximum(case.links.conductance[at], 1e-30), 0.0)
                if case.links.half is not None:
                    outside = np.maximum(outside - case.links.half[at], 0.0)
                through = 1.0 / (1.0 / np.maximum(emit[linked], 1e-30) + outside)
                extra[node] += through.sum()
                b[node] += float((through * (case.links.temperature[at] - case.reference)).sum())
            for p in case.openings:
                if p.kind == "pressure" and len(p.cells) and self.space[geo.flat(p.cells)][0] == s:
                    out = 4 * SIGMA * shown**3 * float(geo.area[p.axis][geo.flat(p.cells)].sum())
                    extra[node] += out
                    b[node] += out * (shown - case.reference)

    def _hold(self, extra, b) -> None:
        """Held cells, and joints of cells that are no neighbours."""
        held = np.flatnonzero(np.isfinite(self.held))
        self.theta[held] = self.held[held] - self.case.reference
        extra[held] += HELD
        b[held] += HELD * (self.held[held] - self.case.reference)
        if self.case.joins is not None:
            j = self.case.joins
            one, other = self.geo.flat(j.one), self.geo.flat(j.other)
            np.add.at(extra, one, j.conductance)
            np.add.at(extra, other, j.conductance)
            self.joined = one, other, j.conductance

    def _invert(self, g, f, extra, b) -> None:
        """One linear solve."""
        geo, grid = self.geo, self.grid
        nodes = np.array(sorted({*self.air.values(), *self.glow.values()}), int)
        diagonal = np.maximum(extra[nodes], 1e-12)
        inside = extra.copy()
        inside[nodes] = 0.0
        alone = self.inner & (geo.kind != VOID)
        inside[alone] += 1e-9
        b[~self.inner & ~np.isin(np.arange(geo.size), nodes)] = 0.0
        idle = geo.kind == VOID
        idle[nodes] = False
        b[idle] = 0.0
        grid.prepare([x.astype(np.float32) for x in g], [x.astype(np.float32) for x in f], inside)
        n, s, full = geo.n, np.array(geo.s), np.zeros(geo.size)
        joined = getattr(self, "joined", None)

        def matvec(y, out):
            out[:] = 0.0
            energy.apply(n, s, grid.low, grid.high, inside, y, out)
            out[nodes] = diagonal * y[nodes]
            for node, cells, w in self.stars:
                np.subtract.at(out, cells, w * y[node])
                out[node] -= float(w @ y[cells])
            if joined is not None:
                np.subtract.at(out, joined[0], joined[2] * y[joined[1]])
                np.subtract.at(out, joined[1], joined[2] * y[joined[0]])

        def precondition(r):
            size = np.sqrt(product(r, r)) or 1.0
            np.multiply(grid.cycle(r, 1.0 / size), size, out=full)
            full[nodes] = r[nodes] / diagonal
            return full

        # for the change alone: what is held has none, and does not hide how far the rest is from its solution
        rest, change = np.zeros(geo.size), np.zeros(geo.size)
        matvec(self.theta, rest)
        np.subtract(b, rest, out=rest)
        bicgstab(matvec, precondition, rest, change, SOLVED, 1e-12, 60)
        self.theta += change


def loads(prepared: Prepared) -> np.ndarray:
    """Heat loads of parts, W by cell, as they were put into the case."""
    case, volume = prepared.case, prepared.case.grid.volumes()
    out = np.zeros(case.grid.shape)
    for s in (s for s in prepared.model.solids if s.power and s.name in prepared.parts):
        number = prepared.parts.index(s.name)
        here = case.part == number
        if s.network and here.any():
            here = np.zeros_like(here)
            here[tuple(nodes(prepared.built, number, s)[JUNCTION_NODE].T)] = True
        out[here] += s.power * volume[here] / max(volume[here].sum(), 1e-300)
    return out
