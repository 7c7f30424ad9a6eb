"""Openings of solids: found on any solid, closed by plates that always seal, ends on them at any angle."""

from __future__ import annotations

import json
import re
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.kinds.assembly import read_all, resolve
from stithy.kinds.fit import around
from stithy.mesh.build import build
from stithy.mesh.spaces import spaces
from stithy.model import Model, Plate
from stithy.project import edits, files
from stithy.project.reader import Reader
from stithy.setup.prepare import prepare
from stithy.shapes import mouths as shapes
from stithy.shapes.geometry import Mesh
from stithy.solve.job import Job
from verification import solids as s

AIR = d.Document(name="Air", rows=(d.Surroundings(name="Air", gravity="0, 0, 0 m/s2"), d.GridRow(name="Grid")))


def tube(radius: float, wall: float, length: float, along, at) -> Mesh:
    """A straight tube of triangles about ``at`` (m)."""
    turn = trimesh.geometry.align_vectors([0, 0, 1], along)
    turn[:3, 3] = at
    made = trimesh.creation.annulus(radius, radius + wall, length, sections=40, transform=turn)
    made.merge_vertices()
    return Mesh(f"{radius}{wall}{length}{along}{at}", 8, np.array(made.vertices), np.array(made.faces))


def taken(place, **parts) -> api.Project:
    """A project with solids of the kernel taken in, and an enclosure around them."""
    files.save(AIR, place)
    project = api.open_project(place)
    project.take_in(s.write_step(place / "solids.step", parts))
    project.document = around(project.document, "First layout").apply(project.document)
    return project


@settings(max_examples=50, deadline=None)
@given(
    st.lists(st.floats(-1, 1), min_size=3, max_size=3).filter(lambda v: np.linalg.norm(v) > 0.2),
    st.lists(st.floats(-1e-3, 1e-3), min_size=3, max_size=3),
    st.floats(0.3, 3.0),
    st.floats(4.0, 9.0),
)
def test_plates_always_seal(along, at, wall, across):
    """Tubes anywhere, of any direction and wall (from a third of a cell to three cells) on a grid of even cells: two
    mouths, two plates, and what lies between them is one space, of the bore's volume within a third of
    a cell's share of it (9 % at four cells across, 4 % at nine)."""
    cell, radius = 2e-3, 0.5 * across * 2e-3
    form = tube(radius, wall * cell, 20e-3, along, at)
    found = shapes.mouths(form)
    assert len(found) == 2
    model = _model(form, found, cell)
    built = build(model)
    outside, inside = spaces(model, built, {})
    polygon = 0.5 * 40 * np.sin(2 * np.pi / 40) * radius**2 * 20e-3
    assert inside.volume == pytest.approx(polygon, rel=0.35 / across)
    assert outside.volume > 0.7 * 0.052**3


def _model(form: Mesh, rims, cell: float) -> Model:
    """A tube in an enclosure without walls, on even cells, its mouths closed."""
    document = edits.add_row(
        "First layout", d.Enclosure(name="Space", at="-26, -26, -26 mm", size="52, 52, 52 mm", wall="0 mm")
    ).apply(AIR)
    cells = {"coarsest": f"{1e3 * cell} mm", "growth": "1.02", "across_gaps": "1", "across_solids": "1"}
    for key, value in cells.items():
        document = edits.set_cell("First layout", "Grid", key, value).apply(document)
    plain = resolve(document, "First layout")
    block = edits.add_row("First layout", d.Block(name="Tube", at="0, 0, 0 mm", size="1, 1, 1 mm")).apply(document)
    solid = resolve(block, "First layout").solids[0]
    solid = replace(solid, boxes=(form.box,), form=replace(form, cells=1))
    return replace(plain, solids=(solid,), plates=tuple(Plate(f"P{m}", (r,)) for m, r in enumerate(rims)))


