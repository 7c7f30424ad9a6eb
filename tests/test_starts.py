"""Models to start from solve as they come; the makers they are built of fill their boxes, exactly and without a word
too much."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli, starts
from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.kinds.shell import pattern
from stithy.mesh.build import build
from stithy.project import edits
from stithy.shapes import facets

ROOM = d.Enclosure(name="Room", at="-100, -100, -100 mm", size="600, 500, 400 mm", wall="0 mm")


def form_of(row: d.Row):
    """The solid that a maker gives."""
    document = d.Document(name="Made", rows=(ROOM, row, d.GridRow(name="Grid")))
    (solid,) = resolve(document, "First layout").solids
    return solid.form


def refused(row: d.Row) -> str:
    """What a maker says of cells that do not go together."""
    document = d.Document(name="Made", rows=(ROOM, row, d.GridRow(name="Grid")))
    with pytest.raises(SetupError) as error:
        resolve(document, "First layout")
    (problem,) = error.value.problems
    return f"{problem.key}: {problem}"


#: solved in ``make verify`` only, for their time
LONG = ("tank", "finned-tube-bank", "enclosure", "tube-in-shell", "sink-in-duct")


@pytest.mark.parametrize(
    "name", [pytest.param(n, marks=pytest.mark.verify if n in LONG else ()) for n in starts.names() if n != "nothing"]
)
def test_every_start_solves_as_it_comes(tmp_path, capsys, name):
    """Made by the command line, nothing missing; quick, both layouts settle and close their heat; the cells to fill in
    first are there; a second time its folder is refused."""
    place = str(tmp_path / name)
    assert cli.main(["new", name, place]) == 0
    assert capsys.readouterr().out.count("fill in first") == len(starts.STARTS[name].first) > 2
    assert cli.main(["new", name, place]) == 2
    project = api.open_project(place)
    assert len(project.document.layouts) == 2
    sets = [edits.set_cell(project.document.layouts[0].name, "Grid", "detail", "quick")]
    project.document = edits.many("quick", sets).apply(project.document)
    for layout in project.document.layouts:
        assert not project.check(layout.name)
        summary = project.solve(layout.name).summary
        passing = summary["heat_load"] + sum(abs(e["heat_out"]) for e in summary["ends"].values())
        assert summary["settled"], layout.name
        assert abs(summary["heat_imbalance"]) < 2e-3 * passing
        flows = [e["mass_flow"] for e in summary["ends"].values()]
        assert abs(sum(flows)) < 1e-6 * max(map(abs, flows))


def test_starts_are_listed_and_refused(tmp_path, capsys):
    """All with what they are; one that there is not names those there are; a folder has to be named."""
    assert cli.main(["new", "--list"]) == 0
    told = capsys.readouterr().out
    assert all(s.what in told for s in starts.STARTS.values())
    assert cli.main(["new", "teapot", str(tmp_path / "x")]) == 2
    assert "cold-plate" in capsys.readouterr().err
    assert cli.main(["new", "pipe"]) == 2
    assert not (tmp_path / "x").exists()


def inside(form, box) -> bool:
    """Whether a solid lies in a box (m)."""
    return all(low >= a - 1e-9 and high <= b + 1e-9 for (low, high), (a, b) in zip(form.box, box, strict=True))


mm = st.floats(5.0, 60.0).map(lambda x: round(x, 2))


@settings(max_examples=40, deadline=None)
@given(mm, mm, st.floats(0.5, 8.0), st.integers(1, 12), st.integers(20, 160), st.sampled_from(["z+", "x-", "y+"]))
def test_ribs(long, wide, rib, count, angle, up):
    """Ribs that fit have the volume of so many bars, less where they lean out of their box; none leaves it; too many
    are refused with the most that fit."""
    axis = "xyz".index(up[0])
    size = [long, wide]
    size.insert(axis, 4.0)
    text = ", ".join(f"{x:.3f}" for x in size) + " mm"
    row = d.Ribs(name="Ribs", size=text, count=str(count), rib=f"{rib:.3f} mm", angle=f"{angle} deg", up=up)
    across = round(rib, 3) / np.sin(np.radians(angle))
    if count * across >= round(long, 3):
        most = max(int(long / across - 1e-9), 1)
        assert f"At most {most} fit" in refused(row)
        return
    form = form_of(row)
    assert inside(form, [(0, 1e-3 * round(x, 3)) for x in size])
    full = count * across * wide * 4.0
    assert 0 < facets.volume(form) * 1e9 <= full * (1 + 1e-6) + 1e-3
    if angle == 90:
        assert facets.volume(form) * 1e9 == pytest.approx(full, rel=1e-4)


@settings(max_examples=30, deadline=None)
@given(st.integers(1, 4), st.integers(1, 4), st.integers(0, 12), st.floats(4.0, 24.0), st.booleans())
def test_tube_bank(rows, each, fins, wide, staggered):
    """Tubes and fins have the volume of bars and of plates less what both share."""
    least = min(22.0, 25.0, np.hypot(22.0, 12.5) if staggered and rows > 1 else 99.0)
    row = d.TubeBank(
        name="Bank",
        tubes=f"{rows}, {each}",
        diameter=f"{wide:.3f} mm",
        fins=str(fins),
        pattern="staggered" if staggered else "in line",
    )
    if round(wide, 3) >= least:
        assert f"Less than {least:.3g} mm" in refused(row)
        return
    bars = rows * each * np.pi / 4 * wide**2
    field = rows * 22.0 * each * 25.0
    if staggered and wide > 12.0:
        return  # tubes of the outermost rows stand over the fins' edges
    wanted = bars * 60.0 + fins * 0.3 * (field - bars)
    assert facets.volume(form_of(row)) * 1e9 == pytest.approx(wanted, rel=2e-3)


@pytest.mark.parametrize("way", ["serpentine", "parallel", "pins"])
@pytest.mark.parametrize("passes", ["3", "6"])
def test_channel_plate(way, passes):
    """The channels hold what the plate lacks; fluid goes from one port to the other, and nowhere else."""
    for turns in ("round", "square"):
        row = d.ChannelPlate(name="Plate", channels=way, passes=passes, width="6 mm", depth="5 mm", turns=turns)
        form = form_of(row)
        assert inside(form, ((0, 0.16), (0, 0.1), (0, 0.012)))
        lacks = 160 * 100 * 12 - facets.volume(form) * 1e9
        assert 0.12 < lacks / (160 * 100 * 5) < 0.95
        case = d.Enclosure(name="Room", size="160, 100, 12 mm", wall="0 mm")
        document = d.Document(name="Made", rows=(case, row, d.GridRow(name="Grid", coarsest="2 mm")))
        built = build(resolve(document, "First layout"))
        fluid = built.grid.volumes()[built.kind == 0].sum() * 1e9
        assert fluid == pytest.approx(lacks, rel=0.06)
        spaces = api.Project(document, None).spaces()
        assert len(spaces) == 1
    assert "leaves no lid" in refused(row.model_copy(update={"depth": "9.5 mm"}))
    assert "At most" in refused(row.model_copy(update={"width": "60 mm"}))


@pytest.mark.parametrize("count", range(1, 20))
def test_tubes_about_an_axis_keep_apart(count):
    """So many as were asked for, none nearer to another than the pitch."""
    places = np.array(pattern(count, 10.0))
    apart = np.linalg.norm(places[:, None] - places[None], axis=-1) + 99 * np.eye(count)
    assert len(places) == count
    assert apart.min() >= 10.0 - 1e-6


def test_shell_and_bundle():
    """A bundle fits its shell without overlap; fluid in the shell reaches both nozzles past the baffles; what does not
    fit is refused with what would."""
    shell = d.Shell(name="Shell", tubes="7", tube="10, 8 mm", baffles="3")
    bundle = d.TubeBundle(name="Tubes", tubes="7", tube="10, 8 mm", order="")
    document = d.Document(
        name="Made",
        rows=(d.Enclosure(name="Room", size="200, 60, 80 mm", wall="0 mm"), shell, bundle, d.GridRow(name="Grid")),
    )
    import manifold3d

    solids = [
        manifold3d.Manifold(manifold3d.Mesh64(np.asarray(x.form.points) * 1e3, np.asarray(x.form.triangles, np.uint64)))
        for x in resolve(document, "First layout").solids
    ]
    assert (solids[0] ^ solids[1]).volume() < 1e-6 * solids[1].volume()
    assert solids[1].volume() == pytest.approx(7 * np.pi / 4 * (100 - 64) * 200, rel=1e-3)
    volumes = sorted(s.volume * 1e9 for s in api.Project(document, None).spaces())
    inner = np.pi / 4 * 50**2 * 194 - 7 * np.pi / 4 * 100 * 194
    assert any(v == pytest.approx(inner, rel=0.05) for v in volumes)
    assert "The shell needs" in refused(shell.model_copy(update={"tubes": "19"}))
    assert "At most" in refused(shell.model_copy(update={"baffles": "50", "baffle": "6 mm"}))
    assert "More than" in refused(d.Coil(name="Coil", pitch="6 mm"))


@pytest.mark.parametrize("sort", ["holes", "louvre"])
def test_perforated_plates(sort):
    """Holes take their area times the thickness; a louvre's slats stay in the box and let light through."""
    row = d.PerforatedPlate(name="Grille", size="6, 60, 40 mm", sort=sort, holes="5, 3", diameter="2 mm")
    form = form_of(row)
    assert inside(form, ((0, 0.006), (0, 0.06), (0, 0.04)))
    volume = facets.volume(form) * 1e9
    if sort == "holes":
        assert volume == pytest.approx(6 * (60 * 40 - 15 * np.pi), rel=1e-3)
        assert "Less than 12 mm" in refused(row.model_copy(update={"diameter": "13 mm"}))
    else:
        assert volume == pytest.approx(5 * 2 * np.sqrt(2) * 6 * 60, rel=0.02)


@pytest.mark.parametrize("up", ["z+", "x-"])
@pytest.mark.parametrize(("shape", "pattern"), [("round", "in line"), ("round", "staggered"), ("square", "staggered")])
def test_pins(up, shape, pattern):
    """Base and pins have their volume; staggered, every other row has one pin fewer; all of it stays in its box."""
    size = [30.0, 40.0]
    size.insert("xyz".index(up[0]), 20.0)
    text = ", ".join(map(str, size))
    sink = d.PinFinSink(name="Pins", size=f"{text} mm", pins="5, 4", pin="3 mm", shape=shape, pattern=pattern, up=up)
    form = form_of(sink)
    assert inside(form, [(0, 1e-3 * x) for x in size])
    pins = 20 - 2 * (pattern == "staggered")
    section = 9.0 if shape == "square" else np.pi / 4 * 9
    assert facets.volume(form) * 1e9 == pytest.approx(30 * 40 * 3 + pins * section * 17, rel=1e-4)
    plain = sink.model_copy(update={"shape": "square", "pattern": "in line"})
    document = d.Document(name="Made", rows=(ROOM, plain, d.GridRow(name="Grid")))
    assert len(resolve(document, "First layout").solids[0].boxes) == 21
