"""A session on its own, without a window: any order of what one can do to it, against a plain account of what should
have come of it; its runs with a solver that is played; its studies, queue and faces."""

from __future__ import annotations

import json
from pathlib import Path
from tempfile import mkdtemp

from hypothesis import Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from stithy import kinds as d
from stithy.desk import queueing
from stithy.desk.session import STAGES, Session
from stithy.errors import StithyError
from stithy.kinds.assembly import resolve
from stithy.project import edits, files

from .conftest import small

#: cells that may be typed, and what into them: the last of each cannot be read
TYPED = {
    ("Chip", "power"): ("2 W", "1500 mW", "= 3 * 0.5 W", "many"),
    ("Chip", "limit"): ("70 degC", "", "12 kg"),
    ("Case", "wall"): ("1 mm", "3 mm", "red"),
    ("In", "flow"): ("0.5 m/s", "2 l/min", "3 furlongs"),
    ("Drop", "most"): ("9 Pa", "0.1 mbar", "one"),
}
NAMES = ("Chip", "Case", "In", "Out", "Drop", "Die", "Lid", "Spacer", "Spacer 2", "Copy")
EVENTS = ("document", "layout", "stage", "selection", "run", "saved")
LAYOUTS = ("One", "Two", "Three", "Four", "Two quiet")
#: which of those that are there
PICK = st.integers(0, 12)


