"""Boards: their files, copper as conductivity, how they lie, vias and networks, revisions, tables of loads."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import pytest
import shapely
import trimesh
from hypothesis import Phase, example, given, settings
from hypothesis import strategies as st

from stithy import api
from stithy import kinds as d
from stithy.errors import FileProblem, SetupError
from stithy.imports.circuit import plot, raster, sections
from stithy.imports.circuit.drill import Drilled
from stithy.imports.circuit.read import read_board
from stithy.imports.circuit.rows import fill, take_over, took
from stithy.kinds.assembly import resolve
from stithy.kinds.lying import _ALONG, Lying
from stithy.mesh.gridding import grid_lines
from stithy.model import roles
from stithy.project import edits, files
from verification import boards, copper

PLAIN = settings(max_examples=60, deadline=None, phases=(Phase.explicit, Phase.generate, Phase.shrink))
HEAD = '.HEADER\nBOARD_FILE 3.0 "x" 2026/11/20 1\n"t" {unit}\n.END_HEADER\n'


def silent(*_):
    """Nobody listens."""


@pytest.fixture(scope="module")
def relay(tmp_path_factory):
    """Both revisions of the relay board as files, and as they are read."""
    folder = tmp_path_factory.mktemp("boards")
    out = {}
    for name in "AB":
        path = boards.relay(name).write(folder / name)
        out[name] = path, *read_board(path, silent)
    return out


def outline(text: str, unit: str = "MM") -> tuple:
    """Loops of an outline's rows, and what was told."""
    told: list[str] = []
    whole = f"{HEAD.format(unit=unit)}.BOARD_OUTLINE MCAD\n1.6\n{text}\n.END_BOARD_OUTLINE\n"
    lines = sections.Lines(Path("t.emn"), whole, told.append)
    return sections.sheet(lines), told


def area(loop) -> float:
    """Area (mm2) of a loop in m."""
    return 1e6 * shapely.Polygon(loop).area


def test_outlines_with_arcs_and_circles():
    """4000 x 3000 thou with a half round notch of 250 thou radius; a circle of 400 thou across."""
    notch = "\n".join(
        f"0 {x} {y} {a}"
        for x, y, a in (
            (0, 0, 0),
            (1750, 0, 0),
            (2250, 0, -180),
            (4000, 0, 0),
            (4000, 3000, 0),
            (0, 3000, 0),
            (0, 0, 0),
        )
    )
    found, told = outline(f"{notch}\n1 1000 1500 0\n1 1200 1500 360", "THOU")
    assert area(found.loops[0]) == pytest.approx(7678.6, rel=1e-4)
    assert area(found.loops[1]) == pytest.approx(81.07, rel=4e-3)
    assert shapely.LinearRing(found.loops[0]).is_ccw
    assert not shapely.LinearRing(found.loops[1]).is_ccw
    assert not told


