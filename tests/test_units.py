"""Cells read as people write them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stithy.errors import ValueProblem
from stithy.project import units
from stithy.project.units import DIMENSIONS, registry, show, to_si, vector


@pytest.mark.parametrize(
    ("text", "dimension", "value"),
    [
        ("12 cfm", "volume flow", 12 * 0.3048**3 / 60),
        ("35 degC", "temperature", 308.15),
        ("35 °C", "temperature", 308.15),
        ("0.4 inH2O", "pressure", 99.6),
        ("30 mil", "length", 762e-6),
        ("45 %", "ratio", 0.45),
        ("8 W/m2/K", "heat transfer coefficient", 8),
        ("12", "length", 0.012),
        ("−5 degC", "temperature", 268.15),
        ("2 atm", "pressure", 202650),
        ("9.81 m/s2", "acceleration", 9.81),
    ],
)
def test_reads_units(text, dimension, value):
    """Trade units come out in SI."""
    assert to_si(text, dimension) == pytest.approx(value, rel=1e-3)


def test_expressions():
    """Parameters, units and arithmetic; offsets of temperature survive a plain reference."""
    names = {"airflow": registry().Quantity(6.0, "m**3/h")}
    assert to_si("= 2*airflow + 3 m3/h", "volume flow", names) == pytest.approx(15 / 3600)
    assert to_si("= max(1 mm, 3*2 mm)", "length") == pytest.approx(6e-3)
    for bad in ("= nothing*2", "= 1 mm + 2 W", "= __import__('os')", "= (1", "= 2 ** 999", "= 1/0"):
        with pytest.raises(ValueProblem):
            to_si(bad, "length", names)


def test_wrong_dimension_names_both():
    """The refusal says what it is and what it should be."""
    with pytest.raises(ValueProblem, match="mass flow, not a length"):
        to_si("3 g/s", "length")


def test_vectors_share_the_last_unit():
    """A unit after the last number serves all that have none; each may have its own."""
    assert vector("220, 140, 60 mm", "length", 3) == pytest.approx((0.22, 0.14, 0.06))
    assert vector("22 cm × 140 x 60 mm", "length", 3) == pytest.approx((0.22, 0.14, 0.06))
    with pytest.raises(ValueProblem, match="2 of 3"):
        vector("220, 140 mm", "length", 3)


@given(
    st.floats(-1e6, 1e6).filter(lambda x: x == 0 or abs(x) > 1e-6),
    st.sampled_from([n for n in DIMENSIONS if n != "temperature difference"]),
)
def test_show_and_read_agree(value, dimension):
    """What is shown reads back as the same value."""
    low, high = units.BOUNDS[dimension]
    value = min(max(value, low), high)
    assert to_si(show(value, dimension, 12), dimension) == pytest.approx(value, rel=1e-9, abs=1e-8)


@given(st.text(max_size=30))
def test_never_anything_but_a_refusal(text):
    """Any text is read, or refused with a ValueProblem that says something."""
    try:
        assert isinstance(to_si(text, "length"), float)
    except ValueProblem as error:
        assert error.what
        assert error.remedy
    assert isinstance(units.split(text), list)


@pytest.mark.parametrize(
    ("text", "kelvin"),
    [
        ("= 20 degC + 5 K", 298.15),
        ("= -5 degC", 268.15),
        ("= 20 °C + 2 * 10 K", 313.15),
        ("= 50 degF + 9 K", 292.15),
        ("= max(20 degC, 30 degC)", 303.15),
        ("= 300 K - 10 K", 290.0),
        ("= 20 degC + (80 degC - 40 degC) / 2", 313.15),
    ],
)
def test_temperatures_in_expressions(text, kelvin):
    """A level in degrees is no product of a number and a degree: its scale has a zero of its own."""
    assert units.to_si(text, "temperature") == pytest.approx(kelvin)
