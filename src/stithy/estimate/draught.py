"""How much fluid flows, and where: pressure falls along every cell by what its passage resists, fans and openings add
theirs. No eddies, no jets."""

from __future__ import annotations

import numpy as np

from ..equations.staggered import OPEN, Staggered
from ..mesh.occupancy import FLUID
from ..numerics.joined import Convected
from ..numerics.krylov import bicgstab, product
from ..setup.case import Case
from . import films
from .gaps import reaches

#: of the speed of a jet's momentum spread over the section of its space: what moves along the walls there
STIRS = 0.6
#: part of the mean speed below which resistance does not fall
CREEP = 0.3
#: dynamic heads that it takes to turn a stream aside, over a way as long as its space is wide: it spreads them over
#: passages, as inertia does, and is no loss of pressure
MIXES = 3.0
#: rounds between speeds and resistances, and of fans to their curves; least speed (m/s) of a resistance
ROUNDS, LEAST = 5, 1e-3
#: of the free flow of a fan where the search for its working point begins
BEGIN = 0.5


class Draught:
    """Flow through a case: ``flux[a]`` (m3/s, flat, through high faces), ``speed`` (m/s, flat, by cell), ``rates`` of
    openings (m3/s into the model), ``fans`` (m3/s) and ``rises`` (Pa); ``wide`` (m): hydraulic diameters;
    ``moves`` (flat): cells of spaces that something other than buoyancy drives."""

    def __init__(self, case: Case, geo: Staggered, media: list[films.Medium]):
        self.case, self.geo = case, geo
        self.fluid = geo.kind == FLUID
        self.of = np.where(self.fluid, geo.pad(case.fluid_of, 0, np.int64), 0)
        self.space = geo.pad(case.space, -1, np.int64)
        self.media = media
        self.runs, self.walls = zip(*(reaches(geo, a) for a in range(3)), strict=True)
        self.flux = [np.zeros(geo.size) for _ in range(3)]
        self.speed = np.zeros(geo.size)
        self.rates = np.zeros(len(case.openings))
        self.fans = [BEGIN * f.curve.flow[-1] for f in case.fans]
        self.rises = [0.0 for _ in case.fans]
        self.fan_rates: dict[int, float] = {}
        self.moves = self._driven()
        self.stirred = np.zeros(geo.size)
        self.along = self._axis()
        self.wide = self._wide()
        if self.moves.any():
            self._flow()

    def medium(self, cells) -> films.Medium:
        """The fluid of most of some cells."""
        return self.media[int(np.bincount(self.of[cells]).argmax())] if len(cells) else self.media[0]

    def by_fluid(self, name: str) -> np.ndarray:
        """A property of every cell's fluid (flat)."""
        return np.array([getattr(m, name) for m in self.media])[self.of]

    def _driven(self) -> np.ndarray:
        """Cells of spaces with a fan, a given speed, or openings of different pressure."""
        case, out = self.case, set()
        flat = self.geo.flat
        for f in case.fans:
            out |= set(np.unique(self.space[flat(f.cells)]).tolist())
        given: dict[int, list] = {}
        for p in case.openings:
            for s in np.unique(self.space[flat(p.cells)]).tolist() if len(p.cells) else []:
                given.setdefault(s, []).append(p)
        for s, patches in given.items():
            pressures = {round(p.pressure, 9) for p in patches if p.kind == "pressure"}
            if any(p.fan for p in patches) or any(p.kind == "velocity" and p.speed for p in patches):
                out.add(s)
            elif len(pressures) > 1 or any(p.blower >= 0 for p in patches):
                out.add(s)
        if case.drive is not None:
            out |= set(range(case.spaces))
        return self.fluid & np.isin(self.space, list(out - {-1}))

    def _axis(self) -> np.ndarray:
        """Axis that fluid mostly flows along, by cell: where its run is longest, before any flow is known."""
        return np.argmax(np.stack(self.runs), axis=0)

    def _wide(self) -> np.ndarray:
        """Hydraulic diameter (m) of the passage across the flow at every cell."""
        out = np.full(self.geo.size, 1.0)
        runs = np.stack(self.runs)
        for a in range(3):
            one, other = (np.where(self.walls[t] > 0, runs[t], 1e3) for t in range(3) if t != a)
            here = self.along == a
            out[here] = (2 * one * other / np.maximum(one + other, 1e-12))[here]
        return np.clip(out, 1e-5, 10.0)

    def _flow(self) -> None:
        """Rounds of pressures, speeds and resistances."""
        geo = self.geo
        grid = Convected(geo.n, geo.s, geo.periodic)
        pressure, none = np.zeros(geo.size), [np.zeros(geo.size, np.float32) for _ in range(3)]
        #: conductance of a unit of length and area: speed over pressure gradient
        self.ease = np.where(self.moves, 1.0, 0.0)
        self.speed[self.moves] = self._typical()
        for turn in range(ROUNDS):
            self._resist()
            g, extra, b = self._equations()
            grid.prepare([x.astype(np.float32) for x in g], none, extra)
            self._solve(grid, extra, b, pressure, 1e-4 if turn == ROUNDS - 1 else 1e-2)
            self._pass_on(g, pressure, extra, b, turn == ROUNDS - 1)
            self._work(pressure)
        self._stir()

    def _typical(self) -> float:
        """A first speed, m/s."""
        given = [float(p.speed) for p in self.case.openings if p.kind == "velocity" and p.speed]
        return max([*map(abs, given), 0.3])

    def _resist(self) -> None:
        """Ease of flow in every cell: friction of its passage, and heads lost over its width."""
        rho, u = self.by_fluid("rho"), np.maximum(self.speed, LEAST)
        lost, turned = np.zeros(self.geo.size), np.ones(self.geo.size)
        for s in np.unique(self.space[self.moves]):
            here = self.moves & (self.space == s)
            size = self.geo.volume[here]
            u[here] = np.maximum(u[here], CREEP * float(np.average(self.speed[here], weights=size)))
            turned[here] = float(np.average(self.wide[here], weights=size))
        for number, m in enumerate(self.media):
            here = self.moves & (self.of == number)
            if here.any():
                lost[here] = films.friction(m, u[here], self.wide[here])
        rubbed, mixed = lost / self.wide, MIXES / turned
        self.friction = np.where(self.moves, rubbed / (rubbed + mixed), 0.0)
        per = 0.5 * rho * u * (rubbed + mixed)
        for foam in self.case.porous:
            cells = self.geo.flat(foam.cells)
            per[cells] += 0.5 * rho[cells] * u[cells] * max(foam.inertial) + self.by_fluid("mu")[cells] * max(
                foam.viscous
            )
        self.ease = np.where(self.moves, 1.0 / np.maximum(per, 1e-9), 0.0)

    def _equations(self):
        """Conductances (m3/s/Pa) of faces, openings on the diagonal, and sources (m3/s)."""
        geo, case = self.geo, self.case
        g, extra, b = [], np.zeros(geo.size), np.zeros(geo.size)
        for a in range(3):
            half = np.broadcast_to(0.5 * geo.along(geo.width[a], a), geo.shape).ravel()
            here, ahead = np.maximum(self.ease, 1e-12), np.maximum(np.roll(self.ease, -geo.s[a]), 1e-12)
            both = (geo.face[a] == OPEN) & self.moves & np.roll(self.moves, -geo.s[a])
            value = geo.area[a] / (half / here + np.roll(half, -geo.s[a]) / ahead)
            g.append(np.where(both, value, 0.0))
        for plane in case.screens:
            cells = geo.flat(plane.cells)
            u = np.maximum(self.speed[cells], LEAST)
            rest = 0.5 * self.by_fluid("rho")[cells] * plane.loss * u / geo.area[plane.axis][cells]
            now = g[plane.axis][cells]
            g[plane.axis][cells] = np.where(now > 0, 1.0 / (1.0 / np.maximum(now, 1e-300) + rest), 0.0)
        for fan, q in zip(case.fans, self.fans, strict=True):
            cells = geo.flat(fan.cells)
            cells = cells[g[fan.axis][cells] > 0]
            g[fan.axis][cells] = 0.0
            share = fan.sign * q * geo.area[fan.axis][cells] / max(geo.area[fan.axis][cells].sum(), 1e-12)
            np.subtract.at(b, cells, share)
            np.add.at(b, cells + geo.s[fan.axis], share)
        self._openings(extra, b)
        if not extra[self.moves].any():  # nothing says what the pressure is
            extra[np.flatnonzero(self.moves)[0]] += float(max(x.max() for x in g))
        return g, extra, b

    def _openings(self, extra, b) -> None:
        geo = self.geo
        for m, p in enumerate(self.case.openings):
            cells = geo.flat(p.cells)
            cells = cells[self.moves[cells]]
            if not len(cells):
                continue
            area = geo.area[p.axis][cells]
            if p.kind == "velocity":
                share = p.profile if p.profile is not None and len(p.profile) == len(cells) else 1.0
                b[cells] += p.speed * area * share
                continue
            if p.blower >= 0:
                continue
            rho = float(self.by_fluid("rho")[cells[0]])
            if p.fan is not None:
                q = self.fan_rates.setdefault(m, BEGIN * p.fan.flow[-1])
                b[cells] += p.fan_sign * q * area / area.sum()
                extra[cells] += 1e-9 * area / area.sum()
                continue
            u = max(abs(self.rates[m]) / float(area.sum()), 0.05)
            inward = self.rates[m] >= 0 and p.head
            per = 0.5 * rho * u * (p.loss + (1.0 if inward else 0.0) + 0.05)
            extra[cells] += area / per
            b[cells] += area / per * (p.pressure - self._blown(p, cells))

    def _stir(self) -> None:
        """Speeds (m/s) that jets of fans inside keep up wherever their space is wide."""
        for fan, q in zip(self.case.fans, self.fans, strict=True):
            jet = self.geo.flat(fan.cells)
            if len(jet):
                here = self.moves & (self.space == self.space[jet[0]])
                area = float(self.geo.area[fan.axis][jet].sum())
                section = self._section(int(self.space[jet[0]]), fan.axis)[2]
                mean = float(np.average(self.wide[here], weights=self.geo.volume[here]))
                share = np.clip(self.wide / mean, 0.0, 1.0)
                self.stirred[here] = np.maximum(self.stirred, STIRS * q / (area * section) ** 0.5 * share)[here]

    def _section(self, space: int, axis: int) -> tuple[float, float, float]:
        """Where a space begins and ends along an axis (m), and its section across it (m2)."""
        inside, lines = np.argwhere(self.case.space == space), self.case.grid.lines
        low = [float(lines[t][inside[:, t].min()]) for t in range(3)]
        high = [float(lines[t][inside[:, t].max() + 1]) for t in range(3)]
        return low[axis], high[axis], float(np.prod([high[t] - low[t] for t in range(3) if t != axis]))

    def _blown(self, p, cells) -> float:
        """Pa by which the jets of fans inside press on an opening: their momentum over the section of the space, from
        one end of it to the other."""
        geo, out = self.geo, 0.0
        for fan, q in zip(self.case.fans, self.fans, strict=True):
            jet = geo.flat(fan.cells)
            if not len(jet) or self.space[jet[0]] != self.space[cells[0]]:
                continue
            a = fan.axis
            low, high, section = self._section(int(self.space[cells[0]]), a)
            rho, area = float(self.by_fluid("rho")[jet[0]]), float(geo.area[a][jet].sum())
            at = float(self.case.grid.centres[a][p.cells[:, a]].mean() - low) / max(high - low, 1e-9)
            out += fan.sign * rho * q**2 / max(area * section, 1e-12) * (at - 0.5)
        return out

    def _solve(self, grid: Convected, extra, b, x, tolerance: float) -> None:
        """Pressures (Pa)."""
        from ..equations import energy

        n, s = self.geo.n, np.array(self.geo.s)
        idle = ~self.moves
        b[idle] = 0.0
        full = np.zeros(self.geo.size)

        def matvec(y, out):
            out[:] = 0.0
            energy.apply(n, s, grid.low, grid.high, extra, y, out)

        def precondition(r):
            size = np.sqrt(product(r, r)) or 1.0
            return np.multiply(grid.cycle(r, 1.0 / size), size, out=full)

        bicgstab(matvec, precondition, b, x, tolerance, 1e-9, 40)

    def _pass_on(self, g, p, extra, b, last: bool) -> None:
        """Flows of faces and openings, and speeds."""
        geo = self.geo
        whole = rubbed = 0.0
        for a in range(3):
            fall = p - np.roll(p, -geo.s[a])
            self.flux[a][:] = g[a] * fall
            power = self.flux[a] * fall
            whole += float(power.sum())
            rubbed += float((power * 0.5 * (self.friction + np.roll(self.friction, -geo.s[a]))).sum())
        #: part of what pressures fall by between cells that is a loss: friction
        self.rubs = float(np.clip(rubbed / max(whole, 1e-30), 0.02, 1.0))
        for fan, q in zip(self.case.fans, self.fans, strict=True):
            cells = geo.flat(fan.cells)
            area = geo.area[fan.axis][cells]
            self.flux[fan.axis][cells] = fan.sign * q * area / max(area.sum(), 1e-12)
        for m, opening in enumerate(self.case.openings):
            cells = geo.flat(opening.cells)
            here = self.moves[cells]
            cells, area = cells[here], geo.area[opening.axis][cells[here]]
            if not len(cells):
                continue
            if opening.kind == "velocity":
                profile = opening.profile if opening.profile is not None else np.ones(len(here))
                into = opening.speed * area * profile[here]
            elif opening.fan is not None and m in self.fan_rates:
                into = opening.fan_sign * self.fan_rates[m] * area / area.sum()
            else:
                into = b[cells] - extra[cells] * p[cells]
            face = cells if opening.outward > 0 else cells - geo.s[opening.axis]
            self.flux[opening.axis][face] = -opening.outward * into
            was, now = self.rates[m], float(into.sum())
            self.rates[m] = now if last else 0.5 * (was + now)
        total: np.ndarray = np.zeros(geo.size)
        biggest, along = np.zeros(geo.size), self.along.copy()
        for a in range(3):
            mean = 0.5 * (self.flux[a] + np.roll(self.flux[a], geo.s[a])) / geo.area[a]
            total += mean**2
            along = np.where(np.abs(mean) > biggest, a, along)
            biggest = np.maximum(biggest, np.abs(mean))
        now = np.sqrt(total)
        self.speed = np.where(self.moves, now if last else 0.5 * (self.speed + now), 0.0)
        self.along = np.where(self.moves, along, self.along)
        self.wide = self._wide()

    def _work(self, p) -> None:
        """Fans a step nearer to where their curves and what resists them meet."""
        geo = self.geo
        for m, fan in enumerate(self.case.fans):
            cells = geo.flat(fan.cells)
            cells = cells[self.moves[cells] & self.moves[cells + geo.s[fan.axis]]]
            if not len(cells):
                continue
            jump = self.rubs * fan.sign * float((p[cells + geo.s[fan.axis]] - p[cells]).mean())
            speed = self.fans[m] / float(geo.area[fan.axis][cells].sum())
            jump += 0.5 * 1.5 * float(self.by_fluid("rho")[cells[0]]) * speed**2  # drawn together, and lost again
            self.fans[m], self.rises[m] = _met(fan.curve, jump, self.fans[m])
        for m, q in list(self.fan_rates.items()):
            opening = self.case.openings[m]
            cells = geo.flat(opening.cells)
            cells = cells[self.moves[cells]]
            area = float(geo.area[opening.axis][cells].sum())
            rho = float(self.by_fluid("rho")[cells[0]])
            head = 0.5 * rho * (q / area) ** 2 * (opening.loss + 1.5)
            need = self.rubs * opening.fan_sign * (float(p[cells].mean()) - opening.pressure) + head
            self.fan_rates[m], _ = _met(opening.fan, need, q)


def _met(curve, need: float, q: float) -> tuple[float, float]:
    """Flow (m3/s) and rise (Pa) where a curve meets what needs ``need`` (Pa) at ``q``, going with the square."""
    grade = max(need, 1e-9) / max(q, 1e-12) ** 2
    low, high = 0.0, 1.5 * curve.flow[-1]
    for _ in range(50):
        mid = 0.5 * (low + high)
        low, high = (mid, high) if curve.at(mid)[0] > grade * mid**2 else (low, mid)
    found = 0.5 * (low + high)
    return 0.5 * (q + found), curve.at(found)[0]
