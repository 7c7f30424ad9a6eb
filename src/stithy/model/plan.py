"""How a resolved layout is solved: grid, iterations, time."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Surroundings:
    """Ambient temperature (K), absolute pressure (Pa), gravity (m/s2), model of mixing, whether properties follow
    temperature, whether surfaces radiate to each other; ``radiant`` (K): what openings and radiating sides face, None:
    ambient; ``boiling``: whether baths do."""

    ambient: float = 298.15
    pressure: float = 101325.0
    gravity: tuple[float, float, float] = (0.0, 0.0, 0.0)
    mixing: str = "wall-law"
    varying: bool = False
    radiation: bool = False
    radiant: float | None = None
    boiling: bool = True


@dataclass(frozen=True)
class GridSettings:
    """coarsest m, least cells across gaps and solids, growth, size at walls (m; 0: no wish); None: by the rule of
    :mod:`mesh.rule` for ``count`` cells across what matters, or more than that where a model is so small that they cost
    nothing (unless ``exact``). ``row``: the row it comes from. ``least_gap`` (m; 0: none): narrower gaps between solids
    are closed, or (``layers``) their fluid conducts and stands."""

    coarsest: float | None = None
    gaps: int | None = None
    solids: int | None = None
    growth: float | None = None
    walls: float | None = None
    count: float = 4.0
    exact: bool = False
    row: str = ""
    least_gap: float = 0.0
    layers: bool = False


@dataclass(frozen=True)
class TimePlan:
    """A run in time: how long (s), step ("fixed", "courant" or "auto", value), hold flow for (s), save every (s)."""

    length: float
    step: tuple[str, float]
    hold: float = 0.0
    save: float = 0.0


@dataclass(frozen=True)
class RunSettings:
    """When a run has settled: at most ``iterations``; momentum ``residual`` and temperature ``drift`` (K) to reach;
    ``start`` the layout whose result it starts from, "potential flow", or empty; ``time`` when it follows time."""

    iterations: int = 500
    residual: float = 1e-4
    drift: float = 0.2
    time: TimePlan | None = None
    start: str = ""
    relaxation: float = 0.9


Span = tuple[float, float]


@dataclass(frozen=True)
class Piece:
    """Spans (m) along x, y, z of the piece (None: the whole length), what its sides are there ("symmetry" or
    "periodic"), how many such pieces the whole has, what was ``assumed`` of them, the ``mass`` (kg) of the whole."""

    spans: tuple[Span | None, Span | None, Span | None]
    sides: tuple[str, str, str]
    times: float = 1.0
    assumed: str = ""
    mass: float = 0.0
