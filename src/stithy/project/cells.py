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
_FILL = Cell("material", "material", SHAPE, "a solid of the library, or fluid: then it is a passage through solids", "fills")
_CELLS = Cell("cells", "cells across", GRID, "least number of cells across its thinnest side; empty: the grid row's")
_POWER = Cell("power", "heat load", LOAD, "heat released in it, for example 3.5 W")
_ON = Cell("on", "in wall of", SHAPE, "the enclosure whose wall it is cut in", "enclosures")
_SIDE = Cell("side", "side", SHAPE, "which wall: x- to z+", "sides")
_AT2 = Cell("at", "low corner", SHAPE, "low corner in the wall's two directions, from the origin")
_SIZE2 = Cell("size", "size", SHAPE, "its two lengths")
_TIN = Cell("temperature", "air coming in", LOAD, "temperature of what enters; empty: ambient")
_CURVE = Cell("curve", "fan curve", LOAD, "a fan of the library, or points: 0 m3/h: 40 Pa; 10 m3/h: 0 Pa", "fans")
_SPEED = Cell("speed", "speed", LOAD, "part of full speed; flow goes with it, pressure with its square")
_PROFILE = Cell("profile", "in time", LOAD, "share of the load in time: 0 s: 100 %; 60 s: 20 %, or on 30 s, off 60 s; empty: always")
_HUB = Cell("hub", "hub", LOAD, "diameter of the blocked middle; empty: none")
_ROUND = (Cell("at", "end centre", SHAPE, "x, y, z of the middle of its end nearest the origin"),
          Cell("along", "along", SHAPE, "direction of its axis", "axes"), Cell("length", "length", SHAPE, "length along its axis"),
          Cell("diameter", "diameter", SHAPE, "outer diameter"))
_STARTS = Cell("starts", "starts at", LOAD, "temperature at the start of a run in time; empty: ambient")
_INFLOW = Cell("turbulence", "turbulence", LOAD, "of what comes in, back through an outlet too: 5 %, or 5 %, 4 mm (eddy length);"
               " empty: 5 %")
_UP = Cell("up", "fins point", SHAPE, "direction from base to tips", "sides")
_BASE = Cell("base", "base", SHAPE, "thickness of the base plate")

