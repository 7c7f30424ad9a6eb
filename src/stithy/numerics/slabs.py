"""Two threads share one grid: its planes across the first axis are cut into two slabs, and the same kernels work on
each.

A slab of a flat padded array is itself such an array, in which the planes beside it stand where ghost layers would;
kernels need not know of it. Where to cut follows from the grid alone, so that results do not depend on the number of
cores.
"""

from __future__ import annotations

from _thread import allocate_lock
from collections.abc import Callable
from queue import SimpleQueue
from threading import Thread

import numpy as np

LEAST = 100_000  # cells below which handing over costs more than it saves


class Slab:
    """Planes ``lo`` + 1 to ``hi`` of a grid of ``n`` cells; ``n`` of the slab, and :meth:`of` for its part of an
    array."""

    def __init__(self, lo: int, hi: int, n, plane: int):
        self.lo, self.hi = lo, hi
        self.n = np.array([hi - lo, n[1], n[2]], np.int64)
        self.begin, self.end = lo * plane, (hi + 2) * plane

    def of(self, x: np.ndarray) -> np.ndarray:
        """The slab's part of a flat padded array, with the planes beside it (a view)."""
        return x[self.begin : self.end]

    def each(self, arrays) -> tuple[np.ndarray, ...]:
        """:meth:`of` for several arrays."""
        return tuple(x[self.begin : self.end] for x in arrays)


def slabs(n, whole: bool = False) -> tuple[Slab, ...]:
    """The two slabs of a grid of ``n`` cells (3,), or one that is all of it where it is small, thin or asked for
    ``whole``."""
    n = [int(m) for m in n]
    plane = (n[1] + 2) * (n[2] + 2)
    if whole or n[0] < 8 or n[0] * n[1] * n[2] < LEAST:
        return (Slab(0, n[0], n, plane),)
    middle = n[0] // 4 * 2  # even: cells that are joined in twos stay together, and colours keep their places
    return Slab(0, middle, n, plane), Slab(middle, n[0], n, plane)


class _Task:
    """Work that either thread may take; whoever comes first does it."""

    __slots__ = ("claim", "done", "error", "result", "work")

    def __init__(self, work):
        self.work, self.claim, self.done, self.error, self.result = work, allocate_lock(), allocate_lock(), None, None
        self.done.acquire()

    def take(self) -> bool:
        """Do the work unless it has been taken."""
        if not self.claim.acquire(False):
            return False
        try:
            self.result = self.work()
        except BaseException as e:  # noqa: BLE001 - told to the thread that asked
            self.error = e
        self.done.release()
        return True


class _Helper:
    """The second thread, begun when first needed; it sleeps between tasks and ends with the program."""

    def __init__(self):
        self.tasks: SimpleQueue | None = None

    def post(self, work) -> _Task:
        """Offer ``work`` to the second thread."""
        if self.tasks is None:
            self.tasks = SimpleQueue()
            Thread(target=self._serve, args=(self.tasks,), daemon=True, name="second half").start()
        task = _Task(work)
        self.tasks.put(task)
        return task

    @staticmethod
    def _serve(tasks) -> None:
        while True:
            tasks.get().take()


_helper = _Helper()


def share(works: list[Callable]) -> list:
    """Results of one or two pieces of work, the second by a second thread, or by this one when that has not come to it
    in time.

    A machine that is busy elsewhere so costs no more than the time of both pieces. Errors are raised once both have
    ended.
    """
    if len(works) == 1:
        return [works[0]()]
    task = _helper.post(works[1])
    try:
        first = works[0]()
    finally:
        if not task.take():
            task.done.acquire()
    if task.error is not None:
        raise task.error
    return [first, task.result]


def over(parts, kernel: Callable) -> list:
    """``kernel(part)`` for every slab of ``parts``, side by side."""
    return share([lambda part=part: kernel(part) for part in parts])


def halves(size: int) -> tuple[slice, ...]:
    """All of a flat array in one or two slices, for kernels that look at one number at a time."""
    if size < 3 * LEAST:
        return (slice(0, size),)
    return slice(0, size // 2), slice(size // 2, size)
