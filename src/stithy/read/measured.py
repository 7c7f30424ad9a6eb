"""Measured points from a file, to be laid over plotted lines."""

from __future__ import annotations

import csv
import re
from pathlib import Path

import numpy as np

from ..errors import FileProblem, ValueProblem
from ..project import units
from . import shown

#: bytes of a file, and points that are read of it
LARGEST, MOST = 20_000_000, 20_000


def measured(path: Path, dimension: str) -> tuple[np.ndarray, np.ndarray]:
    """Distances (m) and values (SI) of a CSV file with two columns; units may stand in its head line, such as
    "distance mm, temperature degC" (else mm, and the unit that the quantity is shown in).

    Commas, semicolons and tabs part columns. Raises FileProblem, naming the line that cannot be read.
    """
    try:
        if path.stat().st_size > LARGEST:
            raise FileProblem(f"{path.name} is larger than 20 MB. Give a table of measured points.")
        text = path.read_text(encoding="utf-8-sig", errors="replace")
    except OSError as error:
        raise FileProblem(
            f"{path.name}: cannot be read ({error.strerror or error}). Take the file in again."
        ) from error
    mark = ";" if text.count(";") > text.count(",") else "\t" if text.count("\t") > text.count(",") else ","
    rows = [r for r in csv.reader(text.splitlines(), delimiter=mark) if any(c.strip() for c in r)]
    names = ["mm", shown.unit(dimension)]
    if rows and not _number(rows[0][0]):
        names = [_unit(c, u) for c, u in zip(rows[0], names, strict=False)]
        rows = rows[1:]
    out = []
    for m, row in enumerate(rows[:MOST], 1):
        if len(row) < 2 or not (_number(row[0]) and _number(row[1])):
            raise FileProblem(f"{path.name}, line {m} of its numbers: two numbers are needed. Correct the file.")
        try:
            at = units.to_si(f"{row[0].strip()} {names[0]}", "length")
            out.append((at, units.to_si(f"{row[1].strip()} {names[1]}".strip(), dimension)))
        except ValueProblem as error:
            raise FileProblem(f"{path.name}, line {m} of its numbers: {error.what} {error.remedy}") from error
    if not out:
        raise FileProblem(f"{path.name} holds no points. Give two columns: distance and value.")
    a = np.array(sorted(out))
    return a[:, 0], a[:, 1]


def _number(text: str) -> bool:
    return re.fullmatch(r"\s*[+\-]?(\d+\.?\d*|\.\d+)([eE][+\-]?\d+)?\s*", text) is not None


def _unit(head: str, usual: str) -> str:
    """The unit in a head such as "distance mm", "distance [mm]" or "T (degC)"."""
    found = re.search(r"[\[(]([^\])]+)[\])]\s*$", head) or re.search(r"\s(\S+)\s*$", head.strip())
    if not found:
        return usual
    try:
        units.quantity(f"1 {found[1]}")
        return found[1]
    except ValueProblem:
        return usual
