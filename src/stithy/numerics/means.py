"""Means of diffusivities at faces."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, inline="always")
def between(a, b):
    """Mean of two viscosities or conductivities: close to the logarithmic mean, which is exact where they grow linearly
    from a wall."""
    return (0.5 * (a + b) + 2.0 * np.sqrt(a * b)) / 3.0
