"""Numbers of a run: tables of parts, openings, fans and walls, and the summary."""

from __future__ import annotations

import numpy as np

from ..model.mass import mass
from ..read.band import wider
from ..setup.prepare import Prepared
from ..solution.summary import FORMAT, VERSION
from . import bath
from .faces import FaceTemperatures
from .heat_path import fluids, heat_path, space_names
from .radiated import notes, table
from .trust import trust

#: how many times wider than usual bands are where that is told
WIDE = 1.5


def part_table(p: Prepared, run, faces: FaceTemperatures | None = None) -> dict[str, dict]:
    """Max and mean temperature (K), place of the maximum (m), own heat load (W) and the heat (W) that holds it, of
    every part; the maximum on its faces, too."""
    temperature, faces = run.heat.temperature(), faces or FaceTemperatures(p, run)
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
        out[name] = {
            "max": most,
            "mean": float(np.average(t, weights=volume[index])),
            "hot_spot": place,
            "power": float(p.case.heat[index].sum()),
            "held_heat": _held_heat(p, run, i),
        }
    return out


def _held_heat(p: Prepared, run, part: int) -> float:
    """Heat (W) that it takes to hold a part at its temperature."""
    heat = run.heat
    here = heat.held_owner == part
    if not here.any() and heat.link_free.all():
        return 0.0
    outside = ~heat.link_free & (run.geo.pad(p.case.part, -1, np.int64)[heat.link_cells] == part)
    return float(heat.outflow()[1][outside].sum()) - float(heat.held()[here].sum())


def end_table(p: Prepared, run) -> dict[str, dict]:
    """Per opening: net volume flow (m3/s) and mass flow (kg/s) inward, what flows in gross (m3/s), heat carried out
    (W), mean temperature crossing (K), static pressure just inside (Pa), and free area (m2)."""
    heat, _ = run.heat.outflow()
    out = {}
    for name, pieces in zip(p.ends, p.case.ends(), strict=True):
        one = [run.flow.openings[m] for m in pieces]
        inward = np.concatenate([-q.outward * run.flow.u[q.axis][f] * a for q, f, a in one])
        rho = np.concatenate([_density(run.flow, q, f) for q, f, _ in one])
        cells = np.concatenate([run.geo.flat(q.cells) for q, _, _ in one])
        patch, area = one[0][0], np.concatenate([a for _, _, a in one])
        t = np.where(inward > 0, patch.temperature, run.heat.theta[cells] + p.case.reference)
        gross = np.abs(inward).sum()
        out[name] = {
            "volume_flow": float(inward.sum()),
            "inflow": float(np.maximum(inward, 0.0).sum()),
            "mass_flow": float((inward * rho).sum()),
            "heat_out": float(heat[pieces].sum()),
            "temperature": float((np.abs(inward) * t).sum() / gross) if gross > 0 else float(patch.temperature),
            "pressure": float((run.flow.p[cells] * area).sum() / area.sum()),
            "area": patch.whole or float(area.sum()),
        }
    return out


def _density(flow, patch, faces) -> np.ndarray:
    """Density (kg/m3) of what crosses the faces of an opening."""
    plain = flow.rho_face[patch.axis][faces]
    return plain if flow.bath is None else flow.bath.density_through(patch, faces, plain)


def fan_table(p: Prepared, run) -> dict[str, dict]:
    """Per fan: volume flow (m3/s), static pressure rise (Pa), air power (W), electrical draw (W), share of its
    curve."""
    out = {}
    for number, (end, pieces) in enumerate(zip(p.model.openings, p.case.ends(), strict=True)):
        if end.fan:
            patch = p.case.openings[pieces[0]]
            out[end.name] = _point(float(run.flows()[number]) * patch.fan_sign, patch.fan, end.fan.draw)
    for fan, (plane, faces, area) in zip(p.model.fans, run.flow.planes, strict=True):
        q = plane.sign * float((run.flow.u[plane.axis][faces] * area).sum())
        out[fan.name] = _point(q, plane.curve, fan.fan.draw)
    for blower, blown in zip(p.model.blowers, run.flow.devices.blowers, strict=True):
        out[blower.name] = _point(blown.flow_rate, blown.curve, blower.fan.draw)
    return out


def _point(q: float, curve, draw: float) -> dict:
    rise = curve.at(q)[0]
    return {"volume_flow": q, "rise": rise, "air_power": q * rise, "draw": draw, "flow_share": q / curve.flow[-1]}


def surface_table(p: Prepared, run) -> dict[str, float]:
    """Heat (W) leaving through each surface of the outside that exchanges any."""
    _, links = run.heat.outflow()
    out: dict[str, float] = {}
    for i, surface in enumerate(p.surfaces):
        here = p.case.links.owner == i
        if here.any():
            out[surface.name] = out.get(surface.name, 0.0) + float(links[here].sum())
    return out


