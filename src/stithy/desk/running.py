"""Runs of layouts: begun, heard, stopped, their results taken in; one is followed, others of the queue may go on
beside it."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from threading import Thread
from typing import Any

from ..errors import StithyError
from ..kinds.event import EventRow
from ..project import edits, units
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


@dataclass
class Beside:
    """A run of the queue beside the one that is followed."""

    run: Handle
    state: RunState
    #: None until it is over; then what has been read of its result, once it is there
    arriving: list | None = field(default=None)


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
    #: how many of the queue are solved at once, and those that are beside the one that is followed
    at_once: int
    #: a layout that is started from its own fields once the run that is on has stopped
    anew: str
    beside: list[Beside]

    def start_run(self, fresh: bool = False, layout: str = "", begin_from: str = "") -> None:
        """Start solving a layout (the shown one), from the newest result of another where it is named. Raises
        StithyError when a run is on or there is no folder."""
        if self.run is not None:
            raise StithyError("A run is on. Stop it first, or wait for it.")
        if self.folder is None:
            raise StithyError("Save the project first, so that its results have a place.")
        layout = layout or self.layout
        if layout in self.solved_now():
            raise StithyError(f"“{layout}” is being solved beside. Wait for it.")
        self.run = Handle(self.document, layout, self.folder, fresh, begin_from)
        self.run_state = RunState(layout, "Starting the solver", key=self.key_of(layout))
        self.tell("run")

    def solved_now(self) -> list[str]:
        """Layouts that are being solved, the one that is followed first."""
        return ([self.run_state.layout] if self.run is not None else []) + [b.state.layout for b in self.beside]

    def due(self) -> list[str]:
        """Layouts that can be solved and have no result that belongs to them."""
        found = [self.standing(x.name) for x in self.document.layouts if not x.archived]
        return [s.layout for s in found if not s.problems and s.state != "current"]

    def run_all(self) -> None:
        """Solve all layouts that are due, one after the other; while a run is on, those that are not waiting yet join
        the queue. Raises StithyError where there are none."""
        busy = self.solved_now()
        names = [n for n in self.due() if n not in busy and n not in self.queue]
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
        """Begin no more of the queue for now, or go on with it; runs that are on come to their end."""
        self.paused = on
        if not on and self.run is None and self.queue:
            layout = self._take_first()
            try:
                self.start_run(layout=layout)
            except StithyError:
                self.set_queue([layout, *self.queue])
                raise
        self._go_on()
        self.tell("run")

    def solve_at_once(self, many: int) -> None:
        """Let so many layouts of the queue be solved at once."""
        self.at_once = many
        self._go_on()
        self.tell("run")

    def _go_on(self) -> None:
        """Begin the next of the queue, as long as the layout is still there, until as many are on as may be at once."""
        names = {x.name for x in self.document.layouts}
        while self.queue and not self.paused and len(self.solved_now()) < self.at_once:
            layout = self._next_ready()
            if not layout:
                return
            if layout not in names or self.standing(layout).state == "current":
                continue
            try:
                if self.run is None:
                    self.start_run(layout=layout)
                else:
                    self.beside.append(
                        Beside(Handle(self.document, layout, self.folder), RunState(layout, "Starting the solver"))
                    )
            except StithyError as error:
                self.queued.append((layout, str(error)))

    def _next_ready(self) -> str:
        """The first of the queue that waits for no run that is on, taken out of it; "" where all do."""
        busy = self.solved_now()
        keys = {self.key_of(n) for n in busy}
        for layout in self.queue:
            model = self.standing(layout).model
            if model is not None and (model.run.start in busy or self.key_of(layout) in keys):
                continue
            self.queue = [layout, *(n for n in self.queue if n != layout)]
            return self._take_first()
        return ""

    def poll_run(self) -> None:
        """Take in what the solver has sent; to be called a few times a second while a run is on."""
        self._poll_beside()
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
        self.run_state.asked(self.key_of(self.layout))
        self.tell("run")

    def plan(self, event: str, at: str) -> None:
        """Put a planned event at another time (text of its cell); a run in time that is on hears of it. Raises
        StithyError where that time, or the event, is past."""
        state = self.run_state
        on = self.run is not None and state.layout == self.layout and bool(state.cells)
        now = state.history[-1].time if on and state.history else 0.0
        model = self.standing(self.layout).model
        was = next((e for e in model.events if e.name == event), None) if model is not None else None
        if on and (was is None or was.time <= now):
            raise StithyError(f"“{event}” has happened already.")
        if on and units.to_si(at, "time") <= now:
            raise StithyError(f"{at} is past already. Put it later.")
        if self.changed_meanwhile():
            raise StithyError("The layout was changed while it is being solved: start it anew first.")
        self.change([(event, "at", at)], f"move {event}")
        if on and self.run is not None:
            self.run.ask(("turn", self.document.model_dump(mode="json"), f"{event} planned for {at}"))
            state.asked(self.key_of(self.layout))
            self.tell("run")

    def changed_meanwhile(self) -> bool:
        """Whether the shown layout says something else than what is being solved."""
        state = self.run_state
        on = self.run is not None and self._arriving is None and state.layout == self.layout and bool(state.cells)
        return on and self.key_of(self.layout) not in ("", state.key)

    def take_into_run(self) -> None:
        """Let a steady run go on with the layout as it is now."""
        if self.run is not None:
            self.run.ask(("turn", self.document.model_dump(mode="json"), "the layout as it was changed"))
            self.run_state.asked(self.key_of(self.layout))
            self.tell("run")

    def start_anew(self) -> None:
        """Stop the run, keep it, and start the layout as it is now from its fields."""
        if self.run is not None:
            self.anew = self.run_state.layout
            self.run.stop()
            self.run_state.text = "Stopping, to start anew from these fields"
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
            self.run_state.key = self.key_of(self.run_state.layout)
        except StithyError:
            return

    def _follow(self, solution: Solution) -> None:
        """What the watches come to in the running solution."""
        state = self.run_state
        found = watched(solution, self.picture.drawn(state.layout)[0])
        values = {x.watch.name: x.banded.on_grid for x in found if x.banded is not None}
        if values and state.history:
            state.followed.append((state.history[-1].iteration, values))

    def _poll_beside(self) -> None:
        """Take in what runs beside the one that is followed have sent."""
        told = False
        for one in list(self.beside):
            if one.arriving is not None:
                if one.arriving:
                    self.beside.remove(one)
                    self._take_in(one.state, one.arriving[0])
                    self._go_on()
                    told = True
                continue
            for message in one.run.messages():
                told = True
                one.state.hear(message)
                if isinstance(message, messages.LAST):
                    one.arriving = self._fetched(one.run, one.state)
        if told:
            self.tell("run")

    def _over(self) -> None:
        """The process ends and the result is read beside the window, not in its time."""
        self._arriving = self._fetched(self.run, self.run_state)

    def _fetched(self, run: Handle | None, state: RunState) -> list:
        """A list into which the result of a run that is over comes, once it has been read."""
        sent, state.result = state.result, None
        into: list = []
        Thread(
            target=self._fetch, args=(run, state.layout, self.document, self.folder, sent, into), daemon=True
        ).start()
        return into

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
        """Show a result that has been read meanwhile; the next run beside is followed from now on."""
        state, arrived = self.run_state, self._arriving[0]
        self._arriving = self.run = None
        if self.beside:
            first = self.beside.pop(0)
            self.run, self.run_state, self._arriving = first.run, first.state, first.arriving
        self._take_in(state, arrived)
        anew, self.anew = self.anew, ""
        if anew and self.run is None and any(x.name == anew for x in self.document.layouts):
            self.start_run(layout=anew, begin_from=anew)
        self._go_on()

    def _take_in(self, state: RunState, arrived: tuple) -> None:
        """Keep what has been read of the result of a run."""
        layout, (result, document, stands, key) = state.layout, arrived
        for at in [x for x in self._results if x[0] == layout]:
            del self._results[at]
        self._standings.pop(layout, None)
        if result is not None:
            self._keep((layout, key), result)
        if stands is not None and document is self.document:
            self._standings[layout] = stands
        if self.queue or self.queued or self.run is not None or self.beside:
            self.queued.append((layout, state.text.splitlines()[0] if state.text else ""))
        self.tell("results")

    def stop_run(self) -> None:
        """Stop the run and keep what there is; what waits is held until it is gone on with."""
        self.paused = bool(self.queue)
        if self.run is not None:
            self.run.stop()
            self.run_state.text = "Stopping; closing the balances"
            self.tell("run")
