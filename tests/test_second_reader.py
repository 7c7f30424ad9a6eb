"""The worked examples read a second time: every number that their commands print, worked out cell by cell from what
docs/project-file.md says of the stored file, by code that shares nothing with the program; and their closed forms."""

from __future__ import annotations

import json
import shlex
from collections import deque
from pathlib import Path

import h5py
import numpy as np
import pytest

from stithy import cli
from verification.examples import examples

EXAMPLES = list(examples())
COMMANDS = [(name, command) for name in EXAMPLES for command in examples()[name][2]]
#: the axes a periodic example repeats along
PERIODIC = {"channel-pitch": (0,), "pipe-pitch": (0,)}
#: how a printed heading's unit follows from SI
UNITS = {"degC": lambda x: x - 273.15, "mm": lambda x: 1e3 * x}


class Stored:
    """A result's file, by the names of its datasets alone."""

    def __init__(self, folder: Path, name: str, instant: str = ""):
        (file,) = folder.glob("results/*/fields.h5")
        with h5py.File(file) as h:
            self.lines = [h[a][:] for a in "xyz"]
            fields = h[instant] if instant else h
            self.t, self.p = fields["temperature"][:], fields["pressure"][:]
            self.flow = [fields[a][:] for a in "uvw"]
            self.kind, self.part, self.rho = h["kind"][:], h["part"][:], h["density"][:]
            self.names = json.loads(h.attrs["parts"])
            self.faces = {k: x[:] for k, x in fields["faces"].items()} if "faces" in fields else {}
            self.walls = {k: x[:] for k, x in fields["walls"].items()} if "walls" in fields else {}
            self.wall_names = json.loads((fields if "walls" in fields.attrs else h).attrs["walls"])
        self.wraps = PERIODIC.get(name, ())
        self.centres = [0.5 * (x[1:] + x[:-1]) for x in self.lines]
        self.widths = [np.diff(x) for x in self.lines]
        self.spaces = self._spread()

    def _spread(self) -> np.ndarray:
        """Numbers of fluid spaces: spread from cell to cell, begun along x, then y, then z."""
        out, n = np.full(self.kind.shape, -1), -1
        for start in zip(*np.nonzero(self.kind == 0), strict=True):
            if out[start] >= 0:
                continue
            n += 1
            out[start], todo = n, deque([start])
            while todo:
                cell = todo.popleft()
                for a in range(3):
                    for step in (-1, 1):
                        near = list(cell)
                        near[a] += step
                        if a in self.wraps:
                            near[a] %= self.kind.shape[a]
                        at = tuple(near)
                        if 0 <= near[a] < self.kind.shape[a] and self.kind[at] == 0 and out[at] < 0:
                            out[at] = n
                            todo.append(at)
        return out

    def volume(self, cell) -> float:
        return float(np.prod([self.widths[a][cell[a]] for a in range(3)]))

    def layer(self, axis: int, i: int, space: int) -> dict:
        """Sums over one layer of a fluid space, a cell at a time."""
        area = flow = mass = gross = pt = tt = carried = 0.0
        speeds = []
        for cell in np.ndindex(self.kind.shape):
            if cell[axis] != i or self.spaces[cell] != space:
                continue
            own = float(np.prod([self.widths[a][cell[a]] for a in range(3) if a != axis]))
            ahead = tuple(c + (a == axis) for a, c in enumerate(cell))
            both = [self.flow[axis][cell], self.flow[axis][ahead]]
            rho = [self._on_face(cell, axis, -1), self._on_face(cell, axis, 1)]
            speed = 0.5 * sum(both)
            through = 0.5 * own * (rho[0] * both[0] + rho[1] * both[1])
            area, flow, mass, gross = area + own, flow + own * speed, mass + through, gross + abs(through)
            pt, tt, carried = pt + own * self.p[cell], tt + own * self.t[cell], carried + through * self.t[cell]
            speeds.append(speed)
        return {
            "area": area,
            "volume_flow": flow,
            "mass_flow": mass,
            "mean_pressure": pt / area,
            "mean_temperature": tt / area,
            "bulk_temperature": carried / mass if abs(mass) > 1e-9 * gross else float("nan"),
            "mean_velocity": flow / area,
            "highest_velocity": max(speeds),
            "lowest_velocity": min(speeds),
        }

    def _on_face(self, cell, axis: int, step: int) -> float:
        near = list(cell)
        near[axis] += step
        if axis in self.wraps:
            near[axis] %= self.kind.shape[axis]
        if not 0 <= near[axis] < self.kind.shape[axis] or self.rho[tuple(near)] == 0.0:
            return float(self.rho[cell])
        return 0.5 * float(self.rho[cell] + self.rho[tuple(near)])

    def plane(self, axis: int, at: float) -> list[dict]:
        """Between the two layers whose middles lie about the plane."""
        c, rows = self.centres[axis], []
        low = max([m for m in range(len(c)) if c[m] < at], default=0)
        low = min(low, max(len(c) - 2, 0))
        high = min(low + 1, len(c) - 1)
        share = 0.0 if low == high else (at - c[low]) / (c[high] - c[low])
        for space in range(self.spaces.max() + 1):
            a, b = self.layer(axis, low, space), self.layer(axis, high, space)
            rows.append({k: (1 - share) * a[k] + share * b[k] for k in a})
        return rows

    def faces_of(self, name: str) -> list[int]:
        plain, _, space = name.partition(", fluid space ")
        number = self.wall_names.index(plain)
        out = [m for m in range(len(self.walls["name"])) if self.walls["name"][m] == number]
        if space:
            at = [np.unravel_index(self.walls["cell"][m], self.kind.shape) for m in out]
            outer = [bool(self.walls["outer"][m]) for m in out]
            out = [m for m, x, o in zip(out, at, outer, strict=True) if not o and self.spaces[x] == int(space) - 1]
        return out

    def wall(self, which: list[int]) -> dict:
        w = self.walls
        area = sum(w["area"][m] for m in which)
        shear = [sum(w["shear"][m][a] for m in which) for a in range(3)]
        push = [sum(w["push"][m] for m in which if w["axis"][m] == a) for a in range(3)]
        return {
            "area": area,
            "heat": sum(w["heat"][m] for m in which),
            "flux": sum(w["heat"][m] for m in which) / area,
            "wall_temperature": sum(w["temperature"][m] * w["area"][m] for m in which) / area,
            "highest_wall_temperature": max(w["temperature"][m] for m in which),
            "shear_stress": sum(float(np.sqrt(sum(x * x for x in w["shear"][m]))) for m in which) / area,
            "shear_force": shear,
            "pressure_force": push,
            "force": [a + b for a, b in zip(shear, push, strict=True)],
        }

    def wall_along(self, name: str, axis: int) -> list[dict]:
        """Layer by layer the faces that lie along the axis, and the fluid's bulk temperature there."""
        mine = [m for m in self.faces_of(name) if self.walls["axis"][m] != axis]
        at = {m: np.unravel_index(self.walls["cell"][m], self.kind.shape) for m in mine}
        counts = np.bincount([self.spaces[at[m]] for m in mine if self.spaces[at[m]] >= 0])
        out = []
        for i, x in enumerate(self.centres[axis]):
            here = [m for m in mine if at[m][axis] == i]
            if here:
                row = self.wall(here)
                bulk = self.layer(axis, i, int(counts.argmax()))["bulk_temperature"]
                out.append({"position": x, "bulk_temperature": bulk, **row})
        return out

    def highest_and_lowest(self, part: int) -> tuple[float, float, float, float]:
        """Highest, lowest and mean temperature, and volume of a part, its faces to others included."""
        cells = [c for c in np.ndindex(self.kind.shape) if self.part[c] == part]
        values = [float(self.t[c]) for c in cells]
        values += [float(x[c]) for x in self.faces.values() for c in cells if np.isfinite(x[c])]
        volume = sum(map(self.volume, cells))
        mean = sum(self.volume(c) * float(self.t[c]) for c in cells) / volume
        return max(values), min(values), mean, volume


