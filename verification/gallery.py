"""Standard problems with published or closed-form answers. Each returns rows (case, quantity, grid, ours, reference,
source)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from stithy.mesh.lines import Grid
from stithy.mesh.occupancy import SOLID
from stithy.setup.case import Case, FanCurve, Fluid, OpeningFaces, join_links, side_links, side_opening, simple_case
from stithy.solve.steady import Settings, Steady


@dataclass(frozen=True)
class Row:
    """One number beside its reference."""

    case: str
    quantity: str
    grid: str
    ours: float
    reference: float
    source: str

    @property
    def error(self) -> float:
        """Relative error."""
        return self.ours / self.reference - 1

    @property
    def model(self) -> tuple[str, str]:
        """What is solved, and the scheme that the case puts to the test. KeyError for a case that :data:`MODELS` does
        not know."""
        for start, model in MODELS.items():
            if self.case.startswith(start):
                return model
        raise KeyError(self.case)


_TURBULENT = ("flow with mixing, energy", "blended wall law")
#: first words of a case -> equations, discretisation (sections of docs/physics.md)
MODELS = {
    "lid-driven": ("flow", "limited convection, staggered"),
    "heated c": ("flow, energy, buoyancy", "limited convection"),
    "square duct, conducting": ("flow, conjugate energy", "half cells in series"),
    "square duct": ("flow, energy", "entrance to developed"),
    "composite slab": ("energy", "half cells in series"),
    **dict.fromkeys(("slabs with", "1 shield", "3 shields"), ("energy, radiation", "star at each face, Newton")),
    **dict.fromkeys(
        ("block in", "black squares", "trough", "cube whose"), ("energy, radiation", "cast rays, balanced")
    ),
    "sink in still": ("flow, conjugate energy, buoyancy, radiation", "cast rays, balanced"),
    "cylinders": ("energy, radiation", "true areas and normals"),
    "plate under": ("energy, radiation outside", "coefficient of the face's temperature"),
    "plate half": ("energy, sunshine", "cast rays"),
    "film of": ("vapour, energy, latent heat", "slip, evaporation on the diagonal"),
    "stream that": ("vapour, energy, latent heat", "slip, evaporation on the diagonal"),
    "batch that": ("vapour, energy, latent heat", "evaporation owed to the next step"),
    "vapour that": ("vapour", "slip by Newton's method"),
    "superheat": ("energy, latent heat", "evaporation on the diagonal"),
    "heater in": ("flow, vapour, conjugate energy", "boiling walls by correlation"),
    "by place": ("energy", "surfaces by their faces' middles"),
    "fan": ("flow, device", "curve at every iteration"),
    "perforated plate": ("flow, device", "loss on a face"),
    "plates, periodic": ("flow, energy", "periodic pitch"),
    "fin of plastic": ("energy", "refined by results"),
    "square, periodic": ("flow, energy", "periodic, inverse iteration"),
    "round bore": ("flow, conjugate energy", "wall distance, periodic pitch"),
    "backward": ("flow", "limited convection"),
    "slab with": ("energy in time", "three-level backward, contact"),
    "plate set": ("flow in time", "three-level backward, periodic, sliding wall"),
    "straight fin": ("energy", "coefficient to ambient"),
    "copper": ("conduction in a layer", "blocks on their pixels, both directions"),
    "field of vias": ("energy", "laminate's cells raised"),
    "vias past": ("energy", "links in the Krylov products"),
    "network": ("energy", "nodes as layers of cells, links"),
    "board of": ("energy", "layer by layer, map of conductivity"),
    "box in": ("energy, outside air", "film of the wall's temperature"),
    "two-resistor": ("energy", "junction as one temperature"),
    "counter-flow": ("two flows, conjugate energy", "two fluids"),
    "parallel-flow": ("two flows, conjugate energy", "two fluids"),
    "tube in tube": ("two flows, conjugate energy", "wall distance, two fluids"),
    "turbulent channel": _TURBULENT,
    "turbulent pipe": _TURBULENT,
    "rough pipe": _TURBULENT,
    "plain tube": _TURBULENT,
    "finned tube": _TURBULENT,
    "serpentine": _TURBULENT,
    "triangular": ("flow, energy", "wall distance, oblique"),
    "developing": ("flow", "entrance"),
    "Graetz": ("flow, energy", "entrance"),
    "heated tube": ("flow, conjugate energy", "wall distance in series"),
    "orthotropic": ("energy", "conductivity as a tensor"),
    "conductivity by": ("energy", "Kirchhoff's transform"),
    "cooling": ("energy in time", "three-level backward"),
    "pump": ("flow, device", "closed loop"),
    "plate-fin": ("flow, conjugate energy", "limited convection"),
    "rod in": ("flow, energy, buoyancy", "wall distance"),
    "conducting block": ("flow, conjugate energy, buoyancy", "half cells in series"),
    "cavity behind": ("flow, conjugate energy, buoyancy", "half cells in series"),
    "hot round": ("flow, energy", "wall distance"),
    "turbulent step": ("flow with mixing", "limited convection"),
    "round bar": ("flow", "wall distance"),
    "array": ("flow", "wall distance, periodic"),
    "warm channel": ("flow, energy, buoyancy", "ambient openings"),
    "plate in": ("flow, energy", "limited convection"),
    "rolls": ("flow, energy, buoyancy", "limited convection"),
    "closed gas": ("flow of an ideal gas, energy", "density by temperature, mass kept"),
}


def graded(n: int, stretch: float = 1.6) -> np.ndarray:
    """Lines from 0 to 1, finer towards both ends."""
    s = np.linspace(-1, 1, n + 1)
    return 0.5 * (1 + np.tanh(stretch * s) / np.tanh(stretch))


def lid_driven(n: int, reynolds: float = 100.0) -> list[Row]:
    """Square cavity under a moving lid; extrema on the centre lines."""
    x = np.linspace(0, 1, n + 1)
    fluid = Fluid(1.0, 1 / reynolds, 1.0, 1.0, 0.0)
    case = simple_case(
        Grid((x, x, np.array([0, 1 / n]))), fluid, symmetry=frozenset({"z-", "z+"}), moving={"y+": (1.0, 0, 0)}
    )
    run = Steady(case, Settings(momentum=1e-7, most=6000))
    assert run.run().settled
    f = run.fields()
    u, v = f.u[n // 2, :, 0], f.v[:, n // 2, 0]
    reference = {100.0: (-0.21404, 0.17957, -0.25380), 1000.0: (-0.38857, 0.37694, -0.52708)}[reynolds]
    source = "references of resolved spectral solutions; Botella & Peyret 1998 for Re 1000"

    def peak(y, sign):
        """Extremum of the parabola through the three largest values."""
        i = int(np.argmax(sign * y))
        a, b, c = y[i - 1 : i + 2]
        return b - (c - a) ** 2 / (8 * (a - 2 * b + c))

    ours = (peak(u, -1), peak(v, 1), peak(v, -1))
    return [
        Row(f"lid-driven cavity Re {reynolds:.0f}", q, f"{n} x {n}", o, r, source)
        for q, o, r in zip(("u min", "v max", "v min"), ours, reference, strict=True)
    ]


def heated_cavity(n: int, rayleigh: float) -> list[Row]:
    """Square cavity, two walls at fixed temperatures, Pr 0.71: mean Nusselt number of the hot wall."""
    x, pr = graded(n), 0.71
    a = 1 / np.sqrt(rayleigh * pr)
    fluid = Fluid(1.0, pr * a, 1.0, a, 1.0)
    case = simple_case(
        Grid((x, x, np.array([0, 1 / n]))),
        fluid,
        symmetry=frozenset({"z-", "z+"}),
        gravity=(0, -1.0, 0),
        reference=300.0,
    )
    case.links = join_links(side_links(case, "x-", 300.5, owner=0), side_links(case, "x+", 299.5, owner=1))
    run = Steady(case, Settings(momentum=1e-6, most=1500))
    assert run.run().settled
    nusselt = -run.heat.outflow()[1][case.links.owner == 0].sum() * n / a
    reference = {1e3: 1.118, 1e4: 2.243, 1e5: 4.519, 1e6: 8.825}[rayleigh]
    return [
        Row(
            f"heated cavity Ra {rayleigh:.0e}", "mean Nu", f"{n} x {n} graded", nusselt, reference, "de Vahl Davis 1983"
        )
    ]


def heated_cube(n: int, rayleigh: float) -> list[Row]:
    """Cube with two opposite vertical walls at fixed temperatures, the others adiabatic, Pr 0.71."""
    x, pr = graded(n), 0.71
    a = 1 / np.sqrt(rayleigh * pr)
    case = simple_case(Grid((x, x, x)), Fluid(1.0, pr * a, 1.0, a, 1.0), gravity=(0, 0, -1.0), reference=300.0)
    case.links = join_links(side_links(case, "x-", 300.5, owner=0), side_links(case, "x+", 299.5, owner=1))
    run = Steady(case, Settings(momentum=1e-5, most=1500))
    assert run.run().settled
    nusselt = -run.heat.outflow()[1][case.links.owner == 0].sum() / a
    reference = {1e4: 2.054, 1e5: 4.337}[rayleigh]
    return [Row(f"heated cube Ra {rayleigh:.0e}", "mean Nu", f"{n}^3 graded", nusselt, reference, "Tric et al. 2000")]


def square_duct(n: int) -> list[Row]:
    """Laminar flow in a square duct with walls at one temperature: friction and Nusselt number far downstream."""
    side, length, reynolds = 0.01, 0.2, 100.0
    y, x = np.linspace(0, side, n + 1), np.linspace(0, length, 81)
    fluid = Fluid(1.2, 1.8e-5, 1005.0, 1.8e-5 * 1005 / 0.7, 0.0)
    case = simple_case(Grid((x, y, y)), fluid, reference=300.0)
    mean = reynolds * fluid.mu / fluid.rho / side
    case.openings = [
        side_opening(case, "x-", kind="velocity", speed=mean, temperature=300.0),
        side_opening(case, "x+", kind="pressure", temperature=300.0),
    ]
    sides = ("y-", "y+", "z-", "z+")
    case.links = join_links(*(side_links(case, s, 320.0, owner=i) for i, s in enumerate(sides)))
    run = Steady(case, Settings(momentum=1e-6, most=400))
    run.run()
    f, dx = run.fields(), length / 80
    p = f.pressure.mean(axis=(1, 2))
    friction = -(p[60] - p[45]) / (15 * dx) * side / (0.5 * fluid.rho * mean**2) * reynolds
    u = 0.5 * (f.u[1:] + f.u[:-1])
    bulk = (u * f.temperature).sum(axis=(1, 2)) / u.sum(axis=(1, 2))
    i = 50
    _, links = run.heat.outflow()
    flux = -links[case.links.cells[:, 0] == i].sum() / (4 * side * dx)
    nusselt = flux * side / (fluid.k * (320.0 - bulk[i]))
    grid = f"80 x {n} x {n}"
    return [
        Row("square duct", "f Re", grid, friction, 56.908, "Shah & London 1978"),
        Row("square duct", "Nu, wall at one temperature", grid, nusselt, 2.977, "Shah & London 1978"),
    ]


def composite_slab() -> list[Row]:
    """Three layers between a fixed temperature and a heat transfer coefficient: heat flow in closed form."""
    lines = np.concatenate([np.linspace(0, 2e-3, 5), np.linspace(2e-3, 7e-3, 7)[1:], np.linspace(7e-3, 8e-3, 4)[1:]])
    k = np.where(np.arange(13) < 4, 400.0, np.where(np.arange(13) < 10, 0.3, 20.0))
    y = np.array([0.0, 0.01])
    case = simple_case(Grid((lines, y, y)), None, reference=300.0)
    case = Case(
        case.grid,
        np.full((13, 1, 1), SOLID, np.uint8),
        case.part,
        tuple(k[:, None, None] + 0.0 for _ in range(3)),
        case.heat,
        [],
        case.fluid_of,
        reference=300.0,
    )
    case.links = join_links(side_links(case, "x-", 350.0, owner=0), side_links(case, "x+", 300.0, 12.0, owner=1))
    run = Steady(case)
    run.run()
    ours = run.heat.outflow()[1][case.links.owner == 1].sum()
    exact = 1e-4 * 50 / (2e-3 / 400 + 5e-3 / 0.3 + 1e-3 / 20 + 1 / 12)
    return [Row("composite slab", "heat flow W", "13", ours, exact, "series resistances")]


def fan_on_duct(n: int = 40) -> list[Row]:
    """A fan drives air through a plane channel: flow where its curve meets the channel's resistance.

    Resistance: 96 / Re_Dh friction and 0.674 of the dynamic head for the developing inlet (Shah & London 1978).
    """
    gap, width = 4e-3, 0.01
    length = 100 * 2 * gap
    fluid = Fluid(1.2, 1.8e-5, 1005.0, 0.026, 0.0)
    grid = Grid((np.linspace(0, length, 161), np.linspace(0, gap, n + 1), np.array([0.0, width])))
    case = simple_case(grid, fluid, symmetry=frozenset({"z-", "z+"}), reference=300.0)
    reynolds = 100.0
    mean = reynolds * fluid.mu / fluid.rho / (2 * gap)
    q0 = mean * gap * width
    curve = FanCurve((0.0, q0, 2 * q0), (3.0, 1.5, 0.0))

    def drop(q):
        u = q / (gap * width)
        return (
            96 * fluid.mu / (fluid.rho * u * 2 * gap) * length / (2 * gap) * 0.5 * fluid.rho * u**2
            + 0.674 * 0.5 * fluid.rho * u**2
        )

    low, high = 0.01 * q0, 2 * q0
    for _ in range(60):
        mid = 0.5 * (low + high)
        low, high = (mid, high) if curve.at(mid)[0] > drop(mid) else (low, mid)
    case.openings = [
        side_opening(case, "x-", kind="pressure", temperature=300.0, fan=curve, fan_sign=1),
        side_opening(case, "x+", kind="pressure", temperature=300.0),
    ]
    run = Steady(case, Settings(momentum=1e-7, most=3000))
    run.run()
    return [Row("fan on a duct", "volume flow m3/s", f"160 x {n}", run.flows()[0], low, "Shah & London 1978")]


def plate_in_duct(loss: float = 4.0) -> list[Row]:
    """A given flow leaves a frictionless duct through a perforated plate: pressure drop K rho v^2 / 2."""
    x, y = np.linspace(0, 0.1, 21), np.linspace(0, 0.02, 7)
    fluid = Fluid(1.2, 1.8e-5, 1005.0, 0.026, 0.0)
    case = simple_case(Grid((x, y, y)), fluid, symmetry=frozenset({"y-", "y+", "z-", "z+"}), reference=300.0)
    case.openings = [
        side_opening(case, "x-", kind="velocity", speed=1.5, temperature=300.0),
        side_opening(case, "x+", kind="pressure", temperature=300.0, loss=loss),
    ]
    run = Steady(case, Settings(momentum=1e-8, most=600))
    run.run()
    return [
        Row(
            "perforated plate",
            "pressure drop Pa",
            "20 x 6 x 6",
            float(run.fields().pressure[-1].mean()),
            loss * 0.5 * 1.2 * 1.5**2,
            "definition of K",
        )
    ]


def quick() -> list[Row]:
    """The cases that run in every test."""
    from . import banks, boiling, by_place, copper, radiation
    from . import bodies as b
    from . import configurations as f
    from . import convection as v
    from . import ducts as c
    from . import projects as p

    turbulent = [r for model in ("k-omega", "k-epsilon", "wall-law") for r in p.turbulent(model, 80000.0, "20")[0]]
    more = [
        *(r for shape in ("plates", "square", "round bore") for r in c.at_one_temperature(shape)),
        *c.triangle(),
        *c.developing_plates(),
        *c.graetz(),
        *c.heated_tube(),
        *c.richardson()[0],
        *b.spreading(),
        *b.varying_conductivity(),
        *b.cooling_block(),
        *b.pump_loop(),
        *b.stalled_fan(40.0),
        *b.stalled_fan(200.0),
        *b.sink_channel(),
        *v.annulus(),
        *v.block_in_cavity(0.2),
        *v.block_in_cavity(5.0),
        *v.hot_bar(),
        *(
            r
            for re in (2e4, 1e5)
            for model in ("k-omega", "k-epsilon", "wall-law")
            for r in p.turbulent_pipe(model, re)
        ),
        *(
            r
            for model, re, rough in (
                ("wall-law", 1e5, 1e-3),
                ("wall-law", 1e5, 1e-2),
                ("wall-law", 2e4, 1e-2),
                ("k-omega", 1e5, 1e-2),
                ("k-epsilon", 1e5, 1e-2),
            )
            for r in p.turbulent_pipe(model, re, rough=rough)
        ),
        *(r for speed in (1.0, 3.0, 8.0) for r in banks.bank(speed)),
        *(r for speed in (1.5, 3.0) for r in banks.bank(speed, 4, 12)),
        *by_place.slabs(),
        *by_place.in_open_air(),
        *radiation.gallery(),
        *boiling.gallery(),
        *copper.gallery(),
        *by_place.pipe(),
        *banks.serpentine("8 l/min"),
        *banks.serpentine("4 l/min"),
    ]
    return [
        *lid_driven(64),
        *heated_cavity(80, 1e5),
        *square_duct(20),
        *composite_slab(),
        *fan_on_duct(),
        *plate_in_duct(),
        *p.plates(),
        *p.refined_fin("1 mm"),
        *p.pipe(20),
        *p.step(20),
        *p.slab_in_time(),
        *p.plate_set_in_motion(),
        *p.fin(),
        *p.two_resistor(),
        *p.exchanger(),
        *p.exchanger(False),
        *turbulent,
        *more,
        *f.quick(),
    ]


def long() -> list[Row]:
    """The cases of ``make verify``."""
    from . import bodies as b
    from . import configurations as f
    from . import projects as p

    turbulent = [r for model in ("k-omega", "k-epsilon") for r in f.turbulent_step(model)]
    turbulent += [
        r
        for re in (13750.0, 80000.0)
        for model in ("k-omega", "k-epsilon", "wall-law")
        for across, walls in (
            ("12", ""),
            ("40", ""),
            *((("20", "0.1 mm"), ("30", "0.02 mm")) if re < 2e4 else (("20", "0.05 mm"), ("30", "0.005 mm"))),
        )
        for r in p.turbulent(model, re, across, walls)[0]
    ]
    return [
        *lid_driven(128, 1000.0),
        *(r for ra in (1e3, 1e4, 1e6) for r in heated_cavity(80, ra)),
        *heated_cube(48, 1e5),
        *p.pipe(8),
        *p.pipe(32),
        *p.step(20, 200.0),
        *b.bar_40(),
        *b.bar_100(),
        *b.spreading(cells=120),
        *turbulent,
    ]


__all__ = [
    "MODELS",
    "OpeningFaces",
    "Row",
    "composite_slab",
    "fan_on_duct",
    "heated_cavity",
    "heated_cube",
    "lid_driven",
    "long",
    "plate_in_duct",
    "quick",
    "square_duct",
]
