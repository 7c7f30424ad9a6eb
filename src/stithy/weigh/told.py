"""What a report says in words: decision, assumptions, materials, trust, what was left out."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ..model import Model
from ..model.studies import Search, Sweep
from ..project import library
from ..project.document import Document
from ..read import shown
from .compare import Standing
from .limits import CLOSE, FAILS, MEETS
from .overview import Line, Number, Overview
from .table import with_band

_SAYS = {MEETS: "meets all limits", CLOSE: "is too close to a limit to call", FAILS: "fails a limit"}


def markup(svg: str) -> Any:
    """A drawing of our own, which needs no escaping."""
    from markupsafe import Markup

    return Markup(svg)  # noqa: S704


def fonts(folder: Path) -> list[tuple[Path, int]]:
    """The font files that come with the program, with their weights."""
    return [(f, int(f.stem.rsplit("-", 1)[1])) for f in sorted(folder.glob("*-[0-9]00.ttf"))]


def ambient(best: list[Standing]) -> str:
    """The temperatures around, of all layouts."""
    return ", ".join(sorted({shown.text(s.model.ambient, "temperature") for s in best if s.model is not None}))


def decision(best: list[Standing], table: Overview) -> list[str]:
    """The decision in a few sentences: what meets, with which margin, and the cheapest that does."""
    out = []
    for s in best[:1]:
        worst = s.worst
        if worst is None:
            out.append(f"{s.layout} has a result; the project says no limits.")
        else:
            out.append(f"{s.layout} {_SAYS.get(s.verdict, 'is not known')}: {with_band(worst)} at {worst.bound.name}.")
    out += [f"{best[0].layout} and {s.layout} are equal within their bands." for s in best[1:2] if best[0].equals(s)]
    for verdict_ in (MEETS, CLOSE, FAILS):
        rest = [s for s in best[1:] if s.verdict == verdict_]
        if len(rest) == 1:
            out.append(f"{rest[0].layout} {_SAYS[verdict_]}.")
        elif rest:
            plural = _SAYS[verdict_].replace("meets", "meet").replace("is ", "are ").replace("fails", "fail")
            out.append(f"{'; '.join(s.layout for s in rest)}: these {plural}.")
    points = [n for n in table.lines if n.of and n.verdict == MEETS and "mass" in n.numbers]
    if points:
        by = "fan power" if all("fan power" in n.numbers for n in points) else "mass"
        least = min(points, key=lambda n: n.numbers[by].value)
        value = least.numbers[by]
        out.append(
            f"Of {sum(1 for n in table.lines if n.of)} points solved {len(points)} meet all limits; the least {by} is "
            f"{shown.text(value.value, value.dimension)}, with {least.name} ({least.of})."
        )
    return out


def verdict(n: Line) -> str:
    """A line's verdict, or why there is none."""
    return n.verdict or (str(n.standing.problems[0].what) if n.standing.problems else "not known")


def number(x: Number | None) -> str:
    """A number with its band."""
    if x is None:
        return "–"
    return f"{x.text} ± {x.band_text}" if x.band is not None else x.text


def headed(name: str, table: Overview) -> str:
    """A column's name with its unit."""
    unit = shown.symbol(table.numbers[name]) if name in table.numbers else ""
    return f"{name} {unit}".strip()


def study(x: Sweep | Search, lines: list[Line]) -> str:
    """What a study is, and how many of its points meet the limits."""
    varied = "; ".join(v.title for v in x.variables)
    solved = [n for n in lines if n.standing.state == "current"]
    meets = sum(1 for n in solved if n.verdict == MEETS)
    what = f"A sweep over {varied}" if isinstance(x, Sweep) else f"A search over {varied} for the {goal(x)}"
    failed = len(lines) - len(solved)
    tail = f"; {failed} could not be solved" if failed else ""
    return f"{what}, about “{x.of}”: {len(solved)} points solved, {meets} meet all limits{tail}."


def goal(x: Search) -> str:
    """What a search is for."""
    words = f"{'most' if x.most else 'least'} {x.goal}"
    return words + (f" and {'most' if x.second_most else 'least'} {x.second}" if x.second else "")


