"""Where fluid crosses the edge of the model: the cells behind every opening and what holds there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..errors import Problem
from ..mesh.build import Built
from ..mesh.occupancy import FLUID
from ..mesh.surfaces import block, span
from ..model import Model, Opening
from ..project.kind import LOAD, SHAPE
from .case import Case, FanCurve, OpeningFaces
from .ends import density, on_plate
from .inflow import by_table, developed
from .open_area import open_area


def openings(model: Model, case: Case, built: Built, found: list[Problem]) -> list[OpeningFaces]:
    """The faces of all openings; notes those that are blocked, and two that serve one fluid at one place."""
    out = []
    for number, end in enumerate(model.openings):
        made = on_plate(model, case, built, end, found) if end.plated else [_faces(model, case, end, found)]
        out += [replace(x, end=number) for x in made]
    _check_shared(model, out, found)
    return out


def _faces(model: Model, case: Case, end: Opening, found) -> OpeningFaces:
    space = next(s for s in model.enclosures if s.name == end.enclosure)
    axis, high = "xyz".index(end.side[0]), end.side[1] == "+"
    lines = case.grid.lines
    index = [None] * 3
    for a, reach in zip((a for a in range(3) if a != axis), end.rect, strict=True):
        index[a] = span(lines[a], *reach)
    edge = space.outer[axis][1 if high else 0]
    at = int(np.argmin(np.abs(lines[axis] - edge)))
    index[axis] = np.array([at - 1 if high else at])
    cells = block(index)
    open_cells = _served(model, case, end, cells[case.kind[tuple(cells.T)] == FLUID], found)
    if end.hub:
        open_cells = without_hub(case, end, axis, open_cells)
    area = (
        np.prod([case.grid.widths[a][open_cells[:, a]] for a in range(3) if a != axis], axis=0).sum()
        if len(open_cells)
        else 0.0
    )
    if area <= 0:
        found.append(
            Problem(
                end.name,
                "low corner",
                "is blocked: solids stand right behind it.",
                "Move the opening or what stands in it.",
                SHAPE,
                "at",
            )
        )
        return OpeningFaces(axis, 1 if high else -1, cells[:0], "pressure", end.temperature)
    fluid = case.fluids[case.fluid_of[tuple(open_cells[0])]]
    kind, speed, pressure = "velocity", 0.0, 0.0
    if end.kind == "velocity":
        speed = end.value * open_area(model, case, end, axis, open_cells, area) / area
    elif end.kind == "volume":
        speed = end.value / area
    elif end.kind == "mass":
        speed = end.value / (area * density(fluid, end.temperature))
    else:
        kind, pressure = "pressure", end.value
    curve = FanCurve(end.fan.flow, end.fan.rise) if end.fan else None
    intensity, length = end.turbulence
    shape = None
    if end.developed and kind == "velocity":
        shape = developed(case, axis, open_cells, kind, speed, fluid.mu / fluid.rho)
    if end.table and kind == "velocity":
        shape = _tabled(case, end, axis, open_cells, found)
    return OpeningFaces(
        axis,
        1 if high else -1,
        open_cells,
        kind,
        end.temperature,
        speed,
        pressure,
        end.loss,
        end.head,
        curve,
        end.fan_sign,
        shape,
        intensity,
        length,
    )


def _tabled(case: Case, end: Opening, axis: int, cells, found) -> np.ndarray | None:
    """Speed of each cell over the mean, by the opening's table."""
    own = np.prod([case.grid.widths[t][cells[:, t]] for t in range(3) if t != axis], axis=0)
    shape = by_table(end.table, np.stack([case.grid.centres[a][cells[:, a]] for a in range(3)], -1))
    if int(end.table[0][0]) == axis or not shape.any():
        what = "runs along the flow" if int(end.table[0][0]) == axis else "is zero all over the opening"
        found.append(
            Problem(
                end.name,
                "profile",
                f"{what}, so nothing can enter by it.",
                "Give places along an axis that lies in the opening, in the model's coordinates.",
                LOAD,
                "profile",
            )
        )
        return None
    return shape * own.sum() / (shape * own).sum()


def _served(model: Model, case: Case, end: Opening, cells, found) -> np.ndarray:
    """Of the fluid cells behind an opening, those of the fluid it serves: a round tube and what flows about it meet one
    rectangle, and may well be of one kind."""
    of = case.fluid_of[tuple(cells.T)]
    if len(np.unique(of)) < 2:
        return cells
    if end.serves:
        names = [(s.name, s.fluid_name) for s in model.enclosures] + [(g.name, g.fluid_name) for g in model.regions]
        if not any(end.serves in n for n in names):
            found.append(
                Problem(
                    end.name,
                    "opens to",
                    f"“{end.serves}” is no fluid of this model.",
                    f"Choose one of {', '.join(dict.fromkeys(f for _, f in names))}, or a fluid region.",
                    LOAD,
                    "serves",
                )
            )
        return cells[[end.serves in names[m] for m in of]]
    across = [a for a in range(3) if a != "xyz".index(end.side[0])]
    far = sum(
        (case.grid.centres[a][cells[:, a]] - 0.5 * sum(reach)) ** 2 for a, reach in zip(across, end.rect, strict=True)
    )
    return cells[of == of[int(np.argmin(far))]]


def _check_shared(model: Model, faces: list[OpeningFaces], found) -> None:
    """Openings that overlap must serve different fluids."""
    taken: dict = {}
    for p in faces:
        end = model.openings[p.end]
        other = next((taken[key] for c in p.cells if (key := (p.axis, p.outward, *map(int, c))) in taken), None)
        if other:
            found.append(
                Problem(
                    end.name,
                    "opens to",
                    f"overlaps “{other}” and serves the same fluid.",
                    "Move or shrink one of the two, or name another fluid.",
                    LOAD,
                    "serves",
                )
            )
        taken |= {(p.axis, p.outward, *map(int, c)): end.name for c in p.cells}


def without_hub(case: Case, device, axis: int, cells: np.ndarray) -> np.ndarray:
    """The cells of a fan that its hub leaves open."""
    across = [a for a in range(3) if a != axis]
    far = sum(
        (case.grid.centres[a][cells[:, a]] - 0.5 * sum(reach)) ** 2
        for a, reach in zip(across, device.rect, strict=True)
    )
    return cells[far > (0.5 * device.hub) ** 2]
