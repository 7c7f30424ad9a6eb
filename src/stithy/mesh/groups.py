"""Faces of imported solids on the grid: the cell faces that a group's faces cross."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import FaceGroup, Model
from ..shapes import facets
from .build import Built


@dataclass(frozen=True)
class GroupFaces:
    """Cell faces of a group across one ``axis``, on the high (``up``) or low side of the solid's ``cells`` (n, 3);
    ``beyond`` whether there is a cell on the other side; ``tilt`` the part of each that is surface; distances (m)
    from the centres on both sides to the surface."""

    axis: int
    up: int
    cells: np.ndarray
    beyond: np.ndarray
    tilt: np.ndarray
    near: np.ndarray
    far: np.ndarray

    def others(self) -> np.ndarray:
        """The cells on the other side (n, 3), where there are any."""
        out = self.cells.copy()
        out[:, self.axis] += 1 if self.up else -1
        return out


def group_faces(model: Model, built: Built, group: FaceGroup) -> list[GroupFaces]:
    """Where the faces of a group lie on the grid; nothing for a solid without cells."""
    solid = next(s for s in model.solids if s.name == group.of)
    part, out, grid = built.parts.index(group.of), [], built.grid
    wanted = np.isin(np.asarray(solid.form.faces), group.faces)
    met, seen = [], 0.0
    for axis in range(3):
        a, b = (t for t in range(3) if t != axis)
        i, j, at, tilt, triangle = facets.hits(solid.form, axis, grid.centres[a], grid.centres[b])
        keep = wanted[triangle]
        met.append([x[keep] for x in (i, j, at, tilt)])
        seen += float((grid.widths[a][met[-1][0]] * grid.widths[b][met[-1][1]] * np.abs(met[-1][3])).sum())
    true = facets.area_of(solid.form, wanted) / seen if seen else 1.0  # what the grid's lines make of their area
    for axis in range(3):
        a, b = (t for t in range(3) if t != axis)
        i, j, at, tilt = met[axis]
        along, n = grid.centres[axis], grid.shape[axis]
        low = np.searchsorted(along, at) - 1
        for up in (0, 1):
            leaves = tilt > 0 if up else tilt < 0
            own = np.zeros((int(leaves.sum()), 3), int)
            own[:, a], own[:, b], own[:, axis] = i[leaves], j[leaves], low[leaves] + (0 if up else 1)
            inside = (own[:, axis] >= 0) & (own[:, axis] < n)
            own, place, part_of = own[inside], at[leaves][inside], true * np.abs(tilt[leaves][inside])
            mine = built.owner[tuple(own.T)] == part
            own, place, part_of = own[mine], place[mine], part_of[mine]
            other = own[:, axis] + (1 if up else -1)
            there = (other >= 0) & (other < n)
            beside = own.copy()
            beside[:, axis] = np.clip(other, 0, n - 1)
            free = ~there | (built.owner[tuple(beside.T)] != part)
            own, place, part_of, there, other = (x[free] for x in (own, place, part_of, there, other))
            near = np.abs(place - along[own[:, axis]])
            far = np.where(there, np.abs(along[np.clip(other, 0, n - 1)] - place), 0.0)
            out.append(GroupFaces(axis, up, own, there, part_of, near, far))
    return [x for x in out if len(x.cells)]
