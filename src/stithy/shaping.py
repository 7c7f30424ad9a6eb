"""The commands about solids and fluids: import, and those of :data:`COMMANDS`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from . import api, boarding
from .errors import StithyError
from .imports.circuit.read import is_board
from .imports.job import Said
from .kinds import arranging, closing, moving
from .kinds.fit import around
from .mesh.leak import Leak
from .mesh.openings import Found
from .project import files, units
from .project.kind import KINDS
from .read import shown
from .shapes import facets
from .shapes.geometry import Mesh
from .terminal import progress_line, show_json, show_table


def take(a) -> int:
    """Import a file."""
    if is_board(Path(a.file)):
        return boarding.take(a)
    project = api.open_project(a.project)
    with progress_line("Importing") as show:

        def hear(said: Said) -> None:
            show(said.text, said.share)

        came = project.take_in(Path(a.file), a.unit, hear)
    if a.around:
        project.document = around(project.document, project.document.layouts[0].name).apply(project.document)
    files.save(project.document, project.folder)
    rows: list[dict] = [
        {
            "name": b.name,
            "part of": " / ".join(b.path),
            "size": [float(x) for x in b.points.max(0) - b.points.min(0)],
            "volume": facets.volume(Mesh("", 4, b.points, b.triangles, b.faces)),
            "triangles": len(b.triangles),
        }
        for b in came.bodies
    ]
    if a.json:
        told = {"kept": came.kept, "new": came.new, "gone": came.gone, "doubtful": came.doubtful}
        show_json({"bodies": rows, **told})
    else:
        print(came.told)
        show_table(
            [
                ["body", "part of", "size mm", "volume mm3", "triangles"],
                *(
                    [
                        r["name"],
                        r["part of"],
                        ", ".join(f"{1e3 * x:.4g}" for x in r["size"]),
                        f"{1e9 * r['volume']:.5g}",
                        str(r["triangles"]),
                    ]
                    for r in rows
                ),
            ],
            words=2,
        )
    return 0


def faults(a) -> int:
    """List faults; 1 when one of them matters."""
    project = api.open_project(a.project)
    if a.gaps:
        project.mend_gaps(a.gaps, a.layout)
        files.save(project.document, project.folder)
    found = project.faults(a.layout)
    if a.json:
        keys = ("bodies", "what", "remedy", "matters", "place")
        show_json([{k: getattr(f, k) for k in keys} for f in found])
    elif not found:
        print("nothing wrong")
    for f in found if not a.json else ():
        print(f"{'settle' if f.matters else 'harmless'}: {' and '.join(f.bodies)} {f.what} {f.remedy}")
    return 1 if any(f.matters for f in found) else 0


def spaces(a) -> int:
    """List the fluid spaces."""
    found = api.open_project(a.project).spaces(a.layout)
    if a.json:
        show_json([s.__dict__ for s in found])
        return 0
    show_table(
        [
            ["fluid space", "filled with", "openings", "touches", "volume cm3", "a point inside mm"],
            *(
                [
                    s.name or f"fluid space {s.number + 1}",
                    s.fluid,
                    ", ".join(s.openings) or ("reaches the sides" if s.sides else "none: closed"),
                    _some(s.parts),
                    f"{1e6 * s.volume:.5g}",
                    ", ".join(f"{1e3 * x:.4g}" for x in s.point),
                ]
                for s in found
            ),
        ],
        words=4,
    )
    return 0


def move(a) -> int:
    """Move parts."""
    project = api.open_project(a.project)
    project.move(a.of, a.by, a.layout)
    files.save(project.document, project.folder)
    rows = {r.name: r for r in project.document.rows_of(a.layout or project.document.layouts[0].name)}
    for name in a.of:
        print(f"{name}: {rows[name].text(moving.place_key(rows[name]))}")
    return 0


def arrange(a) -> int:
    """Put parts in order and save."""
    project = api.open_project(a.project)
    new = project.arrange(a.of, a.how, a.layout)
    files.save(project.document, project.folder)
    rows = {r.name: r for r in project.document.rows_of(a.layout or project.document.layouts[0].name)}
    for name in (*a.of, *new):
        print(f"{name}: {rows[name].text(moving.place_key(rows[name]))}")
    return 0


def piece(a) -> int:
    """Make the smallest piece and save."""
    project = api.open_project(a.project)
    name, assumed = project.piece(a.layout, a.along)
    files.save(project.document, project.folder)
    print(f"{name}: assumed: {assumed}")
    return 0


def rows(a) -> int:
    """List rows; 1 when there are none."""
    found = api.open_project(a.project).rows(a.wanted, a.layout)
    if a.json:
        show_json([r.model_dump() for r in found])
    else:
        show_table([["row", "kind", "group"], *([r.name, r.kind, KINDS[r.kind].group] for r in found)], words=3)
    return 0 if found else 1


def measured(a) -> int:
    """Measure."""
    found = api.open_project(a.project).measure(a.of, a.layout)
    if a.json:
        show_json([m.__dict__ for m in found])
    else:
        show_table([["what", "value"], *([m.what, shown.text(m.value, m.dimension, 5)] for m in found)], words=1)
    return 0


def openings(a) -> int:
    """List openings of solids; 1 when some are not closed."""
    found = api.open_project(a.project).openings(a.layout)
    if a.json:
        rows = [
            {
                "of": f.of,
                "count": len(f.rims),
                "area": f.area,
                "round": f.rims[0].round,
                "size": list(f.rims[0].size),
                "middle": f.rims[0].centre.tolist(),
                "outward": f.rims[0].normal.tolist(),
                "plate": f.plate,
                "flow": f.flow,
            }
            for f in found
        ]
        show_json(rows)
    else:
        show_table(
            [
                ["opening of", "closed by", "flow", "size mm", "area mm2", "middle mm"],
                *(
                    [
                        f.of,
                        f.plate or "open",
                        f.flow or "-",
                        f.size,
                        f"{1e6 * f.area:.5g}",
                        ", ".join(f"{round(1e3 * x, 3) + 0:.5g}" for x in f.rims[0].centre),
                    ]
                    for f in found
                ),
            ],
            words=3,
        )
    return 1 if any(not f.plate for f in found) else 0


def faces(a) -> int:
    """List faces."""
    found = api.open_project(a.project).faces(a.of, a.layout)
    if a.json:
        show_json([f.__dict__ for f in found])
        return 0
    show_table(
        [
            ["solid", "what", "touches", "groups", "area mm2", "a point on it mm"],
            *(
                [
                    f.of,
                    f.what,
                    _some(f.touches) or "-",
                    ", ".join(f.groups) or "-",
                    f"{1e6 * f.area:.5g}",
                    ", ".join(f"{round(1e3 * x, 3) + 0:.5g}" for x in f.point),
                ]
                for f in found
            ),
        ],
        words=4,
    )
    return 0


def close(a) -> int:
    """Close openings and save."""
    project = api.open_project(a.project)
    names = project.close(a.of, a.layout)
    files.save(project.document, project.folder)
    if a.json:
        show_json(names)
    else:
        print(f"closed by {', '.join(names)}" if names else "no opening was open")
    return 0


def repeat(a) -> int:
    """Repeat parts and save."""
    project = api.open_project(a.project)
    names = project.repeat(a.of, a.step, a.layout)
    files.save(project.document, project.folder)
    if a.json:
        show_json(names)
    else:
        print(f"added {', '.join(names)}")
    return 0


def contacts(a) -> int:
    """List touching pairs; fill the joints of some of them."""
    project = api.open_project(a.project)
    found = project.contacts(a.layout)
    layout = a.layout or project.document.layouts[0].name
    if a.fill:
        pairs = [(p.one, p.other) for p in found if not a.of or {p.one, p.other} & set(a.of)]
        project.document = closing.joined(project.document, layout, pairs, a.fill).apply(project.document)
        bad = [str(p) for p in project.check(layout)]
        if bad:
            raise StithyError(bad[0])
        files.save(project.document, project.folder)
    filled = closing.fillings(project.document, layout)
    if a.json:
        show_json([p.__dict__ for p in found])
        return 0
    heads = ["part", "touches", "area mm2", "gap mm", "filled with"]
    rows = [
        [
            p.one,
            p.other,
            f"{1e6 * p.area:.5g}",
            f"{1e3 * p.gap:.2g}" if abs(p.gap) > 2e-6 else "-",
            row.text("resistance") if (row := filled.get(frozenset((p.one, p.other)))) is not None else "",
        ]
        for p in found
    ]
    show_table([heads, *rows], words=2)
    return 0


def grid(a) -> int:
    """A layout's grid; 1 where something about it is doubtful."""
    from .solve import pace

    told = api.open_project(a.project).grid(a.layout)
    if a.json:
        show_json(asdict(told))
        return 1 if told.findings else 0
    print(
        f"{' x '.join(map(str, told.shape))} = {told.cells} cells, about {told.bytes / 1e6:.0f} MB and "
        f"{pace.words(*told.seconds)} here"
    )
    for space, low, high in told.yplus:
        print(f"y+ about {low:.2g} to {high:.2g} at the walls in {space}")
    if told.findings:
        rows = [
            [f.what, "; ".join(f.rows), ", ".join(f"{1e3 * x:.4g}" for x in f.place), f"{f.weight:.1f}"]
            for f in told.findings
        ]
        show_table([["finding, worst first", "of", "at mm", "weight"], *rows], words=2)
    return 1 if told.findings else 0


