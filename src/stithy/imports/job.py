"""An import in a process of its own: progress, cancel, and a crash of the kernel that costs only that import."""

from __future__ import annotations

import multiprocessing
import re
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from multiprocessing.connection import Connection
from pathlib import Path

import numpy as np

from ..errors import FileProblem, StithyError
from ..kinds.body import BodyRow
from ..kinds.group import Group
from ..project import assets, edits
from ..project.assets import Body
from ..project.circuits import Circuit
from ..project.document import Document
from ..shapes import facets
from ..shapes.geometry import Mesh
from .circuit.read import is_board, read_board
from .circuit.rows import Came, took
from .step import read_step
from .triangles import UNITS, read_triangles

STEP, TRIANGLES = (".step", ".stp"), (".stl", ".obj", ".3mf", ".ply")


@dataclass(frozen=True)
class Said:
    """A message of the importer: what it does and how far it is (0 to 1)."""

    text: str
    share: float


class Importer:
    """One import under way; :meth:`messages` never blocks. ``unit`` is that of files that name none."""

    def __init__(self, path: Path, unit: str = "mm"):
        self.path = check(path, unit)
        self._conn, other = multiprocessing.Pipe()
        # not by multiprocessing's own start, which runs the caller's script anew in the other process
        work = f"from stithy.imports.job import serve_at; serve_at({other.fileno()}, {str(path)!r}, {unit!r})"
        self.process = subprocess.Popen(
            [sys.executable, "-c", work], pass_fds=[other.fileno()], stdin=subprocess.DEVNULL
        )
        other.close()
        self.bodies: list[Body] | None = None
        #: a board with its files, where it is one
        self.board: tuple[Circuit, list[Path]] | None = None
        self.error = ""

    @property
    def over(self) -> bool:
        """Whether it has come to its end, one way or the other."""
        return self.bodies is not None or self.board is not None or bool(self.error)

    def messages(self, wait: float = 0.0) -> list[Said]:
        """What it has said since the last call; ``bodies`` or ``error`` are there once it is over."""
        out: list[Said] = []
        try:
            while not self.over and self._conn.poll(wait):
                said = self._conn.recv()
                if isinstance(said, Said):
                    out.append(said)
                elif isinstance(said, str):
                    self.error = said
                elif isinstance(said, tuple):
                    self.board = said
                else:
                    self.bodies = said
        except (EOFError, OSError):
            self._end()
            self.error = (
                f"{self.path}: the importer ended by itself (exit code {self.process.returncode}). Nothing "
                "was changed; the file "
                "may be damaged: export it again, or in parts."
            )
        if self.over:
            self._end()
        return out

    def _end(self) -> None:
        """Let the process go; one that stays is ended."""
        try:
            self.process.wait(2)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
        self._conn.close()

    def cancel(self) -> None:
        """End it; nothing is changed."""
        self.process.kill()
        self._end()
        self.error = self.error or "The import was cancelled."


def check(path: Path, unit: str) -> Path:
    """Look at a file before anything is begun. Raises FileProblem."""
    if (path.is_dir() and is_board(path)) or (path.is_file() and is_board(path)):
        return path
    if not path.exists():
        raise FileProblem(f"{path}: cannot be read (there is no such file). Check that it is there.")
    if path.suffix.lower() not in STEP + TRIANGLES:
        raise FileProblem(
            f"{path}: is none of {', '.join(STEP + TRIANGLES)}, and no file of a board. Export the solids as one of "
            f"them, or a board's outline as .emn."
        )
    if unit not in UNITS:
        raise FileProblem(f"“{unit}” is no unit of a file. Choose one of {', '.join(UNITS)}.")
    try:
        size = path.stat().st_size
    except OSError as error:
        raise FileProblem(f"{path}: cannot be read ({error.strerror or error}). Check that it is there.") from error
    if size == 0 or size > assets.LARGEST:
        raise FileProblem(
            f"{path}: {'is empty' if not size else f'has {size / 1e9:.1f} GB, 2 GB can be taken in'}. Export it again"
            f"{'' if not size else ', in parts'}."
        )
    return path


def serve_at(number: int, path: str, unit: str) -> None:
    """:func:`serve` over a pipe that this process was started with."""
    conn = Connection(number)
    with suppress(OSError):  # nobody listens any more
        serve(conn, path, unit)
    conn.close()


def serve(conn, path: str, unit: str) -> None:
    """Body of the process. Never raises."""

    def tell(text: str, share: float) -> None:
        conn.send(Said(text, share))

    try:
        file = Path(path)
        if is_board(file):
            conn.send(read_board(file, tell))
        else:
            conn.send(read_step(file, tell) if file.suffix.lower() in STEP else read_triangles(file, unit, tell))
    except StithyError as error:
        conn.send(str(error))
    except MemoryError:
        conn.send(f"{path}: the machine has too little memory for it. Export it in parts.")
    except Exception as error:  # whatever the kernel meets must reach the user
        conn.send(f"{path}: cannot be taken in ({type(error).__name__}: {error}). Export it again, or in parts.")


#: part of its volume, or of its size, by which a solid of the same name is doubtful
OTHER = 0.2


@dataclass(frozen=True)
class Taken:
    """What an import came to: the ``edit`` that brings it into the document, the ``bodies`` of the file, and names of
    rows: ``kept`` from an earlier reading of a file of this name, ``new`` ones, and those whose solid is ``gone`` (they
    keep the shape they had); ``doubtful``: what is to be looked at of those kept, in words."""

    edit: edits.Edit
    bodies: tuple[Body, ...]
    kept: tuple[str, ...]
    new: tuple[str, ...]
    gone: tuple[str, ...]
    doubtful: tuple[str, ...] = ()

    @property
    def told(self) -> str:
        """In words."""
        said = (
            f"{len(self.new)} new"
            if self.kept or self.gone
            else f"{len(self.new)} bod{'y' if len(self.new) == 1 else 'ies'}"
        )
        if self.kept:
            said += f", {len(self.kept)} kept with their material, place and load"
        if self.gone:
            said += f", gone from the file: {', '.join(self.gone[:6])}{' …' if len(self.gone) > 6 else ''}"
        if self.doubtful:
            said += f"; look at {'; '.join(self.doubtful[:4])}{' …' if len(self.doubtful) > 4 else ''}"
        return said


