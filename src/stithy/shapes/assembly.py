"""Document and layout to a :class:`Model`: every cell read, every shape made, every contradiction found."""
from __future__ import annotations

from ..errors import SetupError, StithyError, ValueProblem
from ..project import library, units
from ..project.cells import CELLS
from ..project.document import ROW_TYPES, Document, GridRow, RunRow, Surroundings
from ..project.model import Bound, End, GridWish, Inside, Model, Solid, Space, Wall
from ..project.resolve import Reader
from . import makers
from .checks import check_places

SIDES = ("x-", "x+", "y-", "y+", "z-", "z+")
OPENINGS = ("opening", "vent", "wall fan")


def resolve(document: Document, layout: str) -> Model:
    """The model of one layout. Raises SetupError with every problem found, each with row, cell and remedy."""
    reader = Reader(document, layout)
    model = _model(reader, layout)
    drawable = not reader.problems
    if drawable:
        check_places(reader, model)
    if reader.problems:
        raise SetupError(reader.problems, model if drawable else None)
    return model


def problems(document: Document, layout: str) -> list:
    """All problems of one layout; empty when it can be solved as far as can be told without a grid."""
    try:
        resolve(document, layout)
    except SetupError as error:
        return error.problems
    return []


def _model(r: Reader, layout: str) -> Model:
    where = next(iter(r.of("surroundings")), Surroundings(name="Surroundings"))
    wish = next(iter(r.of("grid")), GridRow(name="Grid"))
    run = next(iter(r.of("run")), RunRow(name="Run"))
    ambient = r.value(where, "ambient", "temperature", 298.15, above=50.0)
    pressure = r.value(where, "pressure", "pressure", 101325.0, above=1.0)
    spaces = tuple(_space(r, row, ambient, pressure) for row in r.of("enclosure"))
    solids = tuple(_solid(r, row) for row in r.of("board", "component", "block", "plate-fin sink", "pin-fin sink"))
    return Model(
        layout=layout, ambient=ambient, pressure=pressure,
        gravity=r.vector(where, "gravity", "acceleration", 3, 0.0),
        flow=r.choice(where, "flow", ("laminar", "wall-law"), "laminar"),
        spaces=spaces, solids=solids,
        ends=tuple(_end(r, row, ambient) for row in r.of(*OPENINGS)),
        fans=tuple(_inside(r, row) for row in r.of("inside fan")),
        limits=tuple(_limits(r)),
        grid=GridWish(r.value(wish, "coarsest", "length", 6e-3, above=0.0), r.whole(wish, "across_gaps", 3, 1, 40),
                      r.whole(wish, "across_solids", 1, 1, 40), r.value(wish, "growth", "ratio", 1.4, least=1.02, most=4)),
        iterations=r.whole(run, "iterations", 500, 1, 100_000),
        residual=r.value(run, "residual", "ratio", 2e-4, above=0.0),
        drift=r.value(run, "drift", "temperature difference", 0.1, above=0.0),
        names=r.names,
    )


def _space(r: Reader, row, ambient: float, pressure: float) -> Space:
    outer = makers.box(r.vector(row, "at", "length", 3, 0.0), r.vector(row, "size", "length", 3, 1.0, above=0.0))
    wall = r.value(row, "wall", "length", 0.0, least=0.0)
    if 2 * wall >= min(b - a for a, b in outer):
        r.note(row, "wall", f"“{row.wall}” leaves no room inside.", "Make the wall thinner than half the least size.")
        wall = 0.0
    inner = makers.inset(outer, wall)
    walls = None
    if wall > 0:
        m = r.material(row)
        walls = Solid(row.name, "enclosure", makers.slabs(outer, inner), (m.k,) * 3, m.rho, m.cp, tone=m.tone)
    name = r.choice(row, "fluid", library.fluid_names(), "air")
    sides = dict.fromkeys(SIDES, _wall(r, row, "outside", row.outside))
    for part in filter(None, (p.strip() for p in row.sides.split(";"))):
        side, _, text = (p.strip() for p in part.partition(":"))
        if side not in SIDES:
            r.note(row, "sides", f"“{part}” does not begin with a side.", "Write it like z-: adiabatic; y+: 60 degC.")
        else:
            sides[side] = _wall(r, row, "sides", text)
    return Space(row.name, outer, inner, walls, library.fluid(name, ambient, pressure), name, sides)


