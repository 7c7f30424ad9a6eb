"""All quantities of a solution, worked out once when they are first asked for: of cells, and of walls.

What there is stands in :mod:`model.quantities`; here is how each is worked out.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import Any

import numpy as np

from ..errors import StithyError, ValueProblem
from ..mesh.occupancy import FLUID, VOID
from ..model import quantities
from ..model.drawn import References
from ..model.quantities import CELLS, QUANTITIES, Quantity
from ..numerics.interpolate import resample
from ..solution.solution import Solution
from . import age
from .sample import Sampler
from .walls import WallTable

_SERIAL = count()
SIGMA = 5.670374419e-8  # W/m2/K4
#: how each quantity of the list is worked out
_WORK: dict[str, Callable[[Values], np.ndarray]] = {}


def _works_out(*names: str):
    def keep(work: Callable) -> Callable:
        for name in names:
            assert name in QUANTITIES
            _WORK[name] = work
        return work

    return keep


class Values:
    """The quantities of one solution. Arrays are SI, temperatures K; NaN where a quantity has no value."""

    def __init__(self, solution: Solution, references: References | None = None, other: Solution | None = None):
        self.solution, self.references, self.other = solution, references or References(), other
        self.grid, self.ambient = solution.grid, float(solution.summary["ambient"])
        self.fluid, self.live = solution.kind == FLUID, solution.kind != VOID
        #: unlike that of all other solutions' values, and what readers keep with them
        self.serial = next(_SERIAL)
        self.cache: dict[str, Any] = {}
        self._kept: dict[str, np.ndarray] = {}
        self._walls: WallTable | None = None

    @property
    def walls(self) -> WallTable:
        """The table of all walls."""
        if self._walls is None:
            self._walls = WallTable(self.solution)
        return self._walls

    def quantity(self, name: str) -> Quantity:
        """The quantity of that name, or of that formula. Raises StithyError where there is none."""
        try:
            return quantities.find(name)
        except ValueProblem as error:
            raise StithyError(f"{error.what} {error.remedy}") from error

    def of(self, name: str) -> np.ndarray:
        """Values of a quantity: (nx, ny, nz) of cells, or one of each wall face. Raises StithyError where it cannot be
        had of this solution."""
        if name not in self._kept:
            found = self.quantity(name)
            if found.formula:
                values = self._formula(found)
            elif found.name.startswith(quantities.MINUS):
                values = self._minus(found.name[len(quantities.MINUS) :])
            else:
                values = np.asarray(_WORK[found.name](self), float)
            if found.place == CELLS:
                values = np.where(self.mask(found.where), values, np.nan)
            self._kept[name] = values
        return self._kept[name]

    def at(self, name: str, points) -> np.ndarray:
        """Values of a quantity of cells at points (n, 3), m; NaN where it has none. Raises StithyError."""
        return self.sampled(name, Sampler(self.solution, points))

    def sampled(self, name: str, sampler: Sampler) -> np.ndarray:
        """As :meth:`at`, with the points' places in the grid known."""
        found = self.quantity(name)
        if found.formula:
            fields = {q.name: self.sampled(q.name, sampler) for q in quantities.used(found.name)}
            return np.broadcast_to(quantities.work_out(found.name, fields, self.ambient), len(sampler.points))
        if found.place != CELLS:
            raise StithyError(f"“{name}” lives on walls. Ask for it along the surface of a part.")
        if name in ("temperature", "rise over ambient"):
            return sampler.temperature() - (self.ambient if name != "temperature" else 0.0)
        if name == "speed" or name.startswith("velocity "):
            u = sampler.velocity()
            return np.linalg.norm(u, axis=1) if name == "speed" else u[:, "xyz".index(name[-1])]
        if found.where == "fluid":
            return np.where(sampler.fluid, sampler.cells_of(self.of(name)), np.nan)
        return sampler.cells_of(self.of(name))

    def _minus(self, name: str) -> np.ndarray:
        """A quantity of cells minus that of the other result, carried to this grid: of fluid from fluid, of solids from
        solids. Raises StithyError where there is no other."""
        if self.other is None:
            raise StithyError("There is no result to compare with. Name a solved layout in the cell “minus”.")
        theirs, centres = Values(self.other, self.references), self.grid.centres
        found, out = theirs.of(name), np.full(self.grid.shape, np.nan)
        for mine, its in ((self.fluid, theirs.fluid), (self.live & ~self.fluid, theirs.live & ~theirs.fluid)):
            known = its & np.isfinite(found)
            if mine.any() and known.any():
                out[mine] = resample(found, self.other.grid.centres, centres, known)[mine]
        return self.of(name) - out

    def _formula(self, q: Quantity) -> np.ndarray:
        fields = {}
        for part in quantities.used(q.name):
            x = self.of(part.name)
            fields[part.name] = self.at_walls(x) if q.place != CELLS and part.place == CELLS else x
        found = quantities.work_out(q.name, fields, self.ambient)
        return np.broadcast_to(found, self.grid.shape if q.place == CELLS else self.walls.cell.shape)

    def mask(self, where: str) -> np.ndarray:
        """Cells where a quantity has values."""
        return self.fluid if where == "fluid" else self.live & ~self.fluid if where == "solids" else self.live

    def range(self, name: str, among: np.ndarray | None = None) -> tuple[float, float]:
        """Least and largest value (SI), ``among`` some cells or wall faces only."""
        values = self.of(name)
        values = values[np.isfinite(values) if among is None else np.isfinite(values) & among]
        if not values.size:
            return 0.0, 1.0
        return float(values.min()), float(values.max())

    def property(self, name: str) -> np.ndarray:
        """One of :attr:`Solution.properties`. Raises StithyError where the result has not kept it."""
        found = self.solution.properties.get(name)
        if found is None:
            raise StithyError(f"This result has not kept its {name}. Solve the layout again.")
        return found

    def extra(self, name: str) -> np.ndarray:
        """A field of the mixing model. Raises StithyError where it has none."""
        found = self.solution.extra.get(name)
        if found is None or found.shape != self.solution.kind.shape:
            mixing = self.solution.summary.get("mixing", "laminar")
            raise StithyError(f"This result has no {name}: its flow was solved as {mixing}.")
        return found

    def at_walls(self, cells: np.ndarray) -> np.ndarray:
        """Values of cells (nx, ny, nz) before each wall face."""
        return cells.ravel()[self.walls.cell]

    def reference(self) -> np.ndarray:
        """Temperature (K) that heat transfer coefficients refer to, of each wall face."""
        against = self.references.against
        if against == "bulk":
            return self.walls.bulk
        return np.full(len(self.walls.cell), self.ambient if against is None else float(against))