@pytest.fixture(scope="module")
def housing(tmp_path_factory):
    """A housing with a grille of 12 holes, a mouth whose rim runs over two faces, a filleted one, a screw hole;
    imported."""
    place = tmp_path_factory.mktemp("housing")
    body = s.cut(s.box((0, 0, 0), (80, 60, 40)), s.box((4, 4, 4), (72, 52, 32)))
    body = s.cut(
        body, *[s.round_bar((20 + 8 * i, 20 + 8 * j, 30), (0, 0, 1), 3, 20) for i in range(4) for j in range(3)]
    )
    body = s.cut(body, s.round_bar((-1, 0, 20), (1, 1, 0), 8, 30), s.round_bar((70, 30, 20), (1, 0, 0), 6, 20))
    body = s.cut(body, s.round_bar((60, -1, 38), (0, 1, 0), 1, 6))
    body = s.filleted(body, 1.0, lambda c, length: abs(c[0] - 80) < 0.1 and abs(c[1] - 30) < 1 and 30 < length < 45)
    s.write_step(place / "housing.step", {"Housing": body})
    files.save(AIR, place)
    assert cli.main(["import", str(place / "housing.step"), str(place), "--around"]) == 0
    return place


def test_openings_are_found_and_closed(housing, capsys):
    """Each opening with its size, a grille as one row, areas within 2 % (of the rim over two faces: between its
    shadow and its skin), nothing else; closed by one command, and then the inside is a space of its own with the
    exact volume."""
    assert cli.main(["openings", str(housing), "--json"]) == 1
    found = sorted(json.loads(capsys.readouterr().out), key=lambda f: f["count"])
    assert [f["count"] for f in found] == [1, 1, 12]
    across, fillet = sorted(found[:2], key=lambda f: -f["area"])
    assert across["outward"] == pytest.approx([-0.707, -0.707, 0], abs=0.1)
    assert 190e-6 < across["area"] < 420e-6
    assert fillet["area"] == pytest.approx(np.pi * 36e-6, rel=0.02)
    assert fillet["size"] == pytest.approx([12e-3, 12e-3], rel=0.01)
    assert found[2]["area"] == pytest.approx(12 * np.pi * 9e-6, rel=0.02)
    assert cli.main(["close", str(housing), "--json"]) == 0
    assert len(json.loads(capsys.readouterr().out)) == 3
    assert cli.main(["openings", str(housing), "--json"]) == 0
    assert all(f["plate"] for f in json.loads(capsys.readouterr().out))
    outside, inside = api.open_project(housing).spaces()
    bores = 12 * np.pi * 9 * 4 + np.pi * 36 * 3
    assert inside.volume == pytest.approx((72 * 52 * 32 + bores) * 1e-9, rel=0.01)
    assert cli.main(["close", str(housing)]) == 0
    assert "no opening was open" in capsys.readouterr().out


@pytest.mark.parametrize(("angle", "direction"), [(20, ""), (32, ""), (45, ""), (20, "1, 0, 0")])
def test_an_oblique_inlet_keeps_its_flow_and_direction(tmp_path, angle, direction):
    """A plate across the corner of a box at an angle to the grid, 24 cells wide: the given flow enters to rounding, and
    the jet heads where it should within 2 degrees, two and four cells on."""
    turn, long = np.radians(angle), 24.0
    a, b = long * np.sin(turn), long * np.cos(turn)
    rows = (
        *PLAIN_JET,
        d.BlankingPlate(name="Plate", loop=f"{a}, 0, 0; {a}, 0, 4; 0, {b}, 4; 0, {b}, 0 mm"),
        d.FluidRegion(name="Corner", at=f"{0.1 * a}, {0.1 * b}, 2 mm", fluid="left out", outside="adiabatic"),
        d.Opening(name="In", on="Plate", flow="0.05 m/s", direction=direction),
    )
    solved = api.Project(d.Document(name="Jet", rows=rows), tmp_path).solve()
    way = np.array([float(x) for x in (direction or f"{np.cos(turn)}, {np.sin(turn)}").split(",")][:2])
    slant = way @ [np.cos(turn), np.sin(turn)]
    assert solved.summary["ends"]["In"]["volume_flow"] == pytest.approx(0.05 * long * 4e-6 * slant, rel=1e-9)
    assert solved.summary["settled"]
    u = solved.velocity()
    for step in (2, 4):
        x = 1e-3 * (np.array([0.5 * a, 0.5 * b]) + step * way)
        v = u[solved.grid.find((*x, 2e-3))]
        off = np.degrees(np.arctan2(v[1], v[0]) - np.arctan2(way[1], way[0]))
        assert abs(off) < (2.0 if not direction else 5.0)


