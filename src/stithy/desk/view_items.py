"""What a bench shows, as a list of items; each says when it is wanted and draws itself.

A new thing to be seen is one more item. Generators yield wherever the window may answer in between.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

import numpy as np
import pyvista as pv

from ..model import Model, drawn
from . import look, scene
from .by_place_item import ByPlaceItem
from .drawn import draw
from .grid_items import GridItem
from .load_items import CopperItem, RolesItem
from .painter import Painter
from .rulers import RulersItem, ShadowItem
from .viewing import Look


class Item(Protocol):
    """One thing to be seen; ``key`` names it."""

    key: str

    def wanted(self, look_: Look) -> bool:
        """Whether it is to be drawn."""

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """Add it to the view."""


class ModelItem:
    """Walls, solids, passages and openings; faint or as edges only beside a result."""

    key = "model"

    def wanted(self, look_: Look) -> bool:
        """Always."""
        return True

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        painted = self._painted(look_)
        self._enclosures(painter, look_, bool(painted))
        yield from self._solids(painter, look_, painted)
        self._passages(painter, look_, bool(painted))
        self._ends(painter, look_)

    @staticmethod
    def _enclosures(painter: Painter, look_: Look, painted: bool) -> None:
        for space in look_.model.enclosures:
            if look_.result is None or not look_.model.left_out:
                painter.add(scene.box_edges([space.outer]), color=look.INK, line_width=1.4, pickable=False)
            if space.walls and not painted and look_.sight.get(space.name) != "hidden":
                painter.add(scene.floor(space), color="#D8D3C6", lighting=False, pickable=False, clip=True)

    @staticmethod
    def _solids(painter: Painter, look_: Look, painted: set[str]) -> Iterator[None]:
        model, result, add = look_.model, look_.result, painter.add
        through = (look_.leak is not None or look_.space is not None) and look_.stage == "Shape"
        through |= look_.hidden and look_.stage in ("Shape", "Load")
        plain: list[pv.PolyData] = []
        cut = bool(look_.piece) or (result is None and look_.cut is not None)
        open_ = painter.planes if result is None else []
        for m, solid in enumerate(model.solids):
            if m % 8 == 7:
                yield
            chosen, seen = solid.name in look_.selected, look_.sight.get(solid.name)
            if seen == "hidden":
                continue
            if solid.name not in painted:
                faint = through or seen == "through" or (result is not None and not chosen and not painter.planes)
                skin = scene.solid_mesh(solid)
                for plane in open_:
                    skin = scene.cut_open(skin, *plane)
                add(
                    skin,
                    solid.name,
                    clip=result is not None,
                    color=look.CHOSEN if chosen else solid.tone,
                    ambient=0.45,
                    diffuse=0.55,
                    specular=0,
                    opacity=_opacity(solid, model, faint),
                )
            if chosen:
                add(scene.solid_edges(solid), solid.name, clip=cut, color=look.INK, line_width=3.2, pickable=False)
            else:
                plain.append(scene.solid_edges(solid))
        if plain:  # one thing to draw, however many parts there are
            width = 1.2 if result is None or not painter.planes else 0.9
            add(scene.together(plain), clip=cut, color=look.INK, line_width=width, pickable=False)
        yield

    @staticmethod
    def _passages(painter: Painter, look_: Look, painted: bool) -> None:
        result, add = look_.result, painter.add
        for passage in look_.model.passages:
            chosen = passage.name in look_.selected
            if look_.sight.get(passage.name) == "hidden":
                continue
            if result is None or (chosen and not painted):
                add(
                    scene.form_mesh(passage.form),
                    passage.name,
                    clip=result is None,
                    color=look.CHOSEN if chosen else look.TEAL,
                    ambient=0.5,
                    diffuse=0.5,
                    specular=0,
                )
            width = 3.2 if chosen else 1.4
            add(scene.form_edges(passage.form), clip=result is None, color=look.INK, line_width=width, pickable=False)

    @staticmethod
    def _ends(painter: Painter, look_: Look) -> None:
        """Blanking plates, openings and fans."""
        for plate in look_.model.plates:
            chosen = plate.name in look_.selected
            for rim in plate.rims:
                cover = {"color": look.CHOSEN if chosen else look.TEAL, "opacity": 0.9 if chosen else 0.35}
                painter.add(scene.rim_cover(rim), plate.name, lighting=False, **cover)
                colour = look.INK if chosen else look.TEAL
                painter.add(scene.rim_line(rim), plate.name, color=colour, line_width=2.5)
        for name, outlines, arrow in scene.end_meshes(look_.model, look_.summary):
            chosen = name in look_.selected
            for mesh in outlines:
                painter.add(mesh, name, color=look.INK if chosen else look.TEAL, line_width=4.5 if chosen else 3.0)
            if arrow is not None:
                painter.add(arrow, name, color=look.TEAL, lighting=False)

    @staticmethod
    def _painted(look_: Look) -> set[str]:
        """Parts whose surfaces are painted by a drawn row."""
        out: set[str] = set()
        for spec in look_.on:
            if isinstance(spec, drawn.Surface):
                groups = {g.name: g.of for g in look_.model.faces}
                out |= {n for n in spec.of if n not in groups} or (
                    set() if spec.of else {s.name for s in look_.model.solids}
                )
        return out


def _opacity(solid, model: Model, faint: bool) -> float:
    """Solids that hold passages are seen through; all are faint beside a result."""
    holds = any(
        all(p[0] < q[1] and q[0] < p[1] for p, q in zip(solid.bounds, b.form.box, strict=True)) for b in model.passages
    )
    return 0.25 if faint else 0.4 if holds else 1.0


class DrawnItem:
    """Everything that is drawn of a result: a row each."""

    key = "drawn"

    def wanted(self, look_: Look) -> bool:
        """Where a result is painted."""
        return look_.result is not None

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        for spec in look_.on:
            painter.row(spec.name)
            try:
                yield from self.one(painter, look_, spec)
            finally:
                painter.row("")

    @staticmethod
    def one(painter: Painter, look_: Look, spec) -> Iterator[None]:
        """Draw one row."""
        yield from draw(painter, look_, spec)


class FaultItem:
    """A cross where the last run went wrong."""

    key = "fault"

    def wanted(self, look_: Look) -> bool:
        """In Run, after a run of this layout that went wrong."""
        return look_.fault is not None and look_.stage == "Run"

    def draw(self, painter: Painter, look_: Look) -> Iterator[None]:
        """As of :class:`Item`."""
        painter.add(scene.cross(look_.fault, look_.model), color=look.EMBER, line_width=4.0, pickable=False)
        yield


class MouthsItem:
    """Rims of openings of solids that are not closed."""

    key = "mouths"

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

    key = "space"

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

    key = "faces"

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

    key = "leak"

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
    DrawnItem(),
    GridItem(),
    FaultItem(),
    MouthsItem(),
    SpaceItem(),
    FacesItem(),
    LeakItem(),
    ByPlaceItem(),
    RolesItem(),
    CopperItem(),
    RulersItem(),
    ShadowItem(),
)
