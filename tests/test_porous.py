"""Porous blocks and the lift of turbulence: closed forms, directions, refusals."""

from __future__ import annotations

import numpy as np
import pytest

from stithy import api
from stithy import kinds as d
from stithy.equations.lift import Lift
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.project import edits
from stithy.solve.job import Job

FIRST = "First layout"


def duct(slip: bool = True, **foam: str) -> d.Document:
    """A duct with a plug of foam in its middle, that slips along its sides."""
    sides = "y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry" if slip else "z-: symmetry; z+: symmetry"
    return d.Document(
        rows=(
            d.FluidRow(
                name="plain",
                density="1 kg/m3",
                viscosity="1e-4 Pa s",
                heat_capacity="1000 J/kg/K",
                conductivity="0.1 W/m/K",
            ),
            d.Enclosure(
                name="Duct", size="200, 20, 20 mm", wall="0 mm", fluid="plain", outside="adiabatic", sides=sides
            ),
            d.PorousBlockRow(name="Foam", at="80, 0, 0 mm", size="40, 20, 20 mm", **foam),
            d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="20, 20 mm", flow="2 m/s"),
            d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="20, 20 mm", flow="static 0 Pa"),
            d.Surroundings(name="Surroundings", ambient="20 degC", gravity="0, 0, 0 m/s2"),
            d.GridRow(name="Grid"),
        )
    )


@pytest.mark.parametrize(
    ("foam", "drop"),
    [
        ({"loss": "500 1/m"}, 40.0),
        ({"loss": "", "viscous": "1e6 1/m2"}, 8.0),
        ({"loss": "500, 10, 10 1/m", "viscous": "1e6, 0, 0 1/m2"}, 48.0),
        ({"loss": "0, 900, 900 1/m", "conductivity": "0.1 W/m/K"}, 0.0),
    ],
)
def test_pressure_falls_as_it_was_said(foam, drop):
    """L (loss rho u^2 / 2 + viscous mu u), whatever the loss across."""
    s = api.Project(duct(**foam), None).solve().summary
    assert s["settled"]
    assert s["ends"]["In"]["pressure"] == pytest.approx(drop, rel=2e-3, abs=0.02)


def test_heat_in_a_porous_block():
    """What is released leaves with the stream; its temperature follows convection and conduction along the duct, by the
    closed form of a source between two half ducts."""
    document = duct(loss="500 1/m", power="3 W", conductivity="20, 1, 1 W/m/K")
    result = api.Project(document, None).solve()
    capacity, area, long = 2.0 * 4e-4 * 1000.0, 4e-4, 0.04
    rise = 3.0 / capacity
    assert result.summary["ends"]["Out"]["temperature"] - 293.15 == pytest.approx(rise, rel=1e-3)
    # rate T' = k T'' + q, k T' = rate T where it begins, T' = 0 where the stream leaves it
    size = capacity / area / 20.0
    x = result.grid.centres[0]
    on = (x > 0.08) & (x < 0.12)
    at = x[on] - 0.08
    exact = rise * (1.0 / (long * size) * (1.0 - np.exp(size * (at - long))) + at / long)
    assert np.abs(result.temperature[on, 0, 0] - 293.15 - exact).max() < 0.02 * rise


def test_a_block_turns_the_flow_aside():
    """Beside a plug that fills half a duct the flow speeds up, and what passes both halves is what came in."""
    document = duct(loss="20000 1/m")
    document = edits.set_cell(FIRST, "Foam", "size", "40, 10, 20 mm").apply(document)
    result = api.Project(document, None).solve()
    middle = int(np.searchsorted(result.grid.centres[0], 0.11))
    half = result.grid.centres[1] < 0.01
    u = result.u[middle].mean(axis=1)
    assert u[half].mean() < 0.25 * u[~half].mean()
    assert np.average(u, weights=result.grid.widths[1]) == pytest.approx(2.0, rel=1e-3)


@pytest.mark.parametrize(
    ("key", "text", "told"),
    [("loss", "-1 1/m", "below 0"), ("conductivity", "0 W/m/K", "above 0"), ("loss", "", "does nothing")],
)
def test_what_cannot_be_is_told(key, text, told):
    """Each with what to write."""
    with pytest.raises(SetupError, match=told):
        resolve(edits.set_cell(FIRST, "Foam", key, text).apply(duct()), FIRST)


def test_a_block_in_a_solid_is_told():
    """It is painted over by what stands there."""
    filled = edits.add_row(FIRST, d.Block(name="Block", at="70, 0, 0 mm", size="60, 20, 20 mm")).apply(duct())
    with pytest.raises(SetupError, match="no fluid"):
        Job(filled, FIRST, None)


def test_lift_gives_where_it_is_hot_below():
    """G of a layer at rest is beta C tau 2/3 k g dT/dz: given where it is colder above, taken where it is warmer."""
    document = d.Document(
        rows=(
            d.Enclosure(name="Room", size="40, 30, 50 mm", outside="8 W/m2/K"),
            d.Surroundings(name="Surroundings", flow="k-omega", radiation="none"),
            d.GridRow(name="Grid", detail="quick"),
        )
    )
    run = Job(document, FIRST, None, banded=False).run_
    flow, geo = run.flow, run.geo
    lift = Lift(flow, flow.fluid & (geo.padded_index() > 0))
    assert lift.acts
    z = np.broadcast_to(geo.along(geo.points[2], 2), geo.shape).ravel()
    inner = np.flatnonzero(lift.fluid)
    k, nu, time = np.full(geo.size, 0.02), np.full(geo.size, 1e-4), np.full(geo.size, 0.5)
    for slope in (-300.0, 200.0):
        g = lift.production(slope * z, k, nu, time)[inner]
        beta = float(flow.properties.beta[inner[0]])
        assert g == pytest.approx(beta * 0.3 * 0.5 * (2 / 3) * 0.02 * -9.81 * slope, rel=1e-5)
        given, taken = lift.split(slope * z, k, nu, time, inner)
        assert (given > 0).all() == (slope < 0)
        assert (taken > 0).all() == (slope > 0)
