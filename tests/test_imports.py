"""Imported solids: read, placed, judged, solved; and files that are none."""

from __future__ import annotations

import json
import shutil

import numpy as np
import pytest

from stithy import api, cli
from stithy import kinds as d
from stithy.equations.walls import wall_roughness
from stithy.errors import FileProblem
from stithy.imports import job as importing
from stithy.imports.job import take_in
from stithy.kinds.assembly import resolve
from stithy.kinds.fit import around
from stithy.project import assets, edits, files
from stithy.setup.prepare import prepare
from stithy.shapes import facets
from stithy.shapes.touching import as_mesh
from stithy.solve.job import Job
from verification import solids as s
from verification.projects import PLAIN, project, solve

EMPTY = d.Document(name="Empty", rows=(d.Surroundings(name="Air", gravity="0, 0, 0 m/s2"), d.GridRow(name="Grid")))


@pytest.fixture(scope="module")
def sample(tmp_path_factory):
    """A block with a hole, a pin in it and another beside it, as STEP."""
    place = tmp_path_factory.mktemp("solids")
    block = s.cut(s.box((0, 0, 0), (40, 30, 20)), s.round_bar((20, 15, -1), (0, 0, 1), 6, 22))
    pin = s.round_bar((20, 15, 0), (0, 0, 1), 6, 20)
    return s.write_step(place / "sample.step", {"Block": block, "Pin": pin}, {"Pin": [(40, 0, 0)]})


@pytest.fixture(scope="module")
def taken(sample, tmp_path_factory):
    """A project that the sample was imported into, with an enclosure around it."""
    folder = tmp_path_factory.mktemp("project")
    files.save(EMPTY, folder)
    assert cli.main(["import", str(sample), str(folder), "--around"]) == 0
    return folder


def test_bodies_come_with_names_places_and_volumes(taken):
    """Names, instances, sizes to the last digit where they are flat, volumes within 0.1 %; triangles close, faces keep
    apart."""
    project = api.open_project(taken)
    assert [r.name for r in project.document.rows if r.kind == "body"] == ["Block", "Pin", "Pin 2"]
    model = resolve(project.document, "First layout")
    block, pin, other = (x.form for x in model.solids)
    assert np.ravel(block.box) == pytest.approx(np.ravel([(0, 0.04), (0, 0.03), (0, 0.02)]))
    assert facets.volume(block) == pytest.approx((24000 - np.pi * 36 * 20) * 1e-9, rel=1e-3)
    assert facets.volume(pin) == pytest.approx(np.pi * 36 * 20 * 1e-9, rel=1.5e-3)
    assert np.array(other.box) - np.array(pin.box) == pytest.approx(np.array([[0.04] * 2, [0] * 2, [0] * 2]))
    assert len(set(block.faces)) == 7
    assert len(set(pin.faces)) == 3
    assert not project.faults()


def test_pairs_and_spaces(taken, capsys):
    """The pin touches the block on its whole skin (within 3 %), the other pin touches nothing; the fluid is what is
    left (within 1 %)."""
    assert cli.main(["contacts", str(taken), "--json"]) == 0
    (pair,) = json.loads(capsys.readouterr().out)
    assert {pair["one"], pair["other"]} == {"Block", "Pin"}
    assert pair["area"] == pytest.approx(2 * np.pi * 6 * 20 * 1e-6, rel=0.03)
    assert cli.main(["spaces", str(taken), "--json"]) == 0
    (space,) = json.loads(capsys.readouterr().out)
    case = next(r for r in files.read(taken).rows if r.kind == "enclosure")
    whole = np.prod([float(x) for x in case.size.removesuffix(" mm").split(",")]) * 1e-9
    assert space["volume"] == pytest.approx(whole - (24000 + np.pi * 36 * 20) * 1e-9, rel=0.01)
    assert set(space["parts"]) == {"Block", "Pin", "Pin 2"}


