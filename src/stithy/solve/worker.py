"""The solver in a process of its own; what it says are the dataclasses of :mod:`messages`.

Window to worker: ``"stop"`` ends the run early and keeps what there is, ``"refine"`` asks for a finer grid now,
``("turn", document, words)`` for a changed document to be taken into a steady run, ``("event", row, key, text)`` for a
cell to be changed from now on in a run in time. Reports come at most three times a second,
snapshots at most every half second (two seconds on larger grids), the result only when it is not large. When the window
dies, the worker keeps what there is and ends. Checkpoints are written as in every run (:mod:`job`).
"""

from __future__ import annotations

import os
import time
from multiprocessing import Pipe
from pathlib import Path

import numpy as np

from ..equations import patches
from ..errors import SetupError, SolveFailed, StithyError
from ..project import log
from ..project.document import Document
from . import processes
from .messages import LAST, Failed, Finished, Kept, Noted, Preparing, Refused, Report, Result, Snapshot, Started

OFTEN, FEW = (0.5, 2.0), 50_000  # least seconds between snapshots, up to so many cells and above
COST = 25  # seconds between snapshots, over those that the last one took
SENT = 400_000  # cells up to which a result is sent along, so that the window need not unpack it from disk


class Handle:
    """The window's end: start, poll, stop. ``messages()`` never blocks."""

    def __init__(self, document: Document, layout: str, project: Path, fresh: bool = False, begin_from: str = ""):
        self._conn, other = Pipe()
        self.layout = layout
        data = document.model_dump(mode="json")
        self.process = processes.begin(serve, other, data, layout, str(project), fresh, begin_from)
        try:
            os.setpriority(
                os.PRIO_PROCESS, self.process.pid, 10
            )  # the window comes first, also while the process loads
        except OSError:
            pass
        other.close()
        self._over = False

    def messages(self) -> list:
        """What has arrived since the last call; ends with :class:`messages.Failed` once if the process died."""
        out = []
        try:
            while self._conn.poll():
                out.append(self._conn.recv())
        except (EOFError, OSError):
            if not self._over and not any(isinstance(m, LAST) for m in out):
                self.process.join(1)
                out.append(
                    Failed(
                        f"The solver process ended by itself (exit code {self.process.exitcode}). Nothing "
                        "stored was lost; run again to continue from the last checkpoint."
                    )
                )
        if any(isinstance(m, LAST) for m in out):
            self._over = True
        return out

    def ask(self, what: object) -> None:
        """Ask something of the run, as of this module's head."""
        try:
            self._conn.send(what)
        except OSError:
            pass

    def stop(self) -> None:
        """Ask the run to end and keep what it has."""
        try:
            self._conn.send("stop")
        except OSError:
            pass

    def let_go(self) -> None:
        """Ask the run to end and keep what it has, and hear no more of it: nobody reads what it says any longer."""
        self.stop()
        self._over = True
        self._conn.close()

    def kill(self) -> None:
        """End the process at once."""
        self.process.kill()
        self.process.join(2)


def serve(conn, document: dict, layout: str, project: str, fresh: bool, begin_from: str = "") -> None:
    """Body of the process: run one layout and report. Never raises."""
    log.begin()
    try:
        _say(conn, Preparing("Building the grid"))
        _serve(conn, Document.model_validate(document), layout, Path(project), fresh, begin_from)
    except SetupError as error:
        _say(conn, Refused(tuple(error.problems)))
    except SolveFailed as error:
        _say(conn, Failed(str(error), error.place))
    except StithyError as error:
        _say(conn, Failed(str(error)))
    except MemoryError:
        _say(conn, Failed("The machine has too little memory for this grid. Make the coarsest cells larger."))
    except Exception as error:  # the last guard of the process: whatever it is must reach the user
        log.write_fault(error)
        _say(
            conn,
            Failed(
                f"The solver met an unexpected fault: {type(error).__name__}: {error}. Stored results are untouched."
            ),
        )


def _answer(conn, job, asked) -> bool:
    """Do what the window asks for, or say why not; whether the run goes on."""
    if asked == "stop":
        return False
    why, event = "", None
    if asked == "refine":
        why = job.ask_finer()
    elif asked[0] == "turn":
        why = job.ask(Document.model_validate(asked[1]), asked[2])
    elif asked[0] == "event":
        event, why = job.ask_event(*asked[1:])
    if event is not None:
        words = f"{event.of}: {event.cell} {event.to}"
        _say(conn, Noted((0.0, 0, job.run_.time, "event", words), 0, event.model_dump()))
    if why:
        _say(conn, Kept(why))
    return True


def _say(conn, message) -> bool:
    try:
        conn.send(message)
        return True
    except OSError:
        return False


def _serve(conn, document: Document, layout: str, project: Path, fresh: bool, begin_from: str) -> None:
    from . import job as jobs
    from .compile import warm

    warm(lambda text: _say(conn, Preparing(text)))
    patches.LISTENERS[:] = [lambda share: _say(conn, Preparing(f"Casting rays between surfaces, {share:.0%}"))]
    job = jobs.Job(document, layout, project, fresh, begin_from=begin_from)
    _say(
        conn,
        Started(
            job.prepared.case.grid.cells,
            tuple(job.watch_names),
            (*job.prepared.ends, *job.prepared.fans),
            job.start is not None,
            job.run_.settings.momentum,
        ),
    )
    told = shown = time.perf_counter()
    least = OFTEN[job.run_.case.grid.cells > FEW]
    spent = 0.0

    def tell(p) -> bool:
        nonlocal told, shown, spent
        now = time.perf_counter()
        go = True
        if now - told > 0.3 or p.phase == "done":
            told = now
            go = _say(
                conn,
                Report(
                    p.iteration,
                    p.momentum,
                    p.mass,
                    p.heat,
                    p.drift,
                    tuple(p.watches.tolist()),
                    tuple(p.flows.tolist()),
                    p.seconds,
                    p.remaining,
                    p.phase,
                    p.time,
                    p.left,
                ),
            )
        if now - shown > max(least, COST * spent) and p.phase != "done":
            solution = None
            if p.phase != "coarse grid" and job.run_.case.grid.cells <= SENT and job.run_.history:
                solution = job.result(job.run_.history[-1])
            go = _say(conn, Snapshot(job.snapshot().astype(np.float32), solution)) and go
            shown = time.perf_counter()
            spent = shown - now
        try:
            while conn.poll():
                go = _answer(conn, job, conn.recv()) and go
        except (EOFError, OSError):
            go = False
        return go

    def noted(line) -> None:
        seconds, _, *rest = line  # iterations on coarser grids count in what is reported
        _say(conn, Noted((seconds, job.done + job.run_.iteration, *rest), job.run_.case.grid.cells))

    job.listeners.append(noted)

    result = job.run(tell)
    if result.temperature.size <= SENT and not result.instants:
        _say(conn, Result(result))
    _say(conn, Finished(result.summary))
