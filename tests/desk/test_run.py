"""Grid and Run in a real window: wishes and sections, dials, refinement and a queue while runs are on."""

from __future__ import annotations

import json

import numpy as np
import pytest
import pyvista as pv

pytest.importorskip("PyQt6")

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from stithy import kinds as d
from stithy.desk import sparks
from stithy.project import edits, files
from stithy.solution import store


def click(widget):
    """A press of the mouse in the middle of a widget."""
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)


def drag(widget, start: float, end: float):
    """A mark pulled along a widget with the mouse, from x to x (px)."""
    y = widget.height() / 2
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=QPointF(start, y).toPoint())
    QTest.mouseMove(widget, QPointF(start + 0.5 * (end - start), y).toPoint())
    for part in (0.5, 1.0):
        move = QMouseEvent(
            QEvent.Type.MouseMove,
            QPointF(start + part * (end - start), y),
            widget.mapToGlobal(QPointF(start + part * (end - start), y)),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        QApplication.sendEvent(widget, move)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=QPointF(end, y).toPoint())


def box(coarsest="4 mm", **run) -> d.Document:
    """A chip in a case with a vent and a fan; solved in a few seconds."""
    rows = (
        d.Enclosure(name="Case", size="80, 50, 30 mm", wall="0 mm"),
        d.Component(name="Chip", at="30, 15, 0 mm", size="20, 20, 6 mm", power="3 W", limit="90 degC"),
        d.Vent(name="Vent", on="Case", side="x-", at="10, 5 mm", size="30, 20 mm"),
        d.WallFan(name="Fan", on="Case", side="x+", at="10, 5 mm", size="30, 20 mm", curve="Skerry 40"),
        d.Surroundings(name="Air", ambient="25 degC", radiation="none"),
        d.GridRow(name="Grid", coarsest=coarsest, across_gaps="6", across_solids="3", growth="1.5", at_walls="0 mm"),
        d.RunRow(name="Run", **run),
    )
    return d.Document(name="Box", rows=rows)


def test_a_wish_and_a_section(open_, pump, tmp_path):
    """A wish is added from Add, its number measured and put into its cell by one press; the section of the grid follows
    its slider, in tones of parts; findings say y+."""
    files.save(box(), tmp_path / "p")
    window = open_(tmp_path / "p")
    s, bench = window.session, window.bench
    click(window.stage_buttons["Grid"])
    pump(rest=0.5)
    assert "wish" in [k for kinds in window.ledger.offered().values() for k in kinds]
    before = s.standing().size[1]
    s.do(edits.add_row(s.layout, d.Wish(name="Chip cells", of="Chip", longest="3 mm")))
    s.select(("Chip cells",))
    model = s.standing().model
    from stithy.read import measure

    s.measured = tuple(measure.part(model, "Chip"))
    s.tell("measured")
    pump(rest=0.2)
    assert bench.work.take.isVisible()
    offers = {o[0]: o[1:] for o in bench.work.offers()}
    words = next(w for w in offers if w.startswith("along z 6 mm") and w.endswith("Chip cells, longest cell"))
    bench.work._offer()
    next(a for a in bench.work.take.menu().actions() if a.text() == words).trigger()
    assert next(r for r in s.document.rows if r.name == "Chip cells").longest == "6 mm"
    s.set_cell("Chip cells", "longest", "1 mm")
    assert s.standing().size[1] > 1.5 * before
    pump(rest=0.5)
    places = []
    for step in (40, 160):
        bench.work.cut_across(0) if s.cut is None else None
        bench.work.slider.setValue(step)
        pump(rest=0.5)
        drawn = [a.GetMapper() for a in bench.view.renderer.actors.values() if hasattr(a, "GetMapper")]
        meshes = [pv.wrap(m.GetInput()) for m in drawn if m is not None and m.GetInput() is not None]
        rgb = [m for m in meshes if "rgb" in m.cell_data]
        assert len(rgb) == 1
        places.append(rgb[0].bounds[0])
        assert len(np.unique(rgb[0].cell_data["rgb"], axis=0)) >= 1
    assert places[0] < places[1]
    window.show_page("Findings")
    pump(rest=0.3)
    assert "y+ about" in window.pages["Findings"].said.text()
    assert bench._look.cut is not None


