"""What a blower does: as much leaves the fluid by its inlet as comes back by its outlet, by the curve of its static
pressure from mouth to mouth; what comes back is as warm as what it drew in."""

from __future__ import annotations

import numpy as np

#: part of the way to the curve that flow goes in an iteration, and of its free flow that it moves at most
SHARE, MOST = 0.3, 0.1


class Blown:
    """One blower of a :class:`Flow`: ``flow_rate`` m3/s and ``rise`` Pa as they are now."""

    def __init__(self, flow, inlet, outlet, curve):
        self.flow, self.curve = flow, curve
        (self.inlet, self.in_faces, self.in_area), (self.outlet, self.out_faces, self.out_area) = inlet, outlet
        self.in_cells, self.out_cells = (flow.geo.flat(x.cells) for x in (self.inlet, self.outlet))
        self.free = curve.flow[-1]
        self.flow_rate, self.rise = 0.5 * self.free, 0.0
        self.set()

    def set(self) -> None:
        """Put the flow into the velocities of both mouths."""
        for patch, faces, area, way in (
            (self.inlet, self.in_faces, self.in_area, 1.0),
            (self.outlet, self.out_faces, self.out_area, -1.0),
        ):
            if len(faces):
                self.flow.u[patch.axis][faces] = way * patch.outward * self.flow_rate / area.sum()

    def blow(self) -> None:
        """Go nearer to the curve: the system's pressure is taken to rise with the square of the flow."""
        flow = self.flow
        if not len(self.in_faces) or not len(self.out_faces):
            return
        before, after = (
            float((flow.p[c] * a).sum() / a.sum())
            for c, a in ((self.in_cells, self.in_area), (self.out_cells, self.out_area))
        )
        self.rise = after - before
        given, slope = self.curve.at(self.flow_rate)
        steep = max(2.0 * abs(self.rise) / max(self.flow_rate, 0.02 * self.free) - slope, given / self.free, 1e-12)
        step = float(np.clip(SHARE * (given - self.rise) / steep, -MOST * self.free, MOST * self.free))
        self.flow_rate = float(np.clip(self.flow_rate + step, 1e-3 * self.free, 1.5 * self.free))
        self.set()

    def keep_mass(self) -> None:
        """Both mouths pass the density of what is drawn in."""
        if len(self.in_cells):
            rho = float(np.average(self.flow.rho[self.in_cells], weights=self.in_area))
            self.flow.rho_face[self.inlet.axis][self.in_faces] = rho
            self.flow.rho_face[self.outlet.axis][self.out_faces] = rho

    def drawn(self, theta) -> float:
        """Temperature (K above the reference) of what it draws in."""
        return float((theta[self.in_cells] * self.in_area).sum() / self.in_area.sum()) if len(self.in_cells) else 0.0
