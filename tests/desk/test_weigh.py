"""Weigh in a real window: a sweep and its table, a chart, a difference, a flip, what would help, a report."""

from __future__ import annotations

import pytest

pytest.importorskip("PyQt6")

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from stithy import api
from stithy import kinds as d
from stithy.project import edits, files
from stithy.weigh import record


def click(widget):
    """A press of the mouse in the middle of a widget."""
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)


def box(*more) -> d.Document:
    """A chip in a case with a vent and a fan; solved in a second."""
    rows = (
        d.Enclosure(name="Case", size="80, 50, 30 mm", wall="0 mm"),
        d.Component(name="Chip", at="30, 15, 0 mm", size="20, 20, 6 mm", power="3 W", limit="90 degC"),
        d.Vent(name="Vent", on="Case", side="x-", at="10, 5 mm", size="30, 20 mm"),
        d.WallFan(name="Fan", on="Case", side="x+", at="10, 5 mm", size="30, 20 mm", curve="Skerry 40", speed="100 %"),
        d.Surroundings(name="Air", ambient="25 degC", radiation="none", gravity="0, 0, 0 m/s2"),
        d.GridRow(name="Grid", coarsest="8 mm", across_gaps="3", across_solids="2", growth="2", at_walls="0 mm"),
        d.RunRow(name="Run"),
        d.Section(name="Section"),
    )
    document = d.Document(name="Box", rows=(*rows, *more))
    document = edits.duplicate_layout("First layout", "Slow").apply(document)
    return edits.set_cell("Slow", "Fan", "speed", "50 %", True).apply(document)


@pytest.fixture
def weighed(open_, pump, tmp_path):
    """The box with both layouts solved, in Weigh."""
    files.save(box(), tmp_path / "p")
    project = api.open_project(tmp_path / "p")
    for layout in ("First layout", "Slow"):
        project.solve(layout)
    window = open_(tmp_path / "p")
    click(window.stage_buttons["Weigh"])
    pump(lambda: window.second is not None and window.second.isVisible(), 10)
    pump(lambda: len(window.pages["Comparison"].names) == 2, 10)
    return window


def test_a_sweep_from_nothing_to_a_layout(weighed, pump):
    """Added by a press it runs as it comes; its points stand in the table and are narrowed by words; an edited one is
    refused with what it lacks; a point is made a layout and solved from its fields."""
    window, s = weighed, weighed.session
    click(window.tabs_["Studies"])
    page = window.pages["Studies"]
    pump(rest=0.3)
    assert "No study yet" in page.what.text()
    click(page.sweep)
    pump(lambda: page.list.count() == 1, 10)
    assert "sweep, 0 of 4 points" in page.list.item(0).text()
    assert s.selected == ("Sweep",)
    s.set_cell("Sweep", "first", "Fan, speed: 60; 80; 100 %")
    s.do(edits.set_cell(s.layout, "Sweep", "second", "Chip, size: 20, 20, 6 mm; 20, 20, 60 mm"))
    pump(rest=0.3)
    click(page.go)
    pump(lambda: s.work is None and s.ended is not None, 60)
    assert "3 of 6 points cannot be built" in page.said.text()
    assert not list((s.folder / record.FOLDER).glob("*/point.json"))
    s.set_cell("Sweep", "first", "Fan, speed: 60; 80 %")
    s.set_cell("Sweep", "second", "Chip, heat load: 3; 2 W")
    pump(rest=0.2)
    click(page.go)
    pump(lambda: s.work is not None, 10)
    pump(lambda: s.work is None, 90)
    assert "4 of 4 points are solved" in page.said.text()
    pump(lambda: "sweep, 4 of 4 points" in page.list.item(0).text(), 10)
    click(window.tabs_["Comparison"])
    table = window.pages["Comparison"]
    pump(lambda: len(table.names) == 6, 10)
    QTest.keyClicks(table.words, "Sweep, speed < 70 %")
    assert {n.values["Fan, speed"] for n in table.model.lines} == {"60 %"}
    table.words.clear()
    QTest.keyClicks(table.words, "colour < 3")
    assert "no column" in table.said.text()
    table.words.clear()
    column = table.model.heads.index("fan power\nW")
    header = table.table.horizontalHeader()
    QTest.mouseClick(
        header.viewport(),
        Qt.MouseButton.LeftButton,
        pos=QPointF(header.sectionViewportPosition(column) + 8, header.height() / 2).toPoint(),
    )
    assert table.rule.currentData() == ("fan power", False)
    best = {"Fan, speed": "80 %", "Chip, heat load": "3 W"}
    line = next(n for n in table.model.lines if n.values == best)
    _look_at_a_map(window, pump, line)
    click(window.tabs_["Comparison"])
    pump(rest=0.2)
    table.choose(line)
    assert table.make.isEnabled()
    click(table.make)
    assert s.document.layout(s.layout).changes["Fan"] == {"speed": "80 %"}
    click(window.run_button)
    pump(lambda: s.run is not None and s.run_state.cells, 30)
    pump(lambda: s.run is None and s._arriving is None, 60)
    assert s.standing().state == "current"
    again = s.standing().summary["parts"]["Chip"]["max"]
    assert again == pytest.approx(line.standing.summary["parts"]["Chip"]["max"], abs=0.05)


