"""Radiation between surfaces: closed forms, exchange of random patches, balances of random models, what cannot be."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq
from scipy.sparse import csr_matrix

from stithy import api
from stithy import kinds as d
from stithy.equations import patches
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.kinds.drawing import drawn
from stithy.model import Sun
from stithy.numerics import rays
from stithy.numerics.exchange import balanced, incoming, pooled
from stithy.project import edits, files
from stithy.read.quantities import Quantities
from stithy.read.values import Values
from stithy.read.watches import watched
from stithy.solve.job import Job
from verification import radiation as cases

SIGMA = 5.670374419e-8
FIRST = "First layout"


@pytest.mark.parametrize(
    ("made", "within"),
    [
        (cases.slabs, 1e-5),
        (lambda: cases.shields(1, 0.1), 1e-4),
        (lambda: cases.shields(3, 0.05), 1e-4),
        (lambda: cases.block(1.0, 342.9965), 5e-4),
        (lambda: cases.cylinders(0.9, 0.2), 1e-3),
        (lambda: cases.cylinders(0.2, 0.9), 1e-3),
        (lambda: cases.trough(1.0, 0.5), 2e-3),
        (lambda: cases.trough(5.0, 0.1), 2e-3),
        (cases.outside, 1e-5),
        (cases.sunlit, 1e-3),
    ],
)
def test_closed_forms(made, within):
    """Plates, shields, blocks, cylinders, troughs, a cold sky and the sun on the grid as it comes."""
    for row in made():
        assert abs(row.error) < within, row


@st.composite
def scenes(draw):
    """Counts of rays between random patches, some of which see an end, and their areas."""
    n = draw(st.integers(2, 14))
    seed = draw(st.integers(0, 2**31))
    rng = np.random.default_rng(seed)
    area = rng.uniform(0.1, 3.0, n)
    share = rng.random((n, n)) * (rng.random((n, n)) < draw(st.floats(0.3, 1.0)))
    share = share + share.T
    ends = rng.random((n, draw(st.integers(0, 2)))) * draw(st.sampled_from([0.0, 0.3, 3.0]))
    total = share.sum(axis=1) + ends.sum(axis=1)
    counts = rng.poisson(500 * share / np.maximum(total, 1e-9)[:, None])
    gone = rng.poisson(500 * ends / np.maximum(total, 1e-9)[:, None]).astype(float)
    return csr_matrix(counts.astype(float)), gone, area, rng


@settings(max_examples=120, deadline=None)
@given(scenes())
def test_exchange_is_symmetric_and_its_rows_are_exact(scene):
    """Whatever the rays counted, even where the pattern has no solution: what all send is what all get."""
    counts, gone, area, rng = scene
    e = balanced(*pooled(counts, gone, area), area)
    full = e.matrix.toarray()
    assert np.abs(full - full.T).max() <= 1e-12 * area.max()
    assert full.min() >= -1e-12 * area.max()
    assert e.ends.min(initial=0.0) >= 0.0
    assert np.allclose(full.sum(axis=1) + e.ends.sum(axis=1), area, rtol=1e-11)
    emissivity, power = rng.uniform(0.05, 1.0, len(area)), rng.uniform(50.0, 900.0, len(area))
    beyond = rng.uniform(10.0, 400.0, e.ends.shape[1])
    falls = incoming(e, emissivity * power, 1.0 - emissivity, beyond, 1e-12)
    leaving = emissivity * power + (1.0 - emissivity) * falls
    assert np.allclose(area * falls, full @ leaving + e.ends @ beyond, rtol=1e-8)
    net = emissivity * area * (power - falls)
    away = float((e.ends * (leaving[:, None] - beyond)).sum())
    assert abs(net.sum() - away) < 1e-8 * np.abs(net).sum() + 1e-11
    # all at one temperature: nothing flows
    even = incoming(e, emissivity * 300.0, 1.0 - emissivity, np.full(e.ends.shape[1], 300.0), 1e-13)
    assert np.allclose(even, 300.0, rtol=1e-9)


def _room(*rows, sides: str = "", size: str = "80, 60, 50 mm", **more) -> d.Document:
    settings_ = {"ambient": "20 degC", "flow": "laminar"} | more
    return d.Document(
        rows=(
            d.Enclosure(name="Case", size=size, wall="0 mm", outside="8 W/m2/K", sides=sides),
            *rows,
            d.Surroundings(name="Surroundings", **settings_),
            d.GridRow(name="Grid", detail="quick"),
        )
    )


@st.composite
def sealed(draw):
    """A sealed box with warm solids of random finishes, places and shapes, some of them held."""
    size = [draw(st.integers(40, 90)) for _ in range(3)]
    rows: list = []
    for m in range(draw(st.integers(1, 3))):
        low = [draw(st.integers(0, s - 14)) for s in size]
        high = [min(a + draw(st.integers(4, 40)), s) for a, s in zip(low, size, strict=True)]
        place = {
            "at": ", ".join(map(str, low)) + " mm",
            "size": ", ".join(str(b - a) for a, b in zip(low, high, strict=True)) + " mm",
        }
        finish = draw(st.sampled_from(["", "0", "0.04", "0.5", "1", "black anodised", "Mine"]))
        material = draw(st.sampled_from(["aluminium", "ABS plastic", "FR4 laminate"]))
        power = draw(st.sampled_from(["0 W", "1 W", "4 W", "70 degC"]))
        rows.append(d.Block(name=f"Solid {m}", power=power, material=material, finish=finish, order=str(m), **place))
    if draw(st.booleans()):
        rows.append(
            d.Cylinder(
                name="Rod", at=f"{size[0] // 2}, {size[1] // 2}, 0 mm", length="30 mm", diameter="12 mm", order="9"
            )
        )
    sides = draw(st.sampled_from(["", "z+: 15 degC", "x-: adiabatic; x+: adiabatic; z-: adiabatic", "y-: 40 W/m2"]))
    gravity = draw(st.sampled_from(["0, 0, -9.81 m/s2", "0, 0, 0 m/s2"]))
    document = _room(
        *rows,
        d.FinishRow(name="Mine", emissivity="0.33"),
        sides=sides,
        size=", ".join(map(str, size)) + " mm",
        radiation="surfaces",
        gravity=gravity,
    )
    return edits.set_cell(FIRST, "Case", "finish", draw(st.sampled_from(["0.9", "0.2", ""]))).apply(document)


def look_at(document: d.Document) -> None:
    """Radiation closes to 1e-6 and heat to 0.1 %; the heat path closes for every part; walls tell what was balanced."""
    result = api.Project(document, None).solve()
    s = result.summary
    radiation = s["radiation"]
    assert radiation["closure"] < 1e-6
    through = max(sum(abs(q) for q in s["walls"].values()) + s["heat_load"], 1e-3)
    assert abs(s["heat_imbalance"]) < 1e-3 * through
    net = sum(x["net"] for x in radiation["surfaces"].values())
    assert abs(net) < 1e-5 * sum(abs(x["net"]) for x in radiation["surfaces"].values()) + 1e-6
    rows = [r for r in s["heat_path"] if r.get("by") == "radiation"]
    for name, x in radiation["surfaces"].items():
        given_ = sum(r["heat"] for r in rows if r["from"] == name) - sum(r["heat"] for r in rows if r["to"] == name)
        assert abs(given_ - x["net"]) < 1e-4 * max(abs(x["net"]), through)
    for name in s["parts"]:
        flows = s["heat_path"]
        over = sum(r["heat"] for r in flows if r["to"] == name) - sum(r["heat"] for r in flows if r["from"] == name)
        assert abs(over) < 2e-3 * through
    walls = result.walls
    assert abs(walls.radiated.sum() - net) < 1e-6 * max(through, 1.0)


@settings(
    max_examples=2,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    derandomize=True,
    phases=(Phase.explicit, Phase.generate),
)
@given(sealed())
def test_a_few_random_sealed_models_close(document):
    """The same two at every test."""
    look_at(document)


@pytest.mark.verify
@pytest.mark.timeout(3000)
@settings(
    max_examples=25, deadline=None, suppress_health_check=list(HealthCheck), phases=(Phase.explicit, Phase.generate)
)
@given(sealed())
def test_random_sealed_models_close(document):
    """Twenty-five, other ones every time."""
    look_at(document)


def test_a_mirror_is_the_other_half():
    """Half a room beside a side of symmetry gives half the heat at the temperatures of the whole."""
    whole = cases.vacuum(
        d.Enclosure(name="Room", size="80, 40, 40 mm", wall="0 mm", fluid="nothing", outside="300 K", finish="0.5"),
        d.Block(name="Block", at="30, 10, 10 mm", size="20, 20, 20 mm", material="plain", power="4 W", finish="0.7"),
    )
    half = edits.set_cell(FIRST, "Room", "sides", "x-: symmetry").apply(whole)
    for row, key, text in (
        ("Room", "at", "40, 0, 0 mm"),
        ("Room", "size", "40, 40, 40 mm"),
        ("Block", "at", "40, 10, 10 mm"),
        ("Block", "size", "10, 20, 20 mm"),
        ("Block", "power", "2 W"),
    ):
        half = edits.set_cell(FIRST, row, key, text).apply(half)
    one, two = (cases.solve(x).summary["parts"]["Block"]["mean"] - 300.0 for x in (whole, half))
    assert abs(one / two - 1.0) < 2e-3


@pytest.mark.verify
def test_a_pitch_goes_on_beyond_its_ends():
    """A slice of a room between periodic sides radiates as one between mirrors: along it nothing changes."""

    def made(side: str) -> float:
        room = d.Enclosure(
            name="Room",
            size="60, 20, 40 mm",
            wall="0 mm",
            fluid="nothing",
            outside="300 K",
            finish="0.6",
            sides=f"y-: {side}; y+: {side}",
        )
        bar = d.Block(name="Bar", at="20, 0, 10 mm", size="10, 20, 20 mm", material="plain", power="2 W", finish="0.8")
        drive = [d.DriveRow(name="Drive", along="y+", flow="0.01 m/s")] if side == "periodic" else []
        return cases.solve(cases.vacuum(room, bar, *drive)).summary["parts"]["Bar"]["mean"] - 300.0

    assert made("periodic") == pytest.approx(made("symmetry"), rel=2e-3)


def test_when_surfaces_radiate():
    """By itself where a gas rises; liquids let nothing through; without it the key is that of before."""
    air = _room()
    assert resolve(air, FIRST).surroundings.radiation
    still = edits.set_cell(FIRST, "Surroundings", "gravity", "0, 0, 0 m/s2").apply(air)
    water = edits.set_cell(FIRST, "Case", "fluid", "water").apply(air)
    none = edits.set_cell(FIRST, "Surroundings", "radiation", "none").apply(air)
    assert not any(resolve(x, FIRST).surroundings.radiation for x in (still, water, none))
    always = edits.set_cell(FIRST, "Surroundings", "radiation", "surfaces").apply(water)
    assert Job(always, FIRST, None, banded=False).prepared.case.radiating is None
    painted = edits.set_cell(FIRST, "Case", "finish", "white paint").apply(none)
    assert resolve(painted, FIRST).key() == resolve(none, FIRST).key() != resolve(air, FIRST).key()


def test_finishes_go_where_they_belong():
    """Of the material, the row, the patch and the group; a row of the project's own before the library."""
    document = _room(
        d.Block(name="Bare", at="10, 10, 10 mm", size="10, 10, 10 mm"),
        d.Block(name="Painted", at="30, 10, 10 mm", size="10, 10, 10 mm", finish="white paint"),
        d.Block(name="Own", at="50, 10, 10 mm", size="10, 10, 10 mm", finish="Lamp black"),
        d.Block(name="Metal", at="10, 30, 10 mm", size="10, 10, 10 mm", material="alloy"),
        d.MaterialRow(name="alloy"),
        d.FinishRow(name="Lamp black", emissivity="0.97"),
        d.WallPatch(name="Window", on="Case", side="z+", at="20, 20 mm", size="20, 20 mm", finish="glass"),
    )
    p = Job(document, FIRST, None, banded=False).prepared
    f = p.case.radiating
    seen = {}
    for m, name in enumerate(p.parts):
        seen[name] = set(np.round(f.emissivity[f.owner == m], 3))
    for m, s in enumerate(p.surfaces):
        seen[s.name] = set(np.round(f.emissivity[f.owner == -10 - m], 3))
    assert seen["Bare"] == {0.09}
    assert seen["Painted"] == {0.9}
    assert seen["Own"] == {0.97}
    assert seen["Metal"] == {0.15}
    assert seen["Window"] == {0.9}
    assert seen["Case x-"] == {0.9}
    glass = f.absorptivity[f.owner == -10 - [s.name for s in p.surfaces].index("Window")]
    assert set(glass) == {0.1}
    # all that faces the air, and nothing else
    area = sum(f.area[f.owner == m].sum() for m, n in enumerate(p.parts))
    assert area == pytest.approx(4 * 6e-4)
    assert f.area.sum() - area == pytest.approx(2 * (48 + 40 + 30) * 1e-4)


