"""Where everything of a resolved layout stands: the boxes around it, m."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .layout import Model


def boxes(model: Model, names: Sequence[str] | None = None) -> dict[str, np.ndarray]:
    """Low and high corner (2, 3) m of parts, passages, enclosures, openings and fans by name (of all of them without
    ``names``)."""
    found: dict[str, np.ndarray] = {}
    spaces = {s.name: s for s in model.enclosures}
    for s in model.solids:
        found[s.name] = np.array(s.bounds, float).T
    found |= {p.name: np.array(p.form.box, float).T for p in model.passages}
    found |= {s.name: np.array(s.outer, float).T for s in model.enclosures}
    found |= {x.name: np.array(x.box, float).T for x in model.porous}
    ends = [(x.name, x.enclosure, x.side, x.rect) for x in model.openings]
    for name, of, side, rect in (*ends, *((x.name, x.enclosure, x.side, x.rect) for x in model.patches)):
        if side and of in spaces:
            axis = "xyz".index(side[0])
            found[name] = np.insert(np.array(rect, float).T, axis, spaces[of].outer[axis][side[1] == "+"], axis=1)
    planes = [(x.name, x.axis, x.position, x.rect) for x in model.fans]
    for name, axis, level, rect in (*planes, *((x.name, x.axis, x.position, x.rect) for x in model.screens)):
        found[name] = np.insert(np.array(rect, float).T, axis, level, axis=1)
    return found if names is None else {n: found[n] for n in names if n in found}


def bounds(model: Model, names: Sequence[str]) -> np.ndarray | None:
    """Low and high corner (2, 3) m of some parts together; None where none of them is there."""
    every = np.array(list(boxes(model, names).values()))
    return np.stack([every[:, 0].min(axis=0), every[:, 1].max(axis=0)]) if len(every) else None
