"""One table of all layouts and of all points of studies: what is varied, every number with its band, the verdict; put
in order by a stated rule, narrowed by words, and its front of best compromises."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from ..errors import StithyError, ValueProblem
from ..model.studies import Search, Sweep
from ..project import units
from ..project.document import Document
from ..read import shown
from . import record, searching
from .compare import Standing, standing
from .limits import CLOSE, FAILS, MEETS
from .points import Point, points_of, standing_of, studies

#: numbers of every line beside its watches, with their dimensions
OWN = {"mass": "mass", "fan power": "power", "worst margin": "share"}
#: verdicts in the order of the table, and how they may be asked for
ORDER = {MEETS: 0, CLOSE: 1, FAILS: 2, "": 3}
VERDICTS = {"meets": MEETS, "meets all limits": MEETS, "fails": FAILS, "close": CLOSE, "too close to call": CLOSE}
#: lines named as equal to the first one
EQUALS = 6
USUAL = "all limits met, then the largest margin"


@dataclass(frozen=True)
class Number:
    """A number (SI) with the ``band`` it may be off (None: not known), its ``dimension``, and its bounds."""

    value: float
    band: float | None
    dimension: str
    least: float | None = None
    most: float | None = None

    @property
    def text(self) -> str:
        """In the unit shown, without that."""
        return shown.beside(self.value, self.band, self.dimension)

    @property
    def band_text(self) -> str:
        """Its band in the unit shown; empty where there is none."""
        return "" if self.band is None else shown.band(self.band, self.dimension)

    @property
    def breaks(self) -> bool:
        """Whether it is beyond a bound by more than its band."""
        off = self.band or 0.0
        over = self.most is not None and self.value - self.most > off
        return over or (self.least is not None and self.least - self.value > off)


@dataclass
class Line:
    """A layout or a point: ``of`` is the study, empty for a layout; ``values`` by what is varied."""

    name: str
    of: str
    values: dict[str, str]
    standing: Standing
    point: Point | None = None
    numbers: dict[str, Number] = field(default_factory=dict)
    note: str = ""

    @property
    def label(self) -> str:
        """A layout's name, or a study's with the point's number."""
        return f"{self.of} {self.point.number}" if self.of and self.point is not None else self.of or self.name

    @property
    def verdict(self) -> str:
        """As of :attr:`Standing.verdict`."""
        return self.standing.verdict

    @property
    def margin(self) -> float:
        """Of the worst limit, as the part of its way from the reference that is left; -inf where nothing is known."""
        worst = self.standing.worst
        return 1.0 - worst.share if worst is not None else -np.inf


@dataclass
class Overview:
    """All lines, the ``columns`` of what is varied, and the ``numbers`` by name with their dimensions."""

    lines: list[Line]
    columns: tuple[str, ...]
    numbers: dict[str, str]

    def ordered(self, by: str = "", most: bool = False) -> list[Line]:
        """Lines in order: as of :data:`USUAL`, or with all limits met, then least (or ``most``) of a number or of what
        is varied."""

        def key(line: Line) -> tuple:
            if not by:
                return ORDER[line.verdict], -line.margin
            value = self.value(line, by)
            return ORDER[line.verdict], np.inf if np.isnan(value) else -value if most else value

        return sorted(self.lines, key=key)

    def equal_first(self, lines: Sequence[Line]) -> str:
        """A sentence on those of some lines in order that cannot be told from the first of them by their bands; empty
        where there are none."""
        same = [n for n in lines[1:] if lines[0].standing.equals(n.standing)] if lines else []
        if not same:
            return ""
        told = "; ".join(n.label for n in same[:EQUALS]) + (f" and {len(same) - EQUALS} more" if same[EQUALS:] else "")
        return f"Equal to {lines[0].label} within their bands: {told}."

    def value(self, line: Line, name: str) -> float:
        """A number of a line (SI), or what a variable says there; nan where it is none."""
        if name in line.numbers:
            return line.numbers[name].value
        return _si(line.values.get(name, ""))

    def front(
        self, x: str, y: str, x_most: bool = False, y_most: bool = False, of: Sequence[Line] | None = None
    ) -> list[Line]:
        """Lines (``of`` these, or of all) that no other beats in both of two numbers, from the least of the first
        on."""
        known = [
            n for n in (self.lines if of is None else of) if np.isfinite([self.value(n, x), self.value(n, y)]).all()
        ]
        at = np.array([[self.value(n, x), self.value(n, y)] for n in known]).reshape(-1, 2)
        chosen = front(at * [-1.0 if x_most else 1.0, -1.0 if y_most else 1.0])
        return sorted((known[m] for m in chosen), key=lambda n: self.value(n, x))

    def narrowed(self, words: str) -> list[Line]:
        """Lines for which all of some words hold: "meets, drop < 20 Pa, plate = pins". Raises StithyError for those
        that say nothing."""
        tests = [self._test(w.strip()) for w in re.split(r"[,;]", words) if w.strip()]
        return [n for n in self.lines if all(t(n) for t in tests)]

    def _test(self, word: str) -> Callable[[Line], bool]:
        if word in VERDICTS:
            return lambda n: n.verdict == VERDICTS[word]
        found = re.fullmatch(r"(.+?)\s*(<=|>=|<|>|=)\s*(.+)", word)
        if found is None:
            return lambda n: word.lower() in f"{n.name} {n.of} {n.note} {' '.join(n.values.values())}".lower()
        name, sign, text = found.groups()
        column = self.column(name)
        if sign == "=" and column in self.columns:
            return lambda n: n.values.get(column, "").lower() == text.lower()
        bound = self._bound(column, text)
        return lambda n: _holds(self.value(n, column), sign, bound)

    def column(self, name: str, among: Sequence[str] = ()) -> str:
        """The column (of all, or ``among`` some) whose name begins so, or holds it. Raises StithyError."""
        every = tuple(among) or (*self.columns, *self.numbers)
        for fits in (
            [c for c in every if c.lower() == name.lower()],
            [c for c in every if c.lower().startswith(name.lower())],
            [c for c in every if name.lower() in c.lower()],
        ):
            if len(fits) == 1:
                return fits[0]
        raise StithyError(f"“{units.short(name)}” is no column, or several. There are {', '.join(every)[:200]}.")

    def _bound(self, column: str, text: str) -> float:
        dimension = self.numbers.get(column, "")
        try:
            if dimension in units.DIMENSIONS and dimension != "ratio":
                return units.to_si(
                    text if re.search(r"[^\d.eE+-]", text) else f"{text} {shown.unit(dimension)}", dimension
                )
            return float(units.quantity(text, "", {}).to_base_units().magnitude)
        except (ValueProblem, ValueError) as error:
            told = f"{error.what} {error.remedy}" if isinstance(error, ValueProblem) else str(error)
            raise StithyError(f"{column}: {told}") from error


