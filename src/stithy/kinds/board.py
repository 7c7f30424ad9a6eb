"""A circuit board: a thin box that conducts otherwise in its plane and through it, or layers of copper and laminate."""

from __future__ import annotations

import hashlib
import re
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np
from shapely.geometry import Polygon

from ..errors import ValueProblem
from ..model import Solid, Stack, StackLayer
from ..project import circuits, library, units
from ..project.circuits import Circuit
from ..project.kind import LOAD, SHAPE, Cell, Row, Text, register
from ..project.reader import Reader
from ..shapes.geometry import Box, Outline
from . import solids
from .cells import SIDES, CellsAcross, Corner, Material, Power, Profile, Starts, SurfaceFinish
from .lying import TURNS, Lying
from .place import on_floor

MAP, LAYERS, UNIFORM = "map", "layers", "uniform"
#: of a box around an outline that it may leave open and still be taken for the box
NOTCH = 0.003
#: m that an outline may lie off its file's, so that arcs are few corners
PLAIN = 0.25e-3
#: m by which a board's size may differ from its file's
SAME = 2e-6
MOST_LAYERS = 40


class Board(Row):
    """A circuit board: a thin box whose conductivity differs in its plane and through it, by numbers, by its layers, or
    by the copper of its files."""

    kind: Literal["board"] = "board"
    at: Corner = "0, 0, 0 mm"
    size: Annotated[Text, Cell("size", SHAPE, "lengths along x, y, z; empty: as its files say", columns=("size",))] = (
        "100, 80, 1.6 mm"
    )
    material: Material = "FR4 laminate"
    file: Annotated[
        Text, Cell("files", SHAPE, "what was read of its files, in the project's assets folder; empty: none")
    ] = ""
    faces: Annotated[Text, Cell("components on", SHAPE, "which side of it, of a board from files", SIDES)] = "z+"
    turned: Annotated[Text, Cell("turned", SHAPE, "degrees, counterclockwise as seen from the components", TURNS)] = "0"
    layers: Annotated[
        Text,
        Cell(
            "layers",
            LOAD,
            "from the components down, copper with its share of the area: 35 um 38 %; 0.5 mm; 35 um 29 %; empty: none",
        ),
    ] = ""
    conducts: Annotated[
        Text,
        Cell(
            "conducts by",
            LOAD,
            "the map of its copper, its layers by their shares, or uniform: the two numbers below, else its layers' "
            "mean; empty: what it has",
            (MAP, LAYERS, UNIFORM),
        ),
    ] = ""
    in_plane: Annotated[Text, Cell("k in plane", LOAD, "conductivity in its plane; empty: the material's")] = ""
    through: Annotated[Text, Cell("k through", LOAD, "conductivity through it; empty: the material's")] = ""
    power: Power = "0 W"
    profile: Profile = ""
    starts: Starts = ""
    finish: SurfaceFinish = ""
    cells: CellsAcross = ""


def read(r: Reader, row: Board) -> Solid:
    """The board's solid."""
    known = circuit_of(r, row)
    if known is not None and not row.text("size"):
        row = row.model_copy(update={"size": size_text(lying(r, row, known), known)})
    low, size = solids.placed(r, row)
    wanted = r.choice(row, "conducts", (MAP, LAYERS, UNIFORM), UNIFORM) if row.text("conducts") else ""
    wanted = wanted or (MAP if known and known.maps else LAYERS if row.text("layers") else UNIFORM)
    more: dict[str, Any] = {}
    if known is not None:
        more["form"] = _outline(r, row, known, low)
    if wanted != UNIFORM:
        stack = _stack(r, row, known if wanted == MAP else None, low, wanted)
        if stack is not None:
            k, through = stack.mean()
            flat = tuple(through if a == stack.normal else k for a in range(3))
            made = solids.boxed(r, row, conductivity=lambda m, _: flat, stack=stack, **more)
            return replace(made, rho=_density(r, row, stack))
    thin = lying(r, row, known).normal if known is not None else size.index(min(size))
    lumped = _stack(r, row, None, low, LAYERS) if row.text("layers") and not row.text("in_plane") else None

    def conductivity(m, _):
        k, across = lumped.mean() if lumped is not None else (m.k, m.k_through)
        plane = r.maybe(row, "in_plane", "conductivity", k, above=0.0)
        through = r.maybe(row, "through", "conductivity", across, above=0.0)
        return tuple(through if a == thin else plane for a in range(3))

    return solids.boxed(r, row, conductivity=conductivity, **more)


