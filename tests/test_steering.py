"""A run that is steered: refined by results, dials turned, events in time, gone on with after a crash."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.mesh.build import predict
from stithy.mesh.gridding import grid_lines
from stithy.project import edits
from stithy.setup.prepare import prepare
from stithy.solution import store
from stithy.solve.job import Job
from stithy.solve.refine import bends, carried, refined

ONE = "First layout"


def box(*more, run=None, grid=None, power="3 W", speed="100 %") -> d.Document:
    """A chip in a case with a vent and a fan."""
    rows = (
        d.Enclosure(name="Case", size="80, 50, 30 mm", wall="0 mm"),
        d.Block(name="Chip", at="30, 15, 0 mm", size="20, 20, 6 mm", material="FR4 laminate", power=power),
        d.Vent(name="Vent", on="Case", side="x-", at="10, 5 mm", size="30, 20 mm"),
        d.WallFan(name="Fan", on="Case", side="x+", at="10, 5 mm", size="30, 20 mm", curve="Skerry 40", speed=speed),
        d.Surroundings(name="Air", ambient="25 degC", radiation="none", gravity="0, 0, 0 m/s2"),
        grid
        or d.GridRow(name="Grid", coarsest="6 mm", across_gaps="3", across_solids="2", growth="2", at_walls="0 mm"),
        run or d.RunRow(name="Run"),
    )
    return d.Document(name="Box", rows=(*rows, *more))


def bar(coarsest="4 mm", **grid) -> d.Document:
    """A bar of plastic, hot at one end and cooled along its sides: temperature falls within a few millimetres."""
    rows = (
        d.Enclosure(
            name="Bar",
            size="80, 2, 2 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="x-: 100 degC; y-: 40 W/m2/K; y+: 40 W/m2/K; z-: symmetry; z+: symmetry",
        ),
        d.MaterialRow(name="plastic", conductivity="1 W/m/K", density="1000 kg/m3", heat_capacity="1000 J/kg/K"),
        d.Block(name="Rod", at="0, 0, 0 mm", size="80, 2, 2 mm", material="plastic"),
        d.Surroundings(name="Air", ambient="0 degC", gravity="0, 0, 0 m/s2", radiation="none"),
        d.GridRow(name="Grid", coarsest=coarsest, across_solids="1", growth="2", at_walls="0 mm", **grid),
        d.RunRow(name="Run"),
    )
    return d.Document(name="Bar", rows=rows)


def flows_in(document: d.Document) -> tuple[float, int, dict]:
    """Heat (W) through the hot end, cells, and the summary."""
    summary = Job(document, ONE, banded=False).run().summary
    return -summary["walls"]["Bar x-"], summary["cells"], summary


def test_cells_go_where_a_result_bends():
    """Heat into the bar falls off as the closed form q = k A m T tanh(m L) says, but for what bends across it; a grid
    refined by results is off from an even grid without end by less than half of what an even one of as many cells is.
    It ends where watches rest, and tells what it did."""
    m = (40.0 * 2 / (1.0 * 2e-3)) ** 0.5
    exact = 1.0 * 4e-6 * m * 100.0 * np.tanh(m * 0.08)
    limit, _, _ = flows_in(bar("0.25 mm"))
    assert abs(limit / exact - 1.0) < 0.01
    coarse, first, _ = flows_in(bar())
    even, many, _ = flows_in(bar("1 mm"))
    q, few, told = flows_in(bar(refine="0.5 K", most="1000"))
    assert first < few <= many
    assert abs(q - limit) < 0.5 * abs(even - limit) < 0.1 * abs(coarse - limit)
    assert told["refined"]["from"] == first
    assert [x[3] for x in told["log"]].count("refined") == told["refined"]["rounds"]
    assert any("refined by results" in x for x in told["trust"]["notes"])


def test_what_is_carried_is_kept():
    """From grid to grid every part and fluid keeps its heat to rounding, the next run its mass exactly, and a refined
    grid is found again by a later run unless that begins afresh."""
    document = box()
    job = Job(document, ONE, banded=False)
    for _ in range(40):
        job.run_.step()
    p = job.prepared
    new = prepare(refined(job.model, p, bends(p, job.run_), 2 * p.case.grid.cells))
    assert 1.5 * p.case.grid.cells < new.case.grid.cells <= 2 * p.case.grid.cells
    fields = carried(p, job.run_, new, 298.15)
    for name in p.parts:
        of, to = (x.case.part == x.parts.index(name) for x in (p, new))
        kept = [
            np.average(t[w], weights=x.case.grid.volumes()[w])
            for x, t, w in ((p, job.run_.heat.temperature(), of), (new, fields.temperature, to))
        ]
        assert abs(kept[0] - kept[1]) < 1e-9
    of, to = p.case.kind == 0, new.case.kind == 0
    warm = [
        float((t * x.case.grid.volumes())[w].sum())
        for x, t, w in ((p, job.run_.heat.temperature(), of), (new, fields.temperature, to))
    ]
    assert abs(warm[0] / warm[1] - 1.0) < 1e-12


def test_a_refined_grid_is_found_again(tmp_path, monkeypatch):
    """Refined while it runs, by hand: twice the cells, mass and heat closed, bands there; a later run goes on from it,
    a fresh one from the rule's grid, one after a crash from its checkpoint's; a run in time says why it does not."""
    from stithy.solve import job as jobs

    document, asked = box(), []
    job = Job(document, ONE, tmp_path)

    def hear(p):
        if p.phase == "flow" and p.iteration > 10 and not asked:
            asked.append(job.ask_finer())
        return True

    first = job.run_.case.grid.cells
    summary = job.run(hear).summary
    assert asked == [""]
    assert summary["settled"]
    assert 1.5 * first < summary["cells"] <= 2 * first
    assert summary["coarse"] is not None
    assert abs(summary["heat_imbalance"]) < 1e-3 * summary["heat_load"]
    assert summary["trust"]["mass_imbalance"] < 1e-6
    again = Job(document, ONE, tmp_path)
    assert again.run_.case.grid.cells == summary["cells"]
    assert again.start is not None
    assert Job(document, ONE, tmp_path, fresh=True).run_.case.grid.cells == first
    monkeypatch.setattr(jobs, "CHECKPOINT", 0.0)
    dies, asked[:] = Job(edits.set_cell(ONE, "Chip", "power", "4 W").apply(document), ONE, tmp_path), []

    def die(p):
        hear_of(dies, p)
        if dies.finer_rounds and dies.run_.iteration > 2:
            raise KeyboardInterrupt

    def hear_of(job, p):
        if p.phase == "flow" and p.iteration > 10 and not asked:
            asked.append(job.ask_finer())

    with pytest.raises(KeyboardInterrupt):
        dies.run(die)
    up = Job(dies.document, ONE, tmp_path)
    assert up.run_.case.grid.cells == dies.run_.case.grid.cells > first
    assert up.start is not None
    timed = Job(box(run=d.RunRow(name="Run", time="10 s")), ONE)
    assert "keeps its grid" in timed.ask_finer()


def test_dials_of_a_steady_run(tmp_path):
    """A load and a fan turned while it runs: the result is that of the changed layout, belongs to it and has its bands;
    what needs another set-up, or cannot be read, is refused and the run goes on."""
    document = box(grid=d.GridRow(name="Grid", coarsest="6 mm", across_gaps="3", across_solids="2", at_walls="0 mm"))
    after = edits.set_cell(ONE, "Chip", "power", "5 W").apply(document)
    after = edits.set_cell(ONE, "Fan", "speed", "60 %").apply(after)
    moved = edits.set_cell(ONE, "Chip", "at", "20, 15, 0 mm").apply(document)
    wrong = edits.set_cell(ONE, "Chip", "power", "5 kg").apply(document)
    job, said = Job(document, ONE, tmp_path), []

    def hear(p):
        if p.phase == "flow" and job.run_.iteration > 20 and not said:
            said.extend([job.ask(moved, "moved"), job.ask(wrong, "wrong"), job.ask(after, "Chip: heat load 5 W")])
        return True

    result = job.run(hear).summary
    assert "set up anew" in said[0]
    assert "5 kg" in said[1]
    assert said[2] == ""
    straight = Job(after, ONE).run().summary
    assert result["key"] == resolve(after, ONE).key()
    assert result["settled"]
    assert result["coarse"] is not None
    assert abs(result["parts"]["Chip"]["max"] - straight["parts"]["Chip"]["max"]) < 0.3
    assert result["heat_load"] == pytest.approx(5.0)
    assert [x[3] for x in result["log"]] == ["turned"]
    assert store.summary(tmp_path, ONE, result["key"])["key"] == result["key"]


def cooling(*more, time="60 s", **run) -> d.Document:
    """The same box in time with its flow held."""
    plan = {"step": "2 s", "hold_flow": "200 s"} | run
    return box(*more, run=d.RunRow(name="Run", time=time, **plan))


def hottest(document: d.Document, folder=None, tell=None) -> tuple[float, dict]:
    summary = Job(document, ONE, folder).run(tell).summary
    return summary["parts"]["Chip"]["max"], summary


def test_events_are_changes_in_time():
    """A load that an event takes away is the one that its profile takes away; a fan that fails makes the chip warmer
    from then on, and is told; what cannot hold is found before."""
    off = d.EventRow(name="Off", at="30 s", of="Chip", cell="heat load", to="0 W")
    by_event, told = hottest(cooling(off))
    cycle = edits.set_cell(ONE, "Chip", "profile", "on 30 s, off 1000 s").apply(cooling())
    by_profile, _ = hottest(cycle)
    whole, _ = hottest(cooling())
    assert abs(by_event - by_profile) < 0.02
    assert whole - by_event > 5.0
    assert [(x[2], x[3]) for x in told["log"]] == [(30.0, "turned")]
    fails = d.EventRow(name="Fails", at="30 s", of="Fan", cell="speed", to="20 %")
    assert hottest(cooling(fails))[0] > whole + 0.3
    for event, words in (
        (replaced(off, cell="colour"), "has no cell"),
        (replaced(off, to="3 kg"), "cannot hold"),
        (replaced(off, of="Grid"), "no row that can change"),
        (replaced(off, of="Chip", cell="size", to="20, 20, 8 mm"), "where solids stand"),
    ):
        with pytest.raises(SetupError, match=words):
            Job(cooling(event), ONE)
    with pytest.raises(SetupError, match="needs a run in time"):
        Job(box(off), ONE)


def replaced(row, **cells):
    """A row with other cells."""
    return row.model_copy(update=cells)


def test_a_dial_of_a_run_in_time_is_an_event():
    """Turned at a moment, it is written down as an event of that moment; a run from the start with it gives the
    same."""
    document, made = cooling(), []
    job = Job(document, ONE)

    def hear(p):
        if p.time > 19.0 and not made:
            made.append(job.ask_event("Chip", "power", "1 W"))
            assert job.ask_event("Chip", "power", "1 kg")[0] is None
        return True

    steered = job.run(hear).summary
    event, why = made[0]
    assert why == ""
    assert event.of == "Chip"
    assert event.to == "1 W"
    again, told = hottest(edits.add_row(ONE, event).apply(document))
    assert abs(again - steered["parts"]["Chip"]["max"]) < 1e-3
    assert told["key"] == steered["key"]


def test_a_run_in_time_goes_on(tmp_path, monkeypatch):
    """After a crash from its checkpoint, with history and instants; beyond its end; from a steady state; from a kept
    instant of another layout. All as if nothing had happened in between."""
    from stithy.solve import job as jobs

    monkeypatch.setattr(jobs, "CHECKPOINT", 0.0)
    document = cooling(save_every="10 s; 2 K")
    straight, whole = hottest(document)

    class Dies(Exception):
        pass

    def die(p):
        if p.time > 31.0:
            raise Dies

    with pytest.raises(Dies):
        Job(document, ONE, tmp_path).run(die)
    job = Job(document, ONE, tmp_path)
    assert 25.0 < job.run_.time < 35.0
    assert job.run_.instants
    result = job.run()
    assert abs(result.summary["parts"]["Chip"]["max"] - straight) < 0.02
    assert store.history(tmp_path, ONE)["time"].tolist() == sorted(set(store.history(tmp_path, ONE)["time"].tolist()))
    times = [x.time for x in result.instants]
    assert {10.0, 20.0, 30.0, 40.0, 50.0, 60.0} <= {round(t, 6) for t in times}
    assert len(times) > 6
    longer = edits.set_cell(ONE, "Run", "time", "80 s").apply(document)
    on = Job(longer, ONE, tmp_path)
    assert on.run_.time == pytest.approx(60.0)
    assert abs(on.run().summary["parts"]["Chip"]["max"] - hottest(longer)[0]) < 0.02
    stopped = Job(longer, ONE, tmp_path, fresh=True).run(lambda p: p.time < 40.0)
    assert not stopped.summary["settled"]
    on = Job(longer, ONE, tmp_path)
    assert on.run_.time == stopped.summary["time"] < 45.0
    assert abs(on.run().summary["parts"]["Chip"]["max"] - hottest(longer)[0]) < 0.02
    held = hottest(cooling(start="steady state"))[0]
    assert abs(held - Job(box(), ONE).run().summary["parts"]["Chip"]["max"]) < 0.2
    two = edits.duplicate_layout(ONE, "Later").apply(longer)
    for key, text in (("start", ONE), ("start_at", "30 s"), ("time", "30 s")):
        two = edits.set_cell("Later", "Run", key, text, True).apply(two)
    later = Job(two, "Later", tmp_path).run().summary
    assert abs(later["parts"]["Chip"]["max"] - straight) < 0.05


def test_a_full_disk_at_a_checkpoint_ends_nothing(tmp_path, monkeypatch):
    """The run goes on and its log says it."""
    from stithy.errors import FileProblem
    from stithy.solve import job as jobs

    monkeypatch.setattr(jobs, "CHECKPOINT", 0.0)
    real = store.save

    def full(*given, spare=False, **more):
        if spare:
            raise FileProblem("no room")
        return real(*given, **more)

    monkeypatch.setattr(store, "save", full)
    summary = Job(box(), ONE, tmp_path, banded=False).run().summary
    assert summary["settled"]
    assert sum("No checkpoint" in x[4] for x in summary["log"]) == 1


def test_refinement_that_cannot_end_is_told():
    """Watches that still move at the ceiling: the run ends there, and says by how much."""
    told = flows_in(bar(refine="0.0001 K", most="600"))[2]
    assert told["cells"] <= 600
    assert any("at its most cells" in x for x in told["trust"]["notes"])
    none = flows_in(bar(refine="0.0001 K", most="300"))[2]
    assert any("no room" in x[4] for x in none["log"])


def test_a_grid_is_refined_at_given_moments():
    """Once an iteration has come or, where the run settles before, then; up to the ceiling, which is told; a list that
    is none is refused."""
    told = flows_in(bar(refine_at="4; 100"))[2]
    refined_at = [x[1] for x in told["log"] if x[3] == "refined"]
    assert told["refined"]["rounds"] == len(refined_at) == 2
    assert told["cells"] > 3 * told["refined"]["from"] / 1.5
    assert told["settled"]
    document = box(
        grid=d.GridRow(name="Grid", coarsest="6 mm", across_gaps="3", across_solids="2", refine_at="20; 30; 40")
    )
    job = Job(document, ONE, banded=False)
    first = job.run_.case.grid.cells
    told = job.run().summary
    at = [x[1] for x in told["log"] if x[3] == "refined"]
    assert [20 <= at[0] <= 22, 30 <= at[1] <= 32, len(at)] == [True, True, 2]
    assert told["settled"]
    assert 1.5 * first < told["cells"] <= 3 * first
    assert [x[4] for x in told["log"] if x[3] == "warning"] == ["Not refined at iteration 40: at its most cells"]
    for text in ("soon", "0", "3; 4; 5; 6; 7; 8; 9", "1.5"):
        with pytest.raises(SetupError, match="no list of iterations"):
            resolve(bar(refine_at=text), ONE)


def test_what_is_planned_is_moved_while_it_runs():
    """An event that is still to come is put at another time: the result is that of a run with it there from the start;
    what has happened stays, and the run goes on. A fan's curve is taken into a steady run."""
    off = d.EventRow(name="Off", at="40 s", of="Chip", cell="heat load", to="0 W")
    document = cooling(off)
    sooner, late = (edits.set_cell(ONE, "Off", "at", t).apply(document) for t in ("24 s", "4 s"))
    job, said = Job(document, ONE), []

    def hear(p):
        if p.time > 11.0 and not said:
            said.extend([job.ask(late, "to the past"), job.ask(sooner, "sooner")])
        return True

    moved = job.run(hear).summary
    assert "happened" in said[0]
    assert said[1] == ""
    straight, told = hottest(sooner)
    assert abs(moved["parts"]["Chip"]["max"] - straight) < 1e-3
    assert moved["key"] == told["key"]
    assert [(x[2], x[3]) for x in moved["log"] if x[3] == "turned"] == [(24.0, "turned")]
    weak = edits.set_cell(ONE, "Fan", "curve", "Petrel 30").apply(box())
    job, said = Job(box(), ONE, banded=False), []

    def turn(p):
        if p.phase == "flow" and p.iteration > 20 and not said:
            said.append(job.ask(weak, "Fan: curve"))
        return True

    turned = job.run(turn).summary
    assert said == [""]
    straight = Job(weak, ONE, banded=False).run().summary
    assert turned["fans"]["Fan"]["rise"] == pytest.approx(straight["fans"]["Fan"]["rise"], rel=0.01)


