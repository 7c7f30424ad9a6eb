"""A quantity on a plane: the cells that it cuts, painted, with lines between the steps."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv

from ...model import drawn as d
from ...read.along import layer_of, place_of
from ...read.selection import cells_of, in_sight
from ...read.values import Values
from .. import look as colours
from ..scene import MM

#: how far a corner is drawn towards the middle of its cell before a value is taken there: so it is of that cell's part
INWARD = 2e-3


def draw(painter, look, spec: d.Section) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    values = look.values(spec)
    hidden = tuple(n for n, how in look.sight.items() if how == "hidden")
    mesh, cells = cut(values, spec, look.middle, in_sight(values.solution, hidden) if hidden else None)
    if mesh is None:
        return
    name = spec.paint.quantity.name
    fill(mesh, values, cells, spec.paint)
    live = np.isfinite(mesh.cell_data["value"])
    rest = mesh.extract_cells(np.flatnonzero(~live)) if not live.all() else None
    if rest is not None and rest.n_cells:
        _in_tones(painter, look, rest, cells[~live])
    if not live.any():
        return
    if not live.all():
        mesh, cells = mesh.extract_cells(np.flatnonzero(live)).extract_surface(algorithm="dataset_surface"), cells[live]
    low, high = look.ends(spec, mesh.cell_data["value"])
    paint = look.paint(spec, low, high)
    painter.remember(spec.name, mesh, cells, name)
    painter.add(
        mesh, lighting=False, scalars="smooth" if spec.paint.smooth else "value", opacity=spec.paint.solid, **paint
    )
    if spec.paint.lines:
        levels = look.levels(spec, low, high)
        source = mesh if spec.paint.smooth else mesh.cell_data_to_point_data()
        lines = source.contour(levels, scalars="smooth" if spec.paint.smooth else "value") if len(levels) else None
        if lines is not None and lines.n_points:
            lift(lines, spec, look)
            painter.add(lines, color=colours.INK, line_width=0.8, opacity=0.55, lighting=False, pickable=False)
    yield


def _in_tones(painter, look, mesh, cells) -> None:
    """What the plane cuts where the quantity has no value: the parts in their own tones."""
    s = look.result
    part = s.part.ravel()[cells]
    tones = {x.name: x.tone for x in look.model.solids} | {e.name: "#D8D3C6" for e in look.model.enclosures}
    for m in np.unique(part[part >= 0]):
        here = mesh.extract_cells(np.flatnonzero(part == m))
        painter.add(here, s.parts[m], color=tones.get(s.parts[m], "#A79F8E"), lighting=False)


def lift(mesh, spec: d.Section, look) -> None:
    """Move lines a hair towards the viewer, so that the plane does not swallow parts of them."""
    size = max(x[-1] - x[0] for x in look.result.grid.lines) * MM
    mesh.points = mesh.points + np.array(spec.normal) * (look.side(spec) * 8e-4 * size)


def cut(v: Values, spec: d.Section, middle, seen=None) -> tuple[pv.PolyData | None, np.ndarray]:
    """The pieces of cells in the plane, each with corners of its own, and the flat numbers of their cells; ``seen``:
    cells that are not hidden (None: all)."""
    mask = cells_of(v.solution, spec.of)
    if seen is not None:
        mask = mask & seen
    if spec.axis is not None:
        return _axis_cut(v, spec, mask)
    box = pv.RectilinearGrid(*(x * MM for x in v.grid.lines))
    box.cell_data["cell"] = np.arange(v.grid.cells).reshape(v.grid.shape).ravel(order="F")
    point = spec.point if spec.point is not None else middle
    found = box.slice(normal=spec.normal, origin=tuple(x * MM for x in point))
    if not found.n_cells:
        return None, np.zeros(0, int)
    cells = np.asarray(found.cell_data["cell"])
    keep = mask.ravel()[cells]
    if not keep.any():
        return None, np.zeros(0, int)
    found = found.extract_cells(np.flatnonzero(keep)).extract_surface(algorithm="dataset_surface")
    return _apart(found), np.asarray(found.cell_data["cell"])


def _apart(mesh: pv.PolyData) -> pv.PolyData:
    """The mesh with corners of its own for every face."""
    points, faces, at, raw = [], [], 0, mesh.faces
    where = 0
    while where < len(raw):
        n = raw[where]
        points.append(mesh.points[raw[where + 1 : where + 1 + n]])
        faces.append(np.concatenate([[n], np.arange(at, at + n)]))
        at += n
        where += n + 1
    return pv.PolyData(np.concatenate(points), np.concatenate(faces))


def _axis_cut(v: Values, spec: d.Section, mask) -> tuple[pv.PolyData | None, np.ndarray]:
    axis, lines = spec.axis or 0, v.grid.lines
    a, b = (t for t in range(3) if t != axis)
    i, place = layer_of(v, spec), place_of(v, spec)
    take = tuple(i if t == axis else slice(None) for t in range(3))
    at = np.argwhere(mask[take])
    if not len(at):
        return None, np.zeros(0, int)
    points = np.empty((len(at), 4, 3))
    points[:, :, axis] = place
    for c, (p, q) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
        points[:, c, a], points[:, c, b] = lines[a][at[:, 0] + p], lines[b][at[:, 1] + q]
    index = np.insert(at, axis, i, axis=1)
    faces = np.concatenate([np.full((len(at), 1), 4), np.arange(4 * len(at)).reshape(-1, 4)], 1)
    return pv.PolyData(points.reshape(-1, 3) * MM, faces.ravel()), np.ravel_multi_index(tuple(index.T), v.grid.shape)


def fill(mesh: pv.PolyData, v: Values, cells: np.ndarray, paint: d.Paint) -> None:
    """Put values on a mesh whose faces have corners of their own: of the ``cells`` they lie in ("value"), and between
    them at every corner ("smooth")."""
    name = paint.quantity.name
    mesh.cell_data["value"] = v.of(name).ravel()[cells]
    if not paint.smooth:
        return
    counts = corners(mesh)
    own = np.repeat(cells, counts)
    index = np.unravel_index(own, v.grid.shape)
    centre = np.stack([v.grid.centres[a][index[a]] for a in range(3)], -1)
    points = mesh.points / MM
    found = v.at(name, points + INWARD * (centre - points))
    mesh.point_data["smooth"] = np.where(np.isfinite(found), found, np.repeat(mesh.cell_data["value"], counts))


def corners(mesh: pv.PolyData) -> np.ndarray:
    """How many corners each face has."""
    from vtkmodules.util.numpy_support import vtk_to_numpy

    return np.diff(vtk_to_numpy(mesh.GetPolys().GetOffsetsArray()))
