"""Sinks, ducts, partitions and potting: exact volumes within their boxes, refusals with what fits, on the grid."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api
from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.mesh.build import build
from stithy.model.mass import mass
from stithy.read import measure
from stithy.shapes import facets, solids

ROOM = d.Enclosure(name="Room", at="-100, -100, -100 mm", size="600, 500, 400 mm", wall="0 mm")
UP = st.sampled_from(["z+", "z-", "x+", "y-"])
mm = st.floats(20.0, 60.0).map(lambda x: round(x, 2))


def made(row: d.Row):
    document = d.Document(name="Made", rows=(ROOM, row, d.GridRow(name="Grid")))
    (solid,) = resolve(document, "First layout").solids
    return solid


def refused(row: d.Row) -> str:
    document = d.Document(name="Made", rows=(ROOM, row, d.GridRow(name="Grid")))
    with pytest.raises(SetupError) as error:
        resolve(document, "First layout")
    return " ".join(map(str, error.value.problems))


def volume(solid) -> float:
    """mm3, of a form or of boxes that do not overlap."""
    if solid.form is not None:
        return facets.volume(solid.form) * 1e9
    return sum(float(np.prod([b - a for a, b in box])) for box in solid.boxes) * 1e9


def cells(up: str, run: float, wide: float, tall: float) -> dict[str, str]:
    """Size, channels and direction so that channels run ``run``, fins stand over ``wide`` and ``tall``."""
    stands = "xyz".index(up[0])
    runs, across = [a for a in range(3) if a != stands]
    size = [0.0] * 3
    size[runs], size[across], size[stands] = run, wide, tall
    return {"size": ", ".join(f"{x:.4f}" for x in size) + " mm", "along": "xyz"[runs], "up": up}


def inside(solid, run, wide, tall, up) -> bool:
    stands = "xyz".index(up[0])
    runs, across = [a for a in range(3) if a != stands]
    limit = {runs: run, across: wide, stands: tall}
    return all(-1e-9 <= solid.bounds[a][0] and solid.bounds[a][1] <= 1e-3 * limit[a] + 1e-9 for a in range(3))


@settings(max_examples=40, deadline=None)
@given(mm, mm, st.integers(2, 12), st.integers(0, 40), UP)
def test_flared_sinks(run, wide, fins, angle, up):
    """Base and leaning fins; what leaves no base is refused with the most that fits."""
    row = d.FlaredSink(
        name="Sink", base="4 mm", fins=str(fins), fin="0.8 mm", flare=f"{angle} deg", **cells(up, run, wide, 20)
    )
    foot = wide - 2 * 16 * np.tan(np.radians(angle))
    if foot <= 1.6:
        assert "At most" in refused(row)
        return
    if fins * 0.8 >= foot:
        assert "leave no channel" in refused(row)
        return
    solid = made(row)
    assert volume(solid) == pytest.approx(run * (foot * 4 + fins * 0.8 * 16), rel=1e-3)
    assert inside(solid, run, wide, 20, up)


@settings(max_examples=40, deadline=None)
@given(mm, mm, st.integers(2, 20), st.booleans(), UP)
def test_folded_sinks(run, wide, fins, plate, up):
    """A sheet has the volume of its legs and of what joins them; both plates that of plates."""
    row = d.FoldedSink(
        name="Sink",
        base="2 mm",
        fins=str(fins),
        fin="0.5 mm",
        closed="plate" if plate else "open",
        **cells(up, run, wide, 15),
    )
    tall, pitch = 15 - 2 * (2 if plate else 1), (wide - 0.5) / (fins - 1)
    solid = made(row)
    sheet = fins * 0.5 * tall + (fins - 1) * (pitch - 0.5) * 0.5
    assert volume(solid) == pytest.approx(run * (wide * 2 * (2 if plate else 1) + sheet), rel=1e-4)
    assert inside(solid, run, wide, 15, up)
    assert "no room for folds" in refused(row.model_copy(update={"fin": "6 mm"}))


@settings(max_examples=40, deadline=None)
@given(mm, mm, st.integers(1, 12), st.integers(0, 6), st.floats(0.5, 12.0), UP)
def test_slotted_sinks(run, wide, fins, slots, slot, up):
    row = d.SlottedSink(
        name="Sink",
        base="3 mm",
        fins=str(fins),
        fin="1 mm",
        slots=str(slots),
        slot=f"{slot:.3f} mm",
        **cells(up, run, wide, 20),
    )
    cut = slots * round(slot, 3)
    if cut >= run:
        assert "leave no fin" in refused(row)
        return
    solid = made(row)
    assert volume(solid) == pytest.approx(run * wide * 3 + fins * 17 * (run - cut), rel=1e-6)
    assert len(solid.boxes) == 1 + fins * (slots + 1)
    assert inside(solid, run, wide, 20, up)


@settings(max_examples=40, deadline=None)
@given(mm, st.floats(1.5, 15.0).map(lambda x: round(x, 2)))
def test_fins_by_pitch(wide, pitch):
    """As many as come nearest to a pitch, flush with both edges."""
    by_pitch = d.PlateFinSink(name="Sink", size=f"40, {wide}, 20 mm", fins=f"{pitch} mm", fin="1 mm")
    count = round((wide - 1) / pitch) + 1
    if count >= wide:
        return
    solid = made(by_pitch)
    assert solid.boxes == made(by_pitch.model_copy(update={"fins": str(max(count, 1))})).boxes
    assert "no more than the fin" in refused(by_pitch.model_copy(update={"fins": "1 mm"}))


@settings(max_examples=30, deadline=None)
@given(
    st.integers(8, 30),
    st.integers(8, 30),
    st.integers(8, 30),
    st.integers(8, 30),
    st.booleans(),
    st.sampled_from([0, 1, 2]),
)
def test_ducts(a, b, c, e, round_, axis):
    """Straight, from one section to another: the volume of its walls is what is outside less what is inside."""
    end = [0, 0, 0]
    end[axis] = 80
    size = f"{a}; {c} mm" if round_ else f"{a}, {b}; {c}, {e} mm"
    row = d.Duct(
        name="Duct",
        points=f"0, 0, 0; {end[0]}, {end[1]}, {end[2]} mm",
        section="round" if round_ else "rectangular",
        size=size,
        wall="2 mm",
    )

    def within(more):
        (p, q), (s, t) = ((a, a), (c, c)) if round_ else ((a, b), (c, e))
        p, q, s, t = p + more, q + more, s + more, t + more
        return 80 * (2 * p * q + 2 * s * t + p * t + q * s) / 6 * (np.pi / 4 if round_ else 1)

    assert volume(made(row)) == pytest.approx(within(4) - within(0), rel=1e-4)


def test_ducts_bend():
    """A bend has its section times its middle's length (Pappus); on the grid it has its walls."""
    row = d.Duct(name="Duct", points="0, 0, 0; 80, 0, 0; 80, 80, 0 mm", bend="30 mm", size="20, 12 mm", wall="2 mm")
    solid = made(row)
    middle = 2 * 50 + np.pi / 2 * 30
    assert volume(solid) == pytest.approx((24 * 16 - 20 * 12) * middle, rel=2e-3)
    assert "At least 12 mm" in refused(row.model_copy(update={"bend": "11 mm"}))
    assert "nothing straight" in refused(row.model_copy(update={"bend": "90 mm"}))
    assert "no size of a duct" in refused(row.model_copy(update={"size": "0, 12 mm"}))
    document = d.Document(name="Made", rows=(ROOM, row, d.GridRow(name="Grid", coarsest="3 mm")))
    built = build(resolve(document, "First layout"))
    walls = built.grid.volumes()[built.kind != 0].sum() * 1e9
    assert walls == pytest.approx(volume(solid), rel=0.15)
    passage = row.model_copy(update={"material": "fluid"})
    block = d.Block(name="Block", at="-20, -40, -30 mm", size="140, 140, 60 mm")
    document = d.Document(name="Made", rows=(ROOM, block, passage, d.GridRow(name="Grid", coarsest="3 mm")))
    (found,) = resolve(document, "First layout").passages
    assert facets.volume(found.form) * 1e9 == pytest.approx(20 * 12 * middle, rel=2e-3)


