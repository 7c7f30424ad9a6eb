"""The engine from Python: open a project, solve a layout, weigh them all."""
from __future__ import annotations

from pathlib import Path

from .errors import SetupError, StithyError
from .project import files
from .project.document import Document


class Project:
    """A project folder and its document. ``document`` may be replaced by an edited one before solving."""

    def __init__(self, document: Document, folder: Path):
        self.document, self.folder = document, folder

    def solve(self, layout: str = "", fresh: bool = False, tell=None):
        """Solve a layout (the first when not named) and store its :class:`stithy.read.store.Result`.

        Raises SetupError with every problem of a faulty layout, StithyError when there is no such layout.
        """
        from .solve.job import Job

        return Job(self.document, self._named(layout), self.folder, fresh).run(tell)

    def result(self, layout: str = ""):
        """The stored result of a layout, or None."""
        from .read import store

        return store.load(self.folder, self._named(layout))

    def summary(self, layout: str = "") -> dict:
        """The stored summary of a layout's result: plain values in SI. Raises StithyError when there is none."""
        from .read import store

        name = self._named(layout)
        found = store.summary(self.folder, name)
        if found is None:
            raise StithyError(f"The layout “{name}” has no result yet. Solve it first: stithy solve PROJECT --layout NAME.")
        return found

    def bands(self, layout: str = ""):
        """The numbers of a layout's result with their bands: a :class:`stithy.read.band.Bands`. Raises StithyError when there is none."""
        from .read.band import Bands

        return Bands(self.summary(layout))

    def current(self, layout: str = ""):
        """The stored result of a layout, which belongs to it as it stands. Raises StithyError when there is none, or it is out of date."""
        from .shapes.assembly import resolve

        name, found = self._named(layout), self.result(layout)
        if found is None:
            raise StithyError(f"The layout “{name}” has no result yet. Solve it first: stithy solve PROJECT --layout NAME.")
        if found.summary["key"] != resolve(self.document, name).key():
            raise StithyError(f"The layout “{name}” was changed after it was solved. Solve it again first.")
        return found

    def read(self, layout: str = "", time: float | None = None):
        """Any quantity of a stored result: a :class:`stithy.read.quantities.Quantities`; ``time`` (s) picks the nearest kept instant.

        Raises StithyError when there is no result, or the layout has been changed since.
        """
        from .read.quantities import Quantities
        from .solve.job import Job

        name = self._named(layout)
        job = Job(self.document, name, self.folder)
        stored = self.result(name)
        if stored is None:
            raise StithyError(f"The layout “{name}” has no result yet. Solve it first: stithy solve PROJECT --layout NAME.")
        if stored.summary["key"] != job.model.key() or not job.revive(stored, time):
            raise StithyError(f"The layout “{name}” was changed after it was solved. Solve it again, then read.")
        return Quantities(job.prepared, job.run_)

    def check(self, layout: str = "") -> list:
        """Every problem of a layout, grid included."""
        from .physics.setup import prepare
        from .shapes.assembly import resolve

        try:
            prepare(resolve(self.document, self._named(layout)))
        except SetupError as error:
            return error.problems
        return []

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
    return Project(files.read(file), file.parent)
