"""Hands on the bench and in the ledger, by mouse and keys: everything one step of undo."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from stithy import kinds as d
from stithy.project import edits, files

from ..conftest import small

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
SHIFT, NONE = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.NoModifier


@pytest.fixture
def window(open_, pump, tmp_path):
    """A model of a chip, a second one beside it and one hidden below the first."""
    document = small()
    for name, at in (("Right", "46, 14, 2 mm"), ("Low", "30, 18, 2 mm")):
        row = d.Block(name=name, at=at, size="4, 4, 4 mm")
        document = edits.add_row("One", row).apply(document)
    document = edits.set_cell("One", "Low", "order", "1").apply(document)
    files.save(document, tmp_path / "p")
    window = open_(tmp_path / "p")
    window.resize(1280, 800)
    window.session.choose_stage("Shape")
    window.session.snap = 0.0
    pump(lambda: not window.drawing(), 20)
    return window


def _pixel(bench, point) -> QPoint:
    x, y = bench.handles.at(point)
    return QPoint(int(round(x)), int(round(bench.view.height() - y)))


def _drag(view, path, keys=NONE, release=True):
    QTest.mousePress(view, LEFT, keys, path[0])
    for a, b in zip(path, path[1:], strict=False):
        for m in range(1, 5):
            point = a + (b - a) * m / 4
            event_at = QPoint(point)
            QTest.mouseMove(view, event_at)
            QApplication.processEvents()
    if release:
        QTest.mouseRelease(view, LEFT, keys, path[-1])
    QApplication.processEvents()


def _row(window, name):
    return next((r for r in window.session.document.rows_of("One") if r.name == name), None)


def _grips(window, pump, name):
    window.session.select((name,))
    pump(lambda: bool(window.bench.movers.grips) and not window.drawing(), 20)
    return window.bench.movers.grips


def _grip(window, pump, name, axes, end=None):
    return next(g for g in _grips(window, pump, name) if g.axes == axes and g.end == end)


def test_a_size_is_pulled_and_a_number_typed(window, pump):
    """The face goes along and the other stays; typed while it is held, the number counts; after it was let go it takes
    the pull's place in the same one step; Esc lets all be."""
    bench, view, s = window.bench, window.bench.view, window.session
    before = _row(window, "Chip")
    sizes = [float(x) for x in before.size.removesuffix("mm").split(",")]
    grip = _grip(window, pump, "Chip", (0,), 1)
    start = _pixel(bench, grip.place)
    step = _pixel(bench, np.array(grip.place) + [0.004, 0, 0]) - start
    _drag(view, [start, start + step], release=False)
    assert bench.movers.field.isVisible()
    pulled = bench.movers.by[0]
    assert pulled == pytest.approx(0.004, abs=0.0015)
    assert float(bench.movers.field.line.text()) == pytest.approx(sizes[0] + 1e3 * pulled, abs=0.01)
    QTest.keyClicks(view, "25")
    QTest.mouseRelease(view, LEFT, NONE, start + step)
    QTest.keyClick(view, Qt.Key.Key_Return)
    pump(rest=0.3)
    assert _row(window, "Chip").size.startswith("25, ")
    assert _row(window, "Chip").at == before.at
    window.undo()
    assert _row(window, "Chip") == before
    grip = _grip(window, pump, "Chip", (0,), 0)
    start = _pixel(bench, grip.place)
    _drag(view, [start, start - step])
    pump(rest=0.2)
    assert float(_row(window, "Chip").at.split(",")[0]) < float(before.at.split(",")[0])
    QTest.keyClicks(view, "30 mm")
    QTest.keyClick(view, Qt.Key.Key_Return)
    pump(rest=0.3)
    after = _row(window, "Chip")
    assert after.size.startswith("30, ")
    right = float(before.at.split(",")[0]) + sizes[0]
    assert float(after.at.split(",")[0]) + 30 == pytest.approx(right, abs=1e-3)
    window.undo()
    assert _row(window, "Chip") == before  # pull and typing were one step
    grip = _grip(window, pump, "Chip", (0,), 1)
    start = _pixel(bench, grip.place)
    _drag(view, [start, start + step], release=False)
    QTest.keyClick(view, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, LEFT, NONE, start + step)
    pump(rest=0.2)
    assert _row(window, "Chip") == before
    assert not s.history.dirty


