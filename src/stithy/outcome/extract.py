"""The present state of a run as a :class:`Solution`."""

from __future__ import annotations

from ..setup.prepare import Prepared
from ..solution.solution import Instant, Solution
from . import tables
from .faces import FaceTemperatures
from .walls import wall_table


def solution(p: Prepared, run, last, watched=(), coarse: dict | None = None, walls: bool = True) -> Solution:
    """Fields, walls and summary of a run; ``last`` its last report, ``watched`` names of its watches, ``coarse`` the
    numbers on half the counts. Without ``walls``, which cost some time, for checkpoints."""
    f, faces = run.fields(), FaceTemperatures(p, run)
    summary = tables.summary(p, run, last, watched, coarse, faces)
    return Solution(
        p.case.grid,
        f.temperature,
        f.pressure,
        f.u,
        f.v,
        f.w,
        p.case.kind,
        p.case.part,
        p.parts,
        summary,
        f.extra,
        tuple(getattr(run, "instants", ())),
        faces.at,
        run.geo.inner(run.flow.rho).copy(),
        wall_table(p, run, faces) if walls else None,
    )


def instant(p: Prepared, run, time: float) -> Instant:
    """The present state of a run in time as a kept moment."""
    faces = FaceTemperatures(p, run)
    return Instant(time, run.fields(), faces.at, wall_table(p, run, faces))
