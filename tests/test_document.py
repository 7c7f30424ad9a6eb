"""Documents, layouts, edits, files."""

from __future__ import annotations

import json

import jsonschema
import pytest

from stithy import kinds as d
from stithy.errors import FileProblem, StithyError
from stithy.kinds.assembly import resolve
from stithy.project import edits, files
from stithy.project.edits import History

from .conftest import DEMO


def test_layouts_are_differences(document):
    """A layout changes a cell, leaves a row out, replaces one in place and adds one; the base stays."""
    pins = d.PinFinSink(name="Chip", at="26, 14, 2 mm", size="12, 12, 6 mm")
    doc = document.model_copy(
        update={
            "layouts": (
                d.Layout(name="A"),
                d.Layout(name="B", changes={"In": {"flow": "1 m/s"}}, add=(pins,), leave_out=("Drop",)),
            )
        }
    )
    base, other = doc.rows_of("A"), doc.rows_of("B")
    assert [r.name for r in other] == [r.name for r in base if r.name != "Drop"]
    assert other[1].kind == "pin-fin sink"
    assert base[1].kind == "component"
    assert {r.name: r for r in other}["In"].flow == "1 m/s"


def test_every_edit_undoes(document):
    """Each kind of edit changes the document, undo restores it exactly, redo does it again."""
    todo = [
        edits.set_cell("One", "Chip", "power", "2 W"),
        edits.set_cell("One", "Chip", "power", "3 W", only_here=True),
        edits.set_cell("One", "In", "name", "Inlet"),
        edits.add_row("One", d.Block(name="Spacer")),
        edits.duplicate_row("One", "Chip"),
        edits.replace_row("Two", "Chip", "plate-fin sink"),
        edits.delete_row("Two", "Out", only_here=True),
        edits.delete_row("One", "Drop"),
        edits.duplicate_layout("One", "Three"),
        edits.rename_layout("Three", "Four"),
        edits.delete_layout("Four"),
    ]
    history, states = History(document), [document]
    for edit in todo:
        assert history.do(edit), edit.label
        states.append(history.document)
    for state in reversed(states[:-1]):
        assert history.undo()
        assert history.document == state
    assert history.undo() == ""
    for state in states[1:]:
        history.redo()
        assert history.document == state


def test_edit_goes_where_it_should(document):
    """A base edit reaches every layout but the one that sets the cell apart; renames reach references."""
    doc = edits.set_cell("One", "In", "flow", "0.4 m/s").apply(document)
    assert [next(r for r in doc.rows_of(x) if r.name == "In").flow for x in ("One", "Two")] == ["0.4 m/s", "0.6 m/s"]
    doc = edits.set_cell("Two", "In", "name", "Mouth").apply(doc)
    assert next(r for r in doc.rows if r.name == "Drop").of == "Mouth; Out"
    assert doc.layout("Two").changes == {"Mouth": {"flow": "0.6 m/s"}}
    with pytest.raises(StithyError, match="taken"):
        edits.set_cell("One", "Mouth", "name", "Out").apply(doc)


def test_round_trip_and_schema(document, tmp_path):
    """What is saved opens as the same document and fits the published schema; so does the demonstration project."""
    files.save(document, tmp_path / "p")
    assert files.read(tmp_path / "p") == document
    schema = json.loads(files.json_schema())
    for place in (tmp_path / "p", DEMO):
        jsonschema.validate(json.loads((place / "project.json").read_text()), schema)


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda t: t[:200], "line"),
        (lambda t: t.replace('"version": 1', '"version": 7'), "newer"),
        (lambda t: t.replace("stithy project", "recipe"), "no Stithy project"),
        (lambda t: t.replace('"kind": "component"', '"kind": "kettle"'), "Chip"),
        (lambda t: t.replace('"power": "1 W"', '"power": [1]'), "Chip, .*power"),
        (lambda t: t.replace('"name": "Out"', '"name": "In"'), "two rows"),
        (lambda t: "[]", "no Stithy project"),
    ],
)
def test_bad_files_are_refused(document, tmp_path, spoil, words):
    """A file that is cut off, newer, foreign or wrong is refused with place and remedy, and stays as it was."""
    path = files.save(document, tmp_path)
    path.write_text(spoil(path.read_text()))
    before = path.read_bytes()
    with pytest.raises(FileProblem, match=words):
        files.read(tmp_path)
    assert path.read_bytes() == before


def test_full_disk_keeps_the_old_file(document, tmp_path, monkeypatch):
    """When the disk is full the save says so, the file before is whole, and no debris is left."""
    path = files.save(document, tmp_path)

    def full(_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(files.os, "fsync", full)
    with pytest.raises(FileProblem, match="No space left"):
        files.save(document.model_copy(update={"name": "Other"}), tmp_path)
    assert files.read(tmp_path) == document
    assert [p.name for p in tmp_path.iterdir()] == [path.name]


def test_autosave_is_offered_until_saved(document, tmp_path):
    """Unsaved work is found again after a crash, and forgotten once saved."""
    files.save(document, tmp_path)
    changed = document.model_copy(update={"name": "Changed"})
    files.autosave(changed, tmp_path)
    assert files.recoverable(tmp_path) == changed
    files.save(changed, tmp_path)
    assert files.recoverable(tmp_path) is None


def test_key_tells_what_matters(document):
    """The result's key follows power and place, not limits, names of layouts or units."""
    key = resolve(document, "One").key()

    def keyed(row, cell, text):
        return resolve(edits.set_cell("One", row, cell, text).apply(document), "One").key()

    assert keyed("Chip", "limit", "60 degC") == key == keyed("Chip", "power", "1000 mW")
    assert (
        len({key, keyed("Chip", "power", "2 W"), keyed("Chip", "at", "27, 14, 2 mm"), keyed("In", "flow", "1 m/s")})
        == 4
    )
