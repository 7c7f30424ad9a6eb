"""A solution in an HDF5 file: written whole, and read only where everything fits together."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import h5py
import numpy as np

from ..mesh.lines import Grid
from ..mesh.occupancy import VOID
from .check import good_field, good_links, shape_of
from .solution import SINCE_RADIATION, WALL_COLUMNS, Fields, Instant, Solution, Walls
from .summary import digest, good_summary

#: numbers of one array of a state that a result may claim
MOST_STATE = 50_000_000
_NAMES = ("temperature", "pressure", "u", "v", "w")
#: cells below which every digit is kept
PRECISE = 200_000
#: of packed results: what values are rounded to (K, Pa, m/s), and bits that are kept of all others
STEPS = {"temperature": 0.1, "pressure": 0.05, "u": 0.01, "v": 0.01, "w": 0.01}
BITS = 5


def write_fields(f: h5py.Group, s: Solution, packed: bool = False, loose: bool = False) -> None:
    """Write a solution's arrays, and those of the coarser grid; ``packed``: to look at only, in a fifth of the room,
    rounded to :data:`STEPS`; ``loose``: as they are, for a file that is packed as a whole."""
    if s.coarse is not None:
        group = f.create_group("coarse")
        group.attrs["summary"] = json.dumps(s.coarse.summary)
        write_fields(group, s.coarse, packed, loose)
    kind = "f8" if s.grid.cells < PRECISE else "f4"

    def put(name, values, as_):
        values, step = np.asarray(values).astype(as_), STEPS.get(name.rpartition("/")[2])
        if packed and step and values.ndim == 3 and np.isfinite(values).all():
            write(name, _steps(values, step))
            f[name].attrs["step"] = step
            return
        if packed and values.dtype.kind == "f":
            values = _rounded(values, 12 if "faces" in name or name.endswith("temperature") else BITS)
        write(name, values)

    def write(name, values):
        level, chunks = (9, values.shape) if packed and values.size else (4, None)  # a quarter less than in h5py's own
        how = {} if loose else {"chunks": chunks, "compression": "gzip", "compression_opts": level, "shuffle": True}
        f.create_dataset(name, data=values, **how)

    for a, name in enumerate("xyz"):
        f[name] = s.grid.lines[a]
    for name in _NAMES:
        put(name, getattr(s, name), kind)
    if s.density is not None:
        put("density", s.density, kind)
    for name, values in s.extra.items():
        put(f"extra/{name}", values, "f4")
    for name, values in s.properties.items():
        put(f"properties/{name}", values, "f4")
    for name, values in {} if packed else s.state.items():
        put(f"state/{name}", values, "f8")
    for m, instant in enumerate(s.instants):
        f.create_group(f"instants/{m:05d}").attrs["time"] = instant.time
        for name in _NAMES:
            put(f"instants/{m:05d}/{name}", getattr(instant.fields, name), kind)
        _put_walls(put, f"instants/{m:05d}/", instant.faces, instant.walls, kind)
        if instant.numbers:
            f[f"instants/{m:05d}/numbers"] = json.dumps(instant.numbers)
    _put_walls(put, "", s.faces, s.walls, kind)
    for number, (name, pieces) in enumerate(s.ends.items()):
        for m, (axis, outward, cells) in enumerate(pieces):
            f[f"ends/{number}-{m}"] = np.asarray(cells, "i4").reshape(-1, 3)
            f[f"ends/{number}-{m}"].attrs.update({"name": name, "axis": axis, "outward": outward})
    for name in ("kind", "part"):
        put(name, getattr(s, name), getattr(s, name).dtype)
    f.attrs["parts"] = json.dumps(s.parts)
    if s.walls is not None:
        f.attrs["walls"] = json.dumps(s.walls.names)


def _steps(values: np.ndarray, step: float) -> np.ndarray:
    """Differences along all three axes, in whole steps, of values rounded to them."""
    out = np.rint(values / step).astype(np.int64)
    for a in range(3):
        out = np.diff(out, axis=a, prepend=0)
    return out.astype(np.min_scalar_type(-max(int(np.abs(out).max()), 1)))


def _rounded(values: np.ndarray, bits: int) -> np.ndarray:
    """Values of which but ``bits`` of the mantissa are kept."""
    whole, drop = np.ascontiguousarray(values, np.float32).view(np.uint32), 23 - bits
    low = np.uint32((0xFFFFFFFF << drop) & 0xFFFFFFFF)
    kept = ((whole + np.uint32(1 << (drop - 1))) & low).view(np.float32)
    return np.where(np.isfinite(values), kept, values).astype(np.float32)


def _values(data: h5py.Dataset) -> np.ndarray:
    """What a dataset holds, in double precision."""
    step = data.attrs.get("step")
    if step is None:
        return data[:].astype(float)
    out = data[:].astype(np.int64)
    for a in range(3):
        out = np.cumsum(out, axis=a)
    return out * float(step)


def _numbers(g: h5py.Group, info: dict) -> dict:
    """The numbers of a kept moment; empty where there are none that fit a summary."""
    if not isinstance(g.get("numbers"), h5py.Dataset):
        return {}
    try:
        found = json.loads(g["numbers"][()])
    except (ValueError, TypeError):
        return {}
    if not isinstance(found, dict):
        return {}
    whole = info | found
    return found if good_summary(whole | {"digest": digest(whole)}) else {}


def _put_walls(put: Callable, where: str, faces: dict, walls: Walls | None, kind: str) -> None:
    for (a, up), values in faces.items():
        put(f"{where}faces/{'xyz'[a]}{'-+'[up]}", values, "f4")
    for name, as_ in WALL_COLUMNS.items() if walls is not None else ():
        values = getattr(walls, name)
        if name not in SINCE_RADIATION or values.any():
            put(f"{where}walls/{name}", values, kind if as_ == "f" else as_)


def read_fields(f: h5py.Group, info: dict) -> Solution | None:
    """The solution in an open file, where it belongs to the summary and fits together; else None."""
    shape = shape_of(f) if good_links(f) else None
    if shape is None or int(np.prod(shape)) != info["cells"]:
        return None
    shapes = {n: shape for n in ("temperature", "pressure")} | {
        n: tuple(m + (t == a) for t, m in enumerate(shape)) for a, n in enumerate("uvw")
    }
    kept, groups = f.get("instants", {}), [f]
    groups += list(kept.values())
    good = all(good_field(g.get(n), shapes[n]) for g in groups for n in _NAMES)
    good &= all(good_field(f.get(n), shape, whole=True) for n in ("kind", "part"))
    good &= "density" not in f or good_field(f["density"], shape)
    more = [x for g in (f.get("extra", {}), *(g.get("faces", {}) for g in groups)) for x in g.values()]
    good &= all(
        isinstance(x, h5py.Dataset) and (x.shape == shape or (x.ndim == 1 and x.size <= 6 * np.prod(shape)))
        for x in more
    )
    if not good:
        return None
    grid, parts = Grid(tuple(f[a][:].astype(float) for a in "xyz")), tuple(json.loads(f.attrs["parts"]))
    arrays: dict[str, Any] = {n: _values(f[n]) for n in _NAMES}
    kind, part = f["kind"][:], f["part"][:]
    if (
        not all(np.isfinite(x).all() for x in arrays.values())
        or arrays["temperature"][kind != VOID].min(initial=1.0) < 0.0
    ):
        return None
    if part.max(initial=-1) >= len(parts) or kind.max(initial=0) > VOID:
        return None
    names = tuple(json.loads(f.attrs.get("walls", "[]")))
    instants = tuple(
        Instant(float(g.attrs["time"]), _fields(g), _faces(g), _walls(g, names, kind.size), _numbers(g, info))
        for g in kept.values()
    )
    extra = {n: x[:].astype(float) for n, x in f.get("extra", {}).items()}
    properties = {n: x[:].astype(float) for n, x in f.get("properties", {}).items() if good_field(x, shape)}
    density = f["density"][:].astype(float) if "density" in f else None
    return Solution(
        grid,
        kind=kind,
        part=part,
        parts=parts,
        summary=info,
        extra=extra,
        instants=instants,
        faces=_faces(f),
        density=density,
        properties=properties,
        ends=_ends(f, shape),
        coarse=_coarse(f),
        walls=_walls(f, names, kind.size),
        state=_state(f),
        **arrays,
    )


def _state(f: h5py.Group) -> dict[str, np.ndarray]:
    """What a run in time goes on from beyond the fields; empty where any of it is no sound array."""
    found = f.get("state", {}).values()
    if any(not isinstance(x, h5py.Dataset) or x.dtype.kind != "f" or x.size > MOST_STATE for x in found):
        return {}
    out = {n: x[:] for n, x in f.get("state", {}).items()}
    return out if all(np.isfinite(x).all() for x in out.values()) else {}


def _ends(f: h5py.Group, shape: tuple[int, ...]) -> dict:
    """The pieces of openings; those that do not fit to the grid are left out."""
    out: dict = {}
    for x in sorted(f.get("ends", {}).values(), key=lambda x: x.name):
        cells = x[:] if isinstance(x, h5py.Dataset) and x.ndim == 2 and x.shape[1] == 3 else np.zeros((0, 3), int)
        if "name" in x.attrs and ((cells >= 0) & (cells < shape)).all():
            piece = int(x.attrs["axis"]), int(x.attrs["outward"]), cells.astype(int)
            out.setdefault(str(x.attrs["name"]), []).append(piece)
    return out


def _coarse(f: h5py.Group) -> Solution | None:
    """The solution on the coarser grid, where there is one that fits together."""
    group = f.get("coarse")
    if not isinstance(group, h5py.Group):
        return None
    try:
        info = json.loads(group.attrs["summary"])
        return read_fields(group, info) if isinstance(info, dict) else None
    except (KeyError, ValueError, TypeError):
        return None


def _fields(group: h5py.Group) -> Fields:
    temperature, pressure, u, v, w = (_values(group[n]) for n in _NAMES)
    return Fields(temperature, pressure, u, v, w)


def _faces(group: h5py.Group) -> dict:
    return {("xyz".index(n[0]), int(n[1] == "+")): x[:].astype(float) for n, x in group.get("faces", {}).items()}


def _walls(group: h5py.Group, names: tuple[str, ...], cells: int) -> Walls | None:
    """The table of walls in a group; None where there is none, or its columns do not fit together."""
    stored = group.get("walls")
    if stored is None:
        return None
    known = {c: as_ for c, as_ in WALL_COLUMNS.items() if c not in SINCE_RADIATION or c in stored}
    if not all(isinstance(stored.get(n), h5py.Dataset) for n in known):
        return None
    n = stored["cell"].shape
    if len(n) != 1 or n[0] > 12 * cells or any(stored[c].shape != (n + (3,) if c == "shear" else n) for c in known):
        return None
    columns = {c: stored[c][:].astype(float if as_ == "f" else np.int64) for c, as_ in known.items()}
    columns |= {c: np.zeros(n) for c in SINCE_RADIATION if c not in columns}
    inside = (
        (columns["cell"] >= 0) & (columns["cell"] < cells) & (columns["name"] >= 0) & (columns["name"] < len(names))
    )
    return Walls(names, **columns) if inside.all() else None
