"""A quantity on surfaces: of parts (flat ones by the grid, round and imported ones by their true shape), of groups of
faces, and of all walls of a fluid."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyvista as pv

from ...errors import StithyError
from ...model import drawn as d
from ...model.quantities import CELLS
from ...read.selection import spaces_of
from ...read.values import Values
from .. import scene
from .section import INWARD, corners

MM = scene.MM
#: longest edge of a painted triangle over the model's size
FINE = 0.012
#: painted triangles that one body is cut into at most
MOST = 60_000


def draw(painter, look, spec: d.Surface) -> Iterator[None]:
    """As of :func:`drawn.draw`."""
    v = look.values(spec)
    meshes = []
    for m, (name, key) in enumerate(_wanted(look, spec)):
        if look.sight.get(name) == "hidden":
            continue
        mesh = painter.kept(
            (spec.paint.quantity.name, spec.paint.references, *key, v.serial), lambda k=key: made(v, look, spec, k)
        )
        if mesh is not None and mesh.n_cells:
            meshes.append((name, mesh))
        if m % 4 == 3:
            yield
    if not meshes:
        return
    low, high = look.ends(spec, np.concatenate([x.cell_data["value"] for _, x in meshes]))
    paint = look.paint(spec, low, high)
    for m, (name, mesh) in enumerate(meshes):
        solid = min(spec.paint.solid, 0.3 if look.sight.get(name) == "through" else 1.0)
        painter.remember(spec.name, mesh, mesh.field_data.get("cells"), spec.paint.quantity.name)
        painter.add(
            mesh,
            name,
            clip=True,
            ambient=0.75,
            diffuse=0.25,
            specular=0,
            opacity=solid,
            scalars="smooth" if spec.paint.smooth and "smooth" in mesh.point_data else "value",
            **paint,
        )
        levels = look.levels(spec, low, high) if spec.paint.lines and "smooth" in mesh.point_data else ()
        if len(levels):
            lines = mesh.contour(levels, scalars="smooth")
            if lines.n_points:
                painter.add(
                    lines, clip=True, color="#23282D", line_width=0.8, opacity=0.5, lighting=False, pickable=False
                )
        if m % 6 == 5:
            yield
    yield


def _wanted(look, spec: d.Surface) -> list[tuple[str, tuple]]:
    """Rows that are painted, each with what its surface is made of."""
    s, model = look.result, look.model
    shells = {e.name for e in model.enclosures}
    if not spec.of:
        return [(n, ("part", n)) for n in s.parts if n not in shells]
    groups = {g.name: g for g in model.faces}
    out = []
    for name in spec.of:
        if name in groups:
            out.append((groups[name].of, ("faces", groups[name].of, groups[name].faces)))
        elif name in shells and name not in s.parts:
            out += [(name, ("fluid", space)) for space in spaces_of(s, name)]
        elif name in s.parts:
            out.append((name, ("part", name)))
        elif spaces_of(s, name):
            out += [(name, ("fluid", space)) for space in spaces_of(s, name)]
        else:
            raise StithyError(
                f"{spec.name}: this result has no “{name}”. Solve the layout again, or name another part."
            )
    return out


def made(v: Values, look, spec: d.Surface, key: tuple) -> pv.PolyData | None:
    """The painted surface of one part, group or fluid."""
    q = spec.paint.quantity
    if key[0] == "fluid":
        return _walls_mesh(v, q.name, v.walls.space == key[1])
    name = key[1]
    solid = next((x for x in look.model.solids if x.name == name), None)
    shape = None
    if key[0] == "faces" and solid is not None:
        shape = scene.face_mesh(solid.form, key[2])
    elif solid is not None and solid.form is not None:
        shape = scene.form_mesh(solid.form)
    if shape is not None:
        return _on_shape(v, q, name, shape)
    if q.place != CELLS:
        return _walls_mesh(v, q.name, v.walls.names == name)
    return _by_grid(v, q.name, name)


def _walls_mesh(v: Values, name: str, here: np.ndarray) -> pv.PolyData | None:
    """Wall faces as the grid has them, painted by a quantity of walls, or of the cells before them."""
    at = np.flatnonzero(here)
    if not len(at):
        return None
    points = v.walls.corners(at)
    faces = np.concatenate([np.full((len(at), 1), 4), np.arange(4 * len(at)).reshape(-1, 4)], 1)
    values = v.of(name) if v.quantity(name).place != CELLS else v.at_walls(v.of(name))
    good = np.isfinite(values[at])
    if not good.any():
        return None
    mesh = pv.PolyData(points.reshape(-1, 3) * MM, faces[good].ravel())
    mesh.cell_data["value"] = values[at][good]
    return mesh


def _by_grid(v: Values, name: str, part: str) -> pv.PolyData | None:
    """The outside of a part's cells, painted by the cells just beneath and between them."""
    s = v.solution
    if part not in s.parts:
        return None
    found = scene.skin(s, s.part == s.parts.index(part))
    if found is None:
        return None
    mesh, cells = found
    values = v.of(name).ravel()[cells]
    if not np.isfinite(values).any():
        return None
    mesh.cell_data["value"] = values
    mesh.field_data["cells"] = cells
    index = np.unravel_index(np.repeat(cells, corners(mesh)), v.grid.shape)
    centre = np.stack([v.grid.centres[a][index[a]] for a in range(3)], -1)
    points = mesh.points / MM
    smooth = v.at(name, points + INWARD * (centre - points))
    mesh.point_data["smooth"] = np.where(np.isfinite(smooth), smooth, np.repeat(values, 4))
    return mesh


