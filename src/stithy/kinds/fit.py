"""An enclosure that holds everything: a box of fluid around all solids."""

from __future__ import annotations

from ..errors import StithyError
from ..project import edits
from ..project.document import Document
from ..project.edits import Edit
from ..project.reader import Reader
from .assembly import read_all
from .enclosure import Enclosure

#: room on every side, of the middle one of the solids' three lengths
ROOM = 0.25


def around(document: Document, layout: str, room: float = ROOM) -> Edit:
    """Fit the first enclosure to all solids of a layout, with ``room`` on every side and no wall thickness; add one
    where there is none.

    Raises StithyError where there is no solid.
    """
    model = read_all(Reader(document, layout), layout)
    boxes = [s.bounds for s in model.solids] + [p.form.box for p in model.passages]
    if not boxes:
        raise StithyError("There is no solid to put an enclosure around. Add or import solids first.")
    low = [min(b[a][0] for b in boxes) for a in range(3)]
    high = [max(b[a][1] for b in boxes) for a in range(3)]
    more = room * sorted(h - b for b, h in zip(low, high, strict=True))[1]
    at = ", ".join(f"{1e3 * (x - more):.6g}" for x in low) + " mm"
    size = ", ".join(f"{1e3 * (h - b + 2 * more):.6g}" for b, h in zip(low, high, strict=True)) + " mm"
    first = next((r for r in document.rows_of(layout) if r.kind == "enclosure"), None)
    if first is None:
        return edits.add_row(layout, Enclosure(name=edits.free_name(document, "Air"), at=at, size=size, wall="0 mm"))
    cells = {"at": at, "size": size, "wall": "0 mm"}
    return edits.many(
        "fit the enclosure to all solids", [edits.set_cell(layout, first.name, k, x) for k, x in cells.items()]
    )
