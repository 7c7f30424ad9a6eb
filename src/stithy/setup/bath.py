"""A bath that may boil: which cells it fills, how deep they lie, and what its liquid does at saturation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import Problem
from ..mesh.build import Built
from ..mesh.occupancy import FLUID
from ..model import Model
from ..project.kind import LOAD, SHAPE
from ..project.library import Boiling
from .case import Case


@dataclass(frozen=True)
class Bath:
    """The liquid of one fluid space with room for its vapour above.

    ``cells`` (nx, ny, nz): it and the room above; ``share`` of vapour there at the start; ``axis`` and ``up`` (+1 or
    -1): where gravity comes from, ``gravity`` m/s2; ``depth`` m of every cell below the level; liquid ``rho`` kg/m3 and
    ``cp`` J/kg/K, ``k`` W/m/K, ``mu`` Pa s; ``boiling`` what is known of saturation; without ``boils`` it never does.
    ``rate`` 1/s of boiling in superheated liquid, None: from the heat loads.
    """

    cells: np.ndarray
    share: np.ndarray
    axis: int
    up: int
    gravity: float
    depth: np.ndarray
    rho: float
    cp: float
    k: float
    mu: float
    boiling: Boiling
    boils: bool = True
    rate: float | None = None
    slips: bool = True
    air: bool = True


def bath(model: Model, case: Case, built: Built, found: list[Problem]) -> Bath | None:
    """The bath of a model whose enclosure has a level; None where there is none. Notes one without a way out for its
    vapour, and openings to a given pressure below its level."""
    number = next((m for m, s in enumerate(model.enclosures) if s.pool is not None), -1)
    if number < 0:
        return None
    home = model.enclosures[number]
    pool, gravity = home.pool, model.surroundings.gravity
    assert pool is not None
    axis = int(np.argmax(np.abs(gravity)))
    up = -1 if gravity[axis] > 0 else 1
    centres, cells = case.grid.centres[axis], (case.kind == FLUID) & (case.fluid_of == number)
    shape = [1, 1, 1]
    shape[axis] = -1
    above = np.broadcast_to(((centres - pool.level) * up > 0.0).reshape(shape), case.kind.shape)
    ways: set[int] = set()
    for patch in case.openings:
        at = tuple(patch.cells.T)
        if patch.kind != "pressure" or not len(patch.cells) or not cells[at].any():
            continue
        if above[at].all():
            ways |= {int(x) for x in np.unique(case.space[at])}
        elif not above[at].all():
            end = model.openings[patch.end]
            where = "reaches below the level of the bath, where the pressure outside is not known."
            mend = "Move it above the level, or give it a flow (below 0 for what leaves)."
            found.append(Problem(end.name, "low corner", where, mend, SHAPE, "at"))
    if not ways:
        what = "is of a bath that is closed: no opening above the level lets its vapour out."
        mend = "Add a vent, or an opening to ambient, above the level."
        found.append(Problem(home.name, "level", what, mend, LOAD, "level"))
        return None
    cells &= np.isin(case.space, list(ways))
    depth = np.broadcast_to((np.maximum((pool.level - centres) * up, 0.0)).reshape(shape), case.kind.shape)
    f = home.fluid
    share = np.where(cells & above, 1.0, 0.0)
    return Bath(
        *(cells, share, axis, up, float(np.abs(gravity[axis])), depth.copy()),
        *(f.rho, f.cp, f.k, f.mu, pool.boiling, pool.boils),
    )