def test_a_body_is_moved_turned_and_mirrored(taken):
    """Cells place a body: its box follows, its volume stays, a mirror does not turn it inside out."""
    document = files.read(taken)
    cells = {"move": "10, 0, 5 mm", "turn": "0, 0, 90 deg", "scale": "2", "mirror": "x"}
    edit = edits.many("place", [edits.set_cell("First layout", "Block", k, v) for k, v in cells.items()])
    form = (
        resolve(around(edit.apply(document), "First layout").apply(edit.apply(document)), "First layout").solids[0].form
    )
    # mirrored x: -80..0, turned a quarter about z: x = -y, y = x
    assert np.ravel(form.box) == pytest.approx(np.ravel([(-0.05, 0.01), (-0.08, 0.0), (0.005, 0.045)]))
    a, b, c = form.points[form.triangles].transpose(1, 0, 2)
    assert (a * np.cross(b, c)).sum() / 6 == pytest.approx(8 * (24000 - np.pi * 36 * 20) * 1e-9, rel=1e-3)


def test_the_file_belongs_to_the_project(taken, sample, tmp_path):
    """The same file again is the same asset; a project saved elsewhere takes it along; a lost one is told with what to
    do."""
    document = files.read(taken)
    name = next(r.file for r in document.rows if r.kind == "body")
    assert len(list((taken / assets.FOLDER).glob("*.step"))) == 1
    edit = take_in(sample, taken, document, "First layout").edit
    assert {r.file for r in edit.apply(document).rows if r.kind == "body"} == {name}
    assets.carry([name], tmp_path)
    assert (tmp_path / assets.FOLDER / name).read_bytes() == sample.read_bytes()
    lost = edits.set_cell("First layout", "Pin", "file", "gone 12345678.step").apply(document)
    with pytest.raises(Exception, match="Import the file again"):
        resolve(lost, "First layout")


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("a.step", b"ISO-10303-21;\nHEADER;\nnonsense", "STEP"),
        ("b.step", b"", "empty"),
        ("c.stl", b"solid x\nfacet", "no triangles|read"),
        ("d.docx", b"x", "none of"),
        ("e.obj", b"v 0 0 0\n", "no triangles|read"),
        ("f.step", b"\xff" * 5000, "STEP|taken over"),
    ],
)
def test_files_that_are_none(tmp_path, name, content, words):
    """Cut short, empty, foreign, without a surface: refused with the file and what to do, and nothing is changed."""
    files.save(EMPTY, tmp_path)
    (tmp_path / name).write_bytes(content)
    before = (tmp_path / "project.json").read_bytes()
    with pytest.raises(FileProblem, match=words):
        take_in(tmp_path / name, tmp_path, EMPTY, "First layout")
    assert cli.main(["import", str(tmp_path / name), str(tmp_path)]) == 2
    assert (tmp_path / "project.json").read_bytes() == before
    assert not (tmp_path / assets.FOLDER).exists()


def test_triangles_are_split_and_welded(tmp_path):
    """An STL of two boxes far apart, in inches, becomes two bodies of their true sizes with six faces each; one inside
    out is turned."""
    import trimesh

    one, two = trimesh.creation.box((1, 2, 3)), trimesh.creation.box((1, 1, 1))
    two.apply_translation((5, 0, 0))
    two.invert()
    trimesh.util.concatenate([one, two]).export(tmp_path / "pair.stl")
    bodies = take_in(tmp_path / "pair.stl", tmp_path, EMPTY, "First layout", "in").bodies
    sizes = sorted(tuple(np.round((b.points.max(0) - b.points.min(0)) / 0.0254, 6)) for b in bodies)
    assert sizes == [(1, 1, 1), (1, 2, 3)]
    assert [len(set(b.faces)) for b in bodies] == [6, 6]
    for b in bodies:
        x = b.points[b.triangles].transpose(1, 0, 2)
        assert (x[0] * np.cross(x[1], x[2])).sum() > 0


