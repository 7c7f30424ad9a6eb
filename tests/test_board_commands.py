"""Boards from the command line, from small files written by hand: what comes in, what a revision keeps, and what is
refused; every length as in the file."""

from __future__ import annotations

import json
import shlex

import numpy as np
import pytest

from stithy import api, cli
from stithy import kinds as d
from stithy.kinds.assembly import resolve
from stithy.project import files

HEAD = '.HEADER\nBOARD_FILE 3.0 "made by hand" 2026/11/20 1\n"{name}" MM\n.END_HEADER\n'
SHEET = "0 0 0 0\n0 60 0 0\n0 60 40 0\n0 0 40 0\n0 0 0 0"


def board(folder, name: str, places: dict[str, tuple[float, float, str]], thick: float = 1.6) -> None:
    """Outline, placement and library files of a board of 60 x 40 mm."""
    folder.mkdir(exist_ok=True)
    placed = "\n".join(f'"SOIC" "PN" {n}\n{x} {y} 0 0 {side} PLACED' for n, (x, y, side) in places.items())
    text = HEAD.format(name=name) + f".BOARD_OUTLINE MCAD\n{thick}\n{SHEET}\n.END_BOARD_OUTLINE\n"
    (folder / f"{name}.emn").write_text(f"{text}.PLACEMENT\n{placed}\n.END_PLACEMENT\n")
    shape = "0 -4 -3 0\n0 4 -3 0\n0 4 3 0\n0 -4 3 0\n0 -4 -3 0"
    library = '.HEADER\nLIBRARY_FILE 3.0 "made by hand" 2026/11/20 1\n.END_HEADER\n'
    (folder / f"{name}.emp").write_text(f'{library}.ELECTRICAL\n"SOIC" "PN" MM 2.5\n{shape}\n.END_ELECTRICAL\n')


@pytest.fixture
def ask(tmp_path, capsys):
    """A command by words, P the project: what it prints."""
    rows = (d.Enclosure(name="Case", size="100, 80, 40 mm", wall="0 mm"), d.Surroundings(name="Air"))
    files.save(d.Document(name="Bench", rows=rows), tmp_path / "p")

    def run(command: str, code: int = 0) -> str:
        words = [x.replace("T/", f"{tmp_path}/") for x in shlex.split(command)]
        capsys.readouterr()
        assert cli.main([str(tmp_path / "p") if x == "P" else x for x in words]) == code, capsys.readouterr().err
        return capsys.readouterr().out

    run.folder = tmp_path
    run.rows = lambda: {r.name: r for r in files.read(tmp_path / "p").rows_of("First layout")}
    run.solids = lambda: {s.name: s for s in resolve(api.open_project(tmp_path / "p").document, "First layout").solids}
    return run


def middle(solid) -> list[float]:
    return [500 * sum(b) for b in solid.bounds]


def test_a_board_comes_in_with_its_components(ask):
    """Outline, thickness, places, sides and heights as in the files; the answer names what came."""
    board(ask.folder / "a", "power", {"U1": (20, 10, "TOP"), "U2": (40, 30, "BOTTOM")})
    told = json.loads(ask("import T/a/power.emn P --json"))
    assert told["kept"] == []
    assert sorted(told["new"]) == ["U1", "U2"]
    solids = ask.solids()
    sheet = solids[told["board"]]
    assert [1e3 * (b - a) for a, b in sheet.bounds] == pytest.approx([60, 40, 1.6])
    corner = np.array([1e3 * b[0] for b in sheet.bounds])
    for name, (x, y) in (("U1", (20, 10)), ("U2", (40, 30))):
        assert [1e3 * (b - a) for a, b in solids[name].bounds] == pytest.approx([8, 6, 2.5])
        assert middle(solids[name])[:2] == pytest.approx(list(corner[:2] + (x, y)))
    assert 1e3 * solids["U1"].bounds[2][0] == pytest.approx(corner[2] + 1.6)
    assert 1e3 * solids["U2"].bounds[2][1] == pytest.approx(corner[2])


def test_a_revision_keeps_what_was_said(ask):
    """Another file in the board's place: components of the same reference keep loads and limits and stand where the
    new file has them; new ones come, those that are gone are named; a thickness that changed is taken over."""
    board(ask.folder / "a", "power", {"U1": (20, 10, "TOP"), "U2": (40, 30, "TOP")})
    first = json.loads(ask("import T/a P --json"))["board"]
    (ask.folder / "loads.csv").write_text("reference,power,limit\nU1,2 W,95 degC\nU2,1 W,\nU9,1 W,\n")
    assert "U9" in ask("powers P T/loads.csv", 1)
    board(ask.folder / "b", "power2", {"U1": (30, 20, "TOP"), "U3": (10, 30, "TOP")}, thick=1.0)
    told = json.loads(ask(f"swap P '{first}' T/b/power2.emn --json"))
    assert (told["kept"], told["new"], told["gone"]) == (["U1"], ["U3"], ["U2"])
    rows, solids = ask.rows(), ask.solids()
    assert (rows["U1"].power, rows["U1"].limit) == ("2 W", "95 degC")
    corner = [1e3 * b[0] for b in solids[told["board"]].bounds]
    assert middle(solids["U1"])[:2] == pytest.approx([corner[0] + 30, corner[1] + 20])
    assert 1e3 * (solids[told["board"]].bounds[2][1] - solids[told["board"]].bounds[2][0]) == pytest.approx(1.0)
    assert "U2" not in solids
    listed = [r["name"] for r in json.loads(ask("rows P component --json"))]
    assert listed == ["U1", "U3"]


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda t: "", "has no header"),
        (
            lambda t: t.replace("0 60 40 0\n", "0 60000 40000 0\n").replace("0 60 0 0", "0 60000 0 0"),
            "unit in its header",
        ),
        (lambda t: t.replace(SHEET, ""), "outline"),
    ],
)
def test_a_board_that_cannot_be_is_refused(ask, spoil, words, capsys):
    """With the file's name and what to do, and the project is as it was."""
    board(ask.folder / "a", "power", {"U1": (20, 10, "TOP")})
    path = ask.folder / "a/power.emn"
    path.write_text(spoil(path.read_text()))
    before = (ask.folder / "p/project.json").read_bytes()
    assert cli.main(["import", str(path), str(ask.folder / "p")]) == 2
    told = capsys.readouterr().err
    assert words in told, told
    assert (ask.folder / "p/project.json").read_bytes() == before