def test_patches_keep_planes_and_owners_apart():
    """No patch spans two owners or two ways to look; their number is what was wanted; areas add up."""
    document = _room(
        d.PlateFinSink(name="Sink", at="10, 10, 0 mm", size="60, 40, 30 mm"),
        d.Cylinder(name="Rod", at="20, 30, 35 mm", along="x", length="30 mm", diameter="8 mm"),
    )
    job = Job(document, FIRST, None, banded=False)
    f, r = job.prepared.case.radiating, job.run_.heat.radiation
    for number in range(r.count):
        on = r.patch == number
        assert len(set(f.owner[on])) == 1
        assert len(set(f.straight[on])) == 1
        if f.straight[on].all():
            assert len({*map(tuple, f.normal[on])}) == 1
            assert np.ptp(f.centre[on][:, int(f.axis[on][0])]) < 1e-9
    assert r.count == patches.patches_wanted(len(f))
    assert r.size.sum() == pytest.approx(f.area.sum())


def test_rays_meet_what_stands_in_their_way():
    """Traced rays against the planes of a box with a block in it: the face that a straight line meets first."""
    document = _room(d.Block(name="Block", at="30, 20, 20 mm", size="20, 20, 10 mm"))
    job = Job(document, FIRST, None, banded=False)
    r = job.run_.heat.radiation
    scene, f = r.scene, r.faces
    rng = np.random.default_rng(3)
    boxes = np.array([[0, 0, 0], [0.08, 0.06, 0.05]]), np.array([[0.03, 0.02, 0.02], [0.05, 0.04, 0.03]])
    checked = 0
    for _ in range(400):
        face = int(rng.integers(len(f)))
        p, way, i = np.zeros(3), np.zeros(3), np.zeros(3, np.int64)
        lines = scene.lines
        rays.start(
            *lines, scene.faces[0][face], int(f.axis[face]), f.centre[face], f.normal[face], True, 0.4, 0.7, p, i
        )
        cosine = rays.direct(f.normal[face], float(rng.random()), float(rng.random()), way)
        assert abs(float(way @ way) - 1.0) < 1e-12
        assert cosine == pytest.approx(float(way @ f.normal[face]))
        begin = p.copy()
        got = rays.trace(
            scene.n, scene.s, *lines, scene.meets, scene.owner, scene.faces[5], p, way.copy(), i, -77, 0.0, cosine
        )
        with np.errstate(divide="ignore", invalid="ignore"):
            far = np.max((boxes[0] - begin) / way, axis=0).min()
            t = np.sort((boxes[1] - begin) / way, axis=0)
        enter, leave = np.nanmax(t[0]), np.nanmin(t[1])
        end = enter if 1e-9 < enter < leave - 1e-9 else far
        where = begin + end * way
        a = int(f.axis[got])
        assert abs(f.centre[got][a] - where[a]) < 1e-9
        widths = [job.prepared.case.grid.widths[t][f.cell[got][t]] for t in range(3)]
        across = [t for t in range(3) if t != a]
        assert all(abs(f.centre[got][t] - where[t]) <= 0.5 * widths[t] + 1e-9 for t in across)
        checked += 1
    assert checked == 400


