"""The points of a study: which values, which document each is, and how it stands once it is solved."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from scipy.stats import qmc

from ..errors import Problem, SetupError, StithyError
from ..kinds import drawing
from ..kinds.assembly import cell_faults, resolve
from ..mesh.build import fits, predict
from ..model import Model
from ..model.studies import EVERY, HYPERCUBE, IN_STEP, Search, Sweep, Varied
from ..project import edits
from ..project.document import Document
from ..project.kind import KINDS
from . import record
from .compare import Standing
from .limits import margins
from .watched import from_kept

#: points of one study at most
MOST = 10_000


@dataclass
class Point:
    """One point: its number in the study, what its variables say, the document it is made from (``base``), and which
    layout it is in its own :attr:`document`. ``key`` is that of its model, "" where ``problem`` says why there is
    none."""

    number: int
    values: tuple[str, ...]
    base: Document
    layout: str
    key: str = ""
    problem: str = ""
    model: Model | None = field(default=None, repr=False)
    #: times the cells along every stretch of the grid
    finer: float = 1.0
    #: None: it is as its base says
    study: Sweep | Search | None = None

    @cached_property
    def document(self) -> Document:
        """The document with what its variables say."""
        return self.base if self.study is None else written(self.base, self.study, self.values)[0]

    def name(self, study: Sweep | Search) -> str:
        """What it is called in tables: "speed 85 %, fins 9"."""
        if len(study.variables) != len(self.values):
            return ", ".join(self.values)
        pairs = zip(study.variables, self.values, strict=True)
        return ", ".join(x if v.key == "layout" else f"{v.title.rpartition(', ')[2]} {x}" for v, x in pairs)


def studies(document: Document) -> list[Sweep | Search]:
    """All studies that a document says and that can be read."""
    rows = [r.name for r in document.rows if r.kind in ("sweep", "search")]
    if not rows:
        return []
    every = [x for layout in document.layouts for x in drawing.drawn(document, layout.name)[0]]
    found = {x.name: x for x in every if isinstance(x, Sweep | Search)}
    return [found[n] for n in rows if n in found]


def study(document: Document, name: str) -> Sweep | Search:
    """A study by its name, the first where none is named. Raises StithyError, with what keeps it from being read."""
    rows = [r for r in document.rows if r.kind in ("sweep", "search")]
    if not rows:
        raise StithyError("The project has no study. Add a sweep or a search in Weigh, or a row of that kind.")
    wanted = next((r for r in rows if r.name == name), rows[0] if not name else None)
    if wanted is None:
        raise StithyError(f"There is no study “{name}”. There are {'; '.join(r.name for r in rows)}.")
    found = next((x for x in studies(document) if x.name == wanted.name), None)
    if found is None:
        of = wanted.text("of") if any(x.name == wanted.text("of") for x in document.layouts) else ""
        faults = cell_faults(document, of or document.layouts[0].name)
        raise StithyError(str(next(p for (row, _), p in faults.items() if row == wanted.name)))
    return found


def values_of(sweep: Sweep) -> list[tuple[str, ...]]:
    """What the variables say in every point. Raises StithyError where there would be too many."""
    every = [x.values for x in sweep.variables]
    if sweep.plan == EVERY:
        count = int(np.prod([len(v) for v in every]))
        if count > MOST:
            raise StithyError(
                f"{sweep.name}: {count} points are more than {MOST}. Name fewer values, or spread points."
            )
        return list(itertools.product(*every))
    if sweep.plan == IN_STEP:
        return list(zip(*every, strict=True))
    d = len(sweep.variables)
    if sweep.plan == HYPERCUBE:
        shares = qmc.LatinHypercube(d, rng=np.random.default_rng(1)).random(sweep.count)
    else:
        power = int(np.ceil(np.log2(sweep.count)))
        shares = qmc.Sobol(d, rng=np.random.default_rng(1)).random_base2(power)[: sweep.count]
    return list(dict.fromkeys(tuple(v.text(x) for v, x in zip(sweep.variables, row, strict=True)) for row in shares))


def layout_of(study: Sweep | Search, values: Sequence[str]) -> str:
    """The layout that a point is of."""
    pairs = zip(study.variables, values, strict=True)
    return next((text for v, text in pairs if v.key == "layout"), study.of)


def written(document: Document, study: Sweep | Search, values: Sequence[str]) -> tuple[Document, str]:
    """The document with what a point's variables say, and its layout. Raises StithyError."""
    layout = layout_of(study, values)
    changes = [
        edits.set_cell(layout, v.row, v.key, text, True)
        for v, text in zip(study.variables, values, strict=True)
        if v.key != "layout"
    ]
    return edits.many("point", changes).apply(document), layout


