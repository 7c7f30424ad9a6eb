"""What can be done with the chosen rows: one menu for the ledger and for the bench."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu

from ..errors import StithyError
from ..kinds import arranging
from ..kinds.detailed import detailed
from ..kinds.duty import filled, read_table
from ..project import edits
from ..project.kind import KINDS, LOAD, with_role
from ..read import shown
from .session import Session

if TYPE_CHECKING:
    from .ledger import Ledger

#: what is asked for, with what stands in the field at first
ASKED = {
    "Repeat in a line": ("repeat", "How many in all, and the step:", "4 x 20, 0, 0 mm"),
    "Repeat in a circle": ("circle", "How many in all, about which axis, through which point:", "6 z"),
    "Mirror at": ("mirror", "Across which axis, at which place:", "x at {} mm"),
    "Put on": ("on", "On which part, and its side:", "{} z+"),
}


class RowMenu:
    """Builds the menu, and does what it offers."""

    def __init__(self, ledger: Ledger):
        self.ledger = ledger

    @property
    def session(self) -> Session:
        """The session."""
        return self.ledger.session

    def duty(self, name: str, path: str = "") -> None:
        """A part's heat load in time from a file of times and loads, which is asked for where none is named."""
        path = path or QFileDialog.getOpenFileName(self.ledger, "Times and loads", "", "Tables (*.csv *.txt *.tsv)")[0]
        if not path:
            return
        try:
            text = read_table(Path(path))
            edit = filled(self.session.document, self.session.layout, name, text, Path(path).name)
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        self.ledger.try_(edit)

    def build(self) -> QMenu:
        """The menu for what is chosen."""
        ledger, session = self.ledger, self.session
        names = session.parts
        menu = QMenu(ledger)
        menu.addAction("Duplicate", QKeySequence("Ctrl+D"), ledger.duplicate)
        menu.addAction("Copy rows", QKeySequence.StandardKey.Copy, ledger.copy)
        menu.addAction("Paste", QKeySequence.StandardKey.Paste, ledger.paste)
        give = menu.addMenu("Give its conditions to the other chosen rows")
        titles = self._conditions()
        give.setEnabled(bool(titles))
        if len(titles) > 1:
            give.addAction("all of them", lambda: self.give(list(titles)))
        for key, title in titles.items():
            give.addAction(title, lambda k=key: self.give([k]))
        swap = menu.addMenu("Replace in this layout by")
        row = ledger.current()
        for kind in alike(row.kind) if row is not None else ():
            swap.addAction(kind, lambda k=kind: ledger.try_(edits.replace_row(session.layout, row.name, k)))
        menu.addSeparator()
        self._arrange(menu)
        if row is not None and row.kind == "group":
            menu.addAction("Give up the group", lambda: ledger.try_(edits.delete_row(session.layout, row.name)))
        else:
            menu.addAction("Keep together as a group", QKeySequence("Ctrl+G"), self.group)
        if row is not None and row.kind == "component":
            menu.addAction("Resolve die and lead frame", self.detail)
        if row is not None and {"power", "profile"} <= set(KINDS[row.kind].cells):
            menu.addAction("Heat load in time from a table", lambda n=row.name: self.duty(n))
        menu.addAction("Measure", self.measure).setEnabled(1 <= len(names) <= 2)
        menu.addSeparator()
        for words, how in (("Hide", "hidden"), ("See through", "through"), ("Only this", "only"), ("Show", "")):
            menu.addAction(words, lambda h=how: session.picture.see(names, h)).setEnabled(bool(names))
        menu.addAction("Show all", lambda: session.picture.see((), ""))
        menu.addSeparator()
        menu.addAction("Leave out of this layout", lambda: ledger.delete(True))
        menu.addAction("Delete from all layouts", QKeySequence.StandardKey.Delete, ledger.delete)
        return menu

    def detail(self) -> None:
        """The chosen component as die, pad and body."""
        session, model = self.session, self.session.standing().model
        if model is not None and session.parts:
            args = session.document, session.layout, model, session.parts[-1]
            try:
                self.ledger.try_(detailed(*args, only_here=session.only_here))
            except StithyError as error:
                self.ledger.refuse(str(error))

    def _conditions(self) -> dict[str, str]:
        """Cells about loads, with their titles, of the row chosen first that others of the chosen have, too."""
        rows = {r.name: r for r in self.session.document.rows_of(self.session.layout)}
        chosen = [rows[n] for n in self.session.selected if n in rows]
        if len(chosen) < 2:
            return {}
        others = [KINDS[r.kind].cells for r in chosen[1:]]
        cells = KINDS[chosen[0].kind].cells
        return {k: c.title for k, c in cells.items() if c.about == LOAD and any(k in o for o in others)}

    def give(self, keys: list[str]) -> None:
        """Copy cells of the row chosen first to the other chosen rows, as one step."""
        session = self.session
        rows = {r.name: r for r in session.document.rows_of(session.layout)}
        first, *others = (rows[n] for n in session.selected if n in rows)
        sets = [(r.name, k, first.text(k)) for r in others for k in keys if k in KINDS[r.kind].cells]
        try:
            session.change(sets, f"conditions of {first.name} for {len(others)} rows")
        except StithyError as error:
            self.ledger.refuse(str(error))

    def _arrange(self, menu: QMenu) -> None:
        names = self.session.parts
        some = menu.addMenu("Arrange")
        some.setEnabled(bool(names))
        align = some.addMenu("Align with the last chosen")
        align.setEnabled(len(names) > 1)
        words = {"low": "low faces", "middle": "middles", "high": "high faces"}
        for a in "xyz":
            for end in arranging.ENDS:
                align.addAction(f"{words[end]} along {a}", lambda a=a, e=end: self.do(f"align {a} {e}"))
        spread = some.addMenu("Spread evenly")
        spread.setEnabled(len(names) > 2)
        mirror = some.addMenu("Mirror across the middle")
        for a in "xyz":
            spread.addAction(f"along {a}", lambda a=a: self.do(f"spread {a}"))
            mirror.addAction(f"across {a}", lambda a=a: self.do(f"mirror {a}"))
        for title in ASKED:
            some.addAction(f"{title} …", lambda t=title: self.ask(t))

    def do(self, words: str) -> None:
        """Arrange the chosen rows as some words say; new ones are chosen then."""
        session = self.session
        model = session.standing().model
        before = {r.name for r in session.document.rows_of(session.layout)}
        try:
            if model is None:
                raise StithyError("Settle what is missing first: there is no shape to go by.")
            args = session.document, session.layout, model, session.parts, words
            done = self.ledger.try_(arranging.by_words(*args, session.only_here))
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        new = tuple(r.name for r in session.document.rows_of(session.layout) if r.name not in before)
        if done and new:
            session.select(new)

    def ask(self, title: str) -> None:
        """Ask for what is needed, then arrange."""
        what, prompt, text = ASKED[title]
        session, model = self.session, self.session.standing().model
        first = ""
        if what == "mirror" and model is not None and model.enclosures:
            low, high = model.enclosures[0].outer[0]
            first = shown.text(0.5 * (low + high), "length", 6, False)
        elif what == "on":
            solid = [r.name for r in session.document.rows_of(session.layout) if r.kind in with_role("solid")]
            first = next((n for n in solid if n not in session.parts), "")
        words, ok = QInputDialog.getText(self.ledger, title, prompt, text=text.format(first))
        if ok:
            self.do(f"{what} {words}")

    def group(self) -> None:
        """Keep the chosen rows together, and begin to name the group."""
        try:
            name, edit = arranging.grouped(self.session.document, self.session.layout, self.session.parts)
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        if self.ledger.try_(edit):
            self.session.select((name,))

    def measure(self) -> None:
        """Tell sizes of one part, or distance and gap of two."""
        from ..read import measure

        model = self.session.standing().model
        try:
            if model is None:
                raise StithyError("Settle what is missing first: there is no shape to measure.")
            found = measure.by_names(model, self.session.parts)
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        self.session.measured = tuple(found)
        self.session.tell("measured")


def alike(kind: str) -> list[str]:
    """Kinds that may take the place of one: what is placed alike."""
    from ..project.kind import KINDS

    shared = KINDS[kind].roles & {"box", "opening"}
    return [k for k in with_role(*shared) if k != kind] if shared else []
