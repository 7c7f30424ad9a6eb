"""The solver against published and closed-form numbers. Bounds are those agreed for the grids named in the gallery."""

from __future__ import annotations

import numpy as np
import pytest

from stithy import kinds as d
from verification import bodies, configurations, convection, ducts, gallery, orders, projects


def within(rows, bound):
    for row in rows:
        assert abs(row.error) < bound, f"{row.case}, {row.quantity}: {row.ours:.6g} against {row.reference:.6g}"


def test_lid_driven_cavity():
    """Re 100 on 64 x 64 within 1 %, and second order: errors fall at least 3.2 times from 32 to 64."""
    coarse, fine = gallery.lid_driven(32), gallery.lid_driven(64)
    within(fine, 0.01)
    order = np.log2(np.mean([abs(r.error) for r in coarse]) / np.mean([abs(r.error) for r in fine]))
    assert order > 1.7, f"observed order {order:.2f}"


def test_heated_cavity():
    """Ra 1e5 on 80 x 80 graded within 1 %."""
    within(gallery.heated_cavity(80, 1e5), 0.01)


def test_square_duct():
    """Friction and Nusselt number within 1 % at 20 cells across."""
    within(gallery.square_duct(20), 0.01)


def test_composite_slab():
    """Layers in series: exact but for round-off, whatever the jump of conductivity."""
    within(gallery.composite_slab(), 1e-6)


def test_fan_on_duct():
    """Operating point within 0.5 %."""
    within(gallery.fan_on_duct(), 0.005)


def test_perforated_plate():
    """K rho v^2 / 2 within 0.5 %."""
    within(gallery.plate_in_duct(), 0.005)


def test_developed_flow():
    """Plates and a round bore, one pitch of a periodic flow: friction and Nusselt number within 1 % at 20 cells
    across."""
    within(projects.plates(20), 0.01)
    within(projects.pipe(20), 0.01)


def test_backward_facing_step():
    """Reattachment within 2 %."""
    within(projects.step(20), 0.02)


def test_exchangers():
    """Effectiveness of counter-flow and parallel-flow plates within 1 %."""
    within(projects.exchanger(), 0.01)
    within(projects.exchanger(False), 0.01)


def test_conduction():
    """Fin, two-resistor component: closed forms within 0.1 %."""
    within(projects.fin(), 0.001)
    within(projects.two_resistor(), 0.0001)


def test_slab_in_time():
    """Within 0.05 K of the exact solution, and second order: errors fall four times with half the step."""
    within(projects.slab_in_time(), 0.05 / 40)
    errors = [abs(projects.slab_in_time(step)[1].error) for step in ("8 s", "4 s")]
    assert errors[0] / errors[1] > 3.0, errors


def test_plate_set_in_motion():
    """Velocities of a start-up flow between a plate that slides and one at rest, periodic along it, within 0.5 %."""
    within(projects.plate_set_in_motion(), 0.005)


def test_one_pitch_and_four_pitches_agree():
    """Wall temperatures and pressure gradient of one pitch are those of four."""

    def numbers(pitches):
        _, q = projects.solve(projects.channel(12, pitches))
        drive, bulk = q.drive(), q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]
        wall = q.wall_along("Duct y-", 0)[0]
        return (
            drive["pressure_gradient"],
            drive["temperature_rise"] / pitches,
            wall["wall_temperature"] - wall["bulk_temperature"],
            bulk,
        )

    one, four = numbers(1), numbers(4)
    assert one[:3] == pytest.approx(four[:3], rel=1e-4)


