"""A hand calculation beside a watch: the correlation of textbooks that fits, with its range; or why none does.

Streams are taken as ducts of their hydraulic diameter (four times the volume over the wetted area). Laminar friction
and heat transfer: Shah and London (1978) for round and rectangular ducts, entrances by Muzychka and Yovanovich (2009)
and Leveque; turbulent: Colebrook's friction for smooth walls and Gnielinski (1976), from the packages ``fluids`` and
``ht``; exchangers by effectiveness and NTU. Plates and sinks: :mod:`hand_bodies`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..model.drawn import Watch
from ..solution.solution import Solution
from .planes import of_end
from .selection import spaces_of
from .streams import Stream, exchange, streams
from .values import Values

LAMINAR, TURBULENT = 2300.0, 4000.0


@dataclass(frozen=True)
class Hand:
    """What a hand calculation says (SI): ``value`` and its range, by which formula (``what``); without a value, why
    there is none."""

    value: float | None
    low: float = 0.0
    high: float = 0.0
    what: str = ""


@dataclass(frozen=True)
class Duct:
    """A stream as a duct: hydraulic ``diameter`` (m), ``length`` (m), ``area`` (m2), mean ``speed`` (m/s), Reynolds and
    Prandtl numbers, density, viscosity, conductivity (SI), ``aspect`` of a rectangle with its area and perimeter (0:
    plates; None: round), and whether what enters is ``even``."""

    stream: Stream
    diameter: float
    length: float
    area: float
    speed: float
    reynolds: float
    prandtl: float
    rho: float
    k: float
    aspect: float | None
    even: bool

    @property
    def about(self) -> str:
        """It in words."""
        kind = "round" if self.aspect is None else "rectangular"
        return f"Re {self.reynolds:.0f}, {kind}, hydraulic diameter {1e3 * self.diameter:.3g} mm"

    def friction(self) -> tuple[float, str]:
        """Darcy friction factor, mean over the length, and how it was had."""
        import fluids

        if self.reynolds > LAMINAR:
            return float(fluids.friction_factor(Re=max(self.reynolds, TURBULENT))), "Colebrook, smooth"
        fanning = 16.0
        if self.aspect is not None:
            a = self.aspect
            fanning = 24 * (1 - 1.3553 * a + 1.9467 * a**2 - 1.7012 * a**3 + 0.9564 * a**4 - 0.2537 * a**5)
        if self.even:
            x = self.length / (self.diameter * self.reynolds)
            fanning = float(np.hypot(3.44 / np.sqrt(x), fanning))
        return 4 * fanning / self.reynolds, "laminar, Shah and London" + (", entrance" if self.even else "")

    def nusselt(self) -> tuple[float, str]:
        """Mean Nusselt number of walls of even temperature, and how it was had."""
        from ht.conv_internal import turbulent_Gnielinski

        if self.reynolds > LAMINAR:
            re = max(self.reynolds, TURBULENT)
            return float(turbulent_Gnielinski(re, self.prandtl, self.friction()[0])), "Gnielinski"
        nu = 3.657
        if self.aspect is not None:
            a = self.aspect
            nu = 7.541 * (1 - 2.61 * a + 4.97 * a**2 - 5.119 * a**3 + 2.702 * a**4 - 0.548 * a**5)
        graetz = self.reynolds * self.prandtl * self.diameter / self.length
        return float((nu**3 + 1.615**3 * graetz) ** (1 / 3)), "laminar, Shah and London, Leveque"

    @property
    def spread(self) -> float:
        """Part by which correlations of such a duct are known to be off."""
        return 0.1 if self.reynolds < LAMINAR else 0.15 if self.reynolds > TURBULENT else 0.4


def by_hand(w: Watch, v: Values) -> Hand:
    """The hand calculation that fits a watch."""
    try:
        return _calculated(w, v)
    except StithyError as error:
        return Hand(None, what=str(error).splitlines()[0])
    except (ImportError, ValueError, ZeroDivisionError, FloatingPointError):
        return Hand(None, what="no correlation holds there")


def _calculated(w: Watch, v: Values) -> Hand:
    s = v.solution
    if (s.summary.get("bath") or {}).get("began") is not None:
        return _boiling(w, v)
    found = streams(s)
    if w.quantity in ("duty", "effectiveness", "UA", "NTU"):
        return _exchanger(w, v, found)
    if w.quantity == "pressure drop" and len(w.of) == 2:
        stream = next((x for x in found if set(w.of) <= set(x.ends)), None)
        if stream is None:
            return Hand(None, what="the two openings do not belong to one stream")
        return _drop(duct(v, stream), 1.0 if s.summary["ends"][w.of[0]]["mass_flow"] > 0 else -1.0)
    if (
        w.quantity == "temperature"
        and len(w.of) == 1
        and w.of[0] in s.summary["ends"]
        and w.measure in ("", "mass mean")
    ):
        return _leaving(w, s, found)
    of_film = w.quantity in ("heat transfer coefficient", "Nusselt number")
    if of_film and w.references.against == "bulk":
        return _coefficient(w, v, found)
    if of_film or (w.quantity == "temperature" and w.of and w.of[0] in s.parts):
        from .hand_bodies import of_body

        if len(w.of) != 1:
            return Hand(None, what="name one part or wall")
        return of_body(w, v)
    return Hand(None, what="no correlation for this quantity")


def _boiling(w: Watch, v: Values) -> Hand:
    """Of a part in a bath that boils: all of its heat boils off its surface (Cooper 1984)."""
    bath, summary = v.solution.summary["bath"], v.solution.summary
    name = w.of[0] if len(w.of) == 1 else ""
    part = summary["parts"].get(name)
    if w.quantity != "temperature" or part is None or name not in bath["parts"]:
        return Hand(None, what="no correlation for this in a bath that boils")
    walls = v.walls
    area = float(walls.area[(walls.names == name) & (walls.space >= 0)].sum())
    if part["power"] <= 0.0 or area <= 0.0:
        return Hand(None, what=f"“{name}” gives no heat to the bath")
    flux = part["power"] / area
    over = flux**0.33 / bath["nucleate"]
    level = bath["saturation"]
    part_of = flux / bath["critical_flux"]
    told = f"Cooper, all heat boils off {flux / 1e4:.3g} W/cm2 ({part_of:.0%} of the critical flux)"
    return Hand(level + over, level + 0.7 * over, level + 1.3 * over, told)


def duct(v: Values, stream: Stream) -> Duct:
    """A stream as a duct. Raises StithyError where it has not one way in and one way out."""
    s = v.solution
    ins = [n for n in stream.ends if s.summary["ends"][n]["mass_flow"] > 0]
    outs = [n for n in stream.ends if n not in ins]
    if len(ins) != 1 or len(outs) != 1:
        raise StithyError(f"{stream.name} has {len(ins)} ways in and {len(outs)} out: no duct")
    here = s.spaces == stream.space
    volume = float(s.grid.volumes()[here].sum())
    walls = v.walls
    own = walls.space == stream.space
    wet = float(walls.area[own].sum())
    a = of_end(s, ins[0])
    axis = s.ends[ins[0]][0][0]
    slices = np.moveaxis(here, axis, 0)
    used = slices.any(axis=(1, 2))
    straight = bool((slices[used] == slices[used][0]).all()) and s.ends[outs[0]][0][0] == axis
    lines = s.grid.lines[axis]
    on = np.flatnonzero(used)
    length = float(lines[on[-1] + 1] - lines[on[0]])
    if not straight:
        raise StithyError(f"{stream.name} is no straight duct of one section: no correlation holds")
    if wet <= 0.0 or length <= 0.0:
        raise StithyError(f"{stream.name} has no walls that would make it a duct")
    diameter, area = 4 * volume / wet, volume / length
    rho = float(np.mean(s.density[here])) if s.density is not None else 0.0
    mu, k = (float(np.mean(v.property(n)[here])) for n in ("viscosity", "conductivity x"))
    speed = stream.flow / (rho * area)
    capacity = stream.capacity / stream.flow
    prandtl = mu * capacity / k if np.isfinite(capacity) else 0.71
    aspect = _aspect(s, wet / length, area)
    even = a.evenness > 0.95
    return Duct(stream, diameter, length, area, speed, rho * speed * diameter / mu, prandtl, rho, k, aspect, even)


def _aspect(s: Solution, perimeter: float, area: float) -> float | None:
    """Aspect of the rectangle that has a section's area and perimeter; 0 of plates without end, None where it is
    round. What symmetry sides leave out is put to it."""
    free = s.summary.get("free_sides", ())
    for a in "xyz":
        sides = sum(a + e in free for e in "-+")
        if sides == 2:
            return 0.0
        perimeter, area = perimeter * (1 + sides), area * (1 + sides)
    if perimeter**2 / (4 * np.pi * area) < 1.06:
        return None
    half = perimeter / 4
    root = float(np.sqrt(max(half**2 - area, 0.0)))
    return float(np.clip((half - root) / (half + root), 0.0, 1.0))


def ranged(value: float, spread: float, what: str) -> Hand:
    """A value with its range: ``spread`` of it to either side."""
    low, high = sorted((value * (1 - spread), value * (1 + spread)))
    return Hand(value, low, high, what)


def _drop(d: Duct, sign: float) -> Hand:
    f, how = d.friction()
    head = 0.5 * d.rho * d.speed**2
    value = f * d.length / d.diameter * head
    return ranged(sign * value, d.spread, f"{how}; {d.about}")


def _leaving(w: Watch, s: Solution, found: list[Stream]) -> Hand:
    stream = next((x for x in found if w.of[0] in x.ends), None)
    if stream is None or s.summary["ends"][w.of[0]]["mass_flow"] > 0:
        return Hand(None, what="nothing leaves there")
    if len(found) != 1 or s.summary["heat_load"] <= 0.0:
        return Hand(None, what="no given heat that one stream would take")
    capacity = stream.capacity
    if not np.isfinite(capacity):
        return Hand(None, what="the stream takes no heat")
    value = stream.entering + s.summary["heat_load"] / capacity
    lost = abs(s.summary["heat_load"] - stream.taken) / capacity
    return Hand(value, value - max(lost, 1e-3 * abs(value - stream.entering)), value, "all heat goes with the stream")


def _coefficient(w: Watch, v: Values, found: list[Stream]) -> Hand:
    s = v.solution
    if len(w.of) != 1:
        return Hand(None, what="name one part or fluid")
    spaces = set(spaces_of(s, w.of[0])) or set(v.walls.space[v.walls.names == w.of[0]].tolist())
    stream = next((x for x in found if x.space in spaces), None)
    if stream is None:
        return Hand(None, what="no stream flows along it")
    d = duct(v, stream)
    own = v.walls.space == stream.space
    flux = np.abs(v.walls.heat[own] / v.walls.area[own])
    heated = float(v.walls.area[own][flux > 0.05 * flux.max(initial=0.0)].sum() / v.walls.area[own].sum())
    if heated < 0.9:
        return Hand(
            None, what=f"only {100 * heated:.0f} % of its walls take part, and correlations are for all of them"
        )
    nu, how = d.nusselt()
    h = nu * d.k / d.diameter
    value = h if w.quantity == "heat transfer coefficient" else h * w.references.length / d.k
    return ranged(value, max(d.spread, 0.15), f"{how}; {d.about}")


def _exchanger(w: Watch, v: Values, found: list[Stream]) -> Hand:
    from ht import effectiveness_from_NTU

    s = v.solution
    exchange(s, w.of)  # raises where there are not two
    if w.of:
        wanted = {m for name in w.of for m in spaces_of(s, name)}
        found = [x for x in found if x.space in wanted]
    one, other = (duct(v, x) for x in found)
    walls = v.walls
    shared = set(walls.names[walls.space == one.stream.space]) & set(walls.names[walls.space == other.stream.space])
    resistance = 0.0
    for d in (one, other):
        on = (walls.space == d.stream.space) & np.isin(walls.names, list(shared))
        area = float(walls.area[on].sum())
        nu, _ = d.nusselt()
        resistance += d.diameter / (nu * d.k * area)
    ua = 1.0 / resistance
    least, most = sorted((one.stream.capacity, other.stream.capacity))
    spread = max(one.spread, other.spread, 0.2)

    def at(ua_: float) -> dict[str, float]:
        eff = float(effectiveness_from_NTU(ua_ / least, least / most, "counterflow"))
        hot = max(one.stream.entering, other.stream.entering)
        cold = min(one.stream.entering, other.stream.entering)
        return {"UA": ua_, "NTU": ua_ / least, "effectiveness": eff, "duty": eff * least * (hot - cold)}

    value, low, high = (at(ua * x)[w.quantity] for x in (1.0, 1 - spread, 1 + spread))
    return Hand(
        value, low, high, f"counter-flow by NTU; {one.stream.name}: {one.about}; {other.stream.name}: {other.about}"
    )
