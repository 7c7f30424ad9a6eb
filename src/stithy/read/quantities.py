"""Any quantity of a solution: at points, along lines, over planes, at walls. All SI; temperatures K."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from ..solution.solution import Solution
from .band import Bands
from .sample import Sampler
from .values import Values

#: least difference (K) of wall and fluid that a heat transfer coefficient is told for: less is rounding
LEAST = 1e-6


class Quantities:
    """What can be read off one solution; see the methods."""

    def __init__(self, solution: Solution):
        self.solution, self.grid, self.summary = solution, solution.grid, solution.summary
        self.velocity = solution.velocity()
        self.values = Values(solution)

    def at(self, points) -> list[dict]:
        """Interpolated temperature, pressure, velocity, and the part, at each of the points (m)."""
        found = Sampler(self.solution, points)
        temperature, pressure = found.temperature(), self.values.sampled("pressure", found)
        velocity, parts = found.velocity(), self.solution.part[found.index]
        out: list[dict] = []
        for m, live in enumerate(found.live):
            if not live:
                out.append({"place": "outside"} | dict.fromkeys(("temperature", "pressure", "u", "v", "w"), np.nan))
                continue
            part = int(parts[m])
            u, v, w = (float(x) for x in velocity[m]) if found.fluid[m] else (0.0, 0.0, 0.0)
            out.append(
                {
                    "place": self.solution.parts[part] if part >= 0 else "fluid",
                    "temperature": float(temperature[m]),
                    "pressure": float(pressure[m]),
                    "u": u,
                    "v": v,
                    "w": w,
                    "speed": float(np.sqrt(u**2 + v**2 + w**2)),
                }
            )
        return out

    def line(self, start, end, count: int = 50) -> list[dict]:
        """:meth:`at` for ``count`` points from ``start`` to ``end`` (m), with their place and the distance from the
        start."""
        a, b = np.asarray(start, float), np.asarray(end, float)
        share = np.linspace(0, 1, count)
        points = a + share[:, None] * (b - a)
        return [
            {"x": float(x[0]), "y": float(x[1]), "z": float(x[2]), "distance": float(s * np.linalg.norm(b - a)), **row}
            for x, s, row in zip(points, share, self.at(points), strict=True)
        ]

    def plane(self, axis: int, position: float) -> dict[str, dict]:
        """Per fluid space cut by a plane across ``axis``: area (m2), volume flow (m3/s) and mass flow (kg/s) along the
        axis, area mean of pressure and temperature, bulk temperature (weighted by the mass flow), mean and largest
        speed along the axis.

        Flows are those through the cells' faces; everything is interpolated between the cell layers beside the plane.
        """
        centres = self.grid.centres[axis]
        i = int(np.clip(np.searchsorted(centres, position) - 1, 0, max(len(centres) - 2, 0)))
        j = min(i + 1, len(centres) - 1)
        w = 0.0 if i == j else float(np.clip((position - centres[i]) / (centres[j] - centres[i]), -0.5, 1.5))
        out = {}
        for space in np.unique(np.take(self.solution.spaces, i, axis)):
            if space >= 0:
                low, high = self._layer(axis, i, space), self._layer(axis, j, space)
                if low and high:
                    out[f"fluid space {space + 1}"] = {k: (1 - w) * low[k] + w * high[k] for k in low}
        return out

    @cached_property
    def _mass_flow(self) -> list[np.ndarray]:
        return [self.solution.mass_flow(a) for a in range(3)]

    def _layer(self, axis: int, i: int, space: int) -> dict | None:
        """What :meth:`plane` tells of one layer of cells."""
        s = self.solution
        cut = tuple(i if a == axis else slice(None) for a in range(3))
        here = s.spaces[cut] == space
        if not here.any():
            return None
        widths = [self.grid.widths[a] for a in range(3) if a != axis]
        area = (widths[0][:, None] * widths[1][None, :])[here]
        u = self.velocity[cut][here][:, axis]
        t, p = s.temperature[cut][here], s.pressure[cut][here]
        faces = np.moveaxis(self._mass_flow[axis], axis, 0)
        mass = 0.5 * (faces[i] + faces[i + 1])[here]
        flow = float(mass.sum())
        bulk = float((mass * t).sum() / flow) if abs(flow) > 1e-9 * float(np.abs(mass).sum() + 1e-300) else float("nan")
        return {
            "area": float(area.sum()),
            "volume_flow": float((u * area).sum()),
            "mass_flow": flow,
            "mean_pressure": float((p * area).sum() / area.sum()),
            "mean_temperature": float((t * area).sum() / area.sum()),
            "bulk_temperature": bulk,
            "mean_velocity": float((u * area).sum() / area.sum()),
            "highest_velocity": float(u.max()),
            "lowest_velocity": float(u.min()),
        }

    @cached_property
    def _walls(self) -> dict[str, np.ndarray]:
        w = self.values.walls
        fluid = np.where(w.outer, np.nan, self.solution.temperature.ravel()[w.cell]) if len(w.cell) else w.heat
        return {
            "name": w.names,
            "space": w.space,
            "axis": w.axis,
            "outward": w.outward,
            "centre": w.centre,
            "area": w.area,
            "heat": w.heat,
            "wall_temperature": w.temperature,
            "fluid_temperature": fluid,
            "shear": w.shear,
            "push": w.push,
            "pressure": w.pressure,
        }

    def walls(self) -> dict[str, np.ndarray]:
        """Every face where fluid meets a wall, as arrays of one length.

        name (object), space (number of the fluid space), axis, outward (+1: the wall lies towards higher coordinates),
        centre (m, 3), area (m2), heat (W, into the fluid), wall_temperature (K), fluid_temperature (K), shear (N, 3),
        push (N, along the axis) and pressure (Pa): what the fluid does to the wall. Outer faces of solids that exchange
        heat with the outside come last; their space is -1, their heat is what enters the solid, and what only a fluid
        does is zero or NaN.
        """
        return self._walls

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
        """One wall summed up (all of them when ``name`` is empty): area, heat into the fluid, mean flux and
        temperatures, forces."""
        return self._sum(self.walls(), self._here(name))

    def _sum(self, w, here) -> dict:
        area = w["area"][here]
        total = float(area.sum())
        if total == 0:
            return {}
        push = np.zeros((int(here.sum()), 3))
        push[np.arange(len(push)), w["axis"][here]] = w["push"][here]
        shear = w["shear"][here]
        return {
            "area": total,
            "heat": float(w["heat"][here].sum()),
            "flux": float(w["heat"][here].sum() / total),
            "wall_temperature": float((w["wall_temperature"][here] * area).sum() / total),
            "highest_wall_temperature": float(w["wall_temperature"][here].max()),
            "shear_stress": float(np.linalg.norm(shear, axis=1).sum() / total),
            "shear_force": [float(x) for x in shear.sum(0)],
            "pressure_force": [float(x) for x in push.sum(0)],
            "force": [float(x) for x in shear.sum(0) + push.sum(0)],
        }

    def wall_along(self, name: str, axis: int) -> list[dict]:
        """:meth:`wall` layer by layer along ``axis``, with the bulk temperature of the fluid it touches and flux over
        the difference.

        Several fluid spaces: the one with most of the wall's faces; name one as "Plate, fluid space 2".
        """
        w = self.walls()
        here = self._here(name)
        of_fluid = w["space"][here & (w["space"] >= 0)]
        space = f"fluid space {int(np.bincount(of_fluid).argmax()) + 1}" if len(of_fluid) else ""
        layer = np.searchsorted(self.grid.lines[axis], w["centre"][:, axis], side="right") - 1
        rows = []
        for i, x in enumerate(self.grid.centres[axis]):
            row = self._sum(w, here & (layer == i) & (w["axis"] != axis))
            if row:
                bulk = self.plane(axis, x).get(space, {}).get("bulk_temperature", float("nan"))
                warmer = row["wall_temperature"] - bulk
                rows.append(
                    {
                        "position": float(x),
                        "bulk_temperature": bulk,
                        "heat_transfer_coefficient": row["flux"] / warmer if abs(warmer) > LEAST else float("nan"),
                        **row,
                    }
                )
        return rows

    def parts(self) -> dict[str, dict]:
        """Volume, highest, lowest and mean temperature of every part, the heat load in it and the heat that holds
        it."""
        volume, s, out = self.grid.volumes(), self.solution, {}
        for i, name in enumerate(s.parts):
            here = s.part == i
            if here.any():
                t, told = s.temperature[here], self.summary["parts"][name]
                if Bands(self.summary).dry(name):  # that is no result
                    t = np.full(t.shape, np.nan)
                faces = np.concatenate([x[here] for x in s.faces.values()]) if s.faces else t
                faces = faces[np.isfinite(faces)]
                out[name] = {
                    "highest": float(np.maximum(t.max(), faces.max(initial=-np.inf))),
                    "lowest": float(np.minimum(t.min(), faces.min(initial=np.inf))),
                    "mean": float(np.average(t, weights=volume[here])),
                    "volume": float(volume[here].sum()),
                    "heat_load": told["power"],
                    "held_heat": told.get("held_heat", 0.0),
                }
        return out

    def fluid(self) -> dict[str, dict]:
        """Volume, mean and extreme temperatures, mean and highest speed of every fluid space; the pressure (Pa) of
        closed ones whose gas follows temperature."""
        s, out = self.solution, {}
        volume, speed = self.grid.volumes(), np.linalg.norm(self.velocity, axis=-1)
        for m in range(int(s.spaces.max(initial=-1)) + 1):
            here = s.spaces == m
            t, v = s.temperature[here], volume[here]
            name = f"fluid space {m + 1}"
            out[name] = {
                "volume": float(v.sum()),
                "mean_temperature": float(np.average(t, weights=v)),
                "lowest": float(t.min()),
                "highest": float(t.max()),
                "mean_speed": float(np.average(speed[here], weights=v)),
                "highest_speed": float(speed[here].max()),
            }
            if name in self.summary.get("sealed", {}):
                out[name]["absolute_pressure"] = self.summary["sealed"][name]
        return out

    def drive(self) -> dict:
        """Pressure gradient (Pa/m), mass flow (kg/s), temperature rise per pitch (K) of a driven periodic flow; see
        :func:`outcome.tables.drive_table`."""
        return dict(self.summary.get("drive") or {})
