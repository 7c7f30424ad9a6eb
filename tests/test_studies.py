"""Studies: what they vary, in which points, how they are solved, and what is made of them."""

from __future__ import annotations

import argparse
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from stithy import api
from stithy import kinds as d
from stithy.cli import main
from stithy.errors import FileProblem, StithyError
from stithy.kinds.assembly import cell_faults
from stithy.model.studies import Search, Sweep, Varied
from stithy.project import edits, files
from stithy.solve.job import Job
from stithy.studying import weigh
from stithy.weigh import helping, maps, points, pool, record, report, sweeping
from stithy.weigh.compare import Standing, changed_since, standing
from stithy.weigh.limits import Bound, Margin
from stithy.weigh.overview import Line, Number, Overview, front
from stithy.weigh.points import Point
from stithy.weigh.richardson import extrapolate
from stithy.weigh.seeker import Seeker

ONE = "First layout"
SEARCHES = settings(max_examples=60, deadline=None, phases=(Phase.explicit, Phase.generate))


def box(*more, run=None) -> d.Document:
    """A chip in a case with a vent and a fan, solved in about a second, with a limit and a pressure drop."""
    rows = (
        d.Enclosure(name="Case", size="80, 50, 30 mm", wall="0 mm"),
        d.Block(name="Chip", at="30, 15, 0 mm", size="20, 20, 6 mm", material="FR4 laminate", power="1 W"),
        d.Vent(name="Vent", on="Case", side="x-", at="10, 5 mm", size="30, 20 mm"),
        d.WallFan(name="Fan", on="Case", side="x+", at="10, 5 mm", size="30, 20 mm", curve="Skerry 40", speed="100 %"),
        d.Surroundings(name="Air", ambient="25 degC", radiation="none", gravity="0, 0, 0 m/s2"),
        d.GridRow(name="Grid", coarsest="6 mm", across_gaps="3", across_solids="2", growth="2", at_walls="0 mm"),
        run or d.RunRow(name="Run"),
        d.WatchRow(name="Hot", quantity="temperature", of="Chip", most="80 degC"),
        d.WatchRow(name="Drop", quantity="pressure drop", of="Fan", most="40 Pa"),
    )
    return d.Document(name="Box", rows=(*rows, *more))


def fans(**more) -> d.SweepRow:
    return d.SweepRow(
        name="Fans", **({"first": "Fan, speed: 50; 100 %", "second": "Chip, heat load: 1 to 2 W in 2"} | more)
    )


@pytest.fixture
def swept(tmp_path):
    """The box with a sweep, saved."""
    files.save(box(fans()), tmp_path / "p")
    return api.open_project(tmp_path / "p")


# what is varied


@SEARCHES
@given(
    st.integers(-500, 500),
    st.integers(1, 900),
    st.integers(2, 30),
    st.sampled_from(["W", "mm", "%", "l/min", ""]),
    st.booleans(),
)
def test_ranges_are_laid_from_end_to_end(low, span, many, unit, whole):
    """A range in so many values begins and ends at its ends, in equal steps; where a text stands on the way of what is
    varied, that text stands."""
    from stithy.kinds.varied import variables
    from stithy.project.reader import Reader

    text = f"Chip, heat load: {low} to {low + span} {unit} in {many}{' whole' if whole else ''}"
    document = box(d.SweepRow(name="S", first=text))
    found = variables(Reader(document, ONE), next(r for r in document.rows if r.name == "S"), False)
    (v,) = found
    numbers = [float(t.split()[0]) for t in v.values]
    assert numbers[0] == low
    assert numbers[-1] == low + span
    assert len(v.values) == len(set(v.values)) <= many
    if not whole:
        assert np.allclose(np.diff(numbers), span / (many - 1), rtol=1e-3, atol=1e-4 * max(abs(low), span))
    assert all(v.text(v.share(t)) == t for t in v.values)
    way = Varied("x", "Chip", "power", (), low, low + span, unit, whole)
    for share in (0.0, 0.31, 0.77, 0.999):
        text = way.text(share)
        assert low <= float(text.split()[0]) <= low + span
        assert way.text(min(way.share(text), 0.9999999)) == text


