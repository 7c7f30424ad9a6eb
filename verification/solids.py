"""Solids made by a script with the geometry kernel, for tests and jobs: written as STEP, so that nothing but the import
is taken on trust.

Lengths in mm, as in the files.
"""

from __future__ import annotations

from pathlib import Path


def box(at, size):
    """A box from its low corner and size."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    return BRepPrimAPI_MakeBox(gp_Pnt(*map(float, at)), *map(float, size)).Shape()


def round_bar(at, along, radius: float, length: float):
    """A round bar from the middle of its first end, ``along`` a direction."""
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    axis = gp_Ax2(gp_Pnt(*map(float, at)), gp_Dir(*map(float, along)))
    return BRepPrimAPI_MakeCylinder(axis, float(radius), float(length)).Shape()


def cut(one, *others):
    """One solid less others."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    for other in others:
        one = BRepAlgoAPI_Cut(one, other).Shape()
    return one


def joined(one, *others):
    """Several solids as one."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse

    for other in others:
        one = BRepAlgoAPI_Fuse(one, other).Shape()
    return one


def bent_path(points, radius: float, bend: float):
    """A round bar along a line of points in space with rounded corners: pieces of cylinder and torus, joined."""
    import numpy as np
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeTorus
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    p, pieces = np.array(points, float), []
    start = p[0]
    for m in range(1, len(p)):
        end = p[m]
        if m + 1 < len(p):
            back, on = (x / np.linalg.norm(x) for x in (p[m - 1] - p[m], p[m + 1] - p[m]))
            half = 0.5 * np.arccos(np.clip(back @ on, -1.0, 1.0))
            reach = bend / np.tan(half)
            end = p[m] + reach * back
            centre = p[m] + bend / np.sin(half) * (back + on) / np.linalg.norm(back + on)
            axis = gp_Ax2(gp_Pnt(*centre), gp_Dir(*np.cross(-back, on)), gp_Dir(*(end - centre)))
            elbow = BRepPrimAPI_MakeTorus(axis, float(bend), float(radius), float(np.pi - 2 * half)).Shape()
        pieces.append(round_bar(start, end - start, radius, np.linalg.norm(end - start)))
        if m + 1 < len(p):
            pieces.append(elbow)
            start = p[m] + reach * on
    return joined(*pieces)


def filleted(shape, radius: float, chosen):
    """A solid with rounded edges: those for whose middle and length ``chosen`` is true."""
    from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps
    from OCP.TopAbs import TopAbs_ShapeEnum
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    rounding, walk, seen = BRepFilletAPI_MakeFillet(shape), TopExp_Explorer(shape, TopAbs_ShapeEnum.TopAbs_EDGE), set()
    while walk.More():
        edge, lengths = TopoDS.Edge(walk.Current()), GProp_GProps()
        BRepGProp.LinearProperties_s(edge, lengths)
        c = lengths.CentreOfMass()
        middle = tuple(round(x, 6) for x in (c.X(), c.Y(), c.Z()))
        if chosen(middle, lengths.Mass()) and middle not in seen:
            seen.add(middle)
            rounding.Add(radius, edge)
        walk.Next()
    return rounding.Shape()


def bent_tube(points, radius: float, bend: float):
    """A round bar along a line of points with rounded corners, all in one plane of x and y."""
    import numpy as np
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeTorus
    from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

    p, whole = np.array(points, float), None
    start = p[0]
    for m in range(1, len(p)):
        end = p[m]
        if m + 1 < len(p):
            back, on = (x / np.linalg.norm(x) for x in (p[m - 1] - p[m], p[m + 1] - p[m]))
            half = 0.5 * np.arccos(back @ on)
            reach = bend / np.tan(half)
            end = p[m] + reach * back
            centre = p[m] + bend / np.sin(half) * (back + on) / np.linalg.norm(back + on)
            turn = np.sign(np.cross(-back, on)[2])
            first, sweep = end - centre, np.pi - 2 * half
            axis = gp_Ax2(gp_Pnt(*centre), gp_Dir(0.0, 0.0, turn), gp_Dir(*first))
            elbow = BRepPrimAPI_MakeTorus(axis, float(bend), float(radius), float(sweep)).Shape()
        straight = round_bar(start, end - start, radius, np.linalg.norm(end - start))
        whole = straight if whole is None else BRepAlgoAPI_Fuse(whole, straight).Shape()
        if m + 1 < len(p):
            whole = BRepAlgoAPI_Fuse(whole, elbow).Shape()
            start = p[m] + reach * on
    return whole


def write_step(path: Path, parts: dict, moves: dict | None = None) -> Path:
    """Write named shapes as one assembly of a STEP file; ``moves`` adds further instances: name -> translations."""
    from OCP.gp import gp_Trsf, gp_Vec
    from OCP.Message import Message, Message_PrinterOStream
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.STEPControl import STEPControl_StepModelType
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDataStd import TDataStd_Name
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopLoc import TopLoc_Location
    from OCP.XCAFApp import XCAFApp_Application
    from OCP.XCAFDoc import XCAFDoc_DocumentTool

    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    document = TDocStd_Document(TCollection_ExtendedString("doc"))
    XCAFApp_Application.GetApplication_s().NewDocument(TCollection_ExtendedString("MDTV-XCAF"), document)
    shapes = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    assembly = shapes.NewShape()
    TDataStd_Name.Set_s(assembly, TCollection_ExtendedString(path.stem))
    for name, shape in parts.items():
        label = shapes.AddShape(shape, False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
        for move in ((0, 0, 0), *(moves or {}).get(name, ())):
            there = gp_Trsf()
            there.SetTranslation(gp_Vec(*map(float, move)))
            shapes.AddComponent(assembly, label, TopLoc_Location(there))
    shapes.UpdateAssemblies()
    writer = STEPCAFControl_Writer()
    writer.SetNameMode(True)
    writer.Transfer(document, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(path))
    return _own_head(path)


def _own_head(path: Path) -> Path:
    """The file with a head that is the same whenever it is written."""
    head = f"""HEADER;
FILE_DESCRIPTION(('Solids made by a script'),'2;1');
FILE_NAME('{path.stem}','2026-01-01T00:00:00',('Tolva Head'),('Tolva Head'),'','','');
FILE_SCHEMA(('AUTOMOTIVE_DESIGN {{ 1 0 10303 214 1 1 1 1 }}'));
ENDSEC;"""
    text = path.read_text()
    start, end = text.index("HEADER;"), text.index("ENDSEC;") + len("ENDSEC;")
    path.write_text(text[:start] + head + text[end:])
    return path


def write_stl(path: Path, shape, angle: float = 0.3) -> Path:
    """Write a solid as triangles that know of no faces, its arcs in steps of ``angle`` (radians)."""
    from OCP.BRepMesh import BRepMesh_IncrementalMesh
    from OCP.StlAPI import StlAPI_Writer

    BRepMesh_IncrementalMesh(shape, 1.0, False, angle, False)
    StlAPI_Writer().Write(shape, str(path))
    return path
