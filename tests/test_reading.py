"""Reading any quantity: the worked examples, numbers that must agree with each other, what is refused."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace

import numpy as np
import pytest

from stithy import api, cli
from stithy.model.drawn import Watch
from stithy.numerics.interpolate import resample
from stithy.project import edits, files
from stithy.read.watches import in_time
from verification.examples import examples


def test_heat_agrees_along_every_way(solved):
    """What a wall gives is what the flow takes up between two planes, and what leaves by the openings."""
    q = api.open_project(solved / "heated-duct").read()
    given = q.wall("Heated floor")["heat"]
    rows = q.wall_along("Heated floor", 0)
    assert sum(r["heat"] for r in rows) == pytest.approx(given, rel=1e-9)
    planes = [q.plane(0, x)["fluid space 1"] for x in (0.02, 0.199)]
    taken = planes[0]["mass_flow"] * 1006 * (planes[1]["bulk_temperature"] - planes[0]["bulk_temperature"])
    assert taken == pytest.approx(given, rel=0.02)
    assert all(r["flux"] > 0 for r in rows)
    ends = api.open_project(solved / "heated-duct").result().summary["ends"]
    assert sum(e["heat_out"] for e in ends.values()) == pytest.approx(given, rel=1e-4)


def test_heat_through_a_plate(solved):
    """One stream gives what the other takes, and both sides of the plate say so."""
    q = api.open_project(solved / "two-streams").read()
    one, two = (q.wall(f"Plate, fluid space {m}")["heat"] for m in (1, 2))
    assert one == pytest.approx(-two, rel=1e-4)
    ends = api.open_project(solved / "two-streams").result().summary["ends"]
    assert ends["Water out"]["heat_out"] + ends["Water in"]["heat_out"] == pytest.approx(max(one, two), rel=1e-3)


def test_forces_balance_a_developed_flow(solved):
    """The pressure gradient times the volume is the friction of the walls; line and plane agree on the speed."""
    q = api.open_project(solved / "channel-pitch").read()
    volume = 0.01 * 0.01 * 0.005
    assert q.wall()["shear_force"][0] == pytest.approx(q.drive()["pressure_gradient"] * volume, rel=1e-4)
    middle = q.at([(0.005, 0.005, 0.0025)])[0]
    assert middle["u"] == pytest.approx(0.3, rel=0.01)
    assert q.plane(0, 0.005)["fluid space 1"]["mean_velocity"] == pytest.approx(0.2, rel=1e-6)


def test_cavity_reads_the_published_nusselt_number(solved):
    """Ra 1e5: 4.519 on the hot wall, from the command line's own numbers."""
    wall = api.open_project(solved / "warm-cavity").read().wall("Cavity x-")
    assert wall["flux"] * 0.1 / (1.18679e-5 * 10) == pytest.approx(4.519, rel=0.01)


def test_instants_are_kept(solved):
    """A duty cycle's chip is hot at 30 s and cooler at 90 s; asking for a time picks the nearest instant."""
    project = api.open_project(solved / "warm-up")
    hot, cool = (project.read(time=t).parts()["Chip"]["highest"] for t in (30.0, 90.0))
    assert hot > cool + 10
    result = project.result()
    assert len(result.instants) == 6
    rows = [
        Watch("Hot", quantity="temperature", of=("Chip",), dimension="temperature"),
        Watch("Twice", quantity="= Hot / (1 K)", dimension="="),
        Watch("Heat", quantity="heat", of=("Chip",), dimension="power"),
    ]
    told = dict(in_time(result, rows))
    assert told[30.0]["Hot"].value == pytest.approx(hot, abs=1e-6)
    assert told[90.0]["Twice"].value == pytest.approx(told[90.0]["Hot"].value)
    powers = [x.numbers["parts"]["Chip"]["power"] for x in result.instants]
    assert powers == pytest.approx([2, 0, 0, 2, 0, 0])
    for x in result.instants:  # what is released is stored or leaves, at every moment
        n = x.numbers
        assert n["heat_load"] == pytest.approx(n["stored"] + sum(n["walls"].values()), abs=2e-4)
    assert result.instants[-1].numbers["walls"] == pytest.approx(result.summary["walls"])
    assert 0.5 < told[30.0]["Heat"].value < 2.0  # the rest warms the chip
    assert 0.0 < told[60.0]["Heat"].value < told[30.0]["Heat"].value
    old = replace(result, instants=tuple(replace(x, numbers={}) for x in result.instants))
    assert "of its end only" in dict(in_time(old, rows))[30.0]["Heat"].fault


