"""Runs of a session with a solver that is played: any order of starting, waiting, holding, stopping, failing and
finishing, several at once; what the session says of them, what it keeps, and what it asks of the solver."""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import mkdtemp

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.desk import queueing, running
from stithy.desk.session import Session
from stithy.errors import Problem, StithyError
from stithy.project import edits, files
from stithy.solution import store
from stithy.solve import messages
from stithy.solve.job import Job

from .conftest import small

NAMES = ("One", "Two", "Three", "Four")
FLOWS = ("0.3 m/s", "0.6 m/s", "0.45 m/s", "0.5 m/s")


def four() -> d.Document:
    """The small box in four layouts."""
    layouts = [d.Layout(name=n, changes={"In": {"flow": f}}) for n, f in zip(NAMES, FLOWS, strict=True)]
    return small().model_copy(update={"layouts": tuple(layouts)})


class Played:
    """A solver's process that says what the test lets it say; it keeps what it was asked."""

    every: list[Played] = []

    def __init__(self, document, layout, project, fresh=False, begin_from=""):
        self.document, self.layout, self.project = document, layout, project
        self.fresh, self.begin_from = fresh, begin_from
        self.waiting: list = [messages.Preparing("Building the grid")]
        self.asked: list = []
        self.process = self
        self.over = False
        Played.every.append(self)

    def join(self, seconds):
        """Its process has ended already."""

    def messages(self):
        out, self.waiting = self.waiting, []
        return out

    def ask(self, what):
        self.asked.append(what)

    def stop(self):
        self.asked.append("stop")

    def says(self, *what):
        self.waiting += what
        self.over = self.over or any(isinstance(m, messages.LAST) for m in what)


class Results(dict):
    """Solutions by their keys, told in a word."""

    def __repr__(self) -> str:
        return "results"


@pytest.fixture(scope="module")
def results() -> Results:
    """Results of the four layouts, solved once."""
    document = four()
    found = {n: Job(document, n, banded=False).run() for n in NAMES}
    return Results({r.summary["key"]: r for r in found.values()})


def report(iteration: int, at: float = 0.0) -> messages.Report:
    return messages.Report(iteration, 0.1, 0.1, 0.1, 0.0, (350.0,), (1e-4,), 1.0, 5.0, "run", at, "5 s left")


def until(s: Session, holds) -> None:
    """Poll until something holds; results are read beside."""
    for _ in range(4000):  # twenty seconds on an idle machine
        s.poll_run()
        if holds():
            return
        time.sleep(0.005)
    pytest.fail("it never came to that")


@pytest.fixture
def played(monkeypatch, tmp_path):
    """A session on the four layouts whose runs are played."""
    Played.every = []
    monkeypatch.setattr(running, "Handle", Played)
    files.save(four(), tmp_path)
    return Session(files.read(tmp_path), tmp_path)


class Queue:
    """A session and what was done to it: no layout is solved twice at a time, no more run than may, none begins while
    held but by hand, and each that waits comes to its turn."""

    def __init__(self, found: dict, many: int):
        Played.every = []
        self.found, self.folder = found, Path(mkdtemp())
        files.save(four(), self.folder)
        self.s = Session(files.read(self.folder), self.folder)
        self.s.at_once = many

    def on(self) -> list[Played]:
        return [p for p in Played.every if not p.over]

    def all(self, n: int) -> None:
        due, busy = self.s.due(), self.s.solved_now()
        try:
            self.s.run_all()
            assert set(due) <= {*self.s.solved_now(), *self.s.queue}
        except StithyError as error:
            assert "Every layout" in str(error)
            assert set(due) <= set(busy)

    def start(self, n: int) -> None:
        name, busy, on = NAMES[n % 4], self.s.solved_now(), self.s.run is not None
        if name in self.s.queue:
            return
        try:
            self.s.start_run(layout=name)
            assert not on
            assert name not in busy
        except StithyError:
            assert on or name in busy

    def hold(self, n: int) -> None:
        self.s.pause(True)

    def go_on(self, n: int) -> None:
        self.s.pause(False)

    def at_once(self, n: int) -> None:
        self.s.solve_at_once(1 + n % 3)

    def end(self, n: int) -> None:
        """One of the runs comes to its end; a result is stored first."""
        if not (on := self.on()):
            return
        run = on[n % len(on)]
        key = self.s.key_of(run.layout)
        if n % 4 == 3:
            run.says(messages.Failed("It diverged."))
            until(self.s, lambda: self.is_over(run))
            return
        result = self.found[key]
        store.save(self.folder, run.layout, result)
        run.says(report(10), messages.Result(result), messages.Finished(result.summary))
        until(self.s, lambda: self.is_over(run))
        assert self.s.standing(run.layout).state == "current"
        assert self.s.result(run.layout).summary["key"] == key

    def is_over(self, run: Played) -> bool:
        """Whether the session has taken in all of a run."""
        return self.s.run is not run and all(b.run is not run for b in self.s.beside)

    def move(self, n: int) -> None:
        if self.s.queue:
            name, by, many = self.s.queue[n % len(self.s.queue)], n % 5 - 2, len(self.s.queue)
            at = self.s.queue.index(name)
            self.s.move_in_queue(name, by)
            assert self.s.queue.index(name) == min(max(at + by, 0), many - 1)

    def do(self, what: str, n: int) -> None:
        """One step, and what must hold after it."""
        begun, held, many = len(Played.every), self.s.paused, len(self.s.solved_now())
        getattr(self, what)(n)
        s, busy = self.s, self.s.solved_now()
        assert len(busy) == len(set(busy))
        assert not set(busy) & set(s.queue)
        assert len(set(s.queue)) == len(s.queue)
        assert queueing.kept(self.folder, list(NAMES)) == s.queue
        assert {p.layout for p in self.on()} <= set(busy)
        if what != "start":
            assert len(busy) <= max(s.at_once, many)
            assert not (held and s.paused and len(Played.every) > begun)
        if s.queue and not s.paused:
            assert len(busy) >= s.at_once