def circuit_of(r: Reader, row: Board) -> Circuit | None:
    """What was read of a board's files; None where there are none, after a note where they are gone."""
    if not row.text("file"):
        return None
    found = circuits.circuit(row.text("file"))
    if found is None:
        r.note(
            row,
            "file",
            f"“{row.text('file')}” is not among this project's assets, or cannot be read.",
            "Import the board again.",
        )
    return found


def lying(r: Reader, row: Board, known: Circuit | None) -> Lying:
    """How a row's board lies."""
    faces = r.choice(row, "faces", SIDES, "z+")
    return Lying(known.size if known else (0.0, 0.0), faces, TURNS.index(r.choice(row, "turned", TURNS, "0")))


def _outline(r: Reader, row: Board, known: Circuit, low: Box) -> Outline | None:
    """The board's outline where it is no rectangle; notes a size that is not the file's."""
    how = lying(r, row, known)
    for a, long in zip((*how.across, how.normal), (*how.spread, known.thickness), strict=True):
        if abs(low[a][1] - low[a][0] - long) > SAME:
            said = ", ".join(f"{1e3 * x:.4g}" for x in _sizes(how, known))
            r.note(row, "size", f"“{row.size}” is not the size of its files.", f"Empty the cell: they say {said} mm.")
            return None
    if Polygon(known.loops[0]).area > (1.0 - NOTCH) * known.size[0] * known.size[1]:
        return None
    ring = Polygon(known.loops[0]).simplify(PLAIN).exterior  # a line of the grid stands at every corner
    corners = how.points(np.array(ring.coords)[:-1] - known.low) + [low[a][0] for a in how.across]
    points = tuple((float(a), float(b)) for a, b in np.round(corners, 9))
    return Outline(how.normal, points, low[how.normal], 4)


def _density(r: Reader, row: Board, stack: Stack) -> float:
    """Mean density (kg/m3) of a board: of its copper by shares, and of its laminate."""
    base, metal = solids.material(r, row)[0].rho, library.materials()["copper"].rho
    shares = [share or 0.0 for _, share in layers_of(r, row)]
    shares = shares[::-1] if lying(r, row, None).up else shares
    thick = np.diff(stack.edges)
    return float(sum(t * (s * metal + (1 - s) * base) for t, s in zip(thick, shares, strict=True)) / thick.sum())


def _sizes(how: Lying, known: Circuit) -> list[float]:
    """Lengths (m) along x, y, z of a board of files."""
    out = [known.thickness] * 3
    for a, long in zip(how.across, how.spread, strict=True):
        out[a] = long
    return out


def size_text(how: Lying, known: Circuit) -> str:
    """Its cell “size”."""
    return ", ".join(f"{1e3 * x:.6g}" for x in _sizes(how, known)) + " mm"


def layers_text(known: Circuit) -> str:
    """Its cell “layers”: copper with its share, the rest laminate of equal layers."""
    if not known.copper:
        return ""
    metal = sum(x.thickness for x in known.copper)
    between = max(known.thickness - metal, 0.1 * known.thickness) / max(len(known.copper) - 1, 1)
    copper = [f"{1e6 * x.thickness:.4g} um {100 * x.share:.3g} %" for x in known.copper]
    return f"; {1e3 * between:.4g} mm; ".join(copper)


def layers_of(r: Reader, row: Board) -> list[tuple[float, float | None]]:
    """Thickness (m) of each layer from the components down, and the share of copper (None: laminate); empty after a
    note."""
    out: list[tuple[float, float | None]] = []
    for text in (t.strip() for t in row.text("layers").split(";") if t.strip()):
        found = re.fullmatch(r"(.*?)(?:\s+([\d.]+)\s*%)?", text)
        assert found is not None
        try:
            thick = units.to_si(found.group(1), "length", r.names)
            share = None if found.group(2) is None else float(found.group(2)) / 100
            if not thick > 0 or (share is not None and not 0 <= share <= 1):
                raise ValueProblem(text, "is no layer.", "")
        except (ValueProblem, ValueError) as error:
            what = error.what if isinstance(error, ValueProblem) else "is no layer."
            r.note(row, "layers", f"“{units.short(text)}” {what}", "Write 35 um 38 %; 0.5 mm; 35 um 29 %.")
            return []
        out.append((thick, share))
    if len(out) > MOST_LAYERS:
        r.note(row, "layers", f"has {len(out)} layers.", f"Give {MOST_LAYERS} at most.")
        return []
    return out


