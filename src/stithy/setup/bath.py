"""A bath that may boil: which cells it fills, how deep they lie, and what its liquid does at saturation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..project.library import Boiling


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
