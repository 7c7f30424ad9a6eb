"""The jobs of Tolva Head that begin with imported solids, as projects in src/stithy/data/jobs (python
tools/make_jobs.py)."""

from __future__ import annotations

import shutil
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from stithy import api, kinds  # noqa: E402
from stithy.kinds import closing  # noqa: E402
from stithy.kinds.fit import around  # noqa: E402
from stithy.project import edits, files  # noqa: E402
from verification import boards, jobs, solids  # noqa: E402

FIRST = "First layout"


class Making:
    """A project in the making: solids of a script taken in, an enclosure around them."""

    def __init__(self, name: str, parts: dict, **surroundings):
        self.folder = ROOT / "src/stithy/data/jobs" / name.lower().replace(" ", "-")
        shutil.rmtree(self.folder, ignore_errors=True)
        rows = (
            kinds.Surroundings(name="Surroundings", **surroundings),
            kinds.GridRow(name="Grid"),
            kinds.RunRow(name="Run"),
        )
        files.save(kinds.Document(name=name, rows=rows), self.folder)
        self.project = api.open_project(self.folder)
        with tempfile.TemporaryDirectory() as place:
            step = solids.write_step(Path(place) / f"{name.lower().replace(' ', '-')}.step", parts)
            self.project.take_in(step)
        self.do(around(self.project.document, FIRST))

    def do(self, edit) -> None:
        """Apply an edit."""
        self.project.document = edit.apply(self.project.document)

    def set(self, row: str, layout: str = FIRST, only_here: bool = False, **cells: str) -> None:
        """Set cells of a row."""
        for key, text in cells.items():
            self.do(edits.set_cell(layout, row, key, text, only_here))

    def put(self, plate: str, kind: str, name: str, **cells: str) -> None:
        """Put something on a plate."""
        self.do(closing.put_on(self.project.document, FIRST, plate, kind, name=name, **cells)[1])

    def fill(self, touches: str, fluid: str, name: str) -> None:
        """Fill the fluid space that touches a part and is none yet named; "" for the one at the sides."""
        for space in self.project.spaces():
            if not space.name and (space.sides if not touches else not space.sides and touches in space.parts):
                self.do(closing.fill_space(self.project.document, FIRST, space.point, fluid, name)[1])
                return
        raise ValueError(f"no fluid space touches {touches}")

    def plates(self) -> dict[str, str]:
        """Names of plates by what they close and where, rounded to mm."""
        return {
            f"{f.of} {tuple(int(round(1e3 * x)) for x in f.rims[0].centre)}": f.plate for f in self.project.openings()
        }

    def add(self, *rows: kinds.Row) -> None:
        """Add rows: what is drawn and watched of the result."""
        for row in rows:
            self.do(edits.add_row(FIRST, row))

    def layout(self, name: str) -> None:
        """Another layout, like the first."""
        self.do(edits.duplicate_layout(FIRST, name))

    def finish(self, first: str) -> None:
        """Name the first layout and save."""
        self.do(edits.rename_layout(FIRST, first))
        problems = [str(p) for x in self.project.document.layouts for p in self.project.check(x.name)]
        if problems:
            raise ValueError("; ".join(problems))
        files.save(self.project.document, self.folder)
        print(self.folder.name, len(self.project.document.rows), "rows")


def limit(name: str, of: str, most: str, quantity: str = "pressure drop") -> kinds.Row:
    """A watch with a bound."""
    return kinds.WatchRow(name=name, quantity=quantity, of=of, most=most)


