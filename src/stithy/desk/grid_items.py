"""What a bench shows in Grid: a section of the grid with cells in the tones of their parts, lines on the rulers, and
places that are doubtful."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import pyvista as pv

from ..mesh.build import build
from ..mesh.findings import findings
from ..mesh.gridding import grid_lines
from ..mesh.occupancy import FLUID, SOLID
from ..model import Model
from . import look, scene
from .painter import Painter
from .viewing import Look

#: tones of the fluids of enclosures, and of walls that have none of their own
FLUIDS, WALLS = ("#CFE0DF", "#E3D9C3", "#D9DDE8", "#DCE6CF"), "#BDB6A6"
#: findings whose places are marked; their weight from which on
MARKED, WORTH = 12, 1.0
#: cells in a section above which their edges are drawn fainter
MANY = 12_000


class GridItem:
    """Rulers with the grid's lines, and a section of it."""

    key = "grid"

    def wanted(self, look_: Look) -> bool:
        """In Grid, where the layout has no problems."""
        return look_.result is None and look_.stage == "Grid" and not look_.faulty

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        model, grid = look_.model, grid_lines(look_.model)
        painter.add(scene.ruler(model, grid.lines), color=look.INK, line_width=1.0, pickable=False)
        axis, place = look_.cut[:2] if look_.cut is not None else (1, float(np.mean(grid.lines[1][[0, -1]])))
        mesh = painter.kept(("grid section", model.key(), axis, place), lambda: section(model, axis, place))
        if mesh is not None:
            painter.add(
                mesh,
                clip=False,
                scalars="rgb",
                rgb=True,
                show_edges=True,
                edge_color="#7E8B90",
                line_width=0.5 if mesh.n_cells > MANY else 1.0,
                lighting=False,
                pickable=False,
            )
        yield
        found = painter.kept(("findings", model.key()), lambda: findings(model))
        places = np.array([f.place for f in found if f.weight >= WORTH][:MARKED])
        if len(places):
            style = {"style": "points", "render_points_as_spheres": True, "lighting": False, "pickable": False}
            painter.add(pv.PolyData(places * scene.MM), color=look.EMBER, point_size=9.0, **style)
        yield


def layer(model: Model, axis: int, place: float) -> tuple[Model, int]:
    """The model with a grid of the one layer of cells across ``axis`` that holds ``place`` (m), and its number."""
    lines = [tuple(x.tolist()) for x in grid_lines(model).lines]
    at = int(np.clip(np.searchsorted(lines[axis], place) - 1, 0, len(lines[axis]) - 2))
    lines[axis] = lines[axis][at : at + 2]
    return replace(model, grid=replace(model.grid, lines=tuple(lines))), at


def section(model: Model, axis: int, place: float) -> pv.PolyData | None:
    """Cells of the layer at a place as quads in the tones of their parts ("rgb"); what is outside is left out."""
    one, _ = layer(model, axis, place)
    built = build(one)
    a, b = (t for t in range(3) if t != axis)
    owner, kind, space = (np.take(x, 0, axis) for x in (built.owner, built.kind, built.space_of))
    tones = {s.name: s.tone for s in model.solids}
    colours = np.array([pv.Color(tones.get(name, WALLS)).int_rgb for name in built.parts] or [(0, 0, 0)], np.uint8)
    air = np.array([pv.Color(FLUIDS[m % len(FLUIDS)]).int_rgb for m in range(max(len(model.enclosures), 1))], np.uint8)
    rgb = np.where((kind == SOLID)[..., None], colours[np.maximum(owner, 0)], air[np.maximum(space, 0)])
    x, y = one.grid.lines[a], one.grid.lines[b]
    points = np.zeros((len(x), len(y), 3))
    points[..., a], points[..., b] = np.array(x)[:, None], np.array(y)[None, :]
    points[..., axis] = np.clip(place, *one.grid.lines[axis])
    at = np.arange(len(x) * len(y)).reshape(len(x), len(y))
    quads = np.stack([at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]], -1).reshape(-1, 4)
    here = ((kind == SOLID) | (kind == FLUID)).ravel()
    if not here.any():
        return None
    faces = np.column_stack([np.full(int(here.sum()), 4), quads[here]]).ravel()
    mesh = pv.PolyData(points.reshape(-1, 3) * scene.MM, faces)
    mesh.cell_data["rgb"] = rgb.reshape(-1, 3)[here]
    return mesh
