"""The one list of quantities that can be read off a result: names, dimensions, where they live; and formulas of them.

How each is worked out stands in :mod:`read.values`; window, command line, export and manual share this list. A formula
is arithmetic with units over the quantities: "= pressure + 0.5*density*speed**2" (low lines for blanks); no code is
ever run.
"""

from __future__ import annotations

import re
import warnings
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import ValueProblem
from ..project import units
from ..project.expressions import evaluate

CELLS, WALLS = "cells", "walls"
ALL, FLUID, SOLIDS = "all", "fluid", "solids"


@dataclass(frozen=True)
class Quantity:
    """One entry: its ``dimension`` (a key of units.DIMENSIONS, or a unit), whether it lives in ``CELLS`` or on
    ``WALLS``, ``where`` it has values, and ``what`` it is, with its source."""

    name: str
    dimension: str
    what: str
    where: str = ALL
    place: str = CELLS

    @property
    def word(self) -> str:
        """How it is written in a formula."""
        return self.name.replace(" ", "_").replace("+", "_plus")

    @property
    def formula(self) -> bool:
        """Whether it is a formula of others."""
        return self.name.startswith("=")


def _axes(name: str, dimension: str, what: str, where: str) -> list[Quantity]:
    return [Quantity(f"{name} {a}", dimension, f"{what} along {a}", where) for a in "xyz"]