def test_faults_are_told_with_their_size(tmp_path):
    """A missing face, a doubled body, an overlap and a gap of 0.05 mm: each named, with its size, and whether it
    matters."""
    import trimesh

    open_box = trimesh.creation.box((10, 10, 10))
    open_box.apply_translation((-50, 0, 0))
    open_box.update_faces(np.arange(len(open_box.faces)) > 1)
    open_box.export(tmp_path / "open.stl")
    at = {"A": 0.0, "B": 10.05, "C": 18.0}
    parts = {name: s.box((x, 0, 0), (10, 10, 10)) for name, x in at.items()}
    parts |= {name: s.box((40, 0, 0), (5, 5, 5)) for name in "DE"}
    s.write_step(tmp_path / "parts.step", parts)
    files.save(EMPTY, tmp_path)
    for name in ("open.stl", "parts.step"):
        cli.main(["import", str(tmp_path / name), str(tmp_path), "--around"])
    found = {f.bodies: f for f in api.open_project(tmp_path).faults()}
    left = api.open_project(tmp_path)
    one = next(f for f in left.faults() if f.matters)
    row = d.Accepted(name="Left", of=one.bodies[0], to="".join(one.bodies[1:]), reason="the grid closes it")
    left.document = edits.add_row("First layout", row).apply(left.document)
    (told,) = [f for f in left.faults() if f.bodies == one.bodies and f.what == one.what]
    assert not told.matters
    assert "the grid closes it" in told.remedy
    assert "open edges" in found["open",].what
    assert "0.05 mm apart" in found["A", "B"].what
    assert "share 205 mm3" in found["B", "C"].what
    assert "smaller one wins" in found["B", "C"].remedy
    left.document = edits.set_cell("First layout", "B", "order", "1").apply(left.document)
    assert "“B” wins" in next(f for f in left.faults() if f.bodies == ("B", "C")).remedy
    assert "same place" in found["D", "E"].what
    assert [f.matters for f in found.values()] == [True, True, True, False]
    assert cli.main(["faults", str(tmp_path)]) == 1


def test_heat_through_an_imported_bar(tmp_path):
    """A round bar from a file between two held sides conducts what the same bar of ours does (0.1 %), and what is exact
    (1 %, at 24 cells across)."""
    s.write_step(tmp_path / "bar.step", {"Bar": s.round_bar((0, 10, 10), (1, 0, 0), 6, 40)})
    sides = "x-: 60 degC; x+: 20 degC"
    rows = (
        d.Enclosure(name="Box", size="40, 20, 20 mm", wall="0 mm", fluid="plain", outside="adiabatic", sides=sides),
        PLAIN,
        d.MaterialRow(name="m", conductivity="100 W/m/K"),
    )
    ours = d.Cylinder(name="Bar", at="0, 10, 10 mm", length="40 mm", diameter="12 mm", material="m")
    grid = {"coarsest": "0.5 mm", "growth": "1.05"}
    document = project(*rows, grid=grid)
    files.save(document, tmp_path)
    edit = take_in(tmp_path / "bar.step", tmp_path, document, "First layout").edit
    heat = []
    for doc in (edit.apply(document), project(*rows, ours, grid=grid)):
        _, q = solve(edits.set_cell("First layout", "Bar", "material", "m").apply(doc))
        heat.append(sum(abs(x) for x in q.summary["walls"].values()) / 2)
    assert heat[0] == pytest.approx(heat[1], rel=1e-3)
    exact = (np.pi * 36 * 100 + (400 - np.pi * 36) * 1.0) * 1e-6 * 40 / 0.04
    assert heat[0] == pytest.approx(exact, rel=0.01)


