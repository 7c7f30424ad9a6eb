"""Margins: limit minus value, for every limit of a layout."""
from __future__ import annotations

from dataclasses import dataclass

from ..project.model import Bound, Model


@dataclass(frozen=True)
class Margin:
    """A limit with its value (None without a result). Temperatures K, pressures Pa; ``spot`` m, or None."""

    bound: Bound
    value: float | None
    reference: float
    spot: tuple[float, float, float] | None = None

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
    out = []
    for bound in model.limits:
        value, spot = None, None
        reference = model.ambient if bound.quantity == "temperature" else 0.0
        if summary and bound.quantity == "temperature":
            part = summary["parts"].get(bound.of)
            if part:
                value, spot = part["max"], tuple(part["hot_spot"])
        elif summary:
            value = pressure_drop(summary, bound.of, bound.to)
        out.append(Margin(bound, value, reference, spot))
    return sorted(out, key=lambda m: -m.share)


def pressure_drop(summary: dict, of: str, to: str) -> float | None:
    """Static pressure (Pa) just inside ``of`` minus that inside ``to``, or a fan's rise when ``to`` is empty."""
    if not to:
        fan = summary["fans"].get(of)
        return fan["rise"] if fan else None
    a, b = summary["ends"].get(of), summary["ends"].get(to)
    return a["pressure"] - b["pressure"] if a and b else None
