"""The mouths of blowers: faces of fluid cells on their housings, by which as much leaves as comes back."""

from __future__ import annotations

import numpy as np

from ..errors import Problem
from ..mesh.occupancy import FLUID
from ..mesh.surfaces import block, span
from ..model import Blower, Port
from ..project.kind import SHAPE
from .case import Case, FanCurve, OpeningFaces


def mouths(case: Case, blower: Blower, number: int, found: list[Problem]) -> list[OpeningFaces]:
    """Inlet and outlet of a blower, at half of its free flow; notes one that stands right before a wall."""
    half = 0.5 * blower.fan.flow[-1]
    curve = FanCurve(blower.fan.flow, blower.fan.rise)
    out = []
    for port, way, word in ((blower.inlet, -1.0, "draws in"), (blower.outlet, 1.0, "blows out")):
        cells = _cells(case, port)
        area = np.prod([case.grid.widths[a][cells[:, a]] for a in range(3) if a != port.axis], axis=0).sum()
        if not len(cells):
            what = f"has no fluid before it where it {word}."
            found.append(Problem(blower.name, "low corner", what, "Move it, or turn it.", SHAPE, "at"))
            area = 1.0
        speed = way * half / area
        out.append(
            OpeningFaces(
                port.axis,
                -port.sign,
                cells,
                "velocity",
                case.reference,
                speed,
                fan=None,
                blower=number,
                fast=abs(speed),
            )
        )
    case.blown.append(curve)
    return out


def _cells(case: Case, port: Port) -> np.ndarray:
    """Fluid cells (n, 3) right before a mouth."""
    lines, index = case.grid.lines, [None] * 3
    for a, reach in zip((a for a in range(3) if a != port.axis), port.rect, strict=True):
        index[a] = span(lines[a], *reach)
    at = int(np.argmin(np.abs(lines[port.axis] - port.position)))
    at = at if port.sign > 0 else at - 1
    if not 0 <= at < case.grid.shape[port.axis]:
        return np.zeros((0, 3), int)
    index[port.axis] = np.array([at])
    cells = block(index)
    return cells[case.kind[tuple(cells.T)] == FLUID]
