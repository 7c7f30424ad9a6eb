"""The jobs of Tolva Head that begin with a model of the start page, as projects in src/stithy/data/jobs (python
tools/make_started_jobs.py [NAME])."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from stithy import api, starts  # noqa: E402
from stithy import kinds as d  # noqa: E402
from stithy.project import edits, files  # noqa: E402
from stithy.project.document import Document  # noqa: E402
from verification import boards  # noqa: E402

DATA = ROOT / "src/stithy/data/jobs"


class Job:
    """A project made of a start by the edits that a user would make."""

    def __init__(self, start: str, title: str, first: str, other: str):
        self.document: Document = starts.document(start).model_copy(update={"name": title})
        names = [x.name for x in self.document.layouts]
        for olds, news in ((names, ("a", "b")), (("a", "b"), (first, other))):  # a name may be the other's old one
            for old, new in zip(olds, news, strict=True):
                self.do(edits.rename_layout(old, new))
        self.first, self.other = first, other

    def do(self, edit: edits.Edit) -> None:
        """Apply an edit."""
        self.document = edit.apply(self.document)

    def set(self, row: str, layout: str = "", **cells: str) -> None:
        """Set cells of a row: in all layouts, or in one."""
        for key, text in cells.items():
            self.do(edits.set_cell(layout or self.first, row, key, text, bool(layout)))

    def add(self, row: d.Row, layout: str = "") -> None:
        """Add a row: to all layouts, or to one."""
        self.do(edits.add_row(layout or self.first, row, bool(layout)))

    def copy(self, layout: str, name: str) -> None:
        """One more layout."""
        self.do(edits.duplicate_layout(layout, name))


def inverter_cold_plate() -> Document:
    """Three modules on a board of thick copper over a metal base and an aluminium plate; glycol water."""
    job = Job("cold-plate", "Inverter cold plate", "Parallel channels", "Serpentine, slow pump")
    job.set("Plate", size="160, 100, 22 mm")
    job.set("Around the modules", at="0, 0, 14 mm", size="160, 100, 8 mm")
    job.add(d.MaterialRow(name="Filled laminate", conductivity="3 W/m/K", density="2300 kg/m3"))
    job.add(d.Block(name="Metal base", at="10, 20, 12 mm", size="140, 60, 1.7 mm", material="aluminium"))
    job.add(d.Contact(name="Insulating film", of="Metal base", to="Cold plate", resistance="0.05 mm, 1.6 W/m/K"))
    job.add(
        d.Block(name="Around the board", at="0, 0, 12 mm", size="160, 100, 2 mm", material="ABS plastic", order="-1")
    )
    job.set("Cold plate", channels="parallel", passes="8", width="6 mm")
    for m in range(3):
        job.set(f"Module {m + 1}", at=f"{16 + 46 * m}, 26, 14 mm", power="120 W", limit="80 degC")
    for name in ("In", "Out"):
        job.set(name, at="44, 3 mm", size="12, 6 mm")
    job.set("In", flow="4 l/min")
    job.set("Cold plate", job.other, channels="serpentine", passes="5", width="10 mm")
    job.set("In", job.other, at="5, 3 mm", size="10, 6 mm", flow="0.6 l/min")
    job.set("Out", job.other, at="85, 3 mm", size="10, 6 mm")
    job.copy(job.first, "Pins")
    job.set("Cold plate", "Pins", channels="pins")
    job.add(d.Parameter(name="load", value="120 W"))
    for m in range(3):
        job.set(f"Module {m + 1}", power="= load")
    job.add(d.WatchRow(name="Flow in", quantity="volume flow", of="In"))
    job.add(d.WatchRow(name="Pump power", quantity="= Pressure_drop*Flow_in"))
    ways = {
        "first": f"layout: {job.first}; Pins",
        "second": "In, flow: 2; 3; 4 l/min",
        "third": "load: 100; 120; 140 W",
    }
    job.add(d.SweepRow(name="Plate, flow and power", of=job.first, **ways))
    return job.document


def its_board(folder: Path) -> None:
    """The inverter's board from its files, on its metal base."""
    path = boards.inverter().write(ROOT / "src/stithy/data/boards/inverter")
    project = api.open_project(folder)
    first = project.document.layouts[0].name
    came = project.take_board(path)
    cells = {"name": "Board", "at": "10, 20, 13.7 mm", "layers": "105 um 78 %; 0.195 mm", "material": "Filled laminate"}
    row = came.board
    for key, text in cells.items():
        project.document = edits.set_cell(first, row, key, text).apply(project.document)
        row = text if key == "name" else row
    files.save(project.document, folder)


def jacket_cooler() -> Document:
    """Generator coolant against sea water in counter-flow: no, two or ten baffles."""
    job = Job("tube-in-shell", "Jacket cooler", "2 baffles", "10 baffles")
    job.set("Shell", baffles="2", tube="18, 12 mm")
    job.set("Tube", tube="18, 12 mm")
    job.set("Shell", job.first, baffles="2")
    job.set("Shell", job.other, baffles="10")
    job.copy(job.first, "No baffles")
    job.set("Shell", "No baffles", baffles="0")
    job.set("Duty", least="250 W")
    job.set("Shell drop", most="50 Pa")
    return job.document


