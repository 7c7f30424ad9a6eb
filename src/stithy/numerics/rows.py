"""A plane's rows worked in blocks: long loops over contiguous numbers, which the compiler turns into vector
instructions."""

from __future__ import annotations

from numba import njit

# A plane's rows are worked in blocks, ghost cells included: long loops over contiguous numbers, which the compiler
# turns into vector instructions. What comes out for ghost cells is set to zero.
BLOCK = 512  # numbers


@njit(cache=True, inline="always")
def clear_ends(x, wide, rows, first, last):
    """Zero the numbers before ``first`` and after ``last`` of every row of ``wide``."""
    for r in range(rows):
        for k in range(first):
            x[r * wide + k] = 0.0
        for k in range(last + 1, wide):
            x[r * wide + k] = 0.0
