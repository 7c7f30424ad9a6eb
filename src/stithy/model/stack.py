"""Layers of a circuit board: what conducts where, as its copper says."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np


@dataclass(frozen=True)
class StackLayer:
    """One layer: ``k`` in the board's plane and through it (W/m/K), ``capacity`` J/m3/K, and whether it is of
    copper."""

    copper: bool
    k: tuple[float, float]
    capacity: float


@dataclass(frozen=True)
class Stack:
    """Layers of a board from the low side up along axis ``normal``, between ``edges`` (m; one more than layers).

    ``content`` stands for the arrays: ``maps`` by layer, None or (2, n, m) W/m/K along both axes of the plane in blocks
    of ``pitch`` (m) from ``corner`` (m); ``vias`` (n, 5): place (m) along both axes, the two layers that it joins,
    conductance (W/K).
    """

    content: str
    normal: int
    edges: tuple[float, ...]
    layers: tuple[StackLayer, ...]
    corner: tuple[float, float] = (0.0, 0.0)
    pitch: float = 1e-3
    maps: tuple[np.ndarray | None, ...] = field(default=(), compare=False, repr=False)
    vias: np.ndarray = field(default_factory=lambda: np.zeros((0, 5)), compare=False, repr=False)

    @property
    def across(self) -> tuple[int, int]:
        """The axes of the plane."""
        a, b = (a for a in range(3) if a != self.normal)
        return a, b

    def mean(self) -> tuple[float, float]:
        """Conductivity in the plane and through the board, W/m/K: of layers side by side, and one behind the other."""
        thick = np.diff(self.edges)
        plane, through = np.array([x.k for x in self.layers]).T
        return float((plane * thick).sum() / thick.sum()), float(thick.sum() / (thick / through).sum())

    def scaled(self, by: float) -> Stack:
        """The same board with all of it conducting ``by`` times as well."""
        layers = tuple(replace(x, k=(by * x.k[0], by * x.k[1])) for x in self.layers)
        vias = self.vias.copy()
        vias[:, 4] *= by
        maps = tuple(None if m is None else by * m for m in self.maps)
        return replace(self, content=f"{self.content} x {by:g}", layers=layers, maps=maps, vias=vias)

    def level(self, z: np.ndarray) -> np.ndarray:
        """Which layer places (m) along the normal lie in."""
        return np.clip(np.searchsorted(self.edges, z, side="right") - 1, 0, len(self.layers) - 1)

    def sampled(self, layer: int, lines: tuple[np.ndarray, np.ndarray]) -> tuple[np.ndarray, np.ndarray]:
        """Conductivity (n, m) along both axes of the plane for cells between ``lines`` (m), as the geometric mean of
        what of the map each covers; the layer's own where it has no map."""
        known = self.maps[layer] if layer < len(self.maps) else None
        if known is None:
            flat = np.full((len(lines[0]) - 1, len(lines[1]) - 1), self.layers[layer].k[0])
            return flat, flat
        a, b = (_means(np.log(m), lines, self.corner, self.pitch) for m in known)
        return np.exp(a), np.exp(b)


def _means(
    values: np.ndarray, lines: tuple[np.ndarray, np.ndarray], corner: tuple[float, float], pitch: float
) -> np.ndarray:
    """Means of a map over rectangles, level beyond its edge."""
    whole = np.pad(np.asarray(values, float), 1, mode="edge")
    for axis in range(2):
        total = np.cumsum(np.insert(whole, 0, 0.0, axis=axis), axis=axis)
        n = whole.shape[axis]
        edges = corner[axis] + pitch * (np.arange(n + 1) - 1.0)
        at = np.clip(lines[axis], edges[0], edges[-1])
        where = np.clip(np.searchsorted(edges, at, side="right") - 1, 0, n - 1)
        rest = (at - edges[where]) / pitch
        low = np.take(total, where, axis=axis)
        high = np.take(total, where + 1, axis=axis)
        shape = [1, 1]
        shape[axis] = -1
        summed = low + rest.reshape(shape) * (high - low)
        wide = np.maximum(np.diff(at), 1e-15).reshape(shape) / pitch
        whole = np.diff(summed, axis=axis) / wide
    return np.asarray(whole)
