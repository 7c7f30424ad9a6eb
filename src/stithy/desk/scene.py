"""Meshes for the bench, from a model or a stored result. Plain VTK data, no widget. Lengths in mm."""

from __future__ import annotations

import numpy as np
import pyvista as pv

from ..model import Model
from ..shapes.geometry import Outline, Path, Triangles
from ..shapes.solids import centre_line
from ..solution.solution import Solution as Result

MM = 1e3


def box_mesh(boxes) -> pv.PolyData:
    """Surface of several boxes as quads."""
    points, faces = [], []
    quads = ((0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5))
    for m, b in enumerate(boxes):
        points += [(b[0][i] * MM, b[1][j] * MM, b[2][k] * MM) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
        faces += [(4, *(8 * m + v for v in q)) for q in quads]
    return pv.PolyData(np.array(points, float), np.array(faces).ravel())


def box_edges(boxes) -> pv.PolyData:
    """The twelve edges of each box."""
    points, lines = [], []
    pairs = ((0, 1), (2, 3), (4, 5), (6, 7), (0, 2), (1, 3), (4, 6), (5, 7), (0, 4), (1, 5), (2, 6), (3, 7))
    for m, b in enumerate(boxes):
        points += [(b[0][i] * MM, b[1][j] * MM, b[2][k] * MM) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
        lines += [(2, 8 * m + p, 8 * m + q) for p, q in pairs]
    return pv.PolyData(np.array(points, float), lines=np.array(lines).ravel())


def _cross_section(form, radius: float, at: float) -> np.ndarray:
    """Points round a bar or outline at ``at`` along its axis, mm; the first repeated at the end."""
    if isinstance(form, Outline):
        across = np.array([*form.points, form.points[0]])
    else:
        t = np.linspace(0, 2 * np.pi, 49)
        across = np.array(form.centre) + radius * np.stack([np.cos(t), np.sin(t)], -1)
    points = np.full((len(across), 3), at)
    points[:, [x for x in range(3) if x != form.axis]] = across
    return points * MM


def _path_skin(form, radius: float) -> pv.PolyData:
    line = centre_line(form)[0] * MM
    curve = pv.PolyData(line, lines=np.array([len(line), *range(len(line))]))
    return curve.tube(radius=radius * MM, n_sides=32, capping=False)


def form_edges(form) -> pv.PolyData:
    """What outlines a bar, tube, outline or passage: the rims of its ends, and an outline's corner lines."""
    if isinstance(form, Triangles):
        return _facets(form).extract_feature_edges(20, boundary_edges=False, manifold_edges=False)
    if isinstance(form, Path):
        skins = [
            _path_skin(form, r).extract_feature_edges(boundary_edges=True, feature_edges=False, manifold_edges=False)
            for r in (form.radius, form.bore)
            if r
        ]
        return skins[0].append_polydata(*skins[1:]) if len(skins) > 1 else skins[0]
    out = [
        _cross_section(form, r, at)
        for r in (getattr(form, "radius", 1.0), getattr(form, "bore", 0.0))
        if r
        for at in form.span
    ]
    if isinstance(form, Outline):
        out += [np.array(pair) for pair in zip(out[0][:-1], out[1][:-1], strict=True)]
    starts = np.cumsum([0, *(len(x) for x in out)])
    lines = np.concatenate([[len(x), *range(start, start + len(x))] for start, x in zip(starts, out, strict=False)])
    return pv.PolyData(np.concatenate(out), lines=lines)


def solid_mesh(solid) -> pv.PolyData:
    """The skin of a solid: its boxes, or its true shape."""
    return box_mesh(solid.boxes) if solid.form is None else form_mesh(solid.form)


def together(meshes: list[pv.PolyData]) -> pv.PolyData:
    """Meshes of lines as one."""
    points, lines, start = [], [], 0
    for mesh in meshes:
        cells = np.array(mesh.lines)
        at = 0
        while at < len(cells):  # (count, point numbers) after each other
            n = cells[at]
            lines.append(np.concatenate([[n], cells[at + 1 : at + 1 + n] + start]))
            at += n + 1
        points.append(np.asarray(mesh.points))
        start += mesh.n_points
    if not start:
        return pv.PolyData()
    return pv.PolyData(np.concatenate(points), lines=np.concatenate(lines) if lines else None)


def cut_open(mesh: pv.PolyData, point, keep) -> pv.PolyData:
    """A skin with all beyond a plane taken off and the cut closed; ``point`` m, ``keep`` the direction that is kept."""
    from vtkmodules.vtkCommonDataModel import vtkPlane, vtkPlaneCollection
    from vtkmodules.vtkFiltersGeneral import vtkClipClosedSurface

    if not mesh.n_points:
        return mesh
    low, high = np.array(mesh.bounds).reshape(3, 2).T
    axis = int(np.argmax(np.abs(keep)))
    if not low[axis] < point[axis] * MM < high[axis]:
        kept = (0.5 * (low + high)[axis] - point[axis] * MM) * keep[axis] > 0
        return mesh if kept else pv.PolyData()
    plane, planes, clip = vtkPlane(), vtkPlaneCollection(), vtkClipClosedSurface()
    plane.SetOrigin(*(np.asarray(point) * MM))
    plane.SetNormal(*keep)
    planes.AddItem(plane)
    clip.SetInputData(mesh.triangulate().clean())
    clip.SetClippingPlanes(planes)
    clip.Update()
    return pv.wrap(clip.GetOutput())


def form_mesh(form) -> pv.PolyData:
    """The skin of a bar, tube, outline or passage."""
    if isinstance(form, Triangles):
        return _facets(form)
    if isinstance(form, Path):
        skins = [_path_skin(form, r) for r in (form.radius, form.bore) if r]
        return skins[0].append_polydata(*skins[1:]) if len(skins) > 1 else skins[0]
    skins = []
    for radius in (r for r in (getattr(form, "radius", 1.0), getattr(form, "bore", 0.0)) if r):
        skins.append(_band(*(_cross_section(form, radius, at) for at in form.span)))
    for at in form.span:
        outer = _cross_section(form, getattr(form, "radius", 1.0), at)
        if isinstance(form, Outline):
            skins.append(pv.PolyData(outer[:-1], np.array([len(outer) - 1, *range(len(outer) - 1)])).triangulate())
        else:
            skins.append(_band(outer, _cross_section(form, form.bore, at)))
    return skins[0].append_polydata(*skins[1:])


def _facets(form) -> pv.PolyData:
    triangles = np.array(form.triangles)
    return pv.PolyData(np.array(form.points) * MM, np.insert(triangles, 0, 3, axis=1).ravel())


def _band(a: np.ndarray, b: np.ndarray) -> pv.PolyData:
    """Quads between two rows of points."""
    n = len(a)
    return pv.PolyData(
        np.concatenate([a, b]), np.array([[4, i, i + 1, n + i + 1, n + i] for i in range(n - 1)]).ravel()
    )


def solid_edges(solid) -> pv.PolyData:
    """The edges of a solid."""
    return box_edges(solid.boxes) if solid.form is None else form_edges(solid.form)


def cross(place, model) -> pv.PolyData:
    """Three lines through a place (m), across the whole model: where a run diverged."""
    ends = [
        (min(s.outer[a][0] for s in model.enclosures), max(s.outer[a][1] for s in model.enclosures)) for a in range(3)
    ]
    points = []
    for a in range(3):
        for end in ends[a]:
            point = list(place)
            point[a] = end
            points.append(point)
    return pv.PolyData(np.array(points) * MM, lines=np.array([2, 0, 1, 2, 2, 3, 2, 4, 5]))


def floor(space) -> pv.PolyData:
    """The bottom of an enclosure as one quad, so that one sees in."""
    (x0, x1), (y0, y1), _ = space.outer
    z = space.inner[2][0]
    points = np.array([(x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)]) * MM
    return pv.PolyData(points, np.array([4, 0, 1, 2, 3]))


def _frame(axis: int, at: float, rect, dashed: bool = False) -> pv.PolyData:
    """The rectangle's outline in the plane at ``at``; dotted when it stands for a perforated plate."""
    a, b = (t for t in range(3) if t != axis)
    corners = [(rect[0][i], rect[1][j]) for i, j in ((0, 0), (1, 0), (1, 1), (0, 1), (0, 0))]
    points, lines = [], []
    for (u0, v0), (u1, v1) in zip(corners, corners[1:], strict=False):
        pieces = 15 if dashed else 1
        for m in range(0, pieces, 2):
            f0, f1 = m / pieces, (m + 1) / pieces
            for f in (f0, f1):
                p = [0.0] * 3
                p[axis], p[a], p[b] = at, u0 + f * (u1 - u0), v0 + f * (v1 - v0)
                points.append([x * MM for x in p])
            lines += [2, len(points) - 2, len(points) - 1]
    return pv.PolyData(np.array(points), lines=np.array(lines))


def _ring(axis: int, at: float, rect) -> pv.PolyData:
    a, b = (t for t in range(3) if t != axis)
    t = np.linspace(0, 2 * np.pi, 49)
    points = np.zeros((49, 3))
    points[:, axis] = at
    points[:, a] = 0.5 * sum(rect[0]) + 0.5 * (rect[0][1] - rect[0][0]) * np.cos(t)
    points[:, b] = 0.5 * sum(rect[1]) + 0.5 * (rect[1][1] - rect[1][0]) * np.sin(t)
    return pv.PolyData(points * MM, lines=np.concatenate([[49], np.arange(49)]))


def _arrow(axis: int, at: float, rect, direction: int, length: float) -> pv.PolyData:
    a, b = (t for t in range(3) if t != axis)
    start, way = np.zeros(3), np.zeros(3)
    start[axis], start[a], start[b] = at, 0.5 * sum(rect[0]), 0.5 * sum(rect[1])
    way[axis] = direction
    return _pointer(start * MM, way, length)


def _pointer(start, way, length: float) -> pv.PolyData:
    """An arrow from ``start`` (mm)."""
    arrow = pv.Arrow(
        start=(0, 0, 0),
        direction=way,
        tip_length=min(0.4, 12 / length),
        tip_radius=3.2 / length,
        shaft_radius=1.0 / length,
        scale=length,
        tip_resolution=16,
        shaft_resolution=12,
    )
    return arrow.translate(start, inplace=False)


def end_meshes(model: Model, summary: dict | None) -> list[tuple[str, list[pv.PolyData], pv.PolyData | None]]:
    """Per opening and fan: (name, outlines, arrow). The arrow's way and length tell the flow; none when not known."""
    out = []
    flows = {n: e["volume_flow"] for n, e in (summary or {}).get("ends", {}).items()}
    inner = {n: f["volume_flow"] for n, f in (summary or {}).get("fans", {}).items()}
    most = max([abs(q) for q in (*flows.values(), *inner.values())], default=0.0)
    for end in model.openings:
        if end.plated:
            out.append(_on_plate(model, end, flows.get(end.name), most))
            continue
        space = next(s for s in model.enclosures if s.name == end.enclosure)
        axis, high = "xyz".index(end.side[0]), end.side[1] == "+"
        at = space.outer[axis][1 if high else 0]
        outlines = [_frame(axis, at, end.rect, end.role == "vent")]
        if end.fan:
            outlines.append(_ring(axis, at, end.rect))
        inward = flows.get(end.name)
        if inward is None:
            inward = end.fan_sign if end.fan else (end.value if end.kind != "pressure" else 0.0)
            size = 26.0
        else:
            size = 12.0 + 26.0 * abs(inward) / most if most else 0.0
        arrow = None
        if inward and (most == 0 or abs(inward) > 0.02 * most):
            outwards = 1 if high else -1
            way = -outwards if inward > 0 else outwards
            start = at + (outwards * size / MM if inward > 0 else 0.0)
            arrow = _arrow(axis, start, end.rect, way, size)
        out.append((end.name, outlines, arrow))
    for fan in model.fans:
        size = 12.0 + 26.0 * abs(inner.get(fan.name, 0.0)) / most if most else 26.0
        out.append(
            (
                fan.name,
                [_frame(fan.axis, fan.position, fan.rect), _ring(fan.axis, fan.position, fan.rect)],
                _arrow(fan.axis, fan.position, fan.rect, fan.sign, size),
            )
        )
    for blower in model.blowers:
        size = 12.0 + 26.0 * abs(inner.get(blower.name, 0.0)) / most if most else 26.0
        for port, way in ((blower.inlet, -1), (blower.outlet, 1)):
            start = port.position - min(way, 0) * port.sign * size / MM
            frames = [_frame(port.axis, port.position, port.rect)]
            if way < 0:
                frames.append(_ring(port.axis, port.position, port.rect))
            out.append((blower.name, frames, _arrow(port.axis, start, port.rect, way * port.sign, size)))
    axis = int(np.argmax(np.abs(model.surroundings.gravity)))
    for space in (s for s in model.enclosures if s.pool is not None):
        rect = tuple(span for a, span in enumerate(space.inner) if a != axis)
        out.append((space.name, [_frame(axis, space.pool.level, rect, True)], None))
    for screen in model.screens:
        out.append((screen.name, [_frame(screen.axis, screen.position, screen.rect, True)], None))
    for foam in model.porous:
        axis = int(np.argmax(foam.inertial if any(foam.inertial) else foam.viscous))
        rect = tuple(s for a, s in enumerate(foam.box) if a != axis)
        low, high = foam.box[axis]
        layers = [low + (high - low) * t for t in (0.0, 0.5, 1.0)]
        out.append((foam.name, [_frame(axis, x, rect, True) for x in layers], None))
    for part in model.patches:
        space = next(s for s in model.enclosures if s.name == part.enclosure)
        axis = "xyz".index(part.side[0])
        out.append((part.name, [_frame(axis, space.outer[axis][1 if part.side[1] == "+" else 0], part.rect)], None))
    return out


def rim_line(rim, lift: float = 0.0) -> pv.PolyData:
    """The closed line of a mouth's rim, lifted out of it by ``lift`` of its width."""
    points = (np.array([*rim.points, rim.points[0]]) + lift * rim.size[1] * rim.normal) * MM
    return pv.PolyData(points, lines=np.array([len(points), *range(len(points))]))


def rim_cover(rim) -> pv.PolyData:
    """The surface over a mouth's rim, as triangles from its middle."""
    n = len(rim.points)
    points = np.array([*rim.points, np.mean(rim.points, axis=0)]) * MM
    return pv.PolyData(points, np.array([[3, m, (m + 1) % n, n] for m in range(n)]).ravel())


def _on_plate(model: Model, end, inward: float | None, most: float):
    """As of :func:`end_meshes` for an opening on a blanking plate: its arrow stands on the first rim."""
    plate = next(p for p in model.plates if p.name == end.enclosure)
    rim = plate.rims[0]
    size = 26.0 if inward is None else 12.0 + 26.0 * abs(inward) / most if most else 0.0
    if inward is None:
        inward = end.fan_sign if end.fan else (end.value if end.kind != "pressure" else -1.0)
    arrow = None
    if inward and size:
        way = rim.normal * (-1.0 if inward > 0 else 1.0)
        if inward > 0 and end.direction is not None:
            way = np.array(end.direction)
        start = rim.centre * MM - (way * size if inward > 0 else 0.0)
        arrow = _pointer(start, way, size)
    return end.name, [rim_line(r) for r in plate.rims], arrow


def ruler(model: Model, lines) -> pv.PolyData:
    """Ticks of ``lines`` (three arrays, m) along three edges of the model's box."""
    low = [min(s.outer[a][0] for s in model.enclosures) for a in range(3)]
    high = [max(s.outer[a][1] for s in model.enclosures) for a in range(3)]
    points, cells = [], []

    def segment(p, q):
        points.extend([p, q])
        cells.extend([2, len(points) - 2, len(points) - 1])

    reach = 0.02 * max(h - lo for lo, h in zip(low, high, strict=True))
    for x in lines[0]:
        segment((x, low[1], low[2]), (x, low[1] - reach, low[2]))
    for y in lines[1]:
        segment((high[0], y, low[2]), (high[0] + reach, y, low[2]))
    for z in lines[2]:
        segment((low[0], low[1], z), (low[0] - reach, low[1], z))
    return pv.PolyData(np.array(points) * MM, lines=np.array(cells))


def skin(result: Result, own: np.ndarray) -> tuple[pv.PolyData, np.ndarray] | None:
    """The faces between some cells and all others, each with corners of its own, and the flat numbers of the cells
    beneath them; None where there are none."""
    own = np.pad(own, 1)
    lines, points, faces, out = result.grid.lines, [], [], []
    total = 0
    for axis in range(3):
        a, b = (t for t in range(3) if t != axis)
        for up in (0, 1):
            edge = own & ~np.roll(own, -1 if up else 1, axis)
            index = np.argwhere(edge) - 1
            if not len(index):
                continue
            at = lines[axis][index[:, axis] + up]
            corner = np.zeros((len(index), 4, 3))
            for c, (i, j) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1))):
                corner[:, c, axis] = at
                corner[:, c, a] = lines[a][index[:, a] + i]
                corner[:, c, b] = lines[b][index[:, b] + j]
            points.append(corner.reshape(-1, 3))
            quad = total + np.arange(4 * len(index)).reshape(-1, 4)
            faces.append(np.concatenate([np.full((len(index), 1), 4), quad], 1))
            total += 4 * len(index)
            out.append(np.ravel_multi_index(tuple(index.T), result.grid.shape))
    if not points:
        return None
    return pv.PolyData(np.concatenate(points) * MM, np.concatenate(faces).ravel()), np.concatenate(out)