def test_half_and_whole_duct_agree():
    """A symmetry plane halves the model and nothing else."""

    def case(half):
        size = "40, 5, 10 mm" if half else "40, 10, 10 mm"
        mirror = "; y+: symmetry" if half else ""
        rows = (
            projects.PLAIN,
            d.Enclosure(
                name="Duct", size=size, wall="0 mm", fluid="plain", outside="adiabatic", sides="z-: 40 degC" + mirror
            ),
            d.Opening(
                name="In", on="Duct", side="x-", at="0, 0 mm", size=("5" if half else "10") + ", 10 mm", flow="0.2 m/s"
            ),
            d.Opening(
                name="Out", on="Duct", side="x+", at="0, 0 mm", size=("5" if half else "10") + ", 10 mm", flow="0 Pa"
            ),
        )
        grid = {"coarsest": "1 mm", "across_gaps": "5" if half else "10"}
        job, q = projects.solve(projects.project(*rows, grid=grid, run={"residual": "1e-7", "iterations": "800"}))
        return q.plane(0, 0.03)["fluid space 1"], q.wall("Duct z-")["flux"], job

    half, whole = case(True), case(False)
    assert half[0]["bulk_temperature"] == pytest.approx(whole[0]["bulk_temperature"], abs=1e-3)
    assert half[1] == pytest.approx(whole[1], rel=1e-4)


@pytest.mark.parametrize(
    ("model", "friction", "heat"), [("k-omega", 0.03, 0.05), ("k-epsilon", 0.04, 0.03), ("wall-law", 0.04, 0.03)]
)
def test_turbulent_channel(model, friction, heat):
    """Friction against Dean and heat transfer against Gnielinski at Re 80 000 with the first cell at y+ 90: the models'
    known errors."""
    (cf, nu), y_plus = projects.turbulent(model, 80000.0, "20")
    assert 70 < y_plus < 110
    within([cf], friction)
    within([nu], heat)


@pytest.mark.parametrize("model", ["k-omega", "k-epsilon"])
def test_near_wall_treatment_is_blended(model):
    """Friction hardly depends on where the first cell lies, from y+ 1 to 90."""
    values = [
        projects.turbulent(model, 80000.0, *grid)[0][0].ours for grid in (("20", ""), ("60", ""), ("30", "0.005 mm"))
    ]
    assert max(values) / min(values) < 1.07


@pytest.mark.parametrize("model", ["k-omega", "k-epsilon"])
@pytest.mark.parametrize(
    ("reynolds", "grid", "between"),
    [
        (13750.0, ("40",), (8, 13)),
        (13750.0, ("20", "0.1 mm"), (2, 3)),
        (13750.0, ("20", "0.2 mm"), (4, 5)),
        (8e4, ("20", "0.05 mm"), (5, 7)),
    ],
)
def test_cells_in_the_sublayer_and_above(model, reynolds, grid, between):
    """With the first cell anywhere from y+ 2 to 10, where no law of the wall is at its best, friction is within 4 % of
    Dean's, heat within 7 % of Gnielinski's."""
    (cf, nu), y_plus = projects.turbulent(model, reynolds, *grid)
    assert between[0] < y_plus < between[1]
    within([cf], 0.04)
    within([nu], 0.07)


def test_developed_flow_between_walls_of_one_temperature():
    """One pitch with shrinking differences: plates, square duct, round bore within 1 % at 20 cells across."""
    for shape in ("plates", "square", "round bore"):
        within(ducts.at_one_temperature(shape), 0.01)


def test_oblique_and_curved_walls():
    """A triangular passage at 40 cells across and a tube's wall between two others: within 1 %."""
    within(ducts.triangle(), 0.01)
    within(ducts.heated_tube(), 0.01)


def test_developing_flow():
    """Friction far downstream within 0.5 %; Graetz problem within 1 %. Entrance loss within 3.5 % of the value for
    Reynolds numbers without end: on ever finer grids it comes to 3.4 % above it at this one."""
    friction, entrance = ducts.developing_plates()
    within([friction], 0.005)
    within([entrance], 0.035)
    within(ducts.graetz(), 0.01)


def test_conjugate_duct_converges():
    """Conducting walls: the order of three grids is near two though their corners are singular."""
    rows, order = ducts.richardson()
    assert 1.5 < order < 2.3
    within(rows, 0.025)