def exhaust_heater() -> None:
    """Hot gas in four bent tubes through a box of water."""
    m = Making("Exhaust heater", jobs.exhaust_heater(), properties="varying", gravity="0, 0, -9.81 m/s2")
    m.project.close()
    at = m.plates()
    m.put(at["Gas inlet head (-56, 0, 66)"], "opening", "Gas in", flow="4 m/s", temperature="300 degC")
    m.put(at["Gas outlet head (256, 0, 66)"], "opening", "Gas out", flow="0 Pa")
    m.put(at["Box (170, 0, -18)"], "opening", "Water in", flow="0.05 m/s", temperature="15 degC")
    m.put(at["Box (30, 0, 150)"], "opening", "Water out", flow="0 Pa")
    m.fill("", "left out", "Outside")
    m.fill("Gas inlet head", "air", "Gas")
    m.fill("Tube 1", "water", "Water")
    for tube in ("Tube 1", "Tube 2", "Tube 3", "Tube 4"):
        m.set(tube, material="stainless steel")
    m.do(edits.add_row(FIRST, limit("Tube wall", "Tube 3", "55 degC", quantity="temperature")))
    m.add(
        kinds.Section(name="Section", steps="20 K"),
        kinds.Surface(name="Surfaces", shown="off"),
        kinds.Vectors(name="Vectors", shown="off"),
        kinds.Streamlines(name="Streamlines", quantity="temperature", source="Gas in; Water in", count="22"),
        kinds.WatchRow(name="Duty", quantity="duty"),
        kinds.WatchRow(name="Effectiveness", quantity="effectiveness"),
        kinds.WatchRow(name="Water leaves", of="Water out"),
    )
    m.layout("Trickle")
    m.set("Water in", "Trickle", True, flow="0.02 m/s")
    m.finish("Brisk water")


def manifold() -> None:
    """Three inlets, one bent outlet, of sea water."""
    m = Making("Sea-water manifold", jobs.manifold(), gravity="0, 0, 0 m/s2")
    enclosure = next(r.name for r in m.project.document.rows if r.kind == "enclosure")
    m.set(enclosure, fluid="water")
    m.project.close()
    at = m.plates()
    for name, key, flow, warm in (
        ("Wide inlet", "Manifold (30, 0, 60)", "0.4 m/s", "12 degC"),
        ("Slanted inlet", "Manifold (102, 0, 62)", "0.4 m/s", "25 degC"),
        ("Narrow inlet", "Manifold (120, -56, 0)", "0.4 m/s", "40 degC"),
    ):
        m.put(at[key], "opening", name, flow=flow, temperature=warm)
    m.put(at["Manifold (215, 75, 0)"], "opening", "Outlet", flow="0 Pa")
    m.fill("", "left out", "Outside")
    m.do(edits.add_row(FIRST, limit("Narrow inlet's head", "Narrow inlet; Outlet", "500 Pa")))
    m.add(
        kinds.Section(name="Section", across="z"),
        kinds.Surface(name="Surfaces", shown="off"),
        kinds.Streamlines(name="Streamlines", quantity="residence time", marks="moving"),
        kinds.WatchRow(name="Evenness of the outlet", quantity="evenness", of="Outlet", least="0.75"),
        kinds.WatchRow(name="Spread at the outlet", of="Outlet", measure="spread"),
        kinds.WatchRow(name="Water left over", quantity="mass left over"),
    )
    m.layout("Narrow inlet fast")
    m.set("Narrow inlet", "Narrow inlet fast", True, flow="1.2 m/s")
    m.finish("Even speeds")


def duct() -> None:
    """A fog-horn duct of eleven parts."""
    m = Making("Fog-horn duct", jobs.duct(), gravity="0, 0, 0 m/s2")
    m.project.close()
    at = m.plates()
    m.put(at["Inlet sleeve (-20, 40, 30)"], "opening", "Inlet", flow="total 4 Pa")
    m.put(at["Outlet sleeve (320, 40, 30)"], "opening", "Outlet", flow="0 Pa")
    m.fill("", "left out", "Outside")
    for row in [r for r in m.project.document.rows if r.kind == "body"]:
        m.set(row.name, material="aluminium" if row.name.startswith("Core") else "mild steel")
    m.set("Core", power="120 W")
    m.set("Heater", power="5 W")
    m.do(edits.add_row(FIRST, limit("Core stays cool", "Core", "110 degC", quantity="temperature")))
    m.layout("Weak draught")
    m.set("Inlet", "Weak draught", True, flow="total 0.5 Pa")
    m.finish("Full draught")


