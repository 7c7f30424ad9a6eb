"""Two tables of the manual: defaults beside an expert's settings and the truth, and how often the bands of defaults
hold."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from stithy import jobs as shipped
from stithy import kinds as d
from stithy import starts
from stithy.mesh.gridding import settled
from stithy.outcome import tables as outcome
from stithy.project import assets, edits, files
from stithy.read.band import Bands
from stithy.solve import job as jobs

from . import defaults as f

DEMO = "src/stithy/data/demo/lamp-driver"
#: models of the start page and jobs, on which no factor of the bands was chosen but how far they are widened: layout,
#: and how many times more cells the finer grid has along every stretch
HELD_BACK = (
    ("cold-plate", "Parallel", 2.0),
    ("sink-in-duct", "Plates", 1.9),
    ("sink-in-duct", "Pins", 1.8),
    ("enclosure", "Fan", 1.5),
    ("tube-in-shell", "4 baffles", 1.6),
    ("pipe", "0.6 m/s", 1.8),
    ("tank", "3 cm/s", 1.8),
    ("channel-with-ribs", "Ribs", 1.8),
    ("finned-tube-bank", "Plain", 2.0),
    ("jacket-cooler", "2 baffles", 1.5),
    ("leaky-housing", "Draught", 2.0),
    ("fog-horn-duct", "Full draught", 1.7),
    ("sea-water-manifold", "Even speeds", 1.5),
    ("inverter-cold-plate", "Parallel channels", 1.6),
)


@dataclass(frozen=True)
class Case:
    """One configuration: its document as it comes, the same set up by an expert, and what is looked at (a number of a
    solved document).

    ``reference`` None: the number on a grid of eight times the default's cells.
    """

    name: str
    quantity: str
    document: d.Document
    expert: d.Document
    number: Callable[[f.Solved], float]
    reference: float | None = None
    source: str = "own grid, 8 times the cells"


def finer(document: d.Document, times: float, layout: str = "", banded: bool = False) -> f.Solved:
    """A document solved on a grid with ``times`` as many cells along every stretch."""
    layout, whole = layout or document.layouts[0].name, jobs.resolve

    def dense(doc, name):
        model = settled(whole(doc, name))
        return replace(model, grid=replace(model.grid, count=times * model.grid.count))

    jobs.resolve = dense
    try:
        job = jobs.Job(document, layout, banded=banded)
        summary = job.run().summary
    finally:
        jobs.resolve = whole
    return f.Solved(job, f.Quantities(job.result()), summary)


def _said(document: d.Document, flow: str = "laminar", **cells) -> d.Document:
    """The document with an expert's grid and mixing."""
    sets = [edits.set_cell("First layout", "Grid", k, v) for k, v in cells.items()]
    sets += [
        edits.set_cell("First layout", "Surroundings", "flow", flow),
        edits.set_cell("First layout", "Run", "residual", "1e-6"),
        edits.set_cell("First layout", "Run", "iterations", "1500"),
    ]
    return edits.many("as an expert", sets).apply(document)


def _channel_nu(s: f.Solved) -> float:
    w, bulk = s.q.wall("Duct y-"), s.q.plane(0, 0.01)["fluid space 1"]["bulk_temperature"]
    return w["flux"] / (w["wall_temperature"] - bulk) * 0.04 / f.K


def _wall_nu(perimeter: float, wide: float):
    def number(s: f.Solved) -> float:
        parts = s.q.parts()
        wall = np.mean([p["mean"] for n, p in parts.items() if n.startswith("Wall")])
        heat = sum(p["heat_load"] for p in parts.values())
        return (
            heat / (perimeter * 0.01) / (wall - s.q.plane(0, 0.005)["fluid space 1"]["bulk_temperature"]) * wide / f.K
        )

    return number


def _rise(part: str):
    def number(s: f.Solved) -> float:
        return Bands(s.summary).temperature(part).value - s.summary["ambient"]

    return number


def _gnielinski(reynolds: float, friction: float) -> float:
    return friction / 8 * (reynolds - 1000) * f.PR / (1 + 12.7 * np.sqrt(friction / 8) * (f.PR ** (2 / 3) - 1))


def _plate(s: f.Solved) -> float:
    return s.q.wall("Plate")["flux"] / 20.0