def face_mesh(form, numbers) -> pv.PolyData:
    """Some faces of an imported solid, a hair off its skin."""
    triangles = np.asarray(form.triangles)[np.isin(np.asarray(form.faces), numbers)]
    points = np.asarray(form.points, float)
    normal = np.cross(
        points[triangles[:, 1]] - points[triangles[:, 0]], points[triangles[:, 2]] - points[triangles[:, 0]]
    )
    off = np.zeros_like(points)
    for c in range(3):
        np.add.at(off, triangles[:, c], normal)
    size = np.linalg.norm(off, axis=1, keepdims=True)
    lift = 1e-3 * max(hi - lo for lo, hi in form.box)
    points = points + lift * np.divide(off, size, out=np.zeros_like(off), where=size > 0)
    return pv.PolyData(points * MM, np.insert(triangles, 0, 3, axis=1).ravel()).clean()


def space_skin(grid, cells: np.ndarray) -> pv.PolyData:
    """The skin of a fluid space's cells, its steps smoothed away for the eye."""
    box = pv.RectilinearGrid(*(x * MM for x in grid.lines))
    box.cell_data["here"] = cells.ravel(order="F").astype(np.uint8)
    skin = box.threshold(0.5, scalars="here").extract_surface(algorithm="dataset_surface").triangulate().clean()
    return skin.smooth_taubin(n_iter=30, pass_band=0.08, feature_angle=50.0)
