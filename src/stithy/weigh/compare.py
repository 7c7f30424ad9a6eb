"""All layouts against the limits, in one table."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ..errors import Problem, SetupError
from ..kinds.assembly import resolve
from ..kinds.sense import doubts
from ..mesh.build import fits, predict
from ..model import Model
from ..model.mass import mass
from ..project.document import Document
from ..project.kind import KINDS
from ..read.band import Bands
from ..read.watches import Watched
from ..solution import store
from .limits import CLOSE, FAILS, MEETS, Margin, margins
from .watched import watched_of


@dataclass(frozen=True)
class Standing:
    """One layout in the comparison. ``state`` is "current", "out of date", "missing" or "faulty"; ``watches``:
    what the layout's watches came to."""

    layout: str
    state: str
    margins: tuple[Margin, ...]
    model: Model | None
    summary: dict | None
    problems: tuple = ()
    watches: tuple[Watched, ...] = ()
    #: kg, where it is known without the model
    kept_mass: float | None = None

    @property
    def mass(self) -> float | None:
        """Mass of all solids (kg)."""
        return self.kept_mass if self.kept_mass is not None else mass(self.model) if self.model else None

    @property
    def times(self) -> float:
        """How many pieces as the one that is solved the whole has."""
        return self.model.piece.times if self.model is not None and self.model.piece is not None else 1.0

    @cached_property
    def doubts(self) -> tuple[Problem, ...]:
        """What of its model is probably a wrong unit or a slip."""
        return tuple(doubts(self.model)) if self.model is not None else ()

    @cached_property
    def size(self) -> tuple[tuple[int, int, int], int, float]:
        """Cells along the axes, cells in all, and bytes to solve; the model must be there."""
        assert self.model is not None
        return predict(self.model)

    @property
    def says(self) -> str:
        """``state``, and beside a current result that has no steady state, by how much its temperatures wander."""
        if self.state != "current" or self.summary is None or self.summary["settled"]:
            return self.state
        if not Bands(self.summary).valid:
            return "heat balance open"
        band = max(self.summary.get("band", {}).values(), default=0.0)
        return f"mean, ±{band:.1f} K" if band else "not settled"

    @property
    def worst(self) -> Margin | None:
        """The limit that is nearest to being broken, or most broken."""
        known = [m for m in self.margins if m.value is not None]
        return known[0] if known else None

    @property
    def verdict(self) -> str:
        """ "meets" all limits, "fails" one at least, "too close to call"; empty while some value is missing."""
        if not self.margins or any(m.value is None for m in self.margins):
            return ""
        found = {m.verdict for m in self.margins}
        return FAILS if FAILS in found else CLOSE if CLOSE in found else MEETS

    @property
    def passes(self) -> bool | None:
        """Whether every limit is met for sure; None when some value is missing or too close to call."""
        return {MEETS: True, FAILS: False}.get(self.verdict)

    def equals(self, other: Standing) -> bool:
        """Whether the bands of both layouts' worst margins overlap, so that neither can be called the better one."""
        a, b = self.worst, other.worst
        if a is None or b is None or self.verdict == FAILS != other.verdict or other.verdict == FAILS != self.verdict:
            return False
        return abs(a.share - b.share) < a.reach + b.reach

    @property
    def fan_power(self) -> float:
        """Air power (W) of all fans."""
        return self.times * sum(f["air_power"] for f in (self.summary or {}).get("fans", {}).values())

    @property
    def fan_draw(self) -> float:
        """Electrical draw (W) of all fans."""
        return sum(f["draw"] for f in (self.summary or {}).get("fans", {}).values())

    @property
    def through_flow(self) -> float:
        """Volume flow (m3/s) that enters through the openings."""
        return self.times * sum(e["inflow"] for e in (self.summary or {}).get("ends", {}).values())

    @property
    def pressure_drop(self) -> float | None:
        """The first limited pressure drop, else the largest fan rise (Pa)."""
        for m in self.margins:
            if m.bound.quantity == "pressure drop" and m.value is not None:
                return m.value
        rises = [f["rise"] for f in (self.summary or {}).get("fans", {}).values()]
        return max(rises) if rises else None


def standing(document: Document, project: Path | None, layout: str) -> Standing:
    """How one layout stands, from its stored summary."""
    try:
        model = resolve(document, layout)
    except SetupError as error:
        info = store.summary(project, layout) if project else None
        return Standing(layout, "faulty", (), error.model, info, tuple(error.problems))
    key = model.key()
    info = store.summary(project, layout, key) if project else None
    too_large = fits(model)
    if too_large is not None:
        return Standing(layout, "faulty", (), model, info, (too_large,))
    if info is None:
        state = "missing"
    else:
        state = "current" if info["key"] == key else "out of date"
    times = model.piece.times if model.piece is not None else 1.0
    watches = tuple(watched_of(document, project, layout, info, times))
    return Standing(layout, state, tuple(margins(info, watches, model.ambient)), model, info, (), watches)


def changed_since(document: Document, project: Path | None, s: Standing) -> list[str]:
    """What of a layout says something else than when its result, which is out of date, was solved; nothing where that
    is not known, or makes no other model."""
    if project is None or s.state != "out of date" or s.summary is None:
        return []
    before = store.rows(project, s.summary["key"])
    now = {r.name: r for r in document.rows_of(s.layout) if KINDS[r.kind].read or r.kind in ("parameter", "material")}
    if not before:
        return []
    out = [f"{n} is new" for n in now if n not in before]
    for name, cells in before.items():
        if name not in now:
            known = {r.name for r in document.rows_of(s.layout)}
            out += [f"{name} is gone"] if name not in known else []
            continue
        for key, cell in KINDS[now[name].kind].cells.items():
            old, new = cells.get(key, ""), now[name].text(key)
            if old != new:
                out.append(f"{name}, {cell.title}: {old or 'empty'} was, {new or 'empty'} is")
    return out


def weigh(document: Document, project: Path | None) -> list[Standing]:
    """All layouts, the one with the best worst margin (as a share of its span) first, those without result last."""
    return ranked([standing(document, project, x.name) for x in document.layouts if not x.archived])


def ranked(standings: list[Standing]) -> list[Standing]:
    """Standings with the best worst margin first."""
    return sorted(standings, key=lambda s: s.worst.share if s.worst else 9e9)
