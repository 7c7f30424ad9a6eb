"""Radiation between surfaces in the energy equation: grey, diffuse, through a gas that takes no part.

Every radiating face is a star of three: conduction to what lies behind, to the gas before it, and emission to all that
it sees. Its own temperature is eliminated, so emission makes ordinary links of the matrix. What falls on a face depends
on all other temperatures; its change is part of the products of the Krylov method (Newton's method), so no
under-relaxation is needed.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..numerics import rays
from ..numerics.exchange import Exchange, balanced, incoming, pooled
from ..setup.radiating import LINK_BEHIND, LOOSE, SHEET, SOLID_BEHIND, RadiatingFaces
from . import patches

SIGMA = 5.670374419e-8  # W/m2/K4
#: W/K beyond which what lies behind a face is taken to hold its temperature
HOLDS = 1e12
#: rays to the sun along either side of a face
SUNBEAMS = 3
#: K, least temperature of a face in the fourth power
COLDEST = 1.0


class Radiation:
    """The radiating faces of a case, as a :class:`HeatTerm` of its :class:`Heat`.

    Arrays by face: ``temperature`` Ts (K), ``falls`` H (W/m2, by patch), ``to_gas``, ``net`` (W; emitted less
    absorbed).
    """

    def __init__(self, heat, faces: RadiatingFaces):
        self.heat, self.faces = heat, faces
        geo, case = heat.geo, heat.case
        self.patch = patches.gather(geo, faces, patches.patches_wanted(len(faces)))
        self.count = int(self.patch.max()) + 1
        self.scene = patches.Scene(geo, faces)
        self.halves, self.exchange, self.lost = patches.exchange(self.scene, faces.area, self.patch)
        self.size = self.exchange.area
        self.emissivity = self._mean(faces.emissivity)
        self.cell = geo.flat(faces.cell)
        step = np.array(geo.s)[faces.axis]
        self.face = np.where(faces.up == 1, self.cell, self.cell - step)  # flat number of the high face
        self.other = np.where(faces.up == 1, self.cell + step, self.cell - step)
        self.solid, self.sheet = faces.behind == SOLID_BEHIND, faces.behind == SHEET
        if case.periodic:  # solids beyond a periodic side are cells of the far one
            self.other = geo.wrapped(geo.padded_index().copy())[self.other]
            inner = np.flatnonzero(geo.padded_index() > 0)
            self.other = np.where(self.other > 0, inner[np.maximum(self.other - 1, 0)], 0)
        self.area = faces.area
        self.ea = faces.emissivity * faces.area
        self._partners()
        self.beyond = SIGMA * faces.beyond**4
        self.sun, self.shone = np.zeros(len(faces)), None
        self._places()
        self.temperature = np.full(len(faces), case.reference)
        self.falls = np.full(self.count, SIGMA * case.reference**4)
        self.to_gas, self.net = np.zeros(len(faces)), np.zeros(len(faces))
        self.begun = False

    def _mean(self, values: np.ndarray) -> np.ndarray:
        """Area means by patch."""
        return np.bincount(self.patch, values * self.faces.area, self.count) / self.size

    def _partners(self) -> None:
        """Both sides of a sheet have one temperature, and emit by it: the face on its other side, with its patch and
        what it emits by."""
        partner = np.full(len(self.faces), -1)
        for a in range(3):
            low = np.flatnonzero(self.sheet & (self.faces.axis == a) & (self.faces.up == 1))
            high = np.flatnonzero(self.sheet & (self.faces.axis == a) & (self.faces.up == 0))
            order = high[np.argsort(self.face[high])]
            at = np.searchsorted(self.face[order], self.face[low])
            ok = at < len(order)
            ok[ok] = self.face[order[at[ok]]] == self.face[low[ok]]
            partner[low[ok]], partner[order[at[ok]]] = order[at[ok]], low[ok]
        self.paired = partner >= 0
        self.partner = np.where(self.paired, partner, 0)
        self.patch2 = np.where(self.paired, self.patch[self.partner], 0)
        self.ea2 = np.where(self.paired, self.ea[self.partner], 0.0)

    def _places(self) -> None:
        """Where the faces stand among those of conduction, and held cells behind them."""
        heat = self.heat
        self.at = []
        for a in range(3):
            here = np.flatnonzero((self.faces.axis == a) & (self.solid | self.sheet))
            cells = heat.conduction.cells[a]
            self.at.append((here, np.searchsorted(cells, self.face[here])))
        self.held = self.solid & np.isfinite(heat.held_at[self.other])
        #: what lies behind takes its heat from this face; the other side of a sheet from its own
        self.free = (self.solid & ~self.held) | (self.sheet & ~self.paired)
        self.reads = self.free | self.sheet
        self.held_number = np.full(len(self.faces), -1)
        start = 0
        for a, flat, free in heat.held_pieces:
            mine = np.flatnonzero(self.held & (self.faces.axis == a))
            for side in (0, 1):
                these = np.flatnonzero((flat == free) == bool(side))
                order = these[np.argsort(free[these])]
                want = mine[self.faces.up[mine] == side]
                at = np.searchsorted(free[order], self.cell[want])
                ok = at < len(order)
                ok[ok] = free[order[at[ok]]] == self.cell[want[ok]]
                self.held_number[want[ok]] = start + order[at[ok]]
            start += len(flat)

    def _resistances(self, g) -> None:
        """Conductances (W/K) to what lies behind and to the gas, and temperature behind where it is given (K, else
        NaN)."""
        heat, f, n = self.heat, self.faces, len(self.faces)
        back, gas, given = np.zeros(n), np.zeros(n), np.full(n, np.nan)
        for a, (here, at) in enumerate(self.at):
            base = heat.conduction.base[a][at] / heat.conduction.over[a][at]
            whole = 1.0 / np.maximum(g[a][self.face[here]].astype(float), 1e-30)
            sheet = self.sheet[here]
            if sheet.any():  # half of it on either side, then the fluid beyond
                own = self._fluid_side(a, at, here)
                base = np.where(sheet, whole - own - 0.5 * base, base)
            back[here] = 1.0 / np.maximum(base, 1.0 / HOLDS)
            gas[here] = 1.0 / np.maximum(whole - base, 1e-6 * whole)
        given[self.held] = heat.held_at[self.other[self.held]]
        linked = f.behind == LINK_BEHIND
        if linked.any():
            links, m = heat.links, f.link[linked]
            now, halves = heat.link_conductance()[m], links.half[m]
            outside = np.maximum(1.0 / links.conductance[m] - halves, 0.0)
            whole = 1.0 / now
            back[linked] = 1.0 / np.maximum(outside, 1.0 / HOLDS)
            gas[linked] = 1.0 / np.maximum(whole - outside, 1e-9 * whole)
            given[linked] = links.temperature[m]
        loose = f.behind == LOOSE
        if loose.any():
            c, a = self.cell[loose], f.axis[loose]
            half = np.choose(a, [0.5 * heat.geo.width[t][f.cell[loose, t] + 1] for t in range(3)])
            k = np.choose(a, [heat.geo.pad(x)[c] for x in heat.case.conductivity]) * heat.flow.k_wall[c]
            across = np.choose(a, [heat.geo.area[t][c] for t in range(3)])
            gas[loose] = across * k / half
        self.back, self.gas, self.behind_at = back, gas, given

    def _fluid_side(self, a: int, at: np.ndarray, here: np.ndarray) -> np.ndarray:
        """Resistance (K/W) of the gas's own half cell of faces across ``a``, at their places in conduction."""
        c, k = self.heat.conduction, self.heat.flow.k_wall
        low = self.faces.up[here] == 1
        half = np.where(low, c.low[a][at], c.high[a][at])
        return half / np.maximum(k[self.cell[here]], c.thin[a][at]) / c.over[a][at]

    def shine(self) -> None:
        """Sunshine that every face takes up at the heat's time: direct light that comes in by openings, with shadows,
        and what the sky and other surfaces throw on it."""
        sun = self.heat.case.sun
        if sun is None:
            return
        way, direct, diffuse = sun.sends(self.heat.time)
        now = (*way, direct, diffuse)
        if self.shone is not None and np.allclose(now, self.shone, rtol=0.0, atol=1e-6):
            return
        self.shone, f, scene = now, self.faces, self.scene
        seen = np.zeros((len(f), scene.ends))
        if direct > 0.0 and scene.ends:
            points = np.stack(np.meshgrid(*[(np.arange(SUNBEAMS) + 0.5) / SUNBEAMS] * 2), -1).reshape(-1, 2)
            head = (scene.n, scene.s, *scene.lines, scene.meets, scene.owner, scene.faces)
            rays.beam(*head, np.ascontiguousarray(way), points, seen)
        hits = direct * np.maximum(f.normal @ way, 0.0) * seen.sum(axis=1)
        alpha = self._mean(f.absorptivity)
        sky = np.array([0.5 * (1.0 + p.outward * sun.up[p.axis]) for p in self.heat.case.outlets]) * diffuse
        falls = incoming(self.exchange, (1.0 - alpha) * self._mean(hits), 1.0 - alpha, sky)
        self.sun = f.absorptivity * f.area * (hits + falls[self.patch])

    def behind(self, theta: np.ndarray) -> np.ndarray:
        """Temperature (K) of what lies behind every face; where nothing does, any."""
        own = theta[np.where(self.solid | self.sheet, self.other, self.cell)] + self.heat.case.reference
        return np.where(np.isfinite(self.behind_at), self.behind_at, own)

    #: rounds and goal of :meth:`refresh` while the flow still changes
    LOOSE = (1, 1e-4)

    def linearise(self, g, loose: bool = False) -> None:
        """Take emission at the present temperatures into conductances ``g`` of faces (changed)."""
        self._resistances(g)
        self.refresh(not self.begun, *(self.LOOSE if loose and self.begun else ()))
        self.begun = True
        self.slope = 4.0 * SIGMA * self.temperature**3
        self.radiates = (self.ea + self.ea2) * self.slope
        self.source = 3.0 * SIGMA * (self.ea + self.ea2) * self.temperature**4 + self._comes()
        self.sum = self.back + self.gas + self.radiates
        self.hot = self.area * self.slope / self.sum
        self.takes, self.takes2 = self.ea / self.sum, self.ea2 / self.sum
        for a, (here, _) in enumerate(self.at):
            g[a][self.face[here]] = self.back[here] * self.gas[here] / self.sum[here]
        for a in np.flatnonzero(self.heat.geo.periodic):
            self.heat.geo.wrapped(g[a])
        # the part of what falls on a patch that its faces pass on at once by getting warmer
        passed = self._mean(self.slope * self.ea / self.sum)
        self.rho = 1.0 - self.emissivity * (1.0 - np.minimum(passed, 1.0))

    def add(self, extra, base) -> None:
        """As of :class:`HeatTerm`."""
        ref = self.heat.case.reference
        q = self.source - self.radiates * ref
        free = self.free
        np.add.at(extra, self.other[free], (self.back * self.radiates / self.sum)[free])
        np.add.at(base, self.other[free], (self.back * q / self.sum)[free])
        # the gas: towards a temperature that is known behind, links and held faces add their own exchange elsewhere
        np.add.at(extra, self.cell, self.gas * self.radiates / self.sum)
        np.add.at(base, self.cell, self.gas * q / self.sum - self.faces.given)
        linked = self.faces.behind == LINK_BEHIND
        if linked.any():
            m = self.faces.link[linked]
            share = (self.back * self.gas / self.sum)[linked]
            less = share - self.heat.link_conductance()[m]
            at = self.cell[linked]
            np.add.at(extra, at, less)
            np.add.at(base, at, less * (self.heat.links.temperature[m] - ref))

    def multiply(self, y: np.ndarray, out: np.ndarray, goal: float = 1e-6) -> None:
        """Take from ``out`` what temperatures ``y`` (flat) of others make fall on every face; ``goal``: how closely."""
        sent = np.zeros(self.count)
        _gather(self.patch, self.cell, self.other, self.reads, self.gas, self.back, self.hot, y, sent)
        sent *= self.emissivity / self.size
        more = incoming(self.exchange, sent, self.rho, np.zeros(self.exchange.ends.shape[1]), goal)
        q = self.takes * more[self.patch] + self.takes2 * more[self.patch2]
        _scatter(q, self.cell, self.other, self.free, self.gas, self.back, out)

    def refresh(self, begin: bool = False, rounds: int = 20, goal: float = 1e-10) -> None:
        """Temperatures of all faces, and what falls on every patch, that belong to the present temperatures of cells:
        Newton's method for all patches at once, at most ``rounds`` times, until it rests within ``goal``."""
        theta = self.heat.theta
        gas, back = theta[self.cell] + self.heat.case.reference, self.behind(theta)
        through, e = self.gas * gas + self.back * back, self.ea + self.ea2
        if begin:
            self.temperature = np.where(self.back > 0, back, gas)
        for _ in range(rounds):
            sums = _fourth(e, self.gas, self.back, through + self._comes(), self.temperature)
            passed = self._mean(4.0 * SIGMA * self.temperature**3 * self.ea / sums)
            rho = 1.0 - self.emissivity * (1.0 - np.minimum(passed, 1.0))
            emitted = np.bincount(self.patch, self.ea * SIGMA * self.temperature**4, self.count) / self.size
            sent = emitted - (rho - (1.0 - self.emissivity)) * self.falls
            before, self.falls = self.falls, incoming(self.exchange, sent, rho, self.beyond, 0.1 * goal, self.falls)
            if np.abs(self.falls - before).max(initial=0.0) < goal * np.abs(self.falls).max(initial=1.0):
                break
        _fourth(e, self.gas, self.back, through + self._comes(), self.temperature)
        self.to_gas = self.gas * (self.temperature - gas)
        self.net = self.ea * (SIGMA * self.temperature**4 - self.falls[self.patch])

    def _comes(self) -> np.ndarray:
        """What comes to the surface of every face (W), on both sides of a sheet: radiation absorbed, sun, given
        heat."""
        out = self.ea * self.falls[self.patch] + self.sun + self.faces.given
        out += self.ea2 * self.falls[self.patch2]
        if self.paired.any():
            out += np.where(self.paired, self.sun[self.partner], 0.0)
        return out

    def leaves(self) -> float:
        """As of :class:`HeatTerm`: what is emitted less what is absorbed, sunshine as heat that is given."""
        return float(self.net.sum() - self.sun.sum())

    def from_behind(self) -> np.ndarray:
        """Heat (W) that comes to every face from what lies behind it."""
        return self.to_gas + self.net - self.sun - self.faces.given

    def links(self, out: np.ndarray) -> np.ndarray:
        """Heat leaving by links (W), with those that lie behind radiating faces put right."""
        linked = self.faces.behind == LINK_BEHIND
        out = out.copy()
        out[self.faces.link[linked]] = -self.from_behind()[linked]
        return out

    def holds(self, out: np.ndarray) -> np.ndarray:
        """Heat (W) into held faces, with the radiating ones put right."""
        on = self.held_number >= 0
        out = out.copy()
        out[self.held_number[on]] = -self.from_behind()[on]
        return out

    def passing(self, a: int, up: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Of the radiating faces at one side of gas cells: their numbers among the faces, flat gas cells and flat cells
        beyond."""
        here = np.flatnonzero((self.faces.axis == a) & (self.faces.up == up))
        return here, self.cell[here], self.other[here]

    def away(self) -> np.ndarray:
        """Net heat (W) that leaves through every end by radiation."""
        sent = self._mean(self.ea / self.faces.area * SIGMA * self.temperature**4)
        leaving = sent + (1.0 - self.emissivity) * self.falls
        return (self.exchange.ends * (leaving[:, None] - self.beyond[None, :])).sum(axis=0)

    def closure(self) -> float:
        """Part by which what is sent and what arrives differ: what leaves by the ends is told from both sides."""
        sent = self._mean(self.ea / self.faces.area * SIGMA * self.temperature**4)
        away = float(self.away().sum())
        # where all is at one temperature nothing moves: against a millionth of what is emitted then
        moved = max(float(np.abs(self.net).sum()), 1e-6 * float((self.size * sent).sum()))
        return abs(float(self.net.sum()) - away) / max(moved, 1e-30)

    def error(self) -> np.ndarray:
        """How far (W, with its sign) the net heat of every face may be off by the scatter of the rays: half the
        difference of what either half of them gives with the present temperatures. Sums over faces are those of their
        sums."""
        sent = self._mean(self.ea / self.faces.area * SIGMA * self.temperature**4)
        both = []
        for matrix, ends in self.halves:
            e: Exchange = balanced(*pooled(matrix, ends, self.size), self.size)
            both.append(incoming(e, sent, 1.0 - self.emissivity, self.beyond))
        return 0.5 * (both[0] - both[1])[self.patch] * self.ea


@njit(cache=True, nogil=True)
def _gather(patch, cell, other, free, gas, back, hot, y, sent):
    """Sums by patch of how much more the faces emit as cells are warmer by ``y``."""
    for f in range(patch.size):
        t = gas[f] * y[cell[f]]
        if free[f]:
            t += back[f] * y[other[f]]
        sent[patch[f]] += hot[f] * t


@njit(cache=True, nogil=True)
def _scatter(q, cell, other, free, gas, back, out):
    """Take from the cells beside each face what it gets warmer by (K, ``q``) times the conductances to them."""
    for f in range(q.size):
        out[cell[f]] -= gas[f] * q[f]
        if free[f]:
            out[other[f]] -= back[f] * q[f]


@njit(cache=True, nogil=True)
def _fourth(ea, gas, back, comes, temperature):
    """Temperatures of the faces from what ``comes`` to each by conduction and radiation (W), by Newton's method;
    returns the slopes (W/K)."""
    sums = np.empty(ea.size)
    for f in range(ea.size):
        t, e, through = max(temperature[f], COLDEST), ea[f], gas[f] + back[f]
        for _ in range(30):
            cube = e * SIGMA * t * t * t
            step = (comes[f] - through * t - cube * t) / (through + 4.0 * cube)
            t = max(t + step, COLDEST)
            if abs(step) < 1e-10 * t:
                break
        temperature[f] = t
        sums[f] = through + 4.0 * e * SIGMA * t * t * t
    return sums
