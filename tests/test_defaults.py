"""What the defaults give: laminar passages laminar, thin layers at walls, a grid that goes with the model, a band on
every number."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stithy import api, starts
from stithy import kinds as d
from stithy.equations import passages, walls
from stithy.kinds.assembly import resolve
from stithy.kinds.drawing import drawn
from stithy.mesh.build import predict
from stithy.mesh.gridding import coarser, grid_lines, settled
from stithy.mesh.rule import scaled_settings
from stithy.project import edits
from stithy.read.band import Bands, wider
from stithy.read.watches import from_summary, watched
from stithy.setup import inflow
from stithy.setup.prepare import prepare
from stithy.solve.job import Job
from stithy.weigh.compare import standing
from stithy.weigh.limits import CLOSE, FAILS, MEETS, margins
from verification import defaults
from verification.projects import project, solve

from .conftest import DEMO, a_summary, small

GAS = defaults.GAS


def passage(shape: str, reynolds: float, cells: int, model: str = "wall-law"):
    """Friction and Nusselt number of developed flow over their laminar values; iterations."""
    wide = 0.02 if shape == "plane" else 0.01  # hydraulic diameter, m
    speed = reynolds * defaults.NU / wide
    if shape == "plane":
        rows = (
            d.Enclosure(
                name="Duct",
                size="10, 10, 5 mm",
                wall="0 mm",
                fluid="gas",
                outside="adiabatic",
                sides="x-: periodic; x+: periodic; z-: symmetry; z+: symmetry; y-: 100 W/m2; y+: 100 W/m2",
            ),
        )
        flow, grid = f"{speed} m/s", {"coarsest": "10 mm", "across_gaps": f"{cells}"}
    else:
        inner = (
            d.Block(name="Duct", at="0, 2, 2 mm", size="10, 10, 10 mm", material="fluid", cells=f"{cells}")
            if shape == "square"
            else d.Bore(name="Duct", at="0, 7, 7 mm", along="x", length="10 mm", diameter="10 mm", cells=f"{cells}")
        )
        rows = (
            d.MaterialRow(name="conducting", conductivity="100000 W/m/K"),
            d.Enclosure(
                name="Case",
                size="10, 14, 14 mm",
                wall="0 mm",
                fluid="gas",
                outside="adiabatic",
                sides="x-: periodic; x+: periodic",
            ),
            d.Block(name="Wall", size="10, 14, 14 mm", material="conducting", power="1 W"),
            inner,
        )
        flow = f"{speed * (1e-4 if shape == 'square' else np.pi / 4 * 1e-4)} m3/s"
        grid = {"coarsest": f"{10 / cells} mm", "across_gaps": "2"}
    job, q = solve(
        project(
            GAS,
            *rows,
            d.DriveRow(name="Drive", along="x+", flow=flow),
            flow=model,
            grid=grid,
            run={"residual": "1e-5", "iterations": "1500"},
        )
    )
    friction = q.drive()["pressure_gradient"] * wide / (0.5 * 1.2 * speed**2) * reynolds
    bulk = q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]
    if shape == "plane":
        w = q.wall("Duct y-")
        nusselt = w["flux"] / (w["wall_temperature"] - bulk) * wide / defaults.K
    else:
        nusselt = (
            1.0
            / ((4 if shape == "square" else np.pi) * wide * 0.01)
            / (q.parts()["Wall"]["mean"] - bulk)
            * wide
            / defaults.K
        )
    f_re, nu = {"plane": (96.0, 8.235), "square": (56.908, 3.608), "round": (64.0, 4.364)}[shape]
    assert job.run_.history[-1].settled
    return friction / f_re, nusselt / nu, job.run_.iteration


@pytest.mark.parametrize("shape", ["plane", "square", "round"])
@pytest.mark.parametrize(
    ("reynolds", "cells"), [(200, 20), (1000, 8), (1500, 20), pytest.param(1500, 40, marks=pytest.mark.verify)]
)
def test_laminar_passages_are_laminar(shape, reynolds, cells):
    """The default mixing leaves passages laminar up to a Reynolds number of 1500, on any grid (Shah & London)."""
    friction, nusselt, _ = passage(shape, reynolds, cells)
    assert friction == pytest.approx(1.0, abs=0.04 if shape == "round" and cells == 8 else 0.03)
    assert nusselt == pytest.approx(1.0, abs=0.035)


def test_three_cells_between_plates_are_enough_where_flow_is_laminar():
    """The parabola at walls is exact for developed flow, on any grid."""
    friction, nusselt, _ = passage("plane", 1000, 3)
    assert friction == pytest.approx(1.0, abs=1e-3)
    assert nusselt == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize("shape", ["plane", "round"])
def test_transition_rises_without_a_jump(shape):
    """From 1500 to 5000 heat transfer rises steadily from the laminar value to that of the whole law of the wall."""
    steps = [1500, 2000, 2300, 2600, 3000, 3500, 4000, 5000]
    nusselt = [passage(shape, re, 20)[1] for re in steps]
    assert nusselt[0] == pytest.approx(1.0, abs=0.02)
    assert all(b > 0.999 * a for a, b in zip(nusselt, nusselt[1:], strict=False))
    assert max(b / a for a, b in zip(nusselt, nusselt[1:], strict=False)) < 1.9
    turbulent = {"plane": 22.9, "round": 19.2}[shape]  # Gnielinski at 5000, Pr 0.71; plane with Dean's friction
    assert nusselt[-1] * {"plane": 8.235, "round": 4.364}[shape] == pytest.approx(turbulent, rel=0.3)


def test_passages_know_their_walls():
    """Hydraulic diameters, peaks and rooms: a slit between plates, a square duct, a room with a narrow gap in it."""
    x = project(
        d.Enclosure(name="Room", size="200, 100, 80 mm", wall="0 mm", outside="adiabatic"),
        d.Block(name="Shelf", at="20, 0, 8 mm", size="160, 100, 4 mm"),
        grid={"coarsest": "4 mm"},
    )
    case = prepare(resolve(x, "First layout")).case
    at = passages.passages(case, walls.wall_distance(case))
    gap, room = case.grid.find((0.1, 0.05, 0.004)), case.grid.find((0.1, 0.05, 0.045))
    assert at.half[gap] == pytest.approx(4e-3, rel=0.05)
    assert at.diameter[gap] == pytest.approx(4 * 4e-3 * 100 / 108, rel=0.05)
    assert at.room[gap] == 1.0
    assert at.peak[gap] == pytest.approx(1.5, abs=0.1)
    assert at.room[room] == pytest.approx(passages.LEAST)


@pytest.mark.parametrize(("first", "bound"), [("3 mm", 0.10), ("2 mm", 0.14), ("0.5 mm", 0.12), ("0.06 mm", 0.015)])
def test_heat_into_a_first_cell_thicker_than_its_layer(first, bound):
    """A plate of 20 mm in a stream of 1 m/s: mean coefficient against Pohlhausen, whatever the first cell (limit of
    fine grids: 27.4)."""
    _, q = solve(
        project(
            d.Enclosure(
                name="Duct",
                size="60, 6, 60 mm",
                wall="0 mm",
                outside="adiabatic",
                sides="y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            d.WallPatch(name="Plate", on="Duct", side="z-", at="20, 0 mm", size="20, 6 mm", condition="60 degC"),
            d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="6, 60 mm", flow="1 m/s"),
            d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="6, 60 mm", flow="0 Pa"),
            grid={"at_walls": first, "growth": "1.4" if "mm" in first and float(first.split()[0]) > 0.1 else "1.1"},
        )
    )
    air = resolve(project(d.Enclosure(name="E")), "First layout").enclosures[0].fluid
    exact = 0.664 * air.k / 0.02 * np.sqrt(0.02 * air.rho / air.mu) * np.cbrt(air.mu * air.cp / air.k)
    w = q.wall("Plate")
    assert w["flux"] / 40.0 == pytest.approx(exact, rel=bound)


def test_boards_and_heated_parts_get_cells():
    """By default a board has four cells through, a part that releases heat four along every axis; halved, each has
    two."""
    from stithy.project import files

    model = settled(resolve(files.read(DEMO), "Fan on wall, plates"))
    for wish, least in ((model, 4), (coarser(model), 2)):
        grid = grid_lines(wish)
        for name, axes in (("Driver board", (2,)), ("Bridge rectifier", (0, 1, 2)), ("Surge stage", (0, 1, 2))):
            solid = next(s for s in model.solids if s.name == name)
            for a in axes:
                low, high = solid.bounds[a]
                assert ((grid.centres[a] > low) & (grid.centres[a] < high)).sum() >= least, (name, a)
    assert 0.15 < predict(coarser(model))[1] / predict(model)[1] < 0.35
    assert scaled_settings(model.grid, 0.5).count == 0.5 * model.grid.count


def test_details_change_cells_by_about_three():
    """From quick to standard and from standard to fine, cells of a model that matters grow about threefold."""
    from stithy.project import files

    doc = files.read(DEMO)
    cells = [
        predict(resolve(edits.set_cell("Fan on wall, plates", "Grid", "detail", x).apply(doc), "Fan on wall, plates"))[
            1
        ]
        for x in ("quick", "standard", "fine")
    ]
    assert all(2.0 < b / a < 4.0 for a, b in zip(cells, cells[1:], strict=False))


def test_wishes_are_kept_exactly():
    """Cells across a gap are as many as asked for, and none are wasted along the axis of a developed flow."""
    for asked in (20, 32, 64):
        for heat in ("1000 W/m2", "30 degC"):
            doc = project(
                GAS,
                d.Enclosure(
                    name="Duct",
                    size="10, 10, 10 mm",
                    wall="0 mm",
                    fluid="gas",
                    outside="adiabatic",
                    sides=f"x-: periodic; x+: periodic; y-: {heat}; y+: {heat}; z-: {heat}; z+: {heat}",
                ),
                d.DriveRow(name="Drive", along="x+", flow="1 m/s"),
                grid={"across_gaps": f"{asked}"},
            )
            shape = grid_lines(resolve(doc, "First layout")).shape
            assert shape[1:] == (asked, asked)
            assert shape[0] == (1 if "W" in heat else 24)


def test_every_number_has_a_band():
    """A run by default tells parts, drops and flows with a band that holds what a much finer grid says."""
    doc = defaults.block()
    summary = Job(doc, "First layout").run().summary
    bands = Bands(summary)
    fine = Job(edits.set_cell("First layout", "Grid", "detail", "fine").apply(doc), "First layout").run().summary
    for part in ("Board", "Chip"):
        told = bands.temperature(part)
        assert 0 < told.band < 0.15 * (told.value - 293.15)
        assert abs(fine["parts"][part]["max"] - told.value) <= told.band
    assert bands.drop("In", "Out").band > 0
    assert "±" in bands.temperature("Chip").text(zero=273.15)
    assert summary["coarse"]["cells"] < 0.5 * summary["cells"]


@given(order=st.floats(1.0, 2.0), longer=st.floats(1.25, 2.0), error=st.floats(-0.2, 0.2))
def test_bands_hold_however_little_coarser_the_other_grid_is(order, longer, error):
    """A number whose error goes with any order from first to second lies in its band on a grid of half the cell
    size; a grid of cells all but as long as the layout's own makes the band wide, not narrow."""
    own, other = 100.0 + error, 100.0 + error * longer**order
    end = {"volume_flow": 0.0, "pressure": own, "heat_out": 0.0}
    summary = {"ambient": 300.0, "mixing": "laminar", "heat_load": 0.0, "heat_imbalance": 0.0, "parts": {}, "fans": {}}
    summary |= {"cells": 8000, "ends": {"In": end, "Out": end | {"pressure": 0.0}}, "trust": {"heat_closure": 1.0}}
    kept = {"cells": int(8000 / longer**3), "longer": longer, "parts": {}, "fans": {}}
    ends = {"In": end | {"pressure": other}, "Out": end | {"pressure": 0.0}}
    for coarse in (kept | {"ends": ends}, {k: v for k, v in kept.items() if k != "longer"} | {"ends": ends}):
        told = Bands(summary | {"coarse": coarse}).drop("In", "Out")
        finer = 100.0 + error / 2.0**order
        assert abs(told.value - finer) <= told.band * 1.01 + 1e-12


