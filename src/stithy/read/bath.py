"""The bath of a result: its numbers, its walls, and what it did in time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import StithyError

#: by the summary's name: title and dimension of what is kept in time
IN_TIME = {
    "vapour_volume": ("vapour below level", "volume"),
    "venting": ("vapour leaving", "mass flow"),
    "level": ("level has risen", "length"),
    "share": ("of critical flux", "share"),
}


@dataclass(frozen=True)
class Wall:
    """A part in a bath: heat that boils off it (W), its mean flux over the critical one now and at most."""

    name: str
    boils: float
    share: float
    highest: float

    @property
    def dry(self) -> bool:
        """Whether it dries out, so that its temperature is no result."""
        return self.highest >= 1.0


def table(summary: dict) -> dict:
    """The entry of a summary. Raises StithyError where there is no bath."""
    found = summary.get("bath")
    if not found:
        raise StithyError("There is no bath in this result. Give an enclosure a level, and solve the layout.")
    return found


def walls(summary: dict) -> list[Wall]:
    """Parts in the bath, those nearest to drying out first."""
    rows = [Wall(n, x["boils"], x["share"], x["highest"]) for n, x in table(summary)["parts"].items()]
    return sorted(rows, key=lambda x: -x.highest)


def in_time(summary: dict, name: str) -> tuple[np.ndarray, np.ndarray]:
    """Times (s) and values (SI) of one of :data:`IN_TIME`; empty where none are kept."""
    series = table(summary).get("series") or {}
    return np.array(series.get("time", ())), np.array(series.get(name, ()))


def as_latent(summary: dict) -> float:
    """Heat (W) that the vapour that leaves takes with it."""
    found = table(summary)
    return float(found["venting"] * found["latent"])
