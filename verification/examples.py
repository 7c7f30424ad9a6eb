"""The worked examples of docs/project-file.md: written to docs/examples/ as projects, read and solved by the tests."""

from __future__ import annotations

from stithy import kinds as d

STILL = {"gravity": "0, 0, 0 m/s2", "flow": "laminar"}


def _grid(**cells) -> d.GridRow:
    """A grid row with every cell said, as an expert would."""
    return d.GridRow(
        name="Grid", **({"across_gaps": "3", "across_solids": "1", "growth": "1.4", "at_walls": "0 mm"} | cells)
    )


def _doc(name: str, *rows) -> d.Document:
    return d.Document(name=name, rows=rows, layouts=(d.Layout(name="Base"),))


def examples() -> dict[str, tuple[d.Document, str, list[str]]]:
    """Folder -> document, what it shows, and commands that read its result."""
    return {
        "channel-pitch": (
            _doc(
                "One pitch of a long channel",
                d.FluidRow(
                    name="test gas",
                    density="1.2 kg/m3",
                    viscosity="1.8e-5 Pa s",
                    heat_capacity="1006 J/kg/K",
                    conductivity="0.026 W/m/K",
                ),
                d.Enclosure(
                    name="Duct",
                    size="10, 10, 5 mm",
                    wall="0 mm",
                    fluid="test gas",
                    outside="adiabatic",
                    sides="x-: periodic; x+: periodic; z-: symmetry; z+: symmetry; y-: 200 W/m2; y+: 200 W/m2",
                ),
                d.DriveRow(name="Drive", along="x+", flow="0.2 m/s"),
                d.Surroundings(name="Air", ambient="20 degC", **STILL),
                _grid(coarsest="10 mm", across_gaps="20"),
                d.RunRow(name="Run", residual="1e-7", iterations="1000"),
            ),
            "Two-dimensional and periodic: laminar flow between plates, a given flux on both. Symmetry on z- and z+ "
            "makes one layer of "
            "cells between them; one cell along x is enough, because nothing but temperature changes along a "
            "developed flow. The mean "
            "temperature of a driven periodic model is the ambient one; temperatures rise by `temperature rise` from "
            "pitch to pitch.",
            ["read drive", "read walls", 'read plane x "5 mm"', 'read line "5, 0, 2.5 mm" "5, 10, 2.5 mm" --points 11'],
        ),
        "pipe-pitch": (
            _doc(
                "One pitch of a pipe at one temperature",
                d.FluidRow(
                    name="oil",
                    density="850 kg/m3",
                    viscosity="0.01 Pa s",
                    heat_capacity="2000 J/kg/K",
                    conductivity="0.13 W/m/K",
                ),
                d.Enclosure(
                    name="Case",
                    size="20, 14, 14 mm",
                    wall="0 mm",
                    fluid="oil",
                    outside="adiabatic",
                    sides="x-: periodic; x+: periodic",
                ),
                d.Block(name="Pipe", size="20, 14, 14 mm", power="60 degC"),
                d.Bore(name="Bore", at="0, 7, 7 mm", along="x", length="20 mm", diameter="10 mm", cells="16"),
                d.DriveRow(name="Drive", along="x+", flow="0.2 m/s", temperature="30 degC"),
                d.Surroundings(name="Air", **STILL),
                _grid(coarsest="2 mm", across_gaps="2"),
                d.RunRow(name="Run", residual="1e-6", iterations="600"),
            ),
            "Periodic flow between walls of one temperature: the block around the bore is held at 60 degC, what "
            "enters has a bulk "
            "temperature of 30 degC. `wall Pipe --along x` gives flux, bulk temperature and heat transfer coefficient "
            "(times 10 mm over "
            "0.13 W/m/K: the Nusselt number of developed flow, 3.66).",
            ["read drive", "read wall Pipe --along x", 'read plane x "10 mm"'],
        ),
        "heated-duct": (
            _doc(
                "Square duct with a heated stretch",
                d.Enclosure(name="Duct", size="200, 10, 10 mm", wall="0 mm", fluid="air", outside="adiabatic"),
                d.WallPatch(
                    name="Heated floor", on="Duct", side="z-", at="50, 0 mm", size="150, 10 mm", condition="60 degC"
                ),
                d.Opening(
                    name="In",
                    on="Duct",
                    side="x-",
                    at="0, 0 mm",
                    size="10, 10 mm",
                    flow="0.15 m/s",
                    profile="developed",
                ),
                d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="10, 10 mm", flow="0 Pa"),
                d.Surroundings(name="Air", **STILL),
                _grid(coarsest="2.5 mm", across_gaps="16"),
                d.RunRow(name="Run"),
            ),
            "Three-dimensional, open: a developed inlet, 50 mm without heating so that no held wall touches the "
            "inlet, then a held wall. "
            "Inlets bring heat in by convection only. `wall NAME --along x` gives the local flux and the bulk "
            "temperature beside it.",
            ["read ends", 'read plane x "60 mm" "150 mm"', 'read wall "Heated floor" --along x', "read balance"],
        ),
        "two-streams": (
            _doc(
                "Counter-flow over a plate",
                d.FluidRow(
                    name="hot oil",
                    density="850 kg/m3",
                    viscosity="0.05 Pa s",
                    heat_capacity="2000 J/kg/K",
                    conductivity="0.13 W/m/K",
                ),
                d.Enclosure(
                    name="Case",
                    size="200, 5, 9 mm",
                    wall="0 mm",
                    fluid="hot oil",
                    outside="adiabatic",
                    sides="y-: symmetry; y+: symmetry",
                ),
                d.Block(name="Plate", at="0, 0, 4 mm", size="200, 5, 1 mm", material="stainless steel"),
                d.FluidRegion(name="Upper channel", at="100, 2.5, 7 mm", fluid="water"),
                d.Opening(
                    name="Oil in",
                    on="Case",
                    side="x-",
                    at="0, 0 mm",
                    size="5, 4 mm",
                    flow="0.05 m/s",
                    temperature="80 degC",
                ),
                d.Opening(name="Oil out", on="Case", side="x+", at="0, 0 mm", size="5, 4 mm", flow="0 Pa"),
                d.Opening(
                    name="Water in",
                    on="Case",
                    side="x+",
                    at="0, 5 mm",
                    size="5, 4 mm",
                    flow="0.02 m/s",
                    temperature="20 degC",
                ),
                d.Opening(name="Water out", on="Case", side="x-", at="0, 5 mm", size="5, 4 mm", flow="0 Pa"),
                d.Surroundings(name="Air", **STILL),
                _grid(coarsest="4 mm", across_gaps="12", across_solids="2"),
                d.RunRow(name="Run", residual="1e-5"),
            ),
            "Two fluids in one enclosure: the plate from end to end parts it into two fluid spaces; a fluid region "
            "names the fluid of the "
            "space that holds its point. Fluid spaces are numbered along x, then y, then z.",
            ["read ends", 'read plane x "20 mm" "100 mm" "180 mm"', "read walls"],
        ),
        "tube-in-tube": (
            _doc(
                "Oil in a tube, water about it",
                d.FluidRow(
                    name="hot oil",
                    density="850 kg/m3",
                    viscosity="0.02 Pa s",
                    heat_capacity="2000 J/kg/K",
                    conductivity="0.13 W/m/K",
                ),
                d.Enclosure(name="Case", size="200, 20, 20 mm", wall="0 mm", fluid="hot oil", outside="adiabatic"),
                d.Block(name="Shell", size="200, 20, 20 mm", material="FR4 laminate"),
                d.Bore(name="Annulus", at="0, 10, 10 mm", along="x", length="200 mm", diameter="16 mm", cells="16"),
                d.Cylinder(
                    name="Tube",
                    at="0, 10, 10 mm",
                    along="x",
                    length="200 mm",
                    diameter="10 mm",
                    bore="8 mm",
                    material="stainless steel",
                    cells="10",
                ),
                d.FluidRegion(name="Water side", at="100, 10, 16.5 mm", fluid="water"),
                d.Opening(
                    name="Oil in",
                    on="Case",
                    side="x-",
                    at="2, 2 mm",
                    size="16, 16 mm",
                    flow="10 g/s",
                    temperature="80 degC",
                ),
                d.Opening(name="Oil out", on="Case", side="x+", at="2, 2 mm", size="16, 16 mm", flow="0 Pa"),
                d.Opening(
                    name="Water in",
                    on="Case",
                    side="x+",
                    at="2, 2 mm",
                    size="16, 16 mm",
                    flow="10 g/s",
                    temperature="20 degC",
                    serves="water",
                ),
                d.Opening(
                    name="Water out", on="Case", side="x-", at="2, 2 mm", size="16, 16 mm", flow="0 Pa", serves="water"
                ),
                d.Surroundings(name="Air", **STILL),
                _grid(coarsest="8 mm", across_gaps="5"),
                d.RunRow(name="Run"),
            ),
            "Round channels behind rectangular openings: each opening covers both, and serves the fluid it names (or, "
            "naming none, the one "
            "behind its middle); what is solid or another fluid stays closed. The stated flow enters through what is "
            "open. A cylinder "
            "with a bore is a tube; the smaller shape wins where shapes cross, so the tube stands in the annulus' "
            "bore.",
            ["read ends", 'read plane x "100 mm"', "read walls", "read balance"],
        ),
        "step": (
            _doc(
                "Backward-facing step",
                d.FluidRow(
                    name="test fluid",
                    density="1 kg/m3",
                    viscosity="0.001 Pa s",
                    heat_capacity="1000 J/kg/K",
                    conductivity="1 W/m/K",
                ),
                d.Enclosure(
                    name="Duct",
                    size="200, 5, 20 mm",
                    wall="0 mm",
                    fluid="test fluid",
                    outside="adiabatic",
                    sides="y-: symmetry; y+: symmetry",
                ),
                d.Block(name="Step", size="20, 5, 10 mm"),
                d.Opening(
                    name="In", on="Duct", side="x-", at="0, 10 mm", size="5, 10 mm", flow="5 m/s", profile="developed"
                ),
                d.Opening(name="Out", on="Duct", side="x+", at="0, 0 mm", size="5, 20 mm", flow="0 Pa"),
                d.Surroundings(name="Air", **STILL),
                _grid(coarsest="2 mm", across_gaps="16", growth="1.1"),
                d.RunRow(name="Run", residual="1e-5", iterations="800"),
            ),
            "Two-dimensional, open, isothermal. The floor's shear force changes its sign where the flow comes to the "
            "floor again.",
            [
                'read wall "Duct z-" --along x',
                'read line "20, 2.5, 0.3 mm" "100, 2.5, 0.3 mm" --points 21',
                "read wall Step",
            ],
        ),
        "warm-up": (
            _doc(
                "A chip switched on and off",
                d.Enclosure(
                    name="Case",
                    size="40, 30, 15 mm",
                    wall="0 mm",
                    outside="adiabatic",
                    sides="z-: 12 W/m2/K to 25 degC",
                ),
                d.Board(name="Board", size="40, 30, 1.6 mm"),
                d.Component(
                    name="Chip",
                    at="14, 10, 1.6 mm",
                    size="12, 10, 2 mm",
                    power="2 W",
                    profile="on 30 s, off 60 s",
                    limit="90 degC",
                ),
                d.Surroundings(name="Air", ambient="25 degC", **STILL),
                _grid(coarsest="4 mm"),
                d.RunRow(name="Run", time="180 s", step="2 s", save_every="30 s"),
            ),
            "In time: a duty cycle, fixed steps, kept instants. `--time` picks the instant nearest to it.",
            ["read history", "read parts", 'read parts --time "30 s"', 'read at "20, 15, 2 mm" --time "90 s"'],
        ),
        "warm-cavity": (
            _doc(
                "Heated square cavity, Ra 1e5, Pr 0.71",
                d.FluidRow(
                    name="unit fluid",
                    density="1 kg/m3",
                    viscosity="8.4262e-6 Pa s",
                    heat_capacity="1 J/kg/K",
                    conductivity="1.18679e-5 W/m/K",
                    expansion="0.001 1/K",
                ),
                d.Enclosure(
                    name="Cavity",
                    size="100, 5, 100 mm",
                    wall="0 mm",
                    fluid="unit fluid",
                    outside="adiabatic",
                    sides="y-: symmetry; y+: symmetry; x-: 30 degC; x+: 20 degC",
                ),
                d.Surroundings(
                    name="Air", ambient="25 degC", gravity="0, 0, -1.0 m/s2", flow="laminar", radiation="none"
                ),
                _grid(coarsest="2 mm", across_gaps="40", at_walls="0.5 mm", growth="1.15"),
                d.RunRow(name="Run", residual="1e-5", iterations="800"),
            ),
            "Natural convection in a closed space: Ra = g beta dT L^3 / (nu alpha) from a fluid of one's own; "
            "buoyancy is Boussinesq's "
            "with `constant` properties, and by density with `varying`.",
            [
                "read walls",
                'read wall "Cavity x-" --along z',
                'read line "0, 2.5, 50 mm" "100, 2.5, 50 mm" --points 21',
            ],
        ),
    }
