"""Models drawn at random: each is solved with its balances closed and its temperatures in bounds, or refused, or told
to have diverged."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.errors import SetupError, SolveFailed
from stithy.solve.job import Job

SIDES = ("x-", "x+", "y-", "y+", "z-", "z+")


@st.composite
def models(draw) -> d.Document:
    """An enclosure of any proportions with solids, openings, fans, fluids and sides of many kinds."""
    size = [draw(st.integers(20, 160)) for _ in range(3)]
    wall = draw(st.sampled_from(["0 mm", "2 mm"]))
    fluid = draw(st.sampled_from(["air", "air", "water", "dielectric liquid"]))
    outside = draw(st.sampled_from(["8 W/m2/K", "adiabatic", "40 W/m2/K to 10 degC"]))
    text = ", ".join(map(str, size)) + " mm"
    rows: list = [d.Enclosure(name="Case", size=text, wall=wall, fluid=fluid, outside=outside)]
    for m in range(draw(st.integers(0, 4))):
        low = [draw(st.integers(2, max(2, s - 8))) for s in size]
        high = [min(a + draw(st.integers(2, 40)), s - 2) for a, s in zip(low, size, strict=True)]
        place = {
            "at": ", ".join(map(str, low)) + " mm",
            "size": ", ".join(str(max(b - a, 1)) for a, b in zip(low, high, strict=True)) + " mm",
        }
        kind = draw(st.sampled_from([d.Block, d.Component, d.Board]))
        power = draw(st.sampled_from(["0 W", "0.5 W", "4 W", "60 degC" if kind is d.Block else "1 W"]))
        rows.append(kind(name=f"Solid {m}", power=power, **place))
    for m in range(draw(st.integers(0, 3))):
        side = draw(st.sampled_from(SIDES))
        across = [s for a, s in enumerate(size) if a != "xyz".index(side[0])]
        span = [draw(st.integers(4, max(4, s - 6))) for s in across]
        place = {
            "on": "Case",
            "side": side,
            "at": ", ".join(str(draw(st.integers(2, max(2, s - w - 2)))) for s, w in zip(across, span, strict=True))
            + " mm",
            "size": ", ".join(map(str, span)) + " mm",
        }
        kind = draw(st.sampled_from(["inlet", "outlet", "ambient", "vent", "fan"]))
        if kind == "vent":
            rows.append(d.Vent(name=f"Opening {m}", **place))
        elif kind == "fan":
            rows.append(d.WallFan(name=f"Opening {m}", blows=draw(st.sampled_from(["in", "out"])), **place))
        else:
            flow = {
                "inlet": draw(st.sampled_from(["0.2 m/s", "2 m/s", "1 g/s"])),
                "outlet": "0 Pa",
                "ambient": "ambient",
            }[kind]
            rows.append(d.Opening(name=f"Opening {m}", flow=flow, **place))
    if draw(st.booleans()):
        rows.append(
            d.InsideFan(
                name="Stirrer", at=f"{size[0] // 2}, 2, 2 mm", size=f"{size[1] - 4}, {size[2] - 4} mm", blows="x+"
            )
        )
    gravity = draw(st.sampled_from(["0, 0, -9.81 m/s2", "0, 0, 0 m/s2", "9.81, 0, 0 m/s2"]))
    mixing = draw(st.sampled_from(["wall-law", "wall-law", "laminar", "k-omega", "k-epsilon"]))
    properties = draw(st.sampled_from(["constant", "constant", "varying"]))
    return d.Document(
        name="Random",
        rows=(
            *rows,
            d.Surroundings(name="Surroundings", gravity=gravity, flow=mixing, properties=properties),
            d.GridRow(name="Grid", coarsest="9 mm"),
            d.RunRow(name="Run", iterations="150"),
        ),
    )


def look_at(document: d.Document) -> None:
    """Solve it, or take its refusal; what comes out is finite, in bounds, and keeps mass and heat."""
    try:
        job = Job(document, "First layout")
        if job.run_.case.grid.cells > 150_000:
            return
        s = job.run().summary
    except SetupError as error:
        assert all(p.row and p.what for p in error.problems)
        return
    except SolveFailed as error:
        assert error.place is None or np.isfinite(error.place).all()
        assert "diverged" in str(error)
        return
    case, t = job.prepared.case, job.run_.fields().temperature
    live = case.kind != 2
    given_ = [298.15, 283.15, *(np.nan_to_num(case.fixed, nan=298.15).ravel() if case.fixed is not None else [])]
    assert np.isfinite(t[live]).all()
    assert t[live].min() > min(given_) - 1.0
    if not s["heat_load"] and case.fixed is None:
        assert t[live].max() < max(given_) + 1.0
    if s["settled"]:
        assert s["trust"]["mass_imbalance"] < 1e-6
        scale = max(s["heat_load"], sum(abs(q) for q in s["walls"].values()), 1e-3)
        assert abs(s["heat_imbalance"]) < 2e-3 * scale


@given(models())
@settings(max_examples=2, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
def test_a_few_random_models(document):
    """The same few at every test."""
    look_at(document)


@pytest.mark.verify
@pytest.mark.timeout(3000)
@given(models())
@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
def test_random_models(document):
    """Thirty, other ones every time."""
    look_at(document)
