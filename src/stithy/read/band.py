"""The band of every number: what it is likely to be on a grid without end, and how far that may be off.

A steady run solves its layout on two grids, the second with every count halved as far as that goes. With f the number
on the layout's own grid and c that on the coarser one, the value told is f + SHIFT (f - c): the error falls somewhere
between in proportion to the cell size and to its square. The band is BAND |f - c|, and at least LEAST of what numbers
of its kind move between the two grids, since one that happens to move little is no more certain than its neighbours.
Counts of few cells are hardly halved: where the coarser grid's cells are less than USUAL times as long as the layout's
own, numbers move less between the two for the same error, and the band is up to MOST times as wide. To that come what
the run showed (what watches still wander, an open heat balance) and the mixing model's own range; they are independent,
so their squares are added. How often the band holds is measured in docs/physics.md.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..solution.summary import OPEN_MEAN

SHIFT, BAND, LEAST = 0.5, 0.6, 0.4
#: how many times longer a coarser grid's cells usually are, the order by which errors go with them, and by how much
#: bands are widened at most where they are not
USUAL, ORDER, MOST = 1.66, 1.5, 3.0
#: part of a temperature rise or a pressure drop that the mixing models leave open; see the tables of docs/physics.md
MODEL = {"laminar": 0.0, "wall-law": 0.02, "k-epsilon": 0.02, "k-omega": 0.02}


@dataclass(frozen=True)
class Banded:
    """A number: its best ``value``, the ``band`` either way (None: not known), and what it is ``on_grid``. SI;
    temperatures K."""

    value: float
    band: float | None
    on_grid: float

    def text(self, scale: float = 1.0, zero: float = 0.0, digits: int = 1) -> str:
        """``value`` and band as "101.7 ± 2.1" in units of ``scale`` from ``zero``."""
        told = f"{(self.value - zero) / scale:.{digits}f}"
        return told if self.band is None else f"{told} ± {band_text(self.band / scale, digits)}"


def band_text(band: float, digits: int = 1) -> str:
    """A band as it is told: never as nothing."""
    return f"{max(band, 0.1**digits):.{digits}f}"


def wider(longer: float) -> float:
    """How many times wider bands are than usual, where the coarser grid's cells are ``longer`` by so many times."""
    return float(min(max((USUAL**ORDER - 1.0) / max(longer**ORDER - 1.0, 1e-3), 1.0), MOST))


def _longer(summary: dict) -> float:
    """How many times longer the cells of a summary's coarser grid are than its own; by their number where that was not
    kept."""
    coarse = summary["coarse"]
    return float(coarse.get("longer") or (summary["cells"] / coarse["cells"]) ** (1 / 3))


class Bands:
    """The numbers of one result's summary with their bands."""

    def __init__(self, summary: dict):
        self.fine, self.coarse = summary, summary.get("coarse")
        self.ambient = summary["ambient"]
        self.wider = wider(_longer(summary)) if self.coarse else 1.0
        self.wander = summary.get("band", {})
        self.model = MODEL.get(summary.get("mixing", "laminar"), 0.02)
        load = abs(summary["heat_load"])
        self.open = abs(summary["heat_imbalance"]) / load if load else 0.0
        #: part of the load that the rays of radiation may be off by
        self.rays = float((summary.get("radiation") or {}).get("error", 0.0)) / load if load else 0.0
        self._spread: dict[str, float] = {}

    @property
    def valid(self) -> bool:
        """Whether the temperatures are a result at all: the heat of a mean over an unsteady flow, or of a run that has
        not settled, has to be where it belongs."""
        closure = 1.0 - self.fine["trust"]["heat_closure"]
        rests = self.fine.get("settled", True) and not self.wander
        return rests or closure <= OPEN_MEAN

    def temperature(self, part: str, key: str = "max") -> Banded | None:
        """Highest (``max``) or mean temperature of a part; None when the result has no such part, or when it dries out
        in a bath: beyond the critical heat flux its temperature is no result."""
        x = self.fine["parts"].get(part)
        if x is None or self.dry(part):
            return None
        other = self.coarse["parts"].get(part, {}).get(key) if self.coarse else None
        rise = abs(x[key] - self.ambient)
        least = self._typical(key) * rise
        runs = max(self.wander.get(part, 0.0), rise * max(self.open, self.rays))
        return self._estimate(x[key], other, least, rise, runs)

    def dry(self, part: str) -> bool:
        """Whether a part dries out in a bath."""
        bath = self.fine.get("bath") or {}
        return bool(bath.get("parts", {}).get(part, {}).get("highest", 0.0) >= 1.0)

    def rise(self, fan: str) -> Banded | None:
        """Static pressure rise (Pa) of a fan."""
        return self._of("fans", fan, "rise")

    def drop(self, of: str, to: str) -> Banded | None:
        """Static pressure (Pa) just inside the opening ``of`` minus that inside ``to``."""
        a, b = (self.fine["ends"].get(n) for n in (of, to))
        if a is None or b is None:
            return None
        other = None
        if self.coarse and of in self.coarse["ends"] and to in self.coarse["ends"]:
            other = self.coarse["ends"][of]["pressure"] - self.coarse["ends"][to]["pressure"]
        value = a["pressure"] - b["pressure"]
        return self._estimate(value, other, 0.0, abs(value), 0.0)

    def flow(self, name: str) -> Banded | None:
        """Volume flow (m3/s): inward through an opening, or along a fan inside."""
        return self._of("ends" if name in self.fine["ends"] else "fans", name, "volume_flow")

    def estimate(self, value: float, other: float | None, size: float) -> Banded:
        """Any number of the result, with what the coarser grid has for it (``other``); ``size`` is what the model's own
        range is a part of."""
        return self._estimate(value, other, 0.0, size, size * max(self.open, self.rays))

    def _of(self, table: str, name: str, key: str) -> Banded | None:
        x = self.fine[table].get(name)
        if x is None:
            return None
        other = self.coarse[table].get(name, {}).get(key) if self.coarse else None
        return self._estimate(x[key], other, 0.0, abs(x[key]), 0.0)

    def _estimate(self, value: float, other: float | None, least: float, size: float, runs: float) -> Banded:
        """Of a number whose ``size`` the model's range is a part of; ``least`` is what its kind moves between the
        grids."""
        if other is None:
            return Banded(value, None, value)
        moved = value - other
        grid = self.wider * max(BAND * abs(moved), LEAST * least)
        return Banded(value + SHIFT * moved, float(np.sqrt(grid**2 + (self.model * size) ** 2 + runs**2)), value)

    def _typical(self, key: str) -> float:
        """How much temperatures of parts move between the grids, over their rise above ambient (root mean square)."""
        if self.coarse is None:
            return 0.0
        if key not in self._spread:
            coarse = self.coarse["parts"]
            moved = [
                (x[key] - coarse[n][key]) / (x[key] - self.ambient)
                for n, x in self.fine["parts"].items()
                if n in coarse and abs(x[key] - self.ambient) > 1e-6
            ]
            self._spread[key] = float(np.sqrt(np.mean(np.square(moved)))) if moved else 0.0
        return self._spread[key]
