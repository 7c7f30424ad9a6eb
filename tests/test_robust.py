"""Nothing wrong is accepted and nothing is lost: mutated files and results, death between file operations, full and
foreign folders."""

from __future__ import annotations

import copy
import json
import lzma
import os
import shutil
import signal
import subprocess
import sys
import time
from dataclasses import fields

import h5py
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stithy import api, cli
from stithy import kinds as d
from stithy.errors import FileProblem, SetupError, StithyError, ValueProblem
from stithy.kinds.assembly import cell_faults, resolve
from stithy.mesh.build import fits, predict
from stithy.project import edits, files, units
from stithy.project.lock import solving
from stithy.read.quantities import Quantities
from stithy.solution import store
from stithy.solution.fields import STEPS
from stithy.solution.solution import Solution
from stithy.solution.summary import good_summary
from stithy.solve.job import Job
from stithy.weigh.compare import weigh

from .conftest import DEMO, small

NASTY = [
    None,
    True,
    -1,
    0,
    1e308,
    -1e308,
    "",
    " ",
    "x" * 300,
    "1 9**9**9**9",
    "1 m*9**9**9",
    "2 W**(10**(10**10))",
    "= " + "9" * 3000,
    "= sqrt(-4)*W",
    "2 W**99999999999",
    "= 1" + "+1" * 400,
    "= " + "-" * 90 + "1",
    "= " + "(" * 900 + "1" + ")" * 900,
    "\ud800",
    "\x1b[31mred",
    "a\nb",
    [],
    {},
    [["x"]],
    "nan",
    "inf",
    "-400 degC",
    "1e14 Pa",
    "1e9 mm",
    "1e-9 mm",
    "0.05 mm",
    "400",
    "-500 %",
    "on 0 s, off 0 s",
    "0 s: -5; 1 s: 1",
    "0, 0",
    "1, 2, 3, 4",
    "= a",
    "= Chip",
    "laminar",
    "z+",
    "10, 10, 10 mm",
    "= max()",
    "= min(1, 2 mm)",
    "²",
    "1 °C",
    "½ mm",
    "5 cfm",
    "3 g/s",
    "wall",
]
MORE = settings(deadline=None, suppress_health_check=list(HealthCheck))


def places(value, path=()):
    """Every place in nested lists and dicts."""
    yield path
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, x in inside:
        yield from places(x, (*path, key))


def put(value, path, new):
    """A copy of ``value`` with ``new`` at a place; taken out where it is ``...``."""
    if not path:
        return new
    out = copy.deepcopy(value)
    here = out
    for key in path[:-1]:
        here = here[key]
    if new is ...:
        del here[path[-1]]
    else:
        here[path[-1]] = new
    return out


BASE = small().model_dump(mode="json")
BASE["rows"] += [
    d.PinFinSink(name="Pins", at="40, 10, 2 mm", size="10, 10, 8 mm", pins="3, 3").model_dump(mode="json"),
    d.Cylinder(name="Rod", at="5, 30, 10 mm", along="x", length="20 mm", diameter="3 mm").model_dump(mode="json"),
    d.Parameter(name="a", value="2 mm").model_dump(mode="json"),
    d.WallPatch(
        name="OpeningFaces", on="Case", side="z-", at="10, 10 mm", size="10, 10 mm", condition="60 degC"
    ).model_dump(mode="json"),
]
PLACES = list(places(BASE))


def mutated(changes):
    """:data:`BASE` with new values at some of its places."""
    data = BASE
    for path, new in changes:
        if path and path in set(places(data)):
            data = put(data, path, new)
    return data


def look_at_file(tmp, data) -> None:
    """A mutated project is read, or refused in words; so is what can be worked out of it, quickly and without much
    memory."""
    path = tmp / "project.json"
    path.write_text(json.dumps(data), encoding="utf-8")
    began = time.monotonic()
    try:
        doc = files.read(path)
    except FileProblem as error:
        assert str(error)
        return
    for layout in doc.layouts:
        try:
            model = resolve(doc, layout.name)
        except SetupError as error:
            assert all(p.row and p.what for p in error.problems)
            continue
        if fits(model) is None:
            assert predict(model)[1] > 0
    files.to_text(doc).encode("utf-8")
    assert time.monotonic() - began < 20


