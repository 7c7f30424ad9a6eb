"""What sinks of fins share: how many there are, by count or by pitch, and the section that is drawn out along them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np

from ..errors import ValueProblem
from ..project import units
from ..project.kind import SHAPE, Cell, Row, Text
from ..project.reader import Reader
from ..shapes.geometry import Box
from . import solids
from .cells import AXES, SIDES

Fins = Annotated[
    Text, Cell("fins", SHAPE, "number of fins, or a pitch such as 4 mm: the number that comes nearest to it")
]
FinThickness = Annotated[Text, Cell("fin", SHAPE, "fin thickness")]
Channels = Annotated[Text, Cell("channels", SHAPE, "direction of the channels", AXES)]


def fin_count(r: Reader, row: Row, room: float, thick: float, key: str = "fins") -> int:
    """How many fins of a thickness stand in a ``room`` (m) flush with its ends: as counted, or nearest to a pitch. What
    leaves no channel is noted, with the most that fit."""
    try:
        pitch = units.to_si(row.text(key), "length", r.names) if _is_length(r, row.text(key)) else 0.0
    except ValueProblem as error:
        r.note(row, key, error.what, error.remedy)
        return 1
    if pitch > 0.0:
        count = int(round((room - thick) / pitch)) + 1
        if pitch <= thick:
            told = f"a pitch of “{row.text(key)}” is no more than the fin, so no channel is left."
            r.note(row, key, told, f"Write more than {1e3 * thick:.4g} mm.")
            return 1
    else:
        count = r.whole(row, key, 2, 1, 200)
    if count * thick >= room:
        most = max(int(room / thick - 1e-9), 1)
        r.note(row, "fin", f"{count} fins of “{row.text('fin')}” leave no channel.", f"At most {most} fit.")
        return 1
    return max(count, 1)


def _is_length(r: Reader, text: str) -> bool:
    """Whether a cell holds a length and no count."""
    try:
        return units.dimension_of(text, ("length",), r.names) == "length"
    except ValueProblem:
        return False


def base_of(r: Reader, row, size) -> tuple[str, float] | None:
    """Direction of the fins and thickness (m) of the base, or None after a note where it leaves no room for fins."""
    up = r.choice(row, "up", SIDES, "z+")
    base = r.value(row, "base", "length", 1e-3, above=0.0)
    if base >= size["xyz".index(up[0])]:
        r.note(
            row,
            "base",
            f"“{row.base}” is as thick as the whole sink.",
            "Make the base thinner than the size along its fins.",
        )
        return None
    return up, base


@dataclass(frozen=True)
class Stand:
    """Where a sink of fins stands: its box and size (m), the direction ``up`` of its fins, the base's thickness, the
    axes along its channels (``runs``), ``across`` its fins and that they stand along (``stands``), a fin's
    thickness."""

    box: Box
    size: tuple[float, ...]
    up: str
    base: float
    runs: int
    across: int
    stands: int
    thick: float


def stand(r: Reader, row: Row) -> Stand:
    """As the row says; a base that leaves no room for fins is noted, and a thin one taken."""
    box, size = solids.placed(r, row)
    found = base_of(r, row, size)
    up, base = found if found is not None else ("z+", 0.1 * size[2])
    return Stand(box, size, up, base, *axes_of(r, row, up), r.value(row, "fin", "length", 1e-4, above=0.0))


def axes_of(r: Reader, row: Row, up: str) -> tuple[int, int, int]:
    """Axis along the channels, axis across the fins, axis the fins point along."""
    along = r.choice(row, "along", [a for a in AXES if a != up[0]], "y" if up[0] == "x" else "x")
    stands = AXES.index(up[0])
    runs = AXES.index(along) if along != up[0] else (stands + 1) % 3
    return runs, 3 - stands - runs, stands


def ring(runs: int, across: int, points: np.ndarray) -> np.ndarray:
    """Points (n, 2) given as (across, up) in the order that :func:`stithy.shapes.built.prism` wants along ``runs``."""
    first = next(a for a in range(3) if a != runs)
    return points if first == across else points[:, ::-1]
