"""Read in a real window: every drawn kind, handles and scales dragged, values pinned, lines, heat path, films."""

from __future__ import annotations

import shutil

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from stithy import api, cli
from stithy import kinds as d
from stithy.kinds.fit import around
from stithy.kinds.watch import WatchRow
from stithy.model.drawn import References
from stithy.project import edits, files
from stithy.read import shown
from verification.examples import STILL

from ..conftest import small


@pytest.fixture(scope="module")
def box(tmp_path_factory):
    """The small box, solved: forced, laminar."""
    place = tmp_path_factory.mktemp("box")
    files.save(small(**STILL), place)
    for layout in ("One", "Two"):
        api.open_project(place).solve(layout)
    return place


@pytest.fixture
def reading(open_, box, pump, tmp_path):
    """A window in Read on a copy of the solved box."""
    window = open_(shutil.copytree(box, tmp_path / "box"))
    window.session.choose_stage("Read")
    pump(rest=0.5)
    return window


def picture(window) -> np.ndarray:
    """What the bench shows."""
    window.bench.smoothing.finish()
    return window.bench.view.screenshot(return_img=True).astype(int)


def changes(window, pump, act) -> None:
    """Do something, and wait until the picture is another."""
    before = picture(window)
    act()
    pump(rest=0.3)

    def another() -> bool:
        now = picture(window)
        return now.shape != before.shape or np.abs(now - before).mean() > 0.01

    pump(another, 20)


def drag(widget, start: QPoint, end: QPoint) -> None:
    """Press, move in steps, let go."""
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    for m in range(1, 6):
        QTest.mouseMove(widget, start + (end - start) * m / 5)
        QApplication.processEvents()
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


def cell(window, row: str, key: str) -> str:
    """What stands in a cell of the document."""
    return next(r for r in window.session.document.rows if r.name == row).text(key)


DRAWN = (
    d.Section(name="Oblique", across="1, 1, 0", steps="12", lines="yes"),
    d.Section(name="Speeds", quantity="speed", across="z", at="5 mm", values="cells"),
    d.Surface(name="Flux", quantity="wall heat flux", of="Chip", opacity="70 %"),
    d.Surface(name="Walls", quantity="wall shear", of="Case", steps="8"),
    d.Isosurface(name="Warm", at="30; 35 degC", quantity="speed"),
    d.Vectors(name="Arrows", section="Speeds", quantity="temperature", arrows="one length", longer="2"),
    d.Streamlines(name="Lines", source="In; Speeds", count="40", quantity="residence time", marks="moving"),
    d.LineRow(name="Round the chip", quantity="wall temperature; wall heat flux", section="Section", part="Chip"),
    d.Flag(name="Hottest", of="Chip"),
    d.Section(
        name="Rest", quantity="= temperature - 20 degC", range="0 to 30 K", across="x", at="15 mm", clips="low side"
    ),
)


def test_every_drawn_kind(reading, pump):
    """Each changes the picture when it is added, and gives it back when it is taken away; what cannot be drawn is told
    and all else is drawn."""
    window = reading
    s = window.session
    s.change([("Section", "across", "y"), ("Surfaces", "shown", "off")], "begin")
    for row in DRAWN:
        changes(window, pump, lambda row=row: s.do(edits.add_row(s.layout, row)))
    assert not window.bench._look.told
    assert {x.quantity.dimension for x in window.bench.shown_scales} >= {"temperature", "velocity", "heat flux", "time"}
    s.set_cell("Warm", "at", "900 degC")
    pump(rest=0.3)
    pump(lambda: "does not occur" in window.bench.message.text(), 10)
    assert len(window.bench.painter.marks) == 1
    for _ in DRAWN:
        window.undo()
    window.undo()
    changes(window, pump, window.undo)


def slide(window, pump, name: str, way: float) -> None:
    """Drag the handle of a section along its direction (m)."""
    bench = window.bench
    place, normal = bench.handles.places[name]
    canvas = bench.view.interactor if hasattr(bench.view, "interactor") else bench.view
    ends = (bench.handles.at(place), bench.handles.at(place + way * normal))
    from_, to = (QPoint(int(p[0]) + 8, int(canvas.height() - p[1]) - 4) for p in ends)
    changes(window, pump, lambda: drag(canvas, from_, to))


