"""Commands of Weigh: sweeps, searches, grid studies, what would help, the table of all, reports."""

from __future__ import annotations

import argparse
import dataclasses
from collections.abc import Callable
from pathlib import Path
from typing import Any

from . import api
from .errors import StithyError
from .terminal import complain, progress_line, show_json, show_table


def arguments(command: Callable[..., argparse.ArgumentParser]) -> None:
    """Add the commands of this file."""
    p = command("weigh", weigh, "print all layouts, and all points of studies, against the limits")
    p.add_argument("--where", default="", help='only those for which words hold: "meets, drop < 20 Pa"')
    p.add_argument("--by", default="", help='best first by a number, all limits met: "mass", "most worst margin"')
    p.add_argument("--front", default="", help='only the best compromises of two: "mass; most worst margin"')
    p.add_argument("--map", default="", help='a number over two of what is varied: "worst margin; flow; power"')
    p.add_argument("--json", action="store_true")
    p = command("sweep", sweep, "solve the points of a sweep; what is solved is kept")
    p.add_argument("study", nargs="?", default="", help="which one (the first when left out)")
    p.add_argument("--list", action="store_true", help="list its points, and how they stand")
    p.add_argument("--take", type=int, default=0, help="make this point a layout")
    p.add_argument("--skip", action="store_true", help="leave out points that cannot be built")
    for_workers(p)
    p = command("search", search, "look for the best layout; every proposal is solved")
    p.add_argument("study", nargs="?", default="", help="which one (the first search when left out)")
    for_workers(p)
    p = command("study", study, "solve a layout on three grids: order, band, and what it tends to")
    p.add_argument("--layout", default="")
    p.add_argument("--json", action="store_true")
    p = command("helps", helps, "what small changes would do to the limits of a solved layout")
    p.add_argument("--layout", default="")
    p.add_argument("--json", action="store_true")
    p = command("report", report, "write a report: .html, .pdf or .xlsx")
    p.add_argument("file", nargs="?", default="report.html")
    p.add_argument("--no-views", action="store_true", help="without pictures")
    p.add_argument("--template", action="store_true", help="put the template into the project, to be changed there")


def for_workers(p: argparse.ArgumentParser) -> None:
    """Where points are solved."""
    p.add_argument("--at-once", type=int, default=0, help="points solved at once (as many as the machine holds)")
    p.add_argument("--cluster", default="", help="address of a Dask scheduler, such as tcp://10.0.0.1:8786")
    p.add_argument("--json", action="store_true")


def weigh(a: Any) -> int:
    """The table of all."""
    from .weigh.overview import VERDICTS
    from .weigh.table import equals, tables

    project = api.open_project(a.project)
    table = project.overview()
    words = {*VERDICTS, *table.columns, *table.numbers}
    if a.map:
        return _show_map(table, a.map, a.json)
    by, most = _asked(a.by)
    if by and by not in words:
        raise StithyError(f"“{by}” is no column. There are {', '.join((*table.columns, *table.numbers))}.")
    kept = {id(n) for n in table.narrowed(a.where)}
    if a.front:
        pair = [_asked(x) for x in a.front.split(";")]
        if len(pair) != 2 or any(n not in words for n, _ in pair):
            raise StithyError("A front is of two columns, with a semicolon between: mass; most worst margin.")
        (x, x_most), (y, y_most) = pair
        kept &= {id(n) for n in table.front(x, y, x_most, y_most)}
    lines = [n for n in table.ordered(by, most) if id(n) in kept]
    if a.json:
        show_json([_plain(n) for n in lines])
    else:
        layouts = [n.standing for n in lines if not n.of]
        for block in tables(layouts) if layouts else []:
            if len(block) > 1 or block[0][0] == "layout":
                show_table(block, words=3 if block[0][0] == "layout" else 1)
                print()
        points = [n for n in lines if n.of]
        for sentence in [table.equal_first(lines)] if points else equals(layouts):
            if sentence:
                print(sentence)
        _show_points(table, [n for n in lines if n.of])
    return 0 if any(n.standing.passes and n.standing.state == "current" for n in lines) else 1


def _show_map(table: Any, words: str, plain: bool) -> int:
    """A map of a number over two columns, as they are named or begin."""
    from .weigh.maps import mapped, rows_of

    asked = [x.strip() for x in words.split(";")]
    if len(asked) != 3:
        raise StithyError("A map is of a number over two of what is varied: worst margin; flow; power.")
    number = table.column(asked[0], tuple(table.numbers))
    across, up = (table.column(x, table.columns) for x in asked[1:])
    found = mapped(table, across, up, number)
    if plain:
        told = {"across": across, "up": up, "number": number, "columns": found.columns, "rows": found.rows}
        show_json({**told, "values": found.values()})
        return 0
    show_table(rows_of(found, table), words=1)
    print(found.told())
    return 0


def _asked(text: str) -> tuple[str, bool]:
    """A column, and whether the most of it is asked for."""
    text = text.strip()
    return (text[5:].strip(), True) if text.startswith("most ") else (text.removeprefix("least ").strip(), False)


def _plain(n: Any) -> dict[str, Any]:
    """A line as plain values, SI."""
    numbers = {k: {"value": x.value, "band": x.band, "dimension": x.dimension} for k, x in n.numbers.items()}
    return {
        "name": n.name,
        "study": n.of,
        "values": n.values,
        "verdict": n.verdict,
        "state": n.standing.state,
        "numbers": numbers,
    }


