"""Rows found by words and values; listed in another order; both from the command line."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import cli
from stithy import kinds as d
from stithy.errors import StithyError
from stithy.kinds.assembly import resolve
from stithy.project import edits, files
from stithy.read.finding import found, parse

from .conftest import small


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.floats(0.1, 99).map(lambda x: round(x, 2)), min_size=1, max_size=8),
    st.floats(0.1, 99).map(lambda x: round(x, 2)),
    st.sampled_from(["<", ">", "<=", ">="]),
    st.sampled_from([("W", 1.0), ("mW", 1e-3), ("kW", 1e3)]),
)
def test_loads_are_compared(loads, bound, sign, unit):
    """Whatever unit both are written in, those and only those rows are found for which it holds."""
    name, size = unit
    rows = [d.Block(name=f"B{m}", power=f"{x} W") for m, x in enumerate(loads)]
    wanted = f"heat load {sign} {bound / size:.10g} {name}"
    holds = {"<": lambda x: x < bound, ">": lambda x: x > bound, "<=": lambda x: x <= bound, ">=": lambda x: x >= bound}
    expected = [r.name for r, x in zip(rows, loads, strict=True) if abs(x - bound) < 1e-9 or holds[sign](x)]
    got = [r.name for r in found(rows, wanted)]
    close = {r.name for r, x in zip(rows, loads, strict=True) if abs(x - bound) < 1e-6}
    assert set(got) - close == set(expected) - close


def test_words_temperatures_and_expressions():
    """Words stand anywhere in a row; temperatures are those of the result; formulas count by what they come to."""
    rows = [
        d.Parameter(name="w", value="4 mm"),
        d.Block(name="Rail", material="copper", size="= 2*w, 30, 5 mm"),
        d.Component(name="Chip", material="copper", power="3 W"),
        d.WallFan(name="Left fan"),
    ]
    hot = {"Rail": 350.0, "Chip": 360.0}
    assert [r.name for r in found(rows, "copper")] == ["Rail", "Chip"]
    assert [r.name for r in found(rows, "fan")] == ["Left fan"]
    assert [r.name for r in found(rows, "> 80 degC", hot)] == ["Chip"]
    assert [r.name for r in found(rows, "copper, > 70 degC, heat load > 1 W", hot)] == ["Chip"]
    assert [r.name for r in found(rows, "size = 8 mm")] == ["Rail"]
    assert found(rows, "> 80 degC") == []
    for bad in ("> 3 nothings", "heat load >", "< "):
        with pytest.raises(StithyError, match=r"cannot be read|not finished"):
            parse(bad)


@settings(max_examples=30, deadline=None)
@given(
    st.lists(st.sampled_from(["Case", "Chip", "In", "Out", "Grid", "Run"]), min_size=1, max_size=4, unique=True),
    st.data(),
)
def test_listed_elsewhere_is_the_same_model(names, data):
    """Rows go before the one that is named, in their order; the model's key and the rows of the file stay."""
    document = small()
    before = data.draw(st.sampled_from(["", "Case", "Chip", "Out", "Drop"]))
    after = edits.reorder("One", names, before).apply(document)
    listed = [r.name for r in after.listed("One")]
    assert sorted(listed) == sorted(r.name for r in document.rows)
    moved = [n for n in listed if n in names]
    assert moved == [n for n in (r.name for r in document.rows) if n in names]
    if before and before not in names:
        at = listed.index(before)
        assert listed[at - len(names) : at] == moved
    assert resolve(after, "One").key() == resolve(document, "One").key()
    added = edits.add_row("One", d.Block(name="New", at="5, 5, 5 mm", size="2, 2, 2 mm"), after="Chip").apply(after)
    later = [r.name for r in added.listed("One")]
    assert later[later.index("Chip") + 1] == "New"
    renamed = edits.set_cell("One", names[0], "name", "Other").apply(after)
    assert [n if n != "Other" else names[0] for n in (r.name for r in renamed.listed("One"))] == listed


def test_finding_from_the_command_line(tmp_path, capsys):
    files.save(small(), tmp_path)
    assert cli.main(["rows", str(tmp_path), "opening, size < 30 mm", "--json"]) == 0
    assert [r["name"] for r in json.loads(capsys.readouterr().out)] == ["In", "Out"]
    assert cli.main(["rows", str(tmp_path), "granite"]) == 1
    assert cli.main(["rows", str(tmp_path), "> 3 nothings"]) == 2
