"""Solids, enclosures and fluids of a resolved layout, and the thermal conditions on them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..project.library import Boiling, FluidData
from ..shapes.geometry import Box, Form
from ..shapes.mouths import Mouth
from .by_place import ByPlace
from .stack import Stack


@dataclass(frozen=True)
class Finish:
    """How a surface radiates: ``emissivity`` (grey, diffuse), and ``absorptivity`` of sunlight."""

    emissivity: float = 0.9
    absorptivity: float = 0.9


#: what nothing is known of
BLACKENED = Finish()


@dataclass(frozen=True)
class Solid:
    """Boxes of one solid; ``k`` along x, y, z (W/m/K); rho, cp for mass and transients; power W.

    ``fixed`` (K) holds its temperature; ``profile`` is (time s, share of the power); ``junction`` makes it a
    two-resistor component: (junction to case K/W, junction to board K/W, case side); ``form`` its true shape when it is
    no box; ``table`` rows of temperature (K) and conductivity over that at the first row; ``starts`` (K) its
    temperature at the start; ``rank``: where solids overlap the one of higher rank is there, of equals the smaller;
    ``roughness`` (m) of its surface, as grains of sand; ``finish`` of it; ``moves`` (m/s): its surface does, as a belt,
    while its shape stays; ``stack``: layers of a circuit board, which then say what conducts where; ``network``: more
    resistances (K/W) between "junction" and its sides (x- to z+), of a component known by them.
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
    rank: int = 0
    roughness: float = 0.0
    finish: Finish = BLACKENED
    moves: tuple[float, float, float] | None = None
    stack: Stack | None = None
    network: tuple[tuple[str, str, float], ...] = ()

    @property
    def bounds(self) -> Box:
        """The box around all its boxes."""
        return tuple((min(b[a][0] for b in self.boxes), max(b[a][1] for b in self.boxes)) for a in range(3))


@dataclass(frozen=True)
class Passage:
    """A shape cut out of the solids it crosses and filled with fluid."""

    name: str
    form: Form


@dataclass(frozen=True)
class Plate:
    """A blanking plate: it closes ``rims``, insulates, and takes no part in the heat; openings and fans may be put on
    it."""

    name: str
    rims: tuple[Mouth, ...]

    @property
    def area(self) -> float:
        """Area (m2) of what it closes."""
        return sum(r.area for r in self.rims)

    @property
    def outward(self) -> tuple[float, float, float]:
        """Unit vector out of what it closes."""
        x, y, z = (sum(float(r.vector[a]) for r in self.rims) for a in range(3))
        size = max((x * x + y * y + z * z) ** 0.5, 1e-300)
        return x / size, y / size, z / size


@dataclass(frozen=True)
class OuterAir:
    """Air outside a wall: still, or with a ``speed`` (m/s) ``along`` an axis; films follow from it by correlation."""

    speed: float = 0.0
    along: int = -1


@dataclass(frozen=True)
class WallCondition:
    """What the outside of one side does: "adiabatic", "symmetry", "periodic", "coefficient", "temperature" or "flux".

    ``emissivity`` (0: none) of an outer side that radiates to ``sky`` (K; None: what the surroundings show), beside
    its coefficient; ``air``: its coefficient follows from it, and ``value`` is where it begins. ``value`` W/m2/K, K
    or W/m2 into the model; ``ambient`` (K) is what a coefficient exchanges heat with (None: the surroundings);
    ``slides`` m/s for a moving wall; ``where``: the value differs from place to place.
    """

    kind: str
    value: float = 0.0
    ambient: float | None = None
    slides: tuple[float, float, float] | None = None
    where: ByPlace | None = None
    emissivity: float = 0.0
    sky: float | None = None
    air: OuterAir | None = None

    def at(self, points: np.ndarray) -> np.ndarray:
        """Values (as ``value``) at points (n, 3) m."""
        return np.full(len(points), self.value) if self.where is None else self.where.at(points)


@dataclass(frozen=True)
class Pool:
    """The liquid of an open bath: it stands up to ``level`` (m, along gravity's axis), below its own vapour; at
    saturation it does what ``boiling`` says, if it ``boils``."""

    level: float
    boiling: Boiling
    boils: bool = True


@dataclass(frozen=True)
class Enclosure:
    """Outer and inner box, the walls' solid (None when they have no thickness), the fluid inside, conditions by side;
    ``starts`` K; ``roughness`` m; ``finish`` of sides without wall thickness; ``pool`` where it is an open bath."""

    name: str
    outer: Box
    inner: Box
    walls: Solid | None
    fluid: FluidData
    fluid_name: str
    sides: dict[str, WallCondition]
    starts: float | None = None
    roughness: float = 0.0
    finish: Finish = BLACKENED
    pool: Pool | None = None


@dataclass(frozen=True)
class FluidRegion:
    """The fluid of the fluid space that holds ``point``."""

    name: str
    point: tuple[float, float, float]
    fluid: FluidData
    fluid_name: str
    starts: float | None = None


@dataclass(frozen=True)
class LeftOut:
    """The fluid space that holds ``point`` is not solved; ``condition`` is what its walls do."""

    name: str
    point: tuple[float, float, float]
    condition: WallCondition


@dataclass(frozen=True)
class WallPatch:
    """A rectangle of an enclosure's outer side with its own condition."""

    name: str
    enclosure: str
    side: str
    rect: tuple[tuple[float, float], tuple[float, float]]
    condition: WallCondition
    roughness: float = 0.0
    finish: Finish | None = None


@dataclass(frozen=True)
class Contact:
    """Area resistance (m2 K/W) between two solids; ``to`` empty: all that ``of`` touches."""

    name: str
    of: str
    to: str
    resistance: float


@dataclass(frozen=True)
class FaceGroup:
    """Faces of an imported solid (their numbers) with a ``condition`` (None: none) and an area ``resistance``
    (m2 K/W)."""

    name: str
    of: str
    faces: tuple[int, ...]
    condition: WallCondition | None = None
    resistance: float = 0.0
    roughness: float = 0.0
    finish: Finish | None = None
