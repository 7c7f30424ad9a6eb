"""What changes while a run is on: dials that somebody turns, and events that the model says.

Both are changes of cells of the document. What needs no other grid or solids (loads, fans, what enters, conditions, the
ambient, steps and bounds of the run) is set up anew from the changed document on the grid as it is, and the run goes on
from its present fields.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from ..errors import Problem, SetupError, StithyError
from ..kinds.assembly import resolve
from ..kinds.event import EventRow, at_time
from ..mesh.build import build
from ..model import Event, Model
from ..project import edits
from ..project.document import Document
from ..project.kind import KINDS
from ..setup.prepare import Prepared, prepare
from .steady import Progress, Settings, Steady
from .transient import Transient, soon


class Turning:
    """Part of :class:`job.Job`; see there for its attributes."""

    document: Document
    layout: str
    model: Model
    key: str
    prepared: Prepared
    run_: Any
    settings: Settings
    earlier: list[Progress]
    numbers: Any
    coarse: Any
    start: Any
    note: Any
    wished_lines: tuple | None
    due_finer: Any
    _run_on: Any

    def began_turning(self) -> None:
        """Look at the model's events before anything is solved. Raises SetupError for those that need another grid."""
        self.wanted: list[tuple[Document, str]] = []
        self.passed = 0.0  # s, up to which events have been taken in
        for event in self.model.events:
            if not self._same_place(self._resolved_at(event.time)):
                what = "changes where solids stand or what they are, which a run cannot take."
                raise SetupError([Problem(event.name, "of", what, "Make it a layout of its own.", "run", "of")])

    def _same_place(self, model: Model) -> bool:
        """Whether a model has all that stands in the grid where it stands now."""
        if _standing(model) != _standing(self.model):
            return False
        found, case = build(self._lined(model)), self.prepared.case
        return np.array_equal(found.kind, case.kind) and np.array_equal(found.owner, case.part)

    def _resolved_at(self, time: float) -> Model:
        return resolve(at_time(self.document, self.layout, self.model.events, time), self.layout)

    def _lined(self, model: Model) -> Model:
        """The model on the grid that is being solved."""
        lines = tuple(tuple(x.tolist()) for x in self.prepared.case.grid.lines)
        return replace(model, grid=replace(model.grid, lines=lines))

    def _model_at(self, time: float) -> Model:
        """The model as it is at a time (s), on the refined grid if there is one."""
        found = self._resolved_at(time) if self.model.events else self.model
        return replace(found, grid=replace(found.grid, lines=self.wished_lines)) if self.wished_lines else found

    def begin_at(self, time: float) -> None:
        """Begin at a later time (s), with all that events have changed by then."""
        if self._due(time):
            self._change(self._resolved_at(time))
        self.passed = time

    def _due(self, time: float) -> list[Event]:
        by = soon(time, float(getattr(self.run_, "dt_old", 0.0)))
        return [e for e in self.model.events if self.passed < e.time <= by or e.time == self.passed == 0]

    def ask(self, document: Document, words: str) -> str:
        """Take a changed document into the run at its next step; "" or why that cannot be done."""
        try:
            model = resolve(document, self.layout)
            if (model.run.time is None) != (self.model.run.time is None):
                return "A steady run cannot follow time from here on, or the other way: run it again."
            now = max(float(getattr(self.run_, "time", 0.0)), self.passed)
            if _gone(model, now) != _gone(self.model, now):
                return "What has happened in this run already cannot be changed any more."
            if model.events:
                model = resolve(at_time(document, self.layout, model.events, np.inf), self.layout)
            same = self._same_place(model)
        except StithyError as error:
            return str(error)
        if not same:
            return (
                "That changes where solids stand or what they are, and has to be set up anew. "
                "Press Start anew from these fields."
            )
        self.wanted.append((document, words))
        return ""

    def ask_event(self, row: str, key: str, text: str) -> tuple[EventRow | None, str]:
        """Let a cell of a row say something else from the next step of a run in time on: the event that says so, or
        why that cannot be done."""
        now = max(float(self.run_.time), self.passed)
        late = 10.0 ** (np.floor(np.log10(max(now, 1e-9))) - 4)  # five digits, not before what is solved
        at = float(f"{np.ceil(now / late - 1e-6) * late:.5g}") if now > 0.0 else 0.0
        at += late if at == self.passed > 0.0 else 0.0  # what was due then has been taken in
        of = next((r for r in self.document.rows_of(self.layout) if r.name == row), None)
        title = KINDS[of.kind].cells[key].title if of is not None and key in KINDS[of.kind].cells else key
        name = edits.free_name(self.document, f"{row[:40]} at {at:g} s")
        made = EventRow(name=name, at=f"{at:.6g} s", of=row, cell=title, to=text)
        try:
            document = edits.add_row(self.layout, made, len(self.document.layouts) > 1).apply(self.document)
        except StithyError as error:
            return None, str(error)
        why = self.ask(document, f"{row}: {title} {text}")
        if not why:
            self.document = document  # the next one comes on top of it
        return (None if why else made), why

    def wants_to_leave(self, progress: Progress) -> bool:
        """Whether the run has to be left as it stands, to be gone on with by :meth:`turn` or refined."""
        clocked = isinstance(self.run_, Transient)
        due = clocked and bool(self._due(self.run_.time)) and not self.run_.loop_settled()
        ready = progress.phase == "flow"  # not while a mean is taken, nor on a coarser grid
        self.run_.leaves = (due or bool(self.wanted) or self.due_finer()) and ready
        return bool(self.run_.leaves)

    def turn(self, _last: Progress) -> bool:
        """Go on with what was asked for, or is due; whether there was anything."""
        if not self.run_.leaves and not self.wanted:
            return False
        run, done = self.run_, False
        clocked = isinstance(run, Transient)
        for document, words in self.wanted:
            self.document, self.model = document, resolve(document, self.layout)
            self.key = self.model.key()
            self.note("planned" if clocked else "turned", words)
            done = True
        self.wanted = []
        if clocked:
            due = self._due(run.time)
            run.stops = [e.time for e in self.model.events if e.time > self.passed]
            for event in due:
                self.note("turned", f"{event.row}: {self._title(event)} {event.text}")
            done |= bool(due)
            self.passed = max(run.time, self.passed, *(e.time for e in due))
        if not done:
            return False
        if clocked and self.model.events and not due:
            run.leaves = False  # it changes later: until then it goes on as it is
            return True
        self._change(self._resolved_at(self.passed) if clocked and self.model.events else self.model)
        return True

    def _title(self, event: Event) -> str:
        kind = next((r.kind for r in self.document.rows_of(self.layout) if r.name == event.row), "")
        return KINDS[kind].cells[event.key].title if kind else event.key

    def _change(self, model: Model) -> None:
        """The same grid and fields with another model."""
        old = self.run_
        lined = self._lined(model)
        if lined.grid.lines != self.wished_lines:
            self.wished_lines = lined.grid.lines  # what it is continued on later
        self.prepared = prepare(lined)
        self.settings = settings_of(model)
        new: Steady = self._run_on(self.prepared, old.fields())
        if isinstance(new, Transient) and isinstance(old, Transient):
            new.go_on_from(old)
        else:
            new.history, new.iteration, new.started = old.history, old.iteration, old.started
            new.continued = old.continued
            new._since = old.iteration
        self.run_ = new
        self.numbers = self.coarse = None


def settings_of(model: Model) -> Settings:
    """When a run of a model has settled."""
    run = model.run
    return Settings(most=run.iterations, momentum=run.residual, watch=run.drift, relaxation=run.relaxation)


def _gone(model: Model, time: float) -> list:
    """What a model's events have changed before a time (s)."""
    return sorted((e.time, e.row, e.key, e.text) for e in model.events if model.run.time and e.time < time)


def _standing(model: Model) -> list:
    """What stands where: solids, enclosures with the liquid that fills them, openings and fans."""
    out: list = [(s.name, s.boxes, s.form, s.rank) for s in model.solids]
    out += [(e.name, e.outer, e.inner, e.pool and (e.pool.level, e.pool.boiling.molar_mass)) for e in model.enclosures]
    out += [(o.name, o.enclosure, o.side, o.rect) for o in model.openings]
    return out + [(f.name, f.axis, f.position, f.rect) for f in (*model.fans, *model.screens)]