def test_lines_of_a_model_change_no_key():
    """A model on lines of its own has the key of the one without, and just those lines."""
    model = resolve(box(), ONE)
    lines = tuple(tuple(x.tolist()) for x in grid_lines(model).lines)
    lined = replace(model, grid=replace(model.grid, lines=lines))
    assert lined.key() == model.key()
    assert predict(lined)[0] == predict(model)[0]


def test_a_duty_from_a_table(tmp_path):
    """Times and loads of a table become heat load and profile, thinned to what straight lines need; slips are told with
    their line, and the run takes what the table says."""
    from stithy import api, cli
    from stithy.errors import StithyError
    from stithy.kinds.duty import from_table
    from stithy.project import files

    rows = [(t, 4.0 if t < 20 else 4.0 - 0.05 * (t - 20)) for t in range(61)]
    table = tmp_path / "duty.csv"
    table.write_text("time [s];power [W]\n" + "\n".join(f"{t};{p:.3f}" for t, p in rows))
    power, told = from_table(table.read_text())
    assert power == "4 W"
    assert told == "0 s: 100 %; 20 s: 100 %; 60 s: 50 %"
    assert from_table("time [min],share [%]\n0,50\n2,100\n")[1] == "0 s: 50 %; 120 s: 100 %"
    files.save(cooling(), tmp_path / "p")
    assert cli.main(["duty", str(tmp_path / "p"), "Chip", str(table)]) == 0
    document = api.open_project(tmp_path / "p").document
    by_table = hottest(document)[0]
    constant = hottest(edits.set_cell(ONE, "Chip", "profile", "").apply(document))[0]
    assert 1.0 < constant - by_table < 0.5 * (constant - 298.15)
    for text, words in (
        ("", "two columns"),
        ("t,P\n0,1\n1,x\n", "line 3"),
        ("t [s],P [kg]\n0,1\n1,2\n", "heading"),
        ("t [s],P [W]\n1,1\n0,2\n", "rise"),
        ("t [s],P [W]\n0,0\n1,0\n", "no load is above"),
    ):
        with pytest.raises(StithyError, match=words):
            from_table(text)
    with pytest.raises(StithyError, match="no heat load"):
        api.open_project(tmp_path / "p").duty("Vent", table)


