"""Parts put in order, pulled larger, repeated, mirrored, grouped; by value, and by properties that search."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import StithyError
from stithy.kinds import arranging, moving
from stithy.kinds.assembly import read_all
from stithy.model import places
from stithy.project import edits, files
from stithy.project.reader import Reader

from .conftest import small

PLACE = st.integers(0, 90)
BOX = st.tuples(PLACE, PLACE, PLACE, st.integers(1, 9), st.integers(1, 9), st.integers(1, 9))


def _document(boxes):
    rows = [d.Enclosure(name="Box", size="200, 160, 120 mm", wall="3 mm")]
    for m, (x, y, z, a, b, c) in enumerate(boxes):
        rows.append(d.Block(name=f"Part {m}", at=f"{x}, {y}, {z} mm", size=f"{a}, {b}, {c} mm"))
    return d.Document(rows=tuple(rows))


def _model(document):
    return read_all(Reader(document, "First layout"), "First layout")


def _boxes(document):
    return places.boxes(_model(document))


def _do(document, words, names):
    return arranging.by_words(document, "First layout", _model(document), names, words).apply(document)


@settings(max_examples=40, deadline=None)
@given(st.lists(BOX, min_size=2, max_size=6), st.sampled_from("xyz"), st.sampled_from(["low", "middle", "high"]))
def test_aligned_parts_have_one_level(boxes, axis, end):
    """All go to the last one's level; nothing moves across; nothing changes its size."""
    document = _document(boxes)
    names = [f"Part {m}" for m in range(len(boxes))]
    before, after = _boxes(document), _boxes(_do(document, f"align {axis} {end}", names))
    a, share = "xyz".index(axis), arranging.ENDS[end]
    goal = (1 - share) * before[names[-1]][0][a] + share * before[names[-1]][1][a]
    for n in names:
        assert (1 - share) * after[n][0][a] + share * after[n][1][a] == pytest.approx(goal, abs=2e-9)
        assert np.ptp(after[n], axis=0) == pytest.approx(np.ptp(before[n], axis=0))
        others = [x for x in range(3) if x != a]
        assert after[n][:, others] == pytest.approx(before[n][:, others])


@settings(max_examples=40, deadline=None)
@given(st.lists(BOX, min_size=3, max_size=6), st.sampled_from("xyz"))
def test_spread_parts_have_equal_gaps(boxes, axis):
    """First and last stay; the gaps between all are one; where they do not fit that is told."""
    document, a = _document(boxes), "xyz".index(axis)
    names = [f"Part {m}" for m in range(len(boxes))]
    before = _boxes(document)
    order = sorted(names, key=lambda n: before[n][:, a].mean())
    room = before[order[-1]][1][a] - before[order[0]][0][a]
    if room < sum(np.ptp(before[n][:, a]) for n in names) - 1e-9:
        with pytest.raises(StithyError, match="longer together than their room"):
            _do(document, f"spread {axis}", names)
        return
    after = _boxes(_do(document, f"spread {axis}", names))
    gaps = [after[n][0][a] - after[m][1][a] for m, n in zip(order, order[1:], strict=False)]
    assert gaps == pytest.approx([gaps[0]] * len(gaps), abs=5e-9)
    assert after[order[0]] == pytest.approx(before[order[0]])
    assert after[order[-1]] == pytest.approx(before[order[-1]], abs=5e-9)


@settings(max_examples=30, deadline=None)
@given(st.lists(BOX, min_size=1, max_size=4), st.sampled_from("xyz"), st.integers(0, 200))
def test_mirrored_twice_is_where_it_was(boxes, axis, at):
    """The copy lies as far beyond the plane; the copy's copy lies where the first one is."""
    document, a = _document(boxes), "xyz".index(axis)
    names = [f"Part {m}" for m in range(len(boxes))]
    once = _do(document, f"mirror {axis} at {at} mm", names)
    new = [n for n in _boxes(once) if n not in _boxes(document)]
    assert len(new) == len(names)
    every = _boxes(once)
    for one, other in zip(names, new, strict=True):
        assert every[one][:, a].mean() + every[other][:, a].mean() == pytest.approx(2e-3 * at, abs=1e-8)
    twice = _do(once, f"mirror {axis} at {at} mm", new)
    last = [n for n in _boxes(twice) if n not in every]
    for one, other in zip(names, last, strict=True):
        assert _boxes(twice)[other] == pytest.approx(every[one], abs=1e-8)


@settings(max_examples=30, deadline=None)
@given(BOX, st.sampled_from("xyz"), st.integers(2, 12), st.sampled_from([360, 90, 180, -120]))
def test_a_circle_keeps_its_radius(box, axis, count, angle):
    """All middles lie as far from the axis, evenly about it, the first part where it was."""
    document, a = _document([box]), "xyz".index(axis)
    done = _do(document, f"circle {count} {axis} about 120, 110, 100 mm over {angle} deg", ["Part 0"])
    found = {n: b for n, b in _boxes(done).items() if n != "Box"}
    assert len(found) == count
    across = [x for x in range(3) if x != a]
    arms = [(b.mean(axis=0) - np.array([0.12, 0.11, 0.1]))[across] for b in found.values()]
    radii = [float(np.hypot(*x)) for x in arms]
    assert radii == pytest.approx([radii[0]] * count, abs=1e-8)
    turns = np.degrees(np.unwrap([np.arctan2(x[1], x[0]) for x in arms]))
    step = angle / (count if abs(angle) == 360 else count - 1) * (-1 if a == 1 else 1)
    if abs(step) < 179:
        assert np.diff(turns) == pytest.approx([step] * (count - 1), abs=1e-3)
    assert found["Part 0"] == pytest.approx(_boxes(document)["Part 0"])


