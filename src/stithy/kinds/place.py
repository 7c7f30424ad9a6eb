"""Where a new row is put: on the floor of the first enclosure, or in its wall."""

from __future__ import annotations

from ..model import Enclosure


def on_floor(enclosure: Enclosure) -> dict[str, str]:
    """The middle of the floor."""
    inner = enclosure.inner
    middle = [0.5 * sum(inner[0]), 0.5 * sum(inner[1]), inner[2][0]]
    return {"at": ", ".join(f"{x * 1e3:.4g}" for x in middle) + " mm"}


def in_wall(enclosure: Enclosure) -> dict[str, str]:
    """The low corner of a wall."""
    return {"on": enclosure.name, "at": ", ".join(f"{enclosure.inner[a][0] * 1e3:.4g}" for a in (1, 2)) + " mm"}


def middle_of(enclosure: Enclosure) -> tuple[list[float], float]:
    """The middle of an enclosure and a quarter of its least length, mm."""
    return [500 * sum(span) for span in enclosure.inner], min(b - a for a, b in enclosure.inner) * 250
