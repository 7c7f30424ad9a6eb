"""A bath that boils: closed forms, balances of random baths, walls against correlations, what is told and refused."""

from __future__ import annotations

import h5py
import ht
import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.equations import boiling_wall
from stithy.errors import SetupError, StithyError
from stithy.kinds.assembly import problems
from stithy.mesh.gridding import grid_lines
from stithy.project import edits, library
from stithy.read.band import Bands
from stithy.read.quantities import Quantities
from stithy.setup.prepare import prepare
from stithy.solution import store
from stithy.solve.job import Job
from verification import boiling

FIRST = "First layout"


def bath(power: str = "40 W", run=None, where=None, board=None, **tank: str) -> d.Document:
    """A heater in a small open tank, 1 K below saturation."""
    cells = {"fluid": "fluoroketone", "level": "40 mm", "starts": "48 degC", "outside": "adiabatic", "wall": "0 mm"}
    return d.Document(
        rows=(
            d.Enclosure(name="Tank", size="60, 40, 60 mm", **(cells | tank)),
            d.Block(
                name="Heater",
                **{
                    **dict(
                        at="25, 15, 8 mm", size="10, 10, 15 mm", material="aluminium", power=power, starts="48 degC"
                    ),
                    **(board or {}),
                },
            ),
            d.Opening(name="Top", on="Tank", side="z+", at="0, 0 mm", size="60, 40 mm", flow="ambient"),
            d.WatchRow(name="Hottest", quantity="temperature", of="Heater", most="80 degC"),
            d.WatchRow(name="Vapour", quantity="vapour volume"),
            d.WatchRow(name="Leaves", quantity="venting"),
            d.WatchRow(name="Nearest", quantity="share of critical flux", of="Heater"),
            d.Surroundings(name="Surroundings", ambient="25 degC", **(where or {})),
            d.GridRow(name="Grid", coarsest="6 mm", across_gaps="3", at_walls=""),
            d.RunRow(name="Run", **({"time": "4 s", "save_every": "2 s"} | (run or {}))),
        )
    )


def solved(document: d.Document, layout: str = FIRST):
    """A run of a layout and its solution, nothing stored."""
    job = Job(document, layout)
    return job, job.run()


@pytest.fixture(scope="module")
def boils():
    """The small bath, once."""
    return solved(bath())


def test_closed_forms():
    """Separation of a mixture, a batch that boils away, superheat that decays: no step too long, nothing lost."""
    for courant in (0.5, 20.0):
        low, high = boiling.separation(100, courant)
        assert low.ours == pytest.approx(0.48, abs=0.004)
        assert high.ours == pytest.approx(0.88, abs=0.004)
    assert boiling.batch(0.02).error == pytest.approx(0.0, abs=2e-3)
    assert boiling.decay(0.02).error == pytest.approx(0.0, abs=0.03)


@given(
    drive=st.floats(0.5, 60.0),
    rest=st.floats(0.0, 5e-3),
    name=st.sampled_from(["water", "fluoroketone", "perfluorohexane"]),
)
@settings(deadline=None)
def test_flux_behind_a_resistance(drive, rest, name):
    """The flux that a wall's correlation and the solid behind it agree upon, and its slope."""
    f = library.fluid(name, 298.15, 101325.0)
    b = f.boiling
    c = boiling_wall.cooper(b.pressure / b.critical_pressure, b.molar_mass * 1e3)
    most = boiling_wall.critical_flux(b.latent, b.density, f.rho, b.surface_tension, 9.81)
    q, slope = boiling_wall.flux(drive, rest, c, most)
    over = drive - q * rest
    assert q > 0.0
    assert over > 0.0
    if q < most:
        known = ht.Cooper(P=b.pressure, Pc=b.critical_pressure, MW=b.molar_mass * 1e3, Te=over)
        assert q == pytest.approx(known * over, rel=2e-3)
    near, _ = boiling_wall.flux(drive * 1.0001, rest, c, most)
    assert (near - q) * slope == pytest.approx(1e-4 * drive, rel=2e-2)


