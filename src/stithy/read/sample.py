"""Values of cells at any points: between cells of one region, and up to walls."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID, VOID
from ..solution.solution import Solution


class Sampler:
    """Interpolates cells of a solution at points (n, 3), m: trilinear among cells of the part, or of the fluid, that a
    point lies in; the same as :meth:`Solution.at`, for many points at once."""

    def __init__(self, solution: Solution, points):
        self.solution, self.points = solution, np.atleast_2d(np.asarray(points, float))
        grid = solution.grid
        index, inside = [], np.ones(len(self.points), bool)
        for a in range(3):
            x, lines = self.points[:, a], grid.lines[a]
            slack = 1e-9 * (lines[-1] - lines[0])
            inside &= (x >= lines[0] - slack) & (x <= lines[-1] + slack)
            index.append(np.clip(np.searchsorted(lines, x, side="right") - 1, 0, grid.shape[a] - 1))
        self.index = tuple(index)
        kind = solution.kind[self.index]
        #: points that lie in the model at all, and in a fluid
        self.live = inside & (kind != VOID)
        self.fluid = self.live & (kind == FLUID)
        self._region = solution.regions
        self._corners()

    def _corners(self) -> None:
        """The eight cells about each point with their weights; those of another region weigh nothing."""
        grid, own = self.solution.grid, self._region[self.index]
        lows, shares = [], []
        for a in range(3):
            c = grid.centres[a]
            if len(c) == 1:
                lows.append(np.zeros(len(own), int))
                shares.append(np.zeros(len(own)))
                continue
            i = np.clip(np.searchsorted(c, self.points[:, a]) - 1, 0, len(c) - 2)
            lows.append(i)
            shares.append(np.clip((self.points[:, a] - c[i]) / (c[i + 1] - c[i]), 0.0, 1.0))
        self.cells, weights = [], []
        for corner in np.ndindex(2, 2, 2):
            at = tuple(np.minimum(lows[a] + corner[a], grid.shape[a] - 1) for a in range(3))
            w = np.prod([shares[a] if corner[a] else 1.0 - shares[a] for a in range(3)], axis=0)
            self.cells.append(at)
            weights.append(w * (self._region[at] == own))
        self.weights = np.array(weights)

    def cells_of(self, values: np.ndarray, to_walls: bool = False) -> np.ndarray:
        """Values (nx, ny, nz) at the points, NaN outside and where no cell about has one. ``to_walls``: speeds fall to
        nothing at the walls beside."""
        total, weight = np.zeros(len(self.points)), np.zeros(len(self.points))
        for at, w in zip(self.cells, self.weights, strict=True):
            x = values[at]
            good = np.isfinite(x)
            total += np.where(good, w * np.where(good, x, 0.0), 0.0)
            weight += np.where(good, w, 0.0)
        with np.errstate(invalid="ignore", divide="ignore"):
            out = np.where((weight > 1e-9) & self.live, total / weight, np.nan)
        return out * self._fall() if to_walls else out

    def _fall(self) -> np.ndarray:
        """How far speeds have fallen towards walls beside the points: 1 in the open, 0 at a wall."""
        out, gaps = np.ones(len(self.points)), self.solution.gaps
        for a in range(3) if gaps else ():
            off = self.points[:, a] - self.solution.grid.centres[a][self.index[a]]
            gap = np.where(off > 0, gaps[a, 1][self.index], gaps[a, 0][self.index])
            near = np.isfinite(gap) & self.fluid
            out[near] = np.minimum(out[near], 1.0 - np.minimum(np.abs(off[near]) / gap[near], 1.0))
        return out

    def temperature(self) -> np.ndarray:
        """Temperature (K) at the points, up to faces between regions."""
        s = self.solution
        out, own = self.cells_of(s.temperature), s.temperature[self.index]
        for a in range(3) if s.faces else ():
            off = self.points[:, a] - s.grid.centres[a][self.index[a]]
            face = np.where(off > 0, s.faces[a, 1][self.index], s.faces[a, 0][self.index])
            share = np.minimum(np.abs(off) / (0.5 * s.grid.widths[a][self.index[a]]), 1.0)
            out += np.where(np.isfinite(face), (face - own) * share, 0.0)
        return out

    def velocity(self) -> np.ndarray:
        """Velocity (n, 3) at the points: from the faces of fluid cells, falling to nothing at the walls beside."""
        s, grid = self.solution, self.solution.grid
        out = np.full((len(self.points), 3), np.nan)
        gaps = s.gaps
        for a in range(3):
            face = (s.u, s.v, s.w)[a]
            i = self.index[a]
            lines = grid.lines[a]
            share = np.clip((self.points[:, a] - lines[i]) / (lines[i + 1] - lines[i]), 0.0, 1.0)
            total, weight = np.zeros(len(i)), np.zeros(len(i))
            across = [t for t in range(3) if t != a]
            for corner in np.ndindex(2, 2):
                at: list = [None] * 3
                at[a] = i
                w = np.ones(len(i))
                for t, up in zip(across, corner, strict=True):
                    c = grid.centres[t]
                    if len(c) == 1:
                        at[t], f = np.zeros(len(i), int), np.zeros(len(i))
                    else:
                        low = np.clip(np.searchsorted(c, self.points[:, t]) - 1, 0, len(c) - 2)
                        at[t] = low + up
                        f = np.clip((self.points[:, t] - c[low]) / (c[low + 1] - c[low]), 0.0, 1.0)
                    w = w * (f if up else 1.0 - f)
                w = w * (self._region[tuple(at)] == self._region[self.index])
                ahead = list(at)
                ahead[a] = i + 1
                total += w * ((1.0 - share) * face[tuple(at)] + share * face[tuple(ahead)])
                weight += w
            fall = np.ones(len(i))
            for t in across if gaps else ():
                off = self.points[:, t] - grid.centres[t][self.index[t]]
                gap = np.where(off > 0, gaps[t, 1][self.index], gaps[t, 0][self.index])
                near = np.isfinite(gap)
                fall[near] *= 1.0 - np.minimum(np.abs(off[near]) / gap[near], 1.0)
            with np.errstate(invalid="ignore", divide="ignore"):
                out[:, a] = np.where(self.fluid & (weight > 1e-9), total / weight * fall, np.nan)
        return out
