"""What each cell of the ledger means: heading, dimension, the stages that show it, the choices it has."""
from __future__ import annotations

from dataclasses import dataclass

from .document import ROW_TYPES

SHAPE, LOAD, GRID, RUN = "Shape", "Load", "Grid", "Run"


@dataclass(frozen=True)
class Cell:
    """One editable cell. ``what`` explains it in a line; ``choices`` names a closed list ("" for free text)."""

    key: str
    title: str
    stage: str
    what: str
    choices: str = ""


_AT3 = Cell("at", "low corner", SHAPE, "x, y, z of the corner nearest the origin")
_SIZE3 = Cell("size", "size", SHAPE, "lengths along x, y, z")
_MATERIAL = Cell("material", "material", SHAPE, "a solid of the library", "materials")
_CELLS = Cell("cells", "cells across", GRID, "least number of cells across its thinnest side; empty: the grid row's")
_POWER = Cell("power", "heat load", LOAD, "heat released in it, for example 3.5 W")
_ON = Cell("on", "in wall of", SHAPE, "the enclosure whose wall it is cut in", "enclosures")
_SIDE = Cell("side", "side", SHAPE, "which wall: x- to z+", "sides")
_AT2 = Cell("at", "low corner", SHAPE, "low corner in the wall's two directions, from the origin")
_SIZE2 = Cell("size", "size", SHAPE, "its two lengths")
_TIN = Cell("temperature", "air coming in", LOAD, "temperature of what enters; empty: ambient")
_CURVE = Cell("curve", "fan curve", LOAD, "a fan of the library, or points: 0 m3/h: 40 Pa; 10 m3/h: 0 Pa", "fans")
_SPEED = Cell("speed", "speed", LOAD, "part of full speed; flow goes with it, pressure with its square")
_UP = Cell("up", "fins point", SHAPE, "direction from base to tips", "sides")
_BASE = Cell("base", "base", SHAPE, "thickness of the base plate")

CELLS: dict[str, tuple[Cell, ...]] = {
    "surroundings": (
        Cell("ambient", "ambient", LOAD, "temperature outside"),
        Cell("pressure", "air pressure", LOAD, "absolute pressure outside"),
        Cell("gravity", "gravity", LOAD, "its x, y, z; 0, 0, 0 m/s2 leaves buoyancy out"),
        Cell("flow", "mixing", RUN, "laminar, or wall-law: eddy viscosity from wall distance and speed", "flows"),
    ),
    "grid": (
        Cell("coarsest", "coarsest", GRID, "no cell is longer than this"),
        Cell("across_gaps", "cells across gaps", GRID, "least number of cells between facing solids"),
        Cell("across_solids", "cells across solids", GRID, "least number of cells across any solid"),
        Cell("growth", "growth", GRID, "how much longer a cell may be than its neighbour"),
    ),
    "run": (
        Cell("iterations", "iterations", RUN, "stop after this many at the latest"),
        Cell("residual", "residual", RUN, "momentum residual to reach"),
        Cell("drift", "drift", RUN, "watched temperatures must stay within this"),
    ),
    "parameter": (Cell("value", "value", SHAPE, "a value for expressions such as = 2*airflow"),),
    "enclosure": (
        _AT3, Cell("size", "outer size", SHAPE, "outer lengths along x, y, z"),
        Cell("wall", "wall", SHAPE, "wall thickness; 0 mm for a mere boundary"), _MATERIAL,
        Cell("fluid", "fluid", LOAD, "what fills it", "fluids"),
        Cell("outside", "outside", LOAD, "adiabatic, or heat transfer coefficient to ambient"),
        Cell("sides", "sides", LOAD, "other conditions by side, for example z-: adiabatic; y+: 60 degC; x-: symmetry"),
    ),
    "block": (_AT3, _SIZE3, _MATERIAL, _POWER, _CELLS),
    "board": (
        _AT3, _SIZE3, _MATERIAL,
        Cell("in_plane", "k in plane", LOAD, "conductivity in its plane; empty: the material's"),
        Cell("through", "k through", LOAD, "conductivity through it; empty: the material's"), _POWER, _CELLS,
    ),
    "component": (_AT3, _SIZE3, _MATERIAL, _POWER,
                  Cell("limit", "limit", LOAD, "highest temperature allowed; empty: none"), _CELLS),
    "plate-fin sink": (
        _AT3, _SIZE3, _BASE, Cell("fins", "fins", SHAPE, "number of fins"),
        Cell("fin", "fin", SHAPE, "fin thickness"), Cell("along", "channels", SHAPE, "direction of the channels", "axes"),
        _UP, _MATERIAL, _CELLS,
    ),
    "pin-fin sink": (
        _AT3, _SIZE3, _BASE, Cell("pins", "pins", SHAPE, "number along the base's two directions"),
        Cell("pin", "pin", SHAPE, "side of the square pins"), _UP, _MATERIAL, _CELLS,
    ),
    "opening": (_ON, _SIDE, _AT2, _SIZE2,
                Cell("flow", "flow", LOAD, "inlet: 0.5 m/s, 12 cfm or 3 g/s; outlet: static pressure; or ambient"), _TIN),
    "vent": (_ON, _SIDE, _AT2, _SIZE2, Cell("free", "free area", LOAD, "open part of the plate's area"),
             Cell("loss", "loss coeff.", LOAD, "on the approach speed; empty: from the free area"), _TIN),
    "wall fan": (_ON, _SIDE, _AT2, _SIZE2, Cell("blows", "blows", LOAD, "in or out", "ways"), _CURVE, _SPEED, _TIN),
    "inside fan": (_AT3, _SIZE2, Cell("blows", "blows", LOAD, "direction, x- to z+", "sides"), _CURVE, _SPEED),
    "limit": (Cell("quantity", "limit on", LOAD, "temperature or pressure drop", "limits"),
              Cell("of", "of", LOAD, "a part, an opening or a fan"),
              Cell("to", "to", LOAD, "the second opening; empty across a fan"),
              Cell("most", "at most", LOAD, "the bound")),
}

#: kind -> heading in the ledger, in the order they stand
GROUPS = {
    "enclosure": "Enclosure", "board": "Boards", "component": "Components", "plate-fin sink": "Sinks",
    "pin-fin sink": "Sinks", "block": "Blocks", "opening": "Openings and fans", "vent": "Openings and fans",
    "wall fan": "Openings and fans", "inside fan": "Openings and fans", "limit": "Limits", "parameter": "Parameters",
    "surroundings": "Settings", "grid": "Settings", "run": "Settings",
}

assert set(CELLS) == set(ROW_TYPES) == set(GROUPS)


def cell(kind: str, key: str) -> Cell:
    """The description of one cell; KeyError when the kind has no such cell."""
    for c in CELLS[kind]:
        if c.key == key:
            return c
    raise KeyError(key)