@settings(max_examples=15, phases=(Phase.explicit, Phase.generate))
@given(
    many=st.integers(1, 3),
    steps=st.lists(
        st.tuples(
            st.sampled_from(["all", "all", "start", "hold", "go_on", "at_once", "end", "end", "end", "move"]),
            st.integers(0, 11),
        ),
        min_size=8,
        max_size=16,
    ),
)
def test_any_order_of_a_queue(results, many, steps):
    """See :class:`Queue`; at last all that waits is solved."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(running, "Handle", Played)
        q = Queue(results, many)
        for what, n in steps:
            q.do(what, n)
        q.do("go_on", 0)
        for _ in range(20):
            q.do("end", 0)
        assert not q.s.queue
        assert not q.s.solved_now()


def test_a_run_is_followed_to_its_result(played, results):
    """Its words, its reports, its log and its picture as they come; at the end the stored result, and whoever listens
    has heard of it."""
    s, told = played, []
    for event in ("run", "results"):
        s.on(event, lambda event=event: told.append(event))
    s.start_run()
    assert s.run_state.text == "Starting the solver"
    s.poll_run()
    assert s.run_state.text == "Building the grid"
    (run,) = Played.every
    run.says(messages.Started(1200, ("Chip",), ("In", "Out"), False, 1e-4), report(1))
    s.poll_run()
    assert s.run_state.text == "Solving from rest"
    assert (s.run_state.cells, s.run_state.ends, s.run_state.criterion) == (1200, ("In", "Out"), 1e-4)
    result = results[s.key_of("One")]
    run.says(report(2), messages.Snapshot(result.temperature, result))
    run.says(messages.Noted((1.0, 2, 0.0, "refined", "twice as many cells"), 2400))
    s.poll_run()
    assert [r.iteration for r in s.run_state.history] == [1, 2]
    assert s.run_state.cells == 2400
    assert s.run_state.log == [(1.0, 2, 0.0, "refined", "twice as many cells")]
    iteration, values = s.run_state.followed[-1]
    assert iteration == 2
    assert values["Chip"] == pytest.approx(result.summary["parts"]["Chip"]["max"])
    assert np.array_equal(s.run_state.snapshot, result.temperature)
    store.save(s.folder, "One", result)
    run.says(messages.Result(result), messages.Finished(result.summary))
    until(s, lambda: s.run is None)
    assert s.run_state.over == "finished"
    assert s.run_state.text == "Settled"
    assert s.result() is result  # sent along, not read again
    assert s.standing().state == "current"
    assert told.count("results") == 1
    assert told.count("run") >= 4


@pytest.mark.parametrize(
    ("last", "over", "words"),
    [
        (messages.Failed("It diverged at 3, 4, 5 mm.", (3e-3, 4e-3, 5e-3)), "failed", "It diverged at 3, 4, 5 mm."),
        (
            messages.Refused((Problem("Chip", "heat load", "is no power.", "Write 2 W."),)),
            "refused",
            "Chip, heat load is no power. Write 2 W.",
        ),
    ],
)
def test_a_run_without_a_result_says_why(played, results, last, over, words):
    """The reason stands, a result of before stays the layout's, and the next run may begin."""
    s = played
    result = results[s.key_of("One")]
    store.save(s.folder, "One", result)
    s._forget_standings()
    s.start_run()
    Played.every[0].says(last)
    until(s, lambda: s.run is None)
    assert s.run_state.over == over
    assert s.run_state.text.replace(": ", " ") == words.replace(": ", " ")
    assert s.run_state.place == getattr(last, "place", None)
    assert s.standing().state == "current"
    assert np.array_equal(s.result().temperature, result.temperature)
    s.start_run()
    assert len(Played.every) == 2


