"""Studies, grid studies, what would help and reports in a process of their own, so that the window stays its own and
nothing is lost with either.

Window to process: ``"stop"``. Process to window: :class:`Told` as it goes, then :class:`Over`.
"""

from __future__ import annotations

from dataclasses import dataclass
from multiprocessing import Pipe
from pathlib import Path
from typing import Any

from ..api import Project
from ..errors import StithyError
from ..project import log
from ..project.document import Document
from ..solve import processes

#: what may be asked for
SWEEP, SEARCH, GRIDS, HELPS, REPORT = "sweep", "search", "grid study", "helps", "report"


@dataclass(frozen=True)
class Told:
    """How far it is: ``done`` of ``all`` (0: not known), and words."""

    words: str
    done: int = 0
    all: int = 0


@dataclass(frozen=True)
class Over:
    """It has ended: in words, and whether it ``failed``."""

    words: str
    failed: bool = False


class Work:
    """One of these at a time: the window's end. ``messages()`` never blocks."""

    def __init__(self, project: Project, what: str, of: str, **more: Any):
        self.what, self.of = what, of
        self._conn, other = Pipe()
        document = project.document.model_dump(mode="json")
        self.process = processes.begin(serve, other, document, str(project.folder), what, of, more)
        other.close()
        self.over = False

    def messages(self) -> list:
        """What has arrived since the last call; ends with :class:`Over` once."""
        out: list = []
        try:
            while not self.over and self._conn.poll():
                out.append(self._conn.recv())
                self.over = isinstance(out[-1], Over)
        except (EOFError, OSError):
            self.over = True
            out.append(Over("Its process ended by itself. What was solved is kept; begin again to go on.", True))
        return out

    def stop(self) -> None:
        """Ask it to end; what is solved is kept."""
        try:
            self._conn.send("stop")
        except OSError:
            pass

    def kill(self) -> None:
        """End it at once."""
        self.process.kill()
        self.process.join(2)


def serve(conn, document: dict, folder: str, what: str, of: str, more: dict) -> None:
    """Body of the process. Never raises."""
    log.begin()
    try:
        said = _do(conn, Project(Document.model_validate(document), Path(folder)), what, of, more)
        conn.send(Over(said))
    except StithyError as error:
        _say(conn, Over(str(error), True))
    except Exception as error:  # the last guard of the process: whatever it is must reach the user
        log.write_fault(error)
        _say(
            conn, Over(f"An unexpected fault ended it: {type(error).__name__}: {error}. What is solved is kept.", True)
        )


def _say(conn, message) -> bool:
    try:
        conn.send(message)
        return True
    except OSError:
        return False


def _do(conn, project: Project, what: str, of: str, more: dict) -> str:
    def goes(told: Told) -> bool:
        go = _say(conn, told)
        try:
            while go and conn.poll():
                go = conn.recv() != "stop"
        except (EOFError, OSError):
            return False
        return go

    if what == SWEEP:
        course = project.sweep(of, lambda c: goes(_course(c)), more.get("at_once", 0), more.get("cluster", ""))
        failed = f"; {course.failed} could not be solved, the table says why" if course.failed else ""
        left = course.all - course.done
        return f"{course.done} of {course.all} points are solved{failed}." + (
            " Press Go on for the rest." if left else ""
        )
    if what == SEARCH:
        found = project.search(of, lambda f: goes(_searched(f)), more.get("at_once", 0), more.get("cluster", ""))
        best = f"best: {', '.join(found.best.values)}" if found.best is not None else "nothing that meets all limits"
        matters = "; ".join(f"{k} {v:.0%}" for k, v in sorted(found.matters.items(), key=lambda x: -x[1]))
        tail = f". What matters for the goal: {matters}." if matters else "."
        return f"{found.runs} runs, ended: {found.ended}; {best}{tail}"
    if what == GRIDS:
        study = project.grid_study(of, lambda c: goes(_course(c, "grids")))
        return "All three grids are solved." if study is not None else "Stopped; grids that are solved are kept."
    if what == HELPS:
        project.helps(of, lambda done, all_: goes(Told(f"{done} of {all_} changes", done, all_)))
        return "All changes are worked out."
    from . import still

    path = Path(more["path"])
    draw = still.of_layout(project) if path.suffix != ".xlsx" else None
    return f"{project.report(path, draw, lambda words: goes(Told(words)))} is written."


def _course(c, what: str = "points") -> Told:
    left = f", about {_seconds(c.left)} left" if c.left is not None else ""
    on = f"; solving {'; '.join(c.on)}" if any(c.on) else ""
    return Told(f"{c.done} of {c.all} {what}{left}{on}", c.done, c.all)


def _searched(f) -> Told:
    best = f"; best so far {', '.join(f.best.values)}" if f.best is not None else ""
    return Told(f"{f.course.done} of at most {f.course.all} runs{best}", f.course.done, f.course.all)


def _seconds(x: float) -> str:
    return f"{x:.0f} s" if x < 150 else f"{x / 60:.0f} min"
