"""What the window does with projects and layouts: undo, save, copy, export."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox

from .. import jobs
from ..errors import StithyError
from ..imports.circuit.rows import no_load
from ..kinds import closing
from ..kinds.fit import around
from ..kinds.surroundings import of_ambients
from ..project import edits, files
from ..read import export
from .notices import notice
from .start_page import StartPage

#: what mends a file that was taken in in the wrong unit
SCALES = {
    "Imported solids were in inches (× 25.4)": 25.4,
    "Imported solids were in metres (× 1000)": 1000.0,
    "Imported solids are too large (÷ 1000)": 1e-3,
}


class ProjectActions:
    """The part of the window that acts on the project; it has its ``session``, ``ledger``, ``bench`` and ``status``,
    and opens further windows by ``open_another``."""

    start_page: StartPage | None = None

    def undo(self):
        """Take the last change back."""
        label = self.session.undo()
        self.status.setText(f"Undone: {label}" if label else "Nothing to undo")

    def redo(self):
        """Do it again."""
        label = self.session.redo()
        self.status.setText(f"Done again: {label}" if label else "Nothing to do again")

    def piece(self, along: bool = False):
        """A layout in which only the smallest piece that repeats is solved, shown at once; ``along`` the flow, too."""
        from ..mesh.repeats import piece_of

        session = self.session
        try:
            name, edit, assumed = piece_of(session.document, session.layout, along)
            session.do(edit)
        except StithyError as error:
            self.ledger.refuse(str(error).splitlines()[0])
            return
        session.choose_layout(name)
        self.bench.reset_camera()
        self.status.setText(f"Assumed: {assumed}")

    def copy_layout(self, layout: str = ""):
        """Copy a layout under a name that can be changed at once."""
        layout = layout or self.session.layout
        taken = [x.name for x in self.session.document.layouts]
        name, n = f"{layout} copy", 2
        while name in taken:
            name, n = f"{layout} copy {n}", n + 1
        self._try(edits.duplicate_layout(layout, name))
        self.session.choose_layout(name)
        self.session.only_here = True
        self.ledger.only.setChecked(True)

    def rename_layout(self, layout: str = ""):
        """Ask for another name."""
        layout = layout or self.session.layout
        name, ok = QInputDialog.getText(self, "Rename layout", "New name", text=layout)
        if ok:
            try:
                self.session.rename_layout(layout, name)
                self.ledger.refuse("")
            except StithyError as error:
                self.ledger.refuse(str(error))

    def note_layout(self, layout: str = "", text: str | None = None):
        """Ask for a note on a layout; words that begin with # are tags, which the table's words find."""
        layout = layout or self.session.layout
        before = self.session.document.layout(layout).note
        if text is None:
            text, ok = QInputDialog.getText(
                self, "Note", f"Note on “{layout}”; #tags are found by the table", text=before
            )
            if not ok:
                return
        self._try(edits.note_layout(layout, text))

    def delete_layout(self, layout: str = ""):
        """Delete a layout; undo brings it back."""
        self._try(edits.delete_layout(layout or self.session.layout))

    def fit_enclosure(self):
        """Put the enclosure around all solids."""
        session = self.session
        try:
            session.do(around(session.document, session.layout))
            self.bench.reset_camera()
        except StithyError as error:
            self.ledger.refuse(str(error))

    def tell_came(self, title: str, told: str, lines: list[str]) -> None:
        """Say what an import or a table came to, over the bench."""
        self.session.choose_stage("Load")
        self.bench.loads.tell(title, told, lines)

    def ambients(self, text: str = "") -> None:
        """A layout for each of several ambient temperatures, like the shown one; asks for them where none are
        given."""
        if not text:
            text, ok = QInputDialog.getText(self, "Ambients", "Ambient temperatures", text="20, 40, 55 degC")
            if not ok:
                return
        try:
            names, edit = of_ambients(self.session.document, self.session.layout, text)
            self.session.do(edit)
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        self.session.choose_layout(names[0])

    def run_all(self) -> None:
        """Solve every layout that is out of date, one after the other; save first."""
        try:
            if self.session.folder is None and not self.save_as():
                return
            if self.session.history.dirty:
                self.session.save()
            self.session.run_all()
        except StithyError as error:
            self.ledger.refuse(str(error))
            return
        self._poll.start()

    def tell_queue(self) -> None:
        """How far the queue is; once it is through, what became of each."""
        session = self.session
        if session.run is not None and session.queue:
            waiting = "; ".join(session.queue)
            self.status.setText(f"solving {' and '.join(session.solved_now())}; then {waiting}")
        elif session.run is None and session.queued:
            self.status.setText(f"{len(session.queued)} solved")
            words = [f"{layout}: {text}" for layout, text in session.queued]
            self.bench.loads.tell("Queue", f"{len(words)} layouts solved", words)
            session.queued = []
            notice(f"{len(words)} layouts of {session.document.name} are solved", "\n".join(words))

    def switch_estimates(self) -> None:
        """Make estimates while one types, or no more."""
        foretelling = self.session.foretelling
        foretelling.on = not foretelling.on
        QSettings("stithy", "window").setValue("estimates", "on" if foretelling.on else "off")
        self.status.setText(f"estimates {'on' if foretelling.on else 'off'}")
        if foretelling.on:
            self._ask_estimates()
        else:
            foretelling.known.clear()
            self.session.tell("estimates")

    def next_missing(self) -> None:
        """Select the next component that has no load yet, and its cell."""
        session = self.session
        rows = [r for r in session.document.listed(session.layout) if r.kind == "component" and no_load(r)]
        if not rows:
            self.status.setText("every component has a load")
            return
        names = [r.name for r in rows]
        at = names.index(session.selected[0]) + 1 if session.selected and session.selected[0] in names else 0
        session.choose_stage("Load")
        session.select((names[at % len(names)],))
        self.ledger.edit_cell("power")

    def scale_bodies(self, times: float) -> None:
        """Scale the selected imported solids and all others of their files; all of them where none is selected."""
        session = self.session
        chosen = [n for n in session.selected if any(r.name == n and r.kind == "body" for r in session.document.rows)]
        if self._try(closing.scaled(session.document, session.layout, chosen, times)):
            self.fit_enclosure()

    def _try(self, edit) -> bool:
        try:
            self.session.do(edit)
            return True
        except StithyError as error:
            self.ledger.refuse(str(error))
            return False

    def new_project(self):
        """The page with models to start from."""
        self.start_page = StartPage(self.open_another)
        self.start_page.show()

    def open_project(self):
        """Choose a project folder and open it in a window of its own."""
        folder = QFileDialog.getExistingDirectory(self, "Open project folder", str(Path.home()))
        if folder:
            try:
                self.open_another(Path(folder))
            except StithyError as error:
                self.ledger.refuse(str(error))

    def open_job(self, name: str) -> None:
        """Open the user's copy of a project that comes with the program."""
        try:
            self.open_another(jobs.copy(name))
        except (StithyError, OSError) as error:
            self.ledger.refuse(str(error))

    def save(self) -> bool:
        """Save; asks for a folder the first time."""
        if self.session.folder is None:
            return self.save_as()
        try:
            self.status.setText(f"Saved {self.session.save()}")
            return True
        except StithyError as error:
            self.ledger.refuse(str(error))
            return False

    def save_as(self) -> bool:
        """Choose a folder and save there."""
        folder = QFileDialog.getExistingDirectory(self, "Choose a folder for the project", str(Path.home()))
        if not folder:
            return False
        try:
            self.session.save(Path(folder))
            return True
        except StithyError as error:
            self.ledger.refuse(str(error))
            return False

    def export(self, kind: str, path: str = ""):
        """Write the shown layout's fields, tables or picture; asks for a name when there is none."""
        result = self.session.result()
        if result is None and kind != "png":
            self.ledger.refuse("This layout has no result yet. Press Run first.")
            return
        if not path:
            path, _ = QFileDialog.getSaveFileName(self, "Export", str(Path.home() / f"{self.session.layout}.{kind}"))
        if not path:
            return
        try:
            if kind == "png":
                if not self.bench.picture().save(path, "PNG"):
                    raise files.FileProblem(f"{path}: not written. Choose a folder that can be written to.")
            else:
                {"vtr": export.vtk, "vtp": export.surfaces, "csv": export.tables}[kind](result, path)
            self.status.setText(f"Written {path}")
        except StithyError as error:
            self.ledger.refuse(str(error))

    def keep(self):
        """Save beside the project, to be offered if the program ends unsaved."""
        try:
            self.session.autosave()
        except StithyError as error:
            self.status.setText(str(error))

    def closeEvent(self, event):  # noqa: N802
        if self.session.history.dirty:
            answer = QMessageBox.question(
                self,
                "Unsaved changes",
                "Save the changes to this project?",
                QMessageBox.StandardButton.Save
                | QMessageBox.StandardButton.Discard
                | QMessageBox.StandardButton.Cancel,
            )
            if answer == QMessageBox.StandardButton.Cancel or (
                answer == QMessageBox.StandardButton.Save and not self.save()
            ):
                event.ignore()
                return
            if answer == QMessageBox.StandardButton.Discard:
                files.discard_autosave(self.session.folder or files.scratch())
        self.shut()
        event.accept()