def test_what_is_read_of_radiation():
    """Net heat and share of a part, flux on its surface, mean radiant temperature; nothing where nothing radiates."""
    document = cases.vacuum(
        d.Enclosure(name="Room", size="60, 60, 60 mm", wall="0 mm", fluid="nothing", outside="300 K", finish="1"),
        d.Block(name="Block", at="20, 20, 20 mm", size="20, 20, 20 mm", material="plain", power="2 W", finish="0.8"),
        d.WatchRow(name="Away", quantity="radiated", of="Block"),
        d.WatchRow(name="Part", quantity="radiated share", of="Block"),
        d.WatchRow(name="Seen", quantity="mean radiant temperature", of="Block"),
    )
    result = cases.solve(document)
    found = {w.watch.name: w for w in watched(result, drawn(document, FIRST)[0])}
    assert found["Away"].value == pytest.approx(2.0, rel=1e-4)
    assert found["Part"].value == pytest.approx(1.0, abs=1e-3)
    assert found["Seen"].value == pytest.approx(300.0, abs=0.05)
    v = Values(result)
    flux = v.of("radiated flux")[v.walls.names == "Block"]
    assert (flux * v.walls.area[v.walls.names == "Block"]).sum() == pytest.approx(2.0, rel=1e-4)
    assert Quantities(result).wall("Block")["area"] == pytest.approx(2.4e-3)
    quiet = cases.solve(edits.set_cell(FIRST, "Surroundings", "radiation", "none").apply(document))
    assert quiet.summary["radiation"] is None
    with pytest.raises(Exception, match="Nothing radiates"):
        Values(quiet).of("radiated flux")


