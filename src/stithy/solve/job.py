"""A whole run of one layout: prepare, solve, store. The same for Python, command line, and worker process."""
from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from ..physics.setup import Prepared, prepare
from ..project.document import Document
from ..read import measure, store
from ..shapes.assembly import resolve
from .steady import Fields, Progress, Settings, Steady


def start_fields(p: Prepared, old: store.Result | None) -> Fields | None:
    """Fields to continue from: the stored ones, if they are on the same grid with the same solids."""
    if old is None or old.grid.shape != p.case.grid.shape or not np.array_equal(old.kind, p.case.kind):
        return None
    if any(not np.allclose(a, b, atol=1e-9) for a, b in zip(old.grid.lines, p.case.grid.lines, strict=True)):
        return None
    return Fields(old.temperature, old.pressure, old.u, old.v, old.w)


class Job:
    """One run of one layout of a document kept in folder ``project`` (None: nothing is stored).

    ``fresh`` starts from rest even when a field to continue from is there. Raises SetupError for a faulty layout.
    """

    def __init__(self, document: Document, layout: str, project: Path | None = None, fresh: bool = False):
        self.document, self.layout, self.project = document, layout, Path(project) if project else None
        self.model = resolve(document, layout)
        self.prepared = prepare(self.model)
        self.start = None
        if not fresh and project is not None:
            for name in (self._spare, layout):
                self.start = self.start or start_fields(self.prepared, store.load(self.project, name))
        settings = Settings(most=self.model.iterations, momentum=self.model.residual, watch=self.model.drift)
        self.watch_names = [n for n in self.prepared.parts if self._role(n) != "enclosure"]
        watched = [self.prepared.parts.index(n) for n in self.watch_names]
        self.run_ = Steady(self.prepared.case, settings, watched, self.start)

    @property
    def _spare(self) -> str:
        """The name under which checkpoints of this layout are stored."""
        return f"{self.layout} (checkpoint)"

    def checkpoint(self, last: Progress) -> None:
        """Store the present fields beside the result, to continue from after a crash."""
        if self.project is not None:
            store.save(self.project, self._spare, self.result(last))

    def _role(self, name: str) -> str:
        return next((s.role for s in self.model.solids if s.name == name), "enclosure")

    def run(self, tell: Callable[[Progress], bool | None] | None = None) -> store.Result:
        """Solve, store, and return the result; ``tell`` is called every iteration and stops the run by False."""
        last = self.run_.run(tell)
        return self.keep(last)

    def result(self, last: Progress) -> store.Result:
        """The present solution as a result."""
        f, p = self.run_.fields(), self.prepared
        return store.Result(p.case.grid, f.temperature, f.pressure, f.u, f.v, f.w, p.case.kind, p.case.part, p.parts,
                            measure.summary(p, self.run_, last))

    def keep(self, last: Progress) -> store.Result:
        """Store the present solution, if there is a project folder."""
        result = self.result(last)
        if self.project is not None:
            store.save(self.project, self.layout, result, self.history())
            store.remove(self.project, self._spare)
        return result

    def history(self) -> list[str]:
        """The run's history as CSV lines."""
        names = [f'"{n}"' for n in self.watch_names]
        rows = [",".join(["iteration", "seconds", "momentum", "mass", "heat", *names])]
        for h in self.run_.history:
            rows.append(",".join([str(h.iteration), *(f"{x:.6g}" for x in
                                                      (h.seconds, h.momentum, h.mass, h.heat, *h.watches))]))
        return rows
