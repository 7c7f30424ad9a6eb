"""Results on disk: results/<layout>/ with fields.h5, history.csv and summary.json, replaced as a whole."""
from __future__ import annotations

import json
import os
import re
import shutil
from dataclasses import dataclass, field
from pathlib import Path

import h5py
import numpy as np

from ..errors import FileProblem
from ..grid.lines import Grid

_NAMES = ("temperature", "pressure", "u", "v", "w")


def folder(project: Path, layout: str) -> Path:
    """Where a layout's result lives; distinct layouts get distinct folders."""
    plain = re.sub(r"[^A-Za-z0-9]+", "-", layout).strip("-").lower() or "layout"
    check = sum((i + 1) * ord(c) for i, c in enumerate(layout)) % 9973
    return Path(project) / "results" / f"{plain}-{check:04d}"


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
    ``instants`` (time s, fields) of a run in time."""

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

    def velocity(self) -> np.ndarray:
        """Cell-centred velocity (nx, ny, nz, 3), m/s."""
        u, v, w = self.u, self.v, self.w
        return np.stack([0.5 * (u[1:] + u[:-1]), 0.5 * (v[:, 1:] + v[:, :-1]), 0.5 * (w[:, :, 1:] + w[:, :, :-1])], -1)

    def at(self, point) -> dict | None:
        """Values in the cell that holds ``point`` (m): temperature K, pressure Pa, velocity m/s, part name or "fluid"."""
        index = self.grid.find(point)
        if index is None:
            return None
        part = int(self.part[index])
        return {"temperature": float(self.temperature[index]), "pressure": float(self.pressure[index]),
                "velocity": [float(x) for x in self.velocity()[index]],
                "part": self.parts[part] if part >= 0 else ("fluid" if self.kind[index] == 0 else "outside")}


def save(project: Path, layout: str, result: Result, history: list | None = None) -> Path:
    """Write a result whole, beside the old one, then put it in its place. Raises FileProblem."""
    target = folder(project, layout)
    fresh = target.with_name(target.name + ".new")
    precise = result.grid.cells < 200_000  # small results keep every digit, so that fluxes can be worked out anew
    try:
        shutil.rmtree(fresh, ignore_errors=True)
        fresh.mkdir(parents=True)
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
            for name in ("kind", "part"):
                f.create_dataset(name, data=getattr(result, name), compression="gzip", shuffle=True)
            f.attrs["parts"] = json.dumps(result.parts)
        if history is not None:
            (fresh / "history.csv").write_text("\n".join(history) + "\n")
        (fresh / "summary.json").write_text(json.dumps(result.summary, indent=1) + "\n")
        old = target.with_name(target.name + ".old")
        shutil.rmtree(old, ignore_errors=True)
        if target.exists():
            os.replace(target, old)
        os.replace(fresh, target)
        shutil.rmtree(old, ignore_errors=True)
    except OSError as error:
        raise FileProblem(f"{target}: the result was not saved, {error.strerror or error}. "
                          "Free some space; the result before is untouched.") from error
    return target


def remove(project: Path, layout: str) -> None:
    """Forget a stored result, if there is one."""
    shutil.rmtree(folder(project, layout), ignore_errors=True)


def summary(project: Path, layout: str) -> dict | None:
    """The stored summary, or None when there is none that can be read."""
    place = folder(project, layout)
    for path in (place, place.with_name(place.name + ".old")):
        try:
            data = json.loads((path / "summary.json").read_text())
        except (OSError, json.JSONDecodeError):
            continue
        if data.get("format") == "stithy result":
            return data
    return None


def load(project: Path, layout: str) -> Result | None:
    """The stored result, or None when there is none that can be read."""
    info, place = summary(project, layout), folder(project, layout)
    if info is None:
        return None
    try:
        with h5py.File(place / "fields.h5") as f:
            grid = Grid(tuple(f[a][:] for a in "xyz"))
            arrays = {n: f[n][:].astype(float) for n in _NAMES}
            extra = {n: f["extra"][n][:].astype(float) for n in f.get("extra", {})}
            kept = f.get("instants", {})
            instants = tuple((float(x.attrs["time"]), Fields(*(x[n][:].astype(float) for n in _NAMES))) for x in kept.values())
            return Result(grid, extra=extra, instants=instants, kind=f["kind"][:], part=f["part"][:],
                          parts=tuple(json.loads(f.attrs["parts"])), summary=info, **arrays)
    except (OSError, KeyError):
        return None


def history(project: Path, layout: str) -> np.ndarray | None:
    """The stored history as a structured array, or None."""
    try:
        return np.genfromtxt(folder(project, layout) / "history.csv", delimiter=",", names=True)
    except (OSError, ValueError):
        return None
