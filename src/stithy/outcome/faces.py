"""Temperatures on the faces of cells where another solid, a fluid or the outside begins: what contacts, films and thin
layers do."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID, VOID
from ..setup.prepare import Prepared


class FaceTemperatures:
    """``at[a, up]``: temperature (K; nx, ny, nz) on each cell's own side of its low (0) or high (1) face along axis a.

    NaN where the same solid or fluid goes on: nothing begins there, and temperatures between cell centres are as good
    as any. From the heat that passes the face and the resistance of the half cell before it; adiabatic sides have the
    cell's own temperature.
    """

    def __init__(self, p: Prepared, run):
        self.p, self.run, self.case = p, run, p.case
        self.at: dict[tuple[int, int], np.ndarray] = {}
        geo, heat, flow = run.geo, run.heat, run.flow
        theta = geo.inner(heat.theta)
        self.region = np.where(self.case.kind == FLUID, -1 - self.case.space, self.case.part)
        self.dead = self.case.kind == VOID
        k_ratio = np.where(flow.fluid, flow.k_wall, heat.k_solid)
        self._held = self._held_heat()
        for a in range(3):
            conductivity = geo.inner(geo.pad(self.case.conductivity[a]) * k_ratio)
            for up in (0, 1):
                self.at[a, up] = self._side(a, up, theta, conductivity) + self.case.reference
        self._links()
        self._radiating()

    def _side(self, a: int, up: int, theta, conductivity) -> np.ndarray:
        geo, heat = self.run.geo, self.run.heat
        n = self.case.grid.shape[a]
        index = [slice(1, -1)] * 3
        index[a] = slice(1, -1) if up else slice(0, -2)
        g = heat.conduction.g[a].reshape(geo.shape)[tuple(index)].astype(float)
        beyond = np.roll(theta, -1 if up else 1, a)
        other, dead = np.roll(self.region, -1 if up else 1, a), np.roll(self.dead, -1 if up else 1, a)
        edge = np.zeros(self.case.grid.shape, bool)
        if "xyz"[a] not in self.case.periodic:
            np.moveaxis(edge, a, 0)[n - 1 if up else 0] = True
        new = (other != self.region) | edge | dead
        area, gap = geo.inner(geo.area[a]), geo.inner(geo.wall_gap(a, bool(up)).ravel())
        if heat.layer is not None or heat.bath is not None:
            k = geo.pad(self.case.conductivity[a])
            every = np.arange(geo.size)
            ratio = heat.wall_ratio(a, 1 if up else -1, every, np.zeros(geo.size))
            conductivity = np.maximum(conductivity, geo.inner(k * ratio))
        resistance = self._solid_gap(a, bool(up), gap) / np.maximum(conductivity * area, 1e-30)
        into = np.where(edge | dead, 0.0, g * (beyond - theta)) + self._held[a, up]
        limited = theta + into * resistance
        # never past what stands on the other side
        limited = np.where(edge | dead, theta, np.clip(limited, np.minimum(theta, beyond), np.maximum(theta, beyond)))
        if (
            heat.radiation is not None
        ):  # unlike what is conducted, what radiates may leave a face colder than both sides
            limited = self._radiates(a, up, theta, resistance, limited)
        return np.where(new & ~self.dead, limited, np.nan)

    def _radiates(self, a: int, up: int, theta, resistance, limited) -> np.ndarray:
        """``limited`` with the sides of solids that radiate put right, from the heat that comes to their faces."""
        r, geo = self.run.heat.radiation, self.run.geo
        here, _, other = r.passing(a, 1 - up)
        mine = r.solid[here]
        at = tuple(np.stack(np.unravel_index(other[mine], geo.shape), 0) - 1)
        out = limited.copy()
        out[at] = theta[at] - r.from_behind()[here[mine]] * resistance[at]
        return out

    def _radiating(self) -> None:
        """Faces of gases that radiate have the temperature that their balance gave them."""
        r = self.run.heat.radiation
        if r is None:
            return
        for a in range(3):
            for up in (0, 1):
                here, cells, _ = r.passing(a, up)
                at = tuple(np.stack(np.unravel_index(cells, self.run.geo.shape), 0) - 1)
                self.at[a, up][at] = r.temperature[here]

    def _solid_gap(self, a: int, up: bool, gap) -> np.ndarray:
        """Distance (m) from centres to the face, or to a curved wall that crosses there, in solids as in fluids."""
        cross = self.case.crossing
        if cross is None:
            return gap
        geo = self.run.geo
        ahead = geo.inner(
            (np.roll(geo.along(geo.points[a], a), -1, a) - geo.along(geo.points[a], a) + np.zeros(geo.shape)).ravel()
        )
        share = np.asarray(cross.share[a], float)
        low = share * ahead if up else np.roll((1 - share) * ahead, 1, a)
        return np.where(np.isfinite(low), low, gap)

    def _held_heat(self) -> dict:
        """Heat (W) that comes into free cells from held ones through each face: those faces are not among the
        conductances."""
        geo, heat = self.run.geo, self.run.heat
        out = {(a, up): np.zeros(self.case.grid.shape) for a in range(3) for up in (0, 1)}
        passing, start = -heat.held(), 0
        for a, faces, free in heat.held_pieces:
            q = passing[start : start + len(faces)]
            start += len(faces)
            for up in (0, 1):
                here = (faces == free) == bool(up)
                flat = np.zeros(geo.size)
                flat[free[here]] = q[here]
                out[a, up] = out[a, up] + geo.inner(flat)
        return out

    def _links(self) -> None:
        """Sides that exchange heat with a given temperature outside, and those with a given flux."""
        heat, links = self.run.heat, self.run.heat.links
        if links.side is not None and len(links.cells) and links.half is not None:
            theta = heat.theta[heat.link_cells]
            g = heat.link_conductance()
            inside = np.maximum(1.0 / np.maximum(g, 1e-300) - (1.0 / links.conductance - links.half), 0.0)
            q = g * (links.temperature - self.case.reference - theta)
            for a in range(3):
                for up in (0, 1):
                    here = links.side == 2 * a + up
                    self.at[a, up][tuple(links.cells[here].T)] = (theta + q * inside)[here] + self.case.reference
        for name, where in self.case.given.items():
            a, up = "xyz".index(name[0]), int(name[1] == "+")
            for cells, flux in where:
                at = tuple(cells.T)
                geo, flow = self.run.geo, self.run.flow
                flat = geo.flat(cells)
                ratio = np.where(flow.fluid[flat], flow.k_wall[flat], heat.k_solid[flat])
                if heat.bath is not None:
                    ratio = np.where(flow.fluid[flat], heat.wall_ratio(a, 1 if up else -1, flat, ratio), ratio)
                half = 0.5 * self.case.grid.widths[a][cells[:, a]]
                self.at[a, up][at] = (
                    heat.theta[flat] + flux * half / (self.case.conductivity[a][at] * ratio) + self.case.reference
                )

    def highest(self, here) -> tuple[float, tuple[float, float, float]]:
        """Highest temperature (K) on the outside of the cells ``here`` and its place (m); -inf where nothing begins
        beside them."""
        best, place = -np.inf, (np.nan,) * 3
        centres, lines = self.case.grid.centres, self.case.grid.lines
        for (a, up), values in self.at.items():
            inside = np.where(here, values, np.nan)
            if np.isnan(inside).all():
                continue
            c = np.unravel_index(int(np.nanargmax(inside)), inside.shape)
            if inside[c] > best:
                best = float(inside[c])
                place = tuple(float(lines[t][c[t] + up] if t == a else centres[t][c[t]]) for t in range(3))
        return best, place

    def lowest(self, here) -> float:
        """Lowest temperature (K) on the outside of the cells ``here``; inf where nothing begins beside them."""
        found = [np.nanmin(x[here]) for x in self.at.values() if here.any() and not np.isnan(x[here]).all()]
        return float(min(found, default=np.inf))
