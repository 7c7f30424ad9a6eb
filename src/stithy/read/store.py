"""Results on disk: results/<layout>/ with fields.h5, history.csv and summary.json, replaced as a whole."""
from __future__ import annotations

import csv
import hashlib
import json
import os
import re
import shutil
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

import h5py
import numpy as np

from ..errors import FileProblem
from ..grid.lines import Grid
from ..grid.occupancy import FLUID, VOID
from . import check
from .interpolate import resample, towards_faces

_NAMES = ("temperature", "pressure", "u", "v", "w")


def folder(project: Path, layout: str, spare: bool = False) -> Path:
    """Where a layout's result lives (``spare``: its checkpoint); distinct layouts get distinct folders."""
    plain = re.sub(r"[^A-Za-z0-9]+", "-", layout).strip("-").lower()[:40] or "layout"
    check = hashlib.sha256(layout.encode("utf-8", "surrogatepass")).hexdigest()[:8]
    return Path(project) / "results" / (f"{plain}-{check}" + (".checkpoint" if spare else ""))


def _own(project: Path, place: Path) -> None:
    """Raises FileProblem where ``place`` is reached by a link: nothing outside the project is written or deleted."""
    for path in (Path(project) / "results", place, place.with_name(place.name + ".new"), place.with_name(place.name + ".old")):
        if path.is_symlink():
            raise FileProblem(f"{path} is a link to somewhere else. Results are kept in the project's own folder only: take the link away.")


def ready(project: Path, cells: int) -> None:
    """Raises FileProblem before a run whose result could not be stored: a folder that cannot be written, or too little space."""
    place = Path(project) / "results"
    _own(project, place)
    try:
        place.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=place):
            pass
        free, need = shutil.disk_usage(place).free, 80 * cells + 5_000_000
    except OSError as error:
        raise FileProblem(f"{place}: results cannot be stored there ({error.strerror or error}). Make the folder writable, or save the "
                          "project somewhere else.") from error
    if free < need:
        raise FileProblem(f"{place}: {need / 1e6:.0f} MB are needed for the result and {free / 1e6:.0f} MB are free. Free some space, or "
                          "save the project somewhere else.")


@dataclass
class Fields:
    """A solution on the grid of its case: cells (nx, ny, nz) and faces one longer along their axis."""

    temperature: np.ndarray
    pressure: np.ndarray
    u: np.ndarray
    v: np.ndarray
    w: np.ndarray
    extra: dict = field(default_factory=dict)


