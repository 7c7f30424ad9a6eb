"""Where the camera stands: the usual look at the whole model, or as a view has it."""

from __future__ import annotations

from itertools import product

import numpy as np

from ..model import Model, drawn
from .scene import MM

#: part of the picture that the whole model fills
FILLS = 0.86


def bounds(model: Model) -> list[tuple[float, float]]:
    """What is to be seen of a model (m): its enclosures, or its solids where what is around them is not solved."""
    boxes = [s.outer for s in model.enclosures]
    if model.left_out and model.solids:
        boxes = [s.bounds for s in model.solids]
    return [(min(x[a][0] for x in boxes), max(x[a][1] for x in boxes)) for a in range(3)]


def whole(view, model: Model, turn: float = 0.0, side: str = "", beside=None) -> None:
    """Look from front, right and above, the whole model in view; ``turn`` (deg) about its upright axis. Or square from
    one ``side``, such as "x-". ``beside``: bounds (mm) of what stands beside it and is to be seen as well."""
    b = [(lo * MM, hi * MM) for lo, hi in bounds(model)]
    if beside is not None:
        b = [(min(x[0], y[0]), max(x[1], y[1])) for x, y in zip(b, beside, strict=True)]
    centre = [0.5 * sum(x) for x in b]
    size = max(x[1] - x[0] for x in b)
    camera, renderer = view.camera, view.renderer
    camera.focal_point = centre
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    way = np.array([-0.85 * c + 1.7 * s, -1.7 * c - 0.85 * s, 1.15]) * size
    if side:
        way = np.eye(3)["xyz".index(side[0])] * (2.4 if side[1] == "+" else -2.4) * size
    camera.position = [float(x + d) for x, d in zip(centre, way, strict=True)]
    camera.up = (0, 1, 0) if side[:1] == "z" else (0, 0, 1)
    camera.view_angle = 24
    renderer.reset_camera(bounds=[v for x in b for v in x], render=False)
    reach = []
    for corner in product(*b):  # how far out of the middle the model's corners lie, in halves of the view
        renderer.SetWorldPoint(*corner, 1.0)
        renderer.WorldToView()
        reach += [abs(v) for v in renderer.GetViewPoint()[:2]]
    camera.zoom(FILLS / max(max(reach), 1e-3))


def put(view, look_from: drawn.View) -> None:
    """Put the camera where a view has it."""
    camera = view.camera
    camera.position = [x * MM for x in look_from.position]
    camera.focal_point = [x * MM for x in look_from.at]
    camera.up, camera.view_angle = look_from.up, look_from.angle


def toward(view) -> tuple[float, float, float]:
    """Direction to the viewer."""
    x, y, z = np.subtract(view.camera.position, view.camera.focal_point)
    return float(x), float(y), float(z)
