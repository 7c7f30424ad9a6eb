"""Where points of studies are solved: processes of this machine, or workers of a cluster. Both are executors of
``concurrent.futures``, so that what asks for points need not know which."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from concurrent.futures import Executor, ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from ..errors import StithyError
from ..mesh.build import memory
from ..solve import processes

#: bytes that a worker takes beside its grid
OWN = 400_000_000


def cores() -> int:
    """Cores that this process may use."""
    return len(os.sched_getaffinity(0))


def at_once(needs: float) -> int:
    """How many points of so many bytes this machine's cores and memory hold at once."""
    return max(min(cores(), int(0.8 * memory() / (needs + OWN))), 1)


def watch_parent(environment: dict[str, str]) -> None:
    """Take an environment, and end this process when the one that began it is gone."""
    processes.as_here(environment)
    parent = multiprocessing.parent_process()

    def look() -> None:
        while parent is not None and parent.is_alive():
            time.sleep(0.5)
        os._exit(3)

    threading.Thread(target=look, daemon=True, name="parent").start()
    os.nice(5)


@dataclass
class Pool:
    """Workers: of this machine, ``workers`` of them, or those of a cluster at ``address``. Use it in a ``with`` block.

    Raises StithyError where the cluster cannot be reached.
    """

    workers: int
    address: str = ""
    executor: Executor | None = field(default=None, repr=False)
    _client: Any = field(default=None, repr=False)

    def __enter__(self) -> Pool:
        self.begin()
        return self

    def __exit__(self, *_: object) -> None:
        self.end()

    def begin(self) -> None:
        """Get the workers, anew where they were lost."""
        if not self.address:
            context = processes.context(wait=True)
            self.executor = ProcessPoolExecutor(self.workers, context, watch_parent, (dict(os.environ),))
            return
        try:
            from distributed import Client
        except ImportError as error:
            raise StithyError("A cluster needs one more package: pip install stithy[cluster].") from error
        try:
            self._client = Client(self.address, timeout=10, set_as_default=False)
            threads = sum(self._client.ncores().values())
        except (OSError, TimeoutError, ValueError) as error:
            raise StithyError(
                f"{self.address}: no scheduler answers there ({type(error).__name__}). Check the address, and that it "
                "is on. What is solved is kept."
            ) from error
        if not threads:
            self.end()
            raise StithyError(f"{self.address}: the scheduler has no workers. Start some, then try again.")
        self.workers = threads
        self.executor = self._client.get_executor(pure=False, retries=3)

    @property
    def is_lost(self) -> bool:
        """Whether the cluster's scheduler has gone."""
        return self._client is not None and self._client.status in ("closed", "closing", "connecting")

    def end(self, at_once: bool = False) -> None:
        """Let the workers go; ``at_once`` without waiting for what they do."""
        executor, self.executor = self.executor, None
        if isinstance(executor, ProcessPoolExecutor):
            held = list((getattr(executor, "_processes", None) or {}).values())
            executor.shutdown(wait=not at_once, cancel_futures=True)
            for process in held if at_once else ():
                process.kill()
        elif executor is not None and not self.is_lost:
            executor.shutdown(wait=False)
        if self._client is not None:
            self._client.close(timeout=2)
            self._client = None
