"""A resolved layout: names and SI numbers, no units, no expressions, nothing left to choose."""
from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field, fields, is_dataclass

from .library import FanData, FluidData

Box = tuple[tuple[float, float], tuple[float, float], tuple[float, float]]


@dataclass(frozen=True)
class Round:
    """A round bar, tube or passage: axis number, centre in the two other directions (m), span along the axis, radii (m)."""

    axis: int
    centre: tuple[float, float]
    span: tuple[float, float]
    radius: float
    bore: float = 0.0
    cells: int = 12

    @property
    def box(self) -> Box:
        """The box around it."""
        out: list = [None] * 3
        out[self.axis] = self.span
        for a, c in zip((a for a in range(3) if a != self.axis), self.centre, strict=True):
            out[a] = (c - self.radius, c + self.radius)
        return tuple(out)


@dataclass(frozen=True)
class Outline:
    """A closed polygon drawn out along an axis: corners in the two other directions (m), span along the axis."""

    axis: int
    points: tuple[tuple[float, float], ...]
    span: tuple[float, float]
    cells: int = 8

    @property
    def box(self) -> Box:
        """The box around it."""
        out: list = [None] * 3
        out[self.axis] = self.span
        for m, a in enumerate(a for a in range(3) if a != self.axis):
            out[a] = (min(p[m] for p in self.points), max(p[m] for p in self.points))
        return tuple(out)


@dataclass(frozen=True)
class Path:
    """A round tube, bar or passage along a line of points (m) whose corners are rounded with radius ``bend``; radii (m)."""

    points: tuple[tuple[float, float, float], ...]
    bend: float
    radius: float
    bore: float = 0.0
    cells: int = 8

    @property
    def box(self) -> Box:
        """The box around it; not beyond ends that are cut square to an axis."""
        out = []
        for a in range(3):
            x = [p[a] for p in self.points]
            # an end cut square to this axis reaches no farther than its point
            reach = [0.0 if self._square(m, a) else self.radius for m in range(len(x))]
            out.append((min(v - r for v, r in zip(x, reach, strict=True)), max(v + r for v, r in zip(x, reach, strict=True))))
        return tuple(out)

    def _square(self, m: int, axis: int) -> bool:
        """Whether point ``m`` is an end of a piece along ``axis``."""
        if m not in (0, len(self.points) - 1):
            return False
        other = self.points[1 if m == 0 else -2]
        return all(abs(p - q) < 1e-12 for a, (p, q) in enumerate(zip(self.points[m], other, strict=True)) if a != axis)


@dataclass(frozen=True)
class Facets:
    """A solid or passage bounded by triangles: corners (m) and triples of their numbers from 0, counterclockwise seen from outside."""

    points: tuple[tuple[float, float, float], ...]
    triangles: tuple[tuple[int, int, int], ...]
    cells: int = 8

    @property
    def box(self) -> Box:
        """The box around it."""
        return tuple((min(p[a] for p in self.points), max(p[a] for p in self.points)) for a in range(3))


Form = Round | Outline | Path | Facets


@dataclass(frozen=True)
class Solid:
    """Boxes of one solid; ``k`` along x, y, z (W/m/K); rho, cp for mass and transients; power W.

    ``fixed`` (K) holds its temperature; ``profile`` is (time s, share of the power); ``junction`` makes it a two-resistor
    component: (junction to case K/W, junction to board K/W, case side); ``form`` its true shape when it is no box;
    ``table`` rows of temperature (K) and conductivity over that at the first row; ``starts`` (K) its temperature at the start.
    """

    name: str
    role: str
    boxes: tuple[Box, ...]
    k: tuple[float, float, float]
    rho: float
    cp: float
    power: float = 0.0
    cells: int = 0
    tone: str = "#A79F8E"
    fixed: float | None = None
    profile: tuple[tuple[float, float], ...] = ()
    junction: tuple[float, float, str] | None = None
    form: Form | None = None
    table: tuple[tuple[float, float], ...] | None = None
    starts: float | None = None

    @property
    def bounds(self) -> Box:
        """The box around all its boxes."""
        return tuple((min(b[a][0] for b in self.boxes), max(b[a][1] for b in self.boxes)) for a in range(3))


@dataclass(frozen=True)
class Wall:
    """What the outside of one side does: "adiabatic", "symmetry", "periodic", "coefficient", "temperature" or "flux".

    ``ambient`` (K) is what a coefficient exchanges heat with (None: the surroundings); ``slides`` m/s for a moving wall.
    """

    kind: str
    value: float = 0.0
    ambient: float | None = None
    slides: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Space:
    """An enclosure: outer and inner box, the walls' solid (None when they have no thickness), fluid, sides; ``starts`` K."""

    name: str
    outer: Box
    inner: Box
    walls: Solid | None
    fluid: FluidData
    fluid_name: str
    sides: dict[str, Wall]
    starts: float | None = None


