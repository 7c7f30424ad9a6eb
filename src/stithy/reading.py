"""The command `stithy read`: any quantity of a stored result, as a table or as JSON."""

from __future__ import annotations

from . import api
from .errors import StithyError
from .model.quantities import MEASURES
from .project import units
from .read.band import Bands
from .reading_rows import MORE, named_line, with_quantity
from .terminal import show_json, show_table

WHAT = {
    "parts": "highest temperature with its band, temperatures on this grid and heat of every part",
    "fluid": "mean and extreme temperatures and speeds of every fluid space",
    "ends": "flow, heat, temperature and pressure at every opening, and every fan's operating point",
    "walls": 'heat, temperatures and forces at every wall: parts, and sides such as "Duct z-"',
    "wall": "NAME: one wall (all: the sum of all); with --along x layer by layer",
    "at": '"X, Y, Z mm" ...: values at points',
    "line": '"X, Y, Z mm" "X, Y, Z mm": values along a line, or NAME: one of the project; --points N',
    "plane": 'AXIS "POSITION mm" ...: area, flow, mean pressure, bulk temperature of each fluid space',
    "watches": "every watch of the project with its band",
    "value": 'QUANTITY: one number; --of "NAME; NAME" (parts, fluids, openings, sections), --measure MEAN',
    "path": "where heat goes: from every part and fluid to each neighbour, opening and side",
    "radiation": "of every part and side: net heat radiated, heat given to gas, sunshine, what it sees",
    "bath": "a bath's vapour, venting and level, every part's share of the critical flux; --in-time: against time",
    "streams": "fluids that something flows through: flow, temperatures in and out, heat taken, and what two exchange",
    "drive": "pressure gradient, mass flow and temperature rise per pitch of a driven periodic flow",
    "history": "every iteration or time step: residuals, the hottest cell of every part (its faces may be hotter), "
    "flow in and pressure "
    "at every opening",
    "trust": "how far the result can be trusted: closures, grids, notes",
    "balance": "heat load, heat leaving by openings and walls, imbalances",
}
_UNITS = {
    "value": "degC",
    "value_band": "K",
    "temperature": "degC",
    "highest": "degC",
    "lowest": "degC",
    "mean": "degC",
    "area": "m2",
    "volume": "m3",
    "heat": "W",
    "flux": "W/m2",
    "net": "W",
    "to_gas": "W",
    "sun": "W",
    "error": "W",
    "sees": "degC",
    "volume_flow": "m3/s",
    "mass_flow": "kg/s",
    "pressure": "Pa",
    "velocity": "m/s",
    "speed": "m/s",
    "u": "m/s",
    "v": "m/s",
    "w": "m/s",
    "shear_stress": "Pa",
    "force": "N",
    "x": "mm",
    "y": "mm",
    "z": "mm",
    "distance": "mm",
    "position": "mm",
    "rise": "Pa",
    "coefficient": "W/m2/K",
    "draw": "W",
    "power": "W",
    "load": "W",
    "gradient": "Pa/m",
    "time": "s",
    "seconds": "s",
}


def arguments(parser) -> None:
    """The command's own arguments."""
    parser.add_argument("what", choices=list(WHAT), help="; ".join(f"{k}: {v}" for k, v in WHAT.items()))
    parser.add_argument(
        "arguments", nargs="*", help="what the quantity asks for: a name, points, an axis and positions"
    )
    parser.add_argument("--layout", default="", help="which layout (the first when left out)")
    parser.add_argument("--along", choices=("x", "y", "z"), help="for wall: values layer by layer along this axis")
    parser.add_argument("--points", type=int, default=50, help="for line: how many points")
    parser.add_argument(
        "--time", default="", help="for runs in time: the kept instant nearest to this, for example 30 s"
    )
    parser.add_argument("--in-time", action="store_true", help="for watches and bath: a row for every instant")
    parser.add_argument("--of", default="", help="for value: what it is of, names with semicolons between")
    parser.add_argument("--measure", default="", help=f"for value: {', '.join(MEASURES)}")
    parser.add_argument("--quantity", default="", help="for at and line: other quantities, or a formula")
    parser.add_argument("--json", action="store_true", help="JSON in SI units, temperatures in K")


def read(a) -> int:
    """Print what was asked for; the exit code."""
    project = api.open_project(a.project)
    rows = _rows(project, a)
    if a.json:
        show_json(rows)
    elif rows:
        of_history = dict.fromkeys(project.summary(a.layout)["parts"], "degC") if a.what == "history" else {}
        show_table(table(rows, of_history))
    else:
        print("nothing to show")
    return 0