WINDOW = st.tuples(st.integers(2, 40), st.integers(2, 40), st.integers(5, 50), st.integers(5, 40))


@settings(max_examples=40, deadline=None)
@given(st.lists(WINDOW, max_size=3), st.sampled_from("xyz"))
def test_partitions(windows, axis):
    """The wall has what its windows leave, which may overlap; without any it makes two rooms."""
    case = d.Enclosure(name="Case", size="104, 104, 104 mm", wall="2 mm")
    text = "; ".join(f"{a}, {b}, {c}, {e}" for a, b, c, e in windows) + (" mm" if windows else "")
    row = d.Partition(name="Wall", on="Case", across=axis, at="60 mm", thick="3 mm", windows=text)
    document = d.Document(rows=(case, row, d.GridRow(name="Grid", coarsest="10 mm")))
    if any(a + c > 102 or b + e > 102 for a, b, c, e in windows):
        with pytest.raises(SetupError, match="Keep them within 2 to 102"):
            resolve(document, "First layout")
        return
    model = resolve(document, "First layout")
    wall = next(s for s in model.solids if s.name == "Wall")
    open_ = np.zeros((104, 104), bool)
    for a, b, c, e in windows:
        open_[a : a + c, b : b + e] = True
    assert volume(wall) == pytest.approx(3 * (100 * 100 - open_.sum()), rel=1e-9)
    if not windows:
        assert len(api.Project(document, None).spaces()) == 2