PLAIN_JET = (
    d.Surroundings(name="Air", gravity="0, 0, 0 m/s2", flow="laminar"),
    d.GridRow(name="Grid", coarsest="1 mm", growth="1.02", across_gaps="1", across_solids="1"),
    d.Enclosure(
        name="Box", size="100, 100, 4 mm", wall="0 mm", outside="adiabatic", sides="z-: symmetry; z+: symmetry"
    ),
    d.Opening(name="Out x", on="Box", side="x+", at="0, 0 mm", size="100, 4 mm", flow="static 0 Pa"),
    d.Opening(name="Out y", on="Box", side="y+", at="0, 0 mm", size="100, 4 mm", flow="static 0 Pa"),
)


def test_conditions_on_faces(tmp_path):
    """A bar held at 80 and 20 degC on its ends by groups of faces, in air that is left out: the flux is exact; with a
    layer on one end it falls by the layer's share; a flux instead of a temperature raises that end as it should."""
    project = taken(tmp_path, Bar=s.box((0, 0, 0), (60, 10, 8)))
    document = project.document
    for row in (
        d.FluidRegion(name="Outside", at="-1, -1, -1 mm", fluid="left out", outside="adiabatic"),
        d.FaceGroup(name="Hot", of="Bar", which="look x+", condition="80 degC"),
        d.FaceGroup(name="Cold", of="Bar", which="at 0, 5, 4 mm", condition="20 degC"),
    ):
        document = edits.add_row("First layout", row).apply(document)
    k = 200.0
    document = edits.add_row(
        "First layout",
        d.MaterialRow(name="Metal", conductivity=f"{k} W/m/K", density="2700 kg/m3", heat_capacity="900 J/kg/K"),
    ).apply(document)
    document = edits.set_cell("First layout", "Bar", "material", "Metal").apply(document)
    exact = k * 80e-6 * 60 / 0.06
    walls = api.Project(document, tmp_path).solve().summary["walls"]
    assert walls["Cold"] == pytest.approx(exact, rel=1e-5)
    assert walls["Hot"] == pytest.approx(-exact, rel=1e-5)
    held = [
        ("Hot", "resistance", "0.0003 m2 K/W"),
        ("Cold", "condition", ""),
        ("Cold", "resistance", "0.1 mm, 0.2 W/m/K"),
    ]
    held.append(("Outside", "outside", "100 W/m2/K to 20 degC"))
    both = edits.many("layers", [edits.set_cell("First layout", *x) for x in held]).apply(document)
    for row in ("look y-", "look y+", "look z-", "look z+"):
        side = d.FaceGroup(name=f"Side {row[-2:]}", of="Bar", which=row, condition="adiabatic")
        both = edits.add_row("First layout", side).apply(both)
    walls = api.Project(both, tmp_path).solve().summary["walls"]
    layers = 60 * 80e-6 / (0.06 / k + 3e-4 + 0.1e-3 / 0.2 + 1 / 100)
    assert walls["Hot"] == pytest.approx(-layers, rel=1e-5)
    layer = edits.set_cell("First layout", "Hot", "condition", f"{exact / 80e-6} W/m2").apply(document)
    solved = api.Project(layer, tmp_path).solve()
    assert solved.summary["parts"]["Bar"]["max"] - 273.15 == pytest.approx(80.0, abs=0.02)
    assert solved.summary["heat_load"] == pytest.approx(exact, rel=1e-6)


