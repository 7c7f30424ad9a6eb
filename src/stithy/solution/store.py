"""Results on disk, by content: results/<key>/ with fields.h5, history.csv and summary.json, and an index from layouts
to keys.

The key is that of the resolved model with the version of the physics, so equal layouts share a result, renaming a
layout loses nothing, and undoing a change makes the old result current again. ``results/index.json`` holds for every
layout the keys it was solved under, the newest first; results that no layout names any more are taken away. Folders are
replaced as a whole.
"""

from __future__ import annotations

import csv
import fcntl
import io
import json
import lzma
import os
import re
import shutil
import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import h5py
import numpy as np

from ..errors import FileProblem
from ..project.files import write_atomic
from .check import good_name
from .fields import read_fields, write_fields
from .solution import Solution
from .summary import digest, good_summary

#: results kept of each layout, and checkpoints in all
KEPT, SPARE = 4, "checkpoint"
#: the fields of a result, as they are or packed as a whole; bytes at most of what is packed
FIELDS, PACKED, MOST_UNPACKED = "fields.h5", "fields.h5.xz", 1 << 30


def results(project: Path) -> Path:
    """The folder of all results."""
    return Path(project) / "results"


def folder(project: Path, key: str, spare: bool = False) -> Path:
    """Where the result of a key lives (``spare``: its checkpoint)."""
    return results(project) / (key + (f".{SPARE}" if spare else ""))


def index(project: Path) -> dict[str, list[str]]:
    """Keys of every layout, the newest first; what cannot be read is left out."""
    try:
        data = json.loads((results(project) / "index.json").read_text(encoding="utf-8"))
        return {
            str(n): [k for k in keys if isinstance(k, str) and good_name(k)][:KEPT]
            for n, keys in data.items()
            if isinstance(keys, list)
        }
    except (OSError, ValueError, AttributeError, RecursionError):
        return {}


def last_key(project: Path, layout: str) -> str:
    """Key of the newest result of a layout, or "" when it has none."""
    return next((k for k in index(project).get(layout, []) if _whole(project, k) is not None), "")


@contextmanager
def _changing(project: Path) -> Iterator[dict[str, list[str]]]:
    """The index to be changed in place, and written when the block ends; one process at a time."""
    place = results(project)
    place.mkdir(parents=True, exist_ok=True)
    handle = os.open(place / ".index.lock", os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        data = index(project)
        before = json.dumps(data)
        yield data
        if json.dumps(data) != before:
            write_atomic(place / "index.json", (json.dumps(data, indent=1) + "\n").encode())
    finally:
        os.close(handle)


def _note(project: Path, data: dict[str, list[str]], layout: str, key: str) -> None:
    """Put a key first among those of a layout in an index that is being changed, and take away results that no layout
    names any more."""
    data[layout] = [key, *(k for k in data.get(layout, []) if k != key)][:KEPT]
    named = {k for keys in data.values() for k in keys}
    with suppress(OSError):
        for place in results(project).iterdir():
            if good_name(place.name) and place.name not in named and place.is_dir() and not place.is_symlink():
                shutil.rmtree(place, ignore_errors=True)


def renamed(project: Path, old: str, new: str) -> None:
    """Let a layout's results go by its new name as well."""
    with suppress(OSError, FileProblem), _changing(project) as data:
        if old in data:
            data[new] = data[old]


def kept_for(project: Path, names: Iterable[str]) -> None:
    """Forget which results belonged to layouts that are not among ``names`` any more; for when a project is opened."""
    names = set(names)
    if set(index(project)) - names:
        with suppress(OSError, FileProblem), _changing(project) as data:
            for name in set(data) - names:
                del data[name]


def _own(project: Path, place: Path) -> None:
    """Raises FileProblem where ``place`` is reached by a link: nothing outside the project is written or deleted."""
    for path in (results(project), place, place.with_name(place.name + ".new"), place.with_name(place.name + ".old")):
        if path.is_symlink():
            raise FileProblem(
                f"{path} is a link to somewhere else. Results are kept in the project's own folder only: take the "
                "link away."
            )


def ready(project: Path, cells: int) -> None:
    """Raises FileProblem before a run whose result could not be stored: a folder that cannot be written, or too little
    space."""
    place = results(project)
    _own(project, place)
    try:
        place.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=place):
            pass
        free, need = shutil.disk_usage(place).free, 160 * cells + 5_000_000
    except OSError as error:
        raise FileProblem(
            f"{place}: results cannot be stored there ({error.strerror or error}). Make the folder writable, or save "
            "the "
            "project somewhere else."
        ) from error
    if free < need:
        raise FileProblem(
            f"{place}: {need / 1e6:.0f} MB are needed for the result and {free / 1e6:.0f} MB are free. Free some "
            "space, or "
            "save the project somewhere else."
        )


