"""How each drawn row is drawn on the bench, a file for what belongs together; :func:`draw` chooses."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from ...errors import StithyError
from ...model import drawn as d
from ..painter import Painter
from . import flow, iso, notes, section, surface

#: which function draws which class
DRAW: dict[type, Callable] = {
    d.Section: section.draw,
    d.Surface: surface.draw,
    d.Isosurface: iso.draw,
    d.Vectors: flow.vectors,
    d.Streamlines: flow.streamlines,
    d.Line: notes.line,
    d.Flag: notes.flag,
}


def draw(painter: Painter, look: Any, spec: Any) -> Iterator[None]:
    """Draw one row; what cannot be drawn is told in ``look.told`` by the row's name, and all else goes on."""
    try:
        yield from DRAW[type(spec)](painter, look, spec)
    except StithyError as error:
        look.told[spec.name] = str(error).splitlines()[0]
