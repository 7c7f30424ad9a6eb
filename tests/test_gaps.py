"""Narrow gaps between solids: left open, closed, or layers of fluid that stands; faults and leaks go by them."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.mesh.lines import Grid
from stithy.mesh.narrow import narrow
from stithy.project import files
from stithy.solve.job import Job
from verification import solids as s
from verification.projects import project

from .test_imports import EMPTY


def slabs(gap: float, radiation: str = "none", **grid: str):
    """Two slabs a gap (mm) apart that fill a duct from its warm end to its cold one."""
    return project(
        d.Enclosure(
            name="Duct", size="20, 6, 6 mm", wall="0 mm", outside="adiabatic", sides="x-: 50 degC; x+: 20 degC"
        ),
        d.Block(name="Warm", size=f"{10 - gap}, 6, 6 mm", material="FR4 laminate"),
        d.Block(name="Cold", at="10, 0, 0 mm", size="10, 6, 6 mm", material="FR4 laminate"),
        grid={"coarsest": "1 mm", **grid},
        radiation=radiation,
    )


def test_sides_of_a_thin_layer_radiate():
    """Through standing air passes what it conducts and what its sides radiate: grey plates side by side."""
    job = Job(slabs(0.2, "surfaces", least_gap="0.3 mm", narrower="thin layer"), "First layout", banded=False)
    emits = job.model.solids[0].finish.emissivity
    k, k_air = job.model.solids[0].k[0], job.model.enclosures[0].fluid.k
    film = k_air / 0.2e-3 + 4 * 5.670374e-8 * 293.15**3 / (2.0 / emits - 1.0)
    crosses = 30.0 / ((9.8e-3 + 10e-3) / k + 1.0 / film) * 36e-6
    assert job.run().summary["walls"]["Duct x+"] == pytest.approx(crosses, rel=1e-5)


@pytest.mark.parametrize(("narrower", "stands"), [("closed", False), ("thin layer", True)])
def test_heat_through_a_narrow_gap(narrower, stands):
    """0.2 mm of air that stands between two slabs, or none: what crosses is exact; the grid needs no cells for the gap,
    the part that stands for it and the note tell what was done."""
    document = slabs(0.2, least_gap="0.3 mm", narrower=narrower)
    job = Job(document, "First layout", banded=False)
    result = job.run().summary
    k, k_air = job.model.solids[0].k[0], job.model.enclosures[0].fluid.k
    metal = 9.8e-3 if stands else 10e-3
    crosses = 30.0 / ((metal + 10e-3) / k + (0.2e-3 / k_air if stands else 0.0)) * 36e-6
    assert result["walls"]["Duct x+"] == pytest.approx(crosses, rel=1e-6)
    assert ("Duct, thin layers" in result["parts"]) == stands
    assert any("below 0.3 mm" in n and ("stands" in n) == stands for n in result["trust"]["notes"])
    fewer = job.prepared.case.grid.cells
    assert fewer < Job(slabs(0.2), "First layout").prepared.case.grid.cells
    wide = Job(slabs(0.4, least_gap="0.3 mm"), "First layout")
    assert wide.prepared.built.filled == 0


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_what_is_narrow(data):
    """On random grids and solids: a cell is narrow just where a run of fluid along an axis that solids end on both
    sides is narrower than the size; beside it stands one of these."""
    shape = tuple(data.draw(st.integers(1, 6)) for _ in range(3))
    lines = tuple(
        np.cumsum([0.0, *data.draw(st.lists(st.sampled_from([1.0, 2.0, 3.5]), min_size=n, max_size=n))]) for n in shape
    )
    owner = np.array(
        data.draw(st.lists(st.integers(-2, 2), min_size=int(np.prod(shape)), max_size=int(np.prod(shape))))
    )
    owner = owner.reshape(shape).astype(np.int32)
    fluid, least = owner == -1, data.draw(st.sampled_from([1.5, 2.5, 4.2]))
    found, beside = narrow(Grid(lines), fluid, owner, least)
    for at in np.ndindex(shape):
        sides = set()
        for a in range(3 if fluid[at] else 0):
            low = high = at[a]
            row = tuple(slice(None) if t == a else at[t] for t in range(3))
            while low >= 0 and fluid[row][low]:
                low -= 1
            while high < shape[a] and fluid[row][high]:
                high += 1
            ends = low >= 0 and high < shape[a] and owner[row][low] >= 0 and owner[row][high] >= 0
            if ends and lines[a][high] - lines[a][low + 1] < least:
                sides.add(int(owner[row][low]))
        assert bool(sides) == found[at]
        assert not sides or int(beside[at]) in sides


def test_gaps_are_mended_up_to_a_size(tmp_path, capsys):
    """A lid 0.1 mm above its case matters until all gaps up to 0.15 mm are closed; then it does not, and nothing leaks;
    what is no size is refused."""
    case = s.cut(s.box((0, 0, 0), (50, 40, 30)), s.box((4, 4, 4), (42, 32, 30)))
    place = s.write_step(tmp_path / "case.step", {"Case": case, "Lid": s.box((0, 0, 30.1), (50, 40, 3))})
    files.save(EMPTY, tmp_path)
    at = str(tmp_path)
    assert cli.main(["import", str(place), at, "--around"]) == 0
    assert cli.main(["faults", at]) == 1
    assert cli.main(["leak", at, "25, 20, 10 mm"]) == 1
    assert cli.main(["faults", at, "--gaps", "soon"]) == 2
    capsys.readouterr()
    assert cli.main(["faults", at, "--gaps", "0.15 mm", "--json"]) == 0
    (fault,) = json.loads(capsys.readouterr().out)
    assert "least gap settles" in fault["remedy"]
    assert cli.main(["leak", at, "25, 20, 10 mm"]) == 0


def test_one_leak_after_the_other(tmp_path, capsys):
    """A lid 0.8 mm above a case with two bores: each way out once, the widest first."""
    case = s.cut(s.box((0, 0, 0), (50, 40, 30)), s.box((4, 4, 4), (42, 32, 30)))
    case = s.cut(case, s.round_bar((-1, 20, 15), (1, 0, 0), 4.5, 10))
    case = s.cut(case, s.round_bar((25, -1, 12), (0, 1, 0), 3, 10))
    place = s.write_step(tmp_path / "case.step", {"Case": case, "Lid": s.box((0, 0, 30.8), (50, 40, 3))})
    files.save(EMPTY, tmp_path)
    at = str(tmp_path)
    assert cli.main(["import", str(place), at, "--around"]) == 0
    capsys.readouterr()
    assert cli.main(["leak", at, "25, 20, 10 mm", "--all", "--json"]) == 1
    found = json.loads(capsys.readouterr().out)
    assert [1e3 * x["width"] for x in found] == pytest.approx([9.0, 6.0, 0.8], rel=0.05)
    assert [x["opening"] for x in found] == ["Case", "Case", None]
    assert set(found[2]["beside"]) == {"Case", "Lid"}
    first = api.open_project(at).leak((0.025, 0.02, 0.01))
    assert api.open_project(at).leak((0.025, 0.02, 0.01), past=[first]).width == pytest.approx(found[1]["width"])
