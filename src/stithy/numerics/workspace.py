"""Scratch arrays that equations of one grid take turns with, leased by name so that two can never hold them at once."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np


class Workspace:
    """Flat padded arrays of one grid size: ``diagonal``, ``source`` and ``carried`` in double, weights of the
    neighbours on the ``low`` and ``high`` side along x, y, z in single precision. What they hold means nothing to who
    leases them next."""

    def __init__(self, size: int):
        self.diagonal, self.source, self.carried = (np.zeros(size) for _ in range(3))
        self.low, self.high = (tuple(np.zeros(size, np.float32) for _ in range(3)) for _ in range(2))
        self.holder = ""

    @contextmanager
    def lease(self, who: str) -> Iterator[Workspace]:
        """Have the arrays to oneself. Raises RuntimeError, naming both, where someone holds them already."""
        if self.holder:
            raise RuntimeError(f"{who} asks for scratch that {self.holder} still holds")
        self.holder = who
        try:
            yield self
        finally:
            self.holder = ""
