"""Planes through a solution, and openings, as places with areas and flows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..model.drawn import Section
from ..model.quantities import CELLS, Quantity
from ..solution.solution import Solution
from .along import layer_of, place_of
from .selection import cells_of
from .values import Values

#: places along the longer side of a plane that follows no axis
ACROSS = 160


@dataclass(frozen=True)
class Cut:
    """Places (n, 3) m of a plane or opening in fluid, their ``area`` m2, the ``mass`` flow (kg/s) through each along
    the plane's normal (into the model at openings) and the ``volume`` flow (m3/s); ``cells`` (flat) they lie in."""

    points: np.ndarray
    area: np.ndarray
    mass: np.ndarray
    volume: np.ndarray
    cells: np.ndarray
    inside: bool = True

    def values(self, v: Values, q: Quantity) -> np.ndarray:
        """A quantity at the places."""
        if q.place != CELLS:
            raise StithyError(f"“{q.name}” lives on walls, not in a plane.")
        return v.at(q.name, self.points) if self.inside else v.of(q.name).ravel()[self.cells]

    def flow(self, what: str) -> float:
        """The whole mass flow or volume flow."""
        if what not in ("mass flow", "volume flow"):
            raise StithyError(f"A plane has no {what}. Watch its mass flow, volume flow or evenness.")
        return float((self.mass if what == "mass flow" else self.volume).sum())

    @property
    def evenness(self) -> float:
        """1 - half the mean departure of the normal speed from its mean, over that mean (Weltens et al. 1993)."""
        total, area = float(self.volume.sum()), float(self.area.sum())
        if abs(total) <= 1e-12 * float(np.abs(self.volume).sum() + 1e-300) or not area:
            raise StithyError("Nothing flows there, so its evenness has no meaning.")
        mean = total / area
        return 1.0 - 0.5 * float(np.abs(self.volume - mean * self.area).sum()) / abs(total)


def of_end(s: Solution, name: str) -> Cut:
    """An opening: the cells behind it. Raises StithyError where the result has not kept them."""
    pieces = s.ends.get(name)
    if not pieces:
        raise StithyError(f"This result has not kept the cells of “{name}”. Solve the layout again.")
    points, area, mass, volume, flat = [], [], [], [], []
    for axis, outward, cells in pieces:
        if not len(cells):
            continue
        others = [t for t in range(3) if t != axis]
        a = np.prod([s.grid.widths[t][cells[:, t]] for t in others], axis=0)
        face = cells.copy()
        face[:, axis] += outward > 0
        at = tuple(face.T)
        u = (s.u, s.v, s.w)[axis][at] * -outward
        x = np.stack([s.grid.centres[t][cells[:, t]] for t in range(3)], -1)
        points.append(x)
        area.append(a)
        volume.append(u * a)
        mass.append(-outward * s.mass_flow(axis)[at])
        flat.append(np.ravel_multi_index(tuple(cells.T), s.grid.shape))
    if not points:
        raise StithyError(f"“{name}” has no cells on this grid.")
    whole = [np.concatenate(y) for y in (points, area, mass, volume, flat)]
    return Cut(whole[0], whole[1], whole[2], whole[3], whole[4], inside=False)


def cut_through(v: Values, section: Section) -> Cut:
    """A section's fluid. Raises StithyError where it cuts none."""
    s = v.solution
    mask = cells_of(s, section.of) & v.fluid
    if section.axis is None:
        return _oblique(v, section, mask)
    axis, i, place = section.axis, layer_of(v, section), place_of(v, section)
    take = tuple(i if t == axis else slice(None) for t in range(3))
    at = np.argwhere(mask[take])
    if not len(at):
        raise StithyError(f"{section.name}: it cuts no fluid. Move it, or name another fluid in “of”.")
    index = np.insert(at, axis, i, axis=1)
    others = [t for t in range(3) if t != axis]
    area = np.prod([s.grid.widths[t][index[:, t]] for t in others], axis=0)
    points = np.stack([s.grid.centres[t][index[:, t]] for t in range(3)], -1)
    points[:, axis] = place
    low, high = s.grid.lines[axis][i], s.grid.lines[axis][i + 1]
    share = float(np.clip((place - low) / (high - low), 0.0, 1.0))
    ahead = index.copy()
    ahead[:, axis] += 1
    flow = s.mass_flow(axis)
    mass = (1 - share) * flow[tuple(index.T)] + share * flow[tuple(ahead.T)]
    u = (s.u, s.v, s.w)[axis]
    volume = ((1 - share) * u[tuple(index.T)] + share * u[tuple(ahead.T)]) * area
    cells = np.asarray(np.ravel_multi_index(tuple(index.T), s.grid.shape))
    return Cut(points, area, mass, volume, cells)


def _oblique(v: Values, section: Section, mask) -> Cut:
    """A plane of any direction, by an even raster of places."""
    s, normal = v.solution, np.array(section.normal)
    one = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    one /= np.linalg.norm(one)
    two = np.cross(normal, one)
    box = np.array([[x[0], x[-1]] for x in s.grid.lines])
    origin = np.array(section.point if section.point is not None else s.middle)
    corners = np.array([[box[a, c[a]] for a in range(3)] for c in np.ndindex(2, 2, 2)]) - origin
    step = max(float(np.ptp(corners @ w)) for w in (one, two)) / ACROSS
    grids = [np.arange((corners @ w).min() + step / 2, (corners @ w).max(), step) for w in (one, two)]
    p, q = np.meshgrid(*grids, indexing="ij")
    x = origin + p.reshape(-1, 1) * one + q.reshape(-1, 1) * two
    x = x[((x > box[:, 0]) & (x < box[:, 1])).all(axis=1)]
    index = tuple(np.searchsorted(s.grid.lines[a], x[:, a]) - 1 for a in range(3))
    wet = mask[index]
    x, cells = x[wet], np.ravel_multi_index(tuple(i[wet] for i in index), s.grid.shape)
    if not len(x):
        raise StithyError(f"{section.name}: it cuts no fluid. Move it, or name another fluid in “of”.")
    u = np.stack([v.at(f"velocity {a}", x) for a in "xyz"], -1) @ normal
    rho = s.density.ravel()[cells] if s.density is not None else np.ones(len(cells))
    area = np.full(len(x), step * step)
    return Cut(x, area, rho * u * area, u * area, cells)
