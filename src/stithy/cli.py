"""The command line: open, solve, read, check, export, compile, schema; commands of other files join here.

Exit codes: 0 done and settled (weigh: some layout meets all limits), 1 not settled or no layout meets its limits,
2 refused: bad arguments, file or setup, 3 the run failed.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from . import api, jobs, reading, reading_rows, shaping, starts, studying
from .errors import FileProblem, SetupError, SolveFailed, StithyError
from .kinds import drawing
from .project import files, log, units
from .project.kind import KINDS
from .read.band import Bands
from .terminal import complain, progress, show_table


def main(argv: list[str] | None = None) -> int:
    """Entry point; returns the exit code."""
    arguments = _parser().parse_args(argv)
    log.begin()
    try:
        return arguments.do(arguments)
    except SetupError as error:
        for p in error.problems:
            complain(f"{p.about.capitalize()}: {p}")
        return 2
    except SolveFailed as error:
        complain(str(error))
        return 3
    except StithyError as error:
        complain(str(error))
        return 2
    except KeyboardInterrupt:
        complain("Stopped.")
        return 3
    except BrokenPipeError:  # what reads the output has had enough, such as head
        sys.stderr.close()
        return 0
    except OSError as error:
        complain(f"{error.filename or 'A file'}: {error.strerror or error}. Check that it is there and may be written.")
        return 2
    except Exception as error:  # the last resort: whatever it is, one calm line and a log
        complain(
            f"An unexpected fault ended the command: {type(error).__name__}. No project was changed by it. "
            f"What happened is written in {log.write_fault(error)}."
        )
        return 3


def _parser() -> argparse.ArgumentParser:
    from . import __version__

    parser = argparse.ArgumentParser(prog="stithy", description="Conjugate heat transfer in electronics enclosures.")
    parser.add_argument("--version", action="version", version=f"stithy {__version__}")
    parser.set_defaults(do=_open, project=None)  # without a command: the start page
    sub = parser.add_subparsers(metavar="COMMAND")

    def command(name, do, help_, project=True):
        p = sub.add_parser(name, help=help_)
        p.set_defaults(do=do)
        if project:
            p.add_argument("project", help="project folder or its project.json")
        return p

    p = command("open", _open, "open the window", project=False)
    p.add_argument("project", nargs="?", help="project folder (the start page when left out)")
    p = command("new", _new, "make a project from a model to start from", project=False)
    p.add_argument("start", nargs="?", default="", help="which model")
    p.add_argument("folder", nargs="?", default="", help="the new project's folder")
    p.add_argument("--list", action="store_true", help="list all models to start from")
    p = command("demo", _demo, "open the window on a copy of the demonstration project", project=False)
    p.add_argument("job", nargs="?", default="", help=f"another job: {', '.join(jobs.names())}")
    p.add_argument("--folder", default="", help="where the copy is kept (~/Stithy/ and its name when left out)")
    p.add_argument("--no-window", action="store_true", help="only make the copy")
    p = command("solve", _solve, "solve a layout and store its result")
    p.add_argument("--layout", default="", help="which one (the first when left out)")
    p.add_argument("--all", action="store_true", help="every layout")
    p.add_argument("--due", action="store_true", help="every layout without a current result")
    p.add_argument("--fresh", action="store_true", help="start from rest even if there is a field to continue from")
    p.add_argument(
        "--refine",
        nargs="?",
        const="0.5 K",
        default="",
        help="refine the grid by results until watches move by less than this (0.5 K when left out)",
    )
    p = command("read", reading.read, "print any quantity of a stored result")
    reading.arguments(p)
    p = command("quantities", reading_rows.quantities, "list all quantities that can be read", project=False)
    p.add_argument("--json", action="store_true")
    p = command("influence", reading_rows.influence, "what every heat load does to every part, with the flow held")
    p.add_argument("powers", nargs="*", help='other powers: "LED driver A=8 W"; the matrix in K/W when left out')
    p.add_argument("--layout", default="")
    p.add_argument("--json", action="store_true")
    studying.arguments(command)
    command("check", _check, "name everything that is missing or contradictory")
    shaping.arguments(command)
    p = command("export", _export, "write a layout's result: .vtr for fields, .vtp for walls, .csv or .xlsx for tables")
    p.add_argument("--quantities", default="", help="for .vtr: quantities of cells beside the usual ones; or all")
    p.add_argument("file")
    p.add_argument("--layout", default="")
    p = command("picture", _picture, "write a picture of a layout's result (.png), without a window")
    p.add_argument("file", help="the picture to write: .png or .jpg; a film: .mp4, .gif, or a folder")
    p.add_argument("--layout", default="")
    p.add_argument("--view", default="", help="a view of the project: camera, drawn rows, parts in sight")
    p.add_argument("--rows", default="", help="drawn rows that are on, with semicolons between; no others")
    p.add_argument("--size", default="", help="pixels, such as 1920 x 1080")
    p.add_argument("--time", default="", help="of a run in time: the kept instant nearest to this")
    p.add_argument("--film", default="", help="turn, time, marks, section, or run (solves it): a film")
    p.add_argument("--seconds", type=float, default=6.0, help="how long a film lasts")
    command("compile", _compile, "compile the solver's kernels", project=False)
    p = command("schema", _schema, "print the JSON Schema of project.json", project=False)
    p.add_argument("--result", action="store_true", help="that of a result's summary.json instead")
    return parser


def _open(a) -> int:
    from .desk.app import run

    return run(Path(a.project) if a.project else None)


def _new(a) -> int:
    if a.list or not a.start:
        show_table([["start", "what it is"], *([s.name, s.what] for s in starts.STARTS.values())], words=2)
        return 0
    document = starts.document(a.start)
    if not a.folder:
        raise FileProblem("Name the folder of the new project: stithy new START FOLDER.")
    if files.project_file(a.folder).exists():
        raise FileProblem(f"{a.folder}: there is a project already. Choose another folder.")
    print(files.save(document, a.folder))
    for row, key in starts.STARTS[a.start].first:
        print(f"  fill in first: {row}: {KINDS[next(r.kind for r in document.rows if r.name == row)].cells[key].title}")
    return 0


def _demo(a) -> int:
    target = jobs.copy(a.job, a.folder)
    if a.no_window:
        print(target)
        return 0
    from .desk.app import run

    return run(target)


def _solve(a) -> int:
    project = api.open_project(a.project)
    names = (
        [x.name for x in project.document.layouts if not x.archived]
        if a.all
        else project.due()
        if a.due
        else [a.layout]
    )
    if a.due and not names:
        print("every layout that can be solved has a current result")
    good, until = True, units.to_si(a.refine, "temperature difference") if a.refine else 0.0
    for m, name in enumerate(names):
        told = name or project.document.layouts[0].name
        with progress(f"{told} ({m + 1} of {len(names)})" if len(names) > 1 else told) as tell:
            result = project.solve(name, a.fresh, tell, until)
        s = result.summary
        good &= s["settled"]
        print(
            f"{s['layout']}: {'settled' if s['settled'] else 'NOT settled'}, {s['cells']} cells, {s['seconds']:.0f} s, "
            f"heat closed to {abs(s['heat_imbalance']):.2g} W of {s['heat_load']:.4g} W"
        )
        bands = Bands(s)
        told = {part: bands.temperature(part) for part in s["parts"]}
        lines = [[part, x.text(zero=273.15) if x else "dries out"] for part, x in told.items()]
        show_table([["part", "highest degC"], *lines])
        for seconds, _, time, kind, words in s["log"]:
            print(f"  {seconds:.0f} s{f', at {time:.6g} s' if time else ''}: {kind}: {words}")
        for note in s["trust"]["notes"]:
            print(f"  {note}")
    return 0 if good else 1


def _check(a) -> int:
    project = api.open_project(a.project)
    bad = 0
    for note in project.notes:
        print(f"Brought up from an earlier version: {note}")
    for layout in project.document.layouts:
        found = project.check(layout.name)
        bad += len(found)
        print(f"{layout.name}: " + ("nothing missing" if not found else f"{len(found)} to settle"))
        for p in found:
            print(f"  {p.about.capitalize()}: {p}")
        for p in project.doubts(layout.name):
            print(f"  is this meant? {p}")
    return 2 if bad else 0


def _export(a) -> int:
    from .read import export

    project = api.open_project(a.project)
    result = project.current(a.layout)
    end = Path(a.file).suffix
    if end not in (".vtr", ".vtp", ".csv", ".xlsx"):
        raise FileProblem(f"{a.file}: name a file that ends in .vtr, .vtp, .csv or .xlsx.")
    if end == ".vtr":
        print(export.vtk(result, a.file, [x.strip() for x in a.quantities.split(";") if x.strip()]))
    elif end == ".vtp":
        print(export.surfaces(result, a.file))
    elif end == ".csv":
        print(export.tables(result, a.file))
    else:
        rows, _ = drawing.drawn(project.document, result.summary["layout"])
        print(export.sheet(a.file, export.all_tables(result, rows)))
    return 0


def _picture(a) -> int:
    from .desk import films, still

    project = api.open_project(a.project)
    what = {
        "layout": a.layout,
        "view": a.view,
        "rows": tuple(x.strip() for x in a.rows.split(";") if x.strip()),
        "time": units.to_si(a.time, "time") if a.time else None,
    }
    if a.film:
        with progress(a.film) as tell:
            heard: dict[str, Any] = {"tell": tell} if a.film == "run" else {}
            films.film(project, Path(a.file), a.film, a.seconds, size=_size(a.size or "960 x 600"), **what, **heard)
    else:
        for told in still.picture(project, Path(a.file), _size(a.size or "1280 x 800"), **what):
            complain(told)
    print(a.file)
    return 0


def _size(text: str) -> tuple[int, int]:
    """Two numbers of pixels. Raises StithyError."""
    parts = text.replace("×", "x").split("x")
    if len(parts) != 2 or not all(p.strip().isdigit() for p in parts):
        raise StithyError(f"“{text}” is no size. Write it like 1920 x 1080.")
    return int(parts[0]), int(parts[1])


def _compile(_a) -> int:
    from .solve.compile import warm

    warm(lambda text: print(text, flush=True), every=True)
    return 0


def _schema(a) -> int:
    from .project.files import json_schema
    from .solution.summary import json_schema as of_result

    print(of_result() if a.result else json_schema())
    return 0


if __name__ == "__main__":
    sys.exit(main())