@dataclass(frozen=True)
class Result:
    """A stored solution: ``grid``; cell arrays ``temperature`` K, ``pressure`` Pa, ``kind``, ``part``; face velocities
    ``u``, ``v``, ``w`` m/s (one longer along their own axis); ``parts`` names; ``summary``; ``extra`` fields of the mixing model;
    ``instants`` (time s, fields) of a run in time; ``faces`` as :attr:`read.faces.FaceTemperatures.at`, empty where not known."""

    grid: Grid
    temperature: np.ndarray
    pressure: np.ndarray
    u: np.ndarray
    v: np.ndarray
    w: np.ndarray
    kind: np.ndarray
    part: np.ndarray
    parts: tuple[str, ...]
    summary: dict
    extra: dict = field(default_factory=dict)
    instants: tuple = ()
    faces: dict = field(default_factory=dict)

    def velocity(self) -> np.ndarray:
        """Cell-centred velocity (nx, ny, nz, 3), m/s."""
        u, v, w = self.u, self.v, self.w
        return np.stack([0.5 * (u[1:] + u[:-1]), 0.5 * (v[:, 1:] + v[:, :-1]), 0.5 * (w[:, :, 1:] + w[:, :, :-1])], -1)

    def at(self, point) -> dict | None:
        """Values at ``point`` (m), between cells and up to walls: temperature K, pressure Pa, velocity m/s, part name or "fluid"."""
        index = self.grid.find(point)
        if index is None:
            return None
        part, fluid = int(self.part[index]), self.kind[index] == FLUID
        if part < 0 and not fluid:
            return {"temperature": np.nan, "pressure": np.nan, "velocity": [0.0] * 3, "part": "outside"}
        same = self.kind == FLUID if fluid else self.part == part
        to, centres = [np.array([x]) for x in point], self.grid.centres
        temperature = float(resample(self.temperature, centres, to, same)[0, 0, 0]) + towards_faces(
            self.grid, self.faces, float(self.temperature[index]), index, point)
        pressure, velocity = np.nan, [0.0] * 3
        if fluid:
            pressure = float(resample(self.pressure, centres, to, same)[0, 0, 0])
            velocity = [self._speed(a, index, point, to) for a in range(3)]
        return {"temperature": temperature, "pressure": pressure, "velocity": velocity, "part": self.parts[part] if part >= 0 else "fluid"}

    def _speed(self, axis: int, index, point, to) -> float:
        """Velocity (m/s) along an axis between the faces of fluid cells; it falls to nothing towards walls beside the point."""
        fluid, places = np.moveaxis(self.kind == FLUID, axis, 0), list(self.grid.centres)
        live = np.moveaxis(np.concatenate([fluid[:1], fluid[1:] | fluid[:-1], fluid[-1:]]), 0, axis)
        places[axis] = self.grid.lines[axis]
        value = float(np.nan_to_num(resample((self.u, self.v, self.w)[axis], places, to, live)[0, 0, 0]))
        for a in (t for t in range(3) if t != axis):
            off, beside = point[a] - self.grid.centres[a][index[a]], list(index)
            beside[a] += 1 if off > 0 else -1
            edge = not 0 <= beside[a] < self.grid.shape[a]
            free = f"{'xyz'[a]}{'+' if off > 0 else '-'}" in self.summary.get("free_sides", ())
            normal = (self.u, self.v, self.w)[a][tuple(c + (t == a and off > 0) for t, c in enumerate(index))]
            if (edge and not free and normal == 0.0) or (not edge and self.kind[tuple(beside)] != FLUID):
                value *= 1.0 - min(abs(off) / (0.5 * self.grid.widths[a][index[a]]), 1.0)
        return value


def save(project: Path, layout: str, result: Result, history: list | None = None, spare: bool = False) -> Path:
    """Write a result whole, beside the old one, then put it in its place. Raises FileProblem; nothing half-written is left."""
    target = folder(project, layout, spare)
    fresh, old = (target.with_name(target.name + end) for end in (".new", ".old"))
    _own(project, target)
    try:
        _recover(target)
        shutil.rmtree(fresh, ignore_errors=True)
        fresh.mkdir(parents=True)
        _write(fresh, result, history)
        shutil.rmtree(old, ignore_errors=True)
        if target.exists():
            os.replace(target, old)
        os.replace(fresh, target)
        shutil.rmtree(old, ignore_errors=True)
    except (OSError, RuntimeError) as error:  # the library for fields tells a full disk as either
        shutil.rmtree(fresh, ignore_errors=True)
        _recover(target)
        raise FileProblem(f"{target}: the result was not saved, {getattr(error, 'strerror', None) or error}. "
                          "Free some space; the result before is untouched.") from error
    return target


def _write(fresh: Path, result: Result, history: list | None) -> None:
    precise = result.grid.cells < 200_000  # small results keep every digit, so that fluxes can be worked out anew
    with h5py.File(fresh / "fields.h5", "w") as f:
        for a, name in enumerate("xyz"):
            f[name] = result.grid.lines[a]
        for name in _NAMES:
            kind = "f8" if precise else "f4"
            f.create_dataset(name, data=getattr(result, name).astype(kind), compression="gzip", shuffle=True)
        for name, values in result.extra.items():
            f.create_dataset(f"extra/{name}", data=values.astype("f4"), compression="gzip", shuffle=True)
        for m, (when, fields) in enumerate(result.instants):
            f.create_group(f"instants/{m:05d}").attrs["time"] = when
            for name in _NAMES:
                data = getattr(fields, name).astype(kind)
                f.create_dataset(f"instants/{m:05d}/{name}", data=data, compression="gzip", shuffle=True)
        for (a, up), values in result.faces.items():
            f.create_dataset(f"faces/{'xyz'[a]}{'-+'[up]}", data=values.astype("f4"), compression="gzip", shuffle=True)
        for name in ("kind", "part"):
            f.create_dataset(name, data=getattr(result, name), compression="gzip", shuffle=True)
        f.attrs["parts"] = json.dumps(result.parts)
        f.attrs["key"] = f"{result.summary['key']} {result.summary['layout']}"
    if history is not None:
        (fresh / "history.csv").write_text("\n".join(history) + "\n", encoding="utf-8")
    summary = result.summary | {"digest": check.digest(result.summary)}
    (fresh / "summary.json").write_text(json.dumps(summary, indent=1) + "\n", encoding="utf-8")


