"""Rows of the command `stithy read` that come from drawn rows and watches; and the command `stithy quantities`."""

from __future__ import annotations

from . import api
from .errors import StithyError
from .kinds.assembly import resolve
from .kinds.drawing import begun, drawn
from .kinds.watch import WatchRow
from .model.drawn import Line
from .model.quantities import QUANTITIES, WATCHED
from .project import edits, units
from .read import bath, shown
from .read.along import along
from .read.streams import exchange, streams
from .read.values import Values
from .read.watches import Watched, in_time, of_whole, watched
from .terminal import show_json, show_table


def with_quantity(rows: list[dict], points, q, wanted: str) -> list[dict]:
    """Rows of points with other quantities put beside."""
    for name in (p.strip() for p in wanted.split(";") if p.strip()):
        for row, value in zip(rows, q.values.at(name, points), strict=True):
            row[f"{name.lstrip('= ')} [{shown.unit(q.values.quantity(name).dimension)}]"] = float(
                shown.convert(value, q.values.quantity(name).dimension)
            )
    return rows


def _drawn(project, layout: str) -> tuple[list, dict]:
    return drawn(begun(project.document), layout or project.document.layouts[0].name)


def named_line(project, q, a) -> list[dict]:
    """A line row of the project, as it is plotted."""
    rows, faults = _drawn(project, a.layout)
    name = a.arguments[0]
    if name in faults:
        raise StithyError(str(faults[name]))
    line = next((x for x in rows if isinstance(x, Line) and x.name == name), None)
    if line is None:
        names = ", ".join(x.name for x in rows if isinstance(x, Line)) or "none yet"
        raise StithyError(f"There is no line “{name}”. The lines are: {names}. Or give two points.")
    found = along(Values(q.solution, line.paint.references), line, [x for x in rows if hasattr(x, "clips")])
    heads = {n.name: f"{n.name.lstrip('= ')} [{shown.unit(n.dimension)}]".replace(" []", "") for n in line.quantities}
    return [
        {"distance": float(d), "x": float(p[0]), "y": float(p[1]), "z": float(p[2])}
        | {heads[n.name]: float(shown.convert(found.values[n.name][m], n.dimension)) for n in line.quantities}
        for m, (d, p) in enumerate(zip(found.distance, found.points, strict=True))
    ]


def told(x: Watched) -> dict:
    """A watch as a row: in the unit it is shown in, with its band."""
    row: dict = {"name": x.watch.name, "result": "-", "band": "", "unit": shown.unit(x.dimension)}
    if x.banded is not None:
        row["result"] = float(shown.convert(x.banded.value, x.dimension))
        row["band"] = "" if x.banded.band is None else shown.span(x.banded.band, x.dimension)
    if x.hand is not None and x.hand.value is not None:
        low, high = (float(shown.convert(y, x.dimension)) for y in (x.hand.low, x.hand.high))
        row["by hand"] = f"{float(shown.convert(x.hand.value, x.dimension)):.4g} ({low:.4g} to {high:.4g})"
    for key, bound in (("at least", x.watch.least), ("at most", x.watch.most)):
        if bound is not None:
            row[key] = float(shown.convert(bound, x.dimension))
    what = x.fault or (x.hand.what if x.hand is not None else "")
    return row | ({"what": what} if what else {})


def _watches(project, q, a) -> list[dict]:
    rows, faults = _drawn(project, a.layout)
    if a.in_time:
        return _in_time(q.solution, rows)
    times = _pieces(project, a.layout)
    found = [told(of_whole(x, times)) for x in watched(q.solution, rows)]
    return found + [{"name": n, "result": "-", "what": str(p)} for n, p in faults.items()]


def _pieces(project, layout: str) -> float:
    """How many pieces as the one that was solved the whole has."""
    try:
        piece = resolve(project.document, layout or project.document.layouts[0].name).piece
    except StithyError:
        return 1.0
    return piece.times if piece is not None else 1.0


def _in_time(solution, rows) -> list[dict]:
    """A row for every kept instant, a column for every watch."""
    if not solution.instants:
        raise StithyError("This result has no kept instants. Solve in time, and keep fields on the way.")
    return [
        {"time": time}
        | {
            f"{name}, {shown.unit(x.dimension)}".rstrip(", "): float(shown.convert(x.value, x.dimension))
            if x.value is not None
            else "-"
            for name, x in found.items()
        }
        for time, found in in_time(solution, rows)
    ]


