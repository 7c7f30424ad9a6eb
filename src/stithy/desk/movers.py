"""Handles on the chosen parts in Shape: arrows along an axis, squares in a plane, faces that are pulled; they snap to
what stands around, and the length can be typed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import pyvista as pv

from ..errors import StithyError, ValueProblem
from ..kinds import moving
from ..model import places
from ..project import units
from ..project.edits import Edit
from ..read import shown
from . import look, scene
from .dragging import DRAG, PRESS, RELEASE, Dragging
from .length_field import LengthField
from .viewing import Look

if TYPE_CHECKING:
    from .bench import Bench

#: pixels about a handle that take hold of it, and within which parts snap
REACH, SNAP = 11, 9
#: arrows' length, and squares' distance and side, over the model's
LONG, OUT, SIDE = 0.09, 0.03, 0.016


@dataclass(frozen=True)
class Grip:
    """One handle: at a ``place`` (m); the axes it goes along; which end of the part it pulls (None: all of it)."""

    place: tuple[float, float, float]
    axes: tuple[int, ...]
    end: int | None = None


@dataclass
class Held:
    """What is being dragged: the grip, where the pointer took it, pixels a metre along each of its axes."""

    grip: Grip
    start: np.ndarray
    ways: np.ndarray
    spans: list[tuple[float, float]]
    found: list[dict[float, str]]


class Movers(Dragging):
    """The handles of one bench."""

    def __init__(self, bench: Bench):
        super().__init__(bench, 9.0)
        self.grips: list[Grip] = []
        self.held: Held | None = None
        self.by, self._snaps = np.zeros(3), ""
        self._last: tuple[Grip, np.ndarray] | None = None
        self._moved: list = []
        self.field = LengthField(bench.view)
        self.field.settled.connect(self.typed)
        self.field.given_up.connect(self._give_up)

    @property
    def tips(self) -> dict[int, np.ndarray]:
        """Places (m) of the arrows' tips by axis."""
        return {g.axes[0]: np.array(g.place) for g in self.grips if len(g.axes) == 1 and g.end is None}

    def draw(self, look_: Look) -> None:
        """Put handles on what is chosen, in Shape, where all of it can be moved."""
        painter, session = self.bench.painter, self.bench.session
        painter.forget("movers")
        self.grips = []
        names = session.parts
        if look_.stage != "Shape" or self.bench.layout_name or not names:
            self.field.hide()
            return
        rows = {r.name: r for r in session.document.rows_of(look_.layout)}
        ways = [set(moving.ways(rows[n])) if n in rows else set() for n in names]
        axes = sorted(set.intersection(*ways))
        box = places.bounds(look_.model, names)
        if box is None or not axes or not all(ways):
            return
        whole = np.array([s.outer for s in look_.model.enclosures] or [box.T])
        size = float(np.max(whole[:, :, 1].max(axis=0) - whole[:, :, 0].min(axis=0)))
        painter.row("movers")
        for a in axes:
            self._arrow(box, a, size)
        for a, b in [(a, b) for m, a in enumerate(axes) for b in axes[m + 1 :]]:
            self._square(box, (a, b), size)
        if len(names) == 1 and moving.can_be_sized(rows[names[0]]):
            for a in axes:
                for end in (0, 1):
                    self._face(box, a, end, size)
        painter.row("")

    def _arrow(self, box: np.ndarray, axis: int, size: float) -> None:
        start = box.mean(axis=0)
        start[axis] = box[1][axis]
        tip = start + np.eye(3)[axis] * LONG * size
        self.grips.append(Grip(tuple(tip), (axis,)))
        ends = np.array([start, tip]) * scene.MM
        self.bench.painter.add_over(pv.lines_from_points(ends), color=look.EMBER, line_width=3.0)
        cone = pv.Cone(
            center=ends[1],
            direction=np.eye(3)[axis],
            height=0.02 * size * scene.MM,
            radius=0.007 * size * scene.MM,
            resolution=16,
        )
        self.bench.painter.add_over(cone, color=look.EMBER)

    def _square(self, box: np.ndarray, axes: tuple[int, int], size: float) -> None:
        place = box.mean(axis=0)
        for a in axes:
            place[a] = box[1][a] + OUT * size
        self.grips.append(Grip(tuple(place), axes))
        one, other = (np.eye(3)[a] * SIDE * size for a in axes)
        corners = np.array([place - one - other, place + one - other, place + one + other, place - one + other])
        quad = pv.PolyData(corners * scene.MM, np.array([4, 0, 1, 2, 3]))
        self.bench.painter.add_over(quad, color=look.EMBER, opacity=0.6)

    def _face(self, box: np.ndarray, axis: int, end: int, size: float) -> None:
        place = box.mean(axis=0)
        place[axis] = box[end][axis]
        self.grips.append(Grip(tuple(place), (axis,), end))
        dot = pv.PolyData(np.array([place]) * scene.MM)
        for colour, points in ((look.SHEET, 13), (look.INK, 9)):
            self.bench.painter.add_over(dot.copy(), color=colour, point_size=points, style="points")

    def _press(self, *_):
        at = self.pointer()
        near = [(float(np.abs(at - self.at(g.place)).max()), m) for m, g in enumerate(self.grips)]
        if not near or min(near)[0] > REACH:
            self.field.hide()
            return
        grip = self.grips[min(near)[1]]
        model, names = self.bench._look.model, self.bench.session.parts
        box = places.bounds(model, names)
        step = 0.01 * float(np.ptp(box, axis=0).max() + 1e-3)
        ways = [self.along(np.array(grip.place), np.eye(3)[a], step) for a in grip.axes]
        if any(w is None for w in ways) or (len(ways) == 2 and abs(np.linalg.det(np.array(ways))) < 1.0):
            return  # looked at end on
        found = [moving.levels(model, a, names) for a in grip.axes]
        if grip.end is None:
            spans = [tuple(box[:, a]) for a in grip.axes]
            found = [f | moving.equal_gaps(model, a, names) for f, a in zip(found, grip.axes, strict=True)]
        else:
            spans = [(float(box[grip.end][a]),) * 2 for a in grip.axes]
        self.held = Held(grip, at, np.array(ways), spans, found)
        self.by = np.zeros(3)
        self.field.begin(self._words(), self.at(grip.place))
        self._moved = [a for n in names for a in self.bench.painter.pictures_of(n)] if grip.end is None else []
        self.bench.stand_in.begin(self._moved)
        self.take(PRESS)

    def _drag(self, *_):
        if self.held is None:
            return
        self.take(DRAG)
        if self.field.typing:
            return
        h = self.held
        pulled = np.linalg.lstsq(h.ways.T, self.pointer() - h.start, rcond=None)[0]
        told = []
        for m, a in enumerate(h.grip.axes):
            reach = SNAP / float(np.linalg.norm(h.ways[m]))
            by, what = moving.snapped(h.spans[m], float(pulled[m]), h.found[m], reach, self.bench.session.snap)
            self.by[a] = by
            told += [what] if what else []
        self._snaps = ", ".join(dict.fromkeys(told))
        self._preview()

    def _words(self) -> str:
        """The length as it stands in the field: how far, or how large."""
        assert self.held is not None
        axes = self.held.grip.axes
        if self.held.grip.end is None:
            return ", ".join(shown.text(round(self.by[a], 7) + 0.0, "length", 6, False) for a in axes)
        return shown.text(self._size(), "length", 6, False)

    def _size(self) -> float:
        """How large the part would be along the pulled axis, m."""
        assert self.held is not None
        a, end = self.held.grip.axes[0], self.held.grip.end
        box = places.bounds(self.bench._look.model, self.bench.session.parts)
        return float(np.ptp(box[:, a])) + (self.by[a] if end else -self.by[a])

    def _preview(self) -> None:
        """Show the parts where they would stand, how far that is, and what they snap to."""
        bench, painter = self.bench, self.bench.painter
        assert self.held is not None
        shift, grip = self.by * scene.MM, self.held.grip
        painter.forget("moved by")
        painter.row("moved by")
        if grip.end is None:
            for actor in self._moved:
                actor.SetPosition(*shift)
            for actor in painter.actors_of("movers"):
                actor.SetPosition(*shift)
        else:
            box = places.bounds(bench._look.model, bench.session.parts).copy()
            box[grip.end][grip.axes[0]] += self.by[grip.axes[0]]
            painter.add_over(scene.box_edges([box.T]), color=look.EMBER, line_width=2.5)
        if self._snaps:
            painter.tag(np.array(grip.place) + self.by, self._snaps)
        painter.row("")
        bench.smoothing.plainly()
        what = "".join("xyz"[a] for a in grip.axes) if grip.end is None else f"{'xyz'[grip.axes[0]]} size"
        self.field.follow(what, self._words(), self.at(np.array(grip.place) + self.by))
        bench.view.ren_win.Render()

    def _release(self, *_):
        if self.held is None:
            return
        self.take(RELEASE)
        self.bench.stand_in.end()
        self.bench.smoothing.soon()
        if not self.field.typing:
            self._settle()

    def _settle(self) -> None:
        """Do what was dragged or typed, as one step."""
        assert self.held is not None
        (grip, by), self.held = (self.held.grip, self.by.copy()), None
        self.bench.painter.forget("moved by")
        self._last = None
        if by.any():
            try:
                self.bench.session.do(self._edit(grip, by))
                self._last = grip, by
            except StithyError as error:
                self.bench.refused.emit(str(error).splitlines()[0])
                self.field.hide()
        self.field.wait()
        self.bench.refresh()

    def _edit(self, grip: Grip, by: np.ndarray) -> Edit:
        s = self.bench.session
        if grip.end is None:
            return moving.moved(s.document, s.layout, s.parts, by, s.only_here)
        a = grip.axes[0]
        return moving.sized(s.document, s.layout, s.parts[0], a, grip.end, float(by[a]), s.only_here)

    def typed(self, text: str) -> None:
        """Take a length that was typed, while something is held or just after it was let go: in place of the dragged
        one, and as the same one step."""
        held, last, session = self.held, self._last, self.bench.session
        grip = held.grip if held is not None else last[0] if last is not None else None
        if grip is None:
            self.field.hide()
            return
        try:
            unit = shown.unit("length")
            parts = [p if units.unit_of(p) else f"{p} {unit}" for p in units.split(text)]
            lengths = units.vector(", ".join(parts), "length", len(grip.axes))
        except ValueProblem as error:
            self.bench.refused.emit(f"{error.what} {error.remedy}")
            return
        if held is None:
            session.undo()
            box = places.bounds(session.standing().model, session.parts)
        else:
            box = places.bounds(self.bench._look.model, session.parts)
        self.by = np.zeros(3)
        for a, x in zip(grip.axes, lengths, strict=True):
            wide = float(np.ptp(box[:, a]))
            self.by[a] = x if grip.end is None else (x - wide) * (1.0 if grip.end else -1.0)
        self.held = held or Held(grip, np.zeros(2), np.zeros((1, 2)), [], [])
        self._settle()
        self.field.hide()

    def _give_up(self) -> None:
        """Let everything be as it was before it was held; what was let go stays."""
        if self.held is not None:
            self.held = None
            self.bench.painter.forget("moved by")
            self.bench.refresh()
        self.field.hide()
