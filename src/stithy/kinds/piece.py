"""The row that says which piece of the model is solved, in place of the whole that it repeats to."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from ..errors import StithyError, ValueProblem
from ..model import Model
from ..model.piece import cropped
from ..model.plan import Piece
from ..project import edits, units
from ..project.document import Document
from ..project.edits import Edit
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader

SIDES = ("symmetry", "periodic")
Between = "low and high place along it, such as 20 to 24 mm; empty: the whole length"
BothSides = "what both cut sides are: symmetry, or periodic"


class PieceRow(Row):
    """Only a piece of the model is solved, with symmetry or a period at the sides where it is cut: powers and given
    flows are taken in proportion, and what is read is told for the whole as well."""

    kind: Literal["piece"] = "piece"
    x: Annotated[Text, Cell("x", SHAPE, Between, columns=("size",))] = ""
    y: Annotated[Text, Cell("y", SHAPE, Between, columns=("place",))] = ""
    z: Annotated[Text, Cell("z", SHAPE, Between, columns=("material",))] = ""
    x_sides: Annotated[Text, Cell("sides across x", SHAPE, BothSides, SIDES)] = "symmetry"
    y_sides: Annotated[Text, Cell("sides across y", SHAPE, BothSides, SIDES)] = "symmetry"
    z_sides: Annotated[Text, Cell("sides across z", SHAPE, BothSides, SIDES)] = "symmetry"
    times: Annotated[Text, Cell("of them", SHAPE, "how many such pieces the whole has; empty: by length")] = ""
    assumed: Annotated[Text, Cell("assumed", SHAPE, "what was taken for granted")] = ""


def read(r: Reader, row: PieceRow) -> Piece:
    """The piece; ``times`` 0 where it goes by length."""
    spans = []
    for key in "xyz":
        text = row.text(key)
        span = None
        if text:
            low, to, high = text.partition(" to ")
            try:
                if not to:
                    raise ValueProblem(text, f"“{units.short(text)}” says no end.", "")
                unit = units.unit_of(high)
                low = low if units.unit_of(low) or "=" in low or not unit else f"{low} {unit}"
                span = units.to_si(low, "length", r.names), units.to_si(high, "length", r.names)
                if span[1] - span[0] <= 0.0:
                    raise ValueProblem(text, f"“{units.short(text)}” has no length.", "")
            except ValueProblem as error:
                r.note(row, key, error.what, "Write it like 20 to 24 mm.")
                span = None
        spans.append(span)
    sides = tuple(r.choice(row, f"{key}_sides", SIDES, "symmetry") for key in "xyz")
    times = r.value(row, "times", "ratio", 1.0, above=0.0) if row.text("times") else 0.0
    return Piece((spans[0], spans[1], spans[2]), (sides[0], sides[1], sides[2]), times, row.text("assumed"))


def applied(r: Reader, model: Model) -> Model:
    """The model cropped to the piece that a row asks for; as it is without one. What cannot be cropped is noted."""
    row = next((x for x in r.rows if x.kind == "piece"), None)
    if row is None or not isinstance(row, PieceRow):
        return model
    piece = read(r, row)
    if r.problems or all(s is None for s in piece.spans):
        return model
    outer = [
        (min(s.outer[a][0] for s in model.enclosures), max(s.outer[a][1] for s in model.enclosures)) for a in range(3)
    ]
    times = 1.0
    for key, cut, (low, high) in zip("xyz", piece.spans, outer, strict=True):
        if cut is None:
            continue
        if cut[0] < low - 1e-9 or cut[1] > high + 1e-9:
            told = f"“{row.text(key)}” is not within the model."
            r.note(row, key, told, f"Give places from {1e3 * low:.4g} to {1e3 * high:.4g} mm.")
            return model
        times *= (high - low) / (cut[1] - cut[0])
    if model.faces or model.plates:
        name = (model.faces or model.plates)[0].name
        r.note(row, "x", f"cannot be cut out of a model with “{name}” on imported solids.", "Delete one of them.")
        return model
    return cropped(model, replace(piece, times=piece.times or times))


def made(
    document: Document, layout: str, spans: dict[int, tuple[float, float, str]], times: float, assumed: str
) -> tuple[str, Edit]:
    """A new layout in which only a piece is solved: its name, and the edit. ``spans``: low and high place (m) and what
    the cut sides are, by axis. Raises StithyError for none."""
    if not spans:
        raise StithyError("Nothing in this layout repeats or mirrors itself, so there is no smaller piece of it.")
    taken = {x.name for x in document.layouts}
    stem = f"{layout[:48]}, piece"
    name = next(n for m in range(1, 999) if (n := stem if m == 1 else f"{stem} {m}") not in taken)
    cells = {}
    for axis, (low, high, sides) in spans.items():
        cells["xyz"[axis]] = f"{1e3 * low:.8g} to {1e3 * high:.8g} mm"
        cells["xyz"[axis] + "_sides"] = sides
    cells |= {"name": edits.free_name(document, "Piece"), "times": f"{times:.8g}", "assumed": assumed}
    row = PieceRow.model_validate(cells)
    steps = [edits.duplicate_layout(layout, name), edits.add_row(name, row, True)]
    return name, edits.many(f"piece of {layout}", steps)


register(PieceRow, "Enclosure", single=True)
