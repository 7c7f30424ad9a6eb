"""Boundary layers thinner than the first cell at a wall: what they let through, from the balance of that cell.

The energy balance of a first cell of height H is the integral energy equation of the layer in it, so the cell's
temperature T1, beside that of the next cell T2 and the wall's Tw, tells how thick the layer is: s = (T1 - T2) / (Tw -
T2) is the part of the layer's heat that the cell holds. With a laminar layer's own profile the flux q is, as N = q H /
(k (Tw - T2)),

    N(s) = C / s + 1/2,   C = 0.332 x 0.664 Pr^(-1/3),

against 2 (1 - s) by the difference between wall and centre alone. Where s is 1/2 or more the layer fills more than the
first two cells, and nothing is changed: grids that resolve their layers give what they gave. C: E. Pohlhausen, Z.
Angew. Math. Mech. 1 (1921); the 1/2 is fitted to flow-weighted means of its similarity solution (within 3 per cent for
s from 0.06 to 0.27).

Heat and momentum that leave the first cell away from its wall are carried by the limited scheme with the wall for its
point upstream; left to upwind, they would be carried off too fast.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..mesh.occupancy import FLUID
from ..setup.case import Case
from .energy import Conduction
from .moving import Belts
from .staggered import BLOCKED, OPEN, Staggered

SLOPE = 0.332 * 0.664
RESOLVED, THINNEST = 0.5, 12.0
#: with buoyancy: first cell over half the chord from wall to wall from which on the parabola for friction holds, and
# below which it does not: 10 and 20 cells
FEW, MANY = 0.2, 0.1
RESTS = 2e-3  # relative change of the factors at which they rest


class WallLayer:
    """The treatment for one case: :attr:`ratio` is the effective conductivity of each treated wall face over the
    reference one."""

    def __init__(self, case: Case, geo: Staggered, conduction: Conduction, link_cells: np.ndarray):
        self.case, self.geo = case, geo
        self.real = geo.wrapped(np.arange(geo.size))  # of ghosts along periodic axes: the cell that they repeat
        self.conduction = conduction
        pieces = [self._of_conduction(a) for a in range(3)] + [self._of_links(link_cells)]
        names = ("cell", "second", "beyond", "axis", "sign", "gap", "area", "rest")
        self.cell, self.second, self.beyond, self.axis, self.sign, self.gap, self.area, self.rest = (
            np.concatenate([p[n] for p in pieces]) for n in names
        )
        ends = np.cumsum([0] + [len(p["cell"]) for p in pieces])
        self.span = [slice(x, y) for x, y in zip(ends[:-1], ends[1:], strict=True)]
        self.faces = [p["face"] for p in pieces[:3]]
        self.links = pieces[3]["face"]
        self.ratio = np.ones(len(self.cell))
        self.at_wall = np.zeros(len(self.cell))
        self.k = geo.pad(case.conductivity[0])[self.cell]
        self.one = np.ones(geo.size, np.float32)
        self.widths = tuple(
            np.ascontiguousarray(np.broadcast_to(geo.along(w, a), geo.shape)).astype(np.float32).ravel()
            for a, w in enumerate(geo.width)
        )

    def _common(self, cell, axis: int, sign) -> np.ndarray:
        """Which of wall faces on the ``sign`` side of fluid cells have a plain second cell behind them."""
        geo, st = self.geo, self.geo.s[axis]
        inward = np.where(sign > 0, cell - st, cell)  # the face between the first cell and the second
        second = np.where(sign > 0, cell - st, cell + st)
        good = (geo.face[axis][inward] == OPEN) & (self.real[second] == second) & (self.real[cell] == cell)
        if self.case.crossing is not None:
            half = 0.5 * np.broadcast_to(geo.along(geo.width[axis], axis), geo.shape).ravel()
            for up in (True, False):
                gap = geo.wall_gap(axis, up).ravel()
                good &= np.where((sign > 0) == up, np.abs(gap[cell] - half[cell]) < 1e-12, True)
        return good

    def _of_conduction(self, a: int) -> dict:
        """Wall faces between fluid and solid cells along axis ``a``; ``face`` numbers them among those of the
        conduction."""
        c, wall = self.conduction, self.conduction.wall[a]
        number = np.flatnonzero(wall & (c.over[a] > 0))
        faces = c.cells[a][number].astype(np.int64)
        low = self.geo.kind[faces] == FLUID
        cell, sign = np.where(low, faces, faces + self.geo.s[a]), np.where(low, 1, -1)
        inner = self.geo.padded_index()[cell] > 0
        number, cell, sign = number[inner], cell[inner], sign[inner]
        keep = self._common(cell, a, sign)
        number, cell, sign = number[keep], cell[keep], sign[keep]
        return self._piece(a, cell, sign, c.base[a][number] / c.over[a][number], c.over[a][number], number)

    def _of_links(self, link_cells) -> dict:
        """Wall faces of fluid cells that exchange heat with a given temperature outside."""
        links, parts = self.case.links, []
        if links.side is not None and links.half is not None and len(link_cells):
            fluid = self.geo.kind[link_cells] == FLUID
            for a in range(3):
                for sign in (-1, 1):
                    here = np.flatnonzero(fluid & (links.side == 2 * a + (sign > 0)))
                    keep = (
                        self._common(link_cells[here], a, np.full(len(here), sign)) if len(here) else np.zeros(0, bool)
                    )
                    number = here[keep]
                    cell = link_cells[number]
                    parts.append(
                        self._piece(
                            a,
                            cell,
                            np.full(len(cell), sign),
                            1.0 / links.conductance[number] - links.half[number],
                            self.geo.area[a][cell],
                            number,
                        )
                    )
        if not parts:
            return self._piece(
                0, np.zeros(0, np.int64), np.zeros(0, int), np.zeros(0), np.zeros(0), np.zeros(0, np.int64)
            )
        return {n: np.concatenate([p[n] for p in parts]) for n in parts[0]}

    def _piece(self, a: int, cell, sign, rest, area, number) -> dict:
        st, half = (
            self.geo.s[a],
            0.5 * np.broadcast_to(self.geo.along(self.geo.width[a], a), self.geo.shape).ravel()[cell],
        )
        return {
            "cell": cell,
            "second": np.where(sign > 0, cell - st, cell + st),
            "beyond": np.where(sign > 0, cell + st, cell - st),
            "axis": np.full(len(cell), a),
            "sign": sign,
            "gap": half,
            "area": np.asarray(area, float),
            "rest": np.asarray(rest, float),
            "face": number,
        }

    def _outside(self, theta) -> np.ndarray:
        """Temperature (K above the reference) at the far end of each face's resistance."""
        out = theta[self.beyond]
        if len(self.links):
            out[self.span[3]] = self.case.links.temperature[self.links] - self.case.reference
        return out

    def update(self, flow, theta, share: float = 0.5) -> float:
        """Move the factors by ``share`` (of their logarithm) towards what the present temperatures ask for; the largest
        change."""
        if not len(self.cell):
            return 0.0
        molecular = flow.k_molecular if flow.k_molecular is not None else self.one
        moved = _factors(
            self.cell,
            self.second,
            self.axis,
            self.gap,
            self.area,
            self.rest,
            self.k,
            self._outside(theta),
            theta,
            tuple(flow.u),
            self.geo.s,
            self.widths,
            molecular,
            flow.k_wall,
            flow.nu,
            flow.prandtl,
            share,
            self.ratio,
            self.at_wall,
        )
        self.lay()
        return moved

    def lay(self) -> None:
        """Hand the factors to the conductances."""
        for a in range(3):
            self.conduction.thin[a][self.faces[a]] = self.ratio[self.span[a]]

    def of_links(self, ratio) -> np.ndarray:
        """``ratio`` of all links (effective conductivity of the cell over the reference), raised where a thin layer
        conducts better."""
        if len(self.links):
            ratio = ratio.copy()
            ratio[self.links] = np.maximum(ratio[self.links], self.ratio[self.span[3]])
        return ratio

    def of_cells(self, axis: int, sign: int, cells, ratio) -> np.ndarray:
        """``ratio`` of ``cells`` towards their wall on one side, raised where a thin layer conducts better."""
        here, own = (self.axis == axis) & (self.sign == sign), np.zeros(self.geo.size)
        own[self.cell[here]] = self.ratio[here]
        return np.maximum(ratio, own[cells])

    def carry(self, f, theta, b) -> None:
        """Add to ``b`` (W) what the limited scheme carries away from walls beyond upwind; ``f`` heat capacity flows
        (W/K)."""
        if len(self.cell):
            _carry(
                self.cell, self.second, self.axis, self.sign, self.gap, self.widths, self.at_wall, tuple(f), theta, b
            )

    def fields(self) -> np.ndarray:
        """The factors, to store with a result."""
        return self.ratio.astype(np.float32)

    def take(self, ratio) -> bool:
        """Go on from stored factors; False when they belong to another case."""
        if ratio.shape != self.ratio.shape:
            return False
        self.ratio[:] = ratio
        self.lay()
        return True


