"""Surfaces on which a quantity has given values."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv

from ...errors import StithyError
from ...model import drawn as d
from ...model.quantities import FLUID, Quantity
from ...read import shown
from ...read.values import Values
from ..scene import MM


def draw(painter, look, spec: d.Isosurface) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    v = look.values(spec)
    low, high = v.range(spec.quantity.name)
    wanted = spec.values or (0.5 * (low + high),)
    missing = [x for x in wanted if not low <= x <= high]
    meshes = []
    key = (spec.quantity.name, spec.paint.references, v.serial)
    points = painter.kept(("points", *key), lambda: on_points(v, spec.quantity))
    for x in (x for x in wanted if low <= x <= high):
        mesh = points.contour([x], scalars="value")
        mesh = _in_place(v, mesh, spec.quantity) if mesh.n_cells else mesh
        if mesh.n_cells:
            meshes.append(mesh)
        yield
    for mesh in meshes:
        own = spec.paint.quantity.name
        mesh.point_data["smooth"] = v.at(own, mesh.points / MM) if own != spec.quantity.name else mesh["value"]
    if meshes:
        ends = look.ends(spec, np.concatenate([m["smooth"] for m in meshes]))
        for mesh in meshes:
            painter.add(
                mesh,
                scalars="smooth",
                opacity=spec.paint.solid,
                smooth_shading=True,
                ambient=0.55,
                diffuse=0.45,
                specular=0,
                nan_opacity=0.0,
                **look.paint(spec, *ends),
            )
    if missing:
        q = spec.quantity
        ends_ = " to ".join(shown.text(x, q.dimension) for x in (low, high))
        what = shown.text(missing[0], q.dimension)
        raise StithyError(f"{spec.name}: {what} does not occur here; {q.name} runs from {ends_}.")
    yield


def on_points(v: Values, q: Quantity) -> pv.RectilinearGrid:
    """The quantity on the middles of cells as points; where it has no value the nearest one stands, so that surfaces
    reach walls."""
    values, grid = v.of(q.name), v.grid
    lost = ~np.isfinite(values)
    if lost.any() and not lost.all():
        from scipy.ndimage import distance_transform_edt

        nearest = distance_transform_edt(lost, return_distances=False, return_indices=True)
        values = values[tuple(nearest)]
    centres = [np.concatenate([x[:1], c, x[-1:]]) for x, c in zip(grid.lines, grid.centres, strict=True)]
    values = np.pad(values, 1, mode="edge")
    out = pv.RectilinearGrid(*(x * MM for x in centres))
    out.point_data["value"] = values.ravel(order="F")
    return out


def _in_place(v: Values, mesh: pv.PolyData, q: Quantity) -> pv.PolyData:
    """The part of a surface that lies where the quantity has values."""
    where = v.mask(q.where) if q.where == FLUID else v.mask(q.where)
    middle = mesh.cell_centers().points / MM
    index = []
    for a in range(3):
        at = np.searchsorted(v.grid.lines[a], middle[:, a]) - 1
        index.append(np.clip(at, 0, v.grid.shape[a] - 1))
    keep = where[tuple(index)]
    if keep.all():
        return mesh
    return mesh.extract_cells(np.flatnonzero(keep)).extract_surface(algorithm="dataset_surface")
