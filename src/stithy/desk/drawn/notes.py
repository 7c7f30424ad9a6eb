"""Lines that are plotted, and flags with values."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv

from ...model import drawn as d
from ...read import shown
from ...read.along import along
from ...read.band import Bands
from ...read.selection import extreme
from .. import look as colours
from ..scene import MM


def line(painter, look, spec: d.Line) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    v = look.values(spec)
    found = painter.kept(("along", v.serial, spec, look.sections), lambda: along(v, spec, look.sections))
    points = found.points * MM
    if len(points) > 1:
        painter.add(pv.lines_from_points(points), color=colours.SHEET, line_width=4.5, lighting=False, pickable=False)
        painter.add(pv.lines_from_points(points), color=colours.INK, line_width=2.0, lighting=False, pickable=False)
    painter.along[spec.name] = found
    yield


def flag(painter, look, spec: d.Flag) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    v = look.values(spec)
    q = spec.paint.quantity
    if spec.point is None:
        value, place = extreme(v, (spec.of,), q.name, spec.place == "hottest")
    else:
        value, place = float(v.at(q.name, [spec.point])[0]), spec.point
    words = shown.text(value, q.dimension) if np.isfinite(value) else "no value"
    if spec.point is None and q.name == "temperature" and spec.place == "hottest":
        bands = Bands(v.solution.summary)
        told = bands.temperature(spec.of)  # as its tile tells it
        words = shown.with_band(told.value, told.band, q.dimension) if told is not None else words
        words = "dries out" if bands.dry(spec.of) else words
    told = f"{words}   {spec.of or spec.name}"
    painter.label(place, told, spec.name, spec.label)
    painter.flags[spec.name] = tuple(place), spec.label, told
    yield
