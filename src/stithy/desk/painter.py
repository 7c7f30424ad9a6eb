"""What the bench shows: the model of a layout, its grid, and results painted on it, added to a 3-D view piece by piece."""
from __future__ import annotations

import numpy as np
import pyvista as pv

from ..mesh.build import grid_lines
from . import look, scene


class Painter:
    """Adds a layout's scene to the view of ``bench``, as its controls ask; generators yield wherever the window may answer in between.

    ``names`` tells which row an actor belongs to; ``painted`` holds meshes coloured by temperature, with the cell of each of their faces.
    """

    def __init__(self, bench):
        self.bench, self.view = bench, bench.view
        self.names: dict[str, str] = {}
        self.painted: list = []
        self.cache: dict = {}

    def clear(self) -> None:
        """Take everything out of the view."""
        self.view.renderer.clear_actors()
        self.names, self.painted = {}, []

    def name_of(self, actor) -> str:
        """The row whose picture ``actor`` is; empty for none."""
        return self.names.get(actor.GetAddressAsString(""), "") if actor else ""

    def add(self, mesh, name: str = "", **how):
        """Show a mesh, as the picture of row ``name``."""
        actor = self.view.add_mesh(mesh, render=False, reset_camera=False, **how)
        if name:
            self.names[actor.GetAddressAsString("")] = name
        return actor

    def show_model(self, model, result, summary, selected):
        """Walls, solids, passages and openings; faint or as edges only beside a result."""
        add = self.add
        painted = result is not None and self.bench.parts_on["surfaces"]
        for space in model.enclosures:
            add(scene.box_edges([space.outer]), color=look.INK, line_width=1.4, pickable=False)
            if space.walls and not painted:
                add(scene.floor(space), color="#D8D3C6", lighting=False, pickable=False)
        for m, solid in enumerate(model.solids):
            if m % 8 == 7:
                yield
            chosen = solid.name in selected
            if not painted:
                mesh = scene.solid_mesh(solid)
                add(mesh, solid.name, color=look.CHOSEN if chosen else solid.tone, ambient=0.45, diffuse=0.55, specular=0,
                    opacity=self._opacity(solid, model, result is not None and not chosen))
            add(scene.solid_edges(solid), color=look.INK,
                line_width=3.2 if chosen else 1.2, pickable=False)
        yield
        for name, shape in ((x.name, x.form) for x in model.passages):
            chosen = name in selected
            if result is None or (chosen and not painted):
                add(scene.form_mesh(shape), name, color=look.CHOSEN if chosen else look.TEAL, ambient=0.5, diffuse=0.5, specular=0)
            add(scene.form_edges(shape), color=look.INK, line_width=3.2 if chosen else 1.4, pickable=False)
        for name, outlines, arrow in scene.end_meshes(model, summary):
            chosen = name in selected
            for mesh in outlines:
                add(mesh, name, color=look.INK if chosen else look.TEAL, line_width=4.5 if chosen else 3.0)
            if arrow is not None:
                add(arrow, name, color=look.TEAL, lighting=False)

    @staticmethod
    def _opacity(solid, model, faint: bool) -> float:
        """Solids that hold passages are seen through; all are faint beside a result."""
        holds = any(all(p[0] < q[1] and q[0] < p[1] for p, q in zip(solid.bounds, b.form.box, strict=True)) for b in model.passages)
        return 0.25 if faint else 0.4 if holds else 1.0

    def show_grid(self, model):
        """Rulers with the grid's lines, and two of its planes."""
        grid = grid_lines(model)
        self.add(scene.ruler(model, grid.lines), color=look.INK, line_width=1.0, pickable=False)
        at = grid.lines[1][0] + 0.5 * (grid.lines[1][-1] - grid.lines[1][0])
        at = float(grid.lines[1][np.argmin(np.abs(grid.lines[1] - at))])
        self.add(scene.grid_plane(model, grid.lines, 1, at), color=look.SLATE, line_width=0.8, opacity=0.7, pickable=False)
        z = model.enclosures[0].inner[2][0]
        self.add(scene.grid_plane(model, grid.lines, 2, z), color=look.SLATE, line_width=0.6, opacity=0.35, pickable=False)

    def limits(self, result) -> tuple[float, float]:
        """The range of the field in ``result``."""
        field = self.bench.field
        key = (id(result), field)
        if self.cache.get("limits", (None,))[0] != key:
            values = scene.field(result, field)
            live = result.kind != 2 if field == "temperature" else result.kind == 0
            low, high = float(values[live].min()), float(values[live].max())
            if field == "temperature":
                low, high = np.floor(low / 5) * 5, np.ceil(high / 5) * 5
            self.cache["limits"] = (key, (low, high if high > low else low + 1))
        return self.cache["limits"][1]

    def show_result(self, model, result, at: float, ends: tuple[float, float]):
        """The bench's field on its section at ``at`` (m) and on surfaces, vectors, streamlines; ``ends`` of the scale."""
        bench, field = self.bench, self.bench.field
        values = scene.field(result, field)
        table = pv.LookupTable(values=look.scale_table(field), scalar_range=ends)
        paint = {"scalars": "value", "cmap": table, "show_scalar_bar": False}
        if bench.parts_on["section"]:
            mesh, index = scene.section(result, values, bench.axis, at, field == "temperature" and not bench.parts_on["surfaces"])
            self.painted.append((mesh, index))
            self.add(mesh, lighting=False, **paint)
        yield
        if bench.parts_on["surfaces"]:
            yield from self._surfaces(result, paint, model)
        if bench.parts_on["vectors"]:
            mesh = scene.vectors(result, bench.axis, at)
            if mesh is not None:
                self.add(mesh, color=look.INK, lighting=False, pickable=False)
        if bench.parts_on["streamlines"]:
            yield
            self._streamlines(result, model)

    def _surfaces(self, result, paint, model):
        if self.bench.field != "temperature":
            for solid in model.solids:
                self.add(scene.solid_mesh(solid), color=solid.tone, ambient=0.45, diffuse=0.55, pickable=False)
            return
        values = result.temperature - 273.15
        shells = {s.name for s in model.enclosures}
        for i, name in enumerate(result.parts):
            if name in shells or not (result.part == i).any():
                continue
            mesh, index = self._surface(result, values, i)
            self.painted.append((mesh, index))
            self.add(mesh, name, ambient=0.75, diffuse=0.25, specular=0, **paint)
            if i % 4 == 3:
                yield

    def _surface(self, result, values, part):
        key = (result.summary["key"], self.bench.name(), part)
        if key not in self.cache.setdefault("surfaces", {}):
            if len(self.cache["surfaces"]) > 60:
                self.cache["surfaces"].clear()
            self.cache["surfaces"][key] = scene.surface(result, values, part)
        mesh, index = self.cache["surfaces"][key]
        mesh.cell_data["value"] = values[index]
        return mesh, index

    def _streamlines(self, result, model):
        key = (id(result), model.key())
        if self.cache.get("streamlines", (None,))[0] != key:
            self.cache["streamlines"] = (key, scene.streamlines(result, model))
        lines = self.cache["streamlines"][1]
        if lines is not None:
            table = pv.LookupTable(values=look.scale_table("speed"), scalar_range=(0.0, float(lines["speed"].max()) or 1.0))
            self.add(lines, scalars="speed", cmap=table, line_width=1.6, show_scalar_bar=False, lighting=False, pickable=False)

