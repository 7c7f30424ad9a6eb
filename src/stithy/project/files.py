"""Opening and saving projects: a folder with project.json; refused files change nothing, saves are atomic."""

from __future__ import annotations

import json
import logging
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import platformdirs
from pydantic import ValidationError

from ..errors import FileProblem
from .document import FORMAT, VERSION, Document

LOG = logging.getLogger(__name__)
#: called with the folder of every project that is read
OPENED: list[Callable[[Path], None]] = []
NAME, AUTOSAVE = "project.json", ".autosave.json"


def project_file(path: str | Path) -> Path:
    """The project.json meant by ``path`` (a folder or the file itself)."""
    path = Path(path).expanduser()
    return path / NAME if path.is_dir() or path.suffix != ".json" else path


def write_atomic(path: Path, data: bytes) -> None:
    """Write ``data`` so that ``path`` holds either the old content or the new, whole. Raises FileProblem."""
    temporary = None
    try:
        path = path.resolve()  # a link stays, and what it leads to is written
        path.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=".stithy-", delete=False) as file:
            temporary = Path(file.name)
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask())
        os.replace(temporary, path)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise FileProblem(
            f"{path}: not saved, {error.strerror or error}. The file before is untouched. "
            "Free some space or choose another folder, then save again."
        ) from error


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def to_text(document: Document) -> str:
    """The document as JSON; cells at their defaults are written too, so a file explains itself."""
    return json.dumps(document.model_dump(mode="json"), indent=1, ensure_ascii=False) + "\n"


def save(document: Document, path: str | Path) -> Path:
    """Save atomically; returns the file written and removes the autosave beside it. Raises FileProblem."""
    file = project_file(path)
    write_atomic(file, to_text(document).encode())
    (file.parent / AUTOSAVE).unlink(missing_ok=True)
    LOG.info("saved %s", file)
    return file


def read(path: str | Path) -> Document:
    """Read a project. Raises FileProblem that says what is wrong, where, and what to do."""
    return read_telling(path)[0]


