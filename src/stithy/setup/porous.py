"""Porous blocks on the grid."""

from __future__ import annotations

import numpy as np

from ..errors import Problem
from ..mesh.occupancy import FLUID, box_slices
from ..model import PorousBlock
from ..project.kind import SHAPE
from .case import Case, PorousCells


def porous_cells(case: Case, block: PorousBlock, found: list[Problem]) -> PorousCells:
    """The fluid cells of a porous block; its conductivity and what it releases go into the case. Notes a block without
    fluid."""
    here = np.zeros(case.kind.shape, bool)
    here[box_slices(case.grid, block.box)] = True
    here &= case.kind == FLUID
    cells = np.argwhere(here)
    if not len(cells):
        found.append(
            Problem(
                block.name,
                "low corner",
                "has no fluid in it.",
                "Move it into open fluid: solids are painted over it.",
                SHAPE,
                "at",
            )
        )
        return PorousCells(cells, block.inertial, block.viscous)
    if block.k is not None:
        case.conductivity = tuple(np.where(here, k, field) for k, field in zip(block.k, case.conductivity, strict=True))
    volume = case.grid.volumes()[here]
    case.heat[here] += block.power * volume / volume.sum()
    return PorousCells(cells, block.inertial, block.viscous)