@njit(cache=True, nogil=True)
def _factors(
    cell,
    second,
    axis,
    gap,
    area,
    rest,
    k,
    outside,
    theta,
    u,
    s,
    widths,
    molecular,
    k_wall,
    nu,
    prandtl,
    share,
    ratio,
    at_wall,
):
    """New :attr:`WallLayer.ratio` and the walls' temperatures; the largest relative change."""
    moved = 0.0
    for m in range(cell.size):
        c, a, h = cell[m], axis[m], 2.0 * gap[m]
        own = gap[m] / (k[m] * area[m])  # K/W of half the cell by conduction
        now = max(ratio[m], k_wall[c])
        wall = theta[c] + (outside[m] - theta[c]) * (own / now) / (rest[m] + own / now)
        at_wall[m] = wall
        difference = wall - theta[second[m]]
        passing = 0.0  # inverse of the time that the flow takes to cross the cell
        for t in range(3):
            lo, hi = u[t][c - s[t]], u[t][c]
            if t == a:
                passing += max(abs(lo), abs(hi)) / widths[t][c]
            else:
                passing += 0.5 * abs(lo + hi) / widths[t][c]
        target = 1.0
        if passing > 0.0 and abs(difference) > 1e-9:
            slope = SLOPE * prandtl[c] ** (-1.0 / 3.0)
            least = np.sqrt(
                slope * nu[c] / prandtl[c] / (2.0 * passing * h * h)
            )  # no thinner than what grows within half a cell
            part = (theta[c] - theta[second[m]]) / difference
            if part < RESOLVED and least < RESOLVED:
                held = max(part, least)
                target = min(max((slope / held + 0.5) / (2.0 * (1.0 - held)), 1.0), THINNEST)
                if part < 0.0:  # the next cell is nearer to the wall's temperature than this one: no layer of this wall
                    target = 1.0 + (target - 1.0) * max(1.0 + part / least, 0.0)
        target *= molecular[c]
        new = ratio[m] * (target / ratio[m]) ** share
        moved = max(moved, abs(max(new, k_wall[c]) / now - 1.0))
        ratio[m] = new
    return moved


