"""Bad input: each refused with row, cell and remedy."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import SetupError, StithyError
from stithy.imports import job as imports
from stithy.imports.circuit import rows as circuit_rows
from stithy.kinds import arranging, closing, detailed, duty, fit, moving, surroundings
from stithy.kinds.assembly import cell_faults, resolve
from stithy.kinds.face_list import face_list
from stithy.model.drawn import Line, Paint, Section, Watch
from stithy.model.quantities import WATCHED, find
from stithy.project import edits, files
from stithy.read import age, measure
from stithy.read.along import along
from stithy.read.planes import cut_through, of_end
from stithy.read.selection import cells_of, extreme
from stithy.read.values import Values
from stithy.read.watches import watched
from stithy.setup.prepare import prepare
from stithy.solve.influence import influence
from stithy.solve.job import Job

from .conftest import small


def faults(document):
    """All problems, from resolving and from the grid."""
    try:
        prepare(resolve(document, "One"))
    except SetupError as error:
        return error.problems
    return []


def add(row):
    return edits.add_row("One", row)


def cell(row, key, text):
    return edits.set_cell("One", row, key, text)


@pytest.mark.parametrize(
    ("edit", "row", "title", "words"),
    [
        (cell("Case", "wall", "-1 mm"), "Case", "wall", "too small"),
        (cell("Case", "wall", "15 mm"), "Case", "wall", "no room"),
        (cell("Chip", "size", "10, -2, 4 mm"), "Chip", "size", "not positive"),
        (cell("Chip", "material", "unobtainium"), "Chip", "material", "not known"),
        (cell("Chip", "power", "3 g/s"), "Chip", "heat load", "not a power"),
        (cell("Chip", "material", ""), "Chip", "material", "heat load"),
        (cell("In", "at", "300, 6 mm"), "In", "low corner", "no wall"),
        (cell("In", "side", "w+"), "In", "side", "not known"),
        (cell("Out", "flow", "0.1 m/s"), "In", "flow", "no outlet"),
        (add(d.Block(name="Clash", at="30, 20, 3 mm", size="10, 10, 10 mm")), "Clash", "low corner", "not clear"),
        (add(d.Component(name="Lost", at="500, 0, 0 mm")), "Lost", "low corner", "no enclosure"),
        (add(d.Block(name="Plug", at="2, 8, 4 mm", size="4, 24, 14 mm")), "In", "flow", "no outlet"),
        (add(d.InsideFan(name="Stirrer", at="90, 5, 5 mm", size="5, 5 mm")), "Stirrer", "low corner", "no enclosure"),
        (
            add(d.WallFan(name="Fan", on="Case", side="y+", at="5, 5 mm", size="9, 9 mm", curve="0: 3")),
            "Fan",
            "fan curve",
            "start",
        ),
        (
            add(d.PlateFinSink(name="Sink", at="40, 8, 2 mm", size="10, 10, 8 mm", fins="20")),
            "Sink",
            "fin",
            "no channel",
        ),
        (add(d.Parameter(name="twice 1", value="2")), "twice 1", "name", "expression"),
    ],
)
def test_refused(document, edit, row, title, words):
    """The problem stands at its row and cell, says what is wrong and what to do."""
    assert faults(document) == []
    found = faults(edit.apply(document))
    assert any(p.row == row and p.cell == title and words in str(p) and p.remedy for p in found), found


def test_all_problems_at_once(document):
    """Nobody has to mend one fault to hear of the next."""
    doc = edits.many(
        "spoil", [cell("Case", "wall", "-1 mm"), cell("Chip", "power", "red"), cell("In", "side", "up")]
    ).apply(document)
    assert {p.row for p in faults(doc)} == {"Case", "Chip", "In"}


def test_sealed_and_adiabatic(document):
    """Heat without any way out is refused; a closed box that loses heat through its walls is not."""
    doc = edits.many("close", [edits.delete_row("One", n) for n in ("In", "Out", "Drop")]).apply(document)
    assert faults(doc) == []
    assert any("no way out" in p.what for p in faults(cell("Case", "outside", "adiabatic").apply(doc)))


# cells of every kind


def rich() -> d.Document:
    """The small box with a row of most kinds that are not in it, all of them in order."""
    document = small()
    for row in (
        d.Board(name="Board", at="4, 26, 4 mm", size="16, 10, 1.6 mm", layers="35 um 40 %; 1.53 mm; 35 um 40 %"),
        d.Component(
            name="Die",
            at="44, 14, 2 mm",
            size="8, 8, 3 mm",
            power="0.2 W",
            junction_to_case="2 K/W",
            junction_to_board="9 K/W",
        ),
        d.Contact(name="Joint", of="Chip", to="Case", resistance="2e-5 m2 K/W"),
        d.Wish(name="Fine", of="Chip", across="3"),
        d.WallPatch(name="Warm", on="Case", side="z+", at="4, 4 mm", size="10, 10 mm", condition="100 W/m2"),
        d.SweepRow(name="Flows", first="In, flow: 0.2; 0.4 m/s"),
        d.SearchRow(name="Best", first="In, flow: 0.2 to 1 m/s", goal="Drop: least"),
        d.PieceRow(name="Half", times="1"),
        d.Section(name="Cut", across="y", at="20 mm"),
        d.LineRow(name="Run of air", through="5, 20, 10 mm; 55, 20, 10 mm"),
        d.Parameter(name="gap", value="5 mm"),
    ):
        document = edits.add_row("One", row).apply(document)
    return document


CELLS = [
    ("Joint", "resistance", "gap pad, soft -1 mm", "is no thickness"),
    ("Joint", "resistance", "0.1 mm, 0 W/m/K", "is no layer"),
    ("Joint", "resistance", "0.1 mm, 3 kg", "not a"),
    ("Joint", "resistance", "-2e-5 m2 K/W", "too small"),
    ("Fine", "box", "0, 0, 0", "is no box"),
    ("Fine", "box", "9, 0, 0 to 5, 5, 5 mm", "is no box"),
    ("Fine", "first", "y+ 5000", "no y+"),
    ("Fine", "first", "y+ thin", "is not a number with a unit"),
    ("Half", "x", "24 to 20 mm", "has no length"),
    ("Half", "x", "24", "says no end"),
    ("Case", "outside", "wind 0 m/s along z", "no speed and axis"),
    ("Case", "outside", "wind 4 m/s along q", "no speed and axis"),
    ("Case", "outside", "still air to 3 W", "not a temperature"),
    ("Case", "outside", "-5 W/m2/K", "is negative"),
    ("Warm", "condition", "= 100 W/m2 * x", "is no heat flux, temperature or heat transfer coefficient"),
    ("Warm", "condition", "= 100 W/m2 * sqrt(-x / 1 m)", "no value at some places"),
    ("Board", "layers", "0 um 40 %", "is no layer"),
    ("Board", "layers", "35 um 140 %", "is no layer"),
    ("Board", "layers", "35 um 40 %; 3 mm", "together, but the board is 1.6 mm thick"),
    ("Die", "network", "junction 5 K/W", "names no two of"),
    ("Die", "network", "junction case -5 K/W", "no resistance between two nodes"),
    ("Die", "junction_to_case", "2 W", "not a"),
    ("Run", "stop_when", "Chip 90 degC", "has no sign > or <"),
    ("Run", "stop_when", "Lid > 90 degC", "begins with no watch or part"),
    ("Run", "settled_by", "Chip 0 K", "is not above 0"),
    ("Later", "save_every", "0 s", "is not above 0"),
    ("Later", "step", "Courant much", "is not a number with a unit"),
    ("Flows", "first", "In, flow: 0.3; 0.3 m/s", "holds a value twice"),
    ("Flows", "first", "In, flow: 1 m/s to 2 ft/min in 4", "two units"),
    ("Flows", "first", "In, flow: 2 to 1 m/s in 4", "goes from 2 to 1"),
    ("Flows", "first", "In, flow: 1 to 2 m/s in 9999", "goes in 9999 values"),
    ("Flows", "first", "In, flow: 1 to 2 m/s", "not in how many"),
    ("Flows", "first", "In, flow", "names no values"),
    ("Flows", "first", "In, colour: 1; 2", "has no cell “colour”"),
    ("Flows", "first", "Lid, size: 1; 2", "no row with a cell, and no parameter"),
    ("Flows", "first", "layout: One; Nine", "no layout “Nine”"),
    ("Flows", "points", "Sobol many", "says not how many"),
    ("Best", "goal", "beauty: most", "is no goal"),
    ("Best", "goal", "mass: least; Drop: least; fan power: least", "needs one number, or two"),
    ("Best", "runs", "2", "3"),
    ("Cut", "quantity", "colour", "no quantity"),
    ("Cut", "across", "q", "“q” is no direction"),
    ("Run of air", "through", "5, 20", "has 2 of 3 numbers. Write points like"),
    ("Drop", "of", "Lid", "not"),
    ("Chip", "profile", "on 0 s, off 0 s", "0"),
    ("Chip", "material", "gold plate", "not known"),
    ("gap", "value", "= gap + 1 mm", "is this parameter itself"),
    ("Surroundings", "gravity", "9.81", "has 1 of 3 numbers. Write it like 0, 0, -9.81 m/s2"),
    ("Surroundings", "pressure", "1e14 Pa", "out of all proportion"),
    ("Grid", "growth", "0.5", "too small"),
]


@pytest.mark.parametrize(("row", "key", "text", "words"), CELLS, ids=[f"{r}-{k}-{t[:24]}" for r, k, t, _ in CELLS])
def test_a_cell_is_refused_in_place(row, key, text, words):
    """Whatever kind it is of: the row and the cell are named, and what may stand there; the other cells are well."""
    document = rich()
    if row == "Later":  # the run's row, where it follows time
        row, document = "Run", cell("Run", "time", "60 s").apply(document)
    assert cell_faults(document, "One") == {}
    found = cell_faults(cell(row, key, text).apply(document), "One")
    assert (row, key) in found, found
    problem = found[row, key]
    assert words in str(problem), str(problem)
    assert problem.row == row
    assert problem.remedy


# what is done to rows, projects and files


def _model(document):
    return resolve(document, "One")


def _stuck(tmp_path):
    """A project that was never solved."""
    files.save(small(), tmp_path / "p")
    return api.open_project(tmp_path / "p")


def _written(path):
    path.write_text("solid x")
    return path


DONE = [
    (lambda x, _: arranging.grouped(x, "One", []), "Choose the rows"),
    (lambda x, _: arranging.mirrored(x, "One", _model(x), ["Drop"], 0, 0.0), "“Drop”"),
    (lambda x, _: arranging.in_circle(x, "One", _model(x), ["Chip"], 1, 2, (0, 0, 0)), "from 2 to"),
    (lambda x, _: arranging.in_circle(x, "One", _model(x), ["Chip"], 4, 2, (31e-3, 20e-3, 0)), "on the axis"),
    (lambda x, _: closing.step_of("4 20", x, "One"), "no count and step"),
    (lambda x, _: closing.step_of("4 x 20, 0 mm", x, "One"), "no count and step"),
    (lambda x, _: closing.repeated(x, "One", ["Chip"], 1, (0.02, 0, 0)), "from 2 to 200"),
    (lambda x, _: closing.repeated(x, "One", ["In"], 3, (0.02, 0, 0)), "no place x, y, z"),
    (lambda x, _: closing.repeated(x, "One", ["Chip"], 3, (0.002, 0, 0)), "Step by at least 10 mm along x"),
    (lambda x, _: closing.mend_gaps(x, "One", "0 mm"), "no size of a gap"),
    (lambda x, _: closing.mend_gaps(x, "One", "2 W"), "such as 0.2 mm"),
    (lambda x, _: detailed.detailed(x, "One", _model(x), "Case"), "no component"),
    (lambda x, _: detailed.detailed(x, "One", _model(x), "Chip", 0.99), "5 to 95 %"),
    (lambda x, _: moving.sized(x, "One", "In", 0, 1, 1e-3), "no size along x"),
    (lambda x, _: moving.sized(x, "One", "Chip", 0, 1, -20e-3), "no size left along x; it is 10 mm now"),
    (lambda x, _: surroundings.of_ambients(x, "One", ""), "such as 20, 40, 55 degC"),
    (lambda x, _: surroundings.of_ambients(x, "One", "20, 20 degC"), "There is a layout"),
    (lambda x, _: surroundings.of_ambients(x, "One", "20 W"), "not a temperature"),
    (lambda x, _: fit.around(d.Document(name="Empty"), "First layout"), "no solid"),
    (lambda x, _: face_list(x, "One", "Chip"), "no imported solid “Chip”"),
    (lambda x, _: duty.from_table("time;load\n0;1\n", "load.csv"), "two lines at least"),
    (lambda x, _: duty.from_table("t [kg];P [W]\n0;1\n1;2\n", "load.csv"), "the heading says"),
    (lambda x, _: duty.from_table("t;P\n0;1\n1;much\n", "load.csv"), "line 3: “1,much”"),
    (lambda x, _: duty.from_table("t;P\n1;1\n0;2\n", "load.csv"), "times must rise"),
    (lambda x, _: duty.from_table("t;P\n0;0\n1;0\n", "load.csv"), "no load is above 0"),
    (lambda x, _: duty.filled(x, "One", "In", "t;P\n0;1\n1;2\n"), "has no heat load"),
    (lambda x, t: duty.read_table(t / "none.csv"), "cannot be read"),
    (lambda x, _: measure.by_names(_model(x), ["Chip", "Lid"]), "“Lid” stands nowhere"),
    (lambda x, _: circuit_rows.fill(x, "One", "", "loads.csv"), "is empty"),
    (lambda x, _: edits.reorder("One", ["Lid"]).apply(x), "no row “Lid”"),
    (lambda x, _: edits.set_cell("One", "Chip", "colour", "red").apply(x), "no cell “colour”"),
    (lambda x, _: edits.add_row("One", d.Block(name="Chip")).apply(x), "is taken"),
    (lambda x, _: edits.duplicate_layout("One", "Two").apply(x), "empty or taken"),
    (lambda x, t: imports.check(_written(t / "x.stl"), "ell"), "no unit of a file"),
    (lambda x, t: imports.check(t / "none.stl", "mm"), "Check that it is there"),
    (lambda x, t: _stuck(t).summary(), "has no result yet. Solve it first"),
    (lambda x, t: _stuck(t).history(), "no history"),
    (lambda x, t: _stuck(t).close(["Chip"]), "no opening that is not closed"),
    (lambda x, t: _stuck(t).powers(t / "none.csv"), "cannot be read"),
    (lambda x, t: _stuck(t).sweep(), "no study"),
    (lambda x, t: _stuck(t).helps(), "no result that belongs to it"),
    (lambda x, t: influence(x, t, "One"), "no steady result that belongs to it"),
]


@pytest.mark.parametrize("number", range(len(DONE)))
def test_what_cannot_be_done_is_told(number, tmp_path):
    """Arranging, repeating, tables, files and projects: a sentence that names what was asked for, and nothing done."""
    do, words = DONE[number]
    document = small()
    with pytest.raises(StithyError) as error:
        do(document, tmp_path)
    assert words in str(error.value), str(error.value)
    assert document == small()


# what a result is asked for


@pytest.fixture(scope="module")
def result():
    """The small box, solved on one grid."""
    return Job(small(), "One", banded=False).run()


PAINT = Paint(find("temperature"))


def dimension_of(quantity: str) -> str:
    return WATCHED[quantity][0] if quantity in WATCHED else find(quantity).dimension


def one(result, **cells) -> None:
    """A watch's number, or why there is none."""
    (found,) = watched(result, [Watch("W", **({"dimension": dimension_of(cells["quantity"])} | cells))])
    if found.fault:
        raise StithyError(found.fault)


