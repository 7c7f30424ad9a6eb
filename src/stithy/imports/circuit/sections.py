"""Board, panel and library files of the intermediate data format, 2.0 and 3.0: sections, then typed rows.

What is unsound is told with file and line, and the rest is read.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from ...errors import FileProblem

#: m of a unit that a file may name
UNITS = {"MM": 1e-3, "THOU": 25.4e-6, "TNM": 1e-8}
#: m that a chord of an arc may lie off it, and the angle (degrees) it spans at most
CHORD, WIDEST = 10e-6, 10.0
_TOKEN = re.compile(r'"([^"]*)"|(\S+)')
_SIDES = ("TOP", "BOTTOM")
#: m: loops whose ends are farther apart than this are told to be open
CLOSED = 1e-6


@dataclass
class Section:
    """A section: its ``name``, what follows the name (``words``), and ``rows`` of (line number, tokens)."""

    name: str
    words: list[str]
    line: int
    rows: list[tuple[int, list[str]]] = field(default_factory=list)


@dataclass(frozen=True)
class Shape:
    """A part of a library: outline (n, 2) m and height (m), with its properties by name."""

    outline: np.ndarray
    height: float
    properties: dict[str, float]


@dataclass(frozen=True)
class Place:
    """A part on a board: reference, package and part number, place (m), turn (radians), offset of its foot (m)."""

    reference: str
    package: str
    part: str
    at: tuple[float, float]
    turn: float
    offset: float
    top: bool
    line: int


@dataclass(frozen=True)
class Sheet:
    """What a board file says: loops of its outline (m; the first is the outside), thickness (m), holes (x, y,
    diameter, plated; m) and placed parts."""

    loops: tuple[np.ndarray, ...]
    thickness: float
    holes: np.ndarray
    places: tuple[Place, ...]


class Lines:
    """A file's sections, and what is told of it; ``unit`` m."""

    def __init__(self, path: Path, text: str, tell: Callable[[str], None]):
        self.path, self._tell = path, tell
        self.sections = list(self._split(text))
        self.kind, self.unit = self._head()

    def tell(self, line: int, what: str) -> None:
        """Note something of a line."""
        self._tell(f"{self.path.name}, line {line}: {what}")

    def _split(self, text: str) -> Iterator[Section]:
        now: Section | None = None
        for number, raw in enumerate(text.splitlines(), 1):
            line = raw.strip()
            if not line or line.startswith("#"):
                continue
            tokens = [a or b for a, b in _TOKEN.findall(line)]
            if line.startswith(".") and not line[1:2].isdigit():
                name = tokens[0][1:].upper()
                if name.startswith("END_"):
                    if now is not None:
                        yield now
                    now = None
                    continue
                if now is not None:
                    self.tell(number, f".{now.name} is not ended before .{name} begins; it is taken to end here.")
                    yield now
                now = Section(name, tokens[1:], number)
            elif now is None:
                self.tell(number, "stands in no section; left out.")
            else:
                now.rows.append((number, tokens))
        if now is not None:
            self.tell(now.line, f".{now.name} is not ended; it is taken to end with the file.")
            yield now

    def _head(self) -> tuple[str, float]:
        head = next((s for s in self.sections if s.name == "HEADER"), None)
        if head is None or not head.rows:
            raise FileProblem(f"{self.path}: has no header, so it is no board or library file. Export it again.")
        kind = head.rows[0][1][0].upper()
        words = [w.upper() for _, row in head.rows for w in row]
        unit = next((UNITS[w] for w in words if w in UNITS), 0.0)
        if not unit and kind != "LIBRARY_FILE":
            raise FileProblem(
                f"{self.path}, line {head.rows[-1][0]}: names no unit ({', '.join(UNITS)}). Write one into its header."
            )
        return kind, unit

    def number(self, line: int, text: str) -> float | None:
        """A number, with a decimal point or comma; None after a note."""
        try:
            value = float(text.replace(",", "."))
            if np.isfinite(value):
                return value
        except ValueError:
            pass
        self.tell(line, f"“{text[:40]}” is no number; the line is left out.")
        return None

    def of(self, *names: str) -> list[Section]:
        """Sections of these names."""
        return [s for s in self.sections if s.name in names]