def test_a_broken_board_file_is_read_as_far_as_it_goes():
    """Each fault is told with its line, and the rest is there."""
    told: list[str] = []
    text = HEAD.format(unit="MM") + "\n".join(
        [
            "stray line",
            ".BOARD_OUTLINE MCAD", "1.6", "0 0 0 0", "0 50 0 0", "0 50 40 0", "0 0 40 0",  # open, and not ended
            ".PLACEMENT",
            'SOIC 1 U1', "10,5 10 0 90 TOP PLACED",  # a decimal comma
            'SOIC 1 U1', "20 10 0 0 TOP PLACED",  # there is one before
            'SOIC 1 U2', "30 10 0 0 PLACED",  # no side
            'SOIC 1 U3',  # no place
            'SOIC 1 U4', "40 10 0 0 BOTTOM PLACED",
            ".END_PLACEMENT",
            ".DRILLED_HOLES", "0.3 5 five PTH BOARD VIA", "0.3 5 5 PTH BOARD VIA", ".END_DRILLED_HOLES",
        ]
    )  # fmt: skip
    lines = sections.Lines(Path("b.emn"), text, told.append)
    sheet = sections.sheet(lines)
    assert area(sheet.loops[0]) == pytest.approx(2000)
    assert [(p.reference, p.top) for p in sheet.places] == [("U1", True), ("U1 2", True), ("U2", True), ("U4", False)]
    assert sheet.places[0].at == pytest.approx((10.5e-3, 10e-3))
    assert len(sheet.holes) == 1
    for part in (
        "line 5: stands in no",
        "not ended",
        "does not end where",
        "there is a U1",
        "no side",
        "U3 has no row",
    ):
        assert any(part in t for t in told), part
    assert any("“five” is no number" in t for t in told)
    with pytest.raises(FileProblem, match="names no unit"):
        sections.Lines(Path("b.emn"), HEAD.format(unit="FURLONG"), told.append)
    with pytest.raises(FileProblem, match="BOARD_OUTLINE"):
        sections.sheet(sections.Lines(Path("b.emn"), HEAD.format(unit="MM"), told.append))


def test_the_relay_board_goes_round(relay, tmp_path):
    """What is written is what is read, in millimetres and in thousandths of an inch; copper is where it was drawn."""
    path, read, found = relay["A"]
    made = boards.relay("A")
    assert read.size == pytest.approx((0.1, 0.14))
    assert read.thickness == pytest.approx(1.6e-3)
    assert {p.reference for p in read.placed} == {p.reference for p in made.parts}
    for p in made.parts:
        there = read.part(p.reference)
        assert there.at == pytest.approx((1e-3 * p.x, 1e-3 * p.y), abs=1e-9)
        _, a, b, high, _ = boards.LIBRARY[p.package]
        assert there.size == pytest.approx((1e-3 * b, 1e-3 * a) if p.turn % 180 else (1e-3 * a, 1e-3 * b))
        assert there.height == pytest.approx(1e-3 * high)
    assert [x.name for x in read.copper] == ["top copper", "plane 1", "plane 2", "bottom copper"]
    assert read.copper[1].share == pytest.approx(0.945, abs=0.02)
    assert len(read.told) == 1
    assert len(found) == 8
    other, _ = read_board(made.write(tmp_path / "thou", "THOU"), silent)
    for a, b in zip(read.placed, other.placed, strict=True):
        assert a.at == pytest.approx(b.at, abs=1e-8)
    # every via joins one plane to both outer layers and clears the other
    assert set(map(tuple, np.unique(read.vias[:, 3:5], axis=0))) >= {(0, 1), (0, 2), (1, 3), (2, 3)}
    assert (1, 2) not in set(map(tuple, np.unique(read.vias[:, 3:5], axis=0)))


@given(
    st.lists(
        st.tuples(*(st.floats(1, 9, width=16) for _ in range(4)), st.floats(0.15, 1.5), st.booleans()),
        min_size=1,
        max_size=8,
    )
)
@PLAIN
def test_pixels_have_the_area_of_what_is_drawn(strokes):
    """Strokes, dark and clear, in their order: areas by pixels against exact ones."""
    kind, dark = np.zeros(len(strokes), np.int8), np.array([s[5] for s in strokes])
    data = np.array([s[:5] for s in strokes], float)
    shapes = plot.Shapes(kind, data, dark, np.zeros((0, 3)))
    frame = raster.Frame(-1.0, -1.0, 0.02, (600, 600))
    got = raster.draw(shapes, frame).sum() * 0.02**2
    whole = shapely.Polygon()
    for (x1, y1, x2, y2, r), on in zip(data, dark, strict=True):
        line = shapely.LineString([(x1, y1), (x2, y2)]) if (x1, y1) != (x2, y2) else shapely.Point(x1, y1)
        piece = line.buffer(r, quad_segs=64)
        whole = whole.union(piece) if on else whole.difference(piece)
    assert got == pytest.approx(whole.area, abs=0.02 * max(whole.length, 1.0) * 0.5 + 0.01)