def _cavity(s: f.Solved) -> float:
    air = s.job.prepared.case.fluids[0]
    return abs(s.q.wall("Cavity x-")["flux"]) * 0.045453 / (air.k * 11.0)


def _upright(s: f.Solved) -> float:
    return s.q.wall("Wall")["flux"] / 30.0


def cases() -> list[Case]:
    """All of them; the demonstration is looked at in :func:`demonstration`."""
    dean, petukhov = 4 * 0.073 * 1e4**-0.25, (0.79 * np.log(2e4) - 1.64) ** -2
    twenty = {"coarsest": "20 mm", "across_gaps": "20", "across_solids": "1", "growth": "1.4", "at_walls": "0 mm"}
    bore = {"coarsest": "0.4 mm", "across_gaps": "2", "across_solids": "1", "growth": "1.4", "at_walls": "0 mm"}
    open_ = {"coarsest": "4 mm", "across_gaps": "8", "across_solids": "1", "growth": "1.15", "at_walls": "0.15 mm"}
    shah = "Shah & London 1978"
    out = [
        Case(f"plane channel, Re {re}", "Nu", f.channel(re), _said(f.channel(re), **twenty), _channel_nu, 8.235, shah)
        for re in (500, 1500)
    ]
    out += [
        Case(
            "plane channel, Re 20000",
            "Nu",
            f.channel(2e4),
            _said(f.channel(2e4), "k-omega", **twenty),
            _channel_nu,
            _gnielinski(2e4, dean),
            "Gnielinski with Dean's friction",
        ),
        Case(
            "round bore, Re 1000",
            "Nu",
            f.bore(1000),
            _said(f.bore(1000), **bore),
            _wall_nu(np.pi * 0.01, 0.01),
            4.364,
            shah,
        ),
        Case(
            "round bore, Re 20000",
            "Nu",
            f.bore(2e4),
            _said(f.bore(2e4), "k-omega", **bore),
            _wall_nu(np.pi * 0.01, 0.01),
            _gnielinski(2e4, petukhov),
            "Gnielinski 1976",
        ),
        Case(
            "square passage, Re 1000",
            "Nu",
            f.square(1000),
            _said(f.square(1000), **bore),
            _wall_nu(0.04, 0.01),
            3.608,
            shah,
        ),
        Case(
            "plate with a leading edge, Re 2700",
            "h W/m2/K",
            f.plate(),
            _said(f.plate(), **open_),
            _plate,
            0.664 * f.K / 0.04 * np.sqrt(0.04 / f.NU) * np.cbrt(f.PR),
            "Pohlhausen 1921",
        ),
        Case(
            "square cavity, Ra 1e5", "Nu", f.cavity(), _said(f.cavity(), **open_), _cavity, 4.519, "de Vahl Davis 1983"
        ),
        Case("upright warm wall in still air", "h W/m2/K", f.upright(), _said(f.upright(), **open_), _upright),
    ]
    for name, document, part in (
        ("component on a board in a duct", f.block(), "Chip"),
        ("square pins in a duct", f.pins(), "Heater"),
        ("plate-fin sink in a duct", f.fins_in_duct(), "Heater"),
        ("plate-fin sink in still air", f.fins_in_still_air(), "Heater"),
        ("sealed housing, three parts", f.sealed_box(), "Relay driver"),
        ("cold plate, glycol", f.cold_plate(), "Module"),
    ):
        expert = edits.set_cell("First layout", "Grid", "detail", "fine").apply(document)
        out.append(Case(name, f"rise of {part} K", document, expert, _rise(part)))
    return out


@dataclass
class Held:
    """How many numbers of one configuration lie in their bands on the finer grid; ``longer``: how many times the
    coarser grid's cells are as long, ``chosen``: whether the factors of the bands were chosen on it."""

    case: str
    cells: int
    finer_cells: int
    held: int
    numbers: int
    width: float
    error: float
    longer: float
    chosen: bool = True


