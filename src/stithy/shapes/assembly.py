"""Document and layout to a :class:`Model`: every cell read, every shape made, every contradiction found."""
from __future__ import annotations

from ..errors import Problem, SetupError
from ..project import units
from ..project.cells import CELLS
from ..project.document import ROW_TYPES, Document, GridRow, RunRow, Surroundings
from ..project.model import Bound, GridWish, Model, Solid, Space
from ..project.resolve import Reader
from . import forms, loads, makers
from .checks import check_places
from .loads import OPENINGS, SIDES, SOLIDS
from .solids import surface_area

DETAILS = {"quick": 2.8, "standard": 4.0, "fine": 6.0}  # cells across what matters: three times the cells from one to the next


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
    varying = r.choice(where, "properties", ("constant", "varying"), "constant") == "varying"
    spaces = tuple(_space(r, row, ambient, pressure, varying) for row in r.of("enclosure"))
    passages = [row for row in r.of(*SOLIDS) if row.kind in forms.FILLED and row.material.strip() == "fluid"]
    solids = tuple(_solid(r, row, ambient) for row in r.of(*SOLIDS) if row not in passages)
    return Model(
        layout=layout, ambient=ambient, pressure=pressure,
        gravity=r.vector(where, "gravity", "acceleration", 3, 0.0),
        flow=r.choice(where, "flow", ("laminar", "wall-law", "k-epsilon", "k-omega"), "laminar"),
        spaces=spaces, solids=solids,
        ends=tuple(loads.end(r, row, ambient) for row in r.of(*OPENINGS)),
        fans=tuple(loads.inside(r, row) for row in r.of("inside fan", "pump")),
        limits=tuple(_limits(r)),
        grid=_grid(r, wish),
        iterations=r.whole(run, "iterations", 500, 1, 100_000),
        residual=r.value(run, "residual", "ratio", 2e-4, above=0.0),
        drift=r.value(run, "drift", "temperature difference", 0.1, above=0.0),
        names=r.names,
        bores=tuple(forms.form(r, row) for row in (*r.of("bore"), *passages)),
        bore_names=tuple(row.name for row in (*r.of("bore"), *passages)),
        regions=tuple(loads.region(r, row, ambient, pressure, varying) for row in r.of("fluid region")),
        areas=tuple(loads.area(r, row) for row in r.of("wall patch")),
        contacts=tuple(loads.contact(r, row) for row in r.of("contact")),
        screens=tuple(loads.screen(r, row) for row in r.of("screen")),
        push=loads.push(r, ambient), clock=loads.clock(r, run),
        start=r.choice(run, "start", ["potential flow", *r.layouts], "") if run.start.strip() else "",
        grid_row=wish.name, relaxation=r.maybe(run, "relaxation", "ratio", 0.9, least=0.3, most=0.97),
    )


def _grid(r: Reader, row) -> GridWish:
    """What the grid row says; None where it leaves it to the rule."""

    def given(key, read):
        return read() if getattr(row, key).strip() else None

    return GridWish(
        given("coarsest", lambda: r.value(row, "coarsest", "length", 6e-3, above=0.0)),
        given("across_gaps", lambda: r.whole(row, "across_gaps", 3, 1, 400)),
        given("across_solids", lambda: r.whole(row, "across_solids", 1, 1, 400)),
        given("growth", lambda: r.value(row, "growth", "ratio", 1.4, least=1.02, most=4)),
        given("at_walls", lambda: r.value(row, "at_walls", "length", 0.0, least=0.0)),
        DETAILS[r.choice(row, "detail", DETAILS, "standard")])


def _space(r: Reader, row, ambient: float, pressure: float, varying: bool) -> Space:
    outer = makers.box(r.vector(row, "at", "length", 3, 0.0), r.vector(row, "size", "length", 3, 1.0, above=0.0))
    wall = r.value(row, "wall", "length", 0.0, least=0.0)
    if 2 * wall >= min(b - a for a, b in outer):
        r.note(row, "wall", f"“{row.wall}” leaves no room inside.", "Make the wall thinner than half the least size.")
        wall = 0.0
    inner = makers.inset(outer, wall)
    walls = None
    if wall > 0:
        m, k, table = loads.material(r, row, ambient)
        walls = Solid(row.name, "enclosure", makers.slabs(outer, inner), k, m.rho, m.cp, tone=m.tone, table=table,
                      starts=loads.starts(r, row))
    sides = dict.fromkeys(SIDES, loads.wall(r, row, "outside", row.outside))
    for part in filter(None, (p.strip() for p in row.sides.split(";"))):
        side, _, text = (p.strip() for p in part.partition(":"))
        if side not in SIDES:
            r.note(row, "sides", f"“{part}” does not begin with a side.", "Write it like z-: adiabatic; y+: 60 degC.")
        else:
            sides[side] = loads.wall(r, row, "sides", text)
    for a in "xyz":
        if (sides[a + "-"].kind == "periodic") != (sides[a + "+"].kind == "periodic"):
            r.note(row, "sides", f"makes only one of {a}- and {a}+ periodic.", "Write periodic for both sides of an axis.")
    if wall > 0 and any(w.kind in ("periodic", "symmetry") or w.slides for w in sides.values()):
        r.note(row, "wall", "has a thickness, but a side is symmetry, periodic or sliding.", "Write 0 mm, and add walls as blocks.")
    return Space(row.name, outer, inner, walls, *loads.fluid(r, row, ambient, pressure, varying), sides, loads.starts(r, row))


