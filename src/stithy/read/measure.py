"""Numbers read off a solution: part tables, flows through openings, the balance sheet, trust."""
from __future__ import annotations

import numpy as np

from ..grid.occupancy import FLUID
from ..physics import walls
from ..physics.setup import Prepared
from .quantities import Quantities


def part_table(p: Prepared, temperature: np.ndarray) -> dict[str, dict]:
    """Max and mean temperature (K), place of the maximum (m) and own heat load (W) of every part."""
    volume, out = p.case.grid.volumes(), {}
    c = p.case.grid.centres
    for i, name in enumerate(p.parts):
        index = np.nonzero(p.case.part == i)
        if not len(index[0]):
            continue
        t = temperature[index]
        hot = int(np.argmax(t))
        out[name] = {
            "max": float(t.max()), "mean": float(np.average(t, weights=volume[index])),
            "hot_spot": [float(c[a][index[a][hot]]) for a in range(3)], "power": float(p.case.heat[index].sum())}
    return out


def end_table(p: Prepared, run) -> dict[str, dict]:
    """Per opening: net volume flow (m3/s) and mass flow (kg/s) inward, what flows in gross (m3/s), heat carried out (W),
    mean temperature crossing (K), static pressure just inside (Pa), and free area (m2)."""
    heat, _ = run.heat.outflow()
    out = {}
    for i, (name, (patch, faces, area)) in enumerate(zip(p.ends, run.flow.openings, strict=True)):
        inward = -patch.outward * run.flow.u[patch.axis][faces] * area
        rho = run.flow.rho_face[patch.axis][faces]
        cells = run.geo.flat(patch.cells)
        t = np.where(inward > 0, patch.temperature, run.heat.theta[cells] + p.case.reference)
        gross = np.abs(inward).sum()
        out[name] = {
            "volume_flow": float(inward.sum()), "inflow": float(np.maximum(inward, 0.0).sum()),
            "mass_flow": float((inward * rho).sum()), "heat_out": float(heat[i]),
            "temperature": float((np.abs(inward) * t).sum() / gross) if gross > 0 else float(patch.temperature),
            "pressure": float((run.flow.p[cells] * area).sum() / area.sum()), "area": float(area.sum())}
    return out


def fan_table(p: Prepared, run) -> dict[str, dict]:
    """Per fan: volume flow (m3/s), static pressure rise (Pa), air power (W), electrical draw (W), share of its curve."""
    out = {}
    for end, (patch, faces, area) in zip(p.model.ends, run.flow.openings, strict=True):
        if end.fan:
            q = -patch.outward * float((run.flow.u[patch.axis][faces] * area).sum()) * patch.fan_sign
            out[end.name] = _point(q, patch.fan, end.fan.draw)
    for fan, (plane, faces, area) in zip(p.model.fans, run.flow.planes, strict=True):
        q = plane.sign * float((run.flow.u[plane.axis][faces] * area).sum())
        out[fan.name] = _point(q, plane.curve, fan.fan.draw)
    return out


def _point(q: float, curve, draw: float) -> dict:
    rise = curve.at(q)[0]
    return {"volume_flow": q, "rise": rise, "air_power": q * rise, "draw": draw, "flow_share": q / curve.flow[-1]}


def wall_table(p: Prepared, run) -> dict[str, float]:
    """Heat (W) leaving through each enclosure side that exchanges any."""
    _, links = run.heat.outflow()
    out = {}
    for i, (space, side) in enumerate(p.walls):
        here = p.case.links.owner == i
        if here.any():
            out[f"{space} {side}"] = float(links[here].sum())
    return out


def y_plus(run) -> tuple[float, float]:
    """5th and 95th percentile of y+ of the cells at walls where the flow is mixed by turbulence; zeros when laminar."""
    mixing = run.flow.mixing
    distance = getattr(mixing, "distance", None)
    if distance is None:
        return 0.0, 0.0
    at = wall_cells(run)
    speed = run.flow.speed()[at]
    stress = run.flow.mu_wall[at] * speed / np.maximum(distance[at], 1e-12)
    y = np.sqrt(stress / run.flow.rho[at]) * distance[at] / run.flow.nu[at]
    return (float(np.percentile(y, 5)), float(np.percentile(y, 95))) if len(y) else (0.0, 0.0)


def wall_cells(run) -> np.ndarray:
    """Flat indices of fluid cells that touch a wall."""
    geo = run.geo
    touch = np.zeros(geo.size, bool)
    for a in range(3):
        touch |= (geo.face[a] == 0) | (np.roll(geo.face[a], geo.s[a]) == 0)
    return np.flatnonzero(touch & run.flow.fluid & (geo.padded_index() > 0))


