"""Whole runs: balances, continuing, mirror images, the worker process, command line and Python."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from multiprocessing import forkserver

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stithy import cli
from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.project import edits, files
from stithy.read import export
from stithy.read.values import Values
from stithy.solution import store
from stithy.solve import messages
from stithy.solve.job import Job
from stithy.solve.worker import Handle
from stithy.weigh.compare import weigh
from stithy.weigh.limits import CLOSE, FAILS, MEETS

from .conftest import DEMO, small


def closed(summary):
    """Mass and heat balances of a summary."""
    assert summary["trust"]["mass_imbalance"] < 1e-6
    assert abs(summary["heat_imbalance"]) < 1e-3 * summary["heat_load"]
    out = sum(e["heat_out"] for e in summary["ends"].values()) + sum(summary["walls"].values())
    out += sum((summary["radiation"] or {"ends": {}})["ends"].values())
    assert out == pytest.approx(summary["heat_load"], rel=1e-3)


def test_small_box(document):
    """It settles; the air's rise is Q / (m cp) of what the walls leave over; the chip is the hottest."""
    s = Job(document, "One").run().summary
    assert s["settled"]
    closed(s)
    out = s["ends"]["Out"]
    rise = out["temperature"] - s["ambient"]
    assert out["heat_out"] == pytest.approx(-out["mass_flow"] * 1006 * rise, rel=2e-3)
    assert s["ends"]["In"]["volume_flow"] == pytest.approx(0.3 * 200e-6, rel=1e-9)
    assert max(s["parts"], key=lambda p: s["parts"][p]["max"]) == "Chip"


