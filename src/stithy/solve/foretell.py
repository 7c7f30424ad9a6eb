"""How long a steady run will still take, from the path of its residual."""

from __future__ import annotations

import numpy as np

CLOSING = 8  # iterations that closing mass and energy at the end is worth where temperatures are solved after the flow
BRIEF = 3  # the same where they have followed it all along
LEAST, MOST = 0.5, 1.8  # times the guess: the range that is told


def iterations_left(residuals, goal: float, expected: int = 0, closing: float = CLOSING) -> float:
    """Iterations until ``residuals`` (one each, any sequence) reach ``goal`` and all is closed; nan while there are
    fewer than eight.

    Between two guesses: the residual falls more slowly the farther it has come, so if n iterations brought the part f
    of all decades, the whole takes n f^-1.3; or the pace of the last ten iterations goes on. Their powers, fitted to
    runs of many kinds (docs/performance.md), draw both towards what runs usually take. ``expected`` is the whole number
    an earlier run of the same model took, 0 when there is none; it then weighs two thirds. ``closing`` is the least
    that is left.
    """
    count = len(residuals)
    if count < 8:
        return float("nan")
    path = np.log10(np.maximum(residuals, 1e-12))
    lowest = np.convolve(path, np.ones(6) / 6, "valid").min()  # ripples do not set it back
    decades = path[:4].max() - np.log10(goal)
    if decades <= 0.0:
        return float(closing)
    part = min(max(path[:4].max() - lowest, 0.2) / decades, 1.0)
    slower = max(count * (part**-1.3 - 1.0), 1.0)
    last = path[-min(10, count - 1) :]
    fall = -np.polyfit(np.arange(len(last)), last, 1)[0]
    straight = min(max((lowest - np.log10(goal)) / max(fall, 1e-3), 1.0), 1000.0)
    left = 6.3 * slower**0.37 * straight**0.19
    if expected > count:
        left = np.exp((2 * np.log(expected - count + closing) + np.log(left)) / 3)
    return float(max(left, closing))


def told(seconds: float, steady: bool) -> str:
    """What is said of ``seconds`` left: "20 to 60 s left", "3 to 8 min left", or, where they are no guess (not
    ``steady``), "40 s left".

    A guess from a steady run's residual is told as the range that has held the true number in about eight of ten cases
    (docs/performance.md). Empty where there is none.
    """
    if not seconds == seconds:
        return ""
    low, high = (LEAST * seconds, MOST * seconds) if steady else (seconds, seconds)
    unit, per = ("min", 60.0) if high > 150.0 else ("s", 1.0)
    step = 5.0 if high / per > 30.0 else 1.0
    ends = [max(step * np.round(x / per / step), 0.0) for x in (low, high)]
    if not steady or ends[0] == ends[1]:
        return f"{ends[1]:.0f} {unit} left"
    return f"{ends[0]:.0f} to {ends[1]:.0f} {unit} left"
