"""Models to start from: each a whole project with two layouts, solvable as it comes, and the cells that matter most."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from . import kinds as d
from .errors import StithyError
from .project import edits
from .project.document import Document

FALLS = "0, 0, -9.81 m/s2"


@dataclass(frozen=True)
class Start:
    """A model to start from: its ``name`` for the command line, its ``title``, what it is (``what``), which cells (row,
    key) are to be filled in first, and what makes its document."""

    name: str
    title: str
    what: str
    first: tuple[tuple[str, str], ...]
    make: Callable[[], Document]


def names() -> list[str]:
    """All of them, in the order of the start page."""
    return list(STARTS)


def document(name: str) -> Document:
    """The project of a start. Raises StithyError where there is none of that name."""
    if name not in STARTS:
        raise StithyError(f"There is no start “{name}”. There are: {', '.join(STARTS)}.")
    return STARTS[name].make()


def _made(
    title: str, layouts: tuple[str, str], rows: tuple[d.Row, ...], second, detail: str = "standard", **where: Any
) -> Document:
    """A project of rows with its settings and two layouts; ``second``: edits of the second, from its name."""
    grid = d.GridRow(name="Grid", detail=detail)
    settings = (d.Surroundings(name="Surroundings", **where), grid, d.RunRow(name="Run"))
    made = Document(name=title, rows=(*rows, *settings), layouts=(d.Layout(name=layouts[0]),))
    made = edits.duplicate_layout(layouts[0], layouts[1]).apply(made)
    return edits.many("second layout", second(layouts[1])).apply(made)


def _set(layout: str, row: str, **cells: str) -> list[edits.Edit]:
    return [edits.set_cell(layout, row, k, x, True) for k, x in cells.items()]


def _enclosure() -> Document:
    rows = (
        d.Enclosure(name="Case", size="180, 120, 60 mm", wall="2 mm", outside="8 W/m2/K"),
        d.Board(name="Board", at="12, 12, 10 mm", size="150, 96, 1.6 mm"),
        d.Component(name="Driver", at="110, 40, 11.6 mm", size="30, 30, 4 mm", power="6 W", limit="85 degC"),
        d.Component(name="Processor", at="40, 70, 11.6 mm", size="18, 18, 3 mm", power="1.5 W", limit="85 degC"),
        d.PlateFinSink(name="Sink", at="108, 38, 15.6 mm", size="34, 34, 24 mm", fins="7", fin="1.2 mm"),
        d.Vent(name="Vent", on="Case", side="x-", at="20, 8 mm", size="80, 40 mm", free="60 %"),
        d.WallFan(
            name="Fan",
            on="Case",
            side="x+",
            at="40, 10 mm",
            size="40, 40 mm",
            blows="out",
            curve="Skerry 40",
            speed="60 %",
        ),
    )

    def second(layout: str):
        vent = d.Vent(name="Second vent", on="Case", side="x+", at="20, 8 mm", size="80, 40 mm", free="60 %")
        return [edits.delete_row(layout, "Fan", True), edits.add_row(layout, vent, True)]

    return _made("Enclosure", ("Fan", "Vents only"), rows, second, ambient="35 degC", gravity=FALLS)


def _still_sink() -> Document:
    rows = (
        d.Enclosure(name="Room", size="160, 120, 220 mm", wall="0 mm", outside="1000 W/m2/K"),
        d.Component(
            name="Heater", at="50, 35, 60 mm", size="60, 4, 80 mm", material="aluminium", power="8 W", limit="75 degC"
        ),
        d.PlateFinSink(
            name="Sink",
            at="50, 39, 60 mm",
            size="60, 30, 80 mm",
            base="4 mm",
            fins="7",
            fin="1.5 mm",
            along="z",
            up="y+",
        ),
        d.Opening(name="Below", on="Room", side="z-", at="0, 0 mm", size="160, 120 mm"),
        d.Opening(name="Above", on="Room", side="z+", at="0, 0 mm", size="160, 120 mm"),
    )
    return _made(
        "Sink in still air",
        ("7 fins", "12 fins"),
        rows,
        lambda x: _set(x, "Sink", fins="12"),
        ambient="25 degC",
        gravity=FALLS,
    )


def _duct_sink() -> Document:
    rows = (
        d.Enclosure(name="Duct", size="180, 60, 40 mm", wall="0 mm", outside="adiabatic"),
        d.Component(
            name="Heater", at="70, 10, 0 mm", size="40, 40, 4 mm", material="aluminium", power="25 W", limit="70 degC"
        ),
        d.PlateFinSink(name="Sink", at="60, 5, 4 mm", size="60, 50, 26 mm", base="4 mm", fins="14", fin="1 mm"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="60, 40 mm", flow="2 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="60, 40 mm", flow="0 Pa"),
        d.WatchRow(name="Pressure drop", quantity="pressure drop", of="In; Out"),
    )

    def second(layout: str):
        return [edits.replace_row(layout, "Sink", "pin-fin sink"), *_set(layout, "Sink", pins="8, 7", pin="2.5 mm")]

    return _made("Sink in a duct", ("Plates", "Pins"), rows, second)


def _cold_plate() -> Document:
    sides = "x-: adiabatic"
    rows = (
        d.Enclosure(
            name="Plate",
            size="160, 100, 18 mm",
            wall="0 mm",
            fluid="glycol water 50 %",
            outside="adiabatic",
            sides=sides,
        ),
        d.ChannelPlate(
            name="Cold plate", size="160, 100, 12 mm", passes="5", width="10 mm", depth="6 mm", turns="round"
        ),
        d.Block(name="Around the modules", at="0, 0, 12 mm", size="160, 100, 6 mm", material="ABS plastic"),
        *(
            d.Component(
                name=f"Module {m + 1}",
                at=f"{16 + 46 * m}, 26, 12 mm",
                size="36, 48, 6 mm",
                material="alumina",
                power="90 W",
                limit="80 degC",
            )
            for m in range(3)
        ),
        d.Opening(
            name="In", on="Plate", side="x-", at="5, 3 mm", size="10, 6 mm", flow="2 l/min", temperature="40 degC"
        ),
        d.Opening(name="Out", on="Plate", side="x+", at="85, 3 mm", size="10, 6 mm", flow="0 Pa"),
        d.WatchRow(name="Pressure drop", quantity="pressure drop", of="In; Out"),
    )

    def second(layout: str):
        return [
            *_set(layout, "Cold plate", channels="parallel", passes="8", width="6 mm"),
            *_set(layout, "In", at="44, 3 mm", size="12, 6 mm"),
            *_set(layout, "Out", at="44, 3 mm", size="12, 6 mm"),
        ]

    return _made("Cold plate", ("Serpentine", "Parallel"), rows, second, "quick", ambient="40 degC")


def _shell() -> Document:
    rows = (
        d.Enclosure(name="Around", size="200, 60, 80 mm", wall="0 mm", fluid="water", outside="adiabatic"),
        d.Shell(name="Shell", at="0, 30, 40 mm", baffles="0"),
        d.TubeBundle(name="Tube", at="0, 30, 40 mm"),
        d.FluidRegion(name="Coolant", at="100, 30, 40 mm", fluid="water"),
        d.FluidRegion(name="Sea water", at="100, 30, 55 mm", fluid="water"),
        d.FluidRegion(name="Outside", at="2, 2, 2 mm", fluid="left out"),
        d.Opening(
            name="Coolant in",
            on="Around",
            side="x-",
            at="24, 34 mm",
            size="12, 12 mm",
            flow="0.3 m/s",
            temperature="80 degC",
        ),
        d.Opening(name="Coolant out", on="Around", side="x+", at="24, 34 mm", size="12, 12 mm", flow="0 Pa"),
        d.Opening(
            name="Sea in",
            on="Around",
            side="z-",
            at="178.4, 24 mm",
            size="12, 12 mm",
            flow="0.2 m/s",
            temperature="15 degC",
        ),
        d.Opening(name="Sea out", on="Around", side="z+", at="9.6, 24 mm", size="12, 12 mm", flow="0 Pa"),
        d.WatchRow(name="Duty", quantity="duty"),
        d.WatchRow(name="Shell drop", quantity="pressure drop", of="Sea in; Sea out"),
    )
    return _made(
        "Tube in a shell", ("No baffles", "4 baffles"), rows, lambda x: _set(x, "Shell", baffles="4"), ambient="20 degC"
    )


def _bank() -> Document:
    rows = (
        d.Enclosure(
            name="Duct",
            size="180, 75, 60 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="y-: periodic; y+: periodic; z-: symmetry; z+: symmetry",
        ),
        d.TubeBank(name="Bank", at="40, 0, 0 mm", length="60 mm", tubes="4, 3", pitch="22, 25 mm", fins="0"),
        d.Opening(name="In", on="Duct", side="x-", at="0, 0 mm", size="75, 60 mm", flow="3 m/s"),
        d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="75, 60 mm", flow="0 Pa"),
        d.WatchRow(name="Heat", quantity="heat", of="Bank"),
        d.WatchRow(name="Pressure drop", quantity="pressure drop", of="In; Out"),
    )
    piece = d.PieceRow(
        name="Half a fin pitch", z="30 to 32.5 mm", times="24", assumed="all 24 pieces across z carry alike"
    )

    def second(layout: str):
        return [*_set(layout, "Bank", fins="12"), edits.add_row(layout, piece, True)]

    return _made("Finned tube bank", ("Plain", "12 fins"), rows, second, ambient="20 degC", gravity="0, 0, 0 m/s2")


def _pipe() -> Document:
    rows = (
        d.Enclosure(name="Around", size="300, 28, 28 mm", wall="0 mm", fluid="water", outside="adiabatic"),
        d.Cylinder(
            name="Pipe",
            at="0, 14, 14 mm",
            along="x",
            length="300 mm",
            diameter="26 mm",
            bore="20 mm",
            material="mild steel",
            power="400 W",
        ),
        d.FluidRegion(name="Water", at="150, 14, 14 mm", fluid="water"),
        d.FluidRegion(name="Outside", at="150, 0.5, 0.5 mm", fluid="left out"),
        d.Opening(name="In", on="Around", side="x-", at="4, 4 mm", size="20, 20 mm", flow="0.2 m/s"),
        d.Opening(name="Out", on="Around", side="x+", at="4, 4 mm", size="20, 20 mm", flow="0 Pa"),
        d.WatchRow(name="Pressure drop", quantity="pressure drop", of="In; Out"),
        d.WatchRow(name="Pipe, hottest", of="Pipe", measure="max", most="60 degC"),
    )
    return _made("Pipe", ("0.2 m/s", "0.6 m/s"), rows, lambda x: _set(x, "In", flow="0.6 m/s"), ambient="20 degC")


def _ribs() -> Document:
    rows = (
        d.Enclosure(name="Channel", size="160, 30, 16 mm", wall="0 mm", fluid="water", outside="adiabatic"),
        d.Block(name="Heater plate", size="160, 30, 4 mm", power="300 W"),
        d.Ribs(name="Ribs", at="20, 0, 4 mm", size="120, 30, 3 mm", count="6", rib="3 mm", angle="60 deg"),
        d.Opening(name="In", on="Channel", side="x-", at="0, 4 mm", size="30, 12 mm", flow="0.4 m/s"),
        d.Opening(name="Out", on="Channel", side="x+", at="0, 4 mm", size="30, 12 mm", flow="0 Pa"),
        d.WatchRow(name="Plate, hottest", of="Heater plate", measure="max", most="60 degC"),
        d.WatchRow(name="Pressure drop", quantity="pressure drop", of="In; Out"),
    )
    return _made(
        "Channel with ribs", ("Ribs", "Smooth"), rows, lambda x: [edits.delete_row(x, "Ribs", True)], ambient="20 degC"
    )


def _tank() -> Document:
    cells = tuple(
        d.Cylinder(
            name=f"Cell {4 * j + i + 1}",
            at=f"{40 + 40 * i}, {40 + 40 * j}, 0 mm",
            along="z",
            length="70 mm",
            diameter="26 mm",
            material="mild steel",
            power="10 W",
        )
        for j in range(2)
        for i in range(4)
    )
    rows = (
        d.Enclosure(
            name="Tank", size="200, 120, 110 mm", wall="0 mm", fluid="water", outside="adiabatic", sides="z+: symmetry"
        ),
        *cells,
        d.Opening(name="In", on="Tank", side="x-", at="45, 10 mm", size="30, 20 mm", flow="0.01 m/s"),
        d.Opening(name="Out", on="Tank", side="x+", at="45, 80 mm", size="30, 20 mm", flow="0 Pa"),
        d.WatchRow(name="Cells, hottest", of="; ".join(c.name for c in cells), measure="max", most="40 degC"),
    )
    return _made(
        "Tank", ("1 cm/s", "3 cm/s"), rows, lambda x: _set(x, "In", flow="0.03 m/s"), ambient="20 degC", gravity=FALLS
    )


def _nothing() -> Document:
    settings = (d.Surroundings(name="Surroundings"), d.GridRow(name="Grid"), d.RunRow(name="Run"))
    return Document(name="New project", rows=settings)


STARTS = {
    s.name: s
    for s in (
        Start(
            "enclosure",
            "Enclosure",
            "a board and parts in a box, with a fan or with vents",
            (("Case", "size"), ("Driver", "power"), ("Fan", "curve"), ("Surroundings", "ambient")),
            _enclosure,
        ),
        Start(
            "sink-in-still-air",
            "Sink in still air",
            "upright fins on a heater, air that rises by itself",
            (("Heater", "power"), ("Sink", "size"), ("Sink", "fins")),
            _still_sink,
        ),
        Start(
            "sink-in-duct",
            "Sink in a duct",
            "plates or pins on a heater in a stream",
            (("Heater", "power"), ("In", "flow"), ("Sink", "fins")),
            _duct_sink,
        ),
        Start(
            "cold-plate",
            "Cold plate",
            "modules on a plate with channels, serpentine or parallel",
            (("Module 1", "power"), ("In", "flow"), ("Cold plate", "passes")),
            _cold_plate,
        ),
        Start(
            "tube-in-shell",
            "Tube in a shell",
            "two streams, with baffles or without",
            (("Coolant in", "flow"), ("Sea in", "flow"), ("Shell", "baffles")),
            _shell,
        ),
        Start(
            "finned-tube-bank",
            "Finned tube bank",
            "tubes of one temperature across a stream of air",
            (("Bank", "power"), ("In", "flow"), ("Bank", "fins")),
            _bank,
        ),
        Start(
            "pipe", "Pipe", "a heated pipe with its wall", (("Pipe", "power"), ("In", "flow"), ("Pipe", "bore")), _pipe
        ),
        Start(
            "channel-with-ribs",
            "Channel with ribs",
            "slanted ribs on a heated plate in a channel",
            (("Heater plate", "power"), ("In", "flow"), ("Ribs", "size")),
            _ribs,
        ),
        Start(
            "tank",
            "Tank",
            "warm cells in a bath with a free surface, inlet and outlet",
            (("Cell 1", "power"), ("In", "flow"), ("Tank", "fluid")),
            _tank,
        ),
        Start("nothing", "Nothing", "an empty project with its settings", (), _nothing),
    )
}
