"""Bad input: each refused with row, cell and remedy."""

from __future__ import annotations

import pytest

from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.project import edits
from stithy.setup.prepare import prepare


def faults(document):
    """All problems, from resolving and from the grid."""
    try:
        prepare(resolve(document, "One"))
    except SetupError as error:
        return error.problems
    return []


def add(row):
    return edits.add_row("One", row)


def cell(row, key, text):
    return edits.set_cell("One", row, key, text)


@pytest.mark.parametrize(
    ("edit", "row", "title", "words"),
    [
        (cell("Case", "wall", "-1 mm"), "Case", "wall", "too small"),
        (cell("Case", "wall", "15 mm"), "Case", "wall", "no room"),
        (cell("Chip", "size", "10, -2, 4 mm"), "Chip", "size", "not positive"),
        (cell("Chip", "material", "unobtainium"), "Chip", "material", "not known"),
        (cell("Chip", "power", "3 g/s"), "Chip", "heat load", "not a power"),
        (cell("Chip", "material", ""), "Chip", "material", "heat load"),
        (cell("In", "at", "300, 6 mm"), "In", "low corner", "no wall"),
        (cell("In", "side", "w+"), "In", "side", "not known"),
        (cell("Out", "flow", "0.1 m/s"), "In", "flow", "no outlet"),
        (add(d.Block(name="Clash", at="30, 20, 3 mm", size="10, 10, 10 mm")), "Clash", "low corner", "not clear"),
        (add(d.Component(name="Lost", at="500, 0, 0 mm")), "Lost", "low corner", "no enclosure"),
        (add(d.Block(name="Plug", at="2, 8, 4 mm", size="4, 24, 14 mm")), "In", "flow", "no outlet"),
        (add(d.InsideFan(name="Stirrer", at="90, 5, 5 mm", size="5, 5 mm")), "Stirrer", "low corner", "no enclosure"),
        (
            add(d.WallFan(name="Fan", on="Case", side="y+", at="5, 5 mm", size="9, 9 mm", curve="0: 3")),
            "Fan",
            "fan curve",
            "start",
        ),
        (
            add(d.PlateFinSink(name="Sink", at="40, 8, 2 mm", size="10, 10, 8 mm", fins="20")),
            "Sink",
            "fin",
            "no channel",
        ),
        (add(d.Parameter(name="twice 1", value="2")), "twice 1", "name", "expression"),
    ],
)
def test_refused(document, edit, row, title, words):
    """The problem stands at its row and cell, says what is wrong and what to do."""
    assert faults(document) == []
    found = faults(edit.apply(document))
    assert any(p.row == row and p.cell == title and words in str(p) and p.remedy for p in found), found


def test_all_problems_at_once(document):
    """Nobody has to mend one fault to hear of the next."""
    doc = edits.many(
        "spoil", [cell("Case", "wall", "-1 mm"), cell("Chip", "power", "red"), cell("In", "side", "up")]
    ).apply(document)
    assert {p.row for p in faults(doc)} == {"Case", "Chip", "In"}


def test_sealed_and_adiabatic(document):
    """Heat without any way out is refused; a closed box that loses heat through its walls is not."""
    doc = edits.many("close", [edits.delete_row("One", n) for n in ("In", "Out", "Drop")]).apply(document)
    assert faults(doc) == []
    assert any("no way out" in p.what for p in faults(cell("Case", "outside", "adiabatic").apply(doc)))
