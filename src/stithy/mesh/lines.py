"""Grid lines along one axis: snapped to every face, graded between them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

#: lines that one axis may have
MOST_LINES = 20_000


class GridTooLarge(ValueError):
    """An axis asks for more lines than any grid here can have; carries about how many."""


SNAP = 1e-6  # m; faces closer than this are one face


@dataclass(frozen=True)
class Spacing:
    """A stretch ``[low, high]`` (m) of an axis in which no cell may be longer than ``size`` (m); from there on cells
    grow by ``growth`` as far as ``reach`` (m; 0: by that of the whole axis). ``close``: cells far smaller than the room
    between faces are placed as exactly as larger ones."""

    low: float
    high: float
    size: float
    growth: float = 0.0
    reach: float = 0.0
    close: bool = False


@dataclass(frozen=True)
class Grid:
    """A rectilinear grid: ``lines[a]`` are the strictly rising line positions (m) of axis ``a``."""

    lines: tuple[np.ndarray, np.ndarray, np.ndarray]
    centres: tuple[np.ndarray, ...] = field(init=False, compare=False)
    widths: tuple[np.ndarray, ...] = field(init=False, compare=False)

    def __post_init__(self):
        object.__setattr__(self, "centres", tuple(0.5 * (x[1:] + x[:-1]) for x in self.lines))
        object.__setattr__(self, "widths", tuple(np.diff(x) for x in self.lines))

    @property
    def shape(self) -> tuple[int, int, int]:
        """Cells along x, y and z."""
        return tuple(len(x) - 1 for x in self.lines)

    @property
    def cells(self) -> int:
        """Number of cells."""
        return int(np.prod(self.shape))

    def volumes(self) -> np.ndarray:
        """Cell volumes, m3, shape ``self.shape``."""
        dx, dy, dz = self.widths
        return dx[:, None, None] * dy[None, :, None] * dz[None, None, :]

    def find(self, point) -> tuple[int, int, int] | None:
        """Index of the cell that holds ``point`` (m), or None outside the grid."""
        index = []
        for x, lines in zip(point, self.lines, strict=True):
            if not lines[0] - SNAP <= x <= lines[-1] + SNAP:
                return None
            index.append(int(np.clip(np.searchsorted(lines, x, side="right") - 1, 0, len(lines) - 2)))
        return tuple(index)


def snap(faces) -> np.ndarray:
    """Sorted distinct face positions; faces within :data:`SNAP` of each other become one."""
    faces = np.sort(np.asarray(list(faces), float))
    keep = np.concatenate([[True], np.diff(faces) > SNAP])
    return faces[keep]


def axis_lines(faces, spacings: list[Spacing], coarsest: float, growth: float = 1.35) -> np.ndarray:
    """Grid lines of one axis.

    A line stands on every face. The allowed cell size at x is the least over all ``spacings`` of
    ``size + (growth - 1) * distance(x, stretch)`` and ``coarsest``, so that neighbours differ by about
    ``growth`` at most; each stretch between faces then gets as many cells as the integral of 1/size asks for,
    spread evenly in that integral.

    Raises ValueError when there are fewer than two distinct faces or a size is not positive.
    """
    faces = snap(faces)
    if len(faces) < 2:
        raise ValueError("an axis needs two distinct faces")
    if coarsest <= 0 or growth <= 1 or any(s.size <= 0 for s in spacings):
        raise ValueError("cell sizes must be positive and growth above 1")
    low = np.array([s.low for s in spacings])
    high = np.array([s.high for s in spacings])
    size = np.array([s.size for s in spacings])
    slow = np.array([(s.growth or growth) - 1.0 for s in spacings])
    reach = np.array([s.reach if s.growth else 0.0 for s in spacings])

    def longest(x: np.ndarray) -> np.ndarray:
        allowed = np.full(x.shape, coarsest)
        if len(size):
            far = np.maximum(np.maximum(low[:, None] - x, x - high[:, None]), 0.0)
            near = np.minimum(far, reach[:, None])
            grown = size[:, None] + slow[:, None] * near + (growth - 1.0) * (far - near)
            allowed = np.minimum(allowed, grown.min(axis=0))
        return allowed

    return lines_by(faces, longest, [x for s in spacings if s.close for x in _about(s)])


def _about(s: Spacing) -> list[float]:
    """Places at which the cells about a small stretch are looked at: its ends, and farther and farther from them."""
    steps = s.size * 1.15 ** np.arange(-6, 60)
    return [s.low, s.high, *np.linspace(s.low, s.high, 6), *(s.low - steps), *(s.high + steps)]


def lines_by(faces, longest: Callable[[np.ndarray], np.ndarray], looked: Sequence[float] = ()) -> np.ndarray:
    """Grid lines of one axis: on all ``faces`` (m, distinct and sorted), and between them as many as the ``longest``
    cell at every place asks for, spread evenly in the integral of one over it, which is ``looked`` at (m) in some more
    places. Raises GridTooLarge."""
    more = np.sort(np.asarray(looked, float))
    out = [faces[:1]]
    for a, b in zip(faces[:-1], faces[1:], strict=True):
        x = np.linspace(a, b, 65)
        if len(more):
            x = np.unique(np.concatenate([x, more[(more > a) & (more < b)]]))
        allowed = longest(x)
        density = 1.0 / np.minimum(allowed, b - a)
        count = np.concatenate([[0.0], np.cumsum(0.5 * (density[1:] + density[:-1]) * np.diff(x))])
        n = max(1, int(np.ceil(min(count[-1], 1e9) - 0.05)))
        if n + sum(len(x) for x in out) > MOST_LINES:
            raise GridTooLarge(n + sum(len(x) for x in out))
        cuts = np.interp(np.linspace(0, count[-1], n + 1)[1:], count, x)
        cuts[-1] = b
        out.append(cuts)
    return np.concatenate(out)


def facing_gaps(boxes: np.ndarray, axis: int) -> list[tuple[float, float]]:
    """Gaps along ``axis`` between boxes that face each other.

    ``boxes`` has shape (n, 3, 2), m. Box pairs whose cross-sections overlap, with no box standing in between where they
    overlap, give the stretch from one's high face to the other's low face.
    """
    others = [a for a in range(3) if a != axis]
    low, high = boxes[:, :, 0], boxes[:, :, 1]
    gaps = set()
    for box in boxes:
        ahead = low[:, axis] > box[axis, 1] + SNAP
        # the common cross-section of this box with every box, per other axis
        start = {a: np.maximum(low[:, a], box[a, 0]) for a in others}
        end = {a: np.minimum(high[:, a], box[a, 1]) for a in others}
        for a in others:
            ahead &= end[a] > start[a] + SNAP
        js = np.flatnonzero(ahead)
        if not len(js):
            continue
        free = np.ones(len(js), bool)
        near = np.flatnonzero(high[:, axis] > box[axis, 1] + SNAP)
        between = low[near, axis][None] < low[js, axis][:, None] - SNAP
        for a in others:
            between &= (low[near, a][None] < end[a][js][:, None] - SNAP) & (
                high[near, a][None] > start[a][js][:, None] + SNAP
            )
        free &= ~between.any(axis=1)
        gaps |= {(float(box[axis, 1]), float(x)) for x in low[js[free], axis]}
    return sorted(gaps)
