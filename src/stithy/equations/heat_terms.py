"""What adds to the energy equation beside conduction and convection, a term each, and what each carries out of the
model.

A term adds exchange with given temperatures: a conductance (W/K) to the diagonal and that times the temperature to the
right-hand side.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

HOTTEST_DRAUGHT = 500.0  # K


class HeatTerm(Protocol):
    """One heat path of a :class:`Heat`."""

    def add(self, extra: np.ndarray, base: np.ndarray) -> None:
        """Add conductances (W/K, flat) to ``extra`` and conductances times temperatures above the reference (W) to
        ``base``."""

    def leaves(self) -> float:
        """Heat (W) that leaves the model by it now."""


class Links:
    """Exchange of faces with given temperatures outside; what leaves held cells comes from what holds them, and is not
    in the equations."""

    def __init__(self, heat):
        self.heat = heat

    def add(self, extra, base) -> None:
        """As of :class:`HeatTerm`."""
        heat, free = self.heat, self.heat.link_free
        heat.exchange(extra, base, heat.link_cells[free], heat.link_conductance()[free], heat.links.temperature[free])

    def leaves(self) -> float:
        """As of :class:`HeatTerm`."""
        return float(self.heat.outflow()[1][self.heat.link_free].sum())


class Held:
    """Exchange with cells of given temperature."""

    def __init__(self, heat):
        self.heat = heat

    def add(self, extra, base) -> None:
        """As of :class:`HeatTerm`."""
        heat = self.heat
        heat.exchange(extra, base, heat.held_cells, heat.held_g, heat.held_temperature)

    def leaves(self) -> float:
        """As of :class:`HeatTerm`."""
        return float(self.heat.held().sum())


class Openings:
    """What the flow brings in through openings; and a first draught as long as next to none does.

    Without that draught temperatures of a plume that has not yet begun to rise would have no bound, where nothing but
    the openings takes heat. It is gone when what enters would leave no more than :data:`HOTTEST_DRAUGHT` hotter.
    """

    def __init__(self, heat):
        self.heat = heat

    def add(self, extra, base) -> None:
        """As of :class:`HeatTerm`."""
        heat, flow, carried = self.heat, self.heat.flow, 0.0
        heat.blown = []
        for opening, faces, _ in flow.openings:
            a = opening.axis
            if opening.blower >= 0:
                self._blown(extra, opening, faces)
                continue
            inward = np.maximum(-opening.outward * heat.carried(a, faces), 0)
            carried += float(inward.sum())
            heat.exchange(extra, base, heat.geo.flat(opening.cells), inward, opening.temperature)
        self._first_draught(extra, base, carried)

    def _blown(self, extra, opening, faces) -> None:
        """What a blower blows out is as warm as what it draws in: a link of cells that are no neighbours, kept for the
        products of the matrix."""
        heat = self.heat
        inward = np.maximum(-opening.outward * heat.carried(opening.axis, faces), 0)
        if inward.any():
            cells = heat.geo.flat(opening.cells)
            np.add.at(extra, cells, inward)
            heat.blown.append((cells, inward, heat.flow.devices.blowers[opening.blower]))

    def _first_draught(self, extra, base, carried: float) -> None:
        """An exchange through the openings while they bring in ``carried`` (W/K)."""
        heat = self.heat
        openings = [p for p, f, _ in heat.flow.openings if len(f) and p.blower < 0]
        if not heat.case.buoyant or heat.rate_t or not openings or len(heat.link_cells) or len(heat.held_cells):
            return
        missing = float(np.abs(heat.source).sum()) / HOTTEST_DRAUGHT - carried
        if missing > 0.0:
            count = sum(len(p.cells) for p in openings)
            for p in openings:
                heat.exchange(
                    extra, base, heat.geo.flat(p.cells), np.full(len(p.cells), missing / count), p.temperature
                )

    def leaves(self) -> float:
        """As of :class:`HeatTerm`."""
        return float(self.heat.outflow()[0].sum())


class Storage:
    """Heat that goes into what gets warmer, of a run in time."""

    def __init__(self, heat):
        self.heat = heat

    def add(self, extra, base) -> None:
        """As of :class:`HeatTerm`."""
        heat = self.heat
        if heat.rate_t:
            stored = heat.capacity()
            extra += stored * heat.rate_t
            base += stored * heat.weight_t * heat.memory
            if heat.work is not None:
                base += heat.work

    def leaves(self) -> float:
        """As of :class:`HeatTerm`."""
        return self.heat.stored()


class Joined:
    """Links of cells that are no neighbours: their sum on the diagonal, the rest in the products of the matrix."""

    def __init__(self, heat, joins):
        one, other = heat.geo.flat(joins.one), heat.geo.flat(joins.other)
        held = np.isfinite(heat.held_at)
        keep = ~held[one] & ~held[other]
        self.one, self.other, self.g = one[keep], other[keep], joins.conductance[keep]

    def add(self, extra, base) -> None:
        """As of :class:`HeatTerm`."""
        np.add.at(extra, self.one, self.g)
        np.add.at(extra, self.other, self.g)

    def multiply(self, y, out) -> None:
        """Take from ``out`` what the links bring from temperatures ``y``."""
        np.subtract.at(out, self.one, self.g * y[self.other])
        np.subtract.at(out, self.other, self.g * y[self.one])

    def leaves(self) -> float:
        """Nothing leaves the model by it."""
        return 0.0