def test_a_steady_run_is_steered(open_, pump, tmp_path):
    """A fan is turned by keys while a run is on, nonsense is refused and the run goes on, the grid is refined by a
    press: the result belongs to the layout as it is then, the log is read and searched, charts have marks."""
    files.save(box("1.8 mm", residual="0.000001", iterations="1500"), tmp_path / "p")
    window = open_(tmp_path / "p")
    s, state = window.session, lambda: window.session.run_state
    click(window.run_button)
    pump(lambda: s.run is not None and state().cells and s.stage == "Run", 20)
    pump(lambda: any(x.phase == "flow" for x in state().history) and ("Fan", "speed") in window.bench.dials.scales, 60)
    scale = window.bench.dials.scales["Fan", "speed"]
    scale.setFocus()
    for _ in range(8):
        QTest.keyClick(scale, Qt.Key.Key_Left)
    pump(lambda: any(x[3] == "turned" for x in state().log), 30)
    assert next(r for r in s.document.rows if r.name == "Fan").speed == "60 %"
    chip = next(x for x in window.bench.dials.scales.values() if x.of.row == "Chip")
    window.bench.dials.turn(chip.of, "5 kg")
    assert "5 kg" in window.ledger.note.text()
    s.run.ask(("turn", edits.set_cell(s.layout, "Chip", "size", "10, 10, 6 mm").apply(s.document).model_dump(), "size"))
    pump(lambda: "set up anew" in window.ledger.note.text(), 20)
    cells = state().cells
    finer = window.pages["Charts"].finer
    assert finer.isVisible()
    click(finer)
    pump(lambda: any(x[3] == "refined" for x in state().log) or s.run is None, 60)
    pump(lambda: s.run is None and s._arriving is None, 200)
    pump(rest=0.5)
    standing = s.standing()
    assert standing.state == "current"
    assert standing.summary["cells"] > 1.5 * cells
    assert [x[3] for x in standing.summary["log"]][:2] == ["turned", "refined"]
    charts = window.pages["Charts"]
    pump(lambda: len(charts._marked.get(charts.watches, ())) >= 4, 10)
    choice = charts.choices[charts.watches]
    next(a for a in choice.menu().actions() if a.text() == "flows").trigger()
    pump(rest=0.3)
    assert "flow in" in charts.watches.getPlotItem().titleLabel.text
    click(window.tabs_["Log"])
    log = window.pages["Log"]
    pump(rest=0.2)
    all_ = log.table.rowCount()
    QTest.keyClicks(log.find, "speed")
    assert log.table.rowCount() == 1 < all_
    assert "60 %" in log.table.item(0, 4).text()


def test_an_edit_is_taken_in_or_started_anew(open_, pump, tmp_path):
    """The ledger is changed while a run is on: one press takes that into it; what needs another set-up says so, and
    starts anew from the fields there are."""
    files.save(box("2 mm", residual="0.000001", iterations="1500"), tmp_path / "p")
    window = open_(tmp_path / "p")
    s, state, dials = window.session, lambda: window.session.run_state, window.bench.dials
    click(window.run_button)
    pump(lambda: any(x.phase == "flow" for x in state().history), 60)
    assert not dials.changed.isVisible()
    s.set_cell("Chip", "power", "2 W")
    pump(lambda: dials.changed.isVisible(), 10)
    click(dials.take)
    pump(lambda: any(x[3] == "turned" for x in state().log), 30)
    assert not dials.changed.isVisible()
    s.set_cell("Chip", "size", "20, 16, 6 mm")
    pump(lambda: dials.changed.isVisible(), 10)
    click(dials.take)
    pump(lambda: "set up anew" in window.ledger.note.text(), 20)
    pump(lambda: dials.changed.isVisible(), 10)
    first = s.run
    click(dials.anew)
    pump(lambda: s.run is not None and s.run is not first and state().cells, 60)
    assert state().text == "Continuing from the last field"
    click(window.run_button)
    pump(lambda: s.run is None and s._arriving is None, 100)
    assert s.standing().state == "current"
    assert s.standing().summary["parts"]["Chip"]["power"] == pytest.approx(2.0)


