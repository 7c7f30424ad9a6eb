"""Load in a real window: a board taken in and swapped, loads pasted, copper and roles seen, estimates beside."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from stithy import kinds as d
from stithy.model import roles
from stithy.project import files
from verification import boards

from ..conftest import small


def _box(tmp_path):
    """A project with a box, a grid of few cells, and two layouts."""
    doc = d.Document(
        name="Box",
        rows=(
            d.Enclosure(name="Case", size="120, 160, 50 mm", wall="2 mm", outside="8 W/m2/K"),
            d.Surroundings(name="Surroundings", radiation="none"),
            d.GridRow(name="Grid", across_gaps="1", across_solids="1", growth="3", at_walls="0 mm"),
            d.RunRow(name="Run"),
        ),
        layouts=(d.Layout(name="A"), d.Layout(name="B")),
    )
    files.save(doc, tmp_path / "box")
    return tmp_path / "box"


def _press(chip):
    QTest.mouseClick(chip, Qt.MouseButton.LeftButton)


def test_a_board_its_loads_and_its_revision(tmp_path, open_, pump):
    """Import, paste of a table, copper of a layer, roles, the next without a load; then revision B in one layout."""
    folder = _box(tmp_path)
    paths = {n: boards.relay(n).write(tmp_path / n) for n in "AB"}
    window = open_(folder)
    session, bar = window.session, window.bench.loads
    window.importing.begin_board(str(paths["A"]))
    pump(lambda: any(r.name == "Relay a" for r in session.document.rows), limit=60)
    assert session.stage == "Load"
    assert "14 parts" in bar.came.text()
    QApplication.clipboard().setText("reference\tpower [W]\tlimit\nQ1\t1.5\t125 degC\nU2\t1.2\t85 degC\nXX\t1\t\n")
    window.ledger.paste()
    rows = {r.name: r for r in session.document.rows}
    assert (rows["Q1"].power, rows["U2"].limit) == ("1.5 W", "85 degC")
    assert "XX" in bar.came.text()
    chips = {w.text(): w for w in (bar.chips.itemAt(m).widget() for m in range(bar.chips.count())) if w is not None}
    _press(chips["plane 1"])
    pump(rest=0.3)
    assert session.copper == ("Relay a", 1)
    assert window.bench._look.copper[1] == 1
    _press(bar.roles)
    pump(rest=0.3)
    assert roles.MISSING in bar.legend.text()
    missing = roles.counted(roles.faces(session.standing().model))[roles.MISSING]
    window.actions_["Next without a load"].trigger()
    assert session.selected[0] in missing
    session.select(("Q1", "U1", "U4"))
    window.ledger.rows_menu.give(["power", "limit"])
    rows = {r.name: r for r in session.document.rows}
    assert (rows["U4"].power, rows["U1"].limit) == ("1.5 W", "125 degC")
    window.undo()
    session.choose_layout("B")
    session.only_here = True
    session.select(("Relay a",))
    window.importing.swap(str(paths["B"]))
    pump(lambda: "kept" in bar.came.text(), limit=60)
    assert "13 parts kept, 3 new, 1 gone (Q3)" in bar.came.text()
    here = {r.name for r in session.document.rows_of("B")}
    there = {r.name for r in session.document.rows_of("A")}
    assert {"Q2", "U3", "L2"} <= here - there
    assert there - here == {"Q3"}
    window.actions_["Undo"].trigger()
    assert {r.name for r in session.document.rows_of("B")} == there


def test_an_estimate_stands_beside_while_one_types(demo, open_, pump):
    """Before any solve a mark and a band in the tiles and on the card, anew after an edit; beside a result a mark."""
    window = open_(demo)
    session = window.session
    session.foretelling.on = True
    window._ask_estimates()
    tile = lambda name: next(t for t in window.margins.tiles if t.margin.bound.name == name)  # noqa: E731
    pump(lambda: tile("Surge stage").foretold is not None, limit=90)
    assert not tile("Surge stage").guessed
    assert "what was solved" in tile("Surge stage").toolTip()
    before = tile("Surge stage").foretold[0]
    session.do(_doubled(session))
    pump(lambda: tile("Surge stage").foretold is not None and tile("Surge stage").foretold[0] > before + 20, limit=90)


def test_an_estimate_where_nothing_is_solved(tmp_path, open_, pump):
    """A mark with its band in place of a value, on the tile and on the card, and what it took below."""
    files.save(small(), tmp_path / "small")
    window = open_(tmp_path / "small")
    window.actions_["Estimates before any solve, on or off"].trigger()
    tile = lambda: next(t for t in window.margins.tiles if t.margin.bound.name == "Chip")  # noqa: E731
    pump(lambda: tile().foretold is not None, limit=90)
    assert tile().guessed
    assert tile().value_text().startswith("△")
    assert "±" in tile().band_text()
    card = next(c for c in window.cards.cards if c.standing.layout == "One")
    assert any("△" in text for line in card._lines() for text, *_ in line)
    assert "estimate" in window.margins.count.text()
    window.actions_["Estimates before any solve, on or off"].trigger()
    assert tile().foretold is None


def test_all_layouts_that_are_due_are_solved(tmp_path, open_, pump):
    """One press: one after the other, told on the cards and at the end; nothing is due then; a stop holds the queue."""
    files.save(small(), tmp_path / "small")
    window = open_(tmp_path / "small")
    session = window.session
    assert session.due() == ["One", "Two"]
    window.actions_["Run all that are out of date"].trigger()
    pump(lambda: any(c.waits == "waits, 1" for c in window.cards.cards), limit=20)
    assert next(c for c in window.cards.cards if c.standing.layout == "One").waits == "solving"
    pump(lambda: session.run is None and not session.queue and not session.due(), limit=90)
    assert all(session.standing(n).state == "current" for n in ("One", "Two"))
    assert "2 layouts solved" in window.bench.loads.came.text()
    window.actions_["Run all that are out of date"].trigger()
    assert "Every layout" in window.ledger.note.text()
    session.set_cell("Chip", "power", "1.2 W")
    window.actions_["Run all that are out of date"].trigger()
    session.stop_run()
    assert session.paused
    pump(lambda: session.run is None, limit=60)


def test_findings_lead_to_their_place(tmp_path, open_, pump):
    """In Grid what is doubtful is listed, worst first; a press chooses the rows it is about and marks the place."""
    doc = small()
    rows = (*doc.rows, d.Block(name="Near", at="37, 14, 2 mm", size="10, 12, 4 mm"))
    grid = [r.model_copy(update={"across_gaps": "1"}) if r.kind == "grid" else r for r in rows]
    files.save(doc.model_copy(update={"rows": tuple(grid)}), tmp_path / "small")
    window = open_(tmp_path / "small")
    window.session.choose_stage("Grid")
    pump(rest=0.3)
    window.tabs_["Findings"].click()
    page = window.pages["Findings"]
    pump(lambda: page.table.rowCount() > 0, limit=20)
    at = next(m for m, f in enumerate(page.found) if set(f.rows) == {"Chip", "Near"})
    page.table.selectRow(at)
    assert set(window.session.selected) == {"Chip", "Near"}
    pump(lambda: "finding" in window.bench.painter._of_row, limit=20)


def _doubled(session):
    from stithy.project import edits

    return edits.set_cell(session.layout, "Surge stage", "power", "7 W")
