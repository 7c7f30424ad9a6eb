"""Handles on the bench: a square on every section, by which it is dragged along its direction."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..model import drawn
from ..read import shown
from . import scene
from .viewing import Look

if TYPE_CHECKING:
    from .bench import Bench

#: pixels about a handle's corner, and along its words, that take hold of it
REACH, WIDE = 14, 100


class Handles:
    """The handles of one bench."""

    def __init__(self, bench: Bench):
        self.bench = bench
        self.places: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        self._held: tuple | None = None
        iren = bench.view.iren.interactor
        self._tags = [
            iren.AddObserver("LeftButtonPressEvent", self._press, 10.0),
            iren.AddObserver("MouseMoveEvent", self._drag, 10.0),
            iren.AddObserver("LeftButtonReleaseEvent", self._release, 10.0),
        ]

    def draw(self, look_: Look) -> None:
        """Put a handle on every section that is shown, in Read."""
        painter = self.bench.painter
        painter.forget("handles")
        self.places = {}
        if look_.result is None or look_.stage != "Read" or self.bench.layout_name:
            return
        for spec in look_.on:
            if isinstance(spec, drawn.Section):
                point, normal = self._place(look_, spec), np.array(spec.normal)
                self.places[spec.name] = point, normal
                name = spec.name if spec.axis is None else "xyz"[spec.axis]
                painter.row("handles")
                painter.tag(point, f"‹ {name} {shown.text(round(float(point @ normal), 7) + 0.0, 'length')} ›")
                painter.row("")

    @staticmethod
    def _place(look_: Look, spec: drawn.Section) -> np.ndarray:
        """Where the handle of a section stands (m): in the middle of its lower edge, nearest to the viewer; one across
        no axis has it at its point."""
        assert look_.result is not None
        lines = look_.result.grid.lines
        point = np.array(look_.middle)
        if spec.axis is None:
            return point if spec.point is None else np.array(spec.point)
        point[spec.axis] = look_.middle[spec.axis] if spec.place is None else spec.place
        if spec.axis != 2:
            point[2] = lines[2][0]
        else:
            point[1] = lines[1][0] if look_.toward[1] < 0 else lines[1][-1]
        return point

    def _at(self, point) -> np.ndarray:
        """Where a point (m) stands in the picture, pixels."""
        renderer = self.bench.view.renderer
        renderer.SetWorldPoint(*(np.asarray(point) * scene.MM), 1.0)
        renderer.WorldToDisplay()
        return np.array(renderer.GetDisplayPoint()[:2])

    def _abort(self, which: int) -> None:
        self.bench.view.iren.interactor.GetCommand(self._tags[which]).SetAbortFlag(1)

    def _press(self, *_):
        at = np.array(self.bench.view.iren.get_event_position(), float)
        for name, (point, normal) in self.places.items():
            off = at - self._at(point)
            if -REACH <= off[0] <= WIDE and abs(off[1]) <= REACH:
                step = 1e-3 * max(x[-1] - x[0] for x in self.bench.result().grid.lines)
                way = (self._at(point + step * normal) - self._at(point)) / step  # pixels a metre
                if float(way @ way) < 1.0:
                    return
                self._held = name, point, normal, way, at
                self._abort(0)
                self.bench.session.select((name,))
                return

    def _drag(self, *_):
        if self._held is None:
            return
        name, point, normal, way, start = self._held
        at = np.array(self.bench.view.iren.get_event_position(), float)
        moved = float((at - start) @ way / (way @ way))
        grid = self.bench.result().grid.lines
        low, high = (np.array([x[end] for x in grid]) for end in (0, -1))
        place = np.clip(point + moved * normal, low, high)
        along = normal == 1.0
        told = place[along] if along.any() else place
        at = ", ".join(f"{round(1e3 * x, 3) + 0.0:.6g}" for x in told)
        self.bench.session.picture.try_out([(name, "at", f"{at} mm")])
        self._abort(1)

    def _release(self, *_):
        if self._held is None:
            return
        name, self._held = self._held[0], None
        self._abort(2)
        self.bench.session.picture.settle_tried(f"move {name}")