@njit(cache=True, nogil=True)
def _limited(up, down, reach, step):
    """Van Albada's mean of the slopes before and after a point, over ``reach``; never past the next value, ``step``
    away."""
    if up * down <= 0.0:
        return 0.0
    value = reach * up * down * (up + down) / (up * up + down * down)
    return min(value, step) if step > 0.0 else max(value, step)


@njit(cache=True, nogil=True)
def _carry(cell, second, axis, sign, gap, widths, at_wall, f, theta, b):
    for m in range(cell.size):
        c, n, a = cell[m], second[m], axis[m]
        leaving = -f[a][n] if sign[m] > 0 else f[a][c]
        if leaving <= 0.0:
            continue
        step = theta[n] - theta[c]
        value = _limited((theta[c] - at_wall[m]) / gap[m], step / (gap[m] + 0.5 * widths[a][n]), gap[m], step)
        b[c] -= leaving * value
        b[n] += leaving * value


class Beside:
    """Velocities along walls, of which the flow away from the wall carries more than upwind would: one component, one
    axis across."""

    def __init__(self, geo: Staggered, own: int, across: int, chord: np.ndarray):
        """``own``: axis of the velocities; ``chord`` (m, flat): from wall to wall along ``across`` through every
        cell."""
        sn, st = geo.s[own], geo.s[across]
        real = geo.wrapped(np.arange(geo.size))
        inner = geo.padded_index() > 0
        live = np.flatnonzero((geo.face[own] == OPEN) & inner)
        half = 0.5 * np.broadcast_to(geo.along(geo.width[across], across), geo.shape).ravel()
        found = []
        for sign in (-1, 1):
            toward = live if sign > 0 else live - st
            wall = (geo.face[across][toward] == BLOCKED) & (geo.face[across][toward + sn] == BLOCKED)
            mirror = geo.mirrored(across, sign > 0).ravel()
            wall &= ~mirror[live] & ~mirror[real[live + sn]]
            second = live - sign * st
            wall &= (geo.face[own][second] == OPEN) & (real[second] == second)
            if geo.case.crossing is not None:
                gap = geo.wall_gap(across, sign > 0).ravel()
                wall &= (np.abs(gap[live] - half[live]) < 1e-12) & (np.abs(gap[live + sn] - half[live + sn]) < 1e-12)
            c = live[wall]
            slide = geo.case.moving.get(f"{'xyz'[across]}{'+' if sign > 0 else '-'}")
            edge = geo.kind[c + sign * st] != FLUID
            speed = (
                np.where(edge & (inner[c + sign * st] == 0), slide[own], 0.0) if slide is not None else np.zeros(len(c))
            )
            walls = Belts(geo)
            speed = speed + 0.5 * (walls.beside(c, across, sign, own) + walls.beside(c + sn, across, sign, own))
            found.append((c, c - sign * st, np.full(len(c), sign), half[c], half[c] + half[c - sign * st], speed))
        self.cell, self.second, self.sign, self.gap, self.apart, self.slide = (
            np.concatenate(x) for x in zip(*found, strict=True)
        )
        points = np.broadcast_to(geo.along(geo.points[across], across), geo.shape).ravel()
        self.to_ghost = np.abs(points[self.cell + self.sign * st] - points[self.cell])
        self.st, self.sn = st, sn
        other = np.broadcast_to(geo.along(geo.width[3 - own - across], 3 - own - across), geo.shape).ravel()
        long = np.broadcast_to(geo.along(geo.width[own], own), geo.shape).ravel()
        self.area = 0.5 * (long[self.cell] + long[self.cell + sn]) * other[self.cell]
        h, wide = 2.0 * self.gap, 2.0 * (self.apart - self.gap)
        # u = a y + e y^2 whose means over both cells are u1 and u2: a = own u1 - next u2
        first, both = h * h / 3.0, h * h + h * wide + wide * wide / 3.0
        whole = 0.5 * h * both - (h + 0.5 * wide) * first
        self.own, self.next = both / whole, first / whole
        self.few = np.ones(len(self.cell))
        if (
            geo.case.buoyant
        ):  # only where few cells stand between two walls: else it disturbs a balance of errors with buoyancy's own
            wide = 0.5 * np.maximum(np.minimum(chord[self.cell], chord[self.cell + sn]), 1e-12)
            self.few = np.clip((h / wide - MANY) / (FEW - MANY), 0.0, 1.0)

    def drag(self, phi, mu_wall, laminar, ap, b) -> None:
        """Wall friction by the parabola through the wall and the means of the two cells beside it, in the place of the
        straight line to the first: the difference, as a resistance added to ``ap`` and a force added to ``b`` (kg/s,
        N).

        ``laminar`` (per cell, 0 to 1): where the law of the wall holds, it is left alone.
        """
        if len(self.cell):
            _drag(
                self.cell,
                self.second,
                self.gap,
                self.own,
                self.next,
                self.area,
                self.slide,
                self.few,
                self.sn,
                phi,
                mu_wall,
                laminar,
                ap,
                b,
            )

    def pulled(self, sign: int, phi, laminar, out) -> None:
        """Put the velocities that a straight profile would need for the same friction on walls on one side into
        ``out``."""
        here = self.sign == sign
        c, n, slide = self.cell[here], self.second[here], self.slide[here]
        part = 0.5 * (laminar[c] + laminar[c + self.sn]) * self.few[here]
        bent = self.gap[here] * (self.own[here] * (phi[c] - slide) - self.next[here] * (phi[n] - slide))
        out[c] = phi[c] + part * (bent - (phi[c] - slide))

    def carry(self, phi, flux, blend: float, b) -> None:
        """Add to ``b`` (N) the difference to what the plain scheme does there, which takes the wall for a point one
        cell away."""
        if blend > 0.0 and len(self.cell):
            _beside(
                self.cell,
                self.second,
                self.sign,
                self.gap,
                self.apart,
                self.to_ghost,
                self.slide,
                self.st,
                self.sn,
                phi,
                flux,
                blend,
                b,
            )