def _holds(value: float, sign: str, bound: float) -> bool:
    """Whether a value stands so to a bound; what differs by the rounding of units is equal."""
    if np.isclose(value, bound, rtol=1e-9, atol=0.0):
        return "=" in sign
    return value < bound if sign[0] == "<" else value > bound if sign[0] == ">" else False


def front(at: np.ndarray) -> list[int]:
    """Rows of (n, 2) numbers, the less the better, that no other row beats or equals in both."""
    order = np.lexsort((at[:, 1], at[:, 0]))
    out: list[int] = []
    for m in order:
        if not out or at[m, 1] < at[out[-1], 1]:
            out.append(int(m))
    return out


def _si(text: str) -> float:
    try:
        return float(units.quantity(text, "", {}).to_base_units().magnitude)
    except (ValueProblem, ValueError, AttributeError):
        return float("nan")


def numbers_of(s: Standing) -> dict[str, Number]:
    """Every number of a standing by name."""
    out: dict[str, Number] = {}
    valid = {m.bound.name for m in s.margins if m.value is None}
    for x in s.watches:
        if x.banded is not None and x.watch.name not in valid:
            out[x.watch.name] = Number(x.banded.value, x.banded.band, x.dimension, x.watch.least, x.watch.most)
    if s.mass is not None:
        out["mass"] = Number(s.mass, None, "mass")
    if s.summary is not None and s.summary["fans"]:
        out["fan power"] = Number(s.fan_power, None, "power")
    if s.worst is not None:
        out["worst margin"] = Number(1.0 - s.worst.share, None, "share")
    return out


def overview(document: Document, project: Path | None, layouts: Sequence[Standing] | None = None) -> Overview:
    """All layouts (how they stand, where that is known already), and all points of all studies that are solved."""
    stand = list(layouts) if layouts is not None else [standing(document, project, x.name) for x in document.layouts]
    plans = {x.name: x for x in document.layouts}
    stand = [s for s in stand if not plans[s.layout].archived]
    lines = [Line(s.layout, "", {}, s, None, numbers_of(s), plans[s.layout].note) for s in stand]
    columns: list[str] = []
    for study in studies(document):
        columns += [v.title for v in study.variables if v.title not in columns]
        for point in points_of_study(document, study, project):
            s = standing_of(point, study, project)
            if s.state == "missing":
                continue
            values = {v.title: t for v, t in zip(study.variables, point.values, strict=True)}
            lines.append(Line(s.layout, study.name, values, s, point, numbers_of(s)))
    numbers = {name: x.dimension for n in reversed(lines) for name, x in n.numbers.items()}
    first = [x.watch.name for s in reversed(stand) for x in s.watches]
    order = [n for n in dict.fromkeys((*first, *numbers)) if n in numbers]
    own = [n for n in OWN if n in numbers]
    return Overview(lines, tuple(columns), {n: numbers[n] for n in (*(x for x in order if x not in OWN), *own)})


def points_of_study(document: Document, study: Sweep | Search, project: Path | None) -> list[Point]:
    """All points of a sweep, or those that a search has proposed so far."""
    if isinstance(study, Sweep):
        return points_of(document, study, project)
    return searching.proposed(document, study, project, record.Keys(project))