@pytest.mark.parametrize(
    ("cells", "told"),
    [
        ({"first": "Fan, speed"}, "names no values"),
        ({"first": "Fan, colour: 1; 2"}, "has no cell “colour”. It has|no cell"),
        ({"first": "Lamp, speed: 1; 2"}, "no row with a cell"),
        ({"first": "Fan, speed: 100 to 50 %"}, "smaller number first"),
        ({"first": "Fan, speed: 50 to 100 %"}, "not in how many"),
        ({"first": "layout: First layout; Other"}, "no layout “Other”"),
        ({"second": "Fan, speed: 1; 2 %"}, "once more"),
        ({"points": "in step", "second": "Chip, heat load: 1; 2; 3 W"}, "as many of each"),
        ({"points": "Sobol"}, "how many"),
        ({"first": ""}, ""),
    ],
)
def test_what_cannot_be_varied_is_told(cells, told):
    """In its cell, with what could stand there; the model is solved all the same."""
    row = fans(**cells)
    faults = [str(p) for (name, _), p in cell_faults(box(row), ONE).items() if name == "Fans"]
    if not told:
        assert not faults
        return
    assert any(any(t in x for t in told.split("|")) for x in faults), faults
    from stithy.kinds.assembly import resolve

    assert resolve(box(row), ONE).key() == resolve(box(), ONE).key()


def test_points_of_every_plan():
    """All combinations, in step, spread; cells that name rows follow renaming; one of another layout is read there."""
    a, b = Varied("a", "Fan", "speed", ("1 %", "2 %", "3 %")), Varied("b", "Chip", "power", ("4 W", "5 W", "6 W"))
    assert len(points.values_of(Sweep("S", ONE, (a, b)))) == 9
    assert points.values_of(Sweep("S", ONE, (a, b), "in step")) == [("1 %", "4 W"), ("2 %", "5 W"), ("3 %", "6 W")]
    ways = Varied("a", "Fan", "speed", (), 10, 90, "%"), b
    for plan in ("Latin hypercube", "Sobol"):
        found = points.values_of(Sweep("S", ONE, ways, plan, 12))
        speeds = np.array([float(x.split()[0]) for x, _ in found])
        assert len(found) == 12
        assert speeds.min() < 25 < 75 < speeds.max()
        assert {y for _, y in found} == set(b.values)
    document = edits.set_cell(ONE, "Fan", "name", "Blower").apply(box(fans()))
    (study,) = points.studies(document)
    assert study.variables[0].row == "Blower"
    two = edits.duplicate_layout(ONE, "Two").apply(box(fans(of="Two")))
    two = edits.replace_row("Two", "Chip", "cylinder").apply(two)
    assert points.studies(edits.delete_row(ONE, "Chip", True).apply(two))[0].of == "Two"


# statistics


@SEARCHES
@given(st.lists(st.tuples(st.integers(0, 12), st.integers(0, 12)), min_size=1, max_size=25))
def test_front_is_what_nothing_beats(pairs):
    """Against all pairs: no line of the front is beaten or equalled in both by another, and every other line is."""
    at = np.array(pairs, float)
    chosen = front(at)
    for m in range(len(at)):
        beaten = [n for n in range(len(at)) if n != m and (at[n] <= at[m]).all() and (at[n] < at[m]).any()]
        alike = [n for n in chosen if (at[n] == at[m]).all()]
        assert (m in chosen) == (not beaten and (m in alike)) or (not beaten and bool(alike))


@SEARCHES
@given(st.floats(0.6, 2.9), st.floats(1.2, 2.2), st.floats(1.2, 2.2), st.floats(-50, 50), st.floats(0.01, 20))
def test_three_grids_give_back_order_and_limit(order, near, far, limit, size):
    """Of numbers that go as f + C h^p exactly, whatever the ratios of the grids."""
    sizes = (1.0, near, near * far)
    values = tuple(limit + size * h**order for h in sizes)
    found = extrapolate(sizes, values)
    assert found.order == pytest.approx(order, abs=1e-4)
    assert found.value == pytest.approx(limit, abs=1e-4 * (abs(limit) + size))
    assert found.band == pytest.approx(1.25 * size, rel=1e-3)