def test_wide_bands_are_told():
    """A model of few cells everywhere says that its coarser grid is hardly coarser."""
    chips = (
        d.Block(
            name=f"Chip {m}", at=f"{4 + 6 * m}, {50 - 6 * m}, 0 mm", size="5, 5, 2 mm", material="alumina", power="1 W"
        )
        for m in range(6)
    )
    document = defaults.plain(d.Enclosure(name="Case", size="60, 60, 30 mm", wall="0 mm", outside="10 W/m2/K"), *chips)
    cells = {"coarsest": "8 mm", "across_gaps": "2", "across_solids": "1", "growth": "2", "at_walls": "0 mm"}
    document = edits.many("few", [edits.set_cell("First layout", "Grid", k, v) for k, v in cells.items()]).apply(
        document
    )
    summary = Job(document, "First layout").run().summary
    coarse, counts = summary["coarse"], predict(resolve(document, "First layout"))[0]
    told = [x for x in summary["trust"]["notes"] if "times as wide as usual" in x]
    assert coarse["longer"] ** 3 == pytest.approx(summary["cells"] / coarse["cells"])
    assert np.prod(counts) == summary["cells"]
    assert wider(coarse["longer"]) > 1.5
    assert len(told) == 1


def test_verdicts():
    """Meets or fails beyond the band, too close to call within it; the table and the exit code go by it."""
    doc = small()
    rows = drawn(doc, "One")[0]
    summary = a_summary({"Chip": 320.0}, {"Chip": 322.0})
    summary["parts"]["Chip"] |= {"hot_spot": [0, 0, 0], "power": 1.0}
    found = Bands(summary).temperature("Chip")
    assert found.value == pytest.approx(319.0)
    assert found.band == pytest.approx(1.2)
    for most, verdict in ((321.0, MEETS), (317.0, FAILS), (319.5, CLOSE), (318.5, CLOSE)):
        watch = replace(next(x for x in rows if x.name == "Chip"), most=most)
        assert margins(summary, [from_summary(watch, summary)], 298.15)[0].verdict == verdict
    watch = replace(next(x for x in rows if x.name == "Chip"), most=330.0)
    open_ = summary | {"settled": False, "trust": {"heat_closure": 0.5}}  # half of the heat is nowhere yet
    assert margins(open_, [from_summary(watch, open_)], 298.15)[0].verdict == ""
    closed = open_ | {"trust": {"heat_closure": 0.99}}
    assert margins(closed, [from_summary(watch, closed)], 298.15)[0].verdict == MEETS
    ratio = d.WatchRow(name="Ratio", quantity="= Drop / (2 Pa)", most="3")
    none = standing(edits.add_row("One", ratio).apply(doc), None, "One")
    assert none.verdict == ""
    assert {m.bound.name: m.bound_text() for m in none.margins}["Ratio"] == "3"


