"""What a steep profile beside a wall does to the balance of a cell, for the second scalar of k-omega.

In the viscous sublayer omega falls with the inverse square of the wall distance. Between two cells that stand there a
straight line tells up to twice the diffusion, and the value in a cell's middle too little of the mean square in it;
omega comes out too large, and friction up to a tenth too low where the first cells lie at y+ 1 to 5. Here both follow a
power of the distance, fitted to the two cells, by as much as the viscous part rules omega's own law of the wall (D. C.
Wilcox, Turbulence Modeling for CFD, 1993: omega = 6 nu / (0.075 y^2)).

The eddy viscosity grows with up to the cube of the distance there, and what lies between a cell at a wall and the next
resists more than a mean of both tells: :meth:`Sublayer.bridge`.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..numerics.means import between

NEAR = 1.05  # ratio of wall distances from which on two cells' profile is looked at
STEEPEST = 2.0  # power of the inverse distance


@njit(cache=True, nogil=True)
def viscous_share(y, nu, k):
    """How much of omega squared at distance ``y`` (m) the viscous sublayer's part is, beside the log layer's."""
    viscous, log = 6.0 * nu / (0.075 * y * y), np.sqrt(max(k, 1e-14)) / (0.5477 * 0.41 * y)
    return viscous * viscous / (viscous * viscous + log * log)


@njit(cache=True, nogil=True)
def powers(cells, st, y, x, out, total):
    """Power of the inverse distance by which ``x`` falls across each of some high faces, and its sum in the cells on
    both sides."""
    for m in range(cells.size):
        c, e = cells[m], cells[m] + st
        if y[c] > y[e]:
            c, e = e, c
        p = np.log(x[c] / x[e]) / np.log(y[e] / y[c]) if x[c] > 0.0 and x[e] > 0.0 else 0.0
        out[m] = min(max(p, 0.0), STEEPEST)
        total[c] += out[m]
        total[e] += out[m]


@njit(cache=True, nogil=True)
def diffuse(cells, st, at, power, y, nu, k, x, flux, low, high):
    """Change the weights across some high faces, at distances ``at``, to the slope that a power of the distance has
    there."""
    for m in range(cells.size):
        c, p = cells[m], power[m]
        near, far = (c, c + st) if y[c] < y[c + st] else (c + st, c)
        fall = x[near] - x[far]
        if p < 0.01 or fall <= 0.0:
            continue
        slope = p * x[near] * (y[near] / at[m]) ** p / at[m]
        factor = min(slope * (y[far] - y[near]) / fall, 2.0)
        own = high[c] - max(-flux[c], 0.0)
        change = own * viscous_share(y[near], nu[near], k[near]) * (factor - 1.0)
        high[c] += change
        low[c + st] += change


@njit(cache=True, nogil=True)
def mean_square(cells, inner, outer, total, count, y, nu, k, out):
    """Multiply ``out`` by the mean square over each of some cells, from ``inner`` to ``outer`` (m), over that in its
    middle."""
    for m in range(cells.size):
        c = cells[m]
        p = 2.0 * total[c] / count[m]
        lo, hi = inner[m], outer[m]
        if p < 0.02:
            continue
        whole = np.log(hi / lo) if abs(p - 1.0) < 1e-3 else (hi ** (1.0 - p) - lo ** (1.0 - p)) / (1.0 - p)
        ratio = min(max(whole / (hi - lo) * y[c] ** p, 1.0), 2.0)
        out[c] *= 1.0 + viscous_share(lo, nu[c], k[c]) * (ratio - 1.0)


@njit(cache=True, nogil=True)
def resist(near, far, y, ratio, scale, nu, k, law, total):
    """Add to ``total`` of the cells ``near`` walls what the mean with the cell ``far`` must be taken of, so that it
    resists as much as a power law between the two, or as ``law`` says where it is given: one plus ``scale`` times the
    eddy ``ratio``."""
    for m in range(near.size):
        c, e = near[m], far[m]
        first, last = max(scale[c] * ratio[c], 1e-9), max(scale[e] * ratio[e], 1e-9)
        plain = between(1.0 + first, 1.0 + last)
        p = min(max(np.log(last / first) / np.log(y[e] / y[c]), 0.0), 3.0)
        rest = 0.0
        for q in range(8):
            rest += 0.125 / (1.0 + last * ((y[c] + (q + 0.5) / 8 * (y[e] - y[c])) / y[e]) ** p)
        mean = plain + viscous_share(y[c], nu[c], k[c]) * (1.0 / rest - plain)
        if law.size:
            mean = plain * law[m]
        root = np.sqrt(3.0 * (1.0 + last) + 6.0 * mean) - 2.0 * np.sqrt(
            1.0 + last
        )  # between(root^2, 1 + last) is the mean
        total[c] += max(root, 0.3) ** 2


class Sublayer:
    """The faces between cells of unlike ``distance`` (m, flat) from walls, and those cells' inner and outer ends."""

    def __init__(self, geo, fluid, distance, at_wall):
        self.geo, self.y = geo, distance
        wall, near, far = np.zeros(geo.size, bool), [], []
        wall[at_wall] = True
        self.total = np.zeros(geo.size)
        self.faces, self.at, self.power = [], [], []
        inner, outer, count = distance.copy(), distance.copy(), np.zeros(geo.size, np.int64)
        for a, st in enumerate(geo.s):
            high = np.roll(distance, -st)
            with np.errstate(divide="ignore", invalid="ignore"):
                ratio = np.maximum(distance, high) / np.minimum(distance, high)
            c = np.flatnonzero((geo.face[a] == 1) & fluid & np.roll(fluid, -st) & (ratio > NEAR) & np.isfinite(ratio))
            w = np.broadcast_to(geo.along(geo.width[a], a), geo.shape).ravel()
            at = distance[c] + (distance[c + st] - distance[c]) * w[c] / (w[c] + w[c + st])
            low = np.where(distance[c] < distance[c + st], c, c + st)
            np.minimum.at(inner, 2 * c + st - low, at)
            np.maximum.at(outer, low, at)
            leads = wall[low] & ~wall[2 * c + st - low]
            near.append(low[leads])
            far.append((2 * c + st - low)[leads])
            np.add.at(count, c, 1)
            np.add.at(count, c + st, 1)
            self.faces.append(c)
            self.at.append(at)
            self.power.append(np.zeros(c.size))
        self.near, self.far = np.concatenate(near), np.concatenate(far)
        self.leading, self.ways = np.unique(self.near, return_counts=True)
        self.cells = np.flatnonzero((count > 0) & (inner < distance))
        c = self.cells
        self.inner, self.count = np.maximum(inner[c], 0.05 * distance[c]), count[c]
        self.outer = np.where(outer[c] > distance[c], outer[c], 2 * distance[c] - self.inner)

    def look(self, x) -> None:
        """Find the powers by which ``x`` (flat) falls from the walls."""
        self.total.fill(0.0)
        for a, st in enumerate(self.geo.s):
            powers(self.faces[a], st, self.y, x, self.power[a], self.total)

    def diffuse(self, a: int, nu, k, x, flux, low, high) -> None:
        """Diffusion of ``x`` along axis ``a`` by its powers: into the weights ``low`` and ``high`` of its equations."""
        diffuse(self.faces[a], self.geo.s[a], self.at[a], self.power[a], self.y, nu, k, x, flux, low, high)

    def mean_square(self, nu, k, out) -> None:
        """Multiply ``out`` (flat), made with squares in the middles of cells, so that it has mean squares."""
        mean_square(self.cells, self.inner, self.outer, self.total, self.count, self.y, nu, k, out)

    def bridge(self, ratio, scale, nu, k, law: np.ndarray | None = None) -> np.ndarray:
        """One plus ``scale`` times the eddy ``ratio`` (flat) of the cells :attr:`leading` from walls, for means with
        the next ones.

        ``law`` is what the means across :attr:`near` and :attr:`far` are to be multiplied by, where it is known.
        """
        self.total.fill(0.0)
        resist(self.near, self.far, self.y, ratio, scale, nu, k, np.zeros(0) if law is None else law, self.total)
        return self.total[self.leading] / self.ways
