"""A finer grid where a result asks for it: how far temperatures and speeds bend from cell to cell says how long cells
may be along each axis.

A cell of length h misses h^2 |T''| / 8 at most between its neighbours; the neighbour at a wall is the wall itself, half
a cell away, so that first cells count. What that does to temperatures elsewhere goes with the conductivity there, so
bends are taken as sqrt(k) |T''| over the square root of the whole sum of k T'^2 V, those of speeds as sqrt(mu) |u''|
over that of mu u'^2 V. With w(x) the mean of both over the layer of cells at x, the sum of h^2 w is least for a given
number of cells where they are as long as w^(-1/3), and where each axis has cells as the square root of its
(int w^(1/3) dx)^3 (calculus of variations, as for equidistributed meshes: de Boor, 1973).

Plates that conduct badly spread heat by how it passes through them, which is felt far away: through those the counts of
the rule (:mod:`mesh.rule`) are kept, in proportion to all cells. Compared by experiment in docs/performance.md.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..mesh.build import predict
from ..mesh.occupancy import FLUID, VOID
from ..mesh.rule import POOR
from ..model import Model
from ..outcome.extract import properties
from ..outcome.faces import FaceTemperatures
from ..setup.prepare import Prepared
from .steady import Fields, Steady
from .transfer import between_sheets, transfer

#: how much shorter and longer cells may become in one step, and how much longer than its neighbour one may be
FINER, COARSER, GROWTH = 0.4, 2.0, 1.6
#: what a bend of the flow counts as, of the same part of one of temperature
OF_SPEED = 0.5
#: part of the largest bend that is taken for none
LEAST = 1e-5
#: times the cells of the grid before in one step, and in all where nothing is said
STEP, MOST = 2.0, 3.0
#: turbulent Prandtl number
PR_T = 0.85


@dataclass(frozen=True)
class Bends:
    """Along each axis, at every layer of cells, the mean bend there (m^-2.5)."""

    of: tuple[np.ndarray, np.ndarray, np.ndarray]


def bends(p: Prepared, run: Steady) -> Bends:
    """How far temperatures and speeds bend in a run's present state."""
    faces, known, grid = FaceTemperatures(p, run), properties(p, run), p.case.grid
    fluid, volume = p.case.kind == FLUID, grid.volumes()
    region = np.where(fluid, -1 - p.case.space, p.case.part)
    mu, eddies = known["viscosity"], known["effective viscosity"] - known["viscosity"]
    cp = np.array([f.cp for f in p.case.fluids] or [0.0])[np.where(fluid, p.case.fluid_of, 0)]
    calm = np.where(mu > 0.0, mu / np.maximum(mu + eddies, 1e-30), 0.0)
    speeds = _speeds(run) if p.case.has_flow else []
    warm, fast, whole_warm, whole_fast = [], [], 0.0, 0.0
    for a in range(3):
        k = np.where(p.case.kind == VOID, 0.0, known[f"conductivity {'xyz'[a]}"])
        k = k + np.where(fluid, cp * eddies / PR_T, 0.0)
        second, slope = _bend(run.heat.temperature(), region, grid, a, faces.at[a, 0], faces.at[a, 1])
        warm.append(np.sqrt(k) * np.abs(second))
        whole_warm += float((k * slope**2 * volume).sum())
        square = np.zeros(grid.shape)
        still = np.where(fluid, 0.0, np.nan)  # at walls, as far as no eddies cross the cell before them
        for u in speeds:
            free, _ = _bend(u, region, grid, a)
            walled, slope = _bend(u, region, grid, a, still, still)
            square += np.where(fluid, (mu + eddies) * (free + calm * (walled - free)) ** 2, 0.0)
            whole_fast += float(np.where(fluid, (mu + eddies) * slope**2 * volume, 0.0).sum())
        fast.append(np.sqrt(square))
    out = []
    for a in range(3):
        bend = warm[a] / max(whole_warm, 1e-300) ** 0.5
        if whole_fast > 0.0:
            bend = bend + OF_SPEED * fast[a] / whole_fast**0.5
        out.append(bend.mean(axis=tuple(t for t in range(3) if t != a)))
    return Bends(tuple(out))


def _speeds(run: Steady) -> list[np.ndarray]:
    """Velocities at cell centres."""
    fields, out = run.fields(), []
    for a, u in enumerate((fields.u, fields.v, fields.w)):
        x = np.moveaxis(u, a, 0)
        out.append(np.moveaxis(0.5 * (x[1:] + x[:-1]), 0, a))
    return out