def test_critical_flux_is_zubers():
    """As the library of correlations has it."""
    f = library.fluid("water", 298.15, 101325.0)
    b = f.boiling
    found = boiling_wall.critical_flux(b.latent, b.density, f.rho, b.surface_tension, 9.80665)
    zuber = ht.Zuber(sigma=b.surface_tension, Hvap=b.latent, rhol=f.rho, rhog=b.density, K=0.131)
    assert found == pytest.approx(zuber, rel=1e-3)


def _keeps(power, level, start, name, outside):
    """Whatever boils: mass to 1e-8, heat to 0.1 % of the load, shares of vapour from 0 to 1."""
    document = bath(
        f"{power:.2f} W",
        {"time": "2 s", "save_every": ""},
        fluid=name,
        level=f"{level:.1f} mm",
        starts=f"{start:.1f} degC",
        outside=outside,
        board={"starts": f"{start:.1f} degC"},
    )
    _, result = solved(document)
    table, share = result.summary["bath"], result.extra["vapour share"]
    assert table["mass_error"] < 1e-8
    assert abs(result.summary["heat_imbalance"]) < 1e-3 * power
    assert share.min() >= -1e-5
    assert share.max() <= 1 + 1e-5


#: heat loads (W), levels (mm), temperatures at the start (degC), liquids and outsides of baths
BATHS = {
    "power": st.floats(5.0, 90.0),
    "level": st.floats(28.0, 52.0),
    "start": st.floats(40.0, 49.0),
    "name": st.sampled_from(["fluoroketone", "perfluorohexane"]),
    "outside": st.sampled_from(["adiabatic", "50 W/m2/K"]),
}


@settings(
    max_examples=3, deadline=None, suppress_health_check=list(HealthCheck), phases=(Phase.explicit, Phase.generate)
)
@given(**BATHS)
def test_random_baths_keep_mass_and_heat(power, level, start, name, outside):
    """Three, other ones every time."""
    _keeps(power, level, start, name, outside)


@pytest.mark.verify
@settings(
    max_examples=30, deadline=None, suppress_health_check=list(HealthCheck), phases=(Phase.explicit, Phase.generate)
)
@given(**BATHS)
def test_many_random_baths(power, level, start, name, outside):
    """Thirty of them."""
    _keeps(power, level, start, name, outside)


def test_a_bath_boils_by_itself(boils):
    """Heated below saturation with the level still, then with vapour: the heater stays near to what Cooper has."""
    job, result = boils
    s, table = result.summary, result.summary["bath"]
    assert s["settled"]
    assert 0.0 < table["began"] < 4.0
    assert table["parts"]["Heater"]["boils"] == pytest.approx(40.0, rel=0.1)
    area = job.run_.bath.walls.area.sum()
    over = (40.0 / area) ** 0.33 / table["nucleate"]
    wall = float(np.nanmean(result.walls.temperature[result.walls.names.index("Heater") == result.walls.name]))
    assert wall - table["saturation"] == pytest.approx(over, rel=0.15)
    flux = 40.0 / area / table["critical_flux"]
    assert table["parts"]["Heater"]["share"] == pytest.approx(flux, rel=0.15)
    assert table["vapour_volume"] > 0.0
    assert table["series"]["time"][-1] == pytest.approx(4.0)
    # a swelling bath lets gas out, no liquid
    flow = s["ends"]["Top"]
    assert abs(flow["mass_flow"]) < 30.0 * abs(flow["volume_flow"])
    # what walls tell is what the balance has
    into = result.walls.heat[result.walls.name == result.walls.names.index("Heater")].sum()
    path = sum(x["heat"] for x in s["heat_path"] if x["from"] == "Heater")
    assert into == pytest.approx(path, rel=1e-4)


