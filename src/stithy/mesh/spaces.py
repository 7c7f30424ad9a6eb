"""Fluid spaces and touching pairs, found on the painted grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .build import Built
from .occupancy import fluid_spaces


@dataclass(frozen=True)
class FluidSpace:
    """Connected fluid: its ``volume`` (m3), a ``point`` (m) well inside it, the ``parts`` it touches, openings that
    lead into it."""

    number: int
    volume: float
    point: tuple[float, float, float]
    parts: tuple[str, ...]
    openings: tuple[str, ...]


@dataclass(frozen=True)
class Pair:
    """Two parts that touch, and the area (m2) on which they do."""

    one: str
    other: str
    area: float


def spaces(built: Built, openings: dict[str, np.ndarray], periodic: tuple[int, ...] = ()) -> list[FluidSpace]:
    """All fluid spaces, the largest first; ``openings`` the cells (n, 3) behind each opening by name."""
    label, count = fluid_spaces(built.kind, periodic, built.shut)
    volume, out = built.grid.volumes(), []
    for number in range(count):
        here = label == number
        depth = _depth(here)
        at = np.unravel_index(int(np.argmax(depth)), here.shape)
        touched = set()
        for a in range(3):
            for step in (-1, 1):
                beside = np.roll(here, step, a)
                edge = np.moveaxis(beside, a, 0)
                edge[0 if step == 1 else -1] = False
                touched |= set(np.unique(built.owner[beside & ~here & (built.owner >= 0)]).tolist())
        leads = [n for n, cells in openings.items() if len(cells) and label[tuple(cells[0])] == number]
        point = tuple(float(built.grid.centres[a][at[a]]) for a in range(3))
        out.append(
            FluidSpace(
                number, float(volume[here].sum()), point, tuple(built.parts[m] for m in sorted(touched)), tuple(leads)
            )
        )
    return sorted(out, key=lambda s: -s.volume)


def _depth(here: np.ndarray) -> np.ndarray:
    """How many cells deep each cell lies in a space, up to eight."""
    depth, inner = here.astype(np.int8), here.copy()
    for _ in range(7):
        shrunk = inner.copy()
        for a in range(3):
            if here.shape[a] < 3:
                continue
            for step in (-1, 1):
                beside = np.roll(inner, step, a)
                np.moveaxis(beside, a, 0)[0 if step == 1 else -1] = False
                shrunk &= beside
        if not shrunk.any():
            break
        inner = shrunk
        depth += inner
    return depth


def pairs(built: Built) -> list[Pair]:
    """All pairs of parts that touch, with the true area (not the stairs'), the largest first."""
    n, found = len(built.parts), np.zeros(len(built.parts) ** 2)
    for a in range(3):
        low, high = (np.moveaxis(built.owner, a, 0)[cut] for cut in (slice(None, -1), slice(1, None)))
        widths = [built.grid.widths[t] for t in range(3) if t != a]
        area = np.broadcast_to(widths[0][:, None] * widths[1][None, :], low.shape).copy()
        if built.crossing is not None:
            tilt, share = (np.moveaxis(x[a], a, 0)[:-1] for x in (built.crossing.tilt, built.crossing.share))
            area *= np.where(np.isfinite(share), tilt, 1.0)
        meet = (low != high) & (low >= 0) & (high >= 0)
        key = np.minimum(low, high)[meet].astype(np.int64) * n + np.maximum(low, high)[meet]
        found += np.bincount(key, area[meet], n * n) if n else 0.0
    return sorted(
        (Pair(built.parts[m // n], built.parts[m % n], float(found[m])) for m in np.flatnonzero(found)),
        key=lambda p: -p.area,
    )
