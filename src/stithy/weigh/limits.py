"""Margins: limit minus value, for every limit of a layout."""

from __future__ import annotations

from dataclasses import dataclass

from ..model import Limit, Model
from ..read.band import Bands

MEETS, FAILS, CLOSE = "meets", "fails", "too close to call"


@dataclass(frozen=True)
class Margin:
    """A limit with its value (None without a result) and the ``band`` it may be off (None: not known). Temperatures K,
    pressures Pa; ``spot`` m, or None."""

    bound: Limit
    value: float | None
    reference: float
    spot: tuple[float, float, float] | None = None
    band: float | None = None
    on_grid: float | None = None

    @property
    def verdict(self) -> str:
        """:data:`MEETS`, :data:`FAILS`, :data:`CLOSE` where the band holds the limit, or "" without a value."""
        if self.margin is None:
            return ""
        if abs(self.margin) < (self.band or 0.0):
            return CLOSE
        return MEETS if self.margin >= 0 else FAILS

    @property
    def margin(self) -> float | None:
        """Limit minus value."""
        return None if self.value is None else self.bound.most - self.value

    @property
    def share(self) -> float:
        """How much of the way from the reference (ambient, or no pressure) to the limit is used; 1 is at the limit."""
        if self.value is None:
            return 0.0
        span = self.bound.most - self.reference
        return (self.value - self.reference) / span if span > 0 else 2.0


def margins(model: Model, summary: dict | None) -> list[Margin]:
    """All limits of a layout, worst first."""
    out: list[Margin] = []
    bands = Bands(summary) if summary else None
    for bound in model.limits:
        found, spot = None, None
        reference = model.ambient if bound.quantity == "temperature" else 0.0
        if summary and bands and bound.quantity == "temperature" and bands.valid:
            found = bands.temperature(bound.of)
            spot = tuple(summary["parts"][bound.of]["hot_spot"]) if found else None
        elif bands and bound.quantity != "temperature":
            found = bands.drop(bound.of, bound.to) if bound.to else bands.rise(bound.of)
        value, band, on_grid = (found.value, found.band, found.on_grid) if found else (None, None, None)
        out.append(Margin(bound, value, reference, spot, band, on_grid))
    return sorted(out, key=lambda m: -m.share)
