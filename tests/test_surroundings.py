"""Altitude, and surfaces that move as belts: closed forms and refusals."""

from __future__ import annotations

import numpy as np
import pytest

from stithy import api
from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.project import edits
from stithy.read.quantities import Quantities

from .conftest import small

FIRST = "First layout"


def test_altitude_is_a_pressure():
    """1500 m are 84.56 kPa (ISO 2533): air is as much thinner, fans give as much less; pumps and liquids know none."""
    sea = resolve(small(), "One")
    high = resolve(edits.set_cell("One", "Surroundings", "pressure", "1500 m").apply(small()), "One")
    assert high.surroundings.pressure == pytest.approx(84556.0, rel=1e-4)
    share = high.surroundings.pressure / 101325.0
    assert high.enclosures[0].fluid.rho == pytest.approx(share * sea.enclosures[0].fluid.rho)
    fan = d.WallFan(name="Fan", on="Case", side="y-", at="4, 4 mm", size="8, 8 mm")
    with_fan = edits.add_row("One", fan).apply(small())
    low, thin = (
        resolve(edits.set_cell("One", "Surroundings", "pressure", p).apply(with_fan), "One").openings[-1].fan
        for p in ("101325 Pa", "1500 m")
    )
    assert low is not None
    assert thin is not None
    assert thin.rise == pytest.approx([share * x for x in low.rise])
    assert thin.flow == low.flow
    assert resolve(small(), "One").key() == sea.key()


@pytest.mark.parametrize(("text", "told"), [("15 km", "too large"), ("-900 m", "too small"), ("3 W", "pressure")])
def test_altitudes_that_are_none(text, told):
    """Beyond the tropopause, below the sea, or no altitude at all."""
    with pytest.raises(SetupError, match=told):
        resolve(edits.set_cell("One", "Surroundings", "pressure", text).apply(small()), "One")


def belt(**cells: str) -> d.Document:
    """Oil between a belt and a wall, 10 mm apart, open at both ends."""
    return d.Document(
        rows=(
            d.FluidRow(
                name="oil",
                density="900 kg/m3",
                viscosity="0.1 Pa s",
                heat_capacity="1900 J/kg/K",
                conductivity="0.14 W/m/K",
            ),
            d.Enclosure(
                name="Gap",
                size="200, 10, 14 mm",
                wall="0 mm",
                fluid="oil",
                outside="adiabatic",
                sides="y-: symmetry; y+: symmetry",
            ),
            d.Block(name="Belt", size="200, 10, 4 mm", **cells),
            d.Opening(name="In", on="Gap", side="x-", at="0, 4 mm", size="10, 10 mm", flow="static 0 Pa"),
            d.Opening(name="Out", on="Gap", side="x+", at="0, 4 mm", size="10, 10 mm", flow="static 0 Pa"),
            d.Surroundings(name="Surroundings", gravity="0, 0, 0 m/s2", flow="laminar"),
            d.GridRow(name="Grid"),
        )
    )


def test_a_belt_drags_the_fluid_along():
    """Between a belt and a wall the profile is a straight line: half the belt's speed passes, mu U / h pulls at it."""
    result = api.Project(belt(moves="0.5, 0, 0 m/s"), None).solve()
    assert result.summary["settled"]
    assert -result.summary["ends"]["Out"]["volume_flow"] == pytest.approx(0.5 * 0.5 * 1e-4, rel=0.01)
    q = Quantities(result)
    line = q.line((0.12, 0.005, 0.0041), (0.12, 0.005, 0.0139), 20)
    z, u = np.array([p["z"] for p in line]), np.array([p["u"] for p in line])
    assert u == pytest.approx(0.5 * (0.014 - z) / 0.01, abs=0.01)
    walls = result.walls
    names = np.array(walls.names, object)[walls.name]
    along = np.unravel_index(walls.cell, result.grid.shape)[0] / result.grid.shape[0]
    far = (along > 0.3) & (along < 0.85)  # from its ends
    for name, sign in (("Belt", -1.0), ("Gap z+", 1.0)):
        on = (names == name) & far & (walls.axis == 2)
        stress = walls.shear[on, 0].sum() / walls.area[on].sum()
        assert stress == pytest.approx(sign * 0.1 * 0.5 / 0.01, rel=0.02)


def test_what_stands_does_not_move():
    """Without the cell nothing flows, and the key is that of before."""
    still = belt()
    assert resolve(still, FIRST).solids[0].moves is None
    assert resolve(still, FIRST).key() != resolve(belt(moves="0.5, 0, 0 m/s"), FIRST).key()
    with pytest.raises(SetupError, match="moves"):
        resolve(belt(moves="fast"), FIRST)


@pytest.mark.parametrize("high", ["20 mm", "100 mm"])
def test_a_closed_gas_takes_cv(high):
    """Warmed at its bottom or throughout: the pressure rises as the first law has it (with cp it would be 0.71 of it),
    mass and heat close."""
    from verification.configurations import warmed_gas

    (row,) = warmed_gas(high)
    assert row.error == pytest.approx(0.0, abs=1e-2)