def take_in(
    path: Path,
    project: Path,
    document: Document,
    layout: str,
    unit: str = "mm",
    tell: Callable[[Said], None] | None = None,
    instead: str = "",
) -> Taken:
    """Import a file of solids into a project, or read it again after a change. Raises FileProblem."""
    running = _heard(Importer(path, unit), tell)
    if running.bodies is None:
        raise FileProblem(running.error or f"{path}: is a board, and no solids.")
    return taken(running.path, running.bodies, project, document, layout, instead)


def take_board(
    path: Path,
    project: Path,
    document: Document,
    layout: str,
    tell: Callable[[Said], None] | None = None,
    replaces: str = "",
    only_here: bool = False,
) -> Came:
    """Import a board from its files, in the place of the board row ``replaces`` where one is named. Raises
    StithyError."""
    running = _heard(Importer(path), tell)
    if running.board is None:
        raise FileProblem(running.error or f"{path}: holds solids, and no board.")
    return took(running.path, *running.board, project, document, layout, replaces, only_here)


def _heard(running: Importer, tell: Callable[[Said], None] | None) -> Importer:
    """An import followed to its end."""
    while not running.over:
        for said in running.messages(0.1):
            if tell:
                tell(said)
    return running


def taken(path: Path, bodies: list[Body], project: Path, document: Document, layout: str, instead: str = "") -> Taken:
    """Keep a file and its bodies in the project, and make rows of them: those of an earlier reading of a file of this
    name (or of the file of the row ``instead``) stay, by the name of their solid, and take the new shape; the only
    solid of a file takes the place of the only one. Raises FileProblem."""
    name = assets.keep(project, path, bodies)
    stem, end = name[: -len(path.suffix) - 9], path.suffix.lower()
    before = re.compile(re.escape(stem) + r" [0-9a-f]{8}" + re.escape(end))
    old = next((r.text("file") for r in document.rows if r.name == instead), "")
    rows = [
        r
        for r in document.rows
        if r.kind == "body"
        and r.text("file") != name
        and (r.text("file") == old if old else before.fullmatch(r.text("file")))
    ]
    known, found = {r.text("solid") for r in rows}, {b.name: b for b in bodies}
    kept = [r.name for r in rows if r.text("solid") in found]
    todo = [edits.set_cell(layout, row, "file", name) for row in kept]
    new: list[str] = []
    renamed, doubtful = _compared(rows, found)
    if len(rows) == len(bodies) == 1 and not kept and not renamed:
        renamed[rows[0].name] = bodies[0].name
    for row, solid in renamed.items():
        todo += [edits.set_cell(layout, row, "file", name), edits.set_cell(layout, row, "solid", solid)]
    kept += list(renamed)
    gone = [r.name for r in rows if r.name not in kept]
    together: dict[str, list[str]] = {}
    for body in (b for b in bodies if b.name not in known and b.name not in renamed.values()):
        wanted = edits.free_name(document, body.name, new)
        new.append(wanted)
        todo.append(edits.add_row(layout, BodyRow(name=wanted, file=name, solid=body.name)))
        if body.path:
            together.setdefault(body.path[-1], []).append(wanted)
    for title, members in together.items():
        if 1 < len(members) < len(new):  # an assembly within the file, and not the whole of it
            group = Group(name=edits.free_name(document, title[:50], new), of="; ".join(members))
            todo.append(edits.add_row(layout, group))
    edit = edits.many(f"{'read again' if rows else 'import'} {path.name}", todo)
    return Taken(edit, tuple(bodies), tuple(kept), tuple(new), tuple(gone), tuple(doubtful))


def _compared(rows: list, found: dict[str, Body]) -> tuple[dict[str, str], list[str]]:
    """Rows whose solid is no more in the file, but one of the same shape in the same place by another name (row ->
    solid); and, in words, what is doubtful: these, and solids of the same name that are far from what they were."""
    renamed: dict[str, str] = {}
    doubtful = []
    for row in rows:
        old = (assets.bodies(row.text("file")) or {}).get(row.text("solid"))
        if old is None:
            continue
        was = _signature(old)
        new = found.get(row.text("solid"))
        if new is not None:
            now = _signature(new)
            size = abs(now[0] / was[0] - 1) if was[0] else 0.0
            apart = float(np.abs(now[1:4] - was[1:4]).max() / max(was[4:].max(), 1e-12))
            if size > OTHER or apart > OTHER:
                what = f"{100 * (now[0] / was[0] - 1):+.0f} % volume" if size > OTHER else "another place"
                doubtful.append(f"{row.name} ({what})")
            continue
        for name, body in found.items():
            if name not in renamed.values() and np.allclose(_signature(body), was, rtol=1e-3, atol=1e-7):
                renamed[row.name] = name
                doubtful.append(f"{row.name} (“{name}” in the file now)")
                break
    return renamed, doubtful


def _signature(body: Body) -> np.ndarray:
    """Volume (m3), middle and lengths (m) of a body."""
    low, high = body.points.min(axis=0), body.points.max(axis=0)
    volume = facets.volume(Mesh("", 0, body.points, body.triangles, body.faces))
    return np.array([volume, *(0.5 * (low + high)), *(high - low)])
