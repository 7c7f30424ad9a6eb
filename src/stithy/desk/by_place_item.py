"""Conditions that differ from place to place, painted where they hold, in Load."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv

from ..model import Model, WallCondition
from ..read import shown
from . import look, scene
from .painter import Painter
from .viewing import Look

#: pieces of a side along each direction; part of the model's size that it is lifted off by
PIECES, LIFT = 32, 1e-3


def painted(model: Model) -> list[tuple[str, WallCondition, pv.PolyData]]:
    """Name, condition and mesh (mm) of all that differs from place to place."""
    out = []
    for space in model.enclosures:
        covered = {p.side for p in model.patches if p.enclosure == space.name}
        for side, condition in space.sides.items():
            if condition.where is not None:
                spans = [space.outer[a] for a in range(3)]
                out.append((space.name, condition, _rectangle(spans, side, 0.5 if side in covered else 1.0)))
        for patch in model.patches:
            if patch.enclosure == space.name and patch.condition.where is not None:
                spans = list(patch.rect)
                spans.insert("xyz".index(patch.side[0]), space.outer["xyz".index(patch.side[0])])
                out.append((patch.name, patch.condition, _rectangle(spans, patch.side, 1.0)))
    forms = {s.name: s.form for s in model.solids}
    for group in model.faces:
        if group.condition is not None and group.condition.where is not None and group.of in forms:
            out.append((group.name, group.condition, _fine(scene.face_mesh(forms[group.of], group.faces))))
    for space in model.left_out:
        if space.condition.where is not None and model.solids:
            nearest = min(model.solids, key=lambda s: _away(space.point, s.bounds))
            skin = _fine(scene.solid_mesh(nearest)).compute_normals(cell_normals=False, split_vertices=True)
            size = max(hi - lo for lo, hi in nearest.bounds)
            skin.points = skin.points + LIFT * size * scene.MM * skin.point_data["Normals"]
            out.append((space.name, space.condition, skin))
    return out


def _fine(mesh: pv.PolyData) -> pv.PolyData:
    """A mesh in triangles small enough for values at their corners."""
    mesh = mesh.triangulate()
    longest = max(np.ptp(np.array(mesh.bounds).reshape(3, 2), axis=1)) / PIECES
    return mesh.subdivide_adaptive(max_edge_len=longest, max_n_passes=6)


def _away(point, box) -> float:
    """How far (m) a point is from a box."""
    return float(np.linalg.norm([max(lo - x, x - hi, 0.0) for x, (lo, hi) in zip(point, box, strict=True)]))


def _rectangle(spans, side: str, share: float) -> pv.PolyData:
    """One side of a box in small pieces, a hair before it."""
    axis, up = "xyz".index(side[0]), side[1] == "+"
    size = max(b - a for a, b in spans)
    level = spans[axis][up] + (1 if up else -1) * LIFT * share * size
    lines = [np.linspace(a, b, PIECES + 1) if m != axis else np.array([level]) for m, (a, b) in enumerate(spans)]
    grid = pv.StructuredGrid(*np.meshgrid(*(x * scene.MM for x in lines), indexing="ij"))
    return grid.extract_surface(algorithm="dataset_surface")


class ByPlaceItem:
    """Surfaces painted by what is given on them, with the least and the most written on."""

    key = "by place"

    def wanted(self, look_: Look) -> bool:
        """In Load, where some condition differs from place to place."""
        model = look_.model
        every = [*(c for s in model.enclosures for c in s.sides.values()), *(p.condition for p in model.patches)]
        every += [g.condition for g in model.faces if g.condition is not None]
        every += [g.condition for g in model.left_out]
        return look_.stage == "Load" and look_.result is None and any(c.where is not None for c in every)

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        for name, condition, mesh in painted(look_.model):
            assert condition.where is not None
            values = condition.at(np.asarray(mesh.points) / scene.MM)
            mesh.point_data["value"] = values
            family = look.FAMILIES.get(condition.where.dimension, "plain")
            low, high = float(values.min()), float(values.max())
            table = pv.LookupTable(values=look.scale_table(family), scalar_range=(low, max(high, low + 1e-9)))
            how = {"scalars": "value", "cmap": table, "show_scalar_bar": False, "interpolate_before_map": True}
            painter.add(mesh, name, lighting=False, opacity=0.85, **how)
            points = np.asarray(mesh.points)
            inner = np.linalg.norm(points - points.mean(axis=0), axis=1)
            for end in {low, high}:
                alike = np.flatnonzero(np.abs(values - end) <= 1e-6 * max(high - low, 1e-9))
                at = int(alike[np.argmin(inner[alike])])  # of places alike the one nearest to the middle
                told = shown.text(float(values[at]), condition.where.dimension)
                painter.tag(points[at] / scene.MM, told)
            yield
