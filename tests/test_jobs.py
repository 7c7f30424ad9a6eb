"""The jobs that come with the program, on a coarse grid: nothing is missing, they solve, one layout meets its limits
and one does not."""

from __future__ import annotations

from pathlib import Path

import pytest

from stithy import api, jobs
from stithy.desk.start_page import DECIDES
from stithy.project import edits, files
from stithy.weigh.compare import weigh
from stithy.weigh.limits import FAILS

#: their runs take too long for every commit: solved in ``make verify``
LONG = (
    "battery-bath",
    "mast-rod",
    "night-switch-off",
    "oil-well-heater",
    "lamp-sink",
    "air-heater",
    "inverter-cold-plate",
    "jacket-cooler",
    "relay-box",
    "exhaust-heater",
    "leaky-housing",
    "deck-pipe",
    "ribbed-channel",
    "sea-water-manifold",
)
#: solved as they come, in seconds: a quick grid tells too little of them
QUICK = ("deck-pipe", "ribbed-channel", "jacket-cooler", "lamp-sink")
#: outer iterations where fewer will do
FEW = {"exhaust-heater": "15"}


def _marked(name: str):
    return pytest.param(name, marks=pytest.mark.verify if name in LONG else ())


@pytest.mark.parametrize("name", [_marked(n) for n in jobs.names()[1:]])
def test_a_job_is_decided(tmp_path, name):
    """Copied, made coarse, solved and weighed: fluids flow in and out alike, heat closes, the first layout is the one
    that meets its limits."""
    folder = jobs.copy(name, str(tmp_path / name))
    project = api.open_project(folder)
    names = [x.name for x in project.document.layouts]
    detail = "standard" if name in QUICK else "quick"
    for row, key, text in (("Grid", "detail", detail), ("Run", "iterations", FEW.get(name, "300"))):
        project.document = edits.set_cell(names[0], row, key, text).apply(project.document)
    files.save(project.document, folder)
    if any(r.kind == "body" for r in project.document.rows):
        assert not any(f.matters for f in project.faults())
        assert all(f.plate for f in project.openings())
    for layout in (names[0], names[-1]):
        summary = project.solve(layout).summary
        flows = [e["mass_flow"] for e in summary["ends"].values()]
        if not summary.get("bath"):  # which swells, and lets vapour out
            assert abs(sum(flows)) < 1e-3 * max(map(abs, flows), default=1.0)
        if not summary.get("time"):
            passing = sum(abs(e["heat_out"]) for e in summary["ends"].values()) + summary["heat_load"]
            assert abs(summary["heat_imbalance"]) < 1e-3 * passing
    verdicts = {s.layout: s for s in weigh(project.document, folder)}
    assert all(m.verdict != FAILS for m in verdicts[names[0]].margins), name
    assert any(m.verdict == FAILS for m in verdicts[names[-1]].margins), name


def test_every_job_comes_with_a_drawing_and_a_page():
    """What the start page shows of it, and its page in docs/jobs.md."""
    page = (Path(__file__).parent.parent / "docs/jobs.md").read_text(encoding="utf-8")
    for name in jobs.names():
        assert (jobs.DATA / "starts" / f"job-{name}.png").is_file(), name
        assert f"`stithy demo {name}`" in page or name == jobs.FIRST, name
        assert name in DECIDES
