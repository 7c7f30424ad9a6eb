"""The heat path of a solution as rows: who gives what to whom, its share, and what stands in its way."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..errors import StithyError
from ..solution.solution import Solution
from .selection import spaces_of

#: what heat comes from, and is no part
SOURCES = ("heat load", "held")


@dataclass(frozen=True)
class Flow:
    """Heat (W, above 0) from one to another, its ``share`` of all that the first gives, and the ``resistance`` (K/W)
    between their mean temperatures (None: one of them has none, or it runs against the difference). ``by`` "radiation",
    or empty."""

    source: str
    to: str
    heat: float
    share: float
    resistance: float | None
    by: str = ""


def heat_path(s: Solution) -> list[Flow]:
    """All flows of heat, the largest first. Raises StithyError where the result has not kept them."""
    rows = s.summary.get("heat_path")
    if rows is None or (not rows and s.summary.get("heat_load")):
        raise StithyError("This result has not kept its heat path. Solve the layout again.")
    given: dict[str, float] = {}
    for r in rows:
        given[r["from"]] = given.get(r["from"], 0.0) + r["heat"]
    level = _levels(s, {r["from"] for r in rows} | {r["to"] for r in rows})
    out = []
    for r in rows:
        a, b = level.get(r["from"]), level.get(r["to"])
        fall = a - b if a is not None and b is not None else 0.0
        resistance = fall / r["heat"] if fall > 0 and r["heat"] > 0 else None
        out.append(Flow(r["from"], r["to"], r["heat"], r["heat"] / given[r["from"]], resistance, r.get("by", "")))
    return sorted(out, key=lambda x: -x.heat)


def _levels(s: Solution, names: Iterable[str]) -> dict[str, float]:
    """Mean temperatures (K) of parts and fluid spaces."""
    import numpy as np

    volume, out = s.grid.volumes(), {}
    for name in names:
        if name in s.parts:
            out[name] = float(s.summary["parts"][name]["mean"]) if name in s.summary["parts"] else 0.0
            continue
        found = spaces_of(s, name)
        if found:
            here = np.isin(s.spaces, found)
            out[name] = float(np.average(s.temperature[here], weights=volume[here]))
    return out


def closure(rows: Iterable[Flow]) -> dict[str, float]:
    """By part or fluid: what it takes up less what it gives (W), of those that do both."""
    rows = list(rows)
    gives, takes = {x.source for x in rows}, {x.to for x in rows}
    return {
        n: sum(x.heat for x in rows if x.to == n) - sum(x.heat for x in rows if x.source == n)
        for n in sorted(gives & takes)
    }
