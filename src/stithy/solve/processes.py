"""Processes that compute beside the one that asks. They are forked from a server that has loaded the program and the
solver's kernels already, so that a run begins at once; until that server is ready they are begun from nothing."""

from __future__ import annotations

import logging
import multiprocessing
import os
from collections.abc import Callable
from multiprocessing.context import BaseContext
from multiprocessing.process import BaseProcess
from threading import Lock, Thread
from typing import Any

#: what the server loads
LOADED = ["stithy.solve.loaded", "stithy.cli"]
LOG = logging.getLogger(__name__)


class _Server:
    """Whether the server is ``ready``; one for each process that asks."""

    def __init__(self):
        self.ready, self.begun, self.lock = False, False, Lock()

    def load(self) -> None:
        """Begin it and wait until it has forked a first process."""
        with self.lock:
            if self.ready:
                return
            context = multiprocessing.get_context("forkserver")
            context.set_forkserver_preload(LOADED)
            try:
                first = context.Process(target=_nothing, daemon=True)
                first.start()
                first.join()
                self.ready = first.exitcode == 0
            except (OSError, EOFError) as error:
                LOG.warning("no server of processes: %s", error)


_server = _Server()


def _nothing() -> None:
    """Work of the first process."""


def get_ready() -> None:
    """Let the server load in the background."""
    if not _server.begun:
        _server.begun = True
        Thread(target=_server.load, daemon=True, name="server of processes").start()


def context(wait: bool = False) -> BaseContext:
    """Where processes come from now; ``wait`` until they are forked ones, for whoever needs several. Each is to be
    given this process's environment (:func:`as_here`): the server keeps that of its own beginning."""
    if wait:
        _server.load()
    return multiprocessing.get_context("forkserver" if _server.ready else "spawn")


def begin(target: Callable[..., object], *args: Any) -> BaseProcess:
    """A process that has begun to do ``target(*args)``, and outlives this one if it has to."""
    what = {"target": _run, "args": (dict(os.environ), target, args), "daemon": False}
    if _server.ready:
        try:
            return _begun(multiprocessing.get_context("forkserver"), what)
        except (OSError, EOFError) as error:
            LOG.warning("the server of processes is gone: %s", error)
            _server.ready = _server.begun = False
            get_ready()
    return _begun(multiprocessing.get_context("spawn"), what)


def _begun(made: Any, what: dict[str, Any]) -> BaseProcess:
    process: BaseProcess = made.Process(**what)
    process.start()
    return process


def as_here(environment: dict[str, str]) -> None:
    """Take the environment of the process that asks."""
    os.environ.clear()
    os.environ.update(environment)


def _run(environment: dict[str, str], target: Callable[..., object], args: tuple) -> None:
    as_here(environment)
    target(*args)