def test_a_flux_enters_through_the_true_area(tmp_path):
    """500 W/m2 on the skin and an end of an oblique bar: the heat is the flux times their area (1.5 %), not that of the
    steps (which is 40 % more)."""
    project = taken(tmp_path, Bar=s.round_bar((0, 0, 0), (1, 0.6, 0.3), 7, 40))
    document = project.document
    for row in (
        d.FluidRegion(name="Outside", at="-6, -8, -8 mm", fluid="left out", outside="50 W/m2/K"),
        d.FaceGroup(name="Skin", of="Bar", which="smooth 0, 0, 0 mm; radius 20, 12, 12 mm", condition="500 W/m2"),
    ):
        document = edits.add_row("First layout", row).apply(document)
    solved = api.Project(document, tmp_path).solve()
    faces = resolve(document, "First layout").faces[0].faces
    assert len(faces) == 2  # one end, and the skin
    area = 2 * np.pi * 7 * 40 + np.pi * 49
    assert solved.summary["heat_load"] == pytest.approx(500 * area * 1e-6, rel=0.015)


@pytest.mark.parametrize("tilt", [0.0, 25.0])
def test_a_sheet_parts_two_fluids_and_conducts(tmp_path, tilt):
    """A shell without thickness kept as a sheet of 1 mm across a box of still fluid: two spaces of the right volumes,
    and straight across the heat is that of fluid and sheet in series."""
    turn = np.radians(tilt)
    square = np.array([[0, -2, -2], [0, 24, -2], [0, 24, 24], [0, -2, 24]], float)
    square[:, 0] = 9.3 + np.tan(turn) * (square[:, 1] - 10)
    trimesh.Trimesh(square, [[0, 1, 2], [0, 2, 3]], process=False).export(tmp_path / "sheet.stl")
    rows = (
        d.Surroundings(name="S", gravity="0, 0, 0 m/s2"),
        d.GridRow(name="Grid", detail="quick"),
        d.FluidRow(name="Gel", conductivity="0.6 W/m/K", density="1000 kg/m3", heat_capacity="4000 J/kg/K"),
        d.MaterialRow(name="Felt", conductivity="0.05 W/m/K", density="100 kg/m3", heat_capacity="1000 J/kg/K"),
        d.Enclosure(
            name="Box",
            size="20, 20, 20 mm",
            wall="0 mm",
            fluid="Gel",
            outside="adiabatic",
            sides="x-: 0 degC; x+: 100 degC",
        ),
    )
    files.save(d.Document(name="Sheet", rows=rows), tmp_path)
    project = api.open_project(tmp_path)
    project.take_in(tmp_path / "sheet.stl")
    (fault,) = project.faults()
    assert fault.matters
    document = edits.many(
        "sheet",
        [edits.set_cell("First layout", "sheet", k, v) for k, v in (("shell", "sheet 1 mm"), ("material", "Felt"))],
    ).apply(project.document)
    project = api.Project(document, tmp_path)
    assert not any(f.matters for f in project.faults())
    large, small = (s.volume for s in project.spaces())
    assert small == pytest.approx(9.3 * 400e-9, rel=0.01)
    assert large == pytest.approx(10.7 * 400e-9, rel=0.01)
    if not tilt:
        walls = project.solve().summary["walls"]
        assert walls["Box x-"] == pytest.approx(100 * 4e-4 / (0.02 / 0.6 + 0.001 / 0.05), rel=1e-4)


@pytest.fixture(scope="module")
def bored(tmp_path_factory):
    """A block with a bore, imported, closed at both ends; the outside left out; an inlet and an outlet on the
    plates."""
    place = tmp_path_factory.mktemp("bored")
    block = s.cut(s.box((0, 0, 0), (40, 30, 20)), s.round_bar((-1, 15, 10), (1, 0, 0), 6, 42))
    s.write_step(place / "bored.step", {"Block": block})
    files.save(AIR, place)
    assert cli.main(["import", str(place / "bored.step"), str(place), "--around"]) == 0
    project = api.open_project(place)
    project.close()
    for row in (
        d.FluidRegion(name="Outside", at="-3, -3, -3 mm", fluid="left out"),
        d.FaceGroup(name="Top", of="Block", which="look z+"),
        d.Opening(name="In", on="Block plate", flow="1 m/s"),
        d.Opening(name="Out", on="Block plate 2", flow="0 Pa"),
    ):
        project.document = edits.add_row("First layout", row).apply(project.document)
    files.save(project.document, place)
    assert not project.check()
    return place