def test_a_part_goes_in_a_plane(window, pump):
    """A square handle takes it along two axes at once, none of the third."""
    bench = window.bench
    grip = _grip(window, pump, "Right", (0, 1))
    start = _pixel(bench, grip.place)
    goal = _pixel(bench, np.array(grip.place) + [0.006, 0.003, 0.0])
    _drag(bench.view, [start, goal])
    pump(rest=0.3)
    x, y, z = (float(v) for v in _row(window, "Right").at.removesuffix("mm").split(","))
    assert (x, y) == (pytest.approx(52, abs=1.0), pytest.approx(17, abs=1.0))
    assert z == 2


def _hull(window, name):
    from stithy.model.places import boxes

    b = boxes(window.session.standing().model)[name]
    corners = [_pixel(window.bench, [b[i][0], b[j][1], b[k][2]]) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
    xs, ys = [c.x() for c in corners], [c.y() for c in corners]
    return QPoint(min(xs) - 4, min(ys) - 4), QPoint(max(xs) + 4, max(ys) + 4)


def test_box_and_lasso_choose_hidden_parts_too(window, pump):
    """Shift and a straight pull spans a box, a curved one a lasso; what lies wholly inside is chosen, seen or not."""
    bench, s = window.bench, window.session
    low, high = _hull(window, "Chip")
    _drag(bench.view, [low, high], SHIFT)
    pump(rest=0.2)
    assert set(s.selected) >= {"Chip", "Low"}
    assert "Right" not in s.selected
    s.select(())
    low, high = _hull(window, "Right")
    round_ = [low, QPoint(high.x(), low.y()), high, QPoint(low.x(), high.y()), low + QPoint(0, 6)]
    _drag(bench.view, round_, SHIFT)
    pump(rest=0.2)
    assert s.selected == ("Right",)


def test_measuring_by_clicks(window, pump):
    """M, then two corners: what is between them; a part and two parts from the menu."""
    bench, s, view = window.bench, window.session, window.bench.view
    bench.work.measure.setChecked(True)
    pump(lambda: not window.drawing(), 20)
    corners = [np.array([0.046, 0.014, 0.006]), np.array([0.05, 0.014, 0.006])]
    for corner in corners:
        at = _pixel(bench, corner) + QPoint(2 if corner is corners[0] else -3, 3)
        QTest.mouseClick(view, LEFT, NONE, at)
        pump(rest=0.1)
    told = {m.what: m.value for m in s.measured}
    assert told["distance"] == pytest.approx(0.004, abs=1e-6)
    assert "distance 4 mm" in bench.work.said.text()
    bench.work.measure.setChecked(False)
    assert not s.measured
    s.select(("Chip", "Right"))
    window.ledger.rows_menu.measure()
    assert "gap between the parts 10 mm" in bench.work.said.text()


def test_arranged_from_the_menu(window, pump, monkeypatch):
    """The menu of what is under the pointer; repeat, mirror, align, spread and put on are one step each."""
    from PyQt6.QtWidgets import QInputDialog

    s, bench = window.session, window.bench
    asked = []
    bench.asked.disconnect()
    bench.asked.connect(asked.append)
    QTest.mouseClick(bench.view, RIGHT, NONE, _pixel(bench, [0.048, 0.014, 0.004]))
    pump(rest=0.2)
    assert asked
    assert s.selected == ("Right",)
    before = s.document
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("3 x 0, 6, 0 mm", True))
    window.ledger.rows_menu.ask("Repeat in a line")
    assert _row(window, "Right 3").at == "46, 26, 2 mm"
    s.select(("Right", "Right 2", "Right 3"))
    menu = window.ledger.row_menu()
    texts = [a.text() for a in menu.actions()]
    assert {"Arrange", "Measure", "Keep together as a group", "Duplicate"} <= set(texts)
    window.ledger.rows_menu.do("align x low")
    window.undo() if s.history.document is not before else None
    assert s.document == before or s.history.undo()
    while s.document != before:
        window.undo()
    s.select(("Right",))
    window.ledger.rows_menu.do("mirror y")
    assert s.selected == ("Right 2",)
    window.undo()
    assert s.document == before
    window.ledger.rows_menu.do("spread x")
    assert "Choose 3" in window.ledger.note.text()


