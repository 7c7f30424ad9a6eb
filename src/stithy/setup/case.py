"""The numerical case: everything the solver needs as SI arrays, and nothing by name."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from ..mesh.crossings import Crossings
from ..mesh.lines import Grid
from ..mesh.occupancy import FLUID, SOLID, fluid_spaces
from ..model import Sun

if TYPE_CHECKING:
    from .bath import Bath
    from .radiating import RadiatingFaces


#: density (kg/m3) above which a fluid lets no radiation through
LIQUID = 50.0


@dataclass(frozen=True)
class Fluid:
    """Properties at the reference temperature: rho kg/m3, mu Pa s, cp J/kg/K, k W/m/K, beta 1/K.

    ``table`` (None: constant properties) holds rows temperature K, rho, mu, cp, k over the range the fluid is known in;
    with it properties follow temperature, and buoyancy is the difference of densities instead of beta times
    temperature.
    """

    rho: float
    mu: float
    cp: float
    k: float
    beta: float
    table: tuple[tuple[float, ...], ...] | None = None


@dataclass(frozen=True)
class FanCurve:
    """Static pressure rise (Pa) against volume flow (m3/s); ``flow`` rises from zero.

    Beyond the last point the curve goes on with its last slope (the fan then resists the flow); below zero flow
    it stays at the shut-off pressure.
    """

    flow: tuple[float, ...]
    rise: tuple[float, ...]

    def at(self, q: float) -> tuple[float, float]:
        """Pressure rise (Pa) and slope (Pa s/m3) at volume flow ``q`` (m3/s)."""
        f, r = self.flow, self.rise
        if q <= 0:
            return r[0], 0.0
        i = min(max(int(np.searchsorted(f, q)), 1), len(f) - 1)
        slope = (r[i] - r[i - 1]) / (f[i] - f[i - 1])
        return r[i - 1] + slope * (q - f[i - 1]), slope


@dataclass(frozen=True)
class OpeningFaces:
    """Where fluid crosses the edge of the model: faces between fluid cells and the outside.

    ``cells`` (m, 3) are the fluid cells; ``axis`` and ``outward`` (+1 or -1) say which of their faces.
    ``kind`` is "velocity" (``speed`` inward, m/s) or "pressure" (``pressure`` Pa outside, relative to ambient,
    ``loss`` coefficient on the approach speed; what enters has lost its dynamic head from rest unless
    ``head`` is False). ``temperature`` (K) is that of whatever enters. A fan on the patch adds its rise in the
    direction ``fan_sign`` (+1 blows in). ``head`` False means the pressure is the static one just inside.
    ``profile`` (m,) scales ``speed`` face by face (developed inlets; its area mean is 1). ``intensity`` and ``length``
    (m; 0: from the opening's size) are the turbulence of what enters. An opening whose faces stand across several axes
    is several of these that have the same number ``end``; then ``whole`` (m2) is its true area,
    ``inward`` its direction into the model, ``fast`` (m/s) the
    speed of what enters where it is given, and ``held`` the velocities beyond the faces: cells (n, 3), velocity (n,
    3) m/s. ``blower``: number of the one that it is a mouth of (two follow each other: inlet, outlet); it is no
    opening of the model then.
    """

    axis: int
    outward: int
    cells: np.ndarray
    kind: str
    temperature: float
    speed: float = 0.0
    pressure: float = 0.0
    loss: float = 0.0
    head: bool = True
    fan: FanCurve | None = None
    fan_sign: int = 1
    profile: np.ndarray | None = None
    intensity: float = 0.05
    length: float = 0.0
    end: int = -1
    whole: float = 0.0
    inward: tuple[float, float, float] | None = None
    fast: float = 0.0
    held: tuple[np.ndarray, np.ndarray] | None = None
    blower: int = -1


@dataclass(frozen=True)
class FanFaces:
    """A fan inside the fluid: faces on the high side of ``cells`` along ``axis``, blowing towards ``sign``.

    ``swirl`` is the tangential speed at the rim over the axial speed of what leaves it; ``hub`` cells whose faces it
    blocks.
    """

    axis: int
    cells: np.ndarray
    sign: int
    curve: FanCurve
    swirl: float = 0.0
    hub: np.ndarray | None = None


@dataclass(frozen=True)
class ScreenFaces:
    """A perforated plate or filter: ``loss`` coefficient on the approach speed, on the high faces of ``cells`` along
    ``axis``."""

    axis: int
    cells: np.ndarray
    loss: float


@dataclass(frozen=True)
class PorousCells:
    """Fluid ``cells`` (m, 3) among what is not resolved: along each axis pressure falls by ``inertial`` (1/m) rho u^2 /
    2 plus ``viscous`` (1/m2) mu u; eddies of the flow outside do not live there."""

    cells: np.ndarray
    inertial: tuple[float, float, float]
    viscous: tuple[float, float, float]


@dataclass(frozen=True)
class HeatLinks:
    """Heat exchange of cells with given temperatures outside: ``conductance`` (W/K), ``temperature`` (K).

    ``cells`` (m, 3); ``owner`` (m,) tells which wall (any number the caller likes) for the balance sheet;
    ``half`` (K/W) is the part of the resistance that lies in the cell, which mixing makes smaller in fluids and
    temperature changes in some solids (None: the whole resistance of fluid cells does). ``side`` is 2 axis + 1 for the
    high face of a cell, 2 axis for the low one (None: not known). Of outer sides that radiate or stand in the sun
    (None: there are none): ``film`` (W/K) of the coefficient alone, ``emits`` (m2) emissivity times area, ``sky`` (K)
    what it faces, ``takes`` (m2) absorptivity times area. ``air`` (m, n): what films that follow the wall's temperature
    come from (:mod:`outside`), with the face's area behind; NaN: the film is given.
    """

    cells: np.ndarray
    conductance: np.ndarray
    temperature: np.ndarray
    owner: np.ndarray
    half: np.ndarray | None = None
    side: np.ndarray | None = None
    film: np.ndarray | None = None
    emits: np.ndarray | None = None
    sky: np.ndarray | None = None
    takes: np.ndarray | None = None
    air: np.ndarray | None = None

    @staticmethod
    def none() -> HeatLinks:
        """No exchange at all."""
        return HeatLinks(np.zeros((0, 3), int), np.zeros(0), np.zeros(0), np.zeros(0, int))


@dataclass(frozen=True)
class Joins:
    """Heat links of cells that are no neighbours: ``one`` and ``other`` (m, 3) cells, ``conductance`` (m,) W/K."""

    one: np.ndarray
    other: np.ndarray
    conductance: np.ndarray


@dataclass(frozen=True)
class Drive:
    """What keeps the flow going along a periodic axis: ``gradient`` (Pa/m) or, when None, ``mass_flow`` (kg/s).

    ``wall`` "given heat": temperatures rise by the same amount from pitch to pitch; "given temperature": differences
    from the walls' temperature ``level`` (K) shrink by the same factor from pitch to pitch, and what enters has the
    bulk temperature ``entering`` (K).
    """

    axis: str
    gradient: float | None = None
    mass_flow: float = 0.0
    sign: int = 1
    wall: str = "given heat"
    level: float = 293.15
    entering: float = 293.15


@dataclass
class Case:
    """One steady conjugate problem.

    kind : uint8 (nx, ny, nz), FLUID, SOLID or VOID.
    part : int32, which part a cell belongs to (-1: none); for watches and tables only.
    conductivity : three arrays W/m/K, along x, y, z (fluid cells: the fluid's).
    heat : W per cell.
    fluid_of : int32, index into ``fluids`` for fluid cells.
    gravity : m/s2. reference : Boussinesq reference temperature, K (also the start temperature).
    symmetry : names of domain sides without friction or heat flow, e.g. {"x-", "z+"}.
    walled : of such a side, which of its cells are wall all the same: bool, shape of the grid without that axis.
    moving : domain side -> (3,) wall velocity, m/s.
    mixing : "laminar", "wall-law" (the algebraic enclosure model), "k-epsilon" or "k-omega" (shear-stress transport).
    periodic : names of axes along which the model repeats; drive : what moves the fluid along one of them.
    capacity : rho cp of solid cells, J/m3/K (for transients only). contact : m2 K/W on high faces along x, y, z.
    crossing : where curved walls cross the segments between cell centres, and their tilt; None: there are none.
    fixed : temperature (K) of cells that are held, NaN elsewhere. pressure : absolute, Pa.
    start : temperature (K) at the start of a run; None: the reference.
    given : domain side -> (cells (m, 3), flux W/m2) of its faces with a given heat flux, which ``heat`` holds already.
    rough : sand-grain roughness (m) of the walls beside cells, as of :func:`setup.rough.roughness`; None: all smooth.
    belts : velocities (m/s) of parts, by their numbers, whose surfaces move along their faces.
    radiating : faces that radiate to each other; None: none do. radiant : K, what openings of ambient temperature show
    instead of it. sun : None: it does not shine. bath : a liquid with room for its vapour; None: there is none.
    blown : curves of blowers, whose mouths are among the openings. joins : heat links of cells that are no neighbours.
    tables : (mask of solid cells, rows of temperature K and conductivity over that in ``conductivity``).
    """

    grid: Grid
    kind: np.ndarray
    part: np.ndarray
    conductivity: tuple[np.ndarray, np.ndarray, np.ndarray]
    heat: np.ndarray
    fluids: list[Fluid]
    fluid_of: np.ndarray
    openings: list[OpeningFaces] = field(default_factory=list)
    fans: list[FanFaces] = field(default_factory=list)
    screens: list[ScreenFaces] = field(default_factory=list)
    porous: list[PorousCells] = field(default_factory=list)
    links: HeatLinks = field(default_factory=HeatLinks.none)
    gravity: tuple[float, float, float] = (0.0, 0.0, 0.0)
    reference: float = 293.15
    symmetry: frozenset[str] = frozenset()
    walled: dict[str, np.ndarray] = field(default_factory=dict)
    moving: dict[str, tuple[float, float, float]] = field(default_factory=dict)
    mixing: str = "laminar"
    periodic: frozenset[str] = frozenset()
    drive: Drive | None = None
    capacity: np.ndarray | None = None
    contact: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None
    crossing: Crossings | None = None
    fixed: np.ndarray | None = None
    pressure: float = 101325.0
    start: np.ndarray | None = None
    tables: list[tuple[np.ndarray, np.ndarray]] = field(default_factory=list)
    given: dict[str, list[tuple[np.ndarray, float]]] = field(default_factory=dict)
    rough: np.ndarray | None = None
    radiating: RadiatingFaces | None = None
    belts: dict[int, tuple[float, float, float]] = field(default_factory=dict)
    sun: Sun | None = None
    radiant: float | None = None
    bath: Bath | None = None
    blown: list[FanCurve] = field(default_factory=list)
    joins: Joins | None = None
    space: np.ndarray = field(init=False)
    spaces: int = field(init=False)

    def __post_init__(self):
        shut = self.crossing.shut if self.crossing else None
        self.space, self.spaces = fluid_spaces(self.kind, tuple("xyz".index(a) for a in self.periodic), shut)

    def mirror(self, axis: int, up: bool) -> np.ndarray | None:
        """Where the given side of the domain is one of symmetry: bool, shape of the grid without that axis; None where
        it is none."""
        side = f"{'xyz'[axis]}{'+' if up else '-'}"
        if side not in self.symmetry:
            return None
        wall = self.walled.get(side)
        return ~wall if wall is not None else np.ones([n for a, n in enumerate(self.grid.shape) if a != axis], bool)

    @property
    def outlets(self) -> list[OpeningFaces]:
        """The ``openings`` that lead outside; the mouths of blowers, which follow them, do not."""
        return [p for p in self.openings if p.blower < 0]

    def ends(self) -> list[list[int]]:
        """Numbers of the ``openings`` that make each opening of the model, in their order."""
        out: dict[int, list[int]] = {}
        for m, patch in enumerate(self.openings):
            if patch.blower >= 0:
                continue
            out.setdefault(patch.end if patch.end >= 0 else m, []).append(m)
        return [out[k] for k in sorted(out)]

    @property
    def has_flow(self) -> bool:
        """Whether anything can move: an opening, a fan, a moving wall, or buoyancy."""
        buoyant = any(self.gravity) and any(f.beta or f.table for f in self.fluids)
        return bool(
            (self.kind == FLUID).any()
            and (self.openings or self.fans or self.moving or self.belts or buoyant or self.drive)
        )

    @property
    def buoyant(self) -> bool:
        """Whether temperatures push the flow."""
        return bool(any(self.gravity) and any(f.beta or f.table for f in self.fluids) and (self.kind == FLUID).any())


def simple_case(grid: Grid, fluid: Fluid | None, solid_k: float = 1.0, **more) -> Case:
    """A case that is all one fluid, or all one solid of conductivity ``solid_k`` when ``fluid`` is None."""
    shape = grid.shape
    k = fluid.k if fluid else solid_k
    return Case(
        grid=grid,
        kind=np.full(shape, FLUID if fluid else SOLID, np.uint8),
        part=np.full(shape, -1, np.int32),
        conductivity=tuple(np.full(shape, float(k)) for _ in range(3)),
        heat=np.zeros(shape),
        fluids=[fluid] if fluid else [],
        fluid_of=np.zeros(shape, np.int32),
        **more,
    )


def side_links(case: Case, side: str, temperature: float, h: float = np.inf, owner: int = 0) -> HeatLinks:
    """Heat links of one domain side ("x-" to "z+") at ``temperature`` (K) through ``h`` (W/m2/K, inf: fixed)."""
    axis, high = "xyz".index(side[0]), side[1] == "+"
    n = case.grid.shape
    index = [np.arange(m) for m in n]
    index[axis] = np.array([n[axis] - 1 if high else 0])
    cells = np.stack(np.meshgrid(*index, indexing="ij"), -1).reshape(-1, 3)
    i, j, k = cells.T
    area = np.prod([case.grid.widths[a][cells[:, a]] for a in range(3) if a != axis], axis=0)
    half = 0.5 * case.grid.widths[axis][cells[:, axis]]
    g = area / (half / case.conductivity[axis][i, j, k] + 1.0 / h)
    inside = half / case.conductivity[axis][i, j, k] / area
    return HeatLinks(
        cells, g, np.full(len(g), float(temperature)), np.full(len(g), owner), inside, np.full(len(g), 2 * axis + high)
    )


def join_links(*links: HeatLinks) -> HeatLinks:
    """Several sets of links as one."""
    return HeatLinks(
        *(
            np.concatenate([getattr(x, f) for x in links])
            for f in ("cells", "conductance", "temperature", "owner", "half", "side")
        )
    )


def side_opening(case: Case, side: str, **more) -> OpeningFaces:
    """A patch over a whole domain side."""
    axis, high = "xyz".index(side[0]), side[1] == "+"
    n = case.grid.shape
    index = [np.arange(m) for m in n]
    index[axis] = np.array([n[axis] - 1 if high else 0])
    cells = np.stack(np.meshgrid(*index, indexing="ij"), -1).reshape(-1, 3)
    cells = cells[case.kind[tuple(cells.T)] == FLUID]
    return OpeningFaces(axis=axis, outward=1 if high else -1, cells=cells, **more)
