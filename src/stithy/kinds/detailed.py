"""A component taken apart: its die on a pad of the lead frame, within its body."""

from __future__ import annotations

from ..errors import StithyError
from ..model import Model
from ..project import edits
from ..project.document import Document
from ..project.edits import Edit
from .block import Block
from .component import Component

#: of the body's lengths and height: the die, the pad that it stands on
DIE, PAD, DIE_HIGH, PAD_HIGH = 0.5, 0.7, 0.18, 0.15


def detailed(
    document: Document, layout: str, model: Model, name: str, die: float = DIE, only_here: bool = False
) -> Edit:
    """The edit after which a component is its die (silicon; it keeps name, load, limit and what refers to it), on a
    pad of copper on its board's side, within a body of its material. ``die``: of the body's lengths. Raises
    StithyError."""
    row = edits.row_of(document, layout, name)
    solid = next((s for s in model.solids if s.name == name), None)
    if not isinstance(row, Component) or solid is None:
        raise StithyError(f"“{name}” is no component. Choose one.")
    if not 0.05 <= die <= 0.95:
        raise StithyError("A die takes from 5 to 95 % of its body's lengths.")
    away = solid.junction[2] if solid.junction else (row.text("case_side") or _away(model, row))
    axis, up = "xyz".index(away[0]), away[1] == "+"
    low, size = [b[0] for b in solid.bounds], [b[1] - b[0] for b in solid.bounds]
    high = size[axis]

    def piece(share: float, start: float, thick: float) -> tuple[str, str]:
        at, lengths = list(low), list(size)
        for a in (a for a in range(3) if a != axis):
            lengths[a] = share * size[a]
            at[a] = low[a] + 0.5 * (1 - share) * size[a]
        lengths[axis] = thick * high
        at[axis] = low[axis] + (start * high if up else (1 - start - thick) * high)
        return _mm(at), _mm(lengths)

    taken = [edits.free_name(document, f"{name} body")]
    taken.append(edits.free_name(document, f"{name} pad", taken))
    material = row.text("material") or "moulded package"
    at, lengths = piece(max(PAD, min(die + 0.1, 1.0)), 0.0, PAD_HIGH)
    pad = Block(name=taken[1], at=at, size=lengths, material="copper")
    at, lengths = piece(die, PAD_HIGH, DIE_HIGH)
    cells = {"at": at, "size": lengths, "material": "silicon", "package": "", "network": ""}
    cells |= {"junction_to_case": "", "junction_to_board": "", "on": "", "reference": row.text("reference") or name}
    todo = [edits.set_cell(layout, name, key, text, only_here) for key, text in cells.items()]
    body = Block(name=taken[0], at=_mm(low), size=_mm(size), material=material)
    todo += [edits.add_row(layout, r, only_here) for r in (body, pad)]
    return edits.many(f"die and lead frame of {name}", todo)


def _away(model: Model, row: Component) -> str:
    """Which side of a component looks away from its board."""
    home = next((s for s in model.solids if s.name == row.text("on")), None)
    own = next(s for s in model.solids if s.name == row.name)
    if home is None or home.stack is None:
        return "z+"
    n = home.stack.normal
    return f"{'xyz'[n]}{'+' if own.bounds[n][0] >= home.bounds[n][1] - 1e-9 else '-'}"


def _mm(values: list[float]) -> str:
    return ", ".join(f"{1e3 * x:.7g}" for x in values) + " mm"
