"""Studies of a layout: what is varied, in which points, and what is looked for."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Varied:
    """One cell that a study changes (``row`` and ``key``; the row is empty where ``key`` is "layout"), under a
    ``title``: through ``values``, or anywhere from ``low`` to ``high`` in a ``unit``, in ``whole`` numbers or not."""

    title: str
    row: str
    key: str
    values: tuple[str, ...] = ()
    low: float = 0.0
    high: float = 0.0
    unit: str = ""
    whole: bool = False

    def text(self, share: float) -> str:
        """What the cell says at a share (0 to 1) of its way."""
        if self.values:
            return self.values[min(int(share * len(self.values)), len(self.values) - 1)]
        value = self.low + share * (self.high - self.low)
        if self.whole:
            value = min(self.low + int(share * (self.high - self.low + 1.0)), self.high)
        return f"{value:.4g} {self.unit}".strip()

    def share(self, text: str) -> float:
        """Where on its way (0 to 1) a text stands; ValueError where it stands nowhere."""
        if self.values:
            return (self.values.index(text) + 0.5) / len(self.values)
        value = float(text.split()[0])
        if self.whole:
            return (value - self.low + 0.5) / (self.high - self.low + 1.0)
        return (value - self.low) / (self.high - self.low)


#: how the points of a sweep are laid
EVERY, IN_STEP, HYPERCUBE, SOBOL = "every combination", "in step", "Latin hypercube", "Sobol"
PLANS = (EVERY, IN_STEP, HYPERCUBE, SOBOL)


@dataclass(frozen=True)
class Sweep:
    """Points about the layout ``of``: every combination of values, the values of all in step, or ``count`` points
    spread over their ranges."""

    name: str
    of: str
    variables: tuple[Varied, ...]
    plan: str = EVERY
    count: int = 0


@dataclass(frozen=True)
class Search:
    """Look for the least (or ``most``) of a number, ``goal``, and perhaps of a ``second``, with all limits met, in at
    most ``runs`` runs about the layout ``of``."""

    name: str
    of: str
    variables: tuple[Varied, ...]
    goal: str
    most: bool = False
    second: str = ""
    second_most: bool = False
    runs: int = 30
