"""Mixing by turbulence: each model turns the present flow into effective viscosities and conductivities."""
from __future__ import annotations

import numpy as np

from . import mixing


class Laminar:
    """No mixing beyond the molecular: follows the viscosity of the fluid."""

    def __init__(self, flow):
        self.flow = flow

    def update(self) -> None:
        """Take over viscosity and conductivity of the fluid, which may follow temperature."""
        f = self.flow
        if f.tables:
            f.mu_eff[:] = f.mu_wall[:] = f.mu
            f.k_eff[:] = f.k_wall[:] = f.k_molecular

    def fields(self) -> dict:
        """Fields of its own to store with a result."""
        return {}

    def take(self, fields: dict) -> None:
        """Continue from stored fields."""


class WallLaw(Laminar):
    """The algebraic enclosure model of :mod:`mixing`."""

    def __init__(self, flow):
        super().__init__(flow)
        self.distance = flow.geo.pad(mixing.wall_distance(flow.case))

    def update(self) -> None:
        """Half way towards what the present speeds ask for."""
        flow, f = self.flow, self.flow.fluid
        eddy, wall, eddy_k, wall_k = mixing.mixing_fields(flow.speed()[f], self.distance[f], flow.nu[f], flow.prandtl[f])
        k = 1.0 if flow.k_molecular is None else flow.k_molecular[f]
        for target, value in ((flow.mu_eff, flow.mu[f] * (1 + eddy)), (flow.mu_wall, flow.mu[f] * wall),
                              (flow.k_eff, k * (1 + eddy_k)), (flow.k_wall, k * wall_k)):
            target[f] += 0.5 * (value - target[f])
        for x in (flow.mu_eff, flow.mu_wall, flow.k_eff, flow.k_wall):
            flow.geo.wrapped(x)


def model_for(flow):
    """The mixing model a case asks for."""
    return {"laminar": Laminar, "wall-law": WallLaw}[flow.case.mixing](flow)
