"""Estimates before any solve: against stored results, closed forms, and what must hold of any."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np
import pytest

from stithy import api
from stithy import kinds as d
from stithy.errors import StithyError
from stithy.estimate.estimate import Estimate, Estimating, estimate
from stithy.estimate.serve import Estimator
from stithy.kinds.assembly import resolve
from stithy.project import edits
from stithy.weigh.compare import standing
from stithy.weigh.foretold import foretold
from verification import copper

from .conftest import small


def only(document) -> object:
    """The model of a document's first layout."""
    return resolve(document, document.layouts[0].name)


def test_over_the_demonstration(demo):
    """Five layouts, none of them known to it: median error of all parts below 20 % of the rise, nine in ten within the
    band."""
    p = api.open_project(demo)
    errors, held = [], []
    for layout in p.document.layouts:
        found, solved = p.estimate(layout.name), p.summary(layout.name)
        ambient = resolve(p.document, layout.name).ambient
        for name, part in found.parts.items():
            true = solved["parts"][name]["max"]
            errors.append(abs(part.temperature - true) / (true - ambient))
            held.append(abs(part.temperature - true) <= part.band)
    assert len(errors) == 50
    assert np.median(errors) < 0.20
    assert np.mean(held) >= 0.90


def test_conduction_is_as_solved():
    """A component of three nodes between held plates: the closed form, for there is no film in it."""
    found = estimate(only(copper.three_nodes())).parts["Chip"]
    assert found.temperature - 273.15 == pytest.approx(copper.JUNCTION, abs=0.05)


@pytest.mark.parametrize("times", [2.0, 5.0])
def test_a_stream_carries_what_is_released(times):
    """What flows in is known and leaves again; without buoyancy and radiation rises go with the power, and a path's
    pieces make its rise."""
    model = only(small(gravity="0, 0, 0 m/s2"))
    more = replace(model, solids=tuple(replace(s, power=times * s.power) for s in model.solids))
    one, many = estimate(model), estimate(more)
    assert one.openings["In"] == pytest.approx(0.3 * 0.02 * 0.01, rel=1e-6)
    assert one.openings["Out"] == pytest.approx(-one.openings["In"], rel=0.01)
    for name, part in one.parts.items():
        assert part.air + part.film + part.body == pytest.approx(part.temperature - model.ambient, abs=1e-6)
        assert many.parts[name].rise == pytest.approx(times * part.rise, rel=0.03)
        assert part.band > 0


def test_a_fan_meets_its_system():
    """A wall fan and an open wall: on its curve, and as much leaves as enters."""
    doc = small()
    fan = d.WallFan(name="Out", on="Case", side="x+", at="8, 6 mm", size="20, 10 mm", blows="out", curve="Petrel 30")
    rows = [fan if r.name == "Out" else r for r in doc.rows if r.name != "Drop"]
    rows = [r.model_copy(update={"flow": "ambient"}) if r.name == "In" else r for r in rows]
    found = estimate(only(doc.model_copy(update={"rows": tuple(rows), "layouts": (d.Layout(name="One"),)})))
    assert 0.0 < -found.openings["Out"] < 6 / 3600
    assert found.openings["In"] == pytest.approx(-found.openings["Out"], rel=0.02)


def test_other_loads_take_what_is_kept(demo):
    """Where only heat loads change, network, flow and films are used again: the same answer as from nothing, sooner;
    another shape is worked out anew."""
    p = api.open_project(demo)
    model = resolve(p.document, "Fan on wall, plates")
    estimating = Estimating()
    estimating.of(model)
    for times in (1.4, 0.3):
        solids = tuple(replace(s, power=s.power * (times if m % 2 else 1.0)) for m, s in enumerate(model.solids))
        other = replace(model, solids=solids)
        again, anew = estimating.of(other), estimate(other)
        assert again.seconds < 0.5 * anew.seconds
        for name, part in anew.parts.items():
            assert again.parts[name].temperature == pytest.approx(part.temperature, abs=0.3)
            assert again.parts[name].band == pytest.approx(part.band, rel=0.4, abs=0.3)
    warmer = edits.set_cell("Fan on wall, plates", "Surroundings", "ambient", f"{model.ambient - 263.15} degC")
    hotter = resolve(warmer.apply(p.document), "Fan on wall, plates")
    assert estimating.of(hotter).parts["Choke"].temperature > estimating.of(model).parts["Choke"].temperature + 5


def test_where_there_is_none():
    """Nothing that releases heat; and that it says so where it is asked for one."""
    doc = small()
    cold = doc.model_copy(
        update={"rows": tuple(r.model_copy(update={"power": "0 W"}) if r.name == "Chip" else r for r in doc.rows)}
    )
    with pytest.raises(StithyError, match="Nothing releases heat"):
        estimate(only(cold))


def test_it_is_told_of_limits(document, tmp_path):
    """Watches with a bound on a part get the estimate of its hottest place; pressures get none."""
    stands = standing(document, tmp_path, "One")
    found = estimate(stands.model)
    told = foretold(found, stands.watches)
    assert set(told) == {"Chip"}
    assert told["Chip"][0] == found.parts["Chip"].temperature


def test_the_newest_question_is_answered(document):
    """In a process of its own: keys come back with estimates or reasons; one that dies costs nothing and is begun
    anew."""
    models = {n: resolve(document, n) for n in ("One", "Two")}
    cold = replace(models["One"], solids=tuple(replace(s, power=0.0) for s in models["One"].solids))
    asked = Estimator()

    def answers(count):
        out, end = {}, time.time() + 90
        while len(out) < count and time.time() < end:
            out |= dict(asked.answers())
            time.sleep(0.02)
        return out

    try:
        asked.ask({"cold": cold, "one": models["One"]})
        got = answers(2)
        assert isinstance(got["one"], Estimate)
        assert got["cold"].startswith("Nothing releases heat")
        asked._process.kill()
        asked._process.wait()
        assert asked.answers() == []
        asked.ask({"two": models["Two"]})
        assert isinstance(answers(1)["two"], Estimate)
        assert not asked.waiting
    finally:
        asked.shut()
