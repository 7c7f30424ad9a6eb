"""The same physics as an expert would set it up and as it comes: default grid, default mixing, gravity on. Tolva Head's
own parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stithy import kinds as d
from stithy.read.quantities import Quantities
from stithy.solve.job import Job

GAS = d.FluidRow(
    name="gas", density="1.2 kg/m3", viscosity="1.8e-5 Pa s", heat_capacity="1006 J/kg/K", conductivity="0.0255 W/m/K"
)
NU, PR, K = 1.8e-5 / 1.2, 1.8e-5 * 1006 / 0.0255, 0.0255


def plain(*rows, detail: str = "standard", name: str = "As it comes", **surroundings) -> d.Document:
    """A document with nothing set but what the model is; ambient 20 degC."""
    base = {"ambient": "20 degC"} | surroundings
    return d.Document(
        name=name,
        rows=(
            *rows,
            d.Surroundings(name="Surroundings", **base),
            d.GridRow(name="Grid", detail=detail),
            d.RunRow(name="Run"),
        ),
    )


@dataclass
class Solved:
    """A solved document: its job, what can be read, and its summary."""

    job: Job
    q: Quantities
    summary: dict


def solve(document: d.Document, banded: bool = True) -> Solved:
    """Solve the first layout."""
    job = Job(document, document.layouts[0].name, banded=banded)
    result = job.run()
    return Solved(job, Quantities(job.result()), result.summary)


def channel(reynolds: float) -> d.Document:
    """One pitch of a plane channel 20 mm high (hydraulic diameter 40 mm), heated from both sides."""
    return plain(
        GAS,
        d.Enclosure(
            name="Duct",
            size="20, 20, 20 mm",
            wall="0 mm",
            fluid="gas",
            outside="adiabatic",
            sides="x-: periodic; x+: periodic; z-: symmetry; z+: symmetry; y-: 100 W/m2; y+: 100 W/m2",
        ),
        d.DriveRow(name="Drive", along="x+", flow=f"{reynolds * NU / 0.04} m/s"),
    )


def _through_metal(area: float, reynolds: float, *rows) -> d.Document:
    """One pitch of a passage of 10 mm hydraulic diameter and ``area`` (m2) through conducting metal, which ``rows``
    are."""
    case = d.Enclosure(
        name="Case",
        size="10, 14, 14 mm",
        wall="0 mm",
        fluid="gas",
        outside="adiabatic",
        sides="x-: periodic; x+: periodic",
    )
    return plain(
        GAS,
        d.MaterialRow(name="conducting", conductivity="100000 W/m/K"),
        case,
        *rows,
        d.DriveRow(name="Drive", along="x+", flow=f"{reynolds * NU / 0.01 * area} m3/s"),
    )


def bore(reynolds: float) -> d.Document:
    """A round bore of 10 mm."""
    return _through_metal(
        np.pi / 4 * 1e-4,
        reynolds,
        d.Block(name="Wall", size="10, 14, 14 mm", material="conducting", power="1 W"),
        d.Bore(name="Bore", at="0, 7, 7 mm", along="x", length="10 mm", diameter="10 mm"),
    )


def square(reynolds: float) -> d.Document:
    """A square passage of 10 mm between four blocks."""
    walls = ((0, 0, 14, 2, 0.2917), (0, 12, 14, 2, 0.2917), (0, 2, 2, 10, 0.2083), (12, 2, 2, 10, 0.2083))
    blocks = (
        d.Block(name=f"Wall {m}", at=f"0, {y}, {z} mm", size=f"10, {w}, {h} mm", material="conducting", power=f"{p} W")
        for m, (y, z, w, h, p) in enumerate(walls)
    )
    return _through_metal(1e-4, reynolds, *blocks)


def plate() -> d.Document:
    """A warm plate 40 mm long on the floor of a wide duct, 20 mm behind its inlet, 1 m/s."""
    return plain(
        GAS,
        d.Enclosure(
            name="Duct",
            size="100, 10, 60 mm",
            wall="0 mm",
            fluid="gas",
            outside="adiabatic",
            sides="y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
        ),
        d.WallPatch(name="Plate", on="Duct", side="z-", at="20, 0 mm", size="40, 10 mm", condition="40 degC"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="10, 60 mm", flow="1 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="10, 60 mm", flow="0 Pa"),
        gravity="0, 0, 0 m/s2",
    )


def block() -> d.Document:
    """A component on a board in a duct, 1.5 m/s."""
    return plain(
        d.Enclosure(name="Duct", size="120, 60, 30 mm", wall="0 mm", outside="adiabatic"),
        d.Board(name="Board", at="20, 5, 0 mm", size="80, 50, 1.6 mm"),
        d.Component(name="Chip", at="50, 22, 1.6 mm", size="15, 15, 4 mm", power="1.5 W", limit="85 degC"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="60, 30 mm", flow="1.5 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="60, 30 mm", flow="0 Pa"),
    )


def pins() -> d.Document:
    """A sink of 5 x 5 square pins on a heated block, in a duct, 2 m/s."""
    return plain(
        d.Enclosure(name="Duct", size="120, 50, 30 mm", wall="0 mm", outside="adiabatic"),
        d.Component(
            name="Heater", at="40, 9, 0 mm", size="32, 32, 4 mm", material="aluminium", power="10 W", limit="80 degC"
        ),
        d.PinFinSink(name="Sink", at="40, 9, 4 mm", size="32, 32, 20 mm", base="3 mm", pins="5, 5", pin="2.5 mm"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="50, 30 mm", flow="2 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="50, 30 mm", flow="0 Pa"),
    )


def fins_in_duct() -> d.Document:
    """A plate-fin sink that fills its duct, 2 m/s in front of it."""
    return plain(
        d.Enclosure(name="Duct", size="140, 33, 24 mm", wall="0 mm", outside="adiabatic"),
        d.Component(
            name="Heater", at="40, 0, 0 mm", size="60, 33, 3 mm", material="aluminium", power="12 W", limit="80 degC"
        ),
        d.PlateFinSink(
            name="Sink", at="40, 0, 3 mm", size="60, 33, 21 mm", base="3 mm", fins="12", fin="1 mm", along="x"
        ),
        d.Opening(name="In", on="Duct", side="x-", at="0, 6 mm", size="33, 18 mm", flow="1.5 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 6 mm", size="33, 18 mm", flow="0 Pa"),
    )


def fins_in_still_air() -> d.Document:
    """A plate-fin sink, fins upright, in a room of still air that is open above and below."""
    return plain(
        d.Enclosure(name="Room", size="160, 120, 200 mm", wall="0 mm", outside="adiabatic"),
        d.Component(
            name="Heater", at="50, 35, 70 mm", size="60, 4, 60 mm", material="aluminium", power="5 W", limit="80 degC"
        ),
        d.PlateFinSink(
            name="Sink",
            at="50, 39, 70 mm",
            size="60, 24, 60 mm",
            base="4 mm",
            fins="7",
            fin="1.5 mm",
            along="z",
            up="y+",
        ),
        d.Opening(name="Below", on="Room", side="z-", at="0, 0 mm", size="160, 120 mm"),
        d.Opening(name="Above", on="Room", side="z+", at="0, 0 mm", size="160, 120 mm"),
    )


def cavity() -> d.Document:
    """A square cavity of air between a warm and a cold wall; Rayleigh number 1e5."""
    return plain(
        d.Enclosure(
            name="Cavity",
            size="45.453, 10, 45.453 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="x-: 30.5 degC; x+: 19.5 degC; y-: symmetry; y+: symmetry",
        ),
        ambient="25 degC",
        radiation="none",
    )


def upright() -> d.Document:
    """A warm upright wall of 100 mm beside still air that enters below and leaves above."""
    return plain(
        d.Enclosure(
            name="Shaft",
            size="60, 10, 140 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="y-: symmetry; y+: symmetry; x+: symmetry",
        ),
        d.WallPatch(name="Wall", on="Shaft", side="x-", at="0, 20 mm", size="10, 100 mm", condition="50 degC"),
        d.Opening(name="Below", on="Shaft", side="z-", at="0, 0 mm", size="60, 10 mm"),
        d.Opening(name="Above", on="Shaft", side="z+", at="0, 0 mm", size="60, 10 mm"),
    )


def sealed_box() -> d.Document:
    """A sealed housing with a board and three parts, cooled from outside."""
    return plain(
        d.Enclosure(name="Housing", size="120, 80, 40 mm", wall="2 mm", outside="10 W/m2/K"),
        d.Board(name="Board", at="10, 10, 10 mm", size="100, 60, 1.6 mm"),
        d.Component(name="Relay driver", at="25, 25, 11.6 mm", size="14, 14, 5 mm", power="1.2 W", limit="95 degC"),
        d.Component(name="Regulator", at="60, 40, 11.6 mm", size="10, 12, 3 mm", power="0.8 W", limit="95 degC"),
        d.Component(name="Modem", at="80, 20, 11.6 mm", size="20, 20, 3 mm", power="1 W", limit="85 degC"),
    )


def cold_plate() -> d.Document:
    """Glycol water through a straight channel in an aluminium plate under a heated module."""
    return plain(
        d.Enclosure(name="Plate", size="100, 30, 16 mm", wall="0 mm", fluid="glycol water 50 %", outside="adiabatic"),
        d.Block(name="Body", size="100, 30, 12 mm"),
        d.Block(name="Channel", at="0, 11, 3 mm", size="100, 8, 5 mm", material="fluid"),
        d.Block(name="Cover", at="0, 0, 12 mm", size="100, 30, 4 mm", material="FR4 laminate"),
        d.Component(name="Module", at="30, 5, 12 mm", size="40, 20, 4 mm", power="60 W", limit="70 degC"),
        d.Opening(name="In", on="Plate", side="x-", at="11, 3 mm", size="8, 5 mm", flow="0.5 l/min"),
        d.Opening(name="Out", on="Plate", side="x+", at="11, 3 mm", size="8, 5 mm", flow="0 Pa"),
    )
