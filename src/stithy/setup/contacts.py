"""Contact resistances and two-resistor components as area resistances on faces of the grid."""

from __future__ import annotations

import numpy as np

from ..mesh.build import Built
from ..mesh.groups import group_faces
from ..model import Model
from .boards import JUNCTION_NODE, nodes

CLOSED = 1e9  # m2 K/W; nothing passes


def contacts(model: Model, built: Built):
    """Area resistance (m2 K/W) on high faces along x, y, z, or None when there is none anywhere.

    A two-resistor component is one temperature (its junction) behind a resistance on its case side and one on the board
    side opposite; nothing passes through its other sides.
    """
    joints = [s for s in model.solids if s.junction and s.name in built.parts]
    networks = [s for s in model.solids if s.network and s.name in built.parts]
    sheets = built.crossing is not None and built.crossing.back is not None
    layers = [g for g in model.faces if g.resistance or _parts(g.condition)]
    if not model.contacts and not joints and not networks and not sheets and not layers:
        return None
    out = tuple(np.zeros(built.grid.shape) for _ in range(3))
    owner, names = built.owner, list(built.parts)
    for c in model.contacts:
        if c.of not in names or (c.to and c.to not in names):
            continue
        one = owner == names.index(c.of)
        other = owner == names.index(c.to) if c.to else ~one
        for a in range(3):
            low, high = _pair(one, a)
            low2, high2 = _pair(other, a)
            view = _front(out[a], a)
            view[(low & high2) | (low2 & high)] += c.resistance
    for s in joints:
        _joint(built, s, names, out)
    for s in networks:
        _network(built, s, names, out)
    if sheets:
        _sheets(model, built, out)
    for group in layers:
        for g in group_faces(model, built, group):
            low = g.cells.copy()
            low[:, g.axis] -= 1 - g.up
            keep = low[:, g.axis] >= 0
            more = CLOSED if _parts(group.condition) else group.resistance / np.maximum(g.tilt[keep], 0.05)
            out[g.axis][tuple(low[keep].T)] += more
    return out


def _parts(condition) -> bool:
    """Whether a condition on faces parts what lies on their two sides."""
    return condition is not None and condition.kind in ("adiabatic", "temperature")


def _sheets(model: Model, built: Built, out) -> None:
    """What sheets thinner than a cell resist, over the area of the cells' faces."""
    solids = {s.name: s for s in model.solids}
    for a in range(3):
        c = np.nonzero(np.isfinite(built.crossing.back[a]))
        k = np.array([solids[n].k[a] if n in solids else 1.0 for n in built.parts])
        tilt = np.maximum(built.crossing.tilt[a][c], 0.05)
        out[a][c] += built.crossing.thick[a][c] / k[built.crossing.sheet[a][c]] / tilt


def _pair(mask: np.ndarray, axis: int):
    """The mask at the low and the high cell of every inner face along ``axis``."""
    low = [slice(None)] * 3
    high = [slice(None)] * 3
    low[axis], high[axis] = slice(0, -1), slice(1, None)
    return mask[tuple(low)], mask[tuple(high)]


def _front(x: np.ndarray, axis: int) -> np.ndarray:
    index = [slice(None)] * 3
    index[axis] = slice(0, -1)
    return x[tuple(index)]


def _joint(built: Built, solid, names, out) -> None:
    here = built.owner == names.index(solid.name)
    to_case, to_board, side = solid.junction
    top = "xyz".index(side[0])
    area = np.prod([hi - lo for a, (lo, hi) in enumerate(solid.bounds) if a != top])
    for a in range(3):
        low, high = _pair(here, a)
        view = _front(out[a], a)
        leaves_up, leaves_down = low & ~high, high & ~low
        if a != top:
            view[leaves_up | leaves_down] = CLOSED
            continue
        up, down = (to_case, to_board) if side[1] == "+" else (to_board, to_case)
        view[leaves_up] += up * area
        view[leaves_down] += down * area


def _network(built: Built, solid, names, out) -> None:
    """Nodes of a network touch what is beside their own side only; among each other its resistances join them."""
    number = names.index(solid.name)
    label = np.full(built.grid.shape, -1)
    parts = nodes(built, number, solid)
    for m, cells in enumerate(parts.values()):
        label[tuple(cells.T)] = m
    for a in range(3):
        low, high = _pair(label, a)
        view = _front(out[a], a)
        within = (low >= 0) & (high >= 0)
        view[within & (low != high)] = CLOSED
        for m, name in enumerate(parts):
            own = "xyz".index(name[0]) == a if name != JUNCTION_NODE else False
            up, down = (low == m) & (high < 0), (high == m) & (low < 0)
            if not (own and name[1] == "+"):
                view[up] = CLOSED
            if not (own and name[1] == "-"):
                view[down] = CLOSED
