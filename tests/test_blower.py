"""Blowers: the curve between their mouths, heat that they carry, what cannot be."""

from __future__ import annotations

import pytest

from stithy import kinds as d
from stithy.errors import SetupError
from stithy.project import edits
from stithy.solve.job import Job


def blown(draws_in: str = "x-", blows: str = "x+", **cells: str) -> d.Document:
    """Two chambers, a blower through the wall between them, vents at both ends."""
    return d.Document(
        rows=(
            d.Enclosure(name="Box", size="200, 60, 60 mm", wall="0 mm", outside="adiabatic"),
            d.Block(name="Wall", at="90, 0, 0 mm", size="20, 60, 60 mm", material="ABS plastic"),
            d.BlowerRow(
                name="Blower",
                **{
                    **dict(at="90, 10, 10 mm", size="20, 40, 40 mm", curve="0 m3/h: 40 Pa; 20 m3/h: 0 Pa"),
                    **dict(draws_in=draws_in, blows=blows, **cells),
                },
            ),
            d.Block(name="Hot", at="40, 20, 0 mm", size="20, 20, 10 mm", material="aluminium", power="5 W"),
            d.Vent(name="In", on="Box", side="x-", at="0, 0 mm", size="60, 60 mm", free="40 %"),
            d.Vent(name="Out", on="Box", side="x+", at="0, 0 mm", size="60, 60 mm", free="40 %"),
            d.Surroundings(name="S", ambient="20 degC", gravity="0, 0, 0 m/s2"),
            d.GridRow(name="Grid", detail="quick"),
            d.RunRow(name="Run"),
        )
    )


@pytest.mark.parametrize("turned", [False, True])
def test_a_blower_keeps_to_its_curve_and_carries_all_heat(turned):
    """As much as warm: the flow lies on the curve between its mouths, and what it draws in comes out as it is."""
    job = Job(blown(*(("x+", "x-") if turned else ())), "First layout", banded=False)
    s = job.run().summary
    blower = job.run_.flow.devices.blowers[0]
    assert s["settled"]
    assert s["fans"]["Blower"]["rise"] == pytest.approx(blower.rise, abs=0.05)
    inlet, outlet = ("Out", "In") if turned else ("In", "Out")
    flow = s["ends"][inlet]
    assert flow["volume_flow"] == pytest.approx(s["fans"]["Blower"]["volume_flow"], rel=1e-6)
    assert s["ends"][outlet]["temperature"] - 293.15 == pytest.approx(5.0 / (flow["mass_flow"] * 1006.0), rel=1e-3)
    assert abs(s["heat_imbalance"]) < 5e-3
    for name in ("air 1", "air 2"):  # what each chamber takes it gives
        taken = sum(r["heat"] for r in s["heat_path"] if r["to"] == name)
        assert taken == pytest.approx(sum(r["heat"] for r in s["heat_path"] if r["from"] == name), abs=0.01)


def test_a_blower_in_a_closed_box():
    """Its air goes round: all heat leaves by the walls, however often it passes the blower."""
    rows = [
        d.Enclosure(name="Box", size="120, 80, 50 mm", wall="0 mm", outside="10 W/m2/K"),
        d.BlowerRow(name="Blower", at="10, 20, 0 mm", size="40, 40, 15 mm", draws_in="z+", blows="x+"),
        d.Block(name="Hot", at="80, 30, 0 mm", size="20, 20, 10 mm", material="aluminium", power="3 W"),
        d.Surroundings(name="S", ambient="20 degC", radiation="none"),
        d.GridRow(name="Grid", detail="quick"),
        d.RunRow(name="Run"),
    ]
    job = Job(d.Document(rows=tuple(rows)), "First layout", banded=False)
    s = job.run().summary
    assert sum(s["walls"].values()) == pytest.approx(3.0, rel=2e-3)
    assert s["trust"]["mass_imbalance"] < 1e-6
    assert 0.05 < s["fans"]["Blower"]["flow_share"] < 1.0


@pytest.mark.parametrize(
    ("cells", "words"),
    [({"blows": "x-"}, "is the side it draws in on"), ({"outlet": "80, 20 mm"}, "larger than the side")],
)
def test_blowers_that_cannot_be(cells, words):
    """Told with their row and what to do."""
    with pytest.raises(SetupError, match=words):
        Job(blown(**({"draws_in": "x-"} | cells)), "First layout")


def test_a_blower_needs_room_before_its_mouths():
    """One that stands right before a wall is told."""
    document = edits.set_cell("First layout", "Blower", "at", "90, 10, 0 mm").apply(blown("z-", "x+"))
    with pytest.raises(SetupError, match="no fluid before it"):
        Job(document, "First layout")