def test_flow_through_an_imported_pipe(tmp_path):
    """Developed flow in a round pipe from a file, 16 cells across: f Re is 64 within 1 %."""
    pipe = s.cut(s.box((0, 0, 0), (4, 14, 14)), s.round_bar((-1, 7, 7), (1, 0, 0), 5, 6))
    s.write_step(tmp_path / "pipe.step", {"Pipe": pipe})
    document = project(
        PLAIN,
        d.Enclosure(
            name="Box",
            size="4, 14, 14 mm",
            wall="0 mm",
            fluid="plain",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic",
        ),
        d.DriveRow(name="Drive", along="x+", flow="1 m/s"),
        grid={"coarsest": "0.625 mm"},
        run={"residual": "1e-7", "iterations": "1500"},
    )
    files.save(document, tmp_path)
    edit = take_in(tmp_path / "pipe.step", tmp_path, document, "First layout").edit
    document = edit.apply(document)
    job = Job(document, "First layout", None, banded=False)
    drive = job.run().summary["drive"]
    speed = drive["mass_flow"] / (np.pi * 0.005**2)  # density 1 kg/m3
    f_re = drive["pressure_gradient"] * 0.01 / (0.5 * speed**2) * speed * 0.01 / 1e-3
    assert f_re == pytest.approx(64, rel=0.01)
    shutil.rmtree(tmp_path / assets.FOLDER)


@pytest.mark.parametrize(
    ("parts", "width", "beside"), [("bore", 9.0, {"Case"}), ("gap", 0.8, {"Case", "Lid"}), ("tight", None, set())]
)
def test_leaks_are_found_with_their_narrowest_place(tmp_path, capsys, parts, width, beside):
    """A hollow case with a hole, with a lid 0.8 mm above it, and with a lid that fits: the way out, how wide it is at
    its narrowest (within 2 %), between which parts; or that there is none."""
    outer, inner = s.box((0, 0, 0), (50, 40, 30)), s.box((4, 4, 4), (42, 32, 30 if parts != "bore" else 22))
    shapes = {"Case": s.cut(outer, inner)}
    if parts == "bore":
        shapes["Case"] = s.cut(shapes["Case"], s.round_bar((25, 20, 25), (0, 0, 1), 4.5, 10))
    else:
        shapes["Lid"] = s.box((0, 0, 30.8 if parts == "gap" else 30), (50, 40, 3))
    files.save(EMPTY, tmp_path)
    assert cli.main(["import", str(s.write_step(tmp_path / "case.step", shapes)), str(tmp_path), "--around"]) == 0
    capsys.readouterr()
    code = cli.main(["leak", str(tmp_path), "25, 20, 10 mm", "--json"])
    found = json.loads(capsys.readouterr().out)
    if width is None:
        assert (code, found) == (0, None)
        return
    assert code == 1
    assert 1e3 * found["width"] == pytest.approx(width, rel=0.02)
    assert set(found["beside"]) == beside
    assert not found["below_grid"]
    assert found["path"][0] == pytest.approx([0.025, 0.02, 0.01], abs=0.002)
    assert cli.main(["leak", str(tmp_path), "2, 2, 2 mm"]) == 2
    assert "no fluid" in capsys.readouterr().err