CELLS: dict[str, tuple[Cell, ...]] = {
    "surroundings": (
        Cell("ambient", "ambient", LOAD, "temperature outside"),
        Cell("pressure", "air pressure", LOAD, "absolute pressure outside"),
        Cell("gravity", "gravity", LOAD, "its x, y, z; 0, 0, 0 m/s2 leaves buoyancy out"),
        Cell("flow", "mixing", RUN, "laminar, wall-law (wall distance and speed), k-epsilon or k-omega", "flows"),
        Cell("properties", "properties", LOAD, "constant, or varying with temperature (density too)", "properties"),
    ),
    "grid": (
        Cell("detail", "detail", GRID, "quick, standard or fine: about three times the cells from one to the next", "details"),
        Cell("coarsest", "coarsest", GRID, "no cell is longer than this; empty: by detail"),
        Cell("across_gaps", "cells across gaps", GRID, "number of cells between facing solids; empty: by detail"),
        Cell("across_solids", "cells across solids", GRID, "least number of cells across any solid; empty: by detail, more through"
             " boards and along parts that release heat"),
        Cell("growth", "growth", GRID, "how much longer a cell may be than its neighbour; empty: by detail"),
        Cell("at_walls", "at walls", GRID, "cell size at every solid face and enclosure side, 0 mm for no wish; empty: by detail"),
    ),
    "run": (
        Cell("iterations", "iterations", RUN, "stop after this many at the latest"),
        Cell("residual", "residual", RUN, "momentum residual to reach"),
        Cell("drift", "drift", RUN, "watched temperatures must stay within this"),
        Cell("time", "time", RUN, "steady, or how long to follow in time: 600 s"),
        Cell("step", "time step", RUN, "a time, Courant 2, or auto"),
        Cell("hold_flow", "hold flow", RUN, "solve the flow anew only this often; empty: every step"),
        Cell("save_every", "save every", RUN, "instants whose fields are kept; empty: the last one"),
        Cell("start", "start from", RUN, "a layout whose result is the start, on whatever grid; potential flow; empty: rest"),
        Cell("relaxation", "relaxation", RUN, "of convection, 0.3 to 0.97; the result does not depend on it; empty: 0.9"),
    ),
    "parameter": (Cell("value", "value", SHAPE, "a value for expressions such as = 2*airflow"),),
    "fluid": (Cell("density", "density", LOAD, "mass by volume"), Cell("viscosity", "viscosity", LOAD, "dynamic viscosity"),
              Cell("heat_capacity", "heat capacity", LOAD, "specific, at constant pressure"),
              Cell("conductivity", "conductivity", LOAD, "thermal conductivity"),
              Cell("expansion", "expansion", LOAD, "thermal expansion coefficient; 0 1/K leaves buoyancy out")),
    "material": (Cell("conductivity", "conductivity", LOAD, "one value, three along x, y, z, or by temperature: 20 degC: 200 W/m/K;"
                      " 99 degC: 180 W/m/K"),
                 Cell("density", "density", LOAD, "mass by volume"), Cell("heat_capacity", "heat capacity", LOAD, "specific")),
    "fluid region": (Cell("at", "point", SHAPE, "any point of the fluid space"),
                     Cell("fluid", "fluid", LOAD, "what fills it", "fluids"), _STARTS),
    "cylinder": (*_ROUND, Cell("bore", "bore", SHAPE, "diameter of its passage; 0 mm: solid"), _FILL, _POWER, _PROFILE, _STARTS, _CELLS),
    "bore": (*_ROUND, _CELLS),
    "outline": (Cell("at", "from", SHAPE, "where it begins along its axis"),
                Cell("along", "along", SHAPE, "axis it is drawn out along", "axes"),
                Cell("length", "length", SHAPE, "length along its axis"),
                Cell("points", "corners", SHAPE, "in the other two directions, in order: 0, 0; 20, 0; 0, 20 mm"),
                _FILL, _POWER, _PROFILE, _STARTS, _CELLS),
    "tube": (Cell("points", "centre line", SHAPE, "points of its centre line: 0, 0, 0; 40, 0, 0; 40, 30, 0 mm"),
             Cell("bend", "bend radius", SHAPE, "radius of the centre line at its corners"),
             Cell("diameter", "diameter", SHAPE, "outer diameter"), Cell("bore", "bore", SHAPE, "inner diameter; 0 mm: solid"),
             _FILL, _POWER, _PROFILE, _STARTS, _CELLS),
    "triangulated": (Cell("points", "corners", SHAPE, "0, 0, 0; 20, 0, 0; 0, 20, 0; 0, 0, 20 mm"),
                     Cell("triangles", "triangles", SHAPE, "their corners by number, counterclockwise seen from outside: 1, 3, 2; 1, 2, 4"),
                     _FILL, _POWER, _PROFILE, _STARTS, _CELLS),
    "screen": (_AT3, _SIZE2, Cell("across", "across", SHAPE, "direction of the flow it stands across", "axes"),
               Cell("free", "free area", LOAD, "open part of its area"),
               Cell("loss", "loss coeff.", LOAD, "on the approach speed; empty: from the free area")),
    "wall patch": (_ON, _SIDE, _AT2, _SIZE2,
                   Cell("condition", "condition", LOAD, "adiabatic, 60 degC, 500 W/m2, 8 W/m2/K, or 8 W/m2/K to 40 degC")),
    "contact": (Cell("of", "of", LOAD, "a solid"), Cell("to", "to", LOAD, "the solid it touches; empty: all it touches"),
                Cell("resistance", "resistance", LOAD, "2e-5 m2 K/W, or a layer such as 0.1 mm, 1.5 W/m/K")),
    "drive": (Cell("along", "along", LOAD, "direction of the mean flow", "sides"),
              Cell("flow", "flow", LOAD, "mean speed 0.5 m/s, volume or mass flow, or pressure gradient 12 Pa/m"),
              Cell("temperature", "bulk in", LOAD, "bulk temperature of what enters the pitch, where all walls have one temperature;"
                   " empty: ambient")),
    "enclosure": (
        _AT3, Cell("size", "outer size", SHAPE, "outer lengths along x, y, z"),
        Cell("wall", "wall", SHAPE, "wall thickness; 0 mm for a mere boundary"), _MATERIAL,
        Cell("fluid", "fluid", LOAD, "what fills it", "fluids"),
        Cell("outside", "outside", LOAD, "adiabatic, or heat transfer coefficient to ambient"),
        Cell("sides", "sides", LOAD, "by side, z-: adiabatic; y+: 60 degC; x-: symmetry (also periodic, 500 W/m2, sliding 1, 0, 0 m/s)"),
        _STARTS,
    ),
    "block": (_AT3, _SIZE3, _FILL, _POWER, _PROFILE, _STARTS, _CELLS),
    "board": (
        _AT3, _SIZE3, _MATERIAL,
        Cell("in_plane", "k in plane", LOAD, "conductivity in its plane; empty: the material's"),
        Cell("through", "k through", LOAD, "conductivity through it; empty: the material's"), _POWER, _PROFILE, _STARTS, _CELLS,
    ),
    "component": (_AT3, _SIZE3, _MATERIAL, _POWER, _PROFILE,
                  Cell("limit", "limit", LOAD, "highest temperature allowed; empty: none"),
                  Cell("junction_to_case", "junction to case", LOAD, "resistance in K/W; both given: a two-resistor component"),
                  Cell("junction_to_board", "junction to board", LOAD, "resistance in K/W; both given: a two-resistor component"),
                  Cell("case_side", "case side", LOAD, "which side is its case; the board is opposite", "sides"), _STARTS, _CELLS),
    "plate-fin sink": (
        _AT3, _SIZE3, _BASE, Cell("fins", "fins", SHAPE, "number of fins"),
        Cell("fin", "fin", SHAPE, "fin thickness"), Cell("along", "channels", SHAPE, "direction of the channels", "axes"),
        _UP, _MATERIAL, _STARTS, _CELLS,
    ),
    "pin-fin sink": (
        _AT3, _SIZE3, _BASE, Cell("pins", "pins", SHAPE, "number along the base's two directions"),
        Cell("pin", "pin", SHAPE, "side of the square pins"), _UP, _MATERIAL, _STARTS, _CELLS,
    ),
    "opening": (_ON, _SIDE, _AT2, _SIZE2,
                Cell("flow", "flow", LOAD, "inlet: 0.5 m/s, 12 cfm or 3 g/s; outlet: 0 Pa; total 5 Pa; or ambient"), _TIN,
                Cell("profile", "profile", LOAD, "of a given flow: uniform or developed", "profiles"),
                _INFLOW,
                Cell("serves", "opens to", LOAD, "where it reaches several fluids: a fluid's or a fluid region's name; empty: what is"
                     " behind its middle")),
    "vent": (_ON, _SIDE, _AT2, _SIZE2, Cell("free", "free area", LOAD, "open part of the plate's area"),
             Cell("loss", "loss coeff.", LOAD, "on the approach speed; empty: from the free area"), _TIN, _INFLOW),
    "wall fan": (_ON, _SIDE, _AT2, _SIZE2, Cell("blows", "blows", LOAD, "in or out", "ways"), _CURVE, _SPEED, _HUB, _TIN, _INFLOW),
    "inside fan": (_AT3, _SIZE2, Cell("blows", "blows", LOAD, "direction, x- to z+", "sides"), _CURVE, _SPEED, _HUB,
                   Cell("swirl", "swirl", LOAD, "tangential speed at the rim over axial speed; empty: none")),
    "pump": (_AT3, _SIZE2, Cell("blows", "pumps", LOAD, "direction, x- to z+", "sides"),
             Cell("curve", "pump curve", LOAD, "points: 0 l/min: 12 kPa; 4 l/min: 0 kPa"), _SPEED),
    "limit": (Cell("quantity", "limit on", LOAD, "temperature or pressure drop", "limits"),
              Cell("of", "of", LOAD, "a part, an opening or a fan"),
              Cell("to", "to", LOAD, "the second opening; empty across a fan"),
              Cell("most", "at most", LOAD, "the bound")),
}

#: kind -> heading in the ledger, in the order they stand
GROUPS = {
    "enclosure": "Enclosure", "fluid region": "Enclosure", "board": "Boards", "component": "Components", "plate-fin sink": "Sinks",
    "pin-fin sink": "Sinks", "block": "Blocks", "cylinder": "Blocks", "outline": "Blocks",
    "tube": "Blocks", "triangulated": "Blocks", "bore": "Blocks", "contact": "Contacts",
    "opening": "Openings and fans", "vent": "Openings and fans", "wall fan": "Openings and fans", "inside fan": "Openings and fans",
    "pump": "Openings and fans",
    "screen": "Openings and fans", "drive": "Openings and fans", "wall patch": "Wall patches", "limit": "Limits",
    "fluid": "Materials", "material": "Materials", "parameter": "Parameters", "surroundings": "Settings", "grid": "Settings",
    "run": "Settings",
}

assert set(CELLS) == set(ROW_TYPES) == set(GROUPS)


def cell(kind: str, key: str) -> Cell:
    """The description of one cell; KeyError when the kind has no such cell."""
    for c in CELLS[kind]:
        if c.key == key:
            return c
    raise KeyError(key)
