"""Blanking plates: cells that close a rim, painted on its outer side so that what lies behind keeps its volume.

A plate is the first layer of cells beyond the surface that its rim spans, a cell wider than the rim, so that no step
from cell to cell jumps over it. The surface is a height over the rim's mean plane.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import Plate
from ..shapes.mouths import Mouth, basis
from .lines import Grid, Spacing
from .occupancy import FLUID


@dataclass(frozen=True)
class _Sheet:
    """The surface that a rim spans: its middle, two directions in its mean plane and the normal outwards (m), the rim
    in the plane and its heights over it, and their steepest slope."""

    centre: np.ndarray
    one: np.ndarray
    two: np.ndarray
    out: np.ndarray
    rim: np.ndarray
    heights: np.ndarray

    def height(self, p: np.ndarray) -> np.ndarray:
        """Height (m) of the surface at places (n, 2) of its plane: mean-value coordinates of the rim, source: M.
        Floater, Comput. Aided Geom. Des. 20 (2003); outside, that of the nearest corner."""
        if np.abs(self.heights).max() < 1e-9:
            return np.zeros(len(p))
        import shapely

        to = self.rim[None] - p[:, None]
        far = np.maximum(np.linalg.norm(to, axis=2), 1e-12)
        on = np.roll(to, -1, 1)
        half = 0.5 * np.arctan2(to[..., 0] * on[..., 1] - to[..., 1] * on[..., 0], (to * on).sum(axis=2))
        tan = np.tan(half)
        weight = (np.roll(tan, 1, 1) + tan) / far
        total = weight.sum(axis=1)
        inside = shapely.contains_xy(shapely.Polygon(self.rim), *p.T) & (np.abs(total) > 1e-9)
        mean = (weight * self.heights).sum(axis=1) / np.where(inside, total, 1.0)
        return np.where(inside, mean, self.heights[np.argmin(far, axis=1)])

    def flat(self, x: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Places (n, 2) in the plane of points (n, 3), and how far they stand out of the surface (m)."""
        d = x - self.centre
        p = np.stack([d @ self.one, d @ self.two], -1)
        return p, d @ self.out - self.height(p)


def sheet(rim: Mouth) -> _Sheet:
    """The surface of a rim."""
    centre, out = rim.centre, rim.normal
    one, two = basis(out)
    d = np.array(rim.points) - centre
    heights = d @ out
    if np.ptp(heights) < 1e-6 * np.sqrt(rim.area):
        centre, heights = centre + heights.mean() * out, np.zeros(len(d))
    return _Sheet(centre, one, two, out, np.stack([d @ one, d @ two], -1), heights)


def paint_plates(grid: Grid, kind: np.ndarray, plates: tuple[Plate, ...]) -> np.ndarray:
    """Number of the plate that takes each fluid cell, -1 where none does."""
    of = np.full(kind.shape, -1, np.int32)
    mouths = [(number, rim) for number, plate in enumerate(plates) for rim in plate.rims]
    layers = [(number, *_layer(grid, rim)) for number, rim in mouths]
    for wide in (True, False):  # what lies in a plate's own mouth is its own, the edge that it grew by the first one's
        for number, index, first, within, wider in layers:
            view = of[index]
            here = first & (kind[index] == FLUID) & ((wider & (view < 0)) if wide else within)
            view[here] = number
    return of