def _solid(r: Reader, row, ambient: float) -> Solid:
    if not row.material.strip() and getattr(row, "power", "0 W").strip() not in ("", "0 W", "0"):
        r.note(row, "material", f"is empty, but a heat load of {row.power} is released in it.",
               "Choose what it is made of, so the heat can leave it.")
        row = row.model_copy(update={"material": "aluminium"})
    m, k, table = loads.material(r, row, ambient)
    if row.kind in forms.FORMED:
        shape = forms.form(r, row)
        power, fixed = loads.power(r, row, forms.material_volume(shape), surface_area(shape))
        return Solid(row.name, row.kind, (shape.box,), k, m.rho, m.cp, power, 0, m.tone, fixed, loads.profile(r, row), form=shape,
                     table=table, starts=loads.starts(r, row))
    at = r.vector(row, "at", "length", 3, 0.0)
    size = r.vector(row, "size", "length", 3, 1e-3, above=0.0)
    boxes = (makers.box(at, size),)
    if row.kind == "board":
        thin = size.index(min(size))
        plane = r.maybe(row, "in_plane", "conductivity", m.k, above=0.0)
        through = r.maybe(row, "through", "conductivity", m.k_through, above=0.0)
        k = tuple(through if a == thin else plane for a in range(3))
    elif row.kind.endswith("sink"):
        boxes = _sink(r, row, at, size) or boxes
    power, fixed = 0.0, None
    if hasattr(row, "power"):
        x, y, z = size
        power, fixed = loads.power(r, row, x * y * z, 2 * (x * y + y * z + z * x))
    cells = r.whole(row, "cells", 0, 1, 400) if row.cells.strip() else 0
    joint = loads.junction(r, row) if row.kind == "component" else None
    return Solid(row.name, row.kind, boxes, k, m.rho, m.cp, power, cells, m.tone, fixed, loads.profile(r, row), joint, table=table,
                 starts=loads.starts(r, row))


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
    if len(parts) != 2 or not all(p.isascii() and p.isdigit() and len(p) < 4 and 0 < int(p) <= 100 for p in parts):
        r.note(row, "pins", f"“{row.pins}” is not two whole numbers.", "Write it like 6, 6.")
        return None
    pins = tuple(int(p) for p in parts)
    side = r.value(row, "pin", "length", 1e-4, above=0.0)
    across = [a for a in range(3) if a != axis]
    if any(n * side >= size[a] for n, a in zip(pins, across, strict=True)):
        r.note(row, "pin", f"{row.pins} pins of “{row.pin}” leave no gap.", "Use fewer or thinner pins.")
        return None
    return makers.pin_fins(at, size, base, pins, side, up)


def _limits(r: Reader):
    for row in r.of("component"):
        if row.limit.strip():
            yield Bound(row.name, "temperature", row.name, "", r.value(row, "limit", "temperature", 400.0, above=50.0))
    parts = [x.name for x in r.of(*SOLIDS, "enclosure")]
    ends, fans = [x.name for x in r.of(*OPENINGS)], [x.name for x in r.of("wall fan", "inside fan", "pump")]
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
    if not spaces or not {"at", "points"} & set(fields) or kind == "enclosure":
        return {}
    inner = spaces[0].inner
    if kind in ("outline", "tube", "triangulated"):
        x, y, z = (v * 1e3 for v in (0.5 * sum(inner[0]), 0.5 * sum(inner[1]), 0.5 * sum(inner[2])))
        reach = min(b - a for a, b in inner) * 250
        if kind == "tube":
            line = [(x - reach, y, z), (x + reach, y, z), (x + reach, y + reach, z)]
            return {"points": "; ".join(", ".join(f"{v:.4g}" for v in p) for p in line) + " mm",
                    "bend": f"{reach / 2:.4g} mm", "diameter": f"{reach / 2:.4g} mm", "bore": "0 mm"}
        if kind == "triangulated":
            z = inner[2][0] * 1e3
            tip = ((0, 0, 0), (reach, 0, 0), (0, reach, 0), (0, 0, reach))
            return {"points": "; ".join(f"{x + p:.4g}, {y + q:.4g}, {z + r:.4g}" for p, q, r in tip) + " mm"}
        return {"at": f"{inner[2][0] * 1e3:.4g} mm", "length": f"{reach:.4g} mm",
                "points": f"{x:.4g}, {y:.4g}; {x + reach:.4g}, {y:.4g}; {x:.4g}, {y + reach:.4g} mm"}
    if "on" in fields:
        return {"on": spaces[0].name, "at": ", ".join(f"{(inner[a][0]) * 1e3:.4g}" for a in (1, 2)) + " mm"}
    middle = [0.5 * sum(inner[0]), 0.5 * sum(inner[1]), inner[2][0]]
    return {"at": ", ".join(f"{x * 1e3:.4g}" for x in middle) + " mm"}


def cell_faults(document: Document, layout: str) -> dict[tuple[str, str], Problem]:
    """The first problem in reading each cell by itself (not where things stand), by row and key."""
    reader, out = Reader(document, layout), {}
    _model(reader, layout)
    for p in reader.problems:
        row = reader.by_name.get(p.row)
        key = p.cell if p.cell == "name" else next((c.key for c in CELLS[row.kind] if c.title == p.cell), "") if row else ""
        out.setdefault((p.row, key), p)
    return out
