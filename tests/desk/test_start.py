"""The start page in a real window: recent projects, models to start from, jobs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit

from stithy import jobs, starts
from stithy import kinds as d
from stithy.desk.start_page import StartPage
from stithy.project import edits, files, recent

from ..conftest import small

#: the number that is read after a model was started, changed and run: a part's mean temperature
READ = {
    "enclosure": "Driver",
    "sink-in-still-air": "Heater",
    "sink-in-duct": "Heater",
    "cold-plate": "Module 1",
    "tube-in-shell": "Tube",
    "finned-tube-bank": "Bank",
    "pipe": "Pipe",
    "channel-with-ribs": "Heater plate",
    "tank": "Cell 1",
}
#: what is typed into the first two chips' cells
TYPED = {
    ("enclosure", "size"): "190, 130, 64 mm",
    ("enclosure", "power"): "8 W",
    ("pipe", "power"): "500 W",
    ("cold-plate", "power"): "60 W",
    ("cold-plate", "flow"): "3 l/min",
    ("finned-tube-bank", "power"): "70 degC",
    ("sink-in-still-air", "size"): "60, 28, 80 mm",
}


@pytest.fixture
def page(open_, pump):
    """The start page, whose windows are shut at the end."""
    made = StartPage(open_)
    made.resize(1280, 800)
    made.show()
    pump(rest=0.2)
    yield made
    made.close()


def press(tile) -> None:
    QTest.mouseClick(tile, Qt.MouseButton.LeftButton)


#: started in every test run; the others in ``make verify``
OFTEN = ("enclosure", "cold-plate", "tube-in-shell")


@pytest.mark.parametrize(
    "name", [pytest.param(n, marks=() if n in OFTEN else pytest.mark.verify) for n in starts.names() if n != "nothing"]
)
def test_from_nothing_to_a_number(page, pump, tmp_path, name):
    """A press on its picture opens a model; two chips lead to the cells to fill in first; it runs and gives a
    number."""
    press(page.tiles[name])
    window = _latest()
    s = window.session
    assert not page.isVisible()
    assert not s.problems()
    for (row, key), chip in list(window.first.chips.items())[:2]:
        QTest.mouseClick(chip, Qt.MouseButton.LeftButton)
        pump(lambda: window.ledger.sheet.findChild(QLineEdit) is not None, 5)
        assert s.selected == (row,)
        editor = window.ledger.sheet.findChild(QLineEdit)
        text = TYPED.get(
            (name, key), editor.text().replace("2", "3", 1) if "2" in editor.text() else "7" + editor.text()
        )
        editor.selectAll()
        QTest.keyClicks(editor, text)
        QTest.keyClick(editor, Qt.Key.Key_Return)
        pump(rest=0.1)
        assert "✓" in chip.text(), window.ledger.note.text()
    s.do(
        edits.many(
            "short",
            [edits.set_cell(s.layout, "Grid", "detail", "quick"), edits.set_cell(s.layout, "Run", "iterations", "6")],
        )
    )
    s.save(tmp_path / "p")
    assert not s.problems()
    window.run(fresh=True)
    pump(lambda: s.run is None and s.result(s.layout) is not None, 90)
    assert 290 < s.result(s.layout).summary["parts"][READ[name]]["mean"] < 500


def _latest():
    from stithy.desk import app

    return app._windows[-1]


def test_recent_projects_and_jobs(page, open_, pump, tmp_path):
    """What was opened is listed with its worst margin; Delete takes it off; one that cannot be read says so; a job
    opens as a copy; what is not there is told on the page."""
    good, bad = tmp_path / "good", tmp_path / "bad"
    files.save(small(), good)
    from stithy import api

    api.open_project(good).solve("One")
    files.save(small(), bad)
    for place in (good, bad):
        recent.note(place)
    (bad / "project.json").write_text("{")
    again = StartPage(open_)
    again.show()
    pump(lambda: all(x.standing is not None or x.fault for x in again.recents), 20)
    first, second = again.recents
    assert "damaged" in first.fault
    assert second.standing.worst is not None
    assert second._lines()[1][0].endswith(second.standing.worst.bound.name)
    first.setFocus()
    QTest.keyClick(first, Qt.Key.Key_Delete)
    pump(rest=0.1)
    assert [x.folder for x in recent.recent()] == [good.resolve()]
    QTest.keyClick(again.recents[0], Qt.Key.Key_Return)
    pump(rest=0.2)
    assert _latest().session.folder == good.resolve()
    assert not again.isVisible()
    page.start("teapot")
    assert "There is no start" in page.said.text()
    assert page.isVisible()
    press(page.tiles["relay-box"])
    assert (Path(_latest().session.folder) / "project.json").exists()
    assert _latest().session.document.name == "Relay box"
    assert set(jobs.names()) <= set(page.tiles)


def test_a_new_project_begins_at_the_page(open_, pump):
    """Ctrl+N in a window shows the page; nothing begins an empty project that says what to do."""
    window = open_(None)
    window.actions_["New project"].trigger()
    pump(rest=0.2)
    page = window.start_page
    assert page.isVisible()
    page.open_another = open_
    tile = page.tiles["nothing"]
    tile.setFocus()
    QTest.keyClick(tile, Qt.Key.Key_Space)
    assert {r.kind for r in _latest().session.document.rows if r.kind in ("enclosure", "grid")} == {"grid"}


def test_jobs_are_leafed_through(page):
    """Six at once; every job is on one of the leaves."""
    seen = []
    for m in range(len(page.leaves)):
        page.leaves[m].click()
        shown = [n for n in jobs.names() if not page.tiles[n].isHidden()]
        assert 0 < len(shown) <= 6
        seen += shown
    assert seen == jobs.names()


def test_parts_are_dragged_along_an_axis(open_, pump, tmp_path):
    """An arrow pulled takes the chosen part along: it snaps to what it comes near, says how far and to what, and is one
    step of undo; let go where it was, nothing is changed."""
    files.save(small(), tmp_path / "p")
    window = open_(tmp_path / "p")
    s, bench = window.session, window.bench
    s.choose_stage("Shape")
    s.select(("Chip",))
    pump(lambda: bool(bench.movers.tips) and not window.drawing(), 20)
    view, tip = bench.view, bench.movers.tips[0]
    at = bench.handles.at(tip)
    start = QPoint(int(at[0]), int(view.height() - at[1]))
    step = bench.handles.at(tip + np.array([0.01, 0.0, 0.0])) - at  # pixels a centimetre
    end = start + QPoint(int(2.2 * step[0]), int(-2.2 * step[1]))
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    for m in range(1, 6):
        QTest.mouseMove(view, start + (end - start) * m / 5)
        QApplication.processEvents()
    assert bench.movers.by[0] == pytest.approx(0.022, abs=0.004)
    by = bench.movers.by[0]
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    pump(rest=0.3)
    moved = float(next(r for r in s.document.rows if r.name == "Chip").at.split(",")[0])
    assert moved == pytest.approx(26 + 1e3 * by, abs=1e-3)
    window.undo()
    assert next(r for r in s.document.rows if r.name == "Chip").at == "26, 14, 2 mm"
    assert not s.history.dirty
    s.set_cell("Chip", "at", "= 13*2, 14, 2 mm")
    pump(lambda: bool(bench.movers.tips) and not window.drawing(), 20)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(view, end)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    pump(rest=0.2)
    assert "is a formula" in window.ledger.note.text()
    for side, toward in (("x-", [-1, 0, 0]), ("y+", [0, 1, 0]), ("z+", [0, 0, 1])):
        window.actions_[f"Look at the {side} side"].trigger()
        pump(lambda: not window.drawing(), 20)
        way = np.subtract(bench.view.camera.position, bench.view.camera.focal_point)
        assert way / np.linalg.norm(way) == pytest.approx(toward, abs=1e-6)


def test_parameters_are_pulled(open_, pump, tmp_path):
    """A slider for each named value says what goes by it; let go it is one step of undo, and what goes by it follows;
    without any the page says how to begin."""
    document = edits.add_row("One", d.Parameter(name="gap", value="3 mm")).apply(small())
    document = edits.set_cell("One", "Chip", "at", "26 mm, 14 mm, = gap").apply(document)
    files.save(document, tmp_path / "p")
    window = open_(tmp_path / "p")
    s = window.session
    s.choose_stage("Shape")
    QTest.mouseClick(window.tabs_["Parameters"], Qt.MouseButton.LeftButton)
    page = window.pages["Parameters"]
    pump(lambda: "gap" in page.sliders, 10)
    slider = page.sliders["gap"]
    slider.setSliderDown(True)
    slider.setValue(200)
    assert page.labels["gap"].text() == "6 mm"
    assert next(r for r in s.document.rows if r.name == "gap").value == "3 mm"
    slider.setSliderDown(False)
    pump(rest=0.2)
    assert next(r for r in s.document.rows if r.name == "gap").value == "6 mm"
    chip = next(x for x in s.standing().model.solids if x.name == "Chip")
    assert chip.bounds[2][0] == pytest.approx(0.006)
    window.undo()
    s.set_cell("Chip", "at", "26, 14, 2 mm")
    s.do(edits.delete_row("One", "gap"))
    pump(rest=0.2)
    assert "No named values yet" in page.said.text()
