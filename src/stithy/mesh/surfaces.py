"""The outside of a model as surfaces: each a set of cell faces with one name and one condition, found once after
painting.

Openings, wall conditions, wall patches, read-out and the balance refer to them by their number.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import Model, WallCondition
from .build import Built
from .groups import group_faces
from .lines import SNAP, Grid
from .occupancy import FLUID, SOLID, VOID

SIDES = ("x-", "x+", "y-", "y+", "z-", "z+")


@dataclass(frozen=True)
class Surface:
    """A piece of the outside: faces of ``cells`` (m, 3) on one ``side`` of an enclosure, with the ``condition`` that
    holds there.

    ``patch``: it is a wall patch, and ``name`` that of its row; else the enclosure's with the side. ``tilt``: part of
    each cell face that is true surface (None: all of it), ``gap`` the distance (m) from its cell's centre (None: half
    the cell), ``layer`` an area resistance (m2 K/W) on it. Without an ``enclosure`` it is a wall to a space left
    out, or a group of faces.
    """

    name: str
    enclosure: str
    side: str
    cells: np.ndarray
    condition: WallCondition
    patch: bool = False
    tilt: np.ndarray | None = None
    gap: np.ndarray | None = None
    layer: np.ndarray | float = 0.0

    @property
    def axis(self) -> int:
        """Axis that its faces stand across."""
        return "xyz".index(self.side[0])

    @property
    def up(self) -> int:
        """1 for the high faces of its cells, 0 for the low ones."""
        return int(self.side[1] == "+")

    def values(self, grid: Grid) -> np.ndarray:
        """The condition's value at each of its faces."""
        if self.condition.where is None:
            return np.full(len(self.cells), self.condition.value)
        points = np.stack([grid.centres[a][self.cells[:, a]] for a in range(3)], -1)
        points[:, self.axis] = grid.lines[self.axis][self.cells[:, self.axis] + self.up]
        return self.condition.at(points)

    def area(self, grid: Grid) -> np.ndarray:
        """True area (m2) of each of its faces."""
        whole = np.prod([grid.widths[a][self.cells[:, a]] for a in range(3) if a != self.axis], axis=0)
        return whole if self.tilt is None else whole * self.tilt


def outer_surfaces(model: Model, built: Built, openings) -> tuple[Surface, ...]:
    """All pieces of the outside that are not open: of every enclosure side by side what no patch covers, then its
    patches.

    ``openings`` are faces that fluid crosses (with ``axis``, ``outward``, ``cells``).
    """
    taken = {(p.axis, p.outward, *map(int, c)) for p in openings for c in p.cells}
    out = []
    for space in model.enclosures:
        for side in SIDES:
            cells = _outer_layer(built, space, side, taken)
            patches, rest = [], np.ones(len(cells), bool)
            for patch in model.patches:
                if (patch.enclosure, patch.side) == (space.name, side):
                    here = rest & covered(built.grid, side, patch.rect, cells)
                    patches.append(Surface(patch.name, space.name, side, cells[here], patch.condition, True))
                    rest &= ~here
            out += [Surface(f"{space.name} {side}", space.name, side, cells[rest], space.sides[side]), *patches]
    groups = _groups(model, built)
    return (*out, *_beside_left_out(model, built, groups), *groups)


def _groups(model: Model, built: Built) -> list[Surface]:
    """Faces of groups with a condition that exchanges heat; held temperatures are seen from both sides."""
    out = []
    for group in model.faces:
        if group.condition is None or group.condition.kind == "adiabatic":
            continue
        for g in group_faces(model, built, group):
            side = "xyz"[g.axis] + "-+"[g.up]
            near = np.maximum(g.near, 1e-9)
            out.append(Surface(group.name, "", side, g.cells, group.condition, False, g.tilt, near, group.resistance))
            if group.condition.kind == "temperature":
                there = g.beyond.copy()
                there[there] = built.kind[tuple(g.others()[there].T)] != VOID
                back = "xyz"[g.axis] + "+-"[g.up]
                far = np.maximum(g.far[there], 1e-9)
                out.append(Surface(group.name, "", back, g.others()[there], group.condition, False, g.tilt[there], far))
    return out