def test_no_band_without_a_second_grid():
    """A run asked for without the coarser grid has numbers without bands, and says so by leaving them out."""
    summary = Job(small(), "One", banded=False).run().summary
    told = Bands(summary).temperature("Chip")
    assert summary["coarse"] is None
    assert told.band is None
    assert told.value == told.on_grid
    assert "±" not in told.text()


def oil_in_a_pipe() -> d.Document:
    """The start "Pipe" as it comes, with lamp oil at Reynolds number 42 that enters developed; a wall at 60 degC."""
    oil = {"density": "850 kg/m3", "viscosity": "0.02 Pa s", "heat_capacity": "2000 J/kg/K"}
    document = starts.document("pipe")
    name = document.layouts[0].name
    for edit in (
        edits.add_row(name, d.FluidRow(name="lamp oil", conductivity="0.13 W/m/K", **oil)),
        edits.add_row(name, d.WatchRow(name="Oil out", quantity="temperature", of="Out", measure="mass mean")),
        *(
            edits.set_cell(name, *x)
            for x in (
                ("Around", "fluid", "lamp oil"),
                ("Water", "fluid", "lamp oil"),
                ("Pipe", "power", "60 degC"),
                ("Pipe", "material", "copper"),
                ("In", "flow", "0.05 m/s"),
                ("In", "profile", "developed"),
                ("Surroundings", "gravity", "0, 0, 0 m/s2"),
            )
        ),
    ):
        document = edit.apply(document)
    return document