def told(solved, name: str, command: str, capsys) -> list[dict]:
    """What a command answers in JSON."""
    what, *rest = shlex.split(command)
    capsys.readouterr()
    assert cli.main([what, str(solved / name), *rest, "--json"]) == 0
    return json.loads(capsys.readouterr().out, parse_constant=lambda text: pytest.fail(f"{text} is no JSON"))


def same(row: dict, expected: dict, rel: float = 1e-6, scale: float = 0.0) -> None:
    """Every expected number stands in the row."""
    for key, value in expected.items():
        if np.isscalar(value) and np.isnan(value):
            assert row[key] is None, key
        else:
            assert row[key] == pytest.approx(value, rel=rel, abs=scale or 1e-12), key


def answer(stored: Stored, solved, name: str, command: str) -> list[dict]:
    """What a command should answer, by the second reader."""
    _, what, *rest = shlex.split(command)
    summary = json.loads(next((solved / name).glob("results/*/summary.json")).read_text())
    metres = [[1e-3 * float(x) for x in t.replace(" mm", "").split(",")] for t in rest if t.endswith("mm")]
    if what == "plane":
        return [row for at in metres for row in stored.plane("xyz".index(rest[0]), at[0])]
    if what == "wall" and "--along" in rest:
        return stored.wall_along(rest[0], "xyz".index(rest[-1]))
    if what in ("wall", "walls"):
        names = [rest[0]] if what == "wall" else sorted(stored.wall_names)
        rows = []
        for n in names:
            if not stored.faces_of(n):
                continue
            rows.append({"name": n} | stored.wall(stored.faces_of(n)))
            by_space = [f"{n}, fluid space {m + 1}" for m in range(stored.spaces.max() + 1)] if what == "walls" else []
            by_space = [x for x in by_space if stored.faces_of(x)]
            rows += [{"name": x} | stored.wall(stored.faces_of(x)) for x in by_space] if len(by_space) > 1 else []
        return rows
    if what == "parts":
        rows = []
        for m, part in enumerate(stored.names):
            high, low, mean, volume = stored.highest_and_lowest(m)
            rows.append({"name": part, "highest": high, "lowest": low, "mean": mean, "volume": volume})
        return rows
    if what == "balance":
        given, ends, walls = summary["heat_load"], summary["ends"], summary["walls"]
        rows = [{"name": "heat load", "heat": given}]
        rows += [{"name": n, "heat": x["heat_out"]} for n, x in ends.items()]
        rows += [{"name": n, "heat": x} for n, x in walls.items()]
        left = given - sum(x["heat_out"] for x in ends.values()) - sum(walls.values())
        assert summary["heat_imbalance"] == pytest.approx(left, abs=1e-6 * max(map(abs, walls.values()), default=1.0))
        return [*rows, {"name": "imbalance", "heat": summary["heat_imbalance"]}]
    return []


