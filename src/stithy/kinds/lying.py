"""How a board of a file lies in the model: from the file's x and y to the model's axes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..project.circuits import Circuit, Placed

#: side that the components are on -> axis and sense of the file's x (its y goes up: along z, along y of a flat board)
_ALONG = {"z+": (0, 1), "z-": (0, -1), "y+": (0, -1), "y-": (0, 1), "x+": (1, 1), "x-": (1, -1)}
TURNS = ("0", "90", "180", "270")


@dataclass(frozen=True)
class Lying:
    """A board of ``size`` (lengths along its file's x and y, m) with its components on side ``faces`` (z+), turned by
    quarters counterclockwise as seen from there."""

    size: tuple[float, float]
    faces: str = "z+"
    quarters: int = 0

    @property
    def normal(self) -> int:
        """Axis across the board."""
        return "xyz".index(self.faces[0])

    @property
    def up(self) -> bool:
        """Whether components are on the high side."""
        return self.faces[1] == "+"

    @property
    def across(self) -> tuple[int, int]:
        """Axes of its plane, in the order of all pairs here."""
        a, b = (a for a in range(3) if a != self.normal)
        return a, b

    @property
    def spread(self) -> tuple[float, float]:
        """Lengths along the axes of its plane, m."""
        return self.size if self.quarters % 2 == 0 else self.size[::-1]

    def points(self, at: np.ndarray) -> np.ndarray:
        """Places (n, 2) m from the file's low corner as places from the low corner in the model."""
        x, y = np.asarray(at, float).reshape(-1, 2).T
        w, h = self.size
        for _ in range(self.quarters % 4):
            x, y, w, h = h - y, x, h, w
        if _ALONG[self.faces][1] < 0:
            x = w - x
        return np.stack([x, y], 1)

    def array(self, values: np.ndarray) -> np.ndarray:
        """An array (nx, ny) over the file's plane, over the model's."""
        for _ in range(self.quarters % 4):
            values = values.T[::-1]
        return values[::-1] if _ALONG[self.faces][1] < 0 else values

    def map(self, k: np.ndarray) -> np.ndarray:
        """Conductivities (2, nx, ny) along both axes."""
        x, y = (self.array(v) for v in k)
        return np.stack([y, x] if self.quarters % 2 else [x, y])

    def corner(self, count: tuple[int, int], pitch: float) -> tuple[float, float]:
        """Place (m) of an array's low corner, of ``count`` (nx, ny) in the file, from the board's low corner: what
        reaches beyond its end may lie before its beginning now."""
        ends = np.array([(0.0, 0.0), (count[0] * pitch, count[1] * pitch)])
        a, b = self.points(ends).min(axis=0)
        return float(a), float(b)

    def box(self, part: Placed, circuit: Circuit, at: tuple[float, float, float]) -> tuple[list[float], list[float]]:
        """Low corner and size (m) of a part of the board whose own low corner is ``at``."""
        half = 0.5 * np.array(part.size)
        ends = self.points(np.array([part.at - half, part.at + half]) - circuit.low)
        low, high = ends.min(axis=0), ends.max(axis=0)
        corner, size = [0.0] * 3, [0.0] * 3
        for a, lo, hi in zip(self.across, low, high, strict=True):
            corner[a], size[a] = at[a] + float(lo), float(hi - lo)
        above = self.up == part.top
        corner[self.normal] = at[self.normal] + (circuit.thickness if above else -part.height)
        size[self.normal] = part.height
        return corner, size

    def side(self, part: Placed) -> str:
        """Which side of a part is away from the board."""
        return f"{'xyz'[self.normal]}{'+' if self.up == part.top else '-'}"