def holds(name: str, default: f.Solved, fine: f.Solved) -> Held:
    """Temperatures, drops and fans of a solved default beside the same on the finer grid; widths and errors over rises
    (means)."""
    bands, truth = Bands(default.summary), outcome.numbers(fine.job.prepared, fine.job.run_)
    seen = [
        (bands.temperature(n, k), truth["parts"][n][k], default.summary["ambient"])
        for n in truth["parts"]
        for k in ("max", "mean")
    ]
    seen += [(bands.rise(n), truth["fans"][n]["rise"], 0.0) for n in truth["fans"]]
    ends = list(truth["ends"])
    if len(ends) == 2 and abs(truth["ends"][ends[0]]["pressure"] - truth["ends"][ends[1]]["pressure"]) > 1e-3:
        seen.append((bands.drop(*ends), truth["ends"][ends[0]]["pressure"] - truth["ends"][ends[1]]["pressure"], 0.0))
    seen = [(x, t, zero) for x, t, zero in seen if x is not None and x.band is not None and abs(t - zero) > 1e-6]
    held = sum(abs(x.value - t) <= x.band for x, t, _ in seen)
    widths, errors = (
        [g(x, t) / abs(t - zero) for x, t, zero in seen] for g in (lambda x, t: x.band, lambda x, t: abs(x.value - t))
    )
    return Held(
        name,
        default.summary["cells"],
        fine.summary["cells"],
        held,
        len(seen),
        float(np.mean(widths)),
        float(np.mean(errors)),
        default.summary["coarse"]["longer"],
    )


def tables(tell=print) -> tuple[list[tuple], list[Held]]:
    """Rows (case, quantity, reference, source, expert, its error, default, its error, cells, seconds) and :class:`Held`
    of each case."""
    rows, bands = [], []
    for case in cases():
        began = time.perf_counter()
        default = f.solve(case.document)
        took = time.perf_counter() - began
        expert, reference = case.number(f.solve(case.expert)), case.reference
        value = case.number(default)
        if reference is None:
            fine = finer(case.document, 2.0)
            reference = case.number(fine)
            if default.summary["parts"]:
                bands.append(holds(case.name, default, fine))
        rows.append(
            (
                case.name,
                case.quantity,
                reference,
                case.source,
                expert,
                expert / reference - 1,
                value,
                value / reference - 1,
                default.summary["cells"],
                took,
            )
        )
        tell(rows[-1])
    for layout in ("Fan on wall, plates", "Fan on wall, pins", "Fan inside, plates"):
        row, held = demonstration(layout)
        rows.append(row)
        bands.append(held)
        tell(row)
    for name, layout, times in HELD_BACK:
        bands.append(held_back(name, layout, times))
        tell(bands[-1])
    return rows, bands


def held_back(name: str, layout: str, times: float) -> Held:
    """How many numbers of a shipped model lie in their bands."""
    folder = shipped.DATA / "jobs" / name
    if name in starts.names():
        document = starts.document(name)
    else:
        assets.know(folder)
        document = files.read(folder)
    job = jobs.Job(document, layout)
    default = f.Solved(job, None, job.run().summary)
    fine = jobs.Job(document, layout, banded=False, finer=times)
    summary = fine.run().summary
    return replace(holds(f"{document.name}, {layout}", default, f.Solved(fine, None, summary)), chosen=False)


def demonstration(layout: str) -> tuple[tuple, Held]:
    """All parts of one layout of the demonstration: errors of rises, root mean square; its expert is the grid itself
    without the bands' correction."""
    document = files.read(DEMO)
    began = time.perf_counter()
    job = jobs.Job(document, layout)
    default = f.Solved(job, None, job.run().summary)
    took = time.perf_counter() - began
    fine = finer(document, 1.75, layout)  # five times the cells: eight times would be 1.9 million
    ambient, truth = default.summary["ambient"], outcome.numbers(fine.job.prepared, fine.job.run_)["parts"]
    bands = Bands(default.summary)
    names = [n for n in truth if n != "Case"]
    plain, told = (
        float(np.sqrt(np.mean([((g(n) - truth[n]["max"]) / (truth[n]["max"] - ambient)) ** 2 for n in names])))
        for g in (lambda n: bands.temperature(n).on_grid, lambda n: bands.temperature(n).value)
    )
    row = (
        f"demonstration, {layout}",
        "rises of its parts, rms error",
        0.0,
        "own grid, 5 times the cells",
        0.0,
        plain,
        0.0,
        told,
        default.summary["cells"],
        took,
    )
    return row, holds(f"demonstration, {layout}", default, fine)