def test_roughness_stands_where_it_was_said(tmp_path):
    """Of a whole enclosure, of a patch on it, of a block and of one face of an imported solid: each cell's nearest wall
    has the roughness of what it belongs to, all other walls are smooth."""
    s.write_step(tmp_path / "bar.step", {"Bar": s.box((20, 8, 0), (10, 10, 10))})
    document = project(
        PLAIN,
        d.Enclosure(name="Duct", size="60, 30, 20 mm", wall="0 mm", fluid="plain", roughness="0.1 mm"),
        d.WallPatch(name="Patch", on="Duct", side="y+", at="0, 0 mm", size="30, 20 mm", roughness="0.2 mm"),
        d.Block(name="Block", at="45, 0, 0 mm", size="6, 30, 6 mm", roughness="0.3 mm"),
        grid={"coarsest": "2 mm"},
    )
    files.save(document, tmp_path)
    document = take_in(tmp_path / "bar.step", tmp_path, document, "First layout").edit.apply(document)
    top = d.FaceGroup(name="Top", of="Bar", which="look z+", roughness="0.4 mm")
    document = edits.add_row("First layout", top).apply(document)
    case = prepare(resolve(document, "First layout")).case
    found = wall_roughness(case)

    def at(*place_mm: float) -> float:
        index = case.grid.find([1e-3 * x for x in place_mm])
        return float(1e3 * found[index]) if case.kind[index] == 0 else -1.0

    assert at(10, 15, 0.3) == pytest.approx(0.1)
    assert at(10, 29.7, 10) == pytest.approx(0.2)
    assert at(40, 29.7, 10) == pytest.approx(0.1)
    assert at(48, 15, 6.3) == pytest.approx(0.3)
    assert at(25, 13, 10.4) == pytest.approx(0.4)
    assert at(19.6, 13, 5) == 0.0
    smooth = edits.many(
        "s", [edits.set_cell("First layout", n, "roughness", "") for n in ("Duct", "Patch", "Block", "Top")]
    )
    assert prepare(resolve(smooth.apply(document), "First layout")).case.rough is None


def test_a_changed_file_is_read_again(taken, sample, tmp_path):
    """Rows keep name, material, load and place by the name of their solid and take the new shape; what is new comes,
    what is gone is told and keeps the shape it had."""
    shutil.copytree(taken, tmp_path / "p")
    document = files.read(tmp_path / "p")
    for key, text in (("power", "3 W"), ("material", "copper"), ("name", "Core"), ("move", "0, 0, 1 mm")):
        document = edits.set_cell("First layout", "Block" if key != "move" else "Core", key, text).apply(document)
    changed = tmp_path / "sample.step"
    s.write_step(changed, {"Block": s.box((0, 0, 0), (50, 30, 20)), "Foot": s.box((0, 0, -5), (50, 30, 5))})
    came = take_in(changed, tmp_path / "p", document, "First layout")
    assert (came.kept, came.new, came.gone) == (("Core",), ("Foot",), ("Pin", "Pin 2"))
    assert came.doubtful == ("Core (+38 % volume)",)  # and no bore any more
    after = came.edit.apply(document)
    core = next(r for r in after.rows if r.name == "Core")
    assert (core.power, core.material, core.move) == ("3 W", "copper", "0, 0, 1 mm")
    model = resolve(around(after, "First layout").apply(after), "First layout")
    shapes = {x.name: x.form for x in model.solids}
    assert np.ptp(shapes["Core"].points[:, 0]) == pytest.approx(0.05)
    assert facets.volume(shapes["Pin"]) == pytest.approx(np.pi * 36 * 20 * 1e-9, rel=1.5e-3)
    again = take_in(changed, tmp_path / "p", after, "First layout")
    assert not again.kept
    s.write_step(changed, {"Block": s.box((0, 0, 0), (50, 30, 20)), "Sole": s.box((0, 0, -5), (50, 30, 5))})
    renamed = take_in(changed, tmp_path / "p", after, "First layout")
    assert (renamed.kept, renamed.new) == (("Core", "Foot"), ())
    assert renamed.doubtful == ("Foot (“Sole” in the file now)",)
    assert next(r for r in renamed.edit.apply(after).rows if r.name == "Foot").solid == "Sole"


