"""Fans, pumps and screens inside the fluid."""

from __future__ import annotations

import numpy as np

from ..errors import Problem
from ..mesh.occupancy import FLUID
from ..mesh.surfaces import block, span
from ..model import FanPlane, ScreenPlane
from ..project.kind import SHAPE
from .case import Case, FanCurve, FanFaces, ScreenFaces
from .openings import without_hub


def fan_faces(case: Case, fan: FanPlane, found: list[Problem]) -> FanFaces:
    """The faces of a fan's plane that blow, and those its hub blocks."""
    cells = _cells(case, fan, found)
    hub = cells[:0]
    if fan.hub:
        open_ = without_hub(case, fan, fan.axis, cells)
        hub = cells[~(cells[:, None] == open_[None]).all(-1).any(1)] if len(open_) < len(cells) else cells[:0]
        cells = open_
    return FanFaces(fan.axis, cells, fan.sign, FanCurve(fan.fan.flow, fan.fan.rise), fan.swirl, hub)


def screen_faces(case: Case, screen: ScreenPlane, found: list[Problem]) -> ScreenFaces:
    """The faces of a screen's plane."""
    return ScreenFaces(screen.axis, _cells(case, screen, found), screen.loss)


def _cells(case: Case, plane, found: list[Problem]) -> np.ndarray:
    """Cells whose high faces lie in a plane, with fluid on both sides; notes a plane that mostly has not."""
    lines = case.grid.lines
    index = [None] * 3
    for a, reach in zip((a for a in range(3) if a != plane.axis), plane.rect, strict=True):
        index[a] = span(lines[a], *reach)
    index[plane.axis] = np.array([int(np.argmin(np.abs(lines[plane.axis] - plane.position))) - 1])
    cells = block(index)
    ahead = cells.copy()
    ahead[:, plane.axis] += 1
    live = np.zeros(len(cells), bool)
    if cells[0, plane.axis] >= 0 and ahead[0, plane.axis] < case.grid.shape[plane.axis]:
        live = (case.kind[tuple(cells.T)] == FLUID) & (case.kind[tuple(ahead.T)] == FLUID)
    if live.mean() < 0.5:
        found.append(
            Problem(
                plane.name,
                "low corner",
                "has solid right before or behind most of it.",
                "Move the plane into open fluid.",
                SHAPE,
                "at",
            )
        )
    return cells[live]
