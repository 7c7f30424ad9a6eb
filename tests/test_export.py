"""What leaves the program is what is in it: spreadsheets, tables, fields and walls read again by others' readers, in
any unit that is shown."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from xml.etree import ElementTree

import numpy as np
import pytest
import pyvista as pv
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api
from stithy import kinds as d
from stithy.kinds.drawing import drawn
from stithy.project import edits, files
from stithy.read import export, shown
from stithy.read.quantities import Quantities

from .conftest import small

SHEET = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"


def workbook(data: bytes) -> dict[str, list[list]]:
    """Sheets of a spreadsheet file as rows of text and numbers, by its own XML; formulas are told as such."""
    with zipfile.ZipFile(io.BytesIO(data)) as z:
        book = ElementTree.fromstring(z.read("xl/workbook.xml"))
        names = [x.get("name") for x in book.iter(f"{SHEET}sheet")]
        words = []
        if "xl/sharedStrings.xml" in z.namelist():
            shared = ElementTree.fromstring(z.read("xl/sharedStrings.xml"))
            words = ["".join(t.text or "" for t in x.iter(f"{SHEET}t")) for x in shared.iter(f"{SHEET}si")]
        out = {}
        for m, name in enumerate(names, 1):
            page, rows = ElementTree.fromstring(z.read(f"xl/worksheets/sheet{m}.xml")), []
            for row in page.iter(f"{SHEET}row"):
                cells: dict[int, object] = {}
                for c in row.iter(f"{SHEET}c"):
                    letters = re.match(r"[A-Z]+", c.get("r"))[0]
                    column = sum((ord(x) - 64) * 26**k for k, x in enumerate(reversed(letters))) - 1
                    value = c.findtext(f"{SHEET}v") or ""
                    assert c.find(f"{SHEET}f") is None, "a formula"
                    cells[column] = words[int(value)] if c.get("t") == "s" else float(value)
                rows.append([cells.get(k, "") for k in range(max(cells, default=-1) + 1)])
            out[name] = rows
    return out


@pytest.fixture(scope="module")
def project(tmp_path_factory):
    """The small box solved, with a line and a watch of its own; the line has the name of a table."""
    document = small()
    for row in (
        d.LineRow(name="Parts", through="5, 20, 10 mm; 55, 20, 10 mm", quantity="temperature; speed", count="7"),
        d.WatchRow(name="= by hand", quantity="speed", of="Out", measure="max"),
    ):
        document = edits.add_row("One", row).apply(document)
    folder = tmp_path_factory.mktemp("export")
    files.save(document, folder)
    project = api.open_project(folder)
    project.solve("One")
    return project


def in_units(monkeypatch, tmp_path, **units) -> None:
    """Show quantities in other units for a while."""
    monkeypatch.setattr(shown, "file", lambda: tmp_path / "units.json")
    for clear in (shown._chosen, shown._factor):
        clear.cache_clear()
    for dimension, unit in units.items():
        shown.choose(dimension.replace("_", " "), unit)


@pytest.fixture(autouse=True)
def _usual_units():
    """Whatever a test chose is forgotten after it."""
    yield
    for clear in (shown._chosen, shown._factor):
        clear.cache_clear()


@pytest.mark.parametrize("other", [False, True])
def test_a_spreadsheet_says_what_the_summary_says(project, tmp_path, monkeypatch, other):
    """Every number under the unit of its heading, as usual and with W shown as mW and degC as degF; the line called
    as a table has a sheet of its own; a name that begins with = is no formula."""
    watts, degrees = (1e3, lambda t: (t - 273.15) * 1.8 + 32) if other else (1.0, lambda t: t - 273.15)
    in_units(monkeypatch, tmp_path, **({"power": "mW", "temperature": "degF"} if other else {}))
    result = project.result("One")
    rows, _ = drawn(project.document, "One")
    sheets = workbook(export.sheet(tmp_path / "a.xlsx", export.all_tables(result, rows)).read_bytes())
    s = result.summary
    head, *parts = sheets["Parts"]
    assert head[1].endswith("°F" if other else "°C")
    assert head[3].endswith("mW" if other else " W")
    for row in parts:
        p = s["parts"][row[0]]
        expected = [degrees(p["max"]), degrees(p["mean"]), watts * p["power"], *(1e3 * x for x in p["hot_spot"])]
        assert row[1:] == pytest.approx(expected, rel=1e-9)
    for row in sheets["Openings"][1:]:
        e = s["ends"][row[0]]
        flows = [3600 * e["volume_flow"], 1e3 * e["mass_flow"]]
        assert row[1:] == pytest.approx([*flows, watts * e["heat_out"], degrees(e["temperature"]), e["pressure"]])
    assert {r[0]: r[1] for r in sheets["Outside"][1:]} == pytest.approx(s["walls"])
    assert sum(r[3] for r in sheets["Heat path"][1:] if r[0] == "Chip") == pytest.approx(1.0, rel=1e-3)
    head, *line = sheets["Parts 2"]
    assert head[:4] == ["distance mm", "x mm", "y mm", "z mm"]
    read = Quantities(result).line((0.005, 0.02, 0.01), (0.055, 0.02, 0.01), 7)
    for row, at in zip(line, read, strict=True):
        assert row[:4] == pytest.approx([1e3 * at[k] for k in ("distance", "x", "y", "z")], abs=1e-9)
        assert row[4] == pytest.approx(degrees(at["temperature"]), rel=1e-6)
        assert row[5] == pytest.approx(at["speed"], rel=1e-6)
    watches = {r[0]: r for r in sheets["Watches"][1:]}
    assert {"Chip", "Drop", "= by hand"} <= set(watches)
    assert watches["Drop"][1:3] == pytest.approx(
        [(b := project.bands("One").drop("In", "Out")).value, b.band], rel=1e-6
    )


NAMES = st.text(st.sampled_from("ab[]*?:/\\' =Längé"), min_size=1, max_size=60)


@settings(max_examples=60)
@given(
    st.lists(NAMES, min_size=1, max_size=5, unique=True),
    st.lists(
        st.lists(st.one_of(st.floats(allow_nan=False, allow_infinity=False, width=32), NAMES), min_size=1, max_size=3)
    ),
)
def test_any_names_make_a_spreadsheet(tmp_path_factory, names, rows):
    """However tables are called, alike but for what a sheet's name may not hold, and whatever stands in them."""
    place = tmp_path_factory.getbasetemp()
    sheets = workbook(export.sheet(place / "any.xlsx", {n: (["head"], rows) for n in names}).read_bytes())
    assert len(sheets) == len(names)
    for page in sheets.values():
        told = page[1:] + [[]] * (len(rows) - len(page) + 1)
        for row, mine in zip(told, rows, strict=True):
            for a, b in zip(row, mine, strict=False):
                assert a == (b if isinstance(b, str) else pytest.approx(b, rel=1e-6, abs=1e-12))
    blocks = list(csv.reader(io.StringIO(export.sheet(place / "any.csv", {"one": (["head"], rows)}).read_text())))
    assert len(blocks) == len(rows) + 1


