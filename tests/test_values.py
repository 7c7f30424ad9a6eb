"""Values where they are asked for: on walls, on both sides of a contact, on faces of solids; and balances that
close."""

from __future__ import annotations

import numpy as np
import pytest

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import SolveFailed, StithyError
from stithy.kinds.assembly import resolve
from stithy.model.mass import mass
from stithy.project import edits, files
from stithy.solution import store
from stithy.solve.job import Job
from stithy.solve.steady import Settings, Steady
from verification.projects import channel, project, solve

from .conftest import small


def two_layers() -> d.Document:
    """3 and 0.3 W/m/K, 12 mm each, a contact of 0.002 m2 K/W between them, 5000 W/m2 through both to 20 degC."""
    return project(
        d.MaterialRow(name="good", conductivity="3 W/m/K"),
        d.MaterialRow(name="poor", conductivity="0.3 W/m/K"),
        d.Enclosure(
            name="Box", size="24, 10, 10 mm", wall="0 mm", outside="adiabatic", sides="x-: 5000 W/m2; x+: 20 degC"
        ),
        d.Block(name="A", size="12, 10, 10 mm", material="good"),
        d.Block(name="B", at="12, 0, 0 mm", size="12, 10, 10 mm", material="poor"),
        d.Contact(name="Joint", of="A", to="B", resistance="0.002 m2 K/W"),
        grid={"across_solids": "4"},
    )


def exact(x: float) -> float:
    """Temperature (degC) at ``x`` (mm) in :func:`two_layers`."""
    return 20 + 5 * ((24 - x) / 0.3 if x > 12 else 12 / 0.3 + 2 + (12 - x) / 3)


def test_walls_and_contacts(tmp_path):
    """Heated face, held face and both sides of a contact, by command line and window alike; extremes of parts lie on
    their faces."""
    doc = two_layers()
    job = Job(doc, "First layout", tmp_path)
    result = job.run()
    from stithy.read.quantities import Quantities

    q = Quantities(job.result())
    for x in (0.0, 0.3, 6.0, 11.9, 11.9999, 12.0001, 13.0, 23.9, 24.0):
        point = (x * 1e-3, 5e-3, 5e-3)
        assert q.at([point])[0]["temperature"] - 273.15 == pytest.approx(exact(x), abs=1e-3)
        for again in (result, store.load(tmp_path, "First layout")):
            assert Quantities(again).at([point])[0]["temperature"] - 273.15 == pytest.approx(exact(x), abs=1e-3)
    parts = q.parts()
    assert parts["A"]["highest"] - 273.15 == pytest.approx(exact(0), abs=1e-3)
    assert parts["A"]["lowest"] - 273.15 == pytest.approx(exact(11.999999), abs=1e-3)
    assert parts["B"]["lowest"] - 273.15 == pytest.approx(20.0, abs=1e-3)
    assert result.summary["parts"]["A"]["max"] - 273.15 == pytest.approx(exact(0), abs=1e-3)
    assert result.summary["parts"]["A"]["hot_spot"][0] == pytest.approx(0.0)


def test_speed_at_walls():
    """Nothing slips: the speed is zero at a wall and between that and the next cell's centre it rises straight."""
    _, q = solve(channel(8))
    for y in (0.0, 10.0):
        assert q.at([(5e-3, y * 1e-3, 2.5e-3)])[0]["u"] == pytest.approx(0.0, abs=1e-12)
    assert q.at([(5e-3, 5e-3, 2.5e-3)])[0]["u"] == pytest.approx(1.5, rel=0.03)
    assert q.at([(5e-3, 5e-3, 0.0)])[0]["u"] == pytest.approx(1.5, rel=0.03)  # a side of symmetry is no wall


def test_a_held_solid_on_a_side_keeps_its_temperature():
    """A block of 70 degC on the side of an enclosure without thickness: its heat comes from what holds it, and the
    balance closes."""
    job, q = solve(
        project(
            d.Enclosure(name="Box", size="60, 40, 30 mm", wall="0 mm", outside="8 W/m2/K"),
            d.Block(name="Hot", size="20, 20, 10 mm", power="70 degC"),
        )
    )
    hot = q.parts()["Hot"]
    assert hot["lowest"] - 273.15 == pytest.approx(70.0)
    assert hot["highest"] - 273.15 == pytest.approx(70.0)
    leaves = float(job.run_.heat.outflow()[1].sum())
    assert hot["held_heat"] == pytest.approx(leaves, rel=1e-4)
    assert abs(job.run_.heat.imbalance()) < 1e-3 * leaves


def test_a_runaway_is_told_and_never_stored(tmp_path):
    """Temperatures beyond all bounds end the run with their place; no result is left."""
    doc = small()
    job = Job(doc, "One", tmp_path)
    job.run_.step()
    hot = job.run_.geo.flat(np.array([[5, 5, 3]]))[0]

    def tell(progress):
        job.run_.heat.theta[hot] = 1e9
        return True

    job.banded = False
    with pytest.raises(SolveFailed) as caught:
        job.run(tell)
    assert caught.value.place == pytest.approx(
        [float(c[i]) for c, i in zip(job.prepared.case.grid.centres, (5, 5, 3), strict=True)]
    )
    assert "temperatures" in str(caught.value)
    assert store.summary(tmp_path, "One") is None


