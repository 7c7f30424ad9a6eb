"""What moves the fluid of a resolved layout and where it crosses the walls."""

from __future__ import annotations

from dataclasses import dataclass

from ..project.library import FanData
from ..shapes.geometry import Box


@dataclass(frozen=True)
class Opening:
    """A rectangle in a wall where fluid crosses: an inlet, an outlet, a vent, a wall fan. ``kind`` "velocity",
    "volume", "mass", "pressure".

    ``value`` m/s, m3/s, kg/s (inward) or Pa; ``head``: what enters starts from rest outside. ``serves`` names the fluid
    it opens to where it reaches several (empty: the one behind its middle). With an empty ``side`` it lies on the
    blanking plate named ``enclosure``. ``direction`` is where a given flow heads (None: square to the opening),
    ``swirl`` its tangential speed at the rim over the axial one, counterclockwise seen from outside. ``table`` gives a
    profile: axis number, place (m) along it and relative speed of each point.
    """

    name: str
    role: str
    enclosure: str
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
    table: tuple[tuple[float, float, float], ...] = ()
    turbulence: tuple[float, float] = (0.05, 0.0)
    hub: float = 0.0
    serves: str = ""
    direction: tuple[float, float, float] | None = None
    swirl: float = 0.0

    @property
    def plated(self) -> bool:
        """Whether it lies on a blanking plate."""
        return not self.side


@dataclass(frozen=True)
class FanPlane:
    """A fan or pump inside the fluid: normal axis, position (m), rectangle in the other two axes, direction."""

    name: str
    axis: int
    position: float
    rect: tuple[tuple[float, float], tuple[float, float]]
    sign: int
    fan: FanData
    hub: float = 0.0
    swirl: float = 0.0


@dataclass(frozen=True)
class ScreenPlane:
    """A plane with a loss coefficient (on the approach speed) inside the fluid."""

    name: str
    axis: int
    position: float
    rect: tuple[tuple[float, float], tuple[float, float]]
    loss: float


@dataclass(frozen=True)
class PorousBlock:
    """A box of fluid among fins, wires or foam that are not resolved: pressure falls along each axis by ``inertial``
    (1/m) times half the density times speed squared, and ``viscous`` (1/m2) times viscosity times speed, of the speed
    before it; heat conducts by ``k`` (W/m/K; None: as the fluid's), ``power`` W is released."""

    name: str
    box: Box
    inertial: tuple[float, float, float]
    viscous: tuple[float, float, float]
    k: tuple[float, float, float] | None = None
    power: float = 0.0


@dataclass(frozen=True)
class Port:
    """A mouth of a blower in a side of its housing: ``axis`` across it, ``sign`` of the way out of the housing, where
    it stands (m), its rectangle in the other two axes."""

    axis: int
    sign: int
    position: float
    rect: tuple[tuple[float, float], tuple[float, float]]


@dataclass(frozen=True)
class Blower:
    """What draws in by one mouth of its housing and blows out of another: as much, as warm, by its curve."""

    name: str
    inlet: Port
    outlet: Port
    fan: FanData


@dataclass(frozen=True)
class PeriodicDrive:
    """What drives the flow along a periodic axis: ``kind`` "velocity", "volume", "mass" or "gradient" and its SI value.

    ``entering`` (K): bulk temperature of what enters the pitch, where all walls have one temperature.
    """

    name: str
    axis: int
    sign: int
    kind: str
    value: float
    entering: float = 293.15
