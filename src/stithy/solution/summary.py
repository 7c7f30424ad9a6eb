"""The summary of a result: every number of it that is not a field, as plain values in SI, and its schema."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, FiniteFloat, StrictBool, StrictInt, StrictStr, ValidationError

FORMAT, VERSION = "stithy result", 2
#: a mean whose heat balance is open by more than this part of the load is no result
OPEN_MEAN = 0.02


class _Loose(BaseModel):
    model_config = ConfigDict(extra="allow")


class PartOnGrid(_Loose):
    """A part on one grid: highest and mean temperature (K)."""

    max: FiniteFloat
    mean: FiniteFloat


class Part(PartOnGrid):
    """A part: where it is hottest (m), its heat load (W), and the heat (W) that holds it at a given temperature."""

    hot_spot: list[float] = Field(min_length=3, max_length=3)
    power: FiniteFloat
    held_heat: FiniteFloat = 0.0


class End(_Loose):
    """An opening: net volume flow (m3/s) and mass flow (kg/s) inward, what flows in gross (m3/s), heat carried out (W),
    mean temperature crossing (K), static pressure just inside (Pa), free area (m2)."""

    volume_flow: FiniteFloat
    inflow: FiniteFloat
    mass_flow: FiniteFloat
    heat_out: FiniteFloat
    temperature: FiniteFloat
    pressure: FiniteFloat
    area: FiniteFloat


class Fan(_Loose):
    """A fan or pump: volume flow (m3/s), static pressure rise (Pa), air power (W), electrical draw (W), share of its
    curve."""

    volume_flow: FiniteFloat
    rise: FiniteFloat
    air_power: FiniteFloat
    draw: FiniteFloat
    flow_share: FiniteFloat


class Trust(_Loose):
    """Closures, and what is to be said of the result."""

    heat_closure: FiniteFloat
    mass_imbalance: FiniteFloat
    momentum: FiniteFloat
    drift: FiniteFloat | None = None
    notes: list[StrictStr]


class Coarse(_Loose):
    """The same numbers on a grid of half the counts, whose cells are ``longer`` by so many times (the geometric mean of
    the axes that have cells)."""

    parts: dict[str, PartOnGrid]
    ends: dict[str, End]
    fans: dict[str, Fan]
    cells: StrictInt
    longer: FiniteFloat | None = None


class Radiates(_Loose):
    """A part, side or plate that radiates: ``net`` W (emitted less absorbed), ``to_gas`` W (convected), ``sun`` W taken
    up, ``error`` W by the scatter of rays, ``area`` m2, ``temperature`` K of its surface and the one it ``sees``, means
    of the fourth power."""

    net: FiniteFloat
    to_gas: FiniteFloat
    sun: FiniteFloat = 0.0
    error: FiniteFloat
    area: FiniteFloat
    temperature: FiniteFloat
    sees: FiniteFloat


class Radiation(_Loose):
    """Radiation between surfaces: ``ends`` W that leaves by openings, ``closure`` the part by which what is sent and
    what arrives differ, ``error`` W of all by the scatter of rays."""

    surfaces: dict[str, Radiates]
    ends: dict[str, FiniteFloat] = {}
    patches: StrictInt
    closure: FiniteFloat
    error: FiniteFloat


class BathPart(_Loose):
    """A part in a bath: heat that boils off it (W), the mean flux of its wetted faces over the critical one, and the
    highest that it was."""

    boils: FiniteFloat
    share: FiniteFloat
    highest: FiniteFloat


class BathTable(_Loose):
    """A bath: ``saturation`` K at its level, ``critical_flux`` W/m2, ``vapour_volume`` m3 below the level of the start,
    ``venting`` kg/s, ``level`` m above that of the start, ``latent`` heat J/kg, ``nucleate`` c of h = c q^0.67,
    when vapour ``began`` (s), by how much its mass does not close, and these in time."""

    boils: StrictBool
    saturation: FiniteFloat
    critical_flux: FiniteFloat
    vapour_volume: FiniteFloat
    venting: FiniteFloat
    level: FiniteFloat
    latent: FiniteFloat
    nucleate: FiniteFloat = 0.0
    began: FiniteFloat | None = None
    mass_error: FiniteFloat = 0.0
    parts: dict[str, BathPart]
    series: dict[str, list[FiniteFloat]] = {}


class HeatFlow(_Loose):
    """A flow of heat (W) from one part, fluid space or source to another, an opening or a surface of the outside;
    ``by`` "radiation", or empty."""

    from_: StrictStr = Field(alias="from")
    to: StrictStr
    heat: FiniteFloat
    by: StrictStr = ""


class Refined(_Loose):
    """A grid refined by results: its ``lines`` (m) along each axis, in how many ``rounds``, ``from`` how many cells,
    and by how much (K) watches ``moved`` in the last (-1: there was but one)."""

    lines: list[list[FiniteFloat]] = Field(min_length=3, max_length=3)
    rounds: StrictInt
    from_: StrictInt = Field(alias="from")
    moved: FiniteFloat


class Summary(_Loose):
    """What every summary has; numbers are finite. ``band``: what watches wander (K); ``periodic``, ``free_sides``,
    ``moving_sides``: axes and sides of the model that are no plain walls; ``belts``: parts
    whose surfaces move; ``walls``: heat (W) leaving by each piece of
    the outside; ``sealed``: absolute pressure (Pa) of closed gas spaces; ``media``: heat capacity and expansion of what
    fills each fluid space; ``gravity``: m/s2; ``log``: what was done while it ran (s, iteration, time, kind, words);
    ``course``: key of a run in time whatever its length."""

    format: StrictStr
    version: StrictInt
    key: StrictStr
    layout: StrictStr
    ambient: FiniteFloat
    cells: StrictInt
    iterations: StrictInt
    from_rest: StrictBool = True
    seconds: FiniteFloat
    settled: StrictBool
    mixing: StrictStr = "laminar"
    parts: dict[str, Part]
    ends: dict[str, End]
    fans: dict[str, Fan]
    walls: dict[str, FiniteFloat]
    heat_load: FiniteFloat
    heat_imbalance: FiniteFloat
    stored: FiniteFloat = 0.0
    mass: FiniteFloat = 0.0
    time: FiniteFloat = 0.0
    drive: dict[str, FiniteFloat] = {}
    sealed: dict[str, FiniteFloat] = {}
    trust: Trust
    band: dict[str, FiniteFloat]
    free_sides: list[StrictStr] = []
    moving_sides: list[StrictStr] = []
    belts: list[StrictStr] = []
    periodic: list[StrictStr] = []
    heat_path: list[HeatFlow] = []
    spaces: list[StrictStr] = []
    fluids: dict[str, list[StrictInt]] = {}
    media: list[dict[str, FiniteFloat]] = []
    gravity: list[FiniteFloat] = []
    radiation: Radiation | None = None
    bath: BathTable | None = None
    coarse: Coarse | None = None
    refined: Refined | None = None
    log: list[tuple[FiniteFloat, StrictInt, FiniteFloat, StrictStr, StrictStr]] = []
    course: StrictStr = ""


def digest(summary: dict) -> str:
    """A short hash of all that a summary says but the hash itself."""
    text = json.dumps({k: v for k, v in summary.items() if k != "digest"}, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def good_summary(data: Any) -> bool:
    """Whether ``data`` is a summary as the program writes it, whole and unchanged."""
    try:
        Summary.model_validate(data)
        return data["format"] == FORMAT and data.get("digest") == digest(data)
    except (ValidationError, KeyError, TypeError, ValueError, RecursionError):
        return False


def json_schema() -> str:
    """The JSON Schema of summary.json."""
    return json.dumps(Summary.model_json_schema(), indent=1)
