"""A bath in a real window: its level typed, its page in Read with the same bath kept from boiling behind it."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from stithy import api
from stithy.errors import StithyError
from stithy.project import edits, files

from ..test_bath import FIRST, bath


@pytest.fixture(scope="module")
def tank(tmp_path_factory):
    """Solved boiling, and kept from it beside."""
    place = tmp_path_factory.mktemp("tank")
    document = edits.duplicate_layout(FIRST, "Kept liquid").apply(bath(run={"time": "2.5 s", "save_every": "1 s"}))
    document = edits.set_cell("Kept liquid", "Surroundings", "boiling", "none", True).apply(document)
    files.save(document, place)
    for layout in (FIRST, "Kept liquid"):
        api.open_project(place).solve(layout)
    return place


def test_page_of_a_bath(open_, tank, pump):
    """Curves and walls of the bath; the other layout dashed behind; a click in the table selects the part."""
    window = open_(tank)
    session = window.session
    session.choose_stage("Read")
    pump(rest=0.3)
    window.tabs_["Bath"].click()
    page = window.pages["Bath"]
    pump(lambda: page.table.rowCount() > 0, 10)
    curves = page.plots["vapour_volume"].listDataItems()
    assert len(curves) == 2
    times, ml = curves[-1].getData()
    table = session.result().summary["bath"]
    assert ml[-1] == pytest.approx(table["series"]["vapour_volume"][-1] * 1e6)
    assert ml.max() > 0.0
    assert not np.any(curves[0].getData()[1])
    assert "dashed: Kept liquid" in page.words.text()
    assert page.table.item(0, 0).text() == "Heater"
    assert "Saturation at 49" in page.note.text()
    pump(rest=0.2)
    at = page.table.visualItemRect(page.table.item(0, 0)).center()
    QTest.mouseClick(page.table.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert session.selected == ("Heater",)
    session.choose_layout("Kept liquid")
    pump(lambda: "Boiling is left out" in page.note.text(), 10)


def test_a_level_is_typed_and_refused(open_, tank, pump):
    """Another level makes the result out of date; one that leaves no room for vapour is refused in its place."""
    window = open_(tank)
    session = window.session
    assert session.standing().state == "current"
    with pytest.raises(StithyError, match="no room for vapour"):
        session.set_cell("Tank", "level", "70 mm")
    session.set_cell("Tank", "level", "35 mm")
    assert session.standing().state == "out of date"
    window.undo()
    pump(rest=0.1)
    assert session.standing().state == "current"
