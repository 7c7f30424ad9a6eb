"""The house itself: kinds derive everything, references are typed, pages and lock are current, scratch is never
shared."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.errors import StithyError
from stithy.kinds.assembly import problems, resolve
from stithy.numerics.workspace import Workspace
from stithy.project import edits, files
from stithy.project.edits import History
from stithy.project.kind import GROUPS, KINDS, Kind, Row, register
from stithy.project.references import referring
from stithy.solution import store
from stithy.solve.job import Job

from .conftest import DEMO, small

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tools"))

import lock  # noqa: E402
import pages  # noqa: E402


def test_pages_are_current():
    """docs/project-file.md, docs/api.md and the worked examples are what tools/pages.py writes."""
    for path, text in pages.pages().items():
        assert path.read_text(encoding="utf-8") == text, f"{path} is stale: make pages"


def test_lock_is_true_to_the_project():
    """Everything pyproject.toml asks for is locked, in a version that it allows; and nothing is missing that those
    need."""
    locked = lock.locked()
    for r in lock.wanted():
        assert r.specifier.contains(locked[lock.canonicalize_name(r.name)]), r
    assert set(lock.closure()) <= set(locked)


def test_kinds_say_what_they_are():
    """Every kind has a group, a sentence, and cells with titles and a line each; all roles that cells refer to are some
    kind's."""
    roles = {r for kind in KINDS.values() for r in kind.roles} | {"layout"}
    for kind in KINDS.values():
        assert kind.group in GROUPS
        assert kind.what.endswith(".")
        for key, cell in kind.cells.items():
            assert cell.key == key
            assert cell.title
            assert cell.what
            assert set(cell.refers) <= roles, (kind.name, key)
    with pytest.raises(ValueError, match="no cell"):
        register(
            type("Odd", (Row,), {"__annotations__": {"kind": str, "odd": str}, "kind": "odd", "odd": ""}), GROUPS[0]
        )
    assert "odd" not in KINDS


def test_a_new_kind_is_one_registration(monkeypatch):
    """A kind registered from outside is read into the model, as solids are, without a change anywhere else."""
    from stithy.kinds import block

    class Ingot(d.Block):
        """A block by another name."""

        kind: str = "ingot"

    with monkeypatch.context() as m:
        m.setitem(
            KINDS, "ingot", Kind(Ingot, "Blocks", frozenset({"ingot", "solid"}), block.read, cells=KINDS["block"].cells)
        )
        doc = small()
        doc = doc.model_copy(update={"rows": (*doc.rows, Ingot(name="Bar", at="10, 10, 10 mm", size="3, 3, 3 mm"))})
        assert "Bar" in [s.name for s in resolve(doc, "One").solids]


#: rows that name others in every way there is
WEB = d.Document(
    name="Web",
    rows=(
        d.Enclosure(name="Case", size="60, 40, 20 mm", fluid="oil", material="brass"),
        d.FluidRow(name="oil"),
        d.MaterialRow(name="brass"),
        d.Parameter(name="width", value="4 mm"),
        d.Block(name="Low", at="10, 10, 2 mm", size="= 2*width, 8 mm, 4 mm", material="brass"),
        d.Component(name="High", at="10, 10, 6 mm", size="8, 8, 3 mm", material="brass", power="= width*1000 W/m"),
        d.FluidRegion(name="Sump", at="50, 20, 10 mm", fluid="oil"),
        d.Contact(name="Joint", of="Low", to="High"),
        d.Opening(name="In", on="Case", at="10, 6 mm", size="10, 5 mm", flow="0.1 m/s", serves="oil"),
        d.Opening(name="Out", on="Case", side="x+", at="10, 6 mm", size="10, 5 mm", flow="0 Pa", serves="Sump"),
        d.WallPatch(name="Warm", on="Case", side="z-"),
        d.WatchRow(name="Hot", quantity="temperature", of="Low", most="90 degC"),
        d.WatchRow(name="Drop", quantity="pressure drop", of="In; Out", most="20 Pa"),
        d.RunRow(name="Run", start="Other"),
    ),
    layouts=(
        d.Layout(name="Base", changes={"Low": {"material": "brass"}, "Joint": {"of": "High", "to": "Low"}}),
        d.Layout(name="Other"),
        d.Layout(name="Third", add=(d.Contact(name="More", of="High"),), leave_out=("Warm",)),
    ),
)
NAMES = [r.name for r in WEB.rows if r.kind != "run"]


@given(st.sampled_from(NAMES), st.sampled_from(["Renamed", "oil 2", "zz_9", "Schön & gut"]))
@settings(max_examples=120, deadline=None, derandomize=True)
def test_renaming_is_followed_everywhere(old, new):
    """Whatever row is renamed: its new name is referred to from where its old one was, nothing refers to the old one,
    and back again is the document as it was."""
    if any(r.name == old and r.kind == "parameter" for r in WEB.rows):
        new = "breadth"
    before = referring(WEB, old)
    doc = edits.set_cell("Base", old, "name", new).apply(WEB)
    assert sorted(referring(doc, new)) == sorted((a, new if b == old else b, c) for a, b, c in before)
    assert not referring(doc, old)
    assert edits.set_cell("Base", new, "name", old).apply(doc) == WEB


