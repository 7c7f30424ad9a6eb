"""How far a result can be trusted: closures, drift, what the grid and the mixing model leave open."""

from __future__ import annotations

import numpy as np

from ..equations import walls
from ..equations.passages import LAMINAR, PEAK_TURBULENT, RANGE, passages
from ..equations.strain import Strain
from ..equations.turbulence import WallLaw
from ..mesh.occupancy import FLUID
from ..setup.case import Case
from ..setup.prepare import Prepared
from ..solution.summary import OPEN_MEAN

#: Reynolds number of a passage from which a steady laminar solution need not be the one that is seen
DOUBTFUL = 1500.0


def y_plus(run) -> tuple[float, float]:
    """5th and 95th percentile of y+ of the cells at walls where the flow is mixed by turbulence; zeros when laminar."""
    mixing = run.flow.mixing
    strain: Strain | None = getattr(mixing, "strain", None)
    if strain is None:
        return 0.0, 0.0
    at = strain.at_wall[mixing.distance[strain.at_wall] > 0]
    speed, distance = run.flow.speed()[at], mixing.distance[at]
    y = np.sqrt(run.flow.mu_wall[at] * speed / distance / run.flow.rho[at]) * distance / run.flow.nu[at]
    return (float(np.percentile(y, 5)), float(np.percentile(y, 95))) if len(y) else (0.0, 0.0)


def _open_ends(case: Case, a: int, shape, row, start, end) -> np.ndarray:
    """Which runs of fluid along axis ``a`` (rows of cells, first, one beyond the last) end at an opening."""
    out = np.zeros(len(row), bool)
    for patch in (p for p in case.openings if p.axis == a and len(p.cells)):
        at = np.zeros(case.grid.shape, bool)
        at[tuple(patch.cells.T)] = True
        cells = np.moveaxis(at, a, -1).reshape(-1, shape[-1])
        out |= cells[row, end - 1 if patch.outward > 0 else start]
    return out


def thinnest_gap(case) -> tuple[float, int] | None:
    """Width (m) of the narrowest passage between walls along x, y or z, and the cells across it; None where there is
    none.

    Passages that end at a curved or oblique wall, or at an opening, symmetry or periodic side, are left out.
    """
    narrow = None
    for a in (a for a in range(3) if case.grid.shape[a] > 1):
        fluid = np.moveaxis(case.kind == FLUID, a, -1)
        n = fluid.shape[-1]
        lines = case.grid.lines[a]
        run = np.diff(np.pad(fluid, [(0, 0), (0, 0), (1, 1)]).astype(np.int8), axis=-1).reshape(-1, n + 1)
        row, start = np.nonzero(run == 1)
        _, end = np.nonzero(run == -1)
        soft = [
            s in case.symmetry
            or s[0] in case.periodic
            or any(q.axis == a and (q.outward > 0) == (s[1] == "+") for q in case.outlets)
            for s in (f"{'xyz'[a]}-", f"{'xyz'[a]}+")
        ]
        keep = ~((start == 0) & soft[0]) & ~((end == n) & soft[1])
        keep &= ~_open_ends(case, a, fluid.shape, row, start, end)
        if case.crossing is not None:
            cut = np.isfinite(np.moveaxis(case.crossing.share[a], a, -1)).reshape(-1, n)
            keep &= ~cut[row, np.maximum(start - 1, 0)] & ~cut[row, end - 1]
        if keep.any():
            width = (lines[end] - lines[start])[keep]
            least = int(np.argmin(width))
            if narrow is None or width[least] < narrow[0]:
                narrow = float(width[least]), int((end - start)[keep][least])
    return narrow


def narrow_passages(p: Prepared, run) -> list[dict]:
    """Passages between walls, the highest Reynolds number first: ``reynolds`` (mean speed, hydraulic diameter),
    ``diameter`` (m), ``cells`` it holds, and ``name``, the solids on its sides.

    The mean speed follows from that in a passage's middle, by the profile of laminar or turbulent flow. Rooms, which
    jets and wakes stir, are left out; one passage stands for all between the same solids.
    """
    case, flow, geo = run.case, run.flow, run.geo
    if isinstance(flow.mixing, WallLaw):
        distance, at = geo.inner(flow.mixing.distance), flow.mixing.passages
    else:
        distance = walls.wall_distance(case)
        at = passages(case, distance)
    middle, cells = np.unique(at.ridge[(case.kind == FLUID) & (at.room > 0.5)], return_counts=True)
    index = np.unravel_index(middle, case.grid.shape)
    true = at.half[index] <= 1.3 * distance[index]  # on a ridge, and not where a climb ended in a corner
    index, middle, cells = tuple(x[true] for x in index), middle[true], cells[true]
    if not len(middle):
        return []
    speed, nu = (geo.inner(x)[index] for x in (flow.speed(), flow.nu))
    laminar = speed * at.diameter[index] / nu / at.peak[index]
    t = np.clip((laminar - LAMINAR) / RANGE, 0.0, 1.0)
    reynolds = laminar * at.peak[index] / (at.peak[index] + t * t * (3 - 2 * t) * (PEAK_TURBULENT - at.peak[index]))
    ends = _column_ends(case, index, np.argmin([c[index] for c in walls.chords(case)], axis=0))
    order = np.argsort(-reynolds)
    _, first, group = np.unique(ends[order], axis=0, return_index=True, return_inverse=True)
    held = np.bincount(group.ravel(), cells[order].astype(float))
    out = [
        {
            "name": _beside(p, ends[m := order[first[g]]]),
            "reynolds": float(reynolds[m]),
            "diameter": float(at.diameter[tuple(x[m] for x in index)]),
            "cells": int(held[g]),
        }
        for g in np.argsort(first)
    ]
    least = 1e-3 * float((case.kind == FLUID).sum())  # an opening through a thin wall is no passage
    return [row for row in out if row["cells"] >= least]


