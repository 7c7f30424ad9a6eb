"""What a bench shows, as a list of items; each says when it is wanted and draws itself.

A new thing to be seen is one more item. Generators yield wherever the window may answer in between.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import pyvista as pv

from ..mesh.build import grid_lines
from ..mesh.leak import Leak
from ..mesh.openings import Found
from ..model import Model
from ..solution.solution import Solution
from . import look, scene
from .painter import Painter
from .view_settings import ViewSettings


@dataclass(frozen=True)
class Look:
    """What items draw from: the layout's ``model``, its ``result`` where this stage paints results, rows that are
    ``selected``, the ``stage``, whether the layout has problems (``faulty``), the ``place`` (m) where the last run went
    wrong, and the settings with the ``ends`` of the scale."""

    layout: str
    model: Model
    result: Solution | None
    summary: dict | None
    selected: tuple[str, ...]
    stage: str
    faulty: bool
    fault: tuple[float, float, float] | None
    settings: ViewSettings
    leak: Leak | None = None
    ends: tuple[float, float] = (0.0, 1.0)
    mouths: tuple[Found, ...] = ()
    space: tuple | None = None
    faces: tuple = ()
    hidden: bool = False

    def shows(self, key: str) -> bool:
        """Whether a result is painted and an item switched on."""
        return self.result is not None and key in self.settings.shown

    @property
    def at(self) -> float:
        """Where the section is (m)."""
        assert self.result is not None
        lines = self.result.grid.lines[self.settings.axis]
        return float(lines[0] + self.settings.place * (lines[-1] - lines[0]))

    def paint(self) -> dict:
        """How a mesh is coloured by the field."""
        table = pv.LookupTable(values=look.scale_table(self.settings.field), scalar_range=self.ends)
        return {"scalars": "value", "cmap": table, "show_scalar_bar": False}


class Item(Protocol):
    """One thing to be seen. ``key`` names it; with a ``title`` it has a switch on the bench."""

    key: str
    title: str

    def wanted(self, look_: Look) -> bool:
        """Whether it is to be drawn."""

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """Add it to the view."""


class ModelItem:
    """Walls, solids, passages and openings; faint or as edges only beside a result."""

    key, title = "model", ""

    def wanted(self, look_: Look) -> bool:
        """Always."""
        return True

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        model, result, selected, add = look_.model, look_.result, look_.selected, painter.add
        painted = look_.shows("surfaces")
        through = (look_.leak is not None or look_.space is not None) and look_.stage == "Shape"
        through |= look_.hidden and look_.stage in ("Shape", "Load")
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
                add(
                    mesh,
                    solid.name,
                    color=look.CHOSEN if chosen else solid.tone,
                    ambient=0.45,
                    diffuse=0.55,
                    specular=0,
                    opacity=_opacity(solid, model, through or (result is not None and not chosen)),
                )
            add(scene.solid_edges(solid), color=look.INK, line_width=3.2 if chosen else 1.2, pickable=False)
        yield
        for passage in model.passages:
            chosen = passage.name in selected
            if result is None or (chosen and not painted):
                add(
                    scene.form_mesh(passage.form),
                    passage.name,
                    color=look.CHOSEN if chosen else look.TEAL,
                    ambient=0.5,
                    diffuse=0.5,
                    specular=0,
                )
            add(scene.form_edges(passage.form), color=look.INK, line_width=3.2 if chosen else 1.4, pickable=False)
        for plate in model.plates:
            chosen = plate.name in selected
            for rim in plate.rims:
                cover = {"color": look.CHOSEN if chosen else look.TEAL, "opacity": 0.9 if chosen else 0.35}
                add(scene.rim_cover(rim), plate.name, lighting=False, **cover)
                add(scene.rim_line(rim), plate.name, color=look.INK if chosen else look.TEAL, line_width=2.5)
        for name, outlines, arrow in scene.end_meshes(model, look_.summary):
            chosen = name in selected
            for mesh in outlines:
                add(mesh, name, color=look.INK if chosen else look.TEAL, line_width=4.5 if chosen else 3.0)
            if arrow is not None:
                add(arrow, name, color=look.TEAL, lighting=False)


def _opacity(solid, model: Model, faint: bool) -> float:
    """Solids that hold passages are seen through; all are faint beside a result."""
    holds = any(
        all(p[0] < q[1] and q[0] < p[1] for p, q in zip(solid.bounds, b.form.box, strict=True)) for b in model.passages
    )
    return 0.25 if faint else 0.4 if holds else 1.0


class GridItem:
    """Rulers with the grid's lines, and two of its planes."""

    key, title = "grid", ""

    def wanted(self, look_: Look) -> bool:
        """In Grid, where the layout has no problems."""
        return look_.result is None and look_.stage == "Grid" and not look_.faulty

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        model, grid = look_.model, grid_lines(look_.model)
        painter.add(scene.ruler(model, grid.lines), color=look.INK, line_width=1.0, pickable=False)
        at = grid.lines[1][0] + 0.5 * (grid.lines[1][-1] - grid.lines[1][0])
        at = float(grid.lines[1][np.argmin(np.abs(grid.lines[1] - at))])
        painter.add(
            scene.grid_plane(model, grid.lines, 1, at), color=look.SLATE, line_width=0.8, opacity=0.7, pickable=False
        )
        z = model.enclosures[0].inner[2][0]
        painter.add(
            scene.grid_plane(model, grid.lines, 2, z), color=look.SLATE, line_width=0.6, opacity=0.35, pickable=False
        )
        yield


