"""What three grids tend to: observed order, extrapolated value and grid convergence index.

Source: Celik et al., Procedure for estimation and reporting of uncertainty due to discretization in CFD applications,
J. Fluids Eng. 130 (2008) 078001.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

#: orders that are believed; a higher one is taken as the upper end, of a lower one nothing is extrapolated
LOW, HIGH = 0.5, 3.0
#: safety factors of the index: with an order that was observed within its ends, and else
SAFE, UNSURE = 1.25, 3.0
#: orders that are looked for
MOST = 30.0
#: part of a value below which changes from grid to grid are none
NOTHING = 1e-9


@dataclass(frozen=True)
class Extrapolated:
    """``value`` for a grid without end, the observed ``order`` (nan: none can be told), the ``band`` of the finest
    grid's number (grid convergence index times it, same unit), and in a word how the numbers go: "monotone",
    "oscillating" or "at rest"."""

    value: float
    order: float
    band: float
    goes: str

    @property
    def doubtful(self) -> bool:
        """Whether the order is not one that such a scheme can have."""
        return self.goes != "at rest" and not LOW <= self.order <= HIGH


def extrapolate(sizes: tuple[float, float, float], values: tuple[float, float, float]) -> Extrapolated:
    """From cell sizes and numbers on three grids, the finest first. Raises ValueError where sizes do not rise."""
    (h1, h2, h3), (f1, f2, f3) = sizes, values
    if not 0.0 < h1 < h2 < h3:
        raise ValueError("cell sizes must rise from the finest grid to the coarsest")
    near, far = f2 - f1, f3 - f2
    scale = max(map(abs, values))
    if max(abs(near), abs(far)) <= NOTHING * scale:
        return Extrapolated(f1, float("nan"), abs(near), "at rest")
    if near * far < 0.0 or near == 0.0 or far == 0.0:
        return Extrapolated(f1, float("nan"), UNSURE * 0.5 * (max(values) - min(values)), "oscillating")
    order = _order(h2 / h1, h3 / h2, far / near)
    if order < LOW:  # it does not come to rest yet: what it tends to cannot be told from these grids
        return Extrapolated(f1, order, UNSURE * max(abs(near), abs(far)), "monotone")
    used = min(order, HIGH)
    change = -near / ((h2 / h1) ** used - 1.0)
    safe = SAFE if used == order else UNSURE
    return Extrapolated(f1 + change, order, safe * abs(change), "monotone")


def _order(fine: float, coarse: float, ratio: float) -> float:
    """The order with which two refinements, by ``fine`` and ``coarse``, change a number in this ``ratio``: the root of
    fine^p (coarse^p - 1) / (fine^p - 1) = ratio, which rises with p."""

    def off(p: float) -> float:
        if abs(p) < 1e-9:
            return float(np.log(np.log(coarse) / np.log(fine) / ratio))
        parts = np.expm1(p * np.log(coarse)) / np.expm1(p * np.log(fine))
        return float(p * np.log(fine) + np.log(parts) - np.log(ratio))

    if off(-MOST) > 0.0 or off(MOST) < 0.0:
        return -MOST if off(-MOST) > 0.0 else MOST
    return float(brentq(off, -MOST, MOST, xtol=1e-10))
