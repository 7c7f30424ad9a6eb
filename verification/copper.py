"""Boards: copper as a map of conductivity, vias, networks of components, against closed forms and against the same
board resolved as solid copper and resin."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from stithy import kinds as d
from stithy.imports.circuit import copper as rule
from stithy.project import assets, circuits
from stithy.project.circuits import Circuit, CopperLayer

from .gallery import Row
from .projects import project, solve

#: m: foils, and the board of all cases
FOIL, THICK = 35e-6, 1.6e-3
LAMINATE = 0.3


def stripes(turned: float = 0.0, wide: int = 5, count: int = 200) -> np.ndarray:
    """Pixels of stripes along the second axis, ``wide`` pixels of copper and as much resin, ``turned`` radians."""
    x, y = np.meshgrid(np.arange(count) + 0.5, np.arange(count) + 0.5, indexing="ij")
    return np.floor((x * np.cos(turned) + y * np.sin(turned)) / wide) % 2 == 0


def islands() -> np.ndarray:
    """Squares of copper, 1.8 mm on a pitch of 2 mm."""
    x, y = np.meshgrid(np.arange(200) % 20, np.arange(200) % 20, indexing="ij")
    return (x > 0) & (x < 19) & (y > 0) & (y < 19)


def maps() -> list[Row]:
    """The rule against closed forms, without resin beside the layer."""
    whole = np.ones((200, 200), bool)

    def mean(pixels):
        return rule.conductivity(pixels, whole, FOIL, True, beside=0.0).reshape(2, -1).mean(axis=1)

    across, along = mean(stripes())
    k = rule.COPPER, rule.RESIN
    exact = 2 / (1 / k[0] + 1 / k[1]), 0.5 * sum(k)
    shunt = rule.RESIN * THICK / FOIL  # a board's laminate beside it
    oblique = np.exp(np.log(rule.conductivity(stripes(np.pi / 4), whole, FOIL, True, beside=THICK) + shunt).mean())
    kp, kn = 0.5 * sum(k) + shunt, 2 / sum(1 / (x + shunt) for x in k)
    return [
        Row("copper in stripes", "k across W/m/K", "20 x 20 pixels", across, exact[0], "layers in series"),
        Row("copper in stripes", "k along W/m/K", "20 x 20 pixels", along, exact[1], "layers in parallel"),
        Row("copper in islands", "k W/m/K", "20 x 20 pixels", mean(islands())[0], 2.88, "resolved (0.05 mm)"),
        Row(
            "copper in stripes at 45 degrees",
            "k with laminate W/m/K",
            "20 x 20 pixels",
            oblique,
            (kp * kn) ** 0.5,
            "root of both",
        ),
    ]


def board(name: str, layers: Sequence[tuple[np.ndarray, float]], size, block: float, vias=()) -> str:
    """A board's asset: ``layers`` of (map (2, nx, ny), share), all foils, ``size`` (m); its name."""
    w, h = size
    made = Circuit(
        (np.array([(0.0, 0.0), (w, 0.0), (w, h), (0.0, h)]),),
        THICK,
        tuple(CopperLayer(f"layer {m + 1}", FOIL, share, float(k.mean())) for m, (k, share) in enumerate(layers)),
        (),
        block,
        tuple(k for k, _ in layers),
        block,
        tuple(np.zeros(k.shape[1:], np.uint8) for k, _ in layers),
        np.array(vias, float).reshape(-1, 6),
    )
    folder = Path(tempfile.mkdtemp()) / assets.FOLDER
    folder.mkdir()
    title = f"{name} 00000000.board"
    (folder / title).write_bytes(b"")
    (folder / (title + circuits.READ)).write_bytes(circuits.packed(made))
    assets.know(folder.parent)
    return title


def _plain(count: int) -> np.ndarray:
    return np.full((2, count, count), rule.COPPER, np.float32)


def _between_plates(title: str, layers: str) -> float:
    """W that pass a board of 10 x 10 mm between plates of 30 and 20 degC."""
    doc = project(
        d.MaterialRow(name="plate", conductivity="4000 W/m/K"),
        d.MaterialRow(name="laminate", conductivity=f"{LAMINATE} W/m/K"),
        d.Enclosure(name="Box", size="10, 10, 5.6 mm", wall="0 mm", outside="adiabatic"),
        d.Block(name="Below", size="10, 10, 2 mm", material="plate", power="30 degC"),
        d.Board(name="Board", at="0, 0, 2 mm", size="", file=title, layers=layers, material="laminate"),
        d.Block(name="Above", at="0, 0, 3.6 mm", size="10, 10, 2 mm", material="plate", power="20 degC"),
    )
    job, _ = solve(doc)
    heat = job.run_.heat
    return abs(float(heat.held()[heat.held_owner == job.prepared.parts.index("Below")].sum()))


