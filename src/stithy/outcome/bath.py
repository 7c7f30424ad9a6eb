"""What is told of a bath: vapour, venting, level, how near its walls are to drying out, and how far to trust it."""

from __future__ import annotations

import numpy as np

from ..setup.prepare import Prepared

#: s over which what is told of a moment is a mean
MEAN = 1.0
#: kg/s below which nothing is told to leave
LEAST = 1e-8
#: rows of the series kept with a result
ROWS = 400
#: how far numbers of a bath may be off, as parts of them (see docs/physics.md)
VAPOUR, SUPERHEAT, CRITICAL = 0.3, 0.3, 0.2
SERIES = ("time", "vapour_volume", "venting", "level", "share")


def table(p: Prepared, run, whole: bool = True) -> dict:
    """The bath of a run; empty where there is none. ``whole``: with the series in time."""
    bath = run.flow.bath
    if bath is None:
        return {}
    rows = np.array(getattr(run, "series", []) or [(0.0,) * 5])
    late = rows[rows[:, 0] >= rows[-1, 0] - MEAN]
    weight = np.maximum(np.diff(late[:, 0], prepend=late[0, 0]), 1e-12)
    mean = (late * weight[:, None]).sum(axis=0) / weight.sum()
    began = float(getattr(run, "began", np.inf))
    out = {
        "boils": bool(bath.data.boils),
        "saturation": float(bath.data.boiling.temperature),
        "critical_flux": float(bath.critical),
        "vapour_volume": float(mean[1]),
        "venting": float(mean[2]) if mean[2] > LEAST else 0.0,
        "level": float(mean[3]),
        "latent": float(bath.data.boiling.latent),
        "nucleate": float(bath.walls.c) if bath.walls is not None else 0.0,
        "began": began if np.isfinite(began) else None,
        "mass_error": float(getattr(run, "mass_error", 0.0)),
        "parts": _parts(p, run),
    }
    if whole:
        keep = np.unique(np.linspace(0, len(rows) - 1, min(len(rows), ROWS)).astype(int))
        out["series"] = {n: [float(x) for x in rows[keep, m]] for m, n in enumerate(SERIES)}
    return out


def _parts(p: Prepared, run) -> dict[str, dict[str, float]]:
    """Of every part that meets the bath: heat that boils off it now (W), and the mean flux of its wetted faces over the
    critical one, now and the highest so far."""
    walls = run.flow.bath.walls
    if walls is None or not run.flow.bath.data.boils:
        return {}
    boils, names = np.zeros(walls.share.size), [*p.parts, *(s.name for s in p.surfaces)]
    np.add.at(boils, walls.owner, walls.boils * walls.area)
    out = {}
    for m in np.unique(walls.owner):
        if m < len(names):
            now, most = float(walls.share[m]), float(walls.highest[m])
            out[names[m]] = {"boils": float(boils[m]), "share": now, "highest": most}
    bath = run.flow.bath
    for s in (s for s in p.surfaces if s.condition.kind == "flux" and len(s.cells)):
        on = bath.on[run.geo.flat(s.cells)]
        heat, area = (np.broadcast_to(x, len(s.cells)) for x in (s.values(p.case.grid), s.area(p.case.grid)))
        if on.any() and not bath.calm and (heat * area)[on].sum() > 0.0:
            mean = float((heat * area)[on].sum() / area[on].sum()) / bath.critical
            out[s.name] = {"boils": float((heat * area)[on].sum()), "share": mean, "highest": mean}
    return out


def notes(found: dict) -> list[str]:
    """What the trust line says of a bath."""
    if not found or not found["boils"]:
        return ["boiling is left out: the bath stays liquid, however hot"] * bool(found)
    out = []
    for name, x in found["parts"].items():
        if x["highest"] >= 1.0:
            times = f"{x['highest']:.2f} times the critical heat flux of {found['critical_flux'] / 1e4:.3g} W/cm2"
            out.append(f"“{name}” dries out: {times}; its temperature is no result; give it less power or more surface")
    if found["began"] is None:
        return [*out, "the bath stayed below saturation"]
    out.append(
        f"vapour was followed from {found['began']:.4g} s on; its mass closes to {max(found['mass_error'], 1e-15):.1g}"
    )
    out.append(
        f"boiling by correlation: superheat of walls within ±{SUPERHEAT:.0%}, shares of the critical flux within "
        f"±{CRITICAL:.0%}, volumes of vapour within ±{VAPOUR:.0%}; not told: bubbles below a cell, the overshoot "
        "before boiling begins, gaps below 3 mm"
    )
    return out
