"""Touching pairs of a model by the true shapes of its solids."""

from __future__ import annotations

import numpy as np

from ..model import Model
from ..shapes.touching import WITHIN, meshed, touching
from .spaces import Pair


def exact(model: Model, within: float = WITHIN) -> tuple[list[Pair], set[str]]:
    """Pairs of solids that touch ``within`` m, and the names of all solids that were looked at; a solid that lies in
    another, such as an insert, touches it all around."""
    shapes = {s.name: m for s in model.solids if (m := meshed(s.form, s.boxes)) is not None}
    names, out = list(shapes), []
    box = np.array([shapes[n].box for n in names]).reshape(-1, 3, 2)
    for i, one in enumerate(names):
        apart = np.maximum(box[i, :, 0] - box[:i, :, 1], box[:i, :, 0] - box[i, :, 1]).max(axis=1, initial=-np.inf)
        for j in np.flatnonzero(apart <= within):
            found = touching(shapes[names[j]], shapes[one], within)
            area = sum(t.area for t in found)
            if area > 0.0:
                out.append(Pair(names[j], one, area, sum(t.gap * t.area for t in found) / area))
    return out, set(names)