def _layer(grid: Grid, rim: Mouth):
    """Slices of the cells about a rim; of these the first beyond its surface, those before the rim, and those before
    the rim grown by a cell."""
    import shapely

    face, p = sheet(rim), np.array(rim.points)
    more = max(float(grid.widths[a][s].max()) for a, s in enumerate(_around(grid, p, 0.0)))
    index = _around(grid, p, 2.0 * more)
    at = np.stack(np.meshgrid(*(grid.centres[a][s] for a, s in enumerate(index)), indexing="ij"), -1)
    flat, above = face.flat(at.reshape(-1, 3))
    out = (above > 0.0).reshape(at.shape[:3])
    first = np.zeros(out.shape, bool)  # no step from cell to cell jumps over these
    for a in range(3):
        x, y = np.moveaxis(out, a, 0), np.moveaxis(first, a, 0)
        y[1:] |= x[1:] & ~x[:-1]
        y[:-1] |= x[:-1] & ~x[1:]
    shape = shapely.Polygon(face.rim)
    within, wider = (shapely.contains_xy(s, *flat.T).reshape(out.shape) for s in (shape, shape.buffer(more)))
    return index, first, within, wider


def _around(grid: Grid, points, more: float) -> tuple[slice, slice, slice]:
    """Cells about points, and those within ``more`` (m); one at least on either side."""
    out = []
    for a in range(3):
        lines = grid.lines[a]
        low = int(np.searchsorted(lines, points[:, a].min() - more)) - 2
        high = int(np.searchsorted(lines, points[:, a].max() + more)) + 1
        out.append(slice(max(low, 0), min(high, len(lines) - 1)))
    return tuple(out)


def spacings(plates: tuple[Plate, ...], a: int, across: int) -> tuple[set[float], list[Spacing]]:
    """Lines and spacings that plates ask for along axis ``a``: a line in the plane of those that stand square to it,
    cells across the others."""
    lines, out = set(), []
    for rim in (r for plate in plates for r in plate.rims):
        p = np.array(rim.points)[:, a]
        low, high = float(p.min()), float(p.max())
        if high - low < 1e-9:
            lines.add(round(low, 9))
        elif high - low > 0.3 * np.sqrt(rim.area):
            out.append(Spacing(low, high, (high - low) / max(4, across)))
    return lines, out


def cells_of(of: np.ndarray, count: int) -> list[np.ndarray]:
    """Cells (n, 3) of each of ``count`` plates."""
    at = np.argwhere(of >= 0)
    which = of[tuple(at.T)]
    order = np.argsort(which, kind="stable")
    return np.split(at[order], np.searchsorted(which[order], np.arange(1, count)))


def inner_faces(grid: Grid, label: np.ndarray, cells: np.ndarray, rims: tuple[Mouth, ...], shut=None):
    """Faces between the ``cells`` (n, 3) of a plate and the fluid behind it: per (axis, way into the fluid) the fluid
    cells (n, 3), and the number of the fluid space that most of the rims' inner side meets; ({}, -1) where it closes
    nothing. Mouths that lead to several spaces are all taken.

    ``label`` numbers connected fluid, ``shut`` are the faces that sheets close.
    """
    out: dict = {}
    votes: dict[int, float] = {}
    inward = -sum(r.vector for r in rims)
    inward = inward / max(float(np.linalg.norm(inward)), 1e-300)
    for a in range(3):
        for way in (-1, 1):
            beside = cells + way * np.eye(3, dtype=int)[a]
            here = (beside[:, a] >= 0) & (beside[:, a] < label.shape[a])
            own, beside = cells[here], beside[here]
            wet = label[tuple(beside.T)] >= 0
            if shut is not None:
                wet &= ~shut[a][tuple((own if way > 0 else beside).T)]
            beside = beside[wet]
            out[a, way] = beside
            area = np.prod([grid.widths[t][beside[:, t]] for t in range(3) if t != a], axis=0)
            found = label[tuple(beside.T)]
            for m in np.unique(found):
                votes[int(m)] = votes.get(int(m), 0.0) + way * float(inward[a] * area[found == m].sum())
    space = max(votes, key=lambda m: votes[m], default=-1)
    if space < 0 or votes[space] <= 0.0:
        return {}, -1
    behind = [m for m, vote in votes.items() if vote > 0.02 * votes[space]]
    return {k: c[np.isin(label[tuple(c.T)], behind)] for k, c in out.items()}, space