def _on_shape(v: Values, q, part: str, shape: pv.PolyData) -> pv.PolyData | None:
    """A part's true skin, painted by what is nearest to each of its corners: cells of the part, or its walls."""
    from scipy.spatial import cKDTree

    shape = _refined(shape.triangulate(), FINE * max(x[-1] - x[0] for x in v.grid.lines) * MM)
    s = v.solution
    if q.place == CELLS and part in s.parts and q.where != "fluid":
        at = np.flatnonzero((s.part == s.parts.index(part)).ravel())
        index = np.unravel_index(at, v.grid.shape)
        places, values = np.stack([v.grid.centres[a][index[a]] for a in range(3)], -1), v.of(q.name).ravel()[at]
    else:
        here = np.flatnonzero(v.walls.names == part)
        places = v.walls.centre[here]
        values = v.of(q.name)[here] if q.place != CELLS else v.at_walls(v.of(q.name))[here]
    good = np.isfinite(values)
    if not good.any():
        return None
    near = min(4, int(good.sum()))
    far, at = cKDTree(places[good]).query(shape.points / MM, k=near)
    far, at = far.reshape(-1, near), at.reshape(-1, near)
    weight = 1.0 / np.maximum(far, 1e-9) ** 2
    shape.point_data["smooth"] = (weight * values[good][at]).sum(axis=1) / weight.sum(axis=1)
    shape.cell_data["value"] = shape.point_data["smooth"][shape.regular_faces].mean(axis=1)
    return shape


def _refined(mesh: pv.PolyData, longest: float) -> pv.PolyData:
    """Triangles none of which has an edge longer than that (mm), as far as their number allows."""
    import trimesh

    points, faces = np.asarray(mesh.points, float), mesh.regular_faces
    for _ in range(8):
        edges = np.linalg.norm(points[faces] - points[np.roll(faces, 1, axis=1)], axis=2).max(axis=1)
        long = np.flatnonzero(edges > longest)
        if not len(long) or len(faces) > MOST:
            break
        points, faces = trimesh.remesh.subdivide(points, faces, long)
    return pv.PolyData(points, np.insert(faces, 0, 3, axis=1).ravel())
