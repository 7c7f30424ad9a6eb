"""Points of studies on disk, by content: points/<key>/ with point.json and start.npz.

The key is that of the model, so a point is solved once whatever study asks for it, and a study that was broken off goes
on where it was.
"""

from __future__ import annotations

import hashlib
import json
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from ..errors import FileProblem
from ..project.document import Document
from ..project.files import write_atomic
from ..project.kind import KINDS
from ..solution import packing
from ..solution.check import good_name
from ..solution.summary import digest, good_summary
from .task import Answer

FOLDER, INDEX = packing.POINTS, ".index.json"


@dataclass(frozen=True)
class Record:
    """A point as it is kept: ``summary``, ``watches`` worked out, ``mass`` kg, ``seconds``, or a ``fault``."""

    key: str
    summary: dict
    watches: dict
    mass: float
    seconds: float
    fault: str = ""


def place(project: Path, key: str) -> Path:
    """Where a point is kept."""
    return Path(project) / FOLDER / key


def keep(project: Path, answer: Answer) -> None:
    """Keep the answer of a point. Raises FileProblem where that cannot be done."""
    at = place(project, answer.key)
    if at.parent.is_symlink() or at.is_symlink():
        raise FileProblem(f"{at} is a link to somewhere else. Take the link away.")
    data = {
        "key": answer.key,
        "summary": answer.summary and answer.summary | {"digest": digest(answer.summary)},
        "watches": answer.watches,
        "mass": answer.mass,
        "seconds": round(answer.seconds, 2),
        "fault": answer.fault,
    }
    try:
        at.mkdir(parents=True, exist_ok=True)
        if answer.fields:
            write_atomic(at / packing.START, answer.fields)
        write_atomic(at / "point.json", json.dumps(data).encode())
    except OSError as error:
        raise FileProblem(
            f"{at}: the point was not kept ({error.strerror or error}). Free some space; points before are kept."
        ) from error


def kept(project: Path, key: str) -> Record | None:
    """A point that can be read and believed; None where there is none."""
    if not good_name(key):
        return None
    try:
        data = json.loads((place(project, key) / "point.json").read_text(encoding="utf-8"))
        good = data["key"] == key and isinstance(data["watches"], dict)
        good &= bool(data["fault"]) or (good_summary(data["summary"]) and data["summary"]["key"] == key)
        found = Record(
            key, data["summary"], data["watches"], float(data["mass"]), float(data["seconds"]), str(data["fault"])
        )
        return found if good else None
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return None


class Keys:
    """Keys of the models of points by what they are written as, so that a long study is listed without making every
    model; kept beside the points."""

    def __init__(self, project: Path | None):
        self.project, self.known, self._new = project, {}, False
        self._rows: dict[str, tuple[Document, str]] = {}
        if project is not None:
            with suppress(OSError, ValueError, RecursionError):
                data = json.loads((project / FOLDER / INDEX).read_text(encoding="utf-8"))
                self.known = {str(k): str(v) for k, v in data.items()}

    def of(self, document: Document, layout: str, said: str) -> str:
        """What a point is written as: rows of its layout that make a model, and what its variables say."""
        if (layout not in self._rows) or self._rows[layout][0] is not document:
            rows = [
                r.model_dump(mode="json")
                for r in document.rows_of(layout)
                if KINDS[r.kind].read or not KINDS[r.kind].draws
            ]
            self._rows[layout] = document, hashlib.sha256(json.dumps(rows, sort_keys=True).encode()).hexdigest()
        return hashlib.sha256(f"{self._rows[layout][1]} {said}".encode()).hexdigest()[:24]

    def put(self, written: str, key: str) -> None:
        """Remember a key."""
        if self.known.get(written) != key:
            self.known[written], self._new = key, True

    def save(self) -> None:
        """Write them down, where that can be done."""
        if self._new and self.project is not None:
            with suppress(OSError):
                (self.project / FOLDER).mkdir(exist_ok=True)
                last = dict(list(self.known.items())[-20_000:])
                write_atomic(self.project / FOLDER / INDEX, json.dumps(last).encode())
                self._new = False