def _wall(r: Reader, row, key: str, text: str) -> Wall:
    text = text.strip()
    if text in ("adiabatic", "symmetry"):
        return Wall(text)
    kinds = {"heat transfer coefficient": "coefficient", "temperature": "temperature", "heat flux": "flux"}
    try:
        dimension = units.dimension_of(text, tuple(kinds), r.names)
        value = units.to_si(text, dimension, r.names)
    except (ValueProblem, StithyError) as error:
        r.note(row, key, getattr(error, "what", str(error)), "Write adiabatic, symmetry, 8 W/m2/K, 60 degC or 500 W/m2.")
        return Wall("adiabatic")
    if dimension == "heat transfer coefficient" and value < 0:
        r.note(row, key, "is negative.", "Give a positive heat transfer coefficient.")
    return Wall(kinds[dimension], value)


def _solid(r: Reader, row) -> Solid:
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 3, 1e-3, above=0.0)
    text = getattr(row, "power", "0 W")
    power = r.value(row, "power", "power", 0.0) if hasattr(row, "power") else 0.0
    if not row.material.strip() and power:
        r.note(row, "material", f"is empty, but a heat load of {text} is released in it.",
               "Choose what it is made of, so the heat can leave it.")
        m = library.materials()["aluminium"]
    else:
        m = r.material(row)
    k = (m.k,) * 3
    boxes = (makers.box(at, size),)
    if row.kind == "board":
        thin = size.index(min(size))
        plane = r.maybe(row, "in_plane", "conductivity", m.k, above=0.0)
        through = r.maybe(row, "through", "conductivity", m.k_through, above=0.0)
        k = tuple(through if a == thin else plane for a in range(3))
    elif row.kind.endswith("sink"):
        boxes = _sink(r, row, at, size) or boxes
    cells = r.whole(row, "cells", 0, 1, 100) if row.cells.strip() else 0
    return Solid(row.name, row.kind, boxes, k, m.rho, m.cp, power, cells, m.tone)


def _sink(r: Reader, row, at, size):
    up = r.choice(row, "up", SIDES, "z+")
    axis = "xyz".index(up[0])
    base = r.value(row, "base", "length", 1e-3, above=0.0)
    if base >= size[axis]:
        r.note(row, "base", f"“{row.base}” is as thick as the whole sink.", "Make the base thinner than the size along its fins.")
        return None
    if row.kind == "plate-fin sink":
        along = r.choice(row, "along", [a for a in "xyz" if a != up[0]], "y" if up[0] == "x" else "x")
        fins, thick = r.whole(row, "fins", 2, 1, 200), r.value(row, "fin", "length", 1e-4, above=0.0)
        across = 3 - axis - "xyz".index(along)
        if along != up[0] and fins * thick >= size[across]:
            r.note(row, "fin", f"{fins} fins of “{row.fin}” leave no channel.", "Use fewer or thinner fins.")
            return None
        return makers.plate_fins(at, size, base, fins, thick, along, up)
    parts = units.split(row.pins)
    if len(parts) != 2 or not all(p.isdigit() and 0 < int(p) <= 100 for p in parts):
        r.note(row, "pins", f"“{row.pins}” is not two whole numbers.", "Write it like 6, 6.")
        return None
    pins = tuple(int(p) for p in parts)
    side = r.value(row, "pin", "length", 1e-4, above=0.0)
    across = [a for a in range(3) if a != axis]
    if any(n * side >= size[a] for n, a in zip(pins, across, strict=True)):
        r.note(row, "pin", f"{row.pins} pins of “{row.pin}” leave no gap.", "Use fewer or thinner pins.")
        return None
    return makers.pin_fins(at, size, base, pins, side, up)


