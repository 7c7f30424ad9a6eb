"""Estimates in a process of their own, so that whoever asks never waits: the newest question is answered, older ones
that are still waiting are dropped."""

from __future__ import annotations

import multiprocessing
import subprocess
import sys
from contextlib import suppress
from multiprocessing.connection import Connection

from ..errors import StithyError
from ..model import Model
from .estimate import Estimate, Estimating


class Estimator:
    """Answers questions; nothing here blocks. The process begins with the first question."""

    def __init__(self) -> None:
        self._process: subprocess.Popen | None = None
        self._conn: Connection | None = None
        self.waiting: set[str] = set()

    def ask(self, models: dict[str, Model]) -> None:
        """Ask for estimates of models by their keys, the first one first; what was asked before and is not yet
        answered is dropped."""
        if self._process is None or self._process.poll() is not None:
            self._begin()
        assert self._conn is not None
        self.waiting = set(models)
        with suppress(OSError, ValueError):
            self._conn.send(list(models.items()))

    def _begin(self) -> None:
        self._conn, other = multiprocessing.Pipe()
        work = f"from stithy.estimate.serve import serve_at; serve_at({other.fileno()})"
        self._process = subprocess.Popen(
            [sys.executable, "-c", work], pass_fds=[other.fileno()], stdin=subprocess.DEVNULL
        )
        other.close()

    def answers(self) -> list[tuple[str, Estimate | str]]:
        """What has been answered since: key and estimate, or the reason why there is none."""
        out = []
        try:
            while self._conn is not None and self._conn.poll():
                key, found = self._conn.recv()
                self.waiting.discard(key)
                out.append((key, found))
        except (EOFError, OSError):
            self._conn = None
            self._process = None
            self.waiting.clear()
        return out

    def shut(self) -> None:
        """End the process."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None
        if self._conn is not None:
            self._conn.close()
            self._conn = None


def serve_at(number: int) -> None:
    """Body of the process: answers until nobody is there any more. Never raises."""
    conn, estimating = Connection(number), Estimating()
    todo: list[tuple[str, Model]] = []
    with suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            while not todo or conn.poll():
                todo = conn.recv()
            key, model = todo.pop(0)
            conn.send((key, _answer(estimating, model, conn)))


def _answer(estimating: Estimating, model: Model, conn: Connection) -> Estimate | str:
    try:
        return estimating.of(model, conn.poll)
    except StithyError as error:
        return str(error)
    except Exception as error:  # an estimate is never worth a fault
        return f"There is no estimate ({type(error).__name__})."
