"""A quantity on the surfaces of parts, groups of faces or fluids."""

from __future__ import annotations

from typing import Literal

from ..model import drawn
from ..project.kind import Row, register
from ..project.reader import Reader
from . import drawing as d


class Surface(Row):
    """A quantity on the surfaces of parts, of groups of faces, or of all walls of a fluid."""

    kind: Literal["surface"] = "surface"
    shown: d.Shown = "on"
    quantity: d.QuantityCell = "temperature"
    of: d.OfParts = ""
    range: d.Range = "this layout"
    steps: d.Steps = ""
    lines: d.Lines = ""
    values: d.AsIs = "smoothed"
    opacity: d.Opacity = ""
    against: d.Against = ""
    length: d.ReferenceLength = ""
    speed: d.ReferenceSpeed = ""
    minus: d.Minus = ""


def read(r: Reader, row: Surface) -> drawn.Surface:
    """The surfaces."""
    return drawn.Surface(row.name, d.on(row), d.paint(r, row), d.names(r, row, "of", *d.PARTS, "faces"))


register(Surface, "Drawn", ("drawn",), draws=read)
