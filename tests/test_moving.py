"""Parts moved by three lengths, and what they snap to."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import StithyError
from stithy.kinds.assembly import resolve
from stithy.kinds.moving import levels, moved, snapped
from stithy.model.places import bounds
from stithy.project import edits, files

from .conftest import small

length = st.floats(-0.1, 0.1).map(lambda x: round(x, 6))


@settings(max_examples=30, deadline=None)
@given(length, length, length, st.sampled_from(["mm", "cm", "in", "m"]))
def test_a_part_goes_as_far_as_it_is_moved(x, y, z, unit):
    """Whatever unit its cell is in, which it keeps; and back again."""
    document = edits.set_cell("One", "Chip", "at", f"1, 2, 0.5 {unit}").apply(small())
    before = next(r for r in document.rows if r.name == "Chip")
    after = moved(document, "One", ["Chip"], (x, y, z)).apply(document)
    row = next(r for r in after.rows if r.name == "Chip")
    assert row.at.endswith(f" {unit}")
    lows = [[s.bounds for s in _solids(doc) if s.name == "Chip"][0] for doc in (document, after)]
    for a, by in enumerate((x, y, z)):
        assert lows[1][a][0] - lows[0][a][0] == pytest.approx(by, abs=3e-8)
    back = moved(after, "One", ["Chip"], (-x, -y, -z)).apply(after)
    assert [s.bounds for s in _solids(back) if s.name == "Chip"][0][0][0] == pytest.approx(lows[0][0][0], abs=6e-8)
    assert before.size == row.size


def _solids(document):
    from stithy.kinds.assembly import read_all
    from stithy.project.reader import Reader

    return read_all(Reader(document, "One"), "One").solids


@given(length, st.lists(length, max_size=6), st.floats(1e-5, 5e-3))
def test_snapping_is_to_the_nearest_within_reach(by, others, reach):
    """A face goes to the nearest level that one of its two faces comes within reach of; else in whole steps."""
    span, found = (0.0, 0.02), {x: "Other" for x in others}
    went, what = snapped(span, by, found, reach, 1e-3)
    near = [level - own for level in others for own in span if abs(level - own - by) < reach]
    if near:
        assert what == "Other"
        assert abs(went - by) == pytest.approx(min(abs(x - by) for x in near))
    else:
        assert what == ""
        assert went == pytest.approx(round(by / 1e-3) * 1e-3)


def test_levels_are_those_of_others():
    """Faces and middles of all other parts and of the inside of enclosures, none of the part's own."""
    model = resolve(small(), "One")
    found = levels(model, 0, ("Chip",))
    box = model.enclosures[0].inner[0]
    assert found[round(box[0], 9)] == model.enclosures[0].name
    assert f"middle of {model.enclosures[0].name}" in found.values()
    assert "Chip" not in found.values()
    assert bounds(model, ("Chip",))[0] == pytest.approx([0.026, 0.014, 0.002])
    assert bounds(model, ("Nobody",)) is None


def test_moving_from_the_command_line(tmp_path, capsys):
    """Several parts at once; a place that is a formula, a row without a place and a length that is none are refused."""
    document = small()
    document = edits.add_row("One", d.Parameter(name="gap", value="3 mm")).apply(document)
    files.save(document, tmp_path)
    at = str(tmp_path)
    assert cli.main(["move", at, "1, 0, 2 mm", "Chip"]) == 0
    assert "27, 14, 4 mm" in capsys.readouterr().out
    files.save(edits.set_cell("One", "Chip", "at", "= 9*gap, 14, 4 mm").apply(files.read(tmp_path)), tmp_path)
    assert cli.main(["move", at, "1, 0, 2 mm", "Chip"]) == 2
    assert "is a formula" in capsys.readouterr().err
    assert cli.main(["move", at, "far", "Chip"]) == 2
    with pytest.raises(StithyError, match="no place"):
        api.open_project(at).move(["gap"], "1, 0, 0 mm")