def air_heater() -> Document:
    """A staggered finned bank, one piece that repeats; heat against pressure drop by the pitch of the fins."""
    job = Job("finned-tube-bank", "Air heater", "12 fins", "Plain tubes")
    job.set("Bank", fins="12", power="70 degC")
    job.set("Bank", job.first, fins="12")
    job.set("Bank", job.other, fins="0")
    piece = edits.row_of(job.document, job.other, "Half a fin pitch")
    job.do(edits.delete_row(job.other, piece.name))
    job.add(piece, job.first)
    job.set("Heat", least="250 W")
    job.set("Pressure drop", most="70 Pa")
    return job.document


def deck_pipe() -> Document:
    """Half a pipe with its wall, heated on its lower outside by a profile over the angle."""
    job = Job("pipe", "Deck pipe", "Brisk", "Slow")
    job.set("Pipe", power="0 W")
    job.set("Outside", outside="= 24000 W/m2 * max(-sin(angle_x), 0)")
    job.set("In", flow="0.5 m/s")
    job.set("In", job.first, flow="0.5 m/s")
    job.set("In", job.other, flow="0.02 m/s")
    job.set("Pipe, hottest", most="31.5 degC")
    piece = d.PieceRow(name="Half", y="14 to 28 mm", times="2", assumed="the flow is as symmetric across y as the pipe")
    job.add(piece)
    return job.document


def ribbed_channel() -> Document:
    """Slanted ribs under a heater plate in water: how high they should be."""
    job = Job("channel-with-ribs", "Ribbed channel", "Ribs 3 mm", "Smooth")
    job.copy(job.first, "Ribs 1.5 mm")
    job.set("Ribs", "Ribs 1.5 mm", size="120, 30, 1.5 mm")
    job.set("Plate, hottest", most="38 degC")
    job.set("Pressure drop", most="500 Pa")
    return job.document


def battery_bath() -> Document:
    """Cells charged fast and a converter in an open bath that boils, beside the same bath kept from boiling."""
    job = Job("tank", "Battery bath", "It boils", "If it did not boil")
    for name in ("In", "Out"):
        job.do(edits.delete_row(job.first, name))
    job.set("Tank", fluid="fluoroketone", size="200, 120, 130 mm", sides="", level="95 mm", starts="44 degC")
    for m in range(8):
        job.set(f"Cell {m + 1}", power="70 W", starts="44 degC", cells="6")
    job.add(
        d.Block(
            name="Converter",
            at="20, 98, 20 mm",
            size="160, 6, 50 mm",
            material="aluminium",
            power="120 W",
            starts="44 degC",
        )
    )
    job.add(d.Opening(name="Open top", on="Tank", side="z+", at="0, 0 mm", size="200, 120 mm", flow="ambient"))
    job.set("Cells, hottest", most="70 degC")
    job.add(d.WatchRow(name="Converter, hottest", of="Converter", most="70 degC"))
    job.add(d.WatchRow(name="Vapour in the bath", quantity="vapour volume"))
    job.add(d.WatchRow(name="Vapour that leaves", quantity="venting"))
    job.add(d.WatchRow(name="Nearest to drying out", quantity="share of critical flux", most="50 %"))
    job.add(d.Isosurface(name="Vapour", where="vapour share", at="10 %", quantity="temperature"))
    job.set("Surroundings", job.other, boiling="none")
    job.set("Run", time="60 s", step="auto", hold_flow="", save_every="5 s")
    job.set("Grid", detail="quick")
    return job.document


def mast_rod() -> Document:
    """A rod across the wind held above freezing, in time: the power that keeps ice off."""
    job = Job("pipe", "Mast rod", "Breeze", "Gale")
    for name in ("Pipe", "Water", "Outside", "In", "Out", "Pressure drop", "Pipe, hottest", "Around"):
        job.do(edits.delete_row(job.first, name))
    job.add(
        d.Enclosure(
            name="Wind",
            size="200, 100, 10 mm",
            wall="0 mm",
            outside="adiabatic",
            sides="z-: symmetry; z+: symmetry; y-: symmetry; y+: symmetry",
        )
    )
    rod = {"along": "z", "length": "10 mm", "diameter": "16 mm", "material": "aluminium", "power": "3 degC"}
    job.add(d.Cylinder(name="Rod", at="60, 50, 0 mm", starts="3 degC", cells="24", **rod))
    job.add(d.Opening(name="In", on="Wind", side="x-", at="0, 0 mm", size="100, 10 mm", flow="3 m/s"))
    job.add(d.Opening(name="Out", on="Wind", side="x+", at="0, 0 mm", size="100, 10 mm", flow="0 Pa"))
    job.add(d.WatchRow(name="De-icing power", quantity="heat", of="Rod", most="0.8 W"))
    job.set("Surroundings", ambient="-8 degC")
    job.set("In", job.other, flow="9 m/s")
    job.set("Run", time="0.12 s", step="courant 4", save_every="0.02 s")
    job.set("Grid", coarsest="3 mm")
    return job.document