def read_telling(path: str | Path) -> tuple[Document, list[str]]:
    """Read a project, and sentences on what an earlier version wrote otherwise and how it is taken now. Raises
    FileProblem."""
    file = project_file(path)
    try:
        data = json.loads(file.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise FileProblem(f"{file}: there is no such project. Check the folder's name.") from error
    except json.JSONDecodeError as error:
        raise FileProblem(
            f"{file}: line {error.lineno}, column {error.colno}: {error.msg}. The file is damaged; "
            "restore it from a copy."
        ) from error
    except (OSError, UnicodeDecodeError) as error:
        raise FileProblem(f"{file}: cannot be read ({error}). Check that it is a project and may be read.") from error
    except RecursionError as error:
        raise FileProblem(
            f"{file}: its brackets are nested too deeply to be a project. Restore it from a copy."
        ) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise FileProblem(f"{file}: this is no Stithy project (its “format” is not “{FORMAT}”). Open another file.")
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version > VERSION:
        raise FileProblem(
            f"{file}: written by a newer Stithy (file version {version}, this program reads {VERSION}). "
            "Update Stithy, then open it again."
        )
    try:
        new, notes = _brought_up(data)
        document = Document.model_validate(new)
    except ValidationError as error:
        raise FileProblem(f"{file}: {_first(error, data)}") from error
    for hear in OPENED:
        hear(file.parent)
    return document, notes


#: what grid rows held before they had a detail: cells at these values were left to the program, others were chosen
_OLD_GRID = {"coarsest": "6 mm", "across_gaps": "3", "across_solids": "1", "growth": "1.4", "at_walls": ""}


def _brought_up(data: dict) -> tuple[dict, list[str]]:
    """A project as earlier versions wrote it, in today's words, and what was changed: a grid row that was never touched
    goes by detail, any other stays; limits are watches with a bound."""
    notes: list[str] = []

    def row(r):
        if isinstance(r, dict) and r.get("kind") == "limit":
            return _bounded(r, notes)
        if not (isinstance(r, dict) and r.get("kind") == "grid") or "detail" in r:
            return r
        was = _OLD_GRID | r
        if all(was[k] == v for k, v in _OLD_GRID.items()):
            notes.append(f"“{r.get('name')}” was never touched: the grid goes by detail now, standard.")
            return {k: v for k, v in r.items() if k not in _OLD_GRID} | {"detail": "standard"}
        notes.append(f"“{r.get('name')}” keeps what it said; its empty cells go by detail now, standard.")
        return was | {"detail": "standard", "at_walls": was["at_walls"] or "0 mm"}

    if not isinstance(data.get("rows"), list):
        return data, notes
    limits = {r.get("name"): r for r in data["rows"] if isinstance(r, dict) and r.get("kind") == "limit"}
    new = data | {"rows": [row(r) for r in data["rows"]]}
    if isinstance(data.get("layouts"), list):
        new["layouts"] = [_layout_brought_up(x, row, limits) for x in data["layouts"]]
    return new, notes


def _layout_brought_up(layout: Any, row: Callable[[Any], Any], limits: dict) -> Any:
    """A layout with its added rows, and what it changes of limits, in today's words."""
    if not isinstance(layout, dict):
        return layout
    new = dict(layout)
    if isinstance(layout.get("add"), list):
        new["add"] = [row(r) for r in layout["add"]]
    if limits and isinstance(layout.get("changes"), dict):
        new["changes"] = {
            name: _bounded(limits[name] | cells, [], cells) if name in limits and isinstance(cells, dict) else cells
            for name, cells in layout["changes"].items()
        }
    return new


def _bounded(r: dict, notes: list[str], only: dict | None = None) -> dict:
    """A limit as earlier versions wrote it, as a watch with a bound; of the cells ``only`` where a layout changes no
    more than these."""
    ends = [str(r.get(k, "")).strip() for k in ("of", "to")]
    quantity = str(r.get("quantity", "pressure drop"))
    of = "; ".join(x for x in ends if x) if quantity == "pressure drop" else ends[0]
    cells = {"quantity": quantity, "of": of, "most": r.get("most", "20 Pa")}
    if only is not None:
        touched = {"of" if k == "to" else k for k in only} | ({"of"} if "quantity" in only else set())
        return {k: v for k, v in cells.items() if k in touched}
    notes.append(f"“{r.get('name')}” was a limit: it is a watch with a bound now, of the same number.")
    return {"name": r.get("name"), "kind": "watch", **cells}


def _first(error: ValidationError, data: dict) -> str:
    """The first fault in words: row, cell and remedy."""
    fault = error.errors()[0]
    place, here = [], data
    for step in fault["loc"]:
        try:
            here = here[step]
        except (KeyError, IndexError, TypeError):
            if isinstance(step, str):
                place.append(step)
            continue
        place.append(here["name"] if isinstance(here, dict) and isinstance(here.get("name"), str) else str(step))
    more = len(error.errors()) - 1
    tail = f" ({more} more)" if more else ""
    where = ", ".join(place) or "the whole file"
    return f"{where}: {fault['msg']}.{tail} Correct it in the file; docs/project-file.md lists what may stand there."


def state_folder() -> Path:
    """Where the program keeps what is not a project's: unsaved work and its log."""
    return platformdirs.user_state_path("stithy")


def scratch() -> Path:
    """Where unsaved work of a project without a folder is kept."""
    return state_folder() / "new-project"


def autosave(document: Document, path: str | Path) -> None:
    """Keep unsaved work beside the project."""
    write_atomic(project_file(path).parent / AUTOSAVE, to_text(document).encode())


def recoverable(path: str | Path) -> Document | None:
    """Work an earlier session left unsaved, if it is newer than the project and can be read."""
    file = project_file(path)
    kept = file.parent / AUTOSAVE
    try:
        if kept.exists() and (not file.exists() or kept.stat().st_mtime >= file.stat().st_mtime):
            return read(kept)
    except FileProblem:
        return None
    return None


def discard_autosave(path: str | Path) -> None:
    """Forget the unsaved work of an earlier session."""
    (project_file(path).parent / AUTOSAVE).unlink(missing_ok=True)


def json_schema() -> str:
    """The JSON Schema of project.json."""
    return json.dumps(Document.model_json_schema(), indent=1)
