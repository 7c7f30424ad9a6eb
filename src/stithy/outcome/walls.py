"""Every wall of a solution: what heat, friction and pressure do there, from the solver's own fluxes."""

from __future__ import annotations

import numpy as np

from ..equations.moving import Belts
from ..equations.staggered import BLOCKED
from ..mesh.occupancy import FLUID, VOID
from ..mesh.surfaces import numbers
from ..setup.prepare import Prepared
from ..solution.solution import SINCE_RADIATION, WALL_COLUMNS, Walls
from .faces import FaceTemperatures


def wall_table(p: Prepared, run, faces: FaceTemperatures) -> Walls:
    """The walls of the present state of a run; ``faces`` of the same state."""
    return _Table(p, run, faces).whole()


class _Table:
    """Works the columns of :class:`Walls` out, side by side."""

    def __init__(self, p: Prepared, run, faces: FaceTemperatures):
        self.p, self.run, self.case, self.geo, self.faces = p, run, p.case, run.geo, faces
        self.surface = numbers(p.surfaces, p.case.grid.shape)
        self.link_heat = -run.heat.outflow()[1]
        self._reactions: dict[int, np.ndarray] = {}
        #: parts, then surfaces: what the column ``name`` counts
        self.names = (*p.parts, *(s.name for s in p.surfaces), "")

    def whole(self) -> Walls:
        """All walls: those of fluid, then outer faces of solids."""
        pieces = [self._side(a, up) for a in range(3) for up in (False, True)]
        pieces += [x for a in range(3) for up in (0, 1) if (x := self._outer(a, up)) is not None]
        return Walls(self.names, **{k: np.concatenate([x[k] for x in pieces]) for k in WALL_COLUMNS})

    def _flat(self, cells) -> np.ndarray:
        """Flat numbers, in the grid without ghosts, of padded flat ones."""
        at = np.stack(np.unravel_index(cells, self.geo.shape), 0) - 1
        return np.ravel_multi_index(tuple(at), self.case.grid.shape)

    def _side(self, a: int, up: bool) -> dict[str, np.ndarray]:
        """Walls of fluid cells on one side of them."""
        geo, case, flow, heat = self.geo, self.case, self.run.flow, self.run.heat
        st = geo.s[a]
        fluid = (geo.kind == FLUID).reshape(geo.shape)
        inner = np.zeros(geo.shape, bool)
        inner[1:-1, 1:-1, 1:-1] = True
        face = geo.face[a].reshape(geo.shape)
        closed = (face if up else np.roll(face, 1, a)) == BLOCKED
        cells = np.flatnonzero((fluid & inner & closed & ~geo.mirrored(a, up)).ravel())
        at = np.stack(np.unravel_index(cells, geo.shape), -1)
        there = cells + (st if up else -st)
        gap = geo.wall_gap(a, up).ravel()[cells]
        area = geo.area[a][cells]
        g = heat.conduction.g[a][cells if up else cells - st].copy()
        solid = (geo.kind[there] != FLUID) & (geo.kind[there] != VOID)
        ratio = heat.wall_ratio(a, 1 if up else -1, cells, flow.k_wall[cells])
        k_fluid = geo.pad(case.conductivity[a])[cells] * ratio
        into = np.where(solid, g * (heat.theta[there] - heat.theta[cells]), 0.0)
        owner = geo.pad(case.part, -1, np.int64)[there]
        sheet = np.full(len(cells), -1)
        if geo.shut is not None:
            face = cells if up else cells - st
            shut = geo.shut[a].ravel()[face]
            into = np.where(shut, g * (heat.theta[there] - heat.theta[cells]), into)
            sheet = np.where(shut, geo.pad(case.crossing.sheet[a], -1, np.int64)[face], -1)
        held = np.isfinite(heat.held_at[there]) & solid
        into = np.where(held, self._held(a, up, cells), into)
        flat = self._flat(cells)
        name, into = self._outside(a, up, flat, solid | (sheet >= 0), np.where(sheet >= 0, sheet, owner), into, area)
        wall = heat.theta[cells] + into * gap / (k_fluid * area)
        more = self._radiation(a, up, cells, into, wall)
        shear = (flow.mu_wall[cells] * area / gap)[:, None] * self._slip(a, up, cells, solid)
        if case.crossing is not None:  # the true area of a curved or oblique wall
            area = area * geo.pad(case.crossing.tilt[a], 1.0)[cells if up else cells - st]
        n = len(cells)
        return {
            "name": name,
            "cell": flat,
            "axis": np.full(n, a, np.int8),
            "outward": np.full(n, 1 if up else -1, np.int8),
            "outer": np.zeros(n, np.int8),
            "gap": gap,
            "area": area,
            "heat": into,
            "temperature": wall + case.reference,
            "shear": shear,
            **more,
            "push": self._push(a, up, cells),
            "pressure": self._wall_pressure(cells, cells - st if up else cells + st, at[:, a], gap, a),
        }

    def _radiation(self, a: int, up: bool, cells, into, wall) -> dict[str, np.ndarray]:
        """The columns of radiation; heat ``into`` the fluid and temperatures of the ``wall`` (K above the reference) of
        what radiates are put right in place."""
        columns = {name: np.zeros(len(cells)) for name in SINCE_RADIATION}
        r = self.run.heat.radiation
        if r is not None:
            here, gas, _ = r.passing(a, int(up))
            row = np.searchsorted(cells, gas)
            into[row], wall[row] = r.to_gas[here], r.temperature[here] - self.case.reference
            for name, values in zip(SINCE_RADIATION, (r.net, r.falls[r.patch], r.sun), strict=True):
                columns[name][row] = values[here]
        return columns

    def _slip(self, a: int, up: bool, cells, solid) -> np.ndarray:
        """Velocity (m/s) of fluid cells along the wall on one side of them, less that of the wall."""
        geo, case, sign = self.geo, self.case, 1 if up else -1
        pull = [self.run.flow.pull(t, a, sign) for t in range(3)]
        u = np.stack([0.5 * (pull[t][cells] + pull[t][cells - geo.s[t]]) for t in range(3)], -1)
        slide = case.moving.get(f"{'xyz'[a]}{'+' if up else '-'}")
        if slide is not None:
            u = np.where((~solid)[:, None], u - np.array(slide), u)
        if case.belts:
            u -= np.stack([Belts(geo).beside(cells, a, sign, t) for t in range(3)], -1)
        u[:, a] = 0.0
        return u

    def _outside(self, a: int, up: bool, flat, solid, owner, into, area) -> tuple[np.ndarray, np.ndarray]:
        """Numbers of the walls' names, and the heat with what passes the outside of enclosures without wall thickness
        put in."""
        surfaces, case = self.p.surfaces, self.case
        number = np.where(solid, -1, self.surface[a, int(up)].ravel()[flat])
        name = np.where(
            solid & (owner >= 0), owner, np.where(number >= 0, len(self.p.parts) + number, len(self.names) - 1)
        )
        links, into = case.links, into.copy()
        if links.side is not None and len(links.cells):
            here = links.side == 2 * a + up
            passing = np.zeros(case.kind.size)
            np.add.at(passing, np.ravel_multi_index(tuple(links.cells[here].T), case.grid.shape), self.link_heat[here])
            into[number >= 0] = passing[flat[number >= 0]]
        for n in np.unique(number[number >= 0]):
            condition = surfaces[n].condition
            if condition.kind in ("flux", "adiabatic"):
                on = number == n
                into[on] = self._flux(surfaces[n], flat[on]) * area[on] if condition.kind == "flux" else 0.0
        return name.astype(np.int32), into

    def _flux(self, surface, flat) -> np.ndarray | float:
        """Given flux (W/m2) of a surface at some of its cells, by their flat numbers."""
        if surface.condition.where is None:
            return surface.condition.value
        own = np.ravel_multi_index(tuple(surface.cells.T), self.case.grid.shape)
        order = np.argsort(own)
        return surface.values(self.case.grid)[order[np.searchsorted(own[order], flat)]]

    def _outer(self, a: int, up: int) -> dict | None:
        """Faces of solids on one side of the model, or on the outside of an enclosure's wall, with what they exchange
        there."""
        links, case, grid = self.case.links, self.case, self.case.grid
        cells, names, into = [], [], []
        first = len(self.p.parts)
        if links.side is not None and len(links.cells):
            here = np.flatnonzero((links.side == 2 * a + up) & ~self.run.flow.fluid[self.run.heat.link_cells])
            cells.append(links.cells[here])
            into.append(self.link_heat[here])
            names.append(first + links.owner[here])
        for number, s in enumerate(self.p.surfaces):
            if (s.axis, s.up, s.condition.kind) == (a, up, "flux"):
                at = s.cells[case.kind[tuple(s.cells.T)] != FLUID]
                cells.append(at)
                into.append((s.values(grid) * s.area(grid))[case.kind[tuple(s.cells.T)] != FLUID])
                names.append(np.full(len(at), first + number))
        at = np.concatenate(cells) if cells else np.zeros((0, 3), int)
        if not len(at):
            return None
        n, index = len(at), tuple(at.T)
        area = self.geo.area[a][self.geo.flat(at)]
        if case.crossing is not None:  # none is crossed at the sides of the model
            low = at.copy()
            low[:, a] -= 1 - up
            area = area * np.where(low[:, a] < 0, 1.0, case.crossing.tilt[a][tuple(low.T)])
        return {
            "name": np.concatenate(names).astype(np.int32),
            "cell": np.ravel_multi_index(index, grid.shape),
            "axis": np.full(n, a, np.int8),
            "outward": np.full(n, 1 if up else -1, np.int8),
            "outer": np.ones(n, np.int8),
            "gap": 0.5 * grid.widths[a][at[:, a]],
            "area": area,
            "heat": np.concatenate(into),
            "temperature": self.faces.at[a, up][index],
            "shear": np.zeros((n, 3)),
            "radiated": np.zeros(n),
            "falls": np.zeros(n),
            "sun": np.zeros(n),
            "push": np.zeros(n),
            "pressure": np.full(n, np.nan),
        }

    def _push(self, a: int, up: bool, cells) -> np.ndarray:
        """Force (N) of the fluid on walls across ``a``, as the momentum equations have it: pressure of the cell, and
        what the velocities beside the closed face carry and drag into it."""
        flow, geo = self.run.flow, self.geo
        force = (1 if up else -1) * flow.p[cells] * geo.area[a][cells] + self._reaction(a)[
            cells if up else cells - geo.s[a]
        ]
        drive = self.case.drive
        if drive is None or "xyz"[a] != drive.axis:
            return force
        # the mean fall of pressure, which p leaves out, over half of the solid behind and up to the middle of the fluid
        # cell
        at = np.unravel_index(cells, geo.shape)
        reach = self._solid_run(a, up)[tuple(x - 1 for x in at)] + geo.width[a][at[a]]
        return force + flow.drive_gradient * drive.sign * geo.area[a][cells] * 0.5 * reach

    def _reaction(self, a: int) -> np.ndarray:
        """Force (N, flat) along ``a`` that holds the velocities of closed faces at zero."""
        if a not in self._reactions:
            self._reactions[a] = self.run.flow.reaction(a, getattr(self.run, "blend", 1.0))
        return self._reactions[a]

    def _solid_run(self, a: int, up: bool) -> np.ndarray:
        """Length (m) of the solid right beside each cell in one direction along a periodic axis."""
        grid = self.case.grid
        solid, run = np.moveaxis(self.case.kind != FLUID, a, 0), np.zeros(grid.shape)
        out, n, widths = np.moveaxis(run, a, 0), grid.shape[a], grid.widths[a]
        for i in [*range(n), *range(n)][:: -1 if up else 1]:
            beside = (i + 1 if up else i - 1) % n
            out[i] = np.where(solid[beside], np.minimum(widths[beside] + out[beside], widths.sum()), 0.0)
        return run

    def _wall_pressure(self, cells, behind, at, gap, a: int) -> np.ndarray:
        """Pressure (Pa) carried from the two cells nearest to a wall to the wall itself."""
        p, geo = self.run.flow.p, self.geo
        apart = np.abs(geo.points[a][np.unravel_index(behind, geo.shape)[a]] - geo.points[a][at])
        fluid = (geo.kind[behind] == FLUID) & (apart > 0)
        return p[cells] + np.where(fluid, (p[cells] - p[behind]) * gap / np.where(apart > 0, apart, 1.0), 0.0)

    def _held(self, a: int, up: bool, cells) -> np.ndarray:
        """Heat (W) into fluid cells from cells of held temperature beside them."""
        heat = self.run.heat
        whole, passing, start = np.zeros(self.geo.size), -heat.held(), 0
        for axis, faces, free in heat.held_pieces:
            q = passing[start : start + len(faces)]
            start += len(faces)
            if axis == a:
                here = (faces == free) == up
                whole[free[here]] = q[here]
        return whole[cells]