def test_numbers_that_tell_no_order():
    """Oscillating ones give a band and no limit beyond; those at rest none; an order out of reason is told."""
    swings = extrapolate((1.0, 1.5, 2.25), (10.0, 11.0, 10.2))
    assert swings.goes == "oscillating"
    assert swings.value == 10.0
    assert swings.band == pytest.approx(1.5)
    assert extrapolate((1.0, 2.0, 4.0), (3.0, 3.0, 3.0)).goes == "at rest"
    fast = extrapolate((1.0, 2.0, 4.0), (1.0, 1.001, 2.0))
    assert fast.doubtful
    slow = extrapolate((1.0, 1.5, 2.25), (62.0, 64.8, 65.4))
    assert slow.doubtful
    assert slow.value == 62.0
    assert slow.band == pytest.approx(3 * 2.8)
    with pytest.raises(ValueError, match="rise"):
        extrapolate((2.0, 1.0, 4.0), (1.0, 2.0, 3.0))


def hill(x, y):
    """Branin's function with a disc to stay in; least 0.3979 at (pi, 2.275), among other places."""
    b, c, t = 5.1 / (4 * np.pi**2), 5 / np.pi, 1 / (8 * np.pi)
    return (y - b * x * x + c * x - 6) ** 2 + 10 * (1 - t) * np.cos(x) + 10, 50 - (x - 2.5) ** 2 - (y - 7.5) ** 2


def sink(kind, n, h):
    """Mass of a sink of n fins of height h, and what is left to a conductance; one of two kinds is heavier, better."""
    times = {"plates": 1.0, "pins": 1.15}[kind]
    return times * n * h, times**0.5 * (n * h) ** 0.7 * (1 - np.exp(-h / 20)) * (1 - n / 40) - 30


@pytest.mark.parametrize("case", [pytest.param("hill", marks=pytest.mark.verify), "sink"])
def test_a_search_finds_a_known_optimum(case):
    """Within 2 % of the range of what can be had, in at most 30 runs, two at once; the same history gives the same
    proposals."""
    if case == "hill":
        ways = Varied("x", "R", "x", (), -5.0, 10.0), Varied("y", "R", "y", (), 0.0, 15.0)
        best, scale = 0.3979, 20.0

        def solve(texts):
            return hill(*(float(t) for t in texts))
    else:
        ways = (
            Varied("kind", "S", "kind", ("plates", "pins")),
            Varied("n", "S", "n", (), 4, 30, "", True),
            Varied("h", "S", "h", (), 5.0, 60.0, "mm"),
        )
        n, h = np.meshgrid(np.arange(4, 31), np.linspace(5, 60, 3000))
        found = [sink(k, n, h) for k in ("plates", "pins")]
        best = scale = min(float(m[c >= 0].min()) for m, c in found)

        def solve(texts):
            return sink(texts[0], float(texts[1]), float(texts[2].split()[0]))

    seeker, least, again = Seeker(ways), np.inf, []
    while len(seeker.tried) < 30 and not seeker.over:
        batch = seeker.propose(2)
        for texts in batch:
            goal, margin = solve(texts)
            seeker.tell(texts, [goal], [margin])
            again.append((texts, goal, margin))
            least = min(least, goal) if margin >= 0 else least
    assert len(set(seeker.tried)) == len(seeker.tried) <= 30
    assert least <= best + 0.02 * scale
    other = Seeker(ways)
    for m in range(0, 10, 2):
        assert other.propose(2) == [x[0] for x in again[m : m + 2]]
        for texts, goal, margin in again[m : m + 2]:
            other.tell(texts, [goal], [margin])
    assert sum(seeker.matters().values()) > 0.3


# solving


