"""What is open: document, layout, stage, selection, results and runs. Observable, and free of Qt."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from queue import SimpleQueue
from threading import Thread

from psygnal import EmitLoopError, Signal, SignalGroup

from ..errors import StithyError
from ..kinds import assembly, drawing
from ..mesh.leak import Leak
from ..mesh.openings import Found
from ..project import assets, edits, files, recent
from ..project.document import Document
from ..project.edits import Edit, History
from ..solution import store
from ..solution.solution import Solution
from ..solve.worker import Handle
from ..weigh.compare import Standing, ranked, standing
from . import queueing
from .foretelling import Foretelling
from .picture import Picture
from .pointing import Pointing
from .run_state import RunState
from .running import Running
from .study_work import Told
from .studying import Studying

#: seconds the window waits for how other layouts stand; results kept in memory
PATIENCE, MOST_RESULTS = 0.05, 8
STAGES = ("Shape", "Load", "Grid", "Run", "Read", "Weigh")


class SessionEvents(SignalGroup):
    """What observers of a session can hear."""

    document = Signal()
    layout = Signal()
    stage = Signal()
    selection = Signal()
    results = Signal()
    run = Signal()
    standings = Signal()
    saved = Signal()
    sight = Signal()
    trial = Signal()
    measured = Signal()
    point = Signal()
    estimates = Signal()
    studies = Signal()
    table = Signal()


class Session(Pointing, Running, Studying):
    """One open project. Observers registered by :meth:`on` hear "document", "layout", "stage", "selection", "results",
    "run" (a run began, reported or ended), "standings" (how other layouts stand has been worked out), "studies" (a
    study began, told or ended), "table" (that of all layouts and points is new) or "saved", and only when something
    changed."""

    def __init__(self, document: Document, folder: Path | None):
        self.history = History(drawing.begun(document))
        self.picture = Picture(self)
        self.folder = folder
        self.layout = document.layouts[0].name
        self.stage = "Shape"
        self.selected: tuple[str, ...] = ()
        self.only_here = False
        self.compared = ""
        #: layouts beside the shown and the compared one, and whether their difference is shown
        self.more: tuple[str, ...] = ()
        self.difference = False
        self.run: Handle | None = None
        self.queue, self.queued, self.paused = [], [], False
        self.at_once, self.beside, self.anew = 1, [], ""
        self.work, self.told, self.ended = None, Told(""), None
        self.table, self._table_of, self._table_new = None, (), []
        #: the leak that is drawn, if any
        self.leak: Leak | None = None
        #: the clicked face of an imported solid: its row's name and the face's number
        self.face: tuple[str, int] | None = None
        #: whether it lies behind something, so that solids are seen through
        self.face_hidden = False
        #: faces that are shown: the solid's row, and what a group's row would say of them
        self.faces: tuple[str, str] = ("", "")
        #: grid and cells of the fluid space that is shown, if any
        self.space: tuple | None = None
        #: openings of solids, as they were found last
        self.mouths: tuple[Found, ...] = ()
        #: the opening it leads through, where it is one that could be closed
        self.leak_opening: Found | None = None
        #: cells (row, key) that are to be filled in first, of a model that was just started from
        self.first: tuple[tuple[str, str], ...] = ()
        #: step (m) that dragged parts go in, 0: none; a cut through the model: axis, place (m), side that is kept
        self.snap = 0.5e-3
        self.cut: tuple[int, float, float] | None = None
        #: whether clicks measure, what was measured, and whether something stands beside the model for scale
        self.measuring = self.scaled = False
        self.measured: tuple = ()
        #: whether faces show what holds there, and the board and layer of copper that is shown
        self.roles = False
        self.copper: tuple[str, int] | None = None
        self.run_state = RunState()
        self._arriving: list | None = None
        self.events = SessionEvents()
        self.foretelling = Foretelling(self)
        self._standings: dict[str, Standing] = {}
        self._before: dict[str, Standing] = {}
        self._spent = 0.0
        self._looked: SimpleQueue = SimpleQueue()
        self._looking: set[str] = set()
        self._results: dict[tuple[str, str], Solution | None] = {}
        #: what was brought up from an earlier version when the project was opened
        self.brought_up: list[str] = []
        if folder is not None:
            self._open_results(folder)
            self.queue = queueing.kept(folder, [x.name for x in document.layouts])
            self.paused = bool(self.queue)

    def _open_results(self, folder: Path) -> None:
        """Take over results of earlier versions, and forget those of layouts that are gone."""
        names = [x.name for x in self.document.layouts]
        taken = store.take_over(folder, names)
        if taken:
            self.brought_up.append(
                f"{taken} result{'s' if taken > 1 else ''} of an earlier version kept, and shown as out of date."
            )
        kept = files.recoverable(folder)
        store.kept_for(folder, [*names, *(x.name for x in (kept.layouts if kept else ()))])

    @property
    def document(self) -> Document:
        """The document as it is now."""
        return self.history.document

    def on(self, event: str, hear: Callable[[], None]) -> None:
        """Call ``hear`` whenever ``event`` happens."""
        self.events[event].connect(hear, check_nargs=False)

    def tell(self, event: str) -> None:
        """Tell everybody who listens to ``event``. What an observer raises comes back as it is."""
        try:
            self.events[event].emit()
        except EmitLoopError as error:
            raise (error.__cause__ or error) from None

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

    def would_read(self, row: str, key: str, text: str) -> None:
        """Raises StithyError, naming row, cell and remedy, where a cell could not say ``text``."""
        trial = edits.set_cell(self.layout, row, key, text).apply(self.document)
        fault = assembly.cell_faults(trial, self.layout).get((row, key))
        if fault is not None:
            raise StithyError(str(fault))

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
        names = [x.name for x in self.document.layouts]
        if self.layout not in names:
            self.layout = names[0]
            self.tell("layout")
        self.compared = self.compared if self.compared in names else ""
        self.more = tuple(n for n in self.more if n in names)
        if set(self.queue) - set(names):
            self.set_queue([n for n in self.queue if n in names])
        self._forget_standings()
        self._select_known()
        self.tell("document")

    def _forget_standings(self) -> None:
        self._before |= self._standings
        self._standings.clear()
        self._looking.clear()
        self._spent = 0.0

    def _select_known(self) -> None:
        """Leave rows out of the selection that the shown layout has not."""
        known = {r.name for r in self.document.rows_of(self.layout)}
        self.selected = tuple(n for n in self.selected if n in known)

    def choose_layout(self, name: str) -> None:
        """Make a layout the one that is shown and edited."""
        if name != self.layout:
            self.layout = name
            before = self.selected
            self._select_known()
            self.tell("layout")
            if self.selected != before:
                self.tell("selection")

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

    @property
    def parts(self) -> tuple[str, ...]:
        """Selected rows without groups, which are no part of the model."""
        groups = {r.name for r in self.document.rows_of(self.layout) if r.kind == "group"}
        return tuple(n for n in self.selected if n not in groups)

    def standing(self, layout: str = "") -> Standing:
        """How a layout stands (kept until the document or its result changes)."""
        layout = layout or self.layout
        if layout not in self._standings:
            self._standings[layout] = standing(self.document, self.folder, layout)
        return self._standings[layout]

    def peek(self, layout: str) -> Standing:
        """How a layout stands; where that takes longer than the window may wait, how it stood before, while it is
        worked out beside it.

        "standings" is told when it has been; see :meth:`poll`.
        """
        if layout in self._standings or layout == self.layout or self._spent < PATIENCE or layout not in self._before:
            began = time.perf_counter()
            found = self.standing(layout)
            self._spent += time.perf_counter() - began
            return found
        if layout not in self._looking:
            if not self._looking:
                Thread(target=self._look, args=(self.document, self.folder), daemon=True).start()
            self._looking.add(layout)
        return self._before[layout]

    def _look(self, document: Document, folder: Path | None) -> None:
        """Work out beside the window how all layouts of a document stand, as long as it is the one that is shown."""
        for layout in document.layouts:
            if document is not self.document:
                return
            found = self._standings.get(layout.name)
            if found is None:
                found = standing(document, folder, layout.name)
                self._looked.put((document, found))
            time.sleep(0.005)  # the window comes first

    @property
    def looking(self) -> bool:
        """Whether layouts are being looked at beside the window."""
        return bool(self._looking)

    def poll(self) -> None:
        """Take in what has been worked out beside the window."""
        came = False
        while not self._looked.empty():
            document, found = self._looked.get()
            if document is self.document:
                self._standings.setdefault(found.layout, found)
                self._looking.discard(found.layout)
                came = True
        if came:
            self.tell("standings")

    def ranking(self) -> list[Standing]:
        """All layouts, best first; see :meth:`peek`."""
        return ranked([self.peek(x.name) for x in self.document.layouts])

    def key_of(self, layout: str) -> str:
        """Key of a layout's model as it is now; "" where it has problems."""
        model = self.standing(layout).model
        return model.key() if model is not None and not self.standing(layout).problems else ""

    def result(self, layout: str = "") -> Solution | None:
        """The stored result of a layout, of its model as it is now or else its newest (loaded once)."""
        layout = layout or self.layout
        at = layout, self.key_of(layout)
        if at not in self._results:
            self._keep(at, store.load(self.folder, *at) if self.folder else None)
        return self._results[at]

    def _keep(self, at: tuple[str, str], result: Solution | None) -> None:
        """Keep a loaded result, and forget the oldest ones."""
        self._results[at] = result
        while len(self._results) > MOST_RESULTS:
            del self._results[next(iter(self._results))]

    def history_of(self, layout: str = "") -> dict | None:
        """The stored history of a layout's result: columns by their heads."""
        layout = layout or self.layout
        return store.history(self.folder, layout, self.key_of(layout)) if self.folder else None

    def fetch_result(self) -> None:
        """Read the shown layout's result beside the window, so that it is there when a stage asks for it."""
        at, folder = (self.layout, self.key_of(self.layout)), self.folder

        def read() -> None:
            try:
                result = store.load(folder, *at)
            except Exception:  # the window reads it again and says what is wrong
                return
            if self.folder == folder and at not in self._results and self.run is None:
                self._keep(at, result)

        if folder is not None and at not in self._results:
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
        recent.note(files.project_file(target).parent)
        rows = (*self.document.rows, *(r for x in self.document.layouts for r in x.add))
        named = {r.text(key) for key in ("file", "measured") for r in rows}
        assets.carry(sorted(named - {""}), files.project_file(target).parent)
        if folder is not None and folder != self.folder:
            if self.folder is None:
                files.discard_autosave(files.scratch())
            self.folder = folder
            self._results.clear()
            self._forget_standings()
        self.history.saved = self.document
        self.tell("saved")
        return target

    def autosave(self) -> None:
        """Keep unsaved changes beside the project (of a new one, in the user's state folder); nothing without a
        change."""
        if self.history.dirty:
            files.autosave(self.document, self.folder or files.scratch())

    def rename_layout(self, old: str, new: str) -> None:
        """Give a layout another name; its results, its place in the queue and beside others go with it. Raises
        StithyError, also while it is being solved."""
        if old in self.solved_now():
            raise StithyError(f"“{old}” is being solved. Wait for it, or stop it, and then give it another name.")
        shown, new = self.layout == old, new.strip()
        follow = {old: new}
        waits, beside, more = ([follow.get(n, n) for n in x] for x in (self.queue, [self.compared], self.more))
        self.do(edits.rename_layout(old, new))
        if self.folder is not None:
            store.renamed(self.folder, old, new)
        self.compared, self.more = beside[0], tuple(more)
        if waits != self.queue:
            self.set_queue(waits)
        if shown:
            self.choose_layout(new)
