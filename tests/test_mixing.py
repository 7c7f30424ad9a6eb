"""The algebraic enclosure model: wall distance and the law of the wall."""

from __future__ import annotations

import numpy as np
import pytest

from stithy.equations.mixing import Between, mixing_fields, temperature_law, wall_law
from stithy.equations.staggered import Staggered
from stithy.equations.sublayer import Sublayer
from stithy.equations.walls import wall_distance
from stithy.mesh.lines import Grid
from stithy.setup.case import Fluid, side_opening, simple_case

AIR = Fluid(1.2, 1.8e-5, 1006.0, 0.026, 0.0034)


def test_wall_distance_in_a_box():
    """Distance to the nearest of six walls; an opening and a symmetry side are no walls."""
    x, y, z = np.linspace(0, 0.3, 13), np.linspace(0, 0.1, 9), np.cumsum([0.0, *np.linspace(1, 3, 10)]) / 200
    case = simple_case(Grid((x, y, z)), AIR, symmetry=frozenset({"z-"}))
    case.openings = [side_opening(case, "x-", kind="pressure", temperature=300.0)]
    cx, cy, cz = np.meshgrid(*case.grid.centres, indexing="ij")
    exact = np.minimum.reduce([0.3 - cx, cy, 0.1 - cy, z[-1] - cz])
    assert wall_distance(case) == pytest.approx(exact, rel=1e-9)


def test_wall_distance_from_an_edge():
    """Round a solid's edge the distance is to the edge itself."""
    x = np.linspace(0, 1, 21)
    case = simple_case(Grid((x, x, np.array([0, 0.05]))), AIR, symmetry=frozenset({"x-", "x+", "y-", "y+", "z-", "z+"}))
    case.kind[:4, :4] = 1
    cx, cy = np.meshgrid(*case.grid.centres[:2], indexing="ij")
    exact = np.hypot(np.maximum(cx - 0.2, 0), np.maximum(cy - 0.2, 0))[..., None]
    fluid = case.kind == 0
    assert wall_distance(case)[fluid] == pytest.approx(exact[fluid], rel=1e-6)


def test_law_of_the_wall():
    """Laminar in slow flow; the log law with kappa 0.41 and B 5.2 in fast; never below molecular values."""
    eddy, wall, u_plus = wall_law(np.array([1e-4, 4.0, 1e5]))
    # the law's first term at u+ = y+ = 2 is kappa exp(-kappa B) (2 kappa)^3 / 6 = 0.0045, the next 2 kappa / 4 of that
    assert eddy[1] == pytest.approx(0.0045 * (1 + 0.82 / 4), rel=0.05)
    assert eddy[0] < 1e-6
    assert wall[:2] == pytest.approx([1, 1], abs=0.02)
    y_plus = wall[2] * u_plus[2]
    assert u_plus[2] == pytest.approx(np.log(y_plus) / 0.41 + 5.2, abs=0.15)
    assert eddy[2] == pytest.approx(0.41 * y_plus, rel=0.15)
    speed = np.geomspace(1e-4, 10, 60)
    _, friction, _, heat = mixing_fields(speed, np.full(60, 0.01), np.full(60, 1.5e-5), np.full(60, 0.71))
    assert (friction >= 1 - 1e-9).all()
    assert (heat >= 1 - 1e-9).all()
    assert (np.diff(friction) >= -1e-6 * friction[1:]).all()
    # far out the wall law of temperature is T+ = 2.12 ln(1 + y+) + 3.84 for Pr 0.71 (Kader)
    _, ratio, u = wall_law(speed[-1:] * 0.01 / 1.5e-5)
    y = ratio * u
    assert 0.71 * y / heat[-1:] == pytest.approx(2.12 * np.log(1 + y) + 3.84, rel=0.02)


def test_law_of_the_wall_for_temperature():
    """It grows with the distance without a dip; between two points it conducts what they do near the wall and far out,
    else less."""
    y = np.geomspace(0.1, 300, 400)
    for prandtl in (0.025, 0.71, 7.0):
        t_plus = temperature_law(y, np.full(400, prandtl))
        assert (np.diff(t_plus) > 0).all()
        assert (t_plus <= prandtl * y * (1 + 1e-9)).all()
    near, far = np.array([0.2, 10.0, 1000.0]), np.array([0.6, 30.0, 3000.0])
    share = Between(np.full(3, 0.71)).share(near, far)
    assert share[[0, 2]] == pytest.approx([1.0, 1.0], abs=0.02)
    rise = temperature_law(np.array([10.0, 30.0]), np.full(2, 0.71))  # Kader's T+ there: 6.1 and 10.8
    eddy, friction, u_plus = wall_law(np.geomspace(10, 1000, 2000))
    ends = 1 + np.interp([10.0, 30.0], friction * u_plus, eddy) * 0.71 / 0.87
    mean = (0.5 * ends.sum() + 2 * np.sqrt(ends[0] * ends[1])) / 3
    assert share[1] == pytest.approx(0.71 * 20 / (rise[1] - rise[0]) / mean, rel=0.01)
    assert share[1] < 0.85


def test_steep_profiles_beside_a_wall():
    """A scalar that falls with the square of the distance: its diffusion, its mean squares and means of eddies between
    cells are exact."""
    lines = np.cumsum([0.0, *(1e-4 * 1.3 ** np.arange(12))])
    case = simple_case(
        Grid((lines, np.array([0, 0.01]), np.array([0, 0.01]))), AIR, symmetry=frozenset({"x+", "y-", "y+", "z-", "z+"})
    )
    geo = Staggered(case)
    y = geo.pad(wall_distance(case))
    fluid, first = y > 0, np.flatnonzero(y == y[y > 0].min())
    layer = Sublayer(geo, fluid, y, first)
    nu, k = np.full(geo.size, 1.5e-5), np.full(geo.size, 1e-12)  # all is viscous sublayer
    x = np.divide(1.0, y * y, out=np.zeros(geo.size), where=fluid)
    layer.look(x)
    assert np.concatenate(layer.power) == pytest.approx(2.0)
    low, high = np.ones(geo.size), np.ones(geo.size)
    layer.diffuse(0, nu, k, x, np.zeros(geo.size), low, high)
    c, st = layer.faces[0], int(geo.s[0])
    exact = 2.0 / lines[1:-1] ** 3 * (y[c + st] - y[c])
    assert high[c] * (x[c] - x[c + st]) == pytest.approx(exact, rel=1e-3)
    assert low[c + st] == pytest.approx(high[c])
    squares = x**2
    layer.mean_square(nu, k, squares)
    ends = lines[1:-1], lines[2:]
    assert squares[layer.cells][:-1] == pytest.approx(
        (((ends[0] ** -3 - ends[1] ** -3) / 3) / np.diff(lines)[1:])[:-1], rel=1e-3
    )
    ratio = 0.3 * (y / y[c[0] + st]) ** 3  # eddies between the first cell and the next
    bridge = layer.bridge(ratio, np.ones(geo.size), nu, k)[0]
    mean = (2 * np.sqrt(bridge * 1.3) + 0.5 * (bridge + 1.3)) / 3
    s = np.linspace(y[c[0]], y[c[0] + st], 2001)
    assert mean == pytest.approx(1 / np.mean(1 / (1 + 0.3 * (s / s[-1]) ** 3)), rel=2e-3)
    assert mean < 0.97 * 0.5 * (ratio[first[0]] + 2.3)  # which a plain mean would exceed
