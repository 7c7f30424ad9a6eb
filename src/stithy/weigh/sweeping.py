"""Solving the points of a study: as many at once as there are workers, each from the nearest that is solved, kept one
by one, so that nothing is lost when it is broken off."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_COMPLETED, BrokenExecutor, Future, wait
from dataclasses import dataclass, field
from pathlib import Path

from ..errors import StithyError
from ..model.studies import Search, Sweep
from ..solution import packing
from ..solution.solution import Solution
from . import record
from .points import Point, apart, unsolved
from .pool import Pool
from .task import Answer, Task, files_of, work

#: times that a point is tried where its worker is lost; seconds between two looks
TRIES, LOOK = 3, 0.25


@dataclass
class Course:
    """How a study goes: points in ``all``, ``done``, ``failed``, those being solved (``on``), seconds ``spent`` and
    about ``left`` (None: not known yet)."""

    all: int
    done: int = 0
    failed: int = 0
    on: list[str] = field(default_factory=list)
    spent: float = 0.0
    left: float | None = None


Tell = Callable[[Course], bool | None]


def solve_points(
    study: Sweep | Search,
    points: Sequence[Point],
    project: Path,
    pool: Pool,
    tell: Tell | None = None,
    near: Sequence[Point] = (),
    given: Solution | None = None,
) -> Course:
    """Solve those that are not yet; ``tell`` ends it by False: then what is being solved is left. ``near``: solved
    points of the study that others may start from; ``given``: what all start from.

    A worker that is lost costs its point one of three tries. Raises FileProblem where a point cannot be kept, with
    those before kept, and StithyError where the cluster is lost.
    """
    todo = list(unsolved(points, project))
    course = Course(len(todo) + sum(1 for p in points if p.key and record.kept(project, p.key) is not None))
    course.done = course.all - len(todo)
    solved = [p for p in (*points, *near) if p.key and _good(project, p.key)]
    start = packing.packed(given) if given is not None else b""
    return _Rounds(study, project, pool, course, todo, solved, tell, start).go()


class _Rounds:
    """One study while it is being solved."""

    def __init__(
        self,
        study: Sweep | Search,
        project: Path,
        pool: Pool,
        course: Course,
        todo: list[Point],
        solved: list[Point],
        tell: Tell | None,
        start: bytes = b"",
    ):
        self.study, self.project, self.pool, self.course = study, project, pool, course
        self.todo, self.solved, self.tell = todo, solved, tell
        self.start = start
        self.active: dict[Future, Point] = {}
        self.tries: dict[str, int] = {}
        self.began, self.first = time.perf_counter(), course.done

    def go(self) -> Course:
        """Until all are done, or somebody ends it."""
        while (self.todo or self.active) and self._goes_on():
            try:
                self._fill()
            except BrokenExecutor:
                self._anew()
                continue
            ended, _ = wait(self.active, LOOK, FIRST_COMPLETED)
            if self.pool.is_lost:
                raise StithyError(
                    f"{self.pool.address}: the scheduler is lost. {self.course.done} points are kept; go on when it is "
                    "back."
                )
            for future in ended:
                if future in self.active:
                    self._take(future)
        for future in self.active:
            future.cancel()
        if self.active:
            self.pool.end(at_once=True)
        return self.course

    def _goes_on(self) -> bool:
        c = self.course
        c.spent, c.on = time.perf_counter() - self.began, [p.name(self.study) for p in self.active.values()]
        fresh = c.done - self.first
        each = c.spent / fresh if fresh else None
        c.left = each * (c.all - c.done) if each else None
        return self.tell is None or self.tell(c) is not False

    def _fill(self) -> None:
        """Give every worker a point: the one that is nearest to a solved one first."""
        while self.todo and len(self.active) < self.pool.workers and self.pool.executor is not None:
            point, start = self._next()
            task = Task(
                point.document.model_dump(mode="json"),
                point.layout,
                files_of(point.document, point.layout),
                start,
                finer=point.finer,
            )
            future = self.pool.executor.submit(work, task)
            self.todo.remove(point)
            self.active[future] = point

    def _next(self) -> tuple[Point, bytes]:
        """The next point, and the fields it starts from."""
        if self.start or not self.solved:
            return self.todo[0], self.start
        variables = self.study.variables
        pairs = ((apart(p.values, s.values, variables), m, p, s) for m, p in enumerate(self.todo) for s in self.solved)
        _, _, point, near = min(pairs, key=lambda x: x[:2])
        return point, packing.of_point(self.project, near.key)

    def _take(self, future: Future) -> None:
        point = self.active.pop(future)
        try:
            answer: Answer = future.result()
        except BrokenExecutor:
            self.active[future] = point
            self._anew()
            return
        except Exception as error:  # a worker of a cluster that was lost more often than it is asked again
            self._again(point, f"Its worker was lost: {type(error).__name__}.")
            return
        if not answer.key:
            answer = Answer(point.key, fault=answer.fault)
        record.keep(self.project, answer)
        self.course.done += 1
        self.course.failed += bool(answer.fault)
        if not answer.fault:
            self.solved.append(point)

    def _anew(self) -> None:
        """Workers of this machine are lost, all with the one that was: begin anew with what they had."""
        lost, self.active = list(self.active.values()), {}
        for point in lost:
            self._again(point, "Its process was ended, perhaps for want of memory.")
        self.pool.end(at_once=True)
        self.pool.begin()

    def _again(self, point: Point, why: str) -> None:
        """Try a point once more, or give it up."""
        self.tries[point.key] = self.tries.get(point.key, 0) + 1
        if self.tries[point.key] < TRIES:
            self.todo.insert(0, point)
            return
        record.keep(self.project, Answer(point.key, fault=f"{why} Tried {TRIES} times."))
        self.course.done += 1
        self.course.failed += 1


def _good(project: Path, key: str) -> bool:
    found = record.kept(project, key)
    return found is not None and not found.fault