def test_solids():
    """Spreading in an orthotropic plate within 1 %; conductivity by temperature and a cooling block within 0.1 %."""
    within(bodies.spreading(), 0.01)
    within(bodies.varying_conductivity(), 0.001)
    within(bodies.cooling_block(), 0.001)


def test_pump_and_stalled_fan():
    """Operating points: a pump in a closed loop; a fan on the falling and on the rising part of its curve."""
    within(bodies.pump_loop(), 0.006)
    within(bodies.stalled_fan(40.0), 0.001)
    within(bodies.stalled_fan(200.0), 0.001)


def test_sink_channel():
    """Pressure drop and resistance within 5 % of the correlations."""
    within(bodies.sink_channel(), 0.05)


def test_flow_along_curved_walls():
    """Still fluid between a rod and a bore: heat of the closed form within 0.1 %; in motion within 3 % at 80 cells
    across the bore, for flow along curved walls is of first order."""
    rest, motion = convection.annulus()
    within([rest], 0.001)
    within([motion], 0.03)


@pytest.mark.parametrize("ratio", [0.2, 5.0])
def test_conducting_block_in_a_cavity(ratio):
    """Natural convection around and conduction through a block in the middle: within 0.5 %."""
    within(convection.block_in_cavity(ratio), 0.005)


@pytest.mark.parametrize(
    ("model", "reynolds", "bound"),
    [
        ("k-omega", 1e5, 0.03),
        ("k-epsilon", 1e5, 0.03),
        ("wall-law", 1e5, 0.05),
        ("k-omega", 2e4, 0.07),
        ("k-epsilon", 2e4, 0.15),
        ("wall-law", 2e4, 0.05),
    ],
)
def test_turbulent_pipe(model, reynolds, bound):
    """Friction and heat on a curved wall that cuts the cells at any distance from their middles."""
    within(projects.turbulent_pipe(model, reynolds), bound)


@pytest.mark.parametrize(
    ("model", "reynolds", "rough", "bound"),
    [("wall-law", 1e5, 1e-3, 0.06), ("wall-law", 1e5, 1e-2, 0.07), ("k-omega", 1e5, 1e-2, 0.03)],
)
def test_rough_pipe(model, reynolds, rough, bound):
    """Colebrook's friction, and the heat that goes with it, from nearly smooth to where grains rule."""
    within(projects.turbulent_pipe(model, reynolds, rough=rough), bound)


def test_hot_bar():
    """Heat from a round bar across a stream within 3 %."""
    within(convection.hot_bar(), 0.03)


def test_convection_order():
    """A smooth temperature wave carried through a channel without diffusion: errors fall more than three times on half
    the spacing."""

    def error(n):
        lines = np.linspace(0, 1, n + 1)
        case = gallery.simple_case(
            gallery.Grid((lines, np.array([0, 1.0]), np.array([0, 1.0]))),
            gallery.Fluid(1, 1e-3, 1, 1e-12, 0),
            symmetry=frozenset({"y-", "y+", "z-", "z+"}),
            reference=300.0,
        )
        case.openings = [
            gallery.side_opening(case, "x-", kind="velocity", speed=1.0, temperature=300.0),
            gallery.side_opening(case, "x+", kind="pressure", temperature=300.0),
        ]
        mid = 0.5 * (lines[1:] + lines[:-1])
        case.heat = (np.pi * np.sin(np.pi * mid) * np.diff(lines))[:, None, None]  # manufactured: T = 1 - cos(pi x)
        run = gallery.Steady(case, gallery.Settings(momentum=1e-9, most=60))
        run.run()
        return np.abs(run.fields().temperature[:, 0, 0] - 300.0 - (1 - np.cos(np.pi * mid))).mean()

    assert error(16) / error(32) > 3.0


