"""Commands answer by value: against lengths one can work out on paper, against each other, and against what is stored;
what they change is saved, and what is printed is what stands in the file."""

from __future__ import annotations

import json
import re
import shlex
from pathlib import Path
from shutil import copytree

import jsonschema
import numpy as np
import pytest

from stithy import api, cli, starts
from stithy import kinds as d
from stithy.project import edits, files, library

from .conftest import small


@pytest.fixture(scope="module")
def solved_once(tmp_path_factory):
    """The small box with both layouts solved."""
    folder = tmp_path_factory.mktemp("commands") / "p"
    files.save(small(), folder)
    assert cli.main(["solve", str(folder), "--all"]) == 0
    return folder


@pytest.fixture
def ask(tmp_path, capsys):
    """A command on a project (P), by words: its output."""
    project = tmp_path / "p"

    def run(command: str, code: int = 0, of: Path | None = None) -> str:
        words = [x.replace("P/", f"{tmp_path}/") for x in shlex.split(command)]
        argv = [words[0], *(str(of or project) if x == "P" else x for x in words[1:])]
        capsys.readouterr()
        assert cli.main(argv) == code, capsys.readouterr().err
        return capsys.readouterr().out

    files.save(small(), project)
    run.folder = tmp_path
    run.json = lambda command, code=0, of=None: json.loads(run(f"{command} --json", code, of))
    run.row = lambda name: next(r for r in files.read(project).rows_of("One") if r.name == name)
    return run


def numbers(text: str) -> list[float]:
    return [float(x) for x in re.findall(r"-?\d+\.?\d*(?:e-?\d+)?", text)]


# what is there


def test_measures_are_those_of_a_drawing(ask):
    """Lengths, volume and surface of a block; distance and gap of two; the free room and what touches, all as on
    paper."""
    told = {m["what"]: m["value"] for m in ask.json("measure P Chip")}
    assert [told[f"along {a}"] for a in "xyz"] == pytest.approx([0.010, 0.012, 0.004])
    assert told["volume"] == pytest.approx(480e-9)
    assert told["surface"] == pytest.approx(2 * (120 + 40 + 48) * 1e-6)
    files.save(
        edits.add_row("One", d.Block(name="Lid", at="40, 14, 10 mm", size="4, 4, 4 mm")).apply(small()),
        ask.folder / "p",
    )
    told = {m["what"]: m["value"] for m in ask.json("measure P Chip Lid")}
    assert told["gap between the parts"] == pytest.approx(np.hypot(4, 4) * 1e-3)
    between = np.array([42, 16, 12]) - np.array([31, 20, 4])
    assert told["middle to middle, distance"] == pytest.approx(np.linalg.norm(between) * 1e-3)
    shown = ask("measure P Chip Lid")
    assert numbers(next(x for x in shown.splitlines() if x.startswith("gap"))) == [pytest.approx(5.6569)]
    (space,) = ask.json("spaces P")
    room, mouths = 56 * 36 * 16, 2 * 20 * 10 * 2
    assert space["volume"] == pytest.approx((room + mouths - 480 - 64) * 1e-9)
    assert space["openings"] == ["In", "Out"]
    assert space["fluid"] == "air"
    assert set(space["parts"]) == {"Case", "Chip", "Lid"}
    x, y, z = space["point"]
    assert 0 < x < 0.06
    assert 0 < y < 0.04
    assert 0 < z < 0.02
    (touch,) = ask.json("contacts P")
    assert {touch["one"], touch["other"]} == {"Case", "Chip"}
    assert touch["area"] == pytest.approx(120e-6)
    assert "120" in ask("contacts P").splitlines()[1].split()


def test_rows_are_found_by_words_and_values(ask, solved_once):
    """By kind, by a cell's value in any unit, and by what came of it; 1 where nothing is found."""
    assert [r["name"] for r in ask.json("rows P opening")] == ["In", "Out"]
    assert [r["name"] for r in ask.json("rows P 'heat load > 900 mW'")] == ["Chip"]
    assert ask.json("rows P 'heat load > 1.1 W'", 1) == []
    hottest = json.loads(next(solved_once.glob("results/*/summary.json")).read_text())["parts"]["Chip"]["max"] - 273.15
    assert "Chip" in ask(f"rows P '> {hottest - 3:.1f} degC'", 0, solved_once)
    assert ask.json("rows P '> 95 degC'", 1, solved_once) == []


