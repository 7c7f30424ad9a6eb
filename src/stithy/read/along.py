"""Quantities along a line: straight, through several points, or along a surface where a section cuts it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..model.drawn import Line, Section
from ..model.quantities import CELLS
from .selection import spaces_of
from .values import Values


@dataclass(frozen=True)
class Along:
    """A line as it was read: ``distance`` (n) m from its start, ``points`` (n, 3) m, ``values`` (n, SI) by the names of
    quantities, its whole ``length`` (m)."""

    distance: np.ndarray
    points: np.ndarray
    values: dict[str, np.ndarray]
    length: float


def along(v: Values, line: Line, sections: Sequence[Section] = ()) -> Along:
    """A line's quantities. Raises StithyError where it lies outside the model, or what it is cut from is not there."""
    if line.section:
        section = next((x for x in sections if x.name == line.section), None)
        if section is None:
            raise StithyError(f"{line.name}: there is no section “{line.section}”. Name another one in “cut by”.")
        return _on_surface(v, line, section)
    points = line.points or through_the_middle(v)
    distance, places = spread(points, line.count)
    values = {q.name: v.at(q.name, places) for q in line.quantities}
    first = next(iter(values.values()), np.zeros(0))
    if not np.isfinite(first).any():
        outside = not np.isfinite(v.at("temperature", places)).any()
        where = "outside the model" if outside else "where this quantity has no value"
        raise StithyError(f"{line.name}: the whole line lies {where}. Look at its points.")
    return Along(distance, places, values, float(distance[-1]))


def through_the_middle(v: Values) -> tuple[tuple[float, float, float], ...]:
    """A line along the model's longest side through its middle."""
    lines = v.grid.lines
    axis = int(np.argmax([x[-1] - x[0] for x in lines]))
    middle = [0.5 * (x[0] + x[-1]) for x in lines]
    ends = []
    for end in (lines[axis][0], lines[axis][-1]):
        p = list(middle)
        p[axis] = float(end)
        ends.append((p[0], p[1], p[2]))
    return tuple(ends)


def spread(points, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Distances and places of ``count`` points evenly along a line through points."""
    p = np.asarray(points, float)
    steps = np.linalg.norm(np.diff(p, axis=0), axis=1)
    at = np.concatenate([[0.0], np.cumsum(steps)])
    distance = np.linspace(0.0, at[-1], count)
    return distance, np.stack([np.interp(distance, at, p[:, a]) for a in range(3)], -1)


def _on_surface(v: Values, line: Line, section: Section) -> Along:
    """Along the surface of parts (or the walls of fluids) where an axis section cuts it."""
    if section.axis is None:
        raise StithyError(f"{line.name}: a line along a surface needs a section across x, y or z.")
    w, grid = v.walls, v.grid
    layer = layer_of(v, section)
    index = np.stack(np.unravel_index(w.cell, grid.shape), -1)
    spaces = [m for name in line.parts for m in spaces_of(v.solution, name)]
    own = np.isin(w.space, spaces) | np.isin(w.names, list(line.parts))
    here = np.flatnonzero(own & (index[:, section.axis] == layer) & (w.axis != section.axis))
    if not len(here):
        raise StithyError(
            f"{line.name}: the section does not cut any wall of {', '.join(line.parts)}. Move the section."
        )
    order = _chained(v, here, index, section.axis)
    points = w.centre[order]
    points[:, section.axis] = place_of(v, section)
    # the true areas of faces over the cells' width tell the length of curved and oblique walls too
    long = w.area[order] / grid.widths[section.axis][layer]
    distance = np.cumsum(long) - 0.5 * long
    values = {}
    for q in line.quantities:
        x = v.of(q.name)
        values[q.name] = x[order] if q.place != CELLS else v.at_walls(x)[order]
    return Along(distance, points, values, float(long.sum()))


def place_of(v: Values, section: Section) -> float:
    """Where a section across an axis stands (m): where it says, or in the middle of the fluid."""
    return v.solution.middle[section.axis or 0] if section.place is None else float(section.place)


def layer_of(v: Values, section: Section) -> int:
    """The layer of cells that a section across an axis cuts."""
    axis = section.axis or 0
    return int(np.clip(np.searchsorted(v.grid.lines[axis], place_of(v, section)) - 1, 0, v.grid.shape[axis] - 1))


def _chained(v: Values, here: np.ndarray, index: np.ndarray, across: int) -> np.ndarray:
    """Wall faces (numbers) in the order in which one walks along them: the longest chain of those that share ends."""
    w = v.walls
    a, b = (t for t in range(3) if t != across)
    ends: dict[tuple[int, int], list[int]] = {}
    both = []
    for m in here:
        axis, up = int(w.axis[m]), int(w.outward[m] > 0)
        along_ = b if axis == a else a
        fixed = int(index[m, axis]) + up
        pair = []
        for e in (0, 1):
            free = int(index[m, along_]) + e
            pair.append((fixed, free) if axis == a else (free, fixed))
        both.append(pair)
        for node in pair:
            ends.setdefault(node, []).append(len(both) - 1)
    left = set(range(len(here)))
    best: list[int] = []
    while left:
        # begin at a loose end where there is one, the lowest first
        loose = [m for m in left if any(len(ends[node]) == 1 for node in both[m])]
        first = min(loose or left, key=lambda m: tuple(w.centre[here[m]]))
        chain, node = [first], next((n for n in both[first] if len(ends[n]) == 1), both[first][0])
        left.discard(first)
        while True:
            node = both[chain[-1]][1] if both[chain[-1]][0] == node else both[chain[-1]][0]
            more = [m for m in ends[node] if m in left]
            if not more:
                break
            chain.append(more[0])
            left.discard(more[0])
        if len(chain) > len(best):
            best = chain
    return here[best]