class SectionItem:
    """The field on a plane."""

    key, title = "section", "Section"

    def wanted(self, look_: Look) -> bool:
        """Where it is switched on."""
        return look_.shows(self.key)

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        result, field = look_.result, look_.settings.field
        values = scene.field(result, field)
        mesh, index = scene.section(
            result, values, look_.settings.axis, look_.at, field == "temperature" and not look_.shows("surfaces")
        )
        painter.painted.append((mesh, index))
        painter.add(mesh, lighting=False, **look_.paint())
        yield


class SurfacesItem:
    """Temperatures on the surfaces of parts; beside other fields the parts in their own colours."""

    key, title = "surfaces", "Surfaces"

    def wanted(self, look_: Look) -> bool:
        """Where it is switched on."""
        return look_.shows(self.key)

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        result = look_.result
        assert result is not None
        if look_.settings.field != "temperature":
            for solid in look_.model.solids:
                painter.add(scene.solid_mesh(solid), color=solid.tone, ambient=0.45, diffuse=0.55, pickable=False)
            return
        values, paint = result.temperature - 273.15, look_.paint()
        shells = {s.name for s in look_.model.enclosures}
        for i, name in enumerate(result.parts):
            if name in shells or not (result.part == i).any():
                continue
            key = ("surface", result.summary["key"], look_.layout, i)
            mesh, index = painter.kept(key, lambda i=i: scene.surface(result, values, i))
            mesh.cell_data["value"] = values[index]
            painter.painted.append((mesh, index))
            painter.add(mesh, name, ambient=0.75, diffuse=0.25, specular=0, **paint)
            if i % 4 == 3:
                yield


class VectorsItem:
    """Arrows on the section."""

    key, title = "vectors", "Vectors"

    def wanted(self, look_: Look) -> bool:
        """Where it is switched on."""
        return look_.shows(self.key)

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        mesh = scene.vectors(look_.result, look_.settings.axis, look_.at)
        if mesh is not None:
            painter.add(mesh, color=look.INK, lighting=False, pickable=False)
        yield