def leak(a) -> int:
    """Show a leak, or all of them; 1 when there is one."""
    project = api.open_project(a.project)
    point = units.vector(a.point, "length", 3) if a.point else None
    found = list(project.leaks(point, a.layout)) if a.all else [x for x in [project.leak(point, a.layout)] if x]
    openings_ = [project.opening_at(x, a.layout) for x in found]
    if a.json:
        told = [x.__dict__ | {"opening": o and o.of} for x, o in zip(found, openings_, strict=True)]
        show_json(told if a.all else told[0] if told else None)
    elif not found:
        print("no leak: the fluid there is closed in")
    else:
        reasons = closing.accepted(project.document, a.layout or project.document.layouts[0].name)
        for x, opening in zip(found, openings_, strict=True):
            _tell_leak(x, opening, reasons.get(frozenset(x.beside[:2]), ""))
    return 1 if found else 0


def _tell_leak(found: Leak, opening: Found | None, reason: str) -> None:
    where = ", ".join(f"{1e3 * x:.4g}" for x in found.place)
    size = f"{1e3 * found.width:.4g} mm" + (" (narrower than the cells there)" if found.below_grid else "")
    length = float(abs(found.path[1:] - found.path[:-1]).sum())
    sides = " and ".join(found.beside) or "the sides"
    what = f"opening {opening.size} mm of {opening.of}, not closed" if opening else f"gap beside {sides}"
    print(f"leaks: {what}: {size} at its narrowest, at {where} mm; {1e3 * length:.4g} mm to the outside")
    if reason:
        print(f"accepted: {reason}")


