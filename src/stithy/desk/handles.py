"""Handles on the bench: words on every section, by which it is dragged along its direction; flags and their words."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from ..model import drawn
from ..read import shown
from . import scene
from .dragging import DRAG, PRESS, RELEASE, Dragging
from .viewing import Look

if TYPE_CHECKING:
    from .bench import Bench

#: pixels about a handle's corner, and along its words, that take hold of it; about a flag's dot; width of a letter
#: and height of a flag's words, which stand to the right of their place and above it
REACH, WIDE, DOT, LETTER, WORDS = 14, 100, 7, 6.5, 18
#: what is held: the row, and which of its cells goes where (m) for a place of the pointer
Held = tuple[str, Callable[[np.ndarray], tuple[str, np.ndarray]]]


class Handles(Dragging):
    """The handles of one bench."""

    def __init__(self, bench: Bench):
        super().__init__(bench, 10.0)
        self.places: dict[str, tuple[np.ndarray, np.ndarray]] = {}
        self._held: Held | None = None

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

    def _moved(self, point, start: np.ndarray, at: np.ndarray) -> np.ndarray:
        """A point (m) dragged in the plane of the picture from one place of it to another, kept in the model."""
        renderer = self.bench.view.renderer
        renderer.SetWorldPoint(*(np.asarray(point) * scene.MM), 1.0)
        renderer.WorldToDisplay()
        x, y, depth = renderer.GetDisplayPoint()
        renderer.SetDisplayPoint(x + at[0] - start[0], y + at[1] - start[1], depth)
        renderer.DisplayToWorld()
        world = np.array(renderer.GetWorldPoint())
        return world[:3] / world[3] / scene.MM

    def _press(self, *_):
        at = self.pointer()
        found = self._section_at(at) or self._flag_at(at)
        if found is not None:
            self._held = found
            self.take(PRESS)
            self.bench.session.select((found[0],))

    def _section_at(self, at: np.ndarray) -> Held | None:
        """The section whose handle is under a place of the picture."""
        for name, (point, normal) in self.places.items():
            off = at - self.at(point)
            if not (-REACH <= off[0] <= WIDE and abs(off[1]) <= REACH):
                continue
            grid = self.bench.result().grid.lines
            step = 1e-3 * max(x[-1] - x[0] for x in grid)
            way = self.along(point, normal, step)
            if way is None:
                return None
            low, high = (np.array([x[end] for x in grid]) for end in (0, -1))

            def cell(now, point=point, normal=normal, way=way, low=low, high=high) -> tuple[str, np.ndarray]:
                place = np.clip(point + float((now - at) @ way / (way @ way)) * normal, low, high)
                along = normal == 1.0
                return "at", place[along] if along.any() else place

            return name, cell
        return None

    def _flag_at(self, at: np.ndarray) -> Held | None:
        """The flag under a place of the picture: its words, which go to another place, or its point."""
        if self.bench.session.stage != "Read" or self.bench.layout_name:
            return None
        flags = {x.name: x for x in self.bench.session.picture.drawn()[0] if isinstance(x, drawn.Flag)}
        for name, (place, label, text) in self.bench.painter.flags.items():
            words = place if label is None else label
            dot, off = at - self.at(place), at - self.at(words)
            if np.abs(dot).max() <= DOT and name in flags and flags[name].point is not None:
                return name, lambda now, p=place: ("at", self._within(self._moved(p, at, now)))
            if -DOT <= off[0] <= LETTER * len(text) and -DOT <= off[1] <= WORDS:
                return name, lambda now, p=words: ("label", self._moved(p, at, now))
        return None

    def _within(self, point: np.ndarray) -> np.ndarray:
        grid = self.bench.result().grid.lines
        return np.clip(point, [x[0] for x in grid], [x[-1] for x in grid])

    def _drag(self, *_):
        if self._held is None:
            return
        name, cell = self._held
        key, told = cell(self.pointer())
        at = ", ".join(f"{round(1e3 * x, 3) + 0.0:.6g}" for x in told)
        self.bench.session.picture.try_out([(name, key, f"{at} mm")])
        self.take(DRAG)

    def _release(self, *_):
        if self._held is None:
            return
        name, self._held = self._held[0], None
        self.take(RELEASE)
        self.bench.session.picture.settle_tried(f"move {name}")