@given(st.lists(st.tuples(st.sampled_from(PLACES), st.sampled_from([*NASTY, ...])), min_size=1, max_size=3))
@settings(MORE, max_examples=200, derandomize=True)
def test_mutated_projects(tmp_path_factory, changes):
    """Any value anywhere in the file: opened, or refused saying where and what to do."""
    look_at_file(tmp_path_factory.mktemp("mutated"), mutated(changes))


@pytest.mark.verify
@given(
    st.lists(
        st.tuples(st.sampled_from(PLACES), st.one_of(st.sampled_from([*NASTY, ...]), st.text(max_size=40))),
        min_size=1,
        max_size=5,
    )
)
@settings(MORE, max_examples=4000)
def test_many_mutated_projects(tmp_path_factory, changes):
    """The same, thousands of times, with texts of any kind."""
    look_at_file(tmp_path_factory.mktemp("mutated"), mutated(changes))


def look_at_cell(text, dimension) -> None:
    """A cell's text is a bounded number, or refused in words, at once."""
    began = time.monotonic()
    try:
        value = units.to_si(text, dimension, {"a": None, "b": units.registry().Quantity(2.0, "mm")})
        low, high = units.BOUNDS[dimension]
        assert low <= value <= high
    except ValueProblem as error:
        assert error.what
        assert len(str(error)) < 400
    assert time.monotonic() - began < 2


_PIECES = st.sampled_from(
    [
        "1",
        "2.5",
        "1e9",
        "mm",
        "W",
        "m2",
        "**",
        "^",
        "*",
        "/",
        "+",
        "-",
        "(",
        ")",
        "9",
        " ",
        "= ",
        "a",
        "b",
        "sqrt",
        "max",
        ",",
        "degC",
        "K",
        "%",
        "²",
        "x",
        ";",
        ":",
        "e",
        ".",
        "_",
        "cfm",
        "inH2O",
    ]
)


@given(
    st.one_of(
        st.sampled_from([x for x in NASTY if isinstance(x, str)]),
        st.lists(_PIECES, max_size=14).map("".join),
        st.text(max_size=40),
    ),
    st.sampled_from(list(units.DIMENSIONS)),
)
@settings(MORE, max_examples=600, derandomize=True)
def test_mutated_cells(text, dimension):
    """Whatever stands in a cell, nothing but a bounded number or a refusal comes of it."""
    look_at_cell(text, dimension)


@pytest.mark.verify
@given(st.lists(_PIECES, max_size=30).map("".join), st.sampled_from(list(units.DIMENSIONS)))
@settings(MORE, max_examples=8000)
def test_many_mutated_cells(text, dimension):
    """The same, thousands of times."""
    look_at_cell(text, dimension)


@pytest.fixture(scope="module")
def solved(tmp_path_factory):
    """A folder with a small solved project."""
    folder = tmp_path_factory.mktemp("solved")
    files.save(small(), folder)
    Job(small(), "One", folder).run()
    return folder


def place_of(folder):
    """Where the result of the layout One is."""
    return store.folder(folder, store.last_key(folder, "One"))


