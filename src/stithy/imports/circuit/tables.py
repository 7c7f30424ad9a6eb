"""Tables of boards: placements and heights, powers and limits, as comma or tab separated text with a heading."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ...errors import FileProblem, ValueProblem
from ...project import units
from .sections import Place

#: column -> words that a heading may have for it, in small letters without signs
HEADS = {
    "reference": ("reference", "ref", "refdes", "designator", "part", "component", "name"),
    "package": ("package", "footprint", "case", "pattern"),
    "value": ("part number", "partno", "part no", "value", "comment", "number"),
    "x": ("x", "posx", "mid x", "center x", "centre x", "pos x"),
    "y": ("y", "posy", "mid y", "center y", "centre y", "pos y"),
    "turn": ("rotation", "rot", "turn", "angle"),
    "side": ("side", "layer", "tb"),
    "height": ("height", "high", "h"),
    "length": ("length", "l", "size x", "body length"),
    "width": ("width", "w", "size y", "body width"),
    "power": ("power", "heat load", "heat", "dissipation", "loss"),
    "limit": ("limit", "max temperature", "maximum temperature", "tmax"),
    "of": ("limit of", "limit at"),
    "profile": ("profile", "duty", "in time"),
    "junction_to_case": ("junction to case", "rjc", "theta jc"),
    "junction_to_board": ("junction to board", "rjb", "theta jb"),
}
_UNIT = re.compile(r"[\[(]\s*([^\])]+?)\s*[\])]\s*$|,\s*(\S+)$|\s(mm|mil|in|W|mW|degC|K/W|deg)$")
#: mm of a bare number in a column whose head says mil
_SPELT = {"mil": "thou", "mils": "thou", "inch": "in", "°C": "degC", "C": "degC", "°": "deg"}


@dataclass(frozen=True)
class Line:
    """One row of a table: its line in the file, and cells by column."""

    line: int
    cells: dict[str, str]


def table(text: str, name: str) -> tuple[list[Line], dict[str, str]]:
    """Rows of a table, and the unit of every column whose head names one. Raises FileProblem without a head that says
    which column the reference is."""
    sample = next((t for t in text.splitlines() if t.strip()), "")
    mark = max("\t;,", key=sample.count)
    rows = [(n, r) for n, r in enumerate(csv.reader(io.StringIO(text), delimiter=mark), 1) if any(c.strip() for c in r)]
    if not rows:
        raise FileProblem(f"{name}: is empty. Give a table with a heading, such as reference, power.")
    columns: dict[int, str] = {}
    found: dict[str, str] = {}
    for at, head in enumerate(rows[0][1]):
        plain, unit = _head(head)
        column = next((c for c, words in HEADS.items() if plain in words), "")
        if column and column not in columns.values():
            columns[at] = column
            if unit:
                found[column] = _SPELT.get(unit, unit)
    if "reference" not in columns.values():
        raise FileProblem(
            f"{name}, line {rows[0][0]}: no column is called reference. Its heading must say which is, such as "
            "reference, power, limit."
        )
    lines = [Line(n, {columns[at]: c.strip() for at, c in enumerate(r) if at in columns}) for n, r in rows[1:]]
    return lines, found


def _head(text: str) -> tuple[str, str]:
    text = text.strip().strip("#").strip()
    unit = ""
    if found := _UNIT.search(text):
        unit = next(g for g in found.groups() if g)
        text = text[: found.start()]
    return " ".join(re.sub(r"[^a-z0-9]+", " ", text.lower()).split()), unit


def quantity(line: Line, column: str, dimension: str, of: dict[str, str]) -> float | None:
    """SI value of a cell, None where it is empty. Raises ValueProblem."""
    text = line.cells.get(column, "")
    if not text:
        return None
    if column in of and re.fullmatch(r"[-+\d.,eE]+", text):
        text = f"{text.replace(',', '.')} {of[column]}"
    return float(units.to_si(text, dimension))


@dataclass(frozen=True)
class Listed:
    """A part of a placement table: its place and, where the table says it, body length, width and height (m)."""

    place: Place
    size: tuple[float | None, float | None, float | None]


def placements(path: Path, text: str, tell: Callable[[str], None]) -> list[Listed]:
    """Parts of a placement table, or only heights where it has no places. Raises FileProblem."""
    rows, of = table(text, path.name)
    out = []
    for row in rows:
        try:
            x, y = (quantity(row, c, "length", of) for c in "xy")
            turn = quantity(row, "turn", "angle", of) or 0.0
            size = tuple(quantity(row, c, "length", of) for c in ("length", "width", "height"))
        except ValueProblem as error:
            tell(f"{path.name}, line {row.line}: {error}; left out.")
            continue
        side = row.cells.get("side", "").lower()
        at = (float("nan") if x is None else x, float("nan") if y is None else y)
        place = Place(
            row.cells.get("reference", ""),
            row.cells.get("package", ""),
            row.cells.get("value", ""),
            at,
            float(turn),
            0.0,
            not side.startswith(("b", "sol")),
            row.line,
        )
        if not place.reference:
            tell(f"{path.name}, line {row.line}: has no reference; left out.")
            continue
        out.append(Listed(place, (size[0], size[1], size[2])))
    return out


def powers(text: str, name: str) -> tuple[list[tuple[int, str, dict[str, str]]], list[str]]:
    """Rows of a power table as (line, reference, cells as a ledger takes them), and what is wrong with others. Raises
    FileProblem."""
    rows, of = table(text, name)
    out, wrong = [], []
    for row in rows:
        reference = row.cells.get("reference", "")
        cells: dict[str, str] = {}
        try:
            for column, dimension, unit, least in (
                ("power", "power", "W", 0.0),
                ("limit", "temperature", "degC", -np.inf),
                ("junction_to_case", "thermal resistance", "K/W", 0.0),
                ("junction_to_board", "thermal resistance", "K/W", 0.0),
            ):
                value = quantity(row, column, dimension, of)
                if value is None:
                    continue
                if value < least or (column == "power" and value > 1e5):
                    raise ValueProblem(row.cells[column], f"is no {column.replace('_', ' ')} of a component", "")
                text_of = row.cells[column]
                shown = f"{text_of.replace(',', '.')} {of.get(column, unit)}"
                cells[column] = shown if re.fullmatch(r"[-+\d.,eE]+", text_of) else text_of
        except ValueProblem as error:
            wrong.append(f"{name}, line {row.line}: {reference or 'a row'}: {error}")
            continue
        if row.cells.get("profile"):
            cells["profile"] = row.cells["profile"]
        if row.cells.get("of"):
            cells["limit_of"] = row.cells["of"].lower()
        if not reference:
            wrong.append(f"{name}, line {row.line}: has no reference.")
        elif cells:
            out.append((row.line, reference, cells))
    return out, wrong
