"""What radiates where: net heat of every part, side and opening, from whom to whom, and how far the rays may be off."""

from __future__ import annotations

import numpy as np

from ..equations.radiation import SIGMA, Radiation
from ..numerics.exchange import incoming
from ..setup.prepare import Prepared

#: what a plate that closes an opening, and the sun, are called in the heat path
PLATES, SUN = "closing plates", "sun"


class Radiated:
    """Radiation of a run by names: parts, surfaces of the outside, openings."""

    def __init__(self, p: Prepared, run):
        self.p, self.r = p, run.heat.radiation
        r: Radiation = self.r
        self.names: list[str] = [*p.parts, *dict.fromkeys(s.name for s in p.surfaces), PLATES]
        number = {n: m for m, n in enumerate(self.names)}
        of_surface = [number[s.name] for s in p.surfaces]
        owner = r.faces.owner
        last = len(self.names) - 1
        side = np.array([*of_surface, last])[np.where(owner <= -10, -10 - owner, len(of_surface))]
        #: by face
        self.who = np.where(owner >= 0, owner, side)
        self.of_patch = np.zeros(r.count, np.int64)
        self.of_patch[r.patch] = self.who

    def by_name(self, values: np.ndarray) -> dict[str, float]:
        """Sums of values of faces; names that own none are left out."""
        total = np.bincount(self.who, values, len(self.names))
        count = np.bincount(self.who, minlength=len(self.names))
        return {n: float(total[m]) for m, n in enumerate(self.names) if count[m]}

    def flows(self) -> list[tuple[str, str, float]]:
        """Net heat (W) from one to another by radiation, each pair once; of the sun to what it shines on."""
        r = self.r
        ends: dict[str, list[int]] = {}
        for name, pieces in zip(self.p.ends, self.p.case.ends(), strict=True):
            ends[name] = pieces
        own = np.unique(self.of_patch)
        sources = np.zeros((r.count, len(own) + len(ends)))
        emitted = np.bincount(r.patch, r.ea * SIGMA * r.temperature**4, r.count) / r.size
        for k, m in enumerate(own):
            sources[:, k] = np.where(self.of_patch == m, emitted, 0.0)
        absorbed = np.zeros((len(own) + len(ends),) * 2)
        none = np.zeros(r.exchange.ends.shape[1])
        for k in range(sources.shape[1]):
            beyond = none.copy()
            if k >= len(own):
                at = list(ends.values())[k - len(own)]
                beyond[at] = r.beyond[at]
            falls = incoming(r.exchange, sources[:, k], 1.0 - r.emissivity, beyond)
            taken = np.bincount(self.of_patch, r.emissivity * r.size * falls, len(self.names))
            leaving = sources[:, k] + (1.0 - r.emissivity) * falls
            away = r.exchange.ends.T @ leaving
            absorbed[:, k] = [*taken[own], *(float(away[at].sum()) for at in ends.values())]
        names = [*(self.names[m] for m in own), *ends]
        net = absorbed.T - absorbed
        out = [(names[a], names[b], float(net[a, b])) for a in range(len(names)) for b in range(a + 1, len(names))]
        sun = self.by_name(r.sun)
        return out + [(SUN, n, q) for n, q in sun.items() if q]

    def table(self) -> dict:
        """The entry ``radiation`` of a summary."""
        r = self.r
        area, net = self.by_name(r.area), self.by_name(r.net)
        gas, sun, off = self.by_name(r.to_gas), self.by_name(r.sun), self.by_name(r.error())
        emitted = self.by_name(r.area * r.temperature**4)
        seen = self.by_name(r.area * r.falls[r.patch] / SIGMA)
        every = {
            n: {
                "net": net[n],
                "to_gas": gas[n],
                "sun": sun[n],
                "error": abs(off[n]),
                "area": area[n],
                "temperature": (emitted[n] / area[n]) ** 0.25,
                "sees": (max(seen[n], 0.0) / area[n]) ** 0.25,
            }
            for n in area
            if area[n] > 0.0
        }
        away = r.away()
        return {
            "surfaces": every,
            "ends": {n: float(away[k].sum()) for n, k in zip(self.p.ends, self.p.case.ends(), strict=True)},
            "patches": r.count,
            "faces": len(r.faces),
            "closure": r.closure(),
            "lost": r.lost,
            "slack": r.exchange.slack,
            "sheets": r.faces.sheets,
            "error": float(np.sqrt(sum(x["error"] ** 2 for x in every.values()))),
        }


def table(p: Prepared, run) -> dict:
    """As :meth:`Radiated.table`; empty where nothing radiates."""
    return Radiated(p, run).table() if run.heat.radiation is not None else {}


def notes(p: Prepared, run, found: dict) -> list[str]:
    """What the trust line says of radiation."""
    if not found:
        quiet = p.case.radiating is not None
        return ["radiation is left out: it is not worked out where temperatures shrink along periodic walls"] * quiet
    out = [
        f"radiation by {found['patches']} patches: closes to {max(found['closure'], 1e-12):.1g}, rays "
        f"±{found['error']:.2g} W"
    ]
    if found["lost"] > 1e-4:
        out.append(f"{found['lost']:.2%} of the rays got lost")
    if found["slack"] > 0.05:
        out.append("some surfaces see each other unevenly: part of their radiation was kept to themselves")
    if p.case.radiating is not None and float(p.case.radiating.emissivity.max(initial=0.0)) == 0.0:
        out.append("all surfaces that face the gas are mirrors (emissivity 0), so none radiates: give one a finish")
    if found["sheets"]:
        told = "faces of sheets thinner than a cell radiate by one temperature through their thickness"
        out.append(f"{found['sheets']} {told}")
    return out
