"""Walls of a bath: every face where its cells meet a solid or a given temperature outside."""

from __future__ import annotations

import numpy as np

from ..mesh.occupancy import FLUID
from . import boiling_wall as wall
from .staggered import Staggered

#: s over which fluxes are taken as means for their share of the critical one
MEAN = 0.5
#: K that liquid where heat enters is above saturation, and W/m2 that enter there at least
SUPERHEAT, LEAST = 0.3, 1e4


class BathWalls:
    """What walls of the bath let through by boiling and condensing, beyond what conducts.

    ``boils`` W/m2 that boils at each face now; ``share`` by the number of the part (or, beyond these, of the outside)
    the mean flux of its wetted faces over the critical one; ``highest`` the most of it so far.
    """

    def __init__(self, bath, conduction, case, geo: Staggered, link_cells):
        self.bath, self.case, self.geo, self.conduction = bath, case, geo, conduction
        d, b = bath.data, bath.data.boiling
        self.c = wall.cooper(b.pressure / b.critical_pressure, b.molar_mass * 1e3)
        self.film = (
            0.943 * (d.rho * (d.rho - b.density) * d.gravity * b.latent * d.k**3 / (d.mu * self._tall() * 5.0)) ** 0.25
        )
        cell, solid, rest, half, area, number, axis, sign = ([] for _ in range(8))
        for a in range(3):
            at = np.flatnonzero(conduction.wall[a] & (conduction.over[a] > 0))
            faces = conduction.cells[a][at].astype(np.int64)
            low = geo.kind[faces] == FLUID
            own = np.where(low, faces, faces + geo.s[a])
            keep = bath.on[own]
            at, faces, low, own = at[keep], faces[keep], low[keep], own[keep]
            cell.append(own)
            solid.append(np.where(low, faces + geo.s[a], faces))
            rest.append(conduction.base[a][at])
            half.append(np.where(low, conduction.low[a][at], conduction.high[a][at]))
            area.append(conduction.over[a][at])
            number.append(at)
            axis.append(np.full(len(at), a))
            sign.append(np.where(low, 1, -1))
        self.span = np.cumsum([0, *(len(x) for x in number)])
        links = case.links
        self.links = np.zeros(0, np.int64)
        if links.side is not None and links.half is not None and len(link_cells):
            self.links = np.flatnonzero(bath.on[link_cells])
            c, s = link_cells[self.links], links.side[self.links]
            a = s // 2
            own = np.array([geo.area[t][i] for t, i in zip(a, c, strict=True)])
            inside = links.half[self.links] * own
            cell.append(c)
            solid.append(np.full(len(c), -1))
            rest.append(np.maximum(own / links.conductance[self.links] - inside, 0.0))
            half.append(inside)
            area.append(own)
            number.append(self.links)
            axis.append(a)
            sign.append(np.where(s % 2 == 1, 1, -1))
        self.cell, self.solid, self.rest, self.half, self.area, self.number, self.axis, self.sign = (
            np.concatenate(x) for x in (cell, solid, rest, half, area, number, axis, sign)
        )
        self.rest, self.half, self.area = (np.asarray(x, float) for x in (self.rest, self.half, self.area))
        count = len(self.cell)
        self.thin, self.lag, self.boils, self.used = (np.zeros(count) for _ in range(4))
        self.used += 1.0
        part = geo.pad(case.part, -1, np.int64)
        self.parts = int(case.part.max(initial=-1)) + 1
        size = self.parts + int(links.owner.max(initial=-1)) + 2  # the last is of what has no name
        self.owner = np.where((self.solid >= 0) & (part[self.solid] >= 0), part[self.solid], size - 1)
        self.owner[self.span[3] :] = self.parts + links.owner[self.links]
        self.share, self.highest = np.zeros(size), np.zeros(size)
        if bath.data.rate is None:
            bath.rate = self._rate()

    def _tall(self) -> float:
        """How tall the bath is (m)."""
        lines = self.case.grid.lines[self.bath.axis]
        return float(lines[-1] - lines[0])

    def _rate(self) -> float:
        """1/s of boiling at which liquid beside the walls is no more than a little above saturation."""
        d, b = self.bath.data, self.bath.data.boiling
        given, area = np.zeros(self.share.size), np.zeros(self.share.size)
        mine = self.case.part >= 0
        np.add.at(given, self.case.part[mine], np.maximum(self.case.heat[mine], 0.0))
        np.add.at(area, self.owner, self.area)
        flux = np.maximum(LEAST, given / np.maximum(area, 1e-9))
        hot = np.concatenate([self.case.links.temperature, [0.0]]).max()
        if self.case.fixed is not None:
            hot = max(hot, float(np.nanmax(self.case.fixed)))
        over = hot - b.temperature
        if over > 0:
            flux = np.maximum(flux, (self.c * over) ** 3.0)
        flux = np.minimum(flux, self.bath.critical)
        heights = self.bath.volume[self.cell] / self.area
        return float((flux[self.owner] * b.temperature / (heights * d.rho * b.latent * SUPERHEAT)).max(initial=1.0))

    def update(self, flow, theta, link_ratio) -> None:
        """What every face lets through at the present temperatures, put into the conductances; the layers of
        :mod:`wall_layer` must have been laid before. ``link_ratio``: conductivity of the cells of all links over that
        at rest."""
        bath = self.bath
        if not bath.data.boils or not len(self.cell):
            return
        plain = flow.k_wall[self.cell].astype(float)
        for a in range(3):
            here = slice(self.span[a], self.span[a + 1])
            plain[here] = np.maximum(plain[here], self.conduction.thin[a][self.number[here]])
        plain[self.span[3] :] = link_ratio[self.links]
        outside = self._outside()
        wall.faces(
            *(self.cell, self.solid, self.rest, self.half, plain, theta, outside, bath.saturation, bath.share),
            *(bath.air, self.c, bath.critical, self.film, self.thin, self.lag, self.boils),
        )
        for a in range(3):
            here = slice(self.span[a], self.span[a + 1])
            thin = self.conduction.thin[a]
            thin[self.number[here]] = np.maximum(thin[self.number[here]], self.thin[here])
        self.used = np.maximum(plain, self.thin)

    def _outside(self) -> np.ndarray:
        """Temperature (K above the reference) beyond every face that is a link."""
        out = np.zeros(len(self.cell))
        out[self.span[3] :] = self.case.links.temperature[self.links] - self.case.reference
        return out

    def add(self, base, active) -> None:
        """The lag of what boils behind the conductances, into the right-hand side (W)."""
        if self.lag.any():
            heat = self.lag * self.area
            np.add.at(base, self.cell, heat)
            mine = self.solid >= 0
            solid = self.solid[mine]
            np.add.at(base, solid, np.where(active[solid], -heat[mine], 0.0))

    def of_links(self, ratio) -> np.ndarray:
        """``ratio`` of all links raised where their faces boil."""
        if len(self.links):
            ratio = ratio.copy()
            ratio[self.links] = np.maximum(ratio[self.links], self.thin[self.span[3] :])
        return ratio

    def link_lag(self) -> np.ndarray:
        """Heat (W) beyond conductance times difference that each link takes from its cell (negative: gives)."""
        out = np.zeros(len(self.case.links.cells))
        if len(self.links):
            out[self.links] = -(self.lag * self.area)[self.span[3] :]
        return out

    def held_lag(self, pieces) -> np.ndarray:
        """Heat (W) beyond conductance times difference into the bath from the held faces of ``pieces``, in their
        order."""
        out = []
        for a, faces, free in pieces:
            own = np.zeros(self.geo.size)
            here = slice(self.span[a], self.span[a + 1])
            own[self.conduction.cells[a][self.number[here]]] = (self.lag * self.area)[here]
            out.append(np.where(self.bath.on[free], own[faces], 0.0))
        return np.concatenate(out) if out else np.zeros(0)

    def passes(self, theta) -> np.ndarray:
        """Heat (W) into the bath through every face."""
        hot = np.where(self.solid >= 0, theta[self.solid], self._outside())
        return (
            (hot - theta[self.cell]) / (self.rest + self.half / np.maximum(self.used, 1e-12)) + self.lag
        ) * self.area

    def settle(self, heat) -> None:
        """For reading: conductances through which differences of temperature alone give what passes now."""
        if not self.boils.any():
            return
        drive = np.where(self.solid >= 0, heat.theta[self.solid], self._outside()) - heat.theta[self.cell]
        passes = self.passes(heat.theta) / self.area
        good = (self.boils > 0.0) & (drive > 1e-3) & (passes > 0.0)
        resist = np.where(good, drive / np.where(good, passes, 1.0), 1.0)
        own = np.maximum(resist - self.rest, 1e-12)
        self.used = np.where(good, self.half / own, self.used)
        self.thin = np.where(good, self.used, self.thin)
        self.lag = np.where(good, 0.0, self.lag)
        for a in range(3):
            here = np.arange(self.span[a], self.span[a + 1])[good[self.span[a] : self.span[a + 1]]]
            face = self.conduction.cells[a][self.number[here]]
            self.conduction.g[a][face] = self.area[here] / resist[here]
        start = 0
        for a, faces, _ in heat.held_pieces:
            now = heat.held_g[start : start + len(faces)]
            new = self.conduction.g[a][faces]
            now[new > 0] = new[new > 0]
            self.conduction.g[a][faces] = 0.0
            start += len(faces)

    def raised(self, axis: int, sign: int, cells, ratio, theta) -> np.ndarray:
        """``ratio`` of ``cells`` (conductivity over that at rest) towards their wall on one side, where it boils or
        condenses."""
        here = (self.axis == axis) & (self.sign == sign) & (self.thin > 0.0)
        own = np.zeros(self.geo.size)
        own[self.cell[here]] = self.used[here]
        if self.case.given and self.bath.data.boils:
            plain = own.copy()
            plain[cells] = np.where(own[cells] > 0.0, own[cells], ratio)
            self._given(axis, sign, plain, theta)
            return plain[cells]
        return np.where(own[cells] > 0.0, own[cells], ratio)

    def _given(self, axis: int, sign: int, ratio: np.ndarray, theta) -> None:
        """Raise the ``ratio`` (flat) of cells beside a given flux to what boils there, where that is more."""
        k = self.geo.pad(self.case.conductivity[axis])
        half = 0.5 * np.broadcast_to(self.geo.along(self.geo.width[axis], axis), self.geo.shape).ravel()
        for cells, flux in self.case.given.get(f"{'xyz'[axis]}{'+' if sign > 0 else '-'}", ()):
            at = self.geo.flat(cells)
            for c, q in zip(at, np.broadcast_to(flux, len(at)), strict=True):
                if self.bath.on[c] and q > 0.0 and self.bath.share[c] < wall.DRY:
                    over, _ = wall.excess(q, self.c, self.bath.critical)
                    above = max(self.bath.saturation[c] + over - theta[c], 0.1 * over)
                    ratio[c] = max(ratio[c], q * half[c] / (k[c] * above))

    def state(self) -> dict[str, np.ndarray]:
        """``walls`` (4, faces): thin layers, lags, what boils, and conductances used; ``fluxes`` (2, parts and
        outsides): mean shares of the critical flux, and the highest."""
        walls = np.stack([self.thin, self.lag, self.boils, self.used])
        return {"walls": walls, "fluxes": np.stack([self.share, self.highest])}

    def resume(self, state: dict[str, np.ndarray]) -> None:
        """Go on from a :meth:`state`; where the outside has other faces now, from what it says of parts."""
        walls, fluxes = state.get("walls"), state.get("fluxes")
        if walls is not None and walls.shape == (4, len(self.cell)):
            self.thin, self.lag, self.boils, self.used = (x.astype(float) for x in walls)
        if fluxes is not None and fluxes.ndim == 2 and len(fluxes) == 2 and fluxes.shape[1] >= self.parts:
            n = fluxes.shape[1] if fluxes.shape[1] == self.share.size else self.parts
            self.share[:n], self.highest[:n] = fluxes[0, :n], fluxes[1, :n]

    def watch(self, dt: float) -> None:
        """Carry the mean fluxes on by ``dt`` (s)."""
        wet = self.bath.share[self.cell] < 0.99
        area, heat = np.zeros(self.share.size), np.zeros(self.share.size)
        np.add.at(area, self.owner, self.area * wet)
        np.add.at(heat, self.owner, self.boils * self.area * wet)
        now = np.where(area > 0, heat / np.maximum(area, 1e-300), 0.0) / self.bath.critical
        self.share += min(dt / MEAN, 1.0) * (now - self.share)
        self.highest = np.maximum(self.highest, self.share)