_LIST = [
    Quantity("temperature", "temperature", "of every cell, as solved"),
    Quantity("rise over ambient", "temperature difference", "temperature minus that of the surroundings"),
    Quantity("difference", "temperature difference", "temperature minus that of the layout named in “minus”"),
    Quantity("speed", "velocity", "size of the velocity, mean of a cell's faces", FLUID),
    *_axes("velocity", "velocity", "mean of a cell's faces,", FLUID),
    Quantity("pressure", "pressure", "static pressure over that of the surroundings", FLUID),
    Quantity("total pressure", "pressure", "static pressure plus half the density times speed squared", FLUID),
    Quantity("density", "density", "of fluids, as used last", FLUID),
    Quantity("vapour share", "share", "of a bath: part of the volume that is vapour, or air above it", FLUID),
    Quantity("superheat", "temperature difference", "of a bath: temperature over saturation at its depth", FLUID),
    Quantity("residence time", "time", "mean time since what is there entered, carried by the flow alone", FLUID),
    Quantity("viscosity", "viscosity", "molecular, as used last", FLUID),
    Quantity("turbulent viscosity ratio", "ratio", "of the mixing model's eddies to the molecular viscosity", FLUID),
    Quantity("turbulent energy", "specific energy", "k of k-epsilon and k-omega", FLUID),
    Quantity("dissipation", "dissipation rate", "epsilon of k-epsilon", FLUID),
    Quantity("turbulent frequency", "frequency", "omega of k-omega", FLUID),
    *_axes("conductivity", "conductivity", "as used last, molecular in fluids,", ALL),
    *_axes("heat flux", "heat flux", "conducted, mean of a cell's faces,", SOLIDS),
    Quantity("heat flux", "heat flux", "size of the conducted heat flux", SOLIDS),
    Quantity("cell size", "length", "cube root of a cell's volume"),
    Quantity("part", "ratio", "number of the part", SOLIDS),
    Quantity("fluid space", "ratio", "number of the fluid space", FLUID),
    Quantity("wall temperature", "temperature", "of the surface, as the energy balance has it", ALL, WALLS),
    Quantity("wall heat flux", "heat flux", "into the fluid (outside: into the solid), as balanced", ALL, WALLS),
    Quantity(
        "heat transfer coefficient",
        "heat transfer coefficient",
        "wall heat flux over wall temperature minus ambient, bulk or a given temperature (the cell “against”)",
        ALL,
        WALLS,
    ),
    Quantity(
        "Nusselt number",
        "ratio",
        "heat transfer coefficient times the length in “length” over the fluid's conductivity",
        ALL,
        WALLS,
    ),
    Quantity("wall shear", "pressure", "friction per area, as the momentum balance has it", ALL, WALLS),
    Quantity(
        "skin friction coefficient",
        "ratio",
        "wall shear over half the density times the square of the speed in “speed”",
        ALL,
        WALLS,
    ),
    Quantity("y+", "ratio", "distance of the first cell's centre from the wall, in wall units", ALL, WALLS),
    Quantity("wall pressure", "pressure", "static pressure carried to the wall", ALL, WALLS),
    Quantity("radiated flux", "heat flux", "net, emitted less absorbed, of surfaces that face a gas", ALL, WALLS),
    Quantity(
        "mean radiant temperature",
        "temperature",
        "of black surroundings that would send a surface what falls on it",
        ALL,
        WALLS,
    ),
    Quantity("boiling flux", "heat flux", "of walls of a bath above saturation: wall heat flux", ALL, WALLS),
    Quantity("absorbed sunshine", "heat flux", "direct, diffuse and thrown back by others", ALL, WALLS),
]
#: all quantities by name
QUANTITIES: dict[str, Quantity] = {q.name: q for q in _LIST}
#: what can be watched beside them: dimension and meaning
WATCHED: dict[str, tuple[str, str]] = {
    "mass flow": ("mass flow", "into an opening, along a fan, or through a section"),
    "volume flow": ("volume flow", "into an opening, along a fan, or through a section"),
    "heat": ("power", "carried out by an opening, or given by a part to all that is about it"),
    "radiated": ("power", "net heat that a part or side gives to others by radiation, less what it takes"),
    "radiated share": ("ratio", "of the heat that a part gives to gas and surroundings, what leaves it by radiation"),
    "vapour volume": ("volume", "of a bath: vapour below the level of the start, mean of a second; good to 30 %"),
    "venting": ("mass flow", "of a bath: its vapour that leaves by openings, mean of a second"),
    "level": ("length", "of a bath: how far it stands above the level of the start, mean of a second"),
    "share of critical flux": ("share", "of a part in a bath: mean flux of its wet faces over the critical one"),
    "pressure drop": ("pressure", "static pressure of one opening less that of a second; or the rise of a fan"),
    "fan power": ("power", "air power of a fan, or of all"),
    "evenness": ("ratio", "of the flow through an opening or section: 1 is even, 0 all through one place"),
    "duty": ("power", "heat that the hotter of two streams gives to the colder one"),
    "effectiveness": ("ratio", "duty over the most that the two streams could exchange"),
    "UA": ("conductance", "duty over the logarithmic mean difference in counter-flow"),
    "NTU": ("ratio", "UA over the lesser capacity flow"),
    "LMTD": ("temperature difference", "logarithmic mean temperature difference in counter-flow"),
    "heat left over": ("power", "what the energy balance does not close by"),
    "mass left over": ("mass flow", "sum of what enters by all openings"),
}
#: how a watch takes one number from many
MEASURES = ("max", "min", "mean", "area mean", "mass mean", "volume mean", "sum", "spread", "difference")
#: what a formula may call, on numbers and on whole fields
_CALLS: dict[str, Callable] = {
    "min": lambda *x: _each(np.minimum, x),
    "max": lambda *x: _each(np.maximum, x),
    "sqrt": lambda x: x**0.5,
    "abs": abs,
    "round": np.round,
}
_LEVEL = re.compile(r"(?<![\w.])\d+\.?\d*(?:[eE][+\-]?\d+)?\s*(?:degC|degF|°C|°F)\b")


#: what stands before the name of a quantity of cells for its difference to another layout
MINUS = "difference of "


def find(name: str) -> Quantity:
    """The quantity of that name, or that formula. Raises ValueProblem where there is none, or units do not go
    together."""
    name = name.strip()
    if name.startswith("="):
        return _formula(name)
    if name.startswith(MINUS):
        base = find(name[len(MINUS) :])
        if base.place == CELLS and not base.formula:
            dimension = "temperature difference" if base.dimension == "temperature" else base.dimension
            what = f"{base.name} minus that of the layout named in “minus”"
            return Quantity(name, dimension, what, base.where)
    if name not in QUANTITIES:
        near = [n for n in QUANTITIES if n.lower().startswith(name.lower()[:3])] or list(QUANTITIES)[:8]
        raise ValueProblem(
            name, f"“{units.short(name)}” is no quantity.", f"Write one of {', '.join(near[:8])}, or = and a formula."
        )
    return QUANTITIES[name]


