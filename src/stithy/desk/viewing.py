"""What a bench's pictures are drawn from: model, result, drawn rows, scales, what is in sight."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pyvista as pv

from ..errors import StithyError
from ..mesh.leak import Leak
from ..mesh.openings import Found
from ..model import Model, drawn
from ..read import shown
from ..read.values import Values
from ..solution.solution import Solution
from . import look as colours
from .library import Library

#: steps that a continuous scale is painted in
SMOOTH = 256


@dataclass(frozen=True)
class ScaleOf:
    """One scale: what it stands for, its ends (SI), its steps (0: none), the drawn rows that are painted by it."""

    quantity: Any
    low: float
    high: float
    steps: int
    rows: tuple[str, ...]


@dataclass
class Look:
    """What items draw from: the layout's ``model``, its ``result`` where this stage paints results, the ``rows`` that
    are drawn of it, rows that are ``selected``, the ``stage``, whether the layout has problems (``faulty``), the place
    (m) where the last run went wrong (``fault``); ``layouts``: all there are, ``beside``: those shown with it, whose
    ranges it shares; ``sight``: parts that are "hidden" or seen "through"; ``toward``:
    direction to the viewer; ``cut``: axis, place (m) and kept side of a cut through the model while it is made;
    ``rulers``: its edges have them; ``scaled``: something stands beside it for scale;
    ``roles``: faces show what holds there; ``copper``: the board's row and the layer of its copper that is shown;
    ``grows``: streamlines become more while that is quick."""

    layout: str
    model: Model
    result: Solution | None
    summary: dict | None
    selected: tuple[str, ...]
    stage: str
    faulty: bool
    fault: tuple[float, float, float] | None
    library: Library
    rows: tuple[Any, ...] = ()
    layouts: tuple[str, ...] = ()
    beside: tuple[str, ...] = ()
    sight: dict[str, str] = field(default_factory=dict)
    toward: tuple[float, float, float] = (0.0, -1.0, 0.0)
    leak: Leak | None = None
    mouths: tuple[Found, ...] = ()
    space: tuple | None = None
    faces: tuple = ()
    hidden: bool = False
    told: dict[str, str] = field(default_factory=dict)
    scales: list[ScaleOf] = field(default_factory=list)
    grows: bool = True
    cut: tuple[int, float, float] | None = None
    scaled: bool = False
    rulers: bool = False
    roles: bool = False
    copper: tuple | None = None

    @property
    def on(self) -> tuple[Any, ...]:
        """Drawn rows that are shown."""
        return tuple(x for x in self.rows if getattr(x, "on", False)) if self.result is not None else ()

    @property
    def middle(self) -> tuple[float, float, float]:
        """Middle (m) of what flows."""
        return self.result.middle if self.result is not None else (0.0, 0.0, 0.0)

    @property
    def sections(self) -> tuple[drawn.Section, ...]:
        """All sections, shown or not."""
        return tuple(x for x in self.rows if isinstance(x, drawn.Section))

    def section(self, name: str, strict: bool = False) -> Any:
        """A section by name; without one the first that is shown, or one in the middle."""
        named = next((x for x in self.sections if x.name == name), None)
        if named is not None or strict:
            return named
        shown_ = [x for x in self.sections if x.on] or list(self.sections)
        return shown_[0] if shown_ else drawn.Section("", True, drawn.Paint())

    def line(self, name: str) -> drawn.Line | None:
        """A line by name."""
        return next((x for x in self.rows if isinstance(x, drawn.Line) and x.name == name), None)

    def sources(self, spec: drawn.Streamlines) -> tuple:
        """What the sources of streamlines are, so that lines are traced anew when one moves."""
        return tuple((x, self.section(x, strict=True), self.line(x)) for x in spec.source)

    def values(self, spec: Any) -> Values:
        """The quantities that a row is drawn by."""
        assert self.result is not None
        return self.library.values(self.result, spec.paint.references)

    def ends(self, spec: Any, values: np.ndarray) -> tuple[float, float]:
        """Ends (SI) of a row's scale, from its own ``values`` where it says so; entered into :attr:`scales`."""
        p = spec.paint
        if p.low is not None and p.high is not None:
            low, high = p.low, p.high
        else:
            low, high = self._range(spec, values)
            low, high = rounded(low, high, p)
        steps = steps_of(p, low, high)
        for m, x in enumerate(self.scales):
            if (x.quantity.name, x.low, x.high, x.steps) == (p.quantity.name, low, high, steps):
                self.scales[m] = ScaleOf(p.quantity, low, high, steps, (*x.rows, spec.name))
                return low, high
        self.scales.append(ScaleOf(p.quantity, low, high, steps, (spec.name,)))
        return low, high

    def _range(self, spec: Any, values: np.ndarray) -> tuple[float, float]:
        assert self.result is not None
        p = spec.paint
        if p.over == "what is drawn":
            good = values[np.isfinite(values)]
            return (float(good.min()), float(good.max())) if good.size else (0.0, 1.0)
        if p.quantity.name == "residence time" and isinstance(spec, drawn.Streamlines):
            good = values[np.isfinite(values)]
            return (0.0, float(np.percentile(good, 95))) if good.size else (0.0, 1.0)
        found = [self.library.range(self.result, spec)]
        for name in self.layouts if p.over == "all layouts" else self.beside:
            other = self.library.result_of(name)
            if other is not None and other is not self.result:
                try:
                    found.append(self.library.range(other, spec))
                except StithyError:
                    continue
        return min(x[0] for x in found), max(x[1] for x in found)

    def levels(self, spec: Any, low: float, high: float) -> np.ndarray:
        """Values (SI) between the steps of a row's scale; twelve steps where it has none."""
        n = steps_of(spec.paint, low, high) or 12
        return np.linspace(low, high, n + 1)[1:-1]

    def paint(self, spec: Any, low: float, high: float) -> dict:
        """How a mesh is coloured."""
        n = steps_of(spec.paint, low, high) or SMOOTH
        table = pv.LookupTable(
            values=colours.scale_table(colours.family(spec.paint.quantity), n), scalar_range=(low, high)
        )
        return {"cmap": table, "show_scalar_bar": False, "interpolate_before_map": True}

    def side(self, section: drawn.Section) -> float:
        """1 where the viewer stands on the side that a section's normal points to, else -1."""
        return 1.0 if float(np.dot(section.normal, self.toward)) >= 0.0 else -1.0

    def planes(self) -> list[tuple[np.ndarray, np.ndarray]]:
        """Planes beyond which parts are not drawn: a point (m) and the direction that is kept."""
        out = []
        if self.cut is not None and self.result is None:
            axis, place, keep = self.cut
            return [(np.eye(3)[axis] * place, np.eye(3)[axis] * keep), *self.piece]
        for s in (x for x in self.on if isinstance(x, drawn.Section)):
            clips = s.clips
            if clips == "auto":
                assert self.result is not None
                clips = "near" if self.library.hides(self.result) else ""
            if not clips:
                continue
            normal = np.array(s.normal)
            keep = {"near": -self.side(s), "low": 1.0, "high": -1.0}[clips]
            point = np.array(s.point if s.point is not None else self.middle, float)
            if s.axis is not None and s.place is not None:
                point[s.axis] = s.place
            out.append((point, keep * normal))
        return out + self.piece

    @property
    def piece(self) -> list[tuple[np.ndarray, np.ndarray]]:
        """Planes that the solved piece of the model lies between, where only one is solved."""
        if self.model.piece is None:
            return []
        return [
            (np.eye(3)[a] * span[end], np.eye(3)[a] * (-1.0 if end else 1.0))
            for a, span in enumerate(self.model.piece.spans)
            if span is not None
            for end in (0, 1)
        ]