def test_a_dial_in_time_becomes_an_event(open_, pump, tmp_path):
    """Typed into a dial while time goes on, a load changes from the next step on; the document says so, and the result
    is current."""
    slows = d.EventRow(name="Slows", at="50 s", of="Fan", cell="speed", to="50 %")
    files.save(edits.add_row("First layout", slows).apply(box(time="60 s", step="0.5 s")), tmp_path / "p")
    window = open_(tmp_path / "p")
    s = window.session
    click(window.stage_buttons["Run"])
    course = window.bench.course
    pump(lambda: course.isVisible(), 5)
    drag(course, course.x_of(50.0), course.x_of(20.0))
    at = next(r.at for r in s.document.rows if r.name == "Slows")
    assert float(at.split()[0]) == pytest.approx(20.0, abs=0.3)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert [m.time for m in course.marks] == [50.0]
    click(window.run_button)
    pump(lambda: s.run is not None and s.run_state.history and ("Chip", "power") in window.bench.dials.scales, 60)
    dial = window.bench.dials.scales["Chip", "power"].of
    window.bench.dials.turn(dial, "1 W")
    pump(lambda: any(r.kind == "event" and r.of == "Chip" for r in s.document.rows), 30)
    event = next(r for r in s.document.rows if r.kind == "event" and r.of == "Chip")
    drag(course, course.x_of(50.0), course.x_of(40.0))
    QTest.keyClick(course, Qt.Key.Key_Right)
    pump(lambda: [round(m.time, 1) for m in course.marks if m.event] != [50.0], 5)
    pump(lambda: any(x[3] == "planned" for x in s.run_state.log), 30)
    chip = next(r for r in s.document.rows if r.name == "Chip")
    pump(lambda: (found := sparks.course(s, chip)) is not None and len(found) > 5, 30)
    assert (event.of, event.cell, event.to) == ("Chip", "heat load", "1 W")
    pump(lambda: s.run is None and s._arriving is None, 200)
    pump(rest=0.3)
    assert s.standing().state == "current"
    assert s.standing().summary["parts"]["Chip"]["power"] == pytest.approx(1.0)


def test_a_queue_is_ordered_held_and_taken_up(open_, pump, tmp_path):
    """All layouts that are due wait in an order that keys change; the window closed in the middle, opened again: they
    still wait, and go on by one press, two at once."""
    document = box("8 mm", iterations="20")
    for name, power in (("Two", "4 W"), ("Three", "5 W")):
        document = edits.duplicate_layout("First layout", name).apply(document)
        document = edits.set_cell(name, "Chip", "power", power, True).apply(document)
    files.save(document, tmp_path / "p")
    window = open_(tmp_path / "p")
    s = window.session
    window.run_all()
    pump(lambda: s.run is not None, 10)
    s.choose_stage("Run")
    pump(rest=0.3)
    click(window.tabs_["Queue"])
    page = window.pages["Queue"]
    pump(lambda: page.list.count() == 2 or not s.queue, 10)
    last = s.queue[-1]
    page.choose(last)
    QTest.keyClick(page.list, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert s.queue.index(last) == len(s.queue) - 2
    kept = json.loads((tmp_path / "p/.queue.json").read_text())
    assert kept == s.queue
    click(page.hold)
    assert s.paused
    worker = s.run.process
    window.close()
    worker.join(60)
    again = open_(tmp_path / "p")
    s = again.session
    assert s.paused
    assert s.queue[1:] == kept or s.queue == kept
    s.choose_stage("Run")
    pump(rest=0.3)
    click(again.tabs_["Queue"])
    pump(rest=0.2)
    assert "Paused" in again.pages["Queue"].said.text()
    click(again.pages["Queue"].two)
    click(again.pages["Queue"].hold)
    pump(lambda: "Beside it" in again.pages["Queue"].said.text(), 10)  # two at once, for as long as both last
    assert not s.paused
    pump(lambda: s.run is None and not s.beside and not s.queue, 200)
    assert not (tmp_path / "p/.queue.json").exists()
    assert set(store.index(tmp_path / "p")) == {"First layout", "Two", "Three"}
    assert {s.standing(n).state for n in store.index(tmp_path / "p")} == {"current"}
    click(again.pages["Queue"].two)