def loops(file: Lines, rows, unit: float) -> list[np.ndarray]:
    """Closed loops (n, 2) m of rows ``label x y angle``; arcs as chords. The first runs counterclockwise, others
    clockwise."""
    corners: dict[str, list[tuple[int, float, float, float]]] = {}
    for line, row in rows:
        if len(row) < 4:
            file.tell(line, f"an outline needs a label, x, y and an angle, not “{' '.join(row)[:40]}”; left out.")
            continue
        values = [file.number(line, t) for t in row[1:4]]
        if all(v is not None for v in values):
            corners.setdefault(row[0], []).append((line, *values))
    out: list[np.ndarray] = []
    for label, points in corners.items():
        loop = _loop(file, points, unit)
        if loop is None:
            continue
        x, y = loop.T
        area = 0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
        if abs(area) < 1e-12:
            file.tell(points[0][0], f"loop {label} encloses nothing; left out.")
            continue
        out.append(loop if (area > 0) == (not out) else loop[::-1])
    return out


def _loop(file: Lines, points, unit: float) -> np.ndarray | None:
    """One loop's corners (m)."""
    first = points[0]
    if len(points) == 2 and abs(abs(points[1][3]) - 360.0) < 1e-9:  # the first row is the middle of a full circle
        (_, x, y, _), (_, a, b, _) = points
        radius = unit * float(np.hypot(a - x, b - y))
        t = np.linspace(0, 2 * np.pi, _chords(radius, 360.0) + 1)[:-1]
        return unit * np.array([x, y]) + radius * np.stack([np.cos(t), np.sin(t)], 1)
    if len(points) < 3:
        file.tell(first[0], "a loop needs three corners or a circle; left out.")
        return None
    out = [np.array([[first[1], first[2]]]) * unit]
    for (_, x0, y0, _), (_, x1, y1, angle) in zip(points, points[1:], strict=False):
        a, b = unit * np.array([x0, y0]), unit * np.array([x1, y1])
        out.append(_arc(a, b, angle) if angle else b[None])
    line = np.concatenate(out)
    if np.hypot(*(line[0] - line[-1])) > CLOSED:
        file.tell(points[-1][0], "the loop does not end where it begins; it is closed by a straight line.")
    else:
        line = line[:-1]
    keep = np.hypot(*(line - np.roll(line, 1, axis=0)).T) > 1e-9
    return np.asarray(line[keep])


def _arc(a: np.ndarray, b: np.ndarray, angle: float) -> np.ndarray:
    """Corners after ``a`` up to ``b`` of an arc that spans ``angle`` (degrees, counterclockwise)."""
    chord = float(np.hypot(*(b - a)))
    if chord < 1e-12:
        return b[None]
    half = np.radians(angle) / 2
    normal = np.array([-(b - a)[1], (b - a)[0]]) / chord
    middle = 0.5 * (a + b) + normal * 0.5 * chord / np.tan(half)
    radius = abs(0.5 * chord / np.sin(half))
    start = np.arctan2(*(a - middle)[::-1])
    t = start + np.linspace(0, np.radians(angle), _chords(radius, abs(angle)) + 1)[1:]
    out = middle + radius * np.stack([np.cos(t), np.sin(t)], 1)
    out[-1] = b
    return np.asarray(out)


def _chords(radius: float, angle: float) -> int:
    """Chords that an arc is made of."""
    step = 2 * np.degrees(np.arccos(1 - min(CHORD / max(radius, CHORD), 1.0)))
    return max(int(np.ceil(angle / min(max(step, 1e-3), WIDEST))), 1)


def shapes(file: Lines) -> dict[tuple[str, str], Shape]:
    """Parts of a library file by package and part number, in capitals."""
    out: dict[tuple[str, str], Shape] = {}
    for s in file.of("ELECTRICAL", "MECHANICAL"):
        if not s.rows or len(s.rows[0][1]) < 4:
            file.tell(s.line, "a part needs name, number, unit and height; left out.")
            continue
        line, (name, part, unit, height) = s.rows[0][0], s.rows[0][1][:4]
        high = file.number(line, height)
        if unit.upper() not in UNITS:
            file.tell(line, f"“{unit[:20]}” is none of the units {', '.join(UNITS)}; {name} is left out.")
            continue
        if high is None or high <= 0:
            file.tell(line, f"{name} {part} has no height; parts of it are left out.")
            continue
        scale = UNITS[unit.upper()]
        found = loops(file, [r for r in s.rows[1:] if r[1][0].upper() != "PROP"], scale)
        if not found:
            continue
        properties = {}
        for at, row in s.rows[1:]:
            if row[0].upper() == "PROP" and len(row) >= 3:
                value = file.number(at, row[2])
                if value is not None:
                    properties[row[1].upper()] = value
        out[name.upper(), part.upper()] = Shape(found[0], high * scale, properties)
    return out


