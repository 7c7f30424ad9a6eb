"""Plotted copper (RS-274X, with X2 attributes) as shapes in file order: strokes with round ends, and polygons.

Parsed by a library; what that library is known to leave out is refused here rather than drawn wrong.
"""

from __future__ import annotations

import re
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.ops import unary_union

from ...errors import FileProblem

#: mm that a chord of an arc may lie off it
CHORD = 5e-3
#: corners of a circle where one is put together with others
ROUND = 48
STROKE, FILL = 0, 1
_FUNCTION = re.compile(r"TF\.FileFunction,([^*\n]*)")
_BARE = re.compile(r"(%?TF\.[A-Za-z]+)\*(%?)")


@dataclass
class Shapes:
    """Shapes of a layer: ``kind`` STROKE or FILL; ``data`` (n, 5): of strokes x1, y1, x2, y2, radius (mm), of fills the
    first and the number of their ``corners``; ``dark`` or clear. Corners are (x, y, ring): rings of one fill count
    even and odd."""

    kind: np.ndarray
    data: np.ndarray
    dark: np.ndarray
    corners: np.ndarray

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """Least and greatest x, y (mm) of what is dark; inf and -inf where nothing is."""
        s = self.data[(self.kind == STROKE) & self.dark]
        r = s[:, 4]
        x, y = (
            np.concatenate([self.corners[:, a], s[:, a] - r, s[:, a + 2] - r, s[:, a] + r, s[:, a + 2] + r])
            for a in (0, 1)
        )
        low, high = ([float(f(v, initial=end)) for v in (x, y)] for f, end in ((np.min, np.inf), (np.max, -np.inf)))
        return low[0], low[1], high[0], high[1]


def function(text: str) -> str:
    """What a file says of its layer by its attributes, such as "Copper,L1,Top"; "" where it says nothing."""
    found = _FUNCTION.search(text)
    return found.group(1).strip() if found else ""


def parse(path: Path, text: str) -> Any:
    """The file's graphic objects. Raises FileProblem for what cannot be drawn true."""
    from gerbonara import GerberFile
    from gerbonara.rs274x import UnknownStatementWarning

    if re.search(r"%\s*SRX?\d", text):
        raise FileProblem(f"{path.name}: repeats a block by step and repeat, which is not read. Plot it without.")
    if not re.search(r"%\s*MO(MM|IN)|G7[01]", text):
        raise FileProblem(f"{path.name}: names no unit (millimetres or inches). Plot it again.")
    text = _BARE.sub(r"\1,yes*\2", text)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        warnings.simplefilter("error", UnknownStatementWarning)
        try:
            return GerberFile.from_string(text, filename=path)
        except UnknownStatementWarning as error:
            raise FileProblem(f"{path.name}: holds what cannot be drawn ({_plain(error)}). Plot it without.") from error
        except Exception as error:  # whatever the parser meets must reach the user
            raise FileProblem(f"{path.name}: cannot be read ({_plain(error)}). Plot it again.") from error


def _plain(error: BaseException) -> str:
    return " ".join(str(error).split())[:160] or type(error).__name__


class _Making:
    """Shapes as they come."""

    def __init__(self) -> None:
        self.kind: list[int] = []
        self.data: list[tuple[float, ...]] = []
        self.dark: list[bool] = []
        self.corners: list[np.ndarray] = []
        self.count = 0

    def stroke(self, x1: float, y1: float, x2: float, y2: float, r: float, dark: bool) -> None:
        self.kind.append(STROKE)
        self.data.append((x1, y1, x2, y2, r))
        self.dark.append(dark)

    def fill(self, rings: list[np.ndarray], dark: bool) -> None:
        rows = [np.column_stack([r, np.full(len(r), float(m))]) for m, r in enumerate(rings) if len(r) > 2]
        if not rows:
            return
        self.kind.append(FILL)
        self.data.append((self.count, sum(map(len, rows)), 0.0, 0.0, 0.0))
        self.dark.append(dark)
        self.corners += rows
        self.count += sum(map(len, rows))

    def made(self) -> Shapes:
        corners = np.concatenate(self.corners) if self.corners else np.zeros((0, 3))
        return Shapes(
            np.array(self.kind, np.int8), np.array(self.data, float).reshape(-1, 5), np.array(self.dark, bool), corners
        )


def shapes(file: Any) -> Shapes:
    """Flat shapes (mm) of a parsed file, in its order. Raises FileProblem for what cannot be drawn."""
    try:
        return _shapes(file)
    except (AttributeError, TypeError, ValueError, ArithmeticError) as error:
        name = getattr(getattr(file, "original_path", None), "name", "a plot")
        raise FileProblem(f"{name}: cannot be drawn ({_plain(error)}). Plot it again.") from error