ASKED = [
    (lambda r: Values(r).of("colour"), "no quantity"),
    (lambda r: Values(r).of("turbulent energy"), "its flow was solved as"),
    (lambda r: Values(r).of("difference of temperature"), "no result to compare with"),
    (lambda r: Values(r).at("wall heat flux", [(0.01, 0.01, 0.01)]), "lives on walls"),
    (lambda r: Values(replace(r, properties={})).of("viscosity"), "has not kept its viscosity"),
    (lambda r: Values(replace(r, density=None)).of("density"), "has not kept its density"),
    (lambda r: age.residence_time(replace(r, density=None)), "has not kept its density"),
    (lambda r: cells_of(r, ["Lid"]), "This result has no “Lid”"),
    (lambda r: extreme(Values(r), ["Chip"], "wall heat flux"), "lives on walls"),
    (lambda r: extreme(Values(r), ["Chip"], "speed"), "has no value in Chip"),
    (lambda r: of_end(r, "Lid"), "has not kept the cells of “Lid”"),
    (lambda r: of_end(replace(r, ends={"In": [(0, -1, np.zeros((0, 3), int))]}), "In"), "no cells on this grid"),
    (lambda r: of_end(r, "In").values(Values(r), find("wall heat flux")), "lives on walls, not in a plane"),
    (lambda r: of_end(r, "In").flow("heat"), "A plane has no heat"),
    (lambda r: replace(c := of_end(r, "In"), volume=0 * c.volume).evenness, "Nothing flows there"),
    (lambda r: cut_through(Values(r), Section("Cut", True, PAINT, axis=0, place=31e-3, of=("Chip",))), "cuts no fluid"),
    (
        lambda r: cut_through(Values(r), Section("Cut", True, PAINT, axis=None, normal=(1, 1, 0), of=("Chip",))),
        "cuts no fluid",
    ),
    (
        lambda r: along(
            Values(r), Line("L", True, PAINT, points=((1.0, 1, 1), (2.0, 1, 1)), quantities=(find("temperature"),))
        ),
        "outside",
    ),
    (lambda r: along(Values(r), Line("L", True, PAINT, section="Cut", parts=("Chip",))), "there is no section “Cut”"),
    (lambda r: one(r, quantity="pressure drop", of=("In",)), "Name two, or one fan"),
    (lambda r: one(r, quantity="mass flow"), "name what mass flow is of"),
    (lambda r: one(r, quantity="mass flow", of=("Chip",)), "“Chip” has no mass flow"),
    (lambda r: one(r, quantity="level", of=("Case",)), "no bath in this result"),
    (lambda r: one(r, quantity="radiated", of=("Chip",)), "does not radiate"),
    (lambda r: one(r, quantity="wall heat flux", of=("Lid",)), "no wall “Lid”"),
    (lambda r: one(r, quantity="speed", of=("Chip",), measure="mean"), "has no value there"),
    (lambda r: one(r, quantity="duty", of=()), "needs two streams, and there are 1"),
]