@pytest.mark.parametrize(
    ("row", "cells", "words"),
    [
        ("Block plate", {"of": "Nothing"}, "not known"),
        ("Block plate", {"at": "500, 0, 0 mm"}, "no mouth there; the nearest is at"),
        ("Block plate", {"loop": "0, 0, 0; 10, 0, 0 mm"}, "fewer than three corners"),
        ("Block plate", {"loop": "0, 0, 0; 10, 0, 0; 20, 0, 0 mm"}, "encloses no area"),
        ("Block plate", {"alike": "some"}, "not known"),
        ("In", {"on": "Block plate 2"}, "same plate"),
        ("In", {"direction": "0, 0, 0"}, "points nowhere"),
        ("In", {"profile": "y 0 mm: 1"}, "two places or more"),
        ("In", {"profile": "y 10 mm: 1; 0 mm: 1"}, "that rise"),
        ("In", {"profile": "y 90 mm: 0; 95 mm: 0; 99 mm: 1"}, "zero all over"),
        ("In", {"direction": "-1, 0, 0"}, "does not lead into the fluid|no fluid"),
        ("Top", {"which": "look up"}, "not known"),
        ("Top", {"which": "touch Nobody"}, "no solid of this layout"),
        ("Top", {"which": "material gold"}, "no other solid is of"),
        ("Top", {"which": "box 90, 0, 0 to 95, 1, 1 mm"}, "finds no face"),
        ("Top", {"condition": "symmetry"}, "for whole sides"),
        ("Outside", {"at": "2, 2, 2 mm"}, "lies in no fluid"),
        ("Outside", {"outside": "periodic"}, "for whole sides"),
        ("Block", {"shell": "sheet 0 mm"}, "without thickness"),
        ("Block", {"shell": "paper"}, "not known"),
        ("Air 2", {"at": "0, 0, 0 mm", "size": "40, 30, 20 mm"}, "no fluid|in no fluid"),
    ],
)
def test_what_cannot_be_is_told(bored, row, cells, words):
    """Plates on nothing, rims that are no loop, groups that find nothing, ends that lead nowhere: named with row and
    remedy, before anything is changed."""
    document = api.open_project(bored).document
    name = row if row != "Air 2" else next(r.name for r in document.rows if r.kind == "enclosure")
    sets = [edits.set_cell("First layout", name, k, v) for k, v in cells.items()]
    problems = api.Project(edits.many("x", sets).apply(document), bored).check()
    assert problems
    assert any(re.search(words, p.what) for p in problems), [str(p) for p in problems]
    assert all(p.remedy for p in problems)


def test_a_profile_by_table_on_a_wall_and_on_a_plate(bored, tmp_path):
    """Twice the speed above the middle and none below: the stated flow enters to rounding, all of it above."""
    project = api.open_project(bored)
    sets = {"profile": "z 9.99 mm: 0; 10.01 mm: 1", "flow": "2 l/min"}
    document = edits.many("x", [edits.set_cell("First layout", "In", k, v) for k, v in sets.items()]).apply(
        project.document
    )
    solved = api.Project(document, tmp_path).solve()
    assert solved.summary["ends"]["In"]["volume_flow"] == pytest.approx(2e-3 / 60, rel=1e-9)
    u, at = solved.velocity(), solved.grid.find
    assert u[at((2e-3, 15e-3, 13e-3))][0] > 3 * abs(u[at((2e-3, 15e-3, 7e-3))][0])
    wall = d.Opening(name="In", on="Box", side="x-", at="20, 0 mm", size="60, 4 mm", flow="1 m/s")
    rows = (*PLAIN_JET, wall.model_copy(update={"profile": "y 20 mm: 0; 50 mm: 2; 80 mm: 0"}))
    case = prepare(resolve(d.Document(name="Jet", rows=rows), "First layout")).case
    end = next(e for e in case.openings if e.kind == "velocity")
    y = case.grid.centres[1][end.cells[:, 1]]
    assert (end.speed * end.profile) == pytest.approx(2 * (1 - abs(y - 0.05) / 0.03), rel=1e-3)


