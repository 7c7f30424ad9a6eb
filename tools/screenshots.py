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
    """An exhaust heater from a file, its water shown by itself; and a leaky housing with the way out."""
    from stithy import jobs
    from stithy import kinds as d
    from stithy.desk.app import open_window
    from stithy.project import files
    from verification import jobs as made
    from verification import solids as s

    place = Path(tempfile.mkdtemp())
    window = open_window(jobs.copy("exhaust-heater", str(place / "heater")))
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    window.session.choose_stage("Shape")
    live(0.5)
    window.tabs_["Solids and fluids"].click()
    panel = window.pages["Solids and fluids"]
    looked(live, panel)
    panel.spaces.row = 0
    panel.spaces.chosen.emit()
    live(4.0)
    shot("solids", window)
    window.close()

    folder = place / "housing"
    rows = (
        d.Enclosure(name="Air", wall="0 mm"),
        d.Surroundings(name="Surroundings"),
        d.GridRow(name="Grid"),
        d.RunRow(name="Run"),
    )
    files.save(d.Document(name="Leaky housing", rows=rows), folder)
    window = open_window(folder)
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    window.session.choose_stage("Shape")
    window.importing.begin(str(s.write_step(folder / "housing.step", made.housing())))
    while window.importing.running is not None:
        live(0.2)
    window.fit_enclosure()
    live(0.5)
    window.tabs_["Solids and fluids"].click()
    panel = window.pages["Solids and fluids"]
    looked(live, panel)
    panel.close_.click()
    looked(live, panel)
    panel.leak.click()
    live(6.0)
    shot("leak", window)
    window.session.history.saved = window.session.document
    window.close()


def exchanger(live, shot) -> None:
    """The exhaust heater in Read: cut open, its hot stream followed, the heat path below."""
    from stithy import api, jobs
    from stithy.desk.app import open_window

    folder = jobs.copy("exhaust-heater", str(Path(tempfile.mkdtemp()) / "heater"))
    api.open_project(folder).solve()
    window = open_window(folder)
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    window.session.choose_stage("Read")
    live(1.0)
    window.show_page("Heat path")
    shot("exchanger", window)
    window.session.history.saved = window.session.document
    window.close()


def solved_job(name: str, live):
    """A window in Read on a copy of a job, all of its layouts solved."""
    from stithy import api, jobs
    from stithy.desk.app import open_window

    folder = jobs.copy(name, str(Path(tempfile.mkdtemp()) / name))
    project = api.open_project(folder)
    for layout in project.document.layouts:
        project.solve(layout.name)
    window = open_window(folder)
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    window.session.choose_stage("Read")
    live(1.0)
    return window


def radiation(live, shot) -> None:
    """The painted lamp sink in Read: what its surfaces radiate, the heat path with bands of radiation below."""
    from stithy.project import edits

    window = solved_job("lamp-sink", live)
    session = window.session
    session.do(edits.set_cell(session.layout, "Surfaces", "quantity", "radiated flux"))
    session.select(("Surfaces",))
    live(1.0)
    window.show_page("Heat path")
    shot("radiation", window)
    session.history.saved = session.document
    window.close()


def bath(live, shot) -> None:
    """The battery bath in Read: where vapour is, and what it does in time beside the same bath kept liquid."""
    window = solved_job("battery-bath", live)
    window.session.select(("Converter, hottest",))
    window.show_page("Bath")
    shot("bath", window)
    window.session.history.saved = window.session.document
    window.close()


def looked(live, panel) -> None:
    """Until the lists are there."""
    live(1.0)
    while "touching" not in panel.said.text() or panel.said.text().startswith("Looking"):
        live(0.3)