def test_a_grid_is_foretold_as_it_is_solved(ask, solved_once):
    """Cells before any run are those of the result; the table says the same; doubtful cells end with 1."""
    told = ask.json("grid P")
    assert told["cells"] == np.prod(told["shape"]) == api.open_project(solved_once).summary()["cells"]
    shown = ask("grid P").splitlines()[0]
    assert shown.startswith(f"{' x '.join(map(str, told['shape']))} = {told['cells']} cells")
    ask("check P")
    rough = edits.add_row("One", d.Block(name="Leaf", at="8, 14, 2 mm", size="0.02, 20, 10 mm")).apply(small())
    files.save(rough, ask.folder / "p")
    found = ask.json("grid P", 1)["findings"]
    assert "cells 200 times as long along y as along x" in [f["what"] for f in found]  # 4 mm beside 0.02
    weights = [f["weight"] for f in found]
    assert weights == sorted(weights, reverse=True)


def test_lists_hold_what_the_program_knows(ask):
    """Libraries with counts, search and sources; quantities with units; starts with the cells to fill in; schemas that
    fit what is stored."""
    counts = {x.split("  ")[0]: int(x.split()[-1]) for x in ask("library").splitlines()[1:]}
    assert counts == {n: len(library.shelf(n)) for n in library.SHELVES}
    found = ask.json("library materials copper")
    assert "copper" in found
    assert (
        380
        < float(found["copper"]["conductivity"] if "conductivity" in found["copper"] else found["copper"]["k"])
        < 402
    )
    assert all("copper" in f"{n} {v}".lower() for n, v in found.items())
    every = ask.json("quantities")
    assert len({q["name"] for q in every}) == len(every) > 50
    assert next(q["unit"] for q in every if q["name"] == "temperature") == "degC"
    listed = [x.split("  ")[0] for x in ask("new --list").splitlines()[1:]]
    assert listed == list(starts.STARTS)
    made = ask("new pipe P/made")
    project = api.open_project(ask.folder / "made")
    for row, key in starts.STARTS["pipe"].first:
        assert f"fill in first: {row}: " in made
        assert next(r for r in project.document.rows if r.name == row).text(key) is not None
    ask("new pipe P/made", 2)  # never over a project that is there
    jsonschema.validate(json.loads((ask.folder / "p/project.json").read_text()), json.loads(ask("schema")))


def test_the_schema_of_a_result_fits_one(ask, solved_once):
    """``stithy schema --result`` describes what stands in a result's folder."""
    schema = json.loads(ask("schema --result"))
    for file in solved_once.glob("results/*/summary.json"):
        jsonschema.validate(json.loads(file.read_text()), schema)


# what is changed


def test_parts_are_moved_and_arranged(ask):
    """By lengths, side by side, mirrored, again and again, on another: as the file then says."""
    assert ask("move P '-2, 1, 0 mm' Chip") == "Chip: 24, 15, 2 mm\n"
    assert ask.row("Chip").at == "24, 15, 2 mm"
    assert ask.json("repeat P '3 x 12, 0, 0 mm' Chip") == ["Chip 2", "Chip 3"]
    assert [ask.row(f"Chip{n}").at for n in ("", " 2", " 3")] == ["24, 15, 2 mm", "36, 15, 2 mm", "48, 15, 2 mm"]
    ask("move P '0, 5, 0 mm' 'Chip 2'")
    assert "Chip 2: 36, 15, 2 mm" in ask("arrange P 'align y low' Chip 'Chip 2' 'Chip 3'")
    ask("move P '3, 0, 0 mm' 'Chip 2'")
    ask("arrange P 'spread x' Chip 'Chip 2' 'Chip 3'")
    assert ask.row("Chip 2").at == "36, 15, 2 mm"
    told = ask("arrange P 'mirror y at 20 mm' 'Chip 3'")
    new = told.splitlines()[-1].partition(":")[0]
    low = numbers(ask.row(new).at)
    assert low == [48, 40 - 15 - 12, 2]
    ask("arrange P 'on Chip z+' 'Chip 2'")
    assert numbers(ask.row("Chip 2").at)[2] == 6


def test_loads_come_from_tables(ask):
    """By reference, in the table's units; what has no part and what cannot be read is listed, and ends with 1; loads in
    time are points of a profile."""
    table = ask.folder / "loads.csv"
    table.write_text("reference;power [mW];limit [degF]\nChip;2500;176\nNone;1;100\nChip;much;1\n", encoding="utf-8")
    told = ask.json("powers P P/loads.csv", 1)
    assert told["unmatched"] == ["None"]
    assert len(told["wrong"]) == 1
    assert "line 4" in told["wrong"][0]
    assert (ask.row("Chip").power, numbers(ask.row("Chip").limit)) == ("2500 mW", [176.0])
    (ask.folder / "duty.csv").write_text("time [min],load [W]\n0,1\n1,3\n2,3\n4,0\n", encoding="utf-8")
    assert ask("duty P Chip P/duty.csv") == "Chip: 3 W, 4 points in time\n"
    points = dict(p.strip().split(" s: ") for p in ask.row("Chip").profile.split(";"))
    assert {float(t): float(x.rstrip("% ")) for t, x in points.items()} == pytest.approx(
        {0.0: 100 / 3, 60.0: 100.0, 120.0: 100.0, 240.0: 0.0}, rel=1e-4
    )
    copy = Path(copytree(ask.folder / "p", ask.folder / "other"))
    files.save(small(), ask.folder / "p")
    ask(f"powers P {copy}")
    assert ask.row("Chip").power == "3 W"


