"""The engine from Python: open a project, solve a layout, weigh them all."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from .errors import SetupError, StithyError
from .project import files
from .project.document import Document
from .shaped import Shaped
from .weigh.asked import Asked

if TYPE_CHECKING:  # heavy, and only names here
    from .estimate.estimate import Estimate
    from .read.band import Bands
    from .read.quantities import Quantities
    from .solution.solution import Solution
    from .solve.influence import Influence


class Project(Asked, Shaped):
    """A project folder and its document. ``document`` may be replaced by an edited one before solving."""

    def __init__(self, document: Document, folder: Path, notes: list[str] | None = None):
        self.document, self.folder = document, folder
        #: what was brought up from an earlier version when it was opened
        self.notes = notes or []

    def solve(
        self, layout: str = "", fresh: bool = False, tell: Callable | None = None, refine: float = 0.0
    ) -> Solution:
        """Solve a layout (the first when not named) and store its :class:`stithy.solution.solution.Solution`.
        ``refine`` (K): the grid is refined by results until watched temperatures move by less.

        Raises SetupError with every problem of a faulty layout, StithyError when there is no such layout.
        """
        from .solve.job import Job

        return Job(self.document, self._named(layout), self.folder, fresh, refine=refine).run(tell)

    def key(self, layout: str = "") -> str:
        """The key of a layout's model as it is now; "" when it has problems."""
        from .kinds.assembly import resolve

        try:
            return resolve(self.document, self._named(layout)).key()
        except SetupError:
            return ""

    def due(self) -> list[str]:
        """Layouts that can be solved and have no result that belongs to them as they are."""
        from .weigh.compare import standing

        found = [standing(self.document, self.folder, x.name) for x in self.document.layouts if not x.archived]
        return [s.layout for s in found if not s.problems and s.state != "current"]

    def result(self, layout: str = "") -> Solution | None:
        """The stored result of a layout: the one that belongs to it as it stands, else its newest; or None."""
        from .solution import store

        return store.load(self.folder, self._named(layout), self.key(layout))

    def summary(self, layout: str = "") -> dict:
        """The stored summary of a layout's result: plain values in SI. Raises StithyError when there is none."""
        from .solution import store

        name = self._named(layout)
        found = store.summary(self.folder, name, self.key(layout))
        if found is None:
            raise StithyError(
                f"The layout “{name}” has no result yet. Solve it first: stithy solve PROJECT --layout NAME."
            )
        return found

    def history(self, layout: str = "") -> dict:
        """The stored history of a layout's result: columns by their heads. Raises StithyError when there is none."""
        from .solution import store

        found = store.history(self.folder, self._named(layout), self.key(layout))
        if found is None:
            raise StithyError(
                "This layout has no history that can be read. Solve it: stithy solve PROJECT --layout NAME."
            )
        return found

    def bands(self, layout: str = "") -> Bands:
        """The numbers of a layout's result with their bands: a :class:`stithy.read.band.Bands`. Raises StithyError when
        there is none."""
        from .read.band import Bands

        return Bands(self.summary(layout))

    def current(self, layout: str = "") -> Solution:
        """The stored result of a layout, which belongs to it as it stands. Raises StithyError when there is none, or it
        is out of date."""
        name, found = self._named(layout), self.result(layout)
        if found is None:
            raise StithyError(
                f"The layout “{name}” has no result yet. Solve it first: stithy solve PROJECT --layout NAME."
            )
        if found.summary["key"] != self.key(layout):
            raise StithyError(f"The layout “{name}” was changed after it was solved. Solve it again first.")
        return found

    def read(self, layout: str = "", time: float | None = None) -> Quantities:
        """Any quantity of a stored result: a :class:`stithy.read.quantities.Quantities`; ``time`` (s) picks the nearest
        kept instant.

        Raises StithyError when there is no result, or the layout has been changed since.
        """
        from .read.quantities import Quantities

        found = self.current(layout)
        return Quantities(found if time is None else found.at_instant(time))

    def check(self, layout: str = "") -> list:
        """Every problem of a layout, grid included."""
        from .kinds.assembly import resolve
        from .setup.prepare import prepare

        try:
            prepare(resolve(self.document, self._named(layout)))
        except SetupError as error:
            return error.problems
        return []

    def estimate(self, layout: str = "") -> Estimate:
        """What is foretold of a layout before any solve: a :class:`stithy.estimate.estimate.Estimate`. Raises
        SetupError for a layout with faults, StithyError where none can be made."""
        from .estimate.estimate import estimate
        from .kinds.assembly import resolve

        return estimate(resolve(self.document, self._named(layout)))

    def influence(self, layout: str = "", tell: Callable | None = None) -> Influence:
        """What every heat load does to every part (K/W), with the flow of the stored result held: a
        :class:`stithy.solve.influence.Influence`. Raises StithyError."""
        from .solve.influence import influence

        return influence(self.document, self.folder, self._named(layout), tell)

    def weigh(self) -> str:
        """All layouts against the limits, as a text table, best first."""
        from .weigh.compare import weigh
        from .weigh.table import text_table

        return text_table(weigh(self.document, self.folder))

    def _named(self, layout: str) -> str:
        names = [x.name for x in self.document.layouts]
        if not layout:
            return names[0]
        if layout not in names:
            raise StithyError(f"There is no layout “{layout}”. The layouts are: {'; '.join(names)}.")
        return layout


def open_project(path: str | Path) -> Project:
    """Open a project folder or its project.json. Raises FileProblem."""
    file = files.project_file(path)
    document, notes = files.read_telling(file)
    return Project(document, file.parent, notes)