def _column_ends(case, index, axis: np.ndarray) -> np.ndarray:
    """The parts at both ends of the columns of fluid, each along its ``axis``, that cells lie in: (cells, 2); where
    there is none, -1 less the number of the side."""
    out = np.empty((len(axis), 2), np.int64)
    for a in range(3):
        mine = axis == a
        kind, owner = (np.moveaxis(x, a, -1) for x in (case.kind, case.part))
        at, row = index[a][mine], tuple(np.delete(np.array(index), a, 0)[:, mine])
        n = kind.shape[-1]
        stops = np.where(kind != FLUID, np.arange(n), -1)
        below = np.maximum.accumulate(stops, -1)[(*row, at)]
        stops[stops < 0] = n
        above = np.minimum.accumulate(stops[..., ::-1], -1)[..., ::-1][(*row, at)]
        for e, found in enumerate((below, above)):
            inside = (found >= 0) & (found < n)
            part = owner[(*row, np.clip(found, 0, n - 1))]
            out[mine, e] = np.where(inside & (part >= 0), part, -1 - (2 * a + e))
    return out


def _beside(p: Prepared, ends: np.ndarray) -> str:
    """The solids at both ends of a column, in words."""
    found = [p.parts[e] if e >= 0 else f"side {'xyz'[(-1 - e) // 2]}{'-+'[(-1 - e) % 2]}" for e in map(int, ends)]
    return found[0] if found[0] == found[1] else f"{found[0]} and {found[1]}"


def _of_passages(p: Prepared, run, steady: bool) -> list[str]:
    """What the mixing model and the Reynolds numbers of the passages have to say to each other."""
    case = p.case
    if not case.has_flow or not (case.kind == FLUID).any():
        return []
    found = narrow_passages(p, run)
    if not found:
        return []
    if case.mixing == "laminar":
        worst = found[0]
        if steady and worst["reynolds"] > DOUBTFUL:
            return [
                f"laminar flow at a Reynolds number of {worst['reynolds']:.0f} {_where(worst)}: a steady solution, "
                "which need not be "
                "stable; a run in time tells"
            ]
        return []
    slow = [x for x in found if 100.0 < x["reynolds"] < LAMINAR]
    if case.mixing in ("k-omega", "k-epsilon") and slow:
        return [
            f"{case.mixing} mixes laminar passages as well: Reynolds number {slow[0]['reynolds']:.0f} "
            f"{_where(slow[0])}; friction and "
            "heat transfer there may read up to half too high (wall-law and laminar do not)"
        ]
    return [f"Reynolds number {found[0]['reynolds']:.0f} {_where(found[0])}"]


def _where(passage: dict) -> str:
    return f"between walls of {passage['name']} (hydraulic diameter {passage['diameter'] * 1e3:.3g} mm)"


def trust(p: Prepared, run, last) -> dict:
    """How far the result can be trusted: closures, drift, cells across the thinnest gap, assumptions left."""
    case = p.case
    fluid = case.kind == 0
    t = run.heat.temperature()
    spread = float(t[fluid].max() - case.reference) if fluid.any() else 0.0
    notes = []
    if case.buoyant and spread > 30 and not run.flow.tables:
        notes.append(
            f"the fluid is up to {spread:.0f} K above ambient; constant properties and Boussinesq are meant for 30 K"
        )
    if not last.settled and getattr(run, "band", None) is None:
        notes.append(
            "the run was stopped before it had settled"
            if run.iteration < run.settings.most
            else "the iterations ran out before it had settled"
        )
    band = getattr(run, "band", None)
    if band is not None:
        widest = float(np.max(band)) if len(band) else 0.0
        found = "the flow ripples about its steady state" if last.settled else "no steady state was found"
        notes.append(f"{found}: fields are means of the last iterations, watches moved by ±{widest:.2g} K about them")
    if band is not None and last.heat > OPEN_MEAN:
        notes.append(
            f"the heat balance of the mean is open by {last.heat:.0%} of the load: its temperatures are no result"
        )
    gap = thinnest_gap(case) if case.has_flow else None
    if gap:
        notes.append(f"{gap[1]} cell{'s' if gap[1] > 1 else ''} across the thinnest gap ({gap[0] * 1e3:.3g} mm)")
    if p.built.filled:
        kept = "their fluid stands" if p.model.grid.layers else "closed"
        size = f"{p.model.grid.least_gap * 1e3:.3g} mm"
        notes.append(f"gaps between solids below {size}: {kept}, {p.built.filled} cells")
    low, high = y_plus(run)
    if high > 0:
        notes.append(f"y+ of the first cells at walls: {low:.2g} to {high:.3g}")
    for ratio in run.flow.properties.sealed_pressure(run.heat.theta):
        notes.append(
            f"closed gas: {(ratio - 1) * case.pressure:+.4g} Pa against the surroundings, from the mass it held at "
            "the start"
        )
    notes += _of_passages(p, run, steady=p.model.run.time is None and band is None)
    if run.blend < 1:
        notes.append(f"momentum convection: {1 - run.blend:.0%} upwind, so that the flow settles")
    return {
        "heat_closure": 1.0 - last.heat,
        "mass_imbalance": last.mass,
        "drift": None if np.isinf(last.drift) else last.drift,
        "momentum": last.momentum,
        "notes": notes,
    }
