"""The actions of a window: what each is called, what it does, which keys do it; and the project menu."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from .. import jobs
from .picture_actions import FILMS
from .project_actions import SCALES
from .session import STAGES

if TYPE_CHECKING:
    from .window import Window

#: keys that look square at a side
SIDE_KEYS = {f"{a}{e}": f"Alt+{'Shift+' if e == '+' else ''}{a.upper()}" for a in "xyz" for e in "-+"}
#: the project menu: names of actions; None stands for a line, "jobs" for a menu of them
PROJECT_MENU = (
    "New project",
    "Open project",
    "jobs",
    "Save",
    "Save as",
    None,
    "Import solids",
    "Import a board",
    "Another revision of the selected",
    "Loads from a table",
    "Fit enclosure to all solids",
    *SCALES,
    None,
    "Undo",
    "Redo",
    None,
    "Copy layout",
    "Layouts for several ambients",
    "Smallest piece that repeats",
    "One period along the flow",
    "Rename layout",
    "Delete layout",
    None,
    "Export fields (.vtr)",
    "Export walls (.vtp)",
    "Export tables (.csv)",
    "Export picture (.png)",
    "Picture at any size",
    "All tables as a spreadsheet (.xlsx)",
    "Report",
    *FILMS,
    None,
    "Units",
)


def _job(name: str) -> str:
    return f"Open job: {name.replace('-', ' ')}"


def _wanted(w: Window) -> list[tuple[str, Callable[[], object], str]]:
    """Words, what they do, keys."""
    found: list[tuple[str, Callable[[], object], str]] = [
        ("New project", w.new_project, "Ctrl+N"),
        ("Open project", w.open_project, "Ctrl+O"),
        ("Save", w.save, "Ctrl+S"),
        ("Save as", w.save_as, "Ctrl+Shift+S"),
        ("Import solids", w.importing.begin, "Ctrl+I"),
        ("Import a board", w.importing.begin_board, "Ctrl+Shift+I"),
        ("Another revision of the selected", w.importing.swap, ""),
        ("Loads from a table", w.importing.loads, ""),
        ("Layouts for several ambients", w.ambients, ""),
        ("Next without a load", w.next_missing, "F8"),
        ("Estimates before any solve, on or off", w.switch_estimates, ""),
        ("Fit enclosure to all solids", w.fit_enclosure, ""),
        ("Undo", w.undo, "Ctrl+Z"),
        ("Redo", w.redo, "Ctrl+Shift+Z"),
        ("Run this layout", w.run, "F5"),
        ("Run all that are out of date", w.run_all, "Ctrl+F5"),
        ("Run from rest", lambda: w.run(True), ""),
        ("Stop and keep", w.session.stop_run, "Shift+F5"),
        ("Duplicate rows", w.ledger.duplicate, "Ctrl+D"),
        ("Add a row", w.ledger.offer, "Ctrl+Shift+A"),
        ("Keep together as a group", w.ledger.rows_menu.group, "Ctrl+G"),
        ("Delete rows", w.ledger.delete, "Ctrl+Backspace"),
        ("Leave rows out of this layout", lambda: w.ledger.delete(True), ""),
        ("Copy layout", w.copy_layout, "Ctrl+L"),
        ("Smallest piece that repeats", w.piece, ""),
        ("One period along the flow", lambda: w.piece(True), ""),
        ("Rename layout", w.rename_layout, "F3"),
        ("Delete layout", w.delete_layout, ""),
        ("Note and tags of the layout", w.note_layout, ""),
        ("Export fields (.vtr)", lambda: w.export("vtr"), ""),
        ("Export walls (.vtp)", lambda: w.export("vtp"), ""),
        ("Export tables (.csv)", lambda: w.export("csv"), ""),
        ("Export picture (.png)", lambda: w.export("png"), "Ctrl+P"),
        ("Picture at any size", w.picture_at_size, ""),
        ("All tables as a spreadsheet (.xlsx)", w.export_tables, ""),
        ("Pin the clicked values", w.pin, "Ctrl+J"),
        ("Keep this view", lambda: w.bench.bar.keep_view(), ""),
        ("Hide selected parts", lambda: w.see("hidden"), "Ctrl+H"),
        ("See through selected parts", lambda: w.see("through"), ""),
        ("Show only selected parts", lambda: w.see("only"), "Ctrl+Shift+H"),
        ("Show all parts", lambda: w.see(""), ""),
        ("Report", lambda: w.pages["Studies"].write_report(), "Ctrl+R"),
        ("Flip to the compared layout", w.flip, "Ctrl+B"),
        ("Difference of both layouts, on or off", w.switch_difference, "Ctrl+Shift+B"),
        ("Units", w.choose_units, ""),
        ("Whole model in view", w.bench.reset_camera, "Home"),
        ("Back to the look before", w.bench.look_back, "Alt+Left"),
        ("Find anything", w.find, "Ctrl+K"),
    ]
    found += [(words, lambda t=times: w.scale_bodies(t), "") for words, times in SCALES.items()]
    found += [(words, lambda f=what: w.film(f), "") for words, what in FILMS.items()]
    found += [
        (f"Look at the {side} side", lambda s=side: w.bench.look_at_side(s), key) for side, key in SIDE_KEYS.items()
    ]
    found += [(_job(job), lambda j=job: w.open_job(j), "") for job in jobs.names()]
    found += [
        (f"Go to {stage}", lambda s=stage: w.session.choose_stage(s), f"Ctrl+{i + 1}") for i, stage in enumerate(STAGES)
    ]
    return found


def actions_of(w: Window) -> dict[str, QAction]:
    """All actions of a window by name, with their keys; those of bench and ledger with keys alone are set up, too."""
    out = {}
    for text, slot, key in _wanted(w):
        out[text] = _action(w, slot, key, Qt.ShortcutContext.WindowShortcut, text)
    work, across = w.bench.work, {a.upper(): lambda m=m: w.bench.work.cut_across(m) for m, a in enumerate("xyz")}
    here = Qt.ShortcutContext.WidgetWithChildrenShortcut
    bench = {"M": work.measure.toggle, "F": w.bench.reset_camera, "Esc": lambda: work.measure.setChecked(False)}
    for key, slot in (bench | across).items():
        _action(w.bench, slot, key, here)
    ledger = {"Ctrl+C": w.ledger.copy, "Ctrl+V": w.ledger.paste, "Delete": w.ledger.delete, "Space": w.switch}
    rows = {"Alt+Up": lambda: w.ledger.move_rows(-1), "Alt+Down": lambda: w.ledger.move_rows(1)}
    for key, slot in (ledger | rows).items():
        _action(w.ledger.table, slot, key, Qt.ShortcutContext.WidgetShortcut)
    return out


def _action(of: QWidget, slot: Callable, key: str, where: Qt.ShortcutContext, text: str = "") -> QAction:
    made = QAction(text, of)
    made.triggered.connect(lambda *_: slot())
    if key:
        made.setShortcut(QKeySequence(key))
        made.setShortcutContext(where)
    of.addAction(made)
    return made


def project_menu(w: Window) -> QMenu:
    """Open, save, undo, layouts, export."""
    menu = QMenu(w)
    for name in PROJECT_MENU:
        if name == "jobs":
            more = menu.addMenu("Jobs of Tolva Head")
            for job in jobs.names():
                more.addAction(w.actions_[_job(job)])
        elif name is None:
            menu.addSeparator()
        else:
            menu.addAction(w.actions_[name])
    return menu