def hands(live, _shot) -> None:
    """A face of the lamp driver's sink pulled, its size in the field; what can be added; a flux over the angle."""
    import numpy as np
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest

    from stithy import jobs
    from stithy.desk.app import open_window

    def whole(name: str, window) -> None:
        live(0.8)
        picture = window.screen().grabWindow(0, 0, 0, 1280, 800)
        picture.save(str(ROOT / f"docs/screenshots/{name}.png"))

    window = open_window(jobs.copy("lamp-driver", str(Path(tempfile.mkdtemp()) / "lamp-driver")))
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    session, bench = window.session, window.bench
    session.choose_stage("Shape")
    session.select(("LED driver A", "LED driver B", "Surge stage"))
    window.ledger.rows_menu.group()
    session.set_cell(session.selected[0], "name", "Power stage")
    session.select(("Driver sink",))
    bench.work.scale.setChecked(True)
    live(2.5)
    grip = next(g for g in bench.movers.grips if g.axes == (0,) and g.end == 1)

    def pixel(point) -> QPoint:
        x, y = bench.handles.at(point)
        return QPoint(int(x), int(bench.view.height() - y))

    first, last = pixel(grip.place), pixel(np.array(grip.place) + [0.016, 0.0, 0.0])
    QTest.mousePress(bench.view, Qt.MouseButton.LeftButton, pos=first)
    for m in range(1, 9):
        QTest.mouseMove(bench.view, first + (last - first) * m / 8)
        live(0.05)
    whole("drag", window)
    QTest.mouseRelease(bench.view, Qt.MouseButton.LeftButton, pos=last)
    bench.movers.field.hide()
    window.undo()
    live(0.5)
    session.history.saved = session.document
    window.close()


def by_place(live, shot) -> None:
    """The deck pipe in Load: a flux over the angle on the half that is solved."""
    from stithy import jobs
    from stithy.desk.app import open_window

    window = open_window(jobs.copy("deck-pipe", str(Path(tempfile.mkdtemp()) / "deck-pipe")))
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    window.session.choose_stage("Load")
    window.session.select(("Outside",))
    window.bench.work.scale.setChecked(False)
    window.bench.look_at_side("y+")
    live(1.0)
    window.bench.view.camera.azimuth = 35
    window.bench.view.camera.elevation = -20
    window.bench.refresh()
    shot("by-place", window)
    window.close()


def board(live, shot) -> None:
    """The relay box in Load: its board seen through the open lid, top copper, estimates beside limits."""
    from stithy import jobs
    from stithy.desk.app import open_window

    place = Path(tempfile.mkdtemp())
    window = open_window(jobs.copy("relay-box", str(place / "relay-box")))
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    session = window.session
    session.choose_layout("B, still air")
    session.choose_stage("Load")
    live(0.5)
    session.set_cell("Air", "name", "Outside air")
    session.picture.see(("Lid",), "hidden")
    session.copper = ("Relay board", 0)
    window.bench.loads.rebuild()
    session.select(("Q1",))
    window.bench.look_at_side("y+")
    live(0.5)
    camera = window.bench.view.camera
    camera.azimuth, camera.elevation = -24, 16
    camera.zoom(1.75)
    window.bench.refresh()
    session.foretelling.on = True
    window._ask_estimates()
    for _ in range(400):
        live(0.1)
        if not session.foretelling.estimator.waiting and session.foretelling.known:
            break
    shot("board", window)
    session.history.saved = session.document
    window.close()


def start(live, _shot) -> None:
    """The start page with recent projects: the demonstration and jobs."""
    from stithy import jobs
    from stithy.desk.app import open_page
    from stithy.project import recent

    place = Path(tempfile.mkdtemp())
    recent._file = lambda: place / "recent.json"
    for name in ("sea-water-manifold", "relay-box", "lamp-driver"):
        recent.note(jobs.copy(name, str(place / name)))
    page = open_page()
    page.setGeometry(0, 0, 1280, 800)
    live(6.0)
    page.screen().grabWindow(page.winId()).save(str(ROOT / "docs/screenshots/start.png"))
    page.close()


#: pictures with a window of their own