@pytest.mark.parametrize(
    ("row", "key", "text", "told"),
    [
        ("Block", "finish", "1.2", "between 0"),
        ("Block", "finish", "-0.1", "between 0"),
        ("Block", "finish", "shiny", "no finish"),
        ("Mine", "emissivity", "3", "between 0"),
        ("Case", "outside", "5 W/m2/K, radiating 2", "emissivity"),
        ("Case", "outside", "60 degC, radiating", "no coefficient"),
        ("Case", "outside", "5 W/m2/K, radiating 0.9 to warm", "warm"),
        ("Sun", "north", "z+", "upright"),
        ("Sun", "direction", "0, 0, 0", "no length"),
        ("Sun", "latitude", "95 deg", "pole"),
        ("Surroundings", "radiation", "none", "do not radiate"),
    ],
)
def test_what_cannot_be_is_told(row, key, text, told):
    """Each with its row, its cell and what to write."""
    document = _room(
        d.Block(name="Block", at="30, 20, 20 mm", size="20, 20, 10 mm", finish="Mine"),
        d.FinishRow(name="Mine"),
        d.SunRow(name="Sun"),
    )
    resolve(document, FIRST)
    with pytest.raises(SetupError) as error:
        resolve(edits.set_cell(FIRST, row, key, text).apply(document), FIRST)
    assert told in str(error.value)
    assert row in str(error.value) or row == "Surroundings"