def look_at_result(folder) -> None:
    """A damaged result is none, or whole: its numbers are finite, its fields fit together; every command says so
    calmly."""
    summary, result = store.summary(folder, "One"), store.load(folder, "One")
    if summary is not None:
        assert good_summary(summary)
    if result is not None:
        shape = result.grid.shape
        assert result.temperature.shape == result.kind.shape == shape
        assert result.u.shape[0] == shape[0] + 1
        assert all(np.isfinite(x).all() for x in (result.temperature, result.pressure, result.u, result.v, result.w))
        assert Quantities(result).at([[float(c[len(c) // 2]) for c in result.grid.centres]])
    weigh(small(), folder)
    store.history(folder, "One")


@given(st.data())
@settings(MORE, max_examples=150, derandomize=True)
def test_mutated_summaries(solved, tmp_path_factory, data):
    """No value of a summary can be changed, taken out or be anything else without the result being refused."""
    folder = tmp_path_factory.mktemp("bad") / "p"
    shutil.copytree(solved, folder)
    path = place_of(folder) / "summary.json"
    whole = json.loads(path.read_text())
    where = data.draw(st.sampled_from(list(places(whole))))
    new = data.draw(st.sampled_from([x for x in (*NASTY, ..., "x", 7, [1], {"a": 1}) if x is not ... or where]))
    changed = put(whole, where, new)
    path.write_text(json.dumps(changed))
    look_at_result(folder)
    if changed != whole:
        assert store.load(folder, "One") is None


def _damage(kind: str, path) -> None:
    if kind == "cut":
        data = path.read_bytes()
        path.write_bytes(data[: len(data) // 2])
        return
    with h5py.File(path, "r+") as f:
        shape = f["temperature"].shape
        if kind in ("u", "temperature", "kind", "x", "part"):
            del f[kind]
        elif kind == "strings":
            del f["temperature"]
            f["temperature"] = np.full(shape, b"hot")
        elif kind == "layer short":
            u = f["u"][1:]
            del f["u"]
            f["u"] = u
        elif kind == "nan":
            f["temperature"][0, 0, 0] = np.nan
        elif kind == "cold":
            f["temperature"][...] = -5.0
        elif kind == "huge":
            del f["pressure"]
            f.create_dataset("pressure", shape=(60_000, 60_000, 60), dtype="f8", chunks=True)
        elif kind == "link":
            del f["pressure"]
            f["pressure"] = h5py.ExternalLink("/etc/hostname", "/x")
        elif kind == "backwards":
            f["x"][...] = f["x"][:][::-1]
        elif kind == "parts":
            f["part"][...] = 99
        elif kind == "other key":
            f.attrs["key"] = "0 Two"


@pytest.mark.parametrize(
    "kind",
    [
        "cut",
        "u",
        "temperature",
        "kind",
        "x",
        "part",
        "strings",
        "layer short",
        "nan",
        "cold",
        "huge",
        "link",
        "backwards",
        "parts",
        "other key",
    ],
)
def test_damaged_fields_are_refused(solved, tmp_path, kind):
    """Cut short, of another shape, not numbers, enormous, linked from elsewhere, or of another layout: no result."""
    folder = tmp_path / "p"
    shutil.copytree(solved, folder)
    _damage(kind, place_of(folder) / "fields.h5")
    assert store.load(folder, "One") is None
    look_at_result(folder)
    assert cli.main(["read", str(folder), "parts"]) == 2


def test_a_result_packed_as_a_whole(solved, tmp_path, monkeypatch):
    """It reads as what was stored, rounded; cut short, no archive at all, or one that claims too much: no result."""
    folder, result = tmp_path / "p", store.load(solved, "One")
    shutil.copytree(solved, folder)
    place = store.save(folder, "One", result, packed=True)
    assert not (place / store.FIELDS).exists()
    found = store.load(folder, "One")
    for name, step in STEPS.items():
        assert np.abs(getattr(found, name) - getattr(result, name)).max() <= 0.5001 * step
    np.testing.assert_array_equal(found.kind, result.kind)
    data = (place / store.PACKED).read_bytes()
    monkeypatch.setattr(store, "MOST_UNPACKED", 10_000_000)
    for bad in (data[: len(data) // 2], data[5:], b"", lzma.compress(bytes(20_000_000))):
        (place / store.PACKED).write_bytes(bad)
        assert store.load(folder, "One") is None
        look_at_result(folder)
    (place / store.PACKED).write_bytes(data)
    assert store.load(folder, "One") is not None


def test_the_demonstration_is_light():
    """What comes with the program of solved layouts is below 4 MB, and every layout is there."""
    assert sum(x.stat().st_size for x in DEMO.rglob("*") if x.is_file()) < 4e6
    for layout in files.read(DEMO).layouts:
        assert store.load(DEMO, layout.name) is not None


def test_bad_bytes_in_the_history(solved, tmp_path):
    """A history that cannot be read is none."""
    folder = tmp_path / "p"
    shutil.copytree(solved, folder)
    (place_of(folder) / "history.csv").write_bytes(b"iteration,seconds\n\xff\xfe,1\n")
    assert store.history(folder, "One") is None


def test_names_with_commas_keep_their_charts(tmp_path):
    """The history's columns go by their names, whatever stands in them."""
    doc = edits.set_cell("One", "Chip", "name", 'Chip, "hot"').apply(small())
    Job(doc, "One", tmp_path, banded=False).run()
    assert len(store.history(tmp_path, "One")['Chip, "hot"']) > 10


class Killed(BaseException):
    """The process is gone."""


@pytest.mark.parametrize("moment", range(14))
def test_death_between_file_operations(solved, tmp_path, monkeypatch, moment):
    """Storing over an old result, ended before any of its file operations: the old result or the new one is there,
    whole."""
    folder = tmp_path / "p"
    shutil.copytree(solved, folder)
    old = store.load(folder, "One")
    new = Solution(
        **{f.name: getattr(old, f.name) for f in fields(old)} | {"summary": old.summary | {"seconds": 1234.5}}
    )
    count = 0

    def dying(work):
        def call(*a, **k):
            nonlocal count
            if count == moment:
                raise Killed
            count += 1
            return work(*a, **k)

        return call

    with monkeypatch.context() as m:
        for where, name in ((os, "replace"), (shutil, "rmtree"), (h5py, "File")):
            m.setattr(where, name, dying(getattr(where, name)))
        for name in ("mkdir", "write_text", "exists"):
            m.setattr(store.Path, name, dying(getattr(store.Path, name)))
        try:
            store.save(folder, "One", new, ["iteration"])
        except Killed:
            pass
    back = store.load(folder, "One")
    assert back is not None
    assert back.summary["seconds"] in (old.summary["seconds"], 1234.5)
    store.save(folder, "One", new, ["iteration"])
    assert store.load(folder, "One").summary["seconds"] == 1234.5


def test_a_full_disk_leaves_nothing_behind(solved, tmp_path, monkeypatch):
    """Where the new result cannot be written, the old one stays and what was begun is removed; a run says so before it
    starts."""
    folder = tmp_path / "p"
    shutil.copytree(solved, folder)
    result = store.load(folder, "One")
    with monkeypatch.context() as m:
        m.setattr(store, "_write", lambda *a: (_ for _ in ()).throw(OSError(28, "No space left on device")))
        with pytest.raises(FileProblem, match="No space left"):
            store.save(folder, "One", result)
    assert store.load(folder, "One").summary == result.summary
    assert sorted(p.name for p in (folder / "results").iterdir()) == [
        ".index.lock",
        place_of(folder).name,
        "index.json",
    ]
    with monkeypatch.context() as m:
        m.setattr(shutil, "disk_usage", lambda p: shutil._ntuple_diskusage(10**9, 10**9, 1000))
        with pytest.raises(FileProblem, match="MB are free"):
            Job(small(), "One", folder).run()


def test_links_are_not_followed_out_of_the_project(solved, tmp_path):
    """A results folder that is a link to elsewhere is refused, and nothing there is touched."""
    elsewhere, folder = tmp_path / "elsewhere", tmp_path / "p"
    elsewhere.mkdir()
    (elsewhere / "precious.txt").write_text("mine")
    folder.mkdir()
    (folder / "results").symlink_to(elsewhere)
    with pytest.raises(FileProblem, match="link"):
        Job(small(), "One", folder).run()
    assert [p.name for p in elsewhere.iterdir()] == ["precious.txt"]


def test_saving_keeps_modes_and_links(tmp_path):
    """A project that others may write stays so; a link to a project file stays a link."""
    real = tmp_path / "kept" / "project.json"
    files.save(small(), real)
    os.chmod(real, 0o664)
    folder = tmp_path / "p"
    folder.mkdir()
    (folder / "project.json").symlink_to(real)
    files.save(edits.set_cell("One", "Chip", "power", "3 W").apply(small()), folder)
    assert (folder / "project.json").is_symlink()
    assert real.stat().st_mode & 0o777 == 0o664
    assert "3 W" in real.read_text()


def test_one_solver_at_a_time(tmp_path):
    """A second solver of the same result is refused with who holds it, of another not; when that process is gone, it
    may."""
    files.save(small(), tmp_path)
    job = Job(small(), "One", tmp_path)
    script = (
        f"from stithy.project.lock import solving\nimport time\n"
        f"with solving({str(tmp_path)!r}, {job.key!r}):\n    print('held', flush=True)\n    time.sleep(60)"
    )
    other = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    try:
        assert other.stdout.readline().strip() == "held"
        with pytest.raises(FileProblem, match=f"process {other.pid}"):
            job.run()
        with solving(tmp_path, "another"):
            pass
        assert [p.name for p in tmp_path.glob(".solving*")] == [f".solving-{job.key}"]
        other.send_signal(signal.SIGKILL)
        other.wait(10)
        with solving(tmp_path, job.key):
            pass
        assert not list(tmp_path.glob(".solving*"))
    finally:
        other.kill()
        other.stdout.close()
        other.wait(10)


def test_results_go_by_content(tmp_path):
    """Equal layouts share a result, renaming loses none, undoing makes the old one current again, and what no layout
    names is taken away."""
    doc = edits.duplicate_layout("One", "A/%B").apply(small())
    first = Job(doc, "One", tmp_path, banded=False)
    first.run()
    assert {s.layout: s.state for s in weigh(doc, tmp_path)} == {"One": "current", "A/%B": "current", "Two": "missing"}
    store.renamed(tmp_path, "One", "Uno")
    changed = edits.set_cell("Uno", "Chip", "power", "3 W").apply(edits.rename_layout("One", "Uno").apply(doc))
    assert next(s for s in weigh(changed, tmp_path) if s.layout == "Uno").state == "out of date"
    Job(changed, "Uno", tmp_path, banded=False).run()
    assert next(s for s in weigh(changed, tmp_path) if s.layout == "Uno").state == "current"
    assert {s.state for s in weigh(doc, tmp_path) if s.layout != "Two"} == {"current"}  # what undo would come back to
    store.kept_for(tmp_path, ["One"])
    for power in "45678":
        Job(edits.set_cell("One", "Chip", "power", f"{power} W").apply(small()), "One", tmp_path, banded=False).run()
    assert len([p for p in (tmp_path / "results").iterdir() if p.is_dir()]) == store.KEPT


def test_grids_too_large_are_foretold(document):
    """Sizes out of proportion are refused before anything is allocated, with the nearest grid that fits."""
    for key, text in (
        ("coarsest", "0.02 mm"),
        ("at_walls", "1e-9 mm"),
        ("across_gaps", "400"),
        ("across_solids", "400"),
    ):
        doc = edits.many(
            "fine", [edits.set_cell("One", "Grid", key, text), edits.set_cell("One", "Grid", "coarsest", "0.03 mm")]
        ).apply(document)
        began = time.monotonic()
        found = fits(resolve(doc, "One"))
        assert found is not None
        assert "too fine" in found.what
        assert found.remedy
        assert time.monotonic() - began < 10
        with pytest.raises(SetupError):
            Job(doc, "One")


@pytest.mark.parametrize(
    ("edit", "row", "words"),
    [
        (
            edits.add_row("One", d.WallPatch(name="Off", on="Case", side="z-", at="50, 30 mm", size="30, 30 mm")),
            "Off",
            "no wall",
        ),
        (edits.set_cell("One", "Chip", "power", "-400 degC"), "Chip", "heat load"),
        (edits.set_cell("One", "Case", "sides", "z-: -500 degC"), "Case", "absolute zero"),
        (edits.set_cell("One", "In", "turbulence", "500"), "In", "from 0 to 100 %"),
        (edits.set_cell("One", "Surroundings", "pressure", "1e14 Pa"), "Surroundings", "proportion"),
        (edits.set_cell("One", "Surroundings", "ambient", "1e6 degC"), "Surroundings", "proportion"),
        (edits.set_cell("One", "Chip", "profile", "0 s: -500 %; 9 s: 1"), "Chip", "below 0 %"),
        (edits.set_cell("One", "Chip", "profile", "on 0 s, off 0 s"), "Chip", "above 0 s"),
        (edits.add_row("One", d.GridRow(name="Grid 2")), "Grid 2", "second row"),
        (edits.add_row("One", d.Surroundings(name="More")), "More", "second row"),
        (edits.add_row("One", d.Parameter(name="a", value="= a")), "a", "itself"),
        (edits.add_row("One", d.Contact(name="Air", of="Chip", to="Chip")), "Air", "twice"),
        (edits.set_cell("One", "In", "serves", "mercury"), "In", "no fluid"),
    ],
)
def test_nonsense_is_refused(document, edit, row, words):
    """What was once accepted in silence: each refused at its row, in words, with a remedy."""
    with pytest.raises(SetupError) as caught:
        resolve(edit.apply(document), "One")
    assert any(p.row == row and words in str(p) for p in caught.value.problems), caught.value.problems


def test_varying_properties_within_their_range():
    """Water below its freezing point is refused where its properties follow temperature."""
    doc = d.Document(
        name="Cold",
        rows=(
            d.Enclosure(name="Box", fluid="water"),
            d.Surroundings(name="S", ambient="-60 degC", properties="varying"),
            d.GridRow(name="Grid"),
            d.RunRow(name="Run"),
        ),
    )
    with pytest.raises(SetupError, match="is known from"):
        resolve(doc, "First layout")


def test_a_change_of_a_cell_that_is_not_there(document):
    """A layout's change that names no cell of its row is told."""
    layouts = (document.layouts[0].model_copy(update={"changes": {"Chip": {"powr": "3 W"}}}),)
    with pytest.raises(SetupError, match="powr"):
        resolve(document.model_copy(update={"layouts": layouts}), "One")


def test_renaming_follows_everywhere(document):
    """Materials, fluids, what an opening serves, parameters in expressions, and layouts that a run starts from."""
    doc = edits.many(
        "more",
        [
            edits.add_row("One", d.MaterialRow(name="alloy")),
            edits.set_cell("One", "Chip", "material", "alloy"),
            edits.add_row("One", d.FluidRow(name="oil")),
            edits.set_cell("One", "Case", "fluid", "oil"),
            edits.set_cell("One", "In", "serves", "oil"),
            edits.add_row("One", d.Parameter(name="load", value="2 W")),
            edits.set_cell("One", "Chip", "power", "= 2*load + 0.5*load"),
            edits.set_cell("One", "Run", "start", "Two"),
        ],
    ).apply(document)
    doc = edits.many(
        "names",
        [
            edits.set_cell("One", "alloy", "name", "brass"),
            edits.set_cell("One", "oil", "name", "ester"),
            edits.set_cell("One", "load", "name", "watts"),
            edits.rename_layout("Two", "Three"),
        ],
    ).apply(doc)
    row = {r.name: r for r in doc.rows}
    assert row["Chip"].material == "brass"
    assert row["Case"].fluid == row["In"].serves == "ester"
    assert row["Chip"].power == "= 2*watts + 0.5*watts"
    assert row["Run"].start == "Three"
    assert not cell_faults(doc, "One")


def test_names_that_could_not_be_opened_are_refused(document):
    """Too long, or with signs that cannot be shown: refused in the edit, as in a file."""
    for name in ("x" * 61, "\x1b[31mred", "\ud800"):
        for edit in (
            edits.set_cell("One", "Chip", "name", name),
            edits.rename_layout("Two", name),
            edits.duplicate_layout("Two", name),
        ):
            with pytest.raises(StithyError):
                edit.apply(document)


def test_commands_end_calmly(tmp_path, capsys, monkeypatch):
    """A file in the way, a folder that is not there, and what nobody has foreseen: a line each, no traceback."""
    files.save(small(), tmp_path)
    (tmp_path / "file").write_text("x")
    assert cli.main(["demo", "--no-window", "--folder", str(tmp_path / "file")]) == 2
    Job(small(), "One", tmp_path, banded=False).run()
    assert cli.main(["export", str(tmp_path), str(tmp_path / "file" / "a.csv")]) == 2
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setattr(api, "open_project", lambda p: 1 / 0)
    assert cli.main(["check", str(tmp_path)]) == 3
    err = capsys.readouterr().err
    assert "Traceback" not in err
    assert "stithy.log" in err
    assert "ZeroDivisionError" in (tmp_path / "state/stithy/stithy.log").read_text()


@pytest.mark.parametrize("text", ["[[[", '["mine"]\nk = 3\n', '"mine" = 5\n'])
def test_a_bad_library_of_the_users_own(tmp_path, monkeypatch, text):
    """A library that cannot be read is refused with its file and what is wrong, not with a traceback."""
    from stithy.project import library

    (tmp_path / "materials.toml").write_text(text)
    monkeypatch.setattr(library, "USER", tmp_path)
    for cache in (library._table, library.materials):
        cache.cache_clear()
    try:
        with pytest.raises(FileProblem, match=r"materials\.toml"):
            library.materials()
    finally:
        for cache in (library._table, library.materials):
            cache.cache_clear()
