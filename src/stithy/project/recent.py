"""Projects that were opened lately, the latest first; kept in the user's data folder."""

from __future__ import annotations

import json
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from ..errors import StithyError
from .files import project_file, write_atomic

MOST = 12


@dataclass(frozen=True)
class Recent:
    """A project's folder, and when it was opened last (s since the epoch)."""

    folder: Path
    when: float


def _file() -> Path:
    return Path(platformdirs.user_data_dir("stithy", appauthor=False)) / "recent.json"


def recent() -> list[Recent]:
    """Those that are still there, the latest first."""
    try:
        found = [Recent(Path(x["folder"]), float(x["when"])) for x in json.loads(_file().read_text(encoding="utf-8"))]
    except (OSError, ValueError, KeyError, TypeError):
        return []
    return [x for x in sorted(found, key=lambda x: -x.when) if project_file(x.folder).exists()][:MOST]


def note(folder: Path) -> None:
    """A project has been opened or saved now."""
    place = folder.expanduser().resolve()
    _keep([Recent(place, time.time()), *(x for x in recent() if x.folder != place)])


def forget(folder: Path) -> None:
    """Take a project off the list; its folder stays."""
    _keep([x for x in recent() if x.folder != folder])


def _keep(found: list[Recent]) -> None:
    rows = [{"folder": str(x.folder), "when": x.when} for x in found[:MOST]]
    with suppress(StithyError, OSError):  # a list of conveniences: nothing is lost without it
        write_atomic(_file(), json.dumps(rows, indent=1).encode())
