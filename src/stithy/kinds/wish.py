"""What is wished of the grid in one place."""

from __future__ import annotations

from typing import Annotated, Literal

from .. import model
from ..errors import ValueProblem
from ..project import units
from ..project.kind import GRID, Cell, Row, Text, register
from ..project.reader import Reader
from ..project.references import listed
from .cells import SIDES

_OF = ("solid", "enclosure", "faces", "opening")


class Wish(Row):
    """A wish about cells in one place: on parts, fluids, faces and openings, in a gap, or in a box."""

    kind: Literal["wish"] = "wish"
    of: Annotated[
        Text,
        Cell(
            "of",
            GRID,
            "parts, enclosures, groups of faces or openings, with semicolons; empty: the box, or all walls",
            refers=_OF,
            columns=("cells",),
        ),
    ] = ""
    to: Annotated[
        Text, Cell("gap to", GRID, "another part: the wish is about the gap between them; empty: none", refers=_OF)
    ] = ""
    box: Annotated[Text, Cell("box", GRID, "0, 0, 0 to 10, 20, 5 mm, in the place of parts; empty: none")] = ""
    across: Annotated[
        Text,
        Cell("cells across", GRID, "least number: across the gap, or the thinnest way through", columns=("inside",)),
    ] = ""
    longest: Annotated[Text, Cell("longest cell", GRID, "no cell is longer there", columns=("finest",))] = ""
    first: Annotated[
        Text,
        Cell("first at walls", GRID, "cell size in the fluid at its walls: 0.2 mm; y+ 1; none: no finer cells there"),
    ] = ""
    inside: Annotated[Text, Cell("first inside", GRID, "cell size in the solid behind its faces; empty: no wish")] = ""
    growth: Annotated[Text, Cell("growth", GRID, "from the first cells on; empty: by the grid row")] = ""
    count: Annotated[Text, Cell("over cells", GRID, "how many cells grow by it; empty: all the way")] = ""
    sides: Annotated[Text, Cell("sides", GRID, "only on these: x-, z+; empty: on all")] = ""


def read(r: Reader, row: Wish) -> model.GridWish | None:
    """The wish; None after a note."""
    of = _named(r, row, "of")
    to = r.choice(row, "to", r.names_of(*_OF), "") if row.text("to") else ""
    sides = tuple(s.strip() for s in row.sides.split(",") if s.strip())
    if any(s not in SIDES for s in sides):
        r.note(row, "sides", f"“{units.short(row.sides)}” are no sides.", "Write x-, z+.")
        return None
    if to and len(of) != 1:
        r.note(row, "to", "needs one part to be the gap from.", "Name one in the cell “of”.")
        return None
    first, yplus = _first(r, row)
    wish = model.GridWish(
        row.name,
        of,
        to,
        _box(r, row),
        r.whole(row, "across", 1, 1, 400) if row.text("across") else 0,
        r.maybe(row, "longest", "length", 0.0, above=0.0),
        first,
        r.value(row, "inside", "length", 1e-3, above=0.0) if row.text("inside") else None,
        r.maybe(row, "growth", "ratio", 0.0, least=1.02, most=4.0),
        r.whole(row, "count", 1, 1, 100) if row.text("count") else 0,
        yplus,
        sides,
    )
    return wish if _stands(r, row, wish) else None


def _stands(r: Reader, row: Wish, wish: model.GridWish) -> bool:
    """Whether its cells go together; else what does not is noted."""
    if wish.of and wish.box is not None:
        r.note(row, "box", "stands beside the cell “of”.", "Give parts or a box, not both: add another wish.")
    elif wish.longest and wish.first and wish.first > wish.longest:
        r.note(row, "first", "is longer than the longest cell wished for.", "Give a smaller first cell.")
    elif not (wish.across or wish.longest or wish.first is not None or wish.inside or wish.yplus):
        r.note(row, "longest", "and all others are empty: nothing is wished.", "Give a longest cell, or cells across.")
    elif wish.to and not (wish.across or wish.longest):
        r.note(row, "across", "is empty, and a gap needs it.", "Give the number of cells across the gap.")
    elif (wish.across or wish.longest) and not wish.of and wish.box is None:
        r.note(row, "of", "is empty, and so is the box: where is it?", "Name a part, or give a box.")
    else:
        return True
    return False


def _named(r: Reader, row: Wish, key: str) -> tuple[str, ...]:
    """Names in a cell; those that are not there are noted."""
    known = r.names_of(*_OF)
    found = [n for n in listed(row.text(key)) if n]
    for name in found:
        if name not in known:
            r.note(row, key, f"“{units.short(name)}” is not known.", "Name parts, enclosures, faces or openings.")
    return tuple(n for n in found if n in known)


def _first(r: Reader, row: Wish) -> tuple[float | None, float]:
    """First cell (m; 0: none, None: no wish) and y+ wished."""
    text = row.text("first")
    if not text:
        return None, 0.0
    if text == "none":
        return 0.0, 0.0
    if text.startswith("y+"):
        try:
            yplus = units.to_si(text[2:], "ratio", r.names)
        except ValueProblem as error:
            r.note(row, "first", error.what, "Write y+ 1, or 0.2 mm.")
            return None, 0.0
        if not 0.01 <= yplus <= 1000.0:
            r.note(row, "first", f"“{units.short(text)}” is no y+ that walls are solved with.", "Write y+ 1 to y+ 300.")
        return None, yplus
    return r.value(row, "first", "length", 1e-3, above=0.0), 0.0


def _box(r: Reader, row: Wish):
    """The box (m), or None."""
    text = row.text("box")
    if not text:
        return None
    low, to, high = text.partition(" to ")
    try:
        if not to:
            raise ValueProblem(text, f"“{units.short(text)}” is no box.", "")
        unit = high.rsplit(" ", 1)[-1]
        ends = [units.vector(t, "length", 3, r.names) for t in (f"{low} {unit}", high)]
        if any(a >= b for a, b in zip(*ends, strict=True)):
            raise ValueProblem(text, f"“{units.short(text)}” is no box.", "")
    except ValueProblem as error:
        r.note(row, "box", error.what, "Write 0, 0, 0 to 10, 20, 5 mm, the low corner first.")
        return None
    return tuple(zip(*ends, strict=True))


register(Wish, "Grid wishes", read=read)
