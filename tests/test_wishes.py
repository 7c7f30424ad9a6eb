"""Wishes about cells in one place, how long runs take, and the section of a grid by part."""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stithy import kinds as d
from stithy.errors import SetupError
from stithy.kinds.assembly import resolve
from stithy.mesh import wishes
from stithy.mesh.build import build, predict
from stithy.mesh.findings import yplus
from stithy.mesh.gridding import coarser, grid_lines
from stithy.mesh.lines import SNAP
from stithy.model.plan import TimePlan
from stithy.project import edits
from stithy.solve import pace

ONE = "First layout"


def two(*more, **grid) -> d.Document:
    """Two blocks in a duct with a given flow."""
    plain = {"coarsest": "9 mm", "across_gaps": "1", "across_solids": "1", "growth": "3", "at_walls": "0 mm"} | grid
    rows = (
        d.Enclosure(name="Duct", size="90, 40, 30 mm", wall="0 mm"),
        d.Block(name="Left", at="20, 10, 0 mm", size="15, 20, 10 mm", power="1 W"),
        d.Block(name="Right", at="45, 10, 0 mm", size="15, 20, 10 mm"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="40, 30 mm", flow="2 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="40, 30 mm", flow="0 Pa"),
        d.Surroundings(name="Air"),
        d.GridRow(name="Grid", **plain),
        d.RunRow(name="Run"),
    )
    return d.Document(name="Two", rows=(*rows, *more))


def between(lines: np.ndarray, low: float, high: float) -> np.ndarray:
    """Widths (m) of the cells between two places."""
    inside = lines[(lines > low - SNAP) & (lines < high + SNAP)]
    return np.diff(inside)


@given(
    across=st.integers(1, 12),
    longest=st.floats(0.4, 4.0),
    first=st.floats(0.1, 1.5),
    growth=st.floats(1.1, 2.0),
    count=st.integers(1, 6),
)
@settings(max_examples=40, deadline=None)
def test_wishes_are_kept(across, longest, first, growth, count):
    """Whatever is wished holds where it was wished, and nowhere does a grid lose a face by it; with half the counts, it
    is twice as coarse."""
    rows = (
        d.Wish(name="Gap", of="Left", to="Right", across=f"{across}"),
        d.Wish(name="Fine", of="Right", longest=f"{longest:.4f} mm"),
        d.Wish(name="Near", of="Left", first=f"{first:.4f} mm", growth=f"{growth:.4f}", count=f"{count}", sides="z+"),
    )
    model = resolve(two(*rows), ONE)
    x, y, z = grid_lines(model).lines
    gap = between(x, 0.035, 0.045)
    assert len(gap) >= across
    assert between(x, 0.045, 0.060).max() <= 1.06e-3 * longest
    assert between(y, 0.010, 0.030).max() <= 1.06e-3 * longest
    above = between(z, 0.010, 0.030)
    assert above[0] <= 1.06e-3 * first
    k = min(count, len(above)) - 1
    assert above[k] <= 1.15e-3 * first * growth**count + 1e-9
    rough = coarser(model)
    if rough is not None:
        assert len(between(grid_lines(rough).lines[0], 0.035, 0.045)) >= (across + 1) // 2


def test_walls_by_yplus_and_none():
    """First cells by the y+ wanted, from the flow there is; none where they are not wanted; boxes and what cannot
    stand together."""
    plain = predict(resolve(two(at_walls="1 mm"), ONE))[1]
    model = resolve(two(d.Wish(name="Near", first="y+ 2"), at_walls="1 mm"), ONE)
    fine = predict(model)[1]
    bare = predict(resolve(two(d.Wish(name="Bare", of="Left; Right", first="none"), at_walls="1 mm"), ONE))[1]
    assert bare < plain < fine
    size = wishes.first_cell(model, 2.0)
    reynolds = 2.0 * (2 * 40e-3 * 30e-3 / 70e-3) * 1.184 / 1.85e-5  # of the duct, Blasius
    friction = 2.0 * (0.316 / reynolds**0.25 / 8.0) ** 0.5
    assert size == pytest.approx(2 * 2.0 * 1.85e-5 / 1.184 / friction, rel=0.03)
    assert grid_lines(model).widths[1][0] <= 1.06 * size
    (name, low, _), *_ = yplus(model)
    assert name == "Duct"
    assert low <= 2.2
    inside = resolve(two(d.Wish(name="Box", box="60, 0, 0 to 80, 40, 30 mm", longest="2 mm")), ONE)
    assert between(grid_lines(inside).lines[0], 0.060, 0.080).max() <= 2.1e-3
    for row, words in (
        (d.Wish(name="W"), "nothing is wished"),
        (d.Wish(name="W", of="Left", first="5 mm", longest="1 mm"), "longer than the longest"),
        (d.Wish(name="W", of="Left", to="Right", first="1 mm"), "a gap needs it"),
        (d.Wish(name="W", of="Nobody", longest="1 mm"), "not known"),
        (d.Wish(name="W", of="Left", box="0, 0, 0 to 1, 1, 1 mm", longest="1 mm"), "not both"),
        (d.Wish(name="W", box="0, 0, 0 mm", longest="1 mm"), "no box"),
        (d.Wish(name="W", of="Left", first="y+ 5000"), "no y\\+"),
        (d.Wish(name="W", of="Left", longest="1e-7 mm"), "too fine for this machine"),
    ):
        with pytest.raises(SetupError, match=words):
            build(resolve(two(row), ONE))
    renamed = edits.set_cell(ONE, "Left", "name", "West").apply(two(d.Wish(name="W", of="Left; Right", longest="1 mm")))
    assert next(r for r in renamed.rows if r.name == "W").of == "West; Right"
    for detail, cells in (("exact", 9.0), ("5", 5.0)):
        found = edits.set_cell(ONE, "Grid", "detail", detail).apply(two())
        assert resolve(found, ONE).grid.count == cells


def test_a_layer_of_the_grid_is_that_of_the_whole():
    """The one layer of cells that a section shows has the owners of the whole grid there."""
    from stithy.desk.grid_items import layer, section

    model = resolve(two(), ONE)
    whole = build(model)
    for a, place in ((0, 0.05), (1, 0.02), (2, 0.004)):
        one, at = layer(model, a, place)
        names, others = (np.array([*b.parts, "out", "fluid"], object) for b in (whole, build(one)))
        assert (names[np.take(whole.owner, [at], a)] == others[build(one).owner]).all()
        mesh = section(model, a, place)
        shape = np.take(whole.owner, [at], a).shape
        assert mesh is not None
        assert mesh.n_cells == int(np.prod(shape))
        assert len(np.unique(mesh.cell_data["rgb"], axis=0)) > 1


def test_time_is_learnt(tmp_path, monkeypatch):
    """What runs took here moves what is foretold, runs of the same project most; files that cannot be read do not."""
    monkeypatch.setattr(pace, "_file", lambda: tmp_path / "pace.json")
    model = resolve(two(), ONE)
    kind = pace.kind_of(model)
    low, high = pace.foretold(model, 100_000)
    assert low < pace.SECONDS[kind] < high
    for _ in range(12):
        pace.note(model, 100_000, 200.0, tmp_path / "a")
    low, high = pace.foretold(model, 100_000)
    assert low < 200.0 < high
    for _ in range(3):
        pace.note(model, 50_000, 10.0, tmp_path / "b")
    own = pace.foretold(model, 50_000, tmp_path / "b")
    assert own[0] < 10.0 < own[1]
    assert pace.foretold(model, 400_000)[0] > 2.0 * low
    plan = TimePlan(60.0, ("fixed", 0.5))
    timed = replace(model, run=replace(model.run, time=plan))
    assert pace.kind_of(timed) == "in time"
    twice = replace(timed, run=replace(model.run, time=replace(plan, length=120.0)))
    assert pace.foretold(twice, 1000)[0] == pytest.approx(2.0 * pace.foretold(timed, 1000)[0])
    held = replace(timed, run=replace(model.run, time=replace(plan, hold=10.0)))
    assert pace.foretold(held, 1000)[0] < pace.foretold(timed, 1000)[0]
    for text in ("[1, 2]", "{}", "x", json.dumps([{"kind": "odd", "cells": 0, "seconds": -1}])):
        (tmp_path / "pace.json").write_text(text)
        assert pace.foretold(model, 100_000)[0] > 0.0
    assert pace.words(20.0, 60.0) == "20 to 60 s"
    assert pace.words(100.0, 400.0) == "2 to 7 min"
