"""Files taken into a project, by content: the file as it was, and what was read from it, in ``assets/``.

Rows name an asset; project.json stays small. An asset's name holds a hash of its content, so it is the same in whatever
folder it lies.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from io import BytesIO
from pathlib import Path

import numpy as np

from ..errors import FileProblem
from .files import LOG, OPENED, write_atomic

FOLDER, READ = "assets", ".bodies.npz"
#: what stands behind the name of an asset where a reading of it is kept
READINGS = (READ, ".board.npz")
#: bytes of a file that may be taken in
LARGEST = 2_000_000_000
#: project folders that have been opened; assets are looked for in all of them
_KNOWN: list[Path] = []


@dataclass(frozen=True)
class Body:
    """One solid of a file: ``name`` unlike all others of it, ``path`` of the assemblies it belongs to, ``tone``
    (#rrggbb, or ""), ``points`` (n, 3) m, ``triangles`` (m, 3) counterclockwise seen from outside, and which face of
    the solid each belongs to (``faces``)."""

    name: str
    path: tuple[str, ...]
    tone: str
    points: np.ndarray
    triangles: np.ndarray
    faces: np.ndarray


def know(project: Path) -> None:
    """Look for assets in this project from now on."""
    if project not in _KNOWN:
        _KNOWN.append(project)


def forget(project: Path) -> None:
    """Look for assets there no more."""
    if project in _KNOWN:
        _KNOWN.remove(project)


def find(name: str) -> Path | None:
    """The file of an asset, or None where no known project has it."""
    if not re.fullmatch(r"[\w .()-]{1,120}", name) or name.startswith("."):
        return None
    return next((p for folder in reversed(_KNOWN) if (p := folder / FOLDER / name).is_file()), None)


def keep(project: Path, path: Path, bodies: list[Body]) -> str:
    """Take a file and what was read from it into a project; the asset's name. Raises FileProblem."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise FileProblem(f"{path}: cannot be read ({error.strerror or error}). Check that it is there.") from error
    stem = re.sub(r"[^\w -]+", "-", path.stem)[:60].strip(" -") or "solids"
    name = f"{stem} {hashlib.sha256(data).hexdigest()[:8]}{path.suffix.lower()}"
    folder = project / FOLDER
    write_atomic(folder / name, data)
    write_atomic(folder / (name + READ), _packed(bodies))
    know(project)
    LOG.info("took %s into %s as %s: %d bodies", path, project, name, len(bodies))
    return name


def _packed(bodies: list[Body]) -> bytes:
    out = BytesIO()
    heads = json.dumps([[b.name, list(b.path), b.tone] for b in bodies])
    arrays = {
        f"{kind}{m}": x
        for m, b in enumerate(bodies)
        for kind, x in (("p", b.points), ("t", b.triangles.astype(np.int32)), ("f", b.faces.astype(np.int32)))
    }
    np.savez_compressed(out, heads=np.array(heads), **arrays)  # type: ignore[arg-type]
    return out.getvalue()


def bodies(name: str) -> dict[str, Body] | None:
    """The bodies of an asset by name, or None where it is not there or cannot be read."""
    path = find(name)
    read = path and path.with_name(path.name + READ)
    if read is None or not read.is_file():
        return None
    return _read(read, read.stat().st_mtime_ns)


@lru_cache(maxsize=16)
def _read(path: Path, _: int) -> dict[str, Body] | None:
    try:
        with np.load(path, allow_pickle=False) as data:
            heads = json.loads(str(data["heads"]))
            found = [
                Body(n, tuple(at), tone, data[f"p{m}"], data[f"t{m}"], data[f"f{m}"])
                for m, (n, at, tone) in enumerate(heads)
            ]
    except (OSError, ValueError, KeyError, TypeError):
        return None
    good = all(
        b.triangles.ndim == 2
        and b.points.ndim == 2
        and np.isfinite(b.points).all()
        and len(b.points)
        and 0 <= b.triangles.min(initial=0) <= b.triangles.max(initial=0) < len(b.points)
        for b in found
    )
    return {b.name: b for b in found} if good else None


def carry(names: Iterable[str], project: Path) -> None:
    """Copy assets that a project names and has not, from where they are known (after saving it elsewhere)."""
    for name in names:
        source = find(name)
        if source is not None and not (project / FOLDER / name).exists():
            (project / FOLDER).mkdir(parents=True, exist_ok=True)
            for end in ("", *READINGS):
                if (file := source.with_name(name + end)).is_file():
                    shutil.copy2(file, project / FOLDER / (name + end))


OPENED.append(know)
