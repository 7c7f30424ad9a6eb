"""The six stages as pictures in docs/screenshots, from the demonstration project (make screenshots)."""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent


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

    def shot(name):
        live(1.5)
        while name != "run" and window.drawing():
            live(0.2)
        live(0.9)  # until all is drawn smoothly; a run is always drawing
        window.screen().grabWindow(window.winId()).save(str(ROOT / f"docs/screenshots/{name}.png"))

    live(1.0)
    session = window.session
    wanted = sys.argv[1:] or ["shape", "load", "grid", "read", "weigh", "run"]
    rows = {"shape": ("Driver sink",), "load": ("Surge stage",), "grid": (), "read": (), "weigh": (), "run": ()}
    for name in wanted:
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