@pytest.mark.parametrize(("name", "command"), COMMANDS)
def test_what_a_command_prints_is_what_is_stored(solved, name, command, capsys):
    """Plane, wall, wall by layers, parts and balance to the last digit; points and lines lie between what their cells
    hold; openings carry what crosses their faces."""
    rows = told(solved, name, command, capsys)
    stored = Stored(solved / name, name, "instants/00000" if "30 s" in command else "")
    expected = answer(stored, solved, name, command)
    if expected:
        assert len(rows) == len(expected)
        for row, mine in zip(rows, expected, strict=True):
            strings = {k: x for k, x in mine.items() if isinstance(x, str)}
            assert {k: row[k] for k in strings} == strings
            force = max((abs(x) for x in mine.get("force", ())), default=0.0)
            same(row, {k: x for k, x in mine.items() if k not in strings}, 2e-6, 1e-9 * force)
    for row in rows if command.startswith(("read line", "read at")) else ():
        at = [row[a] for a in "xyz"]
        near = [
            slice(max(int(np.searchsorted(c, x)) - 1, 0), int(np.searchsorted(c, x)) + 1)
            for c, x in zip(stored.centres, at, strict=True)
        ]
        around = np.append(stored.t[tuple(near)].ravel(), [x[tuple(near)].ravel() for x in stored.faces.values()])
        around = around[np.isfinite(around)]
        if "--time" not in command:
            assert around.min() - 1e-4 <= row["temperature"] <= around.max() + 1e-4
        assert row["speed"] == pytest.approx(np.sqrt(row["u"] ** 2 + row["v"] ** 2 + row["w"] ** 2), abs=1e-12)


