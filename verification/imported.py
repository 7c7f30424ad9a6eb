"""Imported solids against exact values: passages along the grid and across it, sheets, fluxes on faces, ends at an
angle."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from stithy import api
from stithy import kinds as d
from stithy.kinds.assembly import resolve
from stithy.kinds.fit import around
from stithy.project import edits, files

from . import solids as s
from .gallery import Row

FIRST = "First layout"


def taken(parts: dict, *rows, grid: dict | None = None, **surroundings) -> api.Project:
    """A project with solids of the kernel taken in, an enclosure around them, its openings closed, the outside left out
    and adiabatic, and more ``rows``."""
    folder = Path(tempfile.mkdtemp())
    still = {"gravity": "0, 0, 0 m/s2"} | surroundings
    plain = (d.Surroundings(name="Surroundings", **still), d.GridRow(name="Grid", **(grid or {})), d.RunRow(name="Run"))
    files.save(d.Document(name="Imported", rows=plain), folder)
    project = api.open_project(folder)
    project.take_in(s.write_step(folder / "solids.step", parts))
    project.document = around(project.document, FIRST).apply(project.document)
    project.close()
    outside = next(x for x in project.spaces() if x.sides)
    at = ", ".join(f"{1e3 * x:.4f}" for x in outside.point) + " mm"
    for row in (d.FluidRegion(name="Outside", at=at, fluid="left out", outside="adiabatic"), *rows):
        project.document = edits.add_row(FIRST, row).apply(project.document)
    return project


def pipe(way, across: int = 16) -> list[Row]:
    """Developed laminar flow in an imported round pipe of 12 mm: fall of pressure along its middle third."""
    along = np.array(way, float) / np.linalg.norm(way)
    tube = s.cut(s.round_bar((0, 0, 0), along, 8, 60), s.round_bar(-along, along, 6, 62))
    size = {"coarsest": f"{12 / across} mm", "growth": "1.2", "across_gaps": "1", "across_solids": "1"}
    project = taken({"Tube": tube}, grid=size, flow="laminar")
    ends = sorted(project.openings(), key=lambda f: float(f.rims[0].centre @ along))
    for row in (
        d.Opening(name="In", on=ends[0].plate, flow="0.2 m/s", profile="developed"),
        d.Opening(name="Out", on=ends[1].plate, flow="static 0 Pa"),
    ):
        project.document = edits.add_row(FIRST, row).apply(project.document)
    solved = project.solve()
    x = np.stack(np.meshgrid(*solved.grid.centres, indexing="ij"), -1) @ along
    fluid, volume = solved.kind == 0, solved.grid.volumes()
    mean = []
    for low in (0.015, 0.035):
        here = fluid & (x > low) & (x < low + 0.01)
        mean.append([(v[here] * volume[here]).sum() / volume[here].sum() for v in (x, solved.pressure)])
    speed = solved.summary["ends"]["In"]["volume_flow"] / (np.pi * 0.006**2)
    mu = resolve(project.document, FIRST).enclosures[0].fluid.mu
    name = ", ".join(f"{v:g}" for v in way)
    fall = -(mean[1][1] - mean[0][1]) / (mean[1][0] - mean[0][0])
    return [
        Row(
            f"imported pipe along {name}",
            "fall of pressure Pa/m",
            f"{across} across",
            fall,
            32 * mu * speed / 0.012**2,
            "Hagen-Poiseuille",
        )
    ]


def wall() -> list[Row]:
    """Heat along an imported bar whose ends are held by groups of faces, and a layer on one of them."""
    rows = (
        d.MaterialRow(name="Metal", conductivity="200 W/m/K", density="2700 kg/m3", heat_capacity="900 J/kg/K"),
        d.FaceGroup(name="Hot", of="Bar", which="look x+", condition="80 degC"),
        d.FaceGroup(name="Cold", of="Bar", which="look x-", condition="20 degC"),
    )
    project = taken({"Bar": s.box((0, 0, 0), (60, 10, 8))}, *rows)
    project.document = edits.set_cell(FIRST, "Bar", "material", "Metal").apply(project.document)
    heat = project.solve().summary["walls"]["Cold"]
    return [Row("imported bar between held faces", "heat W", "by rule", heat, 200 * 80e-6 * 60 / 0.06, "k A dT / L")]


def skin() -> list[Row]:
    """A flux on the skin and an end of an oblique imported bar: heat through their true area."""
    group = d.FaceGroup(name="Skin", of="Bar", which="radius 20, 12, 12 mm; at 0, 0, 0 mm", condition="500 W/m2")
    project = taken({"Bar": s.round_bar((0, 0, 0), (1, 0.6, 0.3), 7, 40)}, group)
    outside = edits.set_cell(FIRST, "Outside", "outside", "50 W/m2/K").apply(project.document)
    heat = api.Project(outside, project.folder).solve().summary["heat_load"]
    area = 2 * np.pi * 7e-3 * 40e-3 + np.pi * 49e-6
    return [Row("flux on an oblique bar", "heat W", "by rule", heat, 500 * area, "flux times area")]


def contacts() -> list[Row]:
    """Areas on which imported solids touch: a tube in a plate, a ring on a box."""
    plate = s.cut(s.box((0, 0, 0), (4, 40, 40)), s.round_bar((-1, 20, 20), (1, 0, 0), 9, 6))
    tube = s.cut(s.round_bar((-10, 20, 20), (1, 0, 0), 9, 30), s.round_bar((-11, 20, 20), (1, 0, 0), 8, 32))
    ring = s.cut(s.box((4, 0, 0), (6, 40, 40)), s.box((3, 3, 3), (8, 34, 34)))
    found = {
        frozenset((p.one, p.other)): p.area for p in taken({"Plate": plate, "Tube": tube, "Ring": ring}).contacts()
    }
    return [
        Row(
            "tube in a plate",
            "touching area m2",
            "no grid",
            found[frozenset(("Plate", "Tube"))],
            2 * np.pi * 9e-3 * 4e-3,
            "2 pi r l",
        ),
        Row(
            "ring on a plate",
            "touching area m2",
            "no grid",
            found[frozenset(("Plate", "Ring"))],
            1600e-6 - 34e-3**2,
            "a b",
        ),
    ]


def rows() -> list[Row]:
    """All of them."""
    return [*pipe((1, 0, 0)), *pipe((1, 0.36, 0.2)), *pipe((1, 1, 0)), *wall(), *skin(), *contacts()]
