"""Film coefficients of still air or wind on the sides of a box, by their place, size and temperature.

Upright sides in still air: Churchill and Chu (1975); level ones: McAdams. Along the wind: a plate, laminar or
turbulent; before and behind: a square bar across the stream (Jakob). Both together by the cubes of their films.
"""

from __future__ import annotations

import numpy as np

from ..mesh.surfaces import Surface
from ..model import Model
from ..project.library import air

#: K by which a wall is taken to be warmer than the air before anything is known, and at least
FIRST, LEAST = 15.0, 0.1
#: Reynolds number from which on a plate's film is turbulent; air at sea level has this density at 15 degC
TURBULENT = 5e5
#: columns of what is known of a face: speed m/s, length along the wind (m), 1 where the wind meets it square, height or
#: size (m), which way it looks (1 up, -1 down, 0 upright), pull m/s2, pressure Pa
COLUMNS = 7


def known(model: Model, surface: Surface, count: int) -> np.ndarray:
    """What films of ``count`` faces of a surface follow from, (count, COLUMNS); NaN where no air is told."""
    told = surface.condition.air
    home = next((s for s in model.enclosures if s.name == surface.enclosure), None)
    if told is None or home is None:
        return np.full((count, COLUMNS), np.nan)
    long = [hi - lo for lo, hi in home.outer]
    axis = "xyz".index(surface.side[0])
    pull = np.array(model.surroundings.gravity)
    down = int(np.argmax(np.abs(pull))) if pull.any() else -1
    sides = [a for a in range(3) if a != axis]
    looks = 0.0
    if axis == down:
        looks = (1.0 if surface.side[1] == "+" else -1.0) * (-np.sign(pull[down]))
    size = (
        long[sides[0]] * long[sides[1]] / (2 * (long[sides[0]] + long[sides[1]])) if looks or down < 0 else long[down]
    )
    square = float(told.along == axis)
    along = min(long[sides[0]], long[sides[1]]) if square else long[told.along] if told.along >= 0 else size
    row = (told.speed, along, square, size, looks, float(np.linalg.norm(pull)), model.surroundings.pressure)
    return np.tile(row, (count, 1))


def films(rows: np.ndarray, face: np.ndarray, ambient: np.ndarray) -> np.ndarray:
    """W/m2/K for ``rows`` as of :func:`known`, of faces at a temperature (K) in air at ``ambient`` (K)."""
    speed, along, square, size, looks, pull, pressure = rows.T
    film = np.clip(0.5 * (face + ambient), 150.0, 1600.0)
    t, rho, mu, cp, k = air(film, pressure)
    warmer = face - ambient
    prandtl = mu * cp / k
    ra = np.maximum(pull / t * np.maximum(np.abs(warmer), LEAST) * size**3 * (rho / mu) ** 2 * prandtl, 1e-9)
    upright = (0.825 + 0.387 * ra ** (1 / 6) / (1 + (0.492 / prandtl) ** (9 / 16)) ** (8 / 27)) ** 2
    free = np.where(ra < 1e7, 0.54 * ra**0.25, 0.15 * ra ** (1 / 3))
    over = looks * np.where(warmer >= 0, 1.0, -1.0)  # buoyancy leads away from it
    still = np.where(looks == 0, upright, np.where(over > 0, free, 0.27 * ra**0.25)) * k / size
    re = rho * np.maximum(speed, 0.0) * along / mu
    plate = np.where(re > TURBULENT, 0.037 * re**0.8 - 871.0, 0.664 * re**0.5) * prandtl ** (1 / 3)
    bar = 0.102 * re**0.675 * prandtl ** (1 / 3)
    wind = np.where(square > 0, bar, plate) * k / along
    return np.asarray((still**3 + np.maximum(wind, 0.0) ** 3) ** (1 / 3))