class AnyOrder(RuleBasedStateMachine):
    """What one can do, in any order. The account: every document there was, in a plain list with a place in it."""

    @initialize()
    def begin(self):
        self.folder = Path(mkdtemp())
        files.save(small(), self.folder)
        self.s = Session(files.read(self.folder), self.folder)
        self.told: list[str] = []
        for event in EVENTS:
            self.s.on(event, lambda event=event: self.told.append(event))
        self.past, self.at = [self.s.document], 0
        self.saved = self.s.document
        self.before = self.state()

    def state(self) -> tuple:
        return self.s.document, self.s.layout, self.s.selected, self.s.stage

    def layouts(self) -> list[str]:
        return [x.name for x in self.s.document.layouts]

    @staticmethod
    def pick(among, number: int) -> str:
        """One of those that are there now."""
        return list(among)[number % len(among)]

    def _rows(self, layout: str) -> dict:
        return {r.name: r for r in self.s.document.rows_of(layout)}

    def edited(self) -> None:
        """The document may have changed: what could be redone is gone then."""
        if self.s.document is not self.past[self.at]:
            self.past, self.at = [*self.past[: self.at + 1], self.s.document], self.at + 1

    def tried(self, do) -> bool:
        """Whether it was taken; what is refused changes nothing at all."""
        before = self.state()
        try:
            do()
        except StithyError as error:
            assert str(error).strip()
            assert self.state() == before
            assert self.s.document is before[0]
            return False
        self.edited()
        return True

    @rule(cell=st.sampled_from(sorted(TYPED)), which=st.integers(0, 3), here=st.booleans())
    def types(self, cell, which, here):
        """Into a cell: it stands in the shown layout; in others unless they set it apart, or it was for this one."""
        (row, key), texts = cell, TYPED[cell]
        text = texts[min(which, len(texts) - 1)]
        self.s.only_here = here
        shown, doc = self.s.layout, self.s.document
        if row not in self._rows(shown) or self._rows(shown)[row].kind == "block":
            return
        apart = {x.name: row in [r.name for r in x.add] or key in x.changes.get(row, {}) for x in doc.layouts}
        was = {x.name: self._rows(x.name).get(row) for x in doc.layouts}
        taken = self.tried(lambda: self.s.set_cell(row, key, text))
        assert taken or text == texts[-1]
        for x in self.s.document.layouts if taken else ():
            now = self._rows(x.name).get(row)
            if x.name == shown:
                assert getattr(now, key) == text
            elif was[x.name] is None or here or apart[shown] or apart[x.name]:
                assert now == was[x.name]
            else:
                assert getattr(now, key) == text

    @rule(old=PICK, new=st.sampled_from(NAMES))
    def renames(self, old, new):
        """A row: every layout has the faults it had and no more, since whatever names the row follows."""
        old = self.pick(self._rows(self.s.layout), old)
        faults = {x.name: len(self._problems(x.name)) for x in self.s.document.layouts}
        self.s.select((old,))
        if self.tried(lambda: self.s.set_cell(old, "name", new)):
            assert self.s.selected == (new,)
            assert {x.name: len(self._problems(x.name)) for x in self.s.document.layouts} == faults

    def _problems(self, layout: str) -> list:
        try:
            resolve(self.s.document, layout)
        except StithyError as error:
            return list(error.problems)
        return []

    @rule(name=st.sampled_from(NAMES[6:]), here=st.booleans())
    def adds(self, name, here):
        row = d.Block(name=edits.free_name(self.s.document, name), at="40, 14, 2 mm", size="4, 4, 4 mm")
        assert self.tried(lambda: self.s.do(edits.add_row(self.s.layout, row, here)))
        every = set(self.layouts())
        assert {n for n in every if row.name in self._rows(n)} == ({self.s.layout} if here else every)

    @rule(name=PICK, here=st.booleans())
    def deletes(self, name, here):
        """From this layout, or from all; what stands in one layout only goes there."""
        if not (rows := self._rows(self.s.layout)):
            return
        name = self.pick(rows, name)
        there = {n for n in self.layouts() if name in self._rows(n)}
        base = name in [r.name for r in self.s.document.rows]
        assert self.tried(lambda: self.s.do(edits.delete_row(self.s.layout, name, here)))
        left = {n for n in self.layouts() if name in self._rows(n)}
        assert left == (there - {self.s.layout} if here or not base else set())

    @rule(name=PICK, here=st.booleans(), before=PICK)
    def duplicates_and_moves(self, name, here, before):
        """A copy has the cells of its row; moved in the ledger it stands before another, and the model is the same."""
        rows = self._rows(self.s.layout)
        if not rows:
            return
        name, before = self.pick(rows, name), self.pick(rows, before)
        if self.tried(lambda: self.s.do(edits.duplicate_row(self.s.layout, name, here))):
            (new,) = set(self._rows(self.s.layout)) - set(rows)
            assert self._rows(self.s.layout)[new] == rows[name].model_copy(update={"name": new})
            assert self.tried(lambda: self.s.do(edits.reorder(self.s.layout, [new], before)))
            listed = [r.name for r in self.s.document.listed(self.s.layout)]
            assert listed.index(new) + 1 == listed.index(before)
            assert set(listed) == {new, *rows}

    @rule(name=st.sampled_from(LAYOUTS), stage=st.sampled_from(STAGES))
    def copies(self, name, stage):
        """The shown layout; the copy is gone to, the other one is put beside it, and it waits."""
        shown = self.s.layout
        if self.tried(lambda: self.s.do(edits.duplicate_layout(shown, name))):
            assert self.s.document.rows_of(name) == self.s.document.rows_of(shown)
            self.s.choose_layout(name)
            self.s.compared, self.s.paused = shown, True
            self.s.set_queue([*self.s.queue, shown, name])
        self.s.choose_stage(stage)

    @rule(old=PICK, new=st.sampled_from((*LAYOUTS, "  ", "One ", "x" * 80)))
    def calls(self, old, new):
        """A layout by another name: its rows are the same; it stays shown, waiting and compared."""
        old = self.pick(self.layouts(), old)
        rows, shown = self.s.document.rows_of(old), self.s.layout
        waits, beside = list(self.s.queue), self.s.compared
        if self.tried(lambda: self.s.rename_layout(old, new)):
            follow = {old: new.strip()}
            assert self.s.document.rows_of(new.strip()) == rows
            assert self.s.layout == follow.get(shown, shown)
            assert self.s.queue == [follow.get(n, n) for n in waits]
            assert queueing.kept(self.folder, self.layouts()) == self.s.queue
            assert self.s.compared == follow.get(beside, beside)

    @rule(name=PICK, how=st.sampled_from(["drop", "archive", "back", "go"]))
    def layouts_come_and_go(self, name, how):
        """One stays, and one stays in sight."""
        name = self.pick(self.layouts(), name)
        others = [x for x in self.s.document.layouts if x.name != name and not x.archived]
        if how == "go":
            self.s.choose_layout(name)
        elif how == "drop":
            assert self.tried(lambda: self.s.do(edits.delete_layout(name))) == bool(others)
        else:
            taken = self.tried(lambda: self.s.do(edits.archive_layout(name, how == "archive")))
            assert taken == (how == "back" or bool(others))
        assert any(not x.archived for x in self.s.document.layouts)

    @rule(names=st.lists(PICK, max_size=3))
    def selects(self, names):
        if rows := self._rows(self.s.layout):
            self.s.select(tuple(dict.fromkeys(self.pick(rows, n) for n in names)))

    @precondition(lambda self: self.at > 0)
    @rule()
    def undoes(self):
        assert self.s.undo()
        self.at -= 1

    @precondition(lambda self: self.at < len(self.past) - 1)
    @rule()
    def redoes(self):
        assert self.s.redo()
        self.at += 1

    @rule(whole=st.booleans())
    def saves(self, whole):
        """For good, or beside for a crash: then it is found again."""
        self.s.autosave()
        if self.s.document != self.saved:
            assert files.recoverable(self.folder) == self.s.document
        if whole:
            self.s.save()
            self.saved = self.s.document
            assert files.read(self.folder) == self.s.document
            assert files.recoverable(self.folder) is None

    @invariant()
    def all_is_well(self):
        """The account and the session agree; everything that is named is there; a document is always a file; whoever
        listens has heard of a change, and of nothing else."""
        if not hasattr(self, "s"):
            return
        s, names = self.s, [x.name for x in self.s.document.layouts]
        assert s.document == self.past[self.at]
        assert s.layout in names
        assert set(s.selected) <= set(self._rows(s.layout))
        assert set(s.queue) <= set(names)
        assert s.compared in ("", *names)
        assert set(s.more) <= set(names)
        assert s.history.dirty == (s.document is not self.saved)
        text = json.loads(files.to_text(s.document))
        assert d.Document.model_validate(text) == s.document
        document, layout, selected, stage = self.before
        assert ("document" in self.told) == (s.document is not document)
        assert ("stage" in self.told) == (s.stage != stage)
        if s.layout != layout:
            assert "layout" in self.told
        if s.selected != selected:
            assert {"selection", "document"} & set(self.told)
        self.told.clear()
        self.before = self.state()


AnyOrder.TestCase.settings = settings(
    max_examples=40, stateful_step_count=25, deadline=None, phases=(Phase.explicit, Phase.generate, Phase.shrink)
)
TestAnyOrder = AnyOrder.TestCase
