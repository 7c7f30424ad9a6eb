"""The solver in a process of its own, and the messages it speaks.

Worker to window, each a tuple whose first item is the word: ``("preparing", text)``; ``("started", {"cells", "watches",
"continued"})``; ``("progress", dict)``, the fields of :class:`Progress` as plain values, at most three a second;
``("snapshot", dict)`` with ``temperature`` (float32 cells, K), at most every two seconds; ``("result", Result)`` when it is
not large, before ``("finished", summary)``; ``("problems", [Problem])``; ``("place", (x, y, z))`` in m, where it diverged, before
``("failed", text)``. Window to worker: ``("stop",)`` ends the run early and keeps what there is.
When the window dies, the worker keeps what there is and ends. Checkpoints are written as in every run (:mod:`job`).
"""
from __future__ import annotations

import multiprocessing
import os
import time
from dataclasses import asdict
from pathlib import Path

import numpy as np

from ..errors import SetupError, SolveFailed, StithyError
from ..project.document import Document

SENT = 400_000  # cells up to which a result is sent along, so that the window need not unpack it from disk


class Handle:
    """The window's end: start, poll, stop. ``messages()`` never blocks."""

    def __init__(self, document: Document, layout: str, project: Path, fresh: bool = False):
        context = multiprocessing.get_context("spawn")
        self._conn, other = context.Pipe()
        self.layout = layout
        self.process = context.Process(
            target=serve, args=(other, document.model_dump(mode="json"), layout, str(project), fresh), daemon=False)
        self.process.start()
        try:
            os.setpriority(os.PRIO_PROCESS, self.process.pid, 10)  # the window comes first, also while the process loads
        except OSError:
            pass
        other.close()
        self._over = False

    def messages(self) -> list[tuple]:
        """What has arrived since the last call; ends with ("failed", ...) once if the process died."""
        out = []
        try:
            while self._conn.poll():
                out.append(self._conn.recv())
        except (EOFError, OSError):
            if not self._over:
                self.process.join(1)
                out.append(("failed", f"The solver process ended by itself (exit code {self.process.exitcode}). Nothing "
                                      "stored was lost; run again to continue from the last checkpoint."))
        if any(m[0] in ("finished", "failed", "problems") for m in out):
            self._over = True
        return out

    def stop(self) -> None:
        """Ask the run to end and keep what it has."""
        try:
            self._conn.send(("stop",))
        except OSError:
            pass

    def kill(self) -> None:
        """End the process at once."""
        self.process.kill()
        self.process.join(2)


def serve(conn, document: dict, layout: str, project: str, fresh: bool) -> None:
    """Body of the process: run one layout and report. Never raises."""
    try:
        conn.send(("preparing", "Building the grid"))
        _serve(conn, Document.model_validate(document), layout, Path(project), fresh)
    except SetupError as error:
        _say(conn, ("problems", error.problems))
    except SolveFailed as error:
        _say(conn, ("place", error.place))
        _say(conn, ("failed", str(error)))
    except StithyError as error:
        _say(conn, ("failed", str(error)))
    except MemoryError:
        _say(conn, ("failed", "The machine has too little memory for this grid. Make the coarsest cells larger."))
    except Exception as error:  # the last guard of the process: whatever it is must reach the user
        _say(conn, ("failed", f"The solver met an unexpected fault: {type(error).__name__}: {error}. "
                              "Stored results are untouched."))


def _say(conn, message) -> bool:
    try:
        conn.send(message)
        return True
    except OSError:
        return False


def _serve(conn, document: Document, layout: str, project: Path, fresh: bool) -> None:
    from . import job as jobs
    from .compile import warm

    warm(lambda text: _say(conn, ("preparing", text)))
    job = jobs.Job(document, layout, project, fresh)
    conn.send(("started", {"cells": job.prepared.case.grid.cells, "watches": job.watch_names,
                           "ends": [*job.prepared.ends, *job.prepared.fans], "continued": job.start is not None,
                           "criterion": job.run_.settings.momentum}))
    told = shown = time.perf_counter()

    def tell(progress) -> bool:
        nonlocal told, shown
        now = time.perf_counter()
        go = True
        if now - told > 0.3 or progress.phase == "done":
            told = now
            data = asdict(progress) | {"left": progress.left}
            data["watches"], data["flows"] = progress.watches.tolist(), progress.flows.tolist()
            go = _say(conn, ("progress", data))
        if now - shown > 2.0 and progress.phase != "done":
            shown = now
            go = _say(conn, ("snapshot", {"temperature": job.snapshot().astype(np.float32)})) and go
        try:
            if conn.poll() and conn.recv()[0] == "stop":
                go = False
        except (EOFError, OSError):
            go = False
        return go

    result = job.run(tell)
    if result.temperature.size <= SENT and not result.instants:
        _say(conn, ("result", result))
    _say(conn, ("finished", result.summary))