def test_what_is_plotted_is_drawn_true(tmp_path):
    """A hole in a pad does not cut what lies below; strokes by a rectangle, regions, arcs, attributes without value;
    what cannot be drawn true is refused."""
    head = "%TF.SameCoordinates*%\n%FSLAX46Y46*%\n%MOMM*%\n"
    tools = "%ADD10C,2X1*%\n%ADD11R,2X1*%\n%ADD12C,0.5*%\n"
    plane = "G36*\nX0Y0D02*\nX4000000Y0D01*\nX4000000Y4000000D01*\nX0Y4000000D01*\nX0Y0D01*\nG37*\n"
    frame = raster.Frame(-1.0, -1.0, 0.02, (700, 700))

    def drawn(body):
        text = f"{head}{tools}%LPD*%\nG01*\n{body}M02*\n"
        return raster.draw(plot.shapes(plot.parse(tmp_path / "t.gbr", text)), frame).sum() * 0.02**2

    assert drawn(plane + "D10*\nX2000000Y2000000D03*\n") == pytest.approx(16.0, abs=0.05)
    assert drawn("D10*\nX2000000Y2000000D03*\n") == pytest.approx(np.pi * 0.75, abs=0.05)
    assert drawn("D11*\nX2000000Y2000000D02*\nX5000000Y2000000D01*\n") == pytest.approx(5.0, abs=0.05)
    ring = "G75*\nD12*\nX4000000Y2000000D02*\nG03*\nX4000000Y2000000I-2000000J0D01*\n"
    assert drawn(ring) == pytest.approx(np.pi * (2.25**2 - 1.75**2), rel=0.02)
    for bad, why in (("%SRX2Y1I5J0*%\n", "step and repeat"), ("%LR45*%\n", "cannot be drawn")):
        with pytest.raises(FileProblem, match=why):
            drawn(bad + "D12*\nX0Y0D03*\n")


def _tiny() -> boards.Board:
    """A board with a little of everything."""
    made = boards.Board("tiny", (20.0, 16.0), [boards.Part("U1", "QFP64", 8, 8), boards.Part("R1", "R0805", 16, 8, 90)])
    top, below = boards.Plot("Copper,L1,Top"), boards.Plot("Copper,L2,Bot")
    made.plots = {"top": top, "bottom": below}
    below.pour([(1, 1), (19, 1), (19, 15), (1, 15)])
    top.trace([(2, 2), (8, 8), (14, 2)], 0.3)
    top.pad(3, 3, "C,1.0X0.5")
    below.clear(5, 5, 1.2)
    made.vias, made.bores = [(4, 4, 0.3), (10, 10, 0.3)], [(2, 14, 1.0)]
    return made


@given(
    st.integers(0, 4), st.lists(st.tuples(st.integers(0, 60), st.sampled_from("dxsc"), st.integers(0, 60)), max_size=4)
)
@settings(max_examples=60, deadline=None, phases=(Phase.explicit, Phase.generate))
@example(3, [(25, "c", 19), (25, "c", 19), (36, "s", 19), (37, "x", 3)])  # a hole at 1e24 mm
@example(0, [(0, "d", 26), (9, "d", 40), (9, "d", 40)])  # a plot with nothing on it
@example(4, [(47, "s", 50), (47, "s", 50), (34, "s", 23)])  # a place of one number
def test_spoiled_files_are_told_and_never_end_it(which, spoils):
    """Lines that are lost, reversed, swapped or filled with nonsense: a board, or a plain word why there is none."""
    with tempfile.TemporaryDirectory() as place:
        path = _tiny().write(Path(place))
        file = sorted(Path(place).iterdir())[which]
        lines = file.read_text().splitlines()
        for at, how, other in spoils:
            k, j = at % len(lines), other % len(lines)
            if how == "d" and len(lines) > 1:
                del lines[k]
            elif how == "x":
                lines[k] = lines[k][::-1]
            elif how == "s":
                lines[k], lines[j] = lines[j], lines[k]
            else:
                lines[k] = (
                    lines[k][: other % 9] + ("99999999999", "-", "\x00", "1e308", '"')[at % 5] + lines[k][other % 9 :]
                )
        file.write_text("\n".join(lines))
        try:
            found, _ = read_board(path, silent)
        except FileProblem as error:
            assert str(error)
        else:
            assert all(np.isfinite(m).all() for m in found.maps)


