"""The jobs that come with the program, on a coarse grid: nothing is missing, they solve, one layout meets its limits
and one does not."""

from __future__ import annotations

import pytest

from stithy import api, jobs
from stithy.project import edits, files
from stithy.weigh.compare import weigh
from stithy.weigh.limits import FAILS


@pytest.mark.parametrize("name", jobs.names()[1:])
def test_a_job_is_decided(tmp_path, name):
    """Copied, made coarse, solved and weighed: fluids flow in and out alike, heat closes, the first layout is the one
    that meets its limits."""
    folder = jobs.copy(name, str(tmp_path / name))
    project = api.open_project(folder)
    first, second = (x.name for x in project.document.layouts)
    few = "15" if name == "exhaust-heater" else "300"
    for row, key, text in (("Grid", "detail", "quick"), ("Run", "iterations", few)):
        project.document = edits.set_cell(first, row, key, text).apply(project.document)
    files.save(project.document, folder)
    assert not any(f.matters for f in project.faults())
    assert all(f.plate for f in project.openings())
    for layout in (first, second):
        summary = project.solve(layout).summary
        flows = [e["mass_flow"] for e in summary["ends"].values()]
        assert abs(sum(flows)) < 1e-3 * max(map(abs, flows))
        passing = sum(abs(e["heat_out"]) for e in summary["ends"].values()) + summary["heat_load"]
        assert abs(summary["heat_imbalance"]) < 1e-3 * passing
    verdicts = {s.layout: s for s in weigh(project.document, folder)}
    assert all(m.verdict != FAILS for m in verdicts[first].margins), name
    assert any(m.verdict == FAILS for m in verdicts[second].margins), name