def test_what_is_read_of_a_bath(boils):
    """Quantities, watches with their bands, a hand calculation beside; the command line reads the same."""
    from stithy.kinds.drawing import drawn
    from stithy.read.bath import in_time, walls
    from stithy.read.values import Values
    from stithy.read.watches import watched

    _, result = boils
    v = Values(result)
    assert np.nanmax(v.of("vapour share")) == pytest.approx(1.0, abs=1e-3)
    liquid = v.of("vapour share") < 0.5
    assert np.nanmax(v.of("superheat")[liquid]) < 3.0
    flux = v.of("boiling flux")
    assert np.nanmax(flux) > 0.5 * 40.0 / 7e-4
    rows, faults = drawn(bath(), FIRST)
    assert not faults
    found = {x.watch.name: x for x in watched(result, rows)}
    table = result.summary["bath"]
    assert found["Vapour"].value == table["vapour_volume"]
    assert found["Vapour"].banded.band == pytest.approx(0.3 * table["vapour_volume"])
    assert found["Nearest"].value == table["parts"]["Heater"]["highest"]
    hand = found["Hottest"].hand
    assert hand.low < found["Hottest"].value < hand.high
    times, rose = in_time(result.summary, "level")
    assert len(times) == len(rose) > 50
    assert walls(result.summary)[0].name == "Heater"
    assert any("volumes of vapour within ±30%" in n for n in result.summary["trust"]["notes"])


def _alike(one: dict, other: dict) -> None:
    """What is told of two runs of one bath is the same but for where steps fall, and each keeps its mass and heat."""
    heater = [x["parts"]["Heater"]["max"] for x in (one, other)]
    assert heater[0] == pytest.approx(heater[1], abs=0.02)
    for key in ("vapour_volume", "level"):
        assert one["bath"][key] == pytest.approx(other["bath"][key], rel=0.05), key
    for told in (one, other):
        assert told["bath"]["mass_error"] < 1e-8
        assert abs(told["heat_imbalance"]) < 0.04
        assert len(told["bath"]["series"]["time"]) == told["iterations"]


@settings(
    max_examples=2, deadline=None, suppress_health_check=list(HealthCheck), phases=(Phase.explicit, Phase.generate)
)
@given(dies=st.floats(0.2, 2.3))
def test_a_bath_goes_on_after_a_crash(dies, tmp_path_factory):
    """From its checkpoint, whether it boiled by then or not, and beyond its end: as if nothing had happened."""
    folder, document = tmp_path_factory.mktemp("bath"), bath(run={"time": "2.5 s"})
    job = Job(document, FIRST, folder)

    class DiesError(Exception):
        pass

    def die(progress):
        if progress.time > dies:
            job.checkpoint(progress)
            raise DiesError

    with pytest.raises(DiesError):
        job.run(die)
    on = Job(document, FIRST, folder)
    assert on.run_.time >= dies
    assert on.run_.bath.calm == job.run_.bath.calm
    assert on.run_.series == job.run_.series
    _alike(on.run().summary, solved(document)[1].summary)
    longer = edits.set_cell(FIRST, "Run", "time", "3 s").apply(document)
    on = Job(longer, FIRST, folder)
    assert on.run_.time == pytest.approx(2.5)
    _alike(on.run().summary, solved(longer)[1].summary)


@pytest.mark.parametrize("damage", ["share", "nan", "run", "series", "words", "fluxes"])
def test_a_checkpoint_of_a_bath_that_cannot_be_believed(damage, tmp_path):
    """The run begins from its start, or (where only what is told of parts is lost) goes on."""
    document = bath(run={"time": "2.5 s"})
    job = Job(document, FIRST, tmp_path)
    job.run_.step()
    job.checkpoint(job.run_.step())
    with h5py.File(store.folder(tmp_path, job.key, True) / store.FIELDS, "r+") as f:
        state = f["state"]
        if damage == "nan":
            state["owed"][0, 0, 0] = np.nan
        else:
            name = "owed" if damage == "words" else damage
            other = {"share": np.zeros((2, 3, 4)), "words": np.full(state["owed"].shape, b"much")}
            del state[name]
            state[name] = other.get(damage, np.zeros(3))
    on = Job(document, FIRST, tmp_path)
    assert on.run_.time == (job.run_.time if damage == "fluxes" else 0.0)
    on.run_.step()