def test_references_are_typed():
    """A name that means nothing of the kind is left alone: a watch named like a material, a block named like a
    fluid."""
    doc = edits.set_cell("Base", "Hot", "name", "water").apply(WEB)  # a fluid of the library
    doc = edits.set_cell("Base", "water", "name", "Hotter").apply(doc)
    assert [r.fluid for r in doc.rows if r.kind in ("enclosure", "fluid region")] == ["oil", "oil"]
    assert {k for _, _, k in referring(WEB, "brass")} == {"material"}
    assert len(referring(WEB, "Low")) == 3
    assert {r for _, r, _ in referring(WEB, "width")} == {"Low", "High"}
    doc = edits.rename_layout("Other", "Later").apply(WEB)
    assert next(r for r in doc.rows if r.kind == "run").start == "Later"


def test_every_edit_is_held_to_what_a_file_is(document):
    """An edit whose outcome could not be opened again is refused, and nothing is changed."""
    twice = edits.Edit("two of a name", lambda doc: doc.model_copy(update={"rows": (*doc.rows, doc.rows[0])}))
    history = History(document)
    with pytest.raises(StithyError, match="two rows"):
        history.do(twice)
    assert history.document is document


def test_models_are_resolved_once(document, monkeypatch):
    """The same model as long as nothing of it changes; another layout's cell changes only that layout's."""
    one, two = resolve(document, "One"), resolve(document, "Two")
    other = edits.set_cell("Two", "In", "flow", "0.7 m/s").apply(document)
    assert resolve(other, "One") is one
    assert resolve(other, "Two") is not two
    assert not problems(other, "Two")


def test_scratch_is_never_shared():
    """A second lease while the first holds is refused with both names; after it, it is free again, whatever
    happened."""
    work = Workspace(8)
    with (
        work.lease("momentum"),
        pytest.raises(RuntimeError, match="energy asks for scratch that momentum"),
        work.lease("energy"),
    ):
        pass
    with pytest.raises(KeyError), work.lease("momentum"):
        raise KeyError
    with work.lease("energy") as again:
        assert again.diagonal.shape == (8,)


def test_reading_needs_no_solver(document, tmp_path):
    """Walls, planes and points come from the file alone, and agree with the run; also when the layout it started from
    is gone."""
    doc = edits.set_cell("Two", "Run", "start", "One", only_here=True).apply(document)
    for layout in ("One", "Two"):
        result = Job(doc, layout, tmp_path, banded=False).run()
    gone = edits.delete_layout("One").apply(doc)
    back = store.load(tmp_path, "Two", result.summary["key"])
    assert back.walls.names == result.walls.names
    for name in ("heat", "area", "temperature", "shear", "pressure"):
        assert getattr(back.walls, name) == pytest.approx(getattr(result.walls, name), rel=1e-6, nan_ok=True)
    for a in range(3):
        assert back.mass_flow(a) == pytest.approx(result.mass_flow(a))
    net = sum(np.diff(back.mass_flow(a), axis=a) for a in range(3))
    through = abs(result.summary["ends"]["In"]["mass_flow"])
    assert np.abs(net).sum() < 1e-5 * through
    assert gone.layouts


def test_earlier_projects_are_brought_up_and_told(tmp_path):
    """A grid row of version 1 goes by detail and says so; results kept by layout are taken over, shown as out of
    date."""
    data = json.loads(files.to_text(small()))
    data["rows"] = [{"kind": "grid", "name": "Grid"} if r["kind"] == "grid" else r for r in data["rows"]]
    (tmp_path / "project.json").write_text(json.dumps(data))
    doc, notes = files.read_telling(tmp_path)
    assert "by detail" in notes[0]
    old = {"kind": "limit", "name": "Drop", "quantity": "pressure drop", "of": "In", "to": "Out", "most": "5 Pa"}
    hot = {"kind": "limit", "name": "Hot", "quantity": "temperature", "of": "Chip", "to": "", "most": "70 degC"}
    data["rows"] = [old if r["name"] == "Drop" else r for r in data["rows"]]
    data["layouts"] = [{"name": "One"}, {"name": "Two", "changes": {"Drop": {"to": "", "most": "7 Pa"}}, "add": [hot]}]
    (tmp_path / "project.json").write_text(json.dumps(data))
    doc, notes = files.read_telling(tmp_path)
    assert sum("was a limit" in x for x in notes) == 2
    rows = [{r.name: r for r in doc.rows_of(x)} for x in ("One", "Two")]
    assert [(r["Drop"].kind, r["Drop"].of, r["Drop"].most) for r in rows] == [
        ("watch", "In; Out", "5 Pa"),
        ("watch", "In", "7 Pa"),
    ]
    assert (rows[1]["Hot"].of, rows[1]["Hot"].most) == ("Chip", "70 degC")
    assert "Hot" not in rows[0]
    assert not files.read_telling(DEMO)[1]
    Job(small(), "One", tmp_path, banded=False).run()
    key = store.last_key(tmp_path, "One")
    store.folder(tmp_path, key).rename(tmp_path / "results" / "one-0123abcd")
    (tmp_path / "results/index.json").unlink()
    assert store.take_over(tmp_path, ["One", "Two"]) == 1
    assert store.summary(tmp_path, "One")["key"] == key
    assert store.take_over(tmp_path, ["One", "Two"]) == 0
