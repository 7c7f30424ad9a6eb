"""How long a steady run will still take, from the path of its residual."""
from __future__ import annotations

import numpy as np

CLOSING = 14  # iterations that closing mass and energy at the end is worth


def iterations_left(residuals, goal: float, expected: int = 0) -> float:
    """Iterations until ``residuals`` (one per iteration, any sequence) reach ``goal``; nan while there are fewer than eight.

    A residual falls more slowly the farther it has come: if n iterations brought the part f of all decades, the whole takes
    about n f^-(1.2 + (1 - f) / 2), which fits runs of many kinds (docs/performance.md). ``expected`` is the whole number an earlier
    run of the same model took, 0 when there is none; it then weighs two thirds.
    """
    count = len(residuals)
    if count < 8:
        return float("nan")
    path = np.log10(np.maximum(residuals, 1e-12))
    lowest = np.convolve(path, np.ones(6) / 6, "valid").min()  # ripples do not set it back
    decades = path[:4].max() - np.log10(goal)
    if decades <= 0.0:
        return float(CLOSING)
    part = min(max(path[:4].max() - lowest, 0.2) / decades, 1.0)
    left = count * (part ** -(1.2 + 0.5 * (1.0 - part)) - 1.0)
    if expected > count:
        left = np.exp((2 * np.log(expected - count) + np.log(max(left, 1.0))) / 3)
    return float(left + CLOSING)