def lamp_sink() -> Document:
    """An LED array on a sink in still air: plates or pins, how many, bare or painted."""
    job = Job("sink-in-still-air", "Lamp sink", "12 plates, painted", "5 plates, bare")
    job.set("Heater", name="LED array")
    job.set("LED array", power="10 W", limit="85 degC")
    job.set("Sink", fins="12", finish="black paint")
    for layout in ("5 plates, painted", "Pins, painted", "12 plates, bare"):  # each stands right after the first
        job.copy(job.first, layout)
    job.set("Sink", "12 plates, bare", finish="")
    job.do(edits.replace_row("Pins, painted", "Sink", "pin-fin sink"))
    job.set("Sink", "Pins, painted", pins="7, 9", pin="3 mm", finish="black paint")
    for layout in ("5 plates, painted", job.other):
        job.set("Sink", layout, fins="5", size="60, 14, 80 mm")
    job.set("Sink", job.other, finish="")
    job.add(d.Parameter(name="height", value="30 mm"))
    job.set("Sink", job.first, size="60 mm, = height, 80 mm")
    ways = {"first": "Sink, fins: 3 to 14 whole", "second": "height: 6 to 40 mm"}
    job.add(d.SearchRow(name="Lightest sink", of=job.first, **ways, goal="mass: least", runs="16"))
    return job.document


def night_switch_off() -> Document:
    """The lamp driver after it is switched off: how long until hands may touch it, with its fan running on or not."""
    from tools.make_demo import ROWS

    rows = [r for r in ROWS if r.kind not in ("watch", "line", "isosurface", "vectors", "run", "grid")]
    cool = {"limit": "", "profile": "0 s: 0 %"}
    rows = [r.model_copy(update=cool) if r.kind == "component" else r for r in rows]
    rows += [
        d.WatchRow(name="Hottest after 4 min", quantity="temperature", of="Choke; Surge stage", most="40 degC"),
        d.GridRow(name="Grid", detail="2"),
        d.RunRow(name="Run", time="240 s", step="10 s", start="steady state", hold_flow="120 s", save_every="60 s"),
    ]
    names = ("Fan runs on", "Fan stops, too")
    document = d.Document(name="Night switch-off", rows=tuple(rows), layouts=tuple(d.Layout(name=n) for n in names))
    document = edits.set_cell(names[0], "Surroundings", "ambient", "20 degC").apply(document)
    stops = d.EventRow(name="Fan stops", at="1 s", of="East fan", cell="speed", to="5 %")
    return edits.add_row(names[1], stops, True).apply(document)


def oil_well_heater() -> Document:
    """The oil well below the lamp room, warmed from a heater in a recess of its floor: is it warm before the watch?"""
    oil = {"density": "850 kg/m3", "viscosity": "6 mPa s", "heat_capacity": "1950 J/kg/K"}
    rows = (
        d.FluidRow(name="Lamp oil", conductivity="0.13 W/m/K", expansion="8e-4 1/K", **oil),
        d.Enclosure(
            name="Well",
            size="160, 40, 120 mm",
            wall="0 mm",
            fluid="Lamp oil",
            outside="4 W/m2/K",
            sides="y-: symmetry; y+: symmetry",
        ),
        d.Block(name="Floor, left", at="0, 0, 0 mm", size="50, 40, 30 mm", material="concrete"),
        d.Block(name="Floor, right", at="110, 0, 0 mm", size="50, 40, 30 mm", material="concrete"),
        d.Block(name="Heater", at="50, 0, 0 mm", size="60, 40, 5 mm", material="aluminium", power="20 W"),
        d.Surroundings(name="Lamp room", ambient="5 degC"),
        d.WatchRow(name="Oil, mean", quantity="temperature", of="Well", measure="mean", least="11.5 degC"),
        d.WatchRow(name="Heater, hottest", quantity="temperature", of="Heater", most="65 degC"),
        d.WatchRow(name="Fastest oil", quantity="speed", of="Well", measure="max"),
        d.GridRow(name="Grid"),
        d.RunRow(name="Run", time="600 s", step="2 s", save_every="30 s"),
        d.Section(name="Across", across="y", at="20 mm"),
        d.Isosurface(name="Warm oil", at="15 degC"),
    )
    names = ("20 W", "30 W", "10 W")
    document = d.Document(name="Oil well heater", rows=rows, layouts=tuple(d.Layout(name=n) for n in names))
    for name in names:
        document = edits.set_cell(name, "Heater", "power", name, True).apply(document)
    return document


JOBS = {
    f.__name__.replace("_", "-"): f
    for f in (
        inverter_cold_plate,
        jacket_cooler,
        air_heater,
        deck_pipe,
        ribbed_channel,
        battery_bath,
        mast_rod,
        lamp_sink,
        night_switch_off,
        oil_well_heater,
    )
}


def main() -> None:
    """All of them, or those named."""
    for name in sys.argv[1:] or JOBS:
        folder = DATA / name
        shutil.rmtree(folder, ignore_errors=True)
        files.save(JOBS[name](), folder)
        if name == "inverter-cold-plate":
            its_board(folder)
        print(name)


if __name__ == "__main__":
    main()