def test_dials_of_a_bath_that_boils():
    """Load, ambient and what is outside are turned while it boils: vapour, mass and heat go on, and a run from the
    start with the events written down gives the same. Another level or liquid has to be set up anew."""
    document, made, refused = bath(run={"time": "2.5 s"}), [], []
    job = Job(document, FIRST)

    def hear(progress):
        if progress.time > 1.5 and not made:
            assert not job.run_.bath.calm
            for row, key, text in (("Tank", "level", "30 mm"), ("Tank", "fluid", "water")):
                refused.append(job.ask_event(row, key, text)[1])
            made.append(job.ask_event("Heater", "power", "60 W"))
        elif progress.time > 1.8 and len(made) == 1:
            made.append(job.ask_event("Surroundings", "ambient", "10 degC"))
            made.append(job.ask_event("Tank", "outside", "500 W/m2/K"))
        return True

    turned = job.run(hear).summary
    assert all("set up anew" in why for why in refused)
    assert [why for _, why in made] == ["", "", ""]
    for event, _ in made:
        document = edits.add_row(FIRST, event).apply(document)
    _alike(turned, solved(document)[1].summary)
    assert turned["heat_load"] == pytest.approx(60.0)
    assert sum(turned["walls"].values()) > 5.0  # leaves by what is outside now, nothing before


def test_the_same_bath_without_boiling():
    """One cell of the surroundings: the heater goes on getting hotter, the level stands, no vapour comes."""
    document = edits.set_cell(FIRST, "Surroundings", "boiling", "none").apply(bath(run={"time": "4 s"}))
    _, result = solved(document)
    table = result.summary["bath"]
    assert not table["boils"]
    assert table["vapour_volume"] == 0.0
    assert table["level"] == pytest.approx(0.0, abs=1e-9)
    steady = edits.set_cell(FIRST, "Run", "time", "steady").apply(document)
    assert not problems(steady, FIRST)  # it can be solved steadily, too
    assert any("boiling is left out" in n for n in result.summary["trust"]["notes"])


def test_what_dries_out_has_no_temperature():
    """Beyond the critical flux a part is named, and its watch tells why it has no number."""
    from stithy.kinds.drawing import drawn
    from stithy.read.watches import watched

    document = bath("150 W", {"time": "2.5 s", "save_every": ""})
    _, result = solved(document)
    assert result.summary["bath"]["parts"]["Heater"]["highest"] > 1.0
    assert any("dries out" in n for n in result.summary["trust"]["notes"])
    rows, _ = drawn(document, FIRST)
    hottest = next(x for x in watched(result, rows) if x.watch.name == "Hottest")
    assert hottest.value is None
    assert Bands(result.summary).temperature("Heater") is None
    assert np.isnan(Quantities(result).parts()["Heater"]["highest"])
    assert "dries out" in hottest.fault


def test_cold_walls_condense_what_comes():
    """Steam above the level meets a cold lid once the air is gone: vapour turns back, and the mass still closes."""
    from stithy.setup.case import side_links, side_opening

    case = boiling.column("water", 0.1, 40, 2, np.where(np.arange(40) >= 20, 1.0, 0.0)[None, None])
    case.links = side_links(case, "z+", case.reference - 20.0)
    case.openings = [side_opening(case, "z-", kind="pressure", temperature=case.reference)]
    made = boiling.run(case, 0.5, 0.002, 0.0)
    made.run()
    assert made.mass_error < 1e-8
    out = float(made.heat.outflow()[1].sum())
    assert out > 20.0 * 1e-4 * 1000.0  # far more than conduction through the steam would give
    assert abs(made.bath.open) < 1e-3 * out


def test_level_is_a_line_of_the_grid_and_saturation_rises_with_depth():
    """Cells are cut at the level; deep water boils later by 2.6 K a metre."""
    document = bath(level="37 mm", fluid="water", starts="90 degC")
    model = Job(document, FIRST).model
    assert np.isclose(grid_lines(model).lines[2], 0.037, atol=1e-9).any()
    case = prepare(model).case
    b = case.bath
    assert b is not None
    deep = b.depth.max()
    rise = b.boiling.by_pressure * b.rho * b.gravity * deep / deep
    assert rise == pytest.approx(2.7, abs=0.15)
    assert set(np.unique(b.share)) <= {0.0, 1.0}