def weighing(live, shot) -> None:
    """The lamp driver weighed: a sweep about its first layout, the difference of two layouts, the chart, a report."""
    from stithy import api, jobs
    from stithy import kinds as d
    from stithy.desk.app import open_window
    from stithy.desk.still import of_layout
    from stithy.project import edits, files

    folder = jobs.copy("", str(Path(tempfile.mkdtemp()) / "lamp-driver"))
    project = api.open_project(folder)
    first = project.document.layouts[0].name
    ways = {
        "first": "East fan, speed: 50; 70; 85; 100; 120 %",
        "second": "Driver sink, fins: 5; 9",
        "third": "Grid, detail: 2",
    }
    project.document = edits.add_row(first, d.SweepRow(name="Fan and fins", of=first, **ways)).apply(project.document)
    files.save(project.document, folder)
    project.sweep()
    project.helps()
    window = open_window(folder)
    window.setGeometry(0, 0, 1280, 800)
    live(1.0)
    session = window.session
    session.choose_stage("Weigh")
    live(3.0)
    window.compare(session.document.layouts[1].name)
    live(2.0)
    window.switch_difference()
    live(4.0)
    shot("weigh", window)
    window.show_page("Chart")
    live(2.0)
    shot("chart", window)
    window.close()
    report = project.report(folder / "report.pdf", of_layout(project))
    import pypdfium2

    page = pypdfium2.PdfDocument(report)[0].render(scale=1.25)
    page.to_pil().convert("P", palette=1, colors=64).save(ROOT / "docs/screenshots/report.png", optimize=True)


OWN = {
    "solids": solids,
    "exchanger": exchanger,
    "start": start,
    "hands": hands,
    "by-place": by_place,
    "radiation": radiation,
    "bath": bath,
    "board": board,
    "weigh": weighing,
}


def main() -> None:
    """Open a copy of the demonstration, go through the stages, and take their pictures."""
    from PyQt6.QtCore import QSettings

    from stithy import kinds as d
    from stithy.desk.app import application, open_window
    from stithy.project import edits

    folder = Path(tempfile.mkdtemp()) / "lamp-driver"
    shutil.copytree(ROOT / "src/stithy/data/demo/lamp-driver", folder)
    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(folder / "settings"))
    QSettings("stithy", "window").setValue("estimates", "off")
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
    every = ["shape", "load", "grid", "read", "isosurfaces", "lines", "run", *OWN]
    wanted = sys.argv[1:] or every
    for name, take in OWN.items():
        if name in wanted:
            take(live, shot)
    rows = {"shape": ("Driver sink",), "load": ("Surge stage",)}
    drawn = {
        "read": {"Section", "Surfaces", "Streamlines"},
        "isosurfaces": {"Surfaces", "Warm air", "Streamlines"},
        "lines": {"Section", "Surfaces", "Over the fins"},
    }
    for name in (x for x in wanted if x not in OWN):
        session.choose_stage("Read" if name in drawn else name.capitalize())
        session.select(rows.get(name, ()))
        on = drawn.get(name, {"Section", "Surfaces"})
        shown = {r.name: r.text("shown") for r in session.document.rows if r.text("shown")}
        session.change(
            [(n, "shown", "on" if n in on else "off") for n, x in shown.items() if (x == "on") != (n in on)], "shown"
        )
        if name == "lines":
            session.set_cell("Over the fins", "layouts", "Fan on wall, plates; Fan on wall, pins")
            session.set_cell("Section", "steps", "5 K")
            live(0.5)
            window.show_page("Lines")
        if name == "grid":
            wish = d.Wish(name="Rectifier cells", of="Bridge rectifier", longest="1.5 mm", first="0.4 mm", sides="z+")
            session.do(edits.add_row(session.layout, wish))
            session.select((wish.name,))
            live(0.5)
            window.bench.work.cut_across(1)
            window.bench.work.slider.setValue(39)
            window.show_page("Findings")
        if name == "run":
            window.run(fresh=True)
            for _ in range(300):  # until there is something to see, and before it is over
                live(0.2)
                if sum(x.phase == "flow" for x in session.run_state.history) > 12:
                    break
            session.turn("East fan", "speed", "80 %")
            live(9.0)
        shot(name)
        if name == "grid":
            session.undo()  # so that results are not out of date in the pictures after it
    if session.run:
        session.run.kill()
    session.history.saved = session.document
    window.close()


if __name__ == "__main__":
    main()
