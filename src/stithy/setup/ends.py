"""Openings on blanking plates, at any angle: the faces between the plate's cells and the fluid behind it.

The faces are steps, whose areas add up to a vector S. A given flow enters with one velocity field, scaled so that its
sum over the steps is the flow exactly; the cells of the plate hold the whole vector, so that what is carried in keeps
its direction. Pressures, losses and fans act on the steps alike.
"""

from __future__ import annotations

import numpy as np

from ..errors import Problem
from ..mesh.build import Built
from ..mesh.occupancy import fluid_spaces
from ..mesh.plates import inner_faces, sheet
from ..model import Model, Opening, Plate
from ..project.kind import LOAD, SHAPE
from .case import Case, FanCurve, Fluid, OpeningFaces
from .inflow import by_table, exponent, wide

#: part of S that the plate's own area must be for the faces to stand for it
LEAST = 0.2


def density(fluid: Fluid, temperature: float) -> float:
    """Density (kg/m3) of a fluid at a temperature (K)."""
    if fluid.table is None:
        return fluid.rho
    table = np.array(fluid.table).T
    return float(np.interp(temperature, table[0], table[1]))


def on_plate(model: Model, case: Case, built: Built, end: Opening, found: list[Problem]) -> list[OpeningFaces]:
    """The faces of an opening on a plate, one set for every axis and way; notes a plate behind which there is no
    fluid, or that does not seal."""
    number = next(m for m, p in enumerate(model.plates) if p.name == end.enclosure)
    plate, none = model.plates[number], [OpeningFaces(0, 1, np.zeros((0, 3), int), "pressure", end.temperature)]
    assert built.plates is not None
    label, _ = fluid_spaces(case.kind, tuple(map("xyz".index, sorted(case.periodic))), built.shut)
    faces, _ = inner_faces(case.grid, label, np.argwhere(built.plates == number), plate.rims, built.shut)
    faces = {k: c for k, c in faces.items() if len(c)}
    inward = -np.array(plate.outward)
    step = sum((way * inward[a] * _areas(case, a, c).sum() for (a, way), c in faces.items()), 0.0)
    if step < LEAST * plate.area:
        found.append(
            Problem(
                end.name,
                "in wall of",
                f"lies on “{plate.name}”, behind which there is no fluid" + (" for most of it." if faces else "."),
                "Look at the plate's place, and whether the enclosure reaches a few cells beyond the mouth.",
                SHAPE,
                "on",
            )
        )
        return none
    first = next(iter(faces.values()))[0]
    fluid = case.fluids[case.fluid_of[tuple(first)]]
    length = end.turbulence[1] or 0.07 * 2 * (plate.area / len(plate.rims) / np.pi) ** 0.5
    common = {
        "temperature": end.temperature,
        "loss": end.loss,
        "head": end.head,
        "fan": FanCurve(end.fan.flow, end.fan.rise) if end.fan else None,
        "fan_sign": end.fan_sign,
        "intensity": end.turbulence[0],
        "length": length,
        "whole": plate.area,
        "inward": tuple(map(float, inward)),
    }
    if end.kind == "pressure":
        own = np.argwhere(built.plates == number)
        held = own, np.tile(inward, (len(own), 1))  # for a mean speed of 1 m/s
        return [
            OpeningFaces(axis=a, outward=-way, cells=c, kind="pressure", pressure=end.value, held=held, **common)
            for (a, way), c in faces.items()
        ]
    return _given(case, built, plate, number, end, faces, _flow(end, plate, fluid, inward, found), fluid, common, found)


def _areas(case: Case, axis: int, cells) -> np.ndarray:
    return np.prod([case.grid.widths[t][cells[:, t]] for t in range(3) if t != axis], axis=0)


def _flow(end: Opening, plate: Plate, fluid: Fluid, inward, found) -> float:
    """Volume flow (m3/s) that enters."""
    if end.kind == "volume":
        return end.value
    if end.kind == "mass":
        return end.value / density(fluid, end.temperature)
    slant = 1.0
    if end.direction is not None:
        slant = float(np.array(end.direction) @ inward)
        if slant < 0.05:
            found.append(
                Problem(
                    end.name,
                    "direction",
                    "does not lead into the fluid.",
                    f"Give one that does, such as {', '.join(f'{x:.3g}' for x in inward)}.",
                    LOAD,
                    "direction",
                )
            )
            slant = 1.0
    return end.value * plate.area * slant


