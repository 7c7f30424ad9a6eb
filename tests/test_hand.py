"""Hand calculations of bodies beside the solver's own numbers, as the defaults give them."""

from __future__ import annotations

import pytest

from stithy.model.drawn import Watch
from stithy.project import edits
from stithy.read.watches import watched
from stithy.solve.job import Job
from verification import defaults


def by_hand_of(document, *watches) -> list:
    """Watches of a document's one layout as it comes, with what a hand calculation says."""
    return watched(Job(document, document.layouts[0].name).run(), watches)


def film_of(part: str, **more) -> Watch:
    """A watch on the coefficient of a part."""
    return Watch(f"h {part}", "heat transfer coefficient", "heat transfer coefficient", (part,), **more)


@pytest.mark.parametrize(
    ("document", "words"),
    [(defaults.fins_in_duct(), "between 12 fins"), (defaults.fins_in_still_air(), "7 upright fins")],
)
def test_hand_calculations_of_sinks(document, words):
    """Sinks of parallel fins, driven and in still air: what the correlations give holds the solver's own number, its
    range around it; the fins are counted from the cells."""
    warm = [Watch(m, "temperature", "temperature", ("Sink",), (), m) for m in ("max", "mean")]
    found = by_hand_of(document, *warm, film_of("Sink"))
    for x in found:
        assert words in x.hand.what
        assert x.hand.low < x.value < x.hand.high
        assert x.hand.low < x.hand.value < x.hand.high
    rise = found[0].hand.value - found[0].value
    assert abs(rise) < 0.15 * (found[0].value - 293.15)
    assert found[1].hand.value < found[0].hand.value  # fins are cooler than their base


def test_hand_calculations_of_plates():
    """An upright wall in still air within its range; Pohlhausen's plate exactly; what is neither plate nor sink says
    so, and so does a plate whose boundary layer fills the duct."""
    (upright,) = by_hand_of(defaults.upright(), film_of("Wall"))
    assert "Churchill" in upright.hand.what
    assert upright.hand.low < upright.value < upright.hand.high
    (plate,) = by_hand_of(defaults.plate(), film_of("Plate"))
    reynolds = 1.0 * 0.04 / defaults.NU
    exact = 0.664 * reynolds**0.5 * defaults.PR ** (1 / 3) * defaults.K / 0.04
    assert plate.hand.value == pytest.approx(exact, rel=0.01)
    chip, board = by_hand_of(defaults.block(), film_of("Chip"), film_of("Board"))
    assert chip.hand.value is None
    assert "no plate" in chip.hand.what
    assert board.hand.value == pytest.approx(board.value, rel=0.3)  # no plate of one temperature, and a chip on it
    low = edits.set_cell("First layout", "Duct", "size", "100, 10, 3 mm").apply(defaults.plate())
    low = edits.many("low", [edits.set_cell("First layout", n, "size", "10, 3 mm") for n in ("In", "Out")]).apply(low)
    (narrow,) = by_hand_of(low, film_of("Plate"))
    assert "boundary layer fills" in narrow.hand.what
