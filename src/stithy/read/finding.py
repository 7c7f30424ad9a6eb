"""Rows found by words and by values: "copper", "fan", "> 80 degC", "heat load > 2 W", "sink size < 30 mm"."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..errors import StithyError, ValueProblem
from ..project import units
from ..project.kind import KINDS, Row
from ..project.row_cells import Names

_COMPARES = {
    "<": lambda a, b: a < b,
    ">": lambda a, b: a > b,
    "<=": lambda a, b: a <= b * (1 + 1e-9) if b > 0 else a <= b,
    ">=": lambda a, b: a >= b * (1 - 1e-9) if b > 0 else a >= b,
    "=": lambda a, b: abs(a - b) <= 1e-6 * max(abs(a), abs(b)),
}
_TERM = re.compile(r"([^<>=,]*?)\s*(<=|>=|<|>|=)\s*([^<>=,]+)")
#: dimensions that a bare comparison may ask for, as the unit tells
DIMENSIONS = (
    "temperature",
    "length",
    "power",
    "velocity",
    "volume flow",
    "mass flow",
    "pressure",
    "conductivity",
    "heat transfer coefficient",
    "heat flux",
    "heat density",
    "time",
    "area resistance",
)


@dataclass(frozen=True)
class Comparison:
    """A comparison of a row's values: the cell's title or key it is about ("": any of its dimension), and the SI value
    with its dimension."""

    cell: str
    sign: str
    value: float
    dimension: str


@dataclass(frozen=True)
class Wanted:
    """What is looked for: words that must all stand in a row, and comparisons that must all hold."""

    words: tuple[str, ...]
    comparisons: tuple[Comparison, ...]


def parse(text: str) -> Wanted:
    """What a text asks for. Raises StithyError where a value cannot be read."""
    words, comparisons = [], []
    for part in text.split(","):
        match = _TERM.fullmatch(part.strip())
        if match is None:
            if re.search(r"[<>]", part):
                raise StithyError(f"“{part.strip()}” is not finished. Write it like > 80 degC, or heat load > 2 W.")
            words += part.lower().split()
            continue
        before, sign, value = match[1].strip().lower().split(), match[2], match[3].strip()
        cell, rest = _cell_of(before)
        words += rest
        comparisons.append(Comparison(cell, sign, *_value(value)))
    return Wanted(tuple(words), tuple(comparisons))


def _cell_of(words: list[str]) -> tuple[str, list[str]]:
    """The cell that the last words name, and the words before it."""
    known = {t for kind in KINDS.values() for c in kind.cells.values() for t in (c.title.lower(), c.key)}
    known |= {"temperature"}
    for count in (3, 2, 1):
        if len(words) >= count and " ".join(words[-count:]) in known:
            return " ".join(words[-count:]), words[:-count]
    return "", words


def _value(text: str) -> tuple[float, str]:
    """SI value and dimension of what stands behind a sign; a bare number is a ratio."""
    try:
        dimension = units.dimension_of(text, DIMENSIONS)
    except ValueProblem:
        dimension = "ratio"
    try:
        return units.to_si(text, dimension), dimension
    except ValueProblem as error:
        raise StithyError(f"“{text}” cannot be read as a value. Write it like > 80 degC.") from error


def found(rows: Sequence[Row], text: str, hottest: Mapping[str, float] | None = None) -> list[Row]:
    """The rows that a text asks for; ``hottest`` (K) by part, where there is a result. Raises StithyError."""
    wanted, names = parse(text), Names({r.name: r for r in rows})
    for row in (r for r in rows if r.kind == "parameter"):
        try:
            names[row.name] = units.quantity(row.text("value"), "", names)
        except ValueProblem:
            names[row.name] = None
    return [r for r in rows if holds(r, wanted, names, hottest or {})]


def holds(row: Row, wanted: Wanted, names: Names, hottest: Mapping[str, float]) -> bool:
    """Whether a row is what is wanted."""
    if wanted.words:
        kind = KINDS[row.kind]
        every = " ".join([row.name, row.kind, kind.group, *(row.text(k) for k in kind.cells)]).lower()
        if not all(w in every for w in wanted.words):
            return False
    return all(_compares(row, c, names, hottest) for c in wanted.comparisons)


def _compares(row: Row, c: Comparison, names: Names, hottest: Mapping[str, float]) -> bool:
    compare = _COMPARES[c.sign]
    if c.dimension == "temperature" and c.cell in ("", "temperature"):
        return row.name in hottest and compare(hottest[row.name], c.value)
    for key, cell in KINDS[row.kind].cells.items():
        if c.cell and c.cell not in (cell.title.lower(), key):
            continue
        if c.cell or not {"place", "cells"} & set(cell.columns):
            if any(compare(x, c.value) for x in _numbers(row.text(key), c.dimension, names)):
                return True
    return False


def _numbers(text: str, dimension: str, names: Names) -> list[float]:
    """SI values of a dimension in a cell."""
    if not text or not (text[0].isdigit() or text[0] in "=-+."):
        return []
    out = []
    for part in units.split(text):
        try:
            if dimension == "ratio" or units.dimension_of(part, (dimension,), names):
                out.append(units.to_si(part, dimension, names))
        except ValueProblem:
            continue
    return out
