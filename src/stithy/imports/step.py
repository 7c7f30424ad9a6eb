"""STEP files to bodies: assemblies, names, colours, instances; every triangle knows its face. Runs in the importer's
process only."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from ..errors import FileProblem
from ..project.assets import Body
from .names import unlike
from .weld import weld

#: of a body's size: how far triangles may lie off a curved face; and radians from one to the next
CHORD, ANGLE = 1e-3, 0.12


def read_step(path: Path, tell: Callable[[str, float], None]) -> list[Body]:
    """All solids of a STEP file, in m. Raises FileProblem."""
    # heavy: only the importer's process loads the kernel
    from OCP.IFSelect import IFSelect_ReturnStatus
    from OCP.Message import Message, Message_PrinterOStream
    from OCP.STEPCAFControl import STEPCAFControl_Reader
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFApp import XCAFApp_Application

    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    tell("Reading the file", 0.05)
    reader = STEPCAFControl_Reader()
    reader.SetNameMode(True)
    reader.SetColorMode(True)
    if reader.ReadFile(str(path)) != IFSelect_ReturnStatus.IFSelect_RetDone:
        raise FileProblem(f"{path}: is no STEP file that can be read. Export it again, as AP203, AP214 or AP242.")
    document = TDocStd_Document(TCollection_ExtendedString("doc"))
    XCAFApp_Application.GetApplication_s().NewDocument(TCollection_ExtendedString("MDTV-XCAF"), document)
    tell("Taking over its solids", 0.15)
    if not reader.Transfer(document):
        raise FileProblem(f"{path}: its solids cannot be taken over. Export it again from the program it comes from.")
    found = _Walk(document).solids()
    if not found:
        raise FileProblem(f"{path}: holds no solid. Export solids, not curves or points.")
    out, taken = [], set()
    for m, (name, at, tone, shape) in enumerate(found):
        tell(f"Solid {m + 1} of {len(found)}", 0.2 + 0.8 * m / len(found))
        mesh = _triangles(shape)
        if mesh is not None:
            out.append(Body(unlike(name, taken), at, tone, *mesh))
    if not out:
        raise FileProblem(f"{path}: none of its {len(found)} solids has a surface. Export it again.")
    return out


class _Walk:
    """Walks the assemblies of a document."""

    def __init__(self, document):
        from OCP.XCAFDoc import XCAFDoc_DocumentTool

        self.shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
        self.colours = XCAFDoc_DocumentTool.ColorTool_s(document.Main())

    def solids(self) -> list[tuple]:
        """(name, path, tone, shape) of every solid, each where it stands."""
        from OCP.collections import Sequence_TDF_Label
        from OCP.TopLoc import TopLoc_Location

        free = Sequence_TDF_Label()
        self.shapes.GetFreeShapes(free)
        out: list[tuple] = []
        for m in range(1, free.Length() + 1):
            self._down(free.Value(m), (), "", TopLoc_Location(), "", out)
        return out

    def _down(self, label, path, name, location, tone, out) -> None:
        from OCP.collections import Sequence_TDF_Label
        from OCP.TDF import TDF_Label

        own = _name(label) or name
        tone = self._tone(label) or tone
        if self.shapes.IsReference_s(label):
            referred = TDF_Label()
            self.shapes.GetReferredShape_s(label, referred)
            location = location * self.shapes.GetLocation_s(label)
            self._down(referred, path, _name(referred) or own, location, tone, out)
        elif self.shapes.IsAssembly_s(label):
            parts = Sequence_TDF_Label()
            self.shapes.GetComponents_s(label, parts)
            for m in range(1, parts.Length() + 1):
                self._down(parts.Value(m), (*path, own or "Assembly"), "", location, tone, out)
        else:
            shape = self.shapes.GetShape_s(label).Moved(location)
            solids = _solids(shape)
            out += [(own or "Solid", path, tone, s) for s in solids]

    def _tone(self, label) -> str:
        from OCP.Quantity import Quantity_Color
        from OCP.XCAFDoc import XCAFDoc_ColorTool, XCAFDoc_ColorType

        colour = Quantity_Color()
        for kind in (XCAFDoc_ColorType.XCAFDoc_ColorSurf, XCAFDoc_ColorType.XCAFDoc_ColorGen):
            if XCAFDoc_ColorTool.GetColor_s(label, kind, colour):
                return "#" + "".join(
                    f"{round(255 * min(max(x, 0), 1) ** (1 / 2.2)):02x}"
                    for x in (colour.Red(), colour.Green(), colour.Blue())
                )
        return ""


def _name(label) -> str:
    from OCP.TDataStd import TDataStd_Name

    name = TDataStd_Name()
    return name.Get().ToExtString().strip() if label.FindAttribute(TDataStd_Name.GetID_s(), name) else ""


def _solids(shape) -> list:
    """The solids of a shape, or its open shells where it has no solid."""
    from OCP.TopAbs import TopAbs_ShapeEnum as Kind
    from OCP.TopExp import TopExp_Explorer

    for kind in (Kind.TopAbs_SOLID, Kind.TopAbs_SHELL):
        out, walk = [], TopExp_Explorer(shape, kind)
        while walk.More():
            out.append(walk.Current())
            walk.Next()
        if out:
            return out
    return []


def _triangles(shape) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
    """Corners (m), triangles and their faces of a solid, welded; None where it has none."""
    from OCP.Bnd import Bnd_Box
    from OCP.BRep import BRep_Tool
    from OCP.BRepBndLib import BRepBndLib
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.TopAbs import TopAbs_Orientation, TopAbs_ShapeEnum
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopLoc import TopLoc_Location
    from OCP.TopoDS import TopoDS

    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box)
    size = box.SquareExtent() ** 0.5
    BRepMesh_IncrementalMesh(shape, max(CHORD * size, 1e-4), False, ANGLE, False)
    points, triangles, faces, first, number = [], [], [], 0, 0
    walk = TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    while walk.More():
        face, location = TopoDS.Face(walk.Current()), TopLoc_Location()
        mesh = BRep_Tool.Triangulation_s(face, location)
        if mesh is not None:
            move = location.Transformation()
            count = mesh.NbNodes()
            for m in range(1, count + 1):
                p = mesh.Node(m).Transformed(move)
                points.append((p.X(), p.Y(), p.Z()))
            turned = face.Orientation() == TopAbs_Orientation.TopAbs_REVERSED
            for m in range(1, mesh.NbTriangles() + 1):
                a, b, c = mesh.Triangle(m).Get()
                triangles.append((a, c, b) if turned else (a, b, c))
                faces.append(number)
            triangles[-mesh.NbTriangles() :] = [
                tuple(x - 1 + first for x in t) for t in triangles[-mesh.NbTriangles() :]
            ]
            first += count
        number += 1
        walk.Next()
    if not triangles:
        return None
    return weld(np.array(points) * 1e-3, np.array(triangles), np.array(faces))
