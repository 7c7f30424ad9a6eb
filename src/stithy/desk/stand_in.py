"""A lighter picture while a heavy scene is turned: its surfaces with their vertices drawn together, in the same
colours."""

from __future__ import annotations

import numpy as np
import pyvista as pv
from PyQt6.QtCore import QTimer
from scipy.spatial import cKDTree

#: triangles from which on a scene is heavy; boxes across it whose vertices are one, until half as many are left
HEAVY, BOXES = 60_000, (90, 64, 45)
#: so many surfaces of their own make a scene heavy, too
MANY = 60
#: lines that stay while a heavy scene is turned, in all and of one outline
FEW_LINES, OUTLINE = 20_000, 40


class StandIn:
    """Takes the place of a view's heavy surfaces from the press of the mouse to its release."""

    def __init__(self, view):
        self.view = view
        self.made: list[pv.DataSet] = []
        self._lit: list[bool] = []
        self._hidden: list = []
        self._shown: list = []
        self._of: tuple = ()
        #: makes it when all has come to rest, and draws the scene itself again
        self.later = QTimer(view, singleShot=True, interval=700)
        self.later.timeout.connect(self.prepare)
        self.back = QTimer(view, singleShot=True, interval=150)
        self.back.timeout.connect(lambda: self.view.ren_win.Render())
        style = view.iren.interactor.GetInteractorStyle()
        style.AddObserver("StartInteractionEvent", lambda *_: self.begin(), 1.0)
        style.AddObserver("EndInteractionEvent", lambda *_: self.end(), -1.0)

    def _surfaces(self) -> list:
        """Actors that are seen and hold triangles, none see-through; and lines, where there are many."""
        out, lines, count = [], [], 0
        found = self.view.renderer.GetActors()
        found.InitTraversal()
        for _ in range(found.GetNumberOfItems()):
            actor = found.GetNextActor()
            mesh = actor.GetMapper().GetInput() if actor.GetMapper() is not None else None
            if not actor.GetVisibility() or mesh is None or not hasattr(mesh, "GetPolys"):
                continue
            if mesh.GetNumberOfPolys() and actor.GetProperty().GetOpacity() >= 1.0:
                out.append(actor)
            elif mesh.GetNumberOfLines() > OUTLINE:
                lines.append(actor)
                count += mesh.GetNumberOfLines()
        return out + (lines if count > FEW_LINES else [])

    def _state(self) -> tuple:
        return tuple(
            (
                x.GetAddressAsString(""),
                *(y.GetMTime() for y in (x.GetMapper().GetInput(), x.GetMapper(), x.GetProperty())),
            )
            for x in self._surfaces()
        )

    def prepare(self) -> None:
        """Make it, where the scene is heavy and has changed."""
        if self._hidden:
            return
        actors = self._surfaces()
        if len(actors) < MANY and sum(x.GetMapper().GetInput().GetNumberOfPolys() for x in actors) < HEAVY:
            self.made, self._of = [], ()
            return
        if self._state() == self._of:
            return
        by_cell, by_point, lit = [], [], True
        for actor in actors:
            mesh = pv.wrap(actor.GetMapper().GetInput())
            if not mesh.n_cells or not mesh.GetNumberOfPolys():
                continue
            colours, of_points = _colours(actor, mesh)
            plain = pv.PolyData(mesh.points, mesh.faces)
            if of_points:
                plain.point_data["rgb"] = colours
                by_point.append(_cut(actor, plain))
                lit = lit and actor.GetProperty().GetLighting()
            elif len(colours) == plain.n_cells:
                plain.cell_data["rgb"] = colours
                by_cell.append(_cut(actor, plain))
        self.made, self._lit = [], []
        for meshes, of_points, shaded in ((by_cell, False, True), (by_point, True, bool(lit))):
            if meshes:
                self.made.append(_together(meshes, of_points))
                self._lit.append(shaded)
        self._of = self._state()  # looking at meshes has touched them

    def begin(self, but: list | None = None) -> None:
        """Show it in place of what it stands for, where it is made and still true; ``but``: what is shown as it is."""
        self.back.stop()
        if self._hidden or not self.made or self._of != self._state():
            return
        self._hidden = self._surfaces()
        for actor in self._hidden:
            actor.SetVisibility(actor in (but or ()))
        for mesh, lit in zip(self.made, self._lit, strict=True):
            how = {"scalars": "rgb", "rgb": True, "lighting": lit}
            shown = self.view.add_mesh(mesh, render=False, reset_camera=False, pickable=False, **how)
            shown.GetProperty().DeepCopy(self._hidden[0].GetProperty())
            shown.GetProperty().SetLighting(lit)
            self._shown.append(shown)

    def end(self) -> None:
        """Show the scene itself again."""
        if not self._hidden:
            return
        for actor in self._hidden:
            actor.SetVisibility(True)
        for actor in self._shown:
            self.view.renderer.remove_actor(actor, render=False)
        self._hidden, self._shown = [], []
        self.back.start()

    def shut(self) -> None:
        """Do nothing more."""
        self.later.stop()
        self.back.stop()


def _colours(actor, mesh) -> tuple[np.ndarray, bool]:
    """RGB bytes of a mesh, by its points (True) or its faces."""
    mapper = actor.GetMapper()
    mapped = mapper.MapScalars(1.0) if mapper.GetScalarVisibility() else None
    if mapped is not None and mapped.GetNumberOfTuples() in (mesh.n_points, mesh.n_cells):
        found = np.asarray(pv.convert_array(mapped))[:, :3].copy()
        return found, len(found) == mesh.n_points
    own = np.round(255 * np.array(actor.GetProperty().GetColor())).astype(np.uint8)
    return np.tile(own, (mesh.GetNumberOfPolys(), 1)), False


def _cut(actor, mesh: pv.PolyData) -> pv.PolyData:
    """A mesh without what an actor's planes cut away."""
    from vtkmodules.vtkFiltersCore import vtkClipPolyData

    planes = actor.GetMapper().GetClippingPlanes()
    for m in range(planes.GetNumberOfItems() if planes is not None else 0):
        cut = vtkClipPolyData()
        cut.SetInputData(mesh)
        cut.SetClipFunction(planes.GetItem(m))
        cut.Update()
        mesh = pv.wrap(cut.GetOutput())
    return mesh


def _together(meshes: list, of_points: bool) -> pv.PolyData:
    """Meshes as one, with few triangles."""
    from vtkmodules.vtkFiltersCore import vtkAppendPolyData, vtkQuadricClustering

    every = vtkAppendPolyData()
    for mesh in meshes:
        every.AddInputData(mesh)
    every.Update()
    whole = pv.wrap(every.GetOutput())
    out = whole
    for boxes in BOXES:
        if out.n_cells <= HEAVY // 2:
            break
        fewer = vtkQuadricClustering()
        fewer.SetInputData(whole)
        fewer.AutoAdjustNumberOfDivisionsOff()
        fewer.SetNumberOfDivisions(boxes, boxes, boxes)
        fewer.SetUseInputPoints(of_points)
        fewer.SetCopyCellData(not of_points)
        fewer.Update()
        out = pv.wrap(fewer.GetOutput())
    if out is whole:
        return whole
    if of_points:
        near = cKDTree(whole.points).query(out.points)[1]
        out.point_data["rgb"] = np.asarray(whole.point_data["rgb"])[near]
    return out
