"""A heat load in time from a table of comma-separated values: times and powers, or shares."""

from __future__ import annotations

import csv
import io
import re
from pathlib import Path

import numpy as np

from ..errors import FileProblem, StithyError, ValueProblem
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import KINDS

#: part of the highest load that points between others may be off when they are left out, and points at most
WITHIN, MOST = 0.002, 400
#: a unit at the end of a heading: "time [min]", "power (W)", "t, s"
UNIT = re.compile(r"(?:[\[(,/]\s*|\s)([A-Za-z%]+)\s*[\])]?\s*$")


def from_table(text: str, name: str = "the table") -> tuple[str, str]:
    """Heat load and profile (texts of cells) from two columns with a heading: times, then W, % or parts of one. The
    heat load is empty where shares are given. Raises StithyError naming line and remedy."""
    try:
        dialect: type[csv.Dialect] | str = csv.Sniffer().sniff(text[:2000], ",;\t")
    except csv.Error:
        dialect = "excel"
    lines = list(csv.reader(io.StringIO(text), dialect))
    lines = [x for x in lines if any(cell.strip() for cell in x)]
    if len(lines) < 3 or min(len(x) for x in lines) < 2:
        raise StithyError(f"{name}: two columns are needed, times and loads, with a heading and two lines at least.")
    head = [_unit(x) for x in lines[0][:2]]
    try:
        scale = units.to_si(f"1 {head[0] or 's'}", "time")
        watts = head[1] not in ("", "%")
        per = units.to_si(f"1 {head[1]}", "power") if watts else 0.01 if head[1] == "%" else 1.0
    except ValueProblem as error:
        raise StithyError(f"{name}: the heading says {error.what} Write time [s], power [W].") from error
    points = []
    for m, line in enumerate(lines[1:], 2):
        try:
            points.append((float(line[0]) * scale, float(line[1]) * per))
        except ValueError as error:
            raise StithyError(f"{name}, line {m}: “{units.short(','.join(line))}” is no time with a load.") from error
    times, loads = np.array(points).T
    if (np.diff(times) < 0.0).any() or (loads < 0.0).any() or times[0] < 0.0:
        raise StithyError(f"{name}: times must rise from 0 on, and loads be none below 0.")
    top = float(loads.max())
    if top <= 0.0:
        raise StithyError(f"{name}: no load is above 0.")
    share = loads / top if watts else loads
    keep = _thinned(times - times[0], share)
    told = "; ".join(f"{times[k] - times[0]:.6g} s: {100.0 * share[k]:.5g} %" for k in keep)
    return (f"{top:.6g} W" if watts else ""), told


def read_table(path: Path) -> str:
    """The text of a table. Raises FileProblem."""
    try:
        return path.read_bytes().decode("utf-8-sig", "replace")
    except OSError as error:
        raise FileProblem(f"{path}: cannot be read ({error.strerror or error}).") from error


def filled(document: Document, layout: str, row: str, text: str, name: str = "the table") -> Edit:
    """The table as heat load and profile of a row, as one step. Raises StithyError."""
    found = edits.row_of(document, layout, row)
    if "profile" not in KINDS[found.kind].cells or "power" not in KINDS[found.kind].cells:
        raise StithyError(f"“{row}” has no heat load. Choose a solid.")
    power, told = from_table(text, name)
    sets = [edits.set_cell(layout, row, "profile", told)]
    sets += [edits.set_cell(layout, row, "power", power)] if power else []
    return edits.many(f"heat load of {row} in time", sets)


def _unit(head: str) -> str:
    found = UNIT.search(head.strip())
    return found[1] if found else "%" if head.strip().endswith("%") else ""


def _thinned(times: np.ndarray, share: np.ndarray) -> list[int]:
    """Numbers of the points that straight lines between need, to be off by :data:`WITHIN` at most."""
    keep, todo = {0, len(times) - 1}, [(0, len(times) - 1)]
    while todo and len(keep) < MOST:
        a, b = todo.pop(0)
        if b - a < 2:
            continue
        line = np.interp(times[a : b + 1], [times[a], max(times[b], times[a] + 1e-12)], [share[a], share[b]])
        off = np.abs(share[a : b + 1] - line)
        k = a + int(np.argmax(off))
        if off.max() > WITHIN * max(float(share.max()), 1e-300):
            keep.add(k)
            todo += [(a, k), (k, b)]
    return sorted(keep)