def sheet(file: Lines) -> Sheet:
    """What a board or panel file says. Raises FileProblem without an outline."""
    outline = next(iter(file.of("BOARD_OUTLINE", "PANEL_OUTLINE")), None)
    if outline is None or not outline.rows:
        raise FileProblem(f"{file.path}: has no section .BOARD_OUTLINE. Export it again with its outline.")
    rows, thickness = outline.rows, 1.6e-3
    if len(rows[0][1]) == 1:
        value = file.number(rows[0][0], rows[0][1][0])
        thickness, rows = (value or 0.0) * file.unit, rows[1:]
    if thickness <= 0:
        file.tell(outline.line, "the board has no thickness; 1.6 mm is taken.")
        thickness = 1.6e-3
    found = loops(file, rows, file.unit)
    if not found:
        raise FileProblem(f"{file.path}, line {outline.line}: its outline encloses nothing. Export it again.")
    places: list[Place] = []
    for s in file.of("PLACEMENT"):
        places += _places(file, s)
    return Sheet(tuple(found), thickness, _holes(file), tuple(_unlike(file, places)))


def _holes(file: Lines) -> np.ndarray:
    """Drilled holes (n, 4): x, y, diameter (m), plated."""
    out = []
    for s in file.of("DRILLED_HOLES"):
        for line, row in s.rows:
            if len(row) < 4:
                file.tell(line, "a hole needs diameter, x, y and its plating; left out.")
                continue
            values = [file.number(line, t) for t in row[:3]]
            if all(v is not None for v in values):
                d, x, y = (file.unit * float(v or 0.0) for v in values)
                out.append((x, y, d, float(row[3].upper() == "PTH")))
    return np.array(out).reshape(-1, 4)


def _places(file: Lines, s: Section) -> list[Place]:
    """Parts of a placement: two rows each."""
    out, rows, m = [], s.rows, 0
    while m < len(rows):
        line, names = rows[m]
        after = rows[m + 1] if m + 1 < len(rows) else None
        if len(names) < 3 or after is None or len(after[1]) < 2 or not _numeric(after[1][:2]):
            file.tell(line, f"{names[-1] if names else 'a part'} has no row with its place; left out.")
            m += 1
            continue
        m += 2
        at, row = after
        side = next((t.upper() for t in row if t.upper() in _SIDES), "")
        if not side:
            file.tell(at, f"{names[2]} has no side; TOP is taken.")
        before = row[: next((n for n, t in enumerate(row) if t.upper() in _SIDES), len(row))]
        values = [file.number(at, t) for t in before if _numeric([t])]
        x, y = (float(v or 0.0) * file.unit for v in values[:2])
        rest = [float(v or 0.0) for v in values[2:]]
        offset, turn = (rest[0], rest[1]) if len(rest) > 1 else (0.0, rest[0] if rest else 0.0)
        place = (x, y), float(np.radians(turn)), offset * file.unit
        out.append(Place(names[2], names[0], names[1], *place, side != "BOTTOM", line))
    return out


def _unlike(file: Lines, places: list[Place]) -> Iterator[Place]:
    """Parts with references unlike each other."""
    taken: set[str] = set()
    for p in places:
        name, n = p.reference, 2
        if name.upper() in ("NOREFDES", "BOARD", ""):
            name = p.package
        while name in taken:
            name, n = f"{p.reference} {n}", n + 1
        if name != p.reference and p.reference in taken:
            file.tell(p.line, f"there is a {p.reference} before; this one is called {name}.")
        taken.add(name)
        yield replace(p, reference=name)


def _numeric(tokens: list[str]) -> bool:
    return bool(tokens) and all(re.fullmatch(r"[-+]?[\d.,]+(?:[eE][-+]?\d+)?", t) for t in tokens)
