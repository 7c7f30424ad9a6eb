"""Circuit boards taken into a project, by content: what was read from their files, kept in ``assets/`` beside them."""

from __future__ import annotations

import hashlib
import io
import json
import re
import zipfile
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from ..errors import FileProblem
from . import assets
from .files import LOG, write_atomic

#: what stands behind the name of a board's asset where its reading is kept
READ = assets.READINGS[1]
#: date of every file in an asset, so that the same files make the same asset
_DATE = (2000, 1, 1, 0, 0, 0)


@dataclass(frozen=True)
class CopperLayer:
    """A layer of copper, from the component side down: ``thickness`` m, ``share`` of the board's area, and its
    conductivity along x and y (W/m/K, as one number: geometric mean)."""

    name: str
    thickness: float
    share: float
    k: float


@dataclass(frozen=True)
class Placed:
    """A part on a board, in the file's coordinates: middle (m), lengths along x and y after turning, and ``height``
    (m); ``power`` W, resistances from its junction (K/W), each None where no file says it."""

    reference: str
    package: str
    part: str
    at: tuple[float, float]
    size: tuple[float, float]
    height: float
    top: bool
    power: float | None = None
    junction_to_case: float | None = None
    junction_to_board: float | None = None


@dataclass(frozen=True)
class Circuit:
    """A board as its files say it. ``loops`` of the outline (n, 2) m; ``thickness`` m; ``copper`` layers; ``maps`` one
    (2, nx, ny) per copper layer, W/m/K along x and y by blocks of ``block`` (m) from the outline's low corner;
    ``pictures`` one (mx, my) uint8 per layer, share of copper in 255 by ``pixel`` (m); ``vias`` (n, 6): x, y (m),
    drill (m), layers that it joins, conductance (W/K); ``told``: what was unsound in the files."""

    loops: tuple[np.ndarray, ...]
    thickness: float
    copper: tuple[CopperLayer, ...]
    placed: tuple[Placed, ...]
    block: float
    maps: tuple[np.ndarray, ...]
    pixel: float
    pictures: tuple[np.ndarray, ...]
    vias: np.ndarray
    told: tuple[str, ...] = ()

    @property
    def low(self) -> np.ndarray:
        """Low corner (2,) m of the outline."""
        return np.asarray(self.loops[0].min(axis=0))

    @property
    def size(self) -> tuple[float, float]:
        """Lengths along x and y, m."""
        x, y = np.ptp(self.loops[0], axis=0)
        return float(x), float(y)

    def part(self, reference: str) -> Placed | None:
        """The part of that reference."""
        return next((p for p in self.placed if p.reference == reference), None)


def keep(project: Path, name: str, files: Sequence[Path], circuit: Circuit) -> str:
    """Take a board's files and what was read from them into a project; the asset's name. Raises FileProblem."""
    out = io.BytesIO()
    try:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as pack:
            for file in sorted(files):
                pack.writestr(zipfile.ZipInfo(file.name, _DATE), file.read_bytes(), zipfile.ZIP_DEFLATED)
    except OSError as error:
        raise FileProblem(f"{error.filename}: cannot be read ({error.strerror or error}).") from error
    data = out.getvalue()
    stem = re.sub(r"[^\w -]+", "-", name)[:60].strip(" -") or "board"
    title = f"{stem} {hashlib.sha256(data).hexdigest()[:8]}.board"
    write_atomic(project / assets.FOLDER / title, data)
    write_atomic(project / assets.FOLDER / (title + READ), packed(circuit))
    assets.know(project)
    LOG.info("took board %s into %s: %d layers, %d parts", title, project, len(circuit.copper), len(circuit.placed))
    return title


def packed(circuit: Circuit) -> bytes:
    """A board as bytes."""
    head = {
        "thickness": circuit.thickness,
        "copper": [asdict(x) for x in circuit.copper],
        "placed": [asdict(x) for x in circuit.placed],
        "block": circuit.block,
        "pixel": circuit.pixel,
        "told": list(circuit.told),
        "loops": len(circuit.loops),
    }
    arrays = {f"loop{m}": x for m, x in enumerate(circuit.loops)}
    arrays |= {f"map{m}": x.astype(np.float32) for m, x in enumerate(circuit.maps)}
    arrays |= {f"picture{m}": x for m, x in enumerate(circuit.pictures)}
    out = io.BytesIO()
    np.savez_compressed(out, head=np.array(json.dumps(head)), vias=circuit.vias, **arrays)  # type: ignore[arg-type]
    return out.getvalue()


def circuit(name: str) -> Circuit | None:
    """The board of an asset, or None where it is not there or cannot be read."""
    path = assets.find(name)
    read = path and path.with_name(path.name + READ)
    if read is None or not read.is_file():
        return None
    return _read(read, read.stat().st_mtime_ns)


@lru_cache(maxsize=8)
def _read(path: Path, _: int) -> Circuit | None:
    try:
        return unpacked(path.read_bytes())
    except (OSError, ValueError, KeyError, TypeError, zipfile.BadZipFile):
        return None


def unpacked(data: bytes) -> Circuit:
    """A board from bytes. Raises ValueError, KeyError or TypeError where they are no board."""
    with np.load(io.BytesIO(data), allow_pickle=False) as kept:
        head = json.loads(str(kept["head"]))
        copper = tuple(CopperLayer(**x) for x in head["copper"])
        placed = tuple(Placed(**x | {"at": tuple(x["at"]), "size": tuple(x["size"])}) for x in head["placed"])
        count = range(len(copper))
        return Circuit(
            tuple(kept[f"loop{m}"] for m in range(head["loops"])),
            head["thickness"],
            copper,
            placed,
            head["block"],
            tuple(kept[f"map{m}"] for m in count),
            head["pixel"],
            tuple(kept[f"picture{m}"] for m in count),
            kept["vias"],
            tuple(head["told"]),
        )