@settings(max_examples=60, deadline=None)
@given(st.floats(-1.5, 1.5), st.integers(1, 365), st.floats(0.01, 23.99))
def test_the_sun_goes_its_way(latitude, day, hour):
    """A unit vector, highest at noon, as far before noon as after it; nothing comes at night."""
    up, north = (0.0, 0.0, 1.0), (0.0, 1.0, 0.0)
    sun = Sun("Sun", up, None, latitude, day, hour, north)
    way, direct, diffuse = sun.sends()
    assert abs(float(way @ way) - 1.0) < 1e-12
    noon = Sun("Sun", up, None, latitude, day, 12.0, north).towards()
    assert way[2] <= noon[2] + 1e-12
    other = Sun("Sun", up, None, latitude, day, 24.0 - hour, north).towards()
    assert np.allclose(other, way * (-1, 1, 1), atol=1e-9)
    assert (direct > 0.0) == (way[2] > 0.0)
    assert 0.0 <= direct < 1100.0
    assert 0.0 <= diffuse < 120.0


def test_the_sun_at_noon_of_midsummer():
    """58 degrees north, day 172: 55.45 degrees high, in the south; and it has moved an hour later."""
    sun = Sun("Sun", (0.0, 0.0, 1.0), None, np.radians(58.0))
    way = sun.towards()
    assert np.degrees(np.arcsin(way[2])) == pytest.approx(90.0 - 58.0 + 23.45, abs=0.02)
    assert way[1] < 0.0
    assert abs(way[0]) < 1e-12
    assert sun.towards(3600.0)[0] < -0.1  # in the west in the afternoon


