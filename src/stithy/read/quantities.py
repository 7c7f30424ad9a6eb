"""Any quantity of a solution: at points, along lines, over planes, at walls. All SI; temperatures K.

The functions take a :class:`Prepared` and the run that holds its fields, so that fluxes are those the solver balanced.
"""
from __future__ import annotations

from functools import cached_property

import numpy as np

from ..grid.occupancy import FLUID, VOID
from ..physics.setup import Prepared
from ..physics.staggered import BLOCKED
from .faces import FaceTemperatures, tangential
from .interpolate import resample


class Quantities:
    """What can be read off one solution; see the methods."""

    def __init__(self, p: Prepared, run):
        self.p, self.run, self.case, self.geo = p, run, p.case, run.geo
        self.fields = run.fields()
        self.grid = p.case.grid
        f = self.fields
        self.velocity = np.stack([0.5 * (f.u[1:] + f.u[:-1]), 0.5 * (f.v[:, 1:] + f.v[:, :-1]),
                                  0.5 * (f.w[:, :, 1:] + f.w[:, :, :-1])], -1)
        self._walls, self._reactions = None, {}

    @cached_property
    def faces(self) -> FaceTemperatures:
        """Temperatures where solids, fluids and the outside meet."""
        return FaceTemperatures(self.p, self.run)

    def _live(self, a: int) -> np.ndarray:
        """Of the velocities along axis ``a``, those that a fluid cell is beside."""
        fluid = np.moveaxis(self.case.kind == FLUID, a, 0)
        return np.moveaxis(np.concatenate([fluid[:1], fluid[1:] | fluid[:-1], fluid[-1:]]), 0, a)

    def at(self, points) -> list[dict]:
        """Interpolated temperature, pressure, velocity, and the part, at each of the points (m)."""
        out = []
        for x in np.atleast_2d(np.asarray(points, float)):
            index = self.grid.find(x)
            if index is None or self.case.kind[index] == VOID:
                out.append({"place": "outside", "temperature": np.nan, "pressure": np.nan, "u": np.nan, "v": np.nan, "w": np.nan})
                continue
            to = [np.array([c]) for c in x]
            fluid = self.case.kind[index] == FLUID
            same = self.case.kind == FLUID if fluid else self.case.part == self.case.part[index]
            row = {"place": "fluid" if fluid else self.p.parts[int(self.case.part[index])],
                   "temperature": float(resample(self.fields.temperature, self.grid.centres, to, same)[0, 0, 0]
                                        + self.faces.beyond(index, x)),
                   "pressure": np.nan, "u": 0.0, "v": 0.0, "w": 0.0}
            if fluid:
                row["pressure"] = float(resample(self.fields.pressure, self.grid.centres, to, same)[0, 0, 0])
                for a, name in enumerate("uvw"):
                    old = list(self.grid.centres)
                    old[a] = self.grid.lines[a]
                    values = resample(getattr(self.fields, name), old, to, self._live(a))[0, 0, 0]
                    row[name] = float(np.nan_to_num(values)) * tangential(self.case, self.geo, a, index, x)
            row["speed"] = float(np.sqrt(row["u"] ** 2 + row["v"] ** 2 + row["w"] ** 2))
            out.append(row)
        return out

    def line(self, start, end, count: int = 50) -> list[dict]:
        """:meth:`at` for ``count`` points from ``start`` to ``end`` (m), with their place and the distance from the start."""
        a, b = np.asarray(start, float), np.asarray(end, float)
        share = np.linspace(0, 1, count)
        points = a + share[:, None] * (b - a)
        return [{"x": float(x[0]), "y": float(x[1]), "z": float(x[2]), "distance": float(s * np.linalg.norm(b - a)), **row}
                for x, s, row in zip(points, share, self.at(points), strict=True)]

    def plane(self, axis: int, position: float) -> dict[str, dict]:
        """Per fluid space cut by a plane across ``axis``: area (m2), volume flow (m3/s) and mass flow (kg/s) along the axis, area
        mean of pressure and temperature, bulk temperature (weighted by the mass flow), mean and largest speed along the axis.

        Flows are those through the cells' faces; everything is interpolated between the cell layers beside the plane.
        """
        centres = self.grid.centres[axis]
        i = int(np.clip(np.searchsorted(centres, position) - 1, 0, max(len(centres) - 2, 0)))
        j = min(i + 1, len(centres) - 1)
        w = 0.0 if i == j else float(np.clip((position - centres[i]) / (centres[j] - centres[i]), -0.5, 1.5))
        out = {}
        for space in np.unique(np.take(self.case.space, i, axis)):
            if space >= 0:
                low, high = self._layer(axis, i, space), self._layer(axis, j, space)
                if low and high:
                    out[f"fluid space {space + 1}"] = {k: (1 - w) * low[k] + w * high[k] for k in low}
        return out

    def _layer(self, axis: int, i: int, space: int) -> dict | None:
        cut = [slice(None)] * 3
        cut[axis] = i
        cut = tuple(cut)
        here = self.case.space[cut] == space
        if not here.any():
            return None
        widths = [self.grid.widths[a] for a in range(3) if a != axis]
        area = (widths[0][:, None] * widths[1][None, :])[here]
        u = self.velocity[cut][here][:, axis]
        t, p = self.fields.temperature[cut][here], self.fields.pressure[cut][here]
        high = self.run.flow.fluxes()[axis].reshape(self.geo.shape)[1:-1, 1:-1, 1:-1]
        low = np.moveaxis(np.moveaxis(self.run.flow.flux[axis].reshape(self.geo.shape), axis, 0)[:-2], 0, axis)
        low = low[tuple(slice(None) if t == axis else slice(1, -1) for t in range(3))]
        mass = 0.5 * (high[cut] + low[cut])[here]
        flow = float(mass.sum())
        bulk = float((mass * t).sum() / flow) if abs(flow) > 1e-9 * float(np.abs(mass).sum() + 1e-300) else float("nan")
        return {"area": float(area.sum()), "volume_flow": float((u * area).sum()), "mass_flow": flow,
                "mean_pressure": float((p * area).sum() / area.sum()), "mean_temperature": float((t * area).sum() / area.sum()),
                "bulk_temperature": bulk, "mean_velocity": float((u * area).sum() / area.sum()), "highest_velocity": float(u.max()),
                "lowest_velocity": float(u.min())}

    def walls(self) -> dict[str, np.ndarray]:
        """Every face where fluid meets a wall, as arrays of one length.

        name (object), space (number of the fluid space), axis, outward (+1: the wall lies towards higher coordinates), centre (m, 3),
        area (m2), heat (W, into the fluid), wall_temperature (K), fluid_temperature (K), shear (N, 3), push (N, along the axis) and
        pressure (Pa): what the fluid does to the wall. Outer faces of solids that exchange heat with the outside come last; their space is
        -1, their heat is what enters the solid, and what only a fluid does is zero or NaN.
        """
        if self._walls is None:
            pieces = [self._side(a, up) for a in range(3) for up in (False, True)]
            pieces += [x for a in range(3) for up in (0, 1) if (x := self._outer(a, up)) is not None]
            self._walls = {k: np.concatenate([x[k] for x in pieces]) for k in pieces[0]}
        return self._walls

    def _side(self, a: int, up: bool) -> dict[str, np.ndarray]:
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
        ratio = flow.k_wall[cells]
        if heat.layer is not None:
            ratio = heat.layer.of_cells(a, 1 if up else -1, cells, ratio)
        k_fluid = geo.pad(case.conductivity[a])[cells] * ratio
        into = np.where(solid, g * (heat.theta[there] - heat.theta[cells]), 0.0)
        owner = geo.pad(case.part, -1, np.int64)[there]
        names = np.array([self.p.parts[m] if s and m >= 0 else "" for m, s in zip(owner, solid, strict=True)], object)
        held = np.isfinite(heat.held_at[there]) & solid
        into = np.where(held, self._held(a, up, cells), into)
        self._boundary(a, up, cells, solid, names, into)
        wall = heat.theta[cells] + into * gap / (k_fluid * area)
        centre = np.stack([geo.points[t][at[:, t]] for t in range(3)], -1)
        centre[:, a] += gap if up else -gap
        pull = [flow.pull(t, a, 1 if up else -1) for t in range(3)]
        u = np.stack([0.5 * (pull[t][cells] + pull[t][cells - geo.s[t]]) for t in range(3)], -1)
        u[:, a] = 0.0
        slide = case.moving.get(f"{'xyz'[a]}{'+' if up else '-'}")
        if slide is not None:
            u = np.where((~solid)[:, None], u - np.array(slide), u)
            u[:, a] = 0.0
        shear = (flow.mu_wall[cells] * area / gap)[:, None] * u
        if case.crossing is not None:  # the true area of a curved or oblique wall
            area = area * geo.pad(case.crossing.tilt[a], 1.0)[cells if up else cells - st]
        return {"name": names, "space": geo.pad(case.space, -1, np.int64)[cells], "axis": np.full(len(cells), a),
                "outward": np.full(len(cells), 1 if up else -1), "centre": centre,
                "area": area, "heat": into, "wall_temperature": wall + case.reference,
                "fluid_temperature": heat.theta[cells] + case.reference, "shear": shear,
                "push": self._push(a, up, cells),
                "pressure": self._wall_pressure(cells, cells - st if up else cells + st, at[:, a], gap, a)}

    def _outer(self, a: int, up: int) -> dict | None:
        """Faces of solids on one side of the model, or on the outside of an enclosure's wall, with what they exchange there."""
        heat, links, case = self.run.heat, self.case.links, self.case
        cells, names, into = [], [], []
        if links.side is not None and len(links.cells):
            here = np.flatnonzero((links.side == 2 * a + up) & ~self.run.flow.fluid[heat.link_cells])
            cells.append(links.cells[here])
            into.append(-heat.outflow()[1][here])
            names += [" ".join(x for x in self.p.walls[int(m)] if x) for m in links.owner[here]]
        side = f"{'xyz'[a]}{'-+'[up]}"
        for at, flux in case.given.get(side, ()):
            at = at[case.kind[tuple(at.T)] != FLUID]
            cells.append(at)
            into.append(flux * self.geo.area[a][self.geo.flat(at)])
            names += [self._given_name(side, c) for c in at]
        at = np.concatenate(cells) if cells else np.zeros((0, 3), int)
        if not len(at):
            return None
        n, index = len(at), tuple(at.T)
        centre = np.stack([self.grid.centres[t][at[:, t]] for t in range(3)], -1)
        centre[:, a] = self.grid.lines[a][at[:, a] + up]
        return {"name": np.array(names, object), "space": np.full(n, -1), "axis": np.full(n, a), "outward": np.full(n, 1 if up else -1),
                "centre": centre, "area": self.geo.area[a][self.geo.flat(at)], "heat": np.concatenate(into),
                "wall_temperature": self.faces.at[a, up][index], "fluid_temperature": np.full(n, np.nan), "shear": np.zeros((n, 3)),
                "push": np.zeros(n), "pressure": np.full(n, np.nan)}

    def _given_name(self, side: str, cell) -> str:
        """The wall patch, or the enclosure's side, whose given flux a cell's face has."""
        across = [t for t in range(3) if t != "xyz".index(side[0])]
        for x in self.p.model.areas:
            if x.side == side and all(lo < self.grid.centres[t][cell[t]] < hi for t, (lo, hi) in zip(across, x.rect, strict=True)):
                return x.name
        return f"{self.p.model.spaces[0].name} {side}"

    def _push(self, a: int, up: bool, cells) -> np.ndarray:
        """Force (N) of the fluid on walls across ``a``, as the momentum equations have it: pressure of the cell, and what the
        velocities beside the closed face carry and drag into it."""
        flow, geo = self.run.flow, self.geo
        force = (1 if up else -1) * flow.p[cells] * geo.area[a][cells] + self._reaction(a)[cells if up else cells - geo.s[a]]
        drive = self.case.drive
        if drive is None or "xyz"[a] != drive.axis:
            return force
        # the mean fall of pressure, which p leaves out, over half of the solid behind and up to the middle of the fluid cell
        at = np.unravel_index(cells, geo.shape)
        reach = self._solid_run(a, up)[tuple(x - 1 for x in at)] + geo.width[a][at[a]]
        return force + flow.drive_gradient * drive.sign * geo.area[a][cells] * 0.5 * reach

    def _reaction(self, a: int) -> np.ndarray:
        """Force (N, flat) along ``a`` that holds the velocities of closed faces at zero."""
        if a not in self._reactions:
            flow, u = self.run.flow, self.run.flow.u[a]
            for x in (flow.b, flow.carry, *flow.low, *flow.high):
                x.fill(0.0)
            flow._links(a, flow.fluxes(), getattr(self.run, "blend", 1.0))
            total = flow.b.copy()
            for t, st in enumerate(self.geo.s):
                total += flow.high[t] * np.roll(u, -st) + flow.low[t] * np.roll(u, st)
            self._reactions[a] = total
        return self._reactions[a]

    def _solid_run(self, a: int, up: bool) -> np.ndarray:
        """Length (m) of the solid right beside each cell in one direction along a periodic axis."""
        solid, run = np.moveaxis(self.case.kind != FLUID, a, 0), np.zeros(self.grid.shape)
        out, n, widths = np.moveaxis(run, a, 0), self.grid.shape[a], self.grid.widths[a]
        for i in [*range(n), *range(n)][::-1 if up else 1]:
            beside = (i + 1 if up else i - 1) % n
            out[i] = np.where(solid[beside], np.minimum(widths[beside] + out[beside], widths.sum()), 0.0)
        return run

    def _wall_pressure(self, cells, behind, at, gap, a: int) -> np.ndarray:
        """Pressure (Pa) carried from the two cells nearest to a wall to the wall itself."""
        p, geo = self.run.flow.p, self.geo
        apart = np.abs(geo.points[a][np.unravel_index(behind, geo.shape)[a]] - geo.points[a][at])
        fluid = (geo.kind[behind] == FLUID) & (apart > 0)
        return p[cells] + np.where(fluid, (p[cells] - p[behind]) * gap / np.where(apart > 0, apart, 1.0), 0.0)

    def _held(self, a, up, cells) -> np.ndarray:
        """Heat into fluid cells from cells of held temperature beside them."""
        heat, out = self.run.heat, np.zeros(len(cells))
        start = 0
        where = {c: m for m, c in enumerate(cells)}
        for axis, faces, free in heat.held_pieces:
            g = heat.held_g[start:start + len(faces)]
            t = heat.held_temperature[start:start + len(faces)] - self.case.reference
            start += len(faces)
            if axis != a:
                continue
            for face, cell, conductance, temperature in zip(faces, free, g, t, strict=True):
                if (face == cell) == up and cell in where:
                    out[where[cell]] = conductance * (temperature - heat.theta[cell])
        return out

    def _boundary(self, a, up, cells, solid, names, into) -> None:
        """Fill in what happens where the wall is the outside of an enclosure without thickness."""
        side, heat, case = f"{'xyz'[a]}{'+' if up else '-'}", self.run.heat, self.case
        where = {c: m for m, c in enumerate(cells) if not solid[m]}
        if not where:
            return
        label = self.p.built.space_of
        for c, m in where.items():
            i, j, k = (int(x) - 1 for x in np.unravel_index(c, self.geo.shape))
            space = int(label[i, j, k])
            if space >= 0:
                names[m] = f"{self.p.model.spaces[space].name} {side}"
        _, links = heat.outflow()
        for n, c in enumerate(heat.link_cells):
            name, of = self.p.walls[int(case.links.owner[n])]
            if of in ("", side) and c in where and (of == side or self._on(name, side)):
                into[where[c]] = -links[n]
                names[where[c]] = name if of == "" else f"{name} {of}"
        for space in self.p.model.spaces:
            if space.sides[side].kind == "flux":
                for m in where.values():
                    if names[m] == f"{space.name} {side}":
                        into[m] = space.sides[side].value * self.geo.area[a][cells[m]]
        for part in self.p.model.areas:
            if part.side == side:
                self._area(part, a, cells, where, names, into)

    def _area(self, part, a, cells, where, names, into) -> None:
        across = [t for t in range(3) if t != a]
        for c, m in where.items():
            at = np.unravel_index(c, self.geo.shape)
            if all(lo < self.geo.points[t][at[t]] < hi for t, (lo, hi) in zip(across, part.rect, strict=True)):
                names[m] = part.name
                if part.wall.kind == "flux":
                    into[m] = part.wall.value * self.geo.area[a][cells[m]]
                elif part.wall.kind == "adiabatic":
                    into[m] = 0.0

    def _on(self, name: str, side: str) -> bool:
        return any(x.name == name and x.side == side for x in self.p.model.areas)

    def wall_names(self) -> list[str]:
        """Names of all walls: parts, and sides of enclosures without thickness such as "Duct z-".

        A wall that several fluid spaces touch is also named by each of them, such as "Plate, fluid space 2".
        """
        w, names = self.walls(), []
        for name in sorted(set(w["name"])):
            spaces = np.unique(w["space"][(w["name"] == name) & (w["space"] >= 0)])
            names.append(name)
            if len(spaces) > 1:
                names += [f"{name}, fluid space {m + 1}" for m in spaces]
        return names

    def _here(self, name: str) -> np.ndarray:
        """Which faces a wall's name means; all of them when it is empty."""
        w = self.walls()
        if not name:
            return w["space"] >= 0
        plain, _, space = name.partition(", fluid space ")
        return (w["name"] == plain) & (w["space"] == int(space) - 1) if space else w["name"] == name

    def wall(self, name: str = "") -> dict:
        """One wall summed up (all of them when ``name`` is empty): area, heat into the fluid, mean flux and temperatures, forces."""
        return self._sum(self.walls(), self._here(name))

    def _sum(self, w, here) -> dict:
        area = w["area"][here]
        total = float(area.sum())
        if total == 0:
            return {}
        push = np.zeros((int(here.sum()), 3))
        push[np.arange(len(push)), w["axis"][here]] = w["push"][here]
        shear = w["shear"][here]
        return {"area": total, "heat": float(w["heat"][here].sum()), "flux": float(w["heat"][here].sum() / total),
                "wall_temperature": float((w["wall_temperature"][here] * area).sum() / total),
                "highest_wall_temperature": float(w["wall_temperature"][here].max()),
                "shear_stress": float(np.linalg.norm(shear, axis=1).sum() / total),
                "shear_force": [float(x) for x in shear.sum(0)], "pressure_force": [float(x) for x in push.sum(0)],
                "force": [float(x) for x in shear.sum(0) + push.sum(0)]}

    def wall_along(self, name: str, axis: int) -> list[dict]:
        """:meth:`wall` layer by layer along ``axis``, with the bulk temperature of the fluid it touches and flux over the difference.

        Several fluid spaces: the one with most of the wall's faces; name one as "Plate, fluid space 2".
        """
        w = self.walls()
        here = self._here(name)
        space = f"fluid space {int(np.bincount(w['space'][here]).argmax()) + 1}" if here.any() else ""
        layer = np.searchsorted(self.grid.lines[axis], w["centre"][:, axis], side="right") - 1
        rows = []
        for i, x in enumerate(self.grid.centres[axis]):
            row = self._sum(w, here & (layer == i) & (w["axis"] != axis))
            if row:
                bulk = self.plane(axis, x).get(space, {}).get("bulk_temperature", float("nan"))
                rows.append({"position": float(x), "bulk_temperature": bulk,
                             "heat_transfer_coefficient": row["flux"] / (row["wall_temperature"] - bulk)
                             if row["wall_temperature"] != bulk else float("nan"), **row})
        return rows

    def parts(self) -> dict[str, dict]:
        """Volume, highest, lowest and mean temperature of every part, and the heat load in it."""
        volume, out = self.grid.volumes(), {}
        for i, name in enumerate(self.p.parts):
            here = self.case.part == i
            if here.any():
                t = self.fields.temperature[here]
                out[name] = {"highest": max(float(t.max()), self.faces.highest(here)[0]),
                             "lowest": min(float(t.min()), self.faces.lowest(here)),
                             "mean": float(np.average(t, weights=volume[here])), "volume": float(volume[here].sum()),
                             "heat_load": float(self.case.heat[here].sum()), "held_heat": self._held_heat(i)}
        return out

    def _held_heat(self, part: int) -> float:
        heat = self.run.heat
        here = heat.held_owner == part
        if not here.any() and heat.link_free.all():
            return 0.0
        outside = ~heat.link_free & (self.geo.pad(self.case.part, -1, np.int64)[heat.link_cells] == part)
        return float(heat.outflow()[1][outside].sum()) - float(heat.held()[here].sum())

    def fluid(self) -> dict[str, dict]:
        """Volume, mean and extreme temperatures, mean and highest speed of every fluid space; the pressure (Pa) of closed ones whose
        gas follows temperature."""
        volume, speed, out = self.grid.volumes(), np.linalg.norm(self.velocity, axis=-1), {}
        for m in range(self.case.spaces):
            here = self.case.space == m
            t, v = self.fields.temperature[here], volume[here]
            out[f"fluid space {m + 1}"] = {
                "volume": float(v.sum()), "mean_temperature": float(np.average(t, weights=v)), "lowest": float(t.min()),
                "highest": float(t.max()), "mean_speed": float(np.average(speed[here], weights=v)),
                "highest_speed": float(speed[here].max())}
        flow, theta = self.run.flow, self.run.heat.theta
        for (cells, _, _), ratio in zip(flow.sealed, flow.sealed_pressure(theta), strict=True):
            space = int(self.geo.pad(self.case.space, -1, np.int64)[cells[0]])
            out[f"fluid space {space + 1}"]["absolute_pressure"] = ratio * self.case.pressure
        return out

    def drive(self) -> dict:
        """Pressure gradient (Pa/m), mass flow (kg/s), temperature rise per pitch (K) of a driven periodic flow.

        ``difference_ratio``: between walls of one temperature, the bulk difference from it at the pitch's end over that at its start.
        """
        drive = self.case.drive
        if drive is None:
            return {}
        a = "xyz".index(drive.axis)
        flux = self.run.flow.mass_flux(a).reshape(self.geo.shape)
        index = [slice(1, -1)] * 3
        index[a] = 1
        out = {"pressure_gradient": self.run.flow.drive_gradient, "mass_flow": float(flux[tuple(index)].sum()),
               "temperature_rise": self.run.heat.jump}
        if self.run.heat.pitch is not None:
            ratio = self.run.heat.pitch.ratio
            out |= {"temperature_rise": (drive.level - drive.entering) * (1.0 - ratio), "difference_ratio": ratio}
        return out