def _bend(values, region, grid, a: int, low=None, high=None) -> tuple[np.ndarray, np.ndarray]:
    """Second derivative along axis ``a`` within one region, and the slope; at its ends with the value at the wall, or
    none."""
    x, r = np.moveaxis(values, a, 0), np.moveaxis(region, a, 0)
    at = grid.centres[a]
    half = 0.5 * grid.widths[a]
    n = len(at)
    ends = []
    for up, wall in ((0, low), (1, high)):
        to = np.arange(n) + (1 if up else -1)
        inside = (to >= 0) & (to < n)
        near = np.clip(to, 0, n - 1)
        same = inside.reshape(-1, 1, 1) & (r[near] == r)
        gap = np.where(same, np.abs(at[near] - at).reshape(-1, 1, 1), half.reshape(-1, 1, 1))
        beside = x[near]
        if wall is not None:
            w = np.moveaxis(wall, a, 0)
            known = np.isfinite(w)
            beside = np.where(same, beside, np.where(known, w, x))
            good = same | known
        else:
            good = same
        ends.append((np.where(good, (beside - x) / gap, np.nan), gap))
    (down, d), (up_, u) = ends
    with np.errstate(invalid="ignore"):
        second = np.nan_to_num(2.0 * (up_ + down) / (d + u))
        slope = np.nan_to_num(0.5 * (up_ - down))
    return np.moveaxis(second, 0, a), np.moveaxis(slope, 0, a)


def refined(model: Model, p: Prepared, found: Bends, most: int) -> Model:
    """The model with cells as long as the bends allow, about ``most`` of them."""
    grid = p.case.grid
    weights = [_smooth(w) for w in found.of]
    top = max(float(w.max()) for w in weights)
    if top <= 0.0:
        return model
    shares = [np.maximum(w, LEAST * top) ** (1.0 / 3.0) for w in weights]
    whole = [float((s * h).sum()) for s, h in zip(shares, grid.widths, strict=True)]
    kept = _through_plates(model, p, (most / grid.cells) ** (1.0 / 3.0))

    def with_scale(scale: float) -> Model:
        sizes = []
        for a in range(3):
            h = whole[a] / np.maximum(scale * whole[a] ** 1.5 * shares[a], 1e-300)
            h = np.clip(h, FINER * grid.widths[a], COARSER * grid.widths[a])
            at = grid.centres[a]
            h = np.min(h[None, :] + (GROWTH - 1.0) * np.abs(at[:, None] - at[None, :]), axis=1)
            for low, high, size in kept[a]:
                far = np.maximum(np.maximum(low - at, at - high), 0.0)
                h = np.minimum(h, size + (GROWTH - 1.0) * far)
            sizes.append(tuple(zip(at.tolist(), h.tolist(), strict=True)))
        return replace(model, grid=replace(model.grid, sizes=tuple(sizes), lines=()))

    low, high, best = 1e-6, 1e6, model
    while high / low > 1.005:
        trial = with_scale((low * high) ** 0.5)
        if predict(trial)[1] <= most:
            low, best = (low * high) ** 0.5, trial
        else:
            high = (low * high) ** 0.5
    return best


def _through_plates(model: Model, p: Prepared, finer: float) -> list[list[tuple[float, float, float]]]:
    """Along each axis stretches (m) through plates that conduct badly, and the longest cell there: as they have now,
    over ``finer``."""
    out: list[list[tuple[float, float, float]]] = [[], [], []]
    for s in model.solids:
        for box in () if s.form or s.stack is not None else s.boxes:
            a = int(np.argmin([hi - lo for lo, hi in box]))
            inside = int(((p.case.grid.centres[a] > box[a][0]) & (p.case.grid.centres[a] < box[a][1])).sum())
            if s.k[a] < POOR and inside > 1:
                out[a].append((*box[a], (box[a][1] - box[a][0]) / inside / finer))
    return out


def _smooth(w: np.ndarray) -> np.ndarray:
    """Not less than half of either neighbour: what bends in one cell is near in the next."""
    pad = np.pad(w, 1, "edge")
    return np.maximum(w, 0.5 * np.maximum(pad[:-2], pad[2:]))


def carried(p: Prepared, run: Steady, new: Prepared, ambient: float) -> Fields:
    """A run's fields on another grid of the same model; each part and fluid space keeps its heat to rounding. Volume
    flows are made whole by the next run's first correction of pressure."""
    old, case = p.case, new.case
    out = transfer(old.grid, old.kind, run.fields(), case.grid, case.kind, ambient, between_sheets(old, case))
    temperature = out.temperature.copy()
    before, after = _regions(p), _regions(new)
    for number in np.unique(after):
        here, there = after == number, before == number
        if number == VOID_REGION or not there.any():
            continue
        kept = np.average(run.heat.temperature()[there], weights=_capacity(p, there))
        temperature[here] += kept - np.average(temperature[here], weights=_capacity(new, here))
    return replace(out, temperature=temperature)


#: what is neither part nor fluid
VOID_REGION = -1


def _regions(p: Prepared) -> np.ndarray:
    """Numbers of parts, and of fluid spaces by the fluid that fills them, the same on every grid of a model."""
    case = p.case
    fluid = -2 - np.where(case.kind == FLUID, case.fluid_of, 0)
    return np.where(case.kind == FLUID, fluid, np.where(case.kind == VOID, VOID_REGION, case.part))


def _capacity(p: Prepared, here: np.ndarray) -> np.ndarray:
    """Volumes of some cells: of one part or fluid all have one capacity by volume."""
    return p.case.grid.volumes()[here]
