"""Values that differ from place to place on a surface: an expression of the place, or a table along it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import ValueProblem
from ..project import units
from ..project.expressions import evaluate, outside_quotes
from ..project.units import tidy

#: what an expression may name: the place from the origin; the distance from the surface's low end along its longest
#: side; angle about, and distance from, the axis through the surface's middle
LENGTHS = ("x", "y", "z", "along", "radius_x", "radius_y", "radius_z")
ANGLES = ("angle_x", "angle_y", "angle_z")
PLACES = (*LENGTHS, *ANGLES)
_WORD = re.compile(rf"(?<![\w.])({'|'.join(PLACES)})(?!\w)")
_CALLS: dict[str, Any] = {
    "min": np.minimum,
    "max": np.maximum,
    "sqrt": lambda x: x**0.5,
    "abs": abs,
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "exp": np.exp,
    "where": lambda condition, a, b: np.where(condition > 0, a, b),
}


@dataclass(frozen=True)
class ByPlace:
    """A value of a ``dimension`` at every place of a surface.

    ``text``: an expression of :data:`PLACES` that needs no other names; or ``table``: pairs of place and value (SI)
    along the one of :data:`PLACES` that ``text`` names, straight lines between them and constant beyond. ``box``: low
    and high corner (m) of the surface.
    """

    text: str
    dimension: str
    box: tuple[tuple[float, float, float], tuple[float, float, float]]
    table: tuple[tuple[float, float], ...] = ()

    def at(self, points: np.ndarray) -> np.ndarray:
        """Values (SI) at points (n, 3) m. Raises ValueProblem where the expression cannot be worked out."""
        points = np.asarray(points, float).reshape(-1, 3)
        if self.table:
            where, values = np.array(self.table).T
            return np.interp(self._place(self.text, points), where, values)
        registry = units.registry()
        names = {
            n: registry.Quantity(self._place(n, points), "m" if n in LENGTHS else "rad")
            for n in PLACES
            if re.search(rf"(?<![\w.]){n}(?!\w)", self.text)
        }
        with np.errstate(all="ignore"):  # what has no value somewhere is told below
            found = evaluate(outside_quotes(self.text, tidy), names, registry, _CALLS)
        si = units.DIMENSIONS[self.dimension][0] or ""
        values = np.broadcast_to(np.asarray(found.to(si).magnitude, float), len(points))
        if not np.isfinite(values).all():
            raise ValueProblem(self.text, "has no value at some places.", "Check its roots, powers and divisions.")
        return values

    def _place(self, name: str, points: np.ndarray) -> np.ndarray:
        """One of :data:`PLACES`, in m or radians."""
        low, high = np.array(self.box)
        if name in ("x", "y", "z"):
            return points[:, "xyz".index(name)]
        if name == "along":
            axis = int(np.argmax(high - low))
            return points[:, axis] - low[axis]
        axis = "xyz".index(name[-1])
        one, other = ((axis + 1) % 3, (axis + 2) % 3)
        u, v = (points[:, a] - 0.5 * (low[a] + high[a]) for a in (one, other))
        return np.hypot(u, v) if name.startswith("radius") else np.arctan2(v, u)


def asks(text: str) -> bool:
    """Whether a cell's text is of the place."""
    return bool(_WORD.search(text)) and (text.lstrip().startswith("=") or _WORD.match(text.strip()) is not None)


def frozen(text: str, names: Any) -> str:
    """An expression in which all parameters and cells of rows are put in as numbers. Raises ValueProblem."""

    def quantity(q: Any) -> str:
        base = q.to_base_units()
        return f"({float(base.magnitude)!r}*{'*'.join(f'{u}**{p:g}' for u, p in base.unit_items()) or '1'})"

    def cell(match: re.Match) -> str:
        row, *parts = [p.strip('"“”') for p in re.findall(r"[\"“][^\"“”]*[\"”]|\w+", match[0])]
        return quantity(names.cell(text, row, parts))

    dotted = r"(?:[\"“][^\"“”]*[\"”]|(?<![\w.])[A-Za-z_]\w*)(?:\.[A-Za-z_]\w*)+"
    text = re.sub(dotted, cell, text)
    for name, value in names.items():
        if name in PLACES:
            continue
        word = re.compile(rf"(?<![\w.]){re.escape(name)}(?!\w)")
        if word.search(text):
            if value is None:
                raise ValueProblem(text, f"the value of “{name}” cannot be read.", "Correct that parameter first.")
            text = word.sub(quantity(value), text)
    return text


def table(text: str, dimensions: Sequence[str], names: Any) -> tuple[str, str, tuple[tuple[float, float], ...]] | None:
    """Place, dimension and pairs (SI) of a table such as ``x 0 mm: 100 W/m2; 10 mm: 300 W/m2``, or of pasted columns,
    ``x mm W/m2: 0 100 10 300``; None where a text is none. Raises ValueProblem."""
    word, _, rest = text.strip().partition(" ")
    if word not in PLACES or ":" not in rest:
        return None
    pasted = re.fullmatch(r"\s*(\S+)\s+(\S+)\s*:\s*([-+\d.eE\s,;]+)", rest)
    if pasted and ";" not in rest.split(":")[0] and not re.match(r"^[-+.\d]", rest.strip()):
        numbers = re.split(r"[\s,;]+", pasted[3].strip())
        pairs = [(f"{a} {pasted[1]}", f"{b} {pasted[2]}") for a, b in zip(numbers[::2], numbers[1::2], strict=False)]
        if len(numbers) % 2:
            raise ValueProblem(text, "holds a place without a value.", "Give two columns: place and value.")
    else:
        pairs = []
        for p in (p for p in rest.split(";") if p.strip()):
            at, found, value = p.partition(":")
            if not found:
                raise ValueProblem(text, f"“{p.strip()}” is no place and value.", "Write it like 10 mm: 300 W/m2.")
            pairs.append((at, value))
    dimension = units.dimension_of(pairs[0][1].strip(), tuple(dimensions), names)
    of_place = "angle" if word in ANGLES else "length"
    out = [(units.to_si(a.strip(), of_place, names), units.to_si(b.strip(), dimension, names)) for a, b in pairs]
    if len(out) < 2 or any(b[0] <= a[0] for a, b in zip(out, out[1:], strict=False)):
        raise ValueProblem(
            text, "needs two places or more that rise.", "Write it like x 0 mm: 100 W/m2; 10 mm: 300 W/m2."
        )
    return word, dimension, tuple(out)
