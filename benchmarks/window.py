"""How long the window's event loop is held up in a whole run of the demonstration: python benchmarks/window.py [STAGE].

Needs a screen (tools/with_screen.sh gives a virtual one). A gap is told with the processor time the window spent in it:
where that is far less, other programs had the processor.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import QTimer

from stithy.desk.app import application, open_window

DEMO = Path(__file__).parent.parent / "src/stithy/data/demo/lamp-driver"


def main() -> None:
    """Go to the stage, press Run, and print the gaps above 60 ms between beats of 5 ms, up to a second after the
    run."""
    app = application()
    folder = Path(tempfile.mkdtemp()) / "demo"
    shutil.copytree(DEMO, folder)
    window = open_window(folder)
    session = window.session
    beats, marks = [], {}

    def press():
        beat.start()
        marks["press"] = time.perf_counter()
        window.run(fresh=True)

    def look():
        now = time.perf_counter()
        if session.run is not None:
            marks.setdefault("start", now)
            marks["end"] = now
        if "end" in marks and session.run is None and now - marks["end"] > 1.5:
            app.quit()

    beat, watch = QTimer(interval=5), QTimer(interval=20)
    beat.timeout.connect(lambda: beats.append((time.perf_counter(), time.thread_time())))
    watch.timeout.connect(look)
    watch.start()
    QTimer.singleShot(2500, lambda: session.choose_stage(sys.argv[1] if len(sys.argv) > 1 else "Shape"))
    QTimer.singleShot(5500, press)
    app.exec()
    print(
        f"solver began {marks['start'] - marks['press']:.2f} s after the press and ended "
        f"{marks['end'] - marks['press']:.1f} s after it"
    )
    for (a, before), (b, after) in zip(beats, beats[1:], strict=False):
        if b - a > 0.06:
            print(
                f"gap {b - a:.3f} s, {after - before:.3f} s of it our own, {a - marks['press']:.2f} s after the press"
            )
    session.history.saved = session.document
    window.close()


if __name__ == "__main__":
    main()
