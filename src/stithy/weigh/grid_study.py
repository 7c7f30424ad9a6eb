"""A grid study of one layout: the same model on three grids, what its numbers tend to, and how well the estimate from
the coarser grid of every run foretold that."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from ..errors import SetupError, StithyError
from ..kinds.assembly import resolve
from ..mesh.build import fits
from ..mesh.gridding import scaled
from ..model.studies import Sweep
from ..project.document import Document
from .compare import Standing
from .points import Point, standing_of
from .pool import Pool
from .richardson import Extrapolated, extrapolate
from .sweeping import Course, Tell, solve_points

#: times the cells along every stretch, of the finest grid, the layout's own, and the coarsest
GRIDS = (1.5, 1.0, 1.0 / 1.5)


@dataclass(frozen=True)
class Line:
    """One number on three grids, the finest first (SI), in a ``dimension``; what they tend to; the ``told`` value and
    ``band`` that the run on the layout's own grid gave by itself (None: none), and whether that held."""

    name: str
    dimension: str
    values: tuple[float, float, float]
    tends: Extrapolated
    told: float
    band: float | None

    @property
    def held(self) -> bool | None:
        """Whether the extrapolated value lies within the band that was told; None where none was."""
        return None if self.band is None else abs(self.tends.value - self.told) <= self.band


@dataclass(frozen=True)
class GridStudy:
    """``cells`` of the three grids, the finest first, and a line for each number."""

    layout: str
    cells: tuple[int, int, int]
    lines: tuple[Line, ...]


def grids(document: Document, layout: str) -> tuple[Sweep, list[Point]]:
    """The three points of a study, the coarsest first, so that the others start from it. Raises SetupError for a
    faulty layout, StithyError for a run in time or where the finest grid does not fit."""
    model = resolve(document, layout)
    if model.run.time is not None:
        raise StithyError(f"“{layout}” follows time: a grid study is of steady layouts.")
    out = []
    for m, by in enumerate(reversed(GRIDS)):
        made = model if by == 1.0 else scaled(model, by)
        problem = fits(made)
        if problem is not None:
            raise SetupError([problem])
        name = {GRIDS[0]: "finer", GRIDS[1]: "own grid", GRIDS[2]: "coarser"}[by]
        out.append(Point(m + 1, (name,), document, layout, made.key(), "", made, by))
    return Sweep(f"Grid study of {layout}", layout, ()), out


def grid_study(document: Document, layout: str, project: Path) -> GridStudy | None:
    """The study of a layout, where all three grids are solved; else None. Raises as :func:`grids`."""
    study, points = grids(document, layout)
    found = [standing_of(p, study, project) for p in reversed(points)]
    lost = next((s for s in found if s.state == "faulty"), None)
    if lost is not None:
        raise StithyError(f"Grid study of “{layout}”, {lost.layout}: {lost.problems[0].what}")
    if any(s.summary is None for s in found):
        return None
    cells = tuple(int(s.summary["cells"]) for s in found if s.summary is not None)
    a, b, c = cells
    return GridStudy(layout, (a, b, c), tuple(_lines(found, (a, b, c))))


def _lines(found: list[Standing], cells: tuple[int, int, int]) -> list[Line]:
    """A line for every watch that all three grids have."""
    a, b, c = (float(n) ** (-1.0 / 3.0) for n in cells)
    out = []
    for own in found[1].watches:
        numbers = [next((x for x in s.watches if x.watch.name == own.watch.name), None) for s in found]
        values = [x.banded.on_grid for x in numbers if x is not None and x.banded is not None]
        if len(values) < 3 or own.banded is None:
            continue
        told = (values[0], values[1], values[2])
        tends = extrapolate((a, b, c), told)
        out.append(Line(own.watch.name, own.dimension, told, tends, own.banded.value, own.banded.band))
    return out


def run_grid_study(document: Document, layout: str, project: Path, tell: Tell | None = None) -> GridStudy | None:
    """Solve what of the three grids is not solved yet, one after the other; None where it was ended by ``tell``. Raises
    as :func:`grids`."""
    study, points = grids(document, layout)
    course = Course(len(points))
    with Pool(1) as pool:  # each starts from the one before
        course = solve_points(study, points, project, pool, tell)
    return grid_study(document, layout, project) if course.done == course.all else None
