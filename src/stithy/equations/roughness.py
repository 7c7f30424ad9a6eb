"""Rough walls in the law of the wall.

Sand grains of height ks move the logarithmic law down by ln(1 + 0.3 ks+) / kappa, which is the law of a fluid whose
viscosity is nu + 0.3 ks u_tau. What the law says at that viscosity (:func:`mixing.rough_law`: between grains there is
no sublayer) gives the friction, and the eddies as what they carry beyond the molecular. Heat rises less than friction:
with its ratio to the power 0.68 Pr^0.215.
Sources: C. Colebrook, J. Inst. Civ. Eng. 11 (1939), whose interpolation between smooth and rough this is; R. Norris,
in: Augmentation of Convective Heat and Mass Transfer, ASME (1970).
"""

from __future__ import annotations

import numpy as np

from . import walls

GRAINS = 0.3


class Rough:
    """The cells of a flow whose nearest wall is rough: ``cells``, the roughness there (m), and the viscosity (m2/s)
    that the law of the wall has in every cell (``nu``)."""

    def __init__(self, flow, distance: np.ndarray):
        self.flow, self.distance, self.cells = flow, distance, np.zeros(0, np.int64)
        found = walls.wall_roughness(flow.case)
        if found is not None:
            grains = flow.geo.pad(found, 0.0)
            self.cells = np.flatnonzero((grains > 0.0) & flow.fluid & (flow.geo.padded_index() > 0) & (distance > 0.0))
            self.grains = grains[self.cells]
            self.more = np.zeros(flow.geo.size, np.float64)

    @property
    def nu(self) -> np.ndarray:
        """Viscosity (m2/s) of the law of the wall: the fluid's own where walls are smooth."""
        return self.flow.nu + self.more if len(self.cells) else self.flow.nu

    def update(self, speed: np.ndarray) -> None:
        """Follow the friction that the walls have now."""
        if not len(self.cells):
            return
        c, flow = self.cells, self.flow
        ratio = flow.mu_wall[c] / np.maximum(flow.mu[c], 1e-300)
        u_tau = np.sqrt(np.maximum(ratio * flow.nu[c] * speed[c] / self.distance[c], 0.0))
        self.more[c] += 0.5 * (GRAINS * self.grains * u_tau - self.more[c])