def _end(r: Reader, row, ambient: float) -> End:
    names = [e.name for e in r.of("enclosure")]
    space = r.choice(row, "on", names, names[0] if names else "")
    side = r.choice(row, "side", SIDES, "x-")
    at = r.vector(row, "at", "length", 2, 0.0)
    size = r.vector(row, "size", "length", 2, 1e-3, above=0.0)
    rect = tuple((a, a + s) for a, s in zip(at, size, strict=True))
    more = {"temperature": r.maybe(row, "temperature", "temperature", ambient, above=50.0)}
    kind, value = "pressure", 0.0
    if row.kind == "opening":
        kind, value = _flow(r, row)
    elif row.kind == "vent":
        free = r.value(row, "free", "ratio", 0.5, above=0.0, most=1.0)
        more["loss"] = r.maybe(row, "loss", "ratio", library.plate_loss(free), least=0.0)
    else:
        more["fan_sign"] = 1 if r.choice(row, "blows", ("in", "out"), "in") == "in" else -1
        more["fan"] = r.fan(row)
    return End(row.name, row.kind, space, side, rect, kind, value, **more)


def _flow(r: Reader, row) -> tuple[str, float]:
    text = row.flow.strip()
    if text == "ambient":
        return "pressure", 0.0
    kinds = {"velocity": "velocity", "volume flow": "volume", "mass flow": "mass", "pressure": "pressure"}
    try:
        dimension = units.dimension_of(text, tuple(kinds), r.names)
        return kinds[dimension], units.to_si(text, dimension, r.names)
    except ValueProblem as error:
        r.note(row, "flow", error.what, "Write ambient, 0.5 m/s, 12 cfm, 3 g/s, or a static pressure such as 0 Pa.")
        return "pressure", 0.0


def _inside(r: Reader, row) -> Inside:
    blows = r.choice(row, "blows", SIDES, "x+")
    axis = "xyz".index(blows[0])
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 2, 1e-3, above=0.0)
    across = [a for a in range(3) if a != axis]
    rect = tuple((at[a], at[a] + s) for a, s in zip(across, size, strict=True))
    return Inside(row.name, axis, at[axis], rect, 1 if blows[1] == "+" else -1, r.fan(row))


def _limits(r: Reader):
    for row in r.of("component"):
        if row.limit.strip():
            yield Bound(row.name, "temperature", row.name, "", r.value(row, "limit", "temperature", 400.0, above=50.0))
    parts = [x.name for x in r.of("board", "component", "block", "plate-fin sink", "pin-fin sink", "enclosure")]
    ends, fans = [x.name for x in r.of(*OPENINGS)], [x.name for x in r.of("wall fan", "inside fan")]
    for row in r.of("limit"):
        quantity = r.choice(row, "quantity", ("temperature", "pressure drop"), "temperature")
        if quantity == "temperature":
            yield Bound(row.name, quantity, r.choice(row, "of", parts, ""), "",
                        r.value(row, "most", "temperature", 400.0, above=50.0))
            continue
        most = r.value(row, "most", "pressure", 1.0, above=0.0)
        if not row.to.strip() and row.of.strip() in fans:
            yield Bound(row.name, quantity, row.of.strip(), "", most)
        else:
            yield Bound(row.name, quantity, r.choice(row, "of", [*ends, *fans], ""),
                        r.choice(row, "to", ends, ""), most)


def place_for(document: Document, layout: str, kind: str) -> dict[str, str]:
    """Cells that put a new row of ``kind`` somewhere sensible: on the floor of the first enclosure, or in its wall."""
    reader = Reader(document, layout)
    spaces = _model(reader, layout).spaces
    fields = ROW_TYPES[kind].model_fields
    if not spaces or "at" not in fields or kind == "enclosure":
        return {}
    inner = spaces[0].inner
    if "on" in fields:
        return {"on": spaces[0].name, "at": ", ".join(f"{(inner[a][0]) * 1e3:.4g}" for a in (1, 2)) + " mm"}
    middle = [0.5 * sum(inner[0]), 0.5 * sum(inner[1]), inner[2][0]]
    return {"at": ", ".join(f"{x * 1e3:.4g}" for x in middle) + " mm"}


def cell_fault(document: Document, layout: str, row: str, key: str):
    """The first problem in reading one cell by itself (not where things stand), or None."""
    reader = Reader(document, layout)
    _model(reader, layout)
    kind = reader.by_name[row].kind
    title = key if key == "name" else next(c.title for c in CELLS[kind] if c.key == key)
    return next((p for p in reader.problems if p.row == row and p.cell == title), None)