def _beside_left_out(model: Model, built: Built, groups: list[Surface]) -> list[Surface]:
    """Walls of solids to spaces that are left out, by the way they face; not those of ``groups`` with a condition of
    their own, nor of such that are adiabatic."""
    taken = {(s.side, *map(int, c)) for s in groups for c in s.cells}
    for group in (g for g in model.faces if g.condition is not None and g.condition.kind == "adiabatic"):
        taken |= {("xyz"[g.axis] + "-+"[g.up], *map(int, c)) for g in group_faces(model, built, group) for c in g.cells}
    layers: dict[tuple, float] = {}
    for group in (g for g in model.faces if g.condition is None and g.resistance):
        for g in group_faces(model, built, group):
            layers |= {("xyz"[g.axis] + "-+"[g.up], *map(int, c)): group.resistance for c in g.cells}
    out, solid = [], built.kind == SOLID
    for number, space in enumerate(model.left_out):
        assert built.left_out is not None
        gone = built.left_out == number
        for side in SIDES:
            axis, up = "xyz".index(side[0]), side[1] == "+"
            beyond = np.roll(gone, -1 if up else 1, axis)
            np.moveaxis(beyond, axis, 0)[-1 if up else 0] = False
            walled = solid
            if built.shut is not None:  # behind a sheet the fluid itself
                sheet = built.shut[axis] if up else np.roll(built.shut[axis], 1, axis)
                walled = solid | ((built.kind == FLUID) & sheet)
            cells = np.argwhere(walled & beyond)
            if taken:
                cells = cells[[(side, *map(int, c)) not in taken for c in cells]]
            tilt = None
            if built.crossing is not None:
                low = cells.copy()
                low[:, axis] -= 0 if up else 1
                tilt = built.crossing.tilt[axis][tuple(low.T)]
            layer = np.array([layers.get((side, *map(int, c)), 0.0) for c in cells]) if layers else 0.0
            out.append(Surface(f"{space.name} {side}", "", side, cells, space.condition, tilt=tilt, layer=layer))
    return out


def numbers(surfaces, shape) -> dict[tuple[int, int], np.ndarray]:
    """Per (axis, 0 for low or 1 for high faces): which surface each cell's face belongs to, -1 for none."""
    out = {(a, up): np.full(shape, -1, np.int32) for a in range(3) for up in (0, 1)}
    for number, surface in enumerate(surfaces):
        out[surface.axis, surface.up][tuple(surface.cells.T)] = number
    return out


def span(lines: np.ndarray, low: float, high: float) -> np.ndarray:
    """Numbers of the cells whose centres lie between two places (m)."""
    centres = 0.5 * (lines[1:] + lines[:-1])
    return np.flatnonzero((centres > low - SNAP) & (centres < high + SNAP))


def block(index) -> np.ndarray:
    """Cells (n, 3) of a block of the grid, by their numbers along x, y and z."""
    return np.stack(np.meshgrid(*index, indexing="ij"), -1).reshape(-1, 3)


def covered(grid: Grid, side: str, rect, cells) -> np.ndarray:
    """Which of the ``cells`` (m, 3) at a side have their centres in a rectangle of it."""
    across = [a for a in range(3) if a != "xyz".index(side[0])]
    inside = np.ones(len(cells), bool)
    for a, (low, high) in zip(across, rect, strict=True):
        at = grid.centres[a][cells[:, a]]
        inside &= (at > low - SNAP) & (at < high + SNAP)
    return inside


def _outer_layer(built: Built, space, side: str, taken) -> np.ndarray:
    """Cells (m, 3) whose faces make a side of an enclosure and are not open; none where another enclosure lies
    beyond."""
    axis, high = "xyz".index(side[0]), side[1] == "+"
    lines, n = built.grid.lines, built.grid.shape
    index = [span(lines[a], *space.outer[a]) for a in range(3)]
    at = int(np.argmin(np.abs(lines[axis] - space.outer[axis][1 if high else 0])))
    index[axis] = np.array([at - 1 if high else at])
    cells = block(index)
    beyond = at if high else at - 1
    if 0 <= beyond < n[axis]:
        outer = cells.copy()
        outer[:, axis] = beyond
        cells = cells[built.kind[tuple(outer.T)] == VOID]
    out = 1 if high else -1
    return np.array(
        [c for c in cells if (axis, out, *map(int, c)) not in taken and built.kind[tuple(c)] != VOID], int
    ).reshape(-1, 3)