def _seen(bench) -> set[str]:
    """Parts whose skins are drawn."""
    actors = [a for a in bench.view.renderer.actors.values() if bench.painter.name_of(a)]
    return {bench.painter.name_of(a) for a in actors if a.GetMapper().GetInput().GetNumberOfPolys()}


def test_a_cut_follows_its_slider(window, pump):
    """Cut across an axis: what stands before the plane is gone; turned, the other half; the keys do it too."""
    bench, s = window.bench, window.session
    bench.view.setFocus()
    bench.work.cut_across(0)
    assert s.cut is not None
    assert s.cut[0] == 0
    bench.work.slider.setValue(10)
    pump(lambda: not window.drawing(), 20)
    axis, at, keep = s.cut
    seen = _seen(bench)
    far = "Right" if keep > 0 else "Chip"
    assert far in seen
    bench.work.turn_cut()
    pump(lambda: not window.drawing(), 20)
    assert s.cut[2] == -keep
    assert _seen(bench) != seen
    bench.work.cut_across(None)
    assert s.cut is None


def test_groups_fold_and_rows_move(window, pump):
    """Rows kept together stand under their heading, fold, are chosen by it; rows are listed elsewhere by keys and by
    dropping, which makes no other model."""
    s, ledger = window.session, window.ledger
    key = s.standing().model.key()
    s.select(("Chip", "Right"))
    QTest.keyClick(window, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
    assert _row(window, "Group").of == "Chip; Right"
    lines = ledger.model.lines
    at = lines.index("Group")
    assert [x.name for x in lines[at + 1 : at + 3]] == ["Chip", "Right"]
    ledger.press_heading(lines[at], 5)
    assert ledger.model.lines[at].folded
    assert ledger.model.lines[at].count == 2
    assert not any(getattr(x, "name", "") == "Right" for x in ledger.model.lines)
    ledger.press_heading(ledger.model.lines[at], 60)
    assert s.selected == ("Chip", "Right", "Group")
    assert s.parts == ("Chip", "Right")
    ledger.press_heading(ledger.model.lines[at], 5)
    s.select(("Right",))
    ledger.move_rows(-1)
    at = ledger.model.lines.index("Group")
    assert ledger.model.lines[at + 1].name in ("Right", "Chip")
    ledger.model.put(["Low"], "", "Group")
    assert _row(window, "Group").of == "Chip; Right; Low"
    ledger.model.put(["Right"], "", "")
    assert _row(window, "Group").of == "Chip; Low"
    assert s.standing().model.key() == key
    for _ in range(4):
        window.undo()
    assert not any(r.kind == "group" for r in s.document.rows)


def test_rows_are_found_by_values(window, pump):
    """Words and comparisons narrow the ledger; what cannot be read is told and hides nothing."""
    ledger = window.ledger
    ledger.filter.setText("size < 5 mm")
    names = [x.name for x in ledger.model.lines if not isinstance(x, str)]
    assert {"Right", "Low"} <= set(names)
    assert "Box" not in names
    ledger.filter.setText("block, size < 5 mm, right")
    assert [x.name for x in ledger.model.lines if not isinstance(x, str)] == ["Right"]
    ledger.filter.setText("> 80 nothings")
    assert "cannot be read" in ledger.note.text()
    assert len(ledger.model.lines) > 5
    ledger.filter.setText("")
    assert ledger.note.isHidden()


def test_what_can_be_added(window, pump):
    """Cards with drawings and a line each; typing narrows, Enter takes the first."""
    ledger = window.ledger
    ledger.offer()
    panel = ledger.adding
    assert len(panel.cards) > 25
    assert not panel.cards["flared sink"].icon().isNull()
    panel.find.setText("duct")
    assert "duct" in panel.cards
    QTest.keyClick(panel.find, Qt.Key.Key_Return)
    assert _row(window, "Duct") is not None
    assert window.session.selected == ("Duct",)


def test_scale_and_rulers(window, pump):
    """A coin stands beside a model as small as this; numbers of rulers go with the unit that is chosen."""
    from stithy.desk import rulers

    bench = window.bench
    bench.work.scale.setChecked(True)
    pump(lambda: not window.drawing(), 20)
    assert rulers.shadow_for([(0, 0.1), (0, 0.05), (0, 0.02)]) == "coin"
    assert rulers.shadow_for([(0, 0.4), (0, 0.05), (0, 0.02)]) == "hand"
    assert rulers.shadow_for([(0, 2.0), (0, 0.05), (0, 0.02)]) == "person"
    for what, shape, height in (("hand", rulers.hand(), 0.19), ("person", rulers.person(), 1.75)):
        low, high = shape.bounds[1], shape.bounds[3]
        assert (low, high) == (pytest.approx(0, abs=1e-9), pytest.approx(height)), what
        assert shape.is_valid
        assert shape.geom_type == "Polygon"
    assert rulers.step_for(0.24) == pytest.approx(0.05)
    assert rulers.step_for(0.07) == pytest.approx(0.02)


def test_the_smallest_piece_in_one_press(window, pump):
    """A layout of its own with half the box, shown at once; what was assumed is told; one step of undo."""
    s = window.session
    for name in ("Right", "Low"):
        s.do(edits.delete_row("One", name))
    before = s.document
    window.actions_["Smallest piece that repeats"].trigger()
    assert s.layout == "One, piece"
    assert "as symmetric across y" in window.status.text()
    assert next(x for x in s.standing().model.solids if x.name == "Chip").power == pytest.approx(0.5)
    window.undo()
    assert s.document == before
    s.set_cell("Chip", "at", "26, 10, 2 mm")
    window.actions_["Smallest piece that repeats"].trigger()
    assert "no smaller piece" in window.ledger.note.text()


def test_a_flux_by_place_is_painted(window, pump):
    """In Load a patch is painted by what is given there, its least and most written on it."""
    s, bench = window.session, window.bench
    patch = d.WallPatch(name="Lamp", on="Case", side="z-", at="5, 5 mm", size="20, 20 mm")
    s.do(edits.add_row("One", patch))
    s.set_cell("Lamp", "condition", "= 500 W/m2 * x / 10 mm")
    s.choose_stage("Load")
    pump(lambda: not window.drawing(), 20)
    meshes = [a.GetMapper().GetInput() for a in bench.painter.pictures_of("Lamp")]
    values = [m.GetPointData().GetArray("value") for m in meshes if m.GetPointData().GetArray("value")]
    assert [v.GetRange() for v in values] == [(pytest.approx(250.0), pytest.approx(1250.0))]
    window.ledger.edit_cell("condition")
    with pytest.raises(Exception, match="no heat flux"):
        s.set_cell("Lamp", "condition", "= 5 mm * x")


def test_slips_are_told_and_steps_are_kept(window, pump):
    """A flow in the wrong unit is told below the bench and not refused; the step parts go in is remembered."""
    s, bench = window.session, window.bench
    s.set_cell("In", "flow", "0.3 km/s")
    pump(lambda: not window.drawing(), 20)
    assert "Is this meant? In, flow" in bench.message.text()
    bench.work.set_snap("2 mm")
    assert s.snap == pytest.approx(0.002)
    bench.work.set_snap("nothing")
    assert s.snap == 0.0
    from PyQt6.QtCore import QSettings

    assert QSettings("stithy", "window").value("snap") == "nothing"
