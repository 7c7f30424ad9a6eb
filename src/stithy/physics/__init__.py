"""The numerical case (plain SI arrays, no names) and the terms of its equations.

``case`` is the one structure the solver sees, ``momentum`` and ``energy`` assemble the equations, ``mixing`` gives
the eddy viscosity. May import ``grid`` and ``errors``. Start at :class:`stithy.physics.case.Case`.
"""
from __future__ import annotations

from pathlib import Path

from .stale import forget_stale

forget_stale(Path(__file__).parent.parent)