def test_history_follows_openings(solved, capsys):
    """Flow and pressure at every opening stand in the history, and end where the table of openings has them."""
    place = str(solved / "heated-duct")
    capsys.readouterr()
    rows = []
    for what in ("history", "ends"):
        assert cli.main(["read", place, what, "--json"]) == 0
        rows.append(json.loads(capsys.readouterr().out))
    last, ends = rows[0][-1], {e["name"]: e for e in rows[1]}
    for name in ("In", "Out"):
        assert last[f"{name} flow m3/s"] == pytest.approx(ends[name]["volume_flow"], rel=1e-5)
        assert last[f"{name} pressure Pa"] == pytest.approx(ends[name]["pressure"], rel=1e-3, abs=1e-4)


def test_what_cannot_be_read_is_refused(solved, capsys):
    """No result, a wall that is not there, an axis that is none, a layout changed since: each says what to do."""
    place = str(solved / "heated-duct")
    assert cli.main(["read", place, "wall", "Ceiling"]) == 2
    assert "Heated floor" in capsys.readouterr().err
    assert cli.main(["read", place, "plane", "q", "1 mm"]) == 2
    assert cli.main(["read", place, "at"]) == 2
    changed = solved / "changed"
    shutil.copytree(place, changed)
    files.save(edits.set_cell("Base", "In", "flow", "0.2 m/s").apply(files.read(changed)), changed)
    assert cli.main(["read", str(changed), "parts"]) == 2
    assert "changed after" in capsys.readouterr().err
    shutil.rmtree(changed / "results")
    assert cli.main(["read", str(changed), "parts"]) == 2
    assert "no result" in capsys.readouterr().err


def test_points_outside_are_said_to_be(solved):
    """A point outside the model reads as such, not as a number."""
    row = api.open_project(solved / "step").read().at([(9.0, 9.0, 9.0)])[0]
    assert row["place"] == "outside"
    assert np.isnan(row["temperature"])


def test_interpolation_is_exact_for_linear_fields():
    """Trilinear interpolation, also where some points are left out."""
    rng = np.random.default_rng(1)
    old = [np.sort(rng.random(6)) for _ in range(3)]
    x, y, z = np.meshgrid(*old, indexing="ij")
    values = 2 * x - y + 3 * z
    new = [np.linspace(o[0], o[-1], 5) for o in old]
    a, b, c = np.meshgrid(*new, indexing="ij")
    assert resample(values, old, new) == pytest.approx(2 * a - b + 3 * c)
    good = np.ones(values.shape, bool)
    good[3:] = False
    some = resample(values, old, new, good)
    assert np.isfinite(some[0]).all()
    assert np.isnan(some[-1]).all()


def test_what_is_read_is_what_was_solved(solved, tmp_path):
    """A stored field taken up again has the fluxes it was solved with: conductivities that follow temperature, and the
    factor by which a pitch shrinks differences, come back with it."""
    document = examples()["warm-cavity"][0]
    for row, key, text in (
        ("Cavity", "fluid", "air"),
        ("Cavity", "sides", "y-: symmetry; y+: symmetry; x-: 500 degC; x+: 20 degC"),
        ("Cavity", "size", "30, 5, 30 mm"),
        ("Air", "properties", "varying"),
        ("Air", "gravity", "0, 0, -9.81 m/s2"),
        ("Grid", "across_gaps", "20"),
        ("Grid", "at_walls", "0 mm"),
    ):
        document = edits.set_cell("Base", row, key, text).apply(document)
    project = api.Project(document, tmp_path / "hot")
    result = project.solve("Base")
    into = project.read().wall("Cavity x-")["heat"]
    assert into == pytest.approx(-result.summary["walls"]["Cavity x-"], rel=1e-5)
    out = project.read().wall("Cavity x+")["heat"]
    assert into == pytest.approx(-out, rel=1e-3)
    assert project.read().fluid()["fluid space 1"]["absolute_pressure"] > 1.2e5
    pitch = api.Project(examples()["pipe-pitch"][0], solved / "pipe-pitch")
    stored = json.loads(next((solved / "pipe-pitch/results").glob("*/summary.json")).read_text())
    assert pitch.read().drive()["difference_ratio"] == pytest.approx(stored["drive"]["difference_ratio"], rel=1e-9)
    assert 0.6 < stored["drive"]["difference_ratio"] < 0.999


def test_openings_serve_one_fluid(solved):
    """Rectangles that reach oil and water take in what they are told, and each fluid leaves by its own."""
    ends = api.Project(examples()["tube-in-tube"][0], solved / "tube-in-tube").summary()["ends"]
    flows = {name: end["volume_flow"] for name, end in ends.items()}
    assert flows["Oil in"] == pytest.approx(0.01 / 850, rel=1e-9)
    assert flows["Oil out"] == pytest.approx(-0.01 / 850, rel=1e-6)
    assert flows["Water out"] == pytest.approx(-flows["Water in"], rel=1e-6)
