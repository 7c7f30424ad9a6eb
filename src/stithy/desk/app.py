"""Starting the window program."""

from __future__ import annotations

import os
import sys
from contextlib import suppress
from pathlib import Path

os.environ.setdefault("QT_API", "pyqt6")

from PyQt6.QtCore import QTimer  # noqa: E402 - after the toolkit is named
from PyQt6.QtWidgets import QApplication, QMessageBox  # noqa: E402

from .. import kinds as d  # noqa: E402
from .. import starts  # noqa: E402
from ..errors import StithyError  # noqa: E402
from ..project import files, log, recent  # noqa: E402
from ..solve import processes  # noqa: E402
from . import look  # noqa: E402
from .session import Session  # noqa: E402
from .start_page import StartPage  # noqa: E402

#: ms after which a new window has drawn itself, and the processes of runs may be got ready beside it
SETTLED = 3000

_windows: list = []
_pages: list = []
_kept: list = []


def application() -> QApplication:
    """The one application, styled."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    if app in _kept:
        return app
    _kept.append(app)  # it must outlive every window
    app.setApplicationName("Stithy")
    app.setStyle("Fusion")
    look.load_fonts()
    app.setFont(look.font(14))
    app.setStyleSheet(look.STYLE)
    return app


def new_document() -> d.Document:
    """A project to start from: an empty enclosure with its settings."""
    return d.Document(
        name="New project",
        rows=(
            d.Enclosure(name="Enclosure"),
            d.Surroundings(name="Surroundings"),
            d.GridRow(name="Grid"),
            d.RunRow(name="Run"),
        ),
    )


def open_window(folder: Path | None, ask=None, start: str = "", solids: str = ""):
    """A window on a project folder (None: a new project, or a model to ``start`` from); offers work left unsaved, and
    takes a file of ``solids`` in. Raises StithyError."""
    document, notes = (new_document(), []) if folder is None else files.read_telling(folder)
    if start:
        document = starts.document(start)
    session = Session(document, None if folder is None else files.project_file(folder).parent)
    session.brought_up[:0] = notes
    if folder is not None:
        recent.note(files.project_file(folder).parent)
    if start:
        session.first = starts.STARTS[start].first
    place = folder or files.scratch()
    kept = files.recoverable(place)
    if kept is not None and kept not in (document, session.document):
        if (ask or _ask_recover)():
            session.history.document = kept
        else:
            files.discard_autosave(place)
    from .window import Window  # with all that draws in three dimensions: the start page does without

    window = Window(session, open_window)
    window.show()
    if session.brought_up:
        window.ledger.refuse("Brought up from an earlier version. " + " ".join(session.brought_up))
    _windows.append(window)
    QTimer.singleShot(SETTLED, processes.get_ready)
    if solids:
        window.importing.begin(solids)
    return window


def open_page() -> StartPage:
    """The page that the program begins with."""
    page = StartPage(open_window)
    page.show()
    _pages[:] = [x for x in _pages if x.isVisible()] + [page]
    return page


def _ask_recover() -> bool:
    answer = QMessageBox.question(
        None,
        "Unsaved work",
        "An earlier session ended with changes that were not saved.\nTake them up again? (Saving keeps them for good.)",
    )
    return answer == QMessageBox.StandardButton.Yes


def _last_resort(kind, error, trace) -> None:
    """What no code has foreseen: written down, unsaved work kept, one calm line; the window goes on."""
    if issubclass(kind, KeyboardInterrupt):
        QApplication.quit()
        return
    path = log.write_fault(error)
    for window in _windows:
        with suppress(Exception):
            session = window.session
            files.autosave(session.document, session.folder or files.scratch())
            window.status.setText(
                f"That did not work ({kind.__name__}). Your work is kept; what happened is written in {path}"
            )


def run(folder: Path | None) -> int:
    """Open a window and run until it is closed."""
    log.begin()
    app = application()
    sys.excepthook = _last_resort
    try:
        open_page() if folder is None else open_window(folder)
    except StithyError as error:
        print(error, file=sys.stderr)
        QMessageBox.warning(None, "Cannot open", str(error))
        return 2
    return app.exec()
