"""A map: one number over two of what is varied, one cell for each pair of their values; as cells, text or a drawing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np

from ..errors import StithyError
from ..project import units
from .chart import AMBER, EMBER, INK, QUIET, SIGNS, headed
from .limits import CLOSE, FAILS
from .overview import Line, Overview

#: cells along either axis at most: of points drawn at random, every one has values of its own
MOST = 24
#: px of a drawing's cell, and of what is left of and below the cells
CELL, BESIDE, BELOW = (104, 34), 150, 40


@dataclass(frozen=True)
class Map:
    """``across`` and ``up``: what is varied, ``columns`` and ``rows`` its values in order, ``number`` shown. ``lines``
    by (column, row): those with these values, the best of the table's order first."""

    across: str
    up: str
    number: str
    columns: tuple[str, ...]
    rows: tuple[str, ...]
    lines: dict[tuple[int, int], list[Line]]

    def line(self, column: int, row: int) -> Line | None:
        """What a cell shows: the best of its lines that has the number."""
        found = self.lines.get((column, row), [])
        return next((n for n in found if self.number in n.numbers), None)

    def values(self) -> np.ndarray:
        """The number (SI), (rows, columns); nan where nothing is known."""
        out = np.full((len(self.rows), len(self.columns)), np.nan)
        for c in range(len(self.columns)):
            for r in range(len(self.rows)):
                n = self.line(c, r)
                out[r, c] = n.numbers[self.number].value if n is not None else np.nan
        return out

    def told(self) -> str:
        """What a cell stands for, in a sentence."""
        many = max((len(x) for x in self.lines.values()), default=0)
        if many < 2:
            return f"{self.number} over {self.across} and {self.up}."
        return (
            f"{self.number} over {self.across} and {self.up}: of up to {many} points in a cell that differ in the "
            "rest, the one that stands first in the table."
        )


def able(table: Overview) -> list[str]:
    """Columns of what is varied that a map may have along an axis: those with two to :data:`MOST` values."""
    many = {c: len({n.values[c] for n in table.lines if c in n.values}) for c in table.columns}
    return [c for c in table.columns if 2 <= many[c] <= MOST]


def mapped(table: Overview, across: str, up: str, number: str) -> Map:
    """The map of a number over two columns. Raises StithyError for those that cannot be."""
    good = able(table)
    if across not in good or up not in good or across == up:
        there = f"There are {', '.join(good)}." if len(good) > 1 else "A sweep over two of them is needed first."
        raise StithyError(f"A map needs two different columns of 2 to {MOST} values each. {there}")
    if number not in table.numbers:
        raise StithyError(f"“{units.short(number)}” is no number of the table. There are {', '.join(table.numbers)}.")
    lines = [n for n in table.ordered() if across in n.values and up in n.values]
    columns, rows = (_in_order(table, lines, c) for c in (across, up))
    at: dict[tuple[int, int], list[Line]] = {}
    for n in lines:
        at.setdefault((columns.index(n.values[across]), rows.index(n.values[up])), []).append(n)
    return Map(across, up, number, tuple(columns), tuple(rows), at)


def _in_order(table: Overview, lines: Sequence[Line], column: str) -> list[str]:
    """The different values of a column, by their numbers where all are numbers, else as they come."""
    values = list(
        dict.fromkeys(n.values[column] for n in sorted(lines, key=lambda n: n.point.number if n.point else 0))
    )
    sizes = {n.values[column]: table.value(n, column) for n in lines}
    return sorted(values, key=lambda v: sizes[v]) if np.isfinite(list(sizes.values())).all() else values


def cell_text(x: Map, column: int, row: int) -> str:
    """The number with its band and the mark of its verdict; why there is none."""
    n = x.line(column, row)
    if n is None:
        return "failed" if x.lines.get((column, row)) else ""
    value = n.numbers[x.number]
    told = f"{value.text} ± {value.band_text}" if value.band is not None else value.text
    return f"{told} {SIGNS[n.verdict]}".rstrip()


def rows_of(x: Map, table: Overview) -> list[list[str]]:
    """The map as rows of text, the largest of what goes up first, under a head."""
    head = [f"{x.up} \\ {x.across}", *x.columns]
    up = range(len(x.rows) - 1, -1, -1)
    return [head, *([x.rows[r], *(cell_text(x, c, r) for c in range(len(x.columns)))] for r in up)]


def tone(share: float) -> tuple[int, int, int]:
    """A colour from pale (0) to dark (1), light enough for dark words."""
    low, high = np.array([244, 239, 228]), np.array([196, 152, 108])
    return tuple(int(v) for v in low + (high - low) * min(max(share, 0.0), 1.0))  # type: ignore[return-value]


def shares(x: Map) -> np.ndarray:
    """Where each value stands between the least (0) and the most (1), (rows, columns)."""
    values = x.values()
    known = values[np.isfinite(values)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    return (values - low) / (high - low) if high > low else np.where(np.isfinite(values), 0.5, np.nan)


def drawing(x: Map, table: Overview) -> str:
    """The map as a drawing (SVG)."""
    w, h = BESIDE + CELL[0] * len(x.columns) + 8, CELL[1] * len(x.rows) + BELOW + 18
    out = [f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {w} {h}" font-size="11" fill="{INK}">']
    out.append(f'<text x="{BESIDE - 8}" y="11" text-anchor="end" fill="{QUIET}">{escape(headed(table, x.up))}</text>')
    known = shares(x)
    for r, name in enumerate(x.rows):
        top = 18 + CELL[1] * (len(x.rows) - 1 - r)
        out.append(f'<text x="{BESIDE - 8}" y="{top + 21}" text-anchor="end">{escape(name)}</text>')
        for c in range(len(x.columns)):
            left, text, n = BESIDE + CELL[0] * c, cell_text(x, c, r), x.line(c, r)
            fill = f"#{bytes(tone(known[r, c])).hex()}" if np.isfinite(known[r, c]) else "none"
            size = f'width="{CELL[0] - 2}" height="{CELL[1] - 2}"'
            out.append(f'<rect x="{left}" y="{top}" {size} fill="{fill}" stroke="#d8d2c4"/>')
            edge = {FAILS: EMBER, CLOSE: AMBER}.get(n.verdict if n is not None else "")
            if edge:
                out.append(f'<rect x="{left}" y="{top}" width="4" height="{CELL[1] - 2}" fill="{edge}"/>')
            middle = left + CELL[0] / 2 - 1
            out.append(f'<text x="{middle}" y="{top + 21}" text-anchor="middle">{escape(text)}</text>')
    for c, name in enumerate(x.columns):
        middle = BESIDE + CELL[0] * (c + 0.5) - 1
        out.append(f'<text x="{middle}" y="{h - BELOW + 14}" text-anchor="middle">{escape(name)}</text>')
    middle = BESIDE + CELL[0] * len(x.columns) / 2
    across = escape(headed(table, x.across))
    out.append(f'<text x="{middle}" y="{h - BELOW + 32}" text-anchor="middle" fill="{QUIET}">{across}</text>')
    return "".join([*out, "</svg>"])
