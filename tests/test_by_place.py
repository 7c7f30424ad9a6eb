"""Conditions that differ from place to place: closed forms, totals, what cannot be."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api
from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.model.by_place import ByPlace
from stithy.project import edits

from .conftest import SAID

#: m, m, W/m/K, W/m2
LONG, TALL, K, FLUX = 0.1, 0.06, 15.0, 5000.0


def _slab(sides: str, cells: str = "2.5 mm", *more: d.Row) -> api.Project:
    """Solid steel in an enclosure without walls, four cells deep."""
    rows = (
        d.Enclosure(name="Case", size="100, 10, 60 mm", wall="0 mm", outside="adiabatic", sides=sides),
        d.Block(name="Slab", size="100, 10, 60 mm", material="stainless steel"),
        d.Surroundings(name="Surroundings", ambient="20 degC"),
        d.GridRow(name="Grid", coarsest=cells, **SAID),
        *more,
    )
    return api.Project(d.Document(rows=rows), None)


def _field(result):
    grid = result.grid
    return grid.centres[0], grid.centres[2], result.temperature[:, 0, :]


@pytest.mark.parametrize("cells", ["5 mm", "2.5 mm"])
def test_flux_as_a_cosine_on_a_slab(cells):
    """q = q0 cos(pi x / L) into the top, the bottom held: T = T0 + q0 L/(pi k) sinh(pi z/L)/cosh(pi H/L) cos(pi x/L)
    (separation of variables)."""
    result = _slab("z-: 20 degC; z+: = 5000 W/m2 * cos(pi * x / 100 mm)", cells).solve()
    x, z, t = _field(result)
    shape = np.cos(np.pi * x / LONG)[:, None] * np.sinh(np.pi * z / LONG) / np.cosh(np.pi * TALL / LONG)
    expected = 293.15 + FLUX * LONG / (np.pi * K) * shape
    worst = np.abs(t - expected).max() / np.ptp(expected)
    assert worst < (0.004 if cells == "5 mm" else 0.0011)
    assert abs(result.summary["heat_imbalance"]) < 1e-4


def test_temperature_as_a_cosine_by_parameters_and_table():
    """T = T0 + dT cos(pi x / L) held on the top, written with a parameter and another row's cell: T0 + dT sinh(pi z/L)
    / sinh(pi H/L) cos(pi x/L); a table of the same gives the same."""
    more = d.Parameter(name="top", value="30 K"), d.Parameter(name="length", value="= Slab.size.x")
    text = "z-: 20 degC; z+: = 293.15 K + top * cos(pi * x / length)"
    result = _slab(text, "2.5 mm", *more).solve()
    x, z, t = _field(result)
    shape = np.cos(np.pi * x / LONG)[:, None] * np.sinh(np.pi * z / LONG) / np.sinh(np.pi * TALL / LONG)
    assert np.abs(t - 293.15 - 30 * shape).max() < 0.06
    places = np.linspace(0, 100, 81)
    pairs = "; ".join(f"{p:g} mm: {20 + 30 * np.cos(np.pi * p / 100):.5f} degC" for p in places)
    other = _slab(f"z-: 20 degC; z+: x {pairs}; y-: adiabatic", "2.5 mm").solve()
    assert np.abs(other.temperature - result.temperature).max() < 0.01


@settings(max_examples=12, deadline=None)
@given(st.integers(-3, 6), st.integers(0, 4), st.integers(1, 8))
def test_what_is_given_arrives(a, b, c):
    """The heat a patch releases is the sum of its flux over its faces; it leaves by the other side."""
    text = f"= {c}00 W/m2 + {a}000 W/m2/m * x + {b}000 W/m2/m**2 * z * z"
    patch = d.WallPatch(name="Patch", on="Case", side="z+", at="20, 0 mm", size="60, 10 mm", condition=text)
    result = _slab("z-: 20 degC", "5 mm", patch).solve()
    x = np.arange(22.5e-3, 80e-3, 5e-3)
    given_ = (100 * c + 1e3 * a * x + 1e3 * b * TALL**2).sum() * 5e-3 * 10e-3
    out = [q for name, q in result.summary["walls"].items() if name.endswith("z-")]
    assert abs(sum(out)) == pytest.approx(abs(given_), rel=2e-3, abs=1e-6)


def test_a_coefficient_by_angle_and_distance():
    """Names of places: angle and distance from the middle's axis, along from the low end."""
    box = ((0.0, 0.0, 0.0), (0.2, 0.1, 0.1))
    points = np.array([[0.05, 0.1, 0.05], [0.2, 0.05, 0.1], [0.0, 0.0, 0.05]])
    assert ByPlace("10*W/m**2/K * angle_x / (pi/2)", "heat transfer coefficient", box).at(points) == pytest.approx(
        [0.0, 10.0, 20.0]
    )
    assert ByPlace("1000*W/m**3 * radius_x", "heat flux", box).at(points) == pytest.approx([50, 50, 50])
    assert ByPlace("1000*W/m**3 * along", "heat flux", box).at(points) == pytest.approx([50, 200, 0])
    table = ByPlace("angle_x", "heat flux", box, ((0.0, 100.0), (np.pi / 2, 300.0)))
    assert table.at(points) == pytest.approx([100, 300, 300])


def test_equal_words_make_equal_keys_and_others_do_not():
    """A parameter's value counts, its name does not; moving the surface counts, too."""
    one = _slab("z+: = flux * x / 100 mm", "5 mm", d.Parameter(name="flux", value="500 W/m2"))
    two = _slab("z+: = q * x / 100 mm", "5 mm", d.Parameter(name="q", value="0.5 kW/m2"))
    three = _slab("z+: = flux * x / 100 mm", "5 mm", d.Parameter(name="flux", value="501 W/m2"))
    keys = [resolve(p.document, "First layout").key() for p in (one, two, three)]
    assert keys[0] == keys[1] != keys[2]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("= 500 W/m2 * nothing * x", "no parameter and no unit"),
        ("= x * 2", "no heat flux, temperature or heat transfer coefficient"),
        ("= -8 W/m2/K * x / 10 mm", "comes to"),
        ("= 500 W/m2 * 10 mm / (x - 20 mm)", "not finite"),
        ("x 0 mm: 100 W/m2", "two places or more"),
        ("x 10 mm: 100 W/m2; 0 mm: 300 W/m2", "two places or more that rise"),
        ("x 0 mm: 100 W/m2; 300 W/m2", "no place and value"),
        ("x mm W/m2: 0 100 10", "place without a value"),
    ],
)
def test_what_cannot_be_by_place_is_told(text, told):
    patch = d.WallPatch(name="Patch", on="Case", side="z+", at="20, 0 mm", size="60, 10 mm", condition=text)
    with pytest.raises(SetupError) as error:
        resolve(_slab("z-: 20 degC", "5 mm", patch).document, "First layout")
    assert any(p.key == "condition" and told in str(p) for p in error.value.problems), error.value.problems


def test_pasted_columns():
    """Two columns of numbers behind their units."""
    patch = d.WallPatch(name="Patch", on="Case", side="z+", at="20, 0 mm", size="60, 10 mm")
    sets = edits.set_cell("First layout", "Patch", "condition", "x mm W/m2: 0 100 50 200 100 100")
    document = sets.apply(_slab("z-: 20 degC", "5 mm", patch).document)
    (found,) = resolve(document, "First layout").patches
    assert np.ravel(found.condition.where.table) == pytest.approx([0.0, 100.0, 0.05, 200.0, 0.1, 100.0])