@settings(max_examples=40, deadline=None)
@given(BOX, st.integers(0, 2), st.integers(0, 1), st.integers(-12, 12))
def test_a_pulled_face_moves_alone(box, axis, end, by):
    """One face moves, five stay; what would leave nothing is refused."""
    document = _document([box])
    left = box[3 + axis] + (by if end else -by)
    if left <= 0:
        with pytest.raises(StithyError, match="no size left"):
            moving.sized(document, "First layout", "Part 0", axis, end, by * 1e-3)
        return
    before = _boxes(document)["Part 0"].copy()
    after = _boxes(moving.sized(document, "First layout", "Part 0", axis, end, by * 1e-3).apply(document))["Part 0"]
    before[end][axis] += by * 1e-3
    assert after == pytest.approx(before, abs=1e-9)


def test_put_on_a_part_and_on_a_wall():
    """A part's outside, an enclosure's inside; what is in a wall stays in it."""
    document = _document([(20, 20, 20, 50, 50, 2), (0, 0, 90, 5, 5, 5)])
    on = _boxes(_do(document, "on Part 0 z+", ["Part 1"]))["Part 1"]
    assert on[0] == pytest.approx([0.0, 0.0, 0.022])
    assert _boxes(_do(document, "on Part 0 x-", ["Part 1"]))["Part 1"][1][0] == pytest.approx(0.02)
    assert _boxes(_do(document, "on Box z-", ["Part 1"]))["Part 1"][0][2] == pytest.approx(0.003)
    assert _boxes(_do(document, "on Box y+", ["Part 1"]))["Part 1"][1][1] == pytest.approx(0.157)
    wall = d.Opening(name="In", on="Box", side="x+", at="10, 20 mm", size="30, 20 mm")
    document = edits.add_row("First layout", wall).apply(document)
    gone = moving.moved(document, "First layout", ["In"], (0.01, 0.02, 0.03)).apply(document)
    assert next(r for r in gone.rows if r.name == "In").at == "30, 50 mm"
    mirrored = _do(document, "mirror x", ["In"])
    assert [(r.side, r.at) for r in mirrored.rows if r.name == "In 2"] == [("x-", "10, 20 mm")]
    bigger = moving.sized(document, "First layout", "In", 2, 0, -0.005).apply(document)
    assert [(r.at, r.size) for r in bigger.rows if r.name == "In"] == [("10, 15 mm", "30, 25 mm")]


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("align x low", "Choose 2 parts or more"),
        ("align w low", "Write it like: align x low"),
        ("spread x", "Choose 3"),
        ("on Nothing z+", "stands nowhere"),
        ("on Part 0 z+", "another part"),
        ("on Box up", "Write a side such as z"),
        ("circle 1 z", "count from 2"),
        ("circle 6 z about 2, 2, 0 mm over 400 deg", "angle up to 360"),
        ("circle 6 z about 2.5, 2.5, 0 mm", "on the axis"),
        ("mirror x at far", "Write it like"),
        ("repeat 3 x 4, 1, 0 mm", "at least 5 mm along x"),
        ("repeat 3 x 0, 0, 0 mm", "count from 2 to 200 and a step"),
        ("dance", "Write it like"),
    ],
)
def test_what_cannot_be_arranged_is_told(words, told):
    with pytest.raises(StithyError, match=told.replace("+", r"\+")):
        _do(_document([(0, 0, 0, 5, 5, 5)]), words, ["Part 0"])


def test_equal_gaps_are_found():
    """The middle between two neighbours, and where a row of parts goes on."""
    document = _document([(10, 0, 0, 10, 5, 5), (60, 0, 0, 20, 5, 5), (30, 2, 2, 4, 2, 2), (0, 50, 0, 5, 5, 5)])
    found = moving.equal_gaps(_model(document), 0, ["Part 2"])
    assert found[0.04] == "equal gaps, Part 0 and Part 1"
    assert any(x == pytest.approx(0.122) for x in found)
    assert not any("Part 3" in what for what in found.values())


def test_arranging_from_the_command_line(tmp_path, capsys):
    """Two copies in a row, aligned, grouped; a formula refuses."""
    files.save(small(), tmp_path)
    at = str(tmp_path)
    assert cli.main(["arrange", at, "repeat 3 x 20, 0, 0 mm", "Chip"]) == 0
    assert "Chip 3: 66, 14, 2 mm" in capsys.readouterr().out
    assert cli.main(["arrange", at, "spread x", "Chip", "Chip 2", "Chip 3"]) == 0
    assert cli.main(["arrange", at, "spin x", "Chip"]) == 2
    assert "Write it like" in capsys.readouterr().err
    project = api.open_project(at)
    name = project.group(["Chip", "Chip 2"], "Pair")
    renamed = edits.set_cell("One", "Chip 2", "name", "Second").apply(project.document)
    assert next(r for r in renamed.rows if r.name == name).of == "Chip; Second"
    with pytest.raises(StithyError):
        project.group(["Nobody"])