def test_drill_files_of_several_habits(tmp_path):
    """Inches with zeros left out, slots both ways, holes without plating, lines nobody knows."""
    told: list[str] = []
    inch = "M48\nINCH,TZ\nT1C0.0400\n%\nT1\nX10000Y5000\nG85\nM30\n"
    holes = Drilled(tmp_path / "a.drl", inch, told.append).holes
    assert holes[0] == pytest.approx((25.4, 12.7, 1.016, 1.0))
    slot = "M48\nMETRIC\nT2C1.0\n%\nT2\nX1.0Y1.0G85X4.0Y1.0\nG00X0Y5.\nM15\nG01X2.Y5.\nM16\nWHATEVER\nT9\nM30\n"
    found = Drilled(tmp_path / "b-npth.drl", slot, told.append)
    assert found.holes[:, 0].max() == pytest.approx(4.0)
    assert (found.holes[:, 3] == 0).all()
    assert any("WHATEVER" in t for t in told)
    assert any("tool 9 has no diameter" in t for t in told)


@given(st.sampled_from(sorted(_ALONG)), st.integers(0, 3), st.integers(2, 7), st.integers(2, 7), st.integers(0, 99))
@PLAIN
def test_a_board_lies_the_same_in_points_and_in_maps(faces, quarters, nx, ny, seed):
    """A map's value under a point stays with it however the board lies, and conductivities turn with it."""
    how = Lying((1e-3 * nx, 1e-3 * ny), faces, quarters)
    chance = np.random.default_rng(seed)
    values, at = chance.random((2, nx, ny)), chance.random((20, 2)) * (nx, ny) * 1e-3
    turned, there = how.map(values), how.points(at)
    corner = how.corner((nx, ny), 1e-3)
    i, j = np.floor((there - corner) / 1e-3 + 1e-9).astype(int).T
    x, y = np.floor(at / 1e-3).astype(int).T
    own = values[:, x, y] if quarters % 2 == 0 else values[::-1, x, y]
    assert np.allclose(turned[:, i, j], own)


def test_copper_vias_and_networks_against_closed_forms():
    """Stripes along and across, islands, stripes aslant; a field of vias; vias past a plane; three nodes."""
    bound = {"stripes at": 0.06, "islands": 0.015}
    for row in copper.gallery():
        least = next((v for k, v in bound.items() if k in row.case), 2e-3)
        assert abs(row.error) < least, f"{row.case}, {row.quantity}: {row.ours:.6g} against {row.reference:.6g}"


@pytest.mark.verify
def test_a_map_against_all_of_its_copper():
    """Spreading by the map within 10 % of the board with every trace resolved; by shares of area it is far off."""
    found = {r.case: r.error for r in copper.against_copper()}
    assert abs(found["board of a map"]) < 0.10
    assert found["board of layers and shares"] < -0.3


@pytest.fixture
def project(tmp_path, relay):
    """A box with revision A of the relay board in it."""
    doc = d.Document(
        name="Box",
        rows=(
            d.Enclosure(name="Case", size="120, 160, 50 mm", wall="2 mm", outside="8 W/m2/K"),
            d.Surroundings(name="Surroundings", radiation="none"),
            d.GridRow(name="Grid", detail="quick"),
            d.RunRow(name="Run"),
        ),
        layouts=(d.Layout(name="A, still"), d.Layout(name="B, still")),
    )
    files.save(doc, tmp_path / "box")
    out = api.open_project(tmp_path / "box")
    take(out, relay["A"])
    return out


