"""Shared fixtures: a small solvable document, the demonstration project, a window."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from hypothesis import settings

from stithy import cli
from stithy import kinds as d
from verification.examples import examples

#: how long an example takes says nothing on a machine that is shared
settings.register_profile("here", deadline=None)
settings.load_profile("here")
DEMO = Path(__file__).parent.parent / "src/stithy/data/demo/lamp-driver"
#: the cells of a grid row that would otherwise go by its detail
SAID = {"across_gaps": "3", "across_solids": "1", "growth": "1.4", "at_walls": "0 mm"}


def small(**surroundings) -> d.Document:
    """A box with a heated block, an inlet and an outlet: about a thousand cells, solved in a second, without radiation
    unless it is asked for."""
    return d.Document(
        name="Small box",
        rows=(
            d.Enclosure(name="Case", size="60, 40, 20 mm", wall="2 mm", outside="5 W/m2/K"),
            d.Component(name="Chip", at="26, 14, 2 mm", size="10, 12, 4 mm", power="1 W", limit="90 degC"),
            d.Opening(name="In", on="Case", side="x-", at="10, 6 mm", size="20, 10 mm", flow="0.3 m/s"),
            d.Opening(name="Out", on="Case", side="x+", at="10, 6 mm", size="20, 10 mm", flow="0 Pa"),
            d.WatchRow(name="Drop", quantity="pressure drop", of="In; Out", most="5 Pa"),
            d.Surroundings(name="Surroundings", **({"radiation": "none"} | surroundings)),
            d.GridRow(name="Grid", coarsest="4 mm", **SAID),
            d.RunRow(name="Run"),
        ),
        layouts=(d.Layout(name="One"), d.Layout(name="Two", changes={"In": {"flow": "0.6 m/s"}})),
    )


def a_summary(fine: dict[str, float], coarse: dict[str, float], **more) -> dict:
    """What bands are worked out from."""
    return {
        "ambient": 300.0,
        "mixing": "laminar",
        "parts": {n: {"max": x, "mean": x} for n, x in fine.items()},
        "ends": {},
        "fans": {},
        "heat_load": 1.0,
        "heat_imbalance": 0.0,
        "trust": {"heat_closure": 1.0},
        "cells": 8000,
        "settled": True,
        "coarse": {"parts": {n: {"max": x, "mean": x} for n, x in coarse.items()}, "cells": 1749, "longer": 1.66},
    } | more


@pytest.fixture(autouse=True, scope="session")
def _own_state(tmp_path_factory):
    """Logs and unsaved work of the tests are not the user's."""
    with pytest.MonkeyPatch.context() as m:
        m.setenv("XDG_STATE_HOME", str(tmp_path_factory.mktemp("state")))
        m.setenv("XDG_CONFIG_HOME", str(tmp_path_factory.mktemp("config")))
        m.setenv("XDG_CACHE_HOME", str(tmp_path_factory.mktemp("cache")))
        yield


@pytest.fixture(scope="session")
def solved(tmp_path_factory):
    """Every worked example of docs/project-file.md, solved once; tests do not change them."""
    place = tmp_path_factory.mktemp("examples")
    for name in examples():
        shutil.copytree(DEMO.parents[4] / "docs/examples" / name, place / name)
        assert cli.main(["solve", str(place / name)]) == 0
    return place


@pytest.fixture
def document():
    """The small box."""
    return small()


@pytest.fixture
def demo(tmp_path):
    """A copy of the demonstration project with its results."""
    return Path(shutil.copytree(DEMO, tmp_path / "lamp driver"))