def _given(
    case: Case, built: Built, plate: Plate, number: int, end: Opening, faces, flow: float, fluid: Fluid, common, found
):
    """The faces of a given flow, each with its speed, and the cells of the plate with their velocities."""
    inward = -np.array(plate.outward)
    heading = inward if end.direction is None else np.array(end.direction)
    if flow < 0.0 and end.direction is None:
        heading = inward
    field = _Field(plate, heading, end, abs(flow) / plate.area, fluid, case.mixing)
    speeds, total = {}, 0.0
    for (a, way), cells in faces.items():
        x = _places(case, cells)
        x[:, a] = case.grid.lines[a][cells[:, a] + (0 if way > 0 else 1)]
        speeds[a, way] = way * field.at(x)[:, a]
        total += float((speeds[a, way] * _areas(case, a, cells)).sum())
    if total <= 0.0:
        found.append(
            Problem(
                end.name,
                "profile",
                "is zero all over the plate, so nothing can enter by it.",
                "Give places in the model's coordinates, and speeds above 0 between them.",
                LOAD,
                "profile",
            )
        )
        total = 1.0
    scale = flow / total
    cells = np.argwhere(built.plates == number)
    held = cells, scale * field.at(_places(case, cells))
    fast = abs(flow) / plate.area / max(abs(float(heading @ inward)), 0.05)
    return [
        OpeningFaces(
            axis=a,
            outward=-way,
            cells=c,
            kind="velocity",
            speed=scale,
            profile=speeds[a, way],
            fast=fast,
            held=held if m == 0 else None,
            **common,
        )
        for m, ((a, way), c) in enumerate(faces.items())
    ]


def _places(case: Case, cells) -> np.ndarray:
    return np.stack([case.grid.centres[a][cells[:, a]] for a in range(3)], -1)


class _Field:
    """The velocity that enters, but for its scale: along a direction, uniform or developed over the rim, with swirl."""

    def __init__(self, plate: Plate, heading: np.ndarray, end: Opening, speed: float, fluid: Fluid, mixing: str):
        self.heading, self.swirl, self.table = heading, end.swirl, end.table
        self.sheets = [sheet(r) for r in plate.rims]
        self.shapes = [
            _Shape(s.rim, speed * fluid.rho / fluid.mu, mixing) if end.developed else None for s in self.sheets
        ]

    def at(self, x: np.ndarray) -> np.ndarray:
        """Velocity (n, 3) at places (n, 3), m."""
        near = np.argmin([np.linalg.norm(x - s.centre, axis=1) for s in self.sheets], axis=0)
        out = np.tile(self.heading, (len(x), 1))
        if self.table:
            out *= by_table(self.table, x)[:, None]
        for m, (face, shape) in enumerate(zip(self.sheets, self.shapes, strict=True)):
            here = near == m
            flat, _ = face.flat(x[here])
            if shape is not None:
                out[here] *= shape.at(flat)[:, None]
            if self.swirl:
                rim = np.linalg.norm(face.rim, axis=1).max()
                out[here] += self.swirl * np.cross(face.out, x[here] - face.centre) / rim
        return out


class _Shape:
    """Developed speed over a rim: div grad w = const with w = 0 on it, a parabola where it is round, else solved on a
    raster; turbulent its one-seventh power, by the Reynolds number of a length of 1 m (``per_metre``)."""

    COUNT = 120

    def __init__(self, rim: np.ndarray, per_metre: float, mixing: str):
        import shapely
        from scipy.sparse import diags
        from scipy.sparse.linalg import spsolve

        far = np.linalg.norm(rim, axis=1)
        self.radius = float(far.mean()) if np.ptp(far) < 0.02 * far.max() and len(rim) > 8 else 0.0
        if self.radius:
            self.power = exponent(2.0 * self.radius * per_metre, mixing)
            return
        n, low, high = self.COUNT, rim.min(axis=0), rim.max(axis=0)
        step = (high - low) / n
        self.axes = [low[t] + step[t] * (np.arange(n) + 0.5) for t in range(2)]
        x, y = np.meshgrid(*self.axes, indexing="ij")
        inside = shapely.contains_xy(shapely.Polygon(rim), x, y)
        p, q = 1 / step[0] ** 2, 1 / step[1] ** 2
        along, across = np.full(n * n, -p), np.full(n * n, -q)
        across[n - 1 :: n] = 0.0
        matrix = diags(
            [along[:-n], across[:-1], np.full(n * n, 2 * (p + q)), across[:-1], along[:-n]], [-n, -1, 0, 1, n]
        ).tocsr()
        free = np.flatnonzero(inside.ravel())
        w = np.zeros(n * n)
        w[free] = spsolve(matrix[free][:, free].tocsc(), np.ones(len(free)))
        w = np.maximum(w, 0.0).reshape(n, n)
        w **= exponent(wide(float(w[inside].mean())) * per_metre, mixing)
        self.w = w / w[inside].mean()

    def at(self, p: np.ndarray) -> np.ndarray:
        """Speed over the mean at places (n, 2) of the rim's plane."""
        if self.radius:
            return np.maximum(1.0 - (p**2).sum(axis=1) / self.radius**2, 0.0) ** self.power
        from scipy.interpolate import RegularGridInterpolator

        look = RegularGridInterpolator(self.axes, self.w, bounds_error=False, fill_value=0.0)
        return np.maximum(look(p), 0.0)
