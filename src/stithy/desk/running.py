"""Runs of the shown layout: begun, heard, stopped, their results taken in."""

from __future__ import annotations

from pathlib import Path
from threading import Thread
from typing import Any

from ..errors import StithyError
from ..kinds.event import EventRow
from ..project import edits
from ..project.document import Document
from ..project.kind import KINDS
from ..read.watches import watched
from ..solution import store
from ..solution.solution import Solution
from ..solve import messages
from ..solve.worker import Handle
from ..weigh.compare import standing
from . import queueing
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
    standing: Any
    change: Any
    do: Any
    would_read: Any

    #: layouts that are solved one after the other, and what became of those before
    queue: list[str]
    paused: bool
    queued: list[tuple[str, str]]

    def start_run(self, fresh: bool = False, layout: str = "") -> None:
        """Start solving a layout (the shown one). Raises StithyError when a run is on or there is no folder."""
        if self.run is not None:
            raise StithyError("A run is on. Stop it first, or wait for it.")
        if self.folder is None:
            raise StithyError("Save the project first, so that its results have a place.")
        layout = layout or self.layout
        self.run = Handle(self.document, layout, self.folder, fresh)
        self.run_state = RunState(layout, "Starting the solver")
        self.tell("run")

    def due(self) -> list[str]:
        """Layouts that can be solved and have no result that belongs to them."""
        found = [self.standing(x.name) for x in self.document.layouts]
        return [s.layout for s in found if not s.problems and s.state != "current"]

    def run_all(self) -> None:
        """Solve all layouts that are due, one after the other; while a run is on, those that are not waiting yet join
        the queue. Raises StithyError where there are none."""
        busy = self.run_state.layout if self.run is not None else ""
        names = [n for n in self.due() if n != busy and n not in self.queue]
        if not names and not self.queue:
            raise StithyError("Every layout that can be solved has a current result.")
        self.queued = self.queued if busy else []
        self.set_queue([*self.queue, *names])
        self.pause(False)

    def set_queue(self, layouts: list[str]) -> None:
        """Let layouts wait in this order; it is kept beside the project, for when the window is opened again."""
        self.queue = list(dict.fromkeys(layouts))
        if self.folder is not None:
            queueing.keep(self.folder, self.queue)
        self.tell("run")

    def _take_first(self) -> str:
        """The layout that comes next, taken out of the queue; nobody is told before its run is on."""
        layout, *self.queue = self.queue
        if self.folder is not None:
            queueing.keep(self.folder, self.queue)
        return layout

    def move_in_queue(self, layout: str, by: int) -> None:
        """Let a waiting layout come earlier (``by`` below 0) or later."""
        at = self.queue.index(layout)
        rest = [n for n in self.queue if n != layout]
        rest.insert(max(min(at + by, len(rest)), 0), layout)
        self.set_queue(rest)

    def pause(self, on: bool = True) -> None:
        """Begin no more of the queue for now, or go on with it; a run that is on comes to its end."""
        self.paused = on
        if not on and self.run is None and self.queue:
            layout = self._take_first()
            try:
                self.start_run(layout=layout)
            except StithyError:
                self.set_queue([layout, *self.queue])
                raise
        self.tell("run")

    def _go_on(self) -> None:
        """What became of the run that is over; the next of the queue, as long as the layout is still there."""
        if not self.queued and not self.queue:
            return
        names = {x.name for x in self.document.layouts}
        while self.queue and not self.paused:
            layout = self._take_first()
            if layout in names and self.standing(layout).state != "current":
                try:
                    self.start_run(layout=layout)
                except StithyError as error:
                    self.queued.append((layout, str(error)))
                    continue
                return

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
            if isinstance(message, messages.Noted) and message.event is not None:
                self._say_event(message.event)
        if heard:
            self.tell("run")

    def turn(self, row: str, key: str, text: str) -> None:
        """Let a cell say something else while the shown layout is being solved: from the next step on. In a run in
        time that becomes an event; in a steady one the layout's cell. Raises StithyError for what cannot be read."""
        if self.run is None or self.run_state.layout != self.layout:
            raise StithyError("No run of this layout is on. Change the cell in the ledger.")
        model = self.standing(self.layout).model
        if model is not None and model.run.time is not None:
            self.would_read(row, key, text)
            self.run_state.turned[row, key] = text
            self.run.ask(("event", row, key, text))
            return
        self.change([(row, key, text)], f"turn {key} of {row}")
        kind = next(r.kind for r in self.document.rows_of(self.layout) if r.name == row)
        title = KINDS[kind].cells[key].title
        self.run.ask(("turn", self.document.model_dump(mode="json"), f"{row}: {title} {text}"))
        self.tell("run")

    def refine_now(self) -> None:
        """Ask the run that is on for a finer grid."""
        if self.run is not None:
            self.run.ask("refine")

    def _say_event(self, event: dict) -> None:
        """The document says what was turned, so that the result belongs to it."""
        row = EventRow(**event)
        try:
            self.do(edits.add_row(self.run_state.layout, row, len(self.document.layouts) > 1))
        except StithyError:
            return

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
        if self.queue or self.queued:
            self.queued.append((layout, self.run_state.text.splitlines()[0] if self.run_state.text else ""))
        self.tell("results")
        self._go_on()

    def stop_run(self) -> None:
        """Stop the run and keep what there is; what waits is held until it is gone on with."""
        self.paused = bool(self.queue)
        if self.run is not None:
            self.run.stop()
            self.run_state.text = "Stopping; closing the balances"
            self.tell("run")
