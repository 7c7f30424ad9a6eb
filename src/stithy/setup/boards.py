"""Layers of circuit boards in the cells: maps of copper sampled, vias between layers; networks of components."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..mesh.build import Built
from ..model import Model, Solid, Stack
from .case import Joins

#: part of a component's cells, from a side inwards, that is the node of that side
JUNCTION_NODE = "junction"


def lay(model: Model, built: Built, k: list[np.ndarray], capacity: np.ndarray) -> None:
    """Fill conductivities ``k`` (W/m/K, along x, y, z) and ``capacity`` (J/m3/K) of boards that have layers. Vias
    between neighbouring layers of copper conduct through the laminate's cells between them."""
    for number, stack in _stacks(model, built):
        here = built.owner == number
        n, (a, b) = stack.normal, stack.across
        levels = stack.level(built.grid.centres[n])
        lines = built.grid.lines
        shape = [1, 1, 1]
        for m in np.unique(levels[np.any(here, axis=(a, b))]):
            slab = [slice(None)] * 3
            slab[n] = np.flatnonzero(levels == m)
            index = tuple(slab)
            inside = here[index]
            ka, kb = stack.sampled(int(m), (lines[a], lines[b]))
            layer = stack.layers[m]
            shape = list(inside.shape)
            for axis, values in ((a, ka), (b, kb), (n, np.full_like(ka, layer.k[1]))):
                field = k[axis][index]
                field[inside] = np.broadcast_to(np.expand_dims(values, n), shape)[inside]
                k[axis][index] = field
            store = capacity[index]
            store[inside] = layer.capacity
            capacity[index] = store
        _neighbouring(built, here, stack, levels, k[n])


def _stacks(model: Model, built: Built) -> Iterator[tuple[int, Stack]]:
    for s in model.solids:
        if s.stack is not None and s.name in built.parts:
            yield built.parts.index(s.name), s.stack


def _columns(built: Built, stack: Stack) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of every via: cells along both axes of the plane, and whether it lies on the grid."""
    a, b = stack.across
    i, j = (
        np.searchsorted(built.grid.lines[axis], stack.vias[:, t], side="right") - 1 for t, axis in enumerate((a, b))
    )
    shape = built.grid.shape
    return i, j, (i >= 0) & (j >= 0) & (i < shape[a]) & (j < shape[b])


def _neighbours(stack: Stack) -> np.ndarray:
    """Whether a via joins two layers of copper with nothing but laminate between them."""
    low, high = np.sort(stack.vias[:, 2:4].astype(int), axis=1).T
    copper = np.concatenate([[0], np.cumsum([x.copper for x in stack.layers])])
    return np.asarray(copper[high] - copper[low + 1] == 0)


def _neighbouring(built: Built, here, stack: Stack, levels, k) -> None:
    """Raise the conductivity ``k`` through laminate where vias join the copper on its two sides."""
    if not len(stack.vias):
        return
    i, j, on = _columns(built, stack)
    a, b = stack.across
    area = built.grid.widths[a][:, None] * built.grid.widths[b][None, :]
    near = on & _neighbours(stack)
    pairs = np.sort(stack.vias[:, 2:4].astype(int), axis=1)
    for low, high in np.unique(pairs[near], axis=0):
        these = near & (pairs[:, 0] == low) & (pairs[:, 1] == high)
        total = np.zeros(area.shape)
        np.add.at(total, (i[these], j[these]), stack.vias[these, 4])
        thick = stack.edges[high] - stack.edges[low + 1]
        slab = [slice(None)] * 3
        slab[stack.normal] = np.flatnonzero((levels > low) & (levels < high))
        index = tuple(slab)
        inside, field = here[index], k[index]
        more = np.broadcast_to(np.expand_dims(total * thick / area, stack.normal), inside.shape)
        field[inside] += more[inside]
        k[index] = field


def joins(model: Model, built: Built) -> Joins | None:
    """Links of cells that are no neighbours: vias that pass layers of copper by, resistances of networks; None where
    there are none."""
    found = [x for number, stack in _stacks(model, built) if (x := _passing(built, number, stack)) is not None]
    found += [
        _resistances(built, built.parts.index(s.name), s) for s in model.solids if s.network and s.name in built.parts
    ]
    found = [x for x in found if len(x[2])]
    if not found:
        return None
    one, other, g = (np.concatenate(part) for part in zip(*found, strict=True))
    return Joins(one, other, g)


def _passing(built: Built, number: int, stack: Stack):
    """Vias from one layer of copper to another with copper between that they clear."""
    if not len(stack.vias):
        return None
    i, j, on = _columns(built, stack)
    far = on & ~_neighbours(stack)
    middle = [0.5 * (lo + hi) for lo, hi in zip(stack.edges, stack.edges[1:], strict=False)]
    at = np.searchsorted(built.grid.lines[stack.normal], middle, side="right") - 1
    ends = []
    for column in (2, 3):
        cells = np.zeros((far.sum(), 3), int)
        a, b = stack.across
        cells[:, a], cells[:, b] = i[far], j[far]
        cells[:, stack.normal] = at[stack.vias[far, column].astype(int)]
        ends.append(cells)
    own = [built.owner[tuple(c.T)] == number for c in ends]
    keep = own[0] & own[1]
    return ends[0][keep], ends[1][keep], stack.vias[far, 4][keep]


def nodes(built: Built, number: int, solid: Solid) -> dict[str, np.ndarray]:
    """Cells (n, 3) of each node of a component's network: the outermost layer of each side that it names, and the rest
    for its junction."""
    cells = np.argwhere(built.owner == number)
    sides = [x for pair in solid.network for x in pair[:2] if x != JUNCTION_NODE]
    left = np.ones(len(cells), bool)
    out: dict[str, np.ndarray] = {}
    for side in dict.fromkeys(sides):
        axis, high = "xyz".index(side[0]), side[1] == "+"
        edge = cells[:, axis].max() if high else cells[:, axis].min()
        here = left & (cells[:, axis] == edge)
        out[side] = cells[here]
        left &= ~here
    out[JUNCTION_NODE] = cells[left]
    return out


def _resistances(built: Built, number: int, solid: Solid):
    """A network's resistances as links from cells of one node to cells of the other, spread evenly."""
    parts = nodes(built, number, solid)
    one, other, g = [], [], []
    for a, b, resistance in solid.network:
        first, second = parts[a], parts[b]
        count = max(len(first), len(second))
        one.append(first[np.arange(count) % len(first)])
        other.append(second[np.arange(count) % len(second)])
        g.append(np.full(count, 1.0 / resistance / count))
    return np.concatenate(one), np.concatenate(other), np.concatenate(g)
