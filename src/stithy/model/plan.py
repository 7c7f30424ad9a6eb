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
    are closed, or (``layers``) their fluid conducts and stands. ``refine`` (K; 0: not): by results, until watches move
    by less, up to ``most`` cells (0: three times as many), and at iterations ``moments``. What a run refined: its
    ``lines`` (m, of each axis), or the longest cell at places of each axis (``sizes``: m, m)."""

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
    refine: float = 0.0
    most: int = 0
    lines: tuple[tuple[float, ...], ...] = ()
    sizes: tuple[tuple[tuple[float, float], ...], ...] = ()
    moments: tuple[int, ...] = ()


@dataclass(frozen=True)
class GridWish:
    """What is wished of cells in one place: about the parts, enclosures, groups of faces or openings ``of`` (all
    enclosures where there are none), in the gap between them and ``to``, or in a ``box`` (m).

    ``across`` least cells across, ``longest`` cell (m), ``first`` cell at walls on the fluid's side and ``inside`` on
    the solid's (m; 0: none, however the rule wishes; None: no wish), ``growth`` from there over ``count`` cells (0: by
    the grid row, all the way), ``yplus`` wished in the place of ``first``; ``sides`` where (empty: all).
    """

    name: str
    of: tuple[str, ...] = ()
    to: str = ""
    box: tuple[tuple[float, float], tuple[float, float], tuple[float, float]] | None = None
    across: int = 0
    longest: float = 0.0
    first: float | None = None
    inside: float | None = None
    growth: float = 0.0
    count: int = 0
    yplus: float = 0.0
    sides: tuple[str, ...] = ()


@dataclass(frozen=True)
class TimePlan:
    """A run in time: how long (s), step ("fixed", "courant" or "auto", value), hold flow for (s) or until temperatures
    have moved by ``hold_moved`` (K), save every (s) or whenever a watch has moved by ``save_moved`` (K)."""

    length: float
    step: tuple[str, float]
    hold: float = 0.0
    save: float = 0.0
    hold_moved: float = 0.0
    save_moved: float = 0.0

    @property
    def holds(self) -> bool:
        """Whether the flow is held while temperatures go on."""
        return self.hold > 0.0 or self.hold_moved > 0.0


@dataclass(frozen=True)
class Event:
    """From ``time`` (s) on a cell (``key``) of a ``row`` says ``text``."""

    name: str
    time: float
    row: str
    key: str
    text: str


@dataclass(frozen=True)
class Rule:
    """A watch (or a part, for its highest temperature) and a bound (SI): ``sign`` is ">", "<", or "within" for what it
    may still move by."""

    watch: str
    sign: str
    bound: float


@dataclass(frozen=True)
class RunSettings:
    """When a run has settled: at most ``iterations``; momentum ``residual`` and temperature ``drift`` (K) to reach, or
    in their place ``settled_by``; ``stop_when`` any of these holds, it ends early. ``start`` the layout whose result it
    starts from (at the instant ``start_at``, s; None: its end), "steady state", "potential flow", or empty; ``time``
    when it follows time."""

    iterations: int = 500
    residual: float = 1e-4
    drift: float = 0.2
    time: TimePlan | None = None
    start: str = ""
    relaxation: float = 0.9
    start_at: float | None = None
    settled_by: tuple[Rule, ...] = ()
    stop_when: tuple[Rule, ...] = ()


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
