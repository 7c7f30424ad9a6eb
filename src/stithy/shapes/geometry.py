"""The shapes of solids and passages, in m: boxes and what is no box."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

Box = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Round:
    """A round bar, tube or passage: axis number, centre in the two other directions (m), span along the axis, radii
    (m)."""

    axis: int
    centre: tuple[float, float]
    span: tuple[float, float]
    radius: float
    bore: float = 0.0
    cells: int = 12

    @property
    def box(self) -> Box:
        """The box around it."""
        out: list = [None] * 3
        out[self.axis] = self.span
        for a, c in zip((a for a in range(3) if a != self.axis), self.centre, strict=True):
            out[a] = (c - self.radius, c + self.radius)
        return tuple(out)


@dataclass(frozen=True)
class Outline:
    """A closed polygon drawn out along an axis: corners in the two other directions (m), span along the axis."""

    axis: int
    points: tuple[tuple[float, float], ...]
    span: tuple[float, float]
    cells: int = 8

    @property
    def box(self) -> Box:
        """The box around it."""
        out: list = [None] * 3
        out[self.axis] = self.span
        for m, a in enumerate(a for a in range(3) if a != self.axis):
            out[a] = (min(p[m] for p in self.points), max(p[m] for p in self.points))
        return tuple(out)


@dataclass(frozen=True)
class Path:
    """A round tube, bar or passage along a line of points (m) whose corners are rounded with radius ``bend``; radii
    (m)."""

    points: tuple[tuple[float, float, float], ...]
    bend: float
    radius: float
    bore: float = 0.0
    cells: int = 8

    @property
    def box(self) -> Box:
        """The box around it; not beyond ends that are cut square to an axis."""
        out = []
        for a in range(3):
            x = [p[a] for p in self.points]
            # an end cut square to this axis reaches no farther than its point
            reach = [0.0 if self._square(m, a) else self.radius for m in range(len(x))]
            out.append(
                (min(v - r for v, r in zip(x, reach, strict=True)), max(v + r for v, r in zip(x, reach, strict=True)))
            )
        return tuple(out)

    def _square(self, m: int, axis: int) -> bool:
        """Whether point ``m`` is an end of a piece along ``axis``."""
        if m not in (0, len(self.points) - 1):
            return False
        other = self.points[1 if m == 0 else -2]
        return all(abs(p - q) < 1e-12 for a, (p, q) in enumerate(zip(self.points[m], other, strict=True)) if a != axis)


class Triangles:
    """What is bounded by triangles: ``points`` (n, 3) m, ``triangles`` (m, 3) their numbers from 0, counterclockwise
    seen from outside."""

    points: Any
    triangles: Any
    cells: int

    @property
    def box(self) -> Box:
        """The box around it."""
        x = np.asarray(self.points, float)
        return tuple((float(lo), float(hi)) for lo, hi in zip(x.min(axis=0), x.max(axis=0), strict=True))


@dataclass(frozen=True)
class Facets(Triangles):
    """A solid or passage bounded by triangles that are written out: corners (m) and triples of their numbers."""

    points: tuple[tuple[float, float, float], ...]
    triangles: tuple[tuple[int, int, int], ...]
    cells: int = 8


@dataclass(frozen=True)
class Mesh(Triangles):
    """An imported solid, placed: the same by its ``content`` (a hash of corners and triangles); arrays as of
    :class:`Triangles`.

    ``faces`` (m,) tells which face of the file's solid each triangle belongs to. ``sheet`` (m): it is no solid but a
    sheet of this thickness along its triangles (0: a solid).
    ``rounds``: boxes around its round pieces and their diameters (m), where they are known (none: looked for).
    """

    content: str
    cells: int = 4
    points: np.ndarray = field(default_factory=lambda: np.zeros((0, 3)), compare=False, repr=False)
    triangles: np.ndarray = field(default_factory=lambda: np.zeros((0, 3), int), compare=False, repr=False)
    faces: np.ndarray = field(default_factory=lambda: np.zeros(0, int), compare=False, repr=False)
    sheet: float = 0.0
    rounds: tuple[tuple[Box, float], ...] = field(default=(), compare=False, repr=False)


Form = Round | Outline | Path | Facets | Mesh
