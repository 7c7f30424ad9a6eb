"""Expressions that name other rows' cells: value, renaming, what cannot be."""

from __future__ import annotations

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.kinds.block import Block
from stithy.kinds.enclosure import Enclosure
from stithy.kinds.opening import Opening
from stithy.kinds.parameter import Parameter
from stithy.project import edits, units
from stithy.project.document import Document
from stithy.project.references import referring

ROWS = (
    Enclosure(name="Box", size="200, 140, 60 mm"),
    Parameter(name="gap", value="5 mm"),
    Block(name="Main board", at="10, 10, 5 mm", size="100, 80, 2 mm"),
    Opening(name="In", on="Box", side="x-", at="30, 20 mm", size="40, 30 mm"),
)


def _document(*more) -> Document:
    return Document(rows=(*ROWS, *more))


def _box(document: Document, name: str) -> list[tuple[float, ...]]:
    solid = next(s for s in resolve(document, "First layout").solids if s.name == name)
    return [tuple(1e3 * x for x in span) for span in solid.bounds]


def test_cells_of_rows_stand_in_expressions() -> None:
    chip = Block(
        name="Chip",
        at='= "Main board".at.x + "Main board".size.x - 20 mm - gap, 30 mm, = “Main board”.low_corner.z + 2 mm',
        size="= In.size.y / 2, = Box.size.y / 10, = 2 * Box.wall",
    )
    box = _box(_document(chip), "Chip")
    expected = [(85, 105), (30, 44), (7, 11)]
    assert [tuple(pytest.approx(x) for x in span) for span in expected] == box


@settings(max_examples=40, deadline=None)
@given(
    name=st.from_regex(r"\A[A-Za-z][A-Za-z0-9 ]{0,10}[A-Za-z0-9]\Z"),
    named=st.sampled_from(["Main board", "gap", "Box"]),
)
@example(name="h2", named="Main board")
@example(name="m2", named="Box")
@example(name="h2", named="gap")
def test_renaming_follows_into_expressions(name: str, named: str) -> None:
    """The model is the same whatever a row is called that expressions refer to."""
    chip = Block(name="Chip", at="= gap + Box.wall, 20, 20 mm", size='= "Main board".size.x/4, 9 mm, = Box.size.z/10')
    document = _document(chip)
    if edits.free_name(document, name) != name or (named == "gap" and not name.isidentifier()) or name in ("m", "mm"):
        return
    before = _box(document, "Chip")
    if named == "gap" and units.tidy(name) != name:  # a square of a unit
        with pytest.raises(SetupError, match="is read as"):
            _box(edits.set_cell("First layout", named, "name", name).apply(document), "Chip")
        return
    after = edits.set_cell("First layout", named, "name", name).apply(document)
    assert _box(after, "Chip") == before
    assert ("", "Chip", "size" if named == "Main board" else "at") in referring(after, name)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("= Lid.size.x", "there is no row “Lid”"),
        ("= Box.size", "is 3 numbers. Write .x or .z"),
        ("= Box.wall.x", "holds one number"),
        ("= Box.widht", "has no cell “widht”. Those with numbers are at, size, wall"),
        ("= Box.starts", "is empty"),
        ("= In.size.x", "is 2 numbers. Write .y or .z"),
        ("= Chip.size.x", "“Chip.size.x” refers to itself"),
        ("= gap.x + 1", "has no cell “x”. Those with numbers are value"),
        ("= (1).x", "has no cells"),
    ],
)
def test_what_cannot_be_named_is_told(text: str, told: str) -> None:
    chip = Block(name="Chip", at="20, 20, 20 mm", size=f"{text}, 10 mm, 10 mm")
    with pytest.raises(SetupError) as error:
        resolve(_document(chip), "First layout")
    problem = next(p for p in error.value.problems if p.row == "Chip")
    assert told in str(problem), str(problem)