@settings(max_examples=5, deadline=None)
@given(st.floats(4.0, 9.0), st.floats(11.0, 19.0), st.floats(11.0, 19.0), st.sampled_from(["x", "y", "z"]))
def test_round_walls_have_their_own_area(radius, p, q, along):
    """Wherever a rod stands on the grid, its faces add up to its lateral area, and look away from its axis."""
    axis = "xyz".index(along)
    centre = [p, q]
    centre.insert(axis, 0.0)
    size = [30, 30]
    size.insert(axis, 12)
    document = _room(
        d.Cylinder(
            name="Rod",
            at=", ".join(f"{x:.6f}" for x in centre) + " mm",
            along=along,
            length="12 mm",
            diameter=f"{2 * radius:.6f} mm",
        ),
        size=", ".join(map(str, size)) + " mm",
    )
    prepared = Job(document, FIRST, None, banded=False).prepared
    f = prepared.case.radiating
    on = f.owner == prepared.parts.index("Rod")
    assert f.area[on].sum() == pytest.approx(2 * np.pi * radius * 12e-6, rel=1e-4)
    across = [t for t in range(3) if t != axis]
    out = f.centre[on][:, across] - 1e-3 * np.array([p, q])
    far = np.linalg.norm(out, axis=1)
    assert far == pytest.approx(1e-3 * radius, rel=1e-5)
    assert (f.normal[on][:, across] * out).sum(axis=1) / far == pytest.approx(1.0, abs=1e-3)
    assert not f.straight[on].any()
    assert (f.skip[on] > 0).all()


def test_oblique_plates_have_their_own_area():
    """An upright diamond: its four faces add up to its perimeter times its height, each looking its own way."""
    document = _room(
        d.OutlineRow(name="Diamond", length="20 mm", points="30, 15; 45, 30; 30, 45; 15, 30 mm"), size="60, 60, 20 mm"
    )
    prepared = Job(document, FIRST, None, banded=False).prepared
    f = prepared.case.radiating
    on = f.owner == prepared.parts.index("Diamond")
    assert f.area[on].sum() == pytest.approx(4 * 15e-3 * np.sqrt(2.0) * 20e-3, rel=0.02)
    assert np.abs(f.normal[on][:, :2]) == pytest.approx(np.sqrt(0.5), abs=1e-3)


def test_a_block_cools_by_radiation_alone():
    """C dT/dt = -eps sigma A (T^4 - T0^4) in a black room, against an integrated curve."""
    from scipy.integrate import solve_ivp

    document = cases.vacuum(
        d.Enclosure(name="Room", size="60, 60, 60 mm", wall="0 mm", fluid="nothing", outside="300 K", finish="1"),
        d.Block(
            name="Block",
            at="20, 20, 20 mm",
            size="20, 20, 20 mm",
            material="plain",
            finish="0.8",
            starts="600 K",
            cells="3",
        ),
        d.RunRow(name="Run", time="600 s", step="20 s", save_every="200 s"),
    )
    result = cases.solve(document)
    capacity, area = 8e-6 * 2700.0 * 900.0, 6 * 4e-4
    curve = solve_ivp(lambda _, t: -0.8 * SIGMA * area * (t**4 - 300.0**4) / capacity, (0.0, 600.0), [600.0], rtol=1e-8)
    end = result.summary["parts"]["Block"]["mean"]
    assert end == pytest.approx(float(curve.y[0, -1]), abs=0.8)
    assert abs(result.summary["heat_imbalance"]) < 1e-3 * abs(result.summary["stored"])


