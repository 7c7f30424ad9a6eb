"""The estimate of a model: temperatures of its parts with their bands, what they are made of, and flows."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from ..equations.staggered import Staggered
from ..errors import StithyError
from ..mesh.occupancy import SOLID
from ..model import GridSettings, Model
from ..setup.case import Case
from ..setup.prepare import Prepared, assemble
from .draught import Draught
from .films import Medium
from .network import Network, loads

#: factors that films and flows may be off by, one at a time; how many such bands are told; least part of a rise
FILMS, FLOWS, WIDE, LEAST = 1.35, 1.25, 1.5, 0.20
#: part that the warmth of the air beside a part is off by where a flow brings it: whose streams mix is not known
LOCAL = 0.4
#: rounds of a variation, which begins from the answer
MORE = 3
#: cells in all of networks that are kept, beside the last one
MOST_KEPT = 400_000
#: cells beyond which there is no estimate
MOST_CELLS = 400_000


@dataclass(frozen=True)
class Part:
    """A part's hottest place: temperature K and half the width of its band (K); the rise (K above ambient) is that of
    the ``air`` at it, of its ``film`` to its surface, and from there to its hottest place (``body``)."""

    temperature: float
    band: float
    air: float
    film: float
    body: float

    @property
    def rise(self) -> float:
        """K above ambient."""
        return self.air + self.film + self.body


@dataclass(frozen=True)
class Estimate:
    """What is foretold of a model: its ``parts`` by name; volume flows (m3/s, into the model) of its ``openings``,
    flows and rises (Pa) of its ``fans``; ``notes``: where it lies outside what it is good for; ``seconds`` it took."""

    parts: dict[str, Part]
    openings: dict[str, float] = field(default_factory=dict)
    fans: dict[str, tuple[float, float]] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    seconds: float = 0.0


def coarse(model: Model) -> Model:
    """The model on the fewest cells: lines on faces, and no more."""
    wish = GridSettings(1.0, 1, None, 4.0, 0.0, 2.0, True)
    wish = replace(wish, least_gap=model.grid.least_gap, layers=model.grid.layers)
    return replace(model, grid=wish)


def estimate(model: Model, stop: Callable[[], bool] | None = None) -> Estimate:
    """The estimate of a model. Raises StithyError where none can be made, SetupError for a model with faults;
    ``stop()`` ends it by True, with StithyError."""
    return Estimating().of(model, stop)


@dataclass
class _Kept:
    """What is used again while only heat loads change: the network with its own temperatures, and bands over rises."""

    prepared: Prepared
    network: Network
    theta: np.ndarray
    wide: dict[str, float]


class Estimating:
    """Estimates one after the other: where only heat loads differ from a model before, its cells, flow and films are
    used again, and bands go with the rises."""

    def __init__(self) -> None:
        self._kept: dict[str, _Kept] = {}

    def of(self, model: Model, stop: Callable[[], bool] | None = None) -> Estimate:
        """As of :func:`estimate`."""
        began = time.perf_counter()
        reason = _none(model)
        if reason:
            raise StithyError(reason)
        key = _shape(model)
        kept = self._kept.pop(key, None)
        first = None if kept is None else _again(model, kept)
        if kept is None or first is None:
            kept, first = _anew(model, stop)
        self._kept[key] = kept
        while len(self._kept) > 1 and sum(k.theta.size for k in self._kept.values()) > MOST_KEPT:
            self._kept.pop(next(iter(self._kept)))
        parts = {
            n: replace(p, band=float(max(kept.wide[n] * abs(p.rise), LEAST * abs(p.rise), 0.3)))
            for n, p in first.items()
        }
        draught, prepared = kept.network.draught, kept.prepared
        rates = {
            n: float(sum(draught.rates[m] for m in which))
            for n, which in zip(prepared.ends, prepared.case.ends(), strict=True)
        }
        fans = {n: (float(q), float(r)) for n, q, r in zip(prepared.fans, draught.fans, draught.rises, strict=False)}
        return Estimate(parts, rates, fans, tuple(_notes(model, prepared, draught)), time.perf_counter() - began)


def _shape(model: Model) -> str:
    """A hash of all of a model but its heat loads."""
    return replace(model, solids=tuple(replace(s, power=0.0, profile=()) for s in model.solids)).key()


def _anew(model: Model, stop: Callable[[], bool] | None) -> tuple[_Kept, dict[str, Part]]:
    """Cells, flow and temperatures, and how wide the bands are."""
    prepared, _ = assemble(coarse(model))
    if prepared.case.grid.cells > MOST_CELLS:
        raise StithyError("There is no estimate of a model as large as this.")
    geo = Staggered(prepared.case)
    draught = Draught(prepared.case, geo, _media(prepared.case))
    network = Network(prepared, draught, geo)
    theta = network.solve().copy()
    first = _parts(prepared, network, geo)
    bands = dict.fromkeys(first, 0.0)
    for films_by, flow_by in ((1.0 / FILMS, 1.0), (1.0, 1.0 / FLOWS)):
        if flow_by != 1.0 and not draught.moves.any() and not network.air:
            continue
        if stop is not None and stop():
            raise StithyError("Stopped.")
        network.theta[:] = theta
        network.solve(films_by, flow_by, MORE)
        for name, other in _parts(prepared, network, geo).items():
            bands[name] += (other.temperature - first[name].temperature) ** 2
    blown, wide = _blown(prepared, network), {}
    for n, p in first.items():
        local = LOCAL * p.air * blown[n]
        wide[n] = WIDE * (bands[n] + local**2) ** 0.5 / max(abs(p.rise), 1e-9)
    return _Kept(prepared, network, theta, wide), first


def _again(model: Model, kept: _Kept) -> dict[str, Part] | None:
    """Temperatures with other heat loads; None where a part that has a load has no cells."""
    case, geo, prepared = kept.prepared.case, kept.network.geo, kept.prepared
    if any(s.power and s.name not in prepared.parts for s in model.solids):
        return None
    heat = loads(replace(prepared, model=model))
    given = case.heat - kept.network.of_parts  # fluxes that come by faces
    kept.network.source = geo.pad(heat + given) * kept.network.inner
    kept.network.theta[:] = kept.theta
    kept.theta = kept.network.solve().copy()
    return _parts(prepared, kept.network, geo)


def _none(model: Model) -> str:
    """Why there is no estimate; "" where there is one."""
    if any(s.pool is not None and s.pool.boils for s in model.enclosures):
        return "There is no estimate of what boils."
    if model.drive is not None:
        return "There is no estimate of a periodic piece."
    sides = [w for s in model.enclosures for w in s.sides.values()] + [x.condition for x in model.patches]
    sides += [g.condition for g in model.faces if g.condition is not None] + [x.condition for x in model.left_out]
    warm = any(s.power or s.fixed is not None for s in model.solids) or any(
        w.kind in ("temperature", "flux") or (w.ambient is not None and w.ambient != model.ambient) for w in sides
    )
    streams = any(o.temperature is not None and abs(o.temperature - model.ambient) > 0.01 for o in model.openings)
    if not warm and not streams:
        return "Nothing releases heat, so there is nothing to estimate."
    return ""


def _media(case: Case) -> list[Medium]:
    pull = float(np.linalg.norm(case.gravity))
    return [Medium(f.rho, f.mu, f.k, f.cp, f.beta, pull) for f in case.fluids]


def _parts(prepared: Prepared, network: Network, geo: Staggered) -> dict[str, Part]:
    """Temperatures of all solid parts, and what their rise is made of."""
    case, theta = prepared.case, network.theta
    wet: dict[int, list[tuple[float, float, float]]] = {}
    for w in network.walls:
        if not len(w.cells):
            continue
        bulk = network.bulk(w.cells)
        owner = network.part[w.solid]
        for m in np.unique(owner[owner >= 0]):
            mine = owner == m
            area = w.area[mine]
            wet.setdefault(int(m), []).append(
                (float(area.sum()), float((area * bulk[mine]).sum()), float((area * theta[w.solid[mine]]).sum()))
            )
    out = {}
    solid = (geo.kind == SOLID) & network.inner
    for m, name in enumerate(prepared.parts):
        here = solid & (network.part == m)
        if not here.any():
            continue
        hottest = float(theta[here].max())
        rows = np.array(wet.get(m, [(0.0, 0.0, 0.0)])).sum(axis=0)
        air, skin = (rows[1] / rows[0], rows[2] / rows[0]) if rows[0] > 0 else (0.0, hottest)
        out[name] = Part(hottest + case.reference, 0.0, float(air), float(skin - air), float(hottest - skin))
    return out


def _blown(prepared: Prepared, network: Network) -> dict[str, float]:
    """Part of the wet surface of every part that lies in driven flow."""
    wet, moving = np.zeros(len(prepared.parts)), np.zeros(len(prepared.parts))
    for w in network.walls:
        owner = network.part[w.solid]
        mine = owner >= 0
        np.add.at(wet, owner[mine], w.area[mine])
        np.add.at(moving, owner[mine], (w.area * network.draught.moves[w.cells])[mine])
    return {n: float(moving[m] / wet[m]) if wet[m] else 0.0 for m, n in enumerate(prepared.parts)}


def _notes(model: Model, prepared: Prepared, draught: Draught) -> list[str]:
    """Where it is outside what it is good for."""
    out = []
    if model.run.time is not None:
        out.append("of the steady end, not of the run in time")
    if model.sun is not None:
        out.append("without the sun")
    if any(b for b in model.blowers):
        out.append("without the blowers' flow")
    if len(prepared.case.fans) and not draught.rates.any():
        out.append("a fan that only stirs: its air is taken to pass everything alike")
    if any(s.form is not None for s in model.solids):
        out.append("curved parts as steps")
    return out
