"""One point of a study as a message, and its answer: a worker needs nothing but the package and the message."""

from __future__ import annotations

import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

from ..errors import SetupError, StithyError
from ..kinds.assembly import resolve
from ..model.mass import mass
from ..project import assets
from ..project.document import Document
from ..solution.packing import packed, unpacked
from ..solve.job import Job
from .watched import worked


@dataclass(frozen=True)
class Task:
    """A layout of a document (as plain values) to be solved. ``files``: assets by name; ``start``: :func:`packed`
    fields of a point that is near, or nothing; ``finer``:
    times the cells along every stretch."""

    document: dict
    layout: str
    files: tuple[tuple[str, bytes], ...] = ()
    start: bytes = b""
    finer: float = 1.0


@dataclass(frozen=True)
class Answer:
    """What became of a point: its model's ``key``, ``summary`` and ``watches`` (as they are kept), ``mass`` kg,
    ``fields`` to start others from; or a ``fault`` in words."""

    key: str
    summary: dict = field(default_factory=dict)
    watches: dict = field(default_factory=dict)
    mass: float = 0.0
    fields: bytes = b""
    seconds: float = 0.0
    fault: str = ""


def work(task: Task) -> Answer:
    """Solve it. Whatever goes wrong with the model is in the answer; the worker goes on."""
    began, key = time.perf_counter(), ""
    with tempfile.TemporaryDirectory(prefix="stithy-") as place:
        folder = Path(place)
        (folder / assets.FOLDER).mkdir()
        for name, data in task.files:
            (folder / assets.FOLDER / Path(name).name).write_bytes(data)
        assets.know(folder)
        try:
            document = Document.model_validate(task.document)
            key = resolve(document, task.layout).key()
            given = unpacked(task.start) if task.start else None
            job = Job(document, task.layout, None, given=given, finer=task.finer)
            key = job.key
            solution = job.run()
            return Answer(
                key,
                solution.summary,
                worked(document, task.layout, solution),
                mass(job.model),
                packed(solution),
                time.perf_counter() - began,
            )
        except SetupError as error:
            return Answer(key, fault=str(error.problems[0]))
        except StithyError as error:
            return Answer(key, fault=str(error))
        except MemoryError:
            return Answer(key, fault="The machine has too little memory for this grid.")
        except ArithmeticError as error:  # of a model that no rule foresaw: one point is lost, not the study
            return Answer(key, fault=f"The solver met an unexpected fault: {type(error).__name__}: {error}.")
        finally:
            assets.forget(folder)


def files_of(document: Document, layout: str) -> tuple[tuple[str, bytes], ...]:
    """The assets that a layout names, with what was read from them."""
    named = {r.text(key) for r in document.rows_of(layout) for key in ("file", "measured")} - {""}
    out = []
    for name in sorted(named):
        path = assets.find(name)
        if path is None:
            continue
        for end in ("", *assets.READINGS):
            at = path.with_name(path.name + end)
            if at.is_file():
                out.append((at.name, at.read_bytes()))
    return tuple(out)
