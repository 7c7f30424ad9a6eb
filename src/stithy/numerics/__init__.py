"""Numerical methods that know no physics: means and limiter at faces, smoothers, Krylov methods, multigrid by
aggregates, threads.

Arrays are flat and padded by one layer of ghost cells. May import ``errors`` only. Start at
:class:`stithy.numerics.joined.Joined` for multigrid, :func:`stithy.numerics.krylov.bicgstab`,
:func:`stithy.numerics.slabs.over` for threads.
"""

from __future__ import annotations

from pathlib import Path

from .stale import forget_stale

forget_stale(Path(__file__).parent.parent)