def test_a_sweep_is_solved_and_gone_on_with(swept, capsys):
    """Points are as if solved one by one; what is solved is not solved again, also by another study; a point is made a
    layout, which begins from its fields; numbers that fail are told and left out."""
    course = swept.sweep(at_once=2)
    assert (course.done, course.failed) == (4, 0)
    study, made = swept.points()
    found = {p.values: points.standing_of(p, study, swept.folder) for p in made}
    own = Job(made[3].document, ONE, None).run().summary["parts"]["Chip"]["max"]
    assert found["100 %", "2 W"].summary["parts"]["Chip"]["max"] == pytest.approx(own, abs=0.05)
    assert [s.verdict for s in found.values()] == ["meets", "fails", "meets", "fails"]
    heard = []
    swept.document = edits.set_cell(ONE, "Fans", "first", "Fan, speed: 50; 75; 100 %").apply(swept.document)
    swept.sweep(at_once=2, tell=lambda c: heard.append((c.done, c.all)) or True)
    assert heard[0] == (4, 6)
    name = swept.take_point("Fans", 3)
    assert swept.document.layout(name).changes == {"Fan": {"speed": "75 %"}}
    files.save(swept.document, swept.folder)
    job = Job(swept.document, name, swept.folder)
    assert job.start is not None
    assert job.run().summary["settled"]
    table = swept.overview()
    assert len(table.lines) == 2 + 6
    assert {n.verdict for n in table.narrowed("meets, speed = 100 %")} == {"meets"}
    assert [n.values["Fan, speed"] for n in table.narrowed("Fans, Hot < 80 degC, Drop < 10 Pa")] == ["50 %"]
    assert table.ordered("fan power")[0].numbers["fan power"].value == min(
        n.numbers["fan power"].value for n in table.lines if n.verdict == "meets"
    )
    with pytest.raises(StithyError, match="no column, or several"):
        table.narrowed("colour < 3")
    assert main(["weigh", str(swept.folder), "--map", "hot; load; speed", "--json"]) == 0
    shown = json.loads(capsys.readouterr().out)
    assert (shown["columns"], shown["rows"]) == (["1 W", "2 W"], ["50 %", "75 %", "100 %"])
    assert shown["values"][0][0] > shown["values"][2][0]
    assert shown["values"][0][1] > shown["values"][0][0]
    with pytest.raises(StithyError, match="a number over two"):
        weigh(argparse.Namespace(project=swept.folder, map="hot; load", json=False))


@SEARCHES
@given(
    st.lists(st.sampled_from(["1 W", "2 W", "10 W"]), min_size=2, max_size=3, unique=True),
    st.lists(st.sampled_from(["pins", "plates", "none"]), min_size=2, max_size=3, unique=True),
    st.data(),
)
def test_a_map_shows_the_best_of_each_pair(loads, kinds, data):
    """Every pair of values has one cell, numbers rise along their axis, and a cell of several points shows the one that
    the table has first; the drawing holds every cell's words."""
    lines, number = [], 0
    for load in loads:
        for kind in kinds:
            for _ in range(data.draw(st.integers(0, 2))):
                number += 1
                value = data.draw(st.floats(300, 400))
                lines.append(_line(number, {"load": load, "sink": kind}, value))
    table = Overview(lines, ("load", "sink"), {"Hot": "temperature"})
    if len(maps.able(table)) < 2:
        with pytest.raises(StithyError, match="two different columns"):
            maps.mapped(table, "load", "sink", "Hot")
        return
    found = maps.mapped(table, "load", "sink", "Hot")
    assert [float(x.split()[0]) for x in found.columns] == sorted({float(n.values["load"].split()[0]) for n in lines})
    values, drawn = found.values(), maps.drawing(found, table)
    for c, load in enumerate(found.columns):
        for r, kind in enumerate(found.rows):
            mine = [n.numbers["Hot"].value for n in table.ordered() if n.values == {"load": load, "sink": kind}]
            assert (np.isnan(values[r, c]) and not mine) or values[r, c] == mine[0]
            assert maps.cell_text(found, c, r) in drawn
    with pytest.raises(StithyError, match="no number"):
        maps.mapped(table, "load", "sink", "Cold")


def _line(number, values, hot):
    """A solved point of a study with one limit at 360 K, 2 K to be off by."""
    bound = Bound("Hot", "temperature", "Chip", 360.0, False, "temperature")
    stand = Standing("point", "current", (Margin(bound, hot, 300.0, None, 2.0),), None, {"fans": {}}, kept_mass=0.1)
    where = Point(number, tuple(values.values()), d.Document(name="Box"), "point")
    return Line("point", "Study", values, stand, where, {"Hot": Number(hot, 2.0, "temperature", None, 360.0)})


def test_points_within_their_bands_are_told_as_equal():
    """The first of the table and all whose worst margins its band reaches, by number; none where one fails."""
    lines = [_line(n, {"load": f"{n} W"}, hot) for n, hot in ((1, 340.0), (2, 343.0), (3, 349.0), (4, 341.0))]
    table = Overview(lines, ("load",), {"Hot": "temperature"})
    assert table.equal_first(table.ordered()) == "Equal to Study 1 within their bands: Study 4; Study 2."
    assert table.equal_first(lines[2:3]) == ""
    assert Margin(lines[0].standing.margins[0].bound, 359.8, 300.0).verdict == "too close to call"
    assert Margin(lines[0].standing.margins[0].bound, 359.0, 300.0).verdict == "meets"


