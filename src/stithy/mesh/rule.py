"""How fine a grid is where nothing is said of it: counts of cells, and sizes that go with the model's own.

All follows from one number, the cells across what matters: 2.8, 4 and 6 for quick, standard and fine. They stand where
temperatures and speeds change: through plates that conduct badly (boards), along parts that release heat, across gaps
between solids, in a first cell at walls; from there on cells grow fast, since next to nothing happens in the open. What
a grid row says is kept exactly.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..model import GridSettings, GridWish, Model, Solid

#: conductivity (W/m/K) below which a solid is resolved through its thickness
POOR = 5.0
#: of the model's size (mean of its lengths) over the cells across what matters: longest cell, first cell at walls
OPEN, AT_WALLS = 0.33, 0.04
#: cells over those across what matters along a board with layers of copper, as long as it is wide
BOARD = 9.0
#: cells along every side of a component that is a network: one for a node of each side, one for its junction
NODES = 3
#: growth less one, times the cells across what matters
GROWTH = 4.8


@dataclass(frozen=True)
class Rule:
    """Numbers of one model's grid: ``count`` across what matters, ``coarsest`` and ``walls`` (m; 0: no wish),
    ``growth``, ``gaps``."""

    count: float
    coarsest: float
    walls: float
    growth: float
    gaps: float
    given: GridSettings

    @property
    def wall(self) -> float:
        """Least number of cells through the wall of a tube."""
        return 1 if self.given.solids is None else self.given.solids

    def through(self, solid: Solid | None, box, axis: int) -> float:
        """Least number of cells along ``axis`` of a box of a solid (None: a wall of an enclosure)."""
        if solid is not None and solid.stack is not None:  # a cell for each layer, and many in its plane
            return 1 if axis == solid.stack.normal else self.count * BOARD * _share(box, axis, solid.stack.normal)
        if solid is not None and solid.network:
            return max(NODES, solid.cells)
        wish = self.given.solids
        if wish is not None:
            own = solid.cells if solid is not None and solid.cells and _thinnest(box) == axis else 0
            return max(wish, own)
        if solid is None:
            return 1
        if solid.cells and _thinnest(box) == axis:
            return solid.cells
        if (solid.power and solid.fixed is None and solid.junction is None) or (
            solid.k[axis] < POOR and _thinnest(box) == axis
        ):
            return self.count
        return 1

    def along_boards(self, model: Model, axis: int) -> float:
        """Least cell (m) in the gaps of what stands on boards with layers: those of the board itself; 0 across them and
        where there are none."""
        boards = [s for s in model.solids if s.stack is not None and s.stack.normal != axis]
        sizes = [(s.bounds[axis][1] - s.bounds[axis][0]) / self.through(s, s.bounds, axis) for s in boards]
        return min(sizes, default=0.0)


def rule(model: Model) -> Rule:
    """The numbers of ``model``: what its grid row says, and the rule where that says nothing."""
    wish, n, size = model.grid, model.grid.count, _size(model)
    coarsest = size * OPEN / n if wish.coarsest is None else wish.coarsest
    walls = max(size * AT_WALLS / n, bubble(model)) if wish.walls is None else wish.walls
    growth = 1.0 + GROWTH / n if wish.growth is None else wish.growth
    return Rule(n, coarsest, min(walls, coarsest), growth, n if wish.gaps is None else wish.gaps, wish)


def bubble(model: Model) -> float:
    """Size (m) of bubbles at the walls of a bath, by capillarity; 0 where there is none. Cells thinner than that would
    hold nothing but vapour, where correlations say what passes the wall anyway. One that is kept from boiling has the
    same grid, to stand beside it."""
    home = next((s for s in model.enclosures if s.pool is not None), None)
    pool = home.pool if home is not None else None
    if home is None or pool is None:
        return 0.0
    pull = float(np.linalg.norm(model.surroundings.gravity))
    return float(2.0 * (pool.boiling.surface_tension / (pull * (home.fluid.rho - pool.boiling.density))) ** 0.5)


def plenty(count: float) -> float:
    """Cells up to which a grid may have more than ``count`` across what matters, because they are cheap."""
    return 60_000.0 * (count / 4.0) ** 3


def scaled_settings(wish: GridSettings, by: float) -> GridSettings:
    """The wish for a grid of ``by`` times the cells along every stretch, in the open and everywhere else; ``wish`` as
    of :func:`gridding.settled`."""

    def half(count):
        return None if count is None else max(int(np.ceil(by * count - 1e-9)), 1)

    def twice(size):
        return None if size is None else size / by

    return GridSettings(
        twice(wish.coarsest),
        half(wish.gaps),
        half(wish.solids),
        None if wish.growth is None else 1.0 + (wish.growth - 1.0) / by,
        twice(wish.walls),
        by * wish.count,
        True,
        sizes=tuple(tuple((x, size / by) for x, size in axis) for axis in wish.sizes or sizes_of(wish.lines)),
    )


def sizes_of(lines) -> tuple:
    """The longest cell at places of each axis, as lines have it."""
    return tuple(
        tuple(zip((0.5 * (x[1:] + x[:-1])).tolist(), np.diff(x).tolist(), strict=True)) for x in map(np.array, lines)
    )


def scaled_wish(wish: GridWish, by: float) -> GridWish:
    """The same wish with ``by`` times the cells."""
    return replace(
        wish,
        across=int(np.ceil(by * wish.across - 1e-9)),
        longest=wish.longest / by,
        first=None if wish.first is None else wish.first / by,
        inside=None if wish.inside is None else wish.inside / by,
        growth=max(1.0 + (wish.growth - 1.0) / by, 0.0),
        count=int(np.ceil(by * wish.count - 1e-9)),
        yplus=wish.yplus / by,
    )


def _size(model: Model) -> float:
    """Geometric mean (m) of the lengths of all enclosures, along the axes that are more than one layer."""
    lengths = []
    for s in model.enclosures:
        span = [hi - lo for lo, hi in s.inner]
        flat = [all(s.sides["xyz"[a] + e].kind in ("symmetry", "periodic") for e in "-+") for a in range(3)]
        kept = [x for x, f in zip(span, flat, strict=True) if not f] or span
        lengths.append(float(np.prod(kept)) ** (1.0 / len(kept)))
    return max(lengths, default=0.1)


def _share(box, axis: int, normal: int) -> float:
    """Length of a box along an axis over the geometric mean of those across ``normal``."""
    long = [hi - lo for lo, hi in box]
    a, b = (a for a in range(3) if a != normal)
    return float(long[axis] / (long[a] * long[b]) ** 0.5)


def _thinnest(box) -> int:
    return int(np.argmin([hi - lo for lo, hi in box]))