def test_a_falling_residual_is_not_called_restless():
    """A run whose residual falls in ripples goes on; one that has stopped falling is averaged."""
    run = Steady(Job(small(), "One", banded=False).prepared.case, Settings(momentum=1e-9))
    run.blend = 0.0
    step = run.step()
    for slope, wanders in ((0.004, False), (0.0, True)):
        run.history = [
            type(step)(**{**step.__dict__, "momentum": 10 ** (-3 - slope * m) * (1 + 0.4 * np.sin(m))})
            for m in range(300)
        ]
        run.iteration = 300
        assert run.wanders() is wanders


def test_nothing_left_to_solve_is_no_fault():
    """A pressure correction of a residual that is zero, or as good as that, gives zeros and no NaN."""
    run = Steady(Job(small(), "One", banded=False).prepared.case)
    run.step()
    flow = run.flow
    for size in (0.0, 1e-170, 1e-300):
        x, _, _ = flow.solver.solve(flow.inside, flow.extra, np.full(flow.geo.size, size), 1e-9, 20)
        assert np.isfinite(x).all()


def test_mass_of_shapes():
    """A tube weighs what its wall weighs; what a block holds inside counts once."""
    doc = project(
        d.MaterialRow(name="light", density="1000 kg/m3"),
        d.Enclosure(name="Box", size="100, 60, 60 mm", wall="0 mm"),
        d.Block(name="Outer", at="0, 0, 0 mm", size="20, 20, 20 mm", material="light"),
        d.Block(name="Core", at="5, 5, 5 mm", size="10, 10, 10 mm", material="light"),
        d.Cylinder(
            name="Tube", at="0, 40, 40 mm", along="x", length="100 mm", diameter="10 mm", bore="8 mm", material="light"
        ),
    )
    assert mass(resolve(doc, "First layout")) == pytest.approx(1e3 * (8e-6 + np.pi / 4 * (1e-4 - 0.64e-4) * 0.1))


def test_out_of_date_results_are_not_handed_out(tmp_path, capsys):
    """After a change, export refuses and weigh does not call the layout good."""
    project = api.Project(small(), tmp_path)
    files.save(project.document, tmp_path)
    project.solve("One")
    assert cli.main(["export", str(tmp_path), str(tmp_path / "a.csv")]) == 0
    assert cli.main(["weigh", str(tmp_path)]) == 0
    files.save(edits.set_cell("One", "Chip", "power", "1.1 W").apply(project.document), tmp_path)
    assert cli.main(["export", str(tmp_path), str(tmp_path / "b.csv")]) == 2
    assert "changed after it was solved" in capsys.readouterr().err
    assert not (tmp_path / "b.csv").exists()
    assert cli.main(["weigh", str(tmp_path)]) == 1
    with pytest.raises(StithyError, match="changed after"):
        api.open_project(tmp_path).current("One")


def test_trust_is_printed(tmp_path, capsys):
    """`solve` prints every temperature with its band and the notes; `read trust` gives them again."""
    files.save(small(), tmp_path)
    assert cli.main(["solve", str(tmp_path)]) == 0
    told = capsys.readouterr().out
    assert "±" in told
    assert "y+ of the first cells" in told
    assert cli.main(["read", str(tmp_path), "trust"]) == 0
    again = capsys.readouterr().out
    assert "settled" in again
    assert "y+ of the first cells" in again
    assert cli.main(["read", str(tmp_path), "parts"]) == 0
    assert "value band [K]" in capsys.readouterr().out


def test_faces_of_solids_can_be_read():
    """A model without any fluid has walls: the heated side and the held one, with their heat and the temperatures of
    their faces."""
    _, q = solve(two_layers())
    assert {"Box x-", "Box x+"} <= set(q.wall_names())
    hot, cold = q.wall("Box x-"), q.wall("Box x+")
    assert hot["heat"] == pytest.approx(0.5, rel=1e-6)
    assert cold["heat"] == pytest.approx(-0.5, rel=1e-4)
    assert hot["wall_temperature"] - 273.15 == pytest.approx(exact(0), abs=1e-3)
    assert cold["wall_temperature"] - 273.15 == pytest.approx(20.0, abs=1e-3)


def test_a_patch_on_a_solid_can_be_read():
    """A wall patch that lies on a solid tells its flux and the solid's temperature there."""
    _, q = solve(
        project(
            d.MaterialRow(name="good", conductivity="3 W/m/K"),
            d.Enclosure(name="Box", size="20, 10, 10 mm", wall="0 mm", outside="adiabatic", sides="x+: 20 degC"),
            d.Block(name="A", size="20, 10, 10 mm", material="good"),
            d.WallPatch(name="Heated", on="Box", side="x-", at="0, 0 mm", size="10, 10 mm", condition="3000 W/m2"),
            grid={"across_solids": "8"},
        )
    )
    patch = q.wall("Heated")
    assert patch["heat"] == pytest.approx(0.3, rel=1e-6)
    assert patch["wall_temperature"] - 273.15 == pytest.approx(40.0, abs=1e-3)


def test_a_balance_in_time_tells_what_is_stored(tmp_path, capsys):
    """Heat that goes into what gets warmer stands in the balance of a run in time, and the balance closes with it."""
    doc = edits.set_cell("One", "Run", "time", "4 s").apply(small())
    files.save(doc, tmp_path)
    summary = Job(doc, "One", tmp_path).run().summary
    assert summary["stored"] > 0.3
    out = summary["stored"] + sum(e["heat_out"] for e in summary["ends"].values()) + sum(summary["walls"].values())
    assert out == pytest.approx(summary["heat_load"], rel=0.02)
    assert cli.main(["read", str(tmp_path), "balance"]) == 0
    assert "stored" in capsys.readouterr().out
