"""The kinds of rows of the ledger, all frozen; every cell is the text the user wrote."""
from __future__ import annotations

import unicodedata
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field


def _text(value):
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        raise ValueError("must be a text or a number")
    text = value if isinstance(value, str) else f"{value}"
    return _printable(" ".join(text.splitlines()) if "\n" in text else text.replace("\t", " "))


def _printable(text):
    """Text that can be stored and shown: no control characters, no halves of characters."""
    if isinstance(text, str) and any(unicodedata.category(c) in ("Cc", "Cs") for c in text):
        raise ValueError("holds a character that cannot be shown")
    return text


Text = Annotated[str, BeforeValidator(_text)]
Name = Annotated[str, BeforeValidator(_printable), Field(min_length=1, max_length=60, pattern=r"^\S(.*\S)?$")]


class Row(BaseModel):
    """What every row has: a kind and a name unlike all others."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: Name


class Surroundings(Row):
    """Ambient state, gravity and how mixing by turbulence is modelled."""

    kind: Literal["surroundings"] = "surroundings"
    ambient: Text = "25 degC"
    pressure: Text = "101325 Pa"
    gravity: Text = "0, 0, -9.81 m/s2"
    flow: Text = "wall-law"
    properties: Text = "constant"


class GridRow(Row):
    """How fine the grid is."""

    kind: Literal["grid"] = "grid"
    detail: Text = "standard"
    coarsest: Text = ""
    across_gaps: Text = ""
    across_solids: Text = ""
    growth: Text = ""
    at_walls: Text = ""


class RunRow(Row):
    """When a run has settled."""

    kind: Literal["run"] = "run"
    iterations: Text = "500"
    residual: Text = "0.0001"
    drift: Text = "0.2 K"
    time: Text = "steady"
    step: Text = "auto"
    hold_flow: Text = ""
    save_every: Text = ""
    start: Text = ""
    relaxation: Text = ""


class Parameter(Row):
    """A named value for use in expressions."""

    kind: Literal["parameter"] = "parameter"
    value: Text = "1"


class FluidRow(Row):
    """A fluid of the project's own, with constant properties; its name can be chosen wherever a fluid is asked for."""

    kind: Literal["fluid"] = "fluid"
    density: Text = "1.2 kg/m3"
    viscosity: Text = "1.8e-5 Pa s"
    heat_capacity: Text = "1006 J/kg/K"
    conductivity: Text = "0.026 W/m/K"
    expansion: Text = "0 1/K"


class MaterialRow(Row):
    """A solid of the project's own; conductivity is one value, or three along x, y, z."""

    kind: Literal["material"] = "material"
    conductivity: Text = "200 W/m/K"
    density: Text = "2700 kg/m3"
    heat_capacity: Text = "900 J/kg/K"


class Enclosure(Row):
    """A hollow box: outer size, wall thickness (0 for walls that are only a boundary), the fluid inside."""

    kind: Literal["enclosure"] = "enclosure"
    at: Text = "0, 0, 0 mm"
    size: Text = "200, 140, 60 mm"
    wall: Text = "2 mm"
    material: Text = "aluminium"
    fluid: Text = "air"
    outside: Text = "8 W/m2/K"
    sides: Text = ""
    starts: Text = ""


class FluidRegion(Row):
    """Which fluid fills the fluid space that holds a point, where it is not the enclosure's own."""

    kind: Literal["fluid region"] = "fluid region"
    at: Text = "0, 0, 0 mm"
    fluid: Text = "water"
    starts: Text = ""


class Block(Row):
    """A solid box."""

    kind: Literal["block"] = "block"
    at: Text = "0, 0, 0 mm"
    size: Text = "10, 10, 10 mm"
    material: Text = "aluminium"
    power: Text = "0 W"
    profile: Text = ""
    cells: Text = ""
    starts: Text = ""