@_works_out("temperature")
def _temperature(v: Values):
    return v.solution.temperature


@_works_out("rise over ambient")
def _rise(v: Values):
    return v.solution.temperature - v.ambient


@_works_out("speed")
def _speed(v: Values):
    return np.linalg.norm(v.solution.velocity(), axis=-1)


for _a, _name in enumerate("xyz"):

    @_works_out(f"velocity {_name}")
    def _velocity(v: Values, a=_a):
        return v.solution.velocity()[..., a]

    @_works_out(f"conductivity {_name}")
    def _conductivity(v: Values, name=_name):
        return v.property(f"conductivity {name}")

    @_works_out(f"heat flux {_name}")
    def _flux(v: Values, a=_a):
        return conducted(v, a)


@_works_out("pressure")
def _pressure(v: Values):
    return v.solution.pressure


@_works_out("total pressure")
def _total(v: Values):
    return v.solution.pressure + 0.5 * _density(v) * _speed(v) ** 2


@_works_out("density")
def _density(v: Values):
    if v.solution.density is None:
        raise StithyError("This result has not kept its density. Solve the layout again.")
    return v.solution.density


@_works_out("vapour share")
def _vapour(v: Values):
    return np.where(_of_bath(v, "saturation") > 0.0, _of_bath(v, "vapour share"), np.nan)


@_works_out("superheat")
def _superheat(v: Values):
    level = _of_bath(v, "saturation")
    return np.where(level > 0.0, v.solution.temperature - level, np.nan)


@_works_out("boiling flux")
def _boiling(v: Values):
    level = _of_bath(v, "saturation").ravel()[v.walls.cell]
    boils = (level > 0.0) & (v.of("wall temperature") > level)
    return np.where(boils, v.of("wall heat flux"), np.where(level > 0.0, 0.0, np.nan))


def _of_bath(v: Values, name: str) -> np.ndarray:
    """A stored field of a bath. Raises StithyError where there is none."""
    if name not in v.solution.extra:
        raise StithyError("There is no bath in this result: give an enclosure a level, and solve it.")
    return v.solution.extra[name]


