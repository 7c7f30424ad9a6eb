"""What the solver's process tells the window: one dataclass a message."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..errors import Problem
from ..solution.solution import Solution


@dataclass(frozen=True)
class Preparing:
    """Something is being made ready."""

    text: str


@dataclass(frozen=True)
class Started:
    """The run begins: cells of the grid, names of its watches, of its openings and then its fans, whether it continues
    from a stored field, and the momentum residual to reach."""

    cells: int
    watches: tuple[str, ...]
    ends: tuple[str, ...]
    continued: bool
    criterion: float


@dataclass(frozen=True)
class Report:
    """One iteration or time step; see :class:`solve.steady.Progress`. ``left``: what is said of the time remaining."""

    iteration: int
    momentum: float
    mass: float
    heat: float
    drift: float
    watches: tuple[float, ...]
    flows: tuple[float, ...]
    seconds: float
    remaining: float
    phase: str
    time: float
    left: str


@dataclass(frozen=True)
class Snapshot:
    """Present temperatures (K) on the layout's grid, and where it is not large the whole present solution."""

    temperature: np.ndarray
    solution: Solution | None = None


@dataclass(frozen=True)
class Noted:
    """A line of the run's log: s, iteration, time (s), kind ("refined", "turned", "warning" or "began"), words.
    ``cells`` of the grid it is on now; ``event``: the row of what was turned in a run in time, for the document to say
    so too."""

    line: tuple[float, int, float, str, str]
    cells: int = 0
    event: dict | None = None


@dataclass(frozen=True)
class Kept:
    """The run goes on as it was: what was asked of it cannot be done, and why."""

    text: str


@dataclass(frozen=True)
class Result:
    """The result, sent along when it is small enough."""

    solution: Solution


@dataclass(frozen=True)
class Finished:
    """The run came to its end and its result is stored."""

    summary: dict


@dataclass(frozen=True)
class Failed:
    """The run ended without a result; ``place`` (m) where it went wrong, if that is known."""

    text: str
    place: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Refused:
    """The layout cannot be solved as it is."""

    problems: tuple[Problem, ...]


#: after one of these nothing more comes
LAST = (Finished, Failed, Refused)
