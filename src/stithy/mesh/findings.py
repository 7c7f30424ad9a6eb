"""What is doubtful about a grid before anything is solved: gaps and solids with too few cells, cells that are long and
thin, neighbours of very different size; worst first, each with its place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import Model
from . import wishes
from .gridding import grid_lines
from .lines import SNAP, Grid, facing_gaps
from .rule import POOR

#: cells across a gap, or through a solid that conducts badly, below which it is told
FEW_GAP, FEW_SOLID = 3, 2
#: length of a cell over its width, and sizes of neighbours over each other, from which on they are told
LONG, JUMP = 40.0, 3.0
MOST = 40


@dataclass(frozen=True)
class Finding:
    """Something doubtful: ``what`` in words, about ``rows``, at ``place`` (m); ``weight`` orders them, 1 is where it
    begins to matter."""

    what: str
    rows: tuple[str, ...]
    place: tuple[float, float, float]
    weight: float
    remedy: str


def findings(model: Model, grid: Grid | None = None) -> list[Finding]:
    """What is doubtful of a model's grid, worst first."""
    grid = grid_lines(model) if grid is None else grid
    out = [*_gaps(model, grid), *_solids(model, grid), *_jumps(model, grid), *_long(model, grid)]
    return sorted(out, key=lambda f: -f.weight)[:MOST]


def yplus(model: Model, grid: Grid | None = None) -> list[tuple[str, float, float]]:
    """Enclosures whose flow something drives, with the least and greatest y+ of first cells at their walls, about: by
    the friction of a duct of their section (:func:`mesh.wishes.friction_speed`)."""
    grid, out = grid_lines(model) if grid is None else grid, []
    for space in model.enclosures:
        fast = wishes.friction_speed(model, space)
        if fast <= 0.0 or model.surroundings.mixing == "laminar":
            continue
        first: list[float] = []
        for a in range(3):
            faces = {v for s in model.solids for box in ([s.form.box] if s.form else s.boxes) for v in box[a]}
            for at in faces | set(space.inner[a]):
                m = int(np.argmin(np.abs(grid.lines[a] - at)))
                first += [float(grid.widths[a][n]) for n in (m - 1, m) if 0 <= n < len(grid.widths[a])]
        scale = 0.5 * fast * space.fluid.rho / space.fluid.mu
        out.append((space.name, scale * min(first), scale * max(first)))
    return out


def _between(grid: Grid, axis: int, low: float, high: float) -> int:
    """Cells along an axis between two places."""
    lines = grid.lines[axis]
    return int(np.searchsorted(lines, high - SNAP) - np.searchsorted(lines, low + SNAP) + 1)


def _named(model: Model) -> list[tuple[str, tuple]]:
    return [(s.name, b) for s in model.solids if not s.form for b in s.boxes]


def _gaps(model: Model, grid: Grid) -> list[Finding]:
    """Gaps between solids with few cells across."""
    named, out = _named(model), []
    if not named:
        return out
    boxes = np.array([b for _, b in named], float)
    for a in range(3):
        for low, high in facing_gaps(boxes, a):
            count = _between(grid, a, low, high)
            if count >= FEW_GAP:
                continue
            one = next((m for m, (_, b) in enumerate(named) if abs(b[a][1] - low) < SNAP), None)
            two = next((m for m, (_, b) in enumerate(named) if abs(b[a][0] - high) < SNAP), None)
            rows = tuple(dict.fromkeys(named[m][0] for m in (one, two) if m is not None))
            place = boxes[one if one is not None else 0].mean(axis=1)
            place[a] = 0.5 * (low + high)
            what = (
                f"{count} cell{'s' if count > 1 else ''} across a gap of {1e3 * (high - low):.3g} mm along {'xyz'[a]}"
            )
            out.append(
                _finding(what, rows, place, FEW_GAP / count, "Choose a finer detail, or more cells across gaps.")
            )
    return out


def _solids(model: Model, grid: Grid) -> list[Finding]:
    """Solids that conduct badly through few cells, and parts that release heat in one cell."""
    out = []
    for s in model.solids:
        if s.form or s.stack is not None or s.junction or s.fixed is not None:
            continue
        for box in s.boxes:
            thin = int(np.argmin([hi - lo for lo, hi in box]))
            count = _between(grid, thin, *box[thin])
            if count < FEW_SOLID and (s.k[thin] < POOR or s.power):
                what = f"{count} cell through {1e3 * (box[thin][1] - box[thin][0]):.3g} mm of {s.name}"
                place = np.mean(box, axis=1)
                out.append(_finding(what, (s.name,), place, FEW_SOLID / count, "Write its cell “cells across”."))
                break
    return out


def _jumps(model: Model, grid: Grid) -> list[Finding]:
    """Neighbours of very different size along an axis, but for the layers of boards, which are thin on purpose."""
    out = []
    for a in range(3):
        w = grid.widths[a]
        if len(w) < 2:
            continue
        ratio = np.maximum(w[1:] / w[:-1], w[:-1] / w[1:])
        for edges in (s.stack.edges for s in model.solids if s.stack is not None and s.stack.normal == a):
            ratio[(grid.lines[a][1:-1] > edges[0] - SNAP) & (grid.lines[a][1:-1] < edges[-1] + SNAP)] = 1.0
        m = int(np.argmax(ratio))
        if ratio[m] > JUMP:
            place = np.array([0.5 * (line[0] + line[-1]) for line in grid.lines])
            place[a] = grid.lines[a][m + 1]
            what = f"neighbours {ratio[m]:.2g} times as long along {'xyz'[a]} at {1e3 * place[a]:.4g} mm"
            out.append(_finding(what, (), place, float(ratio[m]) / JUMP, "Choose a smaller growth in the grid row."))
    return out


def _long(model: Model, grid: Grid) -> list[Finding]:
    """The longest cell over its width."""
    low, high = ([float(w.min()) for w in grid.widths], [float(w.max()) for w in grid.widths])
    thin, long = int(np.argmin(low)), int(np.argmax(high))
    if thin == long or high[long] / low[thin] < LONG or any(s.stack is not None for s in model.solids):
        return []
    place = np.array([0.5 * (line[0] + line[-1]) for line in grid.lines])
    place[thin] = grid.centres[thin][int(np.argmin(grid.widths[thin]))]
    place[long] = grid.centres[long][int(np.argmax(grid.widths[long]))]
    what = f"cells {high[long] / low[thin]:.3g} times as long along {'xyz'[long]} as along {'xyz'[thin]}"
    return [_finding(what, (), place, high[long] / low[thin] / LONG / 2, "Choose a smaller longest cell.")]


def _finding(what: str, rows: tuple[str, ...], place, weight: float, remedy: str) -> Finding:
    x, y, z = (float(v) for v in place)
    return Finding(what, rows, (x, y, z), weight, remedy)
