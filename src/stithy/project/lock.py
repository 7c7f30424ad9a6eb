"""One solver at a time for one result of a project: a lock that says who holds it, and that the system lets go when
that process is gone."""

from __future__ import annotations

import fcntl
import os
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from ..errors import FileProblem

NAME = ".solving"


@contextmanager
def solving(project: Path, key: str) -> Iterator[None]:
    """Hold the lock of a result in a project. Raises FileProblem, with who holds it, where another process solves the
    same."""
    path = Path(project) / f"{NAME}-{key}"
    handle = _held(path)
    try:
        os.ftruncate(handle, 0)
        os.pwrite(handle, f"process {os.getpid()} since {time.strftime('%H:%M')}\n".encode(), 0)
        yield
    finally:
        with suppress(OSError):
            path.unlink()
        os.close(handle)  # which lets the lock go


def _held(path: Path) -> int:
    """The open and locked file. Raises FileProblem."""
    while True:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
        except OSError as error:
            raise FileProblem(
                f"{path}: the project cannot be locked ({error.strerror or error}). Make its folder writable."
            ) from error
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            who = os.read(handle, 200).decode("utf-8", "replace").strip() or "another process"
            os.close(handle)
            raise FileProblem(
                f"The same layout of {path.parent.name} is being solved by {who}. Wait until it has ended, or stop it, "
                "then try again."
            ) from error
        with suppress(OSError):
            if os.stat(path).st_ino == os.fstat(handle).st_ino:
                return handle
        os.close(handle)  # its holder took the file away meanwhile
