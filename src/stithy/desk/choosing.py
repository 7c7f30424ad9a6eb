"""Shift and a pull over the bench choose parts, hidden ones too: a straight pull spans a box, a curved one a lasso."""

from __future__ import annotations

from itertools import product
from typing import TYPE_CHECKING

import numpy as np
import pyvista as pv
from PyQt6.QtGui import QColor
from shapely.geometry import MultiPoint, Polygon

from ..model.places import boxes
from . import look
from .dragging import DRAG, PRESS, RELEASE, Dragging

if TYPE_CHECKING:
    from .bench import Bench

#: of a pull's length, how far it may leave its chord and still be straight; fewest pixels of a pull
STRAIGHT, LEAST = 0.08, 6


class Choosing(Dragging):
    """Box and lasso of one bench."""

    def __init__(self, bench: Bench):
        super().__init__(bench, 11.0)
        self.line: list[np.ndarray] = []
        self.ink = _Ink(bench.view)

    def _press(self, *_):
        if not self.bench.view.iren.interactor.GetShiftKey() or self.bench._look is None:
            return
        self.line = [self.pointer()]
        self.take(PRESS)

    def _drag(self, *_):
        if self.line:
            self.line.append(self.pointer())
            self.ink.show_line(self.region())
            self.take(DRAG)

    def _release(self, *_):
        if not self.line:
            return
        self.take(RELEASE)
        region, self.line = self.region(), []
        self.ink.hide()
        if len(region) > 2:
            found = self.inside(Polygon(region).buffer(0))
            session = self.bench.session
            more = self.bench.view.iren.interactor.GetControlKey()
            session.select(tuple(dict.fromkeys([*(session.selected if more else ()), *found])))

    def region(self) -> np.ndarray:
        """Corners (n, 2) of what was pulled round, in pixels; empty while it is nothing."""
        line = np.array(self.line)
        chord = line[-1] - line[0]
        length = float(np.hypot(*chord))
        if len(line) < 2 or np.ptp(line, axis=0).max() < LEAST:
            return np.zeros((0, 2))
        off = line - line[0]
        away = np.abs(chord[0] * off[:, 1] - chord[1] * off[:, 0]).max() / max(length, 1e-9)
        if length > LEAST and away < STRAIGHT * length:
            (x0, y0), (x1, y1) = line[0], line[-1]
            return np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])
        return line

    def inside(self, region) -> list[str]:
        """Parts that lie wholly in a region of the picture, whatever stands before them."""
        look_ = self.bench._look
        rows = {r.name for r in self.bench.session.document.rows_of(look_.layout)}
        spaces = {s.name for s in look_.model.enclosures}
        out = []
        for name, box in boxes(look_.model).items():
            if name not in rows or name in spaces or look_.sight.get(name) == "hidden":
                continue
            corners = [self.at([box[i][0], box[j][1], box[k][2]]) for i, j, k in product((0, 1), repeat=3)]
            if region.contains(MultiPoint(corners).convex_hull):
                out.append(name)
        return out


class _Ink:
    """The line of the pull over the picture."""

    def __init__(self, view):
        from vtkmodules.vtkRenderingCore import vtkActor2D, vtkPolyDataMapper2D

        self.view, self.mapper, self.actor = view, vtkPolyDataMapper2D(), vtkActor2D()
        self.actor.SetMapper(self.mapper)
        colour = QColor(look.EMBER)
        self.actor.GetProperty().SetColor(colour.redF(), colour.greenF(), colour.blueF())
        self.actor.GetProperty().SetLineWidth(2.0)

    def show_line(self, corners: np.ndarray) -> None:
        """A closed line through corners (n, 2), pixels."""
        if len(corners) < 2:
            return
        points = np.column_stack([corners, np.zeros(len(corners))])
        ring = np.array([len(points) + 1, *range(len(points)), 0])
        self.mapper.SetInputData(pv.PolyData(points, lines=ring))
        if not self.view.renderer.HasViewProp(self.actor):
            self.view.renderer.AddViewProp(self.actor)
        self.view.ren_win.Render()

    def hide(self) -> None:
        """Take it away."""
        self.view.renderer.RemoveViewProp(self.actor)
        self.view.ren_win.Render()
