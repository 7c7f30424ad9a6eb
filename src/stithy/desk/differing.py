"""Drawn rows as differences to another layout, and what they come to in words."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from ..errors import StithyError
from ..model.quantities import CELLS, MINUS, find
from ..read import shown
from .viewing import Look


def differences(rows: Iterable[Any], minus: str) -> Iterator[Any]:
    """Rows that are painted by a quantity of cells, painted by its difference to the layout ``minus`` over a range of
    their own; what cannot be is off, what is not painted stays."""
    for x in rows:
        paint = getattr(x, "paint", None)
        if paint is None or x.__class__.__name__ in ("Line", "Flag"):
            yield x
        elif (
            paint.quantity.place != CELLS
            or paint.quantity.formula
            or x.__class__.__name__ not in ("Section", "Surface")
        ):
            yield replace(x, on=False)
        else:
            name = paint.quantity.name
            quantity = find("difference" if name in ("temperature", "rise over ambient") else MINUS + name)
            refers = replace(paint.references, minus=minus)
            own = replace(
                paint, quantity=quantity, low=None, high=None, over="this layout", width=0.0, references=refers
            )
            yield replace(x, paint=own)


def told_difference(look_: Look) -> str:
    """How far the result lies above and below the other one, in words."""
    spec = next((x for x in look_.on if x.__class__.__name__ in ("Section", "Surface")), None)
    if spec is None or look_.result is None:
        return ""
    q = spec.paint.quantity
    try:
        values = look_.library.values(look_.result, spec.paint.references).of(q.name)
    except StithyError:
        return ""
    good = values[np.isfinite(values)]
    if not good.size:
        return ""
    warm = q.dimension == "temperature difference"
    words = []
    for value, word in (
        (-float(good.min()), "cooler" if warm else "lower"),
        (float(good.max()), "warmer" if warm else "higher"),
    ):
        if value > 0.0:
            words.append(f"{word} by up to {shown.text(value, q.dimension, 3)}")
    return f"{look_.layout} is {', '.join(words)}" if words else "No difference"