class Cylinder(Row):
    """A round bar, or a tube when ``bore`` is above zero; ``at`` is the centre of its end nearest the origin."""

    kind: Literal["cylinder"] = "cylinder"
    at: Text = "0, 0, 0 mm"
    along: Text = "x"
    length: Text = "50 mm"
    diameter: Text = "10 mm"
    bore: Text = "0 mm"
    material: Text = "aluminium"
    power: Text = "0 W"
    profile: Text = ""
    cells: Text = "12"
    starts: Text = ""


class Bore(Row):
    """A round passage through solids, filled with the enclosure's fluid (or a fluid region's)."""

    kind: Literal["bore"] = "bore"
    at: Text = "0, 0, 0 mm"
    along: Text = "x"
    length: Text = "50 mm"
    diameter: Text = "10 mm"
    cells: Text = "12"


class OutlineRow(Row):
    """A closed outline drawn out along an axis; ``at`` is its place along that axis, ``points`` its corners in the other two."""

    kind: Literal["outline"] = "outline"
    at: Text = "0 mm"
    along: Text = "z"
    length: Text = "10 mm"
    points: Text = "0, 0; 20, 0; 0, 20 mm"
    material: Text = "aluminium"
    power: Text = "0 W"
    profile: Text = ""
    cells: Text = "8"
    starts: Text = ""


class Tube(Row):
    """A round tube, bar or passage along a line of points with rounded corners."""

    kind: Literal["tube"] = "tube"
    points: Text = "0, 0, 0; 40, 0, 0; 40, 30, 0 mm"
    bend: Text = "10 mm"
    diameter: Text = "6 mm"
    bore: Text = "4 mm"
    material: Text = "copper"
    power: Text = "0 W"
    profile: Text = ""
    cells: Text = "8"
    starts: Text = ""


class Triangulated(Row):
    """A solid or passage bounded by triangles; ``points`` are its corners, ``triangles`` their numbers from 1, counterclockwise seen
    from outside."""

    kind: Literal["triangulated"] = "triangulated"
    points: Text = "0, 0, 0; 20, 0, 0; 0, 20, 0; 0, 0, 20 mm"
    triangles: Text = "1, 3, 2; 1, 2, 4; 2, 3, 4; 1, 4, 3"
    material: Text = "aluminium"
    power: Text = "0 W"
    profile: Text = ""
    cells: Text = "8"
    starts: Text = ""


class Board(Row):
    """A circuit board: a thin box whose conductivity differs in its plane and through it."""

    kind: Literal["board"] = "board"
    at: Text = "0, 0, 0 mm"
    size: Text = "100, 80, 1.6 mm"
    material: Text = "FR4 laminate"
    in_plane: Text = ""
    through: Text = ""
    power: Text = "0 W"
    profile: Text = ""
    cells: Text = ""
    starts: Text = ""


class Component(Row):
    """A powered block with a temperature limit."""

    kind: Literal["component"] = "component"
    at: Text = "0, 0, 0 mm"
    size: Text = "10, 10, 3 mm"
    material: Text = "moulded package"
    power: Text = "1 W"
    profile: Text = ""
    limit: Text = "85 degC"
    junction_to_case: Text = ""
    junction_to_board: Text = ""
    case_side: Text = "z+"
    cells: Text = ""
    starts: Text = ""


class PlateFinSink(Row):
    """Straight fins on a base plate; ``size`` is the whole, ``along`` the direction of the channels."""

    kind: Literal["plate-fin sink"] = "plate-fin sink"
    at: Text = "0, 0, 0 mm"
    size: Text = "40, 40, 20 mm"
    base: Text = "3 mm"
    fins: Text = "8"
    fin: Text = "1 mm"
    along: Text = "x"
    up: Text = "z+"
    material: Text = "aluminium"
    cells: Text = ""
    starts: Text = ""


class PinFinSink(Row):
    """Square pins on a base plate; ``pins`` along the first and second direction of the base."""

    kind: Literal["pin-fin sink"] = "pin-fin sink"
    at: Text = "0, 0, 0 mm"
    size: Text = "40, 40, 20 mm"
    base: Text = "3 mm"
    pins: Text = "6, 6"
    pin: Text = "2 mm"
    up: Text = "z+"
    material: Text = "aluminium"
    cells: Text = ""
    starts: Text = ""