def test_a_component_is_taken_apart(ask):
    """Die, pad and body: the die keeps load and limit, its lengths are the share that was asked for, the pad stands
    under it, and nothing is missing then."""
    ask("detail P Chip --die 40")
    die, pad, body = (ask.row(n) for n in ("Chip", "Chip pad", "Chip body"))
    assert (die.power, die.limit, die.material) == ("1 W", "90 degC", "silicon")
    assert numbers(die.size)[:2] == pytest.approx([4.0, 4.8])
    assert (numbers(body.at), numbers(body.size)) == ([26, 14, 2], [10, 12, 4])
    assert pad.material == "copper"
    low, thick = numbers(pad.at)[2], numbers(pad.size)[2]
    assert numbers(die.at)[2] == pytest.approx(low + thick)
    assert ask("check P").splitlines() == ["One: nothing missing", "Two: nothing missing"]


def test_joints_are_filled_where_parts_touch(ask):
    """All joints of a part by one command; a second time they are changed, not added."""
    ask("contacts P --of Chip --fill '0.1 mm, 2 W/m/K'")
    assert "0.1 mm, 2 W/m/K" in ask("contacts P")
    ask("contacts P --of Chip --fill '2e-5 m2 K/W'")
    rows = [r for r in files.read(ask.folder / "p").rows if r.kind == "contact"]
    assert [(r.of, r.to, r.resistance) for r in rows] in (
        [("Case", "Chip", "2e-5 m2 K/W")],
        [("Chip", "Case", "2e-5 m2 K/W")],
    )
    before = (ask.folder / "p/project.json").read_bytes()
    ask("contacts P --fill '3 kg'", 2)
    assert (ask.folder / "p/project.json").read_bytes() == before


def test_check_tells_rows_and_cells(ask):
    """Each fault on a line of its own under its layout, with 2; a doubt alone is no fault."""
    broken = edits.many(
        "spoil", [edits.set_cell("One", "Chip", "power", "much"), edits.set_cell("One", "In", "side", "up")]
    ).apply(small())
    files.save(broken, ask.folder / "p")
    lines = ask("check P", 2).splitlines()
    assert lines[0] == "One: 2 to settle"
    assert {x.split(": ")[1] for x in lines[1:3]} == {"Chip, heat load", "In, side"}
    files.save(edits.set_cell("One", "Chip", "size", "10, 12, 0.004 mm").apply(small()), ask.folder / "p")
    assert "is this meant? Chip" in ask("check P")


# what came of it


def test_what_is_read_adds_up(ask, solved_once):
    """Heat along every way: what a part gives is its load; what the stream takes is what its opening carries out; the
    balance closes; a mean by hand is the mean told."""
    path = ask.json("read P path", 0, solved_once)
    for name in ("Chip", "Case", "air"):
        into = sum(x["heat"] for x in path if x["to"] == name)
        out = sum(x["heat"] for x in path if x["from"] == name)
        assert into == pytest.approx(out, abs=2e-4), name
    assert sum(x["heat"] for x in path if x["from"] == "heat load") == pytest.approx(1.0)
    (stream,) = ask.json("read P streams", 0, solved_once)
    ends = {e["name"]: e for e in ask.json("read P ends", 0, solved_once)}
    assert stream["heat"] == pytest.approx(ends["Out"]["heat_out"], rel=1e-6)
    assert stream["mass_flow"] == pytest.approx(ends["In"]["mass_flow"], rel=1e-6)
    assert ends["In"]["volume_flow"] == pytest.approx(0.3 * 200e-6)
    capacity = stream["heat"] / stream["mass_flow"] / (stream["leaving_temperature"] - stream["entering_temperature"])
    assert capacity == pytest.approx(1006, rel=2e-3)
    balance = {x["name"]: x["heat"] for x in ask.json("read P balance", 0, solved_once)}
    left = balance.pop("heat load") - balance.pop("imbalance")
    assert sum(balance.values()) == pytest.approx(left, abs=1e-9)
    result = api.open_project(solved_once).result()
    speed = np.linalg.norm(result.velocity(), axis=-1)
    volume, air = result.grid.volumes(), result.kind == 0
    (fluid,) = ask.json("read P fluid", 0, solved_once)
    assert fluid["mean_speed"] == pytest.approx(np.average(speed[air], weights=volume[air]), rel=1e-6)
    (value,) = ask.json("read P value temperature --of Chip --measure mean", 0, solved_once)
    here = result.part == result.parts.index("Chip")
    mean = np.average(result.temperature[here], weights=volume[here]) - 273.15
    assert value["result"] == pytest.approx(mean, abs=3 * value["band"])
    assert value["unit"] == "degC"


