"""Taking solids, or a board's files, in from the window: choose the file, say its unit where it names none, follow or
cancel, rows are added as one step."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QProgressDialog

from ..errors import StithyError
from ..imports.circuit.read import BOARDS, PLOTS
from ..imports.circuit.rows import fill, took
from ..imports.job import STEP, TRIANGLES, Importer, taken
from ..imports.triangles import UNITS

FILTER = "Solids ({})".format(" ".join(f"*{e} *{e.upper()}" for e in STEP + TRIANGLES))
BOARD_FILTER = "Files of a board ({})".format(" ".join(f"*{e} *{e.upper()}" for e in BOARDS + PLOTS))
TABLES = "Tables (*.csv *.tsv *.txt)"


class Importing:
    """One import at a time of a window."""

    def __init__(self, window):
        self.window = window
        self.running: Importer | None = None
        self.dialog: QProgressDialog | None = None
        #: the board row that what is read takes the place of, "" for none
        self.replaces = ""
        self.timer = QTimer(window)
        self.timer.setInterval(60)
        self.timer.timeout.connect(self._poll)

    def begin_board(self, path: str = "") -> None:
        """Import a board; asks for one of its files where none is given."""
        if not path:
            path, _ = QFileDialog.getOpenFileName(self.window, "Import a board", str(Path.home()), BOARD_FILTER)
        if path:
            self.begin(path, "mm")

    def swap(self, path: str = "") -> None:
        """Another revision in the place of the selected board (or of the only one), or of the selected solid's file; of
        a board in this layout alone where the switch of the ledger says so."""
        session = self.window.session
        bodies = [r.name for r in session.document.rows_of(session.layout) if r.kind == "body"]
        if len(session.selected) == 1 and session.selected[0] in bodies:
            self._again(session.selected[0], path)
            return
        boards = [r.name for r in session.document.rows_of(session.layout) if r.kind == "board" and r.text("file")]
        chosen = [n for n in session.selected if n in boards] or boards
        if len(chosen) != 1:
            self.window.ledger.refuse(
                "Select the board that is replaced."
                if boards
                else "There is no board from files here. Import one first."
            )
            return
        if not path:
            path, _ = QFileDialog.getOpenFileName(
                self.window, f"Another revision of {chosen[0]}", str(Path.home()), BOARD_FILTER
            )
        if path:
            self.begin(path, "mm")
            self.replaces = chosen[0]

    def _again(self, row: str, path: str) -> None:
        """Another file in the place of an imported solid's."""
        if not path:
            path, _ = QFileDialog.getOpenFileName(self.window, f"Another file for {row}", str(Path.home()), FILTER)
        if path:
            self.begin(path)
            self.replaces = row

    def loads(self, path: str = "") -> None:
        """Heat loads and limits from a table; asks for it where none is given."""
        window = self.window
        if not path:
            path, _ = QFileDialog.getOpenFileName(window, "Loads from a table", str(Path.home()), TABLES)
        if not path:
            return
        try:
            text = Path(path).read_bytes().decode("utf-8-sig", "replace")
        except OSError as error:
            window.ledger.refuse(f"{path}: cannot be read ({error.strerror or error}).")
            return
        self.take_loads(text, Path(path).name)

    def take_loads(self, text: str, name: str) -> bool:
        """Heat loads and limits of a table's text; whether it was one."""
        window, session = self.window, self.window.session
        try:
            came = fill(session.document, session.layout, text, name, session.only_here)
            session.do(came.edit)
        except StithyError as error:
            window.ledger.refuse(str(error))
            return False
        window.tell_came("Loads", came.told, [*came.wrong, *(f"{n}: no part has it" for n in came.unmatched)])
        return True

    def begin(self, path: str = "", unit: str = "") -> None:
        """Import a file; asks for it, and for the unit of files that name none, where they are not given."""
        window = self.window
        self.replaces = ""
        if window.session.folder is None and not window.save_as():
            return
        if not path:
            path, _ = QFileDialog.getOpenFileName(window, "Import solids", str(Path.home()), FILTER)
        if not path:
            return
        if not unit and Path(path).suffix.lower() in TRIANGLES:
            unit, ok = QInputDialog.getItem(
                window, "Unit", f"{Path(path).name} names no unit. Its numbers are in", list(UNITS), 0, False
            )
            if not ok:
                return
        try:
            self.running = Importer(Path(path), unit or "mm")
        except StithyError as error:
            window.ledger.refuse(str(error))
            return
        self.dialog = QProgressDialog(f"Importing {Path(path).name}", "Cancel", 0, 1000, window)
        self.dialog.setWindowTitle("Import")
        self.dialog.setWindowModality(Qt.WindowModality.WindowModal)
        self.dialog.setMinimumDuration(400)
        self.dialog.setMinimumWidth(420)
        self.timer.start()

    def _poll(self) -> None:
        running, dialog = self.running, self.dialog
        if running is None or dialog is None:
            self.timer.stop()
            return
        if dialog.wasCanceled():
            running.cancel()
        for said in running.messages():
            dialog.setLabelText(f"{running.path.name}: {said.text}")
            dialog.setValue(round(1000 * said.share))
        if running.over:
            self.timer.stop()
            dialog.reset()
            self.running = self.dialog = None
            self._take(running)

    def _take(self, running: Importer) -> None:
        """Add what came as rows, and say how large it is."""
        window, session = self.window, self.window.session
        if running.board is not None:
            self._take_board(running)
            return
        if running.bodies is None:
            window.ledger.refuse(running.error)
            return
        before = {r.name for r in session.document.rows}
        try:
            came = taken(running.path, running.bodies, session.folder, session.document, session.layout, self.replaces)
            session.do(came.edit)
        except StithyError as error:
            window.ledger.refuse(str(error))
            return
        session.select((came.new or came.kept)[:1])
        low = np.min([b.points.min(axis=0) for b in running.bodies], axis=0)
        high = np.max([b.points.max(axis=0) for b in running.bodies], axis=0)
        size = " × ".join(f"{1e3 * x:.4g}" for x in high - low)
        window.status.setText(f"{running.path.name}: {came.told}; {size} mm in all")
        window.bench.reset_camera()
        if any(p.row not in before and "enclosure" in p.what for p in session.problems()):
            window.ledger.refuse(
                "What was imported reaches out of the enclosure. Choose “Fit enclosure to all solids” in the project "
                "menu (or Ctrl+K)."
            )

    def _take_board(self, running: Importer) -> None:
        """Add a board, or put it in the place of one."""
        window, session = self.window, self.window.session
        assert running.board is not None
        assert session.folder is not None
        try:
            only_here = session.only_here and bool(self.replaces)
            came = took(
                running.path, *running.board, session.folder, session.document, session.layout, self.replaces, only_here
            )
            session.do(came.edit)
        except StithyError as error:
            window.ledger.refuse(str(error))
            return
        session.choose_stage("Load")
        session.select((came.board,))
        window.bench.reset_camera()
        window.tell_came(running.path.name, came.told, list(came.circuit.told))

    def shut(self) -> None:
        """End what is under way."""
        self.timer.stop()
        if self.running is not None:
            self.running.cancel()
