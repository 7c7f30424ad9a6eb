"""What is open: document, layout, stage, selection, results and runs. Observable, and free of Qt."""
from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from threading import Thread

from ..errors import StithyError
from ..project import edits, files
from ..project.document import Document
from ..project.edits import Edit, History
from ..read import store
from ..shapes import assembly
from ..solve.worker import Handle
from ..weigh.compare import Standing, standing, weigh

STAGES = ("Shape", "Load", "Grid", "Run", "Read", "Weigh")


class Session:
    """One open project. Observers registered by :meth:`on` hear "document", "layout", "stage", "selection", "results",
    "run" (a run began, reported or ended) or "saved", and only when something changed."""

    def __init__(self, document: Document, folder: Path | None):
        self.history = History(document)
        self.folder = folder
        self.layout = document.layouts[0].name
        self.stage = "Shape"
        self.selected: tuple[str, ...] = ()
        self.only_here = False
        self.compared = ""
        self.run: Handle | None = None
        self.run_state: dict = {}
        self._arriving: list | None = None
        self._observers: list[tuple[str, Callable[[], None]]] = []
        self._standings: dict[str, Standing] = {}
        self._results: dict[str, store.Result | None] = {}

    @property
    def document(self) -> Document:
        """The document as it is now."""
        return self.history.document

    def on(self, event: str, hear: Callable[[], None]) -> None:
        """Call ``hear`` whenever ``event`` happens."""
        self._observers.append((event, hear))

    def tell(self, event: str) -> None:
        """Tell everybody who listens to ``event``."""
        for name, hear in list(self._observers):
            if name == event:
                hear()

    def do(self, edit: Edit) -> None:
        """Apply an edit; raises StithyError when it is refused, with nothing changed."""
        if self.history.do(edit):
            self._document_changed()

    def set_cell(self, row: str, key: str, text: str) -> None:
        """Change one cell; see :meth:`set_cells`."""
        self.set_cells((row,), key, text)

    def set_cells(self, rows: tuple[str, ...], key: str, text: str) -> None:
        """Change one cell of several rows as one step. Text that cannot be read is refused, changing nothing: raises
        StithyError naming row, cell and remedy."""
        self.change([(row, key, text) for row in rows], f"change {key} of {len(rows)} rows")

    def change(self, cells: list[tuple[str, str, str]], label: str) -> None:
        """Change (row, cell, text), all of them as one step; refused as :meth:`set_cells`."""
        sets = [edits.set_cell(self.layout, *cell, self.only_here) for cell in cells]
        edit = sets[0] if len(sets) == 1 else edits.many(label, sets)
        trial = edit.apply(self.document)
        names = {row: text.strip() for row, key, text in cells if key == "name"}
        before, after = (assembly.cell_faults(d, self.layout) for d in (self.document, trial))
        for row, key, _ in cells:
            fault = after.get((names.get(row, row), key))
            if fault and fault != before.get((row, key)):
                raise StithyError(str(fault))
        chosen = tuple(names.get(n, n) for n in self.selected)
        self.do(edit)
        if chosen != self.selected:
            self.select(chosen)

    def undo(self) -> str:
        """Undo one edit; its label."""
        label = self.history.undo()
        if label:
            self._document_changed()
        return label

    def redo(self) -> str:
        """Redo one edit; its label."""
        label = self.history.redo()
        if label:
            self._document_changed()
        return label

    def _document_changed(self):
        if all(x.name != self.layout for x in self.document.layouts):
            self.layout = self.document.layouts[0].name
            self.tell("layout")
        self._standings.clear()
        known = {r.name for r in self.document.rows_of(self.layout)}
        self.selected = tuple(n for n in self.selected if n in known)
        self.tell("document")

    def choose_layout(self, name: str) -> None:
        """Make a layout the one that is shown and edited."""
        if name != self.layout:
            self.layout = name
            self._document_changed()
            self.tell("layout")

    def choose_stage(self, stage: str) -> None:
        """Go to a stage."""
        if stage != self.stage:
            self.stage = stage
            self.tell("stage")

    def select(self, rows: tuple[str, ...]) -> None:
        """Select rows by name."""
        if rows != self.selected:
            self.selected = rows
            self.tell("selection")

    def standing(self, layout: str = "") -> Standing:
        """How a layout stands (kept until the document or its result changes)."""
        layout = layout or self.layout
        if layout not in self._standings:
            self._standings[layout] = standing(self.document, self.folder, layout)
        return self._standings[layout]

    def ranking(self) -> list[Standing]:
        """All layouts, best first."""
        return weigh(self.document, self.folder)

    def result(self, layout: str = "") -> store.Result | None:
        """The stored result of a layout (loaded once)."""
        layout = layout or self.layout
        if layout not in self._results:
            self._results[layout] = store.load(self.folder, layout) if self.folder else None
        return self._results[layout]

    def fetch_result(self) -> None:
        """Read the shown layout's result beside the window, so that it is there when a stage asks for it."""
        layout, folder = self.layout, self.folder

        def read() -> None:
            try:
                result = store.load(folder, layout)
            except Exception:  # the window reads it again and says what is wrong
                return
            if self.folder == folder and layout not in self._results and self.run is None:
                self._results[layout] = result

        if folder is not None and layout not in self._results:
            Thread(target=read, daemon=True).start()

    def problems(self) -> tuple:
        """Everything to settle in the shown layout."""
        return self.standing().problems

    def save(self, folder: Path | None = None) -> Path:
        """Save, to ``folder`` when given. Raises FileProblem."""
        target = folder or self.folder
        if target is None:
            raise files.FileProblem("The project has no folder yet. Choose one.")
        files.save(self.document, target)
        if folder is not None and folder != self.folder:
            if self.folder is None:
                files.discard_autosave(files.scratch())
            self.folder = folder
            self._results.clear()
            self._standings.clear()
        self.history.saved = self.document
        self.tell("saved")
        return target

    def autosave(self) -> None:
        """Keep unsaved changes beside the project (of a new one, in the user's state folder); nothing without a change."""
        if self.history.dirty:
            files.autosave(self.document, self.folder or files.scratch())

    def start_run(self, fresh: bool = False) -> None:
        """Start solving the shown layout. Raises StithyError when a run is on or there is no folder."""
        if self.run is not None:
            raise StithyError("A run is on. Stop it first, or wait for it.")
        if self.folder is None:
            raise StithyError("Save the project first, so that its results have a place.")
        self.run = Handle(self.document, self.layout, self.folder, fresh)
        self.run_state = {"layout": self.layout, "text": "Starting the solver", "history": [], "watches": [], "over": ""}
        self.tell("run")

    def poll_run(self) -> None:
        """Take in what the solver has sent; to be called a few times a second while a run is on."""
        if self.run is None:
            return
        if self._arriving is not None:
            if self._arriving:
                self._take_result()
                self.tell("run")
            return
        heard = self.run.messages()
        for word, *rest in heard:
            self._hear(word, rest[0])
        if heard:
            self.tell("run")

    def _hear(self, word: str, what) -> None:
        state = self.run_state
        if word == "preparing":
            state["text"] = what
        elif word == "started":
            state.update(what, text="Continuing from the last field" if what["continued"] else "Solving from rest")
        elif word == "progress":
            state["history"].append(what)
        elif word == "snapshot":
            state["snapshot"] = what["temperature"]
        elif word == "place":
            state["place"] = what
        elif word == "result":
            state["result"] = what
        else:
            done = {"finished": "finished", "failed": "failed", "problems": "refused"}[word]
            state["over"] = done
            if word == "finished":
                state["text"] = "Settled" if what["settled"] else "Stopped before it settled; kept"
            else:
                state["text"] = what if word == "failed" else "\n".join(map(str, what))
            # the process ends and the result is read beside the window, not in its time
            over, layout = self.run, state["layout"]
            sent = state.pop("result", None)
            self._arriving = []
            Thread(target=self._fetch, args=(over, layout, self.document, self.folder, sent, self._arriving), daemon=True).start()

    @staticmethod
    def _fetch(over: Handle, layout: str, document: Document, folder: Path, sent, into: list) -> None:
        over.process.join(5)
        try:
            result = sent if sent is not None else store.load(folder, layout)
            stands = standing(document, folder, layout)
            stands.size  # noqa: B018  worked out here, not in the window's time
        except Exception:  # the window reads it again and says what is wrong
            result = stands = None
        into.append((result, document, stands))

    def _take_result(self) -> None:
        """Show a result that has been read meanwhile."""
        layout, (result, document, stands) = self.run_state["layout"], self._arriving[0]
        self._arriving = self.run = None
        self._results.pop(layout, None)
        self._standings.pop(layout, None)
        if result is not None:
            self._results[layout] = result
        if stands is not None and document is self.document:
            self._standings[layout] = stands
        self.tell("results")

    def stop_run(self) -> None:
        """Stop the run and keep what there is."""
        if self.run is not None:
            self.run.stop()
            self.run_state["text"] = "Stopping; closing the balances"
            self.tell("run")
