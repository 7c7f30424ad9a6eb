"""Which cells and walls of a solution a name stands for: parts, enclosures and fluid regions, fluid spaces."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from ..errors import StithyError
from ..mesh.occupancy import FLUID, VOID
from ..project.units import short
from ..solution.solution import Solution

if TYPE_CHECKING:
    from .values import Values

Place = tuple[float, float, float]


def spaces_of(s: Solution, name: str) -> list[int]:
    """Numbers of the fluid spaces that a name stands for; none for other names."""
    told = s.summary.get("fluids", {})
    if name in told:
        return list(told[name])
    if name.startswith("fluid space ") and name[12:].isdigit():
        return [int(name[12:]) - 1]
    called = s.summary.get("spaces", ())
    return [m for m, x in enumerate(called) if x == name]


def space_name(s: Solution, number: int) -> str:
    """What a fluid space is called."""
    called = s.summary.get("spaces", ())
    return called[number] if number < len(called) else f"fluid space {number + 1}"


def cells_of(s: Solution, names: Sequence[str]) -> np.ndarray:
    """Cells (bool) of parts, fluids ("fluids": all of them, "solids": all parts), or all where there are no names.

    Raises StithyError for a name that this result does not hold.
    """
    live = s.kind != VOID
    if not names:
        return live
    out = np.zeros(s.kind.shape, bool)
    for name in names:
        spaces = spaces_of(s, name)
        known = bool(spaces) or name in s.parts or name in ("fluids", "solids") or name in s.summary.get("fluids", {})
        if not known:
            raise StithyError(f"This result has no “{short(name)}”: it was left out, or added since. Solve it again.")
        if name == "fluids":
            out |= s.kind == FLUID
        elif name == "solids":
            out |= live & (s.kind != FLUID)
        if spaces:
            out |= np.isin(s.spaces, spaces) & (s.kind == FLUID)
        if name in s.parts:
            out |= s.part == s.parts.index(name)
    return out


def in_sight(s: Solution, hidden: Sequence[str]) -> np.ndarray:
    """Cells (bool) of all but hidden parts and fluids; an enclosure that is hidden hides its fluid too."""
    out = s.kind != VOID
    for name in hidden:
        spaces = spaces_of(s, name)
        if spaces:
            out &= ~(np.isin(s.spaces, spaces) & (s.kind == FLUID))
        if name in s.parts:
            out &= s.part != s.parts.index(name)
    return out


def extreme(v: Values, names: Sequence[str], quantity: str, highest: bool = True) -> tuple[float, Place]:
    """Largest (or least) value of a quantity of cells among some parts and fluids, and where (m) it is; temperatures
    up to the faces of their cells. Raises StithyError where there is none."""
    s, grid = v.solution, v.grid
    mask, values = cells_of(s, names), v.of(quantity)
    if values.shape != mask.shape:
        raise StithyError(f"“{quantity}” lives on walls: it has no place in cells.")
    sign = 1.0 if highest else -1.0
    best, place = -np.inf, (np.nan, np.nan, np.nan)
    pieces = [(values, None)]
    if quantity in ("temperature", "rise over ambient"):
        shift = v.ambient if quantity != "temperature" else 0.0
        pieces += [(x - shift, key) for key, x in s.faces.items()]
    for field, face in pieces:
        good = mask & np.isfinite(field)
        if not good.any():
            continue
        x = np.where(good, sign * field, -np.inf)
        at = np.unravel_index(int(np.argmax(x)), x.shape)
        if x[at] > best:
            best = float(x[at])
            point = [float(grid.centres[a][at[a]]) for a in range(3)]
            if face is not None:
                point[face[0]] = float(grid.lines[face[0]][at[face[0]] + face[1]])
            place = (point[0], point[1], point[2])
    if not np.isfinite(best):
        raise StithyError(f"“{short(quantity)}” has no value in {', '.join(names) or 'this model'}.")
    return sign * best, place


def hides(s: Solution) -> bool:
    """Whether some part closes in what flows, so that it has to be cut open to be seen: its bounds hold more than a
    third of all fluid."""
    fluid = s.kind == FLUID
    total = float(fluid.sum())
    if not total:
        return False
    outer = [(0, n) for n in s.kind.shape]
    for m in range(len(s.parts)):
        here = s.part == m
        if not here.any():
            continue
        bounds = []
        for a in range(3):
            on = np.flatnonzero(here.any(axis=tuple(t for t in range(3) if t != a)))
            bounds.append((int(on[0]), int(on[-1]) + 1))
        inside = fluid[tuple(slice(lo, hi) for lo, hi in bounds)]
        walls_of_all = all(lo <= o + 1 and hi >= n - 1 for (lo, hi), (o, n) in zip(bounds, outer, strict=True))
        if inside.sum() > total / 3 and not walls_of_all:
            return True
    return False