def _recover(target: Path) -> None:
    """Put a result back in its place where a crash between two renamings left it beside."""
    old = target.with_name(target.name + ".old")
    if not target.exists() and old.is_dir() and not old.is_symlink():
        os.replace(old, target)


def remove(project: Path, layout: str, spare: bool = False) -> None:
    """Forget a stored result, if there is one. Raises FileProblem where it is reached by a link."""
    place = folder(project, layout, spare)
    _own(project, place)
    shutil.rmtree(place, ignore_errors=True)


def summary(project: Path, layout: str, spare: bool = False) -> dict | None:
    """The stored summary, or None when there is none that can be read and believed."""
    place = folder(project, layout, spare)
    for path in (place, place.with_name(place.name + ".old")):
        try:
            data = json.loads((path / "summary.json").read_text(encoding="utf-8"))
        except (OSError, ValueError, RecursionError):
            continue
        if check.good_summary(data) and data["layout"] == layout:
            return data
    return None


def load(project: Path, layout: str, spare: bool = False) -> Result | None:
    """The stored result, or None when there is none that can be read and believed."""
    info, place = summary(project, layout, spare), folder(project, layout, spare)
    if info is None:
        return None
    if not place.exists():
        place = place.with_name(place.name + ".old")
    try:
        with h5py.File(place / "fields.h5") as f:
            return _read(f, info)
    except (OSError, KeyError, ValueError, TypeError, RuntimeError, MemoryError):
        return None


def _read(f: h5py.File, info: dict) -> Result | None:
    """The result in an open file of fields, where it belongs to the summary and fits together; else None."""
    shape = check.shape_of(f) if check.good_links(f) else None
    if shape is None or f.attrs.get("key") != f"{info['key']} {info['layout']}" or int(np.prod(shape)) != info["cells"]:
        return None
    shapes = {n: shape for n in ("temperature", "pressure")} | {
        n: tuple(m + (t == a) for t, m in enumerate(shape)) for a, n in enumerate("uvw")}
    kept, more = f.get("instants", {}), {**f.get("extra", {}), **f.get("faces", {})}
    good = all(check.good_field(g.get(n), shapes[n]) for g in (f, *kept.values()) for n in _NAMES)
    good &= all(check.good_field(f.get(n), shape, whole=True) for n in ("kind", "part"))
    good &= all(isinstance(x, h5py.Dataset) and (x.shape == shape or (x.ndim == 1 and x.size <= 6 * np.prod(shape))) for x in more.values())
    if not good:
        return None
    grid, parts = Grid(tuple(f[a][:].astype(float) for a in "xyz")), tuple(json.loads(f.attrs["parts"]))
    arrays, kind, part = {n: f[n][:].astype(float) for n in _NAMES}, f["kind"][:], f["part"][:]
    if not all(np.isfinite(x).all() for x in arrays.values()) or arrays["temperature"][kind != VOID].min(initial=1.0) < 0.0:
        return None
    if part.max(initial=-1) >= len(parts) or kind.max(initial=0) > VOID:
        return None
    extra = {n: f["extra"][n][:].astype(float) for n in f.get("extra", {})}
    faces = {("xyz".index(n[0]), int(n[1] == "+")): x[:].astype(float) for n, x in f.get("faces", {}).items()}
    instants = tuple((float(x.attrs["time"]), Fields(*(x[n][:].astype(float) for n in _NAMES))) for x in kept.values())
    return Result(grid, kind=kind, part=part, parts=parts, summary=info, extra=extra, instants=instants, faces=faces, **arrays)


def history(project: Path, layout: str) -> dict[str, np.ndarray] | None:
    """The stored history: columns by their heads, or None when there is none that can be read."""
    try:
        with (folder(project, layout) / "history.csv").open(encoding="utf-8", newline="") as f:
            heads, *rows = csv.reader(f)
        return {h: np.array([float(r[m]) for r in rows]) for m, h in enumerate(heads)}
    except (OSError, ValueError, IndexError):
        return None