def save(
    project: Path, layout: str, result: Solution, history: list | None = None, spare: bool = False, packed: bool = False
) -> Path:
    """Write a result whole, beside the old one, then put it in its place. Raises FileProblem; nothing half-written is
    left."""
    target = folder(project, result.summary["key"], spare)
    fresh, old = (target.with_name(target.name + end) for end in (".new", ".old"))
    _own(project, target)
    try:
        _recover(target)
        shutil.rmtree(fresh, ignore_errors=True)
        fresh.mkdir(parents=True)
        _write(fresh, result, history, packed)
        with _changing(project) as data:  # another process that solves beside takes nothing away meanwhile
            shutil.rmtree(old, ignore_errors=True)
            if target.exists():
                os.replace(target, old)
            os.replace(fresh, target)
            shutil.rmtree(old, ignore_errors=True)
            if not spare:
                _note(project, data, layout, result.summary["key"])
    except (OSError, RuntimeError) as error:  # the library for fields tells a full disk as either
        shutil.rmtree(fresh, ignore_errors=True)
        _recover(target)
        raise FileProblem(
            f"{target}: the result was not saved, {getattr(error, 'strerror', None) or error}. "
            "Free some space; the result before is untouched."
        ) from error
    return target


def _write(fresh: Path, result: Solution, history: list | None, packed: bool = False) -> None:
    with h5py.File(fresh / FIELDS, "w") as f:
        write_fields(f, result, packed, loose=packed)
        f.attrs["key"] = result.summary["key"]
    if packed:
        (fresh / PACKED).write_bytes(lzma.compress((fresh / FIELDS).read_bytes(), preset=9 | lzma.PRESET_EXTREME))
        (fresh / FIELDS).unlink()
    if history is not None:
        (fresh / "history.csv").write_text("\n".join(history) + "\n", encoding="utf-8")
    summary = result.summary | {"digest": digest(result.summary)}
    (fresh / "summary.json").write_text(json.dumps(summary, indent=1) + "\n", encoding="utf-8")


def _recover(target: Path) -> None:
    """Put a result back in its place where a crash between two renamings left it beside."""
    old = target.with_name(target.name + ".old")
    if not target.exists() and old.is_dir() and not old.is_symlink():
        os.replace(old, target)


def remove(project: Path, key: str, spare: bool = False) -> None:
    """Forget a stored result, if there is one. Raises FileProblem where it is reached by a link."""
    place = folder(project, key, spare)
    _own(project, place)
    shutil.rmtree(place, ignore_errors=True)


def _whole(project: Path, key: str, spare: bool = False) -> tuple[dict, Path] | None:
    """Summary and folder of a key's result that can be read and believed."""
    place = folder(project, key, spare)
    for path in (place, place.with_name(place.name + ".old")) if good_name(key) else ():
        try:
            data = json.loads((path / "summary.json").read_text(encoding="utf-8"))
        except (OSError, ValueError, RecursionError):
            continue
        if good_summary(data) and data["key"] == key:
            return data, path
    return None


def summary(project: Path, layout: str, key: str = "") -> dict | None:
    """The stored summary of a layout: that of ``key`` (its model as it is now) when there is one, else of its newest
    result; None when there is none that can be read and believed. It tells the layout's own name."""
    found = (_whole(project, key) if key else None) or _whole(project, last_key(project, layout))
    return found[0] | {"layout": layout} if found else None


def summary_of(project: Path, key: str, spare: bool = False) -> dict | None:
    """The stored summary of a key's result, or of its checkpoint (``spare``); None where there is none to believe."""
    found = _whole(project, key, spare)
    return found[0] if found else None


def load(project: Path, layout: str, key: str = "", spare: bool = False) -> Solution | None:
    """The stored result of a layout, found as :func:`summary` does; None when there is none that can be read and
    believed."""
    found = _whole(project, key, spare) if key else None
    if found is None and not spare:
        found = _whole(project, last_key(project, layout))
    if found is None:
        return None
    info, place = found
    try:
        with h5py.File(_fields_in(place)) as f:
            return read_fields(f, info | {"layout": layout}) if f.attrs.get("key") == info["key"] else None
    except (OSError, KeyError, ValueError, TypeError, RuntimeError, MemoryError, lzma.LZMAError):
        return None