def test_influence_is_linear_and_its_own_proof(ask, solved_once):
    """Rises are powers times the matrix; no power leaves the ambient, and twice the load twice the rise."""
    told = ask.json("influence P", 0, solved_once)
    rises = np.array(told["matrix"]) @ np.array(told["powers"])
    assert [told["hottest"][n] - 298.15 for n in told["parts"]] == pytest.approx(list(rises), rel=1e-4)
    double = ask.json("influence P 'Chip=2000 mW'", 0, solved_once)["hottest"]
    none = ask.json("influence P 'Chip=0 W'", 0, solved_once)["hottest"]
    for name in told["parts"]:
        assert double[name] - 298.15 == pytest.approx(2 * (told["hottest"][name] - 298.15), rel=1e-4)
        assert none[name] == pytest.approx(298.15, abs=2e-3)
    solved = api.open_project(solved_once).summary()["parts"]
    for name in told["parts"]:  # the flow is held, buoyancy too
        assert told["hottest"][name] == pytest.approx(solved[name]["max"], abs=0.05 * (solved[name]["max"] - 298.15))


def test_an_estimate_is_made_of_its_parts(ask, solved_once):
    """Air, film and body make up the rise; the table's solved column is the result's; flows are those of the inlet."""
    told = ask.json("estimate P", 0, solved_once)
    solved = api.open_project(solved_once)
    for layout, flow in (("One", 0.3), ("Two", 0.6)):
        for name, x in told[layout]["parts"].items():
            assert x["temperature"] - 298.15 == pytest.approx(x["air"] + x["film"] + x["body"], abs=1e-6)
            assert abs(x["temperature"] - solved.summary(layout)["parts"][name]["max"]) < 2 * x["band"]
        assert told[layout]["openings"]["In"] == pytest.approx(flow * 200e-6, rel=1e-4)
    lines = ask("estimate P --layout Two", 0, solved_once).splitlines()
    chip = next(x for x in lines if x.startswith("Chip"))
    assert numbers(chip)[-1] == pytest.approx(solved.summary("Two")["parts"]["Chip"]["max"] - 273.15, abs=0.051)


def test_layouts_are_weighed_in_words_and_numbers(ask, solved_once):
    """JSON, table and the order asked for say the same; the faster inlet is better, and costs pressure; a report has
    its numbers, and its template is the project's to change."""
    lines = ask.json("weigh P", 0, solved_once)
    assert [x["name"] for x in lines] == ["Two", "One"]
    assert all(x["verdict"] == "meets" for x in lines)
    drops = {x["name"]: x["numbers"]["Drop"]["value"] for x in lines}
    assert drops["Two"] > drops["One"] > 0
    assert [x["name"] for x in ask.json("weigh P --by Drop", 0, solved_once)] == ["One", "Two"]
    assert [x["name"] for x in ask.json("weigh P --by 'most Drop'", 0, solved_once)] == ["Two", "One"]
    assert [x["name"] for x in ask.json(f"weigh P --where 'Drop < {drops['One'] * 1.01} Pa'", 0, solved_once)] == [
        "One"
    ]
    front = ask.json("weigh P --front 'Drop; most worst margin'", 0, solved_once)
    assert {x["name"] for x in front} == {"One", "Two"}
    table = ask("weigh P", 0, solved_once).splitlines()
    assert table[1].startswith("Two")
    assert f"{lines[0]['numbers']['mass']['value'] * 1e3:.0f}" in table[1].split()
    report = ask.folder / "report.html"
    ask("report P P/report.html --no-views", 0, solved_once)
    text = report.read_text(encoding="utf-8")
    margin = 90 - (lines[0]["numbers"]["Chip"]["value"] - 273.15)
    assert f"{margin:.1f}" in text
    assert "Small box" in text
    ask("report P --template", 0, solved_once)
    ask("report P --template", 2, solved_once)  # it is there already


def test_a_solve_says_how_it_went(ask):
    """Words on the output, progress beside it; a second solve goes on from the first; what is due is solved once."""
    told = ask("solve P")
    assert told.startswith("One: settled, 2106 cells")
    assert "iteration" not in told.splitlines()[0]
    assert ask("solve P --due").startswith("Two: settled")
    assert "every layout" in ask("solve P --due")
    history = ask.json("read P history")
    done = [int(x["iteration"]) for x in history]
    assert sorted(set(done)) == list(range(1, done[-1] + 1))
    trust = {x["name"]: x["what"] for x in ask.json("read P trust")}
    assert trust["settled"] == "yes"
    assert f"{done[-1]} iterations" in trust["run"]
    assert float(trust["heat left over"].split()[0]) < 1e-3
