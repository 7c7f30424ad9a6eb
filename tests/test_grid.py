"""Lines, occupancy and fluid spaces."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import api, jobs
from stithy import kinds as d
from stithy.kinds.assembly import resolve
from stithy.mesh.build import build, predict
from stithy.mesh.findings import findings
from stithy.mesh.gridding import grid_lines
from stithy.mesh.lines import Spacing, axis_lines, facing_gaps
from stithy.mesh.occupancy import fluid_spaces
from stithy.project import edits, files

from .conftest import DEMO

lengths = st.lists(st.floats(0, 1).map(lambda x: round(x, 4)), min_size=2, max_size=8, unique=True).filter(
    lambda x: np.diff(sorted(x)).min() > 2e-3
)


@given(lengths, st.floats(0.005, 0.2), st.floats(1.1, 2.0))
@settings(deadline=None)
def test_lines_keep_faces_and_sizes(faces, coarsest, growth):
    """A line on every face, no cell above what is allowed, and neighbours within a face grade gently."""
    first, second = sorted(faces)[:2]
    fine = Spacing(first, second, coarsest / 4)
    x = axis_lines(faces, [fine], coarsest, growth)
    assert (np.diff(x) > 0).all()
    assert all(np.abs(x - f).min() < 1e-12 for f in faces)
    assert np.diff(x).max() <= coarsest * 1.06
    assert np.diff(x)[x[:-1] < second - 1e-9].max() <= fine.size * 1.06


def test_gaps_are_seen():
    """Facing boxes give the gap between them; what stands between hides the farther one."""
    boxes = np.array([[[0, 1], [0, 1], [0, 1]], [[2, 3], [0, 1], [0, 1]], [[5, 6], [0.5, 1], [0, 1]]], float)
    assert facing_gaps(boxes, 0) == [(1.0, 2.0), (3.0, 5.0)]
    assert facing_gaps(-boxes[:, :, ::-1], 0) == [(-5.0, -3.0), (-2.0, -1.0)]
    assert facing_gaps(boxes, 1) == []


@pytest.mark.parametrize("layout", [x.name for x in files.read(DEMO).layouts])
def test_demo_grid(layout):
    """The demonstration layouts: every fin and gap resolved, volumes exact, size as foretold and within 200 000 to 320
    000."""
    model = resolve(files.read(DEMO), layout)
    built = build(model)
    assert predict(model)[:2] == (built.grid.shape, built.grid.cells)
    assert 200_000 <= built.grid.cells <= 320_000
    volume = built.grid.volumes()
    for solid in model.solids:
        exact = sum(np.prod([b - a for a, b in box]) for box in solid.boxes)
        assert volume[built.owner == built.parts.index(solid.name)].sum() == pytest.approx(exact, rel=1e-9)
    assert fluid_spaces(built.kind)[1] == 1


def test_spaces_do_not_leak_over_edges():
    """Cells that touch along an edge only are two spaces."""
    kind = np.ones((2, 2, 1), np.uint8)
    kind[0, 0] = kind[1, 1] = 0
    assert fluid_spaces(kind)[1] == 2


def test_cells_across_gap(document):
    """At least the wished number of cells between the chip and the lid."""
    from stithy.project import edits

    model = resolve(edits.set_cell("One", "Grid", "across_gaps", "7").apply(document), "One")
    z = grid_lines(model).lines[2]
    assert ((z > 6e-3 - 1e-9) & (z < 18e-3 - 1e-9)).sum() >= 7


def test_rolls_are_not_collapsed():
    """Between two pairs of symmetry sides one layer stands for the shorter direction only where buoyancy may make rolls
    along the other."""
    rows = (
        d.Enclosure(
            name="Layer",
            size="40, 5, 10 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="x-: symmetry; x+: symmetry; y-: symmetry; y+: symmetry; z-: 40 degC; z+: 20 degC",
        ),
        d.GridRow(name="Grid", coarsest="1 mm", at_walls="0 mm"),
    )
    for gravity, shape in (("0, 0, -9.81 m/s2", (40, 1)), ("0, 0, 0 m/s2", (1, 1))):
        document = d.Document(name="Layer", rows=(*rows, d.Surroundings(name="Air", gravity=gravity)))
        assert grid_lines(resolve(document, "First layout")).shape[:2] == shape


@given(gap=st.floats(0.8, 6.0), cells=st.integers(1, 5))
@settings(max_examples=30, deadline=None)
def test_gaps_with_few_cells_are_found(gap, cells):
    """Two blocks in a box: their gap is told with both names exactly where it has fewer than three cells, and one
    cell through a part that releases heat is told, too."""
    rows = (
        d.Enclosure(name="Box", size="60, 40, 30 mm", wall="0 mm"),
        d.Block(name="Left", at="10, 10, 10 mm", size="15, 20, 10 mm"),
        d.Block(name="Right", at=f"{25 + gap:.3f}, 10, 10 mm", size="15, 20, 10 mm", power="1 W"),
        d.Surroundings(name="Surroundings"),
        d.GridRow(
            name="Grid", coarsest="30 mm", across_gaps=f"{cells}", across_solids="1", growth="4", at_walls="0 mm"
        ),
        d.RunRow(name="Run"),
    )
    model = resolve(d.Document(rows=rows), "First layout")
    found = findings(model)
    told = [f for f in found if set(f.rows) == {"Left", "Right"}]
    assert len(told) == (1 if cells < 3 else 0)
    assert all(abs(f.place[0] - 1e-3 * (25 + gap / 2)) < 1e-5 for f in told)
    assert cells > 1 or any(f.rows == ("Right",) for f in found)
    assert [f.weight for f in found] == sorted((f.weight for f in found), reverse=True)


def test_cells_across_a_plate_go_through_it():
    """Wished for across the sheets of a duct from a file they stand in their thickness alone: nothing along them."""
    project = api.open_project(jobs.DATA / "jobs" / "fog-horn-duct")
    layout = project.document.layouts[0].name
    plain, wished = resolve(project.document, layout), project.document
    sheets = ("Floor", "Roof", "Left wall", "Right wall")
    for name in sheets:
        wished = edits.set_cell(layout, name, "cells", "2").apply(wished)
    model = resolve(wished, layout)
    grid = grid_lines(model)
    assert grid.cells < 1.5 * predict(plain)[1]
    for s in (s for s in model.solids if s.name in sheets):
        thin = int(np.argmin([hi - lo for lo, hi in s.bounds]))
        lo, hi = s.bounds[thin]
        assert ((grid.centres[thin] > lo) & (grid.centres[thin] < hi)).sum() == 2