def test_fields_are_cells_where_they_stand(project, tmp_path):
    """A file of fields read by another reader: every cell's values at its middle, the grid's lines, one array for each
    quantity that was asked for; what has no such quantity is refused before anything is written."""
    result = project.result("One")
    mesh = pv.read(export.vtk(result, tmp_path / "f.vtr", ["total pressure", "= speed**2"]))
    for a, axis in zip("xyz", result.grid.lines, strict=True):
        assert np.array_equal(getattr(mesh, a), axis)
    centres = mesh.cell_centers().points
    index = [np.searchsorted(x, centres[:, a]) - 1 for a, x in enumerate(result.grid.lines)]
    for name, field in (
        ("temperature_K", result.temperature),
        ("pressure_Pa", result.pressure),
        ("part", result.part),
        ("velocity_m_per_s", result.velocity()),
    ):
        assert mesh[name] == pytest.approx(field[tuple(index)], rel=1e-6, abs=1e-9), name
    speed2 = (result.velocity() ** 2).sum(-1)[tuple(index)]
    fluid = (result.kind == 0)[tuple(index)]
    assert mesh["speed**2"][fluid] == pytest.approx(speed2[fluid], rel=1e-5, abs=1e-12)
    with pytest.raises(api.StithyError):
        export.vtk(result, tmp_path / "g.vtr", ["colour"])
    assert not (tmp_path / "g.vtr").exists()


def test_walls_are_polygons_with_their_heat(project, tmp_path):
    """Areas of polygons are those of the walls, and flux times area over all polygons of a wall is its heat."""
    result = project.result("One")
    mesh = pv.read(export.surfaces(result, tmp_path / "w.vtp"))
    walls = result.walls
    assert mesh.n_cells == len(walls.cell)
    areas = mesh.compute_cell_sizes(length=False, volume=False)["Area"]
    assert areas == pytest.approx(walls.area, rel=1e-5)
    flux = next(mesh[n] for n in mesh.array_names if n in ("wall_heat_flux", "wall heat flux"))
    for m in np.unique(mesh["wall"]):
        here = mesh["wall"] == m
        fluid = here & (walls.outer == 0)
        assert float((flux * areas)[fluid].sum()) == pytest.approx(float(walls.heat[fluid].sum()), rel=1e-4, abs=1e-7)


def test_the_csv_is_read_back(project, tmp_path):
    """Blocks of parts, openings, fans and walls with the summary's numbers to the digits shown."""
    s = project.summary("One")
    lines = list(csv.reader(io.StringIO(export.tables(project.result("One"), tmp_path / "t.csv").read_text())))
    rows = {line[0]: line[1:] for line in lines if line}
    assert float(rows["Chip"][0]) == pytest.approx(s["parts"]["Chip"]["max"] - 273.15, abs=0.005)
    assert float(rows["Out"][0]) == pytest.approx(3600 * s["ends"]["Out"]["volume_flow"], rel=1e-3)
    assert float(rows["Case z-"][0]) == pytest.approx(s["walls"]["Case z-"], rel=1e-3)
    assert float(rows["heat load W"][0]) == 1.0