@pytest.mark.parametrize("name", [n for n in EXAMPLES if "read ends" in examples()[n][2]])
def test_openings_carry_what_crosses_them(solved, name, capsys):
    """Flow, mass and temperature at every opening, from the speeds on its faces and the cells behind it."""
    stored = Stored(solved / name, name)
    (file,) = (solved / name).glob("results/*/fields.h5")
    rows = {r["name"]: r for r in told(solved, name, "read ends", capsys)}
    with h5py.File(file) as h:
        pieces = [(e.attrs["name"], int(e.attrs["axis"]), int(e.attrs["outward"]), e[:]) for e in h["ends"].values()]
    for row, axis, outward, cells in pieces:
        flow = mass = heat = 0.0
        for cell in map(tuple, cells):
            face = tuple(c + (a == axis and outward > 0) for a, c in enumerate(cell))
            area = float(np.prod([stored.widths[a][cell[a]] for a in range(3) if a != axis]))
            inward = -outward * float(stored.flow[axis][face]) * area
            flow, mass = flow + inward, mass + inward * float(stored.rho[cell])
            heat += inward * float(stored.t[cell])
        assert rows[row]["volume_flow"] == pytest.approx(flow, rel=1e-5)
        assert rows[row]["mass_flow"] == pytest.approx(mass, rel=1e-5)
        if flow < 0:  # what leaves has the cells' temperature
            assert rows[row]["temperature"] == pytest.approx(heat / flow, abs=1e-3)
    assert sum(r["mass_flow"] for r in rows.values()) == pytest.approx(0.0, abs=1e-7 * max(abs(mass), 1e-9))


@pytest.mark.parametrize(("name", "command"), COMMANDS)
def test_a_table_shows_the_numbers_of_its_json(solved, name, command, capsys):
    """Every printed number is the JSON's in the unit of its heading, to the digits shown; columns are named alike."""
    rows = told(solved, name, command, capsys)
    what, *rest = shlex.split(command)
    assert cli.main([what, str(solved / name), *rest]) == 0
    lines = [x for x in capsys.readouterr().out.splitlines() if x.strip()]
    starts = []
    heads = [h.strip() for h in lines[0].split("  ") if h.strip()]
    for h in heads:
        starts.append(lines[0].index(h, starts[-1] + 1 if starts else 0))
    flat = []
    for row in rows:
        one: dict = {}
        for k, x in row.items():
            one |= {f"{a}_{k}": y for a, y in zip("xyz", x, strict=True)} if isinstance(x, list) else {k: x}
        flat.append(one)
    assert len(lines) == len(rows) + 1
    for line, row in zip(lines[1:], flat, strict=True):
        shown = [x.strip() for x in line.split("  ") if x.strip()]
        keys = [h.partition(" [")[0].replace(" ", "_") for h in heads]
        assert keys == list(dict.fromkeys(k for r in flat for k in r))
        assert len(shown) == len([k for k in keys if row.get(k, "") != ""])
        for text, head, key in zip(shown, heads, keys, strict=False):
            value = row[key]
            if isinstance(value, str):
                assert text == value
            elif value is None:
                assert text == "-"
            else:
                unit = head.partition(" [")[2].rstrip("]")
                now = UNITS.get(unit, lambda x: x)(value)
                assert float(text) == pytest.approx(now, rel=6e-4 if unit == "mm" else 6e-6, abs=6e-5)
                assert not text.startswith("-0") or float(text) != 0.0


