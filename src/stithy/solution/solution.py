"""What the solver gives: fields on the grid, walls, temperatures on faces, and the summary. All that reading takes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from ..mesh.lines import Grid
from ..mesh.occupancy import FLUID, VOID, fluid_spaces


@dataclass
class Fields:
    """A solution on the grid of its case: cells (nx, ny, nz) of ``temperature`` K and ``pressure`` Pa, velocities
    ``u``, ``v``, ``w`` (m/s) on faces, one longer along their axis; ``extra`` fields of mixing model and thin
    layers."""

    temperature: np.ndarray
    pressure: np.ndarray
    u: np.ndarray
    v: np.ndarray
    w: np.ndarray
    extra: dict = field(default_factory=dict)


@dataclass(frozen=True)
class Walls:
    """Every face where fluid meets a wall, then outer faces of solids that exchange heat (``outer``), as arrays of one
    length.

    ``names``: of the walls, which ``name`` (N) counts; ``cell`` (N) flat number of the cell before the wall, ``axis``,
    ``outward`` (+1: the wall lies towards higher coordinates), ``gap`` (m) from the cell's centre to the wall, ``area``
    (m2, the true one of curved walls), ``heat`` (W, into the fluid; of outer faces into the solid), ``temperature`` (K)
    of the wall, ``shear`` (N, 3), ``push`` (N, along the axis) and ``pressure`` (Pa): what the fluid does to the wall.
    ``radiated`` (W; emitted less absorbed), ``falls`` (W/m2 of heat radiation that falls on it), ``sun`` (W of sunshine
    that it takes up); zeros where nothing radiates.
    """

    names: tuple[str, ...]
    name: np.ndarray
    cell: np.ndarray
    axis: np.ndarray
    outward: np.ndarray
    outer: np.ndarray
    gap: np.ndarray
    area: np.ndarray
    heat: np.ndarray
    temperature: np.ndarray
    shear: np.ndarray
    push: np.ndarray
    pressure: np.ndarray
    radiated: np.ndarray
    falls: np.ndarray
    sun: np.ndarray


#: columns that results of before radiation have not kept: nothing radiated
SINCE_RADIATION = ("radiated", "falls", "sun")
#: the columns of :class:`Walls` by the type they are stored in
WALL_COLUMNS = {
    "name": "i4",
    "cell": "i8",
    "axis": "i1",
    "outward": "i1",
    "outer": "i1",
    "gap": "f",
    "area": "f",
    "heat": "f",
    "temperature": "f",
    "shear": "f",
    "push": "f",
    "pressure": "f",
    "radiated": "f",
    "falls": "f",
    "sun": "f",
}


@dataclass(frozen=True)
class Instant:
    """One kept moment of a run in time: ``time`` s, its fields, temperatures on faces and walls; ``numbers``: entries
    of the summary as they were then, empty in results of before these were kept."""

    time: float
    fields: Fields
    faces: dict = field(default_factory=dict)
    walls: Walls | None = None
    numbers: dict = field(default_factory=dict)


@dataclass(frozen=True)
class Solution:
    """A solved layout.

    grid : its lines. temperature (K), pressure (Pa, relative to ambient), density (kg/m3; 0 in solids), kind, part :
    (nx, ny, nz).
    u, v, w : m/s on faces, one longer along their own axis. parts : names that ``part`` counts. summary : plain values,
    see :mod:`solution.summary`. extra : fields of the mixing model. faces : :attr:`outcome.faces.FaceTemperatures.at`,
    empty where not known.
    walls : None where not known. instants : kept moments of a run in time. properties : cells of "conductivity x", "y",
    "z" (W/m/K, molecular in fluids), "viscosity" (Pa s) and "effective viscosity" as they were used last; empty in
    results of before these were kept. ends : by the names of openings their pieces, each (axis, +1 or -1: outward,
    cells (n, 3) behind them). coarse : the same layout on a grid of half the counts, None where there is none.
    moment : s, where the fields are those of a kept instant; ``summary`` is of then where it is known (``told``),
    ``properties`` are those of the end. state : what a run in time needs beyond these to go on from its end.
    """

    grid: Grid
    temperature: np.ndarray
    pressure: np.ndarray
    u: np.ndarray
    v: np.ndarray
    w: np.ndarray
    kind: np.ndarray
    part: np.ndarray
    parts: tuple[str, ...]
    summary: dict
    extra: dict = field(default_factory=dict)
    instants: tuple[Instant, ...] = ()
    faces: dict = field(default_factory=dict)
    density: np.ndarray | None = None
    walls: Walls | None = None
    properties: dict = field(default_factory=dict)
    ends: dict[str, list[tuple[int, int, np.ndarray]]] = field(default_factory=dict)
    coarse: Solution | None = None
    moment: float | None = None
    told: bool = True
    state: dict[str, np.ndarray] = field(default_factory=dict)

    @property
    def fields(self) -> Fields:
        """The fields that a run can go on from."""
        return Fields(self.temperature, self.pressure, self.u, self.v, self.w, self.extra)

    @cached_property
    def spaces(self) -> np.ndarray:
        """Number of the fluid space of every cell; -1 in solids."""
        return fluid_spaces(self.kind, tuple(map("xyz".index, self.summary.get("periodic", ()))), self._shut())[0]

    @cached_property
    def middle(self) -> tuple[float, float, float]:
        """The middle (m) of the fluid by its volume, of all cells that are solved where there is none: where a picture
        begins that nobody has placed."""
        here = self.kind == FLUID
        weight = np.where(here if here.any() else self.kind != VOID, self.grid.volumes(), 0.0)
        total = max(float(weight.sum()), 1e-300)
        out = []
        for a, c in enumerate(self.grid.centres):
            share = weight.sum(axis=tuple(t for t in range(3) if t != a))
            out.append(float((share * c).sum() / total))
        return out[0], out[1], out[2]

    @cached_property
    def regions(self) -> np.ndarray:
        """Which region every cell belongs to: number of the part, -2 less the number of the fluid space, -1 outside."""
        return np.where(self.kind == FLUID, -2 - self.spaces, self.part).astype(np.int32)

    def _shut(self) -> tuple[np.ndarray, ...] | None:
        """High faces of cells that are walls between two fluid cells; None where there are none."""
        w, out = self.walls, tuple(np.zeros(self.kind.shape, bool) for _ in range(3))
        if w is None:
            return None
        n = self.kind.shape
        for a in range(3):
            cells = np.stack(np.unravel_index(w.cell[(w.axis == a) & (w.outward > 0) & (w.outer == 0)], n), -1)
            ahead = cells + np.eye(3, dtype=int)[a]
            cells, ahead = (x[ahead[:, a] < n[a]] for x in (cells, ahead))
            out[a][tuple(cells[self.kind[tuple(ahead.T)] == FLUID].T)] = True
        return out if any(x.any() for x in out) else None

    def at_instant(self, time: float) -> Solution:
        """The kept instant nearest to ``time`` (s), or the last field where none is kept."""
        if not self.instants:
            return self
        near = min(self.instants, key=lambda x: abs(x.time - time))
        f = near.fields
        return replace(
            self,
            temperature=f.temperature,
            pressure=f.pressure,
            u=f.u,
            v=f.v,
            w=f.w,
            faces=near.faces,
            walls=near.walls,
            coarse=None,
            moment=near.time,
            summary=self.summary | near.numbers | {"coarse": None},
            told=bool(near.numbers),
        )

    def velocity(self) -> np.ndarray:
        """Cell-centred velocity (nx, ny, nz, 3), m/s."""
        u, v, w = self.u, self.v, self.w
        return np.stack([0.5 * (u[1:] + u[:-1]), 0.5 * (v[:, 1:] + v[:, :-1]), 0.5 * (w[:, :, 1:] + w[:, :, :-1])], -1)

    def mass_flow(self, axis: int) -> np.ndarray:
        """Mass flow (kg/s) through all faces across ``axis``, one longer along it; density on a face is the mean of two
        fluid cells."""
        rho = np.zeros(self.kind.shape) if self.density is None else self.density
        mode: Any = "wrap" if "xyz"[axis] in self.summary.get("periodic", ()) else "constant"
        wide = np.moveaxis(np.pad(rho, [(int(a == axis),) * 2 for a in range(3)], mode=mode), axis, 0)
        low, high = wide[:-1], wide[1:]
        on_face = np.moveaxis(
            np.where((low > 0) & (high > 0), 0.5 * (low + high), low + high).astype(np.float32), 0, axis
        )
        others = [self.grid.widths[a] for a in range(3) if a != axis]
        area = np.expand_dims(others[0][:, None] * others[1][None, :], axis)
        return on_face * area * (self.u, self.v, self.w)[axis]

    @cached_property
    def gaps(self) -> dict[tuple[int, int], np.ndarray]:
        """Per (axis, 0 for low or 1 for high side): distance (m) from cell centres to the wall there, NaN where there
        is none."""
        out = {(a, up): np.full(self.kind.size, np.nan) for a in range(3) for up in (0, 1)}
        w = self.walls
        if w is None:
            return {}
        moving = {("xyz".index(s[0]), int(s[1] == "+")) for s in self.summary.get("moving_sides", ())}
        belts = [n for n, name in enumerate(w.names) if name in self.summary.get("belts", ())]
        stands = ~np.isin(w.name, belts)
        for (a, up), gaps in out.items():
            here = stands & (w.axis == a) & (w.outward == (1 if up else -1)) & (w.outer == 0)
            if (a, up) in moving:  # the fluid keeps the speed of a side that slides
                edge = np.zeros(self.kind.shape, bool)
                np.moveaxis(edge, a, 0)[-up] = True
                here &= ~edge.ravel()[w.cell]
            gaps[w.cell[here]] = w.gap[here]
        return {key: x.reshape(self.kind.shape) for key, x in out.items()}
