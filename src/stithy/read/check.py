"""Whether a stored result may be believed: its summary against its schema and digest, its fields against the grid and each other."""
from __future__ import annotations

import hashlib
import json
import math

import h5py
import numpy as np
from pydantic import BaseModel, ConfigDict, FiniteFloat, StrictBool, StrictInt, StrictStr, ValidationError

#: numbers of one dataset that a result may claim
MOST_CELLS = 200_000_000


class _Loose(BaseModel):
    model_config = ConfigDict(extra="allow")


class _Part(_Loose):
    max: FiniteFloat
    mean: FiniteFloat


class _PartHere(_Part):
    hot_spot: list[float]
    power: FiniteFloat


class _End(_Loose):
    volume_flow: FiniteFloat
    inflow: FiniteFloat
    mass_flow: FiniteFloat
    heat_out: FiniteFloat
    temperature: FiniteFloat
    pressure: FiniteFloat
    area: FiniteFloat


class _Fan(_Loose):
    volume_flow: FiniteFloat
    rise: FiniteFloat
    air_power: FiniteFloat
    draw: FiniteFloat
    flow_share: FiniteFloat


class _Trust(_Loose):
    heat_closure: FiniteFloat
    mass_imbalance: FiniteFloat
    momentum: FiniteFloat
    notes: list[StrictStr]


class _Coarse(_Loose):
    parts: dict[str, _Part]
    ends: dict[str, _End]
    fans: dict[str, _Fan]
    cells: StrictInt


class Summary(_Loose):
    """What every summary has; numbers are finite."""

    format: StrictStr
    version: StrictInt
    key: StrictStr
    layout: StrictStr
    ambient: FiniteFloat
    cells: StrictInt
    iterations: StrictInt
    seconds: FiniteFloat
    settled: StrictBool
    parts: dict[str, _PartHere]
    ends: dict[str, _End]
    fans: dict[str, _Fan]
    walls: dict[str, FiniteFloat]
    heat_load: FiniteFloat
    heat_imbalance: FiniteFloat
    trust: _Trust
    band: dict[str, FiniteFloat]
    coarse: _Coarse | None = None


def digest(summary: dict) -> str:
    """A short hash of all that a summary says but the hash itself."""
    text = json.dumps({k: v for k, v in summary.items() if k != "digest"}, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def good_summary(data) -> bool:
    """Whether ``data`` is a summary as the program writes it, whole and unchanged."""
    try:
        Summary.model_validate(data)
        return data["format"] == "stithy result" and data.get("digest") == digest(data)
    except (ValidationError, KeyError, TypeError, ValueError, RecursionError):
        return False


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


def shape_of(file: h5py.File) -> tuple[int, int, int] | None:
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


def good_field(data, shape, whole: bool = False) -> bool:
    """Whether a dataset has the shape it must have and holds numbers (``whole``: whole numbers); nothing is read of it."""
    return isinstance(data, h5py.Dataset) and data.shape == tuple(shape) and data.dtype.kind in ("iu" if whole else "f")
