"""Devices, ends, properties and loads, each against what must hold for it; random models close their balances."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.equations.pressure import PressureSolver
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.project import edits
from stithy.solve.job import Job
from stithy.solve.transient import next_switch, share_at
from verification.projects import PLAIN, project, solve

from .conftest import small

REPEATS = "x-: periodic; x+: periodic"
SLIP = "y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry"


def duct(*rows, inlet="2 m/s", outlet="0 Pa", size="100, 20, 20 mm", sides=SLIP, **more) -> d.Document:
    """A straight duct along x with an opening over each end; frictionless unless ``sides`` says otherwise."""
    face = ", ".join(size.split(",")[1:]).strip()
    return project(
        PLAIN,
        d.Enclosure(name="Duct", size=size, wall="0 mm", fluid="plain", outside="adiabatic", sides=sides),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size=face, flow=inlet),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size=face, flow=outlet),
        *rows,
        grid={"coarsest": "5 mm", "across_gaps": more.pop("across", "4")},
        run={"residual": "1e-7", "iterations": "600"},
        **more,
    )


def test_total_pressure_drives_a_frictionless_duct():
    """Still fluid at 8 Pa outside: 8 Pa become the dynamic head, so the speed is sqrt(2 * 8 / rho) = 4 m/s."""
    _, q = solve(duct(inlet="total 8 Pa"))
    assert q.plane(0, 0.05)["fluid space 1"]["mean_velocity"] == pytest.approx(4.0, rel=2e-3)


def test_asking_for_less_than_rounding_leaves():
    """A residual that single precision cannot reach ends the run where nothing falls any more, settled."""
    job, _ = solve(
        project(
            PLAIN,
            d.Enclosure(
                name="Duct", size="10, 40, 10 mm", wall="0 mm", fluid="plain", outside="40 degC", sides=REPEATS
            ),
            d.DriveRow(name="Drive", along="x+", flow="1 m/s"),
            grid={"coarsest": "5 mm", "across_gaps": "12"},
            run={"residual": "1e-12", "iterations": "600"},
        )
    )
    assert job.run_.history[-1].settled
    assert job.run_.iteration < 150
    assert job.run_.history[-1].momentum < 1e-6


def test_a_periodic_side_takes_no_wall_patch():
    """Refused with its row and cell."""
    patch = d.WallPatch(name="Strip", on="Duct", side="x+", at="0, 0 mm", size="5, 5 mm", condition="40 degC")
    with pytest.raises(SetupError) as refused:
        solve(
            project(
                PLAIN,
                d.Enclosure(name="Duct", size="20, 10, 10 mm", wall="0 mm", fluid="plain", sides=REPEATS),
                patch,
                d.DriveRow(name="Drive", along="x+", flow="1 m/s"),
            )
        )
    assert [(p.row, p.cell) for p in refused.value.problems] == [("Strip", "side")]


@pytest.mark.parametrize(("inlet", "mass"), [("2 m/s", 8e-4), ("0.0004 m3/s", 4e-4), ("0.3 g/s", 3e-4)])
def test_given_flows_are_met(inlet, mass):
    """Velocity, volume flow and mass flow: what enters is what was said."""
    job, q = solve(duct(inlet=inlet))
    assert q.plane(0, 0.05)["fluid space 1"]["mass_flow"] == pytest.approx(mass, rel=1e-6)
    assert job.run_.flow.mass_imbalance() < 1e-6


def test_screen_takes_its_loss():
    """A plane with K = 3 across the flow: 3 rho v^2 / 2 between its two sides."""
    _, q = solve(duct(d.Screen(name="Filter", at="50, 0, 0 mm", size="20, 20 mm", across="x", loss="3")))
    before, behind = (q.plane(0, x)["fluid space 1"]["mean_pressure"] for x in (0.03, 0.07))
    assert before - behind == pytest.approx(3 * 0.5 * 4, rel=5e-3)


def test_developed_inlet_has_the_profile_of_a_duct():
    """Square duct: the middle runs 2.096 times the mean (Shah & London); the stated flow still enters."""
    doc = duct(inlet="0.02 m/s", sides="", across="16")
    doc = edits.set_cell("First layout", "In", "profile", "developed").apply(doc)
    job, _ = solve(doc)
    patch = job.prepared.case.openings[0]
    assert patch.profile.max() == pytest.approx(2.096, rel=0.02)
    assert np.average(patch.profile) == pytest.approx(1.0, rel=1e-9)


def fan_box(**fan) -> d.Document:
    """A fan in the middle of a closed loop of fluid: a box with a partition."""
    return project(
        d.Enclosure(name="Case", size="120, 60, 60 mm", wall="0 mm", outside="adiabatic"),
        d.Opening(name="In", on="Case", side="x-", at="0, 0 mm", size="60, 60 mm"),
        d.Opening(name="Out", on="Case", side="x+", at="0, 0 mm", size="60, 60 mm"),
        d.InsideFan(
            name="Fan", at="40, 10, 10 mm", size="40, 40 mm", blows="x+", curve="0 m3/h: 10 Pa; 20 m3/h: 0 Pa", **fan
        ),
        d.Block(name="Left", at="40, 0, 0 mm", size="4, 10, 60 mm"),
        d.Block(name="Right", at="40, 50, 0 mm", size="4, 10, 60 mm"),
        flow="wall-law",
        grid={"coarsest": "6 mm", "across_gaps": "8"},
        run={"residual": "1e-4", "iterations": "250"},
    )


def test_swirl_and_hub():
    """Swirl turns what leaves the fan and nothing before it; a hub lets nothing through and costs flow."""
    plain, swirling, hubbed = (solve(fan_box(**more)) for more in ({}, {"swirl": "0.8"}, {"hub": "20 mm"}))

    def turn(q, x):
        up, down = q.at([(x, 0.03, 0.045), (x, 0.03, 0.015)])
        return up["v"] - down["v"]

    axial = plain[1].at([(0.048, 0.03, 0.03)])[0]["u"]
    assert abs(turn(plain[1], 0.048)) < 0.05 * axial
    assert abs(turn(swirling[1], 0.048)) > 0.4 * axial
    assert abs(turn(swirling[1], 0.03)) < 0.2 * axial
    middle = hubbed[1].at([(0.04, 0.03, 0.03)])[0]["u"]
    assert abs(middle) < 0.2 * plain[1].at([(0.04, 0.03, 0.03)])[0]["u"]


def test_varying_density_agrees_with_boussinesq_for_small_differences():
    """Air between walls 4 K apart: the heat that passes differs by less than 2 %; for 200 K it differs clearly."""

    def heat(properties, difference):
        doc = project(
            d.Enclosure(
                name="Cavity",
                size="40, 5, 40 mm",
                wall="0 mm",
                outside="adiabatic",
                sides=f"y-: symmetry; y+: symmetry; x-: {20 + difference / 2} degC; x+: {20 - difference / 2} degC",
            ),
            properties=properties,
            gravity="0, 0, -9.81 m/s2",
            grid={"coarsest": "2 mm", "across_gaps": "24"},
            run={"residual": "1e-5", "iterations": "500"},
        )
        return solve(doc)[1].wall("Cavity x-")["heat"]

    assert heat("varying", 4) == pytest.approx(heat("constant", 4), rel=0.02)


def test_varying_air_keeps_mass_flow_and_speeds_up():
    """Heated by 100 K in a duct, air leaves faster as its density falls; mass and heat stay closed."""
    doc = project(
        d.Enclosure(
            name="Duct",
            size="100, 10, 10 mm",
            wall="0 mm",
            outside="adiabatic",
            sides=SLIP.replace("z-: symmetry", "z-: 300 W/m2"),
        ),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="10, 10 mm", flow="0.02 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="10, 10 mm", flow="0 Pa"),
        properties="varying",
        grid={"coarsest": "5 mm", "across_gaps": "4"},
        run={"residual": "1e-6", "iterations": "400"},
    )
    job, q = solve(doc)
    first, last = (q.plane(0, x)["fluid space 1"] for x in (0.01, 0.09))
    assert last["mass_flow"] == pytest.approx(first["mass_flow"], rel=1e-5)
    assert last["mean_velocity"] / first["mean_velocity"] == pytest.approx(
        last["mean_temperature"] / first["mean_temperature"], rel=0.02
    )
    assert abs(job.run_.heat.imbalance()) < 1e-3 * 0.3


def test_water_follows_its_table():
    """Warm water in a duct loses less pressure than cold: its viscosity falls by the ratio of the property tables."""

    def drop(temperature, properties):
        doc = duct(inlet="0.01 m/s", sides="", properties=properties, size="60, 4, 4 mm", across="8")
        doc = edits.set_cell("First layout", "Duct", "fluid", "water").apply(doc)
        doc = edits.set_cell("First layout", "In", "temperature", temperature).apply(doc)
        _, q = solve(doc)
        a, b = (q.plane(0, x)["fluid space 1"]["mean_pressure"] for x in (0.04, 0.05))
        return a - b

    ratio = drop("70 degC", "varying") / drop("20 degC", "varying")
    assert ratio == pytest.approx(0.404 / 1.002, rel=0.05)  # mPa s at 70 and 20 degC


def test_loads_by_volume_surface_and_temperature():
    """W, W/m3 and W/m2 of a block amount to the same; a held block gives what its surroundings take."""

    def chip(power):
        doc = small()
        return resolve(edits.set_cell("One", "Chip", "power", power).apply(doc), "One").solids[0]

    volume, surface = 10e-3 * 12e-3 * 4e-3, 2 * (120 + 48 + 40) * 1e-6
    assert chip(f"{1 / volume} W/m3").power == pytest.approx(1.0)
    assert chip(f"{1 / surface} W/m2").power == pytest.approx(1.0)
    held = edits.set_cell("One", "Chip", "power", "60 degC").apply(small(radiation="surfaces"))
    job = Job(held, "One")
    result = job.run()
    part = result.summary["parts"]["Chip"]
    assert part["max"] == pytest.approx(333.15)
    out = sum(e["heat_out"] for e in result.summary["ends"].values()) + sum(result.summary["walls"].values())
    out += sum(result.summary["radiation"]["ends"].values())
    assert -job.run_.heat.held().sum() == pytest.approx(out, rel=1e-3)


def test_duty_cycles_and_points():
    """Shares of a load in time, and when they next change."""
    duty = ((-30.0, 1.0), (-60.0, 0.0))
    assert [share_at(duty, t) for t in (0, 29, 31, 89, 91)] == [1, 1, 0, 0, 1]
    assert next_switch(duty, 10) == pytest.approx(30)
    assert next_switch(duty, 50) == pytest.approx(90)
    points = ((0.0, 1.0), (60.0, 0.2))
    assert share_at(points, 30) == pytest.approx(0.6)
    assert next_switch(points, 10) == 60
    assert next_switch((), 10) == np.inf


def test_adiabatic_block_warms_by_its_heat():
    """On 30 s, off 60 s, nothing leaves: after 90 s the energy put in is 30 s of power, however the steps fall."""
    for step in ("7 s", "auto"):
        doc = project(
            d.MaterialRow(name="metal", conductivity="200 W/m/K", density="2700 kg/m3", heat_capacity="900 J/kg/K"),
            d.Enclosure(name="Box", size="20, 20, 10 mm", wall="0 mm", outside="adiabatic"),
            d.Block(name="Lump", size="20, 20, 10 mm", material="metal", power="10 W", profile="on 30 s, off 60 s"),
            run={"time": "90 s", "step": step},
        )
        job, q = solve(doc)
        assert job.run_.time == pytest.approx(90)
        rise = 300 / (2700 * 900 * 4e-6)
        assert q.parts()["Lump"]["mean"] - 293.15 == pytest.approx(rise, rel=1e-6)


def test_held_flow_follows_the_full_solution():
    """With the flow held, a forced model warms up as it does with the flow solved in every step."""

    def warm(hold):
        doc = edits.set_cell("One", "Surroundings", "gravity", "0, 0, 0 m/s2").apply(small(flow="laminar"))
        for key, text in (("time", "20 s"), ("step", "2 s"), ("hold_flow", hold)):
            doc = edits.set_cell("One", "Run", key, text).apply(doc)
        return Job(doc, "One").run().summary["parts"]["Chip"]["max"]

    assert warm("1000 s") == pytest.approx(warm(""), abs=0.15)


def test_start_from_another_layout(tmp_path):
    """A layout on another grid starts from the first one's field and needs fewer iterations than from rest."""
    Job(small(), "One", tmp_path).run()
    finer = edits.set_cell("One", "Grid", "coarsest", "3 mm").apply(small())
    fresh = Job(finer, "One").run().summary
    started = edits.set_cell("Two", "Run", "start", "One").apply(
        edits.set_cell("Two", "In", "flow", "0.3 m/s").apply(finer)
    )
    again = Job(started, "Two", tmp_path).run().summary
    assert again["parts"]["Chip"]["max"] == pytest.approx(fresh["parts"]["Chip"]["max"], abs=0.3)
    assert again["iterations"] < fresh["iterations"]


