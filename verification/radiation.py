"""Radiation between surfaces, on the grid as it comes, against closed forms and crossed strings."""

from __future__ import annotations

import numpy as np
from scipy.optimize import brentq

from stithy import api, starts
from stithy import kinds as d
from stithy.project import edits, library

from .gallery import Row

SIGMA = 5.670374419e-8


def vacuum(*rows, **surroundings) -> d.Document:
    """Rows in a box of next to nothing, without gravity."""
    given = {"ambient": "300 K", "gravity": "0, 0, 0 m/s2", "radiation": "surfaces", **surroundings}
    return d.Document(
        rows=(
            d.FluidRow(name="nothing", density="1e-6 kg/m3", viscosity="1e-6 Pa s", conductivity="1e-9 W/m/K"),
            d.MaterialRow(name="plain", conductivity="400 W/m/K"),
            *rows,
            d.Surroundings(name="Surroundings", **given),
            d.GridRow(name="Grid"),
        )
    )


def solve(document: d.Document):
    """The solution of a document's only layout."""
    return api.Project(document, None).solve()


def slabs() -> list[Row]:
    """Two slabs of poor conductors with a gap of still air between them: conduction and radiation in series."""
    made = d.Document(
        rows=(
            d.FluidRow(name="still", conductivity="0.026 W/m/K"),
            d.MaterialRow(name="first", conductivity="0.2 W/m/K"),
            d.MaterialRow(name="second", conductivity="0.5 W/m/K"),
            d.Enclosure(
                name="Box",
                size="40, 20, 20 mm",
                wall="0 mm",
                fluid="still",
                outside="adiabatic",
                sides="x-: 400 K; x+: 300 K; y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            d.Block(name="Hot", at="0, 0, 0 mm", size="10, 20, 20 mm", material="first", finish="0.9"),
            d.Block(name="Cold", at="30, 0, 0 mm", size="10, 20, 20 mm", material="second", finish="0.6"),
            d.Surroundings(name="Surroundings", ambient="300 K", radiation="surfaces"),
            d.GridRow(name="Grid"),
        )
    )
    result = solve(made)
    flux = result.summary["walls"]["Box x+"] / 4e-4

    def off(q: float) -> float:
        a, b = 400 - q * 0.01 / 0.2, 300 + q * 0.01 / 0.5
        return 0.026 * (a - b) / 0.02 + SIGMA * (a**4 - b**4) / (1 / 0.9 + 1 / 0.6 - 1) - q

    exact = brentq(off, 1.0, 5000.0)
    return [
        Row("slabs with a gap", "heat flux, W/m2", f"{result.grid.cells} cells, as it comes", flux, exact, "series")
    ]


def shields(count: int, emissivity: float) -> list[Row]:
    """Thin shields between two plates in vacuum."""
    gap = 10
    plates = [
        d.Block(
            name=f"Shield {m + 1}",
            at=f"{gap * (m + 1) + m}, 0, 0 mm",
            size="1, 20, 20 mm",
            material="plain",
            finish=f"{emissivity}",
        )
        for m in range(count)
    ]
    long = gap * (count + 1) + count
    result = solve(
        vacuum(
            d.Enclosure(
                name="Box",
                size=f"{long}, 20, 20 mm",
                wall="0 mm",
                fluid="nothing",
                outside="adiabatic",
                finish="0.8",
                sides="x-: 500 K; x+: 300 K; y-: symmetry; y+: symmetry; z-: symmetry; z+: symmetry",
            ),
            *plates,
        )
    )
    flux = result.summary["walls"]["Box x+"] / 4e-4
    exact = SIGMA * (500.0**4 - 300.0**4) / (2 / 0.8 - 1 + count * (2 / emissivity - 1))
    grid = f"{result.grid.cells} cells, as it comes"
    name = f"{count} shield{'s' if count > 1 else ''} of emissivity {emissivity:g}"
    return [Row(name, "heat flux, W/m2", grid, flux, exact, "closed form")]


def block(walls: float, exact: float) -> list[Row]:
    """A block of 10 W in the middle of a box in vacuum."""
    result = solve(
        vacuum(
            d.Enclosure(
                name="Box", size="200, 200, 200 mm", wall="0 mm", fluid="nothing", outside="300 K", finish=f"{walls}"
            ),
            d.Block(
                name="Block", at="60, 60, 60 mm", size="80, 80, 80 mm", material="plain", finish="0.8", power="10 W"
            ),
        )
    )
    ours = result.summary["parts"]["Block"]["mean"] - 300.0
    grid = f"{result.grid.cells} cells, as it comes"
    return [Row(f"block in a box, walls {walls:g}", "rise, K", grid, ours, exact - 300.0, "closed form")]


def cylinders(inner: float, outer: float) -> list[Row]:
    """Concentric cylinders in vacuum, the outer twice as wide, along the grid's axis: heat per length."""
    result = solve(
        vacuum(
            d.Enclosure(
                name="Box",
                size="60, 60, 10 mm",
                wall="0 mm",
                fluid="nothing",
                outside="adiabatic",
                sides="z-: symmetry; z+: symmetry",
            ),
            d.Block(name="Shell", size="60, 60, 10 mm", material="plain", power="300 K", finish=f"{outer}"),
            d.Bore(name="Bore", at="31, 29.5, 0 mm", along="z", length="10 mm", diameter="40 mm"),
            d.Cylinder(
                name="Rod",
                at="31, 29.5, 0 mm",
                along="z",
                length="10 mm",
                diameter="20 mm",
                material="plain",
                power="400 K",
                finish=f"{inner}",
            ),
        )
    )
    heat = result.summary["parts"]["Rod"]["held_heat"] / 0.01
    exact = SIGMA * np.pi * 0.02 * (400.0**4 - 300.0**4) / (1 / inner + 0.5 * (1 / outer - 1))
    grid = f"{result.grid.cells} cells, as it comes"
    return [Row(f"cylinders, {inner:g} in {outer:g}", "heat, W/m", grid, heat, exact, "closed form")]


#: apparent emissivity of an isothermal trough open above, by its height over width and the emissivity of its walls:
#: crossed strings, 400 strips on each side
TROUGHS = {
    (1.0, 0.9): 0.961325,
    (1.0, 0.5): 0.741240,
    (1.0, 0.1): 0.248231,
    (5.0, 0.9): 0.976391,
    (5.0, 0.5): 0.844583,
    (5.0, 0.1): 0.479390,
    (10.0, 0.9): 0.977136,
    (10.0, 0.5): 0.850377,
    (10.0, 0.1): 0.526352,
}


def trough(tall: float, emissivity: float) -> list[Row]:
    """A trough between mirrors, of one temperature, open above."""
    high = 20.0 * tall
    result = solve(
        vacuum(
            d.Enclosure(
                name="Trough",
                size=f"20, 40, {high:g} mm",
                wall="0 mm",
                fluid="nothing",
                outside="adiabatic",
                sides="x-: 400 K; x+: 400 K; z-: 400 K; y-: symmetry; y+: symmetry",
                finish=f"{emissivity}",
            ),
            d.Opening(name="Mouth", on="Trough", side="z+", at="0, 0 mm", size="20, 40 mm", flow="static 0 Pa"),
        )
    )
    heat = sum(result.summary["radiation"]["surfaces"][f"Trough {s}"]["net"] for s in ("x-", "x+", "z-"))
    ours = heat / (SIGMA * (400.0**4 - 300.0**4) * 8e-4)
    grid = f"{result.grid.cells} cells, as it comes"
    name = f"trough {tall:g} times as tall as wide, walls {emissivity:g}"
    return [Row(name, "apparent emissivity", grid, ours, TROUGHS[tall, emissivity], "crossed strings")]


def outside() -> list[Row]:
    """A plate that gives its heat to the air by a film and to a cold sky by radiation."""
    result = solve(
        d.Document(
            rows=(
                d.MaterialRow(name="plain", conductivity="50 W/m/K"),
                d.Enclosure(
                    name="Box",
                    size="50, 50, 10 mm",
                    wall="0 mm",
                    outside="adiabatic",
                    finish="0.7",
                    sides="z+: 5 W/m2/K to 300 K, radiating to 250 K",
                ),
                d.Block(name="Plate", size="50, 50, 10 mm", material="plain", power="2 W"),
                d.Surroundings(name="Surroundings", ambient="300 K"),
                d.GridRow(name="Grid"),
            )
        )
    )
    flux = 2.0 / 0.0025
    exact = brentq(lambda t: 5 * (t - 300) + 0.7 * SIGMA * (t**4 - 250.0**4) - flux, 200.0, 900.0)
    ours = result.faces[2, 1][:, :, -1].mean() - 300.0
    grid = f"{result.grid.cells} cells, as it comes"
    return [Row("plate under a cold sky", "rise of its face, K", grid, ours, exact - 300.0, "closed form")]


def sunlit() -> list[Row]:
    """A plate on the floor of a trough, square to the sun and half in the shade of a roof, in vacuum; and the outside
    of a box that stands in it."""
    result = solve(
        vacuum(
            d.Enclosure(
                name="Room",
                size="100, 20, 50 mm",
                wall="0 mm",
                fluid="nothing",
                outside="300 K",
                finish="1",
                sides="y-: symmetry; y+: symmetry",
            ),
            d.Block(
                name="Plate", at="0, 0, 0 mm", size="100, 20, 5 mm", material="plain", power="300 K", finish="Grey"
            ),
            d.Block(name="Roof", at="0, 0, 45 mm", size="50, 20, 5 mm", material="plain", power="300 K", finish="1"),
            d.FinishRow(name="Grey", emissivity="0.5", absorptivity="0.6"),
            d.Opening(name="Sky", on="Room", side="z+", at="50, 0 mm", size="50, 20 mm", flow="static 0 Pa"),
            d.SunRow(name="Sun", direction="0, 0, 1", intensity="800 W/m2", diffuse="0 W/m2"),
        )
    )
    ours = result.summary["radiation"]["surfaces"]["Plate"]["sun"]
    grid = f"{result.grid.cells} cells, as it comes"
    exact = 0.6 * 800.0 * 0.05 * 0.02
    return [Row("plate half in the shade", "sunshine taken up, W", grid, ours, exact, "closed form")]


def facing() -> list[Row]:
    """Black squares in a black room: two that face each other, and two at right angles with a common edge."""

    def share(*plates) -> tuple[float, int]:
        result = solve(
            vacuum(
                d.Enclosure(
                    name="Room",
                    size="120, 120, 120 mm",
                    wall="0 mm",
                    fluid="nothing",
                    outside="300 K",
                    finish="1",
                    sides="z-: adiabatic",
                ),
                *plates,
            )
        )
        flows = [x for x in result.summary["heat_path"] if x["from"] == "Hot" and x["to"] == "Cold"]
        return sum(x["heat"] for x in flows) / (SIGMA * (400.0**4 - 300.0**4) * 0.0016), result.grid.cells

    def plate(name: str, at: str, size: str) -> d.Block:
        warm = "400 K" if name == "Hot" else "300 K"
        return d.Block(name=name, at=at, size=size, material="plain", power=warm, finish="1")

    rows, source = [], "closed form (Howell's catalogue)"
    for gap, exact in ((40.0, 0.199825), (8.0, 0.690245), (80.0, 0.068590)):
        low = 60.0 - 0.5 * gap
        one = plate("Hot", f"40, 40, {low - 0.2:g} mm", "40, 40, 0.2 mm")
        found, n = share(one, plate("Cold", f"40, 40, {low + gap:g} mm", "40, 40, 0.2 mm"))
        name = f"black squares that face, side {40.0 / gap:g} of the gap"
        rows.append(Row(name, "share seen", f"{n} cells, as it comes", found, exact, source))
    for deep, exact in ((40, 0.200044), (20, 0.146187)):
        floor = d.WallPatch(
            name="Cold", on="Room", side="z-", at="80, 40 mm", size=f"{deep}, 40 mm", condition="300 K", finish="1"
        )
        found, n = share(plate("Hot", "40, 40, 0 mm", "40, 40, 40 mm"), floor)
        name = f"black squares at right angles, {deep} mm of 40"
        rows.append(Row(name, "share seen", f"{n} cells, as it comes", found, exact, source))
    return rows


def apparent(tall: float, emissivity: float, strips: int = 60) -> float:
    """Apparent emissivity of an isothermal trough open above, ``tall`` times as tall as wide: crossed strings."""
    up, along = np.linspace(0.0, tall, strips + 1), np.linspace(0.0, 1.0, strips + 1)
    lines = [np.stack([np.full_like(up, x), up], -1) for x in (0.0, 1.0)] + [np.stack([along, 0.0 * along], -1)]
    a, b = (np.concatenate([x[end] for x in lines]) for end in (slice(None, -1), slice(1, None)))
    side = np.repeat([0, 1, 2], strips)

    def far(p, q):
        return np.linalg.norm(p[:, None] - q[None], axis=-1)

    seen = 0.5 * np.abs(far(a, b) + far(b, a) - far(a, a) - far(b, b)) * (side[:, None] != side[None])
    area = np.linalg.norm(b - a, axis=-1)
    leaving = np.linalg.solve(np.diag(area) - (1.0 - emissivity) * seen, emissivity * area)
    return float((emissivity * area * (1.0 - seen @ leaving / area)).sum())


def by_correlation(emissivity: float, power: float = 8.0, ambient: float = 298.15) -> float:
    """Rise (K) of the sink of the start page in still air: channels by Bar-Cohen & Rohsenow (1984), what faces the room
    by Churchill & Chu (1975), radiation of its channels as of troughs."""
    gap, tall, high, fins = 8.25e-3, 26e-3, 80e-3, 7
    channel = (fins - 1) * (2 * tall + gap) * high
    open_, back = (2 * 30e-3 + fins * 1.5e-3) * high, (60e-3 + 2 * 4e-3) * high
    seen = (fins - 1) * gap * high * apparent(tall / gap, emissivity) + emissivity * open_ + 0.09 * back

    def left_over(t: float) -> float:
        _, rho, mu, cp, k = library._air(0.5 * (t + ambient), 101325.0)
        lift = 9.81 * (t - ambient) / (0.5 * (t + ambient)) * rho**2 * cp / (mu * k)
        elenbaas, rayleigh = lift * gap**4 / high, lift * high**3
        inside = k / gap * (576 / elenbaas**2 + 2.873 / elenbaas**0.5) ** -0.5
        outside = k / high * (0.68 + 0.67 * rayleigh**0.25 / (1 + (0.492 * k / (mu * cp)) ** (9 / 16)) ** (4 / 9))
        conv = (inside * channel + outside * (open_ + back)) * (t - ambient)
        return conv + SIGMA * (t**4 - ambient**4) * seen - power

    return brentq(left_over, ambient + 1.0, ambient + 200.0) - ambient


def still_sink(emissivity: float) -> list[Row]:
    """The sink in still air of the start page, bare or painted."""
    document = starts.document("sink-in-still-air")
    layout = document.layouts[0].name
    for part, text in (("Sink", f"{emissivity}"), ("Heater", "0.09")):
        document = edits.set_cell(layout, part, "finish", text).apply(document)
    result = api.Project(document, None).solve(layout)
    ours = result.summary["parts"]["Sink"]["mean"] - 298.15
    grid, source = f"{result.grid.cells} cells, as it comes", "Bar-Cohen & Rohsenow 1984, crossed strings"
    return [
        Row(f"sink in still air, emissivity {emissivity:g}", "rise, K", grid, ours, by_correlation(emissivity), source)
    ]


def floating_ring() -> list[Row]:
    """A unit cube: floor 0.8 and roof 0.5 at given temperatures, its four sides one black body of one temperature that
    nothing else heats: as one re-radiating node."""
    hot, cold = 400.0, 300.0
    rects = (("0, 0", "1200, 100"), ("0, 1100", "1200, 100"), ("0, 100", "100, 1000"), ("1100, 100", "100, 1000"))
    ring = [
        d.Block(name=f"Side {m + 1}", at=f"{at}, 0 mm", size=f"{size}, 1000 mm", material="one", finish="1")
        for m, (at, size) in enumerate(rects)
    ]
    made = vacuum(
        d.MaterialRow(name="one", conductivity="1e7 W/m/K"),
        d.Enclosure(name="Box", size="1200, 1200, 1000 mm", wall="0 mm", fluid="nothing", outside="adiabatic"),
        *ring,
        d.WallPatch(
            name="Floor",
            on="Box",
            side="z-",
            at="100, 100 mm",
            size="1000, 1000 mm",
            condition=f"{hot} K",
            finish="0.8",
        ),
        d.WallPatch(
            name="Roof",
            on="Box",
            side="z+",
            at="100, 100 mm",
            size="1000, 1000 mm",
            condition=f"{cold} K",
            finish="0.5",
        ),
    )
    result = solve(made)
    q = -result.summary["walls"]["Floor"] / (SIGMA * (hot**4 - cold**4))
    f = 0.1998249
    exact = 1.0 / (0.2 / 0.8 + 1.0 / (f + (1.0 - f) / 2.0) + 0.5 / 0.5)
    cells = f"{result.grid.cells} cells, as it comes"
    return [Row("cube whose sides float", "heat over black exchange", cells, q, exact, "network of three nodes")]


def gallery() -> list[Row]:
    """All cases."""
    rows = [*slabs(), *shields(1, 0.1), *shields(3, 0.05), *block(1.0, 342.9965), *block(0.3, 353.799), *facing()]
    for pair in ((0.9, 0.9), (0.2, 0.2), (0.9, 0.2), (0.2, 0.9)):
        rows += cylinders(*pair)
    for tall, emissivity in TROUGHS:
        rows += trough(tall, emissivity)
    return rows + floating_ring() + outside() + sunlit() + still_sink(0.09) + still_sink(0.95)