def test_flow_through_an_imported_bend(tmp_path):
    """Water through a bent passage cut into a block from a file needs the pressure that the same passage of ours needs
    (2 %), and its stated flow leaves exactly."""
    size, line = "50, 40, 16 mm", [(-1, 14, 8), (34, 14, 8), (34, 41, 8)]
    rows = (
        d.Enclosure(name="Box", size=size, wall="0 mm", fluid="water", outside="adiabatic"),
        d.Opening(name="In", on="Box", side="x-", at="6, 0 mm", size="16, 16 mm", flow="0.02 m/s"),
        d.Opening(name="Out", on="Box", side="y+", at="26, 0 mm", size="16, 16 mm", flow="0 Pa"),
    )
    grid = {"coarsest": "1 mm"}
    ours = (
        d.Block(name="Body", size=size),
        d.Tube(
            name="Way",
            points="-1, 14, 8; 34, 14, 8; 34, 41, 8 mm",
            bend="10 mm",
            diameter="10 mm",
            bore="0 mm",
            material="fluid",
            cells="10",
        ),
    )
    theirs = project(*rows, grid=grid, ambient="20 degC")
    files.save(theirs, tmp_path)
    shape = s.cut(s.box((0, 0, 0), (50, 40, 16)), s.bent_tube(line, 5, 10))
    path = s.write_step(tmp_path / "bend.step", {"Body": shape})
    theirs = take_in(path, tmp_path, theirs, "First layout").edit.apply(theirs)
    ends = [
        Job(x, "First layout", None, banded=False).run().summary["ends"]
        for x in (project(*rows, *ours, grid=grid, ambient="20 degC"), theirs)
    ]
    assert ends[1]["In"]["pressure"] == pytest.approx(ends[0]["In"]["pressure"], rel=0.02)
    assert ends[1]["Out"]["mass_flow"] == pytest.approx(-ends[1]["In"]["mass_flow"], rel=1e-6)


@pytest.mark.parametrize("ball", [True, False])
def test_loose_triangles_by_the_thousand(tmp_path, capsys, ball):
    """What is sound among them is kept; where nothing is, that is said."""
    import trimesh

    rng = np.random.default_rng(3)
    crumbs = rng.uniform(0, 100, (6000, 1, 3)) + rng.uniform(0, 1, (6000, 3, 3))
    solid = trimesh.creation.icosphere(2, 20.0).triangles if ball else np.zeros((0, 3, 3))
    corners = np.concatenate([crumbs, solid]).reshape(-1, 3)
    mesh = trimesh.Trimesh(corners, np.arange(len(corners)).reshape(-1, 3), process=False)
    mesh.export(tmp_path / "crumbs.stl")
    files.save(EMPTY, tmp_path)
    code = cli.main(["import", str(tmp_path / "crumbs.stl"), str(tmp_path), "--json"])
    said = capsys.readouterr()
    if ball:
        (body,) = json.loads(said.out)["bodies"]
        assert (code, body["triangles"]) == (0, len(solid))
    else:
        assert code == 2
        assert "6000 loose triangles and no solid" in said.err
        assert files.read(tmp_path) == EMPTY


def test_assemblies_of_a_file_stand_together(tmp_path):
    """Solids of one assembly become a group of rows; the whole file is none, nor is a single solid."""
    files.save(EMPTY, tmp_path)
    path = tmp_path / "case.stl"
    path.write_bytes(b"solid none")
    cube = as_mesh([((0.0, 0.01),) * 3])
    points, triangles = cube.points, cube.triangles
    places = {
        "Lid": ("Case", "Top"),
        "Screw": ("Case", "Top"),
        "Foot": ("Case",),
        "Fan": ("Fan tray",),
        "Rail": ("Case", "Top"),
    }
    bodies = [
        assets.Body(name, at, "", points + [0.02 * m, 0, 0], triangles, np.zeros(len(triangles), int))
        for m, (name, at) in enumerate(places.items())
    ]
    found = importing.taken(path, bodies, tmp_path, EMPTY, "First layout")
    document = found.edit.apply(EMPTY)
    assert [(r.name, r.of) for r in document.rows if r.kind == "group"] == [("Top", "Lid; Screw; Rail")]
    alone = importing.taken(path, bodies[:2], tmp_path, EMPTY, "First layout").edit.apply(EMPTY)
    assert not [r for r in alone.rows if r.kind == "group"]
