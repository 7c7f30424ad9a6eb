"""How results are looked at in one window: drawn rows, what is tried out while something is dragged, parts in sight."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ..errors import StithyError
from ..kinds import drawing
from ..project import edits
from ..solution.solution import Solution
from .library import Library

if TYPE_CHECKING:
    from .session import Session

#: cells that are tried out: row, key, text
Cells = list[tuple[str, str, str]]


class Picture:
    """State of the picture that all benches of a window share. ``sight``: parts that are "hidden" or seen "through"."""

    def __init__(self, session: Session):
        self.session = session
        self.library = Library(lambda name: session.result(name))
        self.sight: dict[str, str] = {}
        self.tried: dict[tuple[str, str], str] = {}
        self.pointed: Any = None
        #: the instant (s) of a run in time that is shown; None: the last
        self.time: float | None = None
        self._instant: tuple = (None, None, None)
        self._of: object = None
        self._drawn: dict[tuple, tuple[list, dict]] = {}

    def drawn(self, layout: str = "") -> tuple[list, dict]:
        """What is drawn and watched in a layout, with what is tried out now put in; and the first problem of every row
        that has one."""
        session = self.session
        layout = layout or session.layout
        key = layout, tuple(sorted(self.tried.items()))
        if self._of is not session.document:
            self._of, self._drawn = session.document, {}
        if key not in self._drawn:
            self._drawn = {k: v for k, v in self._drawn.items() if not k[1]}
            document = session.document
            for (row, cell), text in self.tried.items():
                document = edits.set_cell(layout, row, cell, text, session.only_here).apply(document)
            self._drawn[key] = drawing.drawn(document, layout)
        return self._drawn[key]

    def try_out(self, cells: Cells) -> None:
        """Show drawn rows with other cells while something is dragged; nothing is changed yet."""
        self.tried |= {(row, key): text for row, key, text in cells}
        self.session.tell("trial")

    def settle_tried(self, label: str) -> None:
        """Make what is tried out the document's, as one step."""
        self.settle([(row, key, text) for (row, key), text in self.tried.items()], label)

    def settle(self, cells: Cells, label: str) -> None:
        """Change cells of drawn rows for good, as one step; what is refused changes nothing."""
        self.tried = {}
        try:
            if cells:
                self.session.change(cells, label)
        except StithyError:
            self.session.tell("trial")

    def at_instant(self, result: Solution) -> Solution:
        """A result at the instant that is shown; the same object until another is."""
        if self._instant[:2] != (id(result), self.time):
            assert self.time is not None
            self._instant = id(result), self.time, result.at_instant(self.time)
        return self._instant[2]

    def point_at(self, place) -> None:
        """Show a place (m) of a plotted line on the bench; None: none."""
        self.pointed = place
        self.session.tell("point")

    def see(self, names: tuple[str, ...], how: str) -> None:
        """Parts are "hidden", seen "through", or (with "") in sight again, all of them without names; "only": all
        others are hidden."""
        if how == "only":
            model = self.session.standing().model
            every = []
            if model is not None:
                every = [x.name for x in (*model.solids, *model.passages, *model.enclosures, *model.regions)]
            self.sight = {n: "hidden" for n in every if n not in names}
        elif not names:
            self.sight = {}
        else:
            self.sight = {n: h for n, h in self.sight.items() if n not in names}
            if how:
                self.sight |= dict.fromkeys(names, how)
        self.session.tell("sight")
