"""Watches: one number each of a solution, with its band from the coarser grid."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from ..errors import StithyError, ValueProblem
from ..model.drawn import Line, Section, Watch
from ..model.quantities import CELLS, WATCHED
from ..project import units
from ..project.expressions import evaluate
from ..solution.solution import Solution
from . import streams
from .along import along
from .band import Banded, Bands
from .hand import Hand, by_hand
from .planes import Cut, cut_through, of_end
from .selection import cells_of, extreme, spaces_of
from .values import Values


@dataclass(frozen=True)
class Watched:
    """What a watch came to: ``banded`` (SI), its ``dimension``, where (m) it is, or why it could not be had; what a
    hand calculation says of it."""

    watch: Watch
    banded: Banded | None
    dimension: str
    place: tuple[float, float, float] | None = None
    fault: str = ""
    hand: Hand | None = None

    @property
    def value(self) -> float | None:
        """The best value (SI)."""
        return self.banded.value if self.banded else None


#: how far numbers of a bath may be off, as parts of them (docs/physics.md says why)
OF_BATH = {"vapour volume": 0.3, "level": 0.3, "share of critical flux": 0.2}
#: dimensions of what a piece has its part of
EXTENSIVE = ("power", "mass flow", "volume flow", "force", "mass", "volume", "area")


def of_whole(found: Watched, times: float) -> Watched:
    """A watch of a piece, told for the whole that has so many of it: what is in proportion to its size is."""
    if times == 1.0 or found.dimension not in EXTENSIVE:
        return found
    banded, hand = found.banded, found.hand
    if banded is not None:
        band = None if banded.band is None else banded.band * times
        banded = Banded(banded.value * times, band, banded.on_grid * times)
    if hand is not None and hand.value is not None:
        hand = replace(hand, value=hand.value * times, low=hand.low * times, high=hand.high * times)
    return replace(found, banded=banded, hand=hand)


@dataclass
class _Asked:
    """What watches are worked out from: values of one solution, rows they may name."""

    solution: Solution
    sections: tuple[Section, ...]
    lines: tuple[Line, ...]
    kept: dict[Any, Values] = field(default_factory=dict)

    def values(self, w: Watch) -> Values:
        """Values by the references of a watch."""
        if w.references not in self.kept:
            self.kept[w.references] = Values(self.solution, w.references)
        return self.kept[w.references]


def watched(s: Solution, rows: Sequence[Any], hands: bool = True) -> list[Watched]:
    """All watches among drawn rows, those that are formulas of others after these, in the order of the rows; with
    ``hands`` what a hand calculation says beside."""
    watches = [x for x in rows if isinstance(x, Watch)]
    sections = tuple(x for x in rows if isinstance(x, Section))
    lines = tuple(x for x in rows if isinstance(x, Line))
    fine = _Asked(s, sections, lines)
    coarse = _Asked(s.coarse, sections, lines) if s.coarse is not None else None
    found: dict[str, Watched] = {}
    for w in (x for x in watches if x.dimension != "="):
        found[w.name] = _one(w, fine, coarse)
    left = [x for x in watches if x.dimension == "="]
    for _ in range(len(left)):
        for w in (x for x in left if x.name not in found):
            if all(n in found for n in _names_in(w.quantity, [x.name for x in watches])):
                found[w.name] = _formula(w, found)
    for w in left:
        if w.name not in found:
            found[w.name] = Watched(w, None, "ratio", None, f"{w.name}: it is a formula of itself. Change one of them.")
    if not hands or s.moment is not None:
        return [found[w.name] for w in watches]
    by = {
        w.name: by_hand(w, fine.values(w)) for w in watches if w.dimension != "=" and found[w.name].banded is not None
    }
    return [replace(found[w.name], hand=by.get(w.name)) for w in watches]


def in_time(s: Solution, rows: Sequence[Any]) -> Iterator[tuple[float, dict[str, Watched]]]:
    """Every kept instant (s) of a run in time, with its watches by name, one after the other: it may take a while."""
    for instant in s.instants:
        yield instant.time, {x.watch.name: x for x in watched(s.at_instant(instant.time), rows, hands=False)}


def _one(w: Watch, fine: _Asked, coarse: _Asked | None) -> Watched:
    s = fine.solution
    bands = Bands(s.summary)
    try:
        dry = from_summary(w, s.summary) if s.told else None
        if dry is not None and dry.fault:
            return dry
        value, place = evaluate_on(w, fine)
        if not np.isfinite(value):
            return Watched(w, None, w.dimension, None, f"{w.name}: there is no value there.")
        own = _known(w, s, bands)
        if own is not None:
            return Watched(w, own, w.dimension, place)
        other = None
        if coarse is not None:
            try:
                other, _ = evaluate_on(w, coarse)
                other = other if np.isfinite(other) else None
            except StithyError:
                other = None  # what the coarser grid does not hold
        if w.quantity in OF_BATH:
            return Watched(w, Banded(value, OF_BATH[w.quantity] * abs(value), value), w.dimension, place)
        size = abs(value - bands.ambient) if w.dimension == "temperature" else abs(value)
        return Watched(w, bands.estimate(value, other, size), w.dimension, place)
    except StithyError as error:
        return Watched(w, None, w.dimension, None, str(error).splitlines()[0])


def _known(w: Watch, s: Solution, bands: Bands) -> Banded | None:
    """The band of numbers that a summary holds as well: so that there is one answer."""
    if not s.told:
        return None
    if w.quantity == "pressure drop" and len(w.of) == 2:
        return bands.drop(*w.of)
    found = from_summary(w, s.summary)
    return found.banded if found is not None else None


def from_summary(w: Watch, summary: dict) -> Watched | None:
    """A watch that a result's summary answers without its fields: a part's highest or mean temperature, a fan's rise.
    None of any other."""
    bands, of = Bands(summary), w.of[0] if len(w.of) == 1 else ""
    if w.quantity == "temperature" and bands.dry(of):
        dry = summary["bath"]["parts"][of]["highest"]
        told = f"“{of}” dries out at {dry:.2g} times the critical heat flux: its temperature is no result."
        return Watched(w, None, w.dimension, None, f"{w.name}: {told}")
    part = summary["parts"].get(of)
    if w.quantity == "temperature" and part is not None and not w.points:
        if w.measure in ("", "max"):
            return Watched(w, bands.temperature(of), w.dimension, tuple(part["hot_spot"]))
        if w.measure in ("mean", "volume mean"):
            return Watched(w, bands.temperature(of, "mean"), w.dimension)
    if w.quantity == "pressure drop" and of in summary["fans"]:
        return Watched(w, bands.rise(of), w.dimension)
    return None


def evaluate_on(w: Watch, asked: _Asked) -> tuple[float, tuple[float, float, float] | None]:
    """A watch's number (SI) on one grid, and where it is. Raises StithyError where it cannot be had."""
    s = asked.solution
    if w.quantity in WATCHED:
        return _special(w, asked), None
    v = asked.values(w)
    pieces = _pieces(w, asked)
    if w.measure == "difference":
        one, other = (_measured(w, v, [p], asked) for p in pieces)
        return one[0] - other[0], None
    if not s.grid.cells:
        raise StithyError(f"{w.name}: this result is empty.")
    return _measured(w, v, pieces, asked)


