"""The smallest piece that repeats: found, cropped in proportion, solved to what the whole comes to."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import SetupError, StithyError
from stithy.kinds.assembly import resolve
from stithy.mesh.repeats import repeats
from stithy.model.mass import mass
from stithy.model.piece import cropped
from stithy.model.plan import Piece
from stithy.project import edits, files
from stithy.read.band import Banded
from stithy.read.watches import Watched, of_whole
from stithy.weigh.compare import standing

from .conftest import SAID


def _array(fins: int = 6, cells: str = "4 mm") -> api.Project:
    """Heated fins between the sides of a duct, a pitch of 8 mm, half a channel at both ends, symmetry beyond."""
    wide = 8 * fins
    rows = [
        d.Enclosure(
            name="Duct", size=f"60, {wide}, 20 mm", wall="0 mm", outside="adiabatic", sides="y-: symmetry; y+: symmetry"
        ),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size=f"{wide}, 20 mm", flow=f"{0.1 * fins:g} g/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size=f"{wide}, 20 mm", flow="0 Pa"),
        d.Surroundings(name="Surroundings", ambient="20 degC", flow="laminar"),
        d.GridRow(name="Grid", coarsest=cells, **SAID),
    ]
    for m in range(fins):
        rows.append(
            d.Block(
                name=f"Fin {m + 1}", at=f"15, {8 * m + 3}, 0 mm", size="30, 2, 20 mm", material="copper", power="0.5 W"
            )
        )
    return api.Project(d.Document(rows=tuple(rows)), None)


def test_a_piece_of_an_array_is_solved_as_the_whole():
    """Half a pitch of fins between symmetry: the same temperatures and pressure drop as all of them, an eighth of heat
    and flow; the whole is told."""
    project = _array(4, "1 mm")
    whole = project.solve()
    name, assumed = project.piece()
    assert "all 8 pieces across y carry alike" in assumed
    model = resolve(project.document, name)
    assert model.piece.times == pytest.approx(8)
    assert model.enclosures[0].outer[1] == (pytest.approx(0.012, abs=9e-3), pytest.approx(0.016, abs=9e-3))
    assert sum(s.power for s in model.solids) == pytest.approx(0.25)
    piece = project.solve(name)
    assert piece.temperature.shape[1] <= whole.temperature.shape[1] / 4
    tops = [max(p["max"] for n, p in s.summary["parts"].items() if n.startswith("Fin")) for s in (whole, piece)]
    assert tops[0] == pytest.approx(tops[1], abs=0.02 * (tops[0] - 293.15))
    drops = [s.summary["ends"]["In"]["pressure"] for s in (whole, piece)]
    assert drops[1] == pytest.approx(drops[0], rel=0.02)
    flows = [s.summary["ends"]["In"]["mass_flow"] for s in (whole, piece)]
    assert flows[1] * 8 == pytest.approx(flows[0])
    project.document = edits.add_row("First layout", d.WatchRow(name="Air", quantity="mass flow", of="In")).apply(
        project.document
    )
    stood = [standing(project.document, None, n) for n in ("First layout", name)]
    assert mass(stood[0].model) == pytest.approx(mass(stood[1].model))
    asked = Watched(None, Banded(flows[1], 1e-6, flows[1]), "mass flow")
    whole_ = of_whole(asked, model.piece.times)
    assert (whole_.value, whole_.banded.band) == (pytest.approx(flows[0]), pytest.approx(8e-6))
    assert of_whole(Watched(None, Banded(300.0, 1.0, 300.0), "temperature"), 8.0).value == 300.0


def test_half_of_a_box():
    """What is only symmetric is halved; one part moved aside, and nothing is left to halve."""
    rows = (
        d.Enclosure(name="Box", size="80, 60, 40 mm", wall="2 mm"),
        d.Component(name="Chip", at="30, 24, 2 mm", size="20, 12, 4 mm", power="3 W"),
        d.Opening(name="In", on="Box", side="x-", at="20, 10 mm", size="20, 10 mm", flow="0.3 m/s"),
        d.Opening(name="Out", on="Box", side="x+", at="20, 10 mm", size="20, 10 mm", flow="0 Pa"),
        d.GridRow(name="Grid", coarsest="4 mm", **SAID),
    )
    project = api.Project(d.Document(rows=rows), None)
    (found,) = repeats(resolve(project.document, "First layout"))
    assert (found.axis, found.array, found.times) == (1, False, 2.0)
    name, assumed = project.piece()
    assert "as symmetric across y" in assumed
    model = resolve(project.document, name)
    assert model.solids[0].name == "Chip" or any(s.name == "Chip" for s in model.solids)
    assert next(s for s in model.solids if s.name == "Chip").power == pytest.approx(1.5)
    whole, half = (project.solve(n).summary for n in ("First layout", name))
    assert half["parts"]["Chip"]["max"] == pytest.approx(whole["parts"]["Chip"]["max"], abs=1.0)
    assert half["ends"]["In"]["mass_flow"] == pytest.approx(0.5 * whole["ends"]["In"]["mass_flow"], rel=1e-6)
    for key, text in (("at", "30, 20, 2 mm"), ("power", "0 W")):
        document = edits.set_cell("First layout", "Chip", key, text).apply(project.document)
        moved = api.Project(document, None)
        if key == "at":
            with pytest.raises(StithyError, match="no smaller piece"):
                moved.piece()


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 40), st.integers(4, 40), st.sampled_from([0, 1]))
def test_cropping_is_in_proportion(low, wide, axis):
    """Two pieces side by side have the power, the volume and the flow of both together."""
    model = resolve(_array(4).document, "First layout")
    end = model.enclosures[0].outer[axis][1]
    cuts = sorted({0.0, min(1e-3 * low, end), min(1e-3 * (low + wide), end), end})
    spans = [(a, b) for a, b in zip(cuts, cuts[1:], strict=False) if b - a > 1e-6]
    parts = []
    for span in spans:
        at: list = [None] * 3
        at[axis] = span
        parts.append(cropped(model, Piece(tuple(at), ("symmetry",) * 3, 1.0)))
    assert sum(s.power for m in parts for s in m.solids) == pytest.approx(2.0)
    volume = sum(np.prod([b - a for a, b in box]) for m in parts for s in m.solids for box in s.boxes)
    assert volume == pytest.approx(4 * 30e-3 * 2e-3 * 20e-3)
    if axis == 1:
        assert sum(x.value for m in parts for x in m.openings if x.name == "In") == pytest.approx(0.4e-3)


def test_round_things_are_cropped_by_their_volume():
    """Half a bar, half a bent tube, a quarter of a sink's outline: powers go by what is left."""
    rows = (
        d.Enclosure(name="Box", size="100, 100, 100 mm", wall="0 mm"),
        d.Cylinder(name="Bar", at="20, 50, 50 mm", along="x", length="60 mm", diameter="20 mm", power="8 W"),
        d.Tube(name="Tube", points="10, 20, 20; 90, 20, 20; 90, 80, 20 mm", bend="15 mm", diameter="8 mm", power="6 W"),
    )
    model = resolve(d.Document(rows=rows), "First layout")
    half = cropped(model, Piece((None, (0.05, 0.1), None), ("symmetry",) * 3))
    assert next(s for s in half.solids if s.name == "Bar").power == pytest.approx(4.0, rel=1e-3)
    tube = next(s for s in half.solids if s.name == "Tube").power
    length = 80 + 60 - 30 + np.pi / 2 * 15
    assert tube == pytest.approx(6 * 30 / length, rel=0.02)