@given(
    x=st.integers(8, 40),
    y=st.integers(6, 20),
    wide=st.integers(3, 12),
    flow=st.sampled_from(["0.2 m/s", "1 m3/h", "ambient"]),
    layout=st.sampled_from(["vent", "wall fan", "opening"]),
    gravity=st.booleans(),
)
@settings(max_examples=8, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_any_box_closes_its_balances(x, y, wide, flow, layout, gravity):
    """Random blocks, openings and fans give a closed mass and heat balance, or a clear refusal."""
    doc = small(radiation="where a gas rises", **({} if gravity else {"gravity": "0, 0, 0 m/s2"}))
    rows = [r for r in doc.rows if r.name not in ("Out", "Drop")]
    ends = {"vent": d.Vent, "wall fan": d.WallFan, "opening": d.Opening}
    rows += [
        ends[layout](name="Out", on="Case", side="x+", at="10, 6 mm", size="20, 10 mm"),
        d.Block(name="Obstacle", at=f"{x}, {y}, 8 mm", size=f"{wide}, {wide}, 6 mm", power="0.5 W"),
    ]
    doc = doc.model_copy(update={"rows": tuple(rows)})
    doc = edits.set_cell("One", "In", "flow", flow).apply(doc)
    doc = edits.set_cell("One", "Run", "iterations", "150").apply(doc)
    try:
        closed(Job(doc, "One").run().summary)
    except SetupError as error:
        assert all(p.row and p.what and p.remedy for p in error.problems)


@pytest.mark.parametrize("model", ["laminar", "wall-law", "k-omega", "k-epsilon"])
def test_mass_residual_falls_four_orders(model):
    """Before each correction the mass imbalance falls four orders, and still falls at the end, with every mixing
    model."""
    doc = small(flow=model, gravity="0, 0, 0 m/s2")
    for row, cell, value in (
        ("In", "flow", "0.1 m/s" if model == "laminar" else "1 m/s"),
        ("Run", "residual", "1e-7"),
        ("Run", "iterations", "450"),
    ):
        doc = edits.set_cell("One", row, cell, value).apply(doc)
    job = Job(doc, "One")
    job.run()
    mass = np.array([h.mass for h in job.run_.history if h.phase == "flow"])
    assert mass.max() / mass[-1] > 1e4
    assert mass[-1] < 0.8 * mass[-20]


def test_mirror_image():
    """Mirrored in y, the model gives the mirrored temperatures."""

    def at(y):
        doc = small()
        doc = edits.set_cell("One", "Chip", "at", f"26, {y}, 2 mm").apply(doc)
        return Job(edits.set_cell("One", "Run", "residual", "0.00001").apply(doc), "One").run().temperature

    left, right = at(8), at(20)
    assert np.abs(left - right[:, ::-1, :]).max() < 0.001


def test_continue_after_a_change(document, tmp_path):
    """A changed power continues from the last field in fewer iterations and gives what a fresh run gives."""
    Job(document, "One", tmp_path).run()
    hotter = edits.set_cell("One", "Chip", "power", "1.2 W").apply(document)
    again = Job(hotter, "One", tmp_path)
    assert again.start is not None
    s = again.run().summary
    fresh = Job(hotter, "One").run().summary
    assert s["iterations"] < fresh["iterations"]
    assert s["parts"]["Chip"]["max"] == pytest.approx(fresh["parts"]["Chip"]["max"], abs=0.1)


def test_stored_result_reads_back(document, tmp_path):
    """Fields come back within single precision; probing and exports agree with them."""
    result = Job(document, "One", tmp_path).run()
    back = store.load(tmp_path, "One")
    assert np.abs(back.temperature - result.temperature).max() < 1e-3
    centre = [float(c[len(c) // 2]) for c in back.grid.centres]
    one, other = (Values(x).at("temperature", [centre, (9, 9, 9)]) for x in (back, result))
    assert one[0] == pytest.approx(other[0], abs=1e-3)
    assert np.isnan(one[1])
    import pyvista as pv

    mesh = pv.read(export.vtk(back, tmp_path / "fields.vtr"))
    assert mesh.n_cells == back.grid.cells
    assert mesh["temperature_K"].reshape(back.grid.shape, order="F") == pytest.approx(back.temperature, rel=1e-6)
    assert mesh["velocity_m_per_s"][:, 0].reshape(back.grid.shape, order="F") == pytest.approx(
        back.velocity()[..., 0], abs=1e-6
    )
    text = export.tables(back, tmp_path / "t.csv").read_text()
    assert f"Chip,{result.summary['parts']['Chip']['max'] - 273.15:.2f}" in text


def drain(handle, until, limit=120):
    """Messages of a worker until one of a class comes."""
    heard, end = [], time.time() + limit
    while time.time() < end:
        heard += handle.messages()
        if any(isinstance(m, until) for m in heard):
            return heard
        time.sleep(0.05)
    raise AssertionError(f"waited in vain for {until}: {[type(m).__name__ for m in heard]}")


def endless(document):
    """A run that does not settle before somebody stops it."""
    cells = (("iterations", "5000"), ("residual", "1e-12"))
    return edits.many("endless", [edits.set_cell("One", "Run", k, v) for k, v in cells]).apply(document)


def test_worker_runs_and_stops(document, tmp_path):
    """The worker reports progress, stops when asked, keeps what it has, and says it has not settled."""
    handle = Handle(endless(document), "One", tmp_path, fresh=True)
    drain(handle, messages.Report)
    handle.stop()
    summary = drain(handle, messages.Finished)[-1].summary
    handle.process.join(10)
    assert summary["settled"] is False
    assert store.load(tmp_path, "One").summary["iterations"] == summary["iterations"]


def test_killed_worker_loses_nothing(document, tmp_path):
    """Killed in mid-run, the stored result is whole and the window's end says what happened."""
    before = Job(document, "One", tmp_path, banded=False).run().temperature
    handle = Handle(endless(document), "One", tmp_path, fresh=True)
    drain(handle, messages.Report)
    os.kill(handle.process.pid, signal.SIGKILL)
    assert "Nothing stored was lost" in drain(handle, messages.Failed)[-1].text
    assert np.array_equal(store.load(tmp_path, "One").temperature, before)


def test_checkpoint_continues(document, tmp_path):
    """A run continues from its checkpoint when it has no result yet."""
    first = Job(document, "One", tmp_path)
    for _ in range(30):
        last = first.run_.step()
    first.checkpoint(last)
    second = Job(document, "One", tmp_path)
    assert second.start is not None
    assert second.run().summary["settled"]
    assert store.load(tmp_path, "One", second.key, spare=True) is None


def test_worker_refuses_faulty_layouts(document, tmp_path):
    """Problems come back as problems, not as a crash."""
    handle = Handle(edits.set_cell("One", "Chip", "material", "").apply(document), "One", tmp_path)
    assert drain(handle, messages.Refused)[-1].problems[0].row == "Chip"
    handle.process.join(10)


def test_demo_results_are_current_and_sensible():
    """The demonstration opens current and settled; balances close; of its layouts some meet, some fail, one is too
    close to call."""
    document = files.read(DEMO)
    standings = weigh(document, DEMO)
    assert {s.state for s in standings} == {"current"}
    for s in standings:
        # a free fan in a box has no steady state: its result is a mean, with a band of less than a kelvin
        free = s.layout == "Fan inside, plates"
        assert s.summary["settled"] or (free and 0 < max(s.summary["band"].values()) < 1.0)
        closed(s.summary)
        hottest = max(p["max"] for p in s.summary["parts"].values()) - 273.15
        assert 35 < hottest < 135
        fan = next(iter(s.summary["fans"].values()), None)
        assert fan is None or 0 < fan["flow_share"] < 1
    assert {s.verdict for s in standings} == {MEETS, FAILS, CLOSE}
    assert all(0 < m.band < 0.1 * (m.bound.most - m.reference) for s in standings for m in s.margins)


def test_command_line(document, tmp_path, capsys):
    """check, solve, weigh and export with their exit codes, and what they print."""
    files.save(document, tmp_path)
    place = str(tmp_path)
    assert cli.main(["check", place]) == 0
    assert cli.main(["weigh", place]) == 1
    assert cli.main(["solve", place, "--all"]) == 0
    assert cli.main(["weigh", place]) == 0
    assert "meets all" in capsys.readouterr().out
    assert cli.main(["export", place, str(tmp_path / "x.vtr")]) == 0
    assert cli.main(["export", place, str(tmp_path / "x.doc")]) == 2
    assert cli.main(["solve", place, "--layout", "None such"]) == 2
    files.save(edits.set_cell("One", "Out", "flow", "0.1 m/s").apply(document), tmp_path)
    assert cli.main(["check", place]) == 2
    assert cli.main(["solve", place]) == 2
    assert "no outlet" in capsys.readouterr().err
    assert cli.main(["solve", str(tmp_path / "nowhere")]) == 2


def test_relaxation_changes_the_way_not_the_result():
    """A run may be given another relaxation: its result is the same within the run's own bound, and stays current."""
    document = small()
    other = edits.set_cell("One", "Run", "relaxation", "0.7").apply(document)
    jobs = [Job(x, "One") for x in (document, other)]
    ends = [job.run().summary for job in jobs]
    assert ends[0]["key"] == ends[1]["key"]
    ways = [job.run_.history[10].momentum for job in jobs]
    assert abs(ways[0] / ways[1] - 1) > 0.05
    assert ends[1]["parts"]["Chip"]["max"] == pytest.approx(ends[0]["parts"]["Chip"]["max"], abs=0.2)
    with pytest.raises(SetupError):
        Job(edits.set_cell("One", "Run", "relaxation", "1.2").apply(document), "One")


def test_five_lines(demo, monkeypatch, capsys):
    """The README's script runs as it stands, beside a copy of the demonstration kept to a few iterations."""
    first, document = files.read(demo).layouts[0].name, files.read(demo)
    rough = {"detail": "quick", "coarsest": "30 mm", "at_walls": "4 mm", "across_gaps": "2", "growth": "2"}
    cells = [("Run", "iterations", "3"), ("Surroundings", "radiation", "none"), *(("Grid", *x) for x in rough.items())]
    for row, key, text in cells:
        document = edits.set_cell(first, row, key, text).apply(document)
    files.save(document, demo)
    demo.rename(demo.with_name("lamp-driver"))
    monkeypatch.chdir(demo.parent)
    script = (DEMO.parents[4] / "README.md").read_text().split("```python\n")[1].split("```")[0]
    assert len([line for line in script.splitlines() if line]) == 5
    exec(script, {})
    out = capsys.readouterr().out
    assert 60 < float(out.split()[0]) < 140
    assert "Fan on wall, plates" in out


def test_core_knows_no_window():
    """Importing the core loads neither Qt nor a 3-D toolkit."""
    code = (
        "import sys, stithy, stithy.solve.job, stithy.weigh.table, stithy.read.export, stithy.cli, "
        "stithy.desk.session; "
        "sys.exit(any(m.split('.')[0] in ('PyQt6', 'vtkmodules', 'pyvista', 'pyqtgraph') for m in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0


def test_key_is_stable(document):
    """The same document gives the same key in another process."""
    code = (
        "from tests.conftest import small; from stithy.kinds.assembly import resolve; "
        "print(resolve(small(), 'One').key())"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, cwd=DEMO.parents[4])
    assert out.stdout.strip() == resolve(document, "One").key()


def test_processes_begin_at_once(document, tmp_path, monkeypatch):
    """Those of a server that has loaded what they need: with the environment of whoever asks, not of the server, and
    the same answer as one that is begun from nothing; a server that is gone is begun anew."""
    from stithy.solve import processes

    processes.context(wait=True)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    handle = Handle(document, "One", tmp_path / "forked")
    forked = drain(handle, messages.Finished)[-1].summary
    handle.process.join(20)
    assert handle.process.exitcode == 0
    assert list((tmp_path / "state").rglob("*.log"))
    os.kill(forkserver._forkserver._forkserver_pid, signal.SIGKILL)
    assert drain(Handle(document, "One", tmp_path / "after"), messages.Finished)[-1].summary["parts"] == forked["parts"]