def vias() -> list[Row]:
    """Barrels in laminate with foils on both sides; and barrels that clear a foil between two others."""
    g, (x, y) = 2e-3, np.meshgrid(*(1e-3 * (np.arange(40) + 0.5) / 4,) * 2)
    flat = np.column_stack([x.ravel(), y.ravel(), np.full(x.size, 3e-4)])
    near = board("field", [(_plain(10), 1.0)] * 2, (0.01, 0.01), 1e-3, np.column_stack([flat, flat * 0 + (0, 1, g)]))
    between = THICK - 2 * FOIL
    resin = LAMINATE * 1e-4 / between
    exact = 10.0 / (1.0 / (resin + g * x.size) + 2 * FOIL / rule.COPPER / 1e-4)
    found = _between_plates(near, f"35 um 100 %; {1e3 * between} mm; 35 um 100 %")
    far = board("past", [(_plain(10), 1.0)] * 3, (0.01, 0.01), 1e-3, np.column_stack([flat, flat * 0 + (0, 2, g)]))
    each = 0.5 * (THICK - 3 * FOIL)
    gap, foil = each / LAMINATE / 1e-4, FOIL / rule.COPPER / 1e-4
    passing = 10.0 / (1.0 / (1.0 / (2 * gap + 2 * foil) + g * x.size) + foil)
    told = _between_plates(far, f"35 um 100 %; {1e3 * each} mm; 35 um 100 %; {1e3 * each} mm; 35 um 100 %")
    return [
        Row("field of vias", "heat W", "18 x 18 x 3", found, exact, "layers in series"),
        Row("vias past a plane", "heat W", "18 x 18 x 5", told, passing, "layers in series"),
    ]


def three_nodes() -> d.Document:
    """A component of three nodes between two held plates; its junction's temperature is :data:`JUNCTION`."""
    return project(
        d.MaterialRow(name="plate", conductivity="400 W/m/K"),
        d.Enclosure(name="Box", size="10, 10, 7 mm", wall="0 mm", outside="adiabatic"),
        d.Block(name="Board plate", size="10, 10, 2 mm", material="plate", power="30 degC"),
        d.Component(
            name="Chip",
            at="0, 0, 2 mm",
            size="10, 10, 3 mm",
            power="2 W",
            network="junction case 8; junction board 12; case board 30 K/W",
        ),
        d.Block(name="Case plate", at="0, 0, 5 mm", size="10, 10, 2 mm", material="plate", power="20 degC"),
    )


#: degC; both ends are held, so what joins them changes nothing
JUNCTION = (2 + 20 / 8 + 30 / 12) / (1 / 8 + 1 / 12)


def network() -> list[Row]:
    """A component of three nodes."""
    _, q = solve(three_nodes())
    hottest = q.parts()["Chip"]["highest"] - 273.15
    return [Row("network component", "junction degC", "", hottest, JUNCTION, "closed-form network")]


def routed(seed: int = 5) -> tuple[np.ndarray, np.ndarray]:
    """Pixels (0.1 mm) of 20 x 20 mm: bundles of traces, and a plane with clearances."""
    chance = np.random.default_rng(seed)
    top, plane = np.zeros((200, 200), bool), np.ones((200, 200), bool)
    for _ in range(26):
        at, wide, long = chance.integers(0, 196), chance.integers(2, 5), chance.integers(60, 200)
        start = chance.integers(0, 200 - long + 1)
        span = (slice(at, at + wide), slice(start, start + long))
        top[span if chance.random() < 0.5 else span[::-1]] = True
    top[80:120, 80:120] = True
    x, y = np.meshgrid(np.arange(200), np.arange(200), indexing="ij")
    for a, b in chance.integers(4, 196, (90, 2)):
        plane &= (x - a) ** 2 + (y - b) ** 2 > 25
    plane[:, 128:132] = False
    return top, plane


def _spreading(title: str, layers: str, conducts: str, coarsest: str) -> float:
    """K of a source of 4 x 4 mm, 1 W, above the mean of its board."""
    doc = project(
        d.MaterialRow(name="laminate", conductivity=f"{LAMINATE} W/m/K"),
        d.MaterialRow(name="die", conductivity="400 W/m/K"),
        d.Enclosure(name="Box", size="20, 20, 2.6 mm", wall="0 mm", outside="adiabatic", sides="z-: 40 W/m2/K"),
        d.Board(name="Board", size="", file=title, layers=layers, conducts=conducts, material="laminate"),
        d.Block(name="Die", at="8, 8, 1.6 mm", size="4, 4, 1 mm", material="die", power="1 W"),
        grid={"coarsest": coarsest},
    )
    _, q = solve(doc)
    parts = q.parts()
    return parts["Die"]["mean"] - parts["Board"]["mean"]


def against_copper() -> list[Row]:
    """A routed layer over a split plane: the map, its layers alone and one uniform board, each against all of its
    copper resolved."""
    top, plane = routed()
    between = 1e3 * (THICK - 2 * FOIL)
    layers = f"35 um {100 * top.mean():.2f} %; {between} mm; 35 um {100 * plane.mean():.2f} %"
    whole = np.ones_like(top)
    fine = [
        (np.where(p, rule.COPPER, rule.RESIN)[None].repeat(2, 0).astype(np.float32), p.mean()) for p in (top, plane)
    ]
    rough = [(rule.conductivity(p, whole, FOIL, True), p.mean()) for p in (top, plane)]
    truth = _spreading(board("fine", fine, (0.02, 0.02), 1e-4), layers, "map", "0.1 mm")
    title = board("rough", rough, (0.02, 0.02), 2e-3)
    out = []
    for name, how in (("a map", "map"), ("layers and shares", "layers"), ("one uniform sheet", "uniform")):
        got = _spreading(title, layers, how, "0.5 mm")
        out.append(Row(f"board of {name}", "spreading K", "0.5 mm", got, truth, "all copper resolved, 0.1 mm"))
    return out


def gallery() -> list[Row]:
    """What runs in every test."""
    return [*maps(), *vias(), *network()]