def test_saturation_follows_the_place():
    """At altitude water boils sooner; a fluid of the project's own says it in its cells."""
    high = edits.set_cell(FIRST, "Surroundings", "pressure", "3000 m").apply(bath(fluid="water"))
    assert Job(high, FIRST).model.enclosures[0].pool.boiling.temperature - 273.15 == pytest.approx(89.8, abs=0.4)
    own = edits.add_row(
        FIRST,
        d.FluidRow(
            name="ours",
            density="1500 kg/m3",
            boils_at="60 degC",
            latent="100 kJ/kg",
            vapour_density="12 kg/m3",
            surface_tension="10 mN/m",
            critical_pressure="20 bar",
            molar_mass="300 g/mol",
        ),
    ).apply(bath(fluid="ours"))
    known = Job(own, FIRST).model.enclosures[0].pool.boiling
    assert (known.temperature, known.latent, known.surface_tension) == pytest.approx((333.15, 1e5, 0.01))


@pytest.mark.parametrize(
    ("document", "row", "words"),
    [
        (bath(fluid="air"), "Tank", "no known saturation"),
        (bath(fluid="dielectric liquid"), "Tank", "Choose water, fluoroketone, perfluorohexane"),
        (bath(starts="55 degC"), "Tank", "it would all be vapour"),
        (bath(level="60 mm"), "Tank", "no room for vapour"),
        (bath(where={"gravity": "1, 0, -9 m/s2"}), "Tank", "needs gravity along"),
        (bath(fluid="water", where={"properties": "varying"}), "Tank", "a bath has constant properties"),
        (bath(run={"time": "steady"}), "Run", "followed in time"),
        (bath(sides="y-: periodic; y+: periodic"), "Tank", "does not go with periodic"),
    ],
)
def test_what_cannot_boil_is_told(document, row, words):
    """What, where and what to do, before anything is solved."""
    found = [p for p in problems(document, FIRST) if p.row == row]
    assert any(words in f"{p.what} {p.remedy}" for p in found), [str(p) for p in problems(document, FIRST)]


def test_a_sealed_bath_is_told():
    """Vapour needs a way out, above the level."""
    sealed = edits.delete_row(FIRST, "Top").apply(bath())
    with pytest.raises(SetupError, match="no opening above the level"):
        Job(sealed, FIRST)
    low = edits.add_row(
        FIRST, d.Opening(name="Drain", on="Tank", side="x-", at="10, 5 mm", size="10, 10 mm", flow="ambient")
    ).apply(bath())
    with pytest.raises(SetupError, match="below the level"):
        Job(low, FIRST)


def test_reading_without_a_bath_is_told():
    """What needs a bath says so."""
    from stithy.read.bath import table

    with pytest.raises(StithyError, match="no bath"):
        table({"bath": None})


def test_sides_that_heat_boil_by_correlation():
    """A given flux on the floor: the wall's temperature is Cooper's, its share of the critical flux is told, and the
    level rises by what is below it and in it."""
    document = bath("0 W", {"time": "2 s", "save_every": ""}, fluid="water", starts="99.5 degC", sides="z-: 50000 W/m2")
    document = edits.delete_row(FIRST, "Heater").apply(document)
    for name in ("Hottest", "Nearest"):
        document = edits.delete_row(FIRST, name).apply(document)
    _, result = solved(document)
    s, w = result.summary, result.walls
    own = w.name == w.names.index("Tank z-")
    over = 50000.0 / ht.Cooper(P=101325.0, Pc=220.64e5, MW=18.015, q=50000.0)
    assert w.temperature[own].mean() - s["bath"]["saturation"] == pytest.approx(over, rel=0.06)
    assert s["bath"]["parts"]["Tank z-"]["share"] == pytest.approx(50000.0 / s["bath"]["critical_flux"], rel=1e-6)
    below = s["bath"]["vapour_volume"] / (60e-3 * 40e-3)
    assert 0.9 * below < s["bath"]["level"] < 1.6 * below  # there is vapour in what has risen, too
    assert abs(s["heat_imbalance"]) < 1e-3 * s["heat_load"]