class StreamlinesItem:
    """Lines along the flow, coloured by speed."""

    key, title = "streamlines", "Streamlines"

    def wanted(self, look_: Look) -> bool:
        """Where it is switched on."""
        return look_.shows(self.key)

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        result, model = look_.result, look_.model
        lines = painter.kept(("streamlines", id(result), model.key()), lambda: scene.streamlines(result, model))
        if lines is not None:
            table = pv.LookupTable(
                values=look.scale_table("speed"), scalar_range=(0.0, float(lines["speed"].max()) or 1.0)
            )
            painter.add(
                lines,
                scalars="speed",
                cmap=table,
                line_width=1.6,
                show_scalar_bar=False,
                lighting=False,
                pickable=False,
            )
        yield


class FaultItem:
    """A cross where the last run went wrong."""

    key, title = "fault", ""

    def wanted(self, look_: Look) -> bool:
        """In Run, after a run of this layout that went wrong."""
        return look_.fault is not None and look_.stage == "Run"

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        painter.add(scene.cross(look_.fault, look_.model), color=look.EMBER, line_width=4.0, pickable=False)
        yield


class MouthsItem:
    """Rims of openings of solids that are not closed."""

    key, title = "mouths", ""

    def wanted(self, look_: Look) -> bool:
        """In Shape, where some have been found."""
        return bool(look_.mouths) and look_.stage == "Shape"

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        for found in look_.mouths:
            for rim in () if found.plate else found.rims:
                painter.add(scene.rim_line(rim, 0.02), color=look.EMBER, line_width=3.0, pickable=False)
        yield


class SpaceItem:
    """A fluid space by itself."""

    key, title = "space", ""

    def wanted(self, look_: Look) -> bool:
        """In Shape, where one is chosen."""
        return look_.space is not None and look_.stage == "Shape"

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        assert look_.space is not None
        grid, cells = look_.space
        if cells.any():
            skin = painter.kept(("space", id(cells)), lambda: scene.space_skin(grid, cells))
            painter.add(skin, color="#7FB0AE", ambient=0.5, diffuse=0.5, opacity=0.85, specular=0, pickable=False)
        yield


class FacesItem:
    """Faces of imported solids: the clicked ones and those of selected groups, also where they are hidden."""

    key, title = "faces", ""

    def wanted(self, look_: Look) -> bool:
        """In Shape and Load, where there are some."""
        return bool(look_.faces) and look_.stage in ("Shape", "Load")

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        for form, numbers in look_.faces:
            mesh = scene.face_mesh(form, numbers)
            painter.add(mesh, color=look.FACE, ambient=0.6, diffuse=0.4, specular=0, pickable=False)
            edges = mesh.extract_feature_edges(25, manifold_edges=False, non_manifold_edges=False)
            if edges.n_points:
                painter.add(edges, color=look.INK, line_width=3.0, pickable=False)
        yield


class LeakItem:
    """The way fluid takes out of what should be closed: dots, and a ball at the narrowest place."""

    key, title = "leak", ""

    def wanted(self, look_: Look) -> bool:
        """In Shape, where one was looked for and found."""
        return look_.leak is not None and look_.stage == "Shape"

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        leak = look_.leak
        assert leak is not None
        path = pv.PolyData(leak.path * scene.MM)
        style = {"style": "points", "render_points_as_spheres": True, "lighting": False, "pickable": False}
        painter.add(path, color=look.EMBER, point_size=8.0, **style)
        line = pv.lines_from_points(path.points)
        painter.add(line, color=look.EMBER, line_width=2.5, lighting=False, pickable=False)
        size = max(0.5 * leak.width, 0.004 * float(np.ptp(leak.path, axis=0).max())) * scene.MM
        painter.add(
            pv.Sphere(radius=size, center=tuple(x * scene.MM for x in leak.place)),
            color=look.EMBER,
            opacity=0.5,
            pickable=False,
        )
        painter.label(leak.place, f"narrowest {1e3 * leak.width:.3g} mm")
        yield


#: all items, in the order they are drawn
ITEMS: tuple[Item, ...] = (
    ModelItem(),
    SectionItem(),
    SurfacesItem(),
    VectorsItem(),
    StreamlinesItem(),
    GridItem(),
    FaultItem(),
    MouthsItem(),
    SpaceItem(),
    FacesItem(),
    LeakItem(),
)