def drive_table(p: Prepared, run) -> dict:
    """Pressure gradient (Pa/m), mass flow (kg/s), temperature rise per pitch (K) of a driven periodic flow.

    ``difference_ratio``: between walls of one temperature, the bulk difference from it at the pitch's end over that at
    its start.
    """
    drive = p.case.drive
    if drive is None:
        return {}
    a = "xyz".index(drive.axis)
    flux = run.flow.mass_flux(a).reshape(run.geo.shape)
    index = [slice(1, -1)] * 3
    index[a] = 1
    out = {
        "pressure_gradient": run.flow.drive_gradient,
        "mass_flow": float(flux[tuple(index)].sum()),
        "temperature_rise": run.heat.jump,
    }
    if run.heat.pitch is not None:
        ratio = run.heat.pitch.ratio
        out |= {"temperature_rise": (drive.level - drive.entering) * (1.0 - ratio), "difference_ratio": ratio}
    return out


def sealed_table(p: Prepared, run) -> dict[str, float]:
    """Absolute pressure (Pa) of the closed fluid spaces whose gas follows temperature."""
    flow, space = run.flow, run.geo.pad(p.case.space, -1, np.int64)
    return {
        f"fluid space {int(space[cells[0]]) + 1}": ratio * p.case.pressure
        for (cells, _, _), ratio in zip(
            flow.properties.sealed, flow.properties.sealed_pressure(run.heat.theta), strict=True
        )
    }


def media(p: Prepared) -> list[dict[str, float]]:
    """Heat capacity (J/kg/K) and expansion (1/K) of what fills each fluid space, at the reference temperature."""
    case, out = p.case, []
    for m in range(case.spaces):
        at = tuple(np.argwhere(case.space == m)[0])
        f = case.fluids[int(case.fluid_of[at])]
        beta = f.beta
        if f.table:  # from its densities about the reference
            t, rho = np.array(f.table).T[:2]
            step = 1.0
            low, high = np.interp((case.reference - step, case.reference + step), t, rho)
            beta = float((low - high) / (2 * step) / f.rho)
        out.append({"heat_capacity": float(f.cp), "expansion": float(beta)})
    return out


def numbers(p: Prepared, run) -> dict:
    """The numbers that a limit, a watch or a table may ask for, without those that say where: parts, openings, fans and
    walls."""
    parts = part_table(p, run)
    return {
        "parts": {n: {k: x[k] for k in ("max", "mean")} for n, x in parts.items()},
        "ends": end_table(p, run),
        "fans": fan_table(p, run),
        "walls": surface_table(p, run),
    }


def moment(p: Prepared, run, time: float, faces: FaceTemperatures) -> dict:
    """The entries of a summary that go with the present moment of a run in time (s), with the loads of that moment."""
    heat, parts = run.geo.inner(run.heat.source), part_table(p, run, faces)
    for i, name in enumerate(p.parts):
        if name in parts:
            parts[name]["power"] = float(heat[p.case.part == i].sum())
    return {
        "time": time,
        "parts": parts,
        "ends": end_table(p, run),
        "fans": fan_table(p, run),
        "walls": surface_table(p, run),
        "heat_path": heat_path(p, run),
        "heat_load": float(heat.sum()),
        "heat_imbalance": run.heat.imbalance(),
        "stored": run.heat.stored(),
        "sealed": sealed_table(p, run),
        "radiation": table(p, run) or None,
        "bath": bath.table(p, run, False) or None,
    }


def summary(
    p: Prepared, run, last, watched=(), coarse: dict | None = None, faces: FaceTemperatures | None = None
) -> dict:
    """Everything about a finished run that is not a field; plain JSON values, SI. ``coarse``: :func:`numbers` on half
    the counts."""
    radiation = table(p, run)
    trusted = trust(p, run, last)
    trusted["notes"] += notes(p, run, radiation)
    boils = bath.table(p, run)
    trusted["notes"] += bath.notes(boils)
    longer = (coarse or {}).get("longer")
    if longer and wider(longer) >= WIDE:
        trusted["notes"].append(
            f"the grid of half the counts has cells only {longer:.2f} times as long here, so bands are "
            f"{wider(longer):.1f} times as wide as usual: a finer grid tells more"
        )
    return {
        "format": FORMAT,
        "version": VERSION,
        "key": p.model.key(),
        "layout": p.model.layout,
        "ambient": p.model.ambient,
        "cells": p.case.grid.cells,
        "iterations": run.iteration,
        "from_rest": not run.continued,
        "seconds": last.seconds,
        "settled": last.settled,
        "parts": part_table(p, run, faces),
        "ends": end_table(p, run),
        "fans": fan_table(p, run),
        "walls": surface_table(p, run),
        "heat_path": heat_path(p, run),
        "spaces": space_names(p),
        "fluids": fluids(p),
        "media": media(p),
        "gravity": [float(x) for x in p.case.gravity],
        "heat_load": float(p.case.heat.sum()),
        "heat_imbalance": run.heat.imbalance(),
        "stored": run.heat.stored(),
        "trust": trusted,
        "radiation": radiation or None,
        "bath": boils or None,
        "mass": mass(p.model),
        "drive": drive_table(p, run),
        "sealed": sealed_table(p, run),
        "time": last.time,
        "free_sides": sorted({*p.case.symmetry, *(a + e for a in p.case.periodic for e in "-+"), *p.case.moving}),
        "periodic": sorted(p.case.periodic),
        "moving_sides": sorted(p.case.moving),
        "belts": [p.parts[m] for m in p.case.belts],
        "coarse": coarse,
        "mixing": p.case.mixing if p.case.has_flow else "laminar",
        "band": dict(zip(watched, map(float, run.band), strict=False))
        if getattr(run, "band", None) is not None
        else {},
    }