def test_the_sun_moves_in_a_run_in_time():
    """From ten o'clock on a plate under the open sky takes up more and more, by the sun's own path."""
    document = d.Document(
        rows=(
            d.Enclosure(name="Yard", size="60, 60, 40 mm", wall="0 mm", outside="1000 W/m2/K", finish="1"),
            d.Block(name="Plate", at="0, 0, 0 mm", size="60, 60, 4 mm", finish="Dark", power="20 degC"),
            d.FinishRow(name="Dark", emissivity="0.9", absorptivity="1"),
            d.Opening(name="Sky", on="Yard", side="z+", at="0, 0 mm", size="60, 60 mm"),
            d.SunRow(name="Sun", hour="10", diffuse="0 W/m2", intensity="900 W/m2"),
            d.Surroundings(name="Surroundings", ambient="20 degC", flow="laminar", radiation="surfaces"),
            d.GridRow(name="Grid", detail="quick"),
            d.RunRow(name="Run", time="2 h", step="30 min", hold_flow="2 h", save_every="1 h"),
        )
    )
    job = Job(document, FIRST, None, banded=False)
    job.run()
    r, f = job.run_.heat.radiation, job.prepared.case.radiating
    way = job.prepared.case.sun.towards(7200.0)
    plate = f.owner == job.prepared.parts.index("Plate")
    top = plate & (f.normal[:, 2] > 0.5)
    assert way[2] == pytest.approx(np.sin(np.radians(90.0 - 58.0 + 23.45)), abs=1e-3)
    # the yard's wall of 36 mm throws a shadow of its own height over the slope
    long = 36.0 * np.hypot(way[0], way[1]) / way[2]
    lit = 900.0 * way[2] * f.area[top].sum() * (1.0 - long / 60.0)
    assert r.sun[top].sum() == pytest.approx(lit, rel=0.06)


def test_an_exchange_is_kept_by_geometry(tmp_path, monkeypatch):
    """The second run of a geometry casts no rays; another emissivity does not ask for new ones; a broken file does. Who
    listens hears how far it is."""
    monkeypatch.setattr(patches.platformdirs, "user_cache_dir", lambda _: str(tmp_path))
    document = _room(d.Block(name="Block", at="20, 20, 10 mm", size="20, 20, 20 mm", finish="0.5"))
    calls = []
    real = patches.cast
    monkeypatch.setattr(patches, "cast", lambda *a, **k: calls.append(1) or real(*a, **k))
    heard: list[float] = []
    monkeypatch.setattr(patches, "LISTENERS", [heard.append])
    first = Job(document, FIRST, None, banded=False).run_.heat.radiation
    assert len(heard) > 5
    assert heard == sorted(heard)
    assert heard[-1] == 1.0
    again = Job(document, FIRST, None, banded=False).run_.heat.radiation
    assert len(calls) == 1
    assert np.array_equal(first.exchange.matrix.toarray(), again.exchange.matrix.toarray())
    painted = edits.set_cell(FIRST, "Block", "finish", "0.8").apply(document)
    Job(painted, FIRST, None, banded=False)
    assert len(calls) == 1
    (kept,) = (tmp_path / "exchange").glob("*.npz")
    kept.write_bytes(b"nothing of use")
    Job(document, FIRST, None, banded=False)
    assert len(calls) == 2
    moved = edits.set_cell(FIRST, "Block", "at", "22, 20, 10 mm").apply(document)
    Job(moved, FIRST, None, banded=False)
    assert len(calls) == 3


