"""What is drawn of a result: sections, surfaces, isosurfaces, vectors, streamlines, lines, flags, views. SI, m."""

from __future__ import annotations

from dataclasses import dataclass, field

from .quantities import QUANTITIES, Quantity

Point = tuple[float, float, float]


@dataclass(frozen=True)
class References:
    """What relative quantities refer to: ``against`` (K; "bulk": the fluid's bulk temperature there; None: ambient),
    ``length`` m, ``speed`` m/s, and the layout that the quantity "difference" is against (``minus``)."""

    against: float | str | None = None
    length: float = 1.0
    speed: float = 1.0
    minus: str = ""


@dataclass(frozen=True)
class Paint:
    """How something is painted: by a ``quantity`` between ``low`` and ``high`` (SI; None: the range ``over`` "this
    layout", "all layouts" or "what is drawn"), in ``steps`` (0: without) or steps of a given ``width`` (SI; 0: none),
    with ``lines`` between them, values of cells as they are or ``smooth``, how ``solid`` (1: not seen through)."""

    quantity: Quantity = QUANTITIES["temperature"]
    low: float | None = None
    high: float | None = None
    over: str = "this layout"
    steps: int = 0
    width: float = 0.0
    lines: bool = False
    smooth: bool = True
    solid: float = 1.0
    references: References = field(default_factory=References)


@dataclass(frozen=True)
class Drawn:
    """What every drawn row has: its name, whether it is on, how it is painted."""

    name: str
    on: bool
    paint: Paint


@dataclass(frozen=True)
class Section(Drawn):
    """A plane across ``normal`` through ``point`` (None: the middle of the model); ``axis`` 0, 1, 2 where it is one.

    ``clips``: the side that is taken away: "near" (the one towards the viewer), "low", "high", "" (none) or "auto"
    (near, where a part hides what flows inside). ``of``: names of parts and fluids it is drawn in; empty: all.
    """

    normal: Point = (0.0, 1.0, 0.0)
    axis: int | None = 1
    point: Point | None = None
    place: float | None = None
    clips: str = "auto"
    of: tuple[str, ...] = ()


@dataclass(frozen=True)
class Surface(Drawn):
    """Surfaces of parts, groups of faces or fluids named in ``of``; empty: of all parts."""

    of: tuple[str, ...] = ()


@dataclass(frozen=True)
class Isosurface(Drawn):
    """Where ``quantity`` has each of ``values`` (SI)."""

    quantity: Quantity = QUANTITIES["temperature"]
    values: tuple[float, ...] = ()


@dataclass(frozen=True)
class Vectors(Drawn):
    """Velocities in a section, named in ``section`` (empty: the first), ``apart`` m (0: by the view), drawn as long as
    they are fast or of ``one_length``, times ``longer``; all in ``ink`` or painted."""

    section: str = ""
    apart: float = 0.0
    one_length: bool = False
    longer: float = 1.0
    ink: bool = True


@dataclass(frozen=True)
class Streamlines(Drawn):
    """Lines along the flow from ``source``: names of openings, fans, sections or lines, or ``points`` (m); ``count``
    lines (0: by the source), ``way`` "both", "onward" or "back"; ``marks`` move along them."""

    source: tuple[str, ...] = ()
    points: tuple[Point, ...] = ()
    count: int = 0
    way: str = "both"
    marks: bool = False


@dataclass(frozen=True)
class Line(Drawn):
    """Quantities along a line through ``points`` (m), or where the section ``section`` cuts the surface of ``parts``
    (by arc length), in ``count`` places; of ``layouts``; ``measured``: a file of measured points laid over."""

    quantities: tuple[Quantity, ...] = ()
    points: tuple[Point, ...] = ()
    section: str = ""
    parts: tuple[str, ...] = ()
    count: int = 200
    layouts: tuple[str, ...] = ()
    measured: str = ""


@dataclass(frozen=True)
class Flag(Drawn):
    """Values pinned at a ``point`` (m), or at the hottest or coldest place of a part (``of``, ``place``); ``label``:
    where the words stand (m), None: beside it."""

    point: Point | None = None
    of: str = ""
    place: str = "hottest"
    label: Point | None = None


@dataclass(frozen=True)
class View:
    """A look to come back to: the camera's ``position``, what it looks ``at`` (m), which way is ``up``, its ``angle``
    (deg), the names of drawn rows that are ``shown``, parts that are ``hidden`` or seen ``through``."""

    name: str
    position: Point
    at: Point
    up: Point = (0.0, 0.0, 1.0)
    angle: float = 24.0
    shown: tuple[str, ...] = ()
    hidden: tuple[str, ...] = ()
    through: tuple[str, ...] = ()


@dataclass(frozen=True)
class Watch:
    """One number of a result: a ``quantity`` (its name or a formula of watches) ``of`` what has these names, or at
    ``points`` (m), by a ``measure`` ("" means the usual one); ``least`` and ``most`` (SI) bound it."""

    name: str
    quantity: str
    dimension: str
    of: tuple[str, ...] = ()
    points: tuple[Point, ...] = ()
    measure: str = ""
    least: float | None = None
    most: float | None = None
    references: References = field(default_factory=References)