def point_of(
    document: Document, study: Sweep | Search, number: int, values: Sequence[str], keys: record.Keys | None = None
) -> Point:
    """One point, with its key or what keeps it from being solved."""
    point = Point(number, tuple(values), document, layout_of(study, values), study=study)
    said = repr([(v.row, v.key, text) for v, text in zip(study.variables, values, strict=True)])
    name = keys.of(document, point.layout, said) if keys is not None else ""
    if keys is not None and name in keys.known:
        point.key = keys.known[name]
        return point
    try:
        point.model = resolve(point.document, point.layout)
        found: Problem | None = fits(point.model)
        if found is not None:
            raise SetupError([found])
        predict(point.model)
        point.key = point.model.key()
        if keys is not None:
            keys.put(name, point.key)
    except SetupError as error:
        point.problem = str(error.problems[0])
    except StithyError as error:
        point.problem = str(error)
    return point


def points_of(document: Document, study: Sweep, project: Path | None = None) -> list[Point]:
    """All points of a sweep. Raises StithyError where there would be too many."""
    keys = record.Keys(project)
    out = [point_of(document, study, m + 1, values, keys) for m, values in enumerate(values_of(study))]
    keys.save()
    return out


def standing_of(point: Point, study: Sweep | Search, project: Path | None) -> Standing:
    """How a point stands, from what is kept of it."""
    name = point.name(study)
    if point.problem:
        problem = Problem(study.name, "", point.problem, "", "weigh")
        return Standing(name, "faulty", (), point.model, None, (problem,))
    found = record.kept(project, point.key) if project is not None else None
    if found is None:
        return Standing(name, "missing", (), point.model, None)
    if found.fault:
        return Standing(name, "faulty", (), point.model, None, (Problem(study.name, "", found.fault, "", "weigh"),))
    model = point.model
    if model is None and any(r.kind == "piece" for r in point.base.rows_of(point.layout)):
        model = resolve(point.document, point.layout)
    times = model.piece.times if model is not None and model.piece is not None else 1.0
    watches = tuple(from_kept(_rows(point), found.summary, found.watches, times))
    bounds = tuple(margins(found.summary, watches, found.summary["ambient"]))
    return Standing(name, "current", bounds, model, found.summary, (), watches, found.mass)


#: drawn rows of the layouts looked at last
_KEPT: list[tuple[Document, str, list]] = []


def _rows(point: Point) -> list:
    """The drawn rows of a point: those of its base where nothing that is varied can change them."""
    by_name = {r.name: r for r in point.base.rows_of(point.layout)}
    varied = [by_name[v.row] for v in point.study.variables if v.row in by_name] if point.study is not None else []
    if any(r.kind == "parameter" or KINDS[r.kind].draws for r in varied):
        return drawing.drawn(point.document, point.layout)[0]
    for document, layout, rows in _KEPT:
        if document is point.base and layout == point.layout:
            return rows
    rows = drawing.drawn(point.base, point.layout)[0]
    _KEPT.insert(0, (point.base, point.layout, rows))
    del _KEPT[8:]
    return rows


def apart(a: Sequence[str], b: Sequence[str], variables: Sequence[Varied]) -> float:
    """How far two points are from each other: shares of the ways of their variables, 1 for other words."""
    total = 0.0
    for v, x, y in zip(variables, a, b, strict=False):  # grids of one layout vary nothing
        if x == y:
            continue
        spread = _numbers(v.values) if v.values else None
        try:
            total += abs(v.share(x) - v.share(y)) if spread or not v.values else 1.0
        except ValueError:
            total += 1.0
    return total


def _numbers(values: tuple[str, ...]) -> bool:
    """Whether all values are numbers with units."""
    try:
        return all(np.isfinite(float(v.split()[0])) for v in values)
    except (ValueError, IndexError):
        return False


def unsolved(points: Sequence[Point], project: Path) -> Iterator[Point]:
    """Points that can be solved and are not, each model once."""
    seen: set[str] = set()
    for p in points:
        if p.key and p.key not in seen and record.kept(project, p.key) is None:
            seen.add(p.key)
            yield p
