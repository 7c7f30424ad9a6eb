"""Cells that several kinds of rows share."""

from __future__ import annotations

from typing import Annotated

from ..project.kind import GRID, LOAD, SHAPE, Cell, Text

SIDES = ("x-", "x+", "y-", "y+", "z-", "z+")
AXES = ("x", "y", "z")

Corner = Annotated[Text, Cell("low corner", SHAPE, "x, y, z of the corner nearest the origin", columns=("place",))]
Size = Annotated[Text, Cell("size", SHAPE, "lengths along x, y, z", columns=("size",))]
Material = Annotated[
    Text,
    Cell("material", SHAPE, "a solid of the library", refers=("material",), library="materials", columns=("material",)),
]
Fill = Annotated[
    Text,
    Cell(
        "material",
        SHAPE,
        "a solid of the library, or fluid: then it is a passage through solids",
        ("fluid",),
        ("material",),
        "materials",
        ("material",),
    ),
]
Fluid = Annotated[Text, Cell("fluid", LOAD, "what fills it", refers=("fluid",), library="fluids")]
CellsAcross = Annotated[
    Text,
    Cell(
        "cells across",
        GRID,
        "least number of cells across its thinnest side; empty: the grid row's",
        columns=("cells",),
    ),
]
Power = Annotated[Text, Cell("heat load", LOAD, "heat released in it, for example 3.5 W", columns=("load",))]
Profile = Annotated[
    Text,
    Cell("in time", LOAD, "share of the load in time: 0 s: 100 %; 60 s: 20 %, or on 30 s, off 60 s; empty: always"),
]
Starts = Annotated[Text, Cell("starts at", LOAD, "temperature at the start of a run in time; empty: ambient")]
Level = Annotated[
    Text,
    Cell(
        "level",
        LOAD,
        "of a bath: how high its liquid stands above the floor inside, with its vapour above it and an opening there; "
        "it boils once it is hot enough; empty: one fluid fills all",
    ),
]
Order = Annotated[
    Text,
    Cell("order", SHAPE, "where solids overlap the one of higher order is there; empty: 0, of equals the smaller one"),
]
InWallOf = Annotated[
    Text,
    Cell("in wall of", SHAPE, "the enclosure whose wall it is cut in", refers=("enclosure",), columns=("material",)),
]
OnWallOrPlate = Annotated[
    Text,
    Cell(
        "in wall of",
        SHAPE,
        "the enclosure whose wall it is cut in, or the blanking plate that it lies on: its side, corner and "
        "size are then the plate's",
        refers=("enclosure", "blanking plate"),
        columns=("material",),
    ),
]
Side = Annotated[Text, Cell("side", SHAPE, "which wall: x- to z+", SIDES)]
WallCorner = Annotated[
    Text, Cell("low corner", SHAPE, "low corner in the wall's two directions, from the origin", columns=("place",))
]
WallSize = Annotated[Text, Cell("size", SHAPE, "its two lengths", columns=("size",))]
Entering = Annotated[
    Text, Cell("air coming in", LOAD, "temperature of what enters; empty: ambient", columns=("limit",))
]
Inflow = Annotated[
    Text,
    Cell(
        "turbulence", LOAD, "of what comes in, back through an outlet too: 5 %, or 5 %, 4 mm (eddy length); empty: 5 %"
    ),
]
Curve = Annotated[
    Text,
    Cell(
        "fan curve",
        LOAD,
        "a fan of the library, or points: 0 m3/h: 40 Pa; 10 m3/h: 0 Pa",
        library="fans",
        columns=("flow",),
    ),
]
Speed = Annotated[Text, Cell("speed", LOAD, "part of full speed; flow goes with it, pressure with its square")]
Hub = Annotated[Text, Cell("hub", LOAD, "diameter of the blocked middle; empty: none")]
EndCentre = Annotated[
    Text, Cell("end centre", SHAPE, "x, y, z of the middle of its end nearest the origin", columns=("place",))
]
AxisAlong = Annotated[Text, Cell("along", SHAPE, "direction of its axis", AXES)]
Length = Annotated[Text, Cell("length", SHAPE, "length along its axis")]
Diameter = Annotated[Text, Cell("diameter", SHAPE, "outer diameter", columns=("size",))]
FinsPoint = Annotated[Text, Cell("fins point", SHAPE, "direction from base to tips", SIDES)]
Base = Annotated[Text, Cell("base", SHAPE, "thickness of the base plate")]
Roughness = Annotated[
    Text, Cell("roughness", SHAPE, "of its surface as grains of sand, such as 0.05 mm; empty: smooth")
]
Moves = Annotated[
    Text,
    Cell(
        "surface moves", LOAD, "as a belt along its faces: 0.5, 0, 0 m/s; its shape stays where it is; empty: it stands"
    ),
]
SurfaceFinish = Annotated[
    Text,
    Cell(
        "finish",
        LOAD,
        "how its surface radiates: a finish of the library or of the project's own, or an emissivity such as 0.85; "
        "empty: as its material comes",
        refers=("finish",),
        library="finishes",
    ),
]
FreeArea = Annotated[Text, Cell("free area", LOAD, "open part of its area", columns=("flow",))]
Loss = Annotated[
    Text,
    Cell(
        "loss coeff.",
        LOAD,
        "on the approach speed, or a plate or filter of the library; empty: from the free area",
        library="screens",
    ),
]