def _shapes(file: Any) -> Shapes:
    from gerbonara.graphic_objects import Arc, Flash, Line, Region
    from gerbonara.utils import MM

    out, known = _Making(), {}
    for thing in file.objects:
        dark = bool(thing.polarity_dark)
        if isinstance(thing, Flash):
            key = id(thing.aperture)
            if key not in known:
                known[key] = _flash(thing.aperture)
            at = thing.converted(MM)
            for part in known[key]:
                if isinstance(part, list):
                    out.fill([r + (at.x, at.y) for r in part], dark)
                else:
                    out.stroke(part[0] + at.x, part[1] + at.y, part[2] + at.x, part[3] + at.y, part[4], dark)
        elif isinstance(thing, Line):
            _line(out, thing, dark)
        elif isinstance(thing, Arc):
            p = thing.as_primitive(MM)
            chord = _chords(p.x1, p.y1, p.x2, p.y2, p.cx, p.cy, p.clockwise)
            for a, b in zip(chord, chord[1:], strict=False):
                out.stroke(a[0], a[1], b[0], b[1], p.width / 2, dark)
        elif isinstance(thing, Region):
            for p in thing.to_primitives(MM):
                out.fill([_ring(p)], dark)
    return out.made()


def _line(out: _Making, thing: Any, dark: bool) -> None:
    from gerbonara.apertures import RectangleAperture
    from gerbonara.utils import MM

    at = thing.converted(MM)
    if isinstance(thing.aperture, RectangleAperture):  # swept, it is the hull of both ends
        w, h = (thing.aperture.unit.convert_to(MM, v) / 2 for v in (thing.aperture.w, thing.aperture.h))
        ends = [(x + a * w, y + b * h) for x, y in (at.p1, at.p2) for a in (-1, 1) for b in (-1, 1)]
        hull = shapely.MultiPoint(ends).convex_hull
        out.fill([np.array(hull.exterior.coords)[:-1]] if hull.geom_type == "Polygon" else [], dark)
        return
    (x1, y1), (x2, y2) = at.p1, at.p2
    out.stroke(x1, y1, x2, y2, thing.aperture.equivalent_width(MM) / 2, dark)


def _flash(aperture: Any) -> list:
    """What an aperture leaves at the origin: strokes as tuples, fills as lists of rings. Holes in it and what a macro
    clears only cut it, not what lies below."""
    from gerbonara.utils import MM

    parts = list(aperture.flash(0, 0, MM, True))
    if all(p.polarity_dark for p in parts) and len(parts) == 1:
        return [_plain_part(parts[0])]
    whole: Any = Polygon()
    for p in parts:
        piece = _area(_plain_part(p))
        whole = unary_union([whole, piece]) if p.polarity_dark else whole.difference(piece)
    polygons = getattr(whole, "geoms", [whole])
    return [
        [np.array(g.exterior.coords)[:-1], *(np.array(i.coords)[:-1] for i in g.interiors)]
        for g in polygons
        if g.geom_type == "Polygon" and not g.is_empty
    ]


def _plain_part(p: Any) -> Any:
    """A primitive as a stroke or a fill."""
    name = type(p).__name__
    if name == "Circle":
        return p.x, p.y, p.x, p.y, p.r
    if name == "Line":
        return p.x1, p.y1, p.x2, p.y2, p.width / 2
    if name == "Rectangle":
        c, s = np.cos(p.rotation), np.sin(p.rotation)
        corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * (p.w / 2, p.h / 2)
        return [corners @ np.array([[c, s], [-s, c]]) + (p.x, p.y)]
    if name == "ArcPoly":
        return [_ring(p)]
    raise FileProblem(f"an aperture is made of a {name}, which is not read. Plot it with plain apertures.")


def _area(part: Any) -> Any:
    if isinstance(part, list):
        return Polygon(part[0]).buffer(0)
    x1, y1, x2, y2, r = part
    line = shapely.Point(x1, y1) if (x1, y1) == (x2, y2) else shapely.LineString([(x1, y1), (x2, y2)])
    return line.buffer(r, quad_segs=ROUND // 4)


def _ring(p: Any) -> np.ndarray:
    """Corners (n, 2) of a polygon whose sides may be arcs."""
    out: list[tuple[float, float]] = []
    for a, b, (clockwise, centre) in p.segments:
        if clockwise is None:
            out.append(tuple(a))
        else:
            out += [tuple(q) for q in _chords(a[0], a[1], b[0], b[1], centre[0], centre[1], clockwise)[:-1]]
    return np.array(out, float).reshape(-1, 2)


def _chords(x1, y1, x2, y2, cx, cy, clockwise: bool) -> np.ndarray:
    """Points of an arc from one end to the other; a full circle where they are the same."""
    r = float(np.hypot(x1 - cx, y1 - cy))
    start, end = np.arctan2(y1 - cy, x1 - cx), np.arctan2(y2 - cy, x2 - cx)
    turn = (start - end if clockwise else end - start) % (2 * np.pi)
    if turn < 1e-9:
        turn = 2 * np.pi
    step = 2 * np.arccos(max(1 - CHORD / max(r, CHORD), 0.0))
    t = start + np.linspace(0, -turn if clockwise else turn, max(int(np.ceil(turn / max(step, 1e-3))), 1) + 1)
    out = np.column_stack([cx + r * np.cos(t), cy + r * np.sin(t)])
    out[0], out[-1] = (x1, y1), (x2, y2)
    return out