def take(project, files_of, layout="A, still", replaces="", only_here=False):
    """A board that was read before as rows of a project."""
    path, circuit, found = files_of
    came = took(path, circuit, found, project.folder, project.document, layout, replaces, only_here)
    project.document = came.edit.apply(project.document)
    return came


def test_a_board_with_a_round_notch_is_laid_in_few_lines(project, tmp_path):
    """Its arc becomes few corners, its area stays, and it has cells in its plane as a whole one has."""
    path = _tiny().write(tmp_path / "notch")
    square = "0 20.0000 16.0000 0"
    path.write_text(path.read_text().replace(square, "0 20.0000 4.0000 0\n0 20.0000 12.0000 -180\n" + square))
    came = take(project, (path, *read_board(path, silent)))
    model = resolve(project.document, "A, still")
    solid = next(s for s in model.solids if s.name == came.board)
    area = shapely.Polygon(solid.form.points).area
    assert area == pytest.approx(20e-3 * 16e-3 - np.pi / 2 * 16e-6, rel=0.02)
    assert len(solid.form.points) < 16
    x = grid_lines(model).lines[0]
    assert ((x > solid.bounds[0][0] - 1e-9) & (x < solid.bounds[0][1] + 1e-9)).sum() > 15


TABLE = "ref;power [mW];limit (degC);theta jc\nU2;2400;85;\nQ1;3.8 W;125;0.9\nR5;100;;\nXX9;1;;\nT1;-5;;\n\nK1;oops;;\n"


def test_revisions_keep_loads_by_reference(project, relay):
    """Loads of a table, then revision B in one layout alone: loads stay, what is new has none, what is gone is gone
    there only; and it resolves, each board with its own parts."""
    came = project.powers(_table(project, TABLE))
    assert came.filled == ("U2", "Q1")
    assert came.added == ("R5",)
    assert came.unmatched == ("XX9",)
    assert len(came.wrong) == 2
    assert "line 6: T1" in came.wrong[0]
    assert "U1" in came.without
    second = take(project, relay["B"], "B, still", "Relay a", True)
    assert second.gone == ("Q3",)
    assert set(second.new) == {"Q2", "U3", "L2"}
    models = [resolve(project.document, x.name) for x in project.document.layouts]
    first, other = ({s.name: s for s in m.solids} for m in models)
    assert first["U2"].power == other["U2"].power == pytest.approx(2.4)
    assert "Q3" in first
    assert "Q3" not in other
    assert "U3" in other
    assert "U3" not in first
    assert other["Q1"].junction[:2] == (0.9, 4.6)
    assert first["Relay a"].stack.content != other["Relay a"].stack.content
    assert 1900 < first["Relay a"].rho < other["Relay a"].rho < 2300  # with its copper, of which B has more
    assert "U3" in roles.counted(roles.faces(models[1]))[roles.MISSING]
    # every part stands on the board
    top = first["Relay a"].bounds[2][1]
    assert all(abs(s.bounds[2][0] - top) < 1e-9 for s in models[0].solids if s.role == "component")
    # the same files again change nothing
    again = project.take_board(relay["A"][0])
    assert again.new == again.gone == ()


def _table(project, text):
    path = project.folder / "loads.csv"
    path.write_text(text)
    return path


def test_loads_of_another_project_by_name(project):
    """Rows of the same name take loads and limits over."""
    other = project.document
    other = edits.set_cell("A, still", "U2", "power", "7 W").apply(other)
    other = edits.set_cell("A, still", "U2", "limit", "90 degC").apply(other)
    came = take_over(project.document, "A, still", other)
    found = {r.name: r for r in came.edit.apply(project.document).rows}
    assert found["U2"].power == "7 W"
    assert found["U2"].limit == "90 degC"