@dataclass(frozen=True)
class End:
    """A rectangle in a wall where fluid crosses. ``kind`` "velocity", "volume", "mass", "pressure".

    ``value`` m/s, m3/s, kg/s (inward) or Pa; ``head``: what enters starts from rest outside. ``serves`` names the fluid it opens to
    where it reaches several (empty: the one behind its middle).
    """

    name: str
    role: str
    space: str
    side: str
    rect: tuple[tuple[float, float], tuple[float, float]]
    kind: str
    value: float
    temperature: float
    loss: float = 0.0
    fan: FanData | None = None
    fan_sign: int = 1
    head: bool = True
    developed: bool = False
    turbulence: tuple[float, float] = (0.05, 0.0)
    hub: float = 0.0
    serves: str = ""


@dataclass(frozen=True)
class Inside:
    """A fan or pump plane: normal axis, position (m), rectangle in the other two axes, direction."""

    name: str
    axis: int
    position: float
    rect: tuple[tuple[float, float], tuple[float, float]]
    sign: int
    fan: FanData
    hub: float = 0.0
    swirl: float = 0.0


@dataclass(frozen=True)
class Screen:
    """A plane with a loss coefficient inside the fluid."""

    name: str
    axis: int
    position: float
    rect: tuple[tuple[float, float], tuple[float, float]]
    loss: float


@dataclass(frozen=True)
class Area:
    """A rectangle of an enclosure's outer side with its own condition."""

    name: str
    space: str
    side: str
    rect: tuple[tuple[float, float], tuple[float, float]]
    wall: Wall


@dataclass(frozen=True)
class Contact:
    """Area resistance (m2 K/W) between two solids; ``to`` empty: all that ``of`` touches."""

    name: str
    of: str
    to: str
    resistance: float


@dataclass(frozen=True)
class Region:
    """The fluid of the fluid space that holds ``point``."""

    name: str
    point: tuple[float, float, float]
    fluid: FluidData
    fluid_name: str
    starts: float | None = None


@dataclass(frozen=True)
class Push:
    """What drives the flow along a periodic axis: ``kind`` "velocity", "volume", "mass" or "gradient" and its SI value.

    ``entering`` (K): bulk temperature of what enters the pitch, where all walls have one temperature.
    """

    name: str
    axis: int
    sign: int
    kind: str
    value: float
    entering: float = 293.15


@dataclass(frozen=True)
class Clock:
    """A run in time: how long (s), step ("fixed", "courant" or "auto", value), hold flow for (s), save every (s)."""

    length: float
    step: tuple[str, float]
    hold: float = 0.0
    save: float = 0.0


@dataclass(frozen=True)
class Bound:
    """A limit: quantity "temperature" (K) or "pressure drop" (Pa)."""

    name: str
    quantity: str
    of: str
    to: str
    most: float


@dataclass(frozen=True)
class GridWish:
    """coarsest m, least cells across gaps and solids, growth, size at walls (m; 0: no wish); None: by the rule of :mod:`grid.rule` for
    ``count`` cells across what matters, or more than that where a model is so small that they cost nothing (unless ``exact``)."""

    coarsest: float | None = None
    gaps: int | None = None
    solids: int | None = None
    growth: float | None = None
    walls: float | None = None
    count: float = 4.0
    exact: bool = False


@dataclass(frozen=True)
class Model:
    """One layout, resolved. Temperatures K, pressures Pa, lengths m."""

    layout: str
    ambient: float
    pressure: float
    gravity: tuple[float, float, float]
    flow: str
    spaces: tuple[Space, ...]
    solids: tuple[Solid, ...]
    ends: tuple[End, ...]
    fans: tuple[Inside, ...]
    limits: tuple[Bound, ...]
    grid: GridWish
    iterations: int
    residual: float
    drift: float
    names: dict = field(default_factory=dict, compare=False)
    bores: tuple[Form, ...] = ()
    bore_names: tuple[str, ...] = ()
    regions: tuple[Region, ...] = ()
    areas: tuple[Area, ...] = ()
    contacts: tuple[Contact, ...] = ()
    screens: tuple[Screen, ...] = ()
    push: Push | None = None
    clock: Clock | None = None
    start: str = ""
    relaxation: float = 0.9
    grid_row: str = ""

    def key(self) -> str:
        """A hash of everything that makes the result: limits, names of layouts and colours are left out."""
        data = _telling(self, ("layout", "limits", "names", "bore_names", "relaxation", "grid_row"))
        return hashlib.sha256(json.dumps(data, sort_keys=True).encode()).hexdigest()[:16]


def _telling(value, leave=("tone", "draw")):
    """A value for hashing: of models only what differs from the default, so that a new field leaves old results current."""
    if isinstance(value, float):
        return float(f"{value:.10g}")
    if is_dataclass(value):
        kept = [f for f in fields(value) if f.name not in leave and getattr(value, f.name) != f.default]
        return {"is": type(value).__name__} | {f.name: _telling(getattr(value, f.name)) for f in kept}
    if isinstance(value, dict):
        return {k: _telling(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_telling(v) for v in value]
    return value
