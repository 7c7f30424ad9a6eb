"""What a project is asked of Weigh from Python; a part of :class:`stithy.api.Project`."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ..errors import StithyError
from ..project.document import Document

if TYPE_CHECKING:  # heavy, and only names here
    from ..model.studies import Search, Sweep
    from .grid_study import GridStudy
    from .helping import Help
    from .overview import Overview
    from .points import Point
    from .searching import Found
    from .sweeping import Course


class Asked:
    """Studies, tables and reports of a project."""

    document: Document
    folder: Path
    _named: Callable[[str], str]

    def points(self, study: str = "") -> tuple[Sweep | Search, list[Point]]:
        """A study (the first when not named) and its points: all of a sweep, of a search those proposed so far. Points
        that cannot be solved say why (``problem``). Raises StithyError."""
        from .overview import points_of_study
        from .points import study as named

        found = named(self.document, study)
        return found, points_of_study(self.document, found, self.folder)

    def sweep(
        self,
        study: str = "",
        tell: Callable[[Course], bool | None] | None = None,
        at_once: int = 0,
        cluster: str = "",
        skip: bool = False,
    ) -> Course:
        """Solve the points of a sweep that are not solved yet, ``at_once`` of them (0: as many as this machine holds),
        or on the workers of a Dask ``cluster`` at an address. Raises StithyError, before anything is solved, where
        points cannot be built, unless ``skip``."""
        from ..mesh.build import predict
        from ..model.studies import Sweep
        from . import pool as pools
        from .sweeping import solve_points

        found, points = self.points(study)
        if not isinstance(found, Sweep):
            raise StithyError(f"“{found.name}” is a search. Press Search, or: stithy search PROJECT.")
        bad = [p for p in points if p.problem]
        if bad and not skip:
            raise StithyError(refusal(found, bad, len(points)))
        needs = max((predict(p.model)[2] for p in points if p.model is not None), default=0.0)
        with pools.Pool(at_once or pools.at_once(needs), cluster) as pool:
            return solve_points(found, points, self.folder, pool, tell)

    def search(
        self, study: str = "", tell: Callable[[Found], bool | None] | None = None, at_once: int = 0, cluster: str = ""
    ) -> Found:
        """Run a search, or go on with it. Raises StithyError."""
        from ..kinds.assembly import resolve
        from ..mesh.build import predict
        from ..model.studies import Search
        from . import pool as pools
        from .points import study as named
        from .searching import run_search

        found = named(self.document, study)
        if not isinstance(found, Search):
            raise StithyError(f"“{found.name}” is a sweep. Press Sweep, or: stithy sweep PROJECT.")
        needs = predict(resolve(self.document, found.of))[2]
        with pools.Pool(at_once or pools.at_once(needs), cluster) as pool:
            return run_search(self.document, found, self.folder, pool, tell)

    def grid_study(
        self, layout: str = "", tell: Callable[[Course], bool | None] | None = None, solve: bool = True
    ) -> GridStudy | None:
        """A layout on three grids, solved where it is not yet (unless not ``solve``). Raises StithyError."""
        from .grid_study import grid_study, run_grid_study

        name = self._named(layout)
        if not solve:
            return grid_study(self.document, name, self.folder)
        return run_grid_study(self.document, name, self.folder, tell)

    def helps(self, layout: str = "", tell: Callable[[int, int], bool | None] | None = None) -> list[Help]:
        """What small changes of a solved layout would do to its limits, the most help first. Raises StithyError."""
        from .helping import helps

        return helps(self.document, self.folder, self._named(layout), tell)

    def overview(self) -> Overview:
        """All layouts and solved points in one table."""
        from .overview import overview

        return overview(self.document, self.folder)

    def take_point(self, study: str, number: int, name: str = "") -> str:
        """Make a point of a study a layout (save the document then): its name. It is solved from the point's fields.
        Raises StithyError."""
        from .taking import taken

        found, points = self.points(study)
        point = next((p for p in points if p.number == number), None)
        if point is None:
            raise StithyError(f"“{found.name}” has no point {number}. It has 1 to {len(points)}.")
        name, edit = taken(self.document, found, point, name)
        self.document = edit.apply(self.document)
        return name

    def report(
        self,
        path: Path | str,
        picture: Callable[[str], bytes] | None = None,
        tell: Callable[[str], bool | None] | None = None,
    ) -> Path:
        """Write a report: .html, .pdf or .xlsx. ``picture`` draws a layout. Raises StithyError."""
        from .report import report

        return report(self.document, self.folder, Path(path), picture, tell)


def refusal(study: Sweep | Search, bad: Sequence[Point], of: int) -> str:
    """What is said of points that cannot be built."""
    lines = [f"  {p.number}: {p.name(study)}: {p.problem}" for p in bad[:8]]
    more = [f"  and {len(bad) - 8} more"] if len(bad) > 8 else []
    head = f"{study.name}: {len(bad)} of {of} points cannot be built:"
    return "\n".join([head, *lines, *more, "Change what is varied, or leave them out: stithy sweep --skip."])