def test_flags_are_dragged(reading, pump):
    """A flag's words go where they are dragged, with a line to its place; its dot takes the point along in the plane of
    the picture, and its value with it; each is one step of undo."""
    window = reading
    s, bench = window.session, window.bench
    flag = d.Flag(name="Here", at="30, 20, 20 mm", quantity="temperature")
    changes(window, pump, lambda: s.do(edits.add_row(s.layout, flag)))
    canvas = bench.view.interactor if hasattr(bench.view, "interactor") else bench.view

    def pull(point, off: QPoint, by: QPoint) -> None:
        at = bench.handles.at(np.array(point))
        start = QPoint(int(at[0]), int(canvas.height() - at[1])) + off
        changes(window, pump, lambda: drag(canvas, start, start + by))

    place, words, told = bench.painter.flags["Here"]
    assert words is None
    pull(place, QPoint(40, -6), QPoint(50, -60))
    after = bench.painter.flags["Here"]
    assert after[0] == place
    assert after[2] == told
    moved = bench.handles.at(np.array(after[1])) - bench.handles.at(np.array(place))
    assert moved == pytest.approx([50, 60], abs=2)
    pull(place, QPoint(0, 0), QPoint(-60, 30))
    point = bench.painter.flags["Here"][0]
    assert bench.handles.at(np.array(point)) - bench.handles.at(np.array(place)) == pytest.approx([-60, -30], abs=2)
    v = s.picture.library.values(s.result(), References())
    value = float(v.at("temperature", [point])[0])
    assert bench.painter.flags["Here"][2].startswith(shown.text(value, "temperature"))
    window.undo()
    window.undo()
    assert cell(window, "Here", "label") == ""
    assert cell(window, "Here", "at") == "30, 20, 20 mm"


def test_hands_on_the_picture(reading, pump, tmp_path):
    """Discs by mouse and space, a section by its handle and its slider, a scale by its grip and by typing; a click
    pinned; parts hidden; a view kept and gone back to. Each is one step of undo."""
    window = reading
    s, bench, ledger = window.session, window.bench, window.ledger
    line = next(i for i, x in enumerate(ledger.model.lines) if getattr(x, "name", "") == "Vectors")
    at = ledger.table.visualRect(ledger.model.index(line, 0))
    spot = QPoint(at.x() + 11, at.center().y())
    changes(window, pump, lambda: QTest.mouseClick(ledger.table.viewport(), Qt.MouseButton.LeftButton, pos=spot))
    assert cell(window, "Vectors", "shown") == "on"
    s.select(("Vectors",))
    changes(window, pump, lambda: QTest.keyClick(ledger.table, Qt.Key.Key_Space))
    assert cell(window, "Vectors", "shown") == "off"
    slide(window, pump, "Section", 8e-3)
    moved = float(cell(window, "Section", "at").split()[0])
    assert moved == pytest.approx(20.0 + 8.0, abs=1.0)
    window.undo()
    assert cell(window, "Section", "at") == ""
    changes(
        window, pump, lambda: s.change([("Section", "across", "0, 1, 1"), ("Section", "at", "30, 20, 8 mm")], "slant")
    )
    slide(window, pump, "Section", 6e-3)
    x, y, z = (float(v) for v in cell(window, "Section", "at").removesuffix(" mm").split(","))
    assert (x, y - 20, z - 8) == pytest.approx((30.0, 4.24, 4.24), abs=0.8)
    assert y - 20 == pytest.approx(z - 8, abs=1e-3)
    window.undo()
    window.undo()
    changes(window, pump, lambda: s.tell("trial"))
    s.select(("Section",))
    pump(rest=0.2)
    slider = ledger.drag.slider
    slider.setFocus()
    changes(window, pump, lambda: slider.setValue(300))
    assert float(cell(window, "Section", "at").split()[0]) == pytest.approx(30.0, abs=0.2)
    scale = bench.scales.scales[0]
    bar = scale._bar()
    grip = QPoint(int(bar.right()), int(bar.center().y()))
    changes(window, pump, lambda: drag(scale, grip, grip - QPoint(60, 0)))
    low, high = cell(window, "Section", "range").replace(" degC", "").split(" to ")
    assert cell(window, "Surfaces", "range") == cell(window, "Section", "range")
    assert float(low) < float(high) < 60.0
    QTest.mouseClick(scale, Qt.MouseButton.RightButton, pos=grip)
    assert cell(window, "Section", "range") == "this layout"
    bench.probe((30.0, 20.0, 4.0))
    assert bench.clicked == pytest.approx((0.03, 0.02, 0.004))
    changes(window, pump, window.pin)
    assert cell(window, "Flag", "at") == "30, 20, 4 mm"
    s.select(("Chip",))
    changes(window, pump, lambda: window.see("hidden"))
    bench.bar.keep_view()
    assert cell(window, "View", "hidden") == "Chip"
    changes(window, pump, lambda: window.see(""))
    bench.view.camera.position = (300.0, 200.0, 300.0)
    changes(window, pump, lambda: QTest.mouseClick(bench.bar.chips["View"], Qt.MouseButton.LeftButton))
    assert s.picture.sight == {"Chip": "hidden"}
    window.picture_at_size(str(tmp_path / "big.png"), "640 x 400")
    window.film("section", str(tmp_path / "moving.mp4"), 0.4)
    window.film("turn", str(tmp_path / "turn.gif"), 0.3)
    window.export_tables(str(tmp_path / "all.xlsx"))
    for name, least in (("big.png", 5_000), ("moving.mp4", 2_000), ("turn.gif", 2_000), ("all.xlsx", 5_000)):
        assert (tmp_path / name).stat().st_size > least, name
    window.picture_at_size(str(tmp_path / "none.png"), "large")
    assert "is no size" in ledger.note.text()


