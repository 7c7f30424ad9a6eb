"""Sizes, speeds and loads that are out of any sensible range for what they are: nothing is refused, all is told."""

from __future__ import annotations

from ..errors import Problem
from ..model import Model, Solid
from ..project.kind import LOAD, SHAPE
from ..project.units import DIMENSIONS

#: sensible ranges (SI): an enclosure's longest side, a solid's thinnest; speeds of gases and liquids where they enter;
#: heat released per volume and per surface, what a part may be held at (K), outside coefficients
ENCLOSURE, THIN = (2e-3, 5.0), 20e-6
SPEED = {"gas": (1e-3, 40.0), "liquid": (1e-4, 8.0)}
DENSE, FLUX, HELD, OUTSIDE = 2e9, 3e6, (123.0, 1273.0), (0.1, 5e4)
#: density (kg/m3) from which a fluid is a liquid
LIQUID = 100.0


def doubts(model: Model) -> list[Problem]:
    """What of a model is probably a wrong unit or a slip, each with its row and cell."""
    out: list[Problem] = []
    for space in model.enclosures:
        longest = max(b - a for a, b in space.outer)
        if not ENCLOSURE[0] <= longest <= ENCLOSURE[1]:
            much = f"{longest:.4g} m" if longest > 1 else f"{1e3 * longest:.4g} mm"
            out.append(_doubt(space.name, "size", f"is {much} long.", "Is its unit right?", SHAPE))
    for solid in model.solids:
        out += _of_solid(solid)
    out += _of_flow(model)
    for space in model.enclosures:
        for side, c in space.sides.items():
            if c.kind == "coefficient" and c.value and not OUTSIDE[0] <= c.value <= OUTSIDE[1]:
                told = f"has {c.value:.4g} W/m2/K on {side}."
                out.append(_doubt(space.name, "outside", told, "Still air gives 5 to 10, water up to 10 000.", LOAD))
                break
    return out


def _doubt(row: str, key: str, what: str, remedy: str, about: str) -> Problem:
    return Problem(row, key, what, remedy, about, key)


def _of_solid(s: Solid) -> list[Problem]:
    out = []
    thinnest = min(b - a for box in s.boxes for a, b in box)
    if s.form is None and thinnest < THIN:
        told = f"is {1e6 * thinnest:.3g} µm thin."
        out.append(_doubt(s.name, "size", told, "Is its unit right? A contact row serves for thin layers.", SHAPE))
    volume = sum((b[0][1] - b[0][0]) * (b[1][1] - b[1][0]) * (b[2][1] - b[2][0]) for b in s.boxes)
    surface = sum(
        2 * ((x[1] - x[0]) * (y[1] - y[0]) + (y[1] - y[0]) * (z[1] - z[0]) + (z[1] - z[0]) * (x[1] - x[0]))
        for x, y, z in s.boxes
    )
    if s.power > 0 and (s.power > DENSE * volume or s.power > FLUX * surface):
        told = f"releases {s.power / surface / 1e4:.3g} W on each cm2 of its surface."
        out.append(_doubt(s.name, "power", told, "Is the heat load right, or the size?", LOAD))
    if s.fixed is not None and not HELD[0] <= s.fixed <= HELD[1]:
        out.append(_doubt(s.name, "power", f"is held at {s.fixed - 273.15:.4g} degC.", "Is its unit right?", LOAD))
    return out


def _of_flow(model: Model) -> list[Problem]:
    out = []
    for x in model.openings:
        space = next((s for s in model.enclosures if s.name == x.enclosure), None)
        if space is None or x.kind not in ("velocity", "volume", "mass") or not x.value:
            continue
        area = (x.rect[0][1] - x.rect[0][0]) * (x.rect[1][1] - x.rect[1][0])
        rho = space.fluid.rho
        speed = abs(x.value) / {"velocity": 1.0, "volume": area, "mass": area * rho}[x.kind]
        sort = "liquid" if rho > LIQUID else "gas"
        low, high = SPEED[sort]
        if not low <= speed <= high:
            usual = f"{low:.3g} to {high:.3g} {DIMENSIONS['velocity'][0]}"
            told = f"carries {space.fluid_name} at {speed:.3g} m/s; usual is {usual}."
            out.append(_doubt(x.name, "flow", told, "Is the flow's unit right, or the opening's size?", LOAD))
    return out
