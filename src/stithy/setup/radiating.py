"""Faces that radiate to each other through gases and vacuum: where they are, their true areas and normals, what they
are made of, and what lies behind them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..mesh.build import Built
from ..mesh.groups import group_faces
from ..mesh.oblique import oblique
from ..mesh.occupancy import FLUID, SOLID
from ..mesh.surfaces import Surface, numbers
from ..model import BLACKENED, Model
from .case import LIQUID, Case
from .materials import solids_of
from .walls import of_sides

#: what lies behind a face: a cell of a solid, an exchange of heat with the outside, nothing that takes heat, or a sheet
#: thinner than a cell with fluid beyond
SOLID_BEHIND, LINK_BEHIND, LOOSE, SHEET = 0, 1, 2, 3
#: a curved surface made of cells would shade itself: walls of the same part do not stop rays below this part of a cell
#: over it (measured; see the physics manual)
SKIP = 0.525
#: owner of faces that belong to no part: sides come at -10 and below
NOBODY = -9


@dataclass(frozen=True)
class RadiatingFaces:
    """Faces between a gas and what is opaque, as arrays of one length.

    ``cell`` (n, 3) the gas cells; ``axis`` and ``up`` (1: the wall lies at the high side) which of their faces;
    ``area`` (m2, true); ``centre`` (n, 3) m on the true surface, ``normal`` (n, 3) into the gas, ``straight``: it is a
    face of the grid; ``skip`` m; ``owner``: number of the part, or -10 less the number of the surface of the outside;
    ``emissivity``, ``absorptivity`` (of sunlight); ``behind`` and ``link`` (number of the link, -1) and ``given`` (W,
    heat that is given at the face). ``beyond`` (K): what each opening shows; ``sheets``: how many faces belong to
    sheets thinner than a cell, which have one temperature through.
    """

    cell: np.ndarray
    axis: np.ndarray
    up: np.ndarray
    area: np.ndarray
    centre: np.ndarray
    normal: np.ndarray
    straight: np.ndarray
    skip: np.ndarray
    owner: np.ndarray
    emissivity: np.ndarray
    absorptivity: np.ndarray
    behind: np.ndarray
    link: np.ndarray
    given: np.ndarray
    beyond: np.ndarray
    sheets: int = 0

    def __len__(self) -> int:
        return len(self.axis)


def clear(case: Case) -> np.ndarray:
    """Cells (bool) of gases."""
    gas = np.array([f.rho < LIQUID for f in case.fluids] + [False])
    return (case.kind == FLUID) & gas[case.fluid_of]


def radiating(model: Model, case: Case, built: Built, surfaces: tuple[Surface, ...]) -> RadiatingFaces | None:
    """All radiating faces of a model; None where there are none, or radiation is left out."""
    if not model.surroundings.radiation:
        return None
    gas = clear(case)
    if not gas.any():
        return None
    walls, open_ = oblique(model, built), _opened(case)
    owned = numbers(surfaces, case.grid.shape)
    pieces = [_side(case, gas, walls[a], owned[a, up], open_[a, up], a, up) for a in range(3) for up in (0, 1)]
    joined = {key: np.concatenate([p[key] for p in pieces]) for key in pieces[0]}
    if not len(joined["axis"]):
        return None
    sheets = joined.pop("sheet")
    joined["emissivity"], joined["absorptivity"] = _finishes(model, built, surfaces, joined)
    joined["behind"], joined["link"], joined["given"] = _behind(case, joined, sheets)
    shows = case.reference if case.radiant is None else case.radiant
    beyond = np.array([shows if p.temperature == case.reference else p.temperature for p in case.openings])
    return RadiatingFaces(**joined, beyond=beyond, sheets=int(sheets.sum()))


def _opened(case: Case) -> dict[tuple[int, int], np.ndarray]:
    """Per axis and side, the cells whose face there is open: fluid, an opening, a mirror, or a periodic side."""
    out = {}
    fluid = case.kind == FLUID
    shut = case.crossing.shut if case.crossing is not None else None
    for a in range(3):
        for up in (0, 1):
            free = np.roll(fluid, -1 if up else 1, a)
            edge = np.moveaxis(free, a, 0)[-1 if up else 0]
            if "xyz"[a] not in case.periodic:
                edge[:] = False
            mirror = case.mirror(a, bool(up))
            if mirror is not None:
                edge |= mirror
            if shut is not None:
                closed = shut[a] if up else np.roll(shut[a], 1, a)
                free &= ~closed
            out[a, up] = free
    for patch in case.openings:
        if len(patch.cells):
            out[patch.axis, int(patch.outward > 0)][tuple(patch.cells.T)] = True
    return out


def _side(case: Case, gas, wall, number, free, a: int, up: int) -> dict[str, np.ndarray]:
    """Radiating faces on one side of all gas cells."""
    grid = case.grid
    cell = np.argwhere(gas & ~free)
    index = tuple(cell.T)
    beyond = cell.copy()
    beyond[:, a] += 1 if up else -1
    n, t = grid.shape[a], len(cell)
    there = (beyond[:, a] >= 0) & (beyond[:, a] < n)
    if "xyz"[a] in case.periodic:
        beyond[:, a] %= n
        there[:] = True
    beyond[:, a] = np.clip(beyond[:, a], 0, n - 1)
    kind = np.where(there, case.kind[tuple(beyond.T)], 255)
    sheet = there & (kind == FLUID)
    part = np.where(there & (kind == SOLID), case.part[tuple(beyond.T)], -1)
    side = number[index]
    owner = np.where(part >= 0, part, np.where(side >= 0, -10 - side, NOBODY))
    if sheet.any():
        at = cell[sheet].copy()
        at[:, a] -= 1 - up
        owner[sheet] = case.crossing.sheet[a][tuple(at.T)]
    centre = np.stack([grid.centres[x][cell[:, x]] for x in range(3)], -1)
    centre[:, a] = grid.lines[a][cell[:, a] + up]
    normal = np.zeros((t, 3))
    normal[:, a] = -1.0 if up else 1.0
    area = np.prod([grid.widths[x][cell[:, x]] for x in range(3) if x != a], axis=0)
    if sheet.any():
        area[sheet] *= case.crossing.tilt[a][tuple(at.T)]
    skip, straight = np.zeros(t), np.ones(t, bool)
    if wall is not None:
        low = cell.copy()
        low[:, a] -= 1 - up
        inside = (low[:, a] >= 0) & (low[:, a] < n - 1) & ~sheet
        low[:, a] = np.clip(low[:, a], 0, n - 1)
        true = wall[0][tuple(low.T)].astype(float)
        cut = inside & np.isfinite(true[:, 0])
        true *= np.sign(np.where(true[:, a] == 0, 1.0, true[:, a]) * normal[:, a])[:, None]
        here = np.flatnonzero(cut)
        normal[here] = true[here]
        area[here] *= np.abs(true[here, a]) * wall[1][tuple(low[here].T)]
        c = grid.centres[a]
        share = case.crossing.share[a][tuple(low[here].T)]
        centre[here, a] = c[low[here, a]] + share * (c[low[here, a] + 1] - c[low[here, a]])
        straight[here] = False
        skip[here] = SKIP * sum(np.abs(true[here, x]) * grid.widths[x][cell[here, x]] for x in range(3))
    return {
        "cell": cell,
        "axis": np.full(t, a, np.int8),
        "up": np.full(t, up, np.int8),
        "area": area,
        "centre": centre,
        "normal": normal,
        "straight": straight,
        "skip": skip,
        "owner": owner.astype(np.int32),
        "sheet": sheet,
    }


def _finishes(model: Model, built: Built, surfaces, f: dict) -> tuple[np.ndarray, np.ndarray]:
    """Emissivity and absorptivity of every face: of the part, the side or the patch, and of groups of faces."""
    solids = solids_of(model)
    of_part = [solids[n].finish for n in built.parts]
    of_side = of_sides(model, surfaces)
    table = np.array([(x.emissivity, x.absorptivity) for x in (*of_part, *of_side, BLACKENED)])
    last = len(table) - 1
    number = np.where(f["owner"] >= 0, f["owner"], np.where(f["owner"] <= -10, len(of_part) - 10 - f["owner"], last))
    out = table[number]
    key = _keys(f["cell"], f["axis"], f["up"], built.grid.shape)
    order = np.argsort(key)
    for group in (g for g in model.faces if g.finish is not None):
        for faces in group_faces(model, built, group):
            cells = faces.others()[faces.beyond]
            wanted = _keys(cells, np.full(len(cells), faces.axis), np.full(len(cells), 1 - faces.up), built.grid.shape)
            at = np.clip(np.searchsorted(key[order], wanted), 0, len(key) - 1)
            hit = order[at[key[order[at]] == wanted]]
            out[hit] = group.finish.emissivity, group.finish.absorptivity
    return out[:, 0].copy(), out[:, 1].copy()


def _keys(cells, axis, up, shape) -> np.ndarray:
    """One number for each face of each cell."""
    return np.ravel_multi_index(tuple(np.asarray(cells).T), shape) * 6 + 2 * np.asarray(axis, np.int64) + up


def _behind(case: Case, f: dict, sheets) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What lies behind every face, the number of its link, and heat (W) given at it."""
    key = _keys(f["cell"], f["axis"], f["up"], case.grid.shape)
    behind = np.where(sheets, SHEET, np.where(f["owner"] >= 0, SOLID_BEHIND, LOOSE)).astype(np.int8)
    link, given = np.full(len(key), -1), np.zeros(len(key))
    links = case.links
    if links.side is not None and len(links.cells):
        theirs = np.ravel_multi_index(tuple(links.cells.T), case.grid.shape) * 6 + links.side
        order = np.argsort(theirs)
        at = np.clip(np.searchsorted(theirs[order], key), 0, len(theirs) - 1)
        hit = theirs[order[at]] == key
        hit &= behind == LOOSE
        link[hit], behind[hit] = order[at[hit]], LINK_BEHIND
    for side, where in case.given.items():
        a, up = "xyz".index(side[0]), int(side[1] == "+")
        for cells, flux in where:
            area = np.prod([case.grid.widths[x][cells[:, x]] for x in range(3) if x != a], axis=0)
            theirs = _keys(cells, np.full(len(cells), a), np.full(len(cells), up), case.grid.shape)
            order = np.argsort(theirs)
            at = np.clip(np.searchsorted(theirs[order], key), 0, max(len(theirs) - 1, 0))
            hit = theirs[order[at]] == key if len(theirs) else np.zeros(len(key), bool)
            given[hit] += (np.broadcast_to(flux, len(cells)) * area)[order[at[hit]]]
    return behind, link, given