def test_conduction_order_across_a_jump():
    """A manufactured solution over a jump of conductivity of 1 : 50 that lies on a face: second order."""

    def error(n):
        lines = np.linspace(0, 1, n + 1)
        mid = 0.5 * (lines[1:] + lines[:-1])
        case = gallery.simple_case(gallery.Grid((lines, np.array([0, 1.0]), np.array([0, 1.0]))), None, reference=300.0)
        k = np.where(mid < 0.5, 1.0, 50.0)
        case.conductivity = tuple(k[:, None, None] + 0.0 for _ in range(3))
        case.heat = (4 * np.pi**2 * np.sin(2 * np.pi * mid) * np.diff(lines))[
            :, None, None
        ]  # T = sin(2 pi x) / k, zero at 1/2
        case.links = gallery.join_links(gallery.side_links(case, "x-", 300.0), gallery.side_links(case, "x+", 300.0))
        run = gallery.Steady(case)
        run.run()
        # the flux -2 pi cos is that of both sides, so T is continuous and so is the flux
        return np.abs(run.fields().temperature[:, 0, 0] - 300.0 - np.sin(2 * np.pi * mid) / k).max()

    assert error(16) / error(32) > 3.5


@pytest.mark.verify
def test_round_bar():
    """Re 40: drag within 5 %, eddy length within 4 %; Re 100: shedding frequency within 5 %."""
    force, eddy = bodies.bar_40()
    within([force], 0.05)
    within([eddy], 0.04)
    within(bodies.bar_100(), 0.05)


@pytest.mark.verify
def test_long_cases():
    """Re 1000 within 2 %; cavities Ra 1e3, 1e4, 1e6 within 1 %; cube Ra 1e5 within 1.5 %."""
    within(gallery.lid_driven(128, 1000.0), 0.02)
    for ra in (1e3, 1e4, 1e6):
        within(gallery.heated_cavity(80, ra), 0.01)
    within(gallery.heated_cube(48, 1e5), 0.015)


def test_closed_gas():
    """Heat and the pressure of a closed gas space at a ratio of temperatures of four, within 1 % and 0.3 %."""
    heat, pressure = configurations.sealed_gas()
    within([heat], 0.01)
    within([pressure], 0.003)


def test_other_configurations():
    """Thick walls, a chimney of air, creeping flow through an array (force on a bar within 2.5 %), a tube in a tube:
    within 1 % else."""
    within([*configurations.thick_wall(1.0), *configurations.thick_wall(10.0), *configurations.chimney()], 0.01)
    within(configurations.tube_in_tube(), 0.01)
    within([*configurations.bar_array(0.1), *configurations.bar_array(0.3)], 0.025)


def test_plate_in_a_stream():
    """A wall patch in a side of symmetry is a wall: friction within 0.5 %, heat within 1.5 % of the boundary
    layer's."""
    friction, heat = configurations.plate_in_stream()
    within([friction], 0.005)
    within([heat], 0.015)


def test_rolls():
    """Heat carried by rolls over a warm floor, within 0.3 %."""
    within([*configurations.rolls(5e3), *configurations.rolls(1e4)], 0.003)


def test_force_on_a_body_is_what_drives_the_flow():
    """In a periodic array the force on the bar is the pressure gradient times the pitch's volume: momentum is kept to
    rounding."""
    job, q = projects.solve(configurations.array(0.2, 16))
    drive, force = q.drive()["pressure_gradient"] * 0.02 * 0.02 * 0.005, q.wall("Bar")["force"][0]
    assert job.run_.history[-1].settled
    assert force == pytest.approx(drive, rel=1e-3)


def test_observed_orders():
    """Second order in space and time where the solution is smooth; first order at least where the gas' properties
    follow temperature."""
    for s in orders.quick():
        assert s.order > (1.0 if s.case.startswith("closed gas") else 1.6), s
        assert abs(s.limit / s.reference - 1) < 0.01, s


@pytest.mark.verify
def test_turbulent_step():
    """Reattachment behind a step: k-omega within 6 % of the measured length, k-epsilon, known to come out short, within
    15 %."""
    within(configurations.turbulent_step("k-omega"), 0.06)
    within(configurations.turbulent_step("k-epsilon"), 0.15)
