"""Streams: fluid spaces that something flows through, their balances, and what two of them exchange."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import StithyError
from ..solution.solution import Solution
from .selection import space_name, spaces_of


@dataclass(frozen=True)
class Stream:
    """One fluid space with what enters and leaves it: mass flow (kg/s), mass mean temperatures (K) in and out, heat (W)
    that it takes up on its way, names of its openings, the pressure (Pa) that it loses."""

    name: str
    space: int
    flow: float
    entering: float
    leaving: float
    taken: float
    ends: tuple[str, ...]
    drop: float

    @property
    def capacity(self) -> float:
        """Capacity flow (W/K): heat taken over the change of temperature."""
        change = self.leaving - self.entering
        return abs(self.taken / change) if abs(change) > 1e-9 else float("nan")


def streams(s: Solution) -> list[Stream]:
    """All fluid spaces with openings by which something flows, the larger flows first."""
    of: dict[int, list[str]] = {}
    for name, pieces in s.ends.items():
        cells = next((c for _, _, c in pieces if len(c)), None)
        if cells is not None and name in s.summary["ends"]:
            space = int(s.spaces[tuple(cells[0])])
            if space >= 0:
                of.setdefault(space, []).append(name)
    out = []
    for space, names in of.items():
        ends = [s.summary["ends"][n] for n in names]
        flow = sum(max(e["mass_flow"], 0.0) for e in ends)
        if flow <= 0.0:
            continue
        entering = [e for e in ends if e["mass_flow"] > 0]
        leaving = [e for e in ends if e["mass_flow"] <= 0]
        if not leaving:
            continue

        def mean(rows, key):
            weight = [abs(e["mass_flow"]) + 1e-30 for e in rows]
            return float(np.average([e[key] for e in rows], weights=weight))

        out.append(
            Stream(
                space_name(s, space),
                space,
                flow,
                mean(entering, "temperature"),
                mean(leaving, "temperature"),
                float(sum(e["heat_out"] for e in ends)),
                tuple(names),
                mean(entering, "pressure") - mean(leaving, "pressure"),
            )
        )
    return sorted(out, key=lambda x: -x.flow)


def exchange(s: Solution, of: Sequence[str] = ()) -> dict[str, float]:
    """What two streams exchange (of the fluids named, or the two there are): duty W, effectiveness, UA W/K, NTU, LMTD
    K.

    Incropera et al., heat exchangers: duty is the mean of what the hotter gives and the colder takes; LMTD and UA are
    those of counter-flow. Raises StithyError where there are not two.
    """
    found = streams(s)
    if of:
        wanted = {m for name in of for m in spaces_of(s, name)}
        found = [x for x in found if x.space in wanted]
    if len(found) != 2:
        told = ", ".join(x.name for x in found) or "none"
        raise StithyError(
            f"An exchange needs two streams, and there are {len(found)} ({told}). Name two fluids in “of”."
        )
    cold, hot = sorted(found, key=lambda x: x.entering)
    duty = 0.5 * (abs(cold.taken) + abs(hot.taken))
    spread = hot.entering - cold.entering
    least = min(x.capacity for x in (hot, cold) if np.isfinite(x.capacity))
    a, b = hot.entering - cold.leaving, hot.leaving - cold.entering
    log_mean = (a - b) / np.log(a / b) if a > 0 and b > 0 and abs(a - b) > 1e-9 * abs(a) else 0.5 * (a + b)
    ua = duty / log_mean if log_mean > 0 else float("nan")
    return {
        "duty": duty,
        "effectiveness": duty / (least * spread) if spread > 0 else float("nan"),
        "UA": ua,
        "NTU": ua / least,
        "LMTD": float(log_mean),
    }
