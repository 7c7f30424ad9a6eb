"""The six stages as pictures in docs/screenshots, from the demonstration project (make screenshots)."""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))


def solids(live, shot) -> None:
    """Imported solids of a manifold, with its faults, fluid spaces and touching pairs."""
    from stithy import kinds as d
    from stithy.desk.app import open_window
    from stithy.project import files
    from verification import solids as s

    folder = Path(tempfile.mkdtemp()) / "manifold"
    rows = (
        d.Enclosure(name="Sea water", fluid="water", wall="0 mm"),
        d.Surroundings(name="Surroundings"),
        d.GridRow(name="Grid"),
    )
    files.save(d.Document(name="Sea-water manifold", rows=(*rows, d.RunRow(name="Run"))), folder)
    channel = s.bent_tube([(-1, 20, 16), (45, 20, 16), (45, 61, 16)], 8, 14)
    body = s.cut(s.box((0, 0, 0), (90, 60, 32)), channel, s.round_bar((75, 30, -1), (0, 0, 1), 5, 34))
    parts = {
        "Manifold": body,
        "Cover": s.box((0, 0, 32.05), (90, 60, 4)),
        "Heater rod": s.round_bar((75, 30, 0), (0, 0, 1), 5, 32),
    }
    window = open_window(folder)
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    window.session.choose_stage("Shape")
    window.importing.begin(str(s.write_step(folder / "manifold.step", parts)))
    while window.importing.running is not None:
        live(0.2)
    window.fit_enclosure()
    live(0.5)
    window.tab_more.click()
    live(4.0)
    panel = window.panels["Shape"][1]
    panel.point.setText("30, 20, 16")
    panel.leak.click()
    live(8.0)
    shot("solids", window)
    window.session.history.saved = window.session.document
    window.close()


def main() -> None:
    """Open a copy of the demonstration, go through the stages, and take their pictures."""
    from PyQt6.QtCore import QSettings

    from stithy.desk.app import application, open_window

    folder = Path(tempfile.mkdtemp()) / "lamp-driver"
    shutil.copytree(ROOT / "src/stithy/data/demo/lamp-driver", folder)
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(folder / "settings"))
    app = application()
    window = open_window(folder)
    window.setGeometry(0, 0, 1280, 800)

    def live(seconds):
        end = time.time() + seconds
        while time.time() < end:
            app.processEvents()
            time.sleep(0.01)

    def shot(name, window=window):
        live(1.5)
        while name != "run" and window.drawing():
            live(0.2)
        live(0.9)  # until all is drawn smoothly; a run is always drawing
        window.screen().grabWindow(window.winId()).save(str(ROOT / f"docs/screenshots/{name}.png"))

    live(1.0)
    session = window.session
    wanted = sys.argv[1:] or ["shape", "load", "grid", "read", "weigh", "run", "solids"]
    if "solids" in wanted:
        solids(live, shot)
    rows = {"shape": ("Driver sink",), "load": ("Surge stage",), "grid": (), "read": (), "weigh": (), "run": ()}
    for name in (x for x in wanted if x != "solids"):
        session.choose_stage(name.capitalize())
        session.select(rows[name])
        if name == "read":
            window.bench.chips["streamlines"].setChecked(True)
        if name == "weigh":
            window.bench.chips["streamlines"].setChecked(False)
            window.compare(session.document.layouts[-1].name)
        if name == "run":
            window.run(fresh=True)
            for _ in range(300):  # until there is something to see, and before it is over
                live(0.2)
                if any(x.iteration > 40 for x in session.run_state.history):
                    break
        shot(name)
    if session.run:
        session.run.kill()
    session.history.saved = session.document
    window.close()


if __name__ == "__main__":
    main()