def test_parts_are_replaced_by_other_files(tmp_path):
    """A sweep over the file of a solid: each point has that file's shape, and is solved by whoever has the project."""
    import trimesh

    for name, size in (("low", (20, 20, 4)), ("high", (20, 20, 12))):
        solid = trimesh.creation.box(size)
        solid.apply_translation((40, 25, size[2] / 2))
        solid.export(tmp_path / f"{name}.stl")
    folder = tmp_path / "p"
    files.save(box(), folder)
    for name in ("low", "high"):
        assert main(["import", str(tmp_path / f"{name}.stl"), str(folder), "--unit", "mm"]) == 0
    project = api.open_project(folder)
    bodies = [r for r in project.document.rows if r.kind == "body"]
    assert len(bodies) == 2
    one, other = bodies
    document = project.document
    for edit in (
        edits.delete_row(ONE, other.name),
        edits.delete_row(ONE, "Chip"),
        edits.set_cell(ONE, one.name, "power", "1 W"),
        edits.set_cell(ONE, "Hot", "of", one.name),
        edits.add_row(ONE, d.SweepRow(name="Shapes", first=f"{one.name}, file: {one.file}; {other.file}")),
    ):
        document = edit.apply(document)
    files.save(document, folder)
    points_ = api.open_project(folder).points()[1]
    assert [p.problem for p in points_] == ["", ""]
    low, high = (standing(p.document, folder, p.layout).mass for p in points_)
    assert high == pytest.approx(3 * low, rel=1e-6)
    hot = [Job(p.document, p.layout, folder, banded=False).run().summary["parts"][one.name]["max"] for p in points_]
    assert hot[1] < hot[0] - 1.0


def test_points_that_cannot_be_built_are_listed_first(swept, monkeypatch):
    """Nothing is solved before; with them left out the others are. A full disk in the middle keeps what there is."""
    text = "Chip, low corner: 30, 15, 0 mm; 70, 15, 0 mm; 30, 15, -40 mm"
    swept.document = edits.set_cell(ONE, "Fans", "second", text).apply(swept.document)
    with pytest.raises(StithyError, match="4 of 6 points cannot be built(.|\n)*--skip"):
        swept.sweep()
    assert not (swept.folder / record.FOLDER).exists() or not list((swept.folder / record.FOLDER).glob("*/point.json"))
    course = swept.sweep(at_once=1, skip=True)
    assert (course.done, course.failed) == (2, 0)
    swept.document = edits.set_cell(ONE, "Fans", "second", "Chip, heat load: 1; 1.5; 2 W").apply(swept.document)
    kept = record.keep

    def full(project, answer):
        if len(list((project / record.FOLDER).glob("*/point.json"))) >= 4:
            raise FileProblem("no space left")
        kept(project, answer)

    monkeypatch.setattr(record, "keep", full)
    with pytest.raises(FileProblem, match="no space"):
        swept.sweep(at_once=1)
    monkeypatch.undo()
    before = {p: p.stat().st_mtime_ns for p in (swept.folder / record.FOLDER).glob("*/point.json")}
    assert len(before) == 4
    assert swept.sweep(at_once=2).done == 6
    assert all(p.stat().st_mtime_ns == t for p, t in before.items())


def test_a_lost_worker_costs_nothing(swept):
    """A process of the pool is killed while it works: its point is done again, none twice."""
    killed = []

    def tell(course):
        held = list((workers.executor._processes or {}).values()) if workers.executor else []
        if course.on and held and not killed:
            os.kill(held[0].pid, signal.SIGKILL)
            killed.append(held[0].pid)
        return True

    study, made = swept.points()
    with pool.Pool(2) as workers:
        course = sweeping.solve_points(study, made, swept.folder, workers, tell)
    assert killed
    assert (course.done, course.failed) == (4, 0)
    assert len(list((swept.folder / record.FOLDER).glob("*/point.json"))) == 4


