"""Made-up circuit boards of Tolva Head, written as the files a board designer hands over; nobody ever soldered one."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

#: package -> (part number, length, width, height; mm, properties)
LIBRARY = {
    "QFP64": ("TH-1001", 12.0, 12.0, 1.6, {"THETA_JC": 9.0, "THETA_JB": 18.0}),
    "MODEM": ("TH-1002", 24.0, 22.0, 4.0, {}),
    "RELAY": ("TH-1003", 15.0, 20.0, 15.0, {}),
    "TRAFO": ("TH-1004", 24.0, 22.0, 18.0, {}),
    "SWITCH": ("TH-1005", 10.0, 12.0, 4.5, {"THETA_JC": 0.9, "THETA_JB": 4.6}),
    "CHOKE": ("TH-1006", 13.0, 13.0, 8.0, {}),
    "CAN": ("TH-1007", 10.0, 10.0, 12.0, {}),
    "SUPPLY": ("TH-1008", 8.0, 6.0, 2.2, {"THETA_JC": 4.0, "THETA_JB": 12.0}),
    "STRIP": ("TH-1009", 70.0, 8.0, 9.0, {}),
    "SHUNT": ("TH-1010", 6.4, 3.2, 0.8, {}),
    "R0805": ("TH-1011", 2.0, 1.25, 0.6, {}),
    "XTAL": ("TH-1012", 5.0, 3.2, 1.2, {}),
}
_PADS = {"QFP64": 64, "MODEM": 30, "SUPPLY": 8, "SWITCH": 4, "RELAY": 5, "TRAFO": 6, "STRIP": 14}


@dataclass
class Part:
    """A part: reference, package, middle (mm), turn (degrees), side."""

    reference: str
    package: str
    x: float
    y: float
    turn: float = 0.0
    top: bool = True


@dataclass
class Plot:
    """One plotted layer: lines of a file, growing."""

    function: str
    lines: list[str] = field(default_factory=list)
    tools: dict[str, int] = field(default_factory=dict)

    def _tool(self, shape: str) -> None:
        number = self.tools.setdefault(shape, 10 + len(self.tools))
        self.lines.append(f"D{number}*")

    def trace(self, points: Iterable[tuple[float, float]], width: float) -> None:
        """A stroke through points."""
        self._tool(f"C,{width:.4f}")
        for m, (x, y) in enumerate(points):
            self.lines.append(f"{_at(x, y)}{'D02' if m == 0 else 'D01'}*")

    def pad(self, x: float, y: float, shape: str) -> None:
        """A flash."""
        self._tool(shape)
        self.lines.append(f"{_at(x, y)}D03*")

    def pour(self, points: Iterable[tuple[float, float]], clear: bool = False) -> None:
        """A filled polygon."""
        corners = list(points)
        self.lines += [f"%LP{'C' if clear else 'D'}*%", "G36*"]
        self.lines += [f"{_at(x, y)}{'D02' if m == 0 else 'D01'}*" for m, (x, y) in enumerate([*corners, corners[0]])]
        self.lines += ["G37*", "%LPD*%"]

    def clear(self, x: float, y: float, diameter: float) -> None:
        """A round clearance."""
        self.lines.append("%LPC*%")
        self.pad(x, y, f"C,{diameter:.4f}")
        self.lines.append("%LPD*%")

    def text(self) -> str:
        """The file."""
        head = [f"%TF.FileFunction,{self.function}*%", "%FSLAX46Y46*%", "%MOMM*%"]
        head += [f"%ADD{number}{shape}*%" for shape, number in self.tools.items()]
        return "\n".join([*head, "%LPD*%", "G01*", *self.lines, "M02*", ""])


def _at(x: float, y: float) -> str:
    return f"X{round(x * 1e6)}Y{round(y * 1e6)}"


@dataclass
class Board:
    """A board: size (mm), parts, four plots, vias (x, y, drill)."""

    name: str
    size: tuple[float, float]
    parts: list[Part]
    plots: dict[str, Plot] = field(default_factory=dict)
    vias: list[tuple[float, float, float]] = field(default_factory=list)
    bores: list[tuple[float, float, float]] = field(default_factory=list)
    thickness: float = 1.6

    def write(self, folder: Path, unit: str = "MM") -> Path:
        """Write all its files; the board file."""
        folder.mkdir(parents=True, exist_ok=True)
        for name, plot in self.plots.items():
            (folder / f"{self.name}-{name}.gbr").write_text(plot.text())
        if self.vias:
            self._drill(folder / f"{self.name}.drl", self.vias, True)
        if self.bores:
            self._drill(folder / f"{self.name}-npth.drl", self.bores, False)
        if self.parts:
            (folder / f"{self.name}.emp").write_text(library({p.package for p in self.parts}))
        path = folder / f"{self.name}.emn"
        path.write_text(self._sheet(unit))
        return path

    def _drill(self, path: Path, holes, plated: bool) -> None:
        sizes = sorted({d for _, _, d in holes})
        lines = ["M48", f"; #@! TF.FileFunction,{'Plated' if plated else 'NonPlated'},1,4", "METRIC"]
        lines += [f"T{m + 1}C{d:.3f}" for m, d in enumerate(sizes)] + ["%"]
        for m, d in enumerate(sizes):
            lines += [f"T{m + 1}"] + [f"X{x:.3f}Y{y:.3f}" for x, y, e in holes if e == d]
        path.write_text("\n".join([*lines, "M30", ""]))

    def _sheet(self, unit: str) -> str:
        per = {"MM": 1.0, "THOU": 1 / 0.0254}[unit]
        w, h = (v * per for v in self.size)
        out = [
            ".HEADER",
            'BOARD_FILE 3.0 "Tolva Head drawing office" 2026/11/20 1',
            f'"{self.name}" {unit}',
            ".END_HEADER",
            ".BOARD_OUTLINE MCAD",
            f"{self.thickness * per:.4f}",
            *(f"0 {x:.4f} {y:.4f} 0" for x, y in ((0, 0), (w, 0), (w, h), (0, h), (0, 0))),
            ".END_BOARD_OUTLINE",
            ".PLACEMENT",
        ]
        for p in self.parts:
            out.append(f'"{p.package}" "{LIBRARY[p.package][0]}" {p.reference}')
            out.append(f"{p.x * per:.4f} {p.y * per:.4f} 0 {p.turn:g} {'TOP' if p.top else 'BOTTOM'} PLACED")
        return "\n".join([*out, ".END_PLACEMENT", ""])


def library(packages: Iterable[str]) -> str:
    """A library file of these packages."""
    out = [".HEADER", 'LIBRARY_FILE 3.0 "Tolva Head drawing office" 2026/11/20 1', ".END_HEADER"]
    for name in sorted(packages):
        part, a, b, high, properties = LIBRARY[name]
        out += [".ELECTRICAL", f'"{name}" "{part}" MM {high:g}']
        out += [f"0 {x:g} {y:g} 0" for x, y in _corners(a, b)]
        out += [f"PROP {k} {v:g}" for k, v in properties.items()]
        out.append(".END_ELECTRICAL")
    return "\n".join([*out, ""])


def _corners(a: float, b: float):
    return [(-a / 2, -b / 2), (a / 2, -b / 2), (a / 2, b / 2), (-a / 2, b / 2), (-a / 2, -b / 2)]


def _rect(x0, y0, x1, y1):
    return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]


def relay(revision: str) -> Board:
    """The relay board, revision A or B: B has a second switch, a supply and a filter choke, and wider copper."""
    later = revision == "B"
    parts = [
        Part("U1", "QFP64", 36, 78),
        Part("U2", "MODEM", 20, 118),
        Part("X1", "XTAL", 40, 112),
        Part("U4", "QFP64", 16, 80),
        Part("T1", "TRAFO", 84, 22),
        Part("Q1", "SWITCH", 70, 74),
        Part("L1", "CHOKE", 86, 62),
        Part("C1", "CAN", 70, 54),
        Part("C2", "CAN", 86, 46),
        Part("J1", "STRIP", 42, 6),
        *(Part(f"K{m + 1}", "RELAY", 12 + 17 * m, 28) for m in range(4)),
        *(Part(f"R{m + 1}", "R0805", 30 + 5 * (m % 8), 92 + 3.5 * (m // 8), 90) for m in range(13)),
        *(Part(f"C{m + 3}", "R0805", 8 + 4 * (m % 9), 64 + 2.5 * (m // 9)) for m in range(12)),
    ]
    if later:
        parts += [
            Part("Q2", "SWITCH", 70, 94),
            Part("U3", "SUPPLY", 90, 120),
            Part("L2", "CHOKE", 88, 102),
            Part("R14", "SHUNT", 56, 66),
        ]
    else:
        parts += [Part("Q3", "SUPPLY", 88, 90), Part("C20", "R0805", 90, 110)]
    board = Board(f"relay-{revision.lower()}", (100.0, 140.0), parts)
    board.bores = [(x, y, 3.2) for x in (4.0, 96.0) for y in (4.0, 136.0)]
    top, bottom = Plot("Copper,L1,Top"), Plot("Copper,L4,Bot")
    planes = Plot("Copper,L2,Inr"), Plot("Copper,L3,Inr")
    board.plots = {"top": top, "plane1": planes[0], "plane2": planes[1], "bottom": bottom}
    _copper(board, later)
    return board


def _copper(board: Board, later: bool) -> None:
    """Pours below what is hot, pads, bundles of traces, planes with clearances round vias."""
    top, bottom = board.plots["top"], board.plots["bottom"]
    planes = board.plots["plane1"], board.plots["plane2"]
    w, h = board.size
    wide = 6.0 if later else 2.0
    for p in (p for p in board.parts if p.package in ("SWITCH", "TRAFO", "MODEM", "SUPPLY")):
        _, a, b, _, _ = LIBRARY[p.package]
        left, low = max(p.x - a / 2 - wide, 1.0), max(p.y - b / 2 - wide, 1.0)
        top.pour(_rect(left, low, min(p.x + a / 2 + wide, w - 1.0), min(p.y + b / 2 + wide, h - 1.0)))
        grid = 1.5 if later else 2.5
        for x in np.arange(p.x - a / 2 + 1, p.x + a / 2, grid):
            for y in np.arange(p.y - b / 2 + 1, p.y + b / 2, grid):
                board.vias.append((float(x), float(y), 0.3))
    for plane in planes:
        plane.pour(_rect(1, 1, w - 1, h - 1))
        for x, y, d in board.bores:
            plane.clear(x, y, d + 1.5)
    planes[1].pour(_rect(0.5, 58, w - 0.5, 58.6), clear=True)  # a split
    for p in board.parts:
        _pads(top if p.top else bottom, p)
    for m in range(28):  # a bundle from the controller to the strip, and more by the same rule
        x = 26 + 0.4 * m
        top.trace([(x, 71), (x, 62 - 0.3 * m), (x - 16 + m, 46 - 0.3 * m), (x - 16 + m, 12)], 0.2)
        bottom.trace([(10 + 2.2 * m, 14), (10 + 2.2 * m, 40 + m), (20 + 1.6 * m, 60 + m), (20 + 1.6 * m, 100)], 0.25)
    stitched = np.random.default_rng(7)
    for x, y in stitched.uniform((4, 4), (w - 4, h - 4), (220, 2)):
        board.vias.append((round(float(x), 2), round(float(y), 2), 0.4))
    for m, (x, y, d) in enumerate(board.vias):
        for side in (top, bottom):
            side.pad(x, y, f"C,{d + 0.3:.4f}")
        planes[m % 2].clear(x, y, d + 0.6)  # each joins one plane and clears the other


def _pads(plot: Plot, p: Part) -> None:
    """Pads along both long sides of a part."""
    _, a, b, _, _ = LIBRARY[p.package]
    a, b = (b, a) if p.turn % 180 else (a, b)
    count = max(_PADS.get(p.package, 2) // 2, 1)
    for m in range(count):
        y = p.y + (m + 0.5 - count / 2) * b / count
        size = f"R,{min(1.4, a / 3):.4f}X{min(0.6 * b / count, 2.0):.4f}"
        for x in (p.x - a / 2, p.x + a / 2):
            plot.pad(x, y, size)


def inverter() -> Board:
    """The thin board of an inverter, copper on filled laminate: three phases, two rails, and traces to the gates."""
    board = Board("inverter", (140.0, 60.0), [], thickness=0.3)
    top = board.plots["top"] = Plot("Copper,L1,Top")
    for m in range(3):
        x = 3 + 46.0 * m
        top.pour(_rect(x, 8, x + 26, 52))
        top.pour(_rect(x + 28, 8, x + 43, 28))
        top.pour(_rect(x + 28, 30, x + 43, 52))
        for t in range(5):
            top.trace([(x + 4 + 4 * t, 54.5), (x + 4 + 4 * t, 58)], 1.0)
    top.pour(_rect(1, 1, 139, 6))
    return board


def crowded(parts: int = 300, things: int = 20_000, seed: int = 3) -> Board:
    """A board of 150 x 120 mm with many parts and copper objects, made by chance."""
    chance = np.random.default_rng(seed)
    small = ("R0805", "XTAL", "SHUNT", "SUPPLY")
    w, h = 150.0, 120.0
    places = [(x, y) for x in np.arange(6, w - 5, 8.0) for y in np.arange(6, h - 5, 6.4)]
    chance.shuffle(places)
    board = Board("crowded", (w, h), [])
    board.parts = [
        Part(f"P{m + 1}", small[int(chance.integers(4))], *map(float, places[m]), float(90 * chance.integers(4)))
        for m in range(min(parts, len(places)))
    ]
    board.plots = {
        n: Plot(f"Copper,L{m + 1},{s}")
        for m, (n, s) in enumerate((("top", "Top"), ("plane1", "Inr"), ("plane2", "Inr"), ("bottom", "Bot")))
    }
    for name in ("plane1", "plane2"):
        board.plots[name].pour(_rect(1, 1, w - 1, h - 1))
    for x, y in chance.uniform((3, 3), (w - 3, h - 3), (1500, 2)):
        board.vias.append((round(float(x), 2), round(float(y), 2), 0.3))
    for m, (x, y, d) in enumerate(board.vias):
        for name in ("top", "bottom"):
            board.plots[name].pad(x, y, f"C,{d + 0.3:.4f}")
        board.plots[f"plane{1 + m % 2}"].clear(x, y, d + 0.6)
    for p in board.parts:
        _pads(board.plots["top"], p)
    step: Callable[[float], float] = lambda s: float(chance.normal(0, s))  # noqa: E731
    while sum(len(p.lines) for p in board.plots.values()) < things:
        name = ("top", "bottom")[int(chance.integers(2))]
        x, y = (float(v) for v in chance.uniform((5, 5), (w - 5, h - 5)))
        points = [(x, y)]
        for _ in range(4):
            x, y = float(np.clip(x + step(8), 2, w - 2)), float(np.clip(y + step(8), 2, h - 2))
            points.append((x, y))
        board.plots[name].trace(points, float(chance.choice([0.2, 0.25, 0.5])))
    return board
