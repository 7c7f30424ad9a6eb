"""The commands about boards, their loads and the libraries: import, powers, swap, library."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

from . import api
from .errors import SetupError, StithyError
from .estimate.estimate import Estimate
from .imports.circuit.rows import Came
from .imports.job import Said
from .project import files, library
from .read import shown
from .solution import store
from .terminal import progress_line, show_json, show_table


def arguments(command) -> None:
    """The commands' own arguments; ``command`` as in :mod:`cli`."""
    p = command("powers", powers, "fill heat loads and limits from a table, or from another project, by reference")
    p.add_argument("table", help="a table with a heading (reference, power, limit, ...), or a project folder")
    p.add_argument("--layout", default="", help="which layout (the first when left out)")
    p.add_argument("--only-here", action="store_true", help="only in that layout")
    p.add_argument("--json", action="store_true")
    p = command("swap", swap, "put another revision of a board, or file of solids, in a row's place; loads stay")
    p.add_argument("old", help="the board's row, or an imported solid's")
    p.add_argument("new", help="one of the new board's files or their folder, or a file of solids")
    p.add_argument("--layout", default="", help="which layout (the first when left out)")
    p.add_argument("--only-here", action="store_true", help="only in that layout")
    p.add_argument("--json", action="store_true")
    p = command("detail", detail, "take a component apart: die, pad of the lead frame, body")
    p.add_argument("part", help="the component")
    p.add_argument("--die", type=float, default=50.0, help="the die's lengths, %% of the body's (50)")
    p.add_argument("--layout", default="", help="which layout (the first when left out)")
    p = command("duty", duty, "take a part's heat load in time from a table of times and loads (CSV)")
    p.add_argument("part", help="the part")
    p.add_argument("table", help="two columns with a heading: time [s], power [W]; or shares of the load in %%")
    p.add_argument("--layout", default="", help="which layout (the first when left out)")
    p = command("estimate", estimated, "foretell temperatures and flows before any solve, with their bands")
    p.add_argument("--layout", default="", help="which layout (all when left out)")
    p.add_argument("--json", action="store_true", help="JSON in SI units")
    p = command("library", shelves, "list entries of the libraries, with the source of their numbers", project=False)
    p.add_argument("table", nargs="?", default="", help=f"one of: {', '.join(library.SHELVES)}")
    p.add_argument("wanted", nargs="?", default="", help="words to look for")
    p.add_argument("--json", action="store_true")


def take(a) -> int:
    """Import a board."""
    project = api.open_project(a.project)
    with progress_line("Importing") as show:

        def hear(said: Said) -> None:
            show(said.text, said.share)

        came = project.take_board(Path(a.file), hear)
    files.save(project.document, project.folder)
    _tell(came, a.json)
    return 0


def _tell(came: Came, as_json: bool) -> None:
    if as_json:
        told = {"board": came.board, "kept": came.kept, "new": came.new, "gone": came.gone, "small": came.small}
        layers = [asdict(x) for x in came.circuit.copper]
        show_json({**told, "layers": layers, "told": came.circuit.told})
        return
    print(came.told)
    if came.circuit.copper:
        show_table(
            [
                ["layer", "um", "copper %", "k in plane W/m/K"],
                *(
                    [x.name, f"{1e6 * x.thickness:.3g}", f"{100 * x.share:.1f}", f"{x.k:.3g}"]
                    for x in came.circuit.copper
                ),
            ]
        )
    for line in came.circuit.told:
        print(f"  {line}")


def powers(a) -> int:
    """Loads by a table; 1 where a row of it found no part, or cannot be read."""
    project = api.open_project(a.project)
    came = project.powers(Path(a.table), a.layout, a.only_here)
    files.save(project.document, project.folder)
    if a.json:
        keys = ("filled", "added", "unmatched", "wrong", "without")
        show_json({k: getattr(came, k) for k in keys})
    else:
        print(came.told)
    return 1 if came.unmatched or came.wrong else 0


