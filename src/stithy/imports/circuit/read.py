"""A board from its files: what lies beside the file named is looked through for outline, placement, copper and holes.

Runs in the importer's process. What is unsound is told with file and line; the rest is taken in.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.ops import polygonize, unary_union

from ...errors import FileProblem
from ...project.circuits import Circuit, CopperLayer, Placed
from . import copper, plot, raster, sections, tables
from .drill import Drilled
from .plot import Shapes
from .sections import Lines, Place, Shape, Sheet

#: endings of board and panel files, of library files, of plots, of drill files
BOARDS, LIBRARIES = (".emn", ".brd", ".bdf", ".idb", ".idf", ".pan"), (".emp", ".lib", ".ldf", ".idl", ".pro")
PLOTS = (".gbr", ".ger", ".gtl", ".gbl", ".gko", ".gm1", ".g1", ".g2", ".g3", ".g4", ".art", ".pho")
DRILLS = (".drl", ".xln", ".exc", ".drd", ".tap", ".ncd")
#: m of copper that no file says, outside and inside; of plating in a hole; mm from hole to hole in a picture
OUTER, INNER, PLATING = 35e-6, 18e-6, 25e-6
#: mm of a picture's pixel, at most so many along a board
PICTURE, MOST_PIXELS = 0.3, 400
#: m: a part without a library and without a table
UNKNOWN_HEIGHT = 1e-3
#: m: sizes and thickness that boards have
LEAST, MOST, THICKEST = 2e-3, 1.5, 20e-3
#: characters of a file that are looked at to see what it is
LOOKED = 4000
MOST_TOLD = 60


@dataclass
class Files:
    """What of a folder belongs to a board."""

    board: Path | None = None
    libraries: list[Path] = field(default_factory=list)
    plots: list[Path] = field(default_factory=list)
    drills: list[Path] = field(default_factory=list)
    tables: list[Path] = field(default_factory=list)

    @property
    def all(self) -> list[Path]:
        """Every file of it."""
        return [*([self.board] if self.board else []), *self.libraries, *self.plots, *self.drills, *self.tables]


def is_board(path: Path) -> bool:
    """Whether a file, or what a folder holds, is one of a board."""
    if path.is_dir():
        return not (path / "project.json").exists() and any(p.suffix.lower() in BOARDS + PLOTS for p in path.iterdir())
    return path.suffix.lower() in BOARDS + LIBRARIES + PLOTS + DRILLS


def files_of(path: Path) -> Files:
    """The files of the board that ``path`` (one of them, or their folder) belongs to. Raises FileProblem."""
    folder = path if path.is_dir() else path.parent
    out = Files()
    for file in sorted(folder.iterdir()):
        if not file.is_file() or file.stat().st_size > 200_000_000:
            continue
        end = file.suffix.lower()
        if end in BOARDS:
            if out.board is None or file == path:
                out.board = file
        elif end in LIBRARIES:
            out.libraries.append(file)
        elif end in DRILLS or (end == ".txt" and _starts(file, "M48")):
            out.drills.append(file)
        elif end in PLOTS or (end in (".txt", ".top", ".bot") and "%FS" in _beginning(file)):
            out.plots.append(file)
        elif end == ".csv":
            out.tables.append(file)
    if out.board is None and not out.plots:
        raise FileProblem(f"{path}: no outline ({', '.join(BOARDS[:3])}) and no plotted copper lies there.")
    return out


def _beginning(file: Path) -> str:
    with file.open("rb") as f:
        return f.read(LOOKED).decode("latin-1")


def _starts(file: Path, word: str) -> bool:
    return _beginning(file).lstrip().startswith(word)


def _text(file: Path) -> str:
    return file.read_bytes().decode("utf-8", "replace")


def read_board(path: Path, tell: Callable[[str, float], None]) -> tuple[Circuit, list[Path]]:
    """The board that ``path`` belongs to, and its files. Raises FileProblem where nothing can be made of it."""
    files, told = files_of(path), list[str]()
    note = told.append
    tell("Outline and placement", 0.02)
    sheet, library = None, dict[tuple[str, str], Shape]()
    for file in files.libraries:
        library |= sections.shapes(Lines(file, _text(file), note))
    if files.board is not None:
        lines = Lines(files.board, _text(files.board), note)
        library |= sections.shapes(lines)
        sheet = sections.sheet(lines)
    listed = [x for file in files.tables for x in _placements(file, note)]
    plots, outline = _plots(files.plots, tell, note)
    tell("Holes", 0.4)
    holes = _holes(files.drills, sheet, note)
    if sheet is None:
        sheet = Sheet(_outline(outline, plots, note), 1.6e-3, np.zeros((0, 4)), ())
        note("No file says how thick the board is; 1.6 mm is taken.")
    _fits(path, sheet)
    placed = _placed(sheet, library, listed, note)
    layers, maps, pictures, pixel, vias = _copper(sheet, plots, holes, tell, note)
    if len(told) > MOST_TOLD:
        told[MOST_TOLD:] = [f"and {len(told) - MOST_TOLD} more of such."]
    block = copper.BLOCK * copper.PIXEL * 1e-3
    loops = tuple(np.asarray(x) for x in sheet.loops)
    return Circuit(loops, sheet.thickness, layers, placed, block, maps, pixel, pictures, vias, tuple(told)), files.all


def _fits(path: Path, sheet: Sheet) -> None:
    """Refuse boards of no likely size: their unit is probably another."""
    wide, high = np.ptp(sheet.loops[0], axis=0)
    if not (LEAST <= wide <= MOST and LEAST <= high <= MOST and sheet.thickness <= THICKEST):
        raise FileProblem(
            f"{path.name}: the board would be {wide:.3g} x {high:.3g} m, {1e3 * sheet.thickness:.3g} mm thick. Look at "
            "the unit in its header."
        )


def _placements(file: Path, note: Callable[[str], None]) -> list[tables.Listed]:
    """Places and sizes of a table; nothing of a table of another kind."""
    try:
        found = tables.placements(file, _text(file), note)
    except FileProblem:
        return []
    return [x for x in found if np.isfinite(x.place.at[0]) or any(x.size)]


def _plots(files: list[Path], tell, note) -> tuple[list[tuple[str, Shapes]], Shapes | None]:
    """Copper layers from the component side down as (name, shapes), and the outline where one is plotted."""
    found, outline, unknown = [], None, []
    for m, file in enumerate(files):
        tell(f"Plot {m + 1} of {len(files)}: {file.name}", 0.04 + 0.36 * m / len(files))
        text = _text(file)
        sort, rank = _sort(file, plot.function(text))
        if sort == "":
            unknown.append(file.name)
            continue
        if sort == "other":
            continue
        try:
            shapes = plot.shapes(plot.parse(file, text))
        except FileProblem as error:
            note(f"{error} The layer is left out.")
            continue
        if not len(shapes.kind):
            note(f"{file.name}: holds nothing; the layer is left out.")
        elif sort == "outline":
            outline = shapes
        else:
            found.append((rank, sort, shapes))
    if unknown:
        note(f"{', '.join(unknown[:6])}: neither attributes nor name say which layer it is; left out.")
    return [(name, shapes) for _, name, shapes in sorted(found, key=lambda x: x[0])], outline


def _sort(file: Path, said: str) -> tuple[str, float]:
    """What a plot is, "other" when it is no copper, "" when nobody knows; and where a copper layer stands."""
    words = [w.strip() for w in said.split(",")]
    if words[0] == "Copper" and len(words) > 1 and (found := re.fullmatch(r"L(\d+)", words[1])):
        level = int(found.group(1))
        where = words[2] if len(words) > 2 else ""
        name = {"Top": "top copper", "Bot": "bottom copper"}.get(where, f"plane {level - 1}")
        return name, float(level)
    if words[0] == "Profile":
        return "outline", 0.0
    if said:
        return "other", 0.0
    name = file.name.lower()
    if re.search(r"edge|outline|profile|\.gko|\.gm1", name):
        return "outline", 0.0
    if re.search(r"mask|silk|paste|legend|\.gt[sop]$|\.gb[sop]$", name):
        return "other", 0.0
    if re.search(r"\btop\b|f[._-]cu|\.gtl|_top|-top", name):
        return "top copper", -1.0
    if re.search(r"\bbot|b[._-]cu|\.gbl|_bot|-bot", name):
        return "bottom copper", 1e6
    if found := re.search(r"(?:in(?:ner)?|plane|layer|\.g)[ _-]?(\d+)", name):
        return f"plane {found.group(1)}", float(found.group(1))
    return "", 0.0


def _holes(files: list[Path], sheet: Sheet | None, note) -> np.ndarray:
    """Holes (n, 4): x, y, diameter (mm), plated; drill files come before what the board file says."""
    rows = [Drilled(file, _text(file), note).holes for file in files]
    out = np.concatenate(rows) if rows else np.zeros((0, 4))
    if not len(out) and sheet is not None:
        out = sheet.holes * (1e3, 1e3, 1e3, 1.0)
    return out


def _outline(drawn: Shapes | None, plots, note) -> tuple[np.ndarray, ...]:
    """Loops (m) of a plotted outline; the extent of the copper where there is none."""
    if drawn is not None:
        lines = [
            shapely.LineString([(a, b), (c, d)])
            for a, b, c, d, _ in np.round(drawn.data[drawn.kind == plot.STROKE], 4)
            if (a, b) != (c, d)
        ]
        areas = list(polygonize(unary_union(lines))) if lines else []
        if areas:
            whole = max(areas, key=lambda a: a.area)
            inner = [np.array(i.coords)[:-1] for i in whole.interiors]
            return tuple(1e-3 * x for x in (np.array(whole.exterior.coords)[:-1], *inner))
        note("The plotted outline does not close; the extent of the copper is taken.")
    else:
        note("No file has an outline; the extent of the copper is taken.")
    if not plots:
        raise FileProblem("Neither an outline nor copper can be read. Export the board's outline as well.")
    x0, y0, x1, y1 = np.array([s.bounds for _, s in plots]).T
    low, high = (x0.min(), y0.min()), (x1.max(), y1.max())
    return (1e-3 * np.array([low, (high[0], low[1]), high, (low[0], high[1])]),)


def _placed(sheet: Sheet, library: dict, listed: list[tables.Listed], note) -> tuple[Placed, ...]:
    """Every part with its size."""
    places = {p.reference: p for p in sheet.places}
    sizes: dict[str, tuple] = {}
    for x in listed:
        sizes[x.place.reference] = x.size
        if x.place.reference not in places and np.isfinite(x.place.at[0]) and np.isfinite(x.place.at[1]):
            places[x.place.reference] = x.place
    out, off = [], []
    board = Polygon(sheet.loops[0])
    for p in places.values():
        shape = library.get((p.package.upper(), p.part.upper()))
        made = _sized(p, shape, sizes.get(p.reference, (None, None, None)), note)
        if made is None:
            continue
        out.append(made)
        if not board.buffer(1e-3).contains(shapely.Point(*made.at)):
            off.append(p.reference)
    if off:
        note(f"{', '.join(off[:8])}{' …' if len(off) > 8 else ''}: stand beside the board.")
    return tuple(out)


def _sized(p: Place, shape: Shape | None, size: tuple, note) -> Placed | None:
    """A part with the size that its library or a table gives."""
    length, width, height = size
    c, s = np.cos(p.turn), np.sin(p.turn)
    if shape is not None:
        x = shape.outline * (1.0 if p.top else -1.0, 1.0)
        x = x @ np.array([[c, s], [-s, c]]) + p.at
        low, high = x.min(axis=0), x.max(axis=0)
        middle, lengths = 0.5 * (low + high), high - low
        high_ = height or shape.height
    elif length and width:
        middle = np.array(p.at)
        lengths = np.array([abs(c) * length + abs(s) * width, abs(s) * length + abs(c) * width])
        high_ = height or 0.0
    else:
        note(f"{p.reference} ({p.package}): neither a library nor a table gives its size; left out.")
        return None
    if not high_:
        note(f"{p.reference} ({p.package}): has no height; {1e3 * UNKNOWN_HEIGHT:g} mm is taken.")
        high_ = UNKNOWN_HEIGHT
    known = shape.properties if shape is not None else {}
    return Placed(
        p.reference,
        p.package,
        p.part,
        (float(middle[0]), float(middle[1])),
        (float(lengths[0]), float(lengths[1])),
        float(high_ + p.offset),
        p.top,
        known.get("POWER_MAX"),
        known.get("THETA_JC"),
        known.get("THETA_JB"),
    )


def _copper(sheet: Sheet, plots, holes: np.ndarray, tell, note):
    """Layers, maps, pictures and vias of the copper."""
    loops = [1e3 * np.asarray(x) for x in sheet.loops]
    low, high = loops[0].min(axis=0), loops[0].max(axis=0)
    count = np.ceil((high - low) / copper.PIXEL - 1e-6).astype(int)
    frame = raster.Frame(float(low[0]), float(low[1]), copper.PIXEL, (int(count[0]), int(count[1])))
    coarse = max(int(round(PICTURE / copper.PIXEL)), int(np.ceil(count.max() / MOST_PIXELS)), 1)
    if not plots:
        note("No copper is plotted: type the board's layers, or give its conductivity.")
        return (), (), (), coarse * copper.PIXEL * 1e-3, np.zeros((0, 6))
    board = raster.inside(loops, frame)
    layers, maps, pictures, pixels = [], [], [], []
    for m, (name, shapes) in enumerate(plots):
        tell(f"Conductivity of {name}", 0.45 + 0.5 * m / len(plots))
        outer = m in (0, len(plots) - 1)
        x0, y0, x1, y1 = shapes.bounds
        beyond = max(low[0] - x0, low[1] - y0, x1 - high[0], y1 - high[1])
        if beyond > 0.5:
            note(f"{name}: copper reaches {beyond:.1f} mm beyond the outline; what is outside is left out.")
        drawn = raster.draw(shapes, frame)
        thick = OUTER if outer else INNER
        k = copper.conductivity(drawn, board, thick, outer)
        on = drawn & board
        for x, y, d in holes[:, :3]:
            _bore(on, frame, x, y, d)
        pixels.append(on)
        maps.append(k)
        covered = raster.shares(board, copper.BLOCK) > 0.5
        mean = float(np.exp(np.log(k[:, covered]).mean())) if covered.any() else copper.RESIN
        layers.append(CopperLayer(name, thick, float(on.sum() / max(board.sum(), 1)), mean))
        pictures.append(np.round(255 * raster.shares(on, coarse)).astype(np.uint8))
    note("Copper is taken to be 35 µm outside and 18 µm inside; the board's cell “layers” says it, and can be changed.")
    vias = _vias(pixels, holes, frame, layers, sheet.thickness)
    return tuple(layers), tuple(maps), tuple(pictures), coarse * copper.PIXEL * 1e-3, vias


def _bore(pixels: np.ndarray, frame: raster.Frame, x: float, y: float, d: float) -> None:
    """Take a hole out of the copper."""
    i0, i1 = (int(np.clip(np.floor((x + e * d / 2 - frame.x) / frame.pitch), 0, frame.count[0])) for e in (-1, 1))
    j0, j1 = (int(np.clip(np.floor((y + e * d / 2 - frame.y) / frame.pitch), 0, frame.count[1])) for e in (-1, 1))
    u = frame.x + (np.arange(i0, i1 + 1) + 0.5) * frame.pitch - x
    v = frame.y + (np.arange(j0, j1 + 1) + 0.5) * frame.pitch - y
    here = u[:, None] ** 2 + v[None, :] ** 2 < d * d / 4
    view = pixels[i0 : i1 + 1, j0 : j1 + 1]
    view[here[: view.shape[0], : view.shape[1]]] = False


def _vias(pixels, holes: np.ndarray, frame: raster.Frame, layers: list[CopperLayer], thickness: float) -> np.ndarray:
    """Plated holes between consecutive layers whose copper they touch, (n, 6)."""
    plated = holes[holes[:, 3] > 0]
    if not len(plated) or len(pixels) < 2:
        return np.zeros((0, 6))
    on = np.array([copper.attached(p, plated[:, 0], plated[:, 1], plated[:, 2] / 2, frame) for p in pixels])
    metal = sum(x.thickness for x in layers)
    resin = max(thickness - metal, 0.1 * thickness) / (len(layers) - 1)
    out = []
    for m, (x, y, d, _) in enumerate(plated):
        barrel = np.pi * max(1e-3 * d - PLATING, PLATING) * PLATING
        levels = np.flatnonzero(on[:, m])
        for a, b in zip(levels, levels[1:], strict=False):
            far = (b - a) * resin + sum(layers[t].thickness for t in range(a + 1, b))
            out.append((1e-3 * x, 1e-3 * y, 1e-3 * d, a, b, copper.COPPER * barrel / far))
    return np.array(out).reshape(-1, 6)