def housing() -> None:
    """A housing whose faults have been settled: the lid set down, the doubled block deleted, four openings closed."""
    m = Making("Leaky housing", jobs.housing())
    m.do(edits.delete_row(FIRST, "Block again"))
    m.set("Lid", move="0, 0, -0.05 mm")
    m.project.close()
    at = m.plates()
    m.put(at["Housing (118, 40, 25)"], "opening", "Inlet", flow="1 m/s")
    m.put(at["Housing (90, 0, 18)"], "opening", "Grille", flow="ambient")
    m.fill("", "left out", "Outside")
    m.set("Block", power="6 W")
    m.do(edits.add_row(FIRST, limit("Block stays cool", "Block", "44 degC", quantity="temperature")))
    m.layout("No draught")
    m.set("Inlet", "No draught", True, flow="0.02 m/s")
    m.finish("Draught")


def relay_boards() -> dict[str, Path]:
    """The files of both revisions of the relay board, written anew where the program ships them."""
    return {n: boards.relay(n).write(ROOT / f"src/stithy/data/boards/relay-{n.lower()}") for n in "AB"}


#: heat loads and limits of the relay board, by reference: both revisions have their own
LOADS = """reference,power [W],limit [degC]
U1,0.6,105
U2,1.5,95
K1,0.5,85
K3,0.5,85
T1,1.2,105
Q1,1.5,106
L1,0.4,110
Q3,0.3,105
"""
LATER = "reference,power [W],limit [degC]\nQ1,0.9,106\nQ2,0.9,106\nU3,0.4,105\nL2,0.3,110\n"


def relay_box() -> None:
    """A sealed box in its own outside air with revision A or B of its board: wind down its fins, or none. Both airs are
    found."""
    m = Making("Relay box", jobs.relay_box(), ambient="40 degC", gravity="0, 0, -9.81 m/s2")
    files_of = relay_boards()
    (ROOT / "src/stithy/data/boards/relay-a/loads.csv").write_text(LOADS)
    (ROOT / "src/stithy/data/boards/relay-b/loads.csv").write_text(LATER)
    space = next(r.name for r in m.project.document.rows if r.kind == "enclosure")
    m.set(space, at="-50, -72, -80 mm", size="220, 170, 340 mm", outside="adiabatic")
    for part in ("Case", "Lid", "Pillars", "Pillars 2", "Pillars 3", "Pillars 4"):
        m.set(part, material="cast aluminium")
    whole = {"on": space, "at": "-50, -72 mm", "size": "220, 170 mm"}
    m.add(
        kinds.Opening(name="Above", side="z+", flow="4 m/s", **whole),
        kinds.Opening(name="Below", side="z-", flow="0 Pa", **whole),
    )
    came = m.project.take_board(files_of["A"])
    m.set(came.board, at="10, 14, 10 mm", faces="y+", name="Relay board")
    m.project.powers(ROOT / "src/stithy/data/boards/relay-a/loads.csv")
    m.fill("Relay board", "air", "Air inside")
    m.add(
        kinds.Section(name="Section", across="y", at="15 mm"),
        kinds.Surface(name="Surfaces", of="Relay board"),
        kinds.Streamlines(name="Streamlines", shown="off"),
        kinds.WatchRow(name="Air inside, mean", of="Air inside", measure="volume mean"),
        kinds.WatchRow(name="Case, mean", of="Case", measure="mean"),
    )
    m.do(edits.rename_layout(FIRST, "A, wind 4 m/s"))
    name = "A, wind 4 m/s"
    for title, revision, still in (
        ("B, still air", "B", True),
        ("B, wind 4 m/s", "B", False),
        ("A, still air", "A", True),
    ):
        m.do(edits.duplicate_layout(name, title))
        if still:
            for opening in ("Above", "Below"):
                m.set(opening, title, True, flow="ambient")
        if revision == "B":
            m.project.take_board(files_of["B"], layout=title, replaces="Relay board", only_here=True)
            m.project.powers(ROOT / "src/stithy/data/boards/relay-b/loads.csv", title, True)
    order = sorted(m.project.document.layouts, key=lambda x: (x.name[0] == "A", "still" in x.name))
    m.project.document = m.project.document.model_copy(update={"layouts": tuple(order)})
    files.save(m.project.document, m.folder)


if __name__ == "__main__":
    for make in (exhaust_heater, manifold, duct, housing, relay_box):
        make()
