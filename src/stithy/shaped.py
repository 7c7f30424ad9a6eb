"""What a project is asked of its solids, boards, openings and fluid spaces from Python; a part of
:class:`stithy.api.Project`."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from .errors import Problem, StithyError
from .project import files
from .project.document import Document

if TYPE_CHECKING:  # heavy, and only names here
    from .imports.circuit.rows import Came, Filled
    from .imports.faults import Fault
    from .imports.job import Taken
    from .kinds.face_list import FaceRow
    from .mesh.leak import Leak
    from .mesh.lines import Grid
    from .mesh.openings import Found
    from .mesh.spaces import FluidSpace, Pair
    from .project.kind import Row
    from .read.measure import Measured
    from .solve.pace import GridTold


#: leaks that are looked for one after the other
MOST_LEAKS = 12


class Shaped:
    """Solids, boards, faces, openings, leaks, fluid spaces and the grid of a project."""

    document: Document
    folder: Path
    check: Callable[[str], list]
    _named: Callable[[str], str]

    def take_in(
        self, path: Path, unit: str = "mm", tell: Callable | None = None, layout: str = "", instead: str = ""
    ) -> Taken:
        """Import the solids of a file as rows of ``document``, or read it again after a change (save it then).

        ``unit`` is that of files that name none; ``instead``: a row whose file this one takes the place of. Raises
        FileProblem with the document as it was.
        """
        from .imports.job import take_in

        found = take_in(path, self.folder, self.document, self._named(layout), unit, tell, instead)
        self.document = found.edit.apply(self.document)
        return found

    def take_board(
        self, path: Path, tell: Callable | None = None, layout: str = "", replaces: str = "", only_here: bool = False
    ) -> Came:
        """Import a board from its files (``path`` is one of them, or their folder) as rows of ``document`` (save it
        then): in the place of the board ``replaces``, of a board whose files had this name, or as a new one.

        Components keep their loads, limits and contacts by their references. Raises StithyError with the document as it
        was.
        """
        from .imports.job import take_board

        found = take_board(path, self.folder, self.document, self._named(layout), tell, replaces, only_here)
        self.document = found.edit.apply(self.document)
        return found

    def powers(self, table: Path, layout: str = "", only_here: bool = False) -> Filled:
        """Heat loads, limits and resistances from a table with a heading, or from another project by name (save the
        document then). Raises FileProblem."""
        from .errors import FileProblem
        from .imports.circuit.rows import fill, take_over

        name = self._named(layout)
        if table.is_dir() or table.suffix == ".json":
            found = take_over(self.document, name, files.read(table))
        else:
            try:
                text = table.read_bytes().decode("utf-8-sig", "replace")
            except OSError as error:
                raise FileProblem(f"{table}: cannot be read ({error.strerror or error}).") from error
            found = fill(self.document, name, text, table.name, only_here)
        self.document = found.edit.apply(self.document)
        return found

    def faults(self, layout: str = "") -> list[Fault]:
        """What is wrong with the imported solids of a layout, what matters first."""
        from dataclasses import replace

        from .imports.faults import faults
        from .kinds import closing
        from .kinds.assembly import read_all
        from .kinds.body import BodyRow, raw_form
        from .project.reader import Reader
        from .shapes.geometry import Mesh

        model = read_all(Reader(self.document, self._named(layout)), self._named(layout))
        shapes = {s.name: s.form for s in model.solids} | {p.name: p.form for p in model.passages}
        bodies = [r for r in self.document.rows_of(self._named(layout)) if isinstance(r, BodyRow)]
        shells = {r.name: (form, bool(r.text("shell"))) for r in bodies if (form := raw_form(r, False)) is not None}
        ranks = {s.name: s.rank for s in model.solids}
        meshes = {n: f for n, f in shapes.items() if isinstance(f, Mesh) and not f.sheet}
        found = faults(meshes, shells, ranks, model.grid.least_gap)
        accepted = closing.accepted(self.document, self._named(layout))
        left = [
            replace(f, matters=False, remedy=f"Accepted: {accepted[frozenset(f.bodies)]}")
            if frozenset(f.bodies) in accepted
            else f
            for f in found
        ]
        return sorted(left, key=lambda f: not f.matters)

    def mend_gaps(self, size: str, layout: str = "") -> None:
        """Close every gap between solids that is narrower than ``size``, such as "0.2 mm" (save the document then).
        Raises StithyError."""
        from .kinds.closing import mend_gaps

        self.document = mend_gaps(self.document, self._named(layout), size).apply(self.document)

    def grid(self, layout: str = "") -> GridTold:
        """What a layout's grid comes to before anything is solved: cells, memory, time, and what is doubtful about
        it, worst first; a :class:`stithy.solve.pace.GridTold`."""
        from .kinds.assembly import resolve
        from .solve.pace import grid_told

        return grid_told(resolve(self.document, self._named(layout)), self.folder)

    def spaces(self, layout: str = "") -> list[FluidSpace]:
        """The fluid spaces of a layout, the largest first, also where something is still missing to solve it."""
        from .kinds.assembly import resolve
        from .mesh.spaces import spaces
        from .setup.prepare import assemble

        p, _ = assemble(resolve(self.document, self._named(layout)))
        cells = {n: p.case.openings[o[0]].cells for n, o in zip(p.ends, p.case.ends(), strict=True)}
        return spaces(p.model, p.built, cells, tuple(map("xyz".index, sorted(p.case.periodic))))

    def space_cells(self, point: Sequence[float], layout: str = "") -> tuple[Grid, np.ndarray]:
        """Grid of a layout, and which of its cells (bool, shape of the grid) belong to the fluid space that holds a
        point (m)."""
        from .kinds.assembly import resolve
        from .mesh.build import build
        from .mesh.occupancy import fluid_spaces

        built = build(resolve(self.document, self._named(layout)))
        at, label = built.grid.find(point), fluid_spaces(built.kind, (), built.shut)[0]
        return built.grid, (label == label[at]) if at is not None and label[at] >= 0 else np.zeros(label.shape, bool)

    def openings(self, layout: str = "") -> list[Found]:
        """The openings of a layout's solids to the outside, whether closed or not: those of a solid that are alike in
        one plane together, the largest first."""
        from .kinds.assembly import resolve
        from .kinds.closing import grouped, mouths_of_all, plate_over
        from .mesh.openings import Found, at_outside

        name = self._named(layout)
        model = resolve(self.document, name)
        mouths = mouths_of_all(self.document, name)
        wide = {s.name: max(b - a for a, b in s.bounds) for s in model.solids}
        mouths = [m for m in mouths if not m[1].blind or m[2].area > 0.1 * wide.get(m[0], 0.0) ** 2]
        kept = [m for m, at in zip(mouths, at_outside(model, [m[2] for m in mouths]), strict=True) if at]
        flows = {e.enclosure: e.name for e in model.openings if e.plated}
        out = []
        for group in grouped(kept):
            rims = tuple(rim for _, _, rim in group)
            plates = {plate_over(model, r) for r in rims}
            plate = plates.pop() if len(plates) == 1 else ""
            out.append(Found(group[0][0], group[0][1], rims, plate, flows.get(plate, "")))
        return sorted(out, key=lambda f: -f.area)

    def close(self, names: Sequence[str] = (), layout: str = "") -> list[str]:
        """Close openings of solids with blanking plates (save the document then): all that are open, or those of the
        solids named; the names of the new plates.

        Raises StithyError where a solid has none.
        """
        from .kinds.closing import close

        name = self._named(layout)
        found = [f for f in self.openings(name) if not f.plate and (not names or f.of in names)]
        without = [n for n in names if n not in {f.of for f in found}]
        if without:
            raise StithyError(f"“{without[0]}” has no opening that is not closed. See them: stithy openings PROJECT.")
        before = {r.name for r in self.document.rows}
        edit = close(self.document, name, [(f.of, f.raw, len(f.rims)) for f in found])
        self.document = edit.apply(self.document)
        return [r.name for r in self.document.rows if r.name not in before]

    def repeat(self, names: Sequence[str], step: str, layout: str = "") -> list[str]:
        """Add more of the rows named, each one step on from the last (save the document then): ``step`` is a count and
        a step such as "4 x 20, 0, 0 mm". The new rows' names. Raises StithyError."""
        from .kinds.closing import repeated, step_of
        from .project.edits import row_of

        name = self._named(layout)
        for row in names:
            row_of(self.document, name, row)
        before = {r.name for r in self.document.rows_of(name)}
        edit = repeated(self.document, name, names, *step_of(step, self.document, name))
        self.document = edit.apply(self.document)
        return [r.name for r in self.document.rows_of(name) if r.name not in before]

    def move(self, names: Sequence[str], by: str, layout: str = "") -> None:
        """Move parts by three lengths, such as "10, 0, -2.5 mm" (save the document then). Raises StithyError."""
        from .kinds.moving import moved
        from .project import units

        name = self._named(layout)
        self.document = moved(self.document, name, names, units.vector(by, "length", 3)).apply(self.document)

    def arrange(self, names: Sequence[str], words: str, layout: str = "") -> list[str]:
        """Put parts in order (save the document then) as some words say: "align x low", "spread x", "on Board z+",
        "mirror x at 50 mm", "circle 6 z", "repeat 4 x 20, 0, 0 mm". Names of new rows. Raises StithyError."""
        from .kinds.arranging import by_words
        from .kinds.assembly import read_all
        from .project.reader import Reader

        name = self._named(layout)
        before = {r.name for r in self.document.rows_of(name)}
        model = read_all(Reader(self.document, name), name)
        self.document = by_words(self.document, name, model, names, words).apply(self.document)
        return [r.name for r in self.document.rows_of(name) if r.name not in before]

    def doubts(self, layout: str = "") -> tuple[Problem, ...]:
        """What of a layout is probably a wrong unit or a slip; nothing keeps it from being solved."""
        from .weigh.compare import standing

        return standing(self.document, self.folder, self._named(layout)).doubts

    def piece(self, layout: str = "", along: bool = False) -> tuple[str, str]:
        """Add a layout in which only the smallest piece that repeats is solved (save the document then): its name, and
        what was assumed; ``along`` the flow too: one period. Raises StithyError where there is none."""
        from .mesh.repeats import piece_of

        name, edit, assumed = piece_of(self.document, self._named(layout), along)
        self.document = edit.apply(self.document)
        return name, assumed

    def rows(self, wanted: str = "", layout: str = "") -> list[Row]:
        """Rows by words and values: "copper", "> 80 degC", "heat load > 2 W". Raises StithyError."""
        from .read.finding import found
        from .weigh.compare import standing

        name = self._named(layout)
        summary = standing(self.document, self.folder, name).summary or {"parts": {}}
        hottest = {n: p["max"] for n, p in summary["parts"].items()}
        return found(self.document.listed(name), wanted, hottest)

    def measure(self, names: Sequence[str], layout: str = "") -> list[Measured]:
        """Sizes, volume and surface of one part; distance and gap between two. Raises StithyError."""
        from .kinds.assembly import read_all
        from .project.reader import Reader
        from .read.measure import by_names

        name = self._named(layout)
        return by_names(read_all(Reader(self.document, name), name), names)

    def group(self, names: Sequence[str], name: str = "Group", layout: str = "") -> str:
        """Keep rows together under a heading of their own (save the document then): the group's name. Raises
        StithyError."""
        from .kinds.arranging import grouped
        from .project.edits import row_of

        for row in names:
            row_of(self.document, self._named(layout), row)
        name, edit = grouped(self.document, self._named(layout), names, name)
        self.document = edit.apply(self.document)
        return name

    def faces(self, of: str = "", layout: str = "") -> list[FaceRow]:
        """The faces of the imported solids of a layout (or of one of them), the largest first.

        Raises StithyError where there is no such solid.
        """
        from .kinds.face_list import face_list

        name = self._named(layout)
        return face_list(self.document, name, of)

    def contacts(self, layout: str = "") -> list[Pair]:
        """The pairs of parts of a layout that touch, the largest area first: by their true shapes, or by the grid
        where one of them is a bar, a tube, an outline or an enclosure's wall."""
        from .kinds.assembly import resolve
        from .mesh.build import build
        from .mesh.spaces import pairs
        from .mesh.touch import exact

        model = resolve(self.document, self._named(layout))
        found, told = exact(model)
        rest = [p for p in pairs(build(model)) if not {p.one, p.other} <= told]
        return sorted([*found, *rest], key=lambda p: -p.area)

    def leak(self, point: Sequence[float] | None = None, layout: str = "", past: Sequence[Leak] = ()) -> Leak | None:
        """The way fluid takes from a point (m) to the sides of the model, with its narrowest place; None where it is
        closed in. Without a point from behind the blanking plates, whichever leaks first. Through the narrowest places
        of ``past`` leaks none goes.

        Raises StithyError where the point lies in no fluid.
        """
        return next(self.leaks(point, layout, past), None)

    def leaks(
        self, point: Sequence[float] | None = None, layout: str = "", past: Sequence[Leak] = ()
    ) -> Iterator[Leak]:
        """Every leak as of :meth:`leak`, one after the other, each with those before stopped; at most
        :data:`MOST_LEAKS`. Raises StithyError."""
        from dataclasses import replace

        from .kinds.assembly import resolve
        from .mesh.build import build
        from .mesh.leak import behind, leak

        model = replace(resolve(self.document, self._named(layout)), left_out=())
        built, found = build(model), list(past)
        starts = behind(model, built) if point is None else [point]
        try:
            while len(found) - len(past) < MOST_LEAKS:
                one = next((x for p in starts if (x := leak(built, p, found)) is not None), None)
                if one is None:
                    return
                found.append(one)
                if not any(set(x.beside) == set(one.beside) and _together(x, one) for x in found[:-1]):
                    yield one
        except ValueError as error:
            where = ", ".join(f"{1e3 * x:.4g}" for x in point or ())
            raise StithyError(
                f"{where} mm lies in no fluid. Give a point inside the space that should be closed."
            ) from error

    def opening_at(self, leak: Leak, layout: str = "") -> Found | None:
        """The opening that is not closed in which a leak's narrowest place lies, or None: it is a gap."""
        for found in self.openings(layout):
            for rim in found.rims:
                off = sum((a - b) ** 2 for a, b in zip(rim.centre, leak.place, strict=True)) ** 0.5
                if not found.plate and off < 0.6 * rim.size[0] + leak.width:
                    return found
        return None

    def detail(self, name: str, die: float = 0.5, layout: str = "", only_here: bool = False) -> None:
        """Take a component apart into die, pad of the lead frame and body (save the document then); ``die``: of the
        body's lengths. Raises StithyError."""
        from .kinds.assembly import resolve
        from .kinds.detailed import detailed

        where = self._named(layout)
        edit = detailed(self.document, where, resolve(self.document, where), name, die, only_here)
        self.document = edit.apply(self.document)

    def duty(self, name: str, table: Path, layout: str = "") -> None:
        """A part's heat load in time from a file of comma-separated values (save the document then). Raises
        StithyError."""
        from .kinds.duty import filled, read_table

        text = read_table(Path(table))
        self.document = filled(self.document, self._named(layout), name, text, Path(table).name).apply(self.document)


def _together(a: Leak, b: Leak) -> bool:
    """Whether two leaks between the same parts are pieces of one."""
    apart = sum((x - y) ** 2 for x, y in zip(a.place, b.place, strict=True)) ** 0.5
    return bool(apart < 2.0 * max(a.width, b.width) or (len(a.beside) == 2 and 0.5 < a.width / b.width < 2.0))
