"""Fluid spaces and touching pairs, found on the painted grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import Model
from .build import Built
from .occupancy import fluid_spaces


@dataclass(frozen=True)
class FluidSpace:
    """Connected fluid: its ``name`` (of the row that says what fills it, "": none does) and ``fluid``, its ``volume``
    (m3), a ``point`` (m) well inside it, the ``parts`` it touches, openings that lead into it, whether it reaches the
    model's ``sides``."""

    number: int
    volume: float
    point: tuple[float, float, float]
    parts: tuple[str, ...]
    openings: tuple[str, ...]
    name: str = ""
    fluid: str = ""
    sides: bool = False


@dataclass(frozen=True)
class Pair:
    """Two parts that touch, the area (m2) on which they do, and the mean ``gap`` (m) between them there."""

    one: str
    other: str
    area: float
    gap: float = 0.0


def spaces(
    model: Model, built: Built, openings: dict[str, np.ndarray], periodic: tuple[int, ...] = ()
) -> list[FluidSpace]:
    """All fluid spaces, the largest first, then those left out; ``openings`` the cells (n, 3) behind each opening by
    name."""
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
            if built.shut is not None:
                ahead = np.roll(here, -1, a)
                touched |= set(np.unique(built.crossing.sheet[a][built.shut[a] & (here | ahead)]).tolist())
        leads = [n for n, cells in openings.items() if len(cells) and label[tuple(cells[0])] == number]
        point = tuple(float(built.grid.centres[a][at[a]]) for a in range(3))
        out.append(
            FluidSpace(
                number,
                float(volume[here].sum()) + _beyond(built, here),
                point,
                tuple(built.parts[m] for m in sorted(touched)),
                tuple(leads),
                *_filling(model, built, label, number),
                _at_sides(here),
            )
        )
    out.sort(key=lambda s: -s.volume)
    for number, gone in enumerate(model.left_out):
        here = built.left_out == number if built.left_out is not None else np.zeros(built.kind.shape, bool)
        lost = float(volume[here].sum()) + _beyond(built, here)
        out.append(FluidSpace(count + number, lost, gone.point, (), (), gone.name, "left out", _at_sides(here)))
    return out


def _filling(model: Model, built: Built, label, number: int) -> tuple[str, str]:
    """Name of the row that says what fills a space, and the fluid."""
    for region in model.regions:
        at = built.grid.find(region.point)
        if at is not None and label[at] == number:
            return region.name, region.fluid_name
    space = built.space_of[tuple(np.argwhere(label == number)[0])]
    return "", model.enclosures[max(int(space), 0)].fluid_name


def _at_sides(here: np.ndarray) -> bool:
    """Whether cells reach a side of the model along an axis with several."""
    return any(here.take([0, -1], a).any() for a in range(3) if here.shape[a] > 1)


def _beyond(built: Built, here: np.ndarray) -> float:
    """Volume (m3) by which a space is larger than its cells: up to where curved and oblique walls really stand, by
    lines along x, y and z, of which the mean by how much wall each meets."""
    if built.crossing is None:
        return 0.0
    grid, axes = built.grid, [a for a in range(3) if built.grid.shape[a] > 1]
    total = weight = 0.0
    for a in axes:
        low, high = (np.moveaxis(here, a, 0)[cut] for cut in (slice(None, -1), slice(1, None)))
        share = np.moveaxis(built.crossing.share[a], a, 0)[:-1]
        back = share if built.crossing.back is None else np.moveaxis(built.crossing.back[a], a, 0)[:-1]
        back = np.where(np.isfinite(back), back, share)
        width, step = grid.widths[a], np.diff(grid.centres[a])
        others = [grid.widths[t] for t in range(3) if t != a]
        area = others[0][:, None] * others[1][None, :]
        shut = (
            np.isfinite(np.moveaxis(built.crossing.back[a], a, 0)[:-1]) if built.crossing.back else np.zeros_like(low)
        )
        crossed = np.isfinite(share)
        up = (share * step[:, None, None] - 0.5 * width[:-1, None, None]) * area
        down = ((1 - back) * step[:, None, None] - 0.5 * width[1:, None, None]) * area
        ends = crossed & low & (~high | shut), crossed & high & (~low | shut)
        met = float(sum(np.broadcast_to(area, e.shape)[e].sum() for e in ends))
        total += met * float(up[ends[0]].sum() + down[ends[1]].sum())
        weight += met
    return total / weight if weight else 0.0


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