def _rows(project, a):
    if a.what == "history":
        return _history(project, a.layout)
    if a.what == "trust":
        return trust_rows(project.summary(a.layout))
    q = project.read(a.layout, units.to_si(a.time, "time") if a.time else None)
    given = a.arguments
    if a.what in MORE:
        return MORE[a.what](project, q, a)
    if a.what == "parts":
        bands = Bands(project.result(a.layout).summary)
        return _named({n: _banded(bands.temperature(n)) | row for n, row in q.parts().items()})
    if a.what == "fluid":
        return _named(q.fluid())
    if a.what == "ends":
        s = project.result(a.layout).summary
        return _named(s["ends"]) + _named(s["fans"])
    if a.what == "walls":
        return _named({n or "inner wall": q.wall(n) for n in q.wall_names()})
    if a.what == "wall":
        return _wall(q, given, a.along)
    if a.what == "at":
        _need(given, 1, 'at "10, 5, 2 mm"')
        points = [units.vector(x, "length", 3) for x in given]
        rows = [{"x": x[0], "y": x[1], "z": x[2], **row} for x, row in zip(points, q.at(points), strict=True)]
        return with_quantity(rows, points, q, a.quantity)
    if a.what == "line" and len(given) == 1:
        return named_line(project, q, a)
    if a.what == "line":
        _need(given, 2, 'line "0, 5, 2 mm" "100, 5, 2 mm"')
        rows = q.line(*(units.vector(x, "length", 3) for x in given[:2]), a.points)
        return with_quantity(rows, [(r["x"], r["y"], r["z"]) for r in rows], q, a.quantity)
    if a.what == "plane":
        _need(given, 2, 'plane x "30 mm"')
        if given[0] not in ("x", "y", "z"):
            raise StithyError(f"“{given[0]}” is no axis. Write x, y or z, then positions.")
        out = []
        for text in given[1:]:
            at = units.to_si(text, "length")
            out += [{"name": name, "position": at, **row} for name, row in q.plane("xyz".index(given[0]), at).items()]
        return out
    if a.what == "drive":
        return [q.drive()]
    s = project.result(a.layout).summary
    return [
        {"name": "heat load", "heat": s["heat_load"]},
        *({"name": n, "heat": e["heat_out"]} for n, e in s["ends"].items()),
        *({"name": n, "heat": w} for n, w in s["walls"].items()),
        *({"name": f"{n}, radiated", "heat": q} for n, q in (s.get("radiation") or {}).get("ends", {}).items()),
        *([{"name": "stored", "heat": s["stored"]}] if s.get("stored") else []),
        {"name": "imbalance", "heat": s["heat_imbalance"]},
    ]


def _banded(x) -> dict:
    """The best value and its band, where the result has them."""
    return {} if x is None or x.band is None else {"value": x.value, "value_band": x.band}


def _history(project, layout) -> list[dict]:
    found = project.history(layout)
    return [dict(zip(found, map(float, row), strict=True)) for row in zip(*found.values(), strict=True)]


def _wall(q, given, along):
    name = given[0] if given and given[0] != "all" else ""
    if name and name not in q.wall_names():
        raise StithyError(f"There is no wall “{name}”. The walls are: {'; '.join(n for n in q.wall_names() if n)}.")
    if along:
        return q.wall_along(name, "xyz".index(along))
    return [{"name": name or "all", **q.wall(name)}]


def _need(given, count: int, example: str) -> None:
    if len(given) < count:
        raise StithyError(f"Say where: stithy read PROJECT {example}.")


def _named(rows: dict[str, dict]) -> list[dict]:
    return [{"name": n, **row} for n, row in rows.items()]


def trust_rows(summary: dict) -> list[dict]:
    """What a result's summary says of how far it can be trusted, a row each."""
    t, load, coarse = summary["trust"], abs(summary["heat_load"]), summary.get("coarse")
    rows = [
        ("settled", "yes" if summary["settled"] else "no"),
        ("heat left over", f"{abs(summary['heat_imbalance']):.2g} W of {load:.4g} W"),
        ("mass left over", f"{t['mass_imbalance']:.1e} of the through-flow"),
        (
            "grid",
            f"{summary['cells']} cells" + (f", and one of {coarse['cells']} for the bands" if coarse else ", no bands"),
        ),
        ("run", f"{summary['iterations']} iterations, {summary['seconds']:.0f} s"),
        *(("note", n) for n in t["notes"]),
    ]
    return [{"name": name, "what": what} for name, what in rows]


def _unit(key: str) -> str:
    if key in _UNITS:
        return _UNITS[key]
    if key == "temperature_rise":
        return "K"
    last = key.rsplit("_", 1)[-1]
    return _UNITS.get(last, "")


def table(rows: list[dict], more: dict[str, str] | None = None) -> list[list[str]]:
    """Head with units, and a line for each row; temperatures in degC, lengths in mm, all else SI. ``more``: units of
    columns that are called by names of the project."""
    rows = [_flat(r) for r in rows]
    heads = list(dict.fromkeys(k for r in rows for k in r))
    units_ = {h: (more or {}).get(h) or _unit(h) for h in heads}
    lines = [[f"{h.replace('_', ' ')} [{units_[h]}]" if units_[h] else h.replace("_", " ") for h in heads]]
    return [*lines, *([_text(h, r.get(h, ""), units_[h]) for h in heads] for r in rows)]


def _flat(row: dict) -> dict:
    out: dict = {}
    for k, v in row.items():
        if isinstance(v, list | tuple):
            out |= {f"{a}_{k}": x for a, x in zip("xyz", v, strict=False)}
        else:
            out[k] = v
    return out


def _text(key: str, value, unit: str) -> str:
    if isinstance(value, str):
        return value
    if value is None or value != value:
        return "-"
    value += 0.0  # no -0
    if unit == "degC" and "rise" not in key:
        return f"{value - 273.15:.4f}"
    if unit == "mm":
        return f"{value * 1e3:.4g}"
    return f"{value:.6g}"
