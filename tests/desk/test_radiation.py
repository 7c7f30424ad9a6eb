"""Radiation in a real window: a finish typed, surfaces painted by what they radiate, the heat path and the balance."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from stithy import api
from stithy import kinds as d
from stithy.errors import StithyError
from stithy.project import edits, files

from .test_window import type_into


def sealed() -> d.Document:
    """A warm block in a sealed box."""
    return d.Document(
        rows=(
            d.Enclosure(name="Box", size="60, 50, 40 mm", wall="0 mm", outside="8 W/m2/K"),
            d.Component(name="Heater", at="20, 15, 10 mm", size="20, 20, 10 mm", power="2 W", material="aluminium"),
            d.Surroundings(name="Surroundings", ambient="20 degC"),
            d.GridRow(name="Grid", detail="quick"),
            d.RunRow(name="Run"),
            d.Section(name="Section"),
            d.Surface(name="Surfaces"),
        ),
        layouts=(d.Layout(name="Bare"),),
    )


@pytest.fixture(scope="module")
def box(tmp_path_factory):
    """Solved bare, and painted beside."""
    place = tmp_path_factory.mktemp("sealed")
    document = edits.duplicate_layout("Bare", "Painted").apply(sealed())
    document = edits.set_cell("Painted", "Heater", "finish", "black paint", True).apply(document)
    files.save(document, place)
    for layout in ("Bare", "Painted"):
        api.open_project(place).solve(layout)
    return place


def test_paint_is_seen_everywhere(open_, box, pump):
    """The painted heater is colder and radiates most of its heat; its surface is painted by it; the heat path tells
    whom it warms, and closes."""
    window = open_(box)
    s = window.session
    s.choose_layout("Painted")
    s.choose_stage("Read")
    pump(rest=0.3)
    bare, painted = (api.open_project(box).result(x).summary for x in ("Bare", "Painted"))
    warmer = bare["parts"]["Heater"]["mean"] - painted["parts"]["Heater"]["mean"]
    assert warmer > 5.0
    shares = [
        x["net"] / (x["net"] + x["to_gas"]) for x in (r["radiation"]["surfaces"]["Heater"] for r in (bare, painted))
    ]
    assert shares[0] < 0.25
    assert shares[1] > 0.4
    s.do(edits.set_cell(s.layout, "Surfaces", "quantity", "radiated flux"))
    pump(lambda: "radiated flux" in {x.quantity.name for x in window.bench.shown_scales}, 10)
    window.tabs_["Heat path"].click()
    path = window.pages["Heat path"]
    pump(lambda: path.table.rowCount() > 5, 10)
    rows = [[path.table.item(i, j).text() for j in range(3)] for i in range(path.table.rowCount())]
    to = {r[1] for r in rows if r[0] == "Heater" and r[2] == "radiation"}
    assert to == {f"Box {side}" for side in ("x-", "x+", "y-", "y+", "z-", "z+")} or len(to) >= 5
    pump(lambda: "Heater" in path.drawing.boxes, 5)
    floor = path.drawing.height()
    assert all(b.bottom() < floor for b in path.drawing.boxes.values())
    QTest.mouseClick(path.drawing, Qt.MouseButton.LeftButton, pos=path.drawing.boxes["Heater"].center().toPoint())
    assert s.selected == ("Heater",)
    flows = painted["heat_path"]
    for name in ("Heater", "air"):
        over = sum(r["heat"] for r in flows if r["to"] == name) - sum(r["heat"] for r in flows if r["from"] == name)
        assert abs(over) < 2e-3
    window.tabs_["Balance sheet"].click()
    pump(rest=0.3)
    sheet = window.pages["Balance sheet"].heat
    left = [sheet.item(i, 2).text() for i in range(sheet.rowCount())]
    assert float(np.sum([float(x) for x in left[:-1] if x])) == pytest.approx(2.0, abs=0.06)


def test_a_finish_is_typed_and_refused(open_, box, pump):
    """A finish in the ledger makes the result out of date; one that cannot be is refused in its place."""
    window = open_(box)
    s = window.session
    assert s.standing().state == "current"
    s.choose_stage("Load")
    s.select(("Heater",))
    pump(rest=0.3)
    s.set_cell("Heater", "finish", "0.3")
    assert s.standing().state == "out of date"
    with pytest.raises(StithyError, match="between 0"):
        s.set_cell("Heater", "finish", "1.4")
    assert s.document.rows_of(s.layout)[1].finish == "0.3"
    window.undo()
    assert s.standing().state == "current"
    type_into(window, "Heater", "heat load", "3 W", pump)
    assert s.standing().state == "out of date"
    window.undo()
