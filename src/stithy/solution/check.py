"""Whether a file of fields may be believed: its datasets against the grid and each other."""

from __future__ import annotations

import math
from typing import Any

import h5py
import numpy as np

#: numbers of one dataset that a result may claim
MOST_CELLS = 200_000_000


def good_links(file: h5py.File) -> bool:
    """Whether all that a file of fields holds is its own: no links to other files or places."""
    found = []

    def look(group):
        for name in group:
            if not isinstance(group.get(name, getlink=True), h5py.HardLink):
                found.append(name)
            elif isinstance(group.get(name), h5py.Group):
                look(group[name])

    look(file)
    return not found


def shape_of(file: h5py.File) -> tuple[int, ...] | None:
    """Cells along x, y and z as the lines say; None where they are no lines."""
    out = []
    for a in "xyz":
        x = file.get(a)
        if not isinstance(x, h5py.Dataset) or x.ndim != 1 or not 2 <= x.size <= 100_000 or x.dtype.kind != "f":
            return None
        lines = x[:]
        if not np.isfinite(lines).all() or (np.diff(lines) <= 0).any():
            return None
        out.append(len(lines) - 1)
    return tuple(out) if math.prod(out) <= MOST_CELLS else None


def good_field(data: Any, shape: tuple[int, ...], whole: bool = False) -> bool:
    """Whether a dataset has the shape it must have and holds numbers (``whole``: whole numbers); nothing is read of
    it."""
    if not isinstance(data, h5py.Dataset) or data.shape != tuple(shape):
        return False
    steps = not whole and isinstance(data.attrs.get("step"), float) and 0.0 < data.attrs["step"] < 1.0
    return data.dtype.kind in ("iu" if whole or steps else "f")


def good_name(name: str) -> bool:
    """Whether a folder's name is that of a key."""
    return len(name) == 16 and all(c in "0123456789abcdef" for c in name)