def test_a_solved_board_closes_its_heat(project):
    """On a grid of few cells: what is released leaves, by the board's copper."""
    project.powers(_table(project, "reference,power\nQ1,2\nU2,1\n"))
    name = project.document.layouts[0].name
    for key, text in {"across_gaps": "1", "across_solids": "1", "growth": "4", "at_walls": "0 mm"}.items():
        project.document = edits.set_cell(name, "Grid", key, text).apply(project.document)
    found = project.solve(name).summary
    assert abs(found["heat_imbalance"]) < 1e-3 * 3.0
    assert found["parts"]["Q1"]["max"] > found["parts"]["J1"]["max"] + 10


def test_a_component_taken_apart(project):
    """The die keeps name, load and what its limit is of, in the middle on its pad; conduction through both is what the
    estimate finds, so a smaller die is hotter."""
    project.powers(_table(project, "reference,power,limit\nU2,2,85\n"))
    box = {s.name: s for s in resolve(project.document, "A, still").solids}["U2"].bounds
    first, rises = project.document, []
    for die in (0.8, 0.3):
        project.document = first
        project.detail("U2", die)
        parts = {s.name: s for s in resolve(project.document, "A, still").solids}
        inner, pad = parts["U2"].bounds, parts["U2 pad"].bounds
        assert parts["U2"].power == 2.0
        assert parts["U2 body"].bounds == pytest.approx(np.array(box))
        assert inner[2][0] == pytest.approx(pad[2][1])
        assert inner[0][1] - inner[0][0] == pytest.approx(die * (box[0][1] - box[0][0]))
        rises.append(project.estimate("A, still").parts["U2"].rise)
    assert rises[1] > 1.05 * rises[0]


def test_another_file_in_the_place_of_a_solids(project, tmp_path):
    """A solid of another file, under another name, takes the place of the only one; its row keeps what was said."""
    for name, size in (("old", 10.0), ("new", 14.0)):
        trimesh.creation.box((size, 8.0, 6.0)).export(tmp_path / f"{name}.stl")
    came = project.take_in(tmp_path / "old.stl")
    row = came.new[0]
    project.document = edits.set_cell("A, still", row, "power", "3 W").apply(project.document)
    project.document = edits.set_cell("A, still", row, "move", "60, 120, 30 mm").apply(project.document)
    again = project.take_in(tmp_path / "new.stl", instead=row)
    assert again.kept == (row,)
    assert again.new == ()
    solid = next(s for s in resolve(project.document, "A, still").solids if s.name == row)
    assert solid.power == 3.0
    assert solid.bounds[0][1] - solid.bounds[0][0] == pytest.approx(14e-3)


def test_bad_boards_are_told(project):
    """Networks with a loose node, layers that do not fill the board, copper where there are no files, references that
    no file has: each with row, cell and remedy."""
    name = project.document.layouts[0].name

    def problem(row, key, text):
        document = edits.set_cell(name, row, key, text).apply(project.document)
        with pytest.raises(SetupError) as caught:
            resolve(document, name)
        return str(caught.value.problems[0])

    assert "junction" in problem("U1", "network", "case board 5")
    assert "5 W" in problem("U1", "network", "junction case 5 W")
    assert "together" in problem("Relay a", "layers", "35 um 50 %; 3 mm; 35 um 50 %")
    assert "of copper" in problem("Relay a", "layers", "0.05 mm 50 %; 1.5 mm; 0.05 mm 50 %")
    assert "no part of the files" in problem("U1", "reference", "U77")
    assert "not among this project" in problem("Relay a", "file", "nothing 00000000.board")
    with pytest.raises(FileProblem, match="no column is called reference"):
        fill(project.document, name, "who,power\nU1,2\n", "t.csv")