@_works_out("residence time")
def _age(v: Values):
    return age.residence_time(v.solution)


@_works_out("viscosity")
def _viscosity(v: Values):
    return v.property("viscosity")


@_works_out("turbulent viscosity ratio")
def _eddies(v: Values):
    return v.property("effective viscosity") / np.maximum(v.property("viscosity"), 1e-30) - 1.0


@_works_out("turbulent energy")
def _k(v: Values):
    return v.extra("k")


@_works_out("dissipation")
def _epsilon(v: Values):
    return v.extra("epsilon")


@_works_out("turbulent frequency")
def _omega(v: Values):
    return v.extra("omega")


@_works_out("heat flux")
def _flux_size(v: Values):
    return np.sqrt(sum(v.of(f"heat flux {a}") ** 2 for a in "xyz"))


@_works_out("cell size")
def _size(v: Values):
    return np.cbrt(v.grid.volumes())


@_works_out("part")
def _part(v: Values):
    return v.solution.part + 1


@_works_out("fluid space")
def _space(v: Values):
    return v.solution.spaces + 1


@_works_out("difference")
def _difference(v: Values):
    return v._minus("temperature")


@_works_out("wall temperature")
def _wall_temperature(v: Values):
    return v.walls.temperature


@_works_out("wall heat flux")
def _wall_flux(v: Values):
    return v.walls.heat / v.walls.area


@_works_out("heat transfer coefficient")
def _coefficient(v: Values):
    difference = v.walls.temperature - v.reference()
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(np.abs(difference) > 1e-9, _wall_flux(v) / difference, np.nan)


@_works_out("Nusselt number")
def _nusselt(v: Values):
    k = v.at_walls(v.property("conductivity x"))
    return v.of("heat transfer coefficient") * v.references.length / np.where(k > 0, k, np.nan)


@_works_out("wall shear")
def _shear(v: Values):
    return np.linalg.norm(v.walls.shear, axis=1) / v.walls.area


@_works_out("skin friction coefficient")
def _friction(v: Values):
    return _shear(v) / (0.5 * np.maximum(v.at_walls(_density(v)), 1e-30) * v.references.speed**2)


@_works_out("y+")
def _y_plus(v: Values):
    rho = v.at_walls(_density(v))
    mu = v.at_walls(v.property("viscosity"))
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(mu > 0, v.walls.gap * np.sqrt(rho * _shear(v)) / mu, np.nan)


@_works_out("wall pressure")
def _wall_pressure(v: Values):
    return v.walls.pressure


def _radiates(v: Values, values: np.ndarray) -> np.ndarray:
    """Values of walls that radiate, NaN of the others. Raises StithyError where none do."""
    some = v.walls.falls > 0.0
    if not some.any():
        raise StithyError("Nothing radiates in this result: radiation was left out, or all fluids are liquids.")
    return np.where(some, values, np.nan)


@_works_out("radiated flux")
def _radiated(v: Values):
    return _radiates(v, v.walls.radiated / v.walls.area)


@_works_out("mean radiant temperature")
def _mean_radiant(v: Values):
    return _radiates(v, (np.maximum(v.walls.falls, 0.0) / SIGMA) ** 0.25)


@_works_out("absorbed sunshine")
def _sunshine(v: Values):
    return _radiates(v, v.walls.sun / v.walls.area)


def conducted(v: Values, axis: int) -> np.ndarray:
    """Conducted heat flux (W/m2) along an axis in cells: mean of the two faces, each by the conductances in series of
    the cells beside it (Patankar 1980, 4.2-3); faces where there is nothing beside count as the other one."""
    t, k = (np.moveaxis(x, axis, 0) for x in (v.solution.temperature, v.property(f"conductivity {'xyz'[axis]}")))
    live = np.moveaxis(v.live, axis, 0)
    half = (0.5 * v.grid.widths[axis]).reshape(-1, 1, 1)
    way = half / np.maximum(k, 1e-12)
    q = (t[:-1] - t[1:]) / (way[:-1] + way[1:])
    q = np.where(live[:-1] & live[1:], q, np.nan)
    edge = np.full_like(q[:1], np.nan) if len(q) else np.full_like(t, np.nan)
    low, high = np.concatenate([edge, q]), np.concatenate([q, edge])
    one = np.where(np.isfinite(low), low, high)
    other = np.where(np.isfinite(high), high, low)
    return np.moveaxis(np.nan_to_num(0.5 * (one + other)), 0, axis)
