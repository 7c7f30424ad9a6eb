"""Openings of the solids of a model: the mouths through which fluid inside them meets the outside, and rows that close
them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..model import Model, Plate
from ..shapes.mouths import Mouth
from .build import build
from .occupancy import fluid_spaces
from .plates import cells_of, inner_faces


@dataclass(frozen=True)
class Found:
    """Mouths of one solid that are alike and lie in one plane: the first as its file has it (``raw``) and all as they
    stand (``rims``); the blanking ``plate`` that closes them ("": none), what lies on that (``flow``, "": nothing)."""

    of: str
    raw: Mouth
    rims: tuple[Mouth, ...]
    plate: str = ""
    flow: str = ""

    @property
    def area(self) -> float:
        """Area (m2) of all of them."""
        return sum(r.area for r in self.rims)

    @property
    def size(self) -> str:
        """Its size in words, mm."""
        long, short = (1e3 * x for x in self.rims[0].size)
        one = f"⌀{long:.4g}" if self.rims[0].round else f"{long:.4g} × {short:.4g}"
        return one if len(self.rims) == 1 else f"{len(self.rims)} × {one}"


def at_outside(model: Model, rims: list[Mouth]) -> list[bool]:
    """Which of the rims have the outside before them, and something else behind them once all are closed.

    The grid decides: every rim gets a plate of its own, and the fluid on its two sides is looked at.
    """
    if not rims:
        return []
    closed = replace(
        model, plates=tuple(Plate(f"{m}", (r,)) for m, r in enumerate(rims)), left_out=(), openings=(), regions=()
    )
    built = build(closed)
    label, _ = fluid_spaces(built.kind, (), built.shut)
    outside = _at_sides(label)
    out = []
    for rim, cells in zip(rims, cells_of(built.plates, len(rims)), strict=True):
        inner = inner_faces(built.grid, label, cells, (rim,), built.shut)[1]
        back = Mouth(tuple(reversed(rim.points)))
        outer = inner_faces(built.grid, label, cells, (back,), built.shut)[1]
        out.append(outer in outside and inner >= 0 and inner not in outside)
    return out


def _at_sides(label: np.ndarray) -> set[int]:
    """Numbers of the fluid at the sides of the model."""
    out: set[int] = set()
    for a in range(3):
        ends = np.moveaxis(label, a, 0)
        out |= set(np.unique(ends[[0, -1]]).tolist())
    return out - {-1}
