"""What of a layout can be turned while a run is on: cells with one number that ask for no other grid."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from ..project.document import Document
from ..project.kind import KINDS, Row

#: cells that are dials, in the order in which they are offered
KEYS = ("speed", "flow", "power", "temperature", "ambient", "step", "hold_flow", "save_every", "residual", "drift")
#: a number with its unit
NUMBER = re.compile(r"^(-?\d+(?:\.\d+)?(?:e-?\d+)?)\s*([^\d;:,=].*)?$")
#: ends of a dial about its value: of what is no temperature times it, of temperatures K about it
TIMES, ABOUT = 2.0, 40.0
DEGREES = ("degC", "K", "degF", "°C")


@dataclass(frozen=True)
class Dial:
    """A cell (``row``, ``key``, its ``title``) that can be turned: its number, unit, and the ends of its scale."""

    row: str
    key: str
    title: str
    value: float
    unit: str
    low: float
    high: float

    def text(self, value: float) -> str:
        """What the cell says at a value."""
        return f"{value:.4g} {self.unit}".strip()


def dial(row: Row, key: str) -> Dial | None:
    """The dial of a cell; None where it is no single number."""
    found = NUMBER.match(row.text(key))
    if found is None or key not in KINDS[row.kind].cells:
        return None
    value, unit = float(found[1]), (found[2] or "").strip()
    if unit in DEGREES:
        low, high = value - ABOUT, value + ABOUT
    elif value > 0.0:
        low, high = 0.0, TIMES * value
    else:
        low, high = (TIMES * value, 0.0) if value < 0.0 else (0.0, 1.0)
    return Dial(row.name, key, KINDS[row.kind].cells[key].title, value, unit, low, high)


def dials(document: Document, layout: str, selected: Sequence[str] = (), most: int = 5) -> list[Dial]:
    """The dials of a layout: of rows that are selected first, then fans, what flows in, the largest loads, the ambient
    and the run's own."""
    rows = document.listed(layout)
    timed = any(r.kind == "run" and r.text("time") not in ("steady", "") for r in rows)
    found: list[tuple[tuple, Dial]] = []
    for row in rows:
        for key in KEYS:
            if key in ("step", "hold_flow", "save_every") and not timed:
                continue
            made = dial(row, key) if row.text(key) else None
            if made is None or (key == "temperature" and row.name not in selected):
                continue
            order = (row.name not in selected, key in ("residual", "drift", "save_every"), KEYS.index(key))
            found.append(((*order, -made.value), made))
    return [d for _, d in sorted(found, key=lambda x: x[0])][:most]