def _fields_in(place: Path) -> Path | io.BytesIO:
    """The file of fields in a folder, or what is in it where it is packed as a whole. Raises LZMAError, or ValueError
    where it claims too much."""
    if (place / FIELDS).exists() or not (place / PACKED).exists():
        return place / FIELDS
    unpack = lzma.LZMADecompressor(memlimit=1 << 28)
    found = unpack.decompress((place / PACKED).read_bytes(), MOST_UNPACKED)
    if not unpack.eof:
        raise ValueError("more than a result can be")
    return io.BytesIO(found)


def keep_rows(project: Path, key: str, rows: dict[str, dict[str, str]]) -> None:
    """Keep what a layout said when it was solved (cells by row) beside its result; nothing where that cannot be
    done."""
    found = _whole(project, key)
    with suppress(OSError, FileProblem):
        if found is not None:
            _own(project, found[1])
            write_atomic(found[1] / "rows.json", json.dumps(rows).encode())


def rows(project: Path, key: str) -> dict[str, dict[str, str]]:
    """What a layout said when it was solved; nothing where that is not known."""
    try:
        data = json.loads((folder(project, key) / "rows.json").read_text(encoding="utf-8")) if good_name(key) else {}
        return {str(n): {str(k): str(v) for k, v in cells.items()} for n, cells in data.items()}
    except (OSError, ValueError, AttributeError, RecursionError):
        return {}


def worked_out(project: Path, key: str) -> dict:
    """Numbers that were worked out from a result and kept beside it; those of another state of it do not count."""
    found = _whole(project, key)
    try:
        data = json.loads((found[1] / "worked_out.json").read_text(encoding="utf-8")) if found else {}
        good = isinstance(data, dict) and data.get("of") == (found[0]["digest"] if found else "")
        return data["numbers"] if good and all(isinstance(x, dict) for x in data["numbers"].values()) else {}
    except (OSError, ValueError, KeyError, AttributeError, RecursionError):
        return {}


def keep_worked_out(project: Path, key: str, numbers: dict) -> None:
    """Keep such numbers; nothing where that cannot be done."""
    found = _whole(project, key)
    with suppress(OSError, FileProblem, ValueError):
        if found is not None:
            _own(project, found[1])
            data = {"of": found[0]["digest"], "numbers": worked_out(project, key) | numbers}
            write_atomic(found[1] / "worked_out.json", json.dumps(data).encode())


def history(project: Path, layout: str, key: str = "") -> dict[str, np.ndarray] | None:
    """The stored history: columns by their heads, or None when there is none that can be read."""
    found = (_whole(project, key) if key else None) or _whole(project, last_key(project, layout))
    if found is None:
        return None
    try:
        with (found[1] / "history.csv").open(encoding="utf-8", newline="") as f:
            heads, *rows = csv.reader(f)
        return {h: np.array([float(r[m]) for r in rows]) for m, h in enumerate(heads)}
    except (OSError, ValueError, IndexError):
        return None


def history_lines(project: Path, key: str, spare: bool = False) -> list[str]:
    """The stored history of a key's result (``spare``: of its checkpoint first) as lines; none where there is none."""
    for found in (_whole(project, key, s) for s in ((True, False) if spare else (False,))):
        try:
            if found is not None:
                return (found[1] / "history.csv").read_text(encoding="utf-8").splitlines()
        except (OSError, ValueError):
            continue
    return []


def take_over(project: Path, names: Iterable[str]) -> int:
    """Results that an earlier version kept by layout: put into folders by key, so that they are shown (as out of date);
    how many.

    What cannot be read, or is a link, is left where it is.
    """
    if not results(project).is_dir() or results(project).is_symlink():
        return 0
    taken, data, names = 0, index(project), set(names)
    for place in sorted(results(project).iterdir()):
        if not re.fullmatch(r"[a-z0-9-]+-[0-9a-f]{8}", place.name) or place.is_symlink() or not place.is_dir():
            continue
        with suppress(OSError, ValueError, KeyError, TypeError, RuntimeError):
            info = json.loads((place / "summary.json").read_text(encoding="utf-8"))
            if not good_summary(info) or info["layout"] not in names or not good_name(info["key"]):
                continue
            with h5py.File(place / FIELDS, "r+") as f:
                f.attrs["key"] = info["key"]
            target = folder(project, info["key"])
            if not target.exists():
                os.replace(place, target)
            data.setdefault(info["layout"], []).append(info["key"])
            taken += 1
    if taken:
        with _changing(project) as now:
            now.update(data)
    return taken
