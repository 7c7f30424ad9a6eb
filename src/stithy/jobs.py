"""The projects that come with the program: the demonstration, and jobs of Tolva Head that begin with imported
solids."""

from __future__ import annotations

import shutil
from pathlib import Path

from .errors import StithyError

DATA = Path(__file__).parent / "data"
FIRST = "lamp-driver"


def names() -> list[str]:
    """All of them, the demonstration first."""
    return [FIRST, *sorted(p.parent.name for p in (DATA / "jobs").glob("*/project.json"))]


def copy(name: str = "", folder: str = "") -> Path:
    """The user's copy of one, made when it is not there yet. Raises StithyError where there is none of that name."""
    name = name or FIRST
    if name not in names():
        raise StithyError(f"There is no job “{name}”. There are: {', '.join(names())}.")
    target = Path(folder or f"~/Stithy/{name}").expanduser()
    if not (target / "project.json").exists():
        shutil.copytree(DATA / ("demo" if name == FIRST else "jobs") / name, target, dirs_exist_ok=True)
    return target