@pytest.mark.parametrize("number", range(len(ASKED)))
def test_what_a_result_cannot_tell(number, result):
    """A quantity, place, plane, line or watch that this result has not: the reason in a sentence, never a number."""
    ask, words = ASKED[number]
    with pytest.raises(StithyError) as error:
        ask(result)
    assert words in str(error.value), str(error.value)


COMMANDS = [
    ("new", "castle", "castle"),
    ("new pipe", "", "Name the folder"),
    ("demo castle --no-window", "", "There is no job “castle”"),
    ("library ropes", "", "There is no library “ropes”"),
    ("picture {p} x.png --size big", "", "is no size"),
    ("read {p} path", "", "no result yet"),
    ("read {p} parts --time soon", "", "“soon” is not a number with a unit"),
    ("export {p} x.doc", "", "no result yet"),
    ("sweep {p}", "", "no study"),
    ("helps {p}", "", "Solve it first"),
    ("arrange {p} 'align q low' Chip Case", "", "align"),
    ("repeat {p} '3 x 5 W' Chip", "", "count and step"),
    ("duty {p} Chip none.csv", "", "cannot be read"),
    ("powers {p} none.csv", "", "cannot be read"),
    ("swap {p} Chip none.emn", "", "none.emn: cannot be read"),
    ("solve {p} --layout Nine", "", "Nine"),
    ("weigh {p} --where 'colour < 3'", "", "no column"),
]


@pytest.mark.parametrize(("command", "more", "words"), COMMANDS)
def test_a_command_that_cannot_be(command, more, words, tmp_path, capsys):
    """Exit code 2 and a sentence beside the output; the project's file is not touched."""
    import shlex

    files.save(small(), tmp_path / "p")
    before = (tmp_path / "p/project.json").read_bytes()
    argv = shlex.split(command.replace("{p}", str(tmp_path / "p"))) + ([more] if more else [])
    assert cli.main(argv) == 2
    told = capsys.readouterr()
    assert words in told.err, told.err
    assert "Traceback" not in told.err
    assert (tmp_path / "p/project.json").read_bytes() == before