def _value(project, q, a) -> list[dict]:
    if not a.arguments:
        raise StithyError('Say which: stithy read PROJECT value "wall heat flux" --of "Lid" --measure "area mean".')
    layout = a.layout or project.document.layouts[0].name
    name = edits.free_name(project.document, "value")
    row = WatchRow(name=name, quantity=a.arguments[0], of=a.of, measure=a.measure)
    rows, faults = drawn(edits.add_row(layout, row).apply(begun(project.document)), layout)
    if name in faults:
        problem = faults[name]
        raise StithyError(f"{problem.what} {problem.remedy}")
    found = next(x for x in watched(q.solution, rows) if x.watch.name == name)
    if found.fault:
        raise StithyError(found.fault.removeprefix(f"{name}: "))
    return [told(found) | {"name": a.arguments[0]}]


def _path(project, q, a) -> list[dict]:
    rows = q.summary.get("heat_path")
    if not rows:
        raise StithyError("This result has not kept its heat path. Solve the layout again.")
    return [dict(x) for x in rows]


def _radiation(project, q, a) -> list[dict]:
    table = q.summary.get("radiation")
    if not table:
        raise StithyError("Nothing radiates in this result: radiation was left out, or all fluids are liquids.")
    rows = [{"name": n, **x} for n, x in table["surfaces"].items()]
    return rows + [{"name": n, "net": -q_} for n, q_ in table["ends"].items()]


def _bath(project, q, a) -> list[dict]:
    if a.in_time:
        names = list(bath.IN_TIME)
        times, _ = bath.in_time(q.summary, names[0])
        columns = [bath.in_time(q.summary, n)[1] for n in names]
        return [dict(zip(["time", *names], map(float, row), strict=True)) for row in zip(times, *columns, strict=True)]
    found = bath.table(q.summary)
    whole = ("saturation", "critical_flux", "vapour_volume", "venting", "level", "began", "mass_error")
    rows = [{"name": n.replace("_", " "), "what": float(found[n])} for n in whole if found.get(n) is not None]
    return rows + [
        {"name": x.name, "boils": x.boils, "share": x.share, "highest_share": x.highest} for x in bath.walls(q.summary)
    ]


def _streams(project, q, a) -> list[dict]:
    found = streams(q.solution)
    rows = [
        {
            "name": x.name,
            "mass_flow": x.flow,
            "entering_temperature": x.entering,
            "leaving_temperature": x.leaving,
            "heat": x.taken,
            "pressure": x.drop,
        }
        for x in found
    ]
    if len(found) == 2:
        rows += [{"name": n, "what": shown.text(v, WATCHED[n][0])} for n, v in exchange(q.solution).items()]
    return rows


def influence(a) -> int:
    """What powers do: the matrix, or what parts come to with other powers."""
    project = api.open_project(a.project)
    found = project.influence(a.layout)
    powers = {}
    for text in a.powers:
        name, _, power = text.rpartition("=")
        if name.strip() not in found.loads:
            raise StithyError(f"“{name.strip()}” releases no heat. These do: {', '.join(found.loads)}.")
        powers[name.strip()] = units.to_si(power, "power")
    names, matrix = found.matrix()
    if a.json:
        told = {"parts": names, "loads": found.loads, "powers": found.powers.tolist(), "matrix": matrix.tolist()}
        show_json(told | {"hottest": found.hottest(powers), "note": found.note})
        return 0
    if powers:
        now, then = found.hottest({}), found.hottest(powers)
        rows = [[n, shown.text(now[n], "temperature"), shown.text(then[n], "temperature")] for n in names]
        show_table([["part", "now", "then"], *rows])
    else:
        rows = [[n, *(f"{x:.4g}" for x in line)] for n, line in zip(names, matrix, strict=True)]
        show_table([["K/W of, by", *found.loads], *rows])
    if found.note:
        print(f"approximate: {found.note}")
    return 0


MORE = {
    "watches": _watches,
    "value": _value,
    "path": _path,
    "radiation": _radiation,
    "bath": _bath,
    "streams": _streams,
}


def quantities(a) -> int:
    """List all quantities."""
    rows = [[q.name, shown.unit(q.dimension), q.place, q.where, q.what] for q in QUANTITIES.values()]
    rows += [[n, shown.unit(d), "one number", "", what] for n, (d, what) in WATCHED.items()]
    if a.json:
        show_json([dict(zip(("name", "unit", "place", "where", "what"), r, strict=True)) for r in rows])
    else:
        show_table([["quantity", "unit", "lives in", "where", "what"], *rows], words=5)
    return 0