def test_a_run_settles_by_watches(tmp_path):
    """By a watch and a part that are named it stops sooner than by residuals, at the same answer; what they name is
    followed by renaming; what cannot be read is refused with what could be."""
    drop = d.WatchRow(name="Drop", quantity="pressure drop", of="Fan")
    own = Job(box(drop, run=d.RunRow(name="Run", residual="1e-9")), ONE, banded=False).run()
    document = box(drop, run=d.RunRow(name="Run", residual="1e-9", settled_by="Chip 0.1 K; Drop 0.05 Pa"))
    ruled = Job(document, ONE, banded=False).run()
    assert ruled.summary["settled"]
    assert ruled.summary["iterations"] < own.summary["iterations"]
    for table, name, key, off in (("parts", "Chip", "max", 0.2), ("fans", "Fan", "rise", 0.1)):
        assert ruled.summary[table][name][key] == pytest.approx(own.summary[table][name][key], abs=off)
    renamed = edits.set_cell(ONE, "Chip", "name", "Die").apply(document)
    renamed = edits.set_cell(ONE, "Drop", "name", "Fan pressure").apply(renamed)
    assert next(r for r in renamed.rows if r.name == "Run").settled_by == "Die 0.1 K; Fan pressure 0.05 Pa"
    assert resolve(renamed, ONE).run.settled_by[1].watch == "Fan pressure"
    for text, told in (
        ("Chip", "0.1 K"),
        ("Lamp 1 K", "no watch or part"),
        ("Drop 1 K", "not a pressure"),
        ("Chip -1 K", "0"),
    ):
        with pytest.raises(SetupError, match=told):
            resolve(edits.set_cell(ONE, "Run", "settled_by", text).apply(document), ONE)


def test_a_run_ends_early_by_a_rule():
    """A part passes a temperature, steady or in time: the run ends there, is not settled, and its log says why."""
    hot = Job(box(run=d.RunRow(name="Run", stop_when="Chip > 40 degC")), ONE, banded=False).run().summary
    assert not hot["settled"]
    assert "Chip is" in hot["log"][-1][4]
    assert hot["parts"]["Chip"]["max"] > 313.15
    plan = d.RunRow(name="Run", time="600 s", step="2 s", hold_flow="1000 s", stop_when="Chip > 40 degC; Chip < 0 degC")
    timed = Job(box(run=plan), ONE, banded=False).run().summary
    assert 0.0 < timed["time"] < 600.0
    assert 313.15 < timed["parts"]["Chip"]["max"] < 318.0
