"""Mixing by turbulence: each model turns the present flow into effective viscosities and conductivities."""

from __future__ import annotations

import numpy as np

from ..numerics.slabs import halves, over
from . import mixing, walls
from .passages import fade, passages
from .roughness import Rough
from .strain import Strain
from .two_equation import ShearStress, TwoLayer


class Laminar:
    """No mixing beyond the molecular: follows the viscosity of the fluid."""

    def __init__(self, flow):
        self.flow = flow
        self.laminar = np.ones(
            flow.geo.size, np.float32
        )  # 1 where the flow is laminar, 0 where the law of the wall holds

    def update(self) -> None:
        """Take over viscosity and conductivity of the fluid, which may follow temperature."""
        f = self.flow
        if f.k_molecular is not None:
            f.mu_eff[:] = f.mu_wall[:] = f.mu
            f.k_eff[:] = f.k_wall[:] = f.k_molecular

    def fields(self) -> dict:
        """Fields of its own to store with a result."""
        return {}

    def take(self, fields: dict) -> None:
        """Continue from stored fields."""
        self.update()


class WallLaw(Laminar):
    """The algebraic enclosure model of :mod:`mixing`."""

    def __init__(self, flow):
        super().__init__(flow)
        distance = walls.wall_distance(flow.case)
        self.distance = flow.geo.pad(
            np.where(distance < walls.NO_WALL, distance, 0.0), 0.0, np.float32
        )  # no wall: no law of the wall
        # between two walls the eddy viscosity is not linear to the middle (H. Reichardt, Z. Angew. Math. Mech. 31,
        # 1951)
        gap = walls.gap(flow.case)
        away = np.minimum(2.0 * distance / np.maximum(gap, 1e-12), 1.0)
        self.core = flow.geo.pad((2.0 - away) * (1.0 + 2.0 * (1.0 - away) ** 2) / 6.0, 0.0, np.float32)
        # what has no wall opposite counts as wide as the model
        wide = min(max(x[-1] - x[0] for x in flow.case.grid.lines), walls.NO_WALL)
        r2 = (1.0 - away) ** 2
        length = 0.5 * np.minimum(gap, wide) * (0.14 - 0.08 * r2 - 0.06 * r2 * r2)
        self.length = flow.geo.pad(np.where(distance < walls.NO_WALL, length, 0.0), 0.0, np.float32)
        self.strain = Strain(flow, self.distance)
        self.length[self.strain.at_wall] = 0.0  # those have the law of the wall
        self.layer = np.zeros(flow.geo.size, np.float32)
        self.rounds = 0
        inner = flow.geo.padded_index() > 0
        of = flow.geo.pad(flow.case.fluid_of, 0, np.int64)
        self.fluids = []
        for m, f in enumerate(flow.case.fluids):
            cells = np.flatnonzero(flow.fluid & inner & (of == m))
            if len(cells):
                self.fluids.append((cells, mixing.Tables(f.mu * f.cp / f.k)))
        self.one = np.ones(flow.geo.size, np.float32)
        at = self.passages = passages(flow.case, distance)
        self.passage = [flow.geo.pad(x, 0.0, np.float32) for x in (at.half, at.diameter, at.peak, at.room)]
        self.fade = np.ones(flow.geo.size, np.float32)
        self.residual = 0.0  # mean change of the fade in a round
        self.rough = Rough(flow, self.distance)

    def take(self, fields: dict) -> None:
        """All the way to what the speeds just taken over ask for."""
        self.rounds = 0
        for _ in range(12):
            self.update(1, 1.0)

    def update(self, every: int = 4, part: float = 0.5) -> None:
        """The ``part`` of the way to what the present speeds ask for; strain and the state of passages in one of
        ``every`` rounds."""
        flow = self.flow
        speed = flow.speed()
        k = self.one if flow.k_molecular is None else flow.k_molecular
        if self.rounds % every == 0:  # they change slowly, and the strain rate is dear
            s2 = self.strain.update(speed)
            # where a layer's own mixing rules, strain answers by the inverse of it: half the way is all of it
            share = 0.5 if self.rounds else 1.0
            self.residual = 0.0
            for cells, _ in self.fluids:
                self.residual = max(
                    self.residual, fade(cells, speed, s2, self.distance, *self.passage, flow.nu, share, self.fade)
                )
                over(
                    halves(cells.size),
                    lambda h, c=cells: mixing.shear_layers(
                        c[h], s2, self.length, self.fade, flow.nu, share, self.layer
                    ),
                )
            np.subtract(1.0, self.fade, out=self.laminar)
            flow.geo.wrapped(self.laminar)
        self.rounds += 1
        self.rough.update(speed)
        law, core, layer = self.rough.nu, self.core, self.layer
        for cells, table in self.fluids:
            mixing.approach(flow, cells, table, part, speed, self.distance, core, layer, self.fade, k, law)
        if flow.geo.periodic.any():
            for x in (flow.mu_eff, flow.mu_wall, flow.k_eff, flow.k_wall):
                flow.geo.wrapped(x)


def model_for(flow):
    """The mixing model a case asks for."""
    models = {"laminar": Laminar, "wall-law": WallLaw, "k-omega": ShearStress, "k-epsilon": TwoLayer}
    return models[flow.case.mixing](flow)
