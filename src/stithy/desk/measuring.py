"""Measuring on a bench: two clicks, on corners where one is near; what lies between them is drawn and told."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyvista as pv

from ..read import measure, shown
from ..read.measure import Measured, Picked
from . import look, scene

if TYPE_CHECKING:
    from .bench import Bench

#: pixels within which a corner of the picked face is taken
NEAR = 12


class Measuring:
    """The picks of one bench, while measuring is on."""

    def __init__(self, bench: Bench):
        self.bench = bench
        self.picks: list[Picked] = []

    def take(self, name: str, actor, at, picker) -> None:
        """One more pick: the third begins anew."""
        self.picks = [] if len(self.picks) == 2 else self.picks
        mesh = pv.wrap(actor.GetMapper().GetInput())
        point = np.array(picker.GetPickPosition()) / scene.MM
        cell = picker.GetCellId()
        normal = tuple(float(x) for x in picker.GetPickNormal())
        if 0 <= cell < mesh.n_cells:
            corners = np.array(mesh.get_cell(cell).points) / scene.MM
            off = [float(np.hypot(*(self.bench.handles.at(c) - at))) for c in corners]
            if min(off) < NEAR:
                point = corners[int(np.argmin(off))]
        self.picks.append(Picked(name, tuple(float(x) for x in point), normal, cell))
        self.tell()

    def clear(self) -> None:
        """Forget all picks."""
        self.picks = []
        self.bench.painter.forget("measured")
        self.bench.session.measured = ()
        self.bench.session.tell("measured")

    def tell(self) -> None:
        """Draw and tell what is picked."""
        session, painter = self.bench.session, self.bench.painter
        model = session.standing(self.bench.name()).model
        if not self.picks or model is None:
            return
        painter.forget("measured")
        painter.row("measured")
        found: list[Measured]
        if len(self.picks) == 1:
            pick = self.picks[0]
            painter.dot(pick.point)
            found = measure.face(model, pick)
            found += measure.part(model, pick.name) if pick.name else []
        else:
            one, other = self.picks
            found = measure.between(model, one, other)
            ends = np.array([one.point, other.point])
            painter.add_over(pv.lines_from_points(ends * scene.MM), color=look.EMBER, line_width=2.5)
            painter.dot(one.point)
            painter.dot(other.point)
            painter.tag(ends.mean(axis=0), shown.text(found[0].value, "length", 5))
        painter.row("")
        session.measured = tuple(found)
        session.tell("measured")
        self.bench.view.ren_win.Render()


def told(found: tuple[Measured, ...]) -> str:
    """All measured numbers in a line."""
    return "   ".join(f"{m.what} {shown.text(m.value, m.dimension, 5)}" for m in found)