def rounded(low: float, high: float, p: drawn.Paint) -> tuple[float, float]:
    """Ends of a scale on round values: of the step's width, 5 degrees, or two digits of the span; never the same."""
    dimension = p.quantity.dimension
    if p.quantity.name.startswith("difference"):
        most = max(abs(low), abs(high), 0.1 if dimension.startswith("temperature") else 1e-12)
        return -most, most
    if p.width:
        zero = shown.back(0.0, dimension)
        low = zero + np.floor((low - zero) / p.width + 1e-9) * p.width
        high = zero + np.ceil((high - zero) / p.width - 1e-9) * p.width
    elif high > low:
        a, b = (float(shown.convert(x, dimension)) for x in (low, high))
        step = 10.0 ** np.floor(np.log10(b - a)) / 20
        if dimension == "temperature":
            step = 5.0 if b - a > 8.0 else 1.0
        a, b = np.floor(a / step + 1e-9) * step, np.ceil(b / step - 1e-9) * step
        low, high = shown.back(a, dimension), shown.back(max(b, a + step), dimension)
    return (low, high) if high > low else (low, low + 1.0)


def steps_of(p: drawn.Paint, low: float, high: float) -> int:
    """How many steps a scale has; 0 for none."""
    return min(max(int(round((high - low) / p.width)), 1), 64) if p.width else p.steps
