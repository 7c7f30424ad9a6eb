"""Studies of a session: begun, heard, stopped; and the table of all layouts and points, worked out beside the
window."""

from __future__ import annotations

from pathlib import Path
from threading import Thread
from typing import Any

from ..api import Project
from ..errors import StithyError
from ..weigh.overview import Line, Overview, overview
from ..weigh.points import studies
from ..weigh.taking import taken
from .study_work import Over, Told, Work


class Studying:
    """Part of the session; see there for its attributes."""

    work: Work | None
    #: what the work that is on said last, and how the last one ended
    told: Told
    ended: Over | None
    table: Overview | None
    _table_of: tuple
    _table_new: list
    folder: Path | None
    document: Any
    layout: str
    run: Any
    tell: Any
    do: Any
    peek: Any
    save: Any
    choose_layout: Any

    def start_work(self, what: str, of: str, **more: Any) -> None:
        """Begin a study, a report or the like. Raises StithyError where one is on, or there is no folder."""
        if self.work is not None:
            raise StithyError("A study is on. Stop it first, or wait for it.")
        if self.folder is None:
            raise StithyError("Save the project first, so that its points have a place.")
        if self.run is not None:
            raise StithyError("A run is on. Stop it first, or wait for it.")
        self.told, self.ended = Told("Starting"), None
        self.work = Work(Project(self.document, self.folder), what, of, **more)
        self.tell("studies")

    def stop_work(self) -> None:
        """Ask it to end; what is solved is kept."""
        if self.work is not None:
            self.work.stop()
            self.told = Told("Stopping")
            self.tell("studies")

    def poll_work(self) -> None:
        """Take in what it has sent; to be called a few times a second while it is on."""
        if self._table_new:
            self.table, self._table_new = self._table_new[-1], []
            self.tell("table")
        if self.work is None:
            return
        heard = self.work.messages()
        for message in heard:
            if isinstance(message, Over):
                self.ended, self.work = message, None
                self._table_of = ()
            else:
                if isinstance(message, Told) and message.done != self.told.done:
                    self._table_of = ()
                self.told = message
        if heard:
            self.tell("studies")

    def want_table(self) -> Overview | None:
        """The table of all layouts and points as far as it is known; a new one is worked out beside the window where
        something has changed, and "table" is told then."""
        now = (id(self.document), tuple(self.peek(x.name).state for x in self.document.layouts), self.folder)
        if now != self._table_of:
            self._table_of = now
            stand = [self.peek(x.name) for x in self.document.layouts]
            Thread(target=self._work_out, args=(self.document, self.folder, stand), daemon=True).start()
        return self.table

    def _work_out(self, document: Any, folder: Path | None, stand: list) -> None:
        try:
            found = overview(document, folder, stand)
        except StithyError:  # a study that cannot be read: its row says why
            return
        if document is self.document:
            self._table_new.append(found)

    def take_line(self, line: Line, name: str = "") -> str:
        """Make a point a layout, and show it. Raises StithyError."""
        study = next((x for x in studies(self.document) if x.name == line.of), None)
        if study is None or line.point is None:
            raise StithyError(f"“{line.name}” is no point of a study.")
        name, edit = taken(self.document, study, line.point, name)
        self.do(edit)
        self.choose_layout(name)
        return name
