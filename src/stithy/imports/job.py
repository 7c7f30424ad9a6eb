"""An import in a process of its own: progress, cancel, and a crash of the kernel that costs only that import."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ..errors import FileProblem, StithyError
from ..kinds.body import BodyRow
from ..project import assets, edits
from ..project.assets import Body
from ..project.document import Document
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
        context = multiprocessing.get_context("spawn")
        self._conn, other = context.Pipe()
        self.process = context.Process(target=serve, args=(other, str(path), unit), daemon=True)
        self.process.start()
        other.close()
        self.bodies: list[Body] | None = None
        self.error = ""

    @property
    def over(self) -> bool:
        """Whether it has come to its end, one way or the other."""
        return self.bodies is not None or bool(self.error)

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
                else:
                    self.bodies = said
        except (EOFError, OSError):
            self.process.join(1)
            self.error = (
                f"{self.path}: the importer ended by itself (exit code {self.process.exitcode}). Nothing was changed; "
                "the file "
                "may be damaged: export it again, or in parts."
            )
        return out

    def cancel(self) -> None:
        """End it; nothing is changed."""
        self.process.kill()
        self.process.join(2)
        self.error = self.error or "The import was cancelled."


def check(path: Path, unit: str) -> Path:
    """Look at a file before anything is begun. Raises FileProblem."""
    if path.suffix.lower() not in STEP + TRIANGLES:
        raise FileProblem(f"{path}: is none of {', '.join(STEP + TRIANGLES)}. Export the solids as one of them.")
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


def serve(conn, path: str, unit: str) -> None:
    """Body of the process. Never raises."""

    def tell(text: str, share: float) -> None:
        conn.send(Said(text, share))

    try:
        file = Path(path)
        conn.send(read_step(file, tell) if file.suffix.lower() in STEP else read_triangles(file, unit, tell))
    except StithyError as error:
        conn.send(str(error))
    except MemoryError:
        conn.send(f"{path}: the machine has too little memory for it. Export it in parts.")
    except Exception as error:  # whatever the kernel meets must reach the user
        conn.send(f"{path}: cannot be taken in ({type(error).__name__}: {error}). Export it again, or in parts.")


def take_in(
    path: Path,
    project: Path,
    document: Document,
    layout: str,
    unit: str = "mm",
    tell: Callable[[Said], None] | None = None,
) -> tuple[edits.Edit, list[Body]]:
    """Import a file into a project: the edit that adds its bodies as rows, and the bodies. Raises FileProblem."""
    running = Importer(path, unit)
    while not running.over:
        for said in running.messages(0.1):
            if tell:
                tell(said)
    if running.bodies is None:
        raise FileProblem(running.error)
    return rows_of(running.path, running.bodies, project, document, layout), running.bodies


def rows_of(path: Path, bodies: list[Body], project: Path, document: Document, layout: str) -> edits.Edit:
    """Keep a file and its bodies in the project; the edit that adds a row for each. Raises FileProblem."""
    name = assets.keep(project, path, bodies)
    taken, adds = set(), []
    for body in bodies:
        wanted = edits.free_name(document, body.name)
        while wanted in taken:
            wanted += " copy"
        taken.add(wanted)
        adds.append(edits.add_row(layout, BodyRow(name=wanted, file=name, solid=body.name)))
    return edits.many(f"import {path.name}", adds)