def _pieces(w: Watch, asked: _Asked) -> list[tuple[str, Any]]:
    """What a watch is of, each by its sort."""
    s = asked.solution
    out: list[tuple[str, Any]] = [("point", p) for p in w.points]
    for name in w.of:
        section = next((x for x in asked.sections if x.name == name), None)
        line = next((x for x in asked.lines if x.name == name), None)
        if section is not None:
            out.append(("plane", section))
        elif line is not None:
            out.append(("line", line))
        elif name in s.summary["ends"]:
            out.append(("end", name))
        else:
            out.append(("part", name))
    return out or [("part", "")]


def _measured(w: Watch, v: Values, pieces, asked: _Asked) -> tuple[float, Any]:
    """One number of all pieces together."""
    q, measure = v.quantity(w.quantity), w.measure
    names = [x for sort, x in pieces if sort == "part"]
    if len(names) == len(pieces) and q.place == CELLS and measure in ("", "max", "min"):
        return extreme(v, [n for n in names if n], q.name, measure != "min")
    values, weights, mass, places = [], [], [], []
    for sort, x in pieces:
        a, b, c, d = _sampled(w, v, q, sort, x, asked)
        values.append(a)
        weights.append(b)
        mass.append(c)
        places.append(d)
    all_ = np.concatenate(values)
    good = np.isfinite(all_)
    if not good.any():
        raise StithyError(f"{w.name}: “{w.quantity}” has no value there.")
    x, wt, m, at = (np.concatenate(y)[good] for y in (values, weights, mass, places))
    sort = pieces[0][0]
    usual = "mean" if sort in ("end", "plane", "point") or q.place != CELLS else "max"
    measure = measure or usual
    if measure in ("max", "min"):
        k = int(np.argmax(x) if measure == "max" else np.argmin(x))
        return float(x[k]), tuple(map(float, at[k]))
    if measure == "spread":
        return float(x.max() - x.min()), None
    if measure == "sum":
        return float((x * wt).sum()), None
    by = m if measure == "mass mean" else wt
    total = float(by.sum())
    if abs(total) <= 1e-9 * float(np.abs(by).sum() + 1e-300):
        raise StithyError(f"{w.name}: nothing flows there, so there is no mass mean. Take an area mean.")
    return float((x * by).sum() / total), None