def used(text: str) -> list[Quantity]:
    """The quantities that a formula names."""
    names = set(re.findall(r"[A-Za-z_]\w*", text))
    return [q for q in QUANTITIES.values() if q.word in names]


def work_out(text: str, fields: dict[str, np.ndarray], ambient: float) -> np.ndarray:
    """A formula's values (SI), from those of the quantities it uses (by name)."""
    ureg = units.registry()
    names = {QUANTITIES[n].word: _with_unit(x, QUANTITIES[n], ureg) for n, x in fields.items()}
    with np.errstate(all="ignore"), warnings.catch_warnings(action="ignore", category=UserWarning):
        found = _evaluate(text, names | {"ambient": ureg.Quantity(ambient, "K")}, ureg)
    return np.asarray(found.to_base_units().magnitude, float)


def _formula(text: str) -> Quantity:
    parts = used(text)
    place = WALLS if any(q.place == WALLS for q in parts) else CELLS
    wheres = {q.where for q in parts if q.place == CELLS}
    where = FLUID if FLUID in wheres else SOLIDS if SOLIDS in wheres else ALL
    found = _trial(text, 0.0)
    dimension = _dimension_of(found)
    if dimension == "temperature":  # a level moves with all levels, a difference stays
        moved = (_trial(text, 10.0) - found).to_base_units().magnitude
        dimension = "temperature" if abs(moved - 10.0) < 1e-6 else "temperature difference"
    return Quantity(text, dimension, "a formula", where, place)


def _trial(text: str, shift: float) -> Any:
    """A formula's value with single numbers, temperatures shifted by some K: its unit, and whether it is a level. 300 K
    and 2 of all else stay clear of divisions by nothing."""
    ureg = units.registry()
    level = {"temperature": 300.0 + shift}
    names = {q.word: _with_unit(level.get(q.dimension, 2.0), q, ureg) for q in QUANTITIES.values()}
    return _evaluate(text, names | {"ambient": ureg.Quantity(293.0 + shift, "K")}, ureg, shift)


def _dimension_of(found: Any) -> str:
    """The dimension's name of a value with a unit; the unit itself where it has no name of its own."""
    ureg = units.registry()
    if found.dimensionless:
        return "ratio"
    for name, (si, *_rest) in units.DIMENSIONS.items():
        if si and found.check(ureg.Quantity(1.0, si).dimensionality):
            return name
    return f"{found.to_base_units().units:~P}"


def _with_unit(x: Any, q: Quantity, ureg: Any) -> Any:
    return ureg.Quantity(x, "K" if q.dimension == "temperature difference" else units.DIMENSIONS[q.dimension][0])


def _each(work: Callable, values: Any) -> Any:
    out = values[0]
    for x in values[1:]:
        out = work(out, x)
    return out


def _evaluate(text: str, names: dict, ureg: Any, shift: float = 0.0) -> Any:
    """A formula's value with its unit; temperatures such as 25 degC taken in kelvin, since a product with an offset
    unit has no meaning."""

    def kelvin(match: re.Match) -> str:
        return f"({units.to_si(match[0], 'temperature') + shift!r} kelvin)"

    text = _LEVEL.sub(kelvin, units.tidy(text.strip().lstrip("=")))
    try:
        found = evaluate(text, names, ureg, _CALLS)
    except ValueProblem as error:
        if "no parameter and no unit" in error.what:
            what = error.what.replace("parameter", "quantity")
            raise ValueProblem(text, what, "See all of them: stithy quantities.") from error
        raise
    return found if hasattr(found, "dimensionless") else ureg.Quantity(found, "")
