"""How quickly a model of three hundred parts answers to hands: dragging, pasting, undoing, finding.

Writes docs/performance.md (part of make bench). Needs a screen (tools/with_screen.sh gives a virtual one).
"""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPoint, QSettings, Qt
from PyQt6.QtTest import QTest

from stithy import kinds as d
from stithy.desk.app import application, open_window
from stithy.project import files

PAGE = Path(__file__).parent.parent / "docs/performance.md"
PICTURES = 40


def parts() -> d.Document:
    """Three hundred components in one enclosure."""
    rows: list[d.Row] = [d.Enclosure(name="Box", size="500, 400, 100 mm")]
    rows += [
        d.Component(name=f"U{i}-{j}", at=f"{10 + 24 * i}, {10 + 25 * j}, 2 mm", size="14, 14, 5 mm", power="0.1 W")
        for i in range(20)
        for j in range(15)
    ]
    return d.Document(rows=tuple(rows))


class Hands:
    """A window on that model, and what is done in it."""

    def __init__(self) -> None:
        place = Path(tempfile.mkdtemp())
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(place / "settings"))
        files.save(parts(), place / "project")
        self.app = application()
        self.window = open_window(place / "project")
        self.window.setGeometry(0, 0, 1280, 800)
        self.rest(1.0)
        self.window.session.choose_stage("Shape")
        self.rest(0.5)

    def rest(self, seconds: float) -> None:
        """Let the window come to rest."""
        end = time.time() + seconds
        while time.time() < end or self.window.drawing():
            self.app.processEvents()
            time.sleep(0.005)

    def drag(self) -> float:
        """Pictures a second while one part is dragged."""
        bench = self.window.bench
        self.window.session.select(("U10-7",))
        self.rest(1.5)
        grip = next(g for g in bench.movers.grips if g.axes == (0,) and g.end is None)

        def pixel(point) -> QPoint:
            x, y = bench.handles.at(point)
            return QPoint(int(x), int(bench.view.height() - y))

        start, end = pixel(grip.place), pixel(np.array(grip.place) + [0.02, 0.0, 0.0])
        QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, pos=start)
        began = time.perf_counter()
        for m in range(PICTURES):
            QTest.mouseMove(bench.view, start + (end - start) * (m + 1) / PICTURES)
            self.app.processEvents()
        taken = time.perf_counter() - began
        QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, pos=end)
        self.rest(0.5)
        return PICTURES / taken

    def timed(self, do) -> float:
        """Seconds until the window can be used again."""
        began = time.perf_counter()
        do()
        taken = time.perf_counter() - began
        self.rest(0.5)
        return taken


def main() -> None:
    """Measure, and put the table into the page."""
    hands = Hands()
    ledger, session = hands.window.ledger, hands.window.session
    pictures = statistics.median(hands.drag() for _ in range(3))
    undo = hands.timed(hands.window.undo)
    session.select(tuple(r.name for r in session.document.rows if r.kind == "component"))
    ledger.copy()
    hands.rest(0.3)
    paste = hands.timed(ledger.paste)
    back = hands.timed(hands.window.undo)
    find = hands.timed(lambda: ledger.filter.setText("heat load < 1 W"))
    session.history.saved = session.document
    hands.window.close()
    heads = (
        "parts",
        "dragged, pictures/s",
        "300 rows pasted, s",
        "undone, ms",
        "a move undone, ms",
        "found by value, ms",
    )
    row = "300", f"{pictures:.0f}", f"{paste:.2f}", f"{1e3 * back:.0f}", f"{1e3 * undo:.0f}", f"{1e3 * find:.0f}"
    table = ["| " + " | ".join(heads) + " |", "|---" * len(heads) + "|", "| " + " | ".join(row) + " |"]
    text = PAGE.read_text()
    before, rest = text.split("<!-- measured by benchmarks/hands.py -->\n")
    _, after = rest.split("<!-- end of hands -->")
    PAGE.write_text(
        before + "<!-- measured by benchmarks/hands.py -->\n" + "\n".join(table) + "\n<!-- end of hands -->" + after
    )
    print("\n".join(table))


if __name__ == "__main__":
    main()