def test_parts_are_repeated(bored, capsys):
    """Three in a row by the command: two new solids, each a step on, with all else as it was; a group of faces finds
    what touches a material."""
    before = api.open_project(bored).document
    assert cli.main(["repeat", str(bored), "3 x 0, 30, 0 mm", "Block", "--json"]) == 0
    assert json.loads(capsys.readouterr().out) == ["Block 2", "Block 3"]
    project = api.open_project(bored)
    project.document = around(project.document, "First layout").apply(project.document)
    low = {s.name: s.bounds[1][0] for s in resolve(project.document, "First layout").solids}
    assert [low[n] for n in ("Block", "Block 2", "Block 3")] == pytest.approx([0.0, 0.03, 0.06])
    sets = [("Block 2", "material", "copper"), ("Top", "which", "material copper")]
    document = edits.many("x", [edits.set_cell("First layout", *x) for x in sets]).apply(project.document)
    [group] = resolve(document, "First layout").faces
    found = [f for f in api.Project(document, bored).faces("Block") if f.groups]
    assert len(group.faces) == 1
    assert [f.what for f in found] == ["flat, looks y+"]
    assert cli.main(["repeat", str(bored), "1 x 0, 0, 0 mm", "Block"]) != 0
    files.save(before, bored)


def test_plates_and_groups_survive_a_changed_file(bored, tmp_path):
    """A longer block with its bore moved by 2 mm, read again under the same name: plates close its mouths, the group
    finds its face; a block without a bore says which plate has lost its mouth; a body turned by its cells takes
    them along."""
    project = api.open_project(bored)
    longer = s.cut(s.box((0, 0, 0), (44, 30, 20)), s.round_bar((-1, 17, 10), (1, 0, 0), 6, 46))
    project.take_in(s.write_step(tmp_path / "bored.step", {"Block": longer}))
    model = resolve(project.document, "First layout")
    assert sorted(tuple(np.round(1e3 * p.rims[0].centre) + 0.0) for p in model.plates) == [(0, 17, 10), (44, 17, 10)]
    assert model.faces[0].faces
    turns = [edits.set_cell("First layout", "Block", k, v) for k, v in (("turn", "0, 0, 90 deg"), ("scale", "2"))]
    turned = read_all(Reader(edits.many("turn", turns).apply(project.document), "First layout"), "First layout")
    centres = sorted(tuple(np.round(1e3 * p.rims[0].centre) + 0.0) for p in turned.plates)
    assert centres == [(-34, 0, 20), (-34, 88, 20)]
    project.take_in(s.write_step(tmp_path / "bored.step", {"Block": s.box((0, 0, 0), (44, 30, 20))}))
    told = [str(p) for p in project.check()]
    assert any("Block plate" in t and "no mouth" in t for t in told)


@pytest.mark.parametrize("end", ["obj", "ply", "3mf", "stl"])
def test_every_kind_of_triangles(tmp_path, end):
    """A box of 10 x 20 x 30 in every file of triangles: its size by the unit given, its six faces, nothing wrong."""
    trimesh.creation.box((10, 20, 30)).export(tmp_path / f"box.{end}")
    files.save(AIR, tmp_path)
    project = api.open_project(tmp_path)
    came = project.take_in(tmp_path / f"box.{end}", "mm")
    (body,) = came.bodies
    assert sorted(np.round(1e3 * np.ptp(body.points, axis=0), 6)) == [10, 20, 30]
    assert len(set(body.faces)) == 6
    assert not project.faults()


