"""The fields of a solution in little room, for other runs to start from; kept beside points of studies."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from zipfile import BadZipFile

import numpy as np

from ..mesh.lines import Grid
from .check import good_name
from .solution import Fields, Solution

#: where points of studies are kept in a project, and the fields of each
POINTS, START = "points", "start.npz"


@dataclass(frozen=True)
class Given:
    """Fields of another run, the grid they are on, and what its cells are."""

    grid: Grid
    kind: np.ndarray
    fields: Fields


def of_point(project: Path, key: str) -> bytes:
    """Fields of a point of a study in a project; nothing where there are none."""
    try:
        return (Path(project) / POINTS / key / START).read_bytes() if good_name(key) else b""
    except OSError:
        return b""


def packed(s: Solution) -> bytes:
    """Grid and fields of a solution in single precision."""
    out, f = io.BytesIO(), s.fields
    arrays = {
        **{f"lines{a}": s.grid.lines[a] for a in range(3)},
        "kind": s.kind.astype(np.int8),
        "t": (f.temperature - s.summary["ambient"]).astype(np.float32),
        "p": f.pressure.astype(np.float32),
        **{n: getattr(f, n).astype(np.float32) for n in "uvw"},
        **{f"extra {n}": x.astype(np.float32) for n, x in f.extra.items() if x.shape == s.grid.shape},
        "ambient": np.array(s.summary["ambient"]),
    }
    np.savez_compressed(out, **arrays)
    return out.getvalue()


def unpacked(data: bytes) -> Given | None:
    """What :func:`packed` gave; None where it cannot be read."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as x:
            grid = Grid((x["lines0"].astype(float), x["lines1"].astype(float), x["lines2"].astype(float)))
            extra = {n[6:]: x[n].astype(float) for n in x.files if n.startswith("extra ")}
            warm = x["t"].astype(float) + float(x["ambient"])
            u, v, w = (x[n].astype(float) for n in "uvw")
            fields = Fields(warm, x["p"].astype(float), u, v, w, extra)
            return Given(grid, x["kind"].astype(int), fields)
    except (OSError, ValueError, KeyError, EOFError, BadZipFile):
        return None