@settings(max_examples=6, deadline=None, phases=(Phase.explicit, Phase.generate))
@given(
    st.floats(0.5, 50.0),
    st.floats(0.0, 1.0),
    st.floats(150.0, 330.0),
    st.floats(260.0, 320.0),
    st.floats(0.05, 4.0),
    st.booleans(),
)
def test_an_outside_gives_by_film_and_by_radiation(film, emissivity, sky, ambient, power, lit):
    """Whatever film, emissivity, sky, load and sun: h (T - Ta) + eps sigma (T^4 - Tsky^4) = q + alpha I at its face."""
    sun = [d.SunRow(name="Sun", direction="0, 0, 1", intensity="700 W/m2", diffuse="0 W/m2")] if lit else []
    document = d.Document(
        rows=(
            d.MaterialRow(name="plain", conductivity="80 W/m/K"),
            d.FinishRow(name="Mine", emissivity="0.5", absorptivity="0.4"),
            d.Enclosure(
                name="Box",
                size="40, 40, 8 mm",
                wall="0 mm",
                outside="adiabatic",
                finish="Mine",
                sides=f"z+: {film:.6f} W/m2/K, radiating {emissivity:.6f} to {sky:.4f} K",
            ),
            d.Block(name="Plate", size="40, 40, 8 mm", material="plain", power=f"{power:.6f} W"),
            *sun,
            d.Surroundings(name="Surroundings", ambient=f"{ambient:.4f} K", radiation="surfaces"),
            d.GridRow(name="Grid", coarsest="20 mm", across_gaps="1", across_solids="4", growth="2", at_walls="0 mm"),
        )
    )
    result = cases.solve(document)
    flux = power / 0.0016 + (0.4 * 700.0 if lit else 0.0)
    exact = brentq(
        lambda t: film * (t - ambient) + emissivity * SIGMA * (t**4 - sky**4) - flux, 1.0, 20000.0, xtol=1e-10
    )
    assert result.faces[2, 1][:, :, -1].mean() == pytest.approx(exact, abs=2e-3 * max(exact - ambient, 1.0))
    assert -result.summary["walls"]["Box z+"] == pytest.approx(-power, rel=1e-3)


@pytest.mark.parametrize("emissivity", [0.1, 0.7])
def test_a_sheet_thinner_than_a_cell_shields(tmp_path, emissivity):
    """A sheet between two plates in vacuum is a shield: q = sigma (T1^4 - T2^4) / (2 / e - 1 + 2 / es - 1); what it
    takes on one side it gives on the other."""
    import trimesh

    square = np.array([[9.3, -2, -2], [9.3, 24, -2], [9.3, 24, 24], [9.3, -2, 24]], float)
    trimesh.Trimesh(square, [[0, 1, 2], [0, 2, 3]], process=False).export(tmp_path / "sheet.stl")
    document = cases.vacuum(
        d.Enclosure(
            name="Box",
            size="20, 20, 20 mm",
            wall="0 mm",
            fluid="nothing",
            outside="adiabatic",
            finish="0.8",
            sides="x-: 500 K; x+: 300 K; y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
        )
    )
    files.save(document, tmp_path)
    project = api.open_project(tmp_path)
    project.take_in(tmp_path / "sheet.stl")
    cells = (("shell", "sheet 0.5 mm"), ("material", "plain"), ("finish", f"{emissivity}"))
    edit = edits.many("sheet", [edits.set_cell(FIRST, "sheet", k, v) for k, v in cells])
    result = api.Project(edit.apply(project.document), tmp_path).solve()
    exact = SIGMA * (500.0**4 - 300.0**4) / (2 / 0.8 - 1 + 2 / emissivity - 1)
    assert result.summary["walls"]["Box x+"] / 4e-4 == pytest.approx(exact, rel=2e-3)
    assert -result.summary["walls"]["Box x-"] / 4e-4 == pytest.approx(exact, rel=2e-3)
    assert result.summary["radiation"]["closure"] < 1e-6
    rows = {(r["from"], r["to"]): r["heat"] for r in result.summary["heat_path"] if r.get("by") == "radiation"}
    assert rows["Box x-", "sheet"] == pytest.approx(exact * 4e-4, rel=2e-3)
    assert rows["sheet", "Box x+"] == pytest.approx(exact * 4e-4, rel=2e-3)