@pytest.mark.parametrize("kind", ["total", "vent", "fan", "swirl"])
def test_pressures_fans_and_swirl_on_an_oblique_plate(tmp_path, kind):
    """An oblique tube: still fluid at 5 Pa, a vent, a fan or a swirling inlet on one end. The pressure just inside is
    what the flow through the true area leaves of it; the fan runs on its curve; swirl leaves the flow exact."""
    tube = s.cut(s.round_bar((0, 0, 0), (1, 0.5, 0.3), 8, 50), s.round_bar((-1, -0.5, -0.3), (1, 0.5, 0.3), 6, 60))
    project = taken(tmp_path, Tube=tube)
    project.close()
    first = min(project.openings(), key=lambda f: float(f.rims[0].centre[0]))
    last = max(project.openings(), key=lambda f: float(f.rims[0].centre[0]))
    outside = next(x for x in project.spaces() if x.sides)
    rows = {
        "total": d.Opening(name="End", on=first.plate, flow="total 5 Pa"),
        "vent": d.Vent(name="End", on=first.plate, loss="3"),
        "fan": d.WallFan(name="End", on=first.plate, blows="in", curve="0 m3/h: 10 Pa; 2 m3/h: 0 Pa"),
        "swirl": d.Opening(name="End", on=first.plate, flow="10 l/min", swirl="0.8"),
    }
    for row in (
        d.FluidRegion(name="Outside", at=mm(outside.point), fluid="left out", outside="adiabatic"),
        rows[kind],
        d.Opening(name="Other", on=last.plate, flow="static -5 Pa" if kind == "vent" else "static 0 Pa"),
    ):
        project.document = edits.add_row("First layout", row).apply(project.document)
    solved = project.solve()
    end = solved.summary["ends"]["End"]
    assert solved.summary["settled"]
    assert end["volume_flow"] > 0.0
    head = 0.5 * 1.184 * (end["volume_flow"] / end["area"]) ** 2
    if kind == "total":
        assert end["pressure"] == pytest.approx(5.0 - head, abs=0.25 * head)
    elif kind == "vent":
        assert end["pressure"] == pytest.approx(-4.0 * head, abs=0.4 * head)
    elif kind == "fan":
        rise = solved.summary["fans"]["End"]["rise"]
        assert rise == pytest.approx(10 * (1 - end["volume_flow"] * 3600 / 2), rel=0.01)
        assert end["pressure"] == pytest.approx(rise, abs=0.3 * head + 0.3)
    else:
        assert end["volume_flow"] == pytest.approx(10e-3 / 60, rel=1e-9)


def mm(point) -> str:
    """A place (m) as a cell."""
    return ", ".join(f"{1e3 * x:.5g}" for x in point) + " mm"


def rounded_bodies() -> list[tuple]:
    """Bodies with rounded rims, and the diameters (mm) of their openings."""

    def rims(c, length):
        return (abs(c[0] - 60) < 0.1 and 30 < length < 45) or (abs(c[2] - 30) < 0.1 and 20 < length < 30)

    bores = s.round_bar((45, 20, 15), (1, 0, 0), 6, 20), s.round_bar((30, 20, 20), (0, 0, 1), 4, 20)
    case = s.cut(s.box((0, 0, 0), (60, 40, 30)), s.box((3, 3, 3), (54, 34, 24)), *bores)
    pebble = s.filleted(s.box((0, 0, 0), (60, 40, 30)), 3.0, lambda c, length: True)
    pebble = s.cut(pebble, s.box((8, 8, 8), (44, 24, 14)), *bores)
    nut = s.cut(s.box((0, 0, 0), (40, 30, 20)), s.round_bar((20, 15, -1), (0, 0, 1), 5, 30))
    return [
        (s.filleted(case, 1.0, rims), [8, 12]),
        (s.filleted(pebble, 1.0, rims), [8, 12]),
        (s.filleted(nut, 2.0, lambda c, length: True), [10, 10]),
        (s.filleted(s.box((0, 0, 0), (40, 30, 20)), 2.0, lambda c, length: True), []),
    ]


@pytest.mark.parametrize(
    "angle", [0.1, pytest.param(0.3, marks=pytest.mark.verify), pytest.param(0.6, marks=pytest.mark.verify)]
)
def test_rounded_rims_of_files_without_faces(tmp_path, angle):
    """Triangles all of whose edges are rounded know of no faces: their mouths are found all the same, whatever the
    steps of their arcs, and none where there is none."""
    for m, (body, wanted) in enumerate(rounded_bodies()):
        place = tmp_path / f"{m}"
        place.mkdir()
        s.write_stl(place / "body.stl", body, angle)
        files.save(AIR, place)
        assert cli.main(["import", str(place / "body.stl"), str(place), "--around"]) == 0
        found = [r for f in api.open_project(place).openings() for r in f.rims]
        assert sorted(2e3 * (r.area / np.pi) ** 0.5 for r in found) == pytest.approx(wanted, rel=0.02)


