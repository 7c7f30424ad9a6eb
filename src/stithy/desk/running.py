"""Runs of the shown layout: begun, heard, stopped, their results taken in."""

from __future__ import annotations

from pathlib import Path
from threading import Thread
from typing import Any

from ..errors import StithyError
from ..project.document import Document
from ..read.watches import watched
from ..solution import store
from ..solution.solution import Solution
from ..solve import messages
from ..solve.worker import Handle
from ..weigh.compare import standing
from .run_state import RunState


class Running:
    """Part of the session; see there for its attributes."""

    run: Handle | None
    run_state: RunState
    layout: str
    folder: Path | None
    picture: Any
    document: Any
    tell: Any
    _arriving: list | None
    _results: dict
    _standings: dict
    _keep: Any

    def start_run(self, fresh: bool = False) -> None:
        """Start solving the shown layout. Raises StithyError when a run is on or there is no folder."""
        if self.run is not None:
            raise StithyError("A run is on. Stop it first, or wait for it.")
        if self.folder is None:
            raise StithyError("Save the project first, so that its results have a place.")
        self.run = Handle(self.document, self.layout, self.folder, fresh)
        self.run_state = RunState(self.layout, "Starting the solver")
        self.tell("run")

    def poll_run(self) -> None:
        """Take in what the solver has sent; to be called a few times a second while a run is on."""
        if self.run is None:
            return
        if self._arriving is not None:
            if self._arriving:
                self._take_result()
                self.tell("run")
            return
        heard = self.run.messages()
        for message in heard:
            self.run_state.hear(message)
            if isinstance(message, messages.Snapshot) and message.solution is not None:
                self._follow(message.solution)
            if isinstance(message, messages.LAST):
                self._over()
        if heard:
            self.tell("run")

    def _follow(self, solution: Solution) -> None:
        """What the watches come to in the running solution."""
        state = self.run_state
        found = watched(solution, self.picture.drawn(state.layout)[0])
        values = {x.watch.name: x.banded.on_grid for x in found if x.banded is not None}
        if values and state.history:
            state.followed.append((state.history[-1].iteration, values))

    def _over(self) -> None:
        """The process ends and the result is read beside the window, not in its time."""
        state = self.run_state
        sent, state.result = state.result, None
        self._arriving = []
        Thread(
            target=self._fetch,
            args=(self.run, state.layout, self.document, self.folder, sent, self._arriving),
            daemon=True,
        ).start()

    @staticmethod
    def _fetch(over: Handle, layout: str, document: Document, folder: Path, sent, into: list) -> None:
        over.process.join(5)
        try:
            stands = standing(document, folder, layout)
            stands.size  # noqa: B018  worked out here, not in the window's time
            key = stands.model.key()
            result = sent if sent is not None and sent.summary["key"] == key else store.load(folder, layout, key)
        except Exception:  # the window reads it again and says what is wrong
            result, stands, key = None, None, ""
        into.append((result, document, stands, key))

    def _take_result(self) -> None:
        """Show a result that has been read meanwhile."""
        layout, (result, document, stands, key) = self.run_state.layout, self._arriving[0]
        self._arriving = self.run = None
        for at in [x for x in self._results if x[0] == layout]:
            del self._results[at]
        self._standings.pop(layout, None)
        if result is not None:
            self._keep((layout, key), result)
        if stands is not None and document is self.document:
            self._standings[layout] = stands
        self.tell("results")

    def stop_run(self) -> None:
        """Stop the run and keep what there is."""
        if self.run is not None:
            self.run.stop()
            self.run_state.text = "Stopping; closing the balances"
            self.tell("run")