def test_what_is_done_meanwhile_is_asked_of_the_run(played):
    """A dial, the changed layout, a finer grid and a stop: each is asked as the solver takes it, with the document as
    it is then; a run of another layout is not asked."""
    s = played
    with pytest.raises(StithyError, match="No run"):
        s.turn("In", "flow", "0.4 m/s")
    s.start_run()
    run = Played.every[0]
    run.says(messages.Started(1200, ("Chip",), ("In", "Out"), False, 1e-4), report(5))
    s.poll_run()
    assert not s.changed_meanwhile()
    s.turn("Chip", "power", "1.5 W")
    what, document, words = run.asked[-1]
    assert what == "turn"
    assert d.Document.model_validate(document) == s.document
    assert words == "Chip: heat load 1.5 W"
    assert not s.changed_meanwhile()
    s.set_cell("Chip", "power", "3 W")
    assert s.changed_meanwhile()
    s.take_into_run()
    assert d.Document.model_validate(run.asked[-1][1]) == s.document
    assert not s.changed_meanwhile()
    run.says(messages.Kept("The grid would be another one."))
    s.set_cell("Chip", "power", "4 W")
    s.take_into_run()
    s.poll_run()
    assert s.run_state.kept == "The grid would be another one."
    assert s.changed_meanwhile()  # the run is still that of before
    s.refine_now()
    assert run.asked[-1] == "refine"
    s.choose_layout("Two")
    with pytest.raises(StithyError, match="No run of this layout"):
        s.turn("Chip", "power", "1 W")
    with pytest.raises(StithyError, match="being solved"):
        s.rename_layout("One", "First")
    assert s.document.layouts[0].name == "One"
    s.stop_run()
    assert run.asked[-1] == "stop"


def test_started_anew_from_its_own_fields(played, results):
    """The run is stopped and kept; then the layout as it is now is begun from what it had."""
    s = played
    s.start_run()
    s.poll_run()
    s.start_anew()
    run = Played.every[0]
    assert run.asked == ["stop"]
    result = results[s.key_of("One")]
    s.set_cell("Chip", "power", "2 W")
    store.save(s.folder, "One", result)
    run.says(messages.Finished(result.summary | {"settled": False}))
    until(s, lambda: len(Played.every) == 2)
    again = Played.every[1]
    assert (again.layout, again.begin_from) == ("One", "One")
    assert again.document == s.document
    assert s.anew == ""


def test_a_dial_of_a_run_in_time_is_said_by_an_event(played):
    """Turned in a run in time: the solver is asked, and once it has done it the document says so, for this layout
    alone; what cannot be read is refused before anything is asked."""
    s = played
    s.set_cell("Run", "time", "60 s")
    s.start_run()
    run = Played.every[0]
    run.says(messages.Started(1200, ("Chip",), (), False, 1e-4), report(5, at=12.0))
    s.poll_run()
    with pytest.raises(StithyError, match="heat load"):
        s.turn("Chip", "power", "much")
    assert not run.asked
    s.turn("Chip", "power", "2 W")
    assert run.asked == [("event", "Chip", "power", "2 W")]
    assert s.run_state.turned == {("Chip", "power"): "2 W"}
    event = d.EventRow(name="Chip heat load at 12 s", at="12 s", of="Chip", cell="heat load", to="2 W")
    run.says(messages.Noted((3.0, 5, 12.0, "event", "Chip: heat load 2 W"), 0, event.model_dump()))
    s.poll_run()
    assert event.name in [r.name for r in s.document.rows_of("One")]
    assert event.name not in [r.name for r in s.document.rows_of("Two")]
    assert s.run_state.key == s.key_of("One")
    assert s.undo() == f"add {event.name}"
    s.redo()
    later = d.EventRow(name="Off", at="40 s", of="Chip", cell="heat load", to="0 W")
    s.do(edits.add_row("One", later))
    s.take_into_run()
    s.plan("Off", "50 s")
    assert next(r for r in s.document.rows_of("One") if r.name == "Off").at == "50 s"
    assert run.asked[-1][2] == "Off planned for 50 s"
    for what, at in (("Off", "11 s"), (event.name, "30 s")):
        with pytest.raises(StithyError, match="past|happened"):
            s.plan(what, at)


def test_a_queue_outlives_its_window(played, results):
    """Waiting layouts are kept beside the project, in order, and are held when it is opened again; those that are gone
    are left out, and a file that is none is an empty queue."""
    s = played
    s.paused = True
    s.set_queue(["Three", "One", "Two"])
    again = Session(files.read(s.folder), s.folder)
    assert again.queue == ["Three", "One", "Two"]
    assert again.paused
    assert not Played.every
    again.do(edits.delete_layout("Three"))
    assert again.queue == ["One", "Two"]
    again.pause(False)
    assert [p.layout for p in Played.every] == ["One"]
    assert queueing.kept(s.folder, list(NAMES)) == ["Two"]
    for text in ("", "{}", "[1, null]", "[" * 5000, "\xff"):
        (s.folder / queueing.NAME).write_text(text, encoding="latin-1")
        assert Session(files.read(s.folder), s.folder).queue == []


def test_without_a_folder_nothing_is_begun(monkeypatch):
    """A new project is to be saved first, for runs and for studies; nothing is begun then."""
    Played.every = []
    monkeypatch.setattr(running, "Handle", Played)
    s = Session(four(), None)
    with pytest.raises(StithyError, match="Save the project first"):
        s.start_run()
    with pytest.raises(StithyError, match="Save the project first"):
        s.start_work("sweep", "Any")
    assert not Played.every
    with pytest.raises(StithyError, match="no folder"):
        s.save()
