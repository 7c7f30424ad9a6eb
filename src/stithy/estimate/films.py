"""Film coefficients by correlation, for arrays of faces.

Channels: Shah and London's developing laminar flow between plates, Gnielinski's turbulent one. Plates in a stream:
Pohlhausen, and the usual turbulent one. Still fluid: Churchill and Chu (1975) on upright faces, McAdams on level ones,
Bar-Cohen and Rohsenow (1984) between upright plates.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Reynolds numbers between which a channel changes from laminar to turbulent, and where a plate does
LAMINAR, TURBULENT, PLATE = 2300.0, 4000.0, 2e5
SQUARE = 1.0  # of a bluff body's own wake: no less than a film of this Nusselt number


@dataclass(frozen=True)
class Medium:
    """A fluid, SI; ``pull`` m/s2."""

    rho: float
    mu: float
    k: float
    cp: float
    beta: float
    pull: float

    @property
    def prandtl(self) -> float:
        """Prandtl number."""
        return self.mu * self.cp / self.k


def channel(m: Medium, speed, wide, long) -> np.ndarray:
    """W/m2/K in passages of hydraulic diameter ``wide`` (m) and length ``long`` (m)."""
    re = np.maximum(m.rho * speed * wide / m.mu, 1e-9)
    x = np.maximum(long / (wide * re * m.prandtl), 1e-9)
    laminar = 7.55 + 0.024 * x**-1.14 / (1.0 + 0.0358 * m.prandtl**0.17 * x**-0.64)
    rough = (0.79 * np.log(np.maximum(re, 3000.0)) - 1.64) ** -2.0 / 8.0
    turbulent = (
        rough * (np.maximum(re, 3000.0) - 1000.0) * m.prandtl / (1.0 + 12.7 * rough**0.5 * (m.prandtl ** (2 / 3) - 1.0))
    ) * (1.0 + (wide / np.maximum(long, wide)) ** (2 / 3))
    share = np.clip((re - LAMINAR) / (TURBULENT - LAMINAR), 0.0, 1.0)
    return np.asarray(((1.0 - share) * laminar + share * np.maximum(turbulent, laminar)) * m.k / wide)


def stream(m: Medium, speed, long) -> np.ndarray:
    """W/m2/K of plates ``long`` (m) in a stream."""
    re = np.maximum(m.rho * speed * long / m.mu, 1e-9)
    laminar = 0.664 * re**0.5 * m.prandtl ** (1 / 3)
    turbulent = 0.037 * re**0.8 * m.prandtl ** (1 / 3)
    return np.asarray(np.where(re > PLATE, np.maximum(laminar, turbulent), laminar) * m.k / long)


def upright(m: Medium, warmer, high) -> np.ndarray:
    """W/m2/K of upright faces ``high`` (m), ``warmer`` than their fluid (K)."""
    ra = _rayleigh(m, warmer, high)
    nu = (0.825 + 0.387 * ra ** (1 / 6) / (1.0 + (0.492 / m.prandtl) ** (9 / 16)) ** (8 / 27)) ** 2
    return np.asarray(nu * m.k / high)


def level(m: Medium, warmer, size, up) -> np.ndarray:
    """W/m2/K of level faces of ``size`` (area over perimeter, m); ``up``: fluid above what is warm, or below what is
    cold."""
    ra = _rayleigh(m, warmer, size)
    free = np.maximum(0.54 * ra**0.25, np.where(ra > 1e7, 0.15 * ra ** (1 / 3), 0.0))
    nu = np.where(up, free, 0.27 * ra**0.25)
    return np.asarray(np.maximum(nu, SQUARE) * m.k / size)


def between(m: Medium, warmer, gap, high) -> np.ndarray:
    """W/m2/K between upright plates of one temperature, referred to the fluid below them."""
    el = np.maximum(_rayleigh(m, warmer, gap) * gap / high, 1e-9)
    return np.asarray((576.0 / el**2 + 2.87 / el**0.5) ** -0.5 * m.k / gap)


def _rayleigh(m: Medium, warmer, size) -> np.ndarray:
    grashof = m.pull * abs(m.beta) * np.abs(warmer) * size**3 * (m.rho / m.mu) ** 2
    return np.maximum(grashof * m.prandtl, 1e-6)


def friction(m: Medium, speed, wide) -> np.ndarray:
    """Darcy's friction factor in passages of hydraulic diameter ``wide`` (m)."""
    re = np.maximum(m.rho * speed * wide / m.mu, 1e-3)
    return np.asarray(np.where(re < LAMINAR, 84.0 / re, np.maximum(0.316 / re**0.25, 84.0 / LAMINAR)))
