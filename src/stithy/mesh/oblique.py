"""True normals and true areas of curved and oblique walls, at the faces of cells that they cross."""

from __future__ import annotations

import numpy as np

from ..model import Model
from ..shapes import facets
from ..shapes.geometry import Outline, Path, Round, Triangles
from ..shapes.solids import distance, length, surfaces
from .build import Built

#: how near (part of the gap between centres) a crossing must lie to a surface to be one of it
NEAR = 1e-3


def oblique(model: Model, built: Built) -> list[tuple[np.ndarray, np.ndarray] | None]:
    """Per axis, for the high face of every cell: the unit normal (nx, ny, nz, 3; its sign is not known) of the wall
    that crosses there, NaN where none does, and true area over the area that the grid's faces have as it tilts. None:
    no wall crosses along the axis.
    """
    cross = built.crossing
    if cross is None:
        return [None, None, None]
    forms = [s.form for s in model.solids if s.form] + [x.form for x in model.passages]
    found, seen = [], np.zeros(2 * len(forms))
    for axis in range(3):
        some = _axis(built, axis, forms)
        found.append(some)
        if some is not None:
            at, normal, of = some
            across = [built.grid.widths[a][at[:, a]] for a in range(3) if a != axis]
            np.add.at(seen, of, across[0] * across[1] * np.abs(normal[:, axis]))
    true = _true_areas(built, forms)
    factor = np.where((seen > 0) & np.isfinite(true), true / np.maximum(seen, 1e-300), 1.0)
    factor = np.where(np.abs(factor - 1.0) < 0.2, factor, 1.0)  # parts of the shape lie elsewhere than in the grid
    out: list[tuple[np.ndarray, np.ndarray] | None] = []
    for some in found:
        if some is None:
            out.append(None)
            continue
        at, normal, of = some
        normals, scale = np.full((*built.grid.shape, 3), np.nan, np.float32), np.ones(built.grid.shape, np.float32)
        normals[tuple(at.T)], scale[tuple(at.T)] = normal, factor[of]
        out.append((normals, scale))
    return out


def _axis(built: Built, axis: int, forms) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
    """Cells (m, 3) whose high faces along ``axis`` a wall crosses, its normals (m, 3), and which surface it is: twice
    the number of the form, and one more for its bore."""
    grid, share = built.grid, built.crossing.share[axis]
    at = np.argwhere(np.isfinite(share))
    if not len(at):
        return None
    points = np.stack([grid.centres[a][at[:, a]] for a in range(3)], -1)
    gap = grid.centres[axis][np.minimum(at[:, axis] + 1, grid.shape[axis] - 1)] - points[:, axis]
    points[:, axis] += share[tuple(at.T)] * gap
    normal, of = np.full((len(at), 3), np.nan), np.full(len(at), -1)
    for number, form in enumerate(forms):
        box = np.array(form.box)
        near = ((points >= box[:, 0] - gap[:, None]) & (points <= box[:, 1] + gap[:, None])).all(axis=1)
        near = np.flatnonzero(near & (of < 0))
        if not len(near):
            continue
        if isinstance(form, Triangles):
            _of_triangles(grid, axis, form, at, points, gap, near, number, normal, of)
            continue
        for which, surface in enumerate(surfaces(form)):
            x = points[near]
            here = np.abs(np.broadcast_to(distance(form, surface, list(x.T)), len(near))) < NEAR * gap[near]
            mine = near[here]
            normal[mine], of[mine] = _gradient(form, surface, points[mine], gap[mine]), 2 * number + which
    size = np.linalg.norm(normal, axis=1)
    keep = (of >= 0) & (size > 0)
    return at[keep], normal[keep] / size[keep][:, None], of[keep]


def _gradient(form, surface: str, x: np.ndarray, gap: np.ndarray) -> np.ndarray:
    """Gradient (m, 3) of the distance from a surface."""
    out, h = np.zeros((len(x), 3)), 1e-3 * gap
    for a in range(3):
        step = np.zeros((len(x), 3))
        step[:, a] = h
        out[:, a] = distance(form, surface, list((x + step).T)) - distance(form, surface, list((x - step).T))
    return out


def _of_triangles(grid, axis: int, form, at, points, gap, near, number: int, normal, of) -> None:
    """Normals of the triangles that lines through cell centres along an axis pass: into ``normal`` and ``of``."""
    a, b = (m for m in range(3) if m != axis)
    i, j, place, _, triangle = facets.hits(form, axis, grid.centres[a], grid.centres[b])
    if not len(i):
        return
    x = facets.corners(form)
    unit = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    order = np.lexsort((place, j, i))
    scale = float(np.ptp(grid.lines[axis]))
    key = (i * grid.shape[b] + j)[order] * 4.0 * scale + (place[order] - grid.lines[axis][0])
    mine = (at[near, a] * grid.shape[b] + at[near, b]) * 4.0 * scale + (points[near, axis] - grid.lines[axis][0])
    best = np.searchsorted(key, mine)
    for candidate in (np.clip(best - 1, 0, len(key) - 1), np.clip(best, 0, len(key) - 1)):
        good = np.abs(key[candidate] - mine) < NEAR * gap[near]
        normal[near[good]], of[near[good]] = unit[triangle[order[candidate[good]]]], 2 * number


def _true_areas(built: Built, forms) -> np.ndarray:
    """True area (m2) of each surface without flat ends; NaN where the model's edge may cut it."""
    lines, out = built.grid.lines, np.full(2 * len(forms), np.nan)
    for number, form in enumerate(forms):
        span = getattr(form, "axis", -1)
        whole = all(
            lo > lines[a][0] - 1e-9 and hi < lines[a][-1] + 1e-9 for a, (lo, hi) in enumerate(form.box) if a != span
        )
        if not whole:
            continue
        if isinstance(form, Triangles):
            out[2 * number] = facets.area(form)
            continue
        if span >= 0:
            ends = lines[span]
            long = max(min(form.span[1], ends[-1]) - max(form.span[0], ends[0]), 0.0)
        if isinstance(form, Outline):
            p = np.array(form.points)
            out[2 * number] = float(np.linalg.norm(p - np.roll(p, -1, 0), axis=1).sum()) * long
        elif isinstance(form, Round):
            out[2 * number : 2 * number + 2] = 2 * np.pi * form.radius * long, 2 * np.pi * form.bore * long
        elif isinstance(form, Path):
            out[2 * number : 2 * number + 2] = 2 * np.pi * np.array([form.radius, form.bore]) * length(form)
    return out
