"""One solver at a time in a project: a lock that says who holds it, and that the system lets go when that process is
gone."""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ..errors import FileProblem

NAME = ".solving"


@contextmanager
def solving(project: Path) -> Iterator[None]:
    """Hold the project's lock. Raises FileProblem, with who holds it, where another process solves in this project."""
    path = Path(project) / NAME
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
    except OSError as error:
        raise FileProblem(
            f"{path}: the project cannot be locked ({error.strerror or error}). Make its folder writable."
        ) from error
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            who = os.read(handle, 200).decode("utf-8", "replace").strip() or "another process"
            raise FileProblem(
                f"{Path(project).name} is being solved by {who}. Wait until it has ended, or stop it, then try again."
            ) from error
        os.ftruncate(handle, 0)
        os.pwrite(handle, f"process {os.getpid()} since {time.strftime('%H:%M')}\n".encode(), 0)
        yield
    finally:
        os.close(handle)  # which lets the lock go; the file stays, since another process may have opened it