def _show_points(table: Any, lines: list[Any]) -> None:
    from .weigh.told import headed, number, verdict

    for name in dict.fromkeys(n.of for n in lines):
        mine = [n for n in lines if n.of == name]
        columns = list(mine[0].values)
        numbers = [x for x in table.numbers if any(x in n.numbers for n in mine)]
        rows = [
            [str(n.point.number), *n.values.values(), *(number(n.numbers.get(x)) for x in numbers), verdict(n)]
            for n in mine
        ]
        print(name)
        show_table([["point", *columns, *(headed(x, table).replace("°C", "degC") for x in numbers), "verdict"], *rows])
        print()


def sweep(a: Any) -> int:
    """Run a sweep, list it, or take one of its points."""
    project = api.open_project(a.project)
    if a.take:
        from .project import files

        name = project.take_point(a.study, a.take)
        files.save(project.document, project.folder)
        print(f"layout “{name}” made; solve it: stithy solve {a.project} --layout {name!r}")
        return 0
    if a.list:
        return _list(project, a)
    with progress_line(a.study or "sweep") as bar:

        def tell(c: Any) -> bool:
            left = f", about {c.left:.0f} s left" if c.left is not None else ""
            bar(f"{c.done} of {c.all}{left}", c.done / max(c.all, 1))
            return True

        course = project.sweep(a.study, tell, a.at_once, a.cluster, a.skip)
    _end(project, a, course.failed)
    return 0 if course.done == course.all and not course.failed else 1


def _list(project: api.Project, a: Any) -> int:
    from .weigh.points import standing_of

    found, points = project.points(a.study)
    rows = []
    for p in points:
        s = standing_of(p, found, project.folder)
        why = p.problem or (
            str(s.problems[0].what) if s.problems else s.verdict if s.state == "current" else "not solved"
        )
        rows.append([str(p.number), *p.values, why])
    show_table([["point", *(v.title for v in found.variables), "stands"], *rows], words=len(found.variables) + 2)
    return 2 if any(p.problem for p in points) else 0


def _end(project: api.Project, a: Any, failed: int) -> None:
    """The table of a study after it."""
    table = project.overview()
    name = project.points(a.study)[0].name
    lines = [n for n in table.ordered() if n.of == name]
    if a.json:
        show_json([_plain(n) for n in lines])
        return
    _show_points(table, lines)
    if failed:
        complain(f"{failed} points could not be solved; the table says why.")


def search(a: Any) -> int:
    """Run a search."""
    project = api.open_project(a.project)
    if not a.study:
        a.study = next((r.name for r in project.document.rows if r.kind == "search"), "")
    with progress_line(a.study or "search") as bar:

        def tell(f: Any) -> bool:
            best = f"; best so far {f.best_value:.6g}" if f.best is not None else ""
            bar(f"{f.course.done} of at most {f.course.all}{best}", f.course.done / max(f.course.all, 1))
            return True

        found = project.search(a.study, tell, a.at_once, a.cluster)
    _end(project, a, found.course.failed)
    if not a.json:
        print(f"{found.runs} runs; ended: {found.ended}")
        for title, share in sorted(found.matters.items(), key=lambda x: -x[1]):
            print(f"  {title} brings {share:.0%} of the goal's variation by itself")
        print(
            f"best: {', '.join(found.best.values)}"
            if found.best is not None
            else "nothing that meets all limits was found"
        )
    return 0 if found.best is not None else 1


def study(a: Any) -> int:
    """A grid study."""
    project = api.open_project(a.project)
    with progress_line("grid study") as bar:

        def tell(c: Any) -> bool:
            bar(f"{c.done} of {c.all} grids", c.done / max(c.all, 1))
            return True

        found = project.grid_study(a.layout, tell)
    if found is None:
        return 1
    if a.json:
        show_json(dataclasses.asdict(found))
        return 0
    from .weigh.report import grid_table

    print(f"{found.layout}: {', '.join(str(n) for n in found.cells)} cells")
    table = grid_table(found)
    show_table([table.head, *([x.replace("°C", "degC") for x in r] for r in table.rows)])
    return 0


def helps(a: Any) -> int:
    """What would help."""
    project = api.open_project(a.project)
    with progress_line("what would help") as bar:

        def tell(done: int, of: int) -> bool:
            bar(f"{done} of {of} changes", done / max(of, 1))
            return True

        found = project.helps(a.layout, tell)
    if a.json:
        show_json([dataclasses.asdict(h) for h in found])
        return 0
    names = list(found[0].moves) if found else []
    rows = [
        [h.row, h.what, "run" if h.run else "flow held", *(f"{h.moves[n]:+.2f} ± {h.band[n]:.2f}" for n in names)]
        for h in found
    ]
    show_table([["what", "change", "by", *(f"{n} K" for n in names)], *rows], words=3)
    return 0


def report(a: Any) -> int:
    """Write a report."""
    from .project.files import write_atomic
    from .weigh import report as reports

    project = api.open_project(a.project)
    if a.template:
        path = project.folder / reports.TEMPLATE
        if path.exists():
            raise StithyError(f"{path} is there already. Change it, or take it away.")
        write_atomic(path, reports.usual().encode())
        print(path)
        return 0
    draw = None
    if not a.no_views and not a.file.endswith(".xlsx"):
        from .desk.still import of_layout

        draw = of_layout(project)
    print(project.report(Path(a.file), draw))
    return 0