FIRST = "First layout"


def tube_in_water(cell: str) -> d.Document:
    """Warm water in a tube through cold water; the ends of the tube lie behind squares as wide as it is outside."""
    square = {"at": "8, 8 mm", "size": "14, 14 mm"}
    rows = (
        d.Enclosure(name="Around", size="60, 30, 30 mm", wall="0 mm", fluid="water", outside="adiabatic"),
        d.TubeBundle(name="Tube", at="0, 15, 15 mm", length="60 mm", tubes="1", tube="14, 12 mm", material="copper"),
        d.FluidRegion(name="Within", at="30, 15, 15 mm", fluid="water"),
        d.Opening(name="Warm in", on="Around", side="x-", flow="20 mm/s", temperature="60 degC", **square),
        d.Opening(name="Warm out", on="Around", side="x+", flow="0 Pa", **square),
        d.Opening(name="Cold in", on="Around", side="y-", at="44, 5 mm", size="12, 20 mm", flow="5 mm/s"),
        d.Opening(name="Cold out", on="Around", side="y+", at="4, 5 mm", size="12, 20 mm", flow="0 Pa"),
        d.Surroundings(name="Air", ambient="20 degC", radiation="none", gravity="0, 0, 0 m/s2", flow="laminar"),
        d.GridRow(name="Grid", coarsest=cell, across_gaps="1", across_solids="1", growth="2.2", at_walls="0 mm"),
        d.RunRow(name="Run"),
    )
    return d.Document(name="Tube in water", rows=rows)


def test_a_mouth_of_a_tube_serves_the_tube_alone():
    """What is of the same fluid around it, behind the same square, stays apart: each stream leaves as it came, and
    gives the other its heat."""
    summary = Job(tube_in_water("3 mm"), FIRST, banded=False).run().summary
    ends = summary["ends"]
    for name in ("Warm", "Cold"):
        assert ends[f"{name} out"]["volume_flow"] == pytest.approx(-ends[f"{name} in"]["volume_flow"], rel=1e-6)
    warm, cold = (ends[f"{n} out"]["heat_out"] + ends[f"{n} in"]["heat_out"] for n in ("Warm", "Cold"))
    assert cold == pytest.approx(-warm, rel=1e-4)
    assert cold > 5.0


@pytest.mark.parametrize("cells", ["4", "7", "12"])
def test_a_speed_enters_through_what_is_open(cells):
    """Of a square in front of a round passage, on grids of any fineness: its flow within 0.5 % of the closed form."""
    rows = (
        d.Enclosure(name="Box", size="20, 16, 16 mm", wall="0 mm", fluid="water", outside="adiabatic"),
        d.Block(name="Body", size="20, 16, 16 mm", material="aluminium"),
        d.Bore(name="Way", at="0, 8, 8 mm", along="x", length="20 mm", diameter="10 mm", cells=cells),
        d.Opening(name="In", on="Box", side="x-", at="2, 2 mm", size="12, 12 mm", flow="0.1 m/s"),
        d.Opening(name="Out", on="Box", side="x+", at="2, 2 mm", size="12, 12 mm", flow="0 Pa"),
        d.Surroundings(name="Air", ambient="20 degC", gravity="0, 0, 0 m/s2"),
        d.GridRow(name="Grid", coarsest="5 mm", at_walls="0 mm", across_gaps="1"),
        d.RunRow(name="Run"),
    )
    case = prepare(resolve(d.Document(name="Way", rows=rows), FIRST)).case
    mouth = next(p for p in case.openings if p.kind == "velocity")
    area = float(np.prod([case.grid.widths[a][mouth.cells[:, a]] for a in (1, 2)], axis=0).sum())
    assert mouth.speed * area == pytest.approx(0.1 * np.pi * 5e-3**2, rel=5e-3)
