"""A bank of round tubes across a stream, plain or with plate fins."""

from __future__ import annotations

from typing import Annotated, Literal

from ..model import Solid
from ..project.kind import SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes import built
from ..shapes.geometry import Mesh
from . import solids
from .cells import AXES, CellsAcross, Corner, Material, Order, Power, Profile, Roughness, Starts, SurfaceFinish
from .place import on_floor

PATTERNS = ("staggered", "in line")
#: of a tube's diameter, what its cells go by: heat comes from the thin layer around it; fins rule where there are some
PLAIN, FINNED = 0.35, 0.7


class TubeBank(Row):
    """Round bars (tubes whose inside is not solved) in rows across x or the first direction that they do not lie along,
    with plate fins on them where wanted; ``power`` is their load, or a temperature that holds them."""

    kind: Literal["tube bank"] = "tube bank"
    at: Corner = "0, 0, 0 mm"
    along: Annotated[Text, Cell("tubes along", SHAPE, "direction of the tubes", AXES)] = "z"
    length: Annotated[Text, Cell("length", SHAPE, "of the tubes")] = "60 mm"
    pattern: Annotated[Text, Cell("pattern", SHAPE, "staggered or in line", PATTERNS)] = "staggered"
    tubes: Annotated[Text, Cell("tubes", SHAPE, "rows, and tubes in a row")] = "4, 3"
    pitch: Annotated[Text, Cell("pitch", SHAPE, "from row to row, and from tube to tube", columns=("size",))] = (
        "22, 25 mm"
    )
    diameter: Annotated[Text, Cell("diameter", SHAPE, "of a tube, outside")] = "10 mm"
    fins: Annotated[Text, Cell("fins", SHAPE, "number of plate fins; 0: plain tubes")] = "0"
    fin: Annotated[Text, Cell("fin", SHAPE, "thickness of a fin")] = "0.3 mm"
    material: Material = "copper"
    power: Power = "60 degC"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    order: Order = ""
    roughness: Roughness = ""
    cells: CellsAcross = ""


def read(r: Reader, row: TubeBank) -> Solid:
    """Tubes and fins as one solid."""
    return solids.shaped(r, row, _form(r, row))


def _form(r: Reader, row: TubeBank) -> Mesh:
    at = r.vector(row, "at", "length", 3, 0.0)
    axis = AXES.index(r.choice(row, "along", AXES, "z"))
    length = r.value(row, "length", "length", 1e-2, above=0.0)
    staggered = r.choice(row, "pattern", PATTERNS, "staggered") == "staggered"
    pitch = r.vector(row, "pitch", "length", 2, 0.02, above=0.0)
    wide = r.value(row, "diameter", "length", 1e-3, above=0.0)
    fins = r.whole(row, "fins", 0, 0, 200)
    fin = r.value(row, "fin", "length", 1e-4, above=0.0) if fins else 0.0
    rows, each = solids.counts(r, row, "tubes", "4, 3 (rows, and tubes in a row)", 60) or (1, 1)
    least = min(pitch[0], pitch[1], (pitch[0] ** 2 + (pitch[1] / 2) ** 2) ** 0.5 if staggered and rows > 1 else 1e9)
    if wide >= least:
        r.note(row, "diameter", f"“{row.diameter}” leaves no gap.", f"Less than {1e3 * least:.3g} mm fits the pitch.")
        wide = 0.5 * least
    if fins * fin >= length:
        most = max(int(length / fin - 1e-9), 1)
        r.note(row, "fins", f"{fins} fins of “{row.fin}” leave no gap.", f"At most {most} fit; take far fewer.")
        fins = 0
    key = ("tube bank", tuple(at), axis, length, staggered, tuple(pitch), wide, fins, fin, rows, each)
    asks = wide * (FINNED if fins else PLAIN)
    span, middles = (at[axis], at[axis] + length), _centres(at, axis, staggered, pitch, rows, each)
    round_ = [(built.around(axis, c, span, wide), asks) for c in middles]
    return built.kept(key, lambda: _bank(*key[1:]), round_)


def _centres(at, axis: int, staggered: bool, pitch, rows: int, each: int) -> list[tuple[float, float]]:
    """Middles (m) of all tubes in the two directions across them."""
    u, v = (a for a in range(3) if a != axis)
    shifts = [((0.25, 0.75)[i % 2] if staggered else 0.5) for i in range(rows)]
    return [
        (at[u] + (i + 0.5) * pitch[0], at[v] + (j + shifts[i]) * pitch[1]) for i in range(rows) for j in range(each)
    ]


def _bank(
    at, axis: int, length: float, staggered: bool, pitch, wide: float, fins: int, fin: float, rows: int, each: int
):
    u, v = (a for a in range(3) if a != axis)
    span = at[axis], at[axis] + length
    middles = _centres(at, axis, staggered, pitch, rows, each)
    parts = [built.bar(axis, centre, span, wide / 2) for centre in middles]
    gap = length / max(fins, 1)
    for m in range(fins):
        box: list = [None] * 3
        box[u], box[v] = (at[u], at[u] + rows * pitch[0]), (at[v], at[v] + each * pitch[1])
        box[axis] = span[0] + (m + 0.5) * gap - fin / 2, span[0] + (m + 0.5) * gap + fin / 2
        parts.append(built.block(tuple(box)))
    return built.joined(parts)


register(TubeBank, "Sinks", ("solid",), read=read, place=on_floor)