def test_a_piece_from_the_command_line(tmp_path, capsys):
    """It makes the layout and says what was assumed; places beyond the model are refused with what can be."""
    files.save(_array(4).document, tmp_path)
    assert cli.main(["piece", str(tmp_path)]) == 0
    told = capsys.readouterr().out
    assert "First layout, piece" in told
    assert "carry alike" in told
    document = files.read(tmp_path)
    bad = edits.set_cell("First layout, piece", "Piece", "y", "20 to 90 mm").apply(document)
    with pytest.raises(SetupError, match="Give places from 0 to 32 mm"):
        resolve(bad, "First layout, piece")
    bad = edits.set_cell("First layout, piece", "Piece", "y", "20 mm").apply(document)
    with pytest.raises(SetupError, match="20 to 24 mm"):
        resolve(bad, "First layout, piece")


def _row_of_blocks() -> api.Project:
    """Six hot blocks of one temperature in a row in a channel, a pitch of 20 mm; symmetry beside."""
    rows = [
        d.Enclosure(
            name="Duct", size="160, 4, 12 mm", wall="0 mm", outside="adiabatic", sides="y-: symmetry; y+: symmetry"
        ),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="4, 12 mm", flow="0.05 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="4, 12 mm", flow="0 Pa"),
        d.Surroundings(name="Surroundings", ambient="20 degC", flow="laminar", gravity="0, 0, 0 m/s2"),
        d.GridRow(name="Grid", coarsest="1 mm", **SAID),
        *(d.Block(name=f"B{m}", at=f"{20 + 20 * m}, 0, 0 mm", size="8, 4, 3 mm", power="60 degC") for m in range(6)),
    ]
    return api.Project(d.Document(rows=tuple(rows)), None)


def test_one_period_along_the_flow():
    """A period of a row of blocks: found whole, driven by the mean flow; its pressure gradient is what the middle of
    the whole row has, and its walls are one temperature."""
    project = _row_of_blocks()
    whole = project.solve()
    name, assumed = project.piece(along=True)
    assert "all 6 periods along x" in assumed
    assert "as symmetric across y" in assumed
    model = resolve(project.document, name)
    (low, high), piece = model.enclosures[0].outer[0], project.solve(name)
    assert high - low == pytest.approx(0.02)
    assert (model.drive.kind, model.drive.value) == ("volume", pytest.approx(0.05 * 2e-3 * 12e-3))
    middle = [int(np.searchsorted(whole.grid.centres[0], x)) for x in (0.054, 0.114)]
    over = whole.pressure[:, 0, -1]
    fall = (over[middle[0]] - over[middle[1]]) / (whole.grid.centres[0][middle[1]] - whole.grid.centres[0][middle[0]])
    assert piece.summary["drive"]["pressure_gradient"] == pytest.approx(fall, rel=0.05)
    with pytest.raises(StithyError, match="at least twice"):
        _array(4).piece(along=True)
