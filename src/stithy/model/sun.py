"""Where the sun stands and what it sends: given, or by latitude, day and hour."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: W/m2 above the air; what a clear sky lets through by the mass of air passed (Meinel & Meinel 1976)
ABOVE, CLEAR, POWER = 1353.0, 0.7, 0.678
#: of what the sun sends down on level ground, what a clear sky sends besides
DIFFUSE = 0.1


@dataclass(frozen=True)
class Sun:
    """``direction`` towards it (None: by ``latitude`` rad, ``day`` of the year and ``hour`` of solar time at the
    start), ``north`` and ``up`` unit vectors; ``intensity`` (W/m2, square to it) and ``diffuse`` (W/m2 on level
    ground), None: of a clear sky. ``moves``: it does so in runs in time."""

    name: str
    up: tuple[float, float, float]
    direction: tuple[float, float, float] | None = None
    latitude: float = 0.0
    day: float = 172.0
    hour: float = 12.0
    north: tuple[float, float, float] = (0.0, 1.0, 0.0)
    intensity: float | None = None
    diffuse: float | None = None

    @property
    def moves(self) -> bool:
        """Whether it changes its place in time."""
        return self.direction is None

    def towards(self, time: float = 0.0) -> np.ndarray:
        """Unit vector towards the sun, ``time`` s after the start.

        Source: Duffie & Beckman, Solar Engineering of Thermal Processes: declination by Cooper, hour angle.
        """
        if self.direction is not None:
            v = np.array(self.direction)
            return v / np.linalg.norm(v)
        hour = self.hour + time / 3600.0
        day = self.day + np.floor(hour / 24.0)
        tilt = np.radians(23.45) * np.sin(2 * np.pi * (284.0 + day) / 365.0)
        angle = np.radians(15.0) * (hour - 12.0)
        up, north = np.array(self.up), np.array(self.north)
        east = np.cross(north, up)
        high = np.sin(self.latitude) * np.sin(tilt) + np.cos(self.latitude) * np.cos(tilt) * np.cos(angle)
        to_north = np.cos(self.latitude) * np.sin(tilt) - np.sin(self.latitude) * np.cos(tilt) * np.cos(angle)
        to_east = -np.cos(tilt) * np.sin(angle)
        return high * up + to_north * north + to_east * east

    def sends(self, time: float = 0.0) -> tuple[np.ndarray, float, float]:
        """Unit vector towards it, direct intensity square to it and diffuse one on level ground, W/m2; nothing at
        night."""
        way = self.towards(time)
        high = float(way @ np.array(self.up))
        if self.moves and high <= 0.0:
            return way, 0.0, 0.0
        direct = self.intensity
        if direct is None:
            direct = ABOVE * CLEAR ** (max(high, 0.02) ** -POWER) if high > 0.0 else 0.0
        return way, direct, DIFFUSE * direct * max(high, 0.0) if self.diffuse is None else self.diffuse
