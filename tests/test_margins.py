"""Limits, margins, verdicts and rankings on their own: what must hold whatever the numbers are, searched for."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from stithy import api
from stithy import kinds as d
from stithy.errors import StithyError
from stithy.project import edits, files
from stithy.read.band import LEAST, MOST, Bands, wider
from stithy.solution import store
from stithy.weigh.compare import Standing, changed_since, ranked, standing, weigh
from stithy.weigh.limits import CLOSE, FAILS, MEETS, UNBANDED, Bound, Margin
from stithy.weigh.overview import Line, Number, Overview
from stithy.weigh.points import Point

from .conftest import a_summary, small

SIZES = st.floats(-500.0, 500.0).map(lambda x: round(x, 3))
BANDS = st.one_of(st.none(), st.floats(0.0, 40.0).map(lambda x: round(x, 3)))


@st.composite
def a_margin(draw, value=SIZES) -> Margin:
    """A bound from above or below, on either side of its reference, with or without a band."""
    bound = Bound(draw(st.sampled_from("AB")), "temperature", "Chip", draw(SIZES), draw(st.booleans()), "temperature")
    return Margin(bound, draw(value), draw(SIZES), None, draw(BANDS))


def a_standing(name: str, margins: list[Margin]) -> Standing:
    order = sorted(margins, key=lambda m: (m.value is None, -m.share))
    return Standing(name, "current", tuple(order), None, {"fans": {}, "settled": True}, kept_mass=0.1)


@given(a_margin())
def test_a_limit_is_used_up_where_it_is_reached(m):
    """Less than the whole way is used where the limit is met, more where it is broken, all of it at the limit; also of
    bounds from below, and of bounds beyond the reference (a part kept below ambient)."""
    assert (m.share < 1.0) == (m.margin > 0.0)
    assert (m.share > 1.0) == (m.margin < 0.0)
    assert replace(m, value=m.bound.most).share == 1.0


@given(a_margin(), SIZES)
def test_nearer_to_the_limit_uses_more_of_the_way(m, other):
    """Whichever value has the smaller margin has the larger share: an order by shares is an order by margins."""
    assume(m.bound.most != m.reference)  # there is no way then, only its two ends
    n = replace(m, value=other)
    assert (m.share > n.share) == (m.margin < n.margin) or math.isclose(m.share, n.share, rel_tol=1e-9)


@given(a_margin(), SIZES)
def test_a_bar_fills_as_its_value_goes(m, other):
    """What a tile draws: 1 at the bound, 0 at the reference where that lies before it, beyond 1 just where a bound from
    above is broken; the same way for a bound from below that lies beyond the reference, where more is better."""
    assume(m.bound.most != m.reference)
    assert m.way(m.bound.most) == 1.0
    ahead = m.bound.most > m.reference
    assert m.way(m.reference) == pytest.approx(0.0) or not ahead
    rises = ahead or not m.bound.least
    low, high = sorted((m.value, other))
    assert m.way(low) <= m.way(high) if rises else m.way(low) >= m.way(high)
    if not m.bound.least or not ahead:
        assert (m.along > 1.0) == (m.margin < 0.0)


@given(a_margin())
def test_a_verdict_is_certain_within_its_band(m):
    """What meets (fails) a limit does so at both ends of its band; in between it is too close to call, and no wider."""
    band = UNBANDED * abs(m.bound.most - m.reference) if m.band is None else m.band
    ends = [replace(m, value=m.value + way * band).margin for way in (-1.0, 1.0)]
    if m.verdict == MEETS:
        assert min(ends) >= -1e-9
    elif m.verdict == FAILS:
        assert max(ends) <= 1e-9
    else:
        assert m.verdict == CLOSE
        assert min(ends) <= 1e-9
        assert max(ends) >= -1e-9
    assert replace(m, value=None).verdict == ""


@given(st.lists(st.lists(a_margin(st.one_of(st.none(), SIZES)), max_size=4), min_size=1, max_size=6))
def test_layouts_that_meet_all_limits_come_first(drawn):
    """Whatever the limits: a layout with every margin positive stands before one that breaks a limit, one of which
    nothing is known stands last, and a verdict needs every value."""
    stands = ranked([a_standing(str(m), margins) for m, margins in enumerate(drawn)])
    known = [[m.margin for m in s.margins if m.value is not None] for s in stands]
    broken = [any(x < 0 for x in margins) for margins in known if margins]
    assert broken == sorted(broken)
    nothing = [not margins for margins in known]
    assert nothing == sorted(nothing)
    for s in stands:
        missing = not s.margins or any(m.value is None for m in s.margins)
        assert (s.verdict == "") == missing
        if not missing:
            said = [m.verdict for m in s.margins]
            assert (s.verdict == FAILS) == (FAILS in said)
            assert (s.passes is True) == (set(said) == {MEETS})
        if s.worst is not None:
            worse = min(s.margins, key=lambda m: -m.share if m.value is not None else math.inf)
            assert s.worst.share == worse.share


@given(a_margin(), a_margin())
def test_equal_within_bands_is_mutual(m, n):
    """Either both are told to be equal to the other or neither; wider bands part no equal ones; one that fails is equal
    to none that does not, and without any band only the same number is near."""
    a, b = a_standing("a", [m]), a_standing("b", [n])
    assert a.equals(b) == b.equals(a)
    if FAILS in (a.verdict, b.verdict) and a.verdict != b.verdict:
        assert not a.equals(b)
    bare = [a_standing(s.layout, [replace(s.margins[0], band=0.0)]) for s in (a, b)]
    assert not bare[0].equals(bare[1])
    if a.equals(b) and not m.bound.least and not n.bound.least:
        wide = [a_standing(s.layout, [replace(x, band=2 * (x.band or 0.0))]) for s, x in ((a, m), (b, n))]
        assert wide[0].equals(wide[1]) or FAILS in (wide[0].verdict, wide[1].verdict)


def test_parts_below_ambient_are_ranked_by_their_margins():
    """Coolers that hold a detector at most at 15 degC in a room of 25: the colder one is the better one, and stands
    first (the way from ambient to such a limit runs backwards)."""
    bound = Bound("Detector", "temperature", "Detector", 288.15, False, "temperature")
    found = [a_standing(f"{t} degC", [Margin(bound, t + 273.15, 298.15, None, 0.5)]) for t in (14, 9, 20, 16)]
    assert [s.layout for s in ranked(found)] == ["9 degC", "14 degC", "16 degC", "20 degC"]
    assert [s.verdict for s in ranked(found)] == [MEETS, MEETS, FAILS, FAILS]
    assert not found[0].equals(found[1])
    near = [a_standing("a", [Margin(bound, 282.0, 298.15, None, 0.5)]), a_standing("b", [found[1].margins[0]])]
    assert near[0].equals(near[1])


# the table of all lines


@st.composite
def a_table(draw) -> Overview:
    """Points with numbers, some without; verdicts by a limit."""
    lines = []
    for n in range(draw(st.integers(1, 12))):
        values = {"plate": draw(st.sampled_from(["pins", "fins", "flat"])), "power": f"{draw(st.integers(1, 6))} W"}
        hot = draw(st.one_of(st.none(), st.integers(300, 380).map(float)))
        bound = Bound("Hot", "temperature", "Chip", 350.0, False, "temperature")
        s = Standing("p", "current", (Margin(bound, hot, 300.0, None, 2.0),), None, {"fans": {}}, kept_mass=0.1)
        numbers = {"mass": Number(draw(st.integers(1, 9)) / 10, None, "mass")}
        if hot is not None:
            numbers["Hot"] = Number(hot, 2.0, "temperature", None, 350.0)
        where = Point(n + 1, tuple(values.values()), d.Document(name="Box"), "p")
        lines.append(Line(f"p{n}", "Study", values, s, where, numbers))
    return Overview(lines, ("plate", "power"), {"Hot": "temperature", "mass": "mass"})


@given(a_table(), st.sampled_from(["Hot", "mass", "power"]), st.booleans())
def test_the_table_is_in_the_order_that_was_asked_for(table, by, most):
    """All limits met first, then close, failing, unknown; within these by the number; what has none comes last."""
    order = [MEETS, CLOSE, FAILS, ""]
    lines = table.ordered(by, most)
    assert sorted(map(id, lines)) == sorted(map(id, table.lines))
    said = [order.index(n.verdict) for n in lines]
    assert said == sorted(said)
    for a, b in zip(lines[:-1], lines[1:], strict=True):
        if a.verdict == b.verdict:
            x, y = table.value(a, by), table.value(b, by)
            assert math.isnan(y) or (x >= y if most else x <= y)
    plain = table.ordered()
    assert [order.index(n.verdict) for n in plain] == sorted(order.index(n.verdict) for n in plain)
    hot = [n.numbers["Hot"].value for n in plain if n.verdict == MEETS]
    assert hot == sorted(hot)


@given(a_table(), st.integers(295, 385), st.integers(1, 9), st.sampled_from(["<", "<=", ">", ">="]))
def test_words_narrow_the_table_as_they_say(table, hot, mass, sign):
    """Each word alone and two together, against each line looked at by itself; units are converted."""

    def check(value: float, bound: float) -> bool:
        if abs(value - bound) < 1e-6:  # equal, whatever units do to it
            return "=" in sign
        return value < bound if "<" in sign else value > bound

    warm = [n for n in table.lines if "Hot" in n.numbers and check(n.numbers["Hot"].value, float(hot))]
    assert table.narrowed(f"hot {sign} {hot} K") == warm
    assert table.narrowed(f"Hot {sign} {hot - 273.15!r}") == [n for n in table.lines if n in warm]  # in the unit shown
    light = [n for n in table.lines if check(n.numbers["mass"].value, mass / 10)]
    assert table.narrowed(f"mass {sign} {mass / 10} kg") == light
    assert table.narrowed(f"mass {sign} {100 * mass} g; hot {sign} {hot} K") == [n for n in light if n in warm]
    assert table.narrowed("plate = pins, meets") == [
        n for n in table.lines if n.values["plate"] == "pins" and n.verdict == MEETS
    ]
    assert table.narrowed("fin") == [n for n in table.lines if n.values["plate"] == "fins"]
    assert table.narrowed("") == table.lines


@given(a_table(), st.booleans(), st.booleans())
def test_a_front_is_what_nothing_beats(table, x_most, y_most):
    """Against every pair of lines; of equal ones one stays."""
    ways = [-1.0 if x_most else 1.0, -1.0 if y_most else 1.0]
    known = [n for n in table.lines if "Hot" in n.numbers]
    at = {n.name: [w * n.numbers[k].value for w, k in zip(ways, ("mass", "Hot"), strict=True)] for n in known}
    chosen = table.front("mass", "Hot", x_most, y_most)
    for n in known:
        beaten = any(
            all(a <= b for a, b in zip(at[m.name], at[n.name], strict=True)) and at[m.name] != at[n.name] for m in known
        )
        assert (at[n.name] in [at[m.name] for m in chosen]) != beaten
    assert len({tuple(at[n.name]) for n in chosen}) == len(chosen)


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ("weight < 2 kg", "“weight” is no column, or several. There are plate, power, Hot, mass."),
        ("mass < 2 W", "mass: "),
        ("mass < heavy", "mass: "),
        ("p < 3", "“p” is no column, or several."),
    ],
)
def test_words_that_say_nothing_are_told(words, told):
    """The column that is not there with those that are, and a bound of the wrong dimension."""
    table = Overview([], ("plate", "power"), {"Hot": "temperature", "mass": "mass"})
    with pytest.raises(StithyError) as error:
        table.narrowed(words)
    assert told in str(error.value)


# bands


RISES = st.floats(1.0, 90.0).map(lambda x: round(x, 3))


@given(st.lists(st.tuples(RISES, RISES), min_size=1, max_size=4), st.floats(0.1, 10.0))
def test_bands_go_with_the_size_of_things(pairs, times):
    """All rises over ambient times anything: values and bands too. No part's band is less than what its kind moves,
    and the best value lies beyond the finer grid, away from the coarser one."""
    names = [f"P{m}" for m in range(len(pairs))]
    one, other = (
        Bands(
            a_summary(
                {n: 300 + by * a for n, (a, _) in zip(names, pairs, strict=True)},
                {n: 300 + by * b for n, (_, b) in zip(names, pairs, strict=True)},
            )
        )
        for by in (1.0, times)
    )
    spread = math.sqrt(sum(((a - b) / a) ** 2 for a, b in pairs) / len(pairs))
    for n, (a, b) in zip(names, pairs, strict=True):
        x, y = one.temperature(n), other.temperature(n)
        assert y.band == pytest.approx(times * x.band, rel=1e-9)
        assert y.value - 300 == pytest.approx(times * (x.value - 300), rel=1e-9)
        assert x.band >= LEAST * spread * a * (1 - 1e-9)
        assert (x.value - x.on_grid) * (a - b) >= 0
        assert x.on_grid == 300 + a


@given(st.floats(1.01, 3.0), st.floats(1.01, 3.0))
def test_grids_that_differ_less_have_wider_bands(a, b):
    """Never narrower than usual, never wider than the most, and never the other way round."""
    assert 1.0 <= wider(a) <= MOST
    assert (a <= b) == (wider(a) >= wider(b)) or wider(a) == wider(b)


@given(RISES, RISES, st.floats(0.0, 30.0), st.floats(0.0, 0.5))
def test_what_a_run_shows_is_added_to_the_band(fine, coarse, wanders, left):
    """A watch that wanders, or heat that is left over, widens the band by the sum of squares, whichever is larger."""
    plain = Bands(a_summary({"P": 300 + fine}, {"P": 300 + coarse})).temperature("P")
    found = Bands(a_summary({"P": 300 + fine}, {"P": 300 + coarse}, band={"P": wanders}, heat_imbalance=left))
    more = max(wanders, left * fine)
    assert found.temperature("P").band == pytest.approx(math.hypot(plain.band, more), rel=1e-9)
    mixed = Bands(a_summary({"P": 300 + fine}, {"P": 300 + coarse}, mixing="k-omega")).temperature("P")
    assert mixed.band == pytest.approx(math.hypot(plain.band, 0.02 * fine), rel=1e-9)


# from a project's folder


@pytest.fixture(scope="module")
def weighed(tmp_path_factory) -> Path:
    """The small box with both layouts solved."""
    folder = tmp_path_factory.mktemp("weighed")
    files.save(small(), folder)
    for name in ("One", "Two"):
        api.open_project(folder).solve(name)
    return folder


def test_layouts_are_weighed_as_solved(weighed):
    """The faster inlet cools better and costs more pressure: margins are limits less the values of the summaries."""
    document = files.read(weighed)
    stands = {s.layout: s for s in weigh(document, weighed)}
    for name, s in stands.items():
        chip = next(m for m in s.margins if m.bound.name == "Chip")
        info = store.summary(weighed, name)
        told = Bands(info).temperature("Chip")
        assert chip.margin == pytest.approx(90 + 273.15 - told.value, abs=1e-9)
        assert chip.band == told.band
        assert s.state == "current"
        assert s.through_flow == pytest.approx({"One": 0.3, "Two": 0.6}[name] * 200e-6, rel=1e-6)
        assert s.mass == pytest.approx(info["mass"], rel=1e-9)
    one, two = (next(m for m in stands[n].margins if m.bound.name == "Chip") for n in ("One", "Two"))
    assert two.margin > one.margin
    assert stands["Two"].pressure_drop > stands["One"].pressure_drop > 0
    assert changed_since(document, weighed, stands["One"]) == []


def test_what_was_changed_since_is_told(weighed):
    """Out of date, with the cells that differ; a row that is new and one that is gone; as it was again, current."""
    before = files.read(weighed)
    after = before
    for edit in (
        edits.set_cell("One", "Chip", "power", "2 W"),
        edits.delete_row("One", "Drop"),
        edits.add_row("One", d.Block(name="Lid", at="40, 14, 2 mm", size="4, 4, 4 mm")),
    ):
        after = edit.apply(after)
    s = standing(after, weighed, "One")
    assert s.state == "out of date"
    told = changed_since(after, weighed, s)
    assert "Chip, heat load: 1 W was, 2 W is" in told
    assert "Lid is new" in told
    assert not any("size" in x for x in told)
    assert standing(before, weighed, "One").state == "current"
    faulty = standing(edits.set_cell("One", "Chip", "power", "much").apply(after), weighed, "One")
    assert faulty.state == "faulty"
    assert faulty.verdict == ""
    assert faulty.problems[0].row == "Chip"
    assert ranked([faulty, s])[0] is s


@settings(max_examples=30, deadline=None)
@given(most=st.integers(-40, 140), least=st.booleans())
def test_any_limit_is_read_as_it_is_written(weighed, most, least):
    """A watch with any bound from above or below, in degF: its margin is that of the numbers themselves, and a table
    line breaks its bound just where the verdict says so."""
    from stithy.weigh.overview import numbers_of

    bound = {"least" if least else "most": f"{most * 9 / 5 + 32} degF"}
    row = d.WatchRow(name="Warm", quantity="temperature", of="Chip", **bound)
    s = standing(edits.add_row("One", row).apply(files.read(weighed)), weighed, "One")
    (m,) = [m for m in s.margins if m.bound.name == "Warm"]
    value = Bands(store.summary(weighed, "One")).temperature("Chip").value
    assert m.bound.least == least
    assert m.margin == pytest.approx((value - most - 273.15) * (1 if least else -1), abs=1e-6)
    assert numbers_of(s)["Warm"].breaks == (m.verdict == FAILS)
    assert np.isfinite(m.share)
