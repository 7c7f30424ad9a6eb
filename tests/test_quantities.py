"""Everything that is read off a result: quantities against closed forms, formulas, lines, streamlines, the heat path,
watches, hand calculations, influence; and what cannot be had."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import FileProblem, StithyError, ValueProblem
from stithy.kinds.drawing import begun, drawn
from stithy.model.drawn import Line, Paint, References, Section
from stithy.model.quantities import QUANTITIES, WATCHED, find
from stithy.project import edits, files
from stithy.read import shown
from stithy.read.along import along
from stithy.read.hand import by_hand
from stithy.read.heat_path import closure, heat_path
from stithy.read.measured import measured
from stithy.read.sample import Sampler
from stithy.read.streams import exchange, streams
from stithy.read.tracing import trace
from stithy.read.values import Values
from stithy.read.watches import watched
from stithy.weigh.compare import standing
from stithy.weigh.limits import FAILS, MEETS
from verification.examples import STILL, examples

from .conftest import SAID, small


def solved(document, place, name="") -> api.Project:
    """A project with a solved layout."""
    files.save(document, place)
    project = api.open_project(place)
    project.solve(name)
    return project


@pytest.fixture(scope="module")
def box(tmp_path_factory):
    """The small box with a second load, without gravity: laminar, forced."""
    rows = (*small(**STILL).rows, d.Component(name="Choke", at="38, 14, 2 mm", size="8, 8, 5 mm", power="0.5 W"))
    return solved(d.Document(name="Box", rows=rows, layouts=small().layouts), tmp_path_factory.mktemp("box"), "One")


@pytest.fixture(scope="module")
def exchanger(tmp_path_factory):
    """The worked example of a tube in a tube."""
    return solved(examples()["tube-in-tube"][0], tmp_path_factory.mktemp("tubes"))


@pytest.fixture(scope="module")
def channel(tmp_path_factory):
    """Developed flow between plates with a given flux on both."""
    return solved(examples()["channel-pitch"][0], tmp_path_factory.mktemp("channel"))


def test_developed_flow_between_plates(channel):
    """Nusselt number 8.235 and friction 24 over the Reynolds number of the hydraulic diameter (Shah and London 1978),
    within 1 %; a formula says the same; conducted heat and y+ fit to them."""
    speed, gap = 0.2, 0.02
    v = Values(channel.result(), References("bulk", gap, speed))
    on = np.isin(v.walls.names, ["Duct y-", "Duct y+"])
    reynolds = 1.2 * speed * gap / 1.8e-5
    assert v.of("Nusselt number")[on] == pytest.approx(8.235, rel=0.01)
    assert v.of("skin friction coefficient")[on] * reynolds == pytest.approx(24.0, rel=0.01)
    shear = v.of("= 0.5*density*skin_friction_coefficient*(0.2 m/s)**2")
    assert shear[on] == pytest.approx(v.of("wall shear")[on], rel=1e-12)
    assert v.of("wall heat flux")[on] == pytest.approx(200.0, rel=1e-9)
    first = v.walls.gap[on] * np.sqrt(1.2 * v.of("wall shear")[on]) / 1.8e-5
    assert v.of("y+")[on] == pytest.approx(first, rel=1e-6)


def test_every_quantity_has_a_value_or_a_reason(box, channel):
    """All of the list: worked out with the right shape, or refused with a line that says why."""
    v = Values(box.result("One"), other=channel.result())
    for q in QUANTITIES.values():
        try:
            values = v.of(q.name)
        except StithyError as error:
            radiates = ("radiated flux", "mean radiant temperature", "absorbed sunshine")
            baths = ("vapour share", "superheat", "boiling flux")
            assert q.name in ("turbulent energy", "dissipation", "turbulent frequency", *radiates, *baths), str(error)
            continue
        assert values.shape == (v.grid.shape if q.place == "cells" else v.walls.cell.shape)
        assert np.isfinite(values).any()
        if q.where == "fluid":
            assert np.isnan(values[v.solution.kind == 1]).all()
    assert v.of("total pressure")[v.fluid] == pytest.approx(
        (v.of("pressure") + 0.5 * v.of("density") * v.of("speed") ** 2)[v.fluid], rel=1e-12
    )


def test_residence_time_of_a_plug(tmp_path):
    """Even flow between sliding sides of symmetry: what is there entered its distance over its speed ago; streamlines
    tell the same, exactly."""
    rows = (
        d.Enclosure(
            name="Duct",
            size="80, 10, 10 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
        ),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="10, 10 mm", flow="0.5 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="10, 10 mm", flow="0 Pa"),
        d.Surroundings(name="Air", **STILL),
        d.GridRow(name="Grid", coarsest="4 mm", **SAID),
    )
    s = solved(d.Document(name="Plug", rows=rows), tmp_path).result()
    v = Values(s)
    x = s.grid.centres[0][:, None, None]
    assert v.of("residence time") == pytest.approx(np.broadcast_to(x / 0.5, s.grid.shape), rel=1e-6)
    lines = trace(s, [(1e-6, 3e-3, 4e-3), (0.04, 5e-3, 5e-3)], "onward")
    assert lines.count == 2
    ends = lines.starts[1:] - 1
    assert lines.points[ends, 0] == pytest.approx(0.08)
    assert lines.time[ends] == pytest.approx((0.08 - np.array([1e-6, 0.04])) / 0.5, rel=1e-6)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000))
def test_streamlines_keep_to_the_flow(box, seed):
    """From seeds anywhere: every point lies in fluid or on its rim, time rises along every line, what goes onward ends
    at an outlet or comes to rest, and back again it leads to where it began."""
    s = box.result("One")
    rng = np.random.default_rng(seed)
    reach = [(x[0], x[-1]) for x in s.grid.lines]
    seeds = rng.uniform([lo for lo, _ in reach], [hi for _, hi in reach], (6, 3))
    lines = trace(s, seeds, "both")
    for a, b in zip(lines.starts, lines.starts[1:], strict=False):
        points, time = lines.points[a:b], lines.time[a:b]
        assert (np.diff(time) >= -1e-12).all()
        middle = 0.5 * (points[1:] + points[:-1])
        for p in middle[:: max(len(middle) // 20, 1)]:
            at = s.grid.find(p)
            near = [s.grid.find(p + 1e-9 * np.array(step)) for step in np.ndindex(2, 2, 2)]
            assert at is not None
            assert any(s.kind[n] == 0 for n in near if n is not None)
        again = trace(s, [points[len(points) // 2]], "onward")
        if again.count:
            assert again.points[-1] == pytest.approx(points[-1], abs=2e-4)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 100_000), st.floats(0.1, 5.0), st.sampled_from(["speed", "pressure", "density", "temperature"]))
def test_formulas_are_arithmetic(box, seed, factor, name):
    """A formula is what the arithmetic on its fields gives, on cells and between them."""
    v = Values(box.result("One"))
    rng = np.random.default_rng(seed)
    points = rng.uniform(0.0, [0.06, 0.04, 0.02], (20, 3))
    text = f"= {factor!r}*{name} + {name}*sqrt({name}/max({name}, {name}))"
    if name == "pressure":
        text = f"= {factor!r}*pressure + pressure"
    expected = v.at(name, points) * (factor + 1.0)
    assert v.at(text, points) == pytest.approx(expected, rel=1e-9, nan_ok=True)
    assert find(text).dimension.startswith(find(name).dimension)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("= speed + pressure", "units go together"),
        ("= foo*2", "no quantity and no unit"),
        ("= __import__('os').system('x')", "not arithmetic"),
        ("= speed**999", "too large a power"),
        ("= " + "(" * 40 + "speed" + ")" * 40, "too long an expression"),
        ("= temperature.real", "not arithmetic"),
        ("spede", "no quantity"),
        ("=", "cannot be read"),
    ],
)
def test_formulas_that_are_none(text, words):
    """Each is refused by what it is; nothing is ever run."""
    with pytest.raises(ValueProblem) as found:
        find(text)
    assert words in found.value.what + found.value.remedy


def test_sampling_is_exact_where_cells_are(box):
    """At the middle of every cell its own value stands; outside nothing does."""
    s = box.result("One")
    at = np.stack(np.meshgrid(*s.grid.centres, indexing="ij"), -1).reshape(-1, 3)
    found = Sampler(s, at)
    assert found.temperature() == pytest.approx(s.temperature.ravel(), abs=1e-9)
    assert np.isnan(Sampler(s, [(9.0, 0.0, 0.0)]).temperature()).all()


def test_lines_straight_and_along_a_surface(box, channel):
    """Straight lines run by their length; along a surface one walks all the way round a chip; what lies outside, or is
    not cut, is told."""
    v = Values(box.result("One"))
    t = QUANTITIES["temperature"]
    line = Line("L", True, Paint(), (t,), ((0.0, 0.02, 0.01), (0.03, 0.02, 0.01), (0.03, 0.03, 0.01)), count=31)
    found = along(v, line)
    assert found.length == pytest.approx(0.04)
    assert found.points[15] == pytest.approx((0.02, 0.02, 0.01))
    section = Section("S", True, Paint(), point=None, place=0.02)
    q = QUANTITIES["wall temperature"]
    round_chip = along(v, replace(line, quantities=(q, t), section="S", parts=("Chip",)), (section,))
    assert round_chip.length == pytest.approx((4 + 10 + 4) * 1e-3, rel=1e-6)
    hottest = box.result("One").summary["parts"]["Chip"]["max"]
    assert np.nanmax(round_chip.values["wall temperature"]) == pytest.approx(hottest, abs=2.0)
    for bad, words in (
        (replace(line, points=((1.0, 1.0, 1.0), (2.0, 1.0, 1.0))), "outside the model"),
        (
            replace(line, quantities=(QUANTITIES["speed"],), points=((0.028, 0.02, 0.003), (0.03, 0.02, 0.003))),
            "no value",
        ),
        (replace(line, section="S", parts=("Nobody",)), "does not cut"),
        (replace(line, section="T", parts=("Chip",)), "no section"),
    ):
        with pytest.raises(StithyError, match=words):
            along(v, bad, (section,))


def test_heat_path_closes(box, exchanger):
    """Every part gives what it takes to 0.1 % of the load; walls and openings agree with the balance."""
    for project, name, load in ((box, "One", 1.5), (exchanger, "", None)):
        s = project.result(name)
        rows = heat_path(s)
        through = load or max(x.heat for x in rows)
        assert max(map(abs, closure(rows).values())) < 1e-3 * through
    s = box.result("One")
    rows = heat_path(s)
    assert sum(x.heat for x in rows if x.source == "heat load") == pytest.approx(1.5, rel=1e-9)
    out = {x.to: x.heat for x in rows if x.to in s.summary["ends"]}
    assert out["Out"] == pytest.approx(
        s.summary["ends"]["Out"]["heat_out"] + s.summary["ends"]["In"]["heat_out"], rel=1e-6
    )
    chip = [x for x in rows if x.source == "Chip"]
    assert sum(x.share for x in chip) == pytest.approx(1.0)
    assert all(x.resistance is None or x.resistance > 0 for x in rows)


def test_streams_exchange(exchanger):
    """Both streams balance; effectiveness is that of counter-flow with the NTU told; the hand calculation's range
    holds duty, effectiveness and both pressure drops."""
    s = exchanger.result()
    hot, cold = sorted(streams(s), key=lambda x: -x.entering)
    assert hot.taken == pytest.approx(-cold.taken, rel=1e-3)
    found = exchange(s)
    ratio = min(hot.capacity, cold.capacity) / max(hot.capacity, cold.capacity)
    e = np.exp(-found["NTU"] * (1 - ratio))
    assert found["effectiveness"] == pytest.approx((1 - e) / (1 - ratio * e), rel=1e-3)
    assert found["duty"] == pytest.approx(found["UA"] * found["LMTD"], rel=1e-9)
    document, name = exchanger.document, "Base"
    for row in (
        d.WatchRow(name="Duty", quantity="duty"),
        d.WatchRow(name="Eff", quantity="effectiveness"),
        d.WatchRow(name="Drop", quantity="pressure drop", of="Oil in; Oil out"),
        d.WatchRow(name="Water drop", quantity="pressure drop", of="Water in; Water out"),
        d.WatchRow(name="Wall", quantity="wall temperature", of="Tube"),
    ):
        document = edits.add_row(name, row).apply(document)
    told = {x.watch.name: x for x in watched(s, drawn(document, name)[0])}
    for n in ("Duty", "Eff", "Drop", "Water drop"):
        hand = told[n].hand
        assert hand.low <= told[n].value <= hand.high, (n, hand, told[n].banded)
    assert told["Wall"].hand.value is None
    assert "no correlation" in told["Wall"].hand.what


WATCHES = (
    d.WatchRow(name="Flow", quantity="mass flow", of="In"),
    d.WatchRow(name="Through", quantity="mass flow", of="Cut"),
    d.WatchRow(name="Bulk", of="Cut", measure="mass mean"),
    d.WatchRow(name="Hot", of="Chip", most="95 degC"),
    d.WatchRow(name="Cool", of="Chip", measure="mean", most="30 degC"),
    d.WatchRow(name="Draught", quantity="speed", of="Case", least="0.1 m/s"),
    d.WatchRow(name="Loss", quantity="total pressure", of="In; Out", measure="difference"),
    d.WatchRow(name="Even", quantity="evenness", of="In"),
    d.WatchRow(name="Film", quantity="heat transfer coefficient", of="Chip"),
    d.WatchRow(name="Place", of="10, 20, 10 mm"),
    d.WatchRow(name="Given", quantity="heat", of="Chip"),
    d.WatchRow(name="Rise", quantity="= Given/Flow/(1006 J/kg/K)"),
    d.WatchRow(name="Self", quantity="= Self + Flow"),
    d.WatchRow(name="Twice", quantity="= 2*Drop"),
)


def with_rows(document, layout, *rows):
    """The document with more rows."""
    for row in rows:
        document = edits.add_row(layout, row).apply(document)
    return document


def test_watches_and_bounds(box, capsys):
    """Numbers of parts, planes, openings, points and formulas agree with each other and carry bands; bounds become
    limits with verdicts; what refers to itself says so; all of it on the command line too."""
    section = d.Section(name="Cut", across="x", at="30 mm", shown="off")
    document = with_rows(box.document, "One", section, *WATCHES)
    s = box.result("One")
    found = {x.watch.name: x for x in watched(s, drawn(document, "One")[0])}
    value = {n: x.banded.on_grid for n, x in found.items() if x.banded}
    assert value["Through"] == pytest.approx(value["Flow"], rel=1e-6)
    ends = s.summary["ends"]
    assert ends["In"]["temperature"] < value["Bulk"] < ends["Out"]["temperature"]
    assert value["Hot"] == pytest.approx(s.summary["parts"]["Chip"]["max"])
    assert value["Even"] == pytest.approx(1.0, abs=1e-9)
    assert value["Given"] == pytest.approx(1.0, rel=1e-6)
    assert value["Rise"] == pytest.approx(value["Given"] / value["Flow"] / 1006.0)
    assert value["Place"] == pytest.approx(float(Values(s).at("temperature", [(0.01, 0.02, 0.01)])[0]))
    assert found["Rise"].dimension == "temperature difference"
    assert value["Drop"] == pytest.approx(ends["In"]["pressure"] - ends["Out"]["pressure"])
    assert value["Chip"] == value["Hot"]  # a component's limit is a watch, too
    assert value["Twice"] == pytest.approx(2 * found["Drop"].banded.value)
    assert "formula of itself" in found["Self"].fault
    assert s.coarse is not None
    assert all(x.banded.band is not None for x in found.values() if x.banded)
    files.save(document, box.folder)
    try:
        now = standing(document, box.folder, "One")
        verdicts = {m.bound.name: m.verdict for m in now.margins if m.bound.name in ("Hot", "Cool", "Draught")}
        assert verdicts == {"Hot": MEETS, "Cool": FAILS, "Draught": MEETS}
        kept = standing(document, box.folder, "One")  # from what was kept beside the result
        assert [x.banded for x in kept.watches] == [x.banded for x in now.watches]
        assert cli.main(["read", str(box.folder), "watches", "--layout", "One", "--json"]) == 0
        rows = {r["name"]: r for r in json.loads(capsys.readouterr().out)}
        assert rows["Flow"]["result"] == pytest.approx(1e3 * found["Flow"].banded.value)
        assert cli.main(["weigh", str(box.folder)]) in (0, 1)
        assert "Draught" in capsys.readouterr().out
    finally:
        files.save(box.document, box.folder)


def test_influence_is_what_a_second_solve_shows(box, tmp_path):
    """Forced flow: other powers by influence and by solving again agree to 0.01 K; the power a part may take brings it
    to its limit."""
    found = box.influence("One")
    assert found.note == ""
    powers = {"Chip": 1.7, "Choke": 0.2}
    sets = [edits.set_cell("One", n, "power", f"{p} W") for n, p in powers.items()]
    document = edits.many("powers", sets).apply(box.document)
    again = api.Project(document, tmp_path).solve("One").summary["parts"]
    then, now = found.hottest(powers), found.hottest({})
    before = box.result("One").summary["parts"]
    for part in ("Chip", "Choke", "Case"):
        change = again[part]["max"] - before[part]["max"]
        assert then[part] - now[part] == pytest.approx(change, abs=0.01)
    most = found.most("Chip", 350.0)
    assert found.hottest({"Chip": most})["Chip"] == pytest.approx(350.0, abs=1e-3)
    names, matrix = found.matrix()
    assert (
        matrix[names.index("Chip"), found.loads.index("Chip")]
        > matrix[names.index("Chip"), found.loads.index("Choke")]
        > 0
    )
    with pytest.raises(StithyError, match="no steady result"):
        box.influence("Two")


def test_rows_that_draw_are_no_part_of_the_model(box):
    """Drawn rows and watches change no key; wrong ones are told with row and remedy and stop nothing else."""
    document = begun(box.document)
    bad = (
        d.Surface(name="Gone", of="Nobody"),
        d.Section(name="Odd", across="0, 0, 0"),
        d.Section(name="Wall", quantity="y+"),
        d.Isosurface(name="Mixed", where="speed", at="60 degC"),
        d.LineRow(name="Point", through="0, 0, 0 mm"),
        d.Streamlines(name="Nowhere", source="Attic"),
        d.WatchRow(name="Lost", of="Attic"),
        d.WatchRow(name="Single", of="Chip", measure="difference"),
        d.Flag(name="Bare"),
        d.Section(name="Falling", range="80 to 20 degC"),
    )
    document = with_rows(document, "One", *bad)
    project = api.Project(document, box.folder)
    assert project.key("One") == box.key("One")
    assert project.check("One") == []
    found, faults = drawn(document, "One")
    assert set(faults) == {x.name for x in bad}
    assert all(p.remedy for p in faults.values())
    assert {"Section", "Surfaces", "Vectors", "Streamlines"} <= {x.name for x in found}
    renamed = edits.set_cell("One", "Chip", "name", "Die").apply(
        with_rows(begun(box.document), "One", d.Surface(name="Two parts", of="Case; Chip"))
    )
    assert next(r for r in renamed.rows if r.name == "Two parts").of == "Case; Die"


def test_commands_read_anything(box, capsys, tmp_path):
    """Quantities, single values, the heat path, a named line, tables as a spreadsheet, fields with any quantity."""
    place = str(box.folder)
    assert cli.main(["quantities"]) == 0
    listed = capsys.readouterr().out
    assert all(q in listed for q in (*QUANTITIES, *WATCHED))
    assert cli.main(["read", place, "value", "wall heat flux", "--of", "Chip", "--layout", "One", "--json"]) == 0
    [row] = json.loads(capsys.readouterr().out)
    assert row["result"] == pytest.approx(box.read("One").wall("Chip")["flux"], abs=2 * row["band"] + 5.0)
    assert cli.main(["read", place, "path", "--layout", "One"]) == 0
    assert "heat load" in capsys.readouterr().out
    assert cli.main(["read", place, "value", "spede", "--layout", "One"]) == 2
    capsys.readouterr()
    document = with_rows(box.document, "One", d.LineRow(name="Axis", quantity="speed; = pressure*2"))
    files.save(document, box.folder)
    try:
        assert cli.main(["read", place, "line", "Axis", "--layout", "One", "--json"]) == 0
        rows = json.loads(capsys.readouterr().out)
        assert len(rows) == 200
        assert cli.main(["export", place, str(tmp_path / "all.xlsx"), "--layout", "One"]) == 0
        assert (tmp_path / "all.xlsx").read_bytes()[:2] == b"PK"
        out = str(tmp_path / "all.vtr")
        assert cli.main(["export", place, out, "--layout", "One", "--quantities", "all"]) == 0
        assert cli.main(["export", place, str(tmp_path / "walls.vtp"), "--layout", "One"]) == 0
    finally:
        files.save(box.document, box.folder)
    import pyvista as pv

    walls = pv.read(tmp_path / "walls.vtp")
    flux, s = walls.cell_data["wall_heat_flux"], Values(box.result("One"))
    assert flux == pytest.approx(s.of("wall heat flux"), rel=1e-5)
    assert walls.compute_cell_sizes().cell_data["Area"].sum() == pytest.approx(s.walls.area.sum(), rel=1e-6)

    fields = pv.read(out).cell_data
    assert {"total_pressure", "residence_time", "heat_flux_x"} <= set(fields.keys())


def test_measured_points_are_read(tmp_path):
    """Units in the head, any of three marks; what is no table is told by its line."""
    good = tmp_path / "m.csv"
    good.write_text("distance [in];T (degF)\n1;212\n0.5;32\n")
    x, y = measured(good, "temperature")
    assert x == pytest.approx([0.0127, 0.0254])
    assert y == pytest.approx([273.15, 373.15])
    for text, words in (("", "no points"), ("1,2\nx,3\n", "line 2"), ("1\n", "line 1")):
        bad = tmp_path / "bad.csv"
        bad.write_text(text)
        with pytest.raises(FileProblem, match=words):
            measured(bad, "temperature")


def test_units_are_chosen_once():
    """A choice holds for all that is shown, and is kept; what is not offered is refused."""
    try:
        shown.choose("temperature", "degF")
        shown.choose("pressure", "inH2O")
        assert shown.text(373.15, "temperature") == "212.0 °F"
        assert shown.span(10.0, "temperature difference") == pytest.approx(10.0)
        assert shown.text(249.08890999999997, "pressure") == "1 inH₂O"
        assert shown.back(float(shown.convert(300.0, "temperature")), "temperature") == pytest.approx(300.0)
        with pytest.raises(StithyError, match="is no unit for"):
            shown.choose("temperature", "furlong")
    finally:
        shown.choose("temperature", "degC")
        shown.choose("pressure", "Pa")


def test_a_hand_calculation_says_why_not(box):
    """Where nothing fits, the reason stands in its place."""
    document = with_rows(
        box.document,
        "One",
        d.WatchRow(name="Film", quantity="heat transfer coefficient", of="Chip"),
        d.WatchRow(name="Duty", quantity="duty"),
        d.WatchRow(name="Leaves", of="Out"),
        d.WatchRow(name="Drop 2", quantity="pressure drop", of="In; Out"),
    )
    s = box.result("One")
    rows = {x.name: x for x in drawn(document, "One")[0] if hasattr(x, "measure")}
    told = {n: by_hand(w, Values(s, w.references)) for n, w in rows.items()}
    assert "no plate" in told["Film"].what
    assert "two streams" in told["Duty"].what
    assert "no straight duct" in told["Drop 2"].what
    leaves = s.summary["ends"]["Out"]["temperature"]
    assert told["Leaves"].low - 0.5 <= leaves <= told["Leaves"].high + 0.5
