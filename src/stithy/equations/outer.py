"""Outer sides that radiate to what they face and stand in the sun, beside their film coefficient, which may follow
their temperature."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..setup.case import HeatLinks
from ..setup.outside import COLUMNS, films

SIGMA = 5.670374419e-8  # W/m2/K4


def renew(heat) -> None:
    """Conductances and outside temperatures of the links of a :class:`Heat` at its present temperatures.

    Film and radiation stand side by side on the outer face, sigma eps (T^4 - Tsky^4) by Newton's method about the
    face's temperature T, which follows from what passes it.
    """
    given: HeatLinks = heat.case.links
    if given.emits is None or given.film is None or given.sky is None:
        return
    sun = sunshine(heat)
    if not given.emits.any() and not sun.any() and given.air is None:
        return
    face = surface(heat)
    film = np.where(np.isinf(given.film), 1e30, given.film)
    first = film
    if given.air is not None:
        known = np.isfinite(given.air[:, 0])
        rows = given.air[known]
        film = film.copy()
        film[known] = rows[:, -1] * films(rows[:, :COLUMNS], face[known], given.temperature[known])
    radiates = 4.0 * given.emits * SIGMA * face**3
    inside = np.maximum(1.0 / given.conductance - 1.0 / first, 0.0)
    beyond = film + radiates
    source = given.emits * SIGMA * (3.0 * face**4 + given.sky**4)
    outside = (film * given.temperature + source + sun) / beyond
    fixed = np.isinf(given.film)
    heat.links = replace(
        given,
        conductance=np.where(fixed, given.conductance, 1.0 / (inside + 1.0 / beyond)),
        temperature=np.where(fixed, given.temperature, outside),
    )
    heat.link_beyond = np.where(fixed, np.inf, beyond)


def surface(heat) -> np.ndarray:
    """Temperature (K) of the outer face of every link, from what passes it now."""
    if heat.link_beyond is None:
        return heat.theta[heat.link_cells] + heat.case.reference
    _, out = heat.outflow()
    return np.maximum(heat.links.temperature + out / heat.link_beyond, 1.0)


def sunshine(heat) -> np.ndarray:
    """What every link takes up of the sun now, W: of the direct light by the angle, of the sky's by how much it
    sees."""
    given, sun = heat.case.links, heat.case.sun
    if sun is None or given.takes is None:
        return np.zeros(len(given.cells))
    way, direct, diffuse = sun.sends(heat.time)
    normal = np.zeros((len(given.cells), 3))
    rows = np.arange(len(given.cells))
    normal[rows, given.side // 2] = np.where(given.side % 2 == 1, 1.0, -1.0)
    return given.takes * (direct * np.maximum(normal @ way, 0.0) + diffuse * 0.5 * (1.0 + normal @ np.array(sun.up)))