def test_a_partition_beyond_its_enclosure_is_refused():
    case = d.Enclosure(name="Case", size="100, 100, 100 mm", wall="2 mm")
    row = d.Partition(name="Wall", at="97 mm", thick="3 mm")
    with pytest.raises(SetupError, match="Give 2 to 95 mm"):
        resolve(d.Document(rows=(case, row)), "First layout")


def test_potting_leaves_what_stands_in_it():
    """Of a box of compound round a component the grid has the rest; the component has its own place."""
    case = d.Enclosure(name="Case", size="100, 80, 60 mm", wall="2 mm")
    chip = d.Block(name="Chip", at="30, 30, 2 mm", size="20, 10, 6 mm", material="copper", power="1 W")
    pot = d.Potting(name="Potting", at="10, 10, 2 mm", size="80, 60, 20 mm", along="40, 0.5, 0.5 W/m/K")
    model = resolve(d.Document(rows=(case, chip, pot, d.GridRow(name="Grid"))), "First layout")
    built = build(model)
    volumes = built.grid.volumes()
    found = {n: volumes[built.owner == m].sum() * 1e9 for m, n in enumerate(built.parts)}
    assert found["Chip"] == pytest.approx(1200, rel=1e-6)
    assert found["Potting"] == pytest.approx(80 * 60 * 20 - 1200, rel=1e-6)
    assert next(s for s in model.solids if s.name == "Potting").k == pytest.approx((40, 0.5, 0.5))


def test_radiating_surface_is_told():
    """A sink of plates radiates to the outside as its box does, whatever its fins."""
    row = d.PlateFinSink(name="Sink", size="40, 30, 20 mm")
    document = d.Document(rows=(ROOM, row, d.GridRow(name="Grid")))
    told = {m.what: m.value for m in measure.part(resolve(document, "First layout"), "Sink")}
    assert told["surface seen from outside"] == pytest.approx(2e-6 * (40 * 30 + 40 * 20 + 30 * 20))
    assert told["surface"] > 2 * told["surface seen from outside"]


