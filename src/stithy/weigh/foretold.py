"""What an estimate foretells of a layout's watches."""

from __future__ import annotations

from collections.abc import Sequence

from ..estimate.estimate import Estimate
from ..read.watches import Watched

#: measures of a temperature that an estimate of a part's hottest place stands for
HOTTEST = ("max", "mean")


def foretold(estimate: Estimate, watches: Sequence[Watched]) -> dict[str, tuple[float, float]]:
    """Value and half its band (SI; K) by the name of each watch that an estimate says something of."""
    out = {}
    for x in watches:
        w = x.watch
        if w.quantity != "temperature" or len(w.of) != 1 or w.of[0] not in estimate.parts or w.measure not in HOTTEST:
            continue
        part = estimate.parts[w.of[0]]
        mean = 0.5 * part.body if w.measure == "mean" else 0.0
        out[w.name] = part.temperature - mean, part.band + mean
    return out