def hands(best: list[Standing]) -> list[list[str]]:
    """Hand calculations beside watches, of all layouts."""
    out = []
    for s in best:
        for x in s.watches:
            if x.hand is None or x.hand.value is None or x.banded is None:
                continue
            low, high = (shown.text(v, x.dimension, with_unit=False) for v in (x.hand.low, x.hand.high))
            solved = shown.with_band(x.banded.value, x.banded.band, x.dimension)
            hand = shown.text(x.hand.value, x.dimension)
            out.append([x.watch.name, s.layout, solved, hand, f"{low} to {high}", x.hand.what])
    return out


def assumed(document: Document, best: list[Standing]) -> list[list[str]]:
    """What holds for all layouts, and where they differ."""
    says: dict[str, dict[str, list[str]]] = {}
    for s in best:
        for what, value in _of_model(s.model) if s.model is not None else ():
            says.setdefault(what, {}).setdefault(value, []).append(s.layout)
    rows = []
    for what, values in says.items():
        for value, names in values.items():
            where = "" if len(names) == len(best) else f" ({'; '.join(names)})"
            rows.append([what, f"{value}{where}"])
    for row in document.rows:
        if row.kind == "accepted":
            rows.append([f"accepted: {row.text('one')} and {row.text('other')}".strip(), row.text("reason")])
    return rows


def _of_model(model: Model) -> list[tuple[str, str]]:
    w = model.surroundings
    out = [
        ("ambient temperature", shown.text(w.ambient, "temperature")),
        ("absolute pressure", f"{w.pressure:.6g} Pa"),
        ("gravity", f"{', '.join(f'{x:g}' for x in w.gravity)} m/s²"),
        ("flow", w.mixing),
        ("properties", "follow temperature" if w.varying else "constant"),
        ("radiation", "between surfaces" if w.radiation else "none"),
        ("time", f"{model.run.time.length:g} s" if model.run.time is not None else "steady"),
    ]
    loads = sum(s.power for s in model.solids)
    return [*out, ("heat loads in all", shown.text(loads, "power"))]


def materials(best: list[Standing]) -> list[list[str]]:
    """Materials of solids and fluids, with the source of their numbers where the library knows it."""
    known = {(m.k, m.rho, m.cp): m for m in library.materials().values()}
    out: dict[str, list[str]] = {}
    for s in best:
        if s.model is None:
            continue
        walls = [e.walls for e in s.model.enclosures if e.walls is not None]
        for x in (*s.model.solids, *walls):
            found = known.get((max(x.k), x.rho, x.cp))
            name = found.name if found else f"{x.name}, its own"
            k = f"{x.k[0]:.4g}" if len(set(x.k)) == 1 else " / ".join(f"{v:.4g}" for v in x.k)
            out.setdefault(
                name, [name, k, f"{x.rho:.5g}", f"{x.cp:.5g}", found.source if found else "given in its row"]
            )
        for e in s.model.enclosures:
            f = e.fluid
            out.setdefault(e.fluid_name, [e.fluid_name, f"{f.k:.4g}", f"{f.rho:.5g}", f"{f.cp:.5g}", "fluid"])
    return list(out.values())


def trust(s: Standing) -> list[str]:
    """How a layout's result stands."""
    info = s.summary
    if info is None:
        return []
    load = info["heat_load"]
    closed = abs(info["heat_imbalance"]) / abs(load) if load else 0.0
    state = "settled" if info["settled"] else "did not settle"
    head = f"{info['cells']:,} cells, {info['iterations']} iterations, {state}; heat closed to {closed:.2g} of the load"
    return [head.replace(",", " ", head.count(",") - 2), *map(str, info["trust"]["notes"])]


def left_out(document: Document, every: list[Standing]) -> list[str]:
    """Layouts that take no part, and why; rows that layouts leave out."""
    out = []
    for s in every:
        if s.state != "current":
            why = {"missing": "not solved", "out of date": "changed after it was solved"}.get(s.state, "")
            out.append(f"Layout “{s.layout}”: {why or str(s.problems[0]) if s.problems or why else s.state}")
    for layout in document.layouts:
        if layout.archived:
            out.append(f"Layout “{layout.name}” is archived.")
        if layout.leave_out:
            out.append(f"Layout “{layout.name}” leaves out {'; '.join(layout.leave_out)}.")
    for s in every:
        for x in s.model.left_out if s.model is not None else ():
            out.append(f"Layout “{s.layout}”: the fluid space of “{x.name}” is not solved.")
    return list(dict.fromkeys(out))
