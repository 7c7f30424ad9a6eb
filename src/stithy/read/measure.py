"""Numbers read off a solution: part tables, flows through openings, the balance sheet."""
from __future__ import annotations

import numpy as np

from ..physics.setup import Prepared
from ..shapes.mass import mass
from .faces import FaceTemperatures
from .quantities import Quantities
from .trust import trust


def part_table(p: Prepared, run) -> dict[str, dict]:
    """Max and mean temperature (K), place of the maximum (m) and own heat load (W) of every part; the maximum on its faces, too."""
    temperature, faces = run.heat.temperature(), FaceTemperatures(p, run)
    volume, out = p.case.grid.volumes(), {}
    c = p.case.grid.centres
    for i, name in enumerate(p.parts):
        index = np.nonzero(p.case.part == i)
        if not len(index[0]):
            continue
        t = temperature[index]
        hot = int(np.argmax(t))
        most, place = float(t.max()), [float(c[a][index[a][hot]]) for a in range(3)]
        outside, there = faces.highest(p.case.part == i)
        if outside > most:
            most, place = outside, list(there)
        out[name] = {"max": most, "mean": float(np.average(t, weights=volume[index])), "hot_spot": place,
                     "power": float(p.case.heat[index].sum())}
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


def numbers(p: Prepared, run) -> dict:
    """The numbers that a limit, a watch or a table may ask for, without those that say where: parts, openings, fans and walls."""
    parts = part_table(p, run)
    return {"parts": {n: {k: x[k] for k in ("max", "mean")} for n, x in parts.items()}, "ends": end_table(p, run),
            "fans": fan_table(p, run), "walls": wall_table(p, run)}


def summary(p: Prepared, run, last, watched=(), coarse: dict | None = None) -> dict:
    """Everything about a finished run that is not a field; plain JSON values, SI. ``coarse``: :func:`numbers` on half the counts."""
    return {
        "format": "stithy result", "version": 1, "key": p.model.key(), "layout": p.model.layout,
        "ambient": p.model.ambient, "cells": p.case.grid.cells, "iterations": run.iteration, "from_rest": not run.continued,
        "seconds": last.seconds,
        "settled": last.settled, "parts": part_table(p, run), "ends": end_table(p, run), "fans": fan_table(p, run),
        "walls": wall_table(p, run), "heat_load": float(p.case.heat.sum()), "heat_imbalance": run.heat.imbalance(),
        "stored": run.heat.stored(),
        "trust": trust(p, run, last), "mass": mass(p.model), "drive": Quantities(p, run).drive(), "time": last.time,
        "free_sides": sorted({*p.case.symmetry, *(a + e for a in p.case.periodic for e in "-+"), *p.case.moving}),
        "coarse": coarse, "mixing": p.case.mixing if p.case.has_flow else "laminar",
        "band": dict(zip(watched, map(float, run.band), strict=False)) if getattr(run, "band", None) is not None else {},
    }
