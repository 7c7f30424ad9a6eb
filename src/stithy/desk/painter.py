"""Adds meshes to a bench's 3-D view, remembers which row each is the picture of, and keeps what is slow to make."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyvista as pv
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper, vtkRenderer

from ..read.along import Along
from ..read.tracing import Traced
from . import look, scene

#: what labels are written in
FONT = Path(__file__).parent.parent / "data/fonts/barlow-semi-condensed-500.ttf"
#: meshes kept
MOST_KEPT = 120
#: marks on one set of streamlines at once
MOST_MARKS = 400


#: how a mesh may be shown that has one colour; by the hundred such are added at once
PLAIN = frozenset(
    {
        "color",
        "line_width",
        "point_size",
        "style",
        "render_points_as_spheres",
        "pickable",
        "lighting",
        "ambient",
        "diffuse",
        "specular",
    }
)


def _plain_actor(mesh, how: dict) -> vtkActor:
    """A mesh in one colour, without the toll of the many things that it could have as well."""
    actor, mapper = vtkActor(), vtkPolyDataMapper()
    mapper.SetInputData(mesh if isinstance(mesh, pv.PolyData) else mesh.extract_surface(algorithm="dataset_surface"))
    mapper.ScalarVisibilityOff()
    actor.SetMapper(mapper)
    actor.SetPickable(how.get("pickable", True))
    prop = actor.GetProperty()
    prop.SetColor(*pv.Color(how.get("color", look.INK)).float_rgb)
    prop.SetInterpolationToFlat()
    prop.SetLineWidth(how.get("line_width", 1.0))
    prop.SetPointSize(how.get("point_size", 5.0))
    prop.SetAmbient(how.get("ambient", 0.0))
    prop.SetDiffuse(how.get("diffuse", 1.0))
    prop.SetSpecular(how.get("specular", 0.0))
    prop.SetLighting(how.get("lighting", True))
    prop.SetRenderPointsAsSpheres(how.get("render_points_as_spheres", False))
    if how.get("style") == "points":
        prop.SetRepresentationToPoints()
    return actor


class Painter:
    """The pictures in one view.

    ``names`` tells which row an actor belongs to; ``painted`` holds meshes painted by quantities of cells: the drawn
    row, the mesh, the cells of its faces and the quantity. ``along`` holds lines as they were read, ``marks`` what
    moves along streamlines, ``flags`` the place (m) of each flag, that of its words (or None), and these.
    """

    def __init__(self, view):
        self.view = view
        self.names: dict[str, str] = {}
        self.painted: list[tuple] = []
        self.along: dict[str, Along] = {}
        self.marks: dict[str, Marks] = {}
        self.flags: dict[str, tuple] = {}
        self.planes: list[tuple[np.ndarray, np.ndarray]] = []
        self._kept: dict = {}
        self._row, self._of_row = "", {}
        self._over: vtkRenderer | None = None

    @property
    def over(self) -> vtkRenderer:
        """A layer over the picture, for what is seen whatever stands before it."""
        if self._over is None:
            self._over = vtkRenderer()
            self._over.SetLayer(1)
            self._over.InteractiveOff()
            self._over.SetActiveCamera(self.view.renderer.GetActiveCamera())
            self.view.ren_win.SetNumberOfLayers(2)
            self.view.ren_win.AddRenderer(self._over)
        self._over.SetActiveCamera(self.view.renderer.GetActiveCamera())  # which a view may have replaced
        return self._over

    def clear(self) -> None:
        """Take everything out of the view."""
        self.view.renderer.clear_actors()
        if self._over is not None:
            self._over.RemoveAllViewProps()
        self.names, self.painted, self.along, self.marks, self._of_row = {}, [], {}, {}, {}
        self.flags = {}

    def row(self, name: str) -> None:
        """What is added from now on belongs to a drawn row."""
        self._row = name

    def forget(self, name: str) -> None:
        """Take the pictures of one drawn row out of the view."""
        for actor in self._of_row.pop(name, ()):
            if isinstance(actor, pv.Actor):
                self.view.renderer.remove_actor(actor, render=False)
            else:
                self.view.renderer.RemoveViewProp(actor)
            if self._over is not None:
                self._over.RemoveViewProp(actor)
            self.names.pop(actor.GetAddressAsString(""), None)
        self.painted = [x for x in self.painted if x[0] != name]
        self.marks.pop(name, None)
        self.flags.pop(name, None)
        self.along.pop(name, None)

    def actors_of(self, name: str) -> list:
        """The pictures of one drawn row."""
        return list(self._of_row.get(name, ()))

    def pictures_of(self, name: str) -> list:
        """All that is the picture of one part."""
        return [a for a in self.view.renderer.actors.values() if self.name_of(a) == name]

    def remember(self, row: str, mesh, cells, quantity: str) -> None:
        """A mesh painted by a quantity of cells: its faces lie in ``cells`` (flat numbers; None: in none)."""
        if cells is not None:
            self.painted.append((row, mesh, np.asarray(cells), quantity))

    def name_of(self, actor) -> str:
        """The row whose picture ``actor`` is; empty for none."""
        return self.names.get(actor.GetAddressAsString(""), "") if actor else ""

    def add(self, mesh, name: str = "", clip: bool = False, **how):
        """Show a mesh, as the picture of row ``name``; ``clip``: not what is cut away before sections."""
        if not mesh.n_points:  # a ball has no edges
            return None
        solid = how.pop("opacity", 1.0)
        if PLAIN.issuperset(how):
            actor = _plain_actor(mesh, how)
            self.view.renderer.AddActor(actor)
        else:
            actor = self.view.add_mesh(mesh, render=False, reset_camera=False, **how)
        actor.GetProperty().SetOpacity(solid)  # with a colour table of its own, what is given at once is not heeded
        if clip:
            self._clip(actor)
        return self._own(actor, name)

    def add_over(self, mesh, **how) -> None:
        """Show a mesh over all others."""
        actor = self.add(mesh, lighting=False, pickable=False, **how)
        if actor is not None:
            self.view.renderer.RemoveActor(actor)
            self.over.AddActor(actor)

    def _clip(self, actor) -> None:
        from vtkmodules.vtkCommonDataModel import vtkPlane

        for point, keep in self.planes:
            plane = vtkPlane()
            plane.SetOrigin(*(point * scene.MM))
            plane.SetNormal(*keep)
            actor.GetMapper().AddClippingPlane(plane)

    def _own(self, actor, name: str):
        if name:
            self.names[actor.GetAddressAsString("")] = name
        if self._row:
            self._of_row.setdefault(self._row, []).append(actor)
        return actor

    def label(self, place, text: str, name: str = "", at=None) -> None:
        """Words on a dark plate beside a place (m), with a dot on it; or ``at`` another place, with a line to it."""
        self.dot(place, name)
        if at is not None:
            ends = np.array([place, at]) * scene.MM
            self.add(pv.lines_from_points(ends), name, color=look.INK, line_width=1.5, lighting=False, pickable=False)
        self._words(place if at is None else at, text, look.SHEET, look.INK, name)

    def dot(self, place, name: str = "") -> None:
        """A dot at a place (m)."""
        dot = pv.PolyData(np.array([place]) * scene.MM)
        for colour, size in ((look.SHEET, 11), (look.INK, 8)):
            self.add(
                dot.copy(),
                name,
                color=colour,
                point_size=size,
                style="points",
                render_points_as_spheres=True,
                lighting=False,
                pickable=colour == look.INK,
            )

    def tag(self, place, text: str) -> None:
        """Words on a light plate beside a place (m)."""
        self._words(place, text, look.INK, look.SHEET, "")

    def _words(self, place, text: str, colour: str, plate: str, name: str) -> None:
        actor = self.view.add_point_labels(
            np.array([place]) * scene.MM,
            [look.minus(text)],
            font_size=14,
            font_file=str(FONT),
            bold=False,
            text_color=colour,
            shape_color=plate,
            shape="rounded_rect",
            shape_opacity=1.0,
            margin=6,
            show_points=False,
            always_visible=True,
            pickable=False,
            reset_camera=False,
            render=False,
        )
        self._own(actor, name)

    def words(self, places, texts) -> None:
        """Plain words at several places (m), such as a ruler's numbers."""
        actor = self.view.add_point_labels(
            np.array(places) * scene.MM,
            [look.minus(t) for t in texts],
            font_size=12,
            font_file=str(FONT),
            bold=False,
            text_color=look.INK2,
            shape=None,
            margin=0,
            show_points=False,
            always_visible=True,
            justification_horizontal="center",
            justification_vertical="center",
            pickable=False,
            reset_camera=False,
            render=False,
        )
        self._own(actor, "")

    def moving(self, name: str, traced: Traced) -> None:
        """Marks that move along streamlines."""
        marks = Marks(traced)
        self.marks[name] = marks
        self.add(
            marks.mesh,
            color=look.INK,
            point_size=7,
            style="points",
            render_points_as_spheres=True,
            lighting=False,
            pickable=False,
        )

    def kept(self, key: tuple, make: Callable):
        """What ``make`` gives, made once for a key."""
        if key not in self._kept:
            while len(self._kept) >= MOST_KEPT:
                del self._kept[next(iter(self._kept))]
            self._kept[key] = make()
        return self._kept[key]