def _look_at_a_map(window, pump, line):
    """Of the sweep's two variables, by the keys from cell to cell; the cell of a line tells of it."""
    click(window.tabs_["Chart"])
    chart = window.pages["Chart"]
    pump(rest=0.3)
    click(chart.map)
    cells = chart.over.cells
    pump(lambda: cells.map is not None, 5)
    chart.over.number.setCurrentText("Chip")
    chart.over.number.activated.emit(0)
    assert cells.map.number == "Chip"
    QTest.mouseClick(cells, Qt.MouseButton.LeftButton, pos=cells.box(0, 0).center().toPoint())
    QTest.keyClick(cells, Qt.Key.Key_Right)
    QTest.keyClick(cells, Qt.Key.Key_Up)
    assert cells.at == (1, 1)
    assert chart.chosen.values == line.values
    assert chart.make.isEnabled()
    assert "80 %" in chart.said.text()
    click(chart.map)
    assert chart.stack.currentIndex() == 0


def test_a_search_in_the_window(weighed, pump):
    """Added by a press and given a range, it solves its proposals, says how it ended and what mattered, and its points
    stand in the table; stopped in the middle it keeps what there is."""
    window, s = weighed, weighed.session
    click(window.tabs_["Studies"])
    page = window.pages["Studies"]
    pump(rest=0.3)
    click(page.search)
    pump(lambda: page.list.count() == 1, 10)
    for key, text in (("first", "Fan, speed: 30 to 100 %"), ("goal", "fan power: least"), ("runs", "6")):
        s.set_cell("Search", key, text)
    pump(rest=0.2)
    assert page.go.text() == "Search"
    click(page.go)
    pump(lambda: s.work is not None and s.told.done >= 1, 60)
    click(page.halt)
    pump(lambda: s.work is None, 60)
    kept = len(list((s.folder / record.FOLDER).glob("*/point.json")))
    assert 1 <= kept < 6
    click(page.go)
    pump(lambda: s.work is None and s.ended is not None and "runs, ended" in s.ended.words, 90)
    assert "Fan, speed" in s.ended.words
    pump(lambda: "of at most 6 runs" in page.list.item(0).text(), 10)
    assert sum(1 for n in s.table.lines if n.of == "Search") >= kept


def test_difference_flip_and_more_beside(weighed, pump):
    """A third bench shows what the compared layout has more, on a scale about nothing, with the same camera; a key
    swaps both; a third layout stands beside them."""
    window, s = weighed, weighed.session
    assert s.compared == "Slow"
    click(window.pages["Comparison"].differ)
    pump(lambda: bool(window.others) and window.others[0].isVisible(), 10)
    pump(lambda: not window.drawing(), 20)
    bench = window.others[0]
    scale = bench.shown_scales[0]
    assert scale.quantity.name == "difference"
    assert scale.low == -scale.high < 0.0
    assert "warmer by up to" in bench.message.text()
    assert bench.view.camera is window.bench.view.camera
    assert not window.ledger.isVisible()
    click(window.rail)
    assert window.ledger.isVisible()
    QTest.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    pump(lambda: not window.drawing(), 20)
    assert (s.layout, s.compared) == ("Slow", "First layout")
    assert "cooler by up to" in bench.message.text()
    click(window.pages["Comparison"].differ)
    pump(lambda: not bench.isVisible(), 10)
    s.do(edits.duplicate_layout("Slow", "Third"))
    window.compare_more("Third")
    pump(lambda: bench.isVisible() and bench.layout_name == "Third", 10)
    assert bench.minus == ""


def test_chart_helps_and_report(weighed, pump, tmp_path):
    """A mark is clicked and told; columns are narrowed by a drag; what would help is worked out in a process of its
    own and drawn; a report is written."""
    window, s = weighed, weighed.session
    click(window.tabs_["Chart"])
    chart = window.pages["Chart"]
    pump(lambda: len(chart._known) == 2, 10)
    pump(rest=0.3)
    item = chart.dots.points()[0]
    at = chart.plot.plotItem.vb.mapViewToScene(item.pos())
    QTest.mouseClick(chart.plot.viewport(), Qt.MouseButton.LeftButton, pos=chart.plot.mapFromScene(at))
    pump(rest=0.2)
    assert chart.chosen is not None
    assert chart.chosen.name in chart.said.text()
    click(chart.every)
    pump(rest=0.2)
    columns = chart.columns
    m = next(k for k, name in enumerate(columns.names) if name.startswith("fan power"))
    x, low = int(columns._x(m)), int(columns._y(m, columns.ends[m][0]))
    QTest.mousePress(columns, Qt.MouseButton.LeftButton, pos=QPointF(x, low + 5).toPoint())
    QTest.mouseMove(columns, QPointF(x, low - 20).toPoint())
    QTest.mouseRelease(columns, Qt.MouseButton.LeftButton, pos=QPointF(x, low - 20).toPoint())
    assert columns.inside().sum() == 1
    assert "1 of 2 lie within" in chart.said.text()
    click(window.tabs_["What would help"])
    helps = window.pages["What would help"]
    pump(rest=0.3)
    click(helps.ask)
    pump(lambda: bool(helps.found), 90)
    assert {h.row for h in helps.bars.found} >= {"Chip", "Fan"}
    assert helps.bars.found[0].moves["Chip"] < 0.0
    window.pages["Studies"].write_report(str(tmp_path / "r.html"))
    pump(lambda: s.work is None and (tmp_path / "r.html").exists(), 90)
    text = (tmp_path / "r.html").read_text()
    assert text.count("data:image/png") == 2
    assert "What would help" in text