def _sampled(w: Watch, v: Values, q, sort: str, x, asked: _Asked):
    """Values, weights (areas, volumes or 1), mass weights and places of one piece."""
    s = v.solution
    if sort == "point":
        value = v.at(q.name, [x])
        one = np.ones(1)
        return value, one, one, np.array([x])
    if sort == "line":
        found = along(v, x.__class__(**{**x.__dict__, "quantities": (q,)}), asked.sections)
        one = np.ones(len(found.distance))
        return found.values[q.name], one, one, found.points
    if sort in ("end", "plane"):
        cut: Cut = of_end(s, x) if sort == "end" else cut_through(v, x)
        return cut.values(v, q), cut.area, np.abs(cut.mass), cut.points
    if q.place != CELLS:
        spaces = spaces_of(s, x) if x else []
        walls = v.walls
        here = np.isin(walls.space, spaces) if spaces else walls.names == x if x else walls.space >= 0
        if not here.any():
            raise StithyError(f"{w.name}: this result has no wall “{x}”.")
        return v.of(q.name)[here], walls.area[here], walls.area[here], walls.centre[here]
    mask = cells_of(s, (x,) if x else ())
    volume = s.grid.volumes()[mask]
    rho = s.density[mask] if s.density is not None else np.ones(len(volume))
    places = np.stack([np.broadcast_to(_shaped(s.grid.centres[a], a), s.grid.shape)[mask] for a in range(3)], -1)
    return v.of(q.name)[mask], volume, volume * np.where(rho > 0, rho, 1.0), places


def _shaped(x: np.ndarray, axis: int) -> np.ndarray:
    shape = [1, 1, 1]
    shape[axis] = -1
    return x.reshape(shape)


def _special(w: Watch, asked: _Asked) -> float:
    """A number that is no field."""
    s, name = asked.solution, w.quantity
    ends, fans = s.summary["ends"], s.summary["fans"]
    sections = {x.name for x in asked.sections}
    if not s.told and name != "evenness" and not (w.of and sections.issuperset(w.of)):
        raise StithyError(
            f"{w.name}: this result kept {name} of its end only. Solve it anew, or watch a section or a field."
        )
    if name in ("vapour volume", "venting", "level", "share of critical flux"):
        return _of_bath(w, s)
    if name in ("duty", "effectiveness", "UA", "NTU", "LMTD"):
        return streams.exchange(s, w.of)[name]
    if name == "heat left over":
        return float(s.summary["heat_imbalance"])
    if name == "mass left over":
        return float(sum(e["mass_flow"] for e in ends.values()))
    if name == "fan power":
        return float(sum(f["air_power"] for n, f in fans.items() if not w.of or n in w.of))
    if not w.of:
        raise StithyError(f"{w.name}: name what {name} is of.")
    if name == "pressure drop":
        if len(w.of) == 1 and w.of[0] in fans:
            return float(fans[w.of[0]]["rise"])
        if len(w.of) != 2 or any(n not in ends for n in w.of):
            raise StithyError(f"{w.name}: a pressure drop is from one opening to another. Name two, or one fan.")
        return float(ends[w.of[0]]["pressure"] - ends[w.of[1]]["pressure"])
    total = [_of_one(w, n, asked) for n in w.of]
    return total[0] - total[1] if w.measure == "difference" else float(sum(total))


