"""Measured parts against what geometry says."""

from __future__ import annotations

import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import cli
from stithy import kinds as d
from stithy.kinds.assembly import read_all
from stithy.project import files
from stithy.project.reader import Reader
from stithy.read import measure

PLACE = st.integers(0, 60)
SIZE = st.integers(1, 30)


def _model(*rows):
    document = d.Document(rows=(d.Enclosure(name="Box", size="200, 160, 120 mm"), *rows))
    return read_all(Reader(document, "First layout"), "First layout")


@settings(max_examples=40, deadline=None)
@given(st.tuples(*[PLACE] * 3, *[SIZE] * 3), st.tuples(*[PLACE] * 3, *[SIZE] * 3))
def test_gap_between_boxes(one, other):
    """The least distance of two boxes has a closed form: over faces, edges and corners; 0 where they share a place."""
    rows = [
        d.Block(name=n, at=f"{b[0]}, {b[1]}, {b[2]} mm", size=f"{b[3]}, {b[4]}, {b[5]} mm")
        for n, b in (("A", one), ("B", other))
    ]
    off = [max(q[a] - p[a] - p[3 + a], p[a] - q[a] - q[3 + a], 0) for p, q in [(one, other)] for a in range(3)]
    found = measure.gap(_model(*rows), "A", "B")
    assert found[0] == pytest.approx(1e-3 * np.hypot(np.hypot(*off[:2]), off[2]), abs=2e-6)


def test_gap_of_round_things():
    """Two parallel bars, a bar above a plate, a bent tube beside a block: to a tenth of a per cent of a radius."""
    model = _model(
        d.Cylinder(name="One", at="20, 20, 10 mm", along="z", length="50 mm", diameter="10 mm"),
        d.Cylinder(name="Other", at="50, 60, 0 mm", along="z", length="80 mm", diameter="20 mm"),
        d.Block(name="Plate", at="0, 0, 0 mm", size="100, 100, 4 mm"),
        d.Tube(name="Tube", points="100, 20, 40; 100, 80, 40; 150, 80, 40 mm", bend="15 mm", diameter="8 mm"),
        d.Block(name="Corner", at="130, 20, 36 mm", size="10, 10, 8 mm"),
    )
    assert measure.gap(model, "One", "Other")[0] == pytest.approx(0.035, abs=1e-5)
    assert measure.gap(model, "One", "Plate")[0] == pytest.approx(0.006, abs=1e-6)
    assert measure.gap(model, "Tube", "Corner")[0] == pytest.approx(0.026, abs=1e-5)
    told = {m.what: m.value for m in measure.part(model, "One")}
    assert told["diameter"] == pytest.approx(0.01)
    assert told["volume"] == pytest.approx(np.pi * 25e-6 * 0.05)
    assert told["surface"] == pytest.approx(np.pi * 0.01 * 0.05 + 2 * np.pi * 25e-6)


def test_distance_and_angle_of_picks():
    model = _model(d.Block(name="A", at="0, 0, 0 mm", size="10, 10, 10 mm"))
    one = measure.Picked("A", (0.01, 0.0, 0.0), (1.0, 0.0, 0.0), 0)
    other = measure.Picked("A", (0.01, 0.003, 0.004), (0.0, 0.0, 1.0), 0)
    told = {m.what: m.value for m in measure.between(model, one, other)}
    assert told["distance"] == pytest.approx(0.005)
    assert told["along z"] == pytest.approx(0.004)
    assert told["angle between the faces"] == pytest.approx(np.pi / 2)
    assert measure.face(model, one)[0].value == pytest.approx(1e-4)


def test_measuring_from_the_command_line(tmp_path, capsys):
    """A sink of boxes has the volume of its base and fins; two parts have a gap; a third is too many."""
    sink = d.PlateFinSink(name="Sink", at="20, 20, 10 mm", size="40, 30, 20 mm", base="4 mm", fins="5", fin="1 mm")
    files.save(d.Document(rows=(d.Enclosure(name="Box"), sink, d.Block(name="Chip", at="20, 20, 6 mm"))), tmp_path)
    at = str(tmp_path)
    assert cli.main(["measure", at, "Sink", "--json"]) == 0
    told = {m["what"]: m["value"] for m in json.loads(capsys.readouterr().out)}
    assert told["volume"] == pytest.approx((40 * 30 * 4 + 5 * 16 * 40) * 1e-9, rel=1e-6)
    assert cli.main(["measure", at, "Sink", "Chip"]) == 0
    assert "gap between the parts" in capsys.readouterr().out
    assert cli.main(["measure", at, "Sink", "Chip", "Box"]) == 2
    assert cli.main(["measure", at, "Nobody"]) == 2