def test_a_killed_sweep_goes_on(swept):
    """The program is killed in the middle; the next one solves the rest only."""
    script = [sys.executable, "-m", "stithy.cli", "sweep", str(swept.folder), "--at-once", "1"]
    first = subprocess.Popen(script, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    end = time.time() + 90
    while time.time() < end and not list((swept.folder / record.FOLDER).glob("*/point.json")):
        time.sleep(0.02)
    first.send_signal(signal.SIGKILL)
    first.wait()
    before = {p: p.stat().st_mtime_ns for p in (swept.folder / record.FOLDER).glob("*/point.json")}
    assert 1 <= len(before) < 4
    assert main(["sweep", str(swept.folder), "--json"]) == 0
    after = list((swept.folder / record.FOLDER).glob("*/point.json"))
    assert len(after) == 4
    assert all(p.stat().st_mtime_ns == t for p, t in before.items())


def test_a_cluster_loses_a_worker(swept, tmp_path):
    """A real scheduler and two workers, one of them killed while it works: all points are there, each once. An address
    where nobody answers is told."""
    distributed = pytest.importorskip("distributed")
    with pytest.raises(StithyError, match="no scheduler answers"):
        swept.sweep(cluster="tcp://127.0.0.1:9")
    own = {"processes": True, "threads_per_worker": 1, "dashboard_address": None, "silence_logs": 50}
    with distributed.LocalCluster(n_workers=2, **own) as cluster:
        killed = []

        def tell(course):
            if course.on and not killed and course.spent > 0.4:
                worker = next(iter(cluster.workers.values()))
                killed.append(os.kill(worker.process.pid, signal.SIGKILL))
            return True

        course = swept.sweep(tell=tell, cluster=cluster.scheduler_address)
        assert killed
        assert (course.done, course.failed) == (4, 0)
        assert len(list((swept.folder / record.FOLDER).glob("*/point.json"))) == 4


@pytest.mark.verify
def test_a_cluster_loses_its_scheduler(swept):
    """It is told, what is solved is kept, and the rest is solved here."""
    distributed = pytest.importorskip("distributed")
    swept.document = edits.set_cell(ONE, "Fans", "second", "Chip, heat load: 2.5 to 4 W in 6").apply(swept.document)
    own = {"processes": True, "threads_per_worker": 1, "dashboard_address": None, "silence_logs": 50}
    with distributed.LocalCluster(n_workers=2, **own) as cluster:

        def close(course):
            if course.done >= 2 and cluster.scheduler.status.name == "running":
                cluster.sync(cluster.scheduler.close)
            return True

        with pytest.raises(StithyError, match="scheduler is lost"):
            swept.sweep(tell=close, cluster=cluster.scheduler_address)
    assert 1 <= len(list((swept.folder / record.FOLDER).glob("*/point.json"))) < 12
    assert swept.sweep(at_once=2).done == 12


def test_a_search_runs_and_takes_up(tmp_path):
    """The least fan power that keeps the chip cool: the fan turns as slowly as its limit lets it; begun again it
    solves nothing anew; a goal that nothing changes is told."""
    row = d.SearchRow(name="Quiet", first="Fan, speed: 20 to 100 %", goal="fan power: least", runs="9")
    files.save(box(row), tmp_path / "p")
    p = api.open_project(tmp_path / "p")
    p.document = edits.set_cell(ONE, "Hot", "most", "74 degC").apply(p.document)
    found = p.search(at_once=2)
    speed = float(found.best.values[0].split()[0])
    lower = [float(x.values[0].split()[0]) for x in p.points("Quiet")[1]]
    assert min(lower) < speed < 60.0
    assert found.matters["Fan, speed"] > 0.8
    times = {x: x.stat().st_mtime_ns for x in (p.folder / record.FOLDER).glob("*/point.json")}
    assert p.search(at_once=2).best.values == found.best.values
    assert times == {x: x.stat().st_mtime_ns for x in (p.folder / record.FOLDER).glob("*/point.json")}
    p.document = edits.set_cell(ONE, "Quiet", "goal", "mass: least").apply(p.document)
    with pytest.raises(StithyError, match="nothing that is varied changes it"):
        p.search(at_once=2)


def test_a_grid_study_tells_what_numbers_tend_to(tmp_path):
    """Heat into a fin on three grids: extrapolated, it is nearer to the closed form than on the finest of them, which
    lies within its own band; begun again nothing is solved."""
    from verification.projects import project

    sides = "x-: 100 degC; y-: 40 W/m2/K; y+: 40 W/m2/K; z-: symmetry; z+: symmetry"
    document = project(
        d.Enclosure(name="Fin", size="80, 2, 2 mm", wall="0 mm", outside="adiabatic", sides=sides),
        d.MaterialRow(name="plastic", conductivity="1 W/m/K", density="1000 kg/m3", heat_capacity="1000 J/kg/K"),
        d.Block(name="Rod", at="0, 0, 0 mm", size="80, 2, 2 mm", material="plastic"),
        d.WatchRow(name="Mean", quantity="temperature", of="Rod", measure="volume mean"),
        grid={"coarsest": "2 mm", "across_solids": "6"},
        ambient="0 degC",
    )
    files.save(document, tmp_path / "p")
    p = api.open_project(tmp_path / "p")
    study = p.grid_study()
    assert study.cells[0] > study.cells[1] > study.cells[2]
    (line,) = study.lines
    t, k, h, n = 2e-3, 1.0, 40.0, np.arange(200)
    biot = 0.5 * h * t / k
    b = n * np.pi + np.where(n == 0, np.sqrt(biot), biot / np.maximum(n * np.pi, 1.0))
    for _ in range(50):
        b -= (b * np.sin(b) - biot * np.cos(b)) / (np.sin(b) * (1.0 + biot) + b * np.cos(b))
    of = 4.0 * np.sin(b) / (2.0 * b + np.sin(2.0 * b))
    exact = 273.15 + float(np.sum(100.0 * of * np.sin(b) / b * np.tanh(2.0 * b * 0.08 / t) / (2.0 * b * 0.08 / t)))
    assert abs(line.tends.value - exact) < abs(line.values[0] - exact) < 1.5 * line.tends.band
    assert 1.0 < line.tends.order < 3.0
    assert line.held
    assert p.grid_study(tell=lambda c: False).lines[0].values == line.values


def test_what_would_help_is_what_helps(tmp_path):
    """A load cut by a tenth, and a fan sped up, bring what solving again says they bring."""
    files.save(box(), tmp_path / "p")
    p = api.open_project(tmp_path / "p")
    with pytest.raises(StithyError, match="no result"):
        p.helps()
    p.solve()
    found = {(h.row, h.what): h for h in p.helps()}
    for (row, what), key, text, near in (
        (("Chip", "heat load -10%"), "power", "0.9 W", 0.05),
        (("Fan", "speed +10%"), "speed", "110 %", 0.35),
    ):
        document = edits.set_cell(ONE, row, key, text).apply(p.document)
        after = Job(document, ONE, None, banded=False).run().summary["parts"]["Chip"]["max"]
        moved = after - p.summary()["parts"]["Chip"]["max"]
        assert moved < 0.0
        assert found[row, what].moves["Hot"] == pytest.approx(moved, abs=near)
    assert helping.kept(p.folder, standing(p.document, p.folder, ONE)) == list(found.values())


# what is made of it


def test_reports_differ_only_where_results_do(swept, tmp_path, capsys):
    """Twice the same bytes; a row, a chart and a decision are in it; a spreadsheet has the same tables; a template of
    one's own is used, and where it is wrong its line is told; all on the command line as well."""
    with pytest.raises(StithyError, match="nothing to report"):
        swept.report(tmp_path / "r.html")
    swept.solve()
    swept.sweep(at_once=2)
    first = swept.report(tmp_path / "r.html").read_bytes()
    assert swept.report(tmp_path / "s.html").read_bytes() == first
    text = first.decode()
    assert "meets all limits" in text
    assert "Of 4 points solved 2 meet all limits" in text
    assert text.count("<path") + text.count("<circle") >= 4
    pypdfium2 = pytest.importorskip("pypdfium2")
    pages = pypdfium2.PdfDocument(swept.report(tmp_path / "r.pdf"))
    assert "Decision" in pages[0].get_textpage().get_text_range()
    assert swept.report(tmp_path / "r.xlsx").stat().st_size > 5000
    with pytest.raises(FileProblem, match="ends in"):
        swept.report(tmp_path / "r.doc")
    folder = str(swept.folder)
    assert main(["report", folder, "--template"]) == 0
    own = swept.folder / report.TEMPLATE
    own.write_text("<p>{{ name }}: {{ decision[0] }}</p>")
    assert swept.report(tmp_path / "t.html").read_text().startswith("<p>Box: First layout meets")
    own.write_text("fine\n{{ name | nothing }}")
    with pytest.raises(FileProblem, match="line 2"):
        swept.report(tmp_path / "t.html")
    own.write_text("{{ ''.__class__.__mro__ }}")
    with pytest.raises(FileProblem, match=report.TEMPLATE):
        swept.report(tmp_path / "t.html")
    capsys.readouterr()
    assert main(["weigh", folder, "--json", "--where", "meets", "--by", "most worst margin"]) == 0
    lines = json.loads(capsys.readouterr().out)
    assert {x["verdict"] for x in lines} == {"meets"}
    assert lines[0]["numbers"]["worst margin"]["value"] == max(x["numbers"]["worst margin"]["value"] for x in lines)
    assert main(["weigh", folder, "--front", "fan power; most worst margin"]) == 0
    assert main(["sweep", folder, "--list"]) == 0
    assert main(["sweep", folder, "Nothing"]) == 2
    assert "no study “Nothing”" in capsys.readouterr().err


def test_difference_of_any_quantity(tmp_path):
    """Of two layouts on one grid it is exact, cell by cell; of other grids near."""
    document = edits.duplicate_layout(ONE, "Slow").apply(box())
    document = edits.set_cell("Slow", "Fan", "speed", "60 %", True).apply(document)
    files.save(document, tmp_path / "p")
    p = api.open_project(tmp_path / "p")
    one, slow = p.solve(), p.solve("Slow")
    from stithy.model.drawn import References
    from stithy.read.values import Values

    v = Values(slow, References(minus=ONE), one)
    for name in ("speed", "pressure", "temperature"):
        here = np.isfinite(v.of(f"difference of {name}"))
        expected = Values(slow).of(name) - Values(one).of(name)
        assert np.allclose(v.of(f"difference of {name}")[here], expected[here], atol=1e-9)
        assert here.sum() > 0.5 * here.size


def test_two_goals_give_a_front():
    """Proposals for two goals spread along what nothing beats."""
    seeker = Seeker((Varied("x", "R", "x", (), 0.0, 1.0), Varied("y", "R", "y", (), 0.0, 1.0)))
    for _ in range(24):
        for texts in seeker.propose():
            x, y = (float(t) for t in texts)
            seeker.tell(texts, [x + 0.3 * (y - 0.5) ** 2, (1 - x) ** 2 + 0.3 * (y - 0.5) ** 2], [1.0])
    goals = np.array(seeker.seen.goals)
    chosen = goals[front(goals)]
    assert len(chosen) >= 6
    assert chosen[:, 0].min() < 0.1 < 0.8 < chosen[:, 0].max()
    assert isinstance(Search("S", ONE, seeker.variables, "mass").runs, int)
    assert Path(record.__file__).is_file()


def test_layouts_are_kept_in_order(tmp_path):
    """A note with tags is found by the table, a copy says what it is of, an archived layout is out of the table and of
    what is due; a result that is out of date says what has changed since; each is undone."""
    files.save(box(), tmp_path / "p")
    p = api.open_project(tmp_path / "p")
    p.solve()
    history = edits.History(p.document)
    history.do(edits.duplicate_layout(ONE, "Two"))
    history.do(edits.note_layout("Two", "  quieter, #night "))
    assert history.document.layout("Two").of == ONE
    p.document = history.document
    assert [n.name for n in p.overview().narrowed("#night")] == ["Two"]
    history.do(edits.rename_layout(ONE, "First"))
    assert history.document.layout("Two").of == "First"
    history.do(edits.archive_layout("Two"))
    p.document = history.document
    assert [n.name for n in p.overview().lines] == ["First"]
    with pytest.raises(StithyError, match="One layout at least"):
        history.do(edits.archive_layout("First"))
    assert history.undo() == "archive Two"
    files.save(history.document, tmp_path / "p")
    again = files.read(tmp_path / "p")
    assert again.layout("Two").note == "quieter, #night"
    document = edits.set_cell(ONE, "Chip", "power", "2 W").apply(box())
    document = edits.set_cell(ONE, "Hot", "most", "85 degC").apply(document)
    document = edits.add_row(ONE, d.Block(name="More", at="0, 0, 0 mm", size="5, 5, 5 mm", material="copper")).apply(
        document
    )
    since = changed_since(document, tmp_path / "p", standing(document, tmp_path / "p", ONE))
    assert since == ["More is new", "Chip, heat load: 1 W was, 2 W is"]
    assert changed_since(box(), tmp_path / "p", standing(box(), tmp_path / "p", ONE)) == []