@njit(cache=True, nogil=True)
def _beside(cell, second, sign, gap, apart, to_ghost, slide, st, sn, phi, flux, blend, b):
    for m in range(cell.size):
        c, n = cell[m], second[m]
        face = n if sign[m] > 0 else c
        leaving = -0.5 * sign[m] * (flux[face] + flux[face + sn])
        if leaving <= 0.0:
            continue
        step = phi[n] - phi[c]
        down = step / apart[m]
        old = _limited((phi[c] - phi[c + sign[m] * st]) / to_ghost[m], down, gap[m], step)
        new = _limited((phi[c] - slide[m]) / gap[m], down, gap[m], step)
        value = blend * leaving * (new - old)
        b[c] -= value
        b[n] += value


@njit(cache=True, nogil=True)
def _drag(cell, second, gap, own, ahead, area, slide, few, sn, phi, mu_wall, laminar, ap, b):
    for m in range(cell.size):
        c, n = cell[m], second[m]
        part = few[m] * 0.5 * (laminar[c] + laminar[c + sn])
        if part > 0.0:
            stiff = part * 0.5 * (mu_wall[c] + mu_wall[c + sn]) * area[m]
            more = stiff * (own[m] - 1.0 / gap[m])
            ap[c] += more
            b[c] += more * slide[m] + stiff * ahead[m] * (phi[n] - slide[m])
