"""A wall across an enclosure, which makes two rooms of it."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from ..errors import ValueProblem
from ..model import Enclosure, Solid
from ..project import units
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.geometry import Box
from . import enclosure, finishes, solids
from .cells import AXES, CellsAcross, Material, Starts, SurfaceFinish


class Partition(Row):
    """A wall across an enclosure from side to side, with windows where fluid passes: it makes two rooms of one, and
    several of them as many as are wanted."""

    kind: Literal["partition"] = "partition"
    on: Annotated[
        Text,
        Cell("in", SHAPE, "the enclosure that it parts; empty: the first", refers=("enclosure",), columns=("size",)),
    ] = ""
    across: Annotated[Text, Cell("across", SHAPE, "the axis that it stands across", AXES)] = "x"
    at: Annotated[Text, Cell("place", SHAPE, "of its low face along that axis", columns=("place",))] = "50 mm"
    thick: Annotated[Text, Cell("thickness", SHAPE, "of the wall")] = "2 mm"
    windows: Annotated[
        Text,
        Cell(
            "windows",
            SHAPE,
            "low corner and size in the wall's two directions, with semicolons: 10, 10, 30, 20 mm; empty: none",
        ),
    ] = ""
    material: Material = "aluminium"
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Partition) -> Solid | None:
    """The wall as boxes between its windows."""
    if row.text("on"):
        name = r.choice(row, "on", r.names_of("enclosure"), "")
    else:
        name = next(iter(r.names_of("enclosure")), "")
    if not name:
        return None
    inner = _inner(r, r.by_name[name])
    axis = AXES.index(r.choice(row, "across", AXES, "x"))
    at = r.value(row, "at", "length", inner[axis][0])
    thick = r.value(row, "thick", "length", 1e-3, above=0.0)
    low, high = inner[axis]
    if not low - 1e-9 <= at <= high - thick + 1e-9:
        told = f"“{row.at}” is not inside “{name}”."
        r.note(row, "at", told, f"Give {1e3 * low:.4g} to {1e3 * (high - thick):.4g} mm.")
        at = low
    boxes = _around(r, row, axis, (at, at + thick), inner)
    m, k, table = solids.material(r, row)
    cells = r.whole(row, "cells", 0, 1, 400) if row.text("cells") else 0
    return Solid(
        row.name,
        row.kind,
        boxes,
        k,
        m.rho,
        m.cp,
        0.0,
        cells,
        m.tone,
        table=table,
        starts=solids.starts(r, row),
        finish=finishes.finish(r, row, m),
    )


def _inner(r: Reader, row: Row) -> Box:
    """Inner box (m) of an enclosure's row; its own faults are told by itself."""
    kept = len(r.problems)
    wall = r.value(row, "wall", "length", 0.0, least=0.0)
    del r.problems[kept:]
    outer = enclosure.outer_of(r, row.name)
    assert outer is not None
    return tuple((a + wall, b - wall) for a, b in outer)


def _around(r: Reader, row: Partition, axis: int, span: tuple[float, float], inner: Box) -> tuple[Box, ...]:
    """Boxes that fill the wall beside its windows."""
    u, v = (a for a in range(3) if a != axis)
    holes = [h for h in _windows(r, row) if _fits(r, row, h, inner[u], inner[v])]
    lines = [np.unique([*inner[a], *(x for h in holes for x in (h[m], h[m] + h[m + 2]))]) for m, a in enumerate((u, v))]
    out = []
    for a, b in zip(lines[0], lines[0][1:], strict=False):
        run: list[float] | None = None
        for c, d in zip(lines[1], lines[1][1:], strict=False):
            open_ = any(
                h[0] - 1e-9 <= a and b <= h[0] + h[2] + 1e-9 and h[1] - 1e-9 <= c and d <= h[1] + h[3] + 1e-9
                for h in holes
            )
            if not open_:
                run = [c, d] if run is None else [run[0], d]
            if run is not None and (open_ or d == lines[1][-1]):
                box: list = [None] * 3
                box[axis], box[u], box[v] = span, (float(a), float(b)), (float(run[0]), float(run[1]))
                out.append(tuple(box))
                run = None
    return tuple(out)


def _windows(r: Reader, row: Partition) -> list[tuple[float, ...]]:
    """Low corners and sizes (m)."""
    parts = [p.strip() for p in row.windows.split(";") if p.strip()]
    unit = units.unit_of(units.split(parts[-1])[-1]) if parts else ""
    try:
        return [units.vector(p if not unit or p.endswith(unit) else f"{p} {unit}", "length", 4, r.names) for p in parts]
    except ValueProblem:
        r.note(row, "windows", f"“{units.short(row.windows)}” cannot be read.", "Write it like 10, 10, 30, 20 mm.")
        return []


def _fits(r: Reader, row: Partition, hole, first, second) -> bool:
    good = hole[2] > 0 and hole[3] > 0
    for (low, high), at, size in ((first, hole[0], hole[2]), (second, hole[1], hole[3])):
        good &= low - 1e-9 <= at and at + size <= high + 1e-9
    if not good:
        room = f"{1e3 * first[0]:.4g} to {1e3 * first[1]:.4g} and {1e3 * second[0]:.4g} to {1e3 * second[1]:.4g} mm"
        r.note(row, "windows", "reach beyond the wall, or have no size.", f"Keep them within {room}.")
    return bool(good)


def place(space: Enclosure) -> dict[str, str]:
    """Across the middle of the longest side."""
    sizes = [b - a for a, b in space.inner]
    axis = int(np.argmax(sizes))
    return {"on": space.name, "across": AXES[axis], "at": f"{500 * sum(space.inner[axis]):.4g} mm"}


register(Partition, "Blocks", ("solid",), read=read, place=place)