def test_lines_path_and_what_if(reading, pump, tmp_path):
    """A line over two layouts with measured points, its cursor on the bench; the heat path by name; powers moved with
    the answer at once, and made a layout."""
    window = reading
    s = window.session
    s.do(edits.add_row(s.layout, d.LineRow(name="Axis", quantity="temperature; speed", layouts="all layouts")))
    s.do(edits.add_row(s.layout, d.WatchRow(name="Leaves", of="Out", most="40 degC")))
    window.tabs_["Lines"].click()
    page = window.pages["Lines"]
    pump(lambda: len(page.found) == 2, 10)
    assert page.right.addedItems
    QTest.keyClick(page, Qt.Key.Key_Right)
    assert s.picture.pointed is not None
    assert page.values.item(0, 1).text() not in ("", "–")
    page.copy()
    assert QApplication.clipboard().text().count("\n") == 200
    points = tmp_path / "points.csv"
    points.write_text("distance mm, T degC\n10, 25\n20, 30\n")
    page._take(points)
    pump(rest=0.2)
    assert cell(window, "Axis", "measured").startswith("points ")
    assert not page.note.text()
    for name in ("line.svg", "line.png"):
        from stithy.desk.line_plots import save_plot

        save_plot(page.plot, tmp_path / name)
        assert (tmp_path / name).stat().st_size > 1000
    window.tabs_["Heat path"].click()
    path = window.pages["Heat path"]
    pump(lambda: path.table.rowCount() > 3, 10)
    assert path.table.item(0, 0).text() == "heat load"
    pump(lambda: "Chip" in path.drawing.boxes, 5)
    whole = path.table.rowCount()
    QTest.mouseClick(path.drawing, Qt.MouseButton.LeftButton, pos=path.drawing.boxes["Chip"].center().toPoint())
    assert path.table.rowCount() < whole
    assert s.selected == ("Chip",)
    window.tabs_["What if"].click()
    what = window.pages["What if"]
    QTest.mouseClick(what.ask, Qt.MouseButton.LeftButton)
    pump(lambda: what.found is not None, 90)
    now = what.table.item(0, 2).text()
    what.sliders["Chip"].setValue(180)
    assert float(what.table.item(0, 2).text()) > float(now) + 5.0
    assert "up to" in what.table.item(0, 5).text()
    QTest.mouseClick(what.keep, Qt.MouseButton.LeftButton)
    assert s.layout == "One, what if 1"
    assert s.document.layout(s.layout).changes == {"Chip": {"power": "1.8 W"}}
    assert not [p for p in s.problems() if p.row == "Chip"]