def swap(a) -> int:
    """Another revision of a board, or another file of solids, in the place of a row's."""
    project = api.open_project(a.project)
    row = next((r for r in project.document.rows if r.name == a.old), None)
    if row is not None and row.kind == "body":
        came_in = project.take_in(Path(a.new), layout=a.layout, instead=a.old)
        files.save(project.document, project.folder)
        told = {"kept": came_in.kept, "new": came_in.new, "gone": came_in.gone, "doubtful": came_in.doubtful}
        if a.json:
            show_json(told)
        else:
            print(came_in.told)
        return 0
    with progress_line("Importing") as show:

        def hear(said: Said) -> None:
            show(said.text, said.share)

        came = project.take_board(Path(a.new), hear, a.layout, a.old, a.only_here)
    files.save(project.document, project.folder)
    _tell(came, a.json)
    return 0


def duty(a) -> int:
    """Fill a part's heat load in time."""
    project = api.open_project(a.project)
    project.duty(a.part, Path(a.table), a.layout)
    files.save(project.document, project.folder)
    row = next(r for r in project.document.rows_of(a.layout or project.document.layouts[0].name) if r.name == a.part)
    print(f"{a.part}: {row.text('power')}, {row.text('profile').count(';') + 1} points in time")
    return 0


def detail(a) -> int:
    """Die and lead frame of a component."""
    project = api.open_project(a.project)
    project.detail(a.part, a.die / 100, a.layout)
    files.save(project.document, project.folder)
    print(f"{a.part} is its die now, on {a.part} pad, within {a.part} body")
    return 0


def estimated(a) -> int:
    """Estimates of layouts, beside what was solved where that is there."""
    project = api.open_project(a.project)
    out = {}
    for name in [a.layout] if a.layout else [x.name for x in project.document.layouts]:
        try:
            found = project.estimate(name)
        except SetupError:
            raise
        except StithyError as error:
            out[name] = {"none": str(error)}
            if not a.json:
                print(f"{name}: {error}")
            continue
        out[name] = asdict(found)
        if not a.json:
            _tell_estimate(project, name, found)
    if a.json:
        show_json(out)
    return 0


def _tell_estimate(project: api.Project, name: str, found: Estimate) -> None:
    summary = store.summary(project.folder, name, project.key(name)) or {}
    solved = summary.get("parts", {}) if summary.get("key") == project.key(name) else {}
    print(f"{name}: estimate, {found.seconds:.1f} s")
    lines = []
    for part, x in found.parts.items():
        at = solved.get(part, {}).get("max")
        told = [f"{x.temperature - 273.15:.1f} ± {x.band:.1f}", f"{x.air:.1f}", f"{x.film:.1f}", f"{x.body:.1f}"]
        lines.append([part, *told, f"{at - 273.15:.1f}" if at else ""])
    show_table([["part", "degC", "air K", "film K", "body K", "solved degC"], *lines])
    for opening, rate in found.openings.items():
        if rate:
            print(f"  {opening}: {shown.text(abs(rate), 'volume flow', 3)} {'in' if rate > 0 else 'out'}")
    for fan, (rate, rise) in found.fans.items():
        print(f"  {fan}: {shown.text(rate, 'volume flow', 3)} at {shown.text(rise, 'pressure', 2)}")
    for note in found.notes:
        print(f"  {note}")


def shelves(a) -> int:
    """List the libraries, or entries of one."""
    if not a.table:
        show_table([["library", "entries"], *([n, str(len(library.shelf(n)))] for n in library.SHELVES)])
        return 0
    if a.table not in library.SHELVES:
        raise StithyError(f"There is no library “{a.table}”. There are: {', '.join(library.SHELVES)}.")
    words = a.wanted.lower().split()
    found = {
        n: v
        for n, v in library.shelf(a.table).items()
        if all(w in f"{n} {v.get('source', '')} {v.get('sort', '')} {v.get('finish', '')}".lower() for w in words)
    }
    if a.json:
        show_json(found)
        return 0
    columns = library.SHELVES[a.table][1]
    lines = [[n, *(_cell(v.get(key, "")) for _, key in columns), v.get("source", "")] for n, v in found.items()]
    show_table([["name", *(head for head, _ in columns), "source"], *lines], words=1)
    return 0


def _cell(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)