def test_a_channel_has_its_parabola_and_its_temperatures(solved, capsys):
    """The line across the pitch: u = 6 U s (1 - s), and under a given flux T - T_wall = -q h/k (s - 2 s^3 + s^4) with
    s from wall to wall (Kays and Crawford, Convective heat and mass transfer); gradient 12 mu U / h^2."""
    rows = told(solved, "channel-pitch", examples()["channel-pitch"][2][-1], capsys)
    h, flux, k, speed = 0.01, 200.0, 0.026, 0.2
    for row in rows:
        s = row["y"] / h
        assert row["u"] == pytest.approx(6 * speed * s * (1 - s), abs=0.004 * speed * 1.5)
        fall = flux * h / k * (s - 2 * s**3 + s**4)
        assert rows[0]["temperature"] - row["temperature"] == pytest.approx(fall, abs=0.006 * flux * h / k * 0.3125)
    (drive,) = told(solved, "channel-pitch", "read drive", capsys)
    assert drive["pressure_gradient"] == pytest.approx(12 * 1.8e-5 * speed / h**2, rel=1e-3)
    taken = drive["mass_flow"] * 1006 * drive["temperature_rise"]
    assert taken == pytest.approx(2 * flux * 0.01 * 0.005, rel=1e-6)


def test_a_pipe_has_its_nusselt_number(solved, capsys):
    """Developed flow between walls of one temperature: 3.66 at every place, and the flow takes up what the wall
    gives."""
    rows = told(solved, "pipe-pitch", "read wall Pipe --along x", capsys)
    for row in rows:
        assert row["heat_transfer_coefficient"] * 0.01 / 0.13 == pytest.approx(3.66, rel=0.02)
    (drive,) = told(solved, "pipe-pitch", "read drive", capsys)
    given = sum(r["heat"] for r in rows)
    assert drive["mass_flow"] * 2000 * drive["temperature_rise"] == pytest.approx(given, rel=1e-3)
    ratio = (60 - 30 - drive["temperature_rise"]) / (60 - 30)
    assert drive["difference_ratio"] == pytest.approx(ratio, rel=1e-9)
    assert drive["pressure_gradient"] == pytest.approx(32 * 0.01 * 0.2 / 0.01**2 * 0.88, rel=0.17)


def test_a_step_is_left_and_found_again(solved, capsys):
    """At Reynolds number 50 (step height and mean speed) the floor's shear changes its sign once, some two to four
    steps behind; the line near the floor runs back before it and forth behind it."""
    rows = told(solved, "step", 'read wall "Duct z-" --along x', capsys)
    pull = np.array([r["shear_force"][0] for r in rows])
    turns = np.flatnonzero(np.sign(pull[1:]) != np.sign(pull[:-1]))
    assert len(turns) == 1
    assert pull[0] < 0 < pull[-1]
    back = rows[turns[0]]["position"] + 1e-3
    near = told(solved, "step", examples()["step"][2][1], capsys)
    assert all(r["u"] < 0 for r in near if 0.022 < r["x"] < back - 4e-3)
    assert all(r["u"] > 0 for r in near if r["x"] > back + 4e-3)


def test_a_chip_is_followed_in_time(solved, capsys):
    """At every kept instant the command's parts are those of the stored cells of then, and the history's too."""
    stored = [Stored(solved / "warm-up", "warm-up", f"instants/{m:05d}") for m in range(6)]
    history = told(solved, "warm-up", "read history", capsys)
    parts = [told(solved, "warm-up", f'read parts --time "{30 * m} s"', capsys) for m in range(1, 7)]
    assert [p[1]["heat_load"] for p in parts] == pytest.approx([2, 0, 0, 2, 0, 0])
    for m, rows in enumerate(parts):
        for i, row in enumerate(rows):
            high, low, mean, volume = stored[m].highest_and_lowest(i)
            same(row, {"highest": high, "lowest": low, "mean": mean, "volume": volume}, 1e-6)
    for m, now in enumerate(stored):
        (then,) = [x for x in history if x["time"] == pytest.approx(30.0 * (m + 1))]
        for i, name in enumerate(now.names):
            hottest = max(float(now.t[c]) for c in np.ndindex(now.kind.shape) if now.part[c] == i)
            assert then[name] == pytest.approx(hottest, abs=1e-3)  # of cells; the table above counts faces too
            assert then[name] <= parts[m][i]["highest"] + 1e-3
