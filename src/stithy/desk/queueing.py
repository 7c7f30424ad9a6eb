"""The queue of layouts to be solved, kept beside the project so that it outlives the window."""

from __future__ import annotations

import json
from contextlib import suppress
from pathlib import Path

from ..project.files import write_atomic

NAME = ".queue.json"


def keep(folder: Path, layouts: list[str]) -> None:
    """Keep the order of those that wait; nothing is kept where none do, or where nothing can be written."""
    with suppress(OSError):
        if layouts:
            write_atomic(folder / NAME, json.dumps(layouts).encode())
        else:
            (folder / NAME).unlink(missing_ok=True)


def kept(folder: Path, known: list[str]) -> list[str]:
    """Layouts that waited when the window was closed, as far as they are still there."""
    try:
        found = json.loads((folder / NAME).read_text(encoding="utf-8"))
        return [n for n in found if n in known] if isinstance(found, list) else []
    except (OSError, ValueError, RecursionError):
        return []