class Marks:
    """Points that move along traced lines as fast as the fluid, slowed down so that most take some seconds."""

    SECONDS = 6.0

    def __init__(self, traced: Traced):
        self.traced = traced
        spans = [
            (a, b)
            for a, b in zip(traced.starts, traced.starts[1:], strict=False)
            if traced.time[b - 1] > traced.time[a]
        ]
        if len(spans) > MOST_MARKS:
            spans = [spans[m] for m in np.linspace(0, len(spans) - 1, MOST_MARKS).astype(int)]
        self.spans = spans
        lasting = [traced.time[b - 1] - traced.time[a] for a, b in spans]
        #: seconds of the flow in one of the picture
        self.pace = float(np.median(lasting)) / self.SECONDS if lasting else 1.0
        self.phase = np.random.default_rng(3).random(len(spans))
        self.mesh = pv.PolyData(np.zeros((max(len(spans), 1), 3)))
        self.move(0.0)

    def move(self, seconds: float) -> None:
        """Put the marks where they are at a time of the picture (s)."""
        if not self.spans:
            return
        t, out = self.traced, np.empty((len(self.spans), 3))
        for m, (a, b) in enumerate(self.spans):
            first, last = t.time[a], t.time[b - 1]
            round_ = max(last - first, 1e-12)
            now = first + (seconds * self.pace + self.phase[m] * round_) % round_
            for c in range(3):
                out[m, c] = np.interp(now, t.time[a:b], t.points[a:b, c])
        self.mesh.points = out * scene.MM
