"""Arrows on the chosen parts in Shape, by which they are dragged along an axis; they snap to what stands around."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyvista as pv

from ..errors import StithyError
from ..kinds import moving
from ..read import shown
from . import look, scene
from .dragging import DRAG, PRESS, RELEASE, Dragging
from .viewing import Look

if TYPE_CHECKING:
    from .bench import Bench

#: pixels about an arrow's tip that take hold of it, and within which parts snap
REACH, SNAP = 13, 9
#: arrows' length over the model's, and whole steps (m) where nothing is near
LONG, STEP = 0.09, 0.5e-3


class Movers(Dragging):
    """The arrows of one bench."""

    def __init__(self, bench: Bench):
        super().__init__(bench, 9.0)
        self.tips: dict[int, np.ndarray] = {}
        self._held: tuple | None = None
        self._by, self._snaps = 0.0, ""

    def draw(self, look_: Look) -> None:
        """Put three arrows on what is chosen, in Shape, where all of it can be moved."""
        painter = self.bench.painter
        painter.forget("movers")
        self.tips = {}
        if look_.stage != "Shape" or self.bench.layout_name or not look_.selected:
            return
        rows = {r.name: r for r in self.bench.session.document.rows_of(look_.layout)}
        if not all(n in rows and moving.place_key(rows[n]) for n in look_.selected):
            return
        box = moving.bounds(look_.model, look_.selected)
        if box is None:
            return
        whole = np.array([s.outer for s in look_.model.enclosures] or [box.T])
        size = float(np.max(whole[:, :, 1].max(axis=0) - whole[:, :, 0].min(axis=0)))
        painter.row("movers")
        for a in range(3):
            start = box.mean(axis=0)
            start[a] = box[1][a]
            self.tips[a] = start + np.eye(3)[a] * LONG * size
            ends = np.array([start, self.tips[a]]) * scene.MM
            plain = {"color": look.EMBER, "lighting": False, "pickable": False}
            painter.add(pv.lines_from_points(ends), line_width=3.0, **plain)
            cone = pv.Cone(
                center=ends[1],
                direction=np.eye(3)[a],
                height=0.02 * size * scene.MM,
                radius=0.007 * size * scene.MM,
                resolution=16,
            )
            painter.add(cone, **plain)
        painter.row("")

    def _press(self, *_):
        at = self.pointer()
        for a, tip in self.tips.items():
            if np.abs(at - self.at(tip)).max() > REACH:
                continue
            model, names = self.bench._look.model, self.bench.session.selected
            step = 0.01 * float(np.ptp(moving.bounds(model, names), axis=0).max() + 1e-3)
            way = self.along(tip, np.eye(3)[a], step)
            if way is None:
                return
            box = moving.bounds(model, names)
            self._held = a, at, way, tuple(box[:, a]), moving.levels(model, a, names)
            self._by = 0.0
            self.take(PRESS)
            return

    def _drag(self, *_):
        if self._held is None:
            return
        a, start, way, span, found = self._held
        at = self.pointer()
        by = float((at - start) @ way / (way @ way))
        reach = SNAP / float(np.linalg.norm(way))
        self._by, self._snaps = moving.snapped(span, by, found, reach, STEP)
        self._preview(a)
        self.take(DRAG)

    def _preview(self, axis: int) -> None:
        """Show the parts where they would stand, and how far that is."""
        bench, painter = self.bench, self.bench.painter
        shift = np.eye(3)[axis] * self._by * scene.MM
        for actor in bench.view.renderer.actors.values():
            if painter.name_of(actor) in bench.session.selected:
                actor.SetPosition(*shift)
        for actor in painter.actors_of("movers"):
            actor.SetPosition(*shift)
        painter.forget("moved by")
        painter.row("moved by")
        told = f"{'xyz'[axis]} {'+' if self._by >= 0 else ''}{shown.text(round(self._by, 7) + 0.0, 'length')}"
        painter.tag(self.tips[axis] + shift / scene.MM, f"{told}   {self._snaps}".rstrip())
        painter.row("")
        bench.view.ren_win.Render()

    def _release(self, *_):
        if self._held is None:
            return
        axis, self._held = self._held[0], None
        self.take(RELEASE)
        self.bench.painter.forget("moved by")
        session, by = self.bench.session, np.eye(3)[axis] * self._by
        try:
            if self._by:
                session.do(moving.moved(session.document, session.layout, session.selected, by, session.only_here))
        except StithyError as error:
            self.bench.refused.emit(str(error).splitlines()[0])
        self.bench.refresh()