def thinnest_gap(case) -> tuple[float, int] | None:
    """Width (m) of the narrowest passage between walls along x, y or z, and the cells across it; None where there is none.

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
        soft = [s in case.symmetry or s[0] in case.periodic or any(q.axis == a and (q.outward > 0) == (s[1] == "+") for q in case.patches)
                for s in (f"{'xyz'[a]}-", f"{'xyz'[a]}+")]
        keep = ~((start == 0) & soft[0]) & ~((end == n) & soft[1])
        if case.crossing is not None:
            cut = np.isfinite(np.moveaxis(case.crossing.share[a], a, -1)).reshape(-1, n)
            keep &= ~cut[row, np.maximum(start - 1, 0)] & ~cut[row, end - 1]
        if keep.any():
            width = (lines[end] - lines[start])[keep]
            least = int(np.argmin(width))
            if narrow is None or width[least] < narrow[0]:
                narrow = float(width[least]), int((end - start)[keep][least])
    return narrow


def _passage_reynolds(run) -> float:
    """Largest speed times least gap between walls over kinematic viscosity; what has no wall opposite counts as wide as the model."""
    flow, case = run.flow, run.case
    wide = min(max(x[-1] - x[0] for x in case.grid.lines), walls.NO_WALL)
    reach = flow.geo.pad(np.minimum(walls.gap(case), wide))
    here = flow.fluid & (flow.geo.padded_index() > 0)
    return float((flow.speed()[here] * reach[here] / flow.nu[here]).max())


def trust(p: Prepared, run, last) -> dict:
    """How far the result can be trusted: closures, drift, cells across the thinnest gap, assumptions left."""
    case = p.case
    fluid = case.kind == 0
    t = run.heat.temperature()
    spread = float(t[fluid].max() - case.reference) if fluid.any() else 0.0
    notes = []
    if case.buoyant and spread > 30 and not run.flow.tables:
        notes.append(f"the fluid is up to {spread:.0f} K above ambient; constant properties and Boussinesq are meant for 30 K")
    if not last.settled and getattr(run, "band", None) is None:
        notes.append("the run was stopped before it had settled" if run.iteration < run.settings.most
                     else "the iterations ran out before it had settled")
    band = getattr(run, "band", None)
    if band is not None:
        widest = float(np.max(band)) if len(band) else 0.0
        found = "the flow ripples about its steady state" if last.settled else "no steady state was found"
        notes.append(f"{found}: fields are means of the last iterations, watches moved by ±{widest:.2g} K about them")
    gap = thinnest_gap(case) if case.has_flow else None
    if gap:
        notes.append(f"{gap[1]} cell{'s' if gap[1] > 1 else ''} across the thinnest gap ({gap[0] * 1e3:.3g} mm)")
    low, high = y_plus(run)
    if high > 0:
        notes.append(f"y+ of the first cells at walls: {low:.2g} to {high:.3g}")
    for ratio in run.flow.sealed_pressure(run.heat.theta):
        notes.append(f"closed gas: {(ratio - 1) * case.pressure:+.4g} Pa against the surroundings, from the mass it held at the start")
    laminar = _passage_reynolds(run) if case.mixing == "laminar" and case.has_flow and p.model.clock is None and band is None else 0.0
    if laminar > 800:
        notes.append(f"laminar flow at a Reynolds number of {laminar:.0f} across its passages: a steady solution, which need not be "
                     "stable; a run in time tells")
    if run.blend < 1:
        notes.append(f"momentum convection: {1 - run.blend:.0%} upwind, so that the flow settles")
    return {"heat_closure": 1.0 - last.heat, "mass_imbalance": last.mass, "drift": None if np.isinf(last.drift) else last.drift,
            "momentum": last.momentum, "notes": notes, "gap_cells": p.model.grid.gaps}


def summary(p: Prepared, run, last, watched=()) -> dict:
    """Everything about a finished run that is not a field; plain JSON values, SI."""
    t = run.heat.temperature()
    return {
        "format": "stithy result", "version": 1, "key": p.model.key(), "layout": p.model.layout,
        "ambient": p.model.ambient, "cells": p.case.grid.cells, "iterations": run.iteration, "from_rest": not run.continued,
        "seconds": last.seconds,
        "settled": last.settled, "parts": part_table(p, t), "ends": end_table(p, run), "fans": fan_table(p, run),
        "walls": wall_table(p, run), "heat_load": float(p.case.heat.sum()), "heat_imbalance": run.heat.imbalance(),
        "trust": trust(p, run, last), "mass": p.model.mass(), "drive": Quantities(p, run).drive(), "time": last.time,
        "band": dict(zip(watched, map(float, run.band), strict=False)) if getattr(run, "band", None) is not None else {},
    }
