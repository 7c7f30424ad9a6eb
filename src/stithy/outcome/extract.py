"""The present state of a run as a :class:`Solution`."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from ..setup.prepare import Prepared
from ..solution.solution import Instant, Solution
from . import tables
from .faces import FaceTemperatures
from .walls import wall_table


def solution(
    p: Prepared, run, last, watched=(), coarse: Solution | None = None, walls: bool = True, numbers: dict | None = None
) -> Solution:
    """Fields, walls and summary of a run; ``last`` its last report, ``watched`` names of its watches, ``coarse`` the
    solution on half the counts, ``numbers`` those on it. Without ``walls``, which cost some time, for checkpoints."""
    run.heat.settle()
    f, faces = run.fields(), FaceTemperatures(p, run)
    summary = tables.summary(p, run, last, watched, numbers, faces)
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
        density(run),
        wall_table(p, run, faces) if walls else None,
        properties(p, run) if walls else {},
        {
            name: [(q.axis, q.outward, q.cells) for q in (p.case.openings[m] for m in pieces)]
            for name, pieces in zip(p.ends, p.case.ends(), strict=True)
        },
        coarse,
        state=run.state(),
    )


def instant(p: Prepared, run, time: float) -> Instant:
    """The present state of a run in time as a kept moment."""
    run.heat.settle()
    faces = FaceTemperatures(p, run)
    return Instant(time, run.fields(), faces.at, wall_table(p, run, faces), tables.moment(p, run, time, faces))


def density(run) -> np.ndarray:
    """Density (kg/m3; 0 in solids), of liquid and vapour together in a bath."""
    rho, bath = run.flow.rho, run.flow.bath
    if bath is not None:
        rho = np.where(bath.on, (1.0 - bath.share) * bath.data.rho + bath.share * bath.data.boiling.density, rho)
    return run.geo.inner(rho).copy()


def properties(p: Prepared, run) -> dict:
    """As of :attr:`Solution.properties`."""
    flow, heat, inner = run.flow, run.heat, run.geo.inner
    k = [x * inner(heat.k_solid) for x in p.case.conductivity]
    molecular = flow.properties.k_molecular
    if molecular is not None:
        k = [np.where(p.case.kind == FLUID, x * inner(molecular), x) for x in k]
    return {
        **{f"conductivity {a}": x for a, x in zip("xyz", k, strict=True)},
        "viscosity": np.where(p.case.kind == FLUID, inner(flow.mu), 0.0),
        "effective viscosity": np.where(p.case.kind == FLUID, inner(flow.mu_eff), 0.0),
    }
