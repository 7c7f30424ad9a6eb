"""How far what is watched in a run has yet to go."""

from __future__ import annotations

import numpy as np

SLOWEST = 0.95  # of what changed over one window, the part that changes over the next


def moved(seen: np.ndarray, window: int) -> np.ndarray:
    """Range of each column over the last ``window`` rows, or what is still to come of it, if that is more.

    A column that went the same way in the two last windows, by less in the last, is taken to go on so (a geometric
    series).
    """
    last = seen[-window:]
    span = np.ptp(last, axis=0)
    if len(seen) < 2 * window:
        return span
    now, before = last[-1] - last[0], last[0] - seen[-2 * window]
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.clip(np.where(before != 0.0, now / before, 0.0), 0.0, SLOWEST)
    return np.maximum(span, np.abs(now) * ratio / (1.0 - ratio))