def _stack(r: Reader, row: Board, known: Circuit | None, low: Box, wanted: str) -> Stack | None:
    """Its layers; None after a note where there are none."""
    layers = layers_of(r, row)
    if not layers:
        if not row.text("layers"):
            what = "is empty, but it is to conduct by its layers."
            r.note(row, "layers", what, "Write 35 um 38 %; 0.5 mm; 35 um 29 %.")
        return None
    how = lying(r, row, known)
    if not row.text("file"):
        spans = [hi - lo for lo, hi in low]
        axis = spans.index(min(spans))
        how = Lying((0.0, 0.0), f"{'xyz'[axis]}{how.faces[1]}")
    whole, thick = sum(t for t, _ in layers), low[how.normal][1] - low[how.normal][0]
    if abs(whole - thick) > 0.02 * thick:
        r.note(
            row,
            "layers",
            f"are {1e3 * whole:.4g} mm together, but the board is {1e3 * thick:.4g} mm thick.",
            "Change a layer, or the board's size.",
        )
        return None
    metals = [m for m, (_, share) in enumerate(layers) if share is not None]
    if wanted == MAP and (known is None or len(metals) != len(known.maps)):
        if known is None:
            what, remedy = "is map, but no files of its copper are there.", "Import its copper, or choose layers."
            r.note(row, "conducts", what, remedy)
        else:
            what = f"have {len(metals)} of copper, its files {len(known.maps)}."
            r.note(row, "layers", what, "Give every layer of copper its share.")
        return None
    return _made(r, row, how, known, layers, low, thick / whole)


def _made(r: Reader, row: Board, how: Lying, known: Circuit | None, layers, low: Box, scale: float) -> Stack:
    """The stack, from the low side up."""
    base, _, _ = solids.material(r, row)
    metal = library.materials()["copper"]
    made = []
    for _, share in layers:
        part = share or 0.0
        k = part * metal.k + (1 - part) * base.k
        capacity = part * metal.rho * metal.cp + (1 - part) * base.rho * base.cp
        through = metal.k if known is not None and share is not None else part * metal.k + (1 - part) * base.k_through
        made.append(StackLayer(share is not None, (k, through if share is not None else base.k_through), capacity))
    metals = [m for m, x in enumerate(made) if x.copper]
    maps: list[np.ndarray | None] = [None] * len(made)
    vias = np.zeros((0, 5))
    corner, pitch, content = (0.0, 0.0), 1e-3, ""
    if known is not None:
        for m, k_map in zip(metals, known.maps, strict=True):
            maps[m] = how.map(k_map)
            covered = float(np.exp(np.log(k_map).mean()))
            made[m] = StackLayer(True, (covered, metal.k), made[m].capacity)
        nx, ny = known.maps[0].shape[1:]
        start = [low[a][0] for a in how.across]
        corner = tuple(np.add(how.corner((nx, ny), known.block), start))
        pitch = known.block
        places = how.points(known.vias[:, :2] - known.low) + start
        levels = np.array(metals)[known.vias[:, 3:5].astype(int)].reshape(-1, 2)
        vias = np.column_stack([places, levels, known.vias[:, 5]])
        content = hashlib.sha256(f"{row.text('file')} {how.faces} {how.quarters}".encode()).hexdigest()[:16]
    thick = [t * scale for t, _ in layers]
    if how.up:  # layers are told from the components down
        made, maps, thick = made[::-1], maps[::-1], thick[::-1]
        vias[:, 2:4] = len(made) - 1 - vias[:, 2:4]
    edges = low[how.normal][0] + np.concatenate([[0.0], np.cumsum(thick)])
    edges[-1] = low[how.normal][1]
    return Stack(
        content,
        how.normal,
        tuple(float(x) for x in edges),
        tuple(made),
        (float(corner[0]), float(corner[1])),
        pitch,
        tuple(maps),
        vias,
    )


register(Board, "Boards", ("solid", "box"), read=read, place=on_floor)