def test_oil_enters_a_pipe_developed_and_laminar(tmp_path):
    """Its pressure drop is Hagen and Poiseuille's, 32 mu U L / D^2, and it is warmed as in a thermal entrance with a
    parabola, Nu = 1.615 x*^(-1/3) - 0.7 (Shah and London 1978), within the bands told; it entered with the turbulent
    profile before, whatever its Reynolds number, with 7 % more pressure drop."""
    project = api.Project(oil_in_a_pipe(), tmp_path)
    result = project.solve()
    drop = project.bands().drop("In", "Out")
    exact = 32 * 0.02 * 0.05 * 0.3 / 0.02**2
    assert drop.value == pytest.approx(exact, abs=drop.band)
    assert drop.on_grid == pytest.approx(exact, rel=0.02)
    speed = result.velocity()[2, ..., 0]
    assert speed.max() == pytest.approx(0.1, rel=0.03)
    capacity, area = 850 * np.pi * 0.01**2 * 0.05 * 2000, np.pi * 0.02 * 0.3
    number = 1.615 * (0.3 / 0.02 / (850 * 0.05 * 0.02 / 0.02 * 0.02 * 2000 / 0.13)) ** (-1 / 3) - 0.7
    warmed = 40 * (1 - np.exp(-number * 0.13 / 0.02 * area / capacity))
    rows = drawn(project.document, project.document.layouts[0].name)[0]
    (out,) = [x for x in watched(result, rows) if x.watch.name == "Oil out"]
    assert out.banded.value - 293.15 == pytest.approx(warmed, abs=out.banded.band)
    assert out.banded.band < 0.15 * warmed


@pytest.mark.parametrize(
    ("reynolds", "mixing", "power"),
    [
        (40.0, "wall-law", 1.0),
        (2100.0, "k-omega", 1.0),
        (3550.0, "wall-law", 4 / 7),
        (9e3, "laminar", 1.0),
        (9e3, "wall-law", 1 / 7),
    ],
)
def test_profiles_turn_turbulent_with_the_flow(reynolds, mixing, power):
    """By the Reynolds number, or never where flow is said to be laminar; the width that it goes by is a round duct's
    own, and near a square's and a slit's."""
    assert inflow.exponent(reynolds, mixing) == pytest.approx(power)
    assert inflow.wide(0.02**2 / 32) == pytest.approx(0.02)
    assert inflow.wide(0.03514 * 0.02**2) == pytest.approx(0.02, rel=0.07)
    assert inflow.wide(0.02**2 / 12) == pytest.approx(2 * 0.02, rel=0.19)
