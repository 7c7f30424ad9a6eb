"""Observed orders: each case on three grids (or with three steps), every one twice as fine as the one before."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from . import bodies, configurations, convection, ducts, gallery, projects


@dataclass(frozen=True)
class Series:
    """One number on three grids, beside its reference."""

    case: str
    quantity: str
    grids: tuple[str, str, str]
    values: tuple[float, float, float]
    reference: float

    @property
    def order(self) -> float:
        """log2 of the ratio of the two changes; nan where they have different signs, inf where the value is exact on
        every grid."""
        a, b, c = self.values
        if max(abs(v / self.reference - 1.0) for v in self.values) < 1e-5:
            return float("inf")
        return float(np.log2((b - a) / (c - b))) if (b - a) * (c - b) > 0 else float("nan")

    @property
    def limit(self) -> float:
        """What the three grids tend to (Richardson)."""
        a, b, c = self.values
        if np.isinf(self.order):
            return c
        return c + (c - b) / (2**self.order - 1) if self.order > 0.3 else float("nan")


def series(case: Callable, grids, which: int = 0) -> Series:
    """Row ``which`` of ``case`` on three grids."""
    rows = [case(g)[which] for g in grids]
    return Series(
        rows[0].case,
        rows[0].quantity,
        tuple(r.grid for r in rows),
        tuple(float(r.ours) for r in rows),
        rows[0].reference,
    )


def quick() -> list[Series]:
    """Those that run in every test."""
    return [
        series(gallery.lid_driven, (16, 32, 64)),
        series(lambda n: gallery.heated_cavity(n, 1e5), (20, 40, 80)),
        series(projects.plates, (10, 20, 40)),
        series(lambda s: projects.slab_in_time(s), ("8 s", "4 s", "2 s"), 1),
        series(configurations.sealed_gas, (20, 40, 80)),
        series(projects.refined_fin, ("4 mm", "2 mm", "1 mm")),
    ]


def long() -> list[Series]:
    """Those of ``make verify``."""
    conducting = tuple(ducts.conducting_duct(8 * m) for m in (1, 2, 4))
    return [
        series(lambda n: gallery.lid_driven(n, 1000.0), (32, 64, 128)),
        series(gallery.square_duct, (10, 20, 40)),
        series(projects.pipe, (12, 24, 48)),
        series(ducts.triangle, (20, 40, 80)),
        series(projects.step, (10, 20, 40)),
        series(lambda n: bodies.spreading(cells=n), (30, 60, 120)),
        series(lambda n: convection.annulus(n), (40, 80, 160), 1),
        series(lambda n: configurations.bar_array(0.1, n), (12, 24, 48)),
        Series(
            "square duct, conducting walls",
            "wall over bulk K",
            ("8 across", "16 across", "32 across"),
            conducting,
            float("nan"),
        ),
    ]