def test_flow_without_a_steady_state_is_averaged():
    """Vortices behind a bar at Re 600: the run says that it wanders, by how much, and the mean lift is near zero. At Re
    200, where a steady solution is found that nature does not keep, the trust line says that it may be unstable."""
    doc = project(
        PLAIN,
        d.Enclosure(name="Duct", size="240, 5, 80 mm", wall="0 mm", fluid="plain", outside="adiabatic", sides=SLIP),
        d.Block(name="Bar", at="60, 0, 35 mm", size="10, 5, 10 mm", cells="10"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="5, 80 mm", flow="60 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="5, 80 mm", flow="0 Pa"),
        grid={"coarsest": "4 mm", "across_gaps": "8", "growth": "1.15", "at_walls": "0.8 mm"},
        run={"residual": "1e-5", "iterations": "600"},
    )
    slow = edits.set_cell("First layout", "In", "flow", "20 m/s").apply(doc)  # passages: the width between the mirrors
    assert any("need not be stable" in note for note in Job(slow, "First layout").run().summary["trust"]["notes"])
    job, q = solve(doc)
    s = job.result(job.run_.history[-1]).summary
    assert not s["settled"]
    assert any("no steady state" in note for note in s["trust"]["notes"])
    force = q.wall("Bar")["force"]
    assert abs(force[2]) < 0.1 * force[0]


@given(
    model=st.sampled_from(["laminar", "wall-law", "k-epsilon", "k-omega"]),
    varying=st.booleans(),
    bar=st.sampled_from(["x", "y", "z"]),
    diameter=st.integers(3, 8),
    bore=st.sampled_from(["0 mm", "2 mm"]),
    contact=st.booleans(),
    flow=st.sampled_from(["1 m/s", "0.5 g/s"]),
)
@settings(max_examples=4, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_any_model_closes_its_balances(model, varying, bar, diameter, bore, contact, flow):
    """Whatever the mixing model, properties, round bars and contacts: mass and heat close, or the refusal is clear."""
    doc = small(flow=model, properties="varying" if varying else "constant")
    rows = [
        *doc.rows,
        d.Cylinder(
            name="Bar",
            at="14, 14, 10 mm",
            along=bar,
            length="6 mm",
            diameter=f"{diameter} mm",
            bore=bore,
            power="0.4 W",
            cells="6",
        ),
    ]
    if contact:
        rows.append(d.Contact(name="Joint", of="Chip", to="Case", resistance="0.001 m2 K/W"))
    doc = doc.model_copy(update={"rows": tuple(rows)})
    for row, key, text in (("In", "flow", flow), ("Run", "iterations", "60")):
        doc = edits.set_cell("One", row, key, text).apply(doc)
    try:
        s = Job(doc, "One").run().summary
    except SetupError as error:
        assert all(p.row and p.what and p.remedy for p in error.problems)
        return
    assert s["trust"]["mass_imbalance"] < 1e-6
    assert abs(s["heat_imbalance"]) < 2e-3 * s["heat_load"]


def test_start_from_potential_flow():
    """Potential flow keeps mass everywhere, and a run from it ends where one from rest does."""
    rows = (
        PLAIN,
        d.Enclosure(name="Duct", size="60, 20, 5 mm", wall="0 mm", fluid="plain", outside="adiabatic", sides=SLIP),
        d.Block(name="Bar", at="25, 0, 0 mm", size="6, 8, 5 mm"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="20, 5 mm", flow="0.5 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="20, 5 mm", flow="0 Pa"),
    )
    grid = {"coarsest": "2 mm", "across_gaps": "8"}
    drops = []
    for start in ("", "potential flow"):
        job = Job(
            project(*rows, grid=grid, run={"residual": "1e-7", "iterations": "800", "start": start}), "First layout"
        )
        if start:
            assert job.run_.flow.mass_imbalance() < 1e-6
            assert np.abs(job.run_.fields().u).max() > 0.5
        drops.append(job.run().summary["ends"]["In"]["pressure"])
    assert drops[0] == pytest.approx(drops[1], rel=1e-4)


def test_pressure_across_a_weak_link():
    """A chain of cells with one conductance ten thousand times smaller than the rest, as behind a fan or a dense
    screen, is solved."""
    n = np.array([40, 1, 1])
    solver, size = PressureSolver(n, (9, 3, 1)), 42 * 9
    c = [np.zeros(size) for _ in range(3)]
    cells = np.arange(1, 41) * 9 + 4
    c[0][cells[:-1]] = 1.0
    c[0][cells[19]] = 1e-4
    extra, b = np.zeros(size), np.zeros(size)
    extra[cells[-1]], b[cells[0]] = 1.0, 1.0
    x, _, left = solver.solve(c, extra, b, 1e-8, 60)
    assert left < 1e-8
    assert x[cells[0]] - x[cells[-1]] == pytest.approx(38 + 1e4, rel=1e-6)