class Opening(Row):
    """A rectangular opening in a wall: inlet (flow), outlet (static pressure) or "ambient"."""

    kind: Literal["opening"] = "opening"
    on: Text = ""
    side: Text = "x-"
    at: Text = "10, 10 mm"
    size: Text = "40, 30 mm"
    flow: Text = "ambient"
    temperature: Text = ""
    profile: Text = "uniform"
    turbulence: Text = ""
    serves: Text = ""


class Vent(Row):
    """An opening behind a perforated plate."""

    kind: Literal["vent"] = "vent"
    on: Text = ""
    side: Text = "x-"
    at: Text = "10, 10 mm"
    size: Text = "40, 30 mm"
    free: Text = "50 %"
    loss: Text = ""
    temperature: Text = ""
    turbulence: Text = ""


class WallFan(Row):
    """A fan on an opening in a wall."""

    kind: Literal["wall fan"] = "wall fan"
    on: Text = ""
    side: Text = "x+"
    at: Text = "10, 10 mm"
    size: Text = "40, 40 mm"
    blows: Text = "out"
    curve: Text = "Skerry 40"
    speed: Text = "100 %"
    hub: Text = ""
    temperature: Text = ""
    turbulence: Text = ""


class InsideFan(Row):
    """A fan as a plane inside the fluid; ``size`` is the plane's two sides, ``blows`` its direction."""

    kind: Literal["inside fan"] = "inside fan"
    at: Text = "0, 0, 0 mm"
    size: Text = "40, 40 mm"
    blows: Text = "x+"
    curve: Text = "Skerry 40"
    speed: Text = "100 %"
    hub: Text = ""
    swirl: Text = ""


class Pump(Row):
    """A pump as a plane across a liquid's passage: a pressure rise that falls with the flow."""

    kind: Literal["pump"] = "pump"
    at: Text = "0, 0, 0 mm"
    size: Text = "10, 10 mm"
    blows: Text = "x+"
    curve: Text = "0 l/min: 12 kPa; 2 l/min: 8 kPa; 4 l/min: 0 kPa"
    speed: Text = "100 %"


class Screen(Row):
    """A perforated plate or filter as a plane inside the fluid: a loss on the approach speed."""

    kind: Literal["screen"] = "screen"
    at: Text = "0, 0, 0 mm"
    size: Text = "40, 40 mm"
    across: Text = "x"
    free: Text = "50 %"
    loss: Text = ""


class WallPatch(Row):
    """A rectangle of an enclosure's outer side with a thermal condition of its own."""

    kind: Literal["wall patch"] = "wall patch"
    on: Text = ""
    side: Text = "z-"
    at: Text = "10, 10 mm"
    size: Text = "40, 30 mm"
    condition: Text = "adiabatic"


class Contact(Row):
    """A thermal resistance on the faces where two solids touch, or where one solid touches anything."""

    kind: Literal["contact"] = "contact"
    of: Text = ""
    to: Text = ""
    resistance: Text = "0.00002 m2 K/W"


class DriveRow(Row):
    """What keeps the fluid going along an axis whose two sides are periodic."""

    kind: Literal["drive"] = "drive"
    along: Text = "x+"
    flow: Text = "0.5 m/s"
    temperature: Text = ""


class Limit(Row):
    """A bound on a result: a part's temperature, or a pressure drop between two openings or across a fan."""

    kind: Literal["limit"] = "limit"
    quantity: Text = "pressure drop"
    of: Text = ""
    to: Text = ""
    most: Text = "20 Pa"


AnyRow = Annotated[
    Surroundings | GridRow | RunRow | Parameter | FluidRow | MaterialRow | Enclosure | FluidRegion | Block | Cylinder | Bore
    | OutlineRow | Tube | Triangulated | Board | Component | PlateFinSink | PinFinSink | Opening | Vent | WallFan | InsideFan | Pump
    | Screen | WallPatch | Contact | DriveRow | Limit,
    Field(discriminator="kind"),
]
ROW_TYPES = {t.model_fields["kind"].default: t for t in Row.__subclasses__()}