def _some(names) -> str:
    return ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")


LAYOUT = ("--layout", {"default": "", "help": "which layout (the first when left out)"})
JSON = ("--json", {"action": "store_true", "help": "JSON in SI units"})
PARTS = ("of", {"nargs": "+", "help": "the parts"})
FILE = "the file of solids, or one of a board's files (.emn, .gbr, ...), or their folder"
POINT = 'a point in the fluid, such as "10, 5, 2 mm" (behind the blanking plates when left out)'
FILL = 'what fills joints: "gap pad 1 mm", "2e-5 m2 K/W", "0.1 mm, 1.5 W/m/K"'
#: commands: what is done, in words, and the arguments behind the project
COMMANDS: dict[str, tuple[Callable[[Any], int], str, tuple[tuple[str, dict[str, Any]], ...]]] = {
    "faults": (
        faults,
        "list what is wrong with imported solids, and whether it matters",
        (LAYOUT, ("--gaps", {"default": "", "help": 'close all gaps up to a size first: "0.2 mm"'}), JSON),
    ),
    "spaces": (spaces, "list the fluid spaces: volume, a point inside, parts touched, openings", (LAYOUT, JSON)),
    "openings": (openings, "list the openings of solids to the outside, and what closes them", (LAYOUT, JSON)),
    "contacts": (
        contacts,
        "list the pairs of parts that touch, with their areas",
        (
            LAYOUT,
            ("--fill", {"default": "", "help": FILL}),
            ("--of", {"action": "append", "default": [], "help": "only joints of this part (may be given again)"}),
            JSON,
        ),
    ),
    "leak": (
        leak,
        "show the way fluid takes from a point to the outside, and its narrowest place",
        (
            ("point", {"nargs": "?", "default": "", "help": POINT}),
            ("--all", {"action": "store_true", "help": "this one, then the next with it stopped, and so on"}),
            LAYOUT,
            JSON,
        ),
    ),
    "faces": (
        faces,
        "list the faces of imported solids: what they are, where, what they touch",
        (("of", {"nargs": "?", "default": "", "help": "one solid (all of them when left out)"}), LAYOUT, JSON),
    ),
    "close": (
        close,
        "close openings of solids with blanking plates that always seal",
        (("of", {"nargs": "*", "help": "solids whose openings are closed (all when left out)"}), LAYOUT, JSON),
    ),
    "repeat": (
        repeat,
        "add more of some parts, each one step on from the last",
        (("step", {"help": 'how many in all, and the step: "4 x 20, 0, 0 mm"'}), PARTS, LAYOUT, JSON),
    ),
    "move": (move, "move parts by three lengths", (("by", {"help": 'how far: "10, 0, -2.5 mm"'}), PARTS, LAYOUT)),
    "arrange": (
        arrange,
        "align, spread, mirror parts, put them on others, repeat them in a circle",
        (("how", {"help": f"one of: {arranging.HOW}".replace("%", "%%")}), PARTS, LAYOUT),
    ),
    "grid": (grid, "cells and memory of a layout's grid, and what is doubtful about it", (LAYOUT, JSON)),
    "measure": (
        measured,
        "measure a part (sizes, volume, surface), or from one to another (distance, gap)",
        (("of", {"nargs": "+", "help": "one part or two"}), LAYOUT, JSON),
    ),
    "rows": (
        rows,
        'list rows by words and values: "copper", "> 80 degC", "heat load > 2 W"',
        (("wanted", {"nargs": "?", "default": "", "help": "what is looked for (all when left out)"}), LAYOUT, JSON),
    ),
    "piece": (
        piece,
        "add a layout in which only the smallest piece that repeats is solved",
        (("--along", {"action": "store_true", "help": "one period along the flow, too, where developed"}), LAYOUT),
    ),
}


def arguments(command: Callable[..., Any]) -> None:
    """Add the commands of this file and of :mod:`boarding`; ``command`` as in :mod:`cli`."""
    p = command("import", take, "take solids (STEP, STL, OBJ, 3MF, PLY) or a board's files in", project=False)
    p.add_argument("file", help=FILE)
    p.add_argument("project", help="project folder or its project.json")
    p.add_argument("--around", action="store_true", help="fit the enclosure to all solids afterwards")
    p.add_argument("--unit", default="mm", help="unit of files that name none: mm, cm, m or in")
    p.add_argument("--json", action="store_true", help="JSON in SI units")
    boarding.arguments(command)
    for name, (do, what, own) in COMMANDS.items():
        p = command(name, do, what)
        for argument, how in own:
            p.add_argument(argument, **how)