def test_instants_are_played(open_, pump, tmp_path):
    """A run in time with kept instants: the slider shows each, play goes through them, a film holds them all."""
    run = {"time": "60 s", "step": "10 s", "save_every": "20 s"}
    sets = [edits.set_cell("One", "Run", k, v) for k, v in run.items()]
    document = edits.many("in time", sets).apply(small(**STILL))
    place = tmp_path / "p"
    files.save(document, place)
    result = api.open_project(place).solve("One")
    assert len(result.instants) > 1
    window = open_(place)
    window.session.choose_stage("Read")
    pump(rest=0.5)
    bar = window.bench.times
    assert bar.isVisible()
    changes(window, pump, lambda: bar.slider.setValue(0))
    assert shown.text(result.instants[0].time, "time") in bar.where.text()
    before = bar.slider.value()
    bar.play.click()
    pump(lambda: bar.slider.value() != before, 10)
    bar.play.click()
    window.tabs_["In time"].click()
    page = window.pages["In time"]
    pump(lambda: "Chip" in page.curves, 10)
    assert page.curves["Chip"][1][-1] == pytest.approx(result.summary["parts"]["Chip"]["max"], abs=0.02)
    spot = page.plot.getPlotItem().vb.mapViewToScene(QPointF(41.0, page.plot.viewRange()[1][0] + 1.0)).toPoint()
    QTest.mouseClick(page.plot.viewport(), Qt.MouseButton.LeftButton, pos=spot)
    pump(lambda: window.session.picture.time == pytest.approx(40.0), 10)
    assert shown.text(40.0, "time") in bar.where.text()
    told = page.values.item(list(page.curves).index("Chip"), 1).text()
    at = float(np.interp(40.0, *page.curves["Chip"]))
    assert told == shown.text(at, "temperature")
    row = WatchRow(name="Chip, mean", of="Chip", measure="mean")
    window.session.do(edits.add_row("One", row))
    window.session.select(("Chip, mean",))
    pump(lambda: len(page.curves.get("Chip, mean", ([],))[0]) == len(result.instants), 20)
    window.film("time", str(tmp_path / "time.gif"), 0.4)
    with Image.open(tmp_path / "time.gif") as film:
        frames = []
        for m in range(film.n_frames):
            film.seek(m)
            frames.append(np.asarray(film.convert("RGB")).astype(int)[:560])
    assert len(frames) == len(result.instants)  # what does not change is one picture
    assert np.abs(frames[0] - frames[-1]).max() > 30  # on one scale, so that it is seen to warm up
    window.film("run", str(tmp_path / "run.avi"))
    assert window.session.run is None
    assert ".mp4 or .gif" in window.ledger.note.text()
    window.session.set_cell("Run", "time", "3000 s")
    window.film("run", str(tmp_path / "run.gif"))
    pump(lambda: "Written" in window.status.text() and "run.gif" in window.status.text(), 60)
    assert len(window.run_film.pictures) > 1
    assert (tmp_path / "run.gif").stat().st_size > 2000


def test_a_run_is_filmed_from_the_command_line(tmp_path, capsys):
    """Every time step is a picture until there are many, and the result is stored; a place that cannot be is told
    before anything is solved."""
    run = {"time": "60 s", "step": "10 s"}
    sets = [edits.set_cell("One", "Run", k, v) for k, v in run.items()]
    files.save(edits.many("in time", sets).apply(small(**STILL)), tmp_path / "p")
    at = [str(tmp_path / "p")]
    assert cli.main(["picture", *at, str(tmp_path / "no" / "film.gif"), "--film", "run", "--layout", "One"]) == 2
    assert cli.main(["picture", *at, str(tmp_path / "f.gif"), "--film", "run", "--time", "5 s", "--layout", "One"]) == 2
    assert "leave out the time" in capsys.readouterr().err
    assert api.open_project(tmp_path / "p").result("One") is None
    assert cli.main(["picture", *at, str(tmp_path / "film"), "--film", "run", "--layout", "One"]) == 0
    pictures = sorted((tmp_path / "film").glob("*.png"))
    assert len(pictures) == 7  # six steps and the end
    first, last = (np.asarray(Image.open(p)).astype(int) for p in (pictures[0], pictures[-1]))
    assert np.abs(first - last)[:560].max() > 30  # it warms up (the note stands below)
    assert api.open_project(tmp_path / "p").current("One").summary["time"] == pytest.approx(60.0)


def test_a_heavy_scene_is_turned_lightly(open_, pump, tmp_path):
    """From the press of the mouse to its release a body of 80 000 triangles stands as few, in the same colour; then it
    is itself again."""
    import trimesh

    trimesh.creation.icosphere(6, 20.0).export(tmp_path / "ball.stl")
    files.save(d.Document(name="Ball", rows=(d.GridRow(name="Grid", detail="quick"),)), tmp_path / "p")
    project = api.open_project(tmp_path / "p")
    project.take_in(tmp_path / "ball.stl")
    project.document = around(project.document, "First layout").apply(project.document)
    files.save(project.document, project.folder)
    window = open_(tmp_path / "p")
    window.session.choose_stage("Shape")
    bench = window.bench
    pump(lambda: bool(bench.stand_in.made), 30)
    assert sum(m.n_cells for m in bench.stand_in.made) <= 30_000
    view, middle = bench.view, bench.view.rect().center()
    pump(lambda: not window.drawing(), 30)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    assert bench.stand_in._shown
    QTest.mouseMove(view, middle + QPoint(30, 0))
    meanwhile = np.asarray(view.screenshot(return_img=True)).astype(int)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle + QPoint(30, 0))
    assert not bench.stand_in._shown
    pump(rest=1.0)
    after = picture(window)
    assert sum(x.GetMapper().GetInput().GetNumberOfPolys() for x in bench.stand_in._surfaces()) == 81920
    ball = meanwhile[meanwhile.shape[0] // 2, meanwhile.shape[1] // 2, :3]
    assert np.abs(ball - after[after.shape[0] // 2, after.shape[1] // 2, :3].astype(int)).max() < 25