def _of_one(w: Watch, name: str, asked: _Asked) -> float:
    s, what = asked.solution, w.quantity
    ends, fans = s.summary["ends"], s.summary["fans"]
    section = next((x for x in asked.sections if x.name == name), None)
    if what == "evenness" or section is not None:
        cut = cut_through(asked.values(w), section) if section is not None else of_end(s, name)
        return cut.evenness if what == "evenness" else cut.flow(what)
    if what in ("radiated", "radiated share"):
        return _radiated(w, name, s, what)
    if what == "heat":
        if name in ends:
            return float(ends[name]["heat_out"])
        rows = s.summary.get("heat_path", ())
        if name in s.parts and rows:
            outside = ("heat load", "held")
            given = sum(r["heat"] for r in rows if r["from"] == name and r["to"] not in outside)
            return float(given - sum(r["heat"] for r in rows if r["to"] == name and r["from"] not in outside))
    key = {"mass flow": "mass_flow", "volume flow": "volume_flow"}.get(what)
    if key and name in ends:
        return float(ends[name][key])
    if key == "volume_flow" and name in fans:
        return float(fans[name][key])
    raise StithyError(f"{w.name}: “{name}” has no {what} in this result.")


def _of_bath(w: Watch, s: Solution) -> float:
    """A number of the bath of a result."""
    table = s.summary.get("bath")
    if not table:
        raise StithyError(f"{w.name}: there is no bath in this result. Give an enclosure a level, and solve it.")
    if w.quantity != "share of critical flux":
        return float(table[{"vapour volume": "vapour_volume"}.get(w.quantity, w.quantity)])
    names = w.of or tuple(table["parts"])
    lost = next((n for n in names if n not in table["parts"]), None)
    if lost is not None:
        raise StithyError(f"{w.name}: “{lost}” does not boil in this result.")
    return float(max((table["parts"][n]["highest"] for n in names), default=0.0))


def _radiated(w: Watch, name: str, s: Solution, what: str) -> float:
    """Net heat (W) that a part or side radiates, or its share of what it gives to gas and surroundings."""
    table = (s.summary.get("radiation") or {}).get("surfaces", {})
    if name not in table:
        raise StithyError(f"{w.name}: “{name}” does not radiate in this result.")
    row = table[name]
    if what == "radiated":
        return float(row["net"])
    given = row["net"] + row["to_gas"]
    if abs(given) < 1e-12:
        raise StithyError(f"{w.name}: “{name}” gives no heat to gas or surroundings.")
    return float(row["net"] / given)


def _names_in(text: str, names: list[str]) -> list[str]:
    import re

    words = set(re.findall(r"[A-Za-z_]\w*", text))
    return [n for n in names if n.replace(" ", "_") in words]


def _formula(w: Watch, found: dict[str, Watched]) -> Watched:
    """A formula of watches; its band from theirs, each moved by its own."""
    names = _names_in(w.quantity, list(found))
    used = [found[n] for n in names]
    lost = next((x for x in used if x.banded is None), None)
    if lost is not None:
        return Watched(w, None, "ratio", None, f"{w.name}: {lost.fault or 'a watch that it uses has no value.'}")

    def at(moved: str = "", by: float = 0.0):
        ureg, values = units.registry(), {}
        for x in used:
            assert x.banded is not None
            si = units.DIMENSIONS[x.dimension][0] if x.dimension in units.DIMENSIONS else x.dimension
            size = x.banded.value + (by if x.watch.name == moved else 0.0)
            values[x.watch.name.replace(" ", "_")] = ureg.Quantity(size, "K" if "temperature" in x.dimension else si)
        return evaluate(units.tidy(w.quantity.lstrip("= ")), values, ureg)

    try:
        value = at()
        base = value.to_base_units()
        parts = []
        for x in used:
            if x.banded is not None and x.banded.band:
                parts.append((at(x.watch.name, x.banded.band) - value).to_base_units().magnitude)
        band = (
            float(np.sqrt(np.sum(np.square(parts))))
            if all(x.banded and x.banded.band is not None for x in used)
            else None
        )
        return Watched(w, Banded(float(base.magnitude), band, float(base.magnitude)), _dimension(value))
    except (ValueProblem, StithyError) as error:
        told = f"{error.what} {error.remedy}" if isinstance(error, ValueProblem) else str(error)
        return Watched(w, None, "ratio", None, f"{w.name}: {told}")


def _dimension(found) -> str:
    ureg = units.registry()
    if found.dimensionless:
        return "ratio"
    if found.check("[temperature]"):
        return "temperature difference"
    for name, (si, *_rest) in units.DIMENSIONS.items():
        if si and found.check(ureg.Quantity(1.0, si).dimensionality):
            return name
    return f"{found.to_base_units().units:~P}"