# closed forms of what stands on a base, winds or lies in a row; all in mm3

ROUND = 0.012  # what circles of straight pieces may lose


@settings(max_examples=30)
@given(mm, mm, mm, st.integers(1, 14), st.floats(0.3, 1.5), st.floats(1.0, 5.0), UP)
def test_plate_fins(run, wide, tall, fins, fin, base, up):
    """Base and fins, whichever way they stand; too many are refused with what fits."""
    fin, base = round(fin, 3), round(base, 3)
    row = d.PlateFinSink(name="Made", base=f"{base} mm", fins=str(fins), fin=f"{fin} mm", **cells(up, run, wide, tall))
    if fins * fin >= wide:
        assert "no channel" in refused(row)
        return
    solid = made(row)
    assert volume(solid) == pytest.approx(run * wide * base + fins * fin * run * (tall - base), rel=1e-5)
    assert inside(solid, run, wide, tall, up)


@settings(max_examples=30)
@given(
    mm,
    mm,
    st.integers(2, 7),
    st.integers(2, 7),
    st.booleans(),
    st.booleans(),
    UP,
    st.floats(1.0, 2.5),
    st.floats(9, 30),
)
def test_pins(long, wide, rows, each, round_, staggered, up, pin, tall):
    """Pins square or round, in line or staggered (every other row has one fewer), on a base of 3 mm."""
    pin, tall = round(pin, 3), round(tall, 2)
    row = d.PinFinSink(
        name="Made",
        base="3 mm",
        pins=f"{rows}, {each}",
        pin=f"{pin} mm",
        shape="round" if round_ else "square",
        pattern="staggered" if staggered else "in line",
        up=up,
        size=cells(up, long, wide, tall)["size"],
    )
    solid = made(row)
    count = rows * each - (rows // 2 if staggered else 0)
    area = np.pi / 4 * pin**2 if round_ else pin**2
    expected = long * wide * 3.0 + count * area * (tall - 3.0)
    assert volume(solid) == pytest.approx(expected, rel=1e-5 if not round_ else ROUND)


@settings(max_examples=30)
@given(st.integers(1, 6), st.integers(1, 5), st.booleans(), st.integers(0, 8), st.sampled_from("xyz"), st.floats(4, 14))
def test_tube_banks(rows, each, staggered, fins, along, wide):
    """Bars, and plate fins as large as the field of all pitches less what the bars take of them."""
    wide = round(wide, 2)
    row = d.TubeBank(
        name="Made",
        along=along,
        length="60 mm",
        pattern="staggered" if staggered else "in line",
        tubes=f"{rows}, {each}",
        pitch="22, 25 mm",
        diameter=f"{wide} mm",
        fins=str(fins),
        fin="0.5 mm",
    )
    bars, field = rows * each * np.pi / 4 * wide**2, rows * 22 * each * 25
    expected = bars * 60.0 + fins * 0.5 * (field - bars)
    assert volume(made(row)) == pytest.approx(expected, rel=ROUND)


@settings(max_examples=30)
@given(st.integers(1, 8), st.floats(30, 150), UP)
def test_ribs(count, angle, up):
    """Whatever their angle, slanted ribs that lean in from beyond the ends take as much as they would of an endless
    row; those that leave no gap are refused."""
    row = d.Ribs(
        name="Made", count=str(count), rib="3 mm", angle=f"{angle:.3f} deg", up=up, size=cells(up, 100, 30, 4)["size"]
    )
    runs = [a for a in "xyz" if a != up[0]][0]
    spans = dict(zip("xyz", (float(x) for x in row.size.replace(" mm", "").split(",")), strict=True))
    along, across = spans[runs], 30.0 if spans[runs] == 100 else 100.0
    thick = 3.0 / np.sin(np.radians(round(angle, 3)))
    if count * thick >= along:
        assert "no gap" in refused(row)
        return
    expected = count * thick * across * 4.0
    assert volume(made(row)) == pytest.approx(expected, abs=0.03 * thick * across * 4.0)


@settings(max_examples=30)
@given(st.integers(1, 6), st.floats(12.0, 30.0), st.floats(60.0, 120.0), st.sampled_from([0.0, 5.0]))
def test_coils(passes, pitch, long, bore):
    """The section times the middle line: straight passes, and half circles between them (Pappus)."""
    pitch, long = round(pitch, 2), round(long, 2)
    row = d.Coil(
        name="Made", length=f"{long} mm", passes=str(passes), pitch=f"{pitch} mm", diameter="8 mm", bore=f"{bore} mm"
    )
    line = passes * long - (passes - 1) * pitch + (passes - 1) * np.pi * pitch / 2
    solid = made(row)
    assert solids.length(solid.form) * 1e3 == pytest.approx(line, rel=1e-9)
    assert solids.material_volume(solid.form) * 1e9 == pytest.approx(np.pi / 4 * (64 - bore**2) * line, rel=1e-9)


@settings(max_examples=30)
@given(st.integers(1, 6), st.floats(4.0, 9.0), st.sampled_from(["round", "square"]))
def test_winding_channels(passes, width, turns):
    """A serpentine takes its width and depth along its middle line: to and fro, and a pitch at each turn; where turns
    are round, less what their corners save."""
    width = round(width, 2)
    row = d.ChannelPlate(
        name="Made",
        size="160, 80, 12 mm",
        channels="serpentine",
        passes=str(passes),
        width=f"{width} mm",
        depth="6 mm",
        floor="2 mm",
        turns=turns,
    )
    pitch = 80.0 / passes
    edge = max(pitch / 2, 0.75 * width) if passes > 1 else 0.0
    line = passes * (160.0 - 2 * edge) + 2 * edge + (passes - 1) * pitch
    taken = 160.0 * 80.0 * 12.0 - volume(made(row))
    if turns == "round":
        reach = 0.98 * min(pitch / 2, edge)
        line -= 2 * (passes - 1) * (2 - np.pi / 2) * reach
    assert taken == pytest.approx(line * width * 6.0, rel=0.01 if turns == "round" else 1e-5)


@settings(max_examples=20)
@given(
    row=st.sampled_from(
        [
            d.Cylinder(name="Made", at="0, 20, 20 mm", along="x", length="40 mm", diameter="16 mm", bore="10 mm"),
            d.Cylinder(name="Made", at="20, 20, 0 mm", along="z", length="30 mm", diameter="20 mm"),
            d.PerforatedPlate(name="Made", size="60, 40, 2 mm"),
            d.PinFinSink(name="Made", shape="round", pattern="staggered"),
            d.TubeBank(name="Made", fins="3"),
            d.Ribs(name="Made"),
        ]
    ),
    coarsest=st.sampled_from(["3 mm", "4 mm", "6 mm"]),
)
def test_what_is_painted_weighs_what_it_should(row, coarsest):
    """Cells of a part have the volume of its shape, to what half a cell on its surface is; and the mass told is its
    density times its own volume."""
    grid = d.GridRow(name="Grid", coarsest=coarsest, across_solids="2")
    room = d.Enclosure(name="Room", at="-5, -5, -5 mm", size="140, 90, 75 mm", wall="0 mm")
    model = resolve(d.Document(name="Made", rows=(room, row, grid)), "First layout")
    (solid,) = model.solids
    own = solids.material_volume(solid.form) if solid.form is not None else volume(solid) * 1e-9
    assert mass(model) == pytest.approx(own * solid.rho, rel=1e-6)
    built = build(model)
    painted = float(built.grid.volumes()[built.owner == built.parts.index("Made")].sum())
    skin = solids.surface_area(solid.form) if solid.form is not None else 0.0
    assert painted == pytest.approx(own, abs=0.25 * skin * 1e-3 * float(coarsest.split()[0]) + 1e-12)
